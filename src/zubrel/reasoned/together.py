"""Things that can each still be had, but not all: which of them want the same, and how much.

Rules that every way to a condition must use are found by the delete relaxation, in which nothing
is ever lost: a rule needs its conditions, a condition is made by any of its makers, and what all
makers have in common is needed by the condition. (Landmarks; Zhu and Givan: Landmark extraction
via planning graph propagation, 2003.) That leaves out what must be undone, so the rules found are
really needed, though there may be more.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

from msgspec import Struct, field

from zubrel.checked.conditions import (
    DONE,
    FAILED,
    All,
    Any,
    Cond,
    CountOf,
    Holds,
    Marked,
    QuestIs,
    conjuncts,
)
from zubrel.checked.effects import Effect, Give, SetMark, Take, Wear
from zubrel.checked.world import Rule, World
from zubrel.reasoned.makers import makes

Needed = frozenset[str]


class Shortage(Struct, frozen=True):
    """`takers` take `taken` of an item in all, `kept` more are asked for; `left` are to be had."""

    item: str
    takers: tuple[Rule, ...]
    taken: int
    kept: int
    left: int


class Together(Struct):
    """Counts what is wanted and what is left, from one situation on.

    `rules` are those that are still possible at some time, `holds` tells what is true now, and
    `demand` all that a rule asks for.
    """

    world: World
    rules: tuple[Rule, ...]
    holds: Callable[[Cond], bool]
    demand: Callable[[Rule], Cond]
    known: dict[Cond, Needed | None] = field(default_factory=dict)
    makers: dict[Cond, list[Rule]] = field(default_factory=dict)
    """For each atom the rules that make it true, where it is not and does not come by itself."""

    def shortages(self, condition: Cond) -> list[Shortage]:
        """The items of which every way to `condition` wants more than can ever be had."""
        rules = self.needed(condition)
        shortages = []
        # each of these rules is really needed, so what they use is really wanted together
        used = {r.id: used_by(r) for r in rules}
        for item in dict.fromkeys(item for r in rules for item in used[r.id]):
            takers = tuple(r for r in rules if item in used[r.id])
            taken = sum(used[r.id][item] for r in takers)
            # what the condition itself wants held is wanted beside what is used up
            kept, left = _kept(condition, item), self._left(item)
            if left is not None and taken + kept > left:
                shortages.append(Shortage(item, takers, taken, kept, left))
        return shortages

    def _left(self, item: str) -> int | None:
        """How many of an item there can be in all; None: no bound is known."""
        once: dict[object, int] = {}
        for name, effects, is_once in self._still_by_itself():
            gives = _given(effects, item)
            # what may come again and again has no bound
            if gives and not is_once:
                return None
            once[name] = gives * (self.world.items[item].uses or 1)
        for rule in self.rules:
            for outcome in rule.outcomes:
                gives = _given(outcome.effects, item)
                if gives:
                    marks = [e for e in outcome.effects if isinstance(e, SetMark)]
                    # without a mark nothing keeps it from being made again
                    if not marks:
                        return None
                    # outcomes that share a mark exclude each other
                    each = gives * (self.world.items[item].uses or 1)
                    once[marks[0]] = max(once.get(marks[0], 0), each)
        most = self.world.items[item].most
        # conditions can be asked whether they hold, not how much there is
        held = next(n for n in range(most, -1, -1) if self.holds(Holds(item, ">=", n)))
        return held + sum(once.values())

    def _still_by_itself(self) -> Iterator[tuple[str, tuple[Effect, ...], bool]]:
        """What may still happen without a move of its own: a name, effects, whether once only.

        A quest that has ended never ends again.
        """
        for quest in self.world.quests.values():
            ended = any(self.holds(QuestIs(quest.id, state)) for state in (DONE, FAILED))
            # a quest ends once, so its reward comes once
            if quest.reward and not ended:
                yield quest.id, quest.reward, True
        for happening in self.world.happenings:
            if not (happening.once and self.holds(Marked("done", happening.id))):
                yield happening.id, happening.outcome.effects, happening.once

    def _by_itself(self, atom: Cond) -> bool:
        """Whether it may come true without a move of its own: nothing is said about that."""
        return any(makes(effects, atom) for _, effects, _ in self._still_by_itself())

    def needed(self, condition: Cond) -> list[Rule]:
        """The rules that every way to `condition` must use, in the order of the world."""
        self.known = {}
        self._note(condition)
        changed = True
        while changed:
            changed = False
            # an atom may need itself by way of others: round after round until nothing changes
            for atom in list(self.known):
                needed = self._of_atom(atom)
                # from "everything" downwards to the greatest fixpoint
                if needed != self.known[atom]:
                    self.known[atom] = needed
                    changed = True
        ids = self._of(condition) or frozenset()
        return [rule for rule in self.rules if rule.id in ids]

    def _note(self, condition: Cond) -> None:
        """Every atom that takes part, through all makers."""
        pending = list(_leaves(condition))
        while pending:
            atom = pending.pop()
            if atom not in self.known:
                self.known[atom] = None
                for rule in self._rules_that_make(atom):
                    pending += _leaves(self.demand(rule))

    def _rules_that_make(self, atom: Cond) -> list[Rule]:
        if atom not in self.makers:
            # nobody has to do anything for what is so already
            free = self.holds(atom) or self._by_itself(atom)
            self.makers[atom] = [
                rule
                for rule in (() if free else self.rules)
                if any(makes(o.effects, atom) for o in rule.outcomes)
            ]
        return self.makers[atom]

    def _of_atom(self, atom: Cond) -> Needed | None:
        """What an atom needs; None: everything, as nothing is known to make it yet."""
        if self.holds(atom) or self._by_itself(atom):
            return frozenset()
        ways = []
        for rule in self._rules_that_make(atom):
            # a way that needs everything is none that is known, and is left out of what they share
            asked = self._of(self.demand(rule))
            if asked is not None:
                ways.append(asked | {rule.id})
        return _common(ways)

    def _of(self, condition: Cond) -> Needed | None:
        match condition:
            case All(parts):
                wanted: Needed = frozenset()
                for part in parts:
                    needed = self._of(part)
                    # nothing is known to make this part yet: then nothing makes the whole
                    if needed is None:
                        return None
                    wanted |= needed
                return wanted
            case Any(parts):
                every = (self._of(part) for part in parts)
                # whichever part is chosen needs what all of them need
                return _common([n for n in every if n is not None])
            case CountOf():
                return frozenset()
        return self.known.get(condition, frozenset())


def used_by(rule: Rule) -> dict[str, int]:
    """How much of each item a rule takes or wears, whatever luck does; of a tool, uses."""
    used: dict[str, int] = {}
    # prices are paid whatever luck does, so they stand in every outcome
    for effect in rule.outcomes[0].effects:
        if isinstance(effect, Take | Wear):
            count = effect.count if isinstance(effect, Take) else 1
            used[effect.item] = used.get(effect.item, 0) + count
    return used


def _given(effects: Iterable[Effect], item: str) -> int:
    return sum(e.count for e in effects if isinstance(e, Give) and e.item == item)


def _kept(condition: Cond, item: str) -> int:
    """How many of an item a condition itself wants to be held."""
    holds = [
        p.number
        for p in conjuncts(condition)
        if isinstance(p, Holds) and p.operator == ">=" and p.item == item
    ]
    return max(holds, default=0)


def _common(ways: list[Needed]) -> Needed | None:
    return frozenset.intersection(*ways) if ways else None


def _leaves(condition: Cond) -> Iterator[Cond]:
    match condition:
        case All(parts) | Any(parts):
            for part in parts:
                yield from _leaves(part)
        case CountOf():
            return
        case _:
            yield condition
