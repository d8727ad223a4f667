"""A world in which every name means something: what the later stages work on.

Sections are kept as the author thinks of them; everything that a player can do is also there as
a `Rule`, so that no later stage needs to know what a find or a lock is.
"""

from __future__ import annotations

from msgspec import Struct

from zubrel.base.source import Source, Span
from zubrel.checked.conditions import Cond
from zubrel.checked.effects import Effect, EndGame, Give, MoveTo, Take
from zubrel.checked.rule_kinds import RuleKind


class Said(Struct, frozen=True):
    """A text and when it applies; `also`: beside the first other one that does."""

    text: str
    when: Cond
    span: Span
    also: bool = False


class Thing(Struct, frozen=True):
    """What every section entry has. `name` is for players, `id` for authors."""

    id: str
    name: str
    span: Span


class Item(Thing, frozen=True):
    """`most` is the most that can be held; `bound_given` when the author said so.

    A tool is held as `uses`; None: it is none. `drops_at` are the areas where it can be put down,
    `stays_in` those outside of which it is gone (none: it is never gone). `price` is what shops ask
    and pay that name none.
    """

    kind: str
    most: int
    bound_given: bool
    wasted_when_full: bool
    uses: int | None = None
    drops_at: tuple[str, ...] = ()
    stays_in: tuple[str, ...] = ()
    price: int | None = None


class Area(Thing, frozen=True):
    says: tuple[Said, ...]
    needs: Cond
    refuses: tuple[Said, ...] = ()


class Lock(Thing, frozen=True):
    begins_open: bool
    relocks: bool
    from_areas: tuple[str, ...]
    refuses: tuple[Said, ...]


class Fact(Thing, frozen=True):
    """A true/false fact has the values false, true."""

    values: tuple[str, ...]
    start: int
    true_false: bool
    round: bool = False

    def after(self, value: int, up: bool) -> int:
        """The number of the next value, or of the one before."""
        stepped = value + (1 if up else -1)
        if self.round:
            return stepped % len(self.values)
        return min(len(self.values) - 1, max(0, stepped))


class Meter(Thing, frozen=True):
    low: int
    high: int
    start: int


class Ending(Thing, frozen=True):
    good: bool
    when: Cond | None


class Person(Thing, frozen=True):
    """`places` are the areas where the person can be, each with the condition for being there."""

    places: tuple[tuple[str, Cond], ...]
    met_asked: bool


class Goal(Struct, frozen=True):
    """One goal of a quest.

    `kind` is collect, gain, deliver, defeat, visit, talk, do or meet; `subject` the item, foe,
    area, person or rule that it is about (`meet`: nothing, but a `condition`), `count` how many.
    `remembered` when its progress is part of the situation. `name` is the author's, or empty:
    `World.goal_name` has words for each; so is `id`.
    """

    number: int
    kind: str
    subject: str
    count: int
    condition: Cond
    needs: Cond
    early: bool
    name: str
    span: Span
    remembered: bool
    id: str = ""


class Quest(Thing, frozen=True):
    """`from_id` and `hand_in` are a person or an area, or None; `from_id` also an item or lock."""

    starts_active: bool
    in_turn: bool
    from_id: str | None
    hand_in: str | None
    needs: Cond
    goals: tuple[Goal, ...]
    fails_when: Cond | None
    reward: tuple[Effect, ...]

    @property
    def completes_itself(self) -> bool:
        """Done by itself as soon as all goals are met."""
        return self.hand_in is None and bool(self.goals)


class Foe(Thing, frozen=True):
    count: int
    returns: bool


class Ware(Struct, frozen=True):
    """One item in a shop; `stock` None: any number."""

    item: str
    price: int
    stock: int | None
    span: Span


class Shop(Thing, frozen=True):
    money: str
    sells: tuple[Ware, ...]
    buys: tuple[Ware, ...]


class Store(Thing, frozen=True):
    """`limit` is of all together, None: of each item what can be held of it."""

    keeps: tuple[str, ...]
    limit: int | None


class Carry(Struct, frozen=True):
    """At most `limit` of the items can be held together; a tool counts as one."""

    limit: int
    items: tuple[str, ...]
    span: Span


class Promise(Thing, frozen=True):
    """`kind` is never, always, possible, stays_possible, before or within."""

    kind: str
    conditions: tuple[Cond, ...]
    ending: str | None
    steps: int
    because: str | None


class Acceptance(Struct, frozen=True):
    """A finding that is known and wanted.

    `closed_by`, where there are any, are rules: then every finding of the kind is meant that no
    other move brings about, and `subject` is the id that the author names the first of them by.
    """

    finding: str
    subject: str
    because: str | None
    span: Span
    closed_by: tuple[str, ...] = ()


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
    here, but what the lock refuses with).
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

    def rule(self, rule_id: str) -> Rule:
        """The rule with this id. Raises KeyError when there is none."""
        for rule in self.rules:
            if rule.id == rule_id:
                return rule
        raise KeyError(rule_id)

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
