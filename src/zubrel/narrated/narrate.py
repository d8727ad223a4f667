"""Findings -> Report: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from typing import TYPE_CHECKING

from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.checked.conditions import DONE
from zubrel.checked.deals import number_of_deals
from zubrel.checked.keys import ENDING, PLACE, UNENDED, Key, Value
from zubrel.checked.world import Rule
from zubrel.explored.space import NotAsked, Trace
from zubrel.findings.find import Conclusions
from zubrel.findings.finding import Closing, Finding
from zubrel.narrated.atlas import sketch
from zubrel.narrated.progress import progress_of
from zubrel.narrated.replay import Walked, replay
from zubrel.narrated.report import Explained, MoveLine, Point, Report, Told, Win
from zubrel.narrated.walks import deal_of, lines_of
from zubrel.narrated.words import counted

if TYPE_CHECKING:
    from zubrel.narrated.explaining import Explaining

SHOWN = {"held": 1, "open": 1, "quest": DONE}
"""By kind of a part of a situation: from which value on its thing was surely reached."""


UNTOLD = "Why no win is left takes too much work to tell."
"""After moves that doom of which the reason is not known."""


def narrate(
    conclusions: Conclusions, seconds: Callable[[], float], with_reasons: bool = True
) -> Report:
    """The report on what was found; `seconds` tells how long everything took.

    Raises `Mismatch` when some evidence does not replay.
    """
    return _Narrator(conclusions, with_reasons).report(seconds)


def nothing_known(path: str, title: str, stopped: str, seconds: float) -> Report:
    """The report where a limit came before anything was found."""
    return Report(
        path=path,
        title=title,
        verdict="incomplete",
        stopped=stopped,
        engine="no",
        situations=None,
        moves=None,
        won=None,
        doomed=None,
        seconds=seconds,
        shortest_win=None,
        findings=(),
    )


def told_of(
    finding: Finding, evidence: tuple[MoveLine, ...] = (), explanation: Iterable[str] = ()
) -> Told:
    """A finding with its walk and its explanation, as far as that is all there is to tell."""
    return Told(
        kind=finding.kind,
        severity=finding.severity,
        subject=finding.subject,
        message=finding.message,
        span=finding.span,
        evidence=evidence,
        explanation=tuple(explanation),
        situations=finding.situations,
        points=(),
        cause=finding.cause,
        accepted=finding.accepted,
        because=finding.because,
    )


class _Narrator:
    def __init__(self, conclusions: Conclusions, with_reasons: bool) -> None:
        self.conclusions = conclusions
        self.with_reasons = with_reasons
        self.judged = conclusions.judged
        self.space = conclusions.judged.space
        self.world = conclusions.judged.system.world
        self.walker = conclusions.judged.system.walker
        self.walks: dict[tuple[int, ...], tuple[Walked, ...]] = {}
        self.lines: dict[int, tuple[MoveLine, ...]] = {}
        """By the identity of a walk in `walks`, which keeps it."""

    @cached_property
    def explaining(self) -> Explaining:
        # most worlds are small and have no finding: what tells reasons takes a while to load
        from zubrel.narrated.explaining import Explaining

        return Explaining(self.conclusions)

    def report(self, seconds: Callable[[], float]) -> Report:
        # a smaller space may have been listed for counting only
        counted = self.conclusions.listed or self.judged
        space = counted.space
        situations, won, doomed = (
            None if space.merged else space.count(diagram)
            for diagram in (space.everything, counted.won, counted.doomed)
        )
        # a listed space answers everything at once
        if self.with_reasons and self.space.merged:
            leading = [f for f in self.conclusions.findings if f.cause is None]
            walks = (self._walk(f.trace) if f.trace else () for f in leading)
            self.explaining.look_ahead(zip(leading, walks, strict=True))
        # findings first: their walks show things to be reachable that would be left undecided
        findings = tuple(self._told(f) for f in self.conclusions.findings)
        win = self._shortest_win()
        return Report(
            path=self.world.path,
            title=self.world.title,
            verdict=self.judged.verdict,
            stopped=self.space.stopped,
            engine=self.space.engine,
            situations=situations,
            moves=space.moves,
            won=won,
            doomed=doomed,
            seconds=seconds(),
            shortest_win=win,
            findings=findings,
            progress=progress_of(self.world, self.conclusions.progression),
            sketch=sketch(self.world, self.conclusions.outline, findings),
            classes=self._classes(),
            undecided=tuple(self._undecided()),
        )

    def _undecided(self) -> Iterator[tuple[str, str]]:
        """What is left open, without what the walks that are told show to be reachable."""
        seen: set[str] = set()
        # walks are proofs: what a play in the report does can be done
        for walked in self.walks.values():
            for step in walked:
                seen |= {step.rule.id, str(step.after[PLACE]), str(step.after[ENDING])}
                seen |= {step.rule.owner} if step.rule.kind != "way" else set()
            if walked:
                for (kind, thing), value in walked[-1].after.items():
                    if kind in SHOWN and int(value) >= SHOWN[kind]:
                        seen.add(thing)
        for kind, subject in self.conclusions.undecided:
            if kind != "unreachable" or subject not in seen:
                yield kind, subject

    def _shortest_win(self) -> Win | None:
        try:
            trace = self.space.walks().shortest(self.judged.won)
        except (LimitReached, MemoryError):
            return None
        if trace is None:
            return None
        walked = self._walk(trace)
        end = walked[-1].after if walked else self.walker.start()
        ending = str(end[ENDING])
        name, lines = self.world.endings[ending].name, lines_of(self.world, walked)
        return Win(ending, name, lines, trace.shortest, deal_of(self.world, walked))

    def _walk(self, trace: Trace) -> tuple[Walked, ...]:
        """The trace replayed; one that shows several findings only once.

        In a space that merges situations, where the end of a trace cannot be compared, so is one
        that another begins with.
        """
        # many findings end on the same walk, and replaying it takes as long as it is
        key = tuple(step.number for step in trace.steps)
        if key not in self.walks:
            longer = self._beginning_with(key) if self.space.merged else None
            if longer is None:
                walked = replay(self.walker, self.space, trace)
            else:
                walked = self.walks[longer][: len(key)]
                # dealing is no move, and has no line
                moves = len(key) - self.world.moves_before()
                self.lines[id(walked)] = self._lines(self.walks[longer])[: max(0, moves)]
            self.walks[key] = walked
        return self.walks[key]

    def _beginning_with(self, key: tuple[int, ...]) -> tuple[int, ...] | None:
        """A walk that is known, move by move, and begins with these."""
        for known, walked in self.walks.items():
            if len(known) == len(walked) > len(key) and known[: len(key)] == key:
                return known
        return None

    def _classes(self) -> int | None:
        """How many situations could be told apart; None where nobody has counted."""
        if not self.space.merged:
            return None
        try:
            return self.space.count(self.space.everything)
        except NotAsked:
            return None

    def _told(self, finding: Finding) -> Told:
        walked = self._walk(finding.trace) if finding.trace else ()
        explanation = self.explaining.of(finding, walked) if self.with_reasons else Explained()
        aftermath = self._aftermath(finding, walked)
        if self.with_reasons and aftermath and not explanation.why and finding.cause is None:
            aftermath = (*aftermath, UNTOLD)
        lines = explanation.lines(aftermath)
        told = replace(told_of(finding, self._lines(walked), lines), why=explanation.why)
        # other ways in which it is lost, each with a walk of its own
        points = tuple(self._point(c) for c in finding.closings)
        shortest = finding.trace is None or finding.trace.shortest
        told = replace(told, deals=finding.deals)
        return replace(told, points=points, shortest=shortest, deal=deal_of(self.world, walked))

    def _lines(self, walked: tuple[Walked, ...]) -> tuple[MoveLine, ...]:
        key = id(walked)
        if key not in self.lines:
            self.lines[key] = lines_of(self.world, walked)
        return self.lines[key]

    def _aftermath(self, finding: Finding, walked: tuple[Walked, ...]) -> tuple[str, ...]:
        """Whether somebody who cannot win any more has moves left."""
        if not (finding.hopeless and walked):
            return ()
        # known of listed spaces only
        doomed = finding.situations
        many = [] if doomed is None else [counted(doomed, "situation")]
        if finding.deals is not None:
            many.append(f"in {finding.deals:,} of {number_of_deals(self.world.deals):,} deals")
        told = f" ({', '.join(many)})" if many else ""
        moves = self.walker.moves(walked[-1].after)
        # by the interpreter: the words are about the real world, whatever engine has found the walk
        ends = [self._all_end(rule, walked[-1].after) for rule in moves]
        if moves and all(ends):
            return (f"Then every move ends the game, and none of them well{told}.",)
        if moves:
            return (f"Then the player is wandering: there are moves, but no win{told}.",)
        return (f"Then the player is stuck: there is no move at all{told}.",)

    def _all_end(self, rule: Rule, at: Mapping[Key, Value]) -> bool:
        """Whether every outcome of a move ends the game."""
        return all(r.situation[ENDING] != UNENDED for r in self.walker.results(rule, at))

    def _point(self, closing: Closing) -> Point:
        described = self.world.described(closing.trace.steps[-1].rule)
        moves = self._lines(self._walk(closing.trace))
        return Point(closing.rule, described, moves, closing.trace.shortest)
