"""Reading the text of a file, or saying in one line why it cannot be read."""

from __future__ import annotations

from pathlib import Path

from zubrel.atoms.diagnostics import Diagnostic, InvalidInput
from zubrel.atoms.source import Source, Span

LARGEST_FILE = 50 * 2**20


def read_source(path: str, asked_by: Span | None = None) -> tuple[Source, str]:
    """The file at `path` as UTF-8 text, without a byte-order mark.

    `asked_by` is the place that names the file, for the message. Raises `InvalidInput` for a
    missing file, a directory, a file that is too large, binary or not UTF-8.
    """
    try:
        data = _bytes_of(Path(path))
    except FileNotFoundError:
        raise _refusal("no-file", f"there is no file {path}", asked_by, _neighbour(path)) from None
    except IsADirectoryError:
        hint = "Name the world file in it."
        raise _refusal("no-file", f"{path} is a folder", asked_by, hint) from None
    except OSError as error:
        words = f"{path} cannot be read: {error.strerror or error}"
        raise _refusal("no-file", words, asked_by) from None
    if len(data) > LARGEST_FILE:
        words = f"{path} is larger than {LARGEST_FILE // 2**20} MiB"
        raise _refusal("too-large", words, asked_by)
    return _decode(path, data)


def _bytes_of(path: Path) -> bytes:
    if path.is_dir():
        raise IsADirectoryError
    with open(path, "rb") as file:
        return file.read(LARGEST_FILE + 1)


def _decode(path: str, data: bytes) -> tuple[Source, str]:
    if b"\0" in data[:65536]:
        raise InvalidInput(
            [
                Diagnostic(
                    "not-text",
                    f"{path} is not a text file",
                    None,
                    "A world is YAML text, saved as UTF-8.",
                )
            ]
        )
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
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
    from zubrel.atoms.spelling import suggestion

    folder = Path(path).parent
    try:
        names = [entry.name for entry in folder.iterdir() if entry.is_file()]
    except OSError:
        return None
    return suggestion(Path(path).name, names)


def _refusal(code: str, message: str, span: Span | None, hint: str | None = None) -> InvalidInput:
    return InvalidInput([Diagnostic(code, message, span, hint)])
