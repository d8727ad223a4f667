"""The worlds that an editor has open: their texts as they stand there, and what they say."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from collections.abc import Mapping as Mapping_
from pathlib import Path

from lsprotocol import types as lsp
from msgspec import Struct
from pygls import uris

from zubrel.authored.document import Document, document_of
from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping, Scalar
from zubrel.authored.readers import one_or_list
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.checked.occurrences import Occurrences
from zubrel.checked.world import World
from zubrel.edited.known import NOTHING_KNOWN, Known
from zubrel.served.layout import TextLayout
from zubrel.served.searching import Searched

ENDINGS = (".yaml", ".yml", ".json")
MOST_FILES = 2_000
"""Files of a folder that are looked through for the world that includes one."""
_BEGINS_A_WORLD = re.compile(r"""^\{?\s*["']?zubrel["']?\s*:""", re.MULTILINE)


class OpenText(Struct):
    """A file that the editor has open: its text is what counts, saved or not."""

    uri: str
    version: int
    layout: TextLayout


class OpenWorld:
    """A world of which a file is open.

    `revision` counts the changes of its texts. `document`, `occurrences` and `world` are of the
    last text that could be read so far; `mistakes` are of the text as it is. `told` is None from
    each change on until its search has ended.
    """

    def __init__(self, main: str, desk: Desk) -> None:
        self.main = main
        self.desk = desk
        self.revision = 0
        self.document: Document | None = None
        self.occurrences: Occurrences | None = None
        self.world: World | None = None
        self.mistakes: tuple[Diagnostic, ...] = ()
        self.more = 0
        self.told: Searched | None = None
        self.is_current = False
        """`document` and `occurrences` are of the text as it is."""
        # read anew only when the revision has changed
        self._read = -1
        self._known = NOTHING_KNOWN

    def changed(self) -> None:
        """One of the texts is another one now."""
        self.revision += 1
        self.told = None

    def read(self) -> None:
        """Read the texts again, if they have changed."""
        # an editor asks many things about one text
        if self._read == self.revision:
            return
        self._read = self.revision
        self.mistakes, self.more, self.is_current = (), 0, False
        try:
            document = self._document()
            # names are made up for what has none when it is checked: before, there are only given
            self.occurrences = Occurrences(document)
            # what can be read but not checked has ids all the same, and they can be renamed and
            # found
            self.document, self.is_current = document, True
            self.world = check(document)
        except InvalidInput as invalid:
            self.mistakes, self.more = invalid.diagnostics, invalid.more

    def all_texts(self) -> dict[str, str]:
        """The texts of its files, but for tables: what a search of it is given."""
        paths = [path for path in sorted(self.paths) if not path.lower().endswith(".csv")]
        layouts = {path: self.desk.layout(path) for path in paths}
        return {path: layout.text for path, layout in layouts.items() if layout is not None}

    def _document(self) -> Document:
        texts = self.desk.texts()
        if self.main in texts:
            text = texts[self.main]
            return document_of(Source.of(self.main, text), text, texts)
        source, text = read_source(self.main)
        return document_of(source, text, texts)

    @property
    def known(self) -> Known:
        """What is known of its things."""
        if self.occurrences is None:
            return NOTHING_KNOWN
        known = self._known
        # it is made anew where something was read anew, and not for each question
        if known.occurrences is not self.occurrences or known.world is not self.world:
            self._known = known = Known(self.occurrences, self.world)
        return known

    @property
    def paths(self) -> set[str]:
        """Its files as far as they are known, and those that it includes and that are missing."""
        if self.document is None:
            return {self.main}
        files = {os.path.normpath(source.path) for source in self.document.files}
        for root in self.document.roots:
            path = os.path.normpath(root.span.source.path)
            # a file that is missing belongs to the world too: once it is written, the world has to
            # be read again
            files |= {self.desk.beside(path, node.text) for node in included_in(root)}
        return {self.main, *files}


class Desk:
    """Everything that is open."""

    def __init__(self) -> None:
        self.open: dict[str, OpenText] = {}
        self.worlds: dict[str, OpenWorld] = {}
        self.folders: list[str] = []
        self.versioned = False
        """The editor can be told for which version of a text edits are meant."""
        self.encoding: str = lsp.PositionEncodingKind.Utf16
        self._including: dict[str, tuple[float, frozenset[str]]] = {}
        """By the paths of main files, when they were changed last, and the files of their world."""

    def texts(self) -> Mapping_[str, str]:
        """The texts of the open files by their paths."""
        return {path: text.layout.text for path, text in self.open.items()}

    def path(self, uri: str) -> str | None:
        """The path of a file; None for what is none."""
        path = uris.to_fs_path(uri)
        return None if path is None else os.path.normpath(path)

    def beside(self, path: str, name: str) -> str:
        """The path of a file that another one names."""
        return os.path.normpath(os.path.join(os.path.dirname(path), name))

    def uri(self, path: str) -> str:
        """The file at a path, as the editor calls it."""
        if path in self.open:
            return self.open[path].uri
        return uris.from_fs_path(os.path.abspath(path)) or path

    def layout(self, path: str) -> TextLayout | None:
        """The text at a path; None where it cannot be read."""
        if path in self.open:
            return self.open[path].layout
        try:
            return TextLayout(read_source(path)[1], self.encoding)
        except InvalidInput:
            return None

    def put(self, path: str, uri: str, version: int, text: str) -> None:
        """A file has been opened, or its text is another one."""
        self.open[path] = OpenText(uri, version, TextLayout(text, self.encoding))

    def worlds_with(self, path: str) -> Iterator[OpenWorld]:
        """The open worlds that a file belongs to."""
        return (world for world in self.worlds.values() if path in world.paths)

    def world_of(self, path: str) -> OpenWorld | None:
        """The world that is asked about a file: its own before those that include it."""
        return self.worlds.get(path) or next(self.worlds_with(path), None)

    def find_worlds(self, path: str) -> None:
        """See to it that the worlds that an open file belongs to are open too."""
        text = self.open.get(path)
        if text is not None and is_main(text.layout.text):
            self.worlds.setdefault(path, OpenWorld(path, self))
        # a part of a world that is open is looked for nowhere else
        if any(True for _ in self.worlds_with(path)):
            return
        for main in self._main_files(path):
            self.worlds.setdefault(main, OpenWorld(main, self)).read()

    def _main_files(self, path: str) -> Iterator[str]:
        """The main files around a file whose worlds include it."""
        for main in self._candidates(path):
            try:
                changed = os.stat(main).st_mtime
            except OSError:
                continue
            known = self._including.get(main)
            # most files of a folder stay as they are while one of them is written
            if known is None or known[0] != changed or main in self.open:
                known = (changed, self._files_of(main))
                self._including[main] = known
            if path in known[1]:
                yield main

    def _files_of(self, main: str) -> frozenset[str]:
        try:
            source, text = read_source(main)
            text = self.texts().get(main, text)
            if not is_main(text):
                return frozenset()
            files = document_of(Source.of(source.path, text), text, self.texts()).files
        except InvalidInput:
            return frozenset()
        return frozenset(os.path.normpath(file.path) for file in files)

    def _candidates(self, path: str) -> Iterator[str]:
        """Files that may be main files of the world of a file: those above it, then all."""
        seen: set[str] = set()
        own = [f for f in self.folders if path.startswith(os.path.join(f, ""))]
        # a part lies beside its main file or a few folders below it, nearly always
        for folder in [*Path(path).parents][:4]:
            beside = sorted(folder.iterdir()) if folder.is_dir() else []
            for file in map(str, beside[:MOST_FILES]):
                if file.lower().endswith(ENDINGS):
                    seen.add(file)
                    yield file
            if str(folder) in own:
                break
        left = MOST_FILES
        for top in own:
            for where, folders, names in os.walk(top):
                # changed in place: that is how the walk is told not to go into hidden folders
                folders[:] = sorted(name for name in folders if not name.startswith("."))
                for file in (os.path.join(where, name) for name in sorted(names)):
                    if file.lower().endswith(ENDINGS) and file not in seen:
                        yield file
                left -= len(names)
                if left < 0:
                    return


def included_in(root: Mapping) -> list[Scalar]:
    """What a file includes, as it names it."""
    include = root.get("include")
    nodes = [] if include is None else one_or_list(include)
    return [node for node in nodes if isinstance(node, Scalar) and node.text]


def is_main(text: str) -> bool:
    """Whether a text is that of a world, and not of a part of one."""
    return _BEGINS_A_WORLD.search(text) is not None
