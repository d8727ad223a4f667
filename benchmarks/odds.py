"""How long it takes to solve the odds of aimless plays, beside the search of the same world.

`python -m benchmarks.odds` prints a row for each of some worlds: how many situations, how many of
them in the largest strongly connected component, and how many searches it takes to solve the
equations, and to follow plays move by move for quartiles.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import TypeVar

import numpy as np
from scipy import sparse

from benchmarks.families import chain, keys, market, quests, ring_text
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.base.packaged import packaged
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.explored.listed.large_search import explore_vector
from zubrel.findings.dealt import begun
from zubrel.odds.board import Board, board_of
from zubrel.odds.chain import components
from zubrel.odds.entangled import Unsolved
from zubrel.odds.fates import blame_of, fates_of
from zubrel.odds.players import aimless
from zubrel.policy import SOLVING

T = TypeVar("T")


def worlds() -> Iterator[tuple[str, str]]:
    for finds in (10, 14, 17):
        yield f"ring, 8 areas, {finds} finds", ring_text(8, finds)
    for name in ("draft", "tidewrack"):
        yield f"demo, {name}", packaged("zubrel.demo", f"{name}.yaml").decode("utf-8")
    yield "chain of 300", chain(300)
    yield "keys, 12", keys(12)
    yield "quests, 4 side by side", quests(4)
    for most in (10, 20):
        yield f"market, up to {most}", market(most)


def timed(task: Callable[[], T]) -> tuple[float, T | None]:
    """CPU seconds, and the result; None where it takes too much work."""
    began = time.process_time()
    try:
        done: T | None = task()
    except Unsolved:
        done = None
    return time.process_time() - began, done


def allowance() -> Budget:
    """A budget that ends with the work that `odds` has for a player."""
    budget = Budget(Limits())
    budget.meanwhile(SOLVING, spent)
    return budget


def spent() -> None:
    raise Unsolved("that is all the work there is")


def largest(board: Board) -> int:
    """Situations of the largest strongly connected component."""
    ones = np.ones(len(board.targets))
    graph = sparse.csr_matrix((ones, (board.sources, board.targets)), (board.size, board.size))
    return int(np.bincount(components(graph)).max())


def main() -> None:
    print(
        "| world | situations | largest component | search | solved, in searches | with quartiles |"
    )
    print("|---|---:|---:|---:|---:|---:|")
    for name, text in worlds():
        system = compile_world(loads(text))
        search, space = timed(lambda s=system: explore_vector(s, Budget(Limits()), Silence()))
        assert space is not None, "nothing limits the search"
        board = board_of(begun(space))
        chances = aimless(board)

        solved, blame = timed(lambda b=board, c=chances: blame_of(b, c, allowance()))
        followed, fates = timed(lambda b=board, c=chances: fates_of(b, c, allowance()))
        assert blame is None or fates is None or abs(blame[0] - fates.won.share) < 1e-6
        row = (
            name,
            f"{board.size:,}",
            f"{largest(board):,}",
            f"{search:.2f} s",
            f"{solved / search:.1f}" + ("" if blame else " (given up)"),
            f"{followed / search:.1f}" + ("" if fates else " (given up)"),
        )
        print("| " + " | ".join(row) + " |", flush=True)


if __name__ == "__main__":
    main()
