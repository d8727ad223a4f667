"""Words of conditions that are no ids."""

from __future__ import annotations

STATES = (
    "open",
    "shut",
    "waiting",
    "active",
    "done",
    "failed",
    "visited",
    "beaten",
    "taken",
    "met",
    "here",
)
"""What a thing can be, behind “is”."""
BETWEEN = ("and", "or", "not", "any", "all", "of", "at", "is", "in", "lies", *STATES)
"""Those that stand between ids."""
WORDS = frozenset((*BETWEEN, "true", "false"))
