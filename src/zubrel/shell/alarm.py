"""Limits and Ctrl-C, for work that does not look at them itself.

Searches look at their budget again and again, and end where they can still tell what they found.
Everything else is ended from outside, a little later: by a signal of the system where there are
such, which only the main thread can take.
"""

from __future__ import annotations

import signal
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType

from zubrel.base.budget import Budget, Interrupted, LimitReached, memory_used

EVERY = 0.1
"""Seconds between two looks."""
PATIENCE, AGAIN = 1.02, 0.4
"""How far past a limit work may be before it is ended from outside; seconds until it is again."""
CTRL_C = "Ctrl-C"
ANSWER = 1.0
"""Seconds that work has to end by itself after Ctrl-C."""


@contextmanager
def watched(budget: Budget) -> Iterator[None]:
    """In its block the limits of `budget` end everything, and Ctrl-C the search; a second Ctrl-C
    ends the program."""
    # only the main thread gets signals: elsewhere limits are looked at by the search alone
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    watch = _Watch(budget)
    before = signal.signal(signal.SIGINT, watch.interrupted)
    # systems without this signal still have Ctrl-C
    alarm = None
    if hasattr(signal, "setitimer"):
        alarm = signal.signal(signal.SIGALRM, watch.on_signal)
        signal.setitimer(signal.ITIMER_REAL, EVERY, EVERY)
    try:
        yield
    finally:
        if hasattr(signal, "setitimer"):
            # off first: no alarm may come while its handler is put back
            signal.setitimer(signal.ITIMER_REAL, 0)
            signal.signal(signal.SIGALRM, alarm)
        signal.signal(signal.SIGINT, before)


class _Watch:
    def __init__(self, budget: Budget) -> None:
        self.budget = budget
        self.asked: float | None = None
        self.raised = 0.0

    def interrupted(self, number: int, frame: FrameType | None) -> None:
        if self.asked is not None:
            raise KeyboardInterrupt
        self.asked = time.monotonic()
        self.budget.end(Interrupted(CTRL_C))

    def on_signal(self, number: int, frame: FrameType | None) -> None:
        why = self._overdue()
        if why is None or _not_to_be_ended(frame):
            return
        if time.monotonic() - self.raised > AGAIN:
            self.raised = time.monotonic()
            raise self.budget.end(why)

    def _overdue(self) -> LimitReached | None:
        budget, limits = self.budget, self.budget.limits
        if self.asked is not None and not budget.is_telling:
            return Interrupted(CTRL_C) if time.monotonic() - self.asked > ANSWER else None
        if budget.seconds() > budget.deadline * PATIENCE:
            return LimitReached(
                "the time for telling"
                if limits.seconds is None
                else f"the limit of {limits.seconds:g} seconds"
            )
        if limits.memory is not None and memory_used() > limits.memory * PATIENCE:
            return LimitReached(f"the limit of {limits.memory / 2**20:,.0f} MiB of memory")
        return None


def _not_to_be_ended(frame: FrameType | None) -> bool:
    """Whether a library is being imported, something that is no more is being forgotten, or a
    library asks for the value of an enumeration.

    A library half imported would be there, and of no use; what is raised while a weak reference
    is told of its end goes to nobody but standard error; and the diagrams take whatever is raised
    while they ask for the value of an operator for an operator of a wrong type.
    """
    while frame is not None:
        name = frame.f_code.co_filename
        if name.startswith("<frozen importlib") or name.endswith(("weakref.py", "enum.py")):
            return True
        frame = frame.f_back
    return False
