"""What can be lost for good before a play has had it, while the game can still be won?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.effects import Give, Lose, SetMark, Take, Wear
from zubrel.checked.keys import Key
from zubrel.checked.world import Rule, World
from zubrel.compiled.formulas import Formula, Within, either
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.findings.finding import Closing, Finding
from zubrel.findings.judged import Judged

MOST_CLOSINGS = 5


class Subject(Struct, frozen=True):
    """Something to have: `had` holds where a play has it (`lasting`: or has had it).

    `ever`, where it is known, holds exactly where a play has had it.
    """

    id: str
    words: str
    span: Span
    had: Formula
    lasting: bool = True
    ever: Formula | None = None


def missable(judged: Judged) -> Iterator[Finding]:
    """`missable`: once-only finds, items, once rules, good endings."""
    if not judged.complete or not judged.live:
        return
    found = missable_of(judged, list(subjects(judged)))
    yield from with_causes(judged.system.world, found)


def missable_of(judged: Judged, asked: Sequence[Subject]) -> Iterator[Finding]:
    """`missable` among some subjects, of a search that was not cut short."""
    space = judged.space
    return missable_among(judged, [(s, has, has) for s in asked for has in (space.where(s.had),)])


def missable_among(judged: Judged, every: list[tuple[Subject, Any, Any]]) -> Iterator[Finding]:
    """`missable` among subjects, each with where a play has it, and what it must reach for that.

    The second is the first, or where the subject can be taken: whoever has it not can still have
    it exactly if it can still be taken. So nothing need ever be taken in a space where that has
    no bearing on anything else.
    """
    # where every won situation has it, whoever can still win can still have it
    every = [(s, has, there) for s, has, there in every if there and judged.won - has]
    space = judged.space
    able = space.reaching([there for _, _, there in every])
    open_ones = [
        (s, has, can) for (s, has, _), can in zip(every, able, strict=True) if judged.live - can
    ]
    barred = [has for s, has, _ in open_ones if not s.lasting and s.ever is None]
    reached = iter(space.reached_without(barred))
    findings = []
    for subject, has, can in open_ones:
        by_marks = subject.lasting or subject.ever is not None
        finding = _finding(judged, subject, has, can, None if by_marks else next(reached))
        findings += [finding] if finding else []
    yield from findings


def with_causes(world: World, findings: Iterable[Finding]) -> Iterator[Finding]:
    """The findings, each `missable` find or deed with the item that only it gives, if that is one
    too."""
    every = list(findings)
    missed = {f.subject for f in every if f.kind == "missable"}
    for finding in every:
        item = _only_source_of(world, finding.subject) if finding.kind == "missable" else None
        yield replace(finding, cause=item) if item in missed else finding


def _only_source_of(world: World, once: str) -> str | None:
    """The item that a once-only find or deed gives, when nothing else gives it: missing one is
    missing both."""
    own = [r for r in world.rules if (r.owner == once and r.kind == "find") or once in r.once]
    happening = [o for h in world.happenings for o in (h.outcome.effects,)]
    happening += [q.reward for q in world.quests.values()]
    for give in own[0].gives if own else ():
        others = [
            r for r in world.rules if r not in own and any(g.item == give.item for g in r.gives)
        ]
        by_itself = any(
            isinstance(e, Give) and e.item == give.item for effects in happening for e in effects
        )
        in_hand = any(g.item == give.item for g in world.holding)
        if not others and not by_itself and not in_hand and len(own[0].outcomes) == 1:
            return give.item
    return None


def subjects(judged: Judged) -> Iterator[Subject]:
    """Everything that a play can have or miss."""
    world, numbers = judged.system.world, judged.system.numbers
    losable = _losable(world)
    for item in world.items.values():
        if item.most > 0:
            had = Within(numbers[keys.held(item.id)], 1, item.most)
            ever = None if item.id not in losable else _ever_had(world, numbers, item.id)
            yield Subject(
                item.id,
                f"{item.name} can be missed for good",
                item.span,
                had,
                item.id not in losable,
                ever,
            )
    yield from _marks(world, numbers)
    for quest in world.quests.values():
        had = Within(numbers[keys.quest(quest.id)], DONE, DONE)
        yield Subject(quest.id, f"the quest {quest.name} can be missed for good", quest.span, had)
    for foe in world.foes.values():
        had = Within(numbers[keys.beaten(foe.id)], foe.count, foe.count)
        yield Subject(foe.id, f"beating {foe.name} can be missed for good", foe.span, had)
    good = [(n, e) for n, e in enumerate(world.endings.values(), 1) if e.good]
    for number, ending in good:
        words = f"the ending {ending.name} can be missed for good"
        yield Subject(ending.id, words, ending.span, Within(ENDING, number, number))


def _marks(world: World, numbers: dict[Key, int]) -> Iterator[Subject]:
    seen: set[str] = set()
    for rule in world.rules:
        marks = [("taken", rule.owner)] if rule.kind == "find" else []
        marks += [("done", once) for once in rule.once]
        for kind, subject in marks:
            key = keys.mark(kind, subject)
            if key in numbers and subject not in seen:
                seen.add(subject)
                words = f"“{rule.label}” can be missed for good"
                yield Subject(subject, words, rule.span, Within(numbers[key], 1, 1))


def _ever_had(world: World, numbers: dict[Key, int], item: str) -> Formula | None:
    """Where a play has had an item: some mark is set of those that all its sources set once.

    None where it may be gone again, or wasted, before the player could be said to have had it.
    """
    thing = world.items[item]
    if any(g.item == item for g in world.holding) or thing.stays_in or thing.wasted_when_full:
        return None
    effects = [e for h in world.happenings for e in h.outcome.effects]
    effects += [e for q in world.quests.values() for e in q.reward]
    sources = [r for r in world.rules if any(g.item == item for g in r.gives)]
    if any(isinstance(e, Give | Lose) and e.item == item for e in effects):
        return None
    marks: list[Formula] = []
    for rule in sources:
        own = [keys.mark("taken", rule.owner)] if rule.kind == "find" else []
        own += [keys.mark("done", once) for once in rule.once]
        own = [key for key in own if key in numbers and not _set_elsewhere(world, key, sources)]
        if not own or len(rule.outcomes) > 1:
            return None
        marks.append(Within(numbers[own[0]], 1, 1))
    return either(marks)


def _set_elsewhere(world: World, mark: Key, sources: Sequence[Rule]) -> bool:
    """Whether anything but some rules sets a mark: alternatives may share theirs."""
    others = [o for r in world.rules if r not in sources for o in r.outcomes]
    others += [h.outcome for h in world.happenings]
    return any(
        isinstance(e, SetMark) and keys.mark(e.kind, e.subject) == mark
        for o in others
        for e in o.effects
    )


def _losable(world: World) -> frozenset[str]:
    """The items that a play may have had and not hold any more."""
    outcomes = [o for r in world.rules for o in r.outcomes]
    outcomes += [h.outcome for h in world.happenings]
    effects = (e for o in outcomes for e in o.effects)
    lost = {e.item for e in effects if isinstance(e, Take | Lose | Wear)}
    lost |= {e.item for q in world.quests.values() for e in q.reward if isinstance(e, Lose)}
    return frozenset(lost | {i.id for i in world.items.values() if i.stays_in})


def _finding(
    judged: Judged, subject: Subject, has: Any, can: Any, reached: Any | None
) -> Finding | None:
    """`reached`: where plays come that have never had it, where no marks tell that."""
    walks, never = walks_without(judged, subject, has, reached)
    missed = ((judged.live - can) & walks.reached) - never
    if not missed:
        return None
    severity, words = "warning", subject.words
    if _only_the_end_is_left(judged, missed):
        severity, words = "note", f"{words}, because what closes it leads only to the end"
    finding = Finding("missable", severity, subject.id, words, subject.span)
    try:
        still = ((can - has) & walks.reached) - never
        return replace(
            finding,
            trace=walks.shortest(missed),
            closings=closings(judged, walks, still, missed)[:MOST_CLOSINGS],
        )
    except LimitReached:
        if not judged.space.merged:  # there are other ways to find out, and to show it
            raise
        return finding


def _only_the_end_is_left(judged: Judged, missed: Any) -> bool:
    """Whether in all of some situations a player can only end the game, and walk to where.

    Never claimed where situations are merged: moves without bearing on the end are left out there.
    """
    space = judged.space
    if space.merged:
        return False
    for move in judged.system.moves:
        for step in move.steps:
            tried = space.possible(step) & missed
            walks = move.rule.kind == "way" and all(c.variable == PLACE for c in step.changes)
            staying = space.before(step, missed) if walks and tried else missed - missed
            if tried and tried - space.before(step, judged.ended) - staying:
                return False
    return True


def walks_without(
    judged: Judged, subject: Subject, has: Any, reached: Any | None = None
) -> tuple[Any, Any]:
    """Plays that have never had a subject: walks, and situations where they have not ended."""
    space = judged.space
    nothing = space.everything - space.everything
    if subject.lasting:
        return space.walks(), nothing
    if subject.ever is None:
        return space.walks(has, reached), nothing
    return space.walks(), space.where(subject.ever)


def closings(judged: Judged, walks: Any, still: Any, missed: Any) -> tuple[Closing, ...]:
    """The moves that lead from `still` to `missed`, those that can come soonest first."""
    found = []
    for step in judged.space.steps_between(still, missed):
        trace = walks.shortest(judged.space.before(step, missed) & still)
        found.append(Closing(step.rule.id, trace.then(step)))
    found.sort(key=lambda c: len(c.trace.steps))
    first: dict[str, Closing] = {}
    for closing in found:
        first.setdefault(closing.rule, closing)
    return tuple(first.values())
