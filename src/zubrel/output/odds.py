"""Odds -> tables for a terminal, CSV, JSON."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterator, Sequence
from io import StringIO
from typing import Any

import msgspec
from rich.console import Console
from rich.text import Text

from zubrel import __version__
from zubrel.authored.tables import guarded
from zubrel.base.plain import plain
from zubrel.checked.world import World
from zubrel.narrated.shares import between, moves, percent
from zubrel.narrated.state_tables import Row
from zubrel.narrated.tables import Listing
from zubrel.narrated.words import listed
from zubrel.odds.fates import ENDS, WON, Fate, Fates, Part
from zubrel.odds.odds import Odds, PlayerOdds
from zubrel.odds.pacing import pace_in_words
from zubrel.odds.perfect import Perfect
from zubrel.odds.players import HOMING
from zubrel.odds.plays import GOING_ON, LONGEST, Estimate, Simulated
from zubrel.output.heads import QUIET
from zubrel.output.listings import write_tables
from zubrel.output.walks import indented

MOST_ROWS = 8
"""Rows of a table of moves, things or areas; CSV and JSON have all of them."""
LEAST = 0.0005
"""Shares below which a row is not worth a line."""
WORDS = {**ENDS, GOING_ON: f"still going on after {LONGEST:,} moves"}


def write_odds(world: World, odds: Odds, console: Console) -> None:
    """A table of the players, and below it where wins and things are lost, and the pace."""
    head = Text(world.title, "bold")
    console.print(head.append(f"  ({plain(world.path)})", QUIET))
    console.print(indented(Text(_listed(odds), QUIET), 2))
    console.print()
    columns = ("player", "wins", "moves to a win", "doomed", "ends otherwise")
    rows: tuple[Row, ...] = tuple(_row(world, one) for one in odds.players)
    write_tables([Listing("players", columns, rows)], console)
    # of a perfect player only the chance of a win is known
    told = [one for one in odds.players if one.solved or one.seen]
    for title, parts in (
        ("which move takes the last win", _blamed),
        ("where that happens", _lost_in),
        ("what is missed for good, while a win is left", _missed),
    ):
        # long tails of small shares are cut, and said to be
        listing, worth = _shares(world, title, told, parts)
        if listing.rows:
            console.print()
            shown = listing.rows[: max(1, min(MOST_ROWS, worth))]
            write_tables([msgspec.structs.replace(listing, rows=shown)], console)
            if left := len(listing.rows) - len(shown):
                console.print(Text(f"and {left:,} more; --format json has all of them", QUIET))
    for one in odds.players:
        for line in _luck(world, one.best) if one.best is not None else ():
            console.print()
            console.print(Text(line))
    _write_paces(world, [one for one in told if one.seen], console)


def _listed(odds: Odds) -> str:
    if odds.situations is None:
        return "situations are not listed: odds are estimates from simulated plays"
    return f"{odds.situations:,} situations, every one listed"


def name_of(one: PlayerOdds) -> str:
    """The player in a word or two."""
    player = one.player
    return f"{player.name} {player.homing:g}" if player.name == HOMING else player.name


def _row(world: World, one: PlayerOdds) -> tuple[tuple[str, ...], ...]:
    name = name_of(one)
    if one.best is not None:
        return ((name,), (_best(one.best),), (), (), ())
    if one.solved is not None:
        known = one.solved
        others = [e for e in known.ends if e.share and not _wins(world, e.id)]
        return (
            (name,),
            (percent(known.won.share, known.won.error),),
            _moves(known.won),
            (percent(known.doomed.share, known.doomed.error), *_soon(known.doomed.quartiles)),
            tuple(f"{_end(world, e.id)} {percent(e.share, e.error)}" for e in others),
        )
    if one.seen is not None:
        seen = one.seen
        bad = [e for e in seen.ends if not _wins(world, e.id)]
        return (
            (f"{name}", f"({seen.plays:,} plays)"),
            _estimate(seen.won),
            _times(seen.won.mean, seen.won.quartiles),
            () if seen.doomed is None else (*_estimate(seen.doomed), *_soon(seen.doomed.quartiles)),
            tuple(f"{_end(world, e.id)} {percent(e.share)}" for e in bad),
        )
    return ((name,), (one.left_out,), (), (), ())


def _soon(quartiles: tuple[int, int, int] | None) -> tuple[str, ...]:
    """After how many moves, in a line; nothing where that is not known."""
    return () if quartiles is None else (f"half by move {quartiles[1]:,}",)


def _wins(world: World, end: str) -> bool:
    return end in world.endings and world.endings[end].good


def _end(world: World, end: str) -> str:
    return WORDS.get(end) or world.endings[end].name


def _best(best: Perfect) -> str:
    if best.certain:
        return "all, whatever luck does"
    if best.most - best.least < 1e-6:
        return f"{percent(best.least)} at the best"
    return f"between {percent(best.least)} and {percent(best.most)}"


def _estimate(estimate: Estimate) -> tuple[str, ...]:
    return percent(estimate.share), f"({between(estimate.least, estimate.most)})"


def _moves(fate: Fate) -> tuple[str, ...]:
    if fate.mean is None or moves(fate.mean, fate.mean_error) is None:
        return ()
    return _times(fate.mean, fate.quartiles)


def _times(mean: float | None, quartiles: tuple[int, int, int] | None) -> tuple[str, ...]:
    if mean is None:
        return ()
    words = (f"{moves(mean, 0.0)} on average",)
    if quartiles is None:
        return words
    first, middle, last = quartiles
    return (*words, f"{middle:,} in the middle", f"({first:,} to {last:,} for half)")


def _blamed(one: PlayerOdds) -> Sequence[Part]:
    known: Fates | Simulated | None = one.solved or one.seen
    return known.blamed if known is not None else ()


def _lost_in(one: PlayerOdds) -> Sequence[Part]:
    known: Fates | Simulated | None = one.solved or one.seen
    return known.lost_in if known is not None else ()


def _missed(one: PlayerOdds) -> Sequence[Part]:
    known: Fates | Simulated | None = one.solved or one.seen
    return known.missed if known is not None else ()


def _shares(
    world: World,
    title: str,
    told: Sequence[PlayerOdds],
    parts: Callable[[PlayerOdds], Sequence[Part]],
) -> tuple[Listing, int]:
    """Shares of all plays, the largest first, a column for each player that knows any; and how many
    of them are worth a line."""
    columns = [
        (_column(one), {p.id: p.share for p in parts(one)}, one.solved.error if one.solved else 0.0)
        for one in told
    ]
    # players of whom nothing was found have no column
    columns = [column for column in columns if column[1]]
    # a row is worth as much as the player for whom it is worth most
    largest: dict[str, float] = {}
    for _, known, _ in columns:
        for subject, share in known.items():
            largest[subject] = max(share, largest.get(subject, 0.0))
    order = sorted(largest, key=lambda subject: (-largest[subject], subject))
    rows: list[Row] = [
        (
            (_named(world, subject),),
            *((percent(known.get(subject, 0.0), error),) for _, known, error in columns),
        )
        for subject in order
    ]
    listing = Listing(title, ("of all plays", *(name for name, _, _ in columns)), tuple(rows))
    return listing, sum(share >= LEAST for share in largest.values())


def _column(one: PlayerOdds) -> str:
    """The player, and of how many plays shares are told that were seen and not solved."""
    return f"{name_of(one)} (of {one.seen.plays:,})" if one.seen else name_of(one)


def _named(world: World, subject: str) -> str:
    """A rule by its label, a thing by its name, with the id where that is another word."""
    labels = {rule.id: rule.label for rule in world.rules}
    name = labels.get(subject) or world.name_of(subject)
    return name if name == subject else f"{name} ({subject})"


def _luck(world: World, best: Perfect) -> Iterator[str]:
    if best.certain:
        yield "Luck is not needed: who plays well can win whatever it does."
    elif best.falls_at is not None:
        lost = [f"“{_named(world, p.id)}” {percent(p.share)}" for p in best.lost_at]
        move = f"move {best.falls_after + 1:,}"
        yield (
            f"Luck decides also for who plays best: at the soonest by {move}, "
            f"“{_named(world, best.falls_at)}”."
        )
        if lost:
            yield f"What takes the last win from such plays: {listed(lost)}."


def _write_paces(world: World, told: Sequence[PlayerOdds], console: Console) -> None:
    for one in told:
        if one.seen is not None:
            console.print()
            console.print(Text(f"the pace of {name_of(one)} plays", "bold"))
            for line in pace_in_words(world, one.seen.pace):
                console.print(indented(Text(line), 2))


def odds_as_csv(odds: Odds) -> str:
    """A line for each share of each player: solved ones with what they may be wrong by, those of
    simulated plays with their interval."""
    out = StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(
        ["player", "what", "id", "share", "least", "most", "mean_moves", "q1", "median", "q3"]
    )
    for one in odds.players:
        for line in _lines(one):
            table.writerow([guarded(cell) for cell in (name_of(one), *line)])
    return out.getvalue()


def _lines(one: PlayerOdds) -> Iterator[list[str]]:
    if one.best is not None:
        yield ["win", WON, "", repr(one.best.least), repr(one.best.most), "", "", "", ""]
        yield from _part_lines("loses the last win", one.best.lost_at)
    if one.solved is not None:
        known = one.solved
        # a line for each number, whatever it is of: rows of a table that a spreadsheet can filter
        for what, fate in (("win", known.won), ("doomed", known.doomed)):
            yield [what, *_fate_cells(fate)]
        for fate in known.ends:
            yield ["end", *_fate_cells(fate)]
        yield from _part_lines("loses the last win", known.blamed)
        yield from _part_lines("lost in", known.lost_in)
        yield from _part_lines("missed", known.missed)
    if one.seen is not None:
        seen = one.seen
        yield ["win", *_estimate_cells(seen.won)]
        if seen.doomed is not None:
            yield ["doomed", *_estimate_cells(seen.doomed)]
        for estimate in seen.ends:
            yield ["end", *_estimate_cells(estimate)]
        yield from _part_lines("loses the last win", seen.blamed)
        yield from _part_lines("lost in", seen.lost_in)
        yield from _part_lines("missed", seen.missed)


def _part_lines(what: str, parts: Sequence[Part]) -> Iterator[list[str]]:
    for part in parts:
        yield [what, part.id, repr(part.share), "", "", "", "", "", ""]


def _fate_cells(fate: Fate) -> list[str]:
    least, most = max(0.0, fate.share - fate.error), min(1.0, fate.share + fate.error)
    return [fate.id, *map(repr, (fate.share, least, most)), *_time_cells(fate)]


def _estimate_cells(estimate: Estimate) -> list[str]:
    shares = (estimate.share, estimate.least, estimate.most)
    return [estimate.id, *map(repr, shares), *_time_cells(estimate)]


def _time_cells(fate: Fate | Estimate) -> list[str]:
    mean = "" if fate.mean is None else repr(fate.mean)
    return [mean, *(map(str, fate.quartiles) if fate.quartiles else ("", "", ""))]


def odds_as_json(world: World, odds: Odds) -> str:
    """One object: the world, how many situations were listed, and all that is known of each
    player."""
    told: dict[str, Any] = {"zubrel": __version__, "world": world.path, "title": world.title}
    told |= msgspec.to_builtins(odds)
    return json.dumps(told, indent=2, ensure_ascii=False) + "\n"
