"""What differs in a variant: paths into the files of a world, and what is to stand there."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase

from msgspec import Struct

from zubrel.authored.document import document_of
from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping as MappingNode
from zubrel.authored.nodes import Node, Scalar
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.source import Source, Span
from zubrel.base.spelling import suggestion
from zubrel.mended.edits import Edit, NodePlace, Page, places
from zubrel.mended.files import Files

MOST_VALUES = 1_000
"""Values that one range may have."""
_RANGE = re.compile(r"(-?[0-9]{1,7})\.\.(-?[0-9]{1,7})\Z")
_STEP = re.compile(r"[a-z0-9_*?]+\Z")


class PathSetting(Struct, frozen=True):
    """At a path, keys and numbers in lists one below the other, stands this YAML; None: nothing."""

    path: tuple[str, ...]
    value: str | None

    @property
    def words(self) -> str:
        """As one would write it: `items.crowbar.uses=3`, or `without locks.hatch`."""
        path = ".".join(self.path)
        return f"without {path}" if self.value is None else f"{path}={self.value}"


def asked_span(option: str, text: str) -> Span:
    """The place of what an option was given."""
    return Span(Source.of(option, text), 1, 1, max(1, len(text)))


def refused(
    message: str, span: Span, hint: str | None = None, code: str = "bad-value"
) -> InvalidInput:
    """What is to be raised where a variant cannot be made."""
    return InvalidInput([Diagnostic(code, message, span, hint)])


def path_of(text: str, span: Span) -> tuple[str, ...]:
    """The steps of a path such as `shops.stall.sells.wick` or `areas.*.finds`.

    Raises `InvalidInput`.
    """
    steps = tuple(text.strip().split("."))
    if not all(_STEP.match(step) for step in steps):
        hint = "Write keys with dots between them: items.crowbar.uses, or areas.*.finds"
        raise refused(f'"{text}" is no path into a world', span, hint)
    return steps


def values_of(text: str, span: Span) -> list[str]:
    """`1..4`, or values with commas between them; commas in brackets and quotes are none.

    Raises `InvalidInput`.
    """
    if match := _RANGE.match(text.strip()):
        low, high = int(match[1]), int(match[2])
        if not low <= high < low + MOST_VALUES:
            message = f'"{text.strip()}" is no range of up to {MOST_VALUES:,} values'
            raise refused(message, span, "Write the smaller number first: 1..4")
        return [str(number) for number in range(low, high + 1)]
    # a comma behind the last value ends it like all others
    values, depth, quote, begin = list[str](), 0, "", 0
    # values are YAML: commas in brackets and quotes are part of them
    for place, sign in enumerate(f"{text},"):
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        elif sign in "[{(":
            depth += 1
        elif sign in "]})":
            depth -= 1
        elif sign == "," and not depth:
            values.append(text[begin:place].strip())
            begin = place + 1
    if not all(values) or quote or depth or "\n" in text:
        raise refused(f'"{text}" is no list of values', span, "For example: 1..4 or 1,2,3")
    return list(dict.fromkeys(values))


class Texts:
    """The files of a world, by their paths, and the nodes that they are made of."""

    def __init__(self, files: Files) -> None:
        self.files = files
        document = files.document()
        self.title = document.title or files.main
        self.pages = {path: Page(path, text) for path, text in files.texts.items()}
        every = (place for root in document.roots for place in places(root))
        # tables are edited by whatever program wrote them
        self.places = [p for p in every if _is_edited(p.node.span.source.path)]
        self.by_path: dict[tuple[str, ...], NodePlace] = {}
        for place in self.places:
            self.by_path.setdefault(place.path, place)

    def matching(self, pattern: Sequence[str]) -> Iterator[NodePlace]:
        """The places whose path fits a pattern, in the order of the files."""
        for place in self.places:
            if len(place.path) == len(pattern) and all(map(fnmatchcase, place.path, pattern)):
                yield place

    def changed(self, settings: Sequence[PathSetting], span: Span) -> Files:
        """The files with everything set. Raises `InvalidInput` where something cannot be."""
        edits = [self._edit(setting, span) for setting in settings]
        try:
            return self.files.changed(edits)
        except ValueError:
            words = " and ".join(setting.words for setting in settings)
            raise refused(f"these change the same lines: {words}", span) from None

    def _edit(self, setting: PathSetting, span: Span) -> Edit:
        # a path that is not there may still be added to what is
        place = self.by_path.get(setting.path)
        if place is None:
            return self._added(setting, span)
        page = self.pages[place.node.span.source.path]
        edit = page.without(place)
        if setting.value is not None:
            end = page.end(place.node)
            begin = page.begin(place.node.span)
            edit = None if end is None else page.edit(begin, end, setting.value)
        if edit is None:
            raise refused(f"{'.'.join(setting.path)} cannot be changed as it is written", span)
        return edit

    def _added(self, setting: PathSetting, span: Span) -> Edit:
        """A key that is not there yet, of something that is."""
        above = self.by_path.get(setting.path[:-1])
        if above is None or setting.value is None:
            self._unknown(setting.path, span)
        assert above is not None
        node: Node = above.node
        page = self.pages[node.span.source.path]
        edit = None
        if isinstance(node, MappingNode):
            edit = page.with_key(node, setting.path[-1], setting.value or "")
        elif isinstance(node, Scalar) and len(setting.path) == 3 and not node.empty:
            # a lone name is short for a mapping with one
            name = page.text[page.begin(node.span) : page.end(node) or 0]
            edit = page.replaced(
                node.span, f"{{name: {name}, {setting.path[-1]}: {setting.value}}}"
            )
        if edit is None:
            raise refused(f"{'.'.join(setting.path)} cannot be added as it is written", span)
        return edit

    def _unknown(self, path: Sequence[str], span: Span) -> None:
        known = len(path)
        while known and tuple(path[:known]) not in self.by_path:
            known -= 1
        here = ".".join(path[:known]) or "the world"
        beside = [p.path[-1] for p in self.places if p.path[:-1] == tuple(path[:known])]
        hint = suggestion(path[known], beside) or f"There is: {', '.join(beside[:12])}."
        raise refused(f'there is no "{path[known]}" in {here}', span, hint, "unknown-id")


def _is_edited(path: str) -> bool:
    return not path.lower().endswith(".csv")


def read_whole(path: str) -> Files:
    """All files of a world, tables too: what a worker elsewhere has to know.

    Raises `InvalidInput` where one cannot be read.
    """
    source, text = read_source(path)
    texts = {path: text}
    for other in document_of(source, text).files[1:]:
        texts[other.path] = read_source(other.path)[1]
    return Files(path, texts)


def told_apart(paths: Mapping[str, str]) -> dict[str, str]:
    """Texts by their paths from the folder that all of them lie in: the same on every machine."""
    folder = os.path.commonpath([os.path.dirname(os.path.abspath(path)) for path in paths])
    return {os.path.relpath(os.path.abspath(path), folder): text for path, text in paths.items()}
