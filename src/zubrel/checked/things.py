"""What the sections of a world hold, once every name in them means something."""

from __future__ import annotations

from msgspec import Struct

from zubrel.base.source import Span
from zubrel.checked.conditions import Cond
from zubrel.checked.effects import Effect


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
    says: tuple[Said, ...] = ()


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
    bad: bool = False


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
    group: int = 0
    """Which of the quest's groups it belongs to."""


class GoalGroup(Struct, frozen=True):
    """At least `count` of the goals with these numbers; a goal that stands alone is one of one."""

    count: int
    numbers: tuple[int, ...]


class Quest(Thing, frozen=True):
    """`from_id` and `hand_in` are a person or an area, or None; `from_id` also an item or lock.

    `groups` are in the order of the file; met in turn, one counts when all before it are met.
    """

    starts_active: bool
    in_turn: bool
    from_id: str | None
    hand_in: str | None
    needs: Cond
    goals: tuple[Goal, ...]
    groups: tuple[GoalGroup, ...]
    fails_when: Cond | None
    reward: tuple[Effect, ...]

    @property
    def completes_itself(self) -> bool:
        """Done by itself as soon as all goals are met."""
        return self.hand_in is None and bool(self.goals)

    def earlier(self, goal: Goal) -> tuple[GoalGroup, ...]:
        """What must be met before a goal counts."""
        return self.groups[: goal.group] if self.in_turn else ()


class Foe(Thing, frozen=True):
    count: int
    returns: bool
    health: int = 1


class Ware(Struct, frozen=True):
    """One item in a shop; `stock` None: any number."""

    item: str
    price: int
    stock: int | None
    span: Span


class Shop(Thing, frozen=True):
    """`areas` is where it can be (None: anywhere), open while `is_open` holds.

    `greets` is told beside the text of the area, `farewell` to whoever leaves it.
    """

    money: str
    sells: tuple[Ware, ...]
    buys: tuple[Ware, ...]
    areas: tuple[str, ...] | None
    is_open: Cond
    greets: tuple[Said, ...]
    farewell: tuple[Said, ...]


class Store(Thing, frozen=True):
    """`limit` is of all together, None: of each item what can be held of it."""

    keeps: tuple[str, ...]
    limit: int | None


class Carry(Struct, frozen=True):
    """At most `limit` of the items can be held together; a tool counts as one."""

    limit: int
    items: tuple[str, ...]
    span: Span


class Deal(Struct, frozen=True):
    """Each play begins with these items lying in some of these areas, all ways alike likely.

    At most `per_place` of them in one area; each is found there, once.
    """

    items: tuple[str, ...]
    areas: tuple[str, ...]
    per_place: int
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
