"""`zubrel new`: a small commented world to start from."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import click

from zubrel.shell.streams import write_text


@click.command("new")
@click.argument("file")
@click.option("--force", is_flag=True, help="Overwrite FILE if it is there.")
def new_command(file: str, force: bool) -> int:
    """Write a small commented world to FILE. It checks clean: change it, and check again."""
    if Path(file).exists() and not force:
        raise click.UsageError(f"{file} is already there; --force overwrites it")
    write_text(files("zubrel.demo").joinpath("starter.yaml").read_text(encoding="utf-8"), file)
    click.echo(f"{file} is written. Try: zubrel check {file}")
    return 0
