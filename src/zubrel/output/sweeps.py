"""Rows of a sweep -> a table for a terminal, Markdown, CSV or JSON."""

from __future__ import annotations

import csv
import json
from collections import Counter
from collections.abc import Iterator, Sequence
from io import StringIO
from typing import Any

from rich.console import Console
from rich.text import Text

from zubrel import __version__
from zubrel.authored.tables import guarded
from zubrel.base.kinds import SEVERITIES
from zubrel.narrated.difference import RANKS
from zubrel.narrated.tables import Listing
from zubrel.narrated.words import counted, length, listed
from zubrel.output.as_markdown import plain_markdown
from zubrel.output.heads import QUIET
from zubrel.output.listings import write_tables
from zubrel.output.walks import indented
from zubrel.swept.outcome import BROKEN, OpenFinding, VariantOutcome
from zubrel.swept.sweep import VariantRow

COLUMNS = (
    "variant",
    "verdict",
    "shortest win",
    "softlocks",
    "missable",
    "must-haves",
    "new",
    "gone",
)
MOST_NAMED = 3
"""Findings that a cell of a table names; CSV and JSON have all of them."""
_ORDER = (*RANKS, "incomplete", BROKEN)


def best_first(rows: Sequence[VariantRow]) -> list[VariantRow]:
    """The unchanged world, then the variants by verdict, and by how much is open in them."""

    def order(row: VariantRow) -> tuple[int, ...]:
        outcome = row.outcome
        many = Counter(f.severity for f in outcome.findings)
        return (_ORDER.index(outcome.verdict), *(many[s] for s in SEVERITIES), outcome.length or 0)

    return [*rows[:1], *sorted(rows[1:], key=order)]


def write_sweep(
    rows: Sequence[VariantRow], out_of: int | None, seed: int, console: Console
) -> None:
    """A table, and below it how many variants there are of each verdict."""
    listing = Listing("variants", COLUMNS, tuple(_cells(row) for row in best_first(rows)))
    write_tables([listing], console)
    console.print()
    for line in summary(rows, out_of, seed):
        console.print(indented(Text(line, QUIET), 2))


def summary(rows: Sequence[VariantRow], out_of: int | None, seed: int) -> list[str]:
    """How many variants there are of each verdict, what was drawn, what was known."""
    # the first row is the unchanged world, and no variant
    many = Counter(row.outcome.verdict for row in rows[1:])
    parts = [f"{many[verdict]:,} {verdict}" for verdict in _ORDER if many[verdict]]
    lines = [f"{counted(len(rows) - 1, 'variant')}: {listed(parts) or 'none'}"]
    if out_of is not None:
        lines.append(f"a sample of {out_of:,}, drawn with the seed {seed}")
    known = sum(row.known for row in rows)
    if known:
        lines.append(
            f"{known:,} known from an earlier time, with the same files, version and options"
        )
    return lines


def _cells(row: VariantRow) -> tuple[tuple[str, ...], ...]:
    outcome = row.outcome
    win = () if outcome.length is None else (_win(outcome),)
    musts = () if outcome.must_haves is None else (str(len(outcome.must_haves)),)
    verdict = [outcome.verdict]
    # no verdict without what cut it short
    if outcome.stopped is not None:
        verdict.append(outcome.stopped)
    return (
        (row.variant.name,),
        tuple(verdict),
        win,
        _named(outcome.of_kind("softlock", "bad_luck", "bad_deal")),
        _named(outcome.of_kind("missable")),
        musts,
        tuple(_by_kind(row.new)),
        tuple(_by_kind(row.gone)),
    )


def _win(outcome: VariantOutcome) -> str:
    return length(outcome.length or 0, outcome.shortest)


def _by_kind(findings: Sequence[OpenFinding]) -> Iterator[str]:
    """Of each kind the only finding by its subject, or how many there are."""
    many = Counter(f.kind for f in findings)
    for finding in findings:
        if many[finding.kind] == 1:
            yield f"{finding.kind} {finding.subject}"
        elif many[finding.kind]:
            yield f"{many.pop(finding.kind)} {finding.kind}"


def _named(subjects: Sequence[str]) -> tuple[str, ...]:
    """Some of the subjects, and how many more there are."""
    if len(subjects) <= MOST_NAMED:
        return tuple(subjects)
    return (*subjects[: MOST_NAMED - 1], f"{len(subjects) - MOST_NAMED + 1} more")


def sweep_as_markdown(rows: Sequence[VariantRow], out_of: int | None, seed: int) -> str:
    """A table of Markdown, and how many variants there are of each verdict."""
    lines = ["| " + " | ".join(COLUMNS) + " |", "|---" * len(COLUMNS) + "|"]
    for row in best_first(rows):
        cells = ["<br>".join(plain_markdown(word) for word in cell) for cell in _cells(row)]
        lines.append("| " + " | ".join(cells) + " |")
    lines += ["", *(f"{line}." for line in summary(rows, out_of, seed)), ""]
    return "\n".join(lines)


def sweep_as_csv(rows: Sequence[VariantRow]) -> str:
    """A line for each variant in the order in which they were asked for, with all that is new."""
    out = StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(["variant", "verdict", "stopped", "shortest_win", "shortest", *_LISTS])
    for row in rows:
        outcome = row.outcome
        # several values in one cell, as in the tables of a world
        lists = ["; ".join(values) for values in _lists(row).values()]
        win = "" if outcome.length is None else str(outcome.length)
        shortest = "" if outcome.length is None else str(outcome.shortest).lower()
        cells = [row.variant.name, outcome.verdict, outcome.stopped or "", win, shortest, *lists]
        table.writerow([guarded(cell) for cell in cells])
    return out.getvalue()


_LISTS = ("softlocks", "missable", "must_haves", "new", "gone")


def _lists(row: VariantRow) -> dict[str, list[str]]:
    outcome = row.outcome
    values: tuple[Sequence[str], ...] = (
        outcome.of_kind("softlock", "bad_luck", "bad_deal"),
        outcome.of_kind("missable"),
        outcome.must_haves or (),
        [f"{f.kind} {f.subject}" for f in row.new],
        [f"{f.kind} {f.subject}" for f in row.gone],
    )
    return {name: list(several) for name, several in zip(_LISTS, values, strict=True)}


def sweep_as_json(path: str, rows: Sequence[VariantRow], out_of: int | None, seed: int) -> str:
    """One object: the world, whether it is a sample, and every variant as it was asked for."""
    told = {
        "zubrel": __version__,
        "world": path,
        "sample_of": out_of,
        "seed": None if out_of is None else seed,
        "variants": [_row_as_json(row) for row in rows],
    }
    return json.dumps(told, indent=2, ensure_ascii=False) + "\n"


def _row_as_json(row: VariantRow) -> dict[str, Any]:
    outcome = row.outcome
    win = (
        None if outcome.length is None else {"length": outcome.length, "shortest": outcome.shortest}
    )
    return {
        "variant": row.variant.name,
        "settings": {".".join(s.path): s.value for s in row.variant.settings},
        "verdict": outcome.verdict,
        "stopped": outcome.stopped,
        "situations": outcome.situations,
        "shortest_win": win,
        "findings": [_told_as_json(f) for f in outcome.findings],
        "must_haves": None if outcome.must_haves is None else list(outcome.must_haves),
        "new": [_told_as_json(f) for f in row.new],
        "gone": [_told_as_json(f) for f in row.gone],
        # not searched now, but kept from an earlier run
        "known": row.known,
    }


def _told_as_json(told: OpenFinding) -> dict[str, str]:
    return {"kind": told.kind, "subject": told.subject, "severity": told.severity}
