"""Listings -> tables for a terminal, CSV, JSON."""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from io import StringIO

from rich.cells import cell_len
from rich.console import Console, Group, RenderableType
from rich.table import Table
from rich.text import Text

from zubrel.authored.tables import guarded
from zubrel.narrated.tables import Listing
from zubrel.output.walks import indented

EMPTY, GAP = "–", 2


def write_tables(listings: Sequence[Listing], console: Console) -> None:
    """One table a section; columns in which nothing stands are left out."""
    for number, listing in enumerate(listings):
        if number:
            console.print()
        if not listing.rows:
            console.print(Text(f"{listing.section}: none", "dim"))
            continue
        console.print(_table(listing, console.width))


def _table(listing: Listing, width: int) -> RenderableType:
    """A table where no word is longer than its column; where there is no room for that, records."""
    columns = _shown(listing)
    # a table is readable as long as no word has to be broken
    words = [
        max(map(_longest, (listing.columns[n], *(w for row in listing.rows for w in row[n]))))
        for n in columns
    ]
    if sum(words) + GAP * (len(words) - 1) > width:
        return _records(listing, columns)
    table = Table(
        title=_title(listing),
        title_justify="left",
        box=None,
        header_style="italic",
        padding=(0, GAP, 0, 0),
        pad_edge=False,
    )
    # widths are worked out here: the library would break words where there is room elsewhere
    texts = [[listing.columns[n], *(w for row in listing.rows for w in row[n])] for n in columns]
    natural = [max(map(cell_len, column)) for column in texts]
    room = width - GAP * (len(words) - 1)
    for n, wide in zip(columns, _fitted(natural, words, room), strict=True):
        table.add_column(listing.columns[n], overflow="fold", width=wide)
    for row in listing.rows:
        table.add_row(*(Text("\n".join(row[n]) or EMPTY) for n in columns))
    return table


def _fitted(natural: Sequence[int], least: Sequence[int], room: int) -> list[int]:
    """Widths of columns that fit together: those that have most to give become narrower first.

    The first one, by which a row is found, gives half as much as others.
    """
    widths = list(natural)
    while sum(widths) > room:
        gives = [2.0 * (wide - short) for wide, short in zip(widths, least, strict=True)]
        gives[0] /= 2
        # all columns are as narrow as their longest words
        if not max(gives):
            break
        widths[gives.index(max(gives))] -= 1
    return widths


def _title(listing: Listing) -> Text:
    return Text(f"{listing.section} ({len(listing.rows)})", "bold")


def _shown(listing: Listing) -> list[int]:
    """The columns in which something stands; names come before ids."""
    used = [n for n in range(len(listing.columns)) if any(row[n] for row in listing.rows)]
    if listing.columns[:2] == ("id", "name") and used[:2] == [0, 1]:
        used[:2] = [1, 0]
    return used


def _longest(text: str) -> int:
    return max((cell_len(word) for word in text.split()), default=0)


def _records(listing: Listing, columns: Sequence[int]) -> RenderableType:
    """Each entry as a block: its first two cells, and below them the others, a line each."""
    blocks: list[RenderableType] = [_title(listing)]
    wide = max(cell_len(listing.columns[n]) for n in columns)
    for row in listing.rows:
        # empty cells have no line
        first, *others = [n for n in columns if row[n]] or columns
        head = Text(", ".join(row[first]), "bold")
        if others and listing.columns[others[0]] == "id":
            head.append(f"  {row[others.pop(0)][0]}", "dim")
        blocks.append(indented(head, 2))
        for n in others:
            grid = Table.grid(padding=(0, GAP, 0, 0))
            grid.add_column(width=wide, style="italic")
            grid.add_column(overflow="fold")
            grid.add_row(listing.columns[n], Text(", ".join(row[n])))
            blocks.append(indented(grid, 4))
    return Group(*blocks)


def listings_as_csv(listings: Sequence[Listing]) -> str:
    """The tables one after the other, with a header line each and an empty line between."""
    text = StringIO()
    writer = csv.writer(text, lineterminator="\n")
    for number, listing in enumerate(listings):
        if number:
            writer.writerow([])
        writer.writerow(listing.columns)
        writer.writerows([guarded("; ".join(cell)) for cell in row] for row in listing.rows)
    return text.getvalue()


def listings_as_json(listings: Sequence[Listing]) -> str:
    """An object with an array of objects for each section; every cell is an array of texts."""
    document = {
        listing.section: [
            dict(zip(listing.columns, map(list, row), strict=True)) for row in listing.rows
        ]
        for listing in listings
    }
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"
