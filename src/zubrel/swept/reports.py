"""Reports that are kept: whole ones, found again while nothing that decides them has changed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec import Struct
from msgspec.structs import fields, replace

from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.mended.files import Files
from zubrel.narrated.narrate import nothing_known
from zubrel.narrated.report import Report
from zubrel.pipeline import report
from zubrel.swept.kept import Kept


def report_of(
    main: str, texts: dict[str, str], limits: Limits, with_progression: bool
) -> Report | InvalidInput:
    """In a worker: the report on the world in some texts by their paths, or what is wrong in it."""
    budget = Budget(limits)
    try:
        world = check(Files(main, texts).document())
        return report(world, budget, None, with_progression)
    except InvalidInput as invalid:
        return invalid
    except LimitReached as limit:
        return nothing_known(main, main, str(limit), budget.seconds())


class KeptReport(Struct, frozen=True):
    """A report without the lines of the files that it speaks of."""

    report: Report


class Reports:
    """Reports in a folder; `options` are all that decides one beside the files of its world."""

    def __init__(self, folder: str, options: tuple[str, ...]) -> None:
        self.folder = folder
        self.options = options

    def find(self, files: Files, seconds: float) -> Report | None:
        """The report on some files, which took `seconds` to be found; None where none is kept."""
        folder = self._kept(files)
        kept = folder.find(folder.name_of(files.texts))
        if kept is None:
            return None
        text = files.texts[files.main]
        document = document_of(Source.of(files.main, text), text, files.texts)
        sources = {source.path: source for source in document.files}
        told: Report = _with_sources(kept.report, sources)
        return replace(told, seconds=seconds, known=True)

    def keep(self, files: Files, told: Report) -> None:
        """Keep a report that no limit has cut short. Raises `OSError` where nothing can be."""
        if told.complete and not told.undecided:
            kept = self._kept(files)
            kept.keep(kept.name_of(files.texts), KeptReport(_with_sources(told, {})))

    def _kept(self, files: Files) -> Kept[KeptReport]:
        # what is told speaks of files by the path that they were given by
        return Kept(self.folder, KeptReport, (files.main, *self.options))


def _with_sources(thing: Any, sources: Mapping[str, Source]) -> Any:
    """The same with these sources in all its spans; those that are not known without lines."""
    # spans are kept without the texts of their files, and get those of today
    match thing:
        case Source(path):
            return sources.get(path) or Source(path, ())
        case Struct():
            every = {f.name: getattr(thing, f.name) for f in fields(thing)}
            changed = {n: _with_sources(value, sources) for n, value in every.items()}
            return replace(thing, **{n: v for n, v in changed.items() if v is not every[n]})
        case tuple():
            made = tuple(_with_sources(one, sources) for one in thing)
            return made if any(a is not b for a, b in zip(made, thing, strict=True)) else thing
    return thing
