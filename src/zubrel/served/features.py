"""Every request and notification of the protocol that the server answers, and where."""

from __future__ import annotations

import gc
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lsprotocol import types as lsp
from pygls.exceptions import JsonRpcException

from zubrel.base.diagnostics import InvalidInput
from zubrel.mended.files import Files
from zubrel.mended.renaming import CannotRename, renameable, renamed, scripts_naming
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
    # a text makes tens of thousands of small things that live until the next one: they are not
    # looked through again and again while they are made
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
        # in their order: each counts places in the text that the one before has made
        for change in params.content_changes:
            text = desk.open[path].layout.changed(change)
            desk.put(path, document.uri, document.version, text)
        if desk.world_of(path) is None:
            server.opened(path)  # it may have become a world
        else:
            server.changed_texts(path)

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


def _answer(
    server: ZubrelServer,
    method: str,
    answer: Callable[[Request, Any], Any],
    options: Any = None,
    nothing: Any = None,
) -> None:
    """Have a request about an open file answered; those about others have `nothing`."""

    @server.feature(method, options)
    def _(params: Any) -> Any:
        position = getattr(params, "position", None)
        asked = _asked(server, params.text_document.uri, position)
        return nothing if asked is None else answer(asked, params)


def _questions(server: ZubrelServer) -> None:
    """What is asked about a text and changes nothing."""
    several = {
        lsp.TEXT_DOCUMENT_REFERENCES: lambda asked, params: answers.references(
            asked, params.context.include_declaration
        ),
        lsp.TEXT_DOCUMENT_DOCUMENT_HIGHLIGHT: lambda asked, _: answers.highlights(asked),
        lsp.TEXT_DOCUMENT_DOCUMENT_SYMBOL: lambda asked, _: answers.symbols(asked),
        lsp.TEXT_DOCUMENT_FOLDING_RANGE: lambda asked, _: answers.folding(asked),
        lsp.TEXT_DOCUMENT_DOCUMENT_LINK: lambda asked, _: answers.links(asked),
        lsp.TEXT_DOCUMENT_CODE_LENS: lambda asked, _: (
            lenses(asked) if server.settings.lenses else []
        ),
        lsp.TEXT_DOCUMENT_INLAY_HINT: lambda asked, params: (
            hints(asked, params.range) if server.settings.hints else []
        ),
        lsp.TEXT_DOCUMENT_FORMATTING: lambda asked, _: (
            answers.formatting(asked) if server.settings.formatting else []
        ),
    }
    for method, answer in several.items():
        # where there is no world, a list of nothing: editors show errors for less
        _answer(server, method, answer, nothing=[])
    _answer(server, lsp.TEXT_DOCUMENT_HOVER, lambda asked, _: answers.hover(asked))
    _answer(server, lsp.TEXT_DOCUMENT_DEFINITION, lambda asked, _: answers.definition(asked))
    _answer(
        server,
        lsp.TEXT_DOCUMENT_COMPLETION,
        lambda asked, _: answers.completion(asked, server.with_snippets),
        lsp.CompletionOptions(trigger_characters=TRIGGERS, resolve_provider=True),
        nothing=[],
    )

    @server.feature(lsp.COMPLETION_ITEM_RESOLVE)
    def _(item: lsp.CompletionItem) -> lsp.CompletionItem:
        return answers.resolved(server.desk, item)

    @server.feature(lsp.WORKSPACE_SYMBOL)
    def _(params: lsp.WorkspaceSymbolParams) -> list[lsp.WorkspaceSymbol]:
        return answers.workspace_symbols(server.desk, params.query)


def _changes(server: ZubrelServer) -> None:
    """What changes texts, or opens something."""
    _answer(server, lsp.TEXT_DOCUMENT_PREPARE_RENAME, lambda asked, _: _renameable(asked))
    _answer(
        server,
        lsp.TEXT_DOCUMENT_RENAME,
        lambda asked, params: rename(server, asked, params.new_name),
        lsp.RenameOptions(prepare_provider=True),
    )

    @server.feature(
        lsp.TEXT_DOCUMENT_CODE_ACTION,
        lsp.CodeActionOptions(code_action_kinds=[lsp.CodeActionKind.QuickFix]),
    )
    def _(params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
        asked = _asked(server, params.text_document.uri, params.range.start)
        if asked is None or asked.world is None:
            return []
        # proofs are of one revision: after an edit they hold no more
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


def _renameable(asked: Request) -> lsp.Range | None:
    """Where the id at a place stands, if it can have another name."""
    if asked.occurrences is None:
        return None
    span = renameable(asked.occurrences, asked.path, asked.line, asked.column)
    return None if span is None else asked.layout.of_span(span)


FAILED = -32803
"""The code of the protocol for a request that was understood and cannot be met."""


def rename(server: ZubrelServer, asked: Request, new: str) -> lsp.WorkspaceEdit:
    """The edits that give the id at a place another name. Raises `JsonRpcException`."""
    world, one = asked.world, asked.occurrence()
    if world is None or one is None:
        raise JsonRpcException("there is no id here, or the world cannot be read as it is", FAILED)
    files = Files(world.main, world.all_texts())
    try:
        # scripts of moves name ids as well, and would break
        scripts = scripts_naming(_scripts(server, world), _moves_of(world))
        edits = renamed(files, scripts, one.name, new.strip())
    except CannotRename as refusal:
        raise JsonRpcException(str(refusal), FAILED) from None
    except InvalidInput as invalid:
        words = f"the world cannot be read as it is: {invalid.diagnostics[0].message}"
        raise JsonRpcException(words, FAILED) from None
    return workspace_edit(server.desk, edits)


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
