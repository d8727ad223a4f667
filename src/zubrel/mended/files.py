"""The files of a world as texts, and as they would read with some edits."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct

from zubrel.authored.document import Document, document_of
from zubrel.authored.files import read_source
from zubrel.base.source import Source
from zubrel.mended.edits import Edit, applied


class Files(Struct, frozen=True):
    """`texts` of the files of a world, by their paths; `main` is the path of the first.

    Tables are not among them: they are edited by whatever program wrote them.
    """

    main: str
    texts: Mapping[str, str]

    @staticmethod
    def read(path: str) -> Files:
        """The files of the world at `path`. Raises `InvalidInput` where one cannot be read."""
        source, text = read_source(path)
        texts = {path: text}
        for other in document_of(source, text).files[1:]:
            if not other.path.lower().endswith(".csv"):
                texts[other.path] = read_source(other.path)[1]
        return Files(path, texts)

    def document(self) -> Document:
        """What they say. Raises `InvalidInput`."""
        text = self.texts[self.main]
        return document_of(Source.of(self.main, text), text, self.texts)

    def changed(self, edits: Sequence[Edit]) -> Files:
        """The files with some edits. Raises `ValueError` where two overlap."""
        texts = {
            path: applied(text, [e for e in edits if e.path == path])
            for path, text in self.texts.items()
        }
        return Files(self.main, texts)

    def differing(self, other: Files) -> list[str]:
        """The paths of the files that read differently in `other`."""
        return [path for path, text in self.texts.items() if other.texts[path] != text]

    def diff(self, other: Files) -> Iterator[str]:
        """The lines of a unified diff to `other`, with three lines around each change."""
        from difflib import unified_diff  # files are read for every check, and compared for few

        for path in self.differing(other):
            old, new = self.texts[path].splitlines(), other.texts[path].splitlines()
            yield from unified_diff(old, new, path, path, lineterm="")
