"""Telling on standard error how far a long search is."""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from zubrel.base.budget import Budget
from zubrel.narrated.words import counted

AFTER_SECONDS = 1.0
EVERY_SECONDS = 0.1
SAID_EVERY = 10.0
"""Seconds between two lines where standard error is no terminal."""
WIDTH = 24


class ProgressLine:
    """A `Progress` on standard error.

    On a terminal one line that is drawn anew, after the first second: what is being done, a bar,
    how much is known and for how long. Elsewhere a line now and then; with `quiet` nothing at all.
    """

    def __init__(self, budget: Budget, quiet: bool = False, color: bool = True) -> None:
        there = sys.stderr is not None
        self.drawing = there and not quiet and sys.stderr.isatty()
        self.saying = there and not quiet and not self.drawing
        self.budget = budget
        self.color = color
        self.words = self.extent = ""
        self.done: float | None = None
        """Which part of what is known has been looked at; None where nobody knows how much."""
        self.drawn_at = 0.0
        self.said_at = time.monotonic()
        self._bar: Any = None
        self._told = False
        budget.on_check = self.tick

    def stage(self, words: str) -> None:
        self.words, self.extent, self.done = words, "", None
        self.tick(True)

    def reached(self, situations: int, open_situations: int | None) -> None:
        self.extent = counted(situations, "situation")
        self.done = None
        if open_situations is not None:
            self.done = 1 - open_situations / max(1, situations)
            self.extent += f", {open_situations:,} to go"
        self.tick()

    def certain(self, lines: Sequence[str]) -> None:
        """On a terminal told at once, above the line; elsewhere it comes with the rest."""
        if self.drawing:
            try:
                self._draw()
                self._told = self._told or bool(lines)
                for line in lines:
                    self._bar.console.print(line, markup=False, soft_wrap=True)
            except (OSError, ValueError):
                self.drawing = False

    def tick(self, at_once: bool = False) -> None:
        """Tell, if it is time to: whatever is at work calls this now and then."""
        # the clock decides only when something is shown, never what is found
        now = time.monotonic()
        try:
            if self.drawing and self.budget.seconds() > AFTER_SECONDS:
                if at_once or now - self.drawn_at >= EVERY_SECONDS:
                    self.drawn_at = now
                    self._draw()
            elif self.saying and now - self.said_at >= SAID_EVERY:
                self.said_at = now
                extent = f" {self.extent}," if self.extent else ""
                sys.stderr.write(f"{self.words} …{extent} {self.budget.seconds():.0f} s\n")
                sys.stderr.flush()
        except (OSError, ValueError):  # nobody can be told any more
            self.drawing = self.saying = False

    def _draw(self) -> None:
        if self._bar is None:
            self._bar = self._begin()
        fields = {"extent": self.extent, "seconds": f"{self.budget.seconds():.0f} s"}
        total = None if self.done is None else 1.0
        task = self._bar.task_ids[0]
        self._bar.update(
            task, description=self.words, total=total, completed=self.done or 0, **fields
        )
        self._bar.refresh()

    def _begin(self) -> Any:
        """The line, drawn when told to and not by a thread: what is at work may be killed."""
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn

        class Listener(Console):
            def on_broken_pipe(self) -> None:  # it would end the program
                raise BrokenPipeError

        console = Listener(file=sys.stderr, no_color=not self.color, highlight=False)
        bar = Progress(
            TextColumn("{task.description} …", markup=False),
            BarColumn(WIDTH),
            TextColumn("{task.fields[extent]}", markup=False),
            TextColumn("{task.fields[seconds]}", markup=False),
            console=console,
            auto_refresh=False,
            transient=True,
            redirect_stdout=False,
            redirect_stderr=False,
        )
        bar.add_task("", total=None, extent="", seconds="")
        bar.start()
        console.show_cursor(True)  # nobody may be there to bring it back
        return bar

    def clear(self) -> None:
        """Wipe the line, if one was drawn."""
        if self._bar is not None:
            with suppress(OSError, ValueError):  # there is nothing left to wipe
                self._bar.stop()
            self._bar = None
            if self._told:
                print(file=sys.stderr)  # what comes next is the result
        self.drawing = self.saying = False
        self.budget.on_check = None
