"""Which share of aimless plays each move takes the last win from, as far as that is cheap to tell.

Small worlds do without NumPy: situations are eliminated one by one from an absorbing chain, by
additions and products of what is not negative alone, so that nothing is ever lost to rounding
(Grassmann, Taksar and Heyman: Regenerative analysis and steady state distributions for Markov
chains, 1985; O'Cinneide: Entrywise perturbation theory and error analysis for Markov chains, 1993).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from typing import Any

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached
from zubrel.explored.listed.small import ScalarSpace
from zubrel.findings.dealt import beginnings, inner_of
from zubrel.findings.judged import Judged
from zubrel.policy import BLAMING, SOLVED_EDGES

WON, LOST = " won", " lost"
"""How the game is over; no rule has such an id."""
MEET = 0.2
"""Units of work where two lists of chances are put together, for each chance."""

Row = dict[int | str, float]
"""Chances: of situations by their numbers, and of ends by their names."""


class Blame(Struct, frozen=True):
    """The shares of plays that are won, that come to be doomed, and that lose the last win by each
    rule, by their ids; a play whose deal leaves no win is doomed by none of them."""

    won: float
    doomed: float
    by_rule: Mapping[str, float]


def blamed(judged: Judged[Any], budget: Budget) -> Blame | None:
    """Shares of aimless plays; None where situations are not listed, or it would take long."""
    space = inner_of(judged.space)
    if space.engine != "explicit" or space.stopped is not None or not judged.live:
        return None
    with suppress(LimitReached, MemoryError), budget.within(BLAMING):
        # a small world is solved without loading any library for it
        if isinstance(space, ScalarSpace):
            return _by_elimination(judged, space, budget)
        if (space.moves or 0) <= SOLVED_EDGES:
            return _by_solving(judged, budget)
    return None


def _by_solving(judged: Judged[Any], budget: Budget) -> Blame | None:
    # SciPy takes a third of a second to be loaded: large worlds alone wait for it
    from zubrel.odds.board import board_of
    from zubrel.odds.entangled import Unsolved
    from zubrel.odds.fates import blame_of
    from zubrel.odds.players import aimless

    board = board_of(judged.space)
    with suppress(Unsolved):
        won, parts = blame_of(board, aimless(board), budget)
        never = float(board.first[board.doomed].sum())
        by_rule = {part.id: part.share for part in parts}
        return Blame(won, never + sum(by_rule.values()), by_rule)
    return None


def _by_elimination(judged: Judged[frozenset[int]], space: ScalarSpace, budget: Budget) -> Blame:
    steps, chances = space.system.steps, space.system.chances
    rows: dict[int, Row] = {}
    # only live situations are states of the chain: all else is absorbing, with a name for each end
    for here in judged.live:
        # chances of one situation: where each move leads, ends by their names
        row: Row = {}
        # every move is alike likely, and its outcomes as their odds say
        choices = sum(chances[step] for step, _ in space.successors[here])
        for step, there in space.successors[here]:
            end: int | str = there
            if there in judged.doomed:
                end = steps[step].rule.id
            elif there not in judged.live:
                end = WON if there in judged.won else LOST
            row[end] = row.get(end, 0.0) + chances[step] / choices
        rows[here] = row
    starts = [n for n in beginnings(judged.space) if n in judged.live]
    # a state of its own in front of all deals, each of which is alike likely
    first = len(space.words)
    every = len(beginnings(judged.space))
    rows[first] = dict.fromkeys(starts, 1 / every)
    # what is left of the chain are the chances from its beginning to each end
    left = eliminated(rows, first, budget)
    won = left.pop(WON, 0.0)
    left.pop(LOST, None)
    # deals that are lost from the start are no move's fault
    never = sum(n in judged.doomed for n in beginnings(judged.space)) / every
    by_rule = {str(rule): share for rule, share in left.items()}
    return Blame(won, never + sum(by_rule.values()), by_rule)


def eliminated(rows: dict[int, Row], first: int, budget: Budget) -> Row:
    """The chances of all ends from one situation, `first`, to which nothing leads back.

    `rows` are the chances after one step from each situation in which the chain goes on; they are
    used up. Every situation has to lead to some end.
    """
    before: dict[int, set[int]] = {here: set() for here in rows}
    for here, row in rows.items():
        for there in _going_on(row):
            before[there].add(here)
    # from the far end on: what comes after a situation is gone by the time that it goes
    for here in sorted((n for n in rows if n != first), reverse=True):
        row = rows.pop(here)
        row.pop(here, None)
        # the sum of all other ways out: 1 less the chance to stay, without taking anything away
        leaving = sum(row.values())
        for there in _going_on(row):
            before[there].discard(here)
        for earlier in before.pop(here) - {here}:
            other = rows[earlier]
            share = other.pop(here) / leaving
            for end, chance in row.items():
                other[end] = other.get(end, 0.0) + share * chance
            for there in _going_on(row):
                before[there].add(earlier)
            budget.spend(len(row) * MEET)
        budget.check_limits()
    return rows[first]


def _going_on(row: Iterable[int | str]) -> list[int]:
    return [there for there in row if isinstance(there, int)]
