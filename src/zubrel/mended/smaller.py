"""Changes after which a world may be small enough for a proof, each tried."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from math import log10

from msgspec import Struct

from zubrel.base.budget import Budget, LimitReached, WorkSpent
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.progress import Progress
from zubrel.checked.check import check
from zubrel.checked.effects import Give
from zubrel.checked.world import World
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within, pieces_of
from zubrel.compiled.system import System
from zubrel.explored.space import EndlessSettling
from zubrel.findings.judged import judge
from zubrel.mended.bodies import Bodies
from zubrel.mended.candidates import Candidate
from zubrel.mended.edits import Edit
from zubrel.mended.files import Files
from zubrel.narrated.tables import Listing
from zubrel.policy import TRIAL
from zubrel.quotient.making import first_lens
from zubrel.reduced.guards import guards
from zubrel.reduced.reduce import reduce
from zubrel.reduced.result import sizes_left, unreduced

COLUMNS = ("change", "left to be searched", "then")
MOST = 6
"""Single changes that are tried, those that leave least; and all of them together."""
TOO_LARGE = "still too large"


class _Measured(Struct):
    words: str
    system: System
    left: float
    """The logarithm of the number of situations that are left, at most."""


def smaller(path: str, budget: Budget, progress: Progress) -> Listing:
    """What becomes of a world and of changes that make it smaller: whether a search decides them.

    The world as it is comes first; where it is decided, nothing else is tried. Raises what reading
    does, and `LimitReached`.
    """
    files = Files.read(path)
    document = files.document()
    world = check(document)
    system = compile_world(world, budget)
    before = _measured("as it is", system, budget)
    fates = [(before, _fate(before, budget, progress))]
    # nobody makes a world smaller that is decided as it is
    if fates[0][1] == TOO_LARGE:
        candidates = list(_candidates(world, system, Bodies(world, document, files)))
        singles = [m for c in candidates if (m := _changed(files, c, budget)) is not None]
        helping = sorted((m for m in singles if m.left < before.left), key=lambda m: m.left)[:MOST]
        # each alone may be too little, and all together enough
        if len(helping) > 1:
            words = {m.words for m in helping}
            edits = tuple(e for c in candidates if c.words in words for e in c.edits)
            every = _changed(files, Candidate("all of these", edits), budget)
            helping += [every] if every is not None else []
        fates += [(m, _fate(m, budget, progress)) for m in helping]
    rows = tuple(((m.words,), (f"10^{m.left:.1f}",), (fate,)) for m, fate in fates)
    return Listing("smaller", COLUMNS, rows)


def _changed(files: Files, candidate: Candidate, budget: Budget) -> _Measured | None:
    """The changed world, measured; None where it is none."""
    try:
        world = check(files.changed(candidate.edits).document())
    except (InvalidInput, ValueError):
        return None
    return _measured(candidate.words, compile_world(world, budget), budget)


def _measured(words: str, system: System, budget: Budget) -> _Measured:
    sizes = sizes_left(reduce(system, budget=budget).system)
    return _Measured(words, system, sum(map(log10, sizes)))


def _fate(measured: _Measured, budget: Budget, progress: Progress) -> str:
    """The verdict of a search with so much work as a trial gets."""
    progress.stage(f"trying: {measured.words}")
    budget.check_limits()
    # what a trial spends is not taken from those that come after it
    own = Budget(budget.limits, budget.seconds())
    own.on_check = budget.on_check
    with suppress(WorkSpent), own.within(TRIAL):
        try:
            judged = judge(first_lens(measured.system, own, progress, judge))
        except EndlessSettling:
            return "it never rests"
        if judged.complete:
            return judged.verdict
        # not the share, but a limit of the user's: everything ends here
        raise LimitReached(own.ended or "a limit")
    # its share was spent: nothing is known of the changed world
    return TOO_LARGE


def _candidates(world: World, system: System, bodies: Bodies) -> Iterator[Candidate]:
    asked = _asked(system)
    for item in world.items.values():
        # only bounds that were written can be lowered: others come from what can be had
        bound = bodies.at("items", item.id, "max")
        # what is in the hand at the start has to fit
        held = sum(give.count for give in world.holding if give.item == item.id)
        # what is asked for, and room for what comes on top of it at once
        enough = max(1, held, asked.get(("held", item.id), 0) + _gained(world, item.id))
        if bound is not None and enough < item.most:
            words = f"at most {enough} {item.name}: nothing asks for more, or gives more at once"
            edit = bodies.page(bound.span).replaced(bound.node.span, str(enough))
            yield Candidate(words, (edit,))
        yield from _left_out(f"{item.name} is not put down", bodies, "items", item.id, "drop")
    for meter in world.meters.values():
        highest = bodies.at("meters", meter.id, "to")
        # a meter needs two values, its beginning, and all that is asked of it
        enough = max(meter.low + 1, meter.start, asked.get(("meter", meter.id), 0))
        if highest is not None and enough < meter.high:
            edit = bodies.page(highest.span).replaced(highest.node.span, str(enough))
            yield Candidate(f"{meter.name} only to {enough}, which is all that is asked", (edit,))
    yield from _left_out("no limit on what is carried", bodies, "carry")


def _left_out(words: str, bodies: Bodies, *path: str) -> Iterator[Candidate]:
    edit: Edit | None = bodies.without(bodies.at(*path))
    if edit is not None:
        yield Candidate(words, (edit,))


def _gained(world: World, item: str) -> int:
    """The most of an item that comes at once, beyond the one that there is always room for."""
    counts = (e.count for e in world.effects if isinstance(e, Give) and e.item == item)
    return max(counts, default=1) - 1


def _asked(system: System) -> dict[tuple[str, str], int]:
    """The most of each amount that anything asks for; of meters, also that it is no more."""
    most: dict[tuple[str, str], int] = {}
    # simplified, what is denied is said as a range, and room for more begins at nothing
    system = guards(unreduced(system)).system
    # conditions of changes ask whether it fits, not for so much
    formulas = [m.guard for m in system.moves] + [s.guard for s in system.settlers]
    for formula in (*formulas, *(f for f, _ in system.endings)):
        for test in pieces_of(formula):
            if not isinstance(test, Within):
                continue
            domain = system.variables[test.variable]
            values = [test.low] if test.low > domain.low else []
            # an upper bound of an item is nearly always room for one more
            if domain.key[0] == "meter" and test.high < domain.high:
                values.append(test.high + 1)
            for value in values:
                most[domain.key] = max(most.get(domain.key, 0), value)
    return most
