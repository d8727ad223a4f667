"""What is certain of a world while a proof of it goes on, and after one that was cut short."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from zubrel.base.budget import SECOND, Budget, LimitReached
from zubrel.base.kinds import DOOMING
from zubrel.base.progress import Progress
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.explore import share
from zubrel.explored.space import EndlessSettling, Trace
from zubrel.findings.finding import Finding, by_gravity
from zubrel.narrated.report import Report, Told
from zubrel.narrated.words import counted
from zubrel.policy import (
    ASKED_ABOUT,
    CERTAIN,
    CERTAIN_JUDGED,
    CERTAIN_LATE,
    CERTAIN_LISTED,
    FIRST_WIN,
    LEAST_SAMPLING,
    MANY_RULES,
    MORE_FOR_A_WIN,
    SAMPLING,
    SAMPLING_SHARE,
    WIN_OF_MANY,
)

if TYPE_CHECKING:
    from zubrel.certain.smaller import Proved, Smaller
    from zubrel.certain.stage import Certain
    from zubrel.reduced.result import Reduced

EASIER = ("levers",)
"""Reductions that take no time, and without which wins are hard to find: a plan that sets a sluice
one way and then the other takes both to be so (deltas M 3 and L 4 open: 4.4 and 4.5 million units
in the whole world, 0.06 and 0.07 without; XL 11 and 21: not in 20, 0.3)."""
SHOWN_AT_ONCE = 8
"""Moves that doom that are named to whoever waits for the rest. Chosen: about a line."""
REST = 1 * SECOND
"""Work on the rest after which whoever waits for it is told. Chosen: about a second."""


class EarlyLooks:
    """What is certain soon: found in the midst of a proof that lasts, or after one that was cut."""

    def __init__(
        self,
        system: System,
        budget: Budget,
        progress: Progress,
        suffices: Callable[[Told], bool] | None = None,
    ) -> None:
        """Where a finding that `suffices` is certain after some looks, the proof ends early."""
        self.system = system
        self.budget = budget
        self.progress = progress
        self.suffices = suffices
        self.told: Any = None
        """`narrated.early.Early`, imported when it is needed: small worlds do without."""
        self.words: Any = None
        """`narrated.early.ToldBefore`, the same."""
        self.looking: Any = None
        """`certain.stage.Looking`, the same."""
        self.reduced: Reduced | None = None
        """The world made smaller, once somebody has asked for it."""
        self.proved: Proved | None = None
        """What the proof has told of that by now, once it has told something, or somebody asks."""
        self.looks = 0
        """How often moves that doom were looked for in the midst of the proof."""
        self.left = list(CERTAIN)
        self.for_a_win = [MORE_FOR_A_WIN]
        """Looks for a first win alone that are left, as long as none is known."""
        # whoever waits is told within seconds whether it can be won, of a large world above all
        many = len(system.variables) * len(system.steps) >= MANY_RULES
        after, work = WIN_OF_MANY if many else FIRST_WIN
        self._wait_for(after, work, whole=False, at_large=many)

    def _wait(self) -> None:
        if self.left:
            self._wait_for(*self.left.pop(0))

    def _wait_for(
        self, after: float, work: float, whole: bool = True, at_large: bool = False
    ) -> None:
        """Look at what is certain, or for a win alone, when the proof has taken so much work;
        `at_large`: or as soon as plain integers have given up listing the world."""
        work = share(self.budget, work, 0.3)
        after = share(self.budget, after, 0.2)
        self.budget.meanwhile(after, lambda: self._tell(work, whole), at_large)

    def _tell(self, work: float, whole: bool) -> None:
        before = self.told
        self._look(work, whole)
        self.looks += whole
        if self.told is not None:
            self.progress.certain(self.told.news(before))
            enough = self.suffices is not None and any(map(self.suffices, self.told.findings))
            if enough and self.looks >= ASKED_ABOUT:
                raise self.budget.end(LimitReached("what is certain of it"))
        if self.for_a_win and self.looking is not None and self.looking.is_open:
            self._wait_for(*self.for_a_win.pop(), whole=False)
        else:
            self._wait()

    def judged(self, leads_to_win: Callable[[Sequence[int]], bool]) -> None:
        """It is proved which situations of the world made smaller lead to a win, and not yet which
        moves doom: what is lost is seen at a glance, and dooms are found in passing."""
        proof = self._proof()
        is_new, proof.leads_to_win = proof.leads_to_win is None, leads_to_win
        # in place of the next look, and once: each turn of a proof says so again, and is not held
        # up for longer; where the moves that doom are proved, none is left
        if is_new and self.left:
            self._wait_for(*CERTAIN_JUDGED)

    def listed(self) -> None:
        """Every situation is listed: the proof ends soon, unless there is far more to be told."""
        self.left[:] = [] if self._has_looked else [CERTAIN_LISTED]
        self.for_a_win.clear()
        self.budget.nothing_meanwhile()
        self._wait()

    def decided(self, verdict: str, findings: Sequence[Finding]) -> None:
        """Verdict and moves that doom are proved: whoever waits for the rest is told of them, and
        what is certain of them is looked for no more."""
        self.left.clear()
        culprits = [f.subject for f in findings if f.kind in DOOMING]
        shown = ", ".join(culprits[:SHOWN_AT_ONCE])
        more = len(culprits) - SHOWN_AT_ONCE
        dooming = f", {counted(len(culprits), 'move')} can doom: {shown}" if culprits else ""
        line = f"decided: {verdict}{dooming}{f' and {more} more' if more > 0 else ''}"
        # in place of the next look; where the rest takes no longer than that, the report tells it
        self.budget.meanwhile(REST, lambda: self.progress.certain([line]))

    @property
    def _has_looked(self) -> bool:
        """Whether moves that doom were looked for, or there is no win that one could take."""
        return self.looking is not None and (self.looking.looked or self.looking.unwinnable)

    def _look(self, work: float, whole: bool = True) -> None:
        from zubrel.certain.stage import Looking

        with suppress(EndlessSettling):  # the proof tells of that, and how
            self.looking = self.looking or Looking(
                self.system, self.budget, self._made_smaller, self._made_easier
            )
            look = self.looking.go_on if whole else self.looking.for_a_win
            self._note(look(work))

    def _note(self, certain: Certain) -> None:
        from zubrel.narrated.early import ToldBefore, told_early

        self.words = self.words or ToldBefore()
        self.told = told_early(certain, self.words, before=self.told)

    def _made_smaller(self, budget: Budget) -> Smaller:
        """The world made smaller, with the way back, for plays that are looked for."""
        return replace(self._smaller_by(self.reduced_to_its_end(budget)), proved=self._proof())

    def _proof(self) -> Proved:
        """What is proved of the world made smaller, for those who look for dooms in it."""
        from zubrel.certain.smaller import Proved

        self.proved = self.proved or Proved()
        return self.proved

    def _made_easier(self, budget: Budget) -> Smaller | None:
        """The world without levers, which a plan sets one way and another; None: there are none."""
        from zubrel.quotient.making import reduced_for

        reduced = reduced_for(self.system, (), budget, EASIER)
        if len(reduced.system.moves) == len(self.system.moves):
            return None
        return self._smaller_by(reduced)

    def _smaller_by(self, reduced: Reduced) -> Smaller:
        from zubrel.certain.smaller import Smaller
        from zubrel.quotient.lifting import Speller
        from zubrel.reduced.bearing import bearing

        speller = Speller(self.system, reduced)

        def spelled_out(steps: Sequence[Step]) -> Sequence[Step]:
            originals = tuple(reduced.originals[step.number] for step in steps)
            return speller.spelled_out(Trace(originals, shortest=False)).steps

        return Smaller(reduced.system, spelled_out, bearing(reduced))

    def reduced_to_its_end(self, budget: Budget) -> Reduced:
        """The world with what its end depends on, for the proof and for looks alike."""
        from zubrel.quotient.making import reduced_for

        if self.reduced is None:
            self.reduced = reduced_for(self.system, (), budget)
        return self.reduced

    def added_to(self, report: Report) -> Report:
        """The report; where it proves nothing as a whole, with what is certain all the same."""
        if report.complete:
            self._compare(report)
            if self.told is None:
                return report
            from zubrel.narrated.early import explained_by

            return explained_by(report, self.told)
        if not self._has_looked:
            with suppress(LimitReached, MemoryError):
                self.budget.check_limits()  # before anything is set up for it
                self._look(CERTAIN_LATE)
        if self.told is None and self.looking is not None:
            # the limit came in the midst of a look, which has found something by then
            with suppress(LimitReached, MemoryError):
                self._note(self.looking.found())
        if self.told is None:
            return report
        from zubrel.narrated.early import with_certain

        report = with_certain(report, self.told)
        every = sorted((*report.findings, *self._seen(report)), key=by_gravity)
        report = replace(report, findings=tuple(every))
        # without any win no move takes one away
        return report if report.verdict == "unwinnable" else self._with_safe_moves(report)

    def _with_safe_moves(self, report: Report) -> Report:
        """The report with what reductions tell of moves, where there is time for that."""
        from zubrel.narrated.early import with_safe_moves
        from zubrel.reduced.bearing import bearing

        with suppress(LimitReached, MemoryError):
            reduced = self.reduced_to_its_end(self.looking.budget)
            return with_safe_moves(report, self.system, bearing(reduced))
        return report

    def _seen(self, report: Report) -> Sequence[Told]:
        """What plays show that are made for it, now that nothing will be proved."""
        from zubrel.narrated.seen import findings_seen

        known = {(f.kind, f.subject) for f in report.findings}
        # who asked for a short search waits no longer for a sample than for the search
        work = min(
            share(self.budget, SAMPLING, SAMPLING_SHARE), LEAST_SAMPLING + self.budget.work / 10
        )
        with suppress(EndlessSettling):
            # both: that of the look asks the other whether the telling goes on too long
            self.budget.begin_telling()
            self.looking.budget.begin_telling()
            return findings_seen(self.looking, known, work)
        return ()

    def _compare(self, report: Report) -> None:
        """A proof that ends has to find whatever was certain before."""
        if self.told is not None:
            told = {(f.kind, f.subject) for f in report.findings} | set(report.undecided)
            every = [(f.kind, f.subject) for f in self.told.findings]
            missing = [pair for pair in every if pair not in told]
            assert not missing, f"certain, and yet not found: {missing}"
