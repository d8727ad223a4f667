"""The stages in a row: a world file goes in at the top and comes out as a report.

`api.py` offers them to Python programs.
"""

from __future__ import annotations

import logging
from collections.abc import Iterable, Sequence
from typing import Any, cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.authored.conditions import Condition, parse_condition
from zubrel.authored.document import Document, document_of, read_document
from zubrel.authored.files import read_source
from zubrel.base.budget import Allowance, Budget, LimitReached, Limits, WorkSpent
from zubrel.base.diagnostics import Diagnostic, InvalidInput, Problems
from zubrel.base.progress import Progress, Silence
from zubrel.base.source import Source, Span
from zubrel.checked.check import check
from zubrel.checked.keys import ENDING, UNENDED
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Formula
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling, TooMany
from zubrel.findings.fates import Fates, fates
from zubrel.findings.find import Found, find_in, stale_acceptance, with_acceptance
from zubrel.findings.finding import Finding
from zubrel.findings.judged import AnySpace, Judged, ending_formula, judge, won_formula
from zubrel.narrated.narrate import narrate, nothing_known
from zubrel.narrated.replay import replay
from zubrel.narrated.report import MoveLine, Report
from zubrel.narrated.walks import lines_of
from zubrel.played.rehearse import Fate, Rehearsal, rehearse
from zubrel.played.script import EXPECTATIONS, check_names, conditions_of, read_script
from zubrel.policy import EXPLAINING, FEW, MAPPING, OF_FEW, OF_MANY, TELLING
from zubrel.walked.walker import Situation


def load(path: str, asked: Iterable[Condition] = ()) -> World:
    """The world in the file at `path`. Raises `InvalidInput` with every problem of the file.

    `asked` are further conditions to be resolved against it, for example of a command line.
    """
    return check(read_document(path), asked)


log = logging.getLogger(__name__)


def survey(
    world: World, budget: Budget, progress: Progress | None = None, merging: bool = False
) -> AnySpace:
    """Every situation of `world`, with `merging` classes of them where there are too many.

    Raises `InvalidInput` when the world never comes to rest, `LimitReached` where a limit comes
    before anything was found.
    """
    system = compile_world(world, budget)
    try:
        return explore(system, budget, progress or Silence(), merging)
    except TooMany:
        from zubrel.quotient.lens import lens_for

        return cast(AnySpace, lens_for(system, (), budget, progress or Silence()))
    except EndlessSettling as endless:
        raise InvalidInput([_never_rests(world, endless)]) from None


def whole_survey(world: World, budget: Budget, progress: Progress | None = None) -> AnySpace:
    """Every situation of `world`. Raises `LimitReached` where a limit comes first."""
    space = survey(world, budget, progress)
    if space.stopped is not None:
        raise budget.ended or LimitReached(space.stopped)
    return space


def report(
    world: World,
    budget: Budget | None = None,
    progress: Progress | None = None,
    with_progression: bool = False,
    with_outline: bool = False,
    jobs: int = 1,
) -> Report:
    """What can be proved about `world` within `budget`, and what was found.

    `with_progression`: also what every win includes, in which order, and when things can be had.
    `with_outline`: also what pictures need. `jobs` are processes that may be at work at once.
    """
    progress = progress or Silence()
    budget = budget or Budget(Limits())
    auto = budget.limits.engine == "auto"
    try:
        space = survey(world, budget, progress, merging=auto)
    except (LimitReached, MemoryError) as limit:
        return nothing_known(world.path, world.title, words_of(limit), budget.seconds())
    if space.stopped is not None:
        budget.begin_telling()
    try:
        if space.merged:
            return _at_full_size(space, None, budget, progress, jobs, with_outline)
        return _of_all_situations(
            space, budget, progress, jobs, with_progression, with_outline, auto
        )
    except (LimitReached, MemoryError) as limit:
        return _cut_short(space, words_of(limit), budget)


def _of_all_situations(
    space: AnySpace,
    budget: Budget,
    progress: Progress,
    jobs: int,
    with_progression: bool,
    with_outline: bool,
    auto: bool,
) -> Report:
    """What a space says in which nothing is merged; where that is too much work, what lenses do."""
    progress.stage("looking for trouble")
    judged = judge(space)
    most = float("inf")
    if auto and space.engine == "symbolic":
        most = OF_FEW if space.count(space.everything) < FEW else OF_MANY
    try:
        with budget.within(most):
            in_all = find_in(judged, with_progression, with_outline)
            progress.stage("writing it up")
            return narrate(in_all, budget.seconds)
    except WorkSpent:
        log.info("findings by sets are too much work: lenses are asked, %.0f units", budget.work)
        from zubrel.quotient.lens import lens_for

        lens = lens_for(space.system, (), budget, progress)
        return _at_full_size(lens, judged, budget, progress, jobs, with_outline)


def words_of(limit: LimitReached | MemoryError) -> str:
    """Which limit ended the work: fits after "stopped at"."""
    return str(limit) if isinstance(limit, LimitReached) else "the memory of this machine"


def _cut_short(space: AnySpace, words: str, budget: Budget) -> Report:
    """What is certain all the same; of findings none, since they would not be the whole of any
    kind."""
    budget.begin_telling()
    space.give_up(words)
    try:
        return narrate(Found(judge(space), ()), budget.seconds)
    except (LimitReached, MemoryError):
        world = space.system.world
        known = None if space.merged else space.count(space.everything)
        empty = nothing_known(world.path, world.title, words, budget.seconds())
        return replace(empty, engine=space.engine, situations=known)


def _at_full_size(
    lens: AnySpace,
    listed: Judged[Any] | None,
    budget: Budget,
    progress: Progress,
    jobs: int,
    with_outline: bool,
) -> Report:
    """What reduced systems tell; `listed` is of all situations, where they are known."""
    from zubrel.findings.large.planning import full_size, map_of
    from zubrel.findings.large.questions import whole_lens_for
    from zubrel.quotient.lens import Lens

    assert isinstance(lens, Lens), "nothing else merges situations"
    full = full_size(lens, budget, progress, jobs)
    findings = with_acceptance(full.findings, lens.system.world)
    if full.judged.complete:
        open_kinds = {kind for kind, _ in full.undecided}
        findings += stale_acceptance(lens.system.world, findings, open_kinds)
    order = tuple(sorted(findings, key=Finding.order))
    progress.stage("writing it up")
    explaining = Allowance(EXPLAINING)

    def closer(asked: Sequence[Formula]) -> Lens | None:
        try:
            with budget.sharing(explaining):
                return whole_lens_for(lens.system, asked, budget, progress)
        except LimitReached:
            return None

    drawn = map_of(lens.system, MAPPING, budget, progress) if with_outline else None
    found_in_all = Found(
        full.judged, order, outline=drawn, undecided=full.undecided, listed=listed, closer=closer
    )
    if budget.ended is not None:
        budget.begin_telling()
    with budget.within(TELLING):
        return narrate(found_in_all, budget.seconds)


def _never_rests(world: World, endless: EndlessSettling) -> Diagnostic:
    """What goes round in a circle, and the moves that set it off."""
    spans = {h.id: h.span for h in world.happenings}
    first, *others = endless.cycle
    moves = [f"“{step.rule.label}”" for step in endless.trace.steps]
    after = "after these moves: " + ", ".join(moves) if moves else "at the very start"
    circle = " and ".join(f'"{h}"' for h in endless.cycle)
    return Diagnostic(
        "never-rests",
        f"{circle} goes on happening for ever, {after}"
        if not others
        else f"{circle} undo each other for ever, {after}",
        spans[first],
        'Let what happens make its own "when" false, or say "once: true".',
        tuple(("together with this", spans[other]) for other in others),
    )


class Route(Struct, frozen=True):
    """A walk to a goal, `shortest` where none with fewer moves exists; without `moves` no play
    gets there."""

    goal: str
    moves: tuple[MoveLine, ...] | None
    shortest: bool


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
    space = survey(world, budget, progress)
    system = space.system
    translator = system.translator
    conditions = [translator.formula(c) for c in world.asked]
    words = "a win" if goal is None else goal
    if goal is None:
        target = won_formula(system)
    elif goal in endings:
        target, words = ending_formula(system, goal), f"the ending {world.endings[goal].name}"
    else:
        target = conditions[0]
    if space.stopped is not None:
        budget.begin_telling()
    walks = space.walks(space.where(conditions[-1]) if avoid is not None else None)
    trace = walks.shortest(space.where(target))
    if trace is None:
        if space.stopped is not None:
            raise budget.ended or LimitReached(space.stopped)
        return Route(words, None, True)
    walked = replay(space.system.walker, space, trace)
    return Route(words, lines_of(world, walked), trace.shortest)


def asked_condition(option: str, text: str) -> Condition:
    """A condition of the command line. Raises `InvalidInput` with a caret under the fault."""
    problems = Problems()
    span = Span(Source.of(option, text), 1, 1, max(1, len(text)))
    condition = parse_condition(text, span, problems)
    if condition is None:
        raise InvalidInput(problems.found)
    return condition


def fate_of(world: World, budget: Budget, progress: Progress | None = None) -> Fate:
    """Whether a situation is `live`, `doomed` or `ended`; the search is made when first asked.

    Asking raises `LimitReached` where a limit cuts the search short, and nothing is certain.
    """
    known: list[Fates] = []

    def fate(situation: Situation) -> str:
        if situation[ENDING] != UNENDED:
            return "ended"
        if not known:
            system = compile_world(world, budget)
            try:
                known.append(fates(system, budget, progress or Silence()))
            except EndlessSettling as endless:
                raise InvalidInput([_never_rests(world, endless)]) from None
        diagram = known[0](situation)
        if diagram == "unknown" and budget.ended is not None:
            raise budget.ended
        return diagram

    return fate


def _of_script(problem: Diagnostic) -> Diagnostic:
    """A problem, with what a script may expect where a lone word in one is no condition."""
    span = problem.span
    if problem.code != "unknown-id" or span is None:
        return problem
    line = span.source.line(span.line).partition("#")[0].split()
    if len(line) == 2 and line[0] == "expect":
        hint = f"{problem.hint}\n{EXPECTATIONS}" if problem.hint else EXPECTATIONS
        return replace(problem, hint=hint)
    return problem


def rehearse_scripts(
    path: str, scripts: Iterable[str], budget: Budget, progress: Progress | None = None
) -> list[Rehearsal]:
    """Walk every script on the world at `path`.

    Raises `InvalidInput` for problems of the world or of any script, `LimitReached` as `fate_of`.
    """
    read = []
    for script in scripts:
        source, text = read_source(script)
        read.append((script, read_script(source, text)))
    try:
        world = load(path, [c for _, lines in read for c in conditions_of(lines)])
    except InvalidInput as invalid:
        raise InvalidInput(map(_of_script, invalid.diagnostics)) from None
    for _, lines in read:
        check_names(lines, world)
    asked, fate = list(world.asked), fate_of(world, budget, progress)
    results = []
    for script, lines in read:
        count = len(conditions_of(lines))
        own, asked = asked[:count], asked[count:]
        results.append(rehearse(world, script, lines, own, fate))
    return results
