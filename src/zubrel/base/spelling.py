"""The nearest existing spelling of a word that does not exist."""

from __future__ import annotations

import re
from collections.abc import Iterable


def nearest(word: str, known: Iterable[str], cutoff: float = 0.7) -> str | None:
    """The known word most like `word`, or None when none is alike by `cutoff` (0 to 1).

    Deterministic: equally near words are told apart by the alphabet.
    """
    from difflib import get_close_matches  # loaded where a word is wrong

    close = get_close_matches(word, sorted(set(known)), n=1, cutoff=cutoff)
    return close[0] if close else None


def suggestion(word: str, known: Iterable[str]) -> str | None:
    """`Did you mean "…"?`, or None."""
    near = nearest(word, known)
    return f'Did you mean "{near}"?' if near else None


_OFFERED = re.compile(r'Did you mean "([^"]+)"\?')


def offered(hint: str | None) -> str | None:
    """The word that a hint made by `suggestion` offers."""
    match = _OFFERED.match(hint or "")
    return None if match is None else match[1]


def listing(words: Iterable[str], most: int = 12) -> str:
    """Words in a row for a message: `a, b, c` and how many more there are."""
    every = list(words)
    more = f", and {len(every) - most} more" if len(every) > most else ""
    return ", ".join(every[:most]) + more
