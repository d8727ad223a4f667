"""Changes to a text at places of its nodes: comments, order and layout stay as they are."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from itertools import pairwise

from msgspec import Struct

from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.nodes import Sequence as List
from zubrel.base.source import BREAKS, Span

_NAMING = ("id", "name", "label", "item", "count", "to", "at", "from", "price", "stock", "says")
"""Keys that authors write first: what is put into a mapping comes after them."""
_CLOSING = {"{": "}", "[": "]"}
_COMMENT = re.compile(r"[ \t]*(#.*)?$")


class Edit(Struct, frozen=True, order=True):
    """Of the file at `path`, the characters from `begin` up to `end` (from 0) become `text`."""

    path: str
    begin: int
    end: int
    text: str


def applied(text: str, edits: Sequence[Edit]) -> str:
    """The text of a file with some edits of it. Raises `ValueError` where two overlap."""
    ordered = sorted(edits)
    if any(a.end > b.begin for a, b in pairwise(ordered)):
        raise ValueError("edits overlap")
    # from the end on, so that the places of those that are left stay as they are
    for edit in reversed(ordered):
        text = text[: edit.begin] + edit.text + text[edit.end :]
    return text


def before_them(edit: Edit, edits: Sequence[Edit]) -> Edit | None:
    """An edit of a text in terms of the text before `edits` had been made; None where it changes
    what one of them has put there."""
    begin, end = edit.begin, edit.end
    shift = 0
    for other in sorted(e for e in edits if e.path == edit.path):
        first = other.begin + shift
        last = first + len(other.text)
        if edit.end <= first:
            break
        # what a first mend has written is not in the author's file: it cannot be told as an edit of
        # that
        if edit.begin < last:
            return None
        shift += len(other.text) - (other.end - other.begin)
        begin, end = edit.begin - shift, edit.end - shift
    return Edit(edit.path, begin, end, edit.text)


class NodePlace(Struct, frozen=True):
    """A node of a file, the key under which it stands (None: in a list), the keys above, and the
    place of the list or mapping that it stands in (None: the root)."""

    path: tuple[str, ...]
    key: Scalar | None
    node: Node
    above: NodePlace | None

    @property
    def span(self) -> Span:
        """Where it begins, its key included."""
        return self.node.span if self.key is None else self.key.span


def places(root: Mapping) -> Iterator[NodePlace]:
    """Every value of a file, those that stand in it directly first."""
    # without recursion: files nest as deep as their authors like
    waiting = [NodePlace((), None, root, None)]
    while waiting:
        above = waiting.pop()
        if isinstance(above.node, Mapping):
            below = [NodePlace((*above.path, k.text), k, v, above) for k, v in above.node.entries]
        elif isinstance(above.node, List):
            items = enumerate(above.node.items)
            below = [NodePlace((*above.path, str(n)), None, item, above) for n, item in items]
        else:
            continue
        yield from below
        # the last one is taken first: reversed, they come in the order of the file
        waiting.extend(reversed(below))


class Page:
    """The text of one file, and edits of it by the nodes that were read from it."""

    def __init__(self, path: str, text: str) -> None:
        self.path = path
        self.text = text
        self.starts = [0, *(m.end() for m in BREAKS.finditer(text))]

    def begin(self, span: Span) -> int:
        """Where a span begins."""
        return self.starts[span.line - 1] + span.column - 1

    def edit(self, begin: int, end: int, text: str) -> Edit:
        """What stands between two places is replaced."""
        return Edit(self.path, begin, end, text)

    def replaced(self, span: Span, text: str) -> Edit:
        """What stands at a span is replaced."""
        return self.edit(self.begin(span), self.begin(span) + span.width, text)

    def end(self, node: Node) -> int | None:
        """Where a node ends; None of a scalar of several lines, and of what ends with one."""
        begin = self.begin(node.span)
        if isinstance(node, Scalar):
            written = self.text[begin : begin + node.span.width]
            # an empty value has the width of what the reader has put there, not of what is written
            if node.empty and not written.strip("~nulNUL"):
                return begin + len(written.rstrip())
            # a text of several lines differs from what it was read as: its end would be a guess
            plain = written == node.text
            quoted = len(written) > 1 and written[0] == written[-1] and written[0] in "'\""
            return begin + node.span.width if plain or quoted else None
        if self._is_flow(node):
            return self._closing(begin)
        last = node.entries[-1][1] if isinstance(node, Mapping) else node.items[-1]
        return self.end(last)

    def _is_flow(self, node: Node) -> bool:
        """A list or mapping in brackets or braces."""
        begin = self.begin(node.span)
        return not isinstance(node, Scalar) and self.text[begin : begin + 1] in _CLOSING

    def _closing(self, begin: int) -> int | None:
        """Right behind the bracket that closes the one at `begin`."""
        depth, quote, at = 0, "", begin
        while at < len(self.text):
            sign = self.text[at]
            if quote:
                # in single quotes a quote is written twice, in double ones a backslash goes before
                # it
                doubled = sign == "'" == quote and self.text[at + 1 : at + 2] == "'"
                if doubled or (sign == "\\" and quote == '"'):
                    at += 1
                elif sign == quote:
                    quote = ""
            # an apostrophe within a word opens nothing
            elif sign in "'\"" and self.text[at - 1] in " [{,:\n":
                quote = sign
            elif sign == "#" and self.text[at - 1] in " \n":
                at = self.text.find("\n", at)
                if at < 0:
                    return None
            elif sign in "[{":
                depth += 1
            elif sign in "]}":
                depth -= 1
                if not depth:
                    return at + 1
            at += 1
        return None

    def written(self, node: Node) -> str | None:
        """A node as it stands in the file; None where it is not known where it ends."""
        end = self.end(node)
        return None if end is None else self.text[self.begin(node.span) : end]

    def with_key(self, body: Mapping, key: str, value: str) -> Edit | None:
        """A new key of a mapping, behind those that name it; None where it fits nowhere."""
        before = None
        for known, node in body.entries:
            # names stand first in most files, and stay there; what the rest is sorted by is the
            # author's business
            if known.text not in _NAMING or self.end(node) is None:
                break
            before = node
        if self._is_flow(body):
            begin = self.begin(body.span) + 1
            if before is not None:
                end = self.end(before)
                return None if end is None else self.edit(end, end, f", {key}: {value}")
            comma = ", " if body.entries else ""
            return self.edit(begin, begin, f"{key}: {value}{comma}")
        if not body.entries:
            return None
        indent = " " * (body.entries[0][0].span.column - 1)
        if before is None:
            begin = self.begin(body.entries[0][0].span)
            return self.edit(begin, begin, f"{key}: {value}\n{indent}")
        end = self.end(before)
        line_end = None if end is None else self._end_of_line(end)
        if line_end is None:
            return None
        return self.edit(line_end, line_end, f"\n{indent}{key}: {value}")

    def with_item(self, node: List, item: str, last: bool = False) -> Edit | None:
        """A new entry of a list that has some, before the others or behind them."""
        # an empty list has no entry to stand beside: its bracket is the only place
        if not node.items:
            begin = self.begin(node.span) + 1
            return self.edit(begin, begin, item) if self._is_flow(node) else None
        beside = node.items[-1 if last else 0]
        # beside another entry, so that indentation and dashes are copied and not guessed
        begin, end = self.begin(beside.span), self.end(beside)
        if self._is_flow(node):
            if last:
                return None if end is None else self.edit(end, end, f", {item}")
            return self.edit(begin, begin, f"{item}, ")
        line = self.text[self._line(begin) : begin]
        # an entry that shares its line with its list cannot have another line put before it
        if line.strip() != "-":
            return None
        if not last:
            return self.edit(begin, begin, f"{item}\n{line}")
        line_end = None if end is None else self._end_of_line(end)
        return None if line_end is None else self.edit(line_end, line_end, f"\n{line}{item}")

    def with_entry(self, root: Mapping, section: str, item: str) -> Edit | None:
        """A new entry of a list in a section of a file, before the others; the section is put at
        the end where the file has none."""
        known = root.get(section)
        if known is None and not self._is_flow(root):
            end = "" if self.text.endswith("\n") else "\n"
            at = len(self.text)
            return self.edit(at, at, f"{end}{section}:\n  - {item}\n")
        return self.with_item(known, item) if isinstance(known, List) else None

    def without(self, place: NodePlace) -> Edit | None:
        """The value, its key or its dash are gone, and what holds nothing else; None where it is
        not known where it ends."""
        above = place.above
        if above is None or isinstance(above.node, Scalar):
            return None
        if isinstance(above.node, Mapping):
            # nothing at all where a mapping was would be read as no value
            if len(above.node.entries) == 1:
                return self._emptied(above)
        # a list of nothing is no list: its key goes with its last entry
        elif len(above.node.items) == 1:
            return self.without(above)
        begin, end = self.begin(place.span), self.end(place.node)
        if end is None:
            return None
        # inside of brackets a comma goes with the value, and outside a line
        if self._is_flow(above.node):
            return self._without_in_flow(begin, end)
        return self._without_lines(begin, end)

    def _emptied(self, place: NodePlace) -> Edit | None:
        """A mapping that holds nothing any more."""
        end = self.end(place.node)
        if end is not None and self._is_flow(place.node):
            return self.edit(self.begin(place.node.span) + 1, end - 1, "")
        # an entry of a list has no key that could stay
        if place.key is None or end is None:
            return None
        key = self.end(place.key)
        # the key stays, since something may ask for it
        colon = None if key is None else self.text.find(":", key)
        return None if colon is None else self.edit(colon + 1, end, " {}")

    def _without_in_flow(self, begin: int, end: int) -> Edit | None:
        behind = re.compile(r"\s*,\s*").match(self.text, end)
        if behind:
            return self.edit(begin, behind.end(), "")
        # the last of several has its comma before it
        before = re.compile(r"\s*,\s*$").search(self.text, 0, begin)
        return None if before is None else self.edit(before.start(), end, "")

    def _without_lines(self, begin: int, end: int) -> Edit | None:
        """The lines from `begin` to `end`, where nothing else stands in them."""
        first, last = self._line(begin), self._end_of_line(end)
        if last is None:
            return None
        if self.text[first:begin].strip() not in ("", "-"):
            return None
        return self.edit(first, self._next_line(last), "")

    def _line(self, at: int) -> int:
        """Where the line begins that a place stands in."""
        return self.starts[bisect_right(self.starts, at) - 1]

    def _next_line(self, at: int) -> int:
        """Where the line after the one begins that a place stands in."""
        number = bisect_right(self.starts, at)
        return self.starts[number] if number < len(self.starts) else len(self.text)

    def _end_of_line(self, at: int) -> int | None:
        """The end of the line that a place stands in, where nothing but a comment follows it."""
        line = self.text[at : self._next_line(at)]
        text = line.rstrip("\r\n\x85\u2028\u2029")
        return at + len(text) if _COMMENT.fullmatch(text) else None
