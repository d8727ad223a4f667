"""Why a condition can never hold, or how it can: questions about one world."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from zubrel.authored.document import Document, read_document
from zubrel.authored.files import read_source
from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.progress import Progress
from zubrel.checked import keys
from zubrel.checked.check import check
from zubrel.checked.conditions import Cond, Holds
from zubrel.checked.world import Rule, World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.future import Future
from zubrel.compiled.system import System
from zubrel.findings.judged import AnySpace, possible_formula
from zubrel.narrated.reasons.explained import explained
from zubrel.narrated.replay import replay
from zubrel.narrated.report import Explained, MoveLine
from zubrel.narrated.walks import lines_of
from zubrel.pipeline import whole_survey
from zubrel.played.script import ScriptMove, check_names, deal_of, read_script
from zubrel.played.session import Impossible, NeedsOutcome, Session
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Behind, Made, Reasons, Relaxed, Situation
from zubrel.routes import asked_condition


class Possibility(Struct, frozen=True):
    """Whether something can be, from the start or after `made` moves.

    Where it can, `moves` are a walk to it from the start (None: after a script, where `further`
    tells how many more moves it takes at least). Where it cannot, `explained` tells why.
    """

    asked: str
    possible: bool
    made: int = 0
    moves: tuple[MoveLine, ...] | None = None
    shortest: bool = True
    further: int | None = None
    explained: Explained = Explained()


def why(
    path: str,
    asked: str,
    script: str | None = None,
    budget: Budget | None = None,
    progress: Progress | None = None,
) -> Possibility:
    """Whether and why a condition, or a rule named by its id, can be in the world at `path`.

    `script` is a file of moves that are made first. Raises `InvalidInput` for problems of the
    world, the condition or the script, `LimitReached` where a limit comes before it is known.
    """
    budget = budget or Budget(Limits())
    document = read_document(path)
    world, rule = _asked(document, asked)
    made = [] if script is None else _made(world, script)
    moves = sum(rule.kind != "deal" for rule, _, _ in made)
    system = compile_world(world, budget)
    if rule is None:
        formula = _formula(system, world.asked[0])
    else:
        formula = possible_formula(system, next(m for m in system.moves if m.rule.id == rule.id))
    words = asked if rule is None else f"{world.described(rule)} is possible"
    # sets of values tell much without a search; they never say that something can be
    quick = _at_a_glance(system, formula, rule, made)
    if quick is not None:
        return Possibility(words, False, moves, explained=quick)
    space = whole_survey(world, budget, progress)
    here = made[-1][2] if made else space.system.walker.start()
    future: Any = space.everything
    if made:
        (future,) = space.reached_from([space.of(here)])
    if space.allows(future, formula):
        return _how(space, formula, words, moves, here)
    behind = Behind(space, future)
    reasons = Reasons(space.system, behind, made, behind.possible)
    return Possibility(
        words, False, moves, explained=explained(reasons, _trees(reasons, formula, rule))
    )


def _asked(document: Document, asked: str) -> tuple[World, Rule | None]:
    """The world, and the rule that is meant; without one the world has the condition."""
    world = check(document)
    rule = next((r for r in world.rules if asked == r.id), None)
    if rule is None:
        world = check(document, [asked_condition("the question", asked)])
    return world, rule


def _formula(system: System, asked: Cond) -> Formula:
    """A condition as a formula; more of an item than there can be is kept as such."""
    if isinstance(asked, Holds) and asked.operator == ">=":
        variable = system.numbers[keys.held(asked.item)]
        high = max(asked.number, system.variables[variable].high)
        return Within(variable, asked.number, high)
    return system.formula(asked)


def _made(world: World, script: str) -> list[Made]:
    """The moves of a script; what it expects is not looked at."""
    source, text = read_source(script)
    lines = read_script(source, text)
    check_names(lines, world)
    session = Session(world, deal_of(lines, world, None, source))
    for line in lines:
        if not isinstance(line, ScriptMove):
            continue
        rule = session.find(line.rule)
        assert rule is not None, "names are checked before"
        try:
            session.move(rule, line.outcome)
        except (Impossible, NeedsOutcome) as refused:
            hint = "zubrel rehearse tells what is possible there."
            words = f"“{rule.label}” is not possible here"
            if isinstance(refused, NeedsOutcome):
                words = f"luck decides about “{rule.label}”, and no outcome is named"
                hint = f"Write for example {rule.id}: {refused.numbers[0]}"
            raise InvalidInput([Diagnostic("bad-script", words, line.span, hint)]) from None
    return session.made()


def _at_a_glance(
    system: System, formula: Formula, rule: Rule | None, made: Sequence[Made]
) -> Explained | None:
    """The reason, where sets of values give a whole one; they take no search."""
    here = made[-1][2] if made else system.walker.start()
    future = Future(system.relaxation, tuple(system.values(here)))
    reasons = Reasons(system, Relaxed(future), made)
    trees = _trees(reasons, formula, rule)
    whole = bool(trees) and all(tree.is_complete for tree in trees)
    return explained(reasons, trees) if whole else None


def _trees(reasons: Reasons, formula: Formula, rule: Rule | None) -> tuple[Node, ...]:
    return reasons.of_formula(formula) if rule is None else reasons.of(rule.id)


def _how(space: AnySpace, formula: Formula, words: str, made: int, here: Situation) -> Possibility:
    """How it can be: a walk from the start, or how far it is from where a script has led."""
    target = space.where(formula)
    if made:
        further = space.distances_to(target)(space.of(here))
        return Possibility(words, True, made, further=further)
    trace = space.walks().shortest(target)
    if trace is None:
        raise LimitReached("the end of what was searched")
    walked = replay(space.system.walker, space, trace)
    return Possibility(
        words, True, moves=lines_of(space.system.world, walked), shortest=trace.shortest
    )
