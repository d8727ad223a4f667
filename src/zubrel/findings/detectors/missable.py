"""What can be lost for good before a play has had it, while the game can still be won?"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice

from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.effects import Effect, Give, Lose, MoveTo, SetMark, Take, Wear
from zubrel.checked.keys import Key
from zubrel.checked.world import Rule, World
from zubrel.compiled.formulas import Formula, Within, either
from zubrel.compiled.parts import ENDING
from zubrel.compiled.system import System
from zubrel.explored.space import S, Trace, Walks
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Closing, Finding
from zubrel.findings.judged import Judged

MOST_CLOSINGS = 5


class Missable(Question, frozen=True):
    """Something to have: `attained` holds where a play has it (`lasting`: or has had it).

    `ever`, where it is known, holds exactly where a play has had it.
    """

    words: str
    span: Span
    attained: Formula
    lasting: bool = True
    ever: Formula | None = None


def _decide(judged: Judged[S], questions: Sequence[Missable]) -> Iterator[Finding]:
    space = judged.space
    if not judged.live:
        return
    # where every won situation has it, whoever can still win can still have it
    asked = [
        (thing, has)
        for thing in questions
        if (has := space.where(thing.attained)) and judged.won - has
    ]
    # all at once: closing many sets together takes little more than closing one
    able = space.reaching([has for _, has in asked])
    losable = [
        (thing, has, can)
        for (thing, has), can in zip(asked, able, strict=True)
        if judged.live - can
    ]
    # what is lost again leaves no mark: whether a play has had it tells only the way it went
    unmarked = [has for thing, has, _ in losable if not thing.lasting and thing.ever is None]
    reached = iter(space.reached_without(unmarked))
    for thing, has, can in losable:
        by_marks = thing.lasting or thing.ever is not None
        finding = _finding(judged, thing, has, can, None if by_marks else next(reached))
        if finding is not None:
            yield finding


def _with_items(world: World, known: Sequence[Finding]) -> Iterator[Finding]:
    """The findings, each find or deed with the item that only it gives, if that is missed too."""
    missed = {f.subject for f in known}
    for finding in known:
        # two findings with one cause are told as one
        item = _only_source_of(world, finding.subject)
        yield replace(finding, cause=item) if item in missed else finding


def _only_source_of(world: World, once: str) -> str | None:
    """The item that a once-only find or deed gives, when nothing else gives it: missing one is
    missing both."""
    # the rules that the mark belongs to
    own = [r for r in world.rules if (r.owner == once and r.kind == "find") or once in r.once]
    for give in own[0].gives if own else ():
        # each other source has to be looked for: rules, rewards, what happens by itself, what is
        # held
        others = [
            r for r in world.rules if r not in own and any(g.item == give.item for g in r.gives)
        ]
        by_itself = any(
            isinstance(e, Give) and e.item == give.item for e in world.effects_by_itself
        )
        in_hand = any(g.item == give.item for g in world.holding)
        if not others and not by_itself and not in_hand and len(own[0].outcomes) == 1:
            return give.item
    return None


def missables(system: System) -> Iterator[Missable]:
    """Everything that a play can have or miss."""
    world, numbers = system.world, system.numbers
    # an item that can be lost again is had by who has ever held it, which needs a mark to tell
    losable, sources = _losable(world), _Sources(world)
    for item in world.items.values():
        if item.most > 0:
            had_where = Within(numbers[keys.held(item.id)], 1, item.most)
            ever = None if item.id not in losable else _ever_had(world, numbers, item.id, sources)
            thing = _thing(item.id, item.name, item.span, had_where, ever)
            yield replace(thing, lasting=item.id not in losable)
    yield from _marks(world, numbers)
    for quest in world.quests.values():
        had_where = Within(numbers[keys.quest(quest.id)], DONE, DONE)
        yield _thing(quest.id, f"the quest {quest.name}", quest.span, had_where)
    for foe in world.foes.values():
        had_where = Within(numbers[keys.beaten(foe.id)], foe.count, foe.count)
        yield _thing(foe.id, f"beating {foe.name}", foe.span, had_where)
    # a good ending that is out of reach is missed like a thing, while another one can still be had
    for number, ending in enumerate(world.endings.values(), 1):
        if ending.good:
            had_where = Within(ENDING, number, number)
            yield _thing(ending.id, f"the ending {ending.name}", ending.span, had_where)


def _marks(world: World, numbers: dict[Key, int]) -> Iterator[Missable]:
    """Once-only finds and deeds, by the marks that they set."""
    seen: set[str] = set()
    for rule in world.rules:
        # a find is told by its owner, a deed by the id that all its rules have in common
        marks = [("taken", rule.owner)] if rule.kind == "find" else []
        marks += [("done", once) for once in rule.once]
        for kind, subject in marks:
            key = keys.mark(kind, subject)
            # several rules may set one mark
            if key in numbers and subject not in seen:
                seen.add(subject)
                yield _thing(subject, f"“{rule.label}”", rule.span, Within(numbers[key], 1, 1))


def _thing(
    subject: str, name: str, span: Span, attained: Formula, ever: Formula | None = None
) -> Missable:
    return Missable(
        subject=subject,
        formulas=(attained,) if ever is None else (attained, ever),
        words=f"{name} can be missed for good",
        span=span,
        attained=attained,
        ever=ever,
    )


class _Sources:
    """What gives each item and sets each mark, of all rules in one pass."""

    def __init__(self, world: World) -> None:
        self.givers: dict[str, list[Rule]] = {}
        """By item the rules that give it."""
        self.setters: dict[Key, set[str]] = {}
        """By mark the ids of the rules that set it."""
        for rule in world.rules:
            for item in {give.item for give in rule.gives}:
                self.givers.setdefault(item, []).append(rule)
            # a mark tells that an item was had where all rules that give it set that mark
            for mark in _marks_set(e for o in rule.outcomes for e in o.effects):
                self.setters.setdefault(mark, set()).add(rule.id)
        # what comes by itself sets no mark of a rule, so that no mark tells of it
        self.by_itself = {e.item for e in world.effects_by_itself if isinstance(e, Give | Lose)}
        """Items that come or go without a rule."""
        self.set_by_itself = frozenset(_marks_set(world.effects_by_itself))


def _marks_set(effects: Iterable[Effect]) -> Iterator[Key]:
    return (keys.mark(e.kind, e.subject) for e in effects if isinstance(e, SetMark))


def _ever_had(
    world: World, numbers: dict[Key, int], item: str, sources: _Sources
) -> Formula | None:
    """Where a play has had an item: some mark is set of those that all its sources set once.

    None where it may be gone again, or wasted, before the player could be said to have had it.
    """
    thing = world.items[item]
    # who begins with it has had it without a mark; what stays behind or is wasted sets one and is
    # gone
    if any(g.item == item for g in world.holding) or thing.stays_in or thing.wasted_when_full:
        return None
    if item in sources.by_itself:
        return None
    givers = sources.givers.get(item, [])
    # alternatives may share theirs
    known = {rule.id for rule in givers}
    marks: list[Formula] = []
    for rule in givers:
        own = [keys.mark("taken", rule.owner)] if rule.kind == "find" else []
        own += [keys.mark("done", once) for once in rule.once]
        own = [
            key
            for key in own
            if key in numbers
            and key not in sources.set_by_itself
            and sources.setters.get(key, set()) <= known
        ]
        # a source that can be used again sets no mark, and luck may set it without giving
        if not own or len(rule.outcomes) > 1:
            return None
        marks.append(Within(numbers[own[0]], 1, 1))
    return either(marks)


def _losable(world: World) -> frozenset[str]:
    """The items that a play may have had and not hold any more."""
    # rewards are effects as well, and may take something
    given_up = {e.item for e in world.effects if isinstance(e, Take | Lose | Wear)}
    return frozenset(given_up | {i.id for i in world.items.values() if i.stays_in})


def _finding(
    judged: Judged[S], thing: Missable, has: S, can: S, reached: S | None = None
) -> Finding | None:
    """`reached`: where plays come that have never had it, where no marks tell that."""
    walks, never = walks_without(judged, thing, has, reached)
    # a win is left, the thing cannot be had any more, and the play has not had it
    missed = ((judged.live - can) & walks.reached) - never
    if not missed:
        return None
    severity, words = "warning", thing.words
    if _only_the_end_is_left(judged, missed):
        severity, words = "note", f"{words}, because what closes it leads only to the end"
    finding = Finding("missable", severity, thing.subject, words, thing.span)
    try:
        # where it could have been had a move before: what leads from there has closed it
        still = ((can - has) & walks.reached) - never
        return replace(
            finding,
            trace=walks.shortest(missed),
            closings=closings(judged, walks, still, missed)[:MOST_CLOSINGS],
        )
    # the finding is proved by then; only its evidence is not
    except LimitReached:
        if not judged.space.merged:  # there are other ways to find out, and to show it
            raise
        return replace(finding, is_shown=False)


def missed_on(thing: Missable, play: Trace, closes: bool) -> Finding:
    """The finding of something that certainly never comes any more after a play.

    `closes`: the last move of the play is shown to have closed it.
    """
    # without that, the play only shows that it is lost by then
    closings = (Closing(play.steps[-1].rule.id, play),) if closes else ()
    return Finding(
        "missable", "warning", thing.subject, thing.words, thing.span, trace=play, closings=closings
    )


def _only_the_end_is_left(judged: Judged[S], missed: S) -> bool:
    """Whether in all of some situations a player can only end the game, and walk to where.

    Never claimed where situations are merged: moves without bearing on the end are left out there.
    """
    space = judged.space
    if space.merged:
        return False
    for move in judged.system.player_moves:
        # every possible step either ends the game or only walks: else something is left to do
        for step in move.steps:
            tried = space.possible(step) & missed
            # that an area was visited comes of walking there, and so does losing what stays behind
            leads = all(isinstance(e, MoveTo) for e in step.outcome.effects)
            walks = move.rule.kind == "way" and leads
            staying = space.before(step, missed) if walks and tried else missed - missed
            if tried and tried - space.before(step, judged.ended) - staying:
                return False
    return True


def walks_without(
    judged: Judged[S], thing: Missable, has: S, reached: S | None = None
) -> tuple[Walks[S], S]:
    """Plays that have never had a subject: walks, and situations where they have not ended."""
    space = judged.space
    nothing = space.everything - space.everything
    # what lasts is seen by holding it: where it is not held it was never had
    if thing.lasting:
        return space.walks(), nothing
    if thing.ever is None:
        return space.walks(has, reached), nothing
    return space.walks(), space.where(thing.ever)


def closings(judged: Judged[S], walks: Walks[S], still: S, missed: S) -> tuple[Closing, ...]:
    """The moves that lead from `still` to `missed`, those that can come soonest first.

    Only one of them where each has to be found by itself.
    """
    each = []
    # where each answer is a search of its own, one culprit has to be enough
    steps = iter(judged.space.steps_between(still, missed))
    for step in steps if judged.space.at_once else islice(steps, 1):
        trace = walks.shortest(judged.space.before(step, missed) & still)
        assert trace is not None, "walks come to all that they reach"
        each.append(Closing(step.rule.id, trace.then(step)))
    each.sort(key=lambda c: len(c.trace.steps))
    first: dict[str, Closing] = {}
    for closing in each:
        # several steps of one rule close it alike: the soonest tells enough
        first.setdefault(closing.rule, closing)
    return tuple(first.values())


MISSABLE = SubjectDetector("missable", missables, _decide, conclude=_with_items)
"""`missable`: what can be lost for good before a play has had it, while it can still be won."""
