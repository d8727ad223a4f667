"""`zubrel new`: a small commented world to start from."""

from __future__ import annotations

from pathlib import Path

import click

from zubrel.base.packaged import packaged
from zubrel.base.plain import plain
from zubrel.shell.options import example
from zubrel.shell.streams import say, write_text


@click.command("new", epilog=example("zubrel new island.yaml"))
@click.argument("file")
@click.option("--force", is_flag=True, help="Overwrite FILE if it is there.")
def new_command(file: str, force: bool) -> int:
    """Write a small commented world to FILE. It checks clean: change it, and check again."""
    if Path(file).exists() and not force:
        raise click.UsageError(f"{file} is already there; --force overwrites it")
    write_text(packaged("zubrel.demo", "starter.yaml").decode(), file)
    say(f"{plain(file)} is written. Try: zubrel check {plain(file)}")
    return 0
