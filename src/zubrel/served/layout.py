"""Places of a text, as Zubrel counts them and as an editor does.

Zubrel counts code points in lines that YAML 1.1 breaks, an editor units of its encoding in lines
that end with carriage returns or line feeds. Both are offsets into the text in between.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable

from lsprotocol import types as lsp

from zubrel.base.source import BREAKS, Span
from zubrel.mended.edits import Edit

_OF_EDITORS = re.compile("\r\n|\n|\r")
UNITS = {
    lsp.PositionEncodingKind.Utf8: "utf-8",
    lsp.PositionEncodingKind.Utf16: "utf-16-le",
    lsp.PositionEncodingKind.Utf32: "utf-32-le",
}
_BYTES = {"utf-8": 1, "utf-16-le": 2, "utf-32-le": 4}


class TextLayout:
    """A `text`, and the units that an editor counts in."""

    def __init__(self, text: str, encoding: str) -> None:
        self.text = text
        self._codec = UNITS[lsp.PositionEncodingKind(encoding)]
        self._lines = [0, *(m.end() for m in _OF_EDITORS.finditer(text))]
        self._starts = [0, *(m.end() for m in BREAKS.finditer(text))]
        self._ascii = text.isascii()

    def _units(self, text: str) -> int:
        if self._ascii:
            return len(text)
        return len(text.encode(self._codec, "surrogatepass")) // _BYTES[self._codec]

    def offset(self, position: lsp.Position) -> int:
        """How many code points stand before a position; past its line or the text, their ends."""
        if position.line >= len(self._lines):
            return len(self.text)
        begin = self._lines[position.line]
        end = self._lines[position.line + 1] if position.line + 1 < len(self._lines) else None
        line = self.text[begin:end].rstrip("\r\n")
        if self._ascii:
            return begin + min(position.character, len(line))
        units = 0
        for number, char in enumerate(line):
            if units >= position.character:
                return begin + number
            units += self._units(char)
        return begin + len(line)

    def position(self, offset: int) -> lsp.Position:
        """The position of an offset."""
        line = bisect_right(self._lines, offset) - 1
        return lsp.Position(line, self._units(self.text[self._lines[line] : offset]))

    def range(self, begin: int, end: int) -> lsp.Range:
        """What lies between two offsets."""
        return lsp.Range(self.position(begin), self.position(end))

    def begin(self, span: Span) -> int:
        """The offset of a span; the end of the text for one that lies behind it."""
        if span.line > len(self._starts):
            return len(self.text)
        return min(len(self.text), self._starts[span.line - 1] + span.column - 1)

    def end_of_line(self, line: int) -> int:
        """The offset at which a line, as spans count them, ends."""
        if line >= len(self._starts):
            return len(self.text)
        end = self._starts[line]
        return end - (2 if self.text[end - 2 : end] == "\r\n" else 1)

    def of_span(self, span: Span) -> lsp.Range:
        """The range of a span."""
        begin = self.begin(span)
        return self.range(begin, min(len(self.text), begin + span.width))

    def place(self, position: lsp.Position) -> tuple[int, int]:
        """Line and column of a position as spans have them, from 1."""
        offset = self.offset(position)
        line = bisect_right(self._starts, offset)
        return line, offset - self._starts[line - 1] + 1

    def edits(self, edits: Iterable[Edit]) -> list[lsp.TextEdit]:
        """Edits of this text as an editor makes them."""
        return [lsp.TextEdit(self.range(e.begin, e.end), e.text) for e in sorted(edits)]

    def changed(self, change: lsp.TextDocumentContentChangeEvent) -> str:
        """The text after a change that an editor tells of."""
        if isinstance(change, lsp.TextDocumentContentChangePartial):
            begin, end = self.offset(change.range.start), self.offset(change.range.end)
            return self.text[:begin] + change.text + self.text[max(begin, end) :]
        return change.text
