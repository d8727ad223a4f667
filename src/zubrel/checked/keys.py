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


def mark(kind: str, subject: str) -> Key:
    """1 once a find is `taken`, a rule is `done`, an area is `visited`."""
    return (kind, subject)
