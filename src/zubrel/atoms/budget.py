"""How far a search may go: situations, seconds, memory."""

from __future__ import annotations

import os
import sys
import time

from msgspec import Struct

ENGINES = ("auto", "explicit", "symbolic")
"""How a search may be made; `auto` picks."""


class Limits(Struct, frozen=True):
    """What the user allows; None means no limit of that kind. Memory in bytes.

    `engine` is one of `ENGINES`.
    """

    situations: int | None = None
    seconds: float | None = None
    memory: int | None = None
    engine: str = "auto"


class Budget:
    """Limits with the clock running from the moment it is made."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self.started = time.perf_counter()
        self.until: float | None = None
        """Seconds since the start after which a part of the work has to give way to another."""

    def spent_by(self, situations: int) -> str | None:
        """Which limit is reached with so many situations found, or None.

        The words fit after "stopped:", for example `the limit of 60 seconds`.
        """
        limits = self.limits
        if limits.situations is not None and situations > limits.situations:
            return f"the limit of {limits.situations:,} situations"
        if limits.seconds is not None and self.seconds() > limits.seconds:
            return f"the limit of {limits.seconds:g} seconds"
        if self.until is not None and self.seconds() > self.until:
            return f"{self.until:.0f} seconds"
        if limits.memory is not None and memory_used() > limits.memory:
            return f"the limit of {limits.memory / 2**20:,.0f} MiB of memory"
        return None

    def seconds(self) -> float:
        """Seconds since the budget was made."""
        return time.perf_counter() - self.started


def memory_used() -> int:
    """Bytes of memory that this process holds now (its peak, where the system tells no more)."""
    try:
        with open("/proc/self/statm", encoding="ascii") as status:
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
