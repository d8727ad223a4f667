"""`zubrel language-server`: for editors that speak the Language Server Protocol."""

from __future__ import annotations

import os
import sys

import click

from zubrel.shell.exits import OK
from zubrel.shell.options import example
from zubrel.shell.streams import note

HERE = "127.0.0.1"
LAST_PORT = 65535


class Address(click.ParamType):  # type: ignore[type-arg]
    """`PORT` of this machine, or `HOST:PORT`."""

    name = "[HOST:]PORT"

    def convert(
        self, value: str | tuple[str, int], param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[str, int]:
        if isinstance(value, tuple):
            return value
        host, _, port = value.rpartition(":")
        if not port.isdigit() or not 0 < int(port) <= LAST_PORT:
            self.fail(f"{value!r} is no port: write --tcp 4200, or --tcp {HERE}:4200", param, ctx)
        return host or HERE, int(port)


@click.command(
    "language-server",
    epilog=example("zubrel language-server", "zubrel language-server --tcp 4200"),
)
@click.option(
    "--tcp",
    "address",
    type=Address(),
    help="Wait for one editor at a port, instead of speaking by standard input and output.",
)
def language_server_command(address: tuple[str, int] | None) -> int:
    """Speak the Language Server Protocol with an editor, which starts this by itself: mistakes and
    findings while a world is written, completion, what each thing is and where it is used, other
    ids, changes that mend. docs/editors.md tells how to switch it on.
    """
    try:
        from zubrel.served.features import new_server
    # the protocol's library comes with an extra that few need
    except ImportError:
        words = "this needs more to be installed: pip install 'zubrel[editor]'"
        raise click.UsageError(words) from None
    server = new_server()
    try:
        if address is not None:
            note(f"waiting for an editor at {address[0]}:{address[1]}")
            server.start_tcp(*address)
        # a person at a terminal would wait for ever
        elif sys.stdin is not None and sys.stdin.isatty():
            words = "an editor starts this, and speaks with it; at a port: --tcp 4200"
            raise click.UsageError(words)
        else:
            # closed when the editor is done, and not standard output itself
            server.start_io(stdout=os.fdopen(os.dup(1), "wb"))
    except OSError as error:
        at = "no editor is there"
        if address is not None:
            at = f"nothing can wait at {address[0]}:{address[1]}"
        raise click.UsageError(f"{at}: {error.strerror or error}") from None
    finally:
        server.end()
    return OK
