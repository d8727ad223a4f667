"""Results of proofs in a folder, one small file each, found again by what they are about."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import Generic, TypeVar

import msgspec

from zubrel import __version__
from zubrel.swept.settings import told_apart

T = TypeVar("T", bound=msgspec.Struct)


class Kept(Generic[T]):
    """A folder of results of one type; without a folder nothing is kept.

    A result is named by the texts that it is about, the options that decide it, and the version of
    the program: whatever of these changes, it is not found any more.
    """

    def __init__(self, folder: str | None, kind: type[T], options: tuple[str, ...]) -> None:
        self.folder = None if folder is None else Path(folder)
        self.kind = kind
        self.options = options

    def name_of(self, texts: Mapping[str, str]) -> str:
        """The name of the file with the result on some files, by their paths."""
        digest = hashlib.sha256(repr((__version__, self.kind.__name__, self.options)).encode())
        for path, text in sorted(told_apart(texts).items()):
            for part in (path, text):
                digest.update(f"{len(part)}:".encode())
                digest.update(part.encode("utf-8", "surrogatepass"))
        return f"{digest.hexdigest()[:32]}.json"

    def find(self, name: str) -> T | None:
        """What is kept under a name; None where nothing is, or the file is not whole."""
        if self.folder is None:
            return None
        try:
            content = (self.folder / name).read_bytes()
            return msgspec.json.decode(content, type=self.kind)
        except (OSError, msgspec.MsgspecError):
            return None

    def keep(self, name: str, result: T) -> None:
        """Keep a result under a name: whole or not at all. Raises `OSError`."""
        if self.folder is None:
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        # beside its place, so that it can be renamed into it: several processes may write at once
        with tempfile.NamedTemporaryFile(dir=self.folder, suffix=".part", delete=False) as part:
            part.write(msgspec.json.encode(result))
        try:
            os.replace(part.name, self.folder / name)
        except OSError:
            with suppress(OSError):
                os.unlink(part.name)
            raise
