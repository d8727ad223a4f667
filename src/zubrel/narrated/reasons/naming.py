"""What stands in a sentence about a claim: names of makers, and what a move did."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from functools import cached_property

from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.system import System
from zubrel.narrated.reasons.formula_words import formula_words
from zubrel.narrated.words import listed
from zubrel.reasoned.claims import Took, Wanted
from zubrel.reasoned.leaves import GOING_ON
from zubrel.reasoned.sources import makers_of
from zubrel.reasoned.together import used_by

MOST_NAMED = 4
"""Things of one kind that are named in a sentence."""


class Naming:
    """Names and small phrases of one world, for what is told of plays from `origin` on."""

    def __init__(self, system: System, origin: Sequence[int]) -> None:
        self.system = system
        self.origin = origin
        self.world = system.world

    def words(self, formula: Formula) -> str:
        """A formula as a noun phrase."""
        return formula_words(self.system, formula)

    def place(self, formula: Formula) -> str:
        """The names of the areas of which a formula speaks."""
        return self.words(formula).removeprefix("the player at ")

    def label(self, rule: str) -> str:
        """A rule by its label."""
        return f"“{self.world.rule(rule).label}”"

    def several(self, names: Sequence[str]) -> str:
        """Names as a list, of many the first ones; of several that are called the same how many."""
        many = Counter(names)
        each = [f"{name} (any of {n})" if n > 1 else name for name, n in many.items()]
        if len(each) > MOST_NAMED:
            each = [*each[: MOST_NAMED - 1], f"{len(each) - MOST_NAMED + 1} more"]
        return listed(each)

    def maker(self, maker: str, outcome: int | None = None) -> str:
        """Whatever makes something true, for a sentence."""
        for rule in self.world.rules:
            if rule.id == maker:
                luck = "" if outcome is None else f" (outcome {outcome})"
                return self.world.described(rule) + luck
        if maker in self.world.quests:
            return f"the quest {self.world.name_of(maker)}"
        if maker in self.world.endings:
            return f"the ending {self.world.name_of(maker)}"
        return f"what happens by itself ({maker})"

    def needs(self, maker: str, parts: Iterable[Formula], several: bool = False) -> str:
        """The verb between a maker and what it cannot do without: asked for by the maker itself,
        or only what must hold before for its work to be enough."""
        own = self._asked.get(maker, frozenset())
        if all(part == GOING_ON or any(_implies(o, part) for o in own) for part in parts):
            return "need" if several else "needs"
        return "help only with" if several else "helps only with"

    @cached_property
    def _asked(self) -> dict[str, frozenset[Formula]]:
        """What each maker asks for itself."""
        asked: dict[str, frozenset[Formula]] = {}
        for maker in makers_of(self.system, self.origin):
            asked[maker.id] = asked.get(maker.id, frozenset()) | frozenset(maker.guard)
        return asked

    def move(self, claim: Took) -> str:
        """A move of the evidence by its number and its label."""
        return f"move {claim.move}, {self.label(claim.rule)}"

    def subject(self, claim: Took) -> str:
        """The name of what a move has changed."""
        kind, subject = self._key(claim)
        return self.world.name_of(subject.split()[0]) if subject else f"the {kind}"

    def of(self, variable: int) -> str:
        """The name of the thing that a variable counts."""
        return self.world.name_of(self.system.variables[variable].key[1].split()[0])

    def left(self, claim: Took) -> str:
        """The name of the area that a move has left."""
        return self.world.name_of(str(self.system.variables[claim.variable].value(claim.old)))

    def is_raised(self, claim: Took) -> bool:
        """Whether a move gave what had better not been had."""
        return self._key(claim)[0] == "held" and claim.new > claim.old

    def what(self, claim: Took) -> str:
        """What happened to a variable, as a participle."""
        match self._key(claim)[0]:
            case "held":
                return "used up" if claim.new == 0 else "used"
            case "meter":
                return "raised" if claim.new > claim.old else "lowered"
            case "open":
                return "shut"
            case "quest":
                return "over"
        return "undone"

    def _key(self, claim: Took) -> tuple[str, str]:
        return self.system.variables[claim.variable].key

    def is_amount(self, formula: Formula) -> bool:
        """Whether a formula asks for so many of an item at least."""
        if not isinstance(formula, Within):
            return False
        variable = self.system.variables[formula.variable]
        return variable.key[0] == "held" and formula.high >= variable.high

    def shortage(self, claim: Wanted) -> str:
        """What several moves still to be made want, and how much of it is left."""
        names = listed([self.label(u) for u in claim.users])
        taken = sum(used_by(self.world.rule(u))[claim.item] for u in claim.users)
        want = "wants" if len(claim.users) == 1 else "want"
        kept = claim.number - taken
        more = f", {kept} more {'is' if kept == 1 else 'are'} needed then" if kept else ""
        item = self.world.name_of(claim.item)
        uses = " of its uses" if self.world.items[claim.item].uses is not None else " in all"
        return f"{names} still {want} {item}, {taken}{uses}{more}, and {claim.left} can be had."


def _implies(own: Formula, part: Formula) -> bool:
    """Whether what is asked for is at least so much as a part, as far as that is seen at once."""
    if isinstance(own, Within) and isinstance(part, Within) and own.variable == part.variable:
        return part.low <= own.low and own.high <= part.high
    return own == part


def upper(text: str) -> str:
    """The text as the beginning of a sentence."""
    return text[:1].upper() + text[1:]
