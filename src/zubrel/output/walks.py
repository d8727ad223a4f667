"""Walks as tables, for every text that shows one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Console, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from zubrel.narrated.report import Because, Deals, MoveLine, Point, claims_of
from zubrel.narrated.words import counted, length
from zubrel.output.heads import QUIET, with_deal


def indented(content: RenderableType, by: int) -> Padding:
    """`content` moved to the right; wrapped lines keep the indent."""
    return Padding(content, (0, 0, 0, by), expand=False)


def closing_words(point: Point) -> str:
    """When a point of no return can be made; where nobody knows that it is not sooner, by when."""
    move = f"move {len(point.moves)}"
    when = f"at the earliest as {move}" if point.shortest else f"by {move} or sooner"
    return f"{point.label} can close it, {when}."


def walk_table(
    moves: Sequence[MoveLine],
    with_held: bool = False,
    full: bool = True,
    first: int = 1,
    marked: frozenset[int] = frozenset(),
) -> Table:
    """A walk as a table: numbers, moves, changes where there are any, what is held if asked.

    The numbers begin with `first`; `marked` moves have a star, and are never folded.
    """
    stretches = list(_stretches(moves, full, first, marked))
    changing = any(stretch[-1].changes for _, _, stretch in stretches)
    table = Table(box=None, show_header=False, padding=(0, 2, 0, 0), pad_edge=False)
    table.add_column("", justify="right", style=QUIET, no_wrap=True)
    for title in ["move", *["changes"] * changing, *["held then"] * with_held]:
        table.add_column(title, style=QUIET if title == "changes" else "")
    for begin, last, stretch in stretches:
        move = stretch[-1]
        star = "*" if last in marked else " " if marked else ""
        numbers = str(begin) if begin == last else f"{begin}–{last}"
        row = [numbers + star, _stretch_words(stretch)]
        row += [", ".join(move.changes)] * changing
        row += [", ".join(move.held_words) or "nothing"] * with_held
        table.add_row(*(Text(cell) for cell in row))
    return table


def _stretches(
    moves: Sequence[MoveLine], full: bool, first: int = 1, marked: frozenset[int] = frozenset()
) -> Iterator[tuple[int, int, list[MoveLine]]]:
    """The moves one by one, or with walks that change nothing else in one piece.

    Yields the numbers of the first and the last move of each piece, and the piece.
    """
    stretch: list[MoveLine] = []
    for number, move in enumerate(moves, first):
        stretch.append(move)
        place = number - first + 1
        follows = moves[place] if place < len(moves) else None
        walks_on = follows is not None and _only_walks(follows) and _only_walks(move)
        if full or not walks_on or number in marked or number + 1 in marked:
            yield number - len(stretch) + 1, number, stretch
            stretch = []


def _only_walks(move: MoveLine) -> bool:
    return move.kind == "way" and not move.changes and move.outcome is None


def _stretch_words(stretch: Sequence[MoveLine]) -> str:
    move = stretch[-1]
    if len(stretch) > 1:
        return f"walk from {stretch[0].area} to {move.to}"
    luck = f" (outcome {move.outcome})" if move.outcome is not None else ""
    return f"{move.area}: {move.label}{luck}"


def spoken_of(why: Sequence[Because]) -> Iterator[int]:
    """The numbers of the moves of which a reason speaks."""
    return (int(c.data["move"]) for c in claims_of(why) if c.claim in ("took", "done"))


def write_route(
    goal: str,
    moves: Sequence[MoveLine],
    shortest: bool,
    console: Console,
    quiet: bool = False,
    deals: Deals | None = None,
) -> None:
    """A route: numbered moves, what each changes, what is held afterwards; `quiet`: its length."""
    best = with_deal(deals.best) if deals is not None else ""
    console.print(Text.assemble((length(len(moves), shortest), "bold"), f" to {goal}{best}"))
    if deals is not None:
        console.print(Text(_of_other_deals(deals, len(moves))))
    if moves and not quiet:
        table = walk_table(moves, with_held=True)
        table.show_header, table.header_style = True, "dim italic"
        console.print(table)


def _of_other_deals(deals: Deals, shortest: int) -> str:
    """The worst of the other deals, as far as somebody has looked."""
    every = counted(deals.every, "deal")
    if deals.longest is None or deals.without is None:
        return f"the best of {every}; the others were not looked at one by one"
    words = f"the best of {every}"
    if deals.longest == shortest:
        words += "; none that leads there takes more moves"
    else:
        words += f"; the worst takes {counted(deals.longest, 'move')}{with_deal(deals.worst)}"
    return words + (f"; from {deals.without:,} nothing leads there" if deals.without else "")
