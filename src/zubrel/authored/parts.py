"""All files of one world, read and put together as nodes: includes and tables."""

from __future__ import annotations

import os
from collections.abc import Mapping as Mapping_

from msgspec import Struct, field

from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence, compose
from zubrel.authored.tables import IN_AREAS, Row, rows_of
from zubrel.base.diagnostics import InvalidInput, Problems
from zubrel.base.plain import plain
from zubrel.base.source import Source, Span
from zubrel.base.spelling import listing

MOST_FILES, LONGEST_CHAIN = 1_000, 50
KINDS = (".yaml", ".yml", ".json", ".csv")


class Parts(Struct):
    """The files in the order in which they were read, and what each of them says."""

    sources: list[Source] = field(default_factory=list)
    roots: list[Mapping] = field(default_factory=list)


def gather(
    source: Source, text: str, problems: Problems, texts: Mapping_[str, str] | None = None
) -> Parts:
    """The world whose main file is `source`, with all that it includes.

    `texts`, by paths, are read instead of what those files say. Raises `InvalidInput` when the main
    file holds no world at all.
    """
    parts = Parts()
    _Gatherer(parts, problems, texts or {}).main(source, text)
    return parts


def _home_of(path: str) -> str:
    """The folder that what a world includes must lie in: its own, or that of its repository."""
    folder = os.path.dirname(os.path.realpath(path))
    above = folder
    while True:
        if os.path.exists(os.path.join(above, ".git")):
            return above
        parent = os.path.dirname(above)
        if parent == above:
            return folder
        above = parent


class _Gatherer:
    def __init__(self, parts: Parts, problems: Problems, texts: Mapping_[str, str]) -> None:
        self.parts = parts
        self.texts = texts
        self.problems = problems
        self.rows: list[Row] = []
        self.open: list[str] = []
        self.seen: dict[str, Span] = {}
        self.home = ""

    def main(self, source: Source, text: str) -> None:
        self.home = _home_of(source.path)
        self.parts.sources.append(source)
        root = compose(source, text, self.problems.diagnostics)
        if not isinstance(root, Mapping):
            span = root.span if root else Span(source, 1, 1)
            what = "this is no world: a world is a mapping of sections" if root else "nothing here"
            hint = '"zubrel new FILE" writes a small world to start from.'
            self.problems.add("no-world", what, span, hint)
            raise InvalidInput(self.problems.diagnostics)
        self._root(source, root)
        # rows of areas last: the areas may come from a table themselves
        for row in sorted(self.rows, key=lambda row: row.area is not None):
            self._place(row)

    def _root(self, source: Source, root: Mapping) -> None:
        self.parts.roots.append(root)
        path = os.path.normpath(source.path)
        self.open.append(path)
        self.seen.setdefault(path, root.span)
        include = root.get("include")
        if include is not None:
            for node in include.items if isinstance(include, Sequence) else [include]:
                self._include(source, node)
        self.open.pop()

    def _include(self, source: Source, node: Node) -> None:
        if not isinstance(node, Scalar) or not node.text:
            self.problems.add("wrong-shape", "this must be the path of a file", node.span)
            return
        # relative to the file that includes, so that a folder can be moved as a whole
        path = os.path.normpath(os.path.join(os.path.dirname(source.path), node.text))
        if not self._may_include(path, node):
            return
        # told apart from what is included twice: a circle has no end, and its way out is another
        if path in self.open:
            circle = " → ".join(map(plain, [*self.open[self.open.index(path) :], path]))
            message = f"files include each other in a circle: {circle}"
            self.problems.add(
                "circle",
                message,
                node.span,
                "Remove one of the includes.",
                (("the circle begins here", self.seen[path]),),
            )
            return
        if path in self.seen:
            message = f"{plain(node.text)} is included already"
            self.problems.add(
                "defined-twice",
                message,
                node.span,
                "Remove one of the two.",
                (("it is included here", self.seen[path]),),
            )
            return
        # remembered before it is read: what it includes may come back to it
        self.seen[path] = node.span
        self._read(path, node.span)

    def _may_include(self, path: str, node: Scalar) -> bool:
        """Whether a file is one that worlds are made of, and lies where the author's files are."""
        if "\0" in path:
            message, hint = "the name of a file cannot hold this character", None
        elif not path.lower().endswith(KINDS):
            message = f"{plain(node.text)} is no part of a world"
            hint = f"What is included ends with {listing(KINDS)}."
        # a world from somewhere else must not read the files of whoever checks it
        elif os.path.commonpath([self.home, os.path.realpath(path)]) != self.home:
            message = f"{plain(node.text)} lies outside of the folder of this world"
            hint = (
                f"Move it below {plain(self.home)}: a world includes files of its own folder, "
                "or of the repository that it lies in."
            )
        elif len(self.seen) >= MOST_FILES:
            message = f"a world has at most {MOST_FILES:,} files"
            hint = "Put several parts into one file."
        elif len(self.open) >= LONGEST_CHAIN:
            message = f"files that include each other in a chain of more than {LONGEST_CHAIN}"
            hint = "Let the main file include the parts."
        else:
            return True
        self.problems.add("bad-include", message, node.span, hint)
        return False

    def _read(self, path: str, asked_by: Span) -> None:
        try:
            # an editor has texts that are not saved yet
            text = self.texts.get(path)
            if text is None:
                source, text = read_source(path, asked_by)
            else:
                source = Source.of(path, text)
            self.parts.sources.append(source)
            if path.lower().endswith(".csv"):
                self.rows += rows_of(source, text, self.problems)
                return
            root = compose(source, text, self.problems.diagnostics)
        except InvalidInput as invalid:
            # a file that cannot be read may have been told of already, by a part of itself
            known = set(self.problems.diagnostics)
            self.problems.diagnostics += [d for d in invalid.diagnostics if d not in known]
            return
        if isinstance(root, Mapping):
            self._root(source, root)
        elif root is not None:
            message = "an included file is a mapping of sections"
            self.problems.add("no-world", message, root.span)

    def _place(self, row: Row) -> None:
        """A row of a table, where it belongs: into its section, or into its area."""
        # deeds may stand in a section of their own, finds and ways in areas only
        if row.section in IN_AREAS and row.area is not None:
            self._into_area(row, row.area)
            return
        if row.section in ("finds", "ways"):
            message = f"a row of {row.section} needs its area"
            self.problems.add("missing", message, row.node.span, 'Add a column "area".')
            return
        section = self._section(row.section, row.node.span)
        if isinstance(section, Sequence):
            section.items.append(row.node)
        elif isinstance(section, Mapping):
            if row.key is None:
                message = "this row has no id"
                self.problems.add("missing", message, row.node.span, 'Fill the column "id".')
            else:
                section.entries.append((row.key, row.node))

    def _section(self, name: str, span: Span) -> Node:
        """The node of a section for the rows of one table, made when it is not there yet."""
        root = next((r for r in self.parts.roots if r.span.source is span.source), None)
        if root is None:
            root = Mapping(span)
            self.parts.roots.append(root)
        section = root.get(name)
        if section is None:
            listed = name in ("carry", "whenever", "promises", "accept")
            section = Sequence(span) if listed else Mapping(span)
            root.entries.append((Scalar(span, name, True), section))
        return section

    def _into_area(self, row: Row, area: Scalar) -> None:
        # an area may be in any file
        for root in self.parts.roots:
            areas = root.get("areas")
            if not isinstance(areas, Mapping):
                continue
            for number, (key, node) in enumerate(areas.entries):
                if key.text == area.text:
                    # an area of which nothing but its name was written has no fields yet
                    if not isinstance(node, Mapping):
                        node = Mapping(node.span)
                        areas.entries[number] = (key, node)
                    self._append(node, row)
                    return
        known = [
            k.text
            for r in self.parts.roots
            if isinstance(a := r.get("areas"), Mapping)
            for k, _ in a.entries
        ]
        hint = f"Areas are: {', '.join(known[:12])}." if known else "Define the area first."
        self.problems.add("unknown-id", f'there is no area "{area.text}"', area.span, hint)

    def _append(self, area: Mapping, row: Row) -> None:
        entries = area.get(row.section)
        if row.section == "deeds":
            if not isinstance(entries, Mapping):
                entries = Mapping(row.node.span)
                area.entries.append((Scalar(row.node.span, "deeds", True), entries))
            entries.entries.append((row.key or Scalar(row.node.span, "?", True), row.node))
            return
        # one entry may have been written without a list
        if not isinstance(entries, Sequence):
            lone: list[Node] = [entries] if entries is not None else []
            area.entries[:] = [(k, n) for k, n in area.entries if k.text != row.section]
            entries = Sequence(row.node.span, lone)
            area.entries.append((Scalar(row.node.span, row.section, True), entries))
        entries.items.append(row.node)
