"""Problems in what the user wrote, each with its place, the line, a caret and a way out."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.plain import plain
from zubrel.base.source import Span

WIDEST_EXCERPT = 100


class Diagnostic(Struct, frozen=True):
    """One problem: a code of `codes.py`, what is wrong, where, and what to do about it."""

    code: str
    message: str
    span: Span | None = None
    hint: str | None = None
    also: tuple[tuple[str, Span], ...] = ()
    alike: int = 0
    """How many others say the same of other places, and are left out."""

    def order(self) -> tuple[str, int, int, str]:
        return (*(self.span.order() if self.span else ("", 0, 0)), self.message)


MOST_ALIKE, MOST = 3, 100
"""Problems with the same words that are told, and problems that are told at all."""


class InvalidInput(Exception):
    """What the user gave cannot be used.

    `diagnostics` are the problems in the order of their places; of many alike only the first, with
    the number of the others. `more` are how many are left out in all.
    """

    def __init__(self, diagnostics: Iterable[Diagnostic]) -> None:
        every = sorted(set(diagnostics), key=Diagnostic.order)
        # one mistake made a hundred times is told a few times, and counted
        alike: dict[tuple[str, str], list[Diagnostic]] = {}
        for problem in every:
            alike.setdefault((problem.code, problem.message), []).append(problem)
        mentioned = [
            replace(p, alike=len(same_message) - MOST_ALIKE)
            if n == MOST_ALIKE - 1 < len(same_message) - 1
            else p
            for same_message in alike.values()
            for n, p in enumerate(same_message[:MOST_ALIKE])
        ]
        self.diagnostics = tuple(sorted(mentioned, key=Diagnostic.order)[:MOST])
        self.more = len(every) - len(self.diagnostics)
        super().__init__("; ".join(d.message for d in self.diagnostics))

    def __reduce__(self) -> tuple[Any, ...]:
        # an exception is made again of its words, when it comes from another process; this one
        # of what it told, which is in order and shortened already
        return _told_again, (self.diagnostics, self.more)


def _told_again(diagnostics: tuple[Diagnostic, ...], more: int) -> InvalidInput:
    invalid = InvalidInput(diagnostics)
    invalid.diagnostics, invalid.more = diagnostics, more
    return invalid


class Problems:
    """A growing list of problems, so that all of a file are told at once."""

    def __init__(self) -> None:
        self.diagnostics: list[Diagnostic] = []

    def add(
        self,
        code: str,
        message: str,
        span: Span | None,
        hint: str | None = None,
        also: tuple[tuple[str, Span], ...] = (),
    ) -> None:
        self.diagnostics.append(Diagnostic(code, message, span, hint, also))

    def stop_if_any(self) -> None:
        """Raise `InvalidInput` when anything was found."""
        if self.diagnostics:
            raise InvalidInput(self.diagnostics)


def describe(problem: Diagnostic) -> str:
    """The problem as plain text of several lines, without colour."""
    place = f"{problem.span.place}  " if problem.span else ""
    lines = [f"{place}{problem.message}"]
    # the line and a caret, wherever the problem has a place
    if problem.span:
        lines += excerpt(problem.span)
    for message, span in problem.also:
        lines.append(f"  {span.place}  {message}")
        lines += excerpt(span)
    if problem.hint:
        lines += [f"  {line}" for line in problem.hint.splitlines()]
    if problem.alike:
        lines.append(f"  and {problem.alike:,} more like this")
    return "\n".join(map(plain, lines))


def excerpt(span: Span) -> list[str]:
    """The line of `span` and a second line with carets under it; none for an empty line."""
    text = span.source.line(span.line)
    if not text.strip():
        return []
    start = span.column - 1
    first = max(0, min(start - 20, len(text) - WIDEST_EXCERPT)) if start > 70 else 0
    shown = "".join(c if c.isprintable() else " " for c in text[first : first + WIDEST_EXCERPT])
    offset = start - first
    width = max(1, min(span.width, len(shown) - offset))
    return [f"    {shown}", f"    {' ' * offset}{'^' * width}"]
