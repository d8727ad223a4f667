"""The names of the parts of a situation: one key for each thing that can differ.

The interpreter and the compiled system share nothing but these names, so that a situation of
one can be compared with a situation of the other.
"""

from __future__ import annotations

Key = tuple[str, str]
Value = int | str

PLACE: Key = ("place", "")
ENDING: Key = ("ending", "")
UNENDED = ""
NOWHERE = ""
UNDEALT = ""
"""The place of a player whose play has not been dealt yet."""


def held(item: str) -> Key:
    """How many of an item are held."""
    return ("held", item)


def lock_open(lock: str) -> Key:
    """1 while a lock is open."""
    return ("open", lock)


def fact(fact_id: str) -> Key:
    """The number of a fact's value."""
    return ("fact", fact_id)


def meter(meter_id: str) -> Key:
    """The value of a meter."""
    return ("meter", meter_id)


def quest(quest_id: str) -> Key:
    """The number of a quest's state in `QUEST_STATES`."""
    return ("quest", quest_id)


def goal(quest_id: str, number: int) -> Key:
    """How far a goal has come that remembers it; 0 once its quest has ended."""
    return ("goal", f"{quest_id} {number}")


def beaten(foe: str) -> Key:
    """How many of a foe are beaten (a returning one: 1 once it ever was)."""
    return ("beaten", foe)


def hit(foe: str) -> Key:
    """How much of the health of the foe that is fought is hit off."""
    return ("hit", foe)


def stock(shop: str, item: str) -> Key:
    """How many of a limited ware are left."""
    return ("stock", f"{shop} {item}")


def stored(store: str, item: str) -> Key:
    """How many of an item lie in a store."""
    return ("stored", f"{store} {item}")


def lies(item: str) -> Key:
    """The area where an item has been put down, or `NOWHERE`."""
    return ("lies", item)


def dealt(item: str) -> Key:
    """The area where an item lies that is dealt; `NOWHERE` before that, and once it is taken."""
    return ("dealt", item)


def mark(kind: str, subject: str) -> Key:
    """1 once a find is `taken`, a rule is `done`, an area is `visited`, a person is `met`."""
    return (kind, subject)
