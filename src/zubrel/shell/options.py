"""Options that several commands share, and what they mean."""

from __future__ import annotations

import logging
import math
import os
import re
import sys
import time
from collections.abc import Callable, Sequence
from typing import Any

import click
from msgspec import Struct

from zubrel.base.budget import ENGINES, Budget, Limits, memory_of_machine
from zubrel.base.kinds import KINDS, SEVERITIES

UNITS = {"": 1, "k": 2**10, "m": 2**20, "g": 2**30, "t": 2**40}


class Common(Struct, frozen=True):
    """The values of the common options. The clock of `budget` runs from the start of the program.

    `output` is a file, or None for the terminal.
    """

    output: str | None
    color: bool
    quiet: bool
    budget: Budget

    @property
    def limits(self) -> Limits:
        return self.budget.limits


class Size(click.ParamType[int]):
    """A number of bytes such as `500M` or `2G`."""

    name = "size"

    def convert(self, value: Any, param: Any, ctx: Any) -> int:
        match = re.fullmatch(
            r"([0-9]{1,9}(?:\.[0-9]{1,9})?)\s*([kmgt]?)(?:i?b)?", str(value).lower()
        )
        if match is None or float(match[1]) == 0:
            self.fail(f"{value!r} is no size; write for example 500M or 2G", param, ctx)
        return int(float(match[1]) * UNITS[match[2]])


class Seconds(click.ParamType[float]):
    """A length of time above 0."""

    name = "seconds"

    def convert(self, value: Any, param: Any, ctx: Any) -> float:
        try:
            value_read = float(value)
        except ValueError:
            value_read = math.nan
        if not 0 < value_read < math.inf:
            self.fail(f"{value!r} is no time; write for example 60 or 0.5", param, ctx)
        return value_read


_OPTIONS: dict[str, Callable[..., Any]] = {
    "output": click.option(
        "-o", "--output", metavar="FILE", help="Write to FILE instead of the terminal."
    ),
    "quiet": click.option(
        "--quiet", is_flag=True, help="Only the result, in short; nothing of how far the work is."
    ),
    "color": click.option("--no-color", is_flag=True, help="No colours (NO_COLOR is obeyed too)."),
    "engine": click.option(
        "--engine",
        type=click.Choice(ENGINES),
        default="auto",
        show_default=True,
        help="List situations one by one, or hold them as sets in decision diagrams.",
    ),
    "situations": click.option(
        "--max-situations",
        type=click.IntRange(1, 10**15),
        metavar="N",
        help="Stop the search after N situations.",
    ),
    "seconds": click.option(
        "--max-seconds",
        type=Seconds(),
        metavar="S",
        help="Stop after S seconds, telling what was found included.",
    ),
    "memory": click.option(
        "--max-memory",
        type=Size(),
        metavar="SIZE",
        help="Stop at SIZE of memory, for example 2G (default: half of the machine's).",
    ),
    "log": click.option(
        "--log",
        metavar="FILE",
        help="Write to FILE what is tried, with how much work, and what comes of it.",
    ),
}
READING = ("seconds", "memory", "log")
SEARCHING = ("engine", "situations", *READING)


def format_option(
    forms: Sequence[str], words: str = "How the result is written."
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """`--format`, one of `forms`, as the parameter `form`; the first is the default."""
    return click.option(
        "--format",
        "form",
        type=click.Choice(forms),
        default=forms[0],
        show_default=True,
        help=words,
    )


def jobs_option(words: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """`--jobs`, how many processes may be at work at once."""
    return click.option(
        "--jobs", type=click.IntRange(1), default=1, show_default=True, metavar="N", help=words
    )


def kind_and_subject(about: Sequence[str]) -> tuple[str | None, str]:
    """`[KIND] SUBJECT` of a command line. Raises `click.UsageError` where no subject is named."""
    kind = about[0] if about[0] in KINDS else None
    subject = " ".join(about if kind is None else about[1:]).strip()
    if not subject:
        words = f"{kind or 'a finding'} of what? Name a subject, as zubrel check shows it"
        raise click.UsageError(words)
    return kind, subject


def fail_on_option(
    default: str, subject: str
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """`--fail-on`: how severe a finding has to be for the exit code to tell of it."""
    return click.option(
        "--fail-on",
        type=click.Choice(SEVERITIES),
        default=default,
        show_default=True,
        help=f"The least severity of {subject} that makes the exit code 1.",
    )


def common_options(*names: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Adds those of the common options to a command that mean something to it."""

    def added(command: Callable[..., Any]) -> Callable[..., Any]:
        for name in reversed([n for n in _OPTIONS if n in names]):
            command = _OPTIONS[name](command)
        return command

    return added


def take_common(options: dict[str, Any]) -> Common:
    """Removes the common options from `options`; those that a command has not are as if unset."""
    # without a limit of the user's, half of the machine: a search must not push out everything else
    memory = options.pop("max_memory", None)
    machine = memory_of_machine()
    limits = Limits(
        options.pop("max_situations", None),
        options.pop("max_seconds", None),
        memory or (machine // 2 if machine else None),
        options.pop("engine", "auto"),
    )
    color = not options.pop("no_color", False) and colors_wanted()
    output, quiet = options.pop("output", None), options.pop("quiet", False)
    if (log := options.pop("log", None)) is not None:
        write_log(log)
    # what it took to start is about the time that the processor has worked so far
    return Common(output, color, quiet, Budget(limits, before=time.process_time()))


def colors_wanted() -> bool:
    """Whether standard output is a terminal that shows colours, and nobody minds them."""
    terminal = sys.stdout is not None and sys.stdout.isatty()
    return terminal and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def write_log(path: str) -> None:
    """From now on write what is tried to a new file. Raises `click.UsageError`."""
    try:
        # never over what is there: a log is no output that somebody looks at before
        handler = logging.StreamHandler(open(path, "x", encoding="utf-8"))  # noqa: SIM115
    except FileExistsError:
        raise click.UsageError(f"{path} is already there; name a new file for the log") from None
    except (OSError, ValueError) as error:
        words = getattr(error, "strerror", None) or str(error)
        raise click.UsageError(f"{path} cannot be written: {words}") from None
    handler.setFormatter(logging.Formatter("%(relativeCreated)9.0f ms  %(name)s: %(message)s"))
    logger = logging.getLogger("zubrel")
    logger.addHandler(handler)
    logger.setLevel(logging.INFO)


def example(*lines: str) -> str:
    """The end of a command's help."""
    return "\b\nFor example:\n" + "\n".join(f"  {line}" for line in lines)
