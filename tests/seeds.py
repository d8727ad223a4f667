"""How many random worlds are tried: all where somebody has time, else every second or third."""

import os

LONG = os.environ.get("ZUBREL_LONG") == "1"
"""Set by `make test-all`."""


def sampled(*limits, of=2):
    """The numbers of `range(*limits)`; in the short run one `of` so many."""
    every = range(*limits)
    return every if LONG else every[::of]
