"""Probes -> tables for a terminal, JSON."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from rich.console import Console
from rich.table import Table
from rich.text import Text

from zubrel.narrated.words import length, listed
from zubrel.output.as_json import move_as_json
from zubrel.output.walks import indented, walk_table
from zubrel.played.combinations import Probe, ProbeRow

WIDEST_TABLE = 24


def write_probes(probes: Sequence[Probe], console: Console, full: bool = False) -> None:
    """A table for each rule; `full`: the shortest walk to each row below it."""
    for number, probe in enumerate(probes):
        if number:
            console.print()
        console.print(Text.assemble((probe.label, "bold"), f"  ({probe.id})"))
        if not probe.rows:
            console.print(indented(Text("No play ever stands before it."), 2))
            continue
        # hundreds of rows are no table for a terminal: what they share is told instead
        if len(probe.rows) <= WIDEST_TABLE or full:
            console.print(indented(_table(probe), 2))
        else:
            console.print(indented(Text(f"{len(probe.rows)} combinations occur; -v shows all."), 2))
        _write_below(probe, console)
        if full:
            _write_walks(probe, console)


def _table(probe: Probe) -> Table:
    table = Table(box=None, header_style="italic", padding=(0, 2, 0, 0), pad_edge=False)
    table.add_column("", justify="right", style="dim")
    for column in probe.columns:
        table.add_column(column.title + f"\n({column.wants} wanted)" * bool(column.wants))
    # texts alone are probed where nothing is tried: no column of dashes then
    tried = any(row.possible for row in probe.rows)
    counted = all(row.situations is not None for row in probe.rows)
    titles = ["possible"] if tried else []
    titles += ["situations"] if counted else []
    for title in (*titles, "first after", "text"):
        table.add_column(title, justify="right" if title == "situations" else "left")
    for number, row in enumerate(probe.rows, 1):
        # cases are numbers of values, column by column
        cells = [c.cases[case] for c, case in zip(probe.columns, row.cases, strict=True)]
        style = {"yes": "green", "no": "red"}.get(row.possible or "", "magenta")
        words = row.possible or ""
        if row.depends:
            words += f": depends on {listed(list(row.depends))}"
        table.add_row(
            str(number),
            *(Text(cell) for cell in cells),
            *([Text(words, style)] if tried else ()),
            *([f"{row.situations:,}"] if counted else ()),
            length(len(row.moves), row.shortest),
            Text(row.text or "–"),
        )
    return table


def _write_below(probe: Probe, console: Console) -> None:
    lines = []
    if probe.never:
        lines.append(
            f"{probe.never:,} other combinations never occur."
            if probe.never > 1
            else "One other combination never occurs."
        )
    if probe.cut:
        lines.append("There are more combinations than can be told apart here.")
    # the smallest sets that decide are worth more than a long table
    if len(probe.rows) > WIDEST_TABLE:
        lines += [f"Enough: {_set(s)}." for s in probe.opening]
        lines += [f"Not enough: {_set(s)}." for s in probe.refusing]
    lines += probe.remarks
    for line in lines:
        console.print(indented(Text(line), 2))


def _set(titles: Sequence[str]) -> str:
    return listed(list(titles)) if titles else "nothing"


def _write_walks(probe: Probe, console: Console) -> None:
    for number, row in enumerate(probe.rows, 1):
        console.print(indented(Text(f"The way to row {number}:", "dim"), 2))
        console.print(indented(walk_table(row.moves, full=False), 4))


def probes_as_json(probes: Sequence[Probe]) -> str:
    return json.dumps([_probe(p) for p in probes], indent=2, ensure_ascii=False) + "\n"


def _probe(probe: Probe) -> dict[str, Any]:
    return {
        "rule": probe.id,
        "label": probe.label,
        "asks": [
            {"title": c.title, "wants": c.wants, "cases": list(c.cases)} for c in probe.columns
        ],
        "rows": [_row(probe, row) for row in probe.rows],
        "never": probe.never,
        "remarks": list(probe.remarks),
        "enough": [list(s) for s in probe.opening],
        "not_enough": [list(s) for s in probe.refusing],
    }


def _row(probe: Probe, row: ProbeRow) -> dict[str, Any]:
    cases = {c.title: c.cases[n] for c, n in zip(probe.columns, row.cases, strict=True)}
    return {
        "cases": cases,
        "possible": row.possible,
        "situations": row.situations,
        "text": row.text,
        "depends": list(row.depends),
        "shortest": row.shortest,
        "evidence": [move_as_json(m) for m in row.moves],
    }
