"""Where something stands in a file."""

from __future__ import annotations

import re

from msgspec import Struct

from zubrel.base.plain import plain

_OF_TABLES = re.compile("\r\n|\n|\r")
BREAKS = re.compile("\r\n|[\n\r\x85\u2028\u2029]")
"""Where YAML 1.1 breaks lines."""


class Source(Struct, frozen=True, eq=False):
    """One text file, as given by the user (`path`) with its lines for excerpts."""

    path: str
    lines: tuple[str, ...]

    @staticmethod
    def of(path: str, text: str) -> Source:
        """The source of a text: a table breaks lines at line ends only, YAML 1.1 at more signs."""
        breaks = _OF_TABLES if path.lower().endswith(".csv") else BREAKS
        return Source(path, tuple(breaks.split(text)))

    def line(self, number: int) -> str:
        """The text of line `number` (from 1), or nothing past the end."""
        return self.lines[number - 1] if 0 < number <= len(self.lines) else ""


class Span(Struct, frozen=True):
    """A stretch of one line: `line` and `column` count from 1, `width` in characters."""

    source: Source
    line: int
    column: int
    width: int = 1

    @property
    def place(self) -> str:
        """`file:line:column`, the form that editors make clickable."""
        return f"{plain(self.source.path)}:{self.line}:{self.column}"

    def part(self, offset: int, width: int) -> Span:
        """The stretch that begins `offset` characters into this one."""
        return Span(self.source, self.line, self.column + offset, max(1, width))

    def order(self) -> tuple[str, int, int]:
        """Sort key: by file, then by position."""
        return (self.source.path, self.line, self.column)
