"""`zubrel language-server`: what comes from an editor, and what goes back to it."""

from __future__ import annotations

import asyncio
import os
import tempfile
from collections.abc import Coroutine
from pathlib import Path
from typing import Any

from lsprotocol import types as lsp

from zubrel import __version__
from zubrel.served.diagnostics import Diagnostics, diagnostics_of
from zubrel.served.searching import Ended, Searched, Worker, searched
from zubrel.served.settings import NAME, Settings, settings_from
from zubrel.served.waiting import Waiting, WaitingServer
from zubrel.served.worlds import ENDINGS, Desk, OpenWorld

READING = 0.02
"""Seconds after a change until mistakes are looked for: keys that are held down come together."""
SHOWN_AFTER = 1.5
"""Seconds after which the editor shows that a search goes on."""
AGAIN = 1.0
"""Seconds between two looks at whether other files are to be watched."""


class ZubrelServer(WaitingServer):
    """One editor, and what it has open."""

    def __init__(self) -> None:
        super().__init__("zubrel", __version__)
        self.desk = Desk()
        self.settings = Settings()
        self.searcher = Worker()
        self.mender = Worker()
        self.changes: dict[tuple[str, int], dict[tuple[str, str], list[Any]]] = {}
        """By main file and revision, what is proved to mend findings."""
        self.published: dict[str, Diagnostics] = {}
        """By main file, what was said last of the files of that world."""
        self.searching: str | None = None
        """The main file of the world that is searched now."""
        self._reading: asyncio.TimerHandle | None = None
        self._pausing: asyncio.TimerHandle | None = None
        self._due: dict[str, int] = {}
        """By main file, the revision after which the author has paused."""
        self._searches: asyncio.Task[None] | None = None
        self._tasks: set[asyncio.Task[Any]] = set()
        self._folder: tempfile.TemporaryDirectory[str] | None = None

    # what the editor can do

    @property
    def with_snippets(self) -> bool:
        """Whether texts with places to fill in are understood."""
        return self.can("text_document", "completion", "completion_item", "snippet_support")

    def begin(self, params: lsp.InitializeParams) -> None:
        """The editor says what it can do, and where it works."""
        self.desk.encoding = str(getattr(self._encoding(), "value", self._encoding()))
        self.desk.versioned = self.can("workspace", "workspace_edit", "document_changes")
        folders = [folder.uri for folder in params.workspace_folders or ()]
        folders += [params.root_uri] if params.root_uri and not folders else []
        paths = (self.desk.path(uri) for uri in folders)
        self.desk.folders = [path for path in paths if path is not None]
        self.take_settings(params.initialization_options)

    def _encoding(self) -> Any:
        return self.workspace.position_encoding or lsp.PositionEncodingKind.Utf16

    def take_settings(self, given: Any) -> None:
        """Use other settings; those that cannot be read are told, and left as they are."""
        try:
            self.settings = settings_from(given)
        except ValueError as error:
            self.tell(str(error), lsp.MessageType.Error)
            return
        for world in self.desk.worlds.values():
            world.told = None
        self.changed(list(self.desk.worlds.values()))

    def tell(self, words: str, kind: lsp.MessageType = lsp.MessageType.Info) -> None:
        """A line for the author."""
        self.window_show_message(lsp.ShowMessageParams(kind, words))

    # texts

    def opened(self, path: str) -> None:
        """A file is open now."""
        self.desk.find_worlds(path)
        self.changed_texts(path)

    def closed(self, path: str) -> None:
        """A file is open no more: what is saved counts again, and worlds without one are left."""
        affected = list(self.desk.worlds_with(path))
        self.desk.open.pop(path, None)
        for world in affected:
            if not any(other in self.desk.open for other in world.paths):
                self._leave(world)
            else:
                world.changed()
        self.changed([w for w in affected if w.main in self.desk.worlds])

    def _leave(self, world: OpenWorld) -> None:
        del self.desk.worlds[world.main]
        for key in [key for key in self.changes if key[0] == world.main]:
            del self.changes[key]
        if self.searching == world.main:
            self.searcher.end_if_busy()
        for path in self.published.pop(world.main, {}):
            self._publish(path)

    def changed_texts(self, *paths: str) -> None:
        """The texts of some files are others now."""
        affected = {w.main: w for path in paths for w in self.desk.worlds_with(path)}
        for world in affected.values():
            world.changed()
        self.changed(list(affected.values()))

    def changed(self, worlds: list[OpenWorld]) -> None:
        """Look for mistakes soon, and for findings after a pause."""
        if not worlds:
            return
        # what is being searched is out of date by now
        if any(world.main == self.searching for world in worlds):
            self.searcher.end_if_busy()
        loop = asyncio.get_running_loop()
        if self._reading is None:
            self._reading = loop.call_later(READING, self._read)
        if self._pausing is not None:
            self._pausing.cancel()
        if self.settings.search:
            self._pausing = loop.call_later(self.settings.pause, self._search)
            self.searcher.prepare()

    def _read(self) -> None:
        """Tell the mistakes of every world that has changed."""
        self._reading = None
        worlds = list(self.desk.worlds.values())
        for world in worlds:
            world.read()
        self.publish(*worlds)

    def changed_files(self, paths: list[str]) -> None:
        """Some files that are not open have been saved, made or removed."""
        for path in self.desk.open:
            self.desk.find_worlds(path)  # one of them may include it now
        affected = {w.main: w for path in paths for w in self.desk.worlds_with(path)}
        # what a world with mistakes lacks may be there now
        affected |= {w.main: w for w in self.desk.worlds.values() if w.mistakes}
        for world in affected.values():
            world.changed()
        self.changed(list(affected.values()))

    async def watch(self) -> None:
        """Look after the files of the open worlds for an editor that does not."""
        from watchfiles import awatch

        while True:
            files = {path for world in self.desk.worlds.values() for path in world.paths}
            folders = {os.path.dirname(path) for path in files}
            present = [folder for folder in sorted(folders) if os.path.isdir(folder)]
            if not present:
                await asyncio.sleep(AGAIN)
                continue
            watching = awatch(
                *present, recursive=False, yield_on_timeout=True, rust_timeout=int(AGAIN * 1000)
            )
            async for changes in watching:
                saved = {os.path.normpath(path) for _, path in changes}
                if not any(world.mistakes for world in self.desk.worlds.values()):
                    saved &= files
                closed = [path for path in sorted(saved) if path not in self.desk.open]
                if closed:
                    self.changed_files(closed)
                now = {path for world in self.desk.worlds.values() for path in world.paths}
                if now != files:
                    break

    # diagnostics

    def publish(self, *worlds: OpenWorld) -> None:
        """Tell everything there is to say of some worlds; of files that they have no more, nothing.

        A file may belong to several: all of them are looked at before anything is told.
        """
        changed: set[str] = set()
        for world in worlds:
            before = self.published.get(world.main, {})
            self.published[world.main] = latest = diagnostics_of(world)
            changed |= {p for p in {*latest, *before} if latest.get(p) != before.get(p)}
            changed |= latest.keys() & self.desk.open.keys()  # for this version of their text
        for path in sorted(changed):
            self._publish(path)

    def _publish(self, path: str) -> None:
        """All that the worlds of a file have to say of it."""
        every: list[lsp.Diagnostic] = []
        for said in self.published.values():
            every += [d for d in said.get(path, ()) if d not in every]
        text = self.desk.open.get(path)
        self.text_document_publish_diagnostics(
            lsp.PublishDiagnosticsParams(
                self.desk.uri(path), every, None if text is None else text.version
            )
        )

    # searches

    def _search(self) -> None:
        """The author has paused: search what has changed."""
        self._pausing = None
        self._due = {world.main: world.revision for world in self.desk.worlds.values()}
        if self._searches is None or self._searches.done():
            self._searches = self.do(self._search_all())

    def do(self, work: Coroutine[Any, Any, Any]) -> asyncio.Task[Any]:
        """Begin something that takes its time."""
        task = asyncio.get_running_loop().create_task(work)
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)
        return task

    async def _search_all(self) -> None:
        """Search every world that has changed since it was searched, one after the other; those
        too that become due meanwhile."""
        while (world := self._next_due()) is not None:
            await self._search_one(world)

    def _next_due(self) -> OpenWorld | None:
        """A world that is to be searched as it is now."""
        for world in list(self.desk.worlds.values()):
            if self._due.get(world.main) != world.revision or world.told is not None:
                continue
            del self._due[world.main]  # once, whatever becomes of it
            world.read()
            if not world.mistakes and world.document is not None:
                return world
        return None

    async def _search_one(self, world: OpenWorld) -> None:
        revision = world.revision
        self.searching = world.main
        given = (world.main, world.all_texts(), self.settings.limits)
        title = f"Searching {Path(world.main).name}"
        try:
            async with Waiting(self, self.searcher, title, SHOWN_AFTER) as waiting:
                result: Searched = await self.searcher.do(searched, *given, stage=waiting.stage)
        except Ended:
            return
        except Exception as error:  # the editor goes on: mistakes are told as before
            self.tell(f"zubrel: the search of {Path(world.main).name} failed: {error}")
            return
        finally:
            self.searching = None
        if world.revision == revision and self.desk.worlds.get(world.main) is world:
            world.told = result
            self.publish(world)
            self.refresh()

    def refresh(self) -> None:
        """What is shown in and above lines may read differently now."""
        if self.can("workspace", "code_lens", "refresh_support"):
            self.workspace_code_lens_refresh(None)
        if self.can("workspace", "inlay_hint", "refresh_support"):
            self.workspace_inlay_hint_refresh(None)

    # the end

    def folder(self) -> Path:
        """A folder for pages that are shown; it is gone when the server ends."""
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="zubrel-")
        return Path(self._folder.name)

    def end(self) -> None:
        """End everything that is at work."""
        for handle in (self._reading, self._pausing):
            if handle is not None:
                handle.cancel()
        for task in self._tasks:
            task.cancel()
        self.searcher.close()
        self.mender.close()
        if self._folder is not None:
            self._folder.cleanup()
            self._folder = None


async def ask_editor(server: ZubrelServer, watching: bool = True) -> None:
    """Ask the editor to tell of files that change, and for its settings."""
    if watching and server.can("workspace", "did_change_watched_files", "dynamic_registration"):
        endings = ",".join(ending.lstrip(".") for ending in (*ENDINGS, ".csv", ".walk"))
        watchers = [lsp.FileSystemWatcher(f"**/*.{{{endings}}}")]
        options = lsp.DidChangeWatchedFilesRegistrationOptions(watchers)
        watched = lsp.Registration("zubrel-files", lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES, options)
        await server.client_register_capability_async(lsp.RegistrationParams([watched]))
    elif watching:
        server.do(server.watch())
    if server.can("workspace", "configuration"):
        asked = lsp.ConfigurationParams([lsp.ConfigurationItem(section=NAME)])
        given = await server.workspace_configuration_async(asked)
        if given and given[0]:
            server.take_settings(given[0])
