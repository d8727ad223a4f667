"""Everything that an output needs, as plain data: nothing here needs to be looked up again."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from msgspec import Struct

from zubrel.base.source import Span
from zubrel.explored.space import Distance
from zubrel.narrated.sketch import Sketch


class Dealt(Struct, frozen=True):
    """An item that lies in an area when a play begins; both by their ids, and in `words`."""

    item: str
    area: str
    words: str


class MoveLine(Struct, frozen=True):
    """One move of a walk, from `area` to `to`, of a rule of `kind`.

    `span` is where the rule stands; `outcome` only where luck chose; `changes` in words; `held` is
    what is held afterwards. `ends_at` is the id of the area where the player stands then.
    """

    rule: str
    kind: str
    label: str
    outcome: int | None
    area: str
    to: str
    says: str | None
    changes: tuple[str, ...]
    held: tuple[tuple[str, int], ...]
    held_words: tuple[str, ...]
    span: Span
    ends_at: str


class Point(Struct, frozen=True):
    """A point of no return: a rule, and a walk that ends with it; whether it is the shortest."""

    rule: str
    label: str
    moves: tuple[MoveLine, ...]
    shortest: bool


class Proof(Struct, frozen=True):
    """Why a finding is certain though the search did not end: a win from right `before` its last
    move, to be compared with the explanation, which says why none is left after it; or one that
    comes `after` all its moves, without what the explanation says is never had any more."""

    before: tuple[MoveLine, ...]
    after: tuple[MoveLine, ...] = ()


class Because(Struct, frozen=True):
    """A claim of a reason: its name, a text, its data as JSON has it, and what it follows from.

    `note` is that of `reasoned.claims.Node`.
    """

    claim: str
    text: str
    data: dict[str, Any]
    why: tuple[Because, ...]
    note: str


class Explained(Struct, frozen=True):
    """Why something can never be.

    `cause` is one sentence, or None where nothing is known that says it alone; `chain` are lines,
    deeper ones indented; `why` the trees themselves.
    """

    cause: str | None = None
    chain: tuple[str, ...] = ()
    why: tuple[Because, ...] = ()
    spared: bool = False
    """It could still be won without what the last move of the evidence changed."""

    def lines(self, aftermath: tuple[str, ...] = ()) -> tuple[str, ...]:
        """Everything in its order, with what comes after a move right behind the cause."""
        first = () if self.cause is None else (self.cause,)
        spared = ("Without that change it could still be won.",) if self.spared else ()
        return (*first, *spared, *aftermath, *self.chain)


def claims_of(why: Iterable[Because]) -> Iterator[Because]:
    """Every claim of some trees, those above first."""
    for claim in why:
        yield claim
        yield from claims_of(claim.why)


class Told(Struct, frozen=True):
    """A finding in words; `shortest` when no evidence with fewer moves exists.

    `certain`: it holds although the search was cut short, by its `proof`.
    """

    kind: str
    severity: str
    subject: str
    message: str
    span: Span | None
    evidence: tuple[MoveLine, ...]
    explanation: tuple[str, ...]
    situations: int | None
    points: tuple[Point, ...]
    cause: str | None
    accepted: bool
    because: str | None
    shortest: bool = True
    certain: bool = False
    proof: Proof | None = None
    why: tuple[Because, ...] = ()
    deal: tuple[Dealt, ...] = ()
    deals: int | None = None
    """From how many deals it can come about, where somebody has counted."""
    aimless: float | None = None
    """The share of aimless plays in which it comes about, where somebody has reckoned that."""


class Win(Struct, frozen=True):
    """A win: the id and the name of its ending, its moves, whether there is none shorter."""

    ending: str
    name: str
    moves: tuple[MoveLine, ...]
    shortest: bool = True
    deal: tuple[Dealt, ...] = ()


class Deals(Struct, frozen=True):
    """What a walk to a goal is like from other deals than the `best`: of `every` one there is,
    from so many `without` a way nothing leads there.

    `longest` is the walk from the `worst` of the others, in moves; None where nobody has looked.
    """

    best: tuple[Dealt, ...]
    every: int
    without: int | None
    longest: int | None
    worst: tuple[Dealt, ...]


class Needed(Struct, frozen=True):
    """A must-have: every win includes it, after `first`.

    `section` is item, lock, quest or find. `together` are ids and names of what is always had
    from the same move on, `after` the ids of the must-haves right before it.
    """

    id: str
    section: str
    name: str
    first: Distance
    merged_with: tuple[tuple[str, str], ...]
    after: tuple[str, ...]


class TimeWindow(Struct, frozen=True):
    """From when something can be had (None: never), and the rules that may close it.

    Each rule with its label and the move in which it can do so at the earliest.
    """

    id: str
    section: str
    name: str
    first: Distance | None
    closed_by: tuple[tuple[str, str, Distance], ...]


class ProgressChain(Struct, frozen=True):
    """The chain of progress, as it is."""

    must_haves: tuple[Needed, ...]
    windows: tuple[TimeWindow, ...]


class Spread(Struct, frozen=True):
    """After how many moves something comes about in aimless plays: on average, and, where they are
    known, after how many it has in a quarter, a half and three quarters of those plays."""

    mean: float
    quartiles: tuple[int, int, int] | None


class Aimless(Struct, frozen=True):
    """What becomes of plays in which every move that is possible is alike likely.

    `doomed` and `won` are shares of all plays: of those in which the game goes on and no win is
    left, and of those that are won (None: not reckoned). Where pictures are wanted, also the other
    `ends` by their names in words, the areas `lost_in` which the last win goes, by their ids, the
    moves to a win and to being doomed, and a `curve`: after so many moves, the shares won, doomed
    and ended otherwise.
    """

    doomed: float
    won: float | None = None
    ends: tuple[tuple[str, float], ...] = ()
    lost_in: tuple[tuple[str, float], ...] = ()
    to_win: Spread | None = None
    to_doom: Spread | None = None
    curve: tuple[tuple[int, float, float], ...] = ()


class Report(Struct, frozen=True):
    """What was proved about one world, and what was found.

    Where situations were merged, `classes` is how many there are of what could be told apart, and
    `situations`, `won`, `doomed` are None. `undecided` are pairs of a kind and a subject of which
    nothing was proved. Where a proof was cut short, `safe` is of how many moves it is known all the
    same that they never take every win away, and how many there are. `sketch` is a
    `narrated.sketch.Sketch` where pictures are wanted.
    """

    path: str
    title: str
    verdict: str
    stopped: str | None
    engine: str
    situations: int | None
    moves: int | None
    won: int | None
    doomed: int | None
    seconds: float
    shortest_win: Win | None
    findings: tuple[Told, ...]
    progress: ProgressChain | None = None
    sketch: Sketch | None = None
    classes: int | None = None
    undecided: tuple[tuple[str, str], ...] = ()
    safe: tuple[int, int] | None = None
    aimless: Aimless | None = None
    known: bool = False
    """It was kept from an earlier time; nothing that decides it has changed."""

    @property
    def complete(self) -> bool:
        return self.stopped is None
