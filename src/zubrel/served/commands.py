"""What an author asks for that takes its time or opens something: changes, walks, the map."""

from __future__ import annotations

import re

from lsprotocol import types as lsp
from pygls import uris
from rich.console import Console

from zubrel.narrated.report import Told
from zubrel.output.text import write_finding
from zubrel.served.actions import finding_of, workspace_edit
from zubrel.served.searching import Ended, MendingChange, mended, paged
from zubrel.served.server import ZubrelServer
from zubrel.served.waiting import Waiting
from zubrel.served.worlds import OpenWorld

NOT_NOW = "Not now"
WIDE = 100
"""Columns of the text of a walk."""


def _world(server: ZubrelServer, uri: str) -> OpenWorld | None:
    """The world whose main file an editor names."""
    path = server.desk.path(uri)
    world = None if path is None else server.desk.worlds.get(path)
    if world is None:
        server.tell("zubrel: this world is not open any more")
    else:
        world.read()
    return world


def _finding(server: ZubrelServer, world: OpenWorld, kind: str, subject: str) -> Told | None:
    finding = finding_of(world, {"kind": kind, "subject": subject})
    if finding is None:
        server.tell("zubrel: the world has changed: this finding is not known any more")
    return finding


async def mend(server: ZubrelServer, uri: str, kind: str, subject: str) -> list[str]:
    """Look for changes that are proved to mend a finding, and offer them; their words."""
    world = _world(server, uri)
    if world is None or _finding(server, world, kind, subject) is None:
        return []
    key = (world.main, world.revision)
    texts, limits = world.all_texts(), server.settings.limits
    async with Waiting(server, server.mender, f"Mending {kind} {subject}") as waiting:
        try:
            changes: list[MendingChange] = await server.mender.do(
                mended, world.main, texts, limits, kind, subject, stage=waiting.stage
            )
        except Ended:
            return []
        except Exception as error:
            server.tell(f"zubrel: no changes were found: {error}")
            return []
    if key != (world.main, world.revision):
        server.tell("zubrel: the world has changed meanwhile: ask again")
        return []
    for old in [k for k in server.changes if k[0] == world.main and k != key]:
        del server.changes[old]
    server.changes.setdefault(key, {})[kind, subject] = changes
    server.do(_offer(server, world, changes, kind, subject))
    return [change.words for change in changes]


async def _offer(
    server: ZubrelServer, world: OpenWorld, changes: list[MendingChange], kind: str, subject: str
) -> None:
    """Let the author choose one of some changes."""
    mending = [change for change in changes if not change.last]
    if not mending:
        server.tell(f"zubrel: no change that was tried mends {kind} {subject}")
        return
    revision = world.revision
    titles = [c.words[:1].upper() + c.words[1:] for c in mending]
    chosen = await server.window_show_message_request_async(
        lsp.ShowMessageRequestParams(
            lsp.MessageType.Info,
            f"Each of these is proved to mend {kind} {subject}:",
            [lsp.MessageActionItem(title) for title in (*titles, NOT_NOW)],
        )
    )
    if chosen is None or chosen.title not in titles:
        return
    if world.revision != revision:
        server.tell("zubrel: the world has changed meanwhile: ask again")
        return
    change = mending[titles.index(chosen.title)]
    edit = workspace_edit(server.desk, change.edits)
    await server.workspace_apply_edit_async(lsp.ApplyWorkspaceEditParams(edit, change.words))


async def show_walk(server: ZubrelServer, uri: str, kind: str, subject: str) -> str | None:
    """Open the walk of a finding as a text; its place."""
    world = _world(server, uri)
    finding = None if world is None else _finding(server, world, kind, subject)
    if finding is None:
        return None
    path = server.folder() / f"{_file_name(kind, subject)}.txt"
    with path.open("w", encoding="utf-8") as file:
        write_finding(finding, Console(file=file, width=WIDE, color_system=None))
    return await _show(server, str(path), False)


async def open_map(server: ZubrelServer, uri: str) -> str | None:
    """Write the page of a world, as it stands in the editor, and open it; its place."""
    world = _world(server, uri)
    if world is None:
        return None
    if world.mistakes:
        server.tell("zubrel: the page needs a world without mistakes", lsp.MessageType.Warning)
        return None
    async with Waiting(server, server.mender, "Drawing the map") as waiting:
        try:
            page: str = await server.mender.do(
                paged, world.main, world.all_texts(), server.settings.limits, stage=waiting.stage
            )
        except Ended:
            return None
        except Exception as error:
            server.tell(f"zubrel: the page cannot be written: {error}")
            return None
    path = server.folder() / "map.html"
    path.write_text(page, encoding="utf-8")
    return await _show(server, str(path), True)


def _file_name(*words: str) -> str:
    return re.sub(r"[^a-z0-9_]+", "_", "-".join(words)) or "walk"


async def _show(server: ZubrelServer, path: str, external: bool) -> str:
    """Have the editor open a file, or say where it is."""
    uri = uris.from_fs_path(path) or path
    if server.can("window", "show_document", "support"):
        result = await server.window_show_document_async(
            lsp.ShowDocumentParams(uri, external, not external)
        )
        if result.success:
            return uri
    server.tell(f"zubrel: it was written to {path}")
    return uri
