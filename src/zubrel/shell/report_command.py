"""`zubrel report`: one page for whoever uses no terminal."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

import click

from zubrel.authored.document import read_document
from zubrel.base.budget import Limits
from zubrel.narrated.tables import SECTIONS, listing
from zubrel.pipeline import report
from zubrel.shell.alarm import CTRL_C
from zubrel.shell.exits import INTERRUPTED, OK, STOPPED
from zubrel.shell.options import SEARCHING, common_options, example, take_common
from zubrel.shell.streams import write_text
from zubrel.shell.surveys import at_work, loaded

SUFFIXES = (".html", ".htm")


@click.command("report", epilog=example("zubrel report island.yaml -o island.html"))
@click.argument("world")
@common_options("output", "quiet", *SEARCHING)
def report_command(world: str, **options: Any) -> int:
    """Write everything about WORLD into one HTML page (-o FILE.html): verdict, findings with their
    walks, pictures, what every win includes, tables. It needs no network and no other file.

    The exit code is 0 when the page was written, whatever it says; 3 when a limit was hit.
    """
    from zubrel.output.page import page

    common = take_common(options)
    if common.output is None:
        raise click.UsageError("say where the page goes: -o FILE.html")
    if Path(common.output).suffix.lower() not in SUFFIXES:
        raise click.UsageError(f"the page is HTML: name a file that ends with {SUFFIXES[0]}")
    read = loaded(world, common)
    with at_work(common) as meter:
        told_world = report(read, common.budget, meter, with_outline=True)
    listings = [listing(read, section) for section in SECTIONS]
    write_text(
        page(told_world, listings, _fingerprint(world), _words(common.limits)), common.output
    )
    if told_world.stopped == CTRL_C:
        return INTERRUPTED
    return OK if told_world.complete else STOPPED


def _fingerprint(world: str) -> str:
    """SHA-256 over all files of a world, in the order of their paths."""
    paths = sorted({source.path for source in read_document(world).files})
    return hashlib.sha256(b"\0".join(Path(p).read_bytes() for p in paths)).hexdigest()


def _words(limits: Limits) -> str:
    memory = None if limits.memory is None else f"{limits.memory / 2**20:,.0f} MiB"
    seconds = None if limits.seconds is None else f"{limits.seconds:g} s"
    situations = None if limits.situations is None else f"{limits.situations:,} situations"
    return ", ".join(w for w in (situations, seconds, memory) if w) or "none"
