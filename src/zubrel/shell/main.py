"""The program: commands, and exit codes for all that can go wrong."""

from __future__ import annotations

import os
import signal
import sys
import traceback
from importlib import import_module
from typing import Any

import click

from zubrel import __version__
from zubrel.base.budget import Interrupted, LimitReached
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.plain import one_line, plain
from zubrel.base.spelling import suggestion
from zubrel.shell.exits import BROKEN, INTERRUPTED, INVALID, OK, STOPPED, UNWRITTEN
from zubrel.shell.options import colors_wanted
from zubrel.shell.streams import (
    UNWRITABLE,
    CannotWrite,
    note,
    prepare_streams,
    write_problems,
)

WHERE_TO_REPORT = "https://zubrel.example.org/issues"
TRACEBACKS = "ZUBREL_TRACEBACK"
"""Set in the environment, it shows where an error inside Zubrel came from."""

COMMANDS = {
    "demo": "Write the demo worlds, check them, show what comes out.",
    "new": "Write a small commented world to start from.",
    "list": "Show what a world defines, and where each thing is used.",
    "check": "Search every situation: verdict and findings.",
    "why": "Tell everything about one finding, or why something can never be.",
    "mend": "Propose changes to a world that are proved to help.",
    "sweep": "Check variants of a world: other prices, fewer things, exchanged finds.",
    "odds": "Tell how likely players are to win, to get stuck, to miss things.",
    "compare": "Show what an edit changed, also against an earlier revision.",
    "draw": "Draw a map, the chain of progress, windows, or growth.",
    "report": "Write everything about a world into one HTML page.",
    "watch": "Check again whenever a file of a world is saved.",
    "probe": "Hold one lock, way, find or talk against all that it asks for.",
    "play": "Walk a world by hand, with undo and hints.",
    "rehearse": "Replay scripts of moves with expectations between them.",
    "tables": "Turn a world into CSV tables, or tables into a world.",
    "language-server": "Tell an editor mistakes and findings while a world is being written.",
    "schema": "Print the JSON Schema of a world file, for editors.",
    "route": "Show the shortest sequence of moves to a goal.",
}


class LazyGroup(click.Group):
    """A group that imports a command only when it is used, so that --help answers at once."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        name = cmd_name.replace("-", "_")
        module = import_module(f"zubrel.shell.{name}_command")
        command: click.Command = getattr(module, f"{name}_command")
        return command

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            hint = suggestion(args[0], COMMANDS) or f"Commands are: {', '.join(COMMANDS)}."
            raise click.UsageError(f'there is no command "{args[0]}". {hint}', ctx)
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(
    cls=LazyGroup,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog="\b\nFor example:\n  zubrel demo\n  zubrel new island.yaml\n  zubrel check island.yaml",
)
@click.version_option(__version__, prog_name="zubrel", message="%(prog)s %(version)s")
def zubrel() -> None:
    """Proves that a game world can be won from every situation that a player can get into, or
    shows the shortest way into trouble.

    Begin with "zubrel demo", or with "zubrel new world.yaml" and "zubrel check world.yaml".
    """


def run() -> None:
    """The entry point: runs the command line and exits with the code that it means."""
    prepare_streams()
    code = _run()
    try:
        if sys.stdout is not None:
            sys.stdout.flush()
    except OSError:
        _forget_output()
    sys.exit(code)


def _run() -> int:
    """One place for everything that can end a command early."""
    try:
        # from here on it unwinds, so that nothing is left half-written; who was started so that it
        # does not hear Ctrl-C goes on so
        if signal.getsignal(signal.SIGINT) is not signal.SIG_IGN:
            signal.signal(signal.SIGINT, signal.default_int_handler)
        code: int | None = zubrel.main(
            prog_name="zubrel", standalone_mode=False, color=None if colors_wanted() else False
        )
        return code or OK
    except InvalidInput as invalid:
        write_problems(invalid)
        return INVALID
    except click.ClickException as wrong:
        context = getattr(wrong, "ctx", None)
        if context is not None:
            note(context.get_usage())
        note(f"Error: {plain(wrong.format_message())}")
        return INVALID
    except (Interrupted, click.Abort, KeyboardInterrupt):
        note("interrupted")
        return INTERRUPTED
    except LimitReached as limit:
        note(f"stopped at {limit}, so nothing is proved")
        return STOPPED
    except MemoryError:
        note("stopped at the memory of this machine, so nothing is proved")
        return STOPPED
    except CannotWrite as fault:
        note(plain(str(fault)))
        return UNWRITTEN
    except BrokenPipeError:
        # whoever reads has seen enough
        _forget_output()
        return OK
    except Exception as error:
        if isinstance(error, OSError) and error.errno in UNWRITABLE:
            note(f"output cannot be written: {error.strerror}")
            return UNWRITTEN
        return _broken(error)


def _broken(error: Exception) -> int:
    """An error inside the program is nobody's finding: a code and a line of its own."""
    if os.environ.get(TRACEBACKS):
        traceback.print_exc()
    place = ""
    if frames := traceback.extract_tb(error.__traceback__):
        place = f" in {os.path.basename(frames[-1].filename)}:{frames[-1].lineno}"
    words = one_line(str(error))[:200]
    note(
        f"an error inside Zubrel {__version__}: {type(error).__name__}{place}"
        f"{': ' + words if words else ''}. Nothing is proved; please report it with the world at "
        f"{WHERE_TO_REPORT} ({TRACEBACKS}=1 shows more)"
    )
    return BROKEN


def _forget_output() -> None:
    """Nobody reads standard output any more: what is still to be flushed goes nowhere."""
    if sys.stdout is not None:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
