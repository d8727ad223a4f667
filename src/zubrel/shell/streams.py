"""Standard output and files, colours and widths: what the commands write to."""

from __future__ import annotations

import codecs
import contextlib
import errno
import os
import stat
import sys
from collections.abc import Callable, Collection, Iterator, Mapping
from io import StringIO, TextIOWrapper
from typing import TYPE_CHECKING, Any

import click

from zubrel.authored.files import was_read
from zubrel.base.diagnostics import InvalidInput, describe
from zubrel.base.plain import plain, readable
from zubrel.shell.options import colors_wanted

if TYPE_CHECKING:
    from rich.console import Console

FILE_WIDTH = 100
NARROWEST = 40
DEGRADED = "zubrel-degraded"
UNWRITABLE = (errno.ENOSPC, errno.EDQUOT, errno.EIO, errno.EFBIG, errno.EBADF, errno.EPIPE)
"""Faults of where the output goes, not of the name that was given for it."""


class CannotWrite(Exception):
    """Output has nowhere to go: a full disk, a closed pipe."""


def prepare_streams() -> None:
    """Let signs that an encoding lacks be written in letters that it has, instead of failing."""
    codecs.register_error(DEGRADED, _degraded)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors=DEGRADED)


def _degraded(error: UnicodeError) -> tuple[str, int]:
    assert isinstance(error, UnicodeEncodeError), "only output is degraded"
    return readable(error.object[error.start : error.end]), error.end


# standard output


def say(text: str = "", **style: Any) -> None:
    """Words for a person on standard output, with a line end.

    In a `style` of click where somebody sees and wants it. Raises `CannotWrite`.
    """
    _print(styled(text, **style) + "\n")


def styled(text: str, **style: Any) -> str:
    """The text in a style of click, where somebody sees it and wants it."""
    return click.style(text, **style) if style and colors_wanted() else text


def note(text: str) -> None:
    """A line on standard error, where there is one."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        sys.stderr.write(text + "\n")
        sys.stderr.flush()


def _print(text: str) -> None:
    with _telling_faults():
        if sys.stdout is None:
            raise OSError(errno.EBADF, "it is closed")
        sys.stdout.write(text)
        sys.stdout.flush()


@contextlib.contextmanager
def _telling_faults() -> Iterator[None]:
    try:
        yield
    except BrokenPipeError:
        raise
    except OSError as error:
        raise CannotWrite(f"standard output cannot be written: {error.strerror}") from None


# files


def refuse_to_write_over(path: str | None) -> None:
    """Raise `click.UsageError` if `path` leads to a file that was read, by whatever spelling."""
    if path is not None and was_read(path):
        raise click.UsageError(
            f"{plain(path)} is a file that this command reads, and is never written over; "
            "name another one"
        )


def write_text(text: str, path: str | None) -> None:
    """Text for machines, in UTF-8: to the file at `path`, whole or not at all, or to standard
    output. Raises `click.UsageError` for a path that cannot be written, `CannotWrite`."""
    # half a pair of surrogates, as a path may have, is no UTF-8
    content = text.encode("utf-8", "backslashreplace")
    if path is not None:
        write_bytes(content, path)
        return
    # bytes, so that no system turns line ends or letters into others
    binary = getattr(sys.stdout, "buffer", None)
    if binary is None or sys.stdout.isatty():
        _print(text)
        return
    with _telling_faults():
        sys.stdout.flush()
        binary.write(content)
        binary.flush()


def write_bytes(content: bytes, path: str) -> None:
    """`content` to the file at `path`, whole or not at all; see `write_files`."""
    write_files({path: content})


def write_files(contents: Mapping[str, bytes], over: Collection[str] = ()) -> None:
    """Files, all of them or none. Those of `over` were read, and may be replaced all the same.

    Links are followed, files keep their modes, devices and pipes are written into as they are.
    Raises `click.UsageError` for a path that cannot be written or was read by this command,
    `CannotWrite` where the disk is full and the like.
    """
    # refused before anything is written
    for path in contents:
        if path not in over:
            refuse_to_write_over(path)
    beside: dict[str, str] = {}
    try:
        for path, content in contents.items():
            with _blaming(path):
                target = os.path.realpath(path)
                mode = _mode_of(target)
                # a pipe or a device is no file that another could take the place of
                if mode is not None and not stat.S_ISREG(mode):
                    with open(target, "wb") as stream:
                        stream.write(content)
                else:
                    beside[target] = _written_beside(target, content, mode)
        # all are written by now: renaming fails hardly ever, and leaves whole files
        for target, name in beside.items():
            with _blaming(target):
                os.replace(name, target)
    finally:
        for name in beside.values():
            with contextlib.suppress(OSError):
                os.unlink(name)


def _mode_of(target: str) -> int | None:
    try:
        return os.stat(target).st_mode
    except (OSError, ValueError):
        return None


def _written_beside(target: str, content: bytes, mode: int | None) -> str:
    """A new file with the content in the folder of `target`; its name."""
    import tempfile  # which takes longer to load than most worlds to check

    handle, name = tempfile.mkstemp(dir=os.path.dirname(target), prefix=".zubrel-")
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        os.chmod(name, 0o666 & ~_umask() if mode is None else stat.S_IMODE(mode))
    except BaseException:
        os.unlink(name)
        raise
    return name


@contextlib.contextmanager
def _blaming(path: str) -> Iterator[None]:
    try:
        yield
    except (OSError, ValueError) as error:
        words = getattr(error, "strerror", None) or str(error)
        message = f"{plain(path)} cannot be written: {words}"
        if isinstance(error, OSError) and error.errno in UNWRITABLE:
            raise CannotWrite(message) from None
        raise click.UsageError(message) from None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


# words for people


def write_pretty(draw: Callable[[Console], None], path: str | None, color: bool) -> None:
    """What `draw` prints: to the terminal as wide as it is, or as plain text into a file or pipe.

    Raises `click.UsageError` and `CannotWrite` as `write_files`.
    """
    from rich.console import Console

    if path is None and sys.stdout is not None and sys.stdout.isatty():
        draw(
            Console(
                highlight=False,
                emoji=False,
                markup=False,
                no_color=not color or None,
                width=_wide(),
            )
        )
        return
    # in a file the width of nobody's terminal
    width = FILE_WIDTH if path is not None else _wide() or FILE_WIDTH
    memory = StringIO()
    draw(
        Console(
            file=memory,
            width=width,
            no_color=True,
            highlight=False,
            emoji=False,
            markup=False,
            force_terminal=False,
        )
    )
    text = "".join(f"{line.rstrip()}\n" for line in memory.getvalue().splitlines())
    if path is None:
        _print(text)
    else:
        write_bytes(text.encode("utf-8", "replace"), path)


def _wide() -> int | None:
    """The width that the environment asks for; None: none."""
    columns = os.environ.get("COLUMNS", "")
    return (
        max(NARROWEST, int(columns))
        if columns.isascii() and columns.isdigit() and (0 < int(columns[:6]) < 100_000)
        else None
    )


def write_problems(invalid: InvalidInput) -> None:
    """Every problem on standard error, and how many there are when there are several."""
    note("\n\n".join(describe(problem) for problem in invalid.diagnostics))
    count = len(invalid.diagnostics) + invalid.more
    if count > 1:
        left = f", of which {len(invalid.diagnostics)} are shown" if invalid.more else ""
        note(f"\n{count} problems{left}")
