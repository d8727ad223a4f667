"""Plays that come to something, without whatever they can do without."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from zubrel.compiled.parts import Step
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.packed.thinning import thinned
from zubrel.explored.space import Trace

MOST_PLAYED = 30_000
"""Steps that are made to find out what a play can do without: a fifth of a second."""


def shorter(
    play: Trace, is_there: Callable[[int], bool], walking: Walking, most: int = MOST_PLAYED
) -> Trace:
    """A play to where something is so of the packed situation that has no more steps, as far as one
    is found with so many steps made at `most`."""
    attempts = 0

    def played(steps: Sequence[Step]) -> Sequence[Step] | None:
        nonlocal attempts
        attempts += 1
        if attempts * len(play.steps) > most:
            return None
        return _played(steps, is_there, walking)

    return Trace(tuple(thinned(play.steps, played)), play.shortest)


def _played(
    steps: Sequence[Step], is_there: Callable[[int], bool], walking: Walking
) -> Sequence[Step] | None:
    """The steps that are possible, of some in their order, up to where they come there; None: they
    never do."""
    word, made = walking.start(), list[Step]()
    for step in steps:
        if is_there(word):
            break
        after = walking.after(word, step)
        # what was possible only after something that is left out now goes with it
        if after is not None and after != word:
            made.append(step)
            word = after
    return made if is_there(word) else None
