"""`zubrel tables`: a world as CSV tables for a spreadsheet, and back."""

from __future__ import annotations

from pathlib import Path

import click

from zubrel.base.plain import plain
from zubrel.pipeline import load
from zubrel.shell.options import example
from zubrel.shell.streams import refuse_to_write_over, say, write_files, write_text


@click.command(
    "tables",
    epilog=example(
        "zubrel tables island.yaml --to tables", "zubrel tables --from tables -o island.yaml"
    ),
)
@click.argument("world", required=False)
@click.option("--to", "target", metavar="DIR", help="Write WORLD as tables into DIR.")
@click.option("--from", "source", metavar="DIR", help="Read the world in DIR (DIR/world.yaml).")
@click.option("-o", "--output", metavar="FILE", help="With --from: the file to write.")
@click.option("--force", is_flag=True, help="Overwrite files that are already there.")
def tables_command(
    world: str | None, target: str | None, source: str | None, output: str | None, force: bool
) -> int:
    """Write WORLD as CSV tables and one YAML file for what no cell can say (--to DIR), or put such
    a folder together into one YAML file (--from DIR -o FILE). Nothing is lost but comments.
    """
    if (target is None) == (source is None):
        raise click.UsageError("give either --to DIR (with WORLD) or --from DIR (with -o FILE)")
    if target is not None:
        if world is None:
            raise click.UsageError("--to needs the WORLD to write")
        return _to_tables(world, Path(target), force)
    if world is not None:
        raise click.UsageError("--from reads the folder; leave WORLD out")
    return _from_tables(Path(source or "."), output, force)


def _to_tables(world: str, folder: Path, force: bool) -> int:
    from zubrel.authored.document import read_document
    from zubrel.output.as_tables import world_as_tables
    from zubrel.output.as_yaml import merged

    # an invalid world would come out as tables that are wrong in other places
    load(world)
    texts = world_as_tables(merged(read_document(world).roots))
    _refuse_to_overwrite([folder / name for name in texts], force)
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise click.UsageError(f"{folder} cannot be made: {error.strerror}") from None
    write_files({str(folder / name): text.encode("utf-8") for name, text in texts.items()})
    say(f"{plain(str(folder))}: {', '.join(texts)}")
    return 0


def _from_tables(folder: Path, output: str | None, force: bool) -> int:
    from zubrel.authored.document import read_document
    from zubrel.output.as_tables import MAIN
    from zubrel.output.as_yaml import world_as_yaml

    load(str(folder / MAIN))
    text = world_as_yaml(read_document(str(folder / MAIN)).roots)
    if output is not None:
        _refuse_to_overwrite([Path(output)], force)
    write_text(text, output)
    return 0


def _refuse_to_overwrite(paths: list[Path], force: bool) -> None:
    for path in paths:
        refuse_to_write_over(str(path))
    there = [path for path in paths if path.exists()]
    if there and not force:
        raise click.UsageError(f"{there[0]} is already there; --force overwrites it")
