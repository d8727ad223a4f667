"""A world file as a document: every section read by shape, nothing resolved."""

from __future__ import annotations

from collections.abc import Mapping as Mapping_

from msgspec import Struct, field

from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.parts import gather
from zubrel.authored.readers import read_text
from zubrel.authored.shapes import HEAD, SECTIONS, START, is_version_one
from zubrel.authored.values import Entry
from zubrel.base.diagnostics import Diagnostic, Problems
from zubrel.base.source import Source, Span
from zubrel.base.spelling import listing, suggestion


class Document(Struct):
    """All that the files of one world say. `path` is as the user gave it."""

    path: str
    source: Source
    title: str = ""
    start: Entry | None = None
    sections: dict[str, list[Entry]] = field(default_factory=dict)
    problems: list[Diagnostic] = field(default_factory=list)
    files: list[Source] = field(default_factory=list)
    roots: list[Mapping] = field(default_factory=list)

    def order_of(self, span: Span) -> tuple[int, int, int]:
        """Sort key: files in the order in which they are read, then by position."""
        return (self.files.index(span.source), span.line, span.column)

    def entries(self, section: str) -> list[Entry]:
        return self.sections.get(section, [])


def read_document(path: str) -> Document:
    """The document at `path`; what is wrong in it, but can be passed over, is in `problems`.

    Raises `InvalidInput` when there is no document to speak of.
    """
    source, text = read_source(path)
    return document_of(source, text)


def document_of(source: Source, text: str, texts: Mapping_[str, str] | None = None) -> Document:
    """The document in `text`, for callers that have the text already.

    `texts`, by paths, are read instead of what those included files say.
    """
    problems = Problems()
    parts = gather(source, text, problems, texts)
    document = Document(source.path, source, problems=problems.diagnostics)
    document.files, document.roots = parts.sources, parts.roots
    _Reader(document, problems).read(parts.roots)
    return document


class _Reader:
    def __init__(self, document: Document, problems: Problems) -> None:
        self.document = document
        self.problems = problems

    def read(self, roots: list[Mapping]) -> None:
        self._check_version(roots[0])
        for root in roots:
            for key, node in root.entries:
                self._section(key, node, root is roots[0])

    def _check_version(self, root: Mapping) -> None:
        version = root.get("zubrel")
        if version is None:
            self.problems.add(
                "no-version",
                "the world does not say which version of the language it is written in",
                root.span,
                'Begin the file with the line "zubrel: 1".',
            )
        elif not is_version_one(version):
            message = "only version 1 of the language exists"
            self.problems.add("no-version", message, version.span, "Write: zubrel: 1")

    def _section(self, key: Scalar, node: Node, main: bool) -> None:
        name = key.text
        # what an included file said of the start would depend on the order of the includes
        if name in ("title", "start") and not main:
            message = f'"{name}" stands in the main file, not in an included one'
            self.problems.add("misplaced", message, key.span)
        elif name == "title":
            self.document.title = read_text(node, self.problems) or ""
        elif name == "start":
            self.document.start = START.read(node, self.problems)
            if self.document.start:
                self.document.start.span = key.span
        elif name in SECTIONS:
            entries = SECTIONS[name].kind.read(node, self.problems)
            # several files may add to one section; ids that clash are found by whoever resolves
            # them
            self.document.sections.setdefault(name, []).extend(entries or ())
        elif name not in HEAD:
            known = [*HEAD, *SECTIONS]
            hint = suggestion(name, known) or f"A world may have: {listing(known, 40)}."
            self.problems.add("unknown-key", f'there is no section "{name}"', key.span, hint)
