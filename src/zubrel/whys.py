"""Why a condition can never hold, or how it can: questions about one world."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from msgspec import Struct

from zubrel.authored.document import Document, read_document
from zubrel.authored.files import read_source
from zubrel.base.budget import Budget, LimitReached, Limits, WorkSpent
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.progress import Progress, Silence
from zubrel.checked import keys
from zubrel.checked.check import check
from zubrel.checked.conditions import Cond, Holds
from zubrel.checked.world import Rule, World
from zubrel.compiled.asking import asking
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.system import System
from zubrel.explored.space import Trace
from zubrel.findings.dealt import begun
from zubrel.findings.judged import AnySpace, possible_formula
from zubrel.findings.large.questions import whole_lens_for
from zubrel.narrated.reasons.explained import explained
from zubrel.narrated.replay import replay, walked_along
from zubrel.narrated.report import Explained, MoveLine
from zubrel.narrated.walks import lines_of
from zubrel.pipeline import refusing_unrest, whole_survey_of, work_on_question
from zubrel.played.script import ScriptMove, check_names, deal_of, read_script
from zubrel.played.session import Impossible, NeedsOutcome, Session
from zubrel.policy import EXPLAINING
from zubrel.reached import Reached
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Made, Reasons, Situation, at_a_glance, reasons_after
from zubrel.routes import asked_condition


class Possibility(Struct, frozen=True):
    """Whether something can be, from the start or after `made` moves.

    Where it can, `moves` are a walk to it from the start (None: after a script, where `further`
    tells how many more moves it takes, at least, or, not `shortest`, at most). Where it cannot,
    `explained` tells why.
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
    with refusing_unrest(world, budget):
        made = [] if script is None else _made(world, script)
        return _answer(world, rule, asked, made, budget, progress or Silence())


def _answer(
    world: World,
    rule: Rule | None,
    asked: str,
    made: Sequence[Made],
    budget: Budget,
    progress: Progress,
) -> Possibility:
    """The answer about a rule, or else about the condition that the world was asked."""
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
    here = made[-1][2] if made else system.walker.start()
    begun_here = system.begun_with(system.values(here)) if made else system
    far = asking(begun_here, formula, going_on=rule is not None)
    try:
        # where nobody can tell it in another way, it is looked for as long as it takes
        with budget.within(work_on_question(budget, far is not None)):
            space = whole_survey_of(begun_here, budget, progress)
            if space.allows(space.everything, formula):
                return _how(space, system, formula, words, moves, here)
    except WorkSpent:
        budget.spend(1)  # a share that is all spent outside of here ends this
        assert far is not None, "without it there is no limit"
        play = Reached(far, budget, progress).play()
        if play is not None:
            return _far(system, play, words, moves)
        return Possibility(
            words, False, moves, explained=_why_far(begun_here, formula, rule, made, budget)
        )
    reasons = reasons_after(system, space, made)
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
    reasons = at_a_glance(system, made)
    trees = _trees(reasons, formula, rule)
    whole = bool(trees) and all(tree.is_complete for tree in trees)
    return explained(reasons, trees) if whole else None


def _trees(reasons: Reasons, formula: Formula, rule: Rule | None) -> tuple[Node, ...]:
    return reasons.of_formula(formula) if rule is None else reasons.of(rule.id)


def _why_far(
    system: System, formula: Formula, rule: Rule | None, made: Sequence[Made], budget: Budget
) -> Explained:
    """Why it can never be, where nobody can list the situations; empty where that is too much."""
    asked: dict[Formula, None] = {formula: None}
    with suppress(LimitReached, MemoryError), budget.within(EXPLAINING):
        while True:
            space = begun(whole_lens_for(system, tuple(asked), budget, Silence()))
            reasons = reasons_after(system, space, made)
            trees = _trees(reasons, formula, rule)
            # what a look cannot answer is asked of the next one, which knows all that came before
            if reasons.unasked.keys() <= asked.keys():
                return explained(reasons, trees) if not reasons.unasked else Explained()
            asked |= reasons.unasked
    return Explained()


def _far(system: System, play: Trace, words: str, made: int) -> Possibility:
    """How it can be, by a play that may not be the shortest."""
    if made:
        return Possibility(words, True, made, shortest=play.shortest, further=len(play.steps))
    lines = lines_of(system.world, walked_along(system.walker, play.steps))
    return Possibility(words, True, moves=lines, shortest=play.shortest)


def _how(
    space: AnySpace, system: System, formula: Formula, words: str, made: int, here: Situation
) -> Possibility:
    """How it can be: a walk from the start, or how far it is from where a script has led."""
    target = space.where(formula)
    if made:
        further = space.distances_to(target)(space.of(here))
        return Possibility(words, True, made, further=further)
    trace = space.walks().shortest(target)
    if trace is None:
        raise LimitReached("the end of what was searched")
    walked = replay(system.walker, space, trace)
    return Possibility(words, True, moves=lines_of(system.world, walked), shortest=trace.shortest)
