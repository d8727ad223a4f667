"""Which texts are never shown, and where is nothing shown though something should be?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS
from zubrel.checked.things import Area, Said, Shop
from zubrel.compiled.formulas import FALSE, TRUE, Formula, both, either, opposite
from zubrel.compiled.parts import Move
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, possible_formula, standing_formula


class _Texts(Question, frozen=True):
    """A list of texts, of which the first that applies is shown where `shown` holds.

    `applies` has for each text where it does.
    """

    name: str
    texts: tuple[Said, ...]
    applies: tuple[Formula, ...]
    shown: Formula


def _questions(system: System) -> Iterator[_Texts]:
    """The texts of areas where the player stands and where it may not go, of items while they are
    held, of shops that are open, of locks where they refuse to open, of rules where they are done
    and where they stand and are not possible."""
    world, translator = system.world, system.translator
    for area in world.areas.values():
        if area.says:
            yield _texts(system, area.id, area.name, area.says, translator.at(area.id))
    for item in world.items.values():
        if item.says:
            # an item is looked at while it is held
            held = translator.comparison(keys.held(item.id), ">=", 1)
            yield _texts(system, item.id, item.name, item.says, held)
    for shop in world.shops.values():
        if shop.greets:
            yield _texts(system, shop.id, shop.name, shop.greets, _open_here(system, shop))
        if shop.farewell:
            # by any move that leads away, and not only by ways
            leaves = either(_leaving(system, shop, move) for move in system.moves)
            yield _texts(system, shop.id, shop.name, shop.farewell, leaves)
    for lock in (one for one in world.locks.values() if one.refuses):
        moves = [m for m in system.moves if m.rule.kind == "lock" and m.rule.owner == lock.id]
        if moves:
            # an open lock refuses nobody
            shut = translator.equals(keys.lock_open(lock.id), 0)
            before = both((standing_formula(system, moves[0].areas), shut))
            # a lock that opens in one of several ways says nothing
            opens = either(possible_formula(system, move) for move in moves)
            shown = both((before, opposite(opens)))
            yield _texts(system, lock.id, lock.name, lock.refuses, shown)
    yield from _of_rules(system)
    for area in world.areas.values():
        if area.refuses:
            shown = either(_barred(system, area, move) for move in system.moves)
            yield _texts(system, area.id, area.name, area.refuses, shown)


def _of_rules(system: System) -> Iterator[_Texts]:
    world, by_frame = system.world, dict[str, list[Move]]()
    for move in system.moves:
        # alternatives refuse together: as long as one is possible, nothing is refused
        by_frame.setdefault(move.rule.common, []).append(move)
    for moves in by_frame.values():
        rule = moves[0].rule
        if rule.refuses:
            offered = either(_at_hand(system, m) for m in moves)
            able = either(possible_formula(system, m) for m in moves)
            shown = both((offered, opposite(able)))
            yield _texts(system, rule.common, world.described(rule), rule.refuses, shown)
        for move in moves:
            # what several outcomes have in common is looked at once
            lists = dict.fromkeys(s for o in move.rule.outcomes for s in o.says)
            for says in lists:
                if len(says) > 1 or says[0].when != ALWAYS:
                    shown = possible_formula(system, move)
                    yield _texts(system, move.rule.id, world.described(move.rule), says, shown)


def _open_here(system: System, shop: Shop) -> Formula:
    """Where the player stands at a shop that is open."""
    at = system.translator.at
    here = TRUE if shop.areas is None else either(at(area) for area in shop.areas)
    return both((here, system.formula(shop.is_open)))


def _leaving(system: System, shop: Shop, move: Move) -> Formula:
    """Where a move leads away from the area of an open shop, whatever happens then."""
    at = system.translator.at
    # an outcome without a destination leaves the player in place
    there = {o.destination for o in move.rule.outcomes} - {None}
    if not there:
        return FALSE
    elsewhere = either(opposite(at(str(area))) for area in there)
    return both((_open_here(system, shop), elsewhere, possible_formula(system, move)))


def _at_hand(system: System, move: Move) -> Formula:
    """Where a rule stands, is there, shown, and not locked, while the game goes on."""
    rule, translator = move.rule, system.translator
    parts = [standing_formula(system, move.areas), system.formula(rule.offered)]
    # before a shut lock it is the lock that speaks
    if rule.lock is not None:
        parts.append(translator.equals(keys.lock_open(rule.lock), 1))
    # a hidden rule is shown only when it is possible
    if rule.hidden:
        parts.append(system.formula(rule.needs))
    return both(parts)


def _barred(system: System, area: Area, move: Move) -> Formula:
    """Where a move would lead into an area, which may not be entered, and nothing else is said."""
    there = {o.destination for o in move.rule.outcomes}
    # what a rule refuses with is told instead of what the area does
    if area.id not in there or move.rule.refuses:
        return FALSE
    outside = opposite(system.translator.at(area.id))
    return both((_at_hand(system, move), outside, opposite(system.formula(area.needs))))


def _texts(
    system: System, subject: str, name: str, texts: tuple[Said, ...], shown: Formula
) -> _Texts:
    # the first that applies is shown: the others stay hidden behind it
    applies = tuple(system.formula(said.when) for said in texts)
    return _Texts(
        subject=subject,
        formulas=(shown, *applies),
        name=name,
        texts=texts,
        applies=applies,
        shown=shown,
    )


def _partial(system: System) -> Iterator[_Texts]:
    """The lists in which some text has a condition."""
    return (q for q in _questions(system) if any(said.when != ALWAYS for said in q.texts))


def _silent(judged: Judged[S], questions: Sequence[_Texts]) -> Iterator[Finding]:
    for texts in questions:
        # where one text has no condition there is always something to say: `_partial` leaves such
        # lists out
        quiet = judged.space.where(both((texts.shown, opposite(either(texts.applies)))))
        trace = judged.space.walks().shortest(quiet)
        if trace is not None:
            message, span = f"{texts.name} says nothing in some situation", texts.texts[-1].span
            yield Finding("silent", "warning", texts.subject, message, span, trace)


def _unheard(judged: Judged[S], questions: Sequence[_Texts]) -> Iterator[Finding]:
    for texts in questions:
        span = _never_shown(judged, texts) if judged.space.holds_somewhere(texts.shown) else None
        if span is not None:
            message = f"a text of {texts.name} is never shown"
            yield Finding("unheard", "warning", texts.subject, message, span)


def _never_shown(judged: Judged[S], texts: _Texts) -> Span | None:
    earlier: Formula = FALSE
    for said, applies in zip(texts.texts, texts.applies, strict=True):
        hidden = FALSE if said.also else earlier  # nothing hides what is told beside others
        # the earliest that is never shown: those after it may be hidden by it alone
        if not judged.space.holds_somewhere(both((texts.shown, applies, opposite(hidden)))):
            return said.span
        if not said.also:
            earlier = either((earlier, applies))
    return None


SILENT = SubjectDetector("silent", _partial, _silent, whole=False)
"""`silent`: a list of texts with conditions, none of which applies where one is due."""
UNHEARD = SubjectDetector("unheard", _questions, _unheard)
"""`unheard`: a text that is shown in no situation, because an earlier one always is."""
