"""Where a place in a text stands: the keys above it, and what is being written there.

The text may be broken anywhere, since somebody is typing: it is read by its indent and its brackets
and never by a parser of YAML, which would tell nothing of a text that is not whole.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec import Struct, field

ITEM = ""
"""What stands for the dash of a list among keys."""
START, KEY, VALUE = "start", "key", "value"


class Cursor(Struct, frozen=True):
    """The `keys` above a place, `ITEM` for each list, and the `text` that stands before it.

    `role` is `KEY` in a mapping in braces, `VALUE` behind a colon or in a list in brackets, `START`
    at the beginning of a line, where a key or a value may come. `beside` are the keys that the
    mapping has before the place. `column` (from 0) is where `text` begins.
    """

    keys: tuple[str, ...]
    role: str
    text: str
    column: int
    beside: frozenset[str]
    quoted: bool = False
    """It stands in quotes, which `text` is without."""


class _OpenCollection(Struct):
    """A collection that is still open: in braces or brackets, or by its `indent`."""

    sign: str
    """One of `{`, `[`, `-` and `:` (a list and a mapping by indent)."""
    indent: int
    key: str | None = None
    keys: list[str] = field(default_factory=list)

    def name(self, key: str) -> None:
        self.key = key
        self.keys.append(key)


_KEY = re.compile(r"""("[^"]*"|'[^']*'|[^\s\[\]{},"'#&*!|>%@`-][^#]*?)\s*:(?=\s|$)""")
_BLOCK = re.compile(r"[|>][-+0-9]*\s*(#.*)?$")
_TOP = re.compile(r"[^\s#-]")


def cursor_at(lines: Sequence[str], line: int, column: int) -> Cursor:
    """Where a place stands; `line` and `column` count from 0."""
    reading = _Reading()
    first = line
    # nothing above a key in the first column has a say in what is below it
    while first > 0 and not (_TOP.match(lines[first]) and _KEY.match(lines[first])):
        first -= 1
    for number in range(first, line):
        reading.line(lines[number])
    here = lines[line] if line < len(lines) else ""
    return reading.last(here[:column])


class _Reading:
    """Lines one after the other, and what is open behind each of them."""

    def __init__(self) -> None:
        self.frames: list[_OpenCollection] = []
        self.block: int | None = None
        """The indent of the key whose text goes on for all lines that stand farther right."""
        self.quote = ""
        self.token = 0
        """Where the word or text begins that is being read in brackets."""
        self.closed: list[str] = []
        """The keys before it of a mapping that a line goes on with."""

    def line(self, line: str) -> None:
        """A whole line."""
        if not self._is_text(line):
            self._read(line.rstrip())

    def last(self, line: str) -> Cursor:
        """The line of the place, up to it."""
        # in a text of several lines nothing is a key, whatever it looks like
        if self._is_text(line) and line.strip():
            return Cursor(self._keys(), VALUE, line.lstrip(), _indent(line), frozenset())
        self.block = None
        # brackets go on across lines, and indent means nothing in them
        inside = self._in_flow()
        if inside:
            self.token = 0
            self._flow(line, 0)
            return self._in_brackets(line)
        indent, behind = self._openings(line)
        content = line[behind:]
        key = _KEY.match(content)
        if key is None:
            role = START
            self._flow_begins(content, behind)
            if self._in_flow():
                return self._in_brackets(line)
            text, at = content, behind
        else:
            self._name(behind, _unquoted(key[1]))
            at = behind + key.end()
            at += len(line[at:]) - len(line[at:].lstrip())
            role, text = VALUE, line[at:]
            self._flow_begins(text, at)
            if self._in_flow():
                return self._in_brackets(line)
            return self._cursor(self._keys(), role, text, at, ())
        # behind a dash a mapping of its own begins
        beside = self._beside(indent if behind == indent else behind)
        return self._cursor(self._keys(), role, text, at, beside)

    def _cursor(
        self, keys: tuple[str, ...], role: str, text: str, at: int, beside: Sequence[str]
    ) -> Cursor:
        """With the text cut at a comment, and without the quote that it begins with."""
        if text[:1] in ("'", '"'):
            return Cursor(keys, role, text[1:], at + 1, frozenset(beside), True)
        return Cursor(keys, role, text, at, frozenset(beside))

    def _in_brackets(self, line: str) -> Cursor:
        top = self.frames[-1]
        at = self.token
        at += len(line[at:]) - len(line[at:].lstrip())
        # behind a comma in braces a key comes, behind its colon a value
        role = KEY if top.sign == "{" and top.key is None else VALUE
        beside = top.keys if role == KEY else ()
        return self._cursor(self._keys(), role, line[at:], at, beside)

    def _keys(self) -> tuple[str, ...]:
        keys = [ITEM if f.sign in "[-" else f.key for f in self.frames]
        return tuple(key for key in keys if key is not None)

    def _beside(self, indent: int) -> list[str]:
        """The keys of the mapping that a line at an indent goes on with."""
        top = self.frames[-1] if self.frames else None
        # a line that has just closed a mapping goes on with it
        return self.closed if top is None or top.indent < indent else top.keys

    def _is_text(self, line: str) -> bool:
        """Whether a line belongs to a text of several lines."""
        if self.block is None:
            return False
        # empty lines belong to a text, however little they are indented
        if not line.strip() or _indent(line) > self.block:
            return True
        self.block = None
        return False

    def _read(self, line: str) -> None:
        if self._in_flow():
            self._flow(line, 0)
            return
        # empty lines and comments end nothing
        if not line.strip() or line.lstrip().startswith("#"):
            return
        _, behind = self._openings(line)
        content = line[behind:]
        key = _KEY.match(content)
        if key is None:
            self._flow_begins(content, behind)
            return
        self._name(behind, _unquoted(key[1]))
        value = content[key.end() :]
        # a text over several lines: what is indented deeper belongs to it
        if _BLOCK.match(value.strip()):
            self.block = behind
        self._flow_begins(value.lstrip(), 0)

    def _openings(self, line: str) -> tuple[int, int]:
        """The indent of a line, and where its content begins behind the dashes of lists."""
        indent = behind = _indent(line)
        dash = line[behind : behind + 2] in ("- ", "-")
        self._close(indent, dash)
        # several dashes in one line open a list each
        while line[behind : behind + 2] in ("- ", "-"):
            top = self.frames[-1] if self.frames else None
            if top is None or top.sign != "-" or top.indent != behind:
                self.frames.append(_OpenCollection("-", behind))
            follows = line[behind + 1 :]
            behind += 1 + len(follows) - len(follows.lstrip())
            self.closed = []
        return indent, behind

    def _close(self, indent: int, dash: bool) -> None:
        """End what a line at an indent does not go on with."""
        self.closed = []
        while self.frames:
            top = self.frames[-1]
            # the next item of the same list
            if top.sign == "-" and top.indent == indent and dash:
                break
            # the next key of the same mapping: its keys are those beside the new one
            if top.sign == ":" and top.indent == indent:
                if not dash:
                    self.closed = top.keys
                    self.frames.pop()
                break
            if top.indent < indent:
                break
            self.frames.pop()

    def _name(self, indent: int, key: str) -> None:
        frame = _OpenCollection(":", indent, keys=list(self.closed))
        frame.name(key)
        self.frames.append(frame)

    def _in_flow(self) -> bool:
        return bool(self.frames) and self.frames[-1].sign in "{["

    def _flow_begins(self, text: str, offset: int) -> None:
        if text[:1] in ("{", "["):
            self.quote = ""
            self._flow(" " * offset + text, offset)

    def _flow(self, line: str, begin: int) -> None:
        """Signs of a list or mapping in brackets, to the end of a line or of the brackets."""
        self.token = begin
        at = begin
        while at < len(line):
            sign = line[at]
            if self.quote:
                if sign == self.quote:
                    self.quote = ""
            # a quote in the midst of a word is part of it
            elif sign in "'\"" and not line[self.token : at].strip():
                self.quote = sign
            # a comment needs a blank before it: colours and ids may have the sign
            elif sign == "#" and (at == 0 or line[at - 1] == " "):
                # nothing of a comment is a word
                self.token = len(line)
                return
            elif sign in "{[":
                self.frames.append(_OpenCollection(sign, at))
                self.token = at + 1
            elif sign in "}]":
                self.frames.pop()
                self.token = at + 1
                if not self._in_flow():
                    return
            elif sign == ",":
                self.frames[-1].key = None
                self.token = at + 1
            elif sign == ":" and self.frames[-1].sign == "{" and line[at + 1 : at + 2] in (" ", ""):
                self.frames[-1].name(_unquoted(line[self.token : at].strip()))
                self.token = at + 1
            at += 1


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip(" "))


def _unquoted(word: str) -> str:
    return word[1:-1] if len(word) > 1 and word[0] in "'\"" and word[-1] == word[0] else word
