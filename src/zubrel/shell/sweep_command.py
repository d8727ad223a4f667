"""`zubrel sweep`: what becomes of a world when something in it is changed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click

from zubrel.base.plain import plain
from zubrel.policy import SEED
from zubrel.shell.draw_command import FORMATS
from zubrel.shell.exits import OK, STOPPED
from zubrel.shell.options import (
    SEARCHING,
    Common,
    common_options,
    example,
    format_option,
    jobs_option,
    take_common,
)
from zubrel.shell.streams import refuse_to_write_over, write_bytes, write_pretty, write_text
from zubrel.shell.surveys import at_work
from zubrel.swept.kept import Kept
from zubrel.swept.outcome import VariantOutcome
from zubrel.swept.settings import Texts, read_whole
from zubrel.swept.sweep import Sweep, VariantRow
from zubrel.swept.variants import AskedVariants, Chosen, variants_of
from zubrel.swept.workers import Cluster, InThisProcess, LocalProcesses, NoCluster, Workers


@click.command(
    "sweep",
    epilog=example(
        "zubrel sweep island.yaml --vary 'shops.stall.sells.wick=1..4'",
        "zubrel sweep island.yaml --each 'areas.*.finds' --jobs 2 --keep results",
        "zubrel sweep island.yaml --vary 'items.crowbar.uses=1,2,3' --without locks.hatch",
    ),
)
@click.argument("world")
@click.option(
    "--vary",
    multiple=True,
    metavar="PATH=VALUES",
    help="What stands at PATH (keys with dots between them) is each of VALUES: 1..4, or a,b,c.",
)
@click.option("--without", multiple=True, metavar="PATH", help="What stands at PATH is left out.")
@click.option(
    "--each",
    multiple=True,
    metavar="PATTERN",
    help="Whatever stands below PATTERN is left out, one at a time; * is any key.",
)
@click.option("--swap", is_flag=True, help="What two finds give is exchanged, for each two.")
@click.option("--variants", "file", metavar="FILE", help="Named variants, from a YAML file.")
@click.option("--one-at-a-time", is_flag=True, help="Each change by itself, not all combinations.")
@click.option(
    "--most",
    type=click.IntRange(1),
    metavar="N",
    help="Of more than N variants take a sample of N.",
)
@click.option("--seed", type=int, default=SEED, show_default=True, help="Draws the sample.")
@click.option(
    "--keep",
    "folder",
    metavar="DIR",
    help="Keep what is proved in DIR, and do only what is missing there.",
)
@click.option(
    "--picture",
    metavar="FILE",
    help="Draw what comes of one --vary as a line, of two as a grid (.png, .svg or .pdf).",
)
@jobs_option("Up to N variants are searched at once, each in a process.")
@click.option(
    "--cluster",
    metavar="ADDRESS",
    help="Search on a Dask cluster: tcp://HOST:PORT of its scheduler, or local.",
)
@format_option(["table", "csv", "json", "markdown"])
@common_options("output", "quiet", "color", *SEARCHING)
def sweep_command(
    world: str,
    vary: tuple[str, ...],
    without: tuple[str, ...],
    each: tuple[str, ...],
    swap: bool,
    file: str | None,
    one_at_a_time: bool,
    most: int | None,
    seed: int,
    folder: str | None,
    picture: str | None,
    jobs: int,
    cluster: str | None,
    form: str,
    **options: Any,
) -> int:
    """Check variants of WORLD, each completely and within the limits for itself: verdict, shortest
    win, what is open, and what is new or gone against the unchanged world. WORLD is never written.

    Exit code 0: each variant was decided; 3: a limit cut some search short.
    """
    common = take_common(options)
    asked = AskedVariants(vary, without, each, swap, file)
    # a sweep of nothing would be a check of the world, for which there is a command
    if asked == AskedVariants():
        raise click.UsageError("nothing varies: see --vary, --without, --each, --swap, --variants")
    limits = common.limits
    decisive = (f"{limits.engine}", f"{limits.situations}")
    with at_work(common) as meter:
        meter.stage("reading")
        texts = Texts(read_whole(world))
        chosen = variants_of(texts, asked, one_at_a_time, most, seed)
        refuse_to_write_over(common.output)
        # a picture that cannot be drawn is refused before hours of work
        form_of_picture = "" if picture is None else _form_of(picture, chosen)
        kept = Kept(folder, VariantOutcome, decisive)
        rows = list[VariantRow]()
        try:
            with _workers(common, jobs, cluster, len(chosen.variants)) as workers:
                rows += Sweep(texts, workers, meter, kept).rows(chosen.variants)
        except NoCluster as none:
            raise click.UsageError(str(none)) from None
        except OSError as error:
            words = error.strerror or str(error)
            raise click.UsageError(f"{plain(str(folder))} takes no results: {words}") from None
    from zubrel.output.sweeps import sweep_as_csv, sweep_as_json, sweep_as_markdown, write_sweep

    if form == "json":
        write_text(sweep_as_json(world, rows, chosen.out_of, seed), common.output)
    elif form == "csv":
        write_text(sweep_as_csv(rows), common.output)
    elif form == "markdown":
        write_text(sweep_as_markdown(rows, chosen.out_of, seed), common.output)
    else:
        out_of = chosen.out_of
        write_pretty(lambda c: write_sweep(rows, out_of, seed, c), common.output, common.color)
    if picture is not None:
        _draw(texts, chosen, rows, picture, form_of_picture)
    return OK if all(row.outcome.verdict != "incomplete" for row in rows) else STOPPED


def _workers(common: Common, jobs: int, cluster: str | None, variants: int) -> Workers:
    """Who searches: a cluster that was named, so many processes, or this one."""
    limits, on_check = common.limits, common.budget.on_check
    if cluster is not None:
        return Cluster(cluster, limits, on_check, jobs)
    if jobs > 1 and variants > 1:
        return LocalProcesses(limits, on_check, jobs)
    return InThisProcess(limits, on_check)


def _form_of(picture: str, chosen: Chosen) -> str:
    """The format of a picture, by the end of its name. Raises `click.UsageError`."""
    from zubrel.drawn.variants import MOST

    form = Path(picture).suffix.lower().removeprefix(".")
    if form not in FORMATS:
        words = f"{plain(picture)} does not end with .png, .svg or .pdf, which tells the format"
        raise click.UsageError(words)
    if not 1 <= len(chosen.axes) <= 2:
        raise click.UsageError("--picture shows one or two --vary, in all combinations")
    if any(len(values) > MOST for _, values in chosen.axes):
        raise click.UsageError(f"--picture has room for {MOST} values of each --vary")
    refuse_to_write_over(picture)
    return form


def _draw(
    texts: Texts, chosen: Chosen, rows: Sequence[VariantRow], picture: str, form: str
) -> None:
    from zubrel.drawn.variants import Axis, VariantCell, draw_variants

    axes = [Axis(*axis) for axis in chosen.axes]
    cells = []
    for row in rows[1:]:
        told = row.outcome
        softlocks = len(told.of_kind("softlock", "bad_luck", "bad_deal"))
        cells.append(VariantCell(told.verdict, told.length, told.shortest, softlocks))
    title = f"Variants of {plain(texts.title)}"
    write_bytes(draw_variants(title, axes, cells, form), picture)
