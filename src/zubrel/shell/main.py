"""The program: commands, and exit codes for all that can go wrong."""

from __future__ import annotations

import os
import sys
from importlib import import_module

import click

from zubrel import __version__
from zubrel.atoms.diagnostics import InvalidInput
from zubrel.shell.streams import write_problems

OK, FOUND, INVALID, STOPPED, INTERRUPTED = 0, 1, 2, 3, 130


COMMANDS = {
    "demo": "Write the demo worlds, check them, show what comes out.",
    "new": "Write a small commented world to start from.",
    "list": "Show what a world defines, and where each thing is used.",
    "check": "Search every situation: verdict and findings.",
    "compare": "Show what an edit changed, also against an earlier revision.",
    "draw": "Draw a map, the chain of progress, windows, or growth.",
    "report": "Write everything about a world into one HTML page.",
    "watch": "Check again whenever a file of a world is saved.",
    "probe": "Hold one lock, way, find or talk against all that it asks for.",
    "play": "Walk a world by hand, with undo and hints.",
    "rehearse": "Replay scripts of moves with expectations between them.",
    "tables": "Turn a world into CSV tables, or tables into a world.",
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
        module = import_module(f"zubrel.shell.{cmd_name}_command")
        command: click.Command = getattr(module, f"{cmd_name}_command")
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(
    cls=LazyGroup,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
)
@click.version_option(__version__, prog_name="zubrel", message="%(prog)s %(version)s")
def zubrel() -> None:
    """Proves that a game world can be won from every situation that a player can get into, or
    shows the shortest way into trouble.

    Begin with "zubrel demo", or with "zubrel new world.yaml" and "zubrel check world.yaml".
    """


def run() -> None:
    """The entry point: runs the command line and exits with the code that it means."""
    try:
        code = zubrel.main(prog_name="zubrel", standalone_mode=False)
    except InvalidInput as invalid:
        write_problems(invalid)
        code = INVALID
    except click.ClickException as wrong:
        wrong.show()
        code = INVALID
    except (click.Abort, KeyboardInterrupt):
        click.echo("interrupted", err=True)
        code = INTERRUPTED
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = OK
    sys.exit(code or OK)
