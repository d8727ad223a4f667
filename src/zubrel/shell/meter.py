"""Telling on standard error how far a long search is."""

from __future__ import annotations

import sys
import time

from zubrel.base.budget import Budget
from zubrel.narrated.words import counted

AFTER_SECONDS = 1.0
EVERY_SECONDS = 0.1
SAID_EVERY = 10.0
"""Seconds between two lines where standard error is no terminal."""
WIDTH = 24


class Meter:
    """A `Progress` on standard error.

    On a terminal one line that is drawn anew, after the first second: a bar where it is known how
    much there is to look at, else what is being done and for how long. Elsewhere a line now and
    then; with `quiet` nothing at all.
    """

    def __init__(self, budget: Budget, quiet: bool = False) -> None:
        there = sys.stderr is not None
        self.drawing = there and not quiet and sys.stderr.isatty()
        self.saying = there and not quiet and not self.drawing
        self.budget = budget
        self.drawn = False
        self.words = self.extent = ""
        self.drawn_at = 0.0
        self.said_at = time.monotonic()
        budget.on_look = self.look

    def stage(self, words: str) -> None:
        self.words, self.extent = words, ""
        self.look(True)

    def reached(self, situations: int, open_situations: int | None) -> None:
        known = counted(situations, "situation")
        if open_situations is None:
            self.extent = known
        else:
            done = int((1 - open_situations / max(1, situations)) * WIDTH)
            bar = ("#" * done).ljust(WIDTH, ".")
            self.extent = f"[{bar}] {known}, {open_situations:,} to go"
        self.look()

    def look(self, at_once: bool = False) -> None:
        """Tell, if it is time to: whatever is at work calls this now and then."""
        now = time.monotonic()
        if self.drawing and self.budget.seconds() > AFTER_SECONDS:
            if at_once or now - self.drawn_at >= EVERY_SECONDS:
                self.drawn_at, self.drawn = now, True
                self._write(f"\r\x1b[2K{self._line()}")
        elif self.saying and now - self.said_at >= SAID_EVERY:
            self.said_at = now
            self._write(f"{self._line()}\n")

    def _line(self) -> str:
        words = f"{self.words} …"
        extent = f" {self.extent}," if self.extent else ""
        return f"{words}{extent} {self.budget.seconds():.0f} s"

    def _write(self, text: str) -> None:
        try:
            sys.stderr.write(text)
            sys.stderr.flush()
        except (OSError, ValueError):  # nobody can be told any more
            self.drawing = self.saying = False

    def clear(self) -> None:
        """Wipe the line, if one was drawn."""
        if self.drawn:
            self._write("\r\x1b[2K")
            self.drawn = False
        self.drawing = self.saying = False
        self.budget.on_look = None
