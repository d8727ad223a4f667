"""A line on the terminal that tells how far a long search is."""

from __future__ import annotations

import sys
import time

AFTER_SECONDS = 1.0
EVERY_SECONDS = 0.1
WIDTH = 24


class Meter:
    """A `Progress` on standard error, silent for the first second and off a terminal.

    Nobody knows how many situations there will be, so the bar shows how much of what is known has
    been looked at: it grows to its full width at the end of the search.
    """

    def __init__(self) -> None:
        self.listening = sys.stderr.isatty()
        self.started = time.monotonic()
        self.last = 0.0
        self.drawn = False
        self.words = ""

    def stage(self, words: str) -> None:
        self.words = words
        self._draw(f"{words} …")

    def reached(self, situations: int, open_situations: int) -> None:
        done = 1 - open_situations / max(1, situations)
        bar = ("#" * int(done * WIDTH)).ljust(WIDTH, ".")
        self._draw(f"{self.words} [{bar}] {situations:,} situations, {open_situations:,} to go")

    def _draw(self, text: str) -> None:
        now = time.monotonic()
        if not self.listening or now - self.started < AFTER_SECONDS:
            return
        if now - self.last >= EVERY_SECONDS:
            self.last, self.drawn = now, True
            sys.stderr.write(f"\r\x1b[2K{text}")
            sys.stderr.flush()

    def clear(self) -> None:
        """Wipe the line, if one was drawn."""
        if self.drawn:
            sys.stderr.write("\r\x1b[2K")
            sys.stderr.flush()
            self.drawn = False
