"""Why findings are as they are: reasons, looked for as far as the work that is set aside allows."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress

from msgspec.structs import replace

from zubrel.base.budget import LimitReached, WorkSpent
from zubrel.compiled.formulas import Formula
from zubrel.findings.dealt import begun
from zubrel.findings.find import Conclusions
from zubrel.findings.finding import Finding
from zubrel.findings.judged import AnySpace
from zubrel.narrated.reasons.explained import explained
from zubrel.narrated.reasons.sentences import TOLD, sentences
from zubrel.narrated.replay import Walked, made_along
from zubrel.narrated.report import Explained
from zubrel.policy import ALONE, THERE
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Behind, Reasons, at_a_glance, reasons_after

MOST_EXPLAINED = 60
"""Findings of one kind that are explained, in their order."""
EXPLAINED = ("unreachable", "missable", "too_early", *TOLD)
"""Kinds of findings with a reason, beside those after which there is no win."""
Asking = tuple[Finding, tuple[Walked, ...]]
"""A finding that is to be explained, and its evidence."""
AHEAD = 40
"""Formulas that are looked up together, at most. Chosen: with all of hundreds no look might be had
(bazaars M 1 and L 1 ask for 11 and 27 in all)."""


class Explaining:
    """Explains findings, one after the other: what was asked for one is known for the next."""

    def __init__(self, conclusions: Conclusions) -> None:
        self.conclusions = conclusions
        self.judged = conclusions.judged
        self.system = conclusions.judged.system
        self.explained: dict[str, int] = {}
        """By kind: how many findings have been explained."""
        self.seen: AnySpace = conclusions.judged.space
        """What explanations are looked up in."""
        self.asked: dict[Formula, None] = {}
        self._alone: dict[tuple[str, str], Explained] = {}
        """By kind and subject: what is told by that alone which comes after the evidence."""
        self._glances: dict[tuple[str, str], Explained | None] = {}
        """By kind and subject: what sets of values tell, where that was looked at."""

    def look_ahead(self, findings: Iterable[Asking]) -> None:
        """Look up together what many findings are going to ask, each with its evidence: one by
        one, nearly each of them would take a closer look of its own."""
        turns = dict(self.explained)
        # only so many of a kind are explained: nobody asks ahead for the others
        asking = [(f, walked) for f, walked in findings if _has_a_turn(f, turns)]
        with suppress(LimitReached, MemoryError):
            with self.conclusions.explaining():
                asking = [
                    (f, walked) for f, walked in asking if self._at_a_glance(f, walked) is None
                ]
                for most in ALONE:
                    asking = [
                        (f, walked) for f, walked in asking if not self._told_alone(f, walked, most)
                    ]
            asking = self._told_there(asking)
            # a closer look answers what was asked, and may lead to further questions: round by
            # round
            while asking:
                left, unasked = [], dict[Formula, None]()
                for finding, walked in asking:
                    with self.conclusions.explaining():
                        _, more = self._from_here(finding, walked)
                    if more.keys() - self.asked.keys():
                        left.append((finding, walked))
                        unasked |= more
                new = [formula for formula in unasked if formula not in self.asked]
                with self.conclusions.explaining():
                    if not new or not self._look_closer(new[:AHEAD]):
                        return
                asking = left

    def of(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained:
        """The reason of a finding, whose evidence is `walked`; an empty one where none is told."""
        if not _has_a_turn(finding, self.explained):
            return Explained()
        try:
            with self.conclusions.explaining():
                return self._reasons(finding, walked)
        except (LimitReached, MemoryError):
            return Explained()

    def _reasons(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained:
        """The explanation; a closer look is taken as long as something cannot be answered."""
        glance = self._at_a_glance(finding, walked)
        if glance is not None:
            return glance
        alone = self._alone.get((finding.kind, finding.subject))
        if alone is not None:
            return alone
        while True:
            explanation, unasked = self._from_here(finding, walked)
            if not unasked:
                return explanation
            # asked for, and still not known, or no closer look can be had
            if self.asked.keys() >= unasked.keys() or not self._look_closer(unasked):
                return Explained()

    def _from_here(
        self, finding: Finding, walked: tuple[Walked, ...]
    ) -> tuple[Explained, Mapping[Formula, None]]:
        """The explanation by what is looked at, and what that cannot answer: with any of it the
        explanation is worth nothing."""
        # without a walk, the finding is about every situation
        future = self.seen.everything
        if finding.trace is not None:
            here = self.seen.at_end_of(finding.trace)
            (future,) = self.seen.reached_from([here])
        # live sets are of the first space; of a closer look they would have to be found anew
        first = self.seen is self.judged.space
        live = self.judged.live if finding.hopeless and first else None
        behind = Behind(self.seen, future, live)
        reasons = Reasons(self.system, behind, made_along(walked), behind.possible)
        explanation = explained(reasons, _trees(reasons, finding))
        said = sentences(reasons, finding, walked)
        if said is not None:
            explanation = replace(explanation, chain=(*explanation.chain, *said))
        return explanation, reasons.unasked

    def _told_alone(self, finding: Finding, walked: tuple[Walked, ...], most: float) -> bool:
        """Whether all that comes after the evidence explains it, found with so much work at most.

        From where everything is wasted little is left to come, however large the world is.
        """
        # what is missed leaves the rest of the world to be played
        if self.conclusions.after is None or not (finding.hopeless and walked):
            return False
        here = self.system.values(walked[-1].after)
        space = self.conclusions.after(here, most)
        if space is None:
            return False
        with self.conclusions.explaining():
            reasons = reasons_after(self.system, space, made_along(walked))
            trees = _trees(reasons, finding)
        self._alone[finding.kind, finding.subject] = explained(reasons, trees)
        return True

    def _told_there(self, asking: Sequence[Asking]) -> list[Asking]:
        """What is left after reasons by all that comes after a walk, seen through a lens that
        begins there: of a smaller world than one that begins at the start."""
        if self.conclusions.there is None:
            return list(asking)
        # several things may be missed by one move
        places: dict[tuple[int, ...], list[Asking]] = {}
        for finding, walked in asking:
            if walked and finding.kind not in TOLD:
                values = tuple(self.system.values(walked[-1].after))
                places.setdefault(values, []).append((finding, walked))
        for values, group in places.items():
            with suppress(WorkSpent), self.conclusions.explaining(THERE):
                self._tell_there(values, group, self.conclusions.there)
        return [(f, walked) for f, walked in asking if (f.kind, f.subject) not in self._alone]

    def _tell_there(
        self,
        values: Sequence[int],
        asking: Sequence[Asking],
        there: Callable[[Sequence[int], Sequence[Formula]], AnySpace],
    ) -> None:
        """The same of one situation that walks end in: round by round, as long as what a reason
        asks leads to further questions."""
        asked: dict[Formula, None] = {}
        while asking:
            space, unasked, left = there(values, tuple(asked)), dict[Formula, None](), []
            for finding, walked in asking:
                reasons = reasons_after(self.system, space, made_along(walked))
                trees = _trees(reasons, finding)
                if reasons.unasked:
                    left.append((finding, walked))
                    unasked |= reasons.unasked
                else:
                    self._alone[finding.kind, finding.subject] = explained(reasons, trees)
            # asked for, and still not known
            if unasked.keys() <= asked.keys():
                return
            asking, asked = left, asked | unasked

    def _look_closer(self, unasked: Iterable[Formula]) -> bool:
        """Look at what answers all that was asked so far, and `unasked`: whether it can be had."""
        # the next look knows all that was asked so far, so that it ends
        asked = [*self.asked, *(formula for formula in unasked if formula not in self.asked)]
        closer = self.conclusions.closer and self.conclusions.closer(asked)
        if closer is None:
            return False
        self.asked = dict.fromkeys(asked)
        # nobody has ever been in what comes before a deal: there anything may hold
        self.seen = begun(closer)
        return True

    def _at_a_glance(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained | None:
        """The explanation where sets of values give a whole one, which takes milliseconds; only
        where a search is far away."""
        # what texts say is asked of situations, of which sets of values know nothing
        if not self.judged.space.merged or finding.kind in TOLD:
            return None
        key = finding.kind, finding.subject
        if key not in self._glances:
            self._glances[key] = self._relaxed(finding, walked)
        return self._glances[key]

    def _relaxed(self, finding: Finding, walked: tuple[Walked, ...]) -> Explained | None:
        """What sets of values tell, where that is the whole reason."""
        reasons = at_a_glance(self.system, made_along(walked))
        trees = _trees(reasons, finding)
        # no win is left only where each good ending has its reason
        good = sum(e.good for e in self.system.world.endings.values())
        wanted = good if finding.hopeless else 1
        if len(trees) < wanted or not all(tree.is_complete for tree in trees):
            return None
        return explained(reasons, trees)


def _has_a_turn(finding: Finding, turns: dict[str, int]) -> bool:
    """Whether a reason is looked for. Counts, in `turns`, the findings of each kind that ask for
    one, this one included."""
    if finding.cause is not None or not (finding.hopeless or finding.kind in EXPLAINED):
        return False
    # of hundreds of alike findings nobody reads every reason
    turns[finding.kind] = turns.get(finding.kind, 0) + 1
    return turns[finding.kind] <= MOST_EXPLAINED


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
