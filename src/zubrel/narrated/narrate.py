"""Findings -> Report: the stage function of this folder."""

from __future__ import annotations

from zubrel.checked.keys import ENDING
from zubrel.explored.space import NotAsked, Trace
from zubrel.findings.find import Found
from zubrel.findings.finding import Closing, Finding
from zubrel.narrated.atlas import sketch
from zubrel.narrated.progress import progress_of
from zubrel.narrated.reasons import Reasons
from zubrel.narrated.replay import Walked, replay
from zubrel.narrated.report import MoveLine, Point, Report, Told, Win
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import counted
from zubrel.walked.walker import Walker

MOST_EXPLAINED = 12


def narrate(found: Found, seconds: float) -> Report:
    """The report on what was found. Raises `Mismatch` when some evidence does not replay."""
    return _Narrator(found).report(seconds)


class _Narrator:
    def __init__(self, found: Found) -> None:
        self.found = found
        self.judged = found.judged
        self.space = found.judged.space
        self.world = found.judged.system.world
        self.walker = Walker(self.world)
        self.explained = 0

    def report(self, seconds: float) -> Report:
        counted = self.found.listed or self.judged
        space = counted.space
        situations, won, doomed = (
            None if space.merged else space.count(some)
            for some in (space.everything, counted.won, counted.doomed)
        )
        findings = tuple(self._told(f) for f in self.found.findings)
        return Report(
            path=self.world.path, title=self.world.title, verdict=self.judged.verdict,
            stopped=self.space.stopped, engine=self.space.engine, situations=situations,
            moves=space.moves, won=won, doomed=doomed,
            seconds=seconds, shortest_win=self._shortest_win(),
            findings=findings, progress=progress_of(self.world, self.found.progression),
            sketch=sketch(self.world, self.found.outline, findings),
            classes=space.count(space.everything) if space.merged else None,
            undecided=self.found.undecided,
        )  # fmt: skip

    def _shortest_win(self) -> Win | None:
        trace = self.space.walks().shortest(self.judged.won)
        if trace is None:
            return None
        walked = self._walk(trace)
        end = walked[-1].after if walked else self.walker.start()
        ending = str(end[ENDING])
        return Win(
            ending, self.world.endings[ending].name, lines_of(self.world, walked), trace.shortest
        )

    def _walk(self, trace: Trace) -> tuple[Walked, ...]:
        return replay(self.walker, self.space, trace)

    def _told(self, finding: Finding) -> Told:
        walked = self._walk(finding.trace) if finding.trace else ()
        explanation = self._explanation(finding, walked)
        return Told(
            kind=finding.kind, severity=finding.severity, subject=finding.subject,
            message=finding.message, span=finding.span, evidence=self._lines(walked),
            explanation=(*self._aftermath(finding), *explanation),
            situations=finding.situations,
            points=tuple(self._point(c) for c in finding.closings), cause=finding.cause,
            accepted=finding.accepted, because=finding.because,
            shortest=finding.trace is None or finding.trace.shortest,
        )  # fmt: skip

    def _lines(self, walked: tuple[Walked, ...]) -> tuple[MoveLine, ...]:
        return lines_of(self.world, walked)

    def _aftermath(self, finding: Finding) -> list[str]:
        if finding.wandering is None:
            return []
        if finding.situations is None:
            return []
        many = counted(finding.situations, "situation")
        if finding.wandering:
            return [f"Then the player is wandering: there are moves, but no win ({many})."]
        return [f"Then the player is stuck: there is no move at all ({many})."]

    def _explanation(self, finding: Finding, walked: tuple[Walked, ...]) -> list[str]:
        try:
            return self._reasons(finding, walked)
        except NotAsked:
            return []

    def _reasons(self, finding: Finding, walked: tuple[Walked, ...]) -> list[str]:
        if finding.doomed is not None:
            if self.explained >= MOST_EXPLAINED:
                return []
            self.explained += 1
            (future,) = self.space.reached_from([finding.doomed])
            return Reasons(self.judged, future, walked).of_no_win()
        if finding.kind == "unreachable" and finding.cause is None:
            return Reasons(self.judged, self.space.everything).of(finding.subject)
        return []

    def _point(self, closing: Closing) -> Point:
        described = self.world.described(closing.trace.steps[-1].rule)
        return Point(closing.rule, described, self._lines(self._walk(closing.trace)))
