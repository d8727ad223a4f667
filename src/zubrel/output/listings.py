"""Listings -> tables for a terminal, CSV, JSON."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from io import StringIO

from rich.console import Console
from rich.table import Table
from rich.text import Text

from zubrel.narrated.tables import Listing

EMPTY = "–"


def write_tables(listings: Sequence[Listing], console: Console) -> None:
    """One table a section; columns in which nothing stands are left out."""
    for number, listing in enumerate(listings):
        if number:
            console.print()
        if not listing.rows:
            console.print(Text(f"{listing.section}: none", "dim"))
            continue
        console.print(_table(listing))


def _table(listing: Listing) -> Table:
    table = Table(
        title=Text(f"{listing.section} ({len(listing.rows)})", "bold"), title_justify="left",
        box=None, header_style="italic", padding=(0, 2, 0, 0), pad_edge=False,
    )  # fmt: skip
    used = [n for n in range(len(listing.columns)) if any(row[n] for row in listing.rows)]
    for n in used:
        table.add_column(listing.columns[n], overflow="fold", no_wrap=n == 0)
    for row in listing.rows:
        table.add_row(*(Text("\n".join(row[n]) or EMPTY) for n in used))
    return table


def listings_as_csv(listings: Sequence[Listing]) -> str:
    """The tables one after the other, with a header line each and an empty line between."""
    text = StringIO()
    writer = csv.writer(text, lineterminator="\n")
    for number, listing in enumerate(listings):
        if number:
            writer.writerow([])
        writer.writerow(listing.columns)
        writer.writerows(["; ".join(cell) for cell in row] for row in listing.rows)
    return text.getvalue()


def listings_as_json(listings: Sequence[Listing]) -> str:
    """An object with an array of objects for each section; every cell is an array of texts."""
    found = {
        listing.section: [
            dict(zip(listing.columns, map(list, row), strict=True)) for row in listing.rows
        ]
        for listing in listings
    }
    return json.dumps(found, indent=2, ensure_ascii=False) + "\n"
