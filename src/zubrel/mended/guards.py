"""Which simple condition is true wherever a move does no harm, and false wherever it does?"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from functools import reduce
from itertools import combinations
from typing import Generic

from msgspec import Struct

from zubrel.base.kinds import DOOMING
from zubrel.checked import keys
from zubrel.checked.conditions import (
    ACTIVE,
    DONE,
    All,
    Any,
    At,
    Beaten,
    Cond,
    FactIs,
    Holds,
    Level,
    LockOpen,
    Marked,
    Not,
    QuestIs,
)
from zubrel.checked.world import World
from zubrel.checked.written import NoWords, written
from zubrel.compiled.parts import Move
from zubrel.compiled.system import System
from zubrel.explored.space import S
from zubrel.findings.detector import Question
from zubrel.findings.detectors.promises import Promised
from zubrel.findings.judged import Judged
from zubrel.findings.registry import BY_KIND

MOST_GUARDS = 3
"""Conditions that are proposed for one move, the shortest."""
STEPS_OF_AMOUNTS = 5
"""Amounts from one on that are tried of an item, and levels of a meter."""
_ONE = re.compile(r"\b([a-z][a-z0-9_]*) >= 1\b")
FITTING = 40
"""Atoms that are tried in pairs: those that come nearest by themselves."""


class _Atom(Struct, Generic[S], frozen=True):
    """A condition, as its author would write it, and where it holds."""

    condition: Cond
    words: str
    holds: S


def guards(judged: Judged[S], kind: str, subject: str, rule: str) -> list[str]:
    """Conditions of one or two atoms under which a move of `rule` never brings about a finding,
    and which stop it nowhere else; the shortest first.

    Only of spaces in which nothing is merged, and of softlocks, bad luck, what can be missed, and
    promises of what is never, always, or before.
    """
    space = judged.space
    moves = [m for m in space.acting if m.rule.id == rule]
    if space.merged or not moves:
        return []
    harmed = _harmed(judged, kind, subject, moves)
    if harmed is None:
        return []
    tried = reduce(lambda a, b: a | b, (space.possible(s) for m in moves for s in m.steps))
    harmless = (tried & judged.live) - harmed
    if not harmed or not harmless:
        return []
    # where the player stands says nothing of a move that is made in one place
    # (a move of every area counts as one of two that there are not)
    areas = {a for m in moves for a in (m.areas or (-1, -2))}
    atoms = list(_atoms(judged, with_places=len(areas) > 1))
    fitting = list(_single(atoms, harmed, harmless))
    fitting = fitting or list(_pairs(judged, atoms, harmed, harmless))
    fitting.sort(key=lambda words: (len(words), words))
    return list(dict.fromkeys(fitting))[:MOST_GUARDS]


def _harmed(judged: Judged[S], kind: str, subject: str, moves: Iterable[Move]) -> S | None:
    """The situations in which some step of the moves brings about a finding; None: not known."""
    space = judged.space
    # of softlocks the harm is that no win is left; other kinds have their own line to cross
    able, lost = judged.live, judged.doomed
    if kind not in DOOMING:
        asked = [q for q in _questions(judged, kind) if q.subject == subject]
        parted = _parted(judged, asked[0]) if len(asked) == 1 else None
        if parted is None:
            return None
        able, lost = parted
    # where the step crosses the line: what was lost before is not this move's fault
    each = [space.before(step, lost) & able for move in moves for step in move.steps]
    return reduce(lambda a, b: a | b, each)


def _questions(judged: Judged[S], kind: str) -> Iterator[Question]:
    if kind in ("missable", "broken_promise"):
        yield from BY_KIND[kind].questions(judged.system)


def _parted(judged: Judged[S], question: Question) -> tuple[S, S] | None:
    """Where all is well, and where a finding has come about that a step leads to from there."""
    space = judged.space
    # a thing is missed where it never comes any more though a win is left
    if not isinstance(question, Promised):
        has = space.where(question.formulas[-1])
        (able,) = space.reaching([has])
        return (able - has) & judged.live, judged.live - able
    # a promise has its own line to cross: from where it still holds to where it is broken
    first, *others = (space.where(f) for f in question.formulas)
    match question.promise.kind:
        case "never":
            return judged.live - first, first
        case "always":
            return judged.live & first, space.everything - first
        case "before":
            (without,) = space.reached_without([first])
            return without - others[0], without & others[0]
    return None


def _single(atoms: Iterable[_Atom[S]], harmed: S, harmless: S) -> Iterator[str]:
    for atom in atoms:
        if not (atom.holds & harmed) and not (harmless - atom.holds):
            yield atom.words


def _pairs(judged: Judged[S], atoms: Iterable[_Atom[S]], harmed: S, harmless: S) -> Iterator[str]:
    """Two atoms of which both, or one of which at least, has to hold."""
    known, count = list(atoms), judged.space.count
    # both together: neither may stop the move where it does no harm
    wide = [a for a in known if not (harmless - a.holds) and harmed - a.holds]
    wide.sort(key=lambda a: (count(a.holds & harmed), len(a.words), a.words))
    for one, other in combinations(wide[:FITTING], 2):
        if not (one.holds & other.holds & harmed):
            yield _words(judged.system.world, All((one.condition, other.condition)))
    # one of the two: neither may let it pass where it does harm
    narrow = [a for a in known if not (a.holds & harmed) and a.holds & harmless]
    narrow.sort(key=lambda a: (count(harmless - a.holds), len(a.words), a.words))
    for one, other in combinations(narrow[:FITTING], 2):
        if not (harmless - one.holds - other.holds):
            yield _words(judged.system.world, Any((one.condition, other.condition)))


def _atoms(judged: Judged[S], with_places: bool) -> Iterator[_Atom[S]]:
    """The atoms of the world's own words that are true somewhere and false somewhere."""
    system, space = judged.system, judged.space
    for condition in _conditions(system, with_places):
        # an atom that holds everywhere, or nowhere, parts nothing
        holds = space.where(system.formula(condition))
        fails = space.everything - holds
        # decided everywhere: no guard could be made of it
        if not holds or not fails:
            continue
        # a guard may be the atom or its opposite
        for part, there in ((condition, holds), (_opposite(condition), fails)):
            with suppress(NoWords):
                yield _Atom(part, _words(system.world, part), there)


def _opposite(condition: Cond) -> Cond:
    match condition:
        case Holds(item, ">=", number) if number > 1:
            return Holds(item, "<", number)
        case Level(meter, ">=", number):
            return Level(meter, "<", number)
    return Not(condition)


def _words(world: World, condition: Cond) -> str:
    """As an author would write it: one of an item is just the item."""
    text = written(world, condition)
    return _ONE.sub(lambda known: known[1] if known[1] in world.items else known[0], text)


def _conditions(system: System, with_places: bool) -> Iterator[Cond]:
    world = system.world
    for item in world.items.values():
        # small numbers only: a guard of “at least 57” would hardly be meant
        for number in range(1, min(item.uses or item.most, STEPS_OF_AMOUNTS) + 1):
            yield Holds(item.id, ">=", number)
    yield from (LockOpen(lock) for lock in world.locks)
    for quest in world.quests:
        yield from (QuestIs(quest, state) for state in (ACTIVE, DONE))
    for fact in world.facts.values():
        # of a fact that is true or false, the opposite stands for the other value
        values = range(1, 2) if fact.true_false else range(len(fact.values))
        yield from (FactIs(fact.id, value) for value in values)
    for meter in world.meters.values():
        above = range(meter.low + 1, min(meter.high, meter.low + STEPS_OF_AMOUNTS) + 1)
        yield from (Level(meter.id, ">=", number) for number in above)
    yield from (Beaten(foe.id, foe.count) for foe in world.foes.values())
    yield from (At(area) for area in world.areas if with_places)
    for kind in ("visited", "taken", "done"):
        # only marks that are kept anyway: another one would make the world larger
        marks = (v.key for v in system.variables if v.key == keys.mark(kind, v.key[1]))
        yield from (Marked(kind, key[1]) for key in marks)
