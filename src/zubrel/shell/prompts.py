"""What is said and understood at the prompt of `play`."""

from __future__ import annotations

GROUPS = {
    "way": "go",
    "find": "take",
    "pick_up": "take",
    "fetch": "take",
    "lock": "use",
    "deed": "use",
    "put": "use",
    "drop": "use",
    "talk": "talk",
    "recipe": "craft",
    "buy": "trade",
    "sell": "trade",
    "accept": "quest",
    "deliver": "quest",
    "hand_in": "quest",
    "foe": "fight",
}
ORDER = ("go", "take", "use", "talk", "craft", "trade", "quest", "fight")
HELP = """\
  NUMBER or RULE   do it (RULE: 2 for the second outcome)
  why MOVE         what is missing for it, and why it can never be where that is so
  why              why no win is left, once that is so
  undo, redo       one move back, one forward again
  look, held, quests
  hint             the next move of a shortest win from here
  goto LINE        go to a line of the walk so far (0: the start)
  ids              every rule of the world by its id, with what stands in its way here
  save FILE        the walk as a script for "zubrel rehearse"
  quit             (or q, or exit)"""
LEAVING = ("quit", "q", "exit")


def is_number(text: str) -> bool:
    """Whether a text is a number that somebody may have meant: at most six digits of ASCII."""
    return text.isascii() and text.isdigit() and len(text) <= 6
