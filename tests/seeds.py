"""How many random worlds are tried: all where somebody has time, else every fourth, or so."""

import os

LONG = os.environ.get("ZUBREL_LONG") == "1"
"""Set by `make test-all`."""


def sampled(*limits, of=4):
    """The numbers of `range(*limits)`; in the short run one `of` so many."""
    every = range(*limits)
    return every if LONG else every[::of]


def examples(number):
    """How many of so many worlds or values somebody makes up: the short run half of them."""
    return number if LONG else number // 2


def least(number):
    """What has to be seen at least: the long run shows so much, the short one a sixth and more."""
    return number if LONG else number // 6
