"""Reading the text of a file, or saying in one line why it cannot be read."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.plain import plain
from zubrel.base.source import Source, Span

LARGEST_FILE = 50 * 2**20
_READ: set[tuple[int, int]] = set()
"""Every file that this process has read, by device and number: no output goes there."""


def was_read(path: str) -> bool:
    """Whether `path`, by whatever spelling or link, is a file that was read as input."""
    try:
        known = os.stat(path)
    except (OSError, ValueError):
        return False
    return stat.S_ISREG(known.st_mode) and (known.st_dev, known.st_ino) in _READ


def read_source(path: str, asked_by: Span | None = None) -> tuple[Source, str]:
    """The file at `path` as UTF-8 text, without a byte-order mark.

    `asked_by` is the place that names the file, for the message. Raises `InvalidInput` for a
    missing file, a directory, a file that is too large, binary or not UTF-8.
    """
    try:
        data = _bytes_of(path, only_files=asked_by is not None)
    # a path with a zero byte in it
    except ValueError:
        raise _refusal(
            "no-file", "the name of a file cannot hold this character", asked_by
        ) from None
    except FileNotFoundError:
        raise _refusal(
            "no-file", f"there is no file {plain(path)}", asked_by, _neighbour(path)
        ) from None
    except IsADirectoryError:
        hint = "Name the world file in it."
        raise _refusal("no-file", f"{plain(path)} is a folder", asked_by, hint) from None
    except OSError as error:
        words = f"{plain(path)} cannot be read: {error.strerror or error}"
        raise _refusal("no-file", words, asked_by) from None
    # a world of many MiB is a mistake: another file, most likely
    if len(data) > LARGEST_FILE:
        words = f"{plain(path)} is larger than {LARGEST_FILE // 2**20} MiB"
        raise _refusal("too-large", words, asked_by)
    return _decode(path, data)


def _bytes_of(path: str, only_files: bool) -> bytes:
    """What stands in a file. Pipes are read where the user named one, never because a file did."""
    known = os.stat(path)
    if stat.S_ISDIR(known.st_mode):
        raise IsADirectoryError
    if only_files and not stat.S_ISREG(known.st_mode):
        raise OSError(0, "it is no file but a pipe or a device")
    with open(path, "rb") as file:
        _READ.add((known.st_dev, known.st_ino))
        return file.read(LARGEST_FILE + 1)


def _decode(path: str, data: bytes) -> tuple[Source, str]:
    # a picture or a program has zero bytes near its beginning, and no text has
    if b"\0" in data[:65536]:
        raise InvalidInput(
            [
                Diagnostic(
                    "not-text",
                    f"{plain(path)} is not a text file",
                    None,
                    "A world is YAML text, saved as UTF-8.",
                )
            ]
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        # the place of the byte, counted in characters, as editors count
        before = data[: error.start].decode("utf-8", "replace")
        readable = Source.of(path, data.decode("utf-8", "replace"))
        line = before.count("\n") + 1
        column = len(before) - (before.rfind("\n") + 1) + 1
        raise _refusal(
            "not-text",
            "this byte is not UTF-8",
            Span(readable, line, column),
            "Save the file as UTF-8 in your editor.",
        ) from None
    return Source.of(path, text), text


def _neighbour(path: str) -> str | None:
    """A file in the same folder that may have been meant."""
    from zubrel.base.spelling import suggestion

    folder = Path(path).parent
    try:
        names = [entry.name for entry in folder.iterdir() if entry.is_file()]
    except OSError:
        return None
    return suggestion(Path(path).name, names)


def _refusal(code: str, message: str, span: Span | None, hint: str | None = None) -> InvalidInput:
    return InvalidInput([Diagnostic(code, message, span, hint)])
