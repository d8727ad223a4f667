"""Findings -> Report: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.checked.conditions import DONE
from zubrel.checked.deals import number_of_deals
from zubrel.checked.keys import ENDING, PLACE, UNENDED
from zubrel.checked.world import Rule
from zubrel.compiled.formulas import Formula
from zubrel.compiled.future import Future
from zubrel.explored.space import NotAsked, Trace
from zubrel.findings.find import Conclusions
from zubrel.findings.finding import Closing, Finding
from zubrel.findings.judged import AnySpace
from zubrel.narrated.atlas import sketch
from zubrel.narrated.progress import progress_of
from zubrel.narrated.reasons.explained import Explained, explained
from zubrel.narrated.reasons.sentences import TOLD, sentences
from zubrel.narrated.replay import Walked, replay
from zubrel.narrated.report import MoveLine, Point, Report, Told, Win
from zubrel.narrated.walks import deal_of, lines_of
from zubrel.narrated.words import counted
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Behind, Reasons, Relaxed, Situation

MOST_EXPLAINED = 60
"""Findings of one kind that are explained, in their order."""
EXPLAINED = ("unreachable", "missable", "too_early", *TOLD)
"""Kinds of findings with a reason, beside those after which there is no win."""
SHOWN = {"held": 1, "open": 1, "quest": DONE}
"""By kind of a part of a situation: from which value on its thing was surely reached."""


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


def _trees(reasons: Reasons, finding: Finding) -> tuple[Node, ...]:
    """What is never again after the evidence of a finding, or never at all."""
    if finding.hopeless:
        return reasons.of_no_win()
    match finding.kind:
        case "missable" | "too_early":
            return reasons.of_having(finding.subject)
        case "unreachable":
            return reasons.of(finding.subject)
        case "broken_promise":
            return reasons.of_promise(finding.subject)
    return ()


def _steps(walked: Iterable[Walked]) -> list[tuple[Rule, Situation, Situation]]:
    return [(w.rule, w.before, w.after) for w in walked]


class _Narrator:
    def __init__(self, conclusions: Conclusions, with_reasons: bool) -> None:
        self.conclusions = conclusions
        self.with_reasons = with_reasons
        self.judged = conclusions.judged
        self.space = conclusions.judged.space
        self.world = conclusions.judged.system.world
        self.walker = conclusions.judged.system.walker
        self.explained: dict[str, int] = {}
        """By kind: how many findings have been explained."""
        self.seen: AnySpace = self.space
        """What explanations are looked up in."""
        self.asked: dict[Formula, None] = {}
        self.walks: dict[tuple[int, ...], tuple[Walked, ...]] = {}
        self.lines: dict[int, tuple[MoveLine, ...]] = {}
        """By the identity of a walk in `walks`, which keeps it."""

    def report(self, seconds: Callable[[], float]) -> Report:
        counted = self.conclusions.listed or self.judged
        space = counted.space
        situations, won, doomed = (
            None if space.merged else space.count(diagram)
            for diagram in (space.everything, counted.won, counted.doomed)
        )
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
        explanation = self._explanation(finding, walked)
        lines = explanation.lines(self._aftermath(finding, walked))
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

    def _all_end(self, rule: Rule, at: Situation) -> bool:
        """Whether every outcome of a move ends the game."""
        return all(r.situation[ENDING] != UNENDED for r in self.walker.results(rule, at))

    def _explanation(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained:
        if not self.with_reasons:
            return Explained()
        if finding.cause is not None or not (finding.hopeless or finding.kind in EXPLAINED):
            return Explained()
        # of hundreds of alike findings nobody reads every reason
        self.explained[finding.kind] = self.explained.get(finding.kind, 0) + 1
        if self.explained[finding.kind] > MOST_EXPLAINED:
            return Explained()
        try:
            with self.conclusions.explaining():
                return self._reasons(finding, walked)
        except (LimitReached, MemoryError):
            return Explained()

    def _reasons(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained:
        """The explanation; a closer look is taken as long as something cannot be answered."""
        # what texts say is asked of situations, of which sets of values know nothing
        if self.space.merged and finding.kind not in TOLD:
            relaxed = self._at_a_glance(finding, walked)
            if relaxed is not None:
                return relaxed
        while True:
            future = self.seen.everything
            if finding.trace is not None:
                here = self.seen.at_end_of(finding.trace)
                (future,) = self.seen.reached_from([here])
            # live sets are of the first space; of a closer look they would have to be found anew
            live = self.judged.live if finding.hopeless and self.seen is self.space else None
            behind = Behind(self.seen, future, live)
            reasons = Reasons(self.judged.system, behind, _steps(walked), behind.possible)
            explanation = explained(reasons, _trees(reasons, finding))
            said = sentences(reasons, finding, walked)
            if said is not None:
                explanation = replace(explanation, chain=(*explanation.chain, *said))
            if not reasons.unasked:
                return explanation
            if self.asked.keys() >= reasons.unasked.keys():
                return Explained()  # asked for, and still not known
            closer = self.conclusions.closer and self.conclusions.closer(
                [*self.asked, *reasons.unasked]
            )
            if closer is None:
                return Explained()
            # the next look knows all that was asked so far, so that it ends
            self.asked |= reasons.unasked
            self.seen = closer

    def _at_a_glance(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained | None:
        """The explanation where sets of values give a whole one, which takes milliseconds."""
        system = self.judged.system
        here = walked[-1].after if walked else self.walker.start()
        future = Future(system.relaxation, tuple(system.values(here)))
        reasons = Reasons(system, Relaxed(future), _steps(walked))
        trees = _trees(reasons, finding)
        # no win is left only where each good ending has its reason
        wanted = sum(e.good for e in self.world.endings.values()) if finding.hopeless else 1
        if len(trees) < wanted or not all(tree.is_complete for tree in trees):
            return None
        return explained(reasons, trees)

    def _point(self, closing: Closing) -> Point:
        described = self.world.described(closing.trace.steps[-1].rule)
        return Point(closing.rule, described, self._lines(self._walk(closing.trace)))
