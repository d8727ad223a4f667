"""Which texts are never shown, and where is nothing shown though something should be?"""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import ALWAYS
from zubrel.checked.world import Said
from zubrel.compiled.formulas import FALSE, Formula, both, either, opposite
from zubrel.compiled.translate import Translator
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, possible_formula, standing_formula


class _Texts(Struct, frozen=True):
    """A list of texts, of which the first that applies is shown where `shown` holds."""

    subject: str
    name: str
    texts: tuple[Said, ...]
    shown: Formula


def silent(judged: Judged) -> Iterator[Finding]:
    """`silent`: a list of texts with conditions, none of which applies where one is due."""
    translator = _translator(judged)
    for texts in _lists(judged, translator):
        if all(said.when == ALWAYS for said in texts.texts):
            continue
        applies = either(translator.formula(said.when) for said in texts.texts)
        quiet = judged.space.where(both((texts.shown, opposite(applies))))
        trace = judged.space.walks().shortest(quiet)
        if trace is not None:
            message = f"{texts.name} says nothing in some situation"
            span = texts.texts[-1].span
            yield Finding("silent", "warning", texts.subject, message, span, trace)


def unheard(judged: Judged) -> Iterator[Finding]:
    """`unheard`: a text that is shown in no situation, because an earlier one always is."""
    if not judged.complete:
        return
    translator = _translator(judged)
    for texts in _lists(judged, translator):
        if not judged.space.some(texts.shown):
            continue
        span = _never_shown(judged, translator, texts)
        if span is not None:
            message = f"a text of {texts.name} is never shown"
            yield Finding("unheard", "warning", texts.subject, message, span)


def _never_shown(judged: Judged, translator: Translator, texts: _Texts) -> Span | None:
    earlier: Formula = FALSE
    for said in texts.texts:
        applies = translator.formula(said.when)
        if not judged.space.some(both((texts.shown, applies, opposite(earlier)))):
            return said.span
        earlier = either((earlier, applies))
    return None


def _lists(judged: Judged, translator: Translator) -> Iterator[_Texts]:
    """The texts of areas where the player stands, of locks where they refuse to open."""
    world = judged.system.world
    for area in world.areas.values():
        if area.says and judged.asks(area.id):
            yield _Texts(area.id, area.name, area.says, translator.at(area.id))
    for lock in world.locks.values():
        moves = [
            m for m in judged.system.moves if m.rule.kind == "lock" and m.rule.owner == lock.id
        ]
        if lock.refuses and moves and judged.asks(lock.id):
            shut = translator.equals(keys.lock_open(lock.id), 0)
            before = both((standing_formula(judged.system, moves[0].areas), shut))
            opens = either(possible_formula(judged.system, move) for move in moves)
            shown = both((before, opposite(opens)))
            yield _Texts(lock.id, lock.name, lock.refuses, shown)


def _translator(judged: Judged) -> Translator:
    system = judged.system
    return system.translator
