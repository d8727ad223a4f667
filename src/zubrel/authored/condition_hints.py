"""What may have been meant where a text is no condition."""

from __future__ import annotations

import re

from zubrel.authored.condition_words import BETWEEN
from zubrel.base.spelling import nearest

WORD = re.compile(r"[A-Za-z0-9_]+")
_IS_VALUE = re.compile(r"\b([a-z][a-z0-9_]*)\s+is\s+(not\s+)?([A-Za-z0-9_]+)")


def hint_at(text: str, position: int) -> str:
    """How to write what breaks off at a place, or what conditions look like."""
    if text.count("(") != text.count(")"):
        return (
            "The brackets do not match: every ( needs its ). In a [list], a condition with a comma "
            'must stand in quotes: ["any of (a, b)", c]'
        )
    # who writes these comes from a programming language, and will write more of them
    if "==" in text or "&&" in text or "||" in text or "!" in text.replace("!=", ""):
        return 'Write "=", "and", "or", "not".'
    examples = '"brass_token", "3 lamp_oil", "coin >= 5 and not lamp_lit", "tide = low"'
    return _better(text, position) or f"For example: {examples}."


def _better(text: str, position: int) -> str | None:
    """What may have been meant at a place where a condition breaks off."""
    for farther in _IS_VALUE.finditer(text):
        if farther.start(3) == position:
            return f'Write "{farther[1]} {"!=" if farther[2] else "="} {farther[3]}" for a fact.'
    word = WORD.match(text, position)
    if word is not None and (near := nearest(word[0].lower(), BETWEEN)):
        return f'Did you mean "{near}"?'
    return None
