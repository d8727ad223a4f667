"""What an editor shows while something takes its time."""

from __future__ import annotations

import asyncio
from contextlib import suppress
from typing import Any
from uuid import uuid4

from lsprotocol import types as lsp
from pygls.lsp.server import LanguageServer

from zubrel.served.searching import Worker


class WaitingServer(LanguageServer):
    """A server that knows what the author waits for, by the tokens of the bars."""

    def __init__(self, name: str, version: str) -> None:
        super().__init__(name, version)
        self.waiting: dict[int | str, Waiting] = {}

    def can(self, *names: str) -> bool:
        """Whether the capability of the editor that is named by a path of attributes is there."""
        value: Any = self.client_capabilities
        for name in names:
            value = getattr(value, name, None)
        return bool(value)


class Waiting:
    """A progress bar of the editor while a worker is at work, with which that can be ended.

    It is shown `after` so many seconds: what is done sooner needs none.
    """

    def __init__(
        self, server: WaitingServer, worker: Worker, title: str, after: float = 0.0
    ) -> None:
        self.server = server
        self.worker = worker
        self.title = title
        self.after = after
        self.token: str | None = None
        self._words = ""
        self._name = f"zubrel-{uuid4()}"
        self._showing: asyncio.Task[None] | None = None

    async def __aenter__(self) -> Waiting:
        if self.server.can("window", "work_done_progress"):
            self._showing = asyncio.ensure_future(self._show())
        return self

    async def _show(self) -> None:
        if self.after:
            await asyncio.sleep(self.after)
        token = self._name
        # heard by its name: the author may be quicker than the library
        self.server.waiting[token] = self
        progress = self.server.work_done_progress
        with suppress(Exception):  # an editor that promised it, and cannot
            await progress.create_async(token)
            self.token = token
            progress.begin(token, lsp.WorkDoneProgressBegin(self.title, cancellable=True))
            if self._words:
                self.stage(self._words)

    def cancel(self) -> None:
        """The author wants to wait no longer."""
        self.worker.end_if_busy()

    def stage(self, words: str) -> None:
        """Say what is being done."""
        self._words = words
        if self.token is not None:
            report = lsp.WorkDoneProgressReport(message=words[:200])
            self.server.work_done_progress.report(self.token, report)

    async def __aexit__(self, kind: type[BaseException] | None, *error: object) -> None:
        if self._showing is not None and self.token is None:
            self._showing.cancel()
        if kind is asyncio.CancelledError:  # the request was
            self.worker.end_if_busy()
        if self.token is not None:
            self.server.work_done_progress.end(self.token, lsp.WorkDoneProgressEnd())
            self.server.work_done_progress.tokens.pop(self.token, None)
        self.server.waiting.pop(self._name, None)
