"""Worlds as they were in an earlier revision of a git repository."""

from __future__ import annotations

import posixpath
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

import click
from msgspec.structs import replace

from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping, Scalar, Sequence, compose
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.source import Source, Span

MOST_FILES, MOST_LINKS = 1_000, 10
LINK, FILES = "120000", ("100644", "100755")
"""How git names what a path of a revision is."""


@contextmanager
def world_at(path: str) -> Iterator[str]:
    """A file with the world that `path` names: the file itself, or `REV:path` taken out of git.

    Of a revision only the world and what it includes are read. Raises `click.UsageError` when
    there is no such revision, or no such file in it; problems of the world name its revision.
    """
    revision, colon, inside = path.partition(":")
    # a file whose name has a colon in it is still a file
    if not colon or Path(path).exists():
        yield path
        return
    taken = _Revision(revision, path)
    with TemporaryDirectory() as folder:
        try:
            yield taken.unpacked(inside, Path(folder))
        except InvalidInput as invalid:
            raise InvalidInput(_renamed(p, folder, revision) for p in invalid.diagnostics) from None


def _renamed(problem: Diagnostic, folder: str, revision: str) -> Diagnostic:
    """A problem with the places of a revision instead of those of the copies."""

    def named(span: Span) -> Span:
        path = Path(span.source.path)
        if not path.is_relative_to(folder):
            return span
        # as the user has named it: the copies are gone when this is read
        name = f"{revision}:{path.relative_to(folder).as_posix()}"
        return replace(span, source=Source(name, span.source.lines))

    return replace(
        problem,
        message=problem.message.replace(f"{folder}/", f"{revision}:"),
        span=problem.span and named(problem.span),
        also=tuple((words, named(span)) for words, span in problem.also),
    )


class _Revision:
    """The files of one revision, by their paths from the top of the repository."""

    def __init__(self, revision: str, asked: str) -> None:
        self.revision = revision
        self.asked = asked
        try:
            self.top = _git("rev-parse", "--show-toplevel").decode().strip()
            # a revision that begins like an option must not become one
            commit = self._tell(
                "rev-parse", "--verify", "--quiet", "--end-of-options", f"{revision}^{{commit}}"
            )
        except FileNotFoundError:
            raise click.UsageError(f"{asked} needs git, which is not installed") from None
        except subprocess.CalledProcessError as error:
            words = error.stderr.decode(errors="replace").strip().splitlines()
            reason = words[-1] if words else f"it knows no revision {revision}"
            raise click.UsageError(
                f"there is no file {asked}, and as a revision git says: {reason}"
            ) from None
        self.commit = commit.decode().strip()

    def _tell(self, *arguments: str) -> bytes:
        return _git("-C", self.top, *arguments)

    def unpacked(self, inside: str, folder: Path) -> str:
        """Write a world and all that it includes below a folder; where the world is."""
        (folder / ".git").mkdir()  # what is below belongs together, as in the repository
        main, done, waiting = posixpath.normpath(inside), set[str](), [posixpath.normpath(inside)]
        if self._content(main) is None:
            raise click.UsageError(
                f"revision {self.revision} has no file {inside}; "
                "write the path from the top of the repository, as in HEAD~1:worlds/island.yaml"
            )
        while waiting and len(done) < MOST_FILES:
            path = waiting.pop()
            content = None if path in done else self._content(path)
            done.add(path)
            if content is None:
                continue  # whoever includes it is told that it is not there
            target = folder / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content)
            waiting += _included_by(str(target), path)
        return str(folder / main)

    def _content(self, path: str) -> bytes | None:
        """What a file has in the revision; links are followed, but never out of it."""
        # links in a repository may go in circles
        for _ in range(MOST_LINKS):
            if path.startswith(("/", "..")) or "\0" in path:
                return None
            listed = self._tell("ls-tree", "-z", self.commit, "--", path).split(b"\0")[0]
            mode, _, remaining = listed.decode(errors="replace").partition(" ")
            if mode not in (LINK, *FILES):
                return None
            content = self._tell("cat-file", "blob", remaining.split()[1])
            if mode != LINK:
                return content
            there = content.decode(errors="replace")
            path = posixpath.normpath(posixpath.join(posixpath.dirname(path), there))
        return None


def _included_by(file: str, path: str) -> list[str]:
    """The paths of what a file includes; none where it is no world."""
    # tables include nothing
    if path.lower().endswith(".csv"):
        return []
    try:
        root = compose(*read_source(file), [])
    except InvalidInput:
        return []
    include = root.get("include") if isinstance(root, Mapping) else None
    nodes = include.items if isinstance(include, Sequence) else [include]
    return [
        posixpath.normpath(posixpath.join(posixpath.dirname(path), node.text))
        for node in nodes
        if isinstance(node, Scalar) and node.text
    ]


def _git(*arguments: str) -> bytes:
    return subprocess.run(["git", *arguments], check=True, capture_output=True).stdout
