"""What does no play ever enter, reach, open, hold or do?"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

from msgspec.structs import replace

from zubrel.checked import keys
from zubrel.checked.conditions import DONE
from zubrel.checked.things import Thing
from zubrel.checked.world import World
from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import FALSE, TRUE, Formula, Within, either, variables_of
from zubrel.compiled.parts import ENDING, PLACE, Move
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.causes import root_causes
from zubrel.findings.detector import Question, SubjectDetector
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged, possible_formula
from zubrel.findings.mentions import needed_ids


class _Reach(Question, frozen=True):
    """It is reached exactly where `refuted_where` holds; otherwise this is the finding."""

    finding: Finding


def _questions(system: System) -> Iterator[_Reach]:
    yield from _things(system)
    # by variable the steps that change it: a mark with one setter tells of that move
    setters: dict[int, set[int]] = {}
    for step in system.player_steps:
        for change in step.changes:
            setters.setdefault(change.variable, set()).add(step.number)
    done = partial(_done, system, setters)
    for move in system.player_moves:
        rule = move.rule
        # opening a lock and beating a foe are told as the lock and the foe
        mentioned = rule.id == rule.owner and rule.kind in ("lock", "foe")
        if rule.kind != "way" and not rule.kind.made and not mentioned:
            what = "pick this up" if rule.kind == "find" else "do this"
            message = f"no play can ever {what}: “{rule.label}”"
            yield _of_moves([move], done(move), message)
    directions: dict[tuple[str, object], list[Move]] = {}
    for move in system.player_moves:  # each alternative of a way on its own
        if move.rule.kind == "way":
            directions.setdefault((move.rule.owner, move.rule.span), []).append(move)
    for moves in directions.values():
        message = f"no play can ever go this way: {system.world.described(moves[0].rule)}"
        yield _of_moves(moves, either(done(move) for move in moves), message)


def _things(system: System) -> Iterator[_Reach]:
    """Everything that has a name, with what holds once it is reached, held, opened or done.

    An error where a game is never without it, or where something asks for it.
    """
    world, numbers = system.world, system.numbers
    needed = needed_ids(world)
    for item in world.items.values():
        held = Within(numbers[keys.held(item.id)], 1, item.most) if item.most else FALSE
        yield _thing(item, "holds", held, item.id in needed)
    for lock in world.locks.values():
        opened = Within(numbers[keys.lock_open(lock.id)], 1, 1)
        yield _thing(lock, "opens", opened, lock.id in needed)
    # a world of one area has no values to test
    alone = system.variables[PLACE].size == 1
    for number, area in enumerate(world.areas.values()):
        yield _thing(area, "comes to", TRUE if alone else Within(PLACE, number, number))
    for number, ending in enumerate(world.endings.values(), 1):
        yield _thing(ending, "reaches the ending", Within(ENDING, number, number))
    for quest in world.quests.values():
        done = Within(numbers[keys.quest(quest.id)], DONE, DONE)
        yield _thing(quest, "finishes the quest", done)
    for foe in world.foes.values():
        beaten = Within(numbers[keys.beaten(foe.id)], foe.count, foe.count)
        yield _thing(foe, "beats", beaten, foe.id in needed)


def _thing(thing: Thing, verb: str, reached: Formula, grave: bool = True) -> _Reach:
    message = f"no play ever {verb} {thing.name}"
    severity = "error" if grave else "warning"
    finding = Finding("unreachable", severity, thing.id, message, thing.span)
    return _question(finding, reached)


def _question(finding: Finding, reached: Formula) -> _Reach:
    return _Reach(
        subject=finding.subject,
        formulas=(reached,),
        refuted_where=reached,
        finding=finding,
    )


def _of_moves(moves: Sequence[Move], reached: Formula, message: str) -> _Reach:
    rule = moves[0].rule
    finding = Finding("unreachable", "warning", rule.id, message, rule.span)
    steps = tuple(step for move in moves for step in move.steps)
    return replace(_question(finding, reached), refuted_by=steps)


def _done(system: System, setters: dict[int, set[int]], move: Move) -> Formula:
    """A formula that holds somewhere exactly if a move can ever be made.

    That its own mark is set, where it has one: whenever the move is made it sets the mark, and
    nothing else ever does. Otherwise that it is possible.
    """
    for part in parts_of(move.guard):
        # a mark that is set is easier to reach than the moment of the move: it stays
        for mark in variables_of(part) & system.marks:
            own = {
                s.number
                for s in move.steps
                for c in s.changes
                if c.variable == mark and c.when == TRUE
            }
            # with any outcome: luck must not leave the mark as it was
            every = {s.number for s in move.steps}
            if system.is_low(mark, part) and own == setters.get(mark) == every:
                high = system.variables[mark].high
                return Within(mark, high, high)
    return possible_formula(system, move)


def _decide(judged: Judged[S], questions: Sequence[_Reach]) -> Iterator[Finding]:
    yield from (q.finding for q in questions if not judged.space.holds_somewhere(q.refuted_where))


def _with_roots(world: World, known: Sequence[Finding]) -> Iterator[Finding]:
    """The findings, each that follows from another with the one at the root."""
    causes = root_causes(world, [f.subject for f in known])
    yield from (replace(f, cause=causes.get(f.subject)) for f in known)


UNREACHABLE = SubjectDetector("unreachable", _questions, _decide, conclude=_with_roots)
"""`unreachable`: areas, endings, locks, items, and rules that are never possible."""
