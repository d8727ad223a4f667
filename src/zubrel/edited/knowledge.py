"""What a search of every situation tells of single things, moves and conditions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from typing import Any

from msgspec import Struct, field

from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition
from zubrel.authored.document import Document
from zubrel.base.budget import Budget, LimitReached
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.source import Span
from zubrel.checked.asking import conditions_in
from zubrel.checked.check import check
from zubrel.checked.conditions import Holds
from zubrel.compiled.formulas import either
from zubrel.explored.space import Distance
from zubrel.findings.judged import Judged, possible_formula
from zubrel.findings.shape.progression import had_formulas
from zubrel.policy import KNOWING

COUNTED = 500
"""Situations that are looked at for a unit of work where they are listed; sets take less."""
Where = tuple[str, int, int]
"""A place: the path of the file, line and column."""


class Knowledge(Struct, frozen=True):
    """What was found out within a budget: what is not in it is not known.

    `first` has, by the id of a thing or a rule, after how many moves it can be had, or in which it
    can be done (0: from the start, None: never), `most` how many of an item are ever held, and
    `holds` in how many `situations` a condition holds, by its place.
    """

    situations: int
    first: dict[str, int | None] = field(default_factory=dict)
    most: dict[str, int] = field(default_factory=dict)
    holds: dict[Where, int] = field(default_factory=dict)


def where(span: Span) -> Where:
    """A span as a key of `Knowledge.holds`."""
    return (span.source.path, span.line, span.column)


def knowledge_of(judged: Judged[Any], document: Document, budget: Budget) -> Knowledge:
    """What the situations of the world in `document` tell, within a share of a budget."""
    space = judged.space
    known = Knowledge(space.count(space.everything))
    # numbers of a cut search would be too small
    if not judged.complete:
        return known
    with suppress(LimitReached), budget.within(KNOWING):
        # a limit may leave out what comes last: how often conditions hold
        for item in judged.system.world.items.values():
            known.most[item.id] = _most_held(judged, item.id, item.most)
        for thing, steps in _firsts(judged):
            known.first.setdefault(thing, steps)  # a lock is had when it is open, not when opened
        for condition, formula in _conditions(judged, document):
            known.holds[where(condition.span)] = space.count(space.where(formula))
            budget.spend(known.situations // COUNTED)
    return known


def _most_held(judged: Judged[Any], item: str, most: int) -> int:
    """By halves: whoever holds five has held four, or got them at once."""
    low, high = 0, most
    while low < high:
        middle = (low + high + 1) // 2
        formula = judged.system.formula(Holds(item, ">=", middle, None))
        if judged.space.holds_somewhere(formula):
            low = middle
        else:
            high = middle - 1
    return low


def _firsts(judged: Judged[Any]) -> Iterator[tuple[str, int | None]]:
    """Things that can be had and rules that can be done, with the move in which that is first so.

    Left out is what a shorter walk was not ruled out of.
    """
    space, system = judged.space, judged.system
    walks = space.walks()
    before = system.world.moves_before()

    def told(distance: Distance | None, more: int) -> Iterator[int | None]:
        if distance is None:
            yield None
        elif distance.fewest:
            yield max(0, distance.steps - before) + more

    for thing, _, formula in had_formulas(judged):
        for steps in told(walks.moves_to(space.where(formula)), 0):
            yield thing, steps
    # alternatives of one rule: the soonest counts
    by_rule: dict[str, list[Any]] = {}
    for move in system.player_moves:
        if ("taken", move.rule.owner) not in system.numbers:  # those are known as had
            by_rule.setdefault(move.rule.id, []).append(possible_formula(system, move))
    for rule, formulas in by_rule.items():
        for steps in told(walks.moves_to(space.where(either(formulas))), 1):
            yield rule, steps


def _conditions(judged: Judged[Any], document: Document) -> Iterator[tuple[Condition, Any]]:
    """Every condition of the files, with its formula."""
    endings = judged.system.world.endings
    asked = [c for c in conditions_in(document) if not _names_one(c, endings)]
    try:
        resolved = check(document, asked).asked
    except InvalidInput:  # one that cannot stand alone: then nothing is told of any
        return
    for condition, meaning in zip(asked, resolved, strict=True):
        yield condition, judged.system.formula(meaning)


def _names_one(condition: Condition, endings: dict[str, Any]) -> bool:
    """Whether it is the id of an ending, which promises name in the place of a condition."""
    tree = condition.tree
    return isinstance(tree, syntax.Named) and tree.name.text in endings


def condition_at(document: Document, place: Where) -> Condition | None:
    """The condition of a document that a place stands in."""
    path, line, column = place
    for condition in conditions_in(document):
        span = condition.span
        if (span.source.path, span.line) == (path, line) and (
            span.column <= column <= span.column + span.width
        ):
            return condition
    return None
