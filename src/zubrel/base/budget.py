"""How far the work on a world may go: what the user allows, and work that is counted.

Two things end work. *Limits* (seconds, memory, situations) are the user's, and may depend on the
machine. *Work* is counted in units that are the same wherever the same world is looked at, so that
whatever is decided by it comes out the same everywhere. A unit takes about a microsecond on the
machine that docs/performance.md names.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from msgspec import Struct

ENGINES = ("auto", "explicit", "symbolic")
"""How a search may be made; `auto` picks."""
SECOND = 1_000_000
"""Units of work that take about a second."""
LOOK_EVERY = 4_000
"""Units of work between two looks at the limits."""
FOR_TELLING, LEAST_FOR_TELLING = 0.07, 0.25
"""The share of the time, and seconds at least, that are kept for telling what was found."""
AFTER_CTRL_C, AFTER_OTHER_LIMITS = 1.0, 30.0
"""Seconds at least that telling may take after Ctrl-C, and after limits of memory or situations:
so many that its work ends it, also where a machine is ten times as slow."""


class Limits(Struct, frozen=True):
    """What the user allows; None means no limit of that kind. Memory in bytes.

    `engine` is one of `ENGINES`.
    """

    situations: int | None = None
    seconds: float | None = None
    memory: int | None = None
    engine: str = "auto"


class LimitReached(Exception):
    """A limit ends the work; the message says which, and fits after "stopped at"."""


class WorkSpent(LimitReached):
    """A part of the work has had its share of units, and gives way to another."""


class NoRoom(LimitReached):
    """The address space of this process is too small for a way to search; others may do."""


class Interrupted(LimitReached):
    """The user asked for an end; what is known by then can still be told."""


class Allowance:
    """Units of work that several parts share."""

    def __init__(self, units: float) -> None:
        self.left = units


class Budget:
    """Limits with the clock running, and the work that was done so far.

    `before`: seconds that had passed already when it was made.
    """

    def __init__(self, limits: Limits, before: float = 0.0) -> None:
        self.limits = limits
        self.started = time.perf_counter() - before
        self.work = 0.0
        self.ended: LimitReached | None = None
        """Why the search is over, once a limit was reached."""
        self.on_check: Callable[[], None] | None = None
        """Called now and then, for whoever shows that the work goes on."""
        # work up to which the innermost share reaches
        self._ceiling = float("inf")
        self._meanwhile: tuple[float, Callable[[], None]] | None = None
        self._at_large = False
        self._next_look = 0.0
        self.is_telling = False
        self._told_by = float("inf")

    def seconds(self) -> float:
        """Seconds since the work began."""
        return time.perf_counter() - self.started

    # work

    def spend(self, units: float) -> None:
        """Count work. Raises `WorkSpent` past a share of it, `LimitReached` past a limit."""
        self.work += units
        if self.work >= self._next_look:
            self._next_look = self.work + LOOK_EVERY
            self.check_limits()
            if self._meanwhile is not None and self.work >= self._meanwhile[0]:
                (_, do), self._meanwhile = self._meanwhile, None
                do()
        if self.work > self._ceiling:
            raise WorkSpent("the end of its share of work")

    @contextmanager
    def within(self, units: float) -> Iterator[None]:
        """In its block, `spend` raises `WorkSpent` after so many units, or sooner if outer ones do.

        The ceiling goes with the block.
        """
        outer = self._ceiling
        self._ceiling = min(outer, self.work + units)
        try:
            yield
        finally:
            self._ceiling = outer

    @contextmanager
    def sharing(self, allowance: Allowance, most: float = float("inf")) -> Iterator[None]:
        """As `within`, with what is left of an allowance, and at `most` so many units of it."""
        began = self.work
        try:
            with self.within(min(allowance.left, most)):
                yield
        finally:
            allowance.left -= self.work - began

    def meanwhile(self, units: float, do: Callable[[], None], at_large: bool = False) -> None:
        """Once so much more work was done, interrupt it for something else, which counts aside;
        `at_large`: or as soon as the world is known to be no small one."""
        self._meanwhile, self._at_large = (self.work + units, do), at_large

    def found_large(self) -> None:
        """What is done meanwhile is due now, where it waits for a world that is no small one."""
        if self._meanwhile is not None and self._at_large:
            self._meanwhile = self.work, self._meanwhile[1]

    def nothing_meanwhile(self) -> None:
        """What was to be done in the midst of work is not done."""
        self._meanwhile = None

    def aside(self) -> Budget:
        """A budget of its own for work in between: the same limits and clock, another count."""
        other = Budget(self.limits)
        other.started = self.started
        other.is_telling, other._told_by = self.is_telling, self._told_by
        other.on_check = self.check_limits
        return other

    # limits

    def check_limits(self, situations: int = 0, more_memory: int = 0) -> None:
        """Raise `LimitReached` where a limit is reached with so many situations.

        `more_memory` are bytes that are about to be taken.
        """
        if self.on_check is not None:
            self.on_check()
        if self.ended is not None and not self.is_telling:
            raise self.ended
        words = self._reached(situations, more_memory)
        if words is not None:
            raise self.end(LimitReached(words))

    def _reached(self, situations: int, more_memory: int) -> str | None:
        limits = self.limits
        if limits.situations is not None and situations > limits.situations:
            return f"the limit of {limits.situations:,} situations"
        if self.seconds() > self.deadline:
            return (
                "the time for telling"
                if limits.seconds is None
                else (f"the limit of {limits.seconds:g} seconds")
            )
        # what is about to be taken counts already
        if limits.memory is not None and memory_used() + more_memory > limits.memory:
            return f"the limit of {limits.memory / 2**20:,.0f} MiB of memory"
        return None

    @property
    def deadline(self) -> float:
        """Seconds after which a search ends, or the telling of what was found; maybe never."""
        seconds = self.limits.seconds
        if self.is_telling:
            return self._told_by
        if seconds is None:
            return float("inf")
        return seconds - min(seconds / 2, max(LEAST_FOR_TELLING, seconds * FOR_TELLING))

    def end(self, why: LimitReached) -> LimitReached:
        """From now on `check_limits` raises `why`, or what came before it, until telling begins."""
        self.ended = self.ended or why
        return self.ended

    def begin_telling(self) -> None:
        """A limit ended the search; what is kept for telling what was found begins."""
        if self.is_telling:
            return
        self.is_telling = True
        # whoever has pressed Ctrl-C waits; else it is work that ends the telling, not the clock
        least = AFTER_CTRL_C if isinstance(self.ended, Interrupted) else AFTER_OTHER_LIMITS
        more = max(least, FOR_TELLING * self.seconds())
        self._told_by = self.seconds() + more
        if self.limits.seconds is not None:
            self._told_by = min(self._told_by, self.limits.seconds)


def memory_used() -> int:
    """Bytes of memory that this process holds now (its peak, where the system tells no more)."""
    try:
        with open("/proc/self/statm", "rb", buffering=0) as status:
            return int(status.read().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, ValueError):
        return _peak_memory()


def _peak_memory() -> int:
    try:
        import resource
    except ImportError:
        return 0
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak if sys.platform == "darwin" else peak * 1024


def memory_of_machine() -> int | None:
    """Bytes of memory that the machine has, or None where it does not tell."""
    try:
        return os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")
    except (AttributeError, OSError, ValueError):
        return None


def require_room(needed: int) -> None:
    """Raise `NoRoom` where this process may take less address space than so many bytes.

    For libraries that end the process when they are refused some.
    """
    left = address_space_left()
    if left is not None and left < needed:
        raise NoRoom("the limit of address space of this process")


def address_space_left() -> int | None:
    """Bytes of address space that this process may still take; None where nothing limits it."""
    try:
        import resource

        # a limit on addresses ends a program in the middle of an allocation
        most, _ = resource.getrlimit(resource.RLIMIT_AS)
        if most == resource.RLIM_INFINITY:
            return None
        with open("/proc/self/statm", "rb", buffering=0) as status:
            used = int(status.read().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    except (ImportError, OSError, ValueError):
        return None
    return max(0, most - used)
