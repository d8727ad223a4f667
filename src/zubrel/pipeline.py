"""The stages in a row: a world file goes in at the top and comes out as a report.

This is also the public Python interface: `load`, `survey`, `report`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct

from zubrel.atoms.budget import Budget, Limits
from zubrel.atoms.diagnostics import Diagnostic, InvalidInput, Problems
from zubrel.atoms.progress import Progress, Silence
from zubrel.atoms.source import Source, Span
from zubrel.authored.conditions import Condition, parse_condition
from zubrel.authored.document import read_document
from zubrel.authored.files import read_source
from zubrel.checked.check import check
from zubrel.checked.keys import ENDING, UNENDED
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Formula
from zubrel.compiled.translate import Translator
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling, LimitReached
from zubrel.findings.fates import Fates, fates
from zubrel.findings.find import Found, find_in, stale_acceptance, with_acceptance
from zubrel.findings.finding import Finding
from zubrel.findings.verdict import AnySpace, Judged, ending_formula, judge, won_formula
from zubrel.narrated.narrate import narrate
from zubrel.narrated.replay import replay
from zubrel.narrated.report import MoveLine, Report
from zubrel.narrated.walks import lines_of
from zubrel.played.rehearse import Fate, Rehearsal, rehearse
from zubrel.played.script import check_names, conditions_of, read_script
from zubrel.walked.walker import Situation, Walker


def load(path: str, asked: Iterable[Condition] = ()) -> World:
    """The world in the file at `path`. Raises `InvalidInput` with every problem of the file.

    `asked` are further conditions to be resolved against it, for example of a command line.
    """
    return check(read_document(path), asked)


PATIENCE, IMPATIENCE, FEW = 25.0, 2.0, 10**10
"""Seconds of looking at every situation as sets before classes of them have to do: where there are
few situations, and where there are more."""


MAPPING = 60.0
"""Seconds that it may take to find out what lies behind what in a world of full size."""
EXPLAINING = 20.0
"""Seconds that may go into explanations where each asks for another look."""


def survey(
    world: World, budget: Budget, progress: Progress | None = None, merging: bool = False
) -> AnySpace:
    """Every situation of `world`, with `merging` classes of them where there are too many.

    Raises `InvalidInput` when the world never comes to rest.
    """
    system = compile_world(world)
    try:
        return explore(system, budget, progress or Silence(), merging)
    except EndlessSettling as endless:
        raise InvalidInput([_never_rests(world, endless)]) from None


def report(
    world: World, limits: Limits | None = None, progress: Progress | None = None,
    with_progression: bool = False, with_outline: bool = False, jobs: int = 1,
) -> Report:  # fmt: skip
    """What can be proved about `world` within `limits`, and what was found.

    `with_progression`: also what every win includes, in which order, and when things can be had.
    `with_outline`: also what pictures need. `jobs` are processes that may be at work at once.
    """
    progress = progress or Silence()
    budget = Budget(limits or Limits())
    auto = budget.limits.engine == "auto"
    space = survey(world, budget, progress, merging=auto)
    if space.merged:
        return _at_full_size(space, None, budget, progress, jobs, with_outline)
    progress.stage("looking for trouble")
    judged = None
    try:
        judged = judge(space)
        if auto and space.engine == "symbolic":
            few = space.count(space.everything) < FEW
            budget.until = budget.seconds() + (PATIENCE if few else IMPATIENCE)
        found = find_in(judged, with_progression, with_outline)
        progress.stage("writing it up")
        return narrate(found, budget.seconds())
    except (LimitReached, MemoryError) as limit:
        impatient = budget.until is not None and budget.seconds() > budget.until
        budget.until = None
        if impatient and budget.spent_by(0) is None:
            from zubrel.explored.lens import look

            lens = look(space.system, (), budget, progress)
            return _at_full_size(lens, judged, budget, progress, jobs, with_outline)
        # what was found so far is not the whole of any kind, so none of it is told
        space.give_up(str(limit) if isinstance(limit, LimitReached) else "the limit of memory")
        return narrate(Found(judge(space), ()), budget.seconds())


def _at_full_size(
    lens: AnySpace, listed: Judged | None, budget: Budget, progress: Progress, jobs: int,
    with_outline: bool,
) -> Report:  # fmt: skip
    """What reduced systems tell; `listed` is of all situations, where they are known."""
    from zubrel.explored.lens import Lens
    from zubrel.findings.full_size import full_size, map_of
    from zubrel.findings.questions import look_within

    assert isinstance(lens, Lens), "nothing else merges situations"
    full = full_size(lens, budget, progress, jobs)
    found = with_acceptance(full.findings, lens.system.world)
    if full.judged.complete:
        open_kinds = {kind for kind, _ in full.undecided}
        found += stale_acceptance(lens.system.world, found, open_kinds)
    order = tuple(sorted(found, key=Finding.order))
    progress.stage("writing it up")
    until = budget.seconds() + EXPLAINING

    def closer(asked: Sequence[Formula]) -> Lens | None:
        left = until - budget.seconds()
        return look_within(left, lens.system, asked, budget, progress) if left > 0 else None

    drawn = map_of(lens.system, MAPPING, budget, progress) if with_outline else None
    found_in_all = Found(full.judged, order, outline=drawn, undecided=full.undecided,
                         listed=listed, closer=closer)  # fmt: skip
    return narrate(found_in_all, budget.seconds())


def _never_rests(world: World, endless: EndlessSettling) -> Diagnostic:
    """What goes round in a circle, and the moves that set it off."""
    spans = {h.id: h.span for h in world.happenings}
    first, *others = endless.cycle
    moves = [f"“{step.rule.label}”" for step in endless.trace.steps]
    after = "after these moves: " + ", ".join(moves) if moves else "at the very start"
    circle = " and ".join(f'"{h}"' for h in endless.cycle)
    return Diagnostic(
        "never-rests",
        f"{circle} goes on happening for ever, {after}" if not others else
        f"{circle} undo each other for ever, {after}",
        spans[first],
        'Let what happens make its own "when" false, or say "once: true".',
        tuple(("together with this", spans[other]) for other in others),
    )  # fmt: skip


class Route(Struct, frozen=True):
    """The shortest walk to a goal; without `moves` there is none, or the search was `stopped`."""

    goal: str
    moves: tuple[MoveLine, ...] | None
    stopped: str | None


def find_route(
    path: str,
    goal: str | None,
    avoid: str | None,
    limits: Limits | None = None,
    progress: Progress | None = None,
) -> Route:
    """The fewest moves in the world at `path` to an ending or a condition (None: any win).

    Raises `InvalidInput` for problems of the world or of the conditions.
    """
    document = read_document(path)
    endings = {e.key.text for e in document.entries("endings") if e.key}
    asked = [] if goal is None or goal in endings else [asked_condition("--to", goal)]
    asked += [] if avoid is None else [asked_condition("--avoid", avoid)]
    world = check(document, asked)
    space = survey(world, Budget(limits or Limits()), progress)
    system = space.system
    translator = Translator(system.world, system.variables, system.numbers)
    conditions = [translator.formula(c) for c in world.asked]
    words = "a win" if goal is None else goal
    if goal is None:
        target = won_formula(system)
    elif goal in endings:
        target, words = ending_formula(system, goal), f"the ending {world.endings[goal].name}"
    else:
        target = conditions[0]
    walks = space.walks(space.where(conditions[-1]) if avoid is not None else None)
    trace = walks.shortest(space.where(target))
    if trace is None:
        return Route(words, None, space.stopped)
    walked = replay(Walker(world), space, trace)
    return Route(words, lines_of(world, walked), space.stopped)


def asked_condition(option: str, text: str) -> Condition:
    """A condition of the command line. Raises `InvalidInput` with a caret under the fault."""
    problems = Problems()
    span = Span(Source.of(option, text), 1, 1, max(1, len(text)))
    condition = parse_condition(text, span, problems)
    if condition is None:
        raise InvalidInput(problems.found)
    return condition


def fate_of(world: World, limits: Limits, progress: Progress | None = None) -> Fate:
    """Whether a situation is `live`, `doomed` or `ended`; the search is made when first asked.

    The answer is `unknown` where a limit cut the search short.
    """
    known: list[Fates] = []

    def fate(situation: Situation) -> str:
        if situation[ENDING] != UNENDED:
            return "ended"
        if not known:
            system = compile_world(world)
            try:
                known.append(fates(system, Budget(limits), progress or Silence()))
            except EndlessSettling as endless:
                raise InvalidInput([_never_rests(world, endless)]) from None
        return known[0](situation)

    return fate


def rehearse_scripts(
    path: str, scripts: Iterable[str], limits: Limits, progress: Progress | None = None
) -> list[Rehearsal]:
    """Walk every script on the world at `path`.

    Raises `InvalidInput` for problems of the world or of any script.
    """
    read = []
    for script in scripts:
        source, text = read_source(script)
        read.append((script, read_script(source, text)))
    world = load(path, [c for _, lines in read for c in conditions_of(lines)])
    for _, lines in read:
        check_names(lines, world)
    asked, fate = list(world.asked), fate_of(world, limits, progress)
    results = []
    for script, lines in read:
        count = len(conditions_of(lines))
        own, asked = asked[:count], asked[count:]
        results.append(rehearse(world, script, lines, own, fate))
    return results
