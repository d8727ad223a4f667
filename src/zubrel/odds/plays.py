"""Simulated plays: for players that remember, and worlds that are too large to be listed.

How many plays end in which way is told with intervals that hold with 95 %, all looks together
(Clopper and Pearson: The use of confidence or fiducial limits illustrated in the case of the
binomial, 1934). Where plays go on until an interval is narrow enough, it is looked at after 100,
200, 400, ... of them, and the k-th look may be wrong in 1 / (k (k + 1)) of the 5 %.
"""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from random import Random
from statistics import quantiles

from msgspec import Struct
from scipy import special

from zubrel.base.budget import Budget
from zubrel.compiled.parts import ENDING, PLACE, wins_of
from zubrel.odds.fates import DOOMED, FOREVER, STUCK, WON, Part
from zubrel.odds.field import MoveChances, SituationNumbers
from zubrel.odds.players import AIMLESS, CURIOUS

PLAYS, LONGEST = 1_000, 10_000
"""Plays, and moves after which a play is given up: it is told how many were."""
FIRST_LOOK = 100
DOUBT = 0.05
STEP = 10.0
"""Units of work for each move of a play."""
GOING_ON = "going on"
POINTS = 200
"""Of a curve, about."""

Choose = Callable[[Sequence[MoveChances], "_Memory", Random], MoveChances]


class Estimate(Struct, frozen=True):
    """A share of all plays, which lies between `least` and `most` with 95 %; `mean` and `quartiles`
    are the moves of those plays that were seen (None: too few)."""

    id: str
    seen: int
    share: float
    least: float
    most: float
    mean: float | None
    quartiles: tuple[int, int, int] | None


class Pace(Struct, frozen=True):
    """How often there is something new: a move, other than a way, that this play has not made, or
    an area where it has not been.

    Plays count up to their last new thing, or the end of the game. `between` are moves from one new
    thing to the next, on average; `longest` the quartiles of the longest stretch of a play with
    nothing new, and `dull` the share of the moves of all these stretches in each area. `known` is
    the share of moves by ways into areas where the play has been. `curve` tells, after so many
    moves, the quartiles of new things.
    """

    between: float
    longest: tuple[int, int, int]
    dull: tuple[Part, ...]
    known: float
    curve: tuple[tuple[int, int, int, int], ...]


class LostWin(Struct, frozen=True):
    """By which move (None: it never had one), in which area and after how many moves a play lost
    its last win."""

    move: int | None
    area: int
    moves: int


class Simulated(Struct, frozen=True):
    """What was seen in so many plays, drawn with a seed."""

    plays: int
    seed: int
    won: Estimate
    doomed: Estimate | None
    ends: tuple[Estimate, ...]
    blamed: tuple[Part, ...]
    missed: tuple[Part, ...]
    lost_in: tuple[Part, ...]
    pace: Pace


class _Memory:
    """What a play has done and where it has been; `new` counts both."""

    def __init__(self, field: SituationNumbers, here: int) -> None:
        self.field = field
        self.missed, self.never = 0, field.missed(here)
        """What it has missed so far while a win was left, and what nobody could have from the
        start, as bits of `field.missable`."""
        self.done: set[int] = set()
        # where a play begins is known from the start
        self.been = {field.area(here)}
        self.news: list[int] = []
        self.stretch: list[int] = []
        self.longest: list[int] = []
        """The areas of the longest stretch with nothing new, one for each move."""
        self.moves = self.walked_back = 0
        self.paced = self.paced_back = 0
        """The same up to the last new thing, or the end of the game."""

    def made(self, choice: MoveChances, way: bool, here: int) -> None:
        """A move has led `here`."""
        self.moves += 1
        # what was lost before the first move nobody has missed
        self.missed |= self.field.missed(here) & ~self.never
        area = self.field.area(here)
        # a way is as new as the area that it leads to; anything else is new once
        new = area not in self.been or not (way or choice.move in self.done)
        # ways only: who does something without going anywhere has not walked back
        self.walked_back += way and area in self.been
        self.done.add(choice.move)
        self.been.add(area)
        self.stretch.append(area)
        if new:
            self.news.append(self.moves)
            self.end_stretch()

    def end_stretch(self) -> None:
        """Something new, or the end of the game, has come."""
        if len(self.stretch) > len(self.longest):
            self.longest = self.stretch
        self.stretch = []
        self.paced, self.paced_back = self.moves, self.walked_back


def simulated(
    field: SituationNumbers,
    player: str,
    plays: int,
    within: float | None,
    seed: int,
    budget: Budget,
) -> Simulated:
    """Plays of `aimless` or `curious` players.

    With `within`, as many as it takes for the share of wins to be known to that, at most `plays`.
    Raises `LimitReached` where a limit comes first.
    """
    # a generator of its own: nothing else that draws may change what is seen with a seed
    random, told = Random(seed), _Tally(field)
    choose = {AIMLESS: _any, CURIOUS: _curious}[player]
    looks, doubt = 0, DOUBT
    for number in range(1, plays + 1):
        told.add(*_played(field, choose, random, budget))
        # looking after every play and stopping at the first narrow interval would favour lucky runs
        if within is not None and number == FIRST_LOOK << looks:
            looks += 1
            # 1/2 + 1/6 + 1/12 + ... is 1: all looks together are wrong in no more than `DOUBT`
            doubt = DOUBT / (looks * (looks + 1))
            least, most = interval(told.ends[WON], number, doubt)
            if most - least <= 2 * within:
                break
    else:
        if within is not None:  # the last look of all
            doubt = DOUBT / ((looks + 1) * (looks + 2))
    return told.told(number, seed, doubt)


def interval(seen: int, plays: int, doubt: float = DOUBT) -> tuple[float, float]:
    """Between which shares the true one lies, with a chance of at least 1 - `doubt`, if so many of
    all plays were seen to be such."""
    least, most = 0.0, 1.0
    # where none was seen the least is 0, and where all were the most is 1: no quantile is asked for
    if seen:
        least = float(special.betaincinv(seen, plays - seen + 1, doubt / 2))
    if seen < plays:
        most = float(special.betaincinv(seen + 1, plays - seen, 1 - doubt / 2))
    return least, most


def _any(choices: Sequence[MoveChances], memory: _Memory, random: Random) -> MoveChances:
    # one draw for each choice, whatever their number: a seed means the same plays
    return choices[int(random.random() * len(choices))]


def _curious(choices: Sequence[MoveChances], memory: _Memory, random: Random) -> MoveChances:
    """What was not done yet, else a way to where the play has not been, else anything."""
    field = memory.field
    ways = field.ways
    # a curious player tries what can be done here before walking on
    undone = [c for c in choices if c.move not in ways and c.move not in memory.done]
    unseen = undone or [
        # where luck decides on where a way leads, its first outcome counts as where it leads
        c
        for c in choices
        if c.move in ways and field.area(c.targets[0]) not in memory.been
    ]
    return _any(unseen or choices, memory, random)


def _played(
    field: SituationNumbers, choose: Choose, random: Random, budget: Budget
) -> tuple[str, _Memory, LostWin | None]:
    """How a play ends, what it did, and how its last win was taken."""
    here = field.begin(random)
    memory = _Memory(field, here)
    doomed = LostWin(None, field.area(here), 0) if field.is_doomed(here) else None
    ways, names = field.ways, field.system.variables[ENDING].names
    while choices := field.choices(here):
        # nobody comes out of such a situation, however long the play is followed
        if field.is_endless(here):
            return FOREVER, memory, doomed
        if memory.moves >= LONGEST:
            return GOING_ON, memory, doomed
        choice, area = choose(choices, memory, random), field.area(here)
        here = choice.by_luck(random)
        memory.made(choice, choice.move in ways, here)
        # only the move that takes the last win is blamed, and not all that follow
        if doomed is None and field.is_doomed(here):
            doomed = LostWin(choice.move, area, memory.moves)
        budget.spend(STEP)
    # a short play may spend too little for `spend` to look at the clock
    budget.check_limits()
    if not field.ending(here):
        return STUCK, memory, doomed
    memory.end_stretch()
    return names[field.ending(here)], memory, doomed


class _Tally:
    """What many plays have come to."""

    def __init__(self, field: SituationNumbers) -> None:
        self.field = field
        self.names = field.system.variables[ENDING].names
        self.wins = {self.names[number] for number in wins_of(field.system.world)}
        # counts only: plays themselves are not kept
        self.ends: Counter[str] = Counter()
        self.lengths: dict[str, list[int]] = {}
        self.blame: Counter[int] = Counter()
        self.missed: Counter[int] = Counter()
        self.lost_in: Counter[int] = Counter()
        self.news: list[list[int]] = []
        self.stretches: list[int] = []
        self.dull: Counter[int] = Counter()
        self.moves = self.back = 0

    def add(self, end: str, memory: _Memory, doomed: LostWin | None) -> None:
        self._count(end, memory.moves)
        if end in self.wins:
            self._count(WON, memory.moves)
        # when the last win went, and not when the play ended: a stuck player walks about
        if doomed is not None:
            self._count(DOOMED, doomed.moves)
            if doomed.move is not None:
                self.blame[doomed.move] += 1
                self.lost_in[doomed.area] += 1
        # bits were set while the play went on; they are counted once for each play
        for number in range(memory.missed.bit_length()):
            self.missed[number] += memory.missed >> number & 1
        self.news.append(memory.news)
        self.stretches.append(len(memory.longest))
        self.dull.update(memory.longest)
        self.moves += memory.paced
        self.back += memory.paced_back

    def _count(self, name: str, moves: int) -> None:
        self.ends[name] += 1
        self.lengths.setdefault(name, []).append(moves)

    def told(self, plays: int, seed: int, doubt: float) -> Simulated:
        moves = self.field.system.moves
        # the first name is that of no ending
        order = [*self.names[1:], STUCK, FOREVER, GOING_ON]
        # where the world is too large nobody knows what is doomed, and a share of 0 would be a lie
        knows_doom = self.field.is_doomed(self.field.begin(Random(seed))) is not None
        blamed = [Part(moves[n].rule.id, count / plays) for n, count in self.blame.items()]
        return Simulated(
            plays,
            seed,
            self._estimate(WON, plays, doubt),
            self._estimate(DOOMED, plays, doubt) if knows_doom else None,
            tuple(self._estimate(name, plays, doubt) for name in order if self.ends[name]),
            _most_first(blamed),
            self._parts(self.missed, self.field.missable, plays),
            self._parts(self.lost_in, self.field.system.variables[PLACE].names, plays),
            self._pace(),
        )

    def _parts(self, counts: Counter[int], names: Sequence[str], plays: int) -> tuple[Part, ...]:
        return _most_first([Part(names[n], c / plays) for n, c in counts.items() if c])

    def _estimate(self, name: str, plays: int, doubt: float) -> Estimate:
        # of plays without end the length is where they were given up, which says nothing
        seen, lengths = self.ends[name], self.lengths.get(name, [])
        parts = (
            _quartiles(lengths) if len(lengths) > 1 and name not in (FOREVER, GOING_ON) else None
        )
        mean = sum(lengths) / seen if parts is not None else None
        return Estimate(name, seen, seen / plays, *interval(seen, plays, doubt), mean, parts)

    def _pace(self) -> Pace:
        # of all plays together: a mean of means would count short plays as much as long ones
        news = sum(map(len, self.news))
        # areas by name from here on: numbers mean nothing outside of a space
        names = self.field.system.variables[PLACE].names
        dull = [Part(names[n], count / self.dull.total()) for n, count in self.dull.items()]
        return Pace(
            self.moves / max(1, news),
            _quartiles(self.stretches),
            _most_first(dull),
            self.back / max(1, self.moves),
            tuple(self._curve()),
        )

    def _curve(self) -> Iterator[tuple[int, int, int, int]]:
        # beyond the last new thing of any play the curve is flat
        last = max((news[-1] for news in self.news if news), default=0)
        for at in range(0, last + 1, max(1, last // POINTS)):
            yield (at, *_quartiles([bisect_right(news, at) for news in self.news]))


def _quartiles(numbers: Sequence[int]) -> tuple[int, int, int]:
    # `quantiles` wants two
    if len(numbers) == 1:
        return numbers[0], numbers[0], numbers[0]
    first, middle, last = quantiles(numbers, n=4, method="inclusive")
    return round(first), round(middle), round(last)


def _most_first(parts: Sequence[Part]) -> tuple[Part, ...]:
    return tuple(sorted(parts, key=lambda part: (-part.share, part.id)))
