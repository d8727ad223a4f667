"""Options that several commands share, and what they mean."""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable
from typing import Any

import click
from msgspec import Struct

from zubrel.atoms.budget import ENGINES, Limits, memory_of_machine

UNITS = {"": 1, "k": 2**10, "m": 2**20, "g": 2**30, "t": 2**40}


class Common(Struct, frozen=True):
    """The values of the common options."""

    output: str | None
    color: bool
    quiet: bool
    limits: Limits


class Size(click.ParamType[int]):
    """A number of bytes such as `500M` or `2G`."""

    name = "size"

    def convert(self, value: Any, param: Any, ctx: Any) -> int:
        match = re.fullmatch(r"([0-9]+(?:\.[0-9]+)?)\s*([kmgt]?)(?:i?b)?", str(value).lower())
        if match is None or float(match[1]) == 0:
            self.fail(f"{value!r} is no size; write for example 500M or 2G", param, ctx)
        return int(float(match[1]) * UNITS[match[2]])


def common_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Adds -o, --quiet, --no-color and the three limits to a command."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


_OPTIONS = [
    click.option("-o", "--output", metavar="FILE", help="Write to FILE instead of the terminal."),
    click.option("--quiet", is_flag=True, help="Only the verdict and one line per finding."),
    click.option("--no-color", is_flag=True, help="No colours (NO_COLOR is obeyed too)."),
    click.option("--engine", type=click.Choice(ENGINES), default="auto", show_default=True,
                 help="List situations one by one, or hold them as sets in decision diagrams."),
    click.option("--max-situations", type=click.IntRange(1), metavar="N",
                 help="Stop the search after N situations."),
    click.option("--max-seconds", type=click.FloatRange(0, min_open=True), metavar="S",
                 help="Stop the search after S seconds."),
    click.option("--max-memory", type=Size(), metavar="SIZE",
                 help="Stop the search at SIZE of memory, for example 2G "
                      "(default: half of the machine's)."),
]  # fmt: skip


def take_common(options: dict[str, Any]) -> Common:
    """Removes the common options from `options`."""
    memory = options.pop("max_memory")
    machine = memory_of_machine()
    limits = Limits(
        options.pop("max_situations"), options.pop("max_seconds"),
        memory or (machine // 2 if machine else None), options.pop("engine"),
    )  # fmt: skip
    color = not options.pop("no_color") and not os.environ.get("NO_COLOR") and sys.stdout.isatty()
    return Common(options.pop("output"), color, options.pop("quiet"), limits)
