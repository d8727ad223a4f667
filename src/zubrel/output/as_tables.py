"""The nodes of a world -> CSV tables, and YAML for what no cell can say.

A section becomes a table only when every entry of it fits, so that nothing is lost and nothing
changes its order.
"""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator
from io import StringIO
from typing import Any

from zubrel.authored.kinds import Shape
from zubrel.authored.shapes import AREA, SECTIONS
from zubrel.authored.tables import IN_AREAS, LISTS, MAPPINGS, guarded
from zubrel.base.plain import plain
from zubrel.output.as_yaml import yaml_text

MAIN = "world.yaml"
LONGEST_CELL = 30_000
"""Characters; spreadsheets cut longer ones."""
MARK = "\ufeff"
KEPT_IN_YAML = ("carry", "whenever", "promises", "accept")
# what a cell would read back as something else
TRICKY = ("", "~", "null", "Null", "NULL", "true", "false", "True", "False", "TRUE", "FALSE")

Row = dict[str, str]


class NotInCells(Exception):
    """Something that no cell can say."""


def world_as_tables(data: dict[str, Any]) -> dict[str, str]:
    """File names and their texts: `world.yaml`, and a table for each section that fits."""
    data = dict(data)
    tables: dict[str, list[Row]] = {}
    # what stands in areas has tables of its own, with a column for the area
    areas = data.get("areas")
    if isinstance(areas, dict):
        data["areas"], inner = _without_tables(areas)
        tables |= inner
    for section, value in list(data.items()):
        if section not in SECTIONS or section in KEPT_IN_YAML or not value:
            continue
        try:
            rows = [_row(SECTIONS[section].shape, k, e) for k, e in value.items()]
        except NotInCells:
            continue
        tables[section] = [*rows, *tables.get(section, [])]
        del data[section]
    names = [f"{section}.csv" for section in tables]
    if names:
        first = ("zubrel", "title", "start")
        head: dict[str, Any] = {key: data.pop(key) for key in first if key in data}
        data = {**head, "include": names, **data}
    texts = {f"{section}.csv": _csv(section, rows) for section, rows in tables.items()}
    return {MAIN: yaml_text(data), **texts}


def _without_tables(areas: dict[str, Any]) -> tuple[dict[str, Any], dict[str, list[Row]]]:
    """The areas without the finds, ways and deeds that fit into tables, and those tables."""
    remaining = {key: dict(value) if value else {} for key, value in areas.items()}
    tables: dict[str, list[Row]] = {}
    for section, shape in IN_AREAS.items():
        try:
            rows = [
                row for key, area in remaining.items() for row in _inner(area, section, shape, key)
            ]
        except NotInCells:
            continue
        if rows:
            tables[section] = rows
            for area in remaining.values():
                area.pop(section, None)
    return remaining, tables


def _inner(area: dict[str, Any], section: str, shape: Shape, key: str) -> Iterator[Row]:
    """The rows of what stands in one area."""
    inner = area.get(section)
    if section == "deeds":
        for deed, entry in (inner or {}).items():
            yield {"area": key, **_row(shape, deed, entry)}
        return
    # one entry may stand without a list
    for entry in inner if isinstance(inner, list) else [inner] if inner else []:
        if section == "finds" and isinstance(entry, str):
            count, _, item = entry.rpartition(" ")
            entry = {"item": item, **({"count": int(count)} if count else {})}
        row = _row(shape, None, entry)
        yield {"area": key, **row}


def _row(shape: Shape, key: str | None, entry: Any) -> Row:
    row = {} if key is None else {"id": key}
    if entry is None:
        return row
    # the short form has one field, which the shape names
    if not isinstance(entry, dict):
        if shape.short is None:
            raise NotInCells
        entry = {shape.short: entry}
    for name, value in entry.items():
        field = shape.fields.get(name)
        form = field.kind.form[0] if field else "text"
        row[name] = _cell(form, value)
    return row


def _cell(form: str, value: Any) -> str:
    """A value as a cell that reads back as the same."""
    if isinstance(value, dict):
        if form not in MAPPINGS or not value:
            raise NotInCells
        return "; ".join(f"{_piece(k, '=')}={_piece(v)}" for k, v in value.items())
    if isinstance(value, list):
        if form not in LISTS or not value:
            raise NotInCells
        return "; ".join(_piece(item) for item in value)
    return _piece(value) if form in LISTS else _whole(value)


def _piece(value: Any, forbidden: str = "") -> str:
    text = _whole(value)
    if ";" in text or (forbidden and forbidden in text):
        raise NotInCells
    return text


def _whole(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, dict | list) or value is None:
        raise NotInCells
    text = str(value)
    if text != text.strip() or "\n" in text or (isinstance(value, str) and text in TRICKY):
        raise NotInCells
    if plain(text) != text or "\x85" in text or len(text) > LONGEST_CELL:
        raise NotInCells
    return text


def _csv(section: str, rows: Iterable[Row]) -> str:
    """A table with a mark and line ends that spreadsheets know."""
    every = list(rows)
    shape = IN_AREAS.get(section) or SECTIONS[section].shape
    known = [
        "id",
        "area",
        *shape.fields,
        *(AREA.fields if section == "areas" else ()),
        "at",
        "notes",
    ]
    # columns in the order of the language, and only those that some row needs
    names = [n for n in dict.fromkeys(known) if any(n in row for row in every)]
    memory = StringIO()
    writer = csv.DictWriter(memory, names, lineterminator="\r\n")
    writer.writeheader()
    writer.writerows({k: guarded(v) for k, v in row.items()} for row in every)
    return MARK + memory.getvalue()
