"""A world in which every name means something: what the later stages work on.

Sections are kept as the author thinks of them; everything that a player can do is also there as
a `Rule`, so that no later stage needs to know what a find or a lock is.
"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.base.source import Source, Span
from zubrel.checked.conditions import ALWAYS, Cond, Not, conjuncts
from zubrel.checked.effects import Effect, EndGame, Give, MoveTo, Take
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import (
    Acceptance,
    Area,
    Carry,
    Deal,
    Ending,
    Fact,
    Foe,
    Goal,
    Item,
    Lock,
    Meter,
    Person,
    Promise,
    Quest,
    Said,
    Shop,
    Store,
    Thing,
)


class Outcome(Struct, frozen=True):
    """What a rule does, all of it, in order; `number` from 1. Odds are above 0.

    `says` are lists of texts, of each of which the first that applies before the move is told.
    """

    number: int
    odds: float
    effects: tuple[Effect, ...]
    says: tuple[tuple[Said, ...], ...] = ()

    @property
    def destination(self) -> str | None:
        """The area where the player is then, or None where the outcome does not move."""
        moves = [e.area for e in self.effects if isinstance(e, MoveTo)]
        return moves[-1] if moves else None

    @property
    def ending(self) -> str | None:
        ends = [e.ending for e in self.effects if isinstance(e, EndGame)]
        return ends[-1] if ends else None


class Rule(Struct, frozen=True):
    """Something that a player can do.

    `areas` is where (None: anywhere). `offered` must hold for it to be there at all (its lock not
    yet open, its find not yet taken), `needs` is what the author wrote, `lock` must be open.
    `chancy` when luck picks among the outcomes. `owner` is the id of the find, way, lock or deed
    that it belongs to, `common` the id shared by its alternatives, `once` the marks that make it
    possible only once. `refuses` is told where it stands and is not possible (of a lock: nothing
    here, but what the lock refuses with). While `needs` do not hold, a `hidden` one is not shown.
    """

    id: str
    kind: RuleKind
    owner: str
    common: str
    label: str
    span: Span
    areas: tuple[str, ...] | None
    offered: Cond
    needs: Cond
    lock: str | None
    once: tuple[str, ...]
    outcomes: tuple[Outcome, ...]
    chancy: bool = False
    refuses: tuple[Said, ...] = ()
    hidden: bool = False
    last_blow: str = ""
    """Of a blow that does not beat a foe yet: the rule of the one that does, in the same way."""

    @property
    def takes(self) -> tuple[Take, ...]:
        """What is given up, the same in every outcome."""
        return tuple(e for e in self.outcomes[0].effects if isinstance(e, Take))

    @property
    def gives(self) -> tuple[Give, ...]:
        """What is gained in some outcome."""
        effects = (e for outcome in self.outcomes for e in outcome.effects)
        return tuple(dict.fromkeys(e for e in effects if isinstance(e, Give)))


class Happening(Struct, frozen=True):
    """A `whenever`: happens by itself while `when` holds and it would change something."""

    id: str
    span: Span
    when: Cond
    once: bool
    outcome: Outcome


class World(Struct, frozen=True):
    """Everything, in the order of the files. `asked` are the visited marks that are kept."""

    path: str
    title: str
    start_area: str
    holding: tuple[Give, ...]
    items: dict[str, Item]
    areas: dict[str, Area]
    locks: dict[str, Lock]
    facts: dict[str, Fact]
    meters: dict[str, Meter]
    endings: dict[str, Ending]
    people: dict[str, Person]
    quests: dict[str, Quest]
    foes: dict[str, Foe]
    shops: dict[str, Shop]
    stores: dict[str, Store]
    carries: tuple[Carry, ...]
    promises: tuple[Promise, ...]
    accepted: tuple[Acceptance, ...]
    rules: tuple[Rule, ...]
    happenings: tuple[Happening, ...]
    visits_asked: tuple[str, ...]
    asked: tuple[Cond, ...] = ()
    source: Source | None = None
    """The main file as it was read."""
    deals: tuple[Deal, ...] = ()
    dealing: tuple[Rule, ...] = ()
    """The moves of luck with which a play begins: one for each item and each area it may get."""

    @property
    def effects(self) -> Iterator[Effect]:
        """Every effect, whatever it is part of."""
        for rule in self.rules:
            for outcome in rule.outcomes:
                yield from outcome.effects
        yield from self.effects_by_itself

    @property
    def effects_by_itself(self) -> Iterator[Effect]:
        """Every effect of what happens by itself, and of the rewards of quests."""
        for happening in self.happenings:
            yield from happening.outcome.effects
        for quest in self.quests.values():
            yield from quest.reward

    def moves_before(self) -> int:
        """How many moves of luck come before the first of the player."""
        return sum(len(deal.items) for deal in self.deals)

    def rule(self, rule_id: str) -> Rule:
        """The rule with this id. Raises KeyError when there is none."""
        for rule in (*self.rules, *self.dealing):
            if rule.id == rule_id:
                return rule
        raise KeyError(rule_id)

    def talk_before(self, rule: Rule) -> Rule | None:
        """The talk past which talking never gets, where it stands before this one; else None.

        It has no `when` and may be done again, so that none after it ever has its turn.
        """
        if rule.kind != "talk" or not _gives_no_turn(rule):
            return None
        # where one always applies, the next is the first that never has a turn, and all after it
        talks = [r for r in self.rules if r.kind == "talk" and r.owner == rule.owner]
        first = next(n for n, r in enumerate(talks) if _gives_no_turn(r))
        return talks[first - 1] if first else None

    def texts(self) -> Iterator[tuple[str, Said]]:
        """Every text of the world, with the id of what it belongs to."""
        for rule in self.rules:
            owner = rule.owner if rule.kind == "way" else rule.id
            yield from ((owner, said) for said in rule.refuses)
            yield from ((owner, t) for o in rule.outcomes for says in o.says for t in says)
        for happening in self.happenings:
            yield from ((happening.id, t) for says in happening.outcome.says for t in says)
        for area in self.areas.values():
            yield from ((area.id, said) for said in (*area.says, *area.refuses))
        for lock in self.locks.values():
            yield from ((lock.id, said) for said in lock.refuses)
        for item in self.items.values():
            yield from ((item.id, said) for said in item.says)
        for shop in self.shops.values():
            yield from ((shop.id, said) for said in (*shop.greets, *shop.farewell))

    def goal_name(self, goal: Goal) -> str:
        """A goal in the author's words, or in those of what it is about."""
        if goal.name:
            return goal.name
        thing = self.name_of(goal.subject)
        many = f"{goal.count} {thing}" if goal.count > 1 else thing
        return {
            "collect": f"collect {many}",
            "gain": f"get {many}",
            "deliver": f"deliver {many}",
            "defeat": f"beat {many}",
            "visit": f"visit {thing}",
            "talk": f"talk to {thing}",
            "do": thing,
        }.get(goal.kind, goal.kind)

    def described(self, rule: Rule) -> str:
        """A rule for a message: its label, and for a way where it begins."""
        if rule.kind == "way" and rule.areas:
            return f"“{rule.label}” from {self.name_of(rule.areas[0])}"
        return f"“{rule.label}”"

    def name_of(self, thing_id: str) -> str:
        """The player's name of a section entry, or the label of a rule, or the id itself."""
        for section in (
            self.items,
            self.areas,
            self.locks,
            self.facts,
            self.meters,
            self.endings,
            self.people,
            self.quests,
            self.foes,
            self.shops,
            self.stores,
        ):
            if thing_id in section:
                thing: Thing = section[thing_id]
                return thing.name
        for rule in self.rules:
            if thing_id in (rule.id, rule.common, rule.owner):
                return rule.label
        return thing_id


def _gives_no_turn(talk: Rule) -> bool:
    """Whether a talk is offered only where one that always applies does not."""
    return Not(ALWAYS) in conjuncts(talk.offered)
