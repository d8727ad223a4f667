"""CSV tables as the nodes that the same thing would be in YAML.

The stem of a table's file is its section; its header names the fields. An empty cell is an absent
field, entries of a list are separated by `;`, those of a mapping written `key=value; key=value`.
"""

from __future__ import annotations

import csv
from collections.abc import Iterator
from io import StringIO
from pathlib import PurePath

from msgspec import Struct

from zubrel.authored.files import LARGEST_FILE
from zubrel.authored.kinds import Shape
from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence
from zubrel.authored.shapes import AREA_DEED, FIND, SECTIONS, WAY
from zubrel.base.diagnostics import Diagnostic, Problems
from zubrel.base.source import Source, Span
from zubrel.base.spelling import listing, suggestion

IN_AREAS = {"finds": FIND, "ways": WAY, "deeds": AREA_DEED}
LISTS = ("ids", "amounts", "conditions", "values", "texts", "entries", "flag or ids")
MAPPINGS = ("settings", "changes", "keyed", "keyed or all")


class Row(Struct, frozen=True):
    """One row: its section, its id (None: it has none), its area where it stands in one."""

    section: str
    key: Scalar | None
    area: Scalar | None
    node: Mapping


class Cell(Struct, frozen=True):
    text: str
    span: Span


def rows_of(source: Source, text: str, problems: Problems) -> list[Row]:
    """The rows of one table. What is wrong with it is added to `problems`."""
    # a table is named after its section
    section = PurePath(source.path).stem
    if section not in SECTIONS and section not in IN_AREAS:
        known = list(dict.fromkeys((*IN_AREAS, *SECTIONS)))
        hint = suggestion(section, known) or f"A table is named: {listing(known, 40)}."
        message = f'there is no section "{section}" for a table'
        problems.add("unknown-key", message, Span(source, 1, 1), hint)
        return []
    # spreadsheets write empty lines where somebody has cleared cells
    lines = list(_lines(source, text, problems))
    if not lines:
        problems.add(
            "no-world",
            "this table is empty",
            Span(source, 1, 1),
            "Its first line names the fields, the first of them id.",
        )
        return []
    header, *remaining = lines
    if not _check_header(section, header, text, problems):
        return []
    return [
        _row(section, header, cells, problems) for cells in remaining if any(c.text for c in cells)
    ]


STARTING = "=+-@\t'"
"""A cell that begins with one of these is a formula to spreadsheets, or has the guard itself."""


def guarded(text: str) -> str:
    """A cell that no spreadsheet takes for a formula: with an apostrophe before, if it need be."""
    number = text.removeprefix("-").isdigit()
    return f"'{text}" if text[:1] and text[0] in STARTING and not number else text


def unguarded(text: str) -> str:
    """The text of a cell that `guarded` has written."""
    return text[1:] if text[:1] == "'" and text[1:2] and text[1] in STARTING else text


def _check_header(section: str, header: list[Cell], text: str, problems: Problems) -> bool:
    """Whether the first line names fields, each once."""
    shape = _shape(section)
    known = ("id", "area", "notes", *shape.fields)
    first = text.lstrip("\ufeff").splitlines()[0]
    # what spreadsheets write where a comma is the decimal sign
    if len(header) == 1 and ";" in first and "," not in first:
        message = "this table is separated by semicolons, not by commas"
        hint = "Save it as comma-separated values: in a cell, semicolons part the things of a list."
        problems.add("wrong-shape", message, header[0].span, hint)
        return False
    columns, seen = len(problems.diagnostics), dict[str, Cell]()
    for cell in (c for c in header if c.text):
        lower = cell.text.lower()
        if cell.text not in known and lower in known:
            message = f'there is no field "{cell.text}"'
            problems.add("unknown-key", message, cell.span, f'Write "{lower}", in small letters.')
        elif cell.text in seen:
            message = f'the column "{cell.text}" is given twice'
            problems.add(
                "duplicate-key",
                message,
                cell.span,
                "Keep one of the two.",
                (("it is already here", seen[cell.text].span),),
            )
        seen.setdefault(cell.text, cell)
    return len(problems.diagnostics) == columns


def _lines(source: Source, text: str, problems: Problems) -> Iterator[list[Cell]]:
    """The cells of each line, each with its place."""
    csv.field_size_limit(LARGEST_FILE)
    reader = csv.reader(StringIO(text, newline=""), strict=True)
    first = 1
    try:
        for values in reader:
            raw, at = source.line(first), 0
            cells = []
            for value in values:
                # the reader tells no columns: a value is looked for behind the one before it, and
                # one that quotes have changed is taken to begin there
                lines = raw.find(value, at) if value else -1
                column = lines if lines >= 0 else min(at, len(raw))
                at = column + len(value)
                cells.append(
                    Cell(unguarded(value.strip()), Span(source, first, column + 1, len(value) or 1))
                )
            yield cells
            first = reader.line_num + 1
    except csv.Error as error:
        message = f"this is no table of comma-separated values: {error}"
        problems.diagnostics.append(Diagnostic("not-yaml", message, Span(source, first, 1)))


def _row(section: str, header: list[Cell], cells: list[Cell], problems: Problems) -> Row:
    entries: list[tuple[Scalar, Node]] = []
    key = area = None
    span = cells[0].span
    in_area = section in IN_AREAS
    for title, cell in zip(header, cells, strict=False):
        # an empty cell is a field that is not given
        if not cell.text or not title.text:
            continue
        if title.text == "id":
            key = _scalar(cell)
        elif title.text == "area" and in_area:
            area = _scalar(cell)
        else:
            shape = IN_AREAS[section] if area is not None else _shape(section)
            entries.append((_scalar(title, cell.span), _node(shape, title.text, cell, problems)))
    for cell in cells[len(header) :]:
        if cell.text:
            message = "this cell is beyond the last field of the header"
            hint = 'A text with a comma in it must stand in "quotes".'
            problems.add("wrong-shape", message, cell.span, hint)
    node = Mapping(span, entries)
    # after the fields: the id is the last of them
    if in_area and key is not None and section != "deeds":
        # in an area a find or a way is an entry of a list: its id is a field, and not a key
        entries.append((_scalar(Cell("id", key.span)), key))
    return Row(section, key, area, node)


def _shape(section: str) -> Shape:
    return SECTIONS[section].shape if section in SECTIONS else IN_AREAS[section]


def _scalar(cell: Cell, span: Span | None = None) -> Scalar:
    return Scalar(span or cell.span, cell.text, True)


def _node(shape: Shape, name: str, cell: Cell, problems: Problems) -> Node:
    """A cell as the node that its field expects."""
    field = shape.fields.get(name)
    # an unknown field stays text, and is told where the entry is read
    form = field.kind.form[0] if field else "text"
    if form in MAPPINGS:
        pairs: list[tuple[Scalar, Scalar]] = []
        for part in _parts(cell):
            left, _, right = part.text.partition("=")
            offset = len(left) + 1 + len(right) - len(right.lstrip())
            value = Cell(right.strip(), part.span.part(offset, len(right.strip())))
            name_cell = Cell(left.strip(), part.span.part(0, len(left.strip())))
            if any(known.text == name_cell.text for known, _ in pairs):
                message = f'"{name_cell.text}" is given twice in this cell'
                problems.add("duplicate-key", message, name_cell.span, "Keep one of the two.")
            pairs.append((_scalar(name_cell), _scalar(value)))
        return Mapping(cell.span, list[tuple[Scalar, Node]](pairs))
    # one thing alone needs no list
    if form in LISTS and ";" in cell.text:
        return Sequence(cell.span, [_scalar(part) for part in _parts(cell)])
    return _scalar(cell)


def _parts(cell: Cell) -> Iterator[Cell]:
    """The pieces between semicolons, each with its place."""
    at = 0
    for part in cell.text.split(";"):
        stripped = part.strip()
        if stripped:
            offset = at + len(part) - len(part.lstrip())
            yield Cell(stripped, cell.span.part(offset, len(stripped)))
        at += len(part) + 1
