"""The stages in a row: a world file goes in at the top and comes out as a report.

`api.py` offers them to Python programs.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from typing import TYPE_CHECKING, Any, cast

from msgspec import Struct
from msgspec.structs import replace

from zubrel.authored.conditions import Condition
from zubrel.authored.document import read_document
from zubrel.base.budget import Allowance, Budget, LimitReached, Limits, WorkSpent
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.progress import Progress, Silence
from zubrel.checked.check import check
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.system import System
from zubrel.explored.explore import explore, share
from zubrel.explored.space import EndlessSettling, TooMany
from zubrel.findings.dealt import begun
from zubrel.findings.find import Conclusions, find_in, stale_acceptance, with_acceptance
from zubrel.findings.finding import by_gravity
from zubrel.findings.judged import AnySpace, Judged, judge
from zubrel.findings.registry import end_of
from zubrel.looks import EarlyLooks
from zubrel.narrated.narrate import narrate, nothing_known
from zubrel.narrated.report import Report, Told
from zubrel.narrated.unrest import never_rests
from zubrel.odds.aimless import with_aimless
from zubrel.policy import (
    EXPLAINING,
    FEW,
    MAPPING,
    OF_FEW,
    OF_MANY,
    ROUTING,
    TELLING,
)
from zubrel.walked.walker import NeverRests

if TYPE_CHECKING:  # worlds that need no help do without
    from zubrel.findings.large.helpers import Helpers
    from zubrel.quotient.lens import Lens


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
    return survey_of(compile_world(world, budget), budget, progress, merging)


def survey_of(
    system: System, budget: Budget, progress: Progress | None = None, merging: bool = False
) -> AnySpace:
    """The same of the system of a world."""
    return begun(_surveyed(system, budget, progress or Silence(), merging, None))


@contextmanager
def refusing_unrest(world: World, budget: Budget) -> Iterator[None]:
    """In its block, what never comes to rest is a problem of the world: raises `InvalidInput`, or
    `LimitReached` where one comes before it is known what goes round in a circle."""
    try:
        yield
    except NeverRests:
        # the interpreter sees that it goes on, and a search what it is
        whole_survey(world, budget)
        raise
    except EndlessSettling as endless:
        raise InvalidInput([never_rests(world, endless)]) from None


def _surveyed(
    system: System, budget: Budget, progress: Progress, merging: bool, early: EarlyLooks | None
) -> AnySpace:
    with refusing_unrest(system.world, budget):
        try:
            return explore(system, budget, progress, merging)
        except TooMany:
            return cast(AnySpace, _through_a_lens(system, budget, progress, early))


def _through_a_lens(
    system: System, budget: Budget, progress: Progress, early: EarlyLooks | None
) -> Lens[Any]:
    """The world as far as its end depends on it."""
    from zubrel.explored.backward.space import BackwardSpace
    from zubrel.quotient.making import first_lens

    # whoever looks aside needs the same smaller world
    smaller = None if early is None else early.reduced_to_its_end(budget)

    def judging(lens: Lens[Any]) -> None:
        judged = judge(lens)
        # what comes before a deal is none of these, and whoever looks aside begins there
        if early is not None and not system.world.deals:
            early.judged(cast(BackwardSpace, lens.inner).holding(judged.live | judged.won))

    return first_lens(system, budget, progress, judging, end_of, reduced=smaller)


def work_on_question(budget: Budget, other_ways: bool = True) -> float:
    """Work on every situation for one question, before it is asked in another way, if there is one.

    Whoever has named an engine, or a number of situations, gets no other way.
    """
    chosen = budget.limits.engine != "auto" or budget.limits.situations is not None
    return share(budget, ROUTING) if other_ways and not chosen else float("inf")


def whole_survey(world: World, budget: Budget, progress: Progress | None = None) -> AnySpace:
    """Every situation of `world`. Raises `LimitReached` where a limit comes first."""
    return whole_survey_of(compile_world(world, budget), budget, progress)


def whole_survey_of(system: System, budget: Budget, progress: Progress | None = None) -> AnySpace:
    """The same of the system of a world."""
    space = survey_of(system, budget, progress)
    if space.stopped is not None:
        raise budget.ended or LimitReached(space.stopped)
    return space


def report(
    world: World,
    budget: Budget | None = None,
    progress: Progress | None = None,
    with_progression: bool = False,
    with_outline: bool = False,
    jobs: int | Helpers = 1,
    with_reasons: bool = True,
    with_windows: bool = True,
    beside_win: str | None = None,
    seen: Callable[[Judged[Any]], None] | None = None,
    with_odds: bool = False,
    suffices: Callable[[Told], bool] | None = None,
) -> Report:
    """What can be proved about `world` within `budget`, and what was found.

    `with_progression`: also what every win includes, in which order, and, `with_windows`, when
    things can be had.
    `with_outline`: also what pictures need. `jobs` are processes that may be at work at once, or
    those who help this one.
    Without reasons nothing is explained, and nothing is looked for before the proof ends.
    Findings on the subject `beside_win` are shown by moves that share most with the shortest win.
    Situations, once they are judged, are `seen` before anything is looked for in them.
    `with_odds`: also all that becomes of aimless plays, for pictures of it. Where a finding that
    `suffices` is certain, a proof that lasts is not waited for.
    """
    progress = progress or Silence()
    budget = budget or Budget(Limits())
    try:
        system = compile_world(world, budget)
    except (LimitReached, MemoryError) as limit:
        return nothing_known(world.path, world.title, words_of(limit), budget.seconds())
    wishes = _Wishes(
        with_progression, with_outline, with_reasons, with_windows, beside_win, seen, with_odds
    )
    # without reasons it is one of many variants, of which each has to be quick
    if not with_reasons:
        return _proved(system, budget, progress, jobs, wishes, None)
    early = EarlyLooks(system, budget, progress, suffices)
    return early.added_to(_proved(system, budget, progress, jobs, wishes, early))


class _Wishes(Struct, frozen=True):
    """What a report is to hold beyond verdict and findings; the parameters of `report`."""

    progression: bool
    outline: bool
    reasons: bool
    windows: bool
    beside_win: str | None
    seen: Callable[[Judged[Any]], None] | None
    odds: bool


def _proved(
    system: System,
    budget: Budget,
    progress: Progress,
    jobs: int | Helpers,
    wishes: _Wishes,
    early: EarlyLooks | None,
) -> Report:
    """The report of a proof, in whose midst `early` may look for what is certain."""
    world, auto = system.world, budget.limits.engine == "auto"
    try:
        space = _surveyed(system, budget, progress, auto, early)
    except (LimitReached, MemoryError) as limit:
        return nothing_known(world.path, world.title, words_of(limit), budget.seconds())
    if early is not None and space.engine == "explicit" and space.stopped is None:
        early.listed()
    try:
        if space.merged:
            return _at_full_size(space, None, budget, progress, jobs, wishes.outline, early)
        return _of_all_situations(space, budget, progress, jobs, wishes, auto, early)
    except (LimitReached, MemoryError) as limit:
        return _cut_short(space, words_of(limit), budget)


def _of_all_situations(
    space: AnySpace,
    budget: Budget,
    progress: Progress,
    jobs: int | Helpers,
    wishes: _Wishes,
    auto: bool,
    early: EarlyLooks | None,
) -> Report:
    """What a space says in which nothing is merged; where that is too much work, what lenses do."""
    progress.stage("looking for trouble")
    judged = judge(space)
    if wishes.seen is not None:
        wishes.seen(judged)
    # whoever has asked for an engine gets its answers, however long they take
    most = float("inf")
    if auto and space.engine == "symbolic":
        most = OF_FEW if space.count(space.everything) < FEW else OF_MANY
    try:
        with budget.within(most):
            in_all = find_in(judged, wishes.progression, wishes.outline, wishes.windows)
            in_all = replace(in_all, explaining=_explaining(budget))
            if wishes.beside_win is not None:
                in_all = _beside_win(in_all, wishes.beside_win)
            if early is not None:
                early.decided(judged.verdict, in_all.findings)
            progress.stage("writing it up")
            told = narrate(in_all, budget.seconds, wishes.reasons)
            return with_aimless(told, judged, wishes.odds, budget) if wishes.reasons else told
    except WorkSpent:
        log.info("findings by sets are too much work: lenses are asked, %.0f units", budget.work)
        lens = _through_a_lens(space.system, budget, progress, early)
        return _at_full_size(lens, judged, budget, progress, jobs, wishes.outline, early)


def _beside_win(in_all: Conclusions, subject: str) -> Conclusions:
    """The findings on a subject, and those they follow from, by the way of the shortest win."""
    from zubrel.findings.alongside import alongside

    on_it = {(f.kind, f.subject) for f in in_all.findings if f.subject == subject}
    on_it |= {(f.kind, f.cause) for f in in_all.findings if f.subject == subject and f.cause}
    shown = tuple(
        alongside(in_all.judged, f) if (f.kind, f.subject) in on_it else f for f in in_all.findings
    )
    return replace(in_all, findings=shown)


def _explaining(budget: Budget) -> Callable[..., AbstractContextManager[None]]:
    """The share of work of each explanation, of what all of them have together."""
    return partial(budget.sharing, Allowance(EXPLAINING))


def words_of(limit: LimitReached | MemoryError) -> str:
    """Which limit ended the work: fits after "stopped at"."""
    return str(limit) if isinstance(limit, LimitReached) else "the memory of this machine"


def _cut_short(space: AnySpace, words: str, budget: Budget) -> Report:
    """What is certain all the same; of findings none, since they would not be the whole of any
    kind."""
    budget.begin_telling()
    space.give_up(words)
    try:
        return narrate(Conclusions(judge(space), ()), budget.seconds)
    except (LimitReached, MemoryError):
        world = space.system.world
        known = None if space.merged else space.count(begun(space).everything)
        empty = nothing_known(world.path, world.title, words, budget.seconds())
        return replace(empty, engine=space.engine, situations=known)


def _at_full_size(
    lens: AnySpace,
    listed: Judged[Any] | None,
    budget: Budget,
    progress: Progress,
    jobs: int | Helpers,
    with_outline: bool,
    early: EarlyLooks | None,
) -> Report:
    """What reduced systems tell; `listed` is of all situations, where they are known."""
    from zubrel.findings.large.further import Further
    from zubrel.findings.large.planning import full_size, map_of
    from zubrel.quotient.lens import Lens

    assert isinstance(lens, Lens), "nothing else merges situations"
    decided = None if early is None else early.decided
    full = full_size(lens, budget, progress, jobs, decided)
    findings = with_acceptance(full.findings, lens.system.world)
    # before everything is known, an acceptance that nothing was found for may still be needed
    if full.judged.complete:
        open_kinds = {kind for kind, _ in full.undecided}
        findings += stale_acceptance(lens.system.world, findings, open_kinds)
    order = tuple(sorted(findings, key=by_gravity))
    progress.stage("writing it up")

    drawn = map_of(lens.system, MAPPING, budget, progress) if with_outline else None
    further = Further(lens, budget, progress)
    found_in_all = Conclusions(
        full.judged,
        order,
        outline=drawn,
        undecided=full.undecided,
        listed=listed,
        closer=further.closer,
        explaining=_explaining(budget),
        after=further.after,
        there=further.there,
    )
    if budget.ended is not None:
        budget.begin_telling()
    with budget.within(TELLING):
        return narrate(found_in_all, budget.seconds)
