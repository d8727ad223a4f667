"""`zubrel sweep`: what becomes of a world when something in it is changed."""

from __future__ import annotations

from typing import Any

import click

from zubrel.base.plain import plain
from zubrel.policy import SEED
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
from zubrel.shell.streams import refuse_to_write_over, write_pretty, write_text
from zubrel.shell.surveys import at_work
from zubrel.swept.kept import Kept
from zubrel.swept.outcome import Outcome
from zubrel.swept.settings import Texts, read_whole
from zubrel.swept.sweep import Row, Sweep
from zubrel.swept.variants import Asked, variants_of
from zubrel.swept.workers import Cluster, Here, NoCluster, Processes, Workers


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
    asked = Asked(vary, without, each, swap, file)
    if asked == Asked():
        raise click.UsageError("nothing varies: see --vary, --without, --each, --swap, --variants")
    limits = common.limits
    decisive = (f"{limits.engine}", f"{limits.situations}")
    with at_work(common) as meter:
        meter.stage("reading")
        texts = Texts(read_whole(world))
        chosen = variants_of(texts, asked, one_at_a_time, most, seed)
        refuse_to_write_over(common.output)
        kept = Kept(folder, Outcome, decisive)
        rows = list[Row]()
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
    return OK if all(row.outcome.verdict != "incomplete" for row in rows) else STOPPED


def _workers(common: Common, jobs: int, cluster: str | None, variants: int) -> Workers:
    """Who searches: a cluster that was named, so many processes, or this one."""
    limits, on_check = common.limits, common.budget.on_check
    if cluster is not None:
        return Cluster(cluster, limits, on_check, jobs)
    if jobs > 1 and variants > 1:
        return Processes(limits, on_check, jobs)
    return Here(limits, on_check)
