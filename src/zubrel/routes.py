"""Walks to a goal, and what can become of single situations: questions about one world."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import Struct
from msgspec.structs import replace

from zubrel.authored.conditions import Condition, parse_condition
from zubrel.authored.document import Document, document_of, read_document
from zubrel.authored.files import read_source
from zubrel.base.budget import Budget, LimitReached, Limits, WorkSpent
from zubrel.base.diagnostics import Diagnostic, InvalidInput, Problems
from zubrel.base.progress import Progress, Silence
from zubrel.base.source import Source, Span
from zubrel.checked import keys
from zubrel.checked.check import check
from zubrel.checked.deals import number_of_deals
from zubrel.checked.keys import ENDING, UNENDED, Key, Value
from zubrel.checked.world import World
from zubrel.compiled.asking import asking, asking_to_end
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import FALSE, Formula
from zubrel.compiled.system import System
from zubrel.findings.dealt import beginnings
from zubrel.findings.fates import Fates, fates
from zubrel.findings.judged import AnySpace, ending_formula, won_formula
from zubrel.narrated.replay import replay, walked_along
from zubrel.narrated.report import Deals, Dealt, MoveLine
from zubrel.narrated.walks import deal_of as deal_of_walk
from zubrel.narrated.walks import lines_of
from zubrel.pipeline import load, refusing_unrest, survey_of, work_on_question
from zubrel.played.rehearse import Fate, Rehearsal, rehearse
from zubrel.played.script import EXPECTATIONS, check_names, conditions_of, deal_of, read_script
from zubrel.reached import Reached
from zubrel.walked.changing import Situation

MOST_DEALS = 20_000
"""Deals that are gone through one by one."""


class Route(Struct, frozen=True):
    """A walk to a goal, `shortest` where none with fewer moves exists; without `moves` no play
    gets there."""

    goal: str
    moves: tuple[MoveLine, ...] | None
    shortest: bool
    deals: Deals | None = None


def find_route(
    path: str,
    goal: str | None,
    avoid: str | None,
    budget: Budget | None = None,
    progress: Progress | None = None,
) -> Route:
    """The fewest moves in the world at `path` to an ending or a condition (None: any win).

    Raises `InvalidInput` for problems of the world or of the conditions, `LimitReached` where a
    limit comes before it is known.
    """
    return _route(read_document(path), goal, avoid, budget or Budget(Limits()), progress)


def route_in(world: World, goal: str | None, avoid: str | None, budget: Budget) -> Route:
    """As `find_route`, in a world that was read already: its text as it was then."""
    assert world.source is not None, "`check` has seen to it"
    # conditions are resolved where a world is checked, so that it is checked once more with them
    document = document_of(world.source, "\n".join(world.source.lines))
    return _route(document, goal, avoid, budget, None)


def _route(
    document: Document,
    goal: str | None,
    avoid: str | None,
    budget: Budget,
    progress: Progress | None,
) -> Route:
    endings = {e.key.text for e in document.entries("endings") if e.key}
    asked = [] if goal is None or goal in endings else [asked_condition("--to", goal)]
    asked += [] if avoid is None else [asked_condition("--avoid", avoid)]
    world = check(document, asked)
    system = compile_world(world, budget)
    conditions = [system.formula(c) for c in world.asked]
    words = "a win" if goal is None else goal
    if goal is None:
        target = won_formula(system)
    elif goal in endings:
        target, words = ending_formula(system, goal), f"the ending {world.endings[goal].name}"
    else:
        target = conditions[0]
    # what is to be avoided comes last among what was asked
    avoided = FALSE if avoid is None else conditions[-1]
    if goal is not None and goal not in endings:
        far = asking(system, target, avoided)
    else:
        good = [e.id for e in world.endings.values() if (e.good if goal is None else e.id == goal)]
        far = asking_to_end(system, good, avoided)
    try:
        # where nobody can tell a play to it in another way, it is looked for as long as it takes
        with budget.within(work_on_question(budget, far is not None)):
            space = survey_of(system, budget, progress)
            walks = space.walks(None if avoid is None else space.where(avoided))
            trace = walks.shortest(space.where(target))
    except WorkSpent:
        budget.spend(1)  # a share that is all spent outside of here ends this
        assert far is not None, "without it there is no limit"
        return _far_route(system, far, words, budget, progress or Silence())
    if trace is None:
        if space.stopped is not None:
            # after a cut search "nobody gets there" would be a guess
            raise budget.ended or LimitReached(space.stopped)
        return Route(words, None, True)
    # the interpreter walks it again: a walk that is told was made by two programs
    walked = replay(space.system.walker, space, trace)
    lines = lines_of(world, walked)
    deals = _deals(space, target, deal_of_walk(world, walked), avoid is None)
    return Route(words, lines, trace.shortest, deals)


def _far_route(
    system: System, far: System, words: str, budget: Budget, progress: Progress
) -> Route:
    """A route in a world of which nobody can list the situations: no shortest one."""
    with refusing_unrest(system.world, budget):
        trace = Reached(far, budget, progress).play()
    if trace is None:
        return Route(words, None, True)
    walked = walked_along(system.walker, trace.steps)
    best = deal_of_walk(system.world, walked)
    every = number_of_deals(system.world.deals)
    deals = Deals(best, every, None, None, ()) if system.world.deals else None
    return Route(words, lines_of(system.world, walked), trace.shortest, deals)


def _deals(
    space: AnySpace, target: Formula, best: tuple[Dealt, ...], everywhere: bool
) -> Deals | None:
    """The worst of all deals, where they can be gone through one by one."""
    world = space.system.world
    if not world.deals:
        return None
    every = number_of_deals(world.deals)
    if not everywhere or every > MOST_DEALS or space.merged or space.stopped is not None:
        return Deals(best, every, None, None, ())
    # backwards from the goal once, instead of a search from each deal
    distance = space.distances_to(space.where(target))
    lengths = []
    for start in space.examples(beginnings(space), every):
        length = distance(space.of(start))
        # a deal without any way counts as no length, and is never the longest
        lengths.append((-1 if length is None else length, start))
    longest, worst = max(lengths, key=lambda one: one[0])
    dealt = [(i, str(worst[keys.dealt(i)])) for deal in world.deals for i in deal.items]
    places = tuple(Dealt(i, a, f"{world.name_of(i)} in {world.name_of(a)}") for i, a in dealt)
    return Deals(best, every, sum(length < 0 for length, _ in lengths), longest, places)


def asked_condition(option: str, text: str) -> Condition:
    """A condition of the command line. Raises `InvalidInput` with a caret under the fault."""
    problems = Problems()
    span = Span(Source.of(option, text), 1, 1, max(1, len(text)))
    condition = parse_condition(text, span, problems)
    if condition is None:
        # an option is no file: the span is of the text that was typed
        raise InvalidInput(problems.diagnostics)
    return condition


def fate_of(world: World, budget: Budget, progress: Progress | None = None) -> Fate:
    """Whether a situation is `live`, `doomed` or `ended`; the search is made when first asked.

    Asking raises `LimitReached` where a limit cuts the search short, and nothing is certain.
    """
    silence = progress or Silence()
    known: list[Fates] = []

    def far(system: System) -> Fates:
        """What is told of one situation by what may come after it."""

        def fate(situation: Mapping[Key, Value]) -> str:
            here = system.begun_with(system.values(situation))
            return "doomed" if Reached(here, budget, silence).play() is None else "live"

        return fate

    def search() -> Fates:
        system = compile_world(world, budget)
        try:
            with budget.within(work_on_question(budget)):
                return fates(system, budget, silence)
        except WorkSpent:
            budget.spend(1)  # a share that is all spent outside of here ends this
            return far(system)

    def fate(situation: Situation) -> str:
        if situation[ENDING] != UNENDED:
            return "ended"
        with refusing_unrest(world, budget):
            # the first question pays for the search; a script without one never does
            known[:] = known or [search()]
            told = known[0](situation)
        # of a situation that was seen whole the answer stands, whatever limit came
        if told == "unknown" and budget.ended is not None:
            raise budget.ended
        return told

    return fate


def _of_script(problem: Diagnostic) -> Diagnostic:
    """A problem, with what a script may expect where a lone word in one is no condition."""
    span = problem.span
    if problem.code != "unknown-id" or span is None:
        return problem
    line = span.source.line(span.line).partition("#")[0].split()
    # a misspelt kind of expectation reads as a condition of one id
    if len(line) == 2 and line[0] == "expect":
        hint = f"{problem.hint}\n{EXPECTATIONS}" if problem.hint else EXPECTATIONS
        return replace(problem, hint=hint)
    return problem


def rehearse_scripts(
    path: str,
    scripts: Iterable[str],
    budget: Budget,
    progress: Progress | None = None,
    seed: int | None = None,
) -> list[Rehearsal]:
    """Walk every script on the world at `path`; where one does not say how items are dealt, `seed`
    draws it.

    Raises `InvalidInput` for problems of the world or of any script, `LimitReached` as `fate_of`.
    """
    read = []
    for script in scripts:
        source, text = read_source(script)
        read.append((source, read_script(source, text)))
    try:
        # all conditions of all scripts at once: the world is checked a single time
        world = load(path, [c for _, lines in read for c in conditions_of(lines)])
    except InvalidInput as invalid:
        raise InvalidInput(map(_of_script, invalid.diagnostics)) from None
    for _, lines in read:
        check_names(lines, world)
    deals = [deal_of(lines, world, seed, source) for source, lines in read]
    asked, fate = list(world.asked), fate_of(world, budget, progress)
    results = []
    with refusing_unrest(world, budget):
        for (source, lines), deal in zip(read, deals, strict=True):
            count = len(conditions_of(lines))
            # they come back resolved in the order in which they were handed over
            own, asked = asked[:count], asked[count:]
            results.append(rehearse(world, source.path, lines, own, fate, deal))
    return results
