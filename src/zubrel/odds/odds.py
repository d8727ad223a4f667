"""World -> Odds: the stage function of this folder."""

from __future__ import annotations

import logging
from collections.abc import Sequence

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.progress import Progress
from zubrel.compiled.system import System
from zubrel.explored.listed.large import VectorSpace
from zubrel.explored.listed.large_search import explore_vector
from zubrel.explored.listed.small import ScalarSpace
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.space import TooMany
from zubrel.odds.board import Board, board_of
from zubrel.odds.entangled import Unsolved
from zubrel.odds.fates import Fates, fates_of
from zubrel.odds.field import ListedField, OpenField, SituationNumbers
from zubrel.odds.perfect import Perfect, best_of
from zubrel.odds.players import AIMLESS, CURIOUS, HOMING, PERFECT, Player, aimless, homing
from zubrel.odds.plays import PLAYS, Simulated, simulated
from zubrel.policy import MANY, NARROW, SMALL, SOLVING

log = logging.getLogger(__name__)


class OddsOptions(Struct, frozen=True):
    """Which players, how many plays where plays are simulated (`within`: fewer, once the share of
    wins is known to that), and the seed that these are drawn with."""

    players: tuple[Player, ...]
    plays: int = PLAYS
    within: float | None = None
    seed: int = 1
    simulate: bool = False
    """Whether aimless players are simulated even where their odds could be solved."""


class PlayerOdds(Struct, frozen=True):
    """What was found of one player: solved, or seen in plays, or the best that can be done; with
    none of them, `left_out` says why."""

    player: Player
    solved: Fates | None = None
    seen: Simulated | None = None
    best: Perfect | None = None
    left_out: str = ""


class Odds(Struct, frozen=True):
    """The odds of a world. `situations` is their number where every one is listed."""

    situations: int | None
    players: tuple[PlayerOdds, ...]


TOO_ENTANGLED = "the equations take too long to be solved"
TOO_LARGE = "needs every situation listed"


def odds_of(system: System, asked: OddsOptions, budget: Budget, progress: Progress) -> Odds:
    """How likely it is that players of some kinds win, get stuck or miss things.

    Raises `EndlessSettling` when a world never comes to rest, `LimitReached` where a limit comes
    before everything is known.
    """
    progress.stage("searching")
    space = _listed(system, budget, progress)
    # too many situations for equations: what remains are simulated plays
    board = None if space is None else board_of(space)
    field: SituationNumbers = OpenField(system) if board is None else ListedField(board)
    told = []
    # each player by itself: what is not solved for one may be so for another
    for player in asked.players:
        progress.stage(f"odds of {player.name} players")
        told.append(_of_player(player, board, field, asked, budget))
    return Odds(None if board is None else _begun(board), tuple(told))


def _of_player(
    player: Player, board: Board | None, field: SituationNumbers, asked: OddsOptions, budget: Budget
) -> PlayerOdds:
    # who remembers what was done needs more than a situation to go on from
    if player.name == CURIOUS or (player.name == AIMLESS and (board is None or asked.simulate)):
        return PlayerOdds(player, seen=_seen(field, player, asked, budget))
    # the others would need to know a shortest win from everywhere
    if board is None:
        return PlayerOdds(player, left_out=TOO_LARGE)
    try:
        with budget.within(SOLVING):
            if player.name == PERFECT:
                return PlayerOdds(player, best=best_of(board, budget))
            # both play by chance, so that one chain tells all of them
            chances = aimless(board) if player.name == AIMLESS else homing(board, player.homing)
            return PlayerOdds(player, solved=fates_of(board, chances, budget))
    # equations that take too long are no answer; of aimless plays there can still be simulated ones
    except (Unsolved, WorkSpent) as unsolved:
        log.info("%s: %s", player.name, unsolved)
        if player.name != AIMLESS:
            spent = isinstance(unsolved, WorkSpent)
            return PlayerOdds(player, left_out=TOO_ENTANGLED if spent else str(unsolved))
        return PlayerOdds(player, seen=_seen(field, player, asked, budget))


def _seen(field: SituationNumbers, player: Player, asked: OddsOptions, budget: Budget) -> Simulated:
    return simulated(field, player.name, asked.plays, asked.within, asked.seed, budget)


def _listed(system: System, budget: Budget, progress: Progress) -> ScalarSpace | VectorSpace | None:
    """Every situation, or None where there are too many to be listed."""
    space: ScalarSpace | VectorSpace
    engine = budget.limits.engine
    if engine == "symbolic":  # sets of situations have no numbers to solve equations for
        return None
    try:
        # as in `explore`, but without engines that list nothing
        space = explore_scalar(system, budget, progress, SMALL, NARROW)
    except TooMany:
        try:
            space = explore_vector(system, budget, progress, None if engine == "explicit" else MANY)
        except TooMany:
            return None
    if space.stopped is not None:
        raise budget.ended or LimitReached(space.stopped)
    return space


def _begun(board: Board) -> int:
    return board.judged.space.count(board.judged.space.everything)


def players_of(names: Sequence[str], homing_chance: float) -> tuple[Player, ...]:
    """Players by their names, each once."""
    return tuple(
        Player(name, homing_chance if name == HOMING else 0.0) for name in dict.fromkeys(names)
    )
