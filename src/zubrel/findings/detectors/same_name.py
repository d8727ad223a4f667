"""Which things are shown under one name, though both can be met?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.things import Thing
from zubrel.compiled.formulas import Formula, Within, both, either
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, standing_formula


class _Namesake(Question, frozen=True):
    """A thing that is called as another before it, and where a player meets each of the two."""

    other: str
    name: str
    span: Span
    met: tuple[Formula, Formula]


def _questions(system: System) -> Iterator[_Namesake]:
    for section in _met(system):
        known: dict[str, tuple[Thing, Formula]] = {}
        for thing, met in section:
            # as players read it: case and spacing tell nothing apart
            name = " ".join(thing.name.lower().split())
            # the first keeps the name: all others are compared with it
            if name not in known:
                known[name] = thing, met
                continue
            other, other_met = known[name]
            yield _Namesake(
                subject=thing.id,
                formulas=(other_met, met),
                other=other.id,
                name=thing.name,
                span=thing.span,
                met=(other_met, met),
            )


def _met(system: System) -> Iterator[list[tuple[Thing, Formula]]]:
    """Section by section what a player can meet, and where: in the hand, or standing at it."""
    world, translator = system.world, system.translator
    yield [
        (item, Within(system.numbers[keys.held(item.id)], 1, item.most))
        for item in world.items.values()
        if item.most > 0
    ]
    # areas are met by standing in them, people wherever they are
    yield [(area, translator.at(area.id)) for area in world.areas.values()]
    yield [
        (
            person,
            either(both((translator.at(a), system.formula(when))) for a, when in person.places),
        )
        for person in world.people.values()
    ]
    for kind, things in (("foe", world.foes), ("shop", world.shops)):
        # shops own moves of several kinds, to buy and to sell
        moves = [m for m in system.moves if kind == "shop" or m.rule.kind == kind]
        yield [
            (
                thing,
                either(
                    both((standing_formula(system, m.areas), system.formula(m.rule.offered)))
                    for m in moves
                    if m.rule.owner == thing.id
                ),
            )
            for thing in things.values()
        ]


def _decide(judged: Judged[S], questions: Sequence[_Namesake]) -> Iterator[Finding]:
    for question in questions:
        # met in some play each: one that nobody ever meets confuses nobody
        if all(judged.space.holds_somewhere(formula) for formula in question.met):
            message = (
                f"“{question.name}” is what {question.other} and {question.subject} are called"
            )
            yield Finding("same_name", "note", question.subject, message, question.span)


SAME_NAME = SubjectDetector("same_name", _questions, _decide, whole=False)
"""`same_name`: two items, areas, people, foes or shops of one name, each of which can be met."""
