"""Evidence that goes as long as it can the way of the shortest win, so that less is new in it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import takewhile

from msgspec.structs import replace

from zubrel.base.kinds import DOOMING
from zubrel.compiled.parts import Step
from zubrel.explored.space import S, Space, Trace
from zubrel.findings.detectors.missable import missables
from zubrel.findings.detectors.softlocks import dooming
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged

MORE = 4
"""Moves by which evidence may be longer for the sake of what it shares with the win."""


def alongside(judged: Judged[S], finding: Finding) -> Finding:
    """A finding whose evidence begins with as many moves of the shortest win as can be.

    Only of softlocks, bad luck, and what can be missed, where nothing is merged.
    """
    space = judged.space
    win = None if space.merged else space.walks().shortest(judged.won)
    if win is None or finding.trace is None:
        return finding
    # the evidence may already go with the win for some moves: only more of that is an improvement
    known = finding.trace
    pairs = zip(known.steps, win.steps, strict=False)
    shared = len(list(takewhile(lambda pair: pair[0] is pair[1], pairs)))
    best: tuple[int, Trace] | None = None
    for last, sources in _goals(judged, finding):
        # distances on the way back tell at each move of the win how much is still to come from
        # there
        distance = space.distances_to(sources)
        most = len(known.steps) + MORE - (last is not None)
        count, here = _together(space, win, distance, most)
        if count <= max(shared, 0 if best is None else best[0]):
            continue
        if count < judged.system.world.moves_before():
            continue  # another deal is another play
        steps = [*win.steps[:count], *_onward(space, here, distance)]
        steps += [] if last is None else [last]
        # a play that goes with the win may be longer than the shortest one: then it is not called
        # that
        shortest = known.shortest and len(steps) <= len(known.steps)
        best = count, Trace(tuple(steps), shortest)
    return finding if best is None else replace(finding, trace=best[1])


def _goals(judged: Judged[S], finding: Finding) -> Iterator[tuple[Step | None, S]]:
    """Where the evidence of a finding may lead, and the step that is made there."""
    if finding.kind in DOOMING:
        yield from dooming(judged, finding.kind, finding.subject)
        return
    if finding.kind != "missable":
        return
    for thing in missables(judged.system):
        # of others no situation tells whether they were had
        if thing.subject == finding.subject and (thing.lasting or thing.ever is not None):
            space = judged.space
            (able,) = space.reaching([space.where(thing.attained)])
            missed = judged.live - able
            yield None, missed if thing.ever is None else missed - space.where(thing.ever)


def _together(
    space: Space[S], win: Trace, distance: Callable[[S], int | None], most: int
) -> tuple[int, S]:
    """How many moves of a win can be made before the way to a goal takes more than `most` in all;
    and the situation after them."""
    here = space.at_end_of(Trace(()))
    best = 0, here
    for count, step in enumerate(win.steps, 1):
        here = space.after(step, here)
        # once the goal is out of reach from the win, it never comes into reach again
        left = distance(here)
        if left is None:
            break
        # a longer common way is worth a few moves more, but no more than those
        if count + left <= most:
            best = count, here
        if not left:
            break
    return best


def _onward(space: Space[S], here: S, distance: Callable[[S], int | None]) -> Iterator[Step]:
    """A shortest way from one situation to the goal that is so far away."""
    left = distance(here) or 0
    while left:
        # the first of the file, so that the same world gives the same play
        for step in (s for move in space.acting for s in move.steps):
            after = space.after(step, here)
            if after and distance(after) == left - 1:
                yield step
                here, left = after, left - 1
                break
        else:
            raise AssertionError("some step leads nearer")
