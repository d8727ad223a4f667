"""The program: commands, and exit codes for all that can go wrong."""

from __future__ import annotations

import os
import sys

import click

from zubrel import __version__
from zubrel.atoms.diagnostics import InvalidInput
from zubrel.shell.check_command import check
from zubrel.shell.streams import write_problems

OK, FOUND, INVALID, STOPPED, INTERRUPTED = 0, 1, 2, 3, 130


@click.group(context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="zubrel", message="%(prog)s %(version)s")
def zubrel() -> None:
    """Proves that a game world can be won from every situation that a player can get into, or
    shows the shortest way into trouble.

    Begin with "zubrel demo", or with "zubrel new world.yaml" and "zubrel check world.yaml".
    """


zubrel.add_command(check)


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
