"""Can the world be won, and from where? The sets that every other question builds on."""

from __future__ import annotations

from typing import Any, Generic

from msgspec import Struct

from zubrel.compiled.formulas import Formula, Within, both, either, opposite
from zubrel.compiled.parts import ENDING, PLACE, Move, wins_of
from zubrel.compiled.system import System
from zubrel.explored.space import S, Space
from zubrel.findings.dealt import begun

AnySpace = Space[Any]


class Judged(Struct, Generic[S], frozen=True):
    """The situations of a space, sorted by what can still become of them.

    After a search that was cut short, `live` and `doomed` hold only what is certain all the same.
    """

    space: Space[S]
    verdict: str
    won: S
    ended: S
    live: S
    doomed: S

    @property
    def system(self) -> System:
        return self.space.system

    @property
    def complete(self) -> bool:
        return self.space.stopped is None


def judge(space: Space[S]) -> Judged[S]:
    """Sort the situations of `space` into won, live and doomed, without those before a deal."""
    space = begun(space)
    won, ended = space.where(won_formula(space.system)), space.where(ended_formula(space.system))
    if not space.everything - space.unexplored:  # nothing is certain of what comes after
        nothing = won - won
        return Judged(space, _verdict(space, won, nothing), won, ended, nothing, nothing)
    # what was not explored might lead anywhere: nobody who can come there is doomed for certain
    to_win, perhaps = space.reaching([won, won | space.unexplored])
    live = to_win - ended
    # whoever has ended the game badly is not stuck in it
    doomed = space.everything - perhaps - ended
    return Judged(space, _verdict(space, won, doomed), won, ended, live, doomed)


def _verdict(space: Space[S], won: S, doomed: S) -> str:
    if space.stopped is not None:
        return "incomplete"
    if not won:
        return "unwinnable"
    return "softlocks" if doomed else "solvable"


def ended_formula(system: System) -> Formula:
    """The game has ended, well or badly."""
    # a world without an ending never ends
    last = system.variables[ENDING].high
    return Within(ENDING, 1, last) if last else either(())


def won_formula(system: System) -> Formula:
    """The game has ended well."""
    return either(Within(ENDING, n, n) for n in wins_of(system.world))


def ending_formula(system: System, ending: str) -> Formula:
    """The game has ended with this ending."""
    number = system.variables[ENDING].names.index(ending)
    return Within(ENDING, number, number)


def standing_formula(system: System, areas: tuple[int, ...] | None) -> Formula:
    """The player stands in one of the areas (None: anywhere), and the game goes on."""
    going_on = opposite(ended_formula(system))
    if areas is None or system.variables[PLACE].size == 1:
        return both((going_on, both(()) if areas is None or areas else either(())))
    return both((going_on, either(Within(PLACE, a, a) for a in areas)))


def possible_formula(system: System, move: Move) -> Formula:
    """A rule is possible."""
    return both((standing_formula(system, move.areas), move.guard))
