"""What is certain before a proof ends, in words: the same findings, each with its proof."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from contextlib import suppress

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import LimitReached
from zubrel.base.kinds import DOOMING
from zubrel.certain.dooming import DoomingStep
from zubrel.certain.stage import Certain
from zubrel.checked.deals import number_of_deals
from zubrel.checked.keys import ENDING, PLACE, UNDEALT
from zubrel.compiled.future import Future
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.findings.detectors.softlocks import words_of
from zubrel.findings.detectors.unreachable import UNREACHABLE
from zubrel.findings.finding import Finding, by_gravity
from zubrel.findings.judged import won_formula
from zubrel.narrated.narrate import UNTOLD, told_of
from zubrel.narrated.reasons.explained import explained
from zubrel.narrated.replay import Walked, made_along, walked_along
from zubrel.narrated.report import Explained, Proof, Report, Told, Win
from zubrel.narrated.walks import deal_of, lines_of
from zubrel.narrated.words import counted
from zubrel.reasoned.reasons import Reasons, Relaxed, reasons_after

PATIENCE = 2
"""Moves that doom after which all that comes was too much, before only little is looked at."""
MOST_NEWS = 8
"""Lines of one kind that whoever waits is told at once. Chosen: they are seen at a glance."""


class Early(Struct, frozen=True):
    """What is certain, in words."""

    win: Win | None
    unwinnable: bool
    findings: tuple[Told, ...]

    def news(self, before: Early | None) -> list[str]:
        """What was not known before, for whoever waits: a line each, and of hundreds of a kind how
        many more there are."""
        known = {line for lines in before._lines().values() for line in lines} if before else set()
        news = list[str]()
        for kind, lines in self._lines().items():
            new = [line for line in lines if line not in known]
            news += new[:MOST_NEWS]
            if len(new) > MOST_NEWS:
                news.append(f"{kind}, {len(new) - MOST_NEWS} more")
        return [f"certain already: {line}" for line in news]

    def _lines(self) -> dict[str, list[str]]:
        """By kind, without what follows from something else."""
        lines = dict[str, list[str]]()
        if self.win is not None:
            moves = counted(len(self.win.moves), "move")
            lines["win"] = [f"it can be won, in at most {moves}"]
        for finding in self.findings:
            # what follows from something else would only hide it
            if finding.cause is None:
                where = f", {finding.span.place}" if finding.span else ""
                moves = counted(len(finding.evidence), "move")
                after = f", after {moves}" if finding.evidence else ""
                line = f"{finding.kind} {finding.subject}{where}{after}"
                lines.setdefault(finding.kind, []).append(line)
        return lines


class ToldBefore:
    """What was told of plays, by the numbers of their steps: each look has most of them again."""

    def __init__(self) -> None:
        self.wins: dict[tuple[int, ...], Win] = {}
        self.dooms: dict[tuple[tuple[int, ...], tuple[int, ...], bool], Told] = {}
        self.vain = 0
        """After how many moves that doom there was too much to be looked at."""


def told_early(
    certain: Certain, words: ToldBefore | None = None, before: Early | None = None
) -> Early:
    """All of it in words, of which some may be known. Raises `Mismatch` as `replay` does.

    Where a limit comes in its midst, whatever was told `before` is told as well.
    """
    words = words or ToldBefore()
    findings = list[Told]()
    try:
        for finding in _findings_of(certain, words):
            findings.append(finding)
    except (LimitReached, MemoryError):
        # what was certain stays so, whatever the look that was cut short would have added
        told = {(f.kind, f.subject) for f in findings}
        earlier = before.findings if before is not None else ()
        findings += [f for f in earlier if (f.kind, f.subject) not in told]
    return Early(_win_of(certain, words), certain.unwinnable, tuple(findings))


def with_certain(report: Report, early: Early) -> Report:
    """A report on a search that was cut short, with what was certain all the same.

    What the search itself has found is not told twice. That there is no win is a verdict, whatever
    else is not known.
    """
    # what the search says of the same subject is exact, and stays
    known = {(f.kind, f.subject) for f in report.findings}
    return replace(
        report,
        verdict="unwinnable" if early.unwinnable else report.verdict,
        findings=(
            *(f for f in early.findings if (f.kind, f.subject) not in known),
            *report.findings,
        ),
        shortest_win=report.shortest_win or early.win,
    )


def with_safe_moves(report: Report, system: System, bearing: Collection[int]) -> Report:
    """A report on a search that was cut short, with the moves that may doom, for all it knows.

    `bearing` are the numbers of the steps that may; what is told of already is left out.
    """
    told = {(f.kind, f.subject) for f in report.findings}
    # a deal is nobody's move
    moves = [m for m in system.moves if m.rule.kind != "deal"]
    open_kinds: dict[tuple[str, str], None] = {}
    for move in moves:
        if any(step.number in bearing for step in move.steps):
            kinds = DOOMING if len(move.steps) > 1 else DOOMING[:1]
            open_kinds |= {(kind, move.rule.id): None for kind in kinds}
    every = {move.rule.id for move in moves}
    unsafe = {rule for _, rule in open_kinds}
    return replace(
        report,
        undecided=(*report.undecided, *(pair for pair in open_kinds if pair not in told)),
        safe=(len(every - unsafe), len(every)),
    )


def explained_by(report: Report, early: Early) -> Report:
    """A whole report, with early explanations of findings without a walk that have none, and with
    what is certain of that which it leaves open."""
    known = {(f.kind, f.subject): f for f in early.findings if not f.evidence}
    findings = []
    for finding in report.findings:
        other = known.get((finding.kind, finding.subject))
        if other is not None and not finding.explanation and not finding.evidence:
            finding = replace(finding, explanation=other.explanation, why=other.why)
        findings.append(finding)
    certain = [f for f in early.findings if (f.kind, f.subject) in report.undecided]
    if not certain:
        return replace(report, findings=tuple(findings))
    told = {(f.kind, f.subject) for f in certain}
    return replace(
        report,
        findings=tuple(sorted((*findings, *certain), key=by_gravity)),
        undecided=tuple(pair for pair in report.undecided if pair not in told),
    )


def _findings_of(certain: Certain, words: ToldBefore) -> Iterator[Told]:
    """The certain findings in the order of the world. Raises `Mismatch` as `replay` does."""
    accepted = {(e.finding, e.subject): e.because for e in certain.system.world.accepted}
    for told in _every(certain, words):
        key = (told.kind, told.subject)
        yield replace(told, accepted=True, because=accepted[key]) if key in accepted else told


def _every(certain: Certain, words: ToldBefore) -> Iterator[Told]:
    world = certain.system.world
    if certain.unwinnable:
        span = next((e.span for e in world.endings.values() if e.good), None)
        message = "no play whatever comes to a good ending"
        finding = Finding("unwinnable", "error", "world", message, span)
        try:
            why = _reasons(certain, certain.whole, ())
        except (LimitReached, MemoryError):
            # the verdict is never told without it
            yield _without_walk(finding, Explained())
            raise
        yield _without_walk(finding, why)
    # without a search only some of the bad deals are known
    dealt = [doom for doom in certain.dooms if doom.step.rule.kind == "deal"]
    # a deal is nobody's move: one that dooms stands for all of them
    for doom in (*dealt[:1], *(d for d in certain.dooms if d not in dealt)):
        key = _numbers_of(doom.walk), _numbers_of(doom.onward), doom.by_luck
        if key not in words.dooms:
            words.dooms[key] = _told(certain, doom, words)
        yield words.dooms[key]
    # by relaxation: what it does not reach no play does
    for finding in _unreachable(certain):
        reasons = Reasons(certain.system, Relaxed(certain.whole))
        trees = () if finding.cause else reasons.of(finding.subject)
        yield _without_walk(finding, explained(reasons, trees))


def _unreachable(certain: Certain) -> Iterator[Finding]:
    """`unreachable`, where not even sets of values come to it."""
    whole = certain.whole
    unreached = [
        question.finding
        for question in UNREACHABLE.questions(certain.system)
        if not whole.may_hold(question.refuted_where)
    ]
    yield from UNREACHABLE.conclude(certain.system.world, unreached)


def _without_walk(finding: Finding, reasons: Explained) -> Told:
    """A finding of which no walk can be shown, because there is none."""
    told = told_of(finding, (), reasons.lines())
    return replace(told, why=reasons.why, certain=True, proof=Proof(()))


def _win_of(certain: Certain, words: ToldBefore) -> Win | None:
    """The win that is known, which may not be the shortest."""
    if certain.win is None:
        return None
    key = _numbers_of(certain.win)
    if key not in words.wins:
        words.wins[key] = _told_win(certain.system, certain.win)
    return words.wins[key]


def _numbers_of(steps: Sequence[Step]) -> tuple[int, ...]:
    return tuple(step.number for step in steps)


def _told_win(system: System, steps: Sequence[Step]) -> Win:
    walked = walked_along(system.walker, steps)
    end = walked[-1].after if walked else system.walker.start()
    ending = str(end[ENDING])
    name, lines = system.world.endings[ending].name, lines_of(system.world, walked)
    return Win(ending, name, lines, False, deal_of(system.world, walked))


def _told(certain: Certain, doom: DoomingStep, words: ToldBefore) -> Told:
    system = certain.system
    world, rule = system.world, doom.step.rule
    # by the interpreter, which shares no code with what has found the play
    walked = walked_along(system.walker, tuple(_dealt_out(system, doom.walk)))
    # the same play with another end, which is a win: what its last move took away was there before
    before = walked_along(system.walker, (*doom.walk[:-1], *doom.onward))
    moves = system.walker.moves(walked[-1].after)
    # as the interpreter says: whether there are moves at all needs no proof of a search
    aftermath = (
        "Then the player is wandering: there are moves, but no win."
        if moves
        else "Then the player is stuck: there is no move at all."
    )
    message = words_of(world, rule, doom.by_luck)
    finding = Finding(doom.kind, "error", rule.id, message, rule.span)
    if rule.kind == "deal":
        message = f"from some of {number_of_deals(world.deals):,} deals no play wins"
        finding = Finding("bad_deal", "error", "world", message, world.deals[0].span)
    # a limit that comes meanwhile takes the reason, and leaves what is certain
    reasons = Explained()
    with suppress(LimitReached, MemoryError):
        reasons = _why_lost(certain, doom, walked, words)
    untold = () if reasons.why else (UNTOLD,)
    told = told_of(finding, lines_of(world, walked), reasons.lines((aftermath, *untold)))
    lines = lines_of(world, walked)
    proof = Proof(lines_of(world, before)[max(0, len(lines) - 1) :])
    told = replace(told, why=reasons.why, shortest=False, certain=True, proof=proof)
    return replace(told, deal=deal_of(world, walked))


def _dealt_out(system: System, walk: Sequence[Step]) -> Iterator[Step]:
    """The steps of a walk, and of one that ends amid a deal any that deal what is left."""
    yield from walk
    here = system.walker.start()
    for walked in walked_along(system.walker, walk):
        here = walked.after
    while system.world.deals and here[PLACE] == UNDEALT:
        (rule, *_) = system.walker.moves(here)
        here = system.walker.results(rule, here)[0].situation
        yield next(step for step in system.dealing_steps if step.rule is rule)


def _why_lost(
    certain: Certain, doom: DoomingStep, walked: Sequence[Walked], words: ToldBefore
) -> Explained:
    """Why no win is left after a move that dooms."""
    future = Future(certain.relaxation, doom.after)
    if not future.may_hold(won_formula(certain.system)):
        return _reasons(certain, future, walked)
    # what sets of values do not know was found by going everywhere
    space = certain.after(doom, brief=words.vain >= PATIENCE)
    if space is None:
        words.vain += 1
        return Explained()
    reasons = reasons_after(certain.system, space, made_along(walked))
    return explained(reasons, reasons.of_no_win())


def _reasons(certain: Certain, future: Future, walked: Sequence[Walked]) -> Explained:
    """Why no win is left, as far as it can be told by what may still come."""
    reasons = Reasons(certain.system, Relaxed(future), made_along(walked))
    return explained(reasons, reasons.of_no_win())
