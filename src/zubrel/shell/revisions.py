"""Worlds as they were in an earlier revision of a git repository."""

from __future__ import annotations

import io
import subprocess
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import click


@contextmanager
def world_at(path: str) -> Iterator[str]:
    """A file with the world that `path` names: the file itself, or `REV:path` taken out of git.

    With its whole tree, so that what it includes is there as well. Raises `click.UsageError` when
    there is no such revision, or no such file in it.
    """
    revision, colon, inside = path.partition(":")
    if not colon or Path(path).exists():
        yield path
        return
    with TemporaryDirectory() as folder:
        _unpack(revision, path, folder)
        file = Path(folder) / inside
        if not file.is_file():
            raise click.UsageError(
                f"revision {revision} has no file {inside}; "
                "write the path from the top of the repository, as in HEAD~1:worlds/island.yaml"
            )
        yield str(file)


def _unpack(revision: str, path: str, folder: str) -> None:
    try:
        top = _git("rev-parse", "--show-toplevel").decode().strip()
        packed = _git("-C", top, "archive", "--format=tar", "--end-of-options", revision)
    except FileNotFoundError:
        raise click.UsageError(f"{path} needs git, which is not installed") from None
    except subprocess.CalledProcessError as error:
        words = error.stderr.decode(errors="replace").strip().splitlines()
        reason = words[-1] if words else "git does not know it"
        raise click.UsageError(
            f"there is no file {path}, and as a revision git says: {reason}"
        ) from None
    with tarfile.open(fileobj=io.BytesIO(packed)) as archive:
        if hasattr(tarfile, "data_filter"):  # from Python 3.11.4 on
            archive.extraction_filter = tarfile.data_filter
        archive.extractall(folder)


def _git(*arguments: str) -> bytes:
    return subprocess.run(["git", *arguments], check=True, capture_output=True).stdout
