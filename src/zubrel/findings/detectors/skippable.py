"""What can a winner do without?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.effects import Wear
from zubrel.checked.world import World
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.system import System
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import S, Trace
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged
from zubrel.findings.mentions import subjects_of


class Skip(Question, frozen=True):
    """`attained` holds once a play has the subject.

    `shown`: a win without it is known, so that all there is to ask is whether it is ever had.
    """

    words: str
    span: Span
    attained: Formula
    shown: bool = False


def _questions(system: System) -> Iterator[Skip]:
    world, numbers = system.world, system.numbers
    # what nothing asks for can be skipped by design, and is nobody's surprise
    asked = asked_ids(world)
    for item in world.items.values():
        if item.id in asked and item.most > 0:
            had_where = Within(numbers[keys.held(item.id)], 1, item.most)
            yield _skip(item.id, item.name, item.span, had_where)
    for lock in world.locks.values():
        # what is open from the start is never opened
        if lock.id in asked and not lock.begins_open:
            had_where = Within(numbers[keys.lock_open(lock.id)], 1, 1)
            yield _skip(lock.id, f"opening {lock.name}", lock.span, had_where)
    for quest in world.quests.values():
        if quest.id in asked:
            had_where = Within(numbers[keys.quest(quest.id)], DONE, DONE)
            yield _skip(quest.id, f"the quest {quest.name}", quest.span, had_where)


def _skip(subject: str, words: str, span: Span, attained: Formula) -> Skip:
    return Skip(subject=subject, formulas=(attained,), words=words, span=span, attained=attained)


def asked_ids(world: World) -> frozenset[str]:
    """What some written `needs`, `takes` or `wears`, a `lock`, or the `when` of a talk or a foe
    mentions, or where people are: all on which it depends whether something can be done.

    What is only put down, stored or paid is not asked for by that.
    """
    ids: set[str] = set()
    for rule in world.rules:
        ids.update(subjects_of(rule.needs))
        if rule.kind in ("talk", "foe"):
            ids.update(subjects_of(rule.offered))
        if rule.lock:
            ids.add(rule.lock)
        # who only puts away or pays asks for nothing in particular
        if rule.kind not in ("put", "drop", "sell", "buy"):
            ids.update(take.item for take in rule.takes)
            ids.update(e.item for o in rule.outcomes for e in o.effects if isinstance(e, Wear))
    for person in world.people.values():
        # where people are decides what can be asked of them
        ids.update(subject for _, when in person.places for subject in subjects_of(when))
    for area in world.areas.values():
        ids.update(subjects_of(area.needs))
    return frozenset(ids)


def shown_by(win: Trace, questions: Sequence[Skip], system: System) -> Iterator[Skip]:
    """The questions, with what a win of the whole world shows: what never occurs in it."""
    walking = Walking(system)
    words = list(walking.along(win))
    # one win answers many questions at once, without a search
    tests = walking.kernel.tests([q.attained for q in questions])
    for question, test in zip(questions, tests, strict=True):
        yield replace(question, shown=not any(test(word) for word in words))


def _decide(judged: Judged[S], questions: Sequence[Skip]) -> Iterator[Finding]:
    """Of those that are `shown` the evidence is left out: it is known."""
    space = judged.space
    if not judged.won:
        return
    yield from (
        _finding(q, None) for q in questions if q.shown and space.holds_somewhere(q.attained)
    )
    # what nobody ever has is told of by another kind
    having = [(q, there) for q in questions if not q.shown and (there := space.where(q.attained))]
    # all at once: engines answer many sets that are avoided in one search
    without = space.reached_without([there for _, there in having])
    wins: list[Trace] = []
    for (question, there), reached in zip(having, without, strict=True):
        if reached & judged.won:
            yield _finding(question, _win_without(judged, there, reached, wins))


def _finding(question: Skip, trace: Trace | None) -> Finding:
    message = f"the game can be won without {question.words}"
    return Finding("skippable", "note", question.subject, message, question.span, trace)


def _win_without(judged: Judged[S], having: S, reached: S, wins: list[Trace]) -> Trace | None:
    """A win that never has something: one of the `wins` that are known, or else a new one.

    Only the first is known to be the shortest of all; where it will do, nothing is shorter.
    """
    if not wins:
        first = judged.space.walks().shortest(judged.won)
        wins += [first] if first else []
    for win in wins:
        # a win that is the shortest without one thing need not be so without another
        if (win is wins[0] or not win.shortest) and not judged.space.meets(win, having):
            return win
    # none of the known ones will do: a search that keeps out of the thing
    win_found = judged.space.walks(having, reached).shortest(judged.won)
    wins += [win_found] if win_found else []
    return win_found


SKIPPABLE = SubjectDetector("skippable", _questions, _decide, whole=False)
"""`skippable`: items, locks and quests that something asks for, and a win exists without."""
