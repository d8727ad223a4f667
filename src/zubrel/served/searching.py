"""Work in a process of its own, which can be ended at any moment: a search that nobody wants the
result of any more is not waited for.
"""

from __future__ import annotations

import asyncio
import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.processes import live_with_parent
from zubrel.base.progress import Silence
from zubrel.checked.check import check
from zubrel.edited.knowledge import Knowledge, knowledge_of
from zubrel.findings.judged import Judged
from zubrel.mended.candidates import ACCEPTED
from zubrel.mended.edits import Edit
from zubrel.mended.files import Files
from zubrel.mended.mend import findings_to_mend, mender_of
from zubrel.mended.trials import Trials
from zubrel.narrated.report import Report
from zubrel.pipeline import report


class Searched(Struct, frozen=True):
    """What a search of some files has found."""

    report: Report
    knowledge: Knowledge | None


class MendingChange(Struct, frozen=True):
    """A change that mends a finding, in `words`, with its edits and how many findings go with it.

    `last`: it does not mend what is wrong, but ends the game there.
    """

    words: str
    edits: tuple[Edit, ...]
    gone: int
    last: bool


class Stage(Struct, frozen=True):
    """What is being done, for whoever waits."""

    words: str


class Ended(Exception):
    """The process was ended before it had an answer."""


class Worker:
    """A process that does one piece of work after the other, and is ended with `end`."""

    def __init__(self) -> None:
        self._context: Any = _context()
        self._process: Any = None
        self._ours: Any = None
        self._threads = ThreadPoolExecutor(1)
        self._beginning = threading.Lock()
        self._busy = self._closed = False
        self._turn = 0
        """Which piece of work it is: one that has lost its turn is not begun."""

    def prepare(self) -> None:
        """Begin to have a process ready, which takes a second where nothing is loaded yet."""
        if not self._closed:
            self._threads.submit(self.begin)

    def begin(self) -> None:
        """Have a process ready: it takes longer to begin than a small world to be searched."""
        with self._beginning:
            if not self._closed and (self._process is None or not self._process.is_alive()):
                self._ours, theirs = self._context.Pipe()
                self._process = self._context.Process(target=_work, args=(theirs,), daemon=True)
                self._process.start()
                theirs.close()

    async def do(
        self, work: Callable[..., Any], *given: Any, stage: Callable[[str], None] | None = None
    ) -> Any:
        """What `work`, a function of a module, makes of what is given and of a progress, whose
        stages come to `stage`; one at a time.

        Raises `Ended` where the process is ended before, and what the work raises of what is known.
        """
        self.end_if_busy()
        turn = self._turn
        loop = asyncio.get_running_loop()
        await loop.run_in_executor(self._threads, self.begin)
        ours = self._ours
        if turn != self._turn or ours is None:
            raise Ended  # while a process was begun for it, somebody else had a turn
        self._busy = True
        try:
            ours.send((work, given))
            while True:
                answer = await loop.run_in_executor(self._threads, _received, ours)
                if isinstance(answer, Stage):
                    if stage is not None:
                        stage(answer.words)
                elif isinstance(answer, Exception):
                    raise answer
                else:
                    return answer
        except OSError:
            raise Ended from None
        finally:
            if ours is self._ours:
                self._busy = False

    def end_if_busy(self) -> None:
        """End what is being done or about to be, if anything is; there is another process soon."""
        self._turn += 1
        if self._busy:
            self.end()
            self.prepare()

    def end(self) -> None:
        """End the process, also one that just begins."""
        with self._beginning:
            if self._process is not None:
                self._process.kill()
                self._process.join()
                self._process = None
        self._busy = False

    def close(self) -> None:
        """End the process, and the thread that listens to it."""
        self._closed = True
        self.end()
        self._threads.shutdown(wait=False, cancel_futures=True)


def _context() -> Any:
    """How processes are begun: where that can be, as forks of one that has loaded everything and
    done nothing, so that the next search need not load it again."""
    if "forkserver" in multiprocessing.get_all_start_methods():
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload([__name__])
        return context
    return multiprocessing.get_context("spawn")


def _received(ours: Any) -> Any:
    try:
        return ours.recv()
    except (EOFError, OSError):
        return Ended()


def _work(theirs: Any) -> None:
    """In the process: work for as long as somebody has some."""
    live_with_parent()
    # what speaks the protocol is not for words of this process
    with suppress(OSError):
        os.dup2(2, 1)
    while True:
        try:
            work, given = theirs.recv()
        except (EOFError, OSError):
            return
        try:
            answer = work(*given, _StagesToOther(theirs))
        except (InvalidInput, LimitReached) as error:
            answer = error
        except MemoryError:
            answer = LimitReached("the memory of this machine")
        except Exception as error:  # of this program: the editor goes on without an answer
            answer = RuntimeError(f"{type(error).__name__}: {error}")
        theirs.send(answer)


class _StagesToOther(Silence):
    """A progress that tells the other process."""

    def __init__(self, theirs: Any) -> None:
        self.theirs = theirs

    def stage(self, words: str) -> None:
        self.theirs.send(Stage(words))


def searched(main: str, texts: dict[str, str], limits: Limits, progress: Silence) -> Searched:
    """What can be proved of some texts, by their paths; `main` is the first file."""
    files = Files(main, texts)
    document = files.document()
    budget = Budget(limits)
    judged: list[Judged[Any]] = []
    told = report(check(document), budget, progress, True, seen=judged.append)
    # of a cut search only its report is known
    if not judged or not told.complete:
        return Searched(told, None)
    try:
        known = knowledge_of(judged[-1], files.document(), budget)
    except (LimitReached, MemoryError):
        known = None
    return Searched(told, known)


def mended(
    main: str,
    texts: dict[str, str],
    limits: Limits,
    kind: str,
    subject: str,
    progress: Silence,
) -> list[MendingChange]:
    """The changes that are proved to mend a finding, the best first."""
    files = Files(main, texts)
    budget = Budget(limits)
    progress.stage("searching")
    mender = mender_of(files, budget, progress)
    # plain edits: this runs in a process of its own, and what it says is sent back
    changes: list[MendingChange] = []
    with Trials(budget, progress) as trials:
        for finding in findings_to_mend(mender.before, kind, subject):
            for proposal in mender.of(finding, trials).proposals:
                if proposal.words == ACCEPTED:
                    continue  # the editor offers that by itself, with a reason
                edits, gone = proposal.candidate.edits, len(proposal.gone)
                changes.append(MendingChange(proposal.words, edits, gone, proposal.last))
    return changes


def paged(main: str, texts: dict[str, str], limits: Limits, progress: Silence) -> str:
    """The page of a world, as `zubrel report` writes it."""
    from zubrel.narrated.tables import SECTIONS, listing
    from zubrel.output.page import fingerprint_of, limits_in_words, page

    files = Files(main, texts)
    document = files.document()
    world = check(document)
    budget = Budget(limits)
    told = report(world, budget, progress, with_outline=True, with_odds=True)
    listings = [listing(world, section) for section in SECTIONS]
    paths = sorted({source.path for source in document.files})
    contents = (texts[p].encode() if p in texts else Path(p).read_bytes() for p in paths)
    return page(told, listings, fingerprint_of(contents), limits_in_words(limits))
