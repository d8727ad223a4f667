"""YAML text as a tree of nodes that remember where they stand.

The tree is built from libyaml's events without recursion, so that neither deep nesting nor
aliases that multiply can hurt. What a scalar means is decided later, field by field.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import yaml
from msgspec import Struct, field

from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.source import Source, Span

DEEPEST = 60
LARGEST = 2_000_000


class Scalar(Struct, eq=False):
    """A single value; `plain` when it stands without quotes."""

    span: Span
    text: str
    plain: bool
    size: int = 1

    @property
    def empty(self) -> bool:
        """YAML's null: nothing at all, `~` or `null` without quotes."""
        return self.plain and self.text in ("", "~", "null", "Null", "NULL")


class Sequence(Struct, eq=False):
    """A list of nodes."""

    span: Span
    items: list[Node] = field(default_factory=list)
    size: int = 1


class Mapping(Struct, eq=False):
    """Keys and values in the order of the file; no key twice."""

    span: Span
    entries: list[tuple[Scalar, Node]] = field(default_factory=list)
    size: int = 1

    def get(self, key: str) -> Node | None:
        for scalar, value in self.entries:
            if scalar.text == key:
                return value
        return None


Node = Scalar | Sequence | Mapping


def compose(source: Source, text: str, problems: list[Diagnostic]) -> Node | None:
    """The one document in `text`, or None when there is nothing in it.

    Duplicate keys and tags are added to `problems`. Raises `InvalidInput` for text that is no
    YAML, more than one document, nesting deeper than `DEEPEST`, and aliases that unfold to more
    than `LARGEST` nodes.
    """
    return _Composer(source, problems).compose(text)


# what the specification of YAML (1.2.2, chapter 5.1) does not let stand in a file
_NO_YAML = re.compile("[^\t\n\r\x20-\x7e\x85\xa0-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
# JSON writes what lies beyond U+FFFF as two escapes, which YAML does not know
_PAIR = re.compile(r"\\u(d[89ab][0-9a-f]{2})\\u(d[c-f][0-9a-f]{2})", re.IGNORECASE)


class _Mark(Struct, frozen=True):
    """A place in a text, from 0."""

    line: int
    column: int


def _is_tab(source: Source, mark: Any) -> bool:
    line = source.line(mark.line + 1)
    return "\t" in line[: mark.column + 1] and not line[: mark.column].strip()


def _joined(known: re.Match[str]) -> str:
    """Two escapes of a pair as the one that stands for the same character."""
    high, low = int(known[1], 16), int(known[2], 16)
    return f"\\U{0x10000 + ((high - 0xD800) << 10) + (low - 0xDC00):08x}"


class _Frame(Struct):
    """A collection still open: its node, its anchor, the key that waits for a value."""

    node: Sequence | Mapping
    anchor: str | None
    key: Scalar | None = None
    keys: dict[str, Scalar] = field(default_factory=dict)


class _Composer:
    def __init__(self, source: Source, problems: list[Diagnostic]) -> None:
        self.source = source
        self.problems = problems
        self.open: list[_Frame] = []
        self.anchors: dict[str, Node] = {}
        self.root: Node | None = None
        self.documents = 0

    def compose(self, text: str) -> Node | None:
        for event in self._events(text):
            self._take(event)
        return self.root

    def _events(self, text: str) -> Iterator[Any]:
        # the C library, where the package was built with it: it is much faster
        loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
        # JSON writes some characters as two escapes, which YAML does not know
        if text.lstrip().startswith("{"):
            text = _PAIR.sub(_joined, text)
        try:
            yield from yaml.parse(text, Loader=loader)
        except yaml.MarkedYAMLError as error:
            mark = error.problem_mark or error.context_mark
            if "nesting" in str(error.problem):
                self._stop("too-deep", f"nested deeper than {DEEPEST} levels", mark)
            hint = None
            if mark is not None and _is_tab(self.source, mark):
                self._stop(
                    "not-yaml",
                    "a tab cannot indent a line in YAML",
                    mark,
                    "Indent with blanks; most editors can turn tabs into them.",
                )
            if "mapping values are not allowed" in str(error.problem):
                hint = 'A text with ": " in it must stand in quotes; check the indent as well.'
            self._stop("not-yaml", f"this is no valid YAML: {error.problem}", mark, hint)
        except yaml.YAMLError as error:
            # this fault has no mark of its own
            events = _NO_YAML.search(text)
            if events is None:
                words = str(error).splitlines()[0]
                self._stop("not-yaml", f"this is no valid YAML: {words}", None)
            else:
                at = _Mark(
                    text.count("\n", 0, events.start()),
                    events.start() - (text.rfind("\n", 0, events.start()) + 1),
                )
                self._stop(
                    "not-yaml",
                    f"a control character (U+{ord(events[0]):04X}) stands here",
                    at,
                    "Remove it; your editor can show characters that are not seen.",
                )

    def _take(self, event: Any) -> None:
        # events come flat: collections are open until their end comes
        match event:
            case yaml.ScalarEvent():
                # in quotes a word is text, even where it looks like a number
                plain = bool(event.implicit[0]) and not event.style
                self._check_tag(event)
                node = Scalar(self._span(event), event.value, plain)
                self._place(node, event.anchor)
            case yaml.MappingStartEvent():
                self._begin(Mapping(self._span(event)), event)
            case yaml.SequenceStartEvent():
                self._begin(Sequence(self._span(event)), event)
            case yaml.MappingEndEvent() | yaml.SequenceEndEvent():
                frame = self.open.pop()
                self._place(frame.node, frame.anchor)
            case yaml.AliasEvent():
                self._alias(event)
            case yaml.DocumentStartEvent():
                self.documents += 1
                if self.documents > 1:
                    self._stop(
                        "several-documents",
                        "a second YAML document begins here",
                        event.start_mark,
                        "One file holds one world: put other parts into files of their own.",
                    )

    def _begin(self, node: Sequence | Mapping, event: Any) -> None:
        if len(self.open) >= DEEPEST:
            self._stop("too-deep", f"nested deeper than {DEEPEST} levels", event.start_mark)
        self._check_tag(event)
        self.open.append(_Frame(node, event.anchor))

    def _alias(self, event: Any) -> None:
        target = self.anchors.get(event.anchor)
        if target is None:
            message = f'"*{event.anchor}" stands for nothing that is complete before it'
            self._stop("bad-alias", message, event.start_mark)
            return
        self._place(target, None, event)

    def _place(self, node: Node, anchor: str | None, at: Any = None) -> None:
        """Put a finished node where it belongs: into the open collection, or as the root."""
        if anchor:
            self.anchors[anchor] = node
        # nothing is open: this is the whole document
        if not self.open:
            self.root = node
            return
        frame = self.open[-1]
        # aliases count with all that they unfold to, or a small file could become gigabytes
        frame.node.size += node.size
        if frame.node.size > LARGEST:
            mark = at.start_mark if at else None
            self._stop("too-large", f"this unfolds to more than {LARGEST:,} values", mark)
        if isinstance(frame.node, Sequence):
            frame.node.items.append(node)
        # in a mapping, keys and values take turns
        elif frame.key is None:
            frame.key = self._key(node)
        else:
            self._pair(frame, frame.key, node)

    def _key(self, node: Node) -> Scalar:
        if isinstance(node, Scalar):
            return node
        self.problems.append(
            Diagnostic(
                "wrong-shape",
                "a list or mapping cannot be a key",
                node.span,
                "A condition in a list must stand in quotes when it holds brackets or braces.",
            )
        )
        return Scalar(node.span, "", False)

    def _pair(self, frame: _Frame, key: Scalar, value: Node) -> None:
        frame.key = None
        assert isinstance(frame.node, Mapping)
        # of two values under one key nobody would know which counts
        earlier = frame.keys.get(key.text)
        if earlier is not None:
            self.problems.append(
                Diagnostic(
                    "duplicate-key",
                    f'"{key.text}" is given twice here',
                    key.span,
                    "Keep one of them, or give each an id of its own.",
                    (("it is already here", earlier.span),),
                )
            )
            return
        frame.keys[key.text] = key
        frame.node.entries.append((key, value))

    def _check_tag(self, event: Any) -> None:
        if event.tag and event.tag != "!":
            span = self._span(event)
            hint = "Remove the word that begins with an exclamation mark."
            self.problems.append(Diagnostic("tag", "YAML tags have no meaning here", span, hint))

    def _span(self, event: Any) -> Span:
        start, end = event.start_mark, event.end_mark
        width = end.column - start.column if end.line == start.line else 1
        return Span(self.source, start.line + 1, start.column + 1, max(1, width))

    def _stop(self, code: str, message: str, mark: Any, hint: str | None = None) -> None:
        span = (
            Span(self.source, mark.line + 1, mark.column + 1) if mark else Span(self.source, 1, 1)
        )
        raise InvalidInput([*self.problems, Diagnostic(code, message, span, hint)])
