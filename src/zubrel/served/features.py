"""Every request and notification of the protocol that the server answers, and where."""

from __future__ import annotations

import gc
import os
from pathlib import Path
from typing import Any

from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcException

from zubrel.base.diagnostics import InvalidInput
from zubrel.edited.renaming import CannotRename, renameable, renamed, scripts_naming
from zubrel.mended.files import Files
from zubrel.served import answers, commands
from zubrel.served.actions import MEND, OPEN_MAP, SHOW_WALK, actions_at, workspace_edit
from zubrel.served.annotations import hints, lenses
from zubrel.served.answers import Request
from zubrel.served.server import ZubrelServer, ask_editor
from zubrel.served.worlds import MOST_FILES, OpenWorld

LOOK_THROUGH = (20_000, 10, 10)
"""New things between two looks for what can be thrown away, and looks between longer ones."""
TRIGGERS = [":", " ", "[", "{", "-", ","]
"""Signs behind which something can be completed at once."""


def new_server() -> ZubrelServer:
    """A server that answers everything, and waits for an editor."""
    # a text makes tens of thousands of small things that live until the next one: looking through
    # all of them again and again would take half of the time
    gc.freeze()
    gc.set_threshold(*LOOK_THROUGH)
    server = ZubrelServer()
    _texts(server)
    _questions(server)
    _changes(server)
    return server


def _asked(server: ZubrelServer, uri: str, position: lsp.Position | None = None) -> Request | None:
    """What is asked about a file; None for one that is not open."""
    path = server.desk.path(uri)
    if path is None or path not in server.desk.open:
        return None
    return Request(server.desk, path, position)


def _texts(server: ZubrelServer) -> None:
    """Beginning and end, and the texts."""
    desk = server.desk

    @server.feature(lsp.INITIALIZE)
    def _(params: lsp.InitializeParams) -> None:
        server.begin(params)

    @server.feature(lsp.INITIALIZED)
    async def _(params: lsp.InitializedParams) -> None:
        await ask_editor(server)

    @server.feature(lsp.SHUTDOWN)
    def _(params: None) -> None:
        server.end()

    @server.feature(lsp.TEXT_DOCUMENT_DID_OPEN)
    def _(params: lsp.DidOpenTextDocumentParams) -> None:
        document = params.text_document
        path = desk.path(document.uri)
        if path is not None:
            desk.put(path, document.uri, document.version, document.text)
            server.opened(path)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CHANGE)
    def _(params: lsp.DidChangeTextDocumentParams) -> None:
        document = params.text_document
        path = desk.path(document.uri)
        if path is None or path not in desk.open:
            return
        for change in params.content_changes:
            text = desk.open[path].layout.changed(change)
            desk.put(path, document.uri, document.version, text)
        if desk.world_of(path) is None:
            server.opened(path)  # it may have become a world
        else:
            server.changed_texts(path)

    @server.feature(lsp.TEXT_DOCUMENT_DID_SAVE)
    def _(params: lsp.DidSaveTextDocumentParams) -> None:
        pass  # its text was told before

    @server.feature(lsp.TEXT_DOCUMENT_DID_CLOSE)
    def _(params: lsp.DidCloseTextDocumentParams) -> None:
        path = desk.path(params.text_document.uri)
        if path is not None and path in desk.open:
            server.closed(path)

    @server.feature(lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES)
    def _(params: lsp.DidChangeWatchedFilesParams) -> None:
        paths = (desk.path(change.uri) for change in params.changes)
        saved = [path for path in paths if path is not None and path not in desk.open]
        server.changed_files(saved)

    @server.feature(lsp.WORKSPACE_DID_CHANGE_CONFIGURATION)
    async def _(params: lsp.DidChangeConfigurationParams) -> None:
        if server.can("workspace", "configuration"):
            await ask_editor(server, watching=False)
        else:
            server.take_settings(params.settings)


def _questions(server: ZubrelServer) -> None:
    """What is asked about a text and changes nothing."""

    @server.feature(
        lsp.TEXT_DOCUMENT_COMPLETION,
        lsp.CompletionOptions(trigger_characters=TRIGGERS, resolve_provider=True),
    )
    def _(params: lsp.CompletionParams) -> list[lsp.CompletionItem]:
        asked = _asked(server, params.text_document.uri, params.position)
        return [] if asked is None else answers.completion(asked, server.with_snippets)

    @server.feature(lsp.COMPLETION_ITEM_RESOLVE)
    def _(item: lsp.CompletionItem) -> lsp.CompletionItem:
        return answers.resolved(server.desk, item)

    @server.feature(lsp.TEXT_DOCUMENT_HOVER)
    def _(params: lsp.HoverParams) -> lsp.Hover | None:
        asked = _asked(server, params.text_document.uri, params.position)
        return None if asked is None else answers.hover(asked)

    @server.feature(lsp.TEXT_DOCUMENT_DEFINITION)
    def _(params: lsp.DefinitionParams) -> lsp.Location | None:
        asked = _asked(server, params.text_document.uri, params.position)
        return None if asked is None else answers.definition(asked)

    @server.feature(lsp.TEXT_DOCUMENT_REFERENCES)
    def _(params: lsp.ReferenceParams) -> list[lsp.Location]:
        asked = _asked(server, params.text_document.uri, params.position)
        if asked is None:
            return []
        return answers.references(asked, params.context.include_declaration)

    @server.feature(lsp.TEXT_DOCUMENT_DOCUMENT_HIGHLIGHT)
    def _(params: lsp.DocumentHighlightParams) -> list[lsp.DocumentHighlight]:
        asked = _asked(server, params.text_document.uri, params.position)
        return [] if asked is None else answers.highlights(asked)

    @server.feature(lsp.TEXT_DOCUMENT_DOCUMENT_SYMBOL)
    def _(params: lsp.DocumentSymbolParams) -> list[lsp.DocumentSymbol]:
        asked = _asked(server, params.text_document.uri)
        return [] if asked is None else answers.symbols(asked)

    @server.feature(lsp.WORKSPACE_SYMBOL)
    def _(params: lsp.WorkspaceSymbolParams) -> list[lsp.WorkspaceSymbol]:
        return answers.workspace_symbols(server.desk, params.query)

    @server.feature(lsp.TEXT_DOCUMENT_FOLDING_RANGE)
    def _(params: lsp.FoldingRangeParams) -> list[lsp.FoldingRange]:
        asked = _asked(server, params.text_document.uri)
        return [] if asked is None else answers.folding(asked)

    @server.feature(lsp.TEXT_DOCUMENT_DOCUMENT_LINK)
    def _(params: lsp.DocumentLinkParams) -> list[lsp.DocumentLink]:
        asked = _asked(server, params.text_document.uri)
        return [] if asked is None else answers.links(asked)

    @server.feature(lsp.TEXT_DOCUMENT_CODE_LENS)
    def _(params: lsp.CodeLensParams) -> list[lsp.CodeLens]:
        asked = _asked(server, params.text_document.uri)
        return lenses(asked) if asked is not None and server.settings.lenses else []

    @server.feature(lsp.TEXT_DOCUMENT_INLAY_HINT)
    def _(params: lsp.InlayHintParams) -> list[lsp.InlayHint]:
        asked = _asked(server, params.text_document.uri)
        return hints(asked, params.range) if asked is not None and server.settings.hints else []


def _changes(server: ZubrelServer) -> None:
    """What changes texts, or opens something."""

    @server.feature(lsp.TEXT_DOCUMENT_FORMATTING)
    def _(params: lsp.DocumentFormattingParams) -> list[lsp.TextEdit]:
        asked = _asked(server, params.text_document.uri)
        return answers.formatting(asked) if asked is not None and server.settings.formatting else []

    @server.feature(lsp.TEXT_DOCUMENT_PREPARE_RENAME)
    def _(params: lsp.PrepareRenameParams) -> lsp.Range | None:
        asked = _asked(server, params.text_document.uri, params.position)
        if asked is None or asked.occurrences is None:
            return None
        span = renameable(asked.occurrences, asked.path, asked.line, asked.column)
        return None if span is None else asked.layout.of_span(span)

    @server.feature(lsp.TEXT_DOCUMENT_RENAME, lsp.RenameOptions(prepare_provider=True))
    def _(params: lsp.RenameParams) -> lsp.WorkspaceEdit | None:
        asked = _asked(server, params.text_document.uri, params.position)
        return None if asked is None else rename(server, asked, params.new_name)

    @server.feature(
        lsp.TEXT_DOCUMENT_CODE_ACTION,
        lsp.CodeActionOptions(code_action_kinds=[lsp.CodeActionKind.QuickFix]),
    )
    def _(params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
        asked = _asked(server, params.text_document.uri, params.range.start)
        if asked is None or asked.world is None:
            return []
        proved = server.changes.get((asked.world.main, asked.world.revision), {})
        return actions_at(asked, params.context, proved)

    @server.feature(lsp.WINDOW_WORK_DONE_PROGRESS_CANCEL)
    def _(params: lsp.WorkDoneProgressCancelParams) -> None:
        waiting = server.waiting.get(params.token)
        if waiting is not None:
            waiting.cancel()

    @server.command(MEND)
    async def _(uri: str, kind: str, subject: str) -> list[str]:
        return await commands.mend(server, uri, kind, subject)

    @server.command(SHOW_WALK)
    async def _(uri: str, kind: str, subject: str) -> str | None:
        return await commands.show_walk(server, uri, kind, subject)

    @server.command(OPEN_MAP)
    async def _(uri: str) -> str | None:
        return await commands.open_map(server, uri)


FAILED = -32803
"""The code of the protocol for a request that was understood and cannot be met."""


def rename(server: ZubrelServer, asked: Request, new: str) -> lsp.WorkspaceEdit:
    """The edits that give the id at a place another name. Raises `JsonRpcException`."""
    world, one = asked.world, asked.occurrence()
    if world is None or one is None:
        raise JsonRpcException("there is no id here, or the world cannot be read as it is", FAILED)
    files = Files(world.main, world.all_texts())
    try:
        scripts = scripts_naming(_scripts(server, world), _moves_of(world))
        edits = renamed(files, scripts, one.name, new.strip())
    except CannotRename as refusal:
        raise JsonRpcException(str(refusal), FAILED) from None
    except InvalidInput as invalid:
        words = f"the world cannot be read as it is: {invalid.diagnostics[0].message}"
        raise JsonRpcException(words, FAILED) from None
    by_path: dict[str, list[lsp.TextEdit]] = {}
    for path in sorted({edit.path for edit in edits}):
        layout = server.desk.layout(path)
        if layout is not None:
            by_path[path] = layout.edits(e for e in edits if e.path == path)
    return workspace_edit(server.desk, by_path)


def _moves_of(world: OpenWorld) -> set[str]:
    """What a script of the world can do, by its ids; nothing while it has mistakes."""
    if world.world is None or world.mistakes:
        return set()
    rules = world.world.rules
    talks = {f"{rule.owner}_talk" for rule in rules if rule.kind == "talk"}
    return talks | {name for rule in rules for name in (rule.id, rule.common)}


def _scripts(server: ZubrelServer, world: OpenWorld) -> dict[str, str]:
    """The scripts in the folder of the main file and in those below it, by their paths."""
    paths: list[str] = []
    for where, folders, names in os.walk(Path(world.main).parent):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        paths += [os.path.join(where, name) for name in sorted(names) if name.endswith(".walk")]
        if len(paths) > MOST_FILES:
            break
    paths += [path for path in server.desk.open if path.endswith(".walk") and path not in paths]
    layouts: dict[str, Any] = {path: server.desk.layout(path) for path in paths}
    return {path: layout.text for path, layout in layouts.items() if layout is not None}
