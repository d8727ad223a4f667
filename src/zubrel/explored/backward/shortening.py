"""Plays into a set, without whatever they can do without."""

from __future__ import annotations

from collections.abc import Sequence

from zubrel.compiled.parts import Step
from zubrel.explored.backward.areas import Areas
from zubrel.explored.backward.known import KnownPlays
from zubrel.explored.packed.thinning import thinned
from zubrel.explored.space import Trace

MOST_PLAYED = 30_000
"""Steps that are made to find out what a play can do without: a fifth of a second."""


def shorter(play: Trace, areas: Areas, known: KnownPlays) -> Trace:
    """A play into a set that has no more steps, as far as one is soon found."""
    attempts = 0

    def played(steps: Sequence[Step]) -> Sequence[Step] | None:
        nonlocal attempts
        attempts += 1
        if attempts * len(play.steps) > MOST_PLAYED:
            return None
        return _played(steps, areas, known)

    return Trace(tuple(thinned(play.steps, played)), play.shortest)


def _played(steps: Sequence[Step], areas: Areas, known: KnownPlays) -> Sequence[Step] | None:
    """The steps that are possible, of some in their order, up to where they come into a set; None:
    they never do."""
    word, made = known.walking.start(), list[Step]()
    for step in steps:
        if known.holds(areas, word):
            break
        after = known.walking.after(word, step)
        # what was possible only after something that is left out now goes with it
        if after is not None and after != word:
            made.append(step)
            word = after
    return made if known.holds(areas, word) else None
