"""Where the program begins: Ctrl-C is heard before anything else is loaded."""

from __future__ import annotations

import gc
import os
import signal

INTERRUPTED = 130


def run() -> None:
    """Load the program and run its command line."""
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _leave)
    # nothing here multiplies matrices, and its threads take address space
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # what is loaded stays: to look for garbage among it takes a fifteenth of a small check
    gc.disable()
    from zubrel.shell.main import run as run_commands

    gc.freeze()
    gc.enable()
    run_commands()


def _leave(number: int, frame: object) -> None:
    os.write(2, b"interrupted\n")
    os._exit(INTERRUPTED)
