"""The pace of simulated plays in words."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.world import World
from zubrel.narrated.shares import percent
from zubrel.narrated.words import counted, listed
from zubrel.odds.plays import Pace


def pace_in_words(world: World, pace: Pace) -> Iterator[str]:
    """How often there is something new, a line each."""
    # quartiles: averages of stretches would be those of the few longest
    first, middle, last = pace.longest
    yield f"Something new every {pace.between:,.1f} moves on average, a move or an area."
    yield (
        f"The longest stretch with nothing new: {counted(middle, 'move')} in the middle of all "
        f"plays ({first:,} to {last:,} for half of them)."
    )
    if pace.dull:
        # more than three would be a table
        areas = [f"{world.name_of(p.id)} ({percent(p.share)})" for p in pace.dull[:3]]
        yield f"Of these stretches most is spent in {listed(areas)}."
    yield f"{percent(pace.known).capitalize()} of all moves lead back into areas known already."
