"""`zubrel report`: one page for whoever uses no terminal."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from zubrel.authored.document import read_document
from zubrel.base.budget import Budget, LimitReached
from zubrel.base.progress import Progress
from zubrel.checked.world import World
from zubrel.findings.judged import Judged
from zubrel.narrated.report import Report
from zubrel.narrated.tables import SECTIONS, listing
from zubrel.pipeline import report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED, OK, STOPPED
from zubrel.shell.options import SEARCHING, common_options, example, jobs_option, take_common
from zubrel.shell.streams import write_text
from zubrel.shell.surveys import at_work, loaded

if TYPE_CHECKING:
    from zubrel.mended.mend import Mended

SUFFIXES = (".html", ".htm")


@click.command(
    "report",
    epilog=example(
        "zubrel report island.yaml -o island.html",
        "zubrel report island.yaml -o island.html --mends --jobs 2",
    ),
)
@click.argument("world")
@click.option("--mends", is_flag=True, help="With changes that mend, searched one by one.")
@jobs_option("Up to N of the changed worlds at once, each in a process.")
@common_options("output", "quiet", *SEARCHING)
def report_command(world: str, mends: bool, jobs: int, **options: Any) -> int:
    """Write everything about WORLD into one HTML page (-o FILE.html): verdict, findings with their
    walks to be stepped through on the map, pictures, what every win includes, tables; --mends also
    what would mend each error and warning. It needs no network and no other file.

    The exit code is 0 when the page was written, whatever it says; 3 when a limit was hit.
    """
    from zubrel.output.page import limits_in_words, page

    common = take_common(options)
    if common.output is None:
        raise click.UsageError("say where the page goes: -o FILE.html")
    # a name that promises another format would open in the wrong program
    if Path(common.output).suffix.lower() not in SUFFIXES:
        raise click.UsageError(f"the page is HTML: name a file that ends with {SUFFIXES[0]}")
    read = loaded(world, common)
    # the search of the report serves the mends as well
    judged: list[Judged[Any]] = []
    with at_work(common) as meter:
        seen = judged.append if mends else None
        told_world = report(
            read, common.budget, meter, with_outline=True, seen=seen, with_odds=True
        )
        proposed: list[Mended] = []
        if mends and told_world.complete:
            known = judged[0] if judged else None
            proposed = _mended(world, read, told_world, known, common.budget, meter, jobs)
    listings = [listing(read, section) for section in SECTIONS]
    text = page(told_world, listings, _fingerprint(world), limits_in_words(common.limits), proposed)
    write_text(text, common.output)
    if told_world.stopped == CTRL_C:
        return INTERRUPTED
    return OK if told_world.complete else STOPPED


def _mended(
    path: str,
    world: World,
    told: Report,
    judged: Judged[Any] | None,
    budget: Budget,
    progress: Progress,
    jobs: int,
) -> list[Mended]:
    """Proposals for each finding that is drawn, notes left out. A limit leaves out the rest."""
    from zubrel.mended.files import Files
    from zubrel.mended.mend import Mender
    from zubrel.mended.trials import Trials
    from zubrel.output.entries import entries

    mender = Mender(Files.read(path), world, told, judged, budget.work)
    drawn = entries([f for f in told.findings if not f.accepted])
    proposed: list[Mended] = []
    with Trials(budget, progress, jobs) as trials, suppress(LimitReached):
        # notes suggest nothing that a page should print by itself
        for entry in drawn:
            if entry.leading.severity != "note":
                proposed.append(mender.of(entry.leading, trials))
    return proposed


def _fingerprint(world: str) -> str:
    from zubrel.output.page import fingerprint_of

    paths = sorted({source.path for source in read_document(world).files})
    return fingerprint_of(Path(path).read_bytes() for path in paths)
