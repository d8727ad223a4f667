"""Which quests become impossible when something is done before they count it?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.things import Goal, Quest
from zubrel.compiled.formulas import Formula, both, opposite
from zubrel.compiled.parts import PLACE, Step
from zubrel.compiled.system import System
from zubrel.explored.space import S, Trace
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


class _Early(Struct, frozen=True):
    """Where a goal would not count, though it is not met and its quest has not ended; and the
    steps that it would count at other times. `there`, of a visit: where it is."""

    goal: Goal
    idle: Formula
    counted: tuple[tuple[Step, tuple[Formula, ...]], ...]
    there: Formula | None


class _Quest(Question, frozen=True):
    quest: Quest
    done: Formula
    goals: tuple[_Early, ...]


def _questions(system: System) -> Iterator[_Quest]:
    for quest in system.world.quests.values():
        goals = tuple(_early(system, quest, goal) for goal in quest.goals if goal.remembered)
        # what is read off the situation counts whenever it is so
        if goals:
            done = system.translator.equals(keys.quest(quest.id), DONE)
            whens = [when for g in goals for _, whens in g.counted for when in whens]
            places = [g.there for g in goals if g.there is not None]
            yield _Quest(
                subject=quest.id,
                formulas=(done, *(g.idle for g in goals), *places, *whens),
                # one step may count for several goals
                steps=tuple({s.number: s for g in goals for s, _ in g.counted}.values()),
                quest=quest,
                done=done,
                goals=goals,
            )


def _early(system: System, quest: Quest, goal: Goal) -> _Early:
    translator = system.translator
    idle = both(
        (
            # a quest that is over counts nothing any more, and breaks no more either
            translator.unended(quest.id),
            opposite(translator.met(quest, goal.number)),
            opposite(translator.counts(quest, goal)),
        )
    )
    # a visit is no event of a rule: any step that comes there may be one
    if goal.kind == "visit":
        return _Early(goal, idle, _coming_to(system, goal), translator.at(goal.subject))
    counted = []
    for step in system.player_steps:
        # the same step may count at one time and not at another
        whens = tuple(e.when for e in step.events if (e.quest, e.goal) == (quest.id, goal.number))
        if whens:
            counted.append((step, whens))
    return _Early(goal, idle, tuple(counted), None)


def _coming_to(system: System, goal: Goal) -> tuple[tuple[Step, tuple[Formula, ...]], ...]:
    """The steps that may lead to the area of a visit."""
    area = system.translator.area_numbers[goal.subject]
    # what happens by itself may carry the player there after any step
    dragged = any(c.variable == PLACE for s in system.settlers for c in s.changes)
    return tuple(
        (step, ())
        for step in system.player_steps
        if dragged or any((c.variable, c.number) == (PLACE, area) for c in step.changes)
    )


def _decide(judged: Judged[S], questions: Sequence[_Quest]) -> Iterator[Finding]:
    """Of each quest the move that can come soonest is shown."""
    space = judged.space
    able = space.reaching([space.where(q.done) for q in questions])
    for question, can in zip(questions, able, strict=True):
        spoilt = space.everything - can - judged.ended  # after the end nothing is too early
        if can and spoilt:
            yield from _of_quest(judged, question, can, spoilt)


def _of_quest(judged: Judged[S], question: _Quest, can: S, spoilt: S) -> Iterator[Finding]:
    shown = [
        (trace, step, early.goal)
        for early in question.goals
        for step, sources in _events(judged, early, can, spoilt)
        if (trace := judged.space.walks().shortest(sources)) is not None
    ]
    if shown:
        # one finding a quest, by the goal that can be spoilt soonest
        trace, step, goal = min(shown, key=lambda known: len(known[0].steps))
        yield _told(judged, question.quest, trace.then(step), step, goal)


def _told(judged: Judged[S], quest: Quest, trace: Trace, step: Step, goal: Goal) -> Finding:
    world = judged.system.world
    message = (
        f"{world.described(step.rule)} before the goal “{world.goal_name(goal)}” counts it "
        f"makes the quest {quest.name} impossible"
    )
    return Finding("too_early", "warning", quest.id, message, goal.span, trace)


def _events(judged: Judged[S], early: _Early, can: S, spoilt: S) -> Iterator[tuple[Step, S]]:
    """Steps with what a goal would count, and the situations where they come too early."""
    space = judged.space
    # not counted yet, and the quest can still be done
    hoping = space.where(early.idle) & can
    if not hoping:
        return
    acting = {s.number for m in space.acting for s in m.steps}
    there = None if early.there is None else space.where(early.there)
    for step, whens in early.counted:
        if step.number not in acting:
            continue
        if there is not None:
            # coming to the area is what a visit counts, not staying in it
            sources = space.before(step, there & spoilt) - there
        else:
            # made here, the step leads to where the quest can never be done
            spoiling = space.before(step, spoilt)
            sources = spoiling & space.where(whens[0])
            for when in whens[1:]:
                sources = sources | (spoiling & space.where(when))
        if sources & hoping:
            yield step, sources & hoping


TOO_EARLY = SubjectDetector("too_early", _questions, _decide)
"""`too_early`: a move that a goal would count, made before it does, ends all hope of the quest."""
