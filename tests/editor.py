"""An editor for tests: it starts the built program, speaks with it, and keeps its own texts."""

from __future__ import annotations

import asyncio
import logging
import os
import re
import socket
import sys
from multiprocessing import forkserver
from typing import Union

from lsprotocol import types as lsp
from pygls import uris
from pygls.io_ import run_async
from pygls.lsp.client import LanguageClient

from tests.program import PATIENCE
from zubrel.entry import run
from zubrel.served.searching import Worker

BREAK = re.compile("\r\n|\r|\n")
FORKING = hasattr(os, "fork") and "COVERAGE_PROCESS_CONFIG" not in os.environ
"""Loading takes longer than most tests; coverage is measured of processes that begin alone."""
logging.getLogger("asyncio").setLevel(logging.ERROR)  # what is slow is no news to tests


def offset_of(text, position):
    """How many characters of a text stand before a position, in units of UTF-16."""
    starts = [0, *(m.end() for m in BREAK.finditer(text))]
    if position.line >= len(starts):
        return len(text)
    begin = starts[position.line]
    line = BREAK.split(text)[position.line]
    units = 0
    for number, char in enumerate(line):
        if units >= position.character:
            return begin + number
        units += 2 if ord(char) > 0xFFFF else 1
    return begin + len(line)


def position_of(text, offset):
    """The position of an offset."""
    starts = [0, *(m.end() for m in BREAK.finditer(text))]
    line = max(n for n, start in enumerate(starts) if start <= offset)
    part = text[starts[line] : offset]
    return lsp.Position(line, len(part.encode("utf-16-le")) // 2)


class Nursery:
    """A process that has loaded the server and done nothing, and of which servers are forks.

    Begun where no loop runs: a fork of a loop shares what that waits for.
    """

    def __init__(self):
        self.ours, theirs = socket.socketpair()
        self.pid = os.fork()
        if not self.pid:
            self.ours.close()
            try:
                share_workers()
                self._serve(theirs)
            finally:
                os._exit(0)
        theirs.close()

    def close(self):
        self.ours.close()
        os.waitpid(self.pid, 0)

    @staticmethod
    def _serve(theirs):
        """For each message fork somebody who begins a server, and tells when it has ended."""
        while True:
            _, fds, _, _ = socket.recv_fds(theirs, 1, 2)
            if not fds:
                return
            if not os.fork():
                theirs.close()
                speaking, telling = fds
                server = os.fork()
                if not server:
                    os.close(telling)
                    for number in (0, 1):
                        os.dup2(speaking, number)
                    os.close(speaking)
                    os._exit(serve())
                os.close(speaking)
                os.write(telling, f"{server}\n".encode())
                _, status = os.waitpid(server, 0)
                os.write(telling, f"{os.waitstatus_to_exitcode(status)}\n".encode())
                os._exit(0)
            for number in fds:
                os.close(number)

    async def server(self, client):
        """A server that speaks by its standard streams with a client, as if it had been begun."""
        here, there = socket.socketpair()
        told, telling = os.pipe()
        socket.send_fds(self.ours, [b"!"], [there.fileno(), telling])
        there.close()
        os.close(telling)
        reader, writer = await asyncio.open_connection(sock=here)
        client.protocol.set_writer(writer)
        reading = run_async(
            stop_event=client._stop_event,
            reader=reader,
            protocol=client.protocol,
            logger=logging.getLogger("editor"),
            error_handler=client.report_server_error,
        )
        client._async_tasks.append(asyncio.create_task(reading))
        os.set_blocking(told, False)
        forked = Forked(open(told))  # noqa: SIM115
        forked.pid = int(await forked.line())
        return forked


class Forked:
    """A server that somebody else has begun, who tells of it line by line."""

    returncode = None

    def __init__(self, told):
        self.told = told

    async def line(self):
        while not (line := self.told.readline()):
            await asyncio.sleep(0.01)
        return line

    async def wait(self):
        self.returncode = int(await self.line())
        self.told.close()
        return self.returncode


def share_workers():
    """Let all servers fork their workers from one process that has loaded the search."""
    Worker().begin()
    begun_before = forkserver._forkserver
    # whose child it is not cannot ask whether it lives, and would begin another one
    begun_before.ensure_running = lambda: None


def serve():
    """In a fork: the program, from where it begins; its exit code."""
    logging.disable()
    sys.stdin, sys.stdout = open(0, closefd=False), open(1, "w", closefd=False)  # noqa: SIM115
    sys.argv = ["zubrel", "language-server"]
    try:
        run()
    except SystemExit as end:
        return end.code or 0
    return 0


class Editor:
    """Begun with `async with`; `folder` is where it works.

    `shown` has the diagnostics of each file by its name, `history` all that ever came, `messages`
    what was told, `asked` the choices that were offered; the first is taken if `chooses`.
    """

    def __init__(self, folder, settings=None, chooses=False, capabilities=None, nursery=None):
        self.folder = folder
        self.settings = settings
        self.chooses = chooses
        self.nursery = nursery
        self.capabilities = capabilities or capabilities_of_most()
        self.texts, self.versions = {}, {}
        self.shown, self.history = {}, []
        self.messages, self.asked, self.opened, self.progress = [], [], [], []
        self.registered = []
        self.news = asyncio.Event()
        self.client = LanguageClient("editor", "1")
        converter = self.client.protocol._converter
        # the library takes every action that has a command for a command
        converter.register_structure_hook(
            Union[lsp.Command, lsp.CodeAction],  # noqa: UP007
            lambda given, _: converter.structure(
                given,
                lsp.Command if isinstance(given.get("command"), str) else lsp.CodeAction,
            ),
        )
        self._listen()

    def _listen(self):
        client = self.client

        @client.feature(lsp.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)
        def _(params):
            name = self.name(params.uri)
            self.shown[name] = list(params.diagnostics)
            self.history.append((name, params.version, list(params.diagnostics)))
            self.news.set()

        @client.feature(lsp.WINDOW_SHOW_MESSAGE)
        def _(params):
            self.messages.append(params.message)
            self.news.set()

        @client.feature(lsp.WINDOW_SHOW_MESSAGE_REQUEST)
        def _(params):
            self.asked.append([action.title for action in params.actions])
            return params.actions[0] if self.chooses else None

        @client.feature(lsp.WORKSPACE_APPLY_EDIT)
        def _(params):
            self.apply(params.edit)
            return lsp.ApplyWorkspaceEditResult(applied=True)

        @client.feature(lsp.WINDOW_SHOW_DOCUMENT)
        def _(params):
            self.opened.append(params.uri)
            return lsp.ShowDocumentResult(success=True)

        @client.feature(lsp.WINDOW_WORK_DONE_PROGRESS_CREATE)
        def _(params):
            self.progress.append(params.token)

        @client.feature(lsp.CLIENT_REGISTER_CAPABILITY)
        def _(params):
            self.registered += [one.method for one in params.registrations]

        for method in (lsp.WORKSPACE_CODE_LENS_REFRESH, lsp.WORKSPACE_INLAY_HINT_REFRESH):
            client.feature(method)(lambda params: None)
        client.feature(lsp.PROGRESS)(lambda params: None)

    async def __aenter__(self):
        if self.nursery is not None:
            self.server = await self.nursery.server(self.client)
        else:
            await self.client.start_io(sys.executable, "-m", "zubrel", "language-server")
            self.server = self.client._server
        self.answer = await self.client.initialize_async(
            lsp.InitializeParams(
                capabilities=self.capabilities,
                root_uri=uris.from_fs_path(str(self.folder)),
                initialization_options=self.settings,
            )
        )
        self.client.initialized(lsp.InitializedParams())
        return self

    async def __aexit__(self, *error):
        try:
            await asyncio.wait_for(self.client.shutdown_async(None), PATIENCE)
            self.client.exit(None)
        finally:
            self.code = await self._ended()

    async def _ended(self):
        """The exit code of the server, which ends by itself."""
        try:
            return await asyncio.wait_for(self.server.wait(), PATIENCE)
        finally:
            await self.client.stop()

    # files

    def uri(self, name):
        return uris.from_fs_path(str(self.folder / name))

    def name(self, uri):
        path = uris.to_fs_path(uri)
        return path.removeprefix(f"{self.folder}/")

    def document(self, name):
        return lsp.TextDocumentIdentifier(self.uri(name))

    def open(self, name, text=None):
        """Open a file, with another text than it has where one is given."""
        path = self.folder / name
        if text is None:
            text = path.read_bytes().decode()
        self.texts[name], self.versions[name] = text, 1
        item = lsp.TextDocumentItem(self.uri(name), "yaml", 1, text)
        self.client.text_document_did_open(lsp.DidOpenTextDocumentParams(item))

    def close(self, name):
        del self.texts[name]
        self.client.text_document_did_close(lsp.DidCloseTextDocumentParams(self.document(name)))

    def change(self, name, *edits, whole=None):
        """Make edits (begin, end, text) one after the other, or have a `whole` other text."""
        changes = []
        for begin, end, text in edits:
            before = self.texts[name]
            span = lsp.Range(position_of(before, begin), position_of(before, end))
            changes.append(lsp.TextDocumentContentChangePartial(span, text))
            self.texts[name] = before[:begin] + text + before[end:]
        if whole is not None:
            changes.append(lsp.TextDocumentContentChangeWholeDocument(whole))
            self.texts[name] = whole
        self.versions[name] += 1
        document = lsp.VersionedTextDocumentIdentifier(self.versions[name], self.uri(name))
        self.client.text_document_did_change(lsp.DidChangeTextDocumentParams(document, changes))

    def replace(self, name, old, new):
        """Change the first place where a text has `old`."""
        begin = self.texts[name].index(old)
        self.change(name, (begin, begin + len(old), new))

    def apply(self, edit):
        """Make the edits of the server, and tell it."""
        for document in edit.document_changes or ():
            name = self.name(document.text_document.uri)
            if name not in self.texts:
                self.open(name)
            version = document.text_document.version
            assert version in (None, self.versions[name]), "an edit of another text"
            text = self.texts[name]
            spans = [
                (offset_of(text, e.range.start), offset_of(text, e.range.end), e.new_text)
                for e in document.edits
            ]
            self.change(name, *sorted(spans, reverse=True))

    # what comes back

    async def until(self, happened, what="it"):
        """Wait until something is so."""
        end = asyncio.get_running_loop().time() + PATIENCE
        while not happened():
            left = end - asyncio.get_running_loop().time()
            if left <= 0:
                raise AssertionError(f"{what} did not come: {self.shown} {self.messages}")
            self.news.clear()
            try:
                await asyncio.wait_for(self.news.wait(), min(left, 0.2))
            except TimeoutError:
                continue

    def codes(self, name):
        return [d.code for d in self.shown.get(name, ())]

    def place(self, name, words, more=0):
        """The file and the position of the first place of some words."""
        text = self.texts[name]
        return self.document(name), position_of(text, text.index(words) + more)

    async def hover(self, name, words, more=0):
        """The text that hovers over the first place of some words."""
        hover = await self.client.text_document_hover_async(
            lsp.HoverParams(*self.place(name, words, more))
        )
        return "" if hover is None else hover.contents.value

    async def labels(self, name, words, more=0):
        """What is offered at the first place of some words."""
        items = await self.client.text_document_completion_async(
            lsp.CompletionParams(*self.place(name, words, more))
        )
        return [item.label for item in items or ()]

    async def actions(self, name, diagnostic, **context):
        return await self.client.text_document_code_action_async(
            lsp.CodeActionParams(
                self.document(name),
                diagnostic.range,
                lsp.CodeActionContext([diagnostic], **context),
            )
        )

    async def command(self, command, *arguments):
        return await self.client.workspace_execute_command_async(
            lsp.ExecuteCommandParams(command, list(arguments))
        )


def capabilities_of_most(**workspace):
    """What an editor can do that can do everything which the server asks for."""
    return lsp.ClientCapabilities(
        workspace=lsp.WorkspaceClientCapabilities(
            workspace_edit=lsp.WorkspaceEditClientCapabilities(document_changes=True), **workspace
        ),
        window=lsp.WindowClientCapabilities(
            work_done_progress=True, show_document=lsp.ShowDocumentClientCapabilities(True)
        ),
        text_document=lsp.TextDocumentClientCapabilities(
            completion=lsp.CompletionClientCapabilities(
                completion_item=lsp.ClientCompletionItemOptions(snippet_support=True)
            )
        ),
    )
