"""Texts of strangers, made safe to show: nothing in them can steer a terminal or break a file."""

from __future__ import annotations

import re

# Controls of ASCII but line ends and tabs, those of ISO 6429, what turns the direction of writing
# (UAX 9), line and paragraph separators, surrogates, and what is no character at all
_STEERING = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069"
    "\ud800-\udfff\ufeff\ufffe\uffff]"
)


def plain(text: str) -> str:
    """The text with every character that steers where it is shown replaced by one that is seen.

    Controls become their pictures (U+2400 and following), everything else U+FFFD.
    """
    return _STEERING.sub(_picture, text)


def one_line(text: str) -> str:
    """As `plain`, with every stretch of white space as one blank."""
    return plain(" ".join(text.split()))


def _picture(known: re.Match[str]) -> str:
    code = ord(known[0])
    if code < 0x20:
        return chr(0x2400 + code)
    return "\u2421" if code == 0x7F else "\ufffd"


def readable(text: str) -> str:
    """For encodings that lack our signs: each of them as letters that every encoding has."""
    return "".join(SIGNS.get(char, "?") for char in text)


SIGNS = {
    "“": '"',
    "”": '"',
    "‘": "'",
    "’": "'",
    "–": "-",
    "—": "-",
    "−": "-",
    "…": "...",
    "→": "->",
    "←": "<-",
    "×": "x",
    "·": "*",
    "✓": "ok",
    "\u00a0": " ",
    "ä": "a",
    "ö": "o",
    "ü": "u",
    "ß": "ss",
    "é": "e",
    "è": "e",
    "à": "a",
    "ç": "c",
}
