"""Standard output and files, colours and widths: what the commands write to."""

from __future__ import annotations

import contextlib
import os
import sys
import tempfile
from collections.abc import Callable
from io import StringIO
from pathlib import Path
from typing import TYPE_CHECKING

import click

from zubrel.atoms.diagnostics import InvalidInput, describe

if TYPE_CHECKING:
    from rich.console import Console

FILE_WIDTH = 100


def write_text(text: str, path: str | None) -> None:
    """`text` to the file at `path`, whole or not at all; without a path to standard output."""
    if path is None:
        sys.stdout.write(text)
        sys.stdout.flush()
        return
    write_bytes(text.encode("utf-8"), path)


def write_bytes(content: bytes, path: str) -> None:
    """`content` to the file at `path`, whole or not at all."""
    target = Path(path)
    try:
        handle, beside = tempfile.mkstemp(dir=target.parent or ".", prefix=".zubrel-")
    except OSError as error:
        raise click.UsageError(f"{path} cannot be written: {error.strerror}") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        os.chmod(beside, 0o666 & ~_umask())
        os.replace(beside, target)
    except OSError as error:
        raise click.UsageError(f"{path} cannot be written: {error.strerror}") from None
    finally:
        with contextlib.suppress(FileNotFoundError):
            os.unlink(beside)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def write_pretty(draw: Callable[[Console], None], path: str | None, color: bool) -> None:
    """What `draw` prints: to the terminal as wide as it is, or as plain text into a file."""
    from rich.console import Console

    if path is None:
        draw(_terminal(color))
        return
    memory = StringIO()
    draw(Console(file=memory, width=FILE_WIDTH, no_color=True, highlight=False, emoji=False))
    write_text(memory.getvalue(), path)


def _terminal(color: bool) -> Console:
    from rich.console import Console

    wide = sys.stdout.isatty() or "COLUMNS" in os.environ
    return Console(
        highlight=False, emoji=False, markup=False, no_color=not color or None,
        width=None if wide else FILE_WIDTH,
    )  # fmt: skip


def write_problems(invalid: InvalidInput) -> None:
    """Every problem on standard error, and how many there are when there are several."""
    click.echo("\n\n".join(describe(problem) for problem in invalid.diagnostics), err=True)
    if len(invalid.diagnostics) > 1:
        click.echo(f"\n{len(invalid.diagnostics)} problems", err=True)
