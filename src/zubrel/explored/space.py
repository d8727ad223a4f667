"""Every situation that a player can get into, behind questions that each engine can answer.

Findings ask only what stands here, so they do not know which engine has searched.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Generic, Protocol, Self, TypeVar

from msgspec import Struct

from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Move, Step
from zubrel.compiled.system import System


class Situations(Protocol):
    """A set of situations of one space, always combined with sets of the same space.

    Only an empty one is false.
    """

    def __and__(self, other: Self, /) -> Self: ...

    def __or__(self, other: Self, /) -> Self: ...

    def __sub__(self, other: Self, /) -> Self: ...


S = TypeVar("S", bound=Situations)
W = TypeVar("W")


class Trace(Struct, frozen=True):
    """Steps from the start, one after the other; `shortest` when none with fewer does it."""

    steps: tuple[Step, ...]
    shortest: bool = True

    @property
    def moves(self) -> int:
        """How many moves the player makes: those of luck with which a play begins do not count."""
        return sum(step.rule.kind != "deal" for step in self.steps)

    def then(self, step: Step) -> Trace:
        return Trace((*self.steps, step), self.shortest)


class Distance(Struct, frozen=True, order=True):
    """A number of steps, the `fewest` unless more were found only because nobody looked on."""

    steps: int
    fewest: bool = True


class Walks(Protocol[S]):
    """All plays that keep out of some situations: where they come, and how soon."""

    @property
    def reached(self) -> S: ...

    def shortest(self, target: S, surely: bool = False) -> Trace | None:
        """The fewest steps from the start into `target`, or None when no such play comes there.

        Unless `surely` is asked for, they may be more where that is much sooner told.
        """
        ...

    def moves_to(self, target: S) -> Distance | None:
        """How many steps `shortest` has, without finding them; None where no play comes there."""
        ...

    def by_moves(self, sets: Sequence[S]) -> list[tuple[int, ...]] | None:
        """For 0, 1, 2, ... steps: how many situations of each set are first reached then.

        None where there are too many situations to go through them step by step.
        """
        ...


class Sets(Protocol[S]):
    """The settled situations reachable from the start, in sets that conditions tell apart."""

    def count(self, situations: S) -> int:
        """How many situations a set has."""
        ...

    @property
    def everything(self) -> S:
        """All of them."""
        ...

    @property
    def unexplored(self) -> S:
        """Situations whose own moves were not looked at any more."""
        ...

    def where(self, formula: Formula) -> S:
        """The situations in which a formula holds."""
        ...

    def holds_somewhere(self, formula: Formula) -> bool:
        """Whether a formula holds in some situation."""
        ...

    def allows(self, future: S, formula: Formula) -> bool:
        """Whether a formula holds somewhere in a set that nothing leads out of."""
        ...

    def meetings(self, ones: Sequence[S], others: Sequence[S]) -> list[list[bool]]:
        """For each of some sets, and each of some others, whether they share a situation."""
        ...

    def at_end_of(self, trace: Trace) -> S:
        """The one situation to which a trace leads."""
        ...

    def meets(self, trace: Trace, situations: S) -> bool:
        """Whether a trace ever comes into a set, the start and its end included."""
        ...

    def of(self, situation: Mapping[Key, Value]) -> S:
        """The one situation with these values; empty when it is not reached."""
        ...

    def examples(self, situations: S, most: int) -> list[dict[Key, Value]]:
        """Up to `most` of the situations, those with the shortest ways first."""
        ...


class Steps(Protocol[S]):
    """The steps between situations: where they begin, where they lead, what they change."""

    @property
    def moves(self) -> int | None:
        """How many different (situation, step) there are, or None where nobody has counted."""
        ...

    @property
    def acting(self) -> Sequence[Move]:
        """The moves that can make a difference."""
        ...

    def possible(self, step: Step) -> S:
        """The situations in which a step can be taken."""
        ...

    def before(self, step: Step, into: S) -> S:
        """The situations from which a step leads into `into`."""
        ...

    def after(self, step: Step, sources: S) -> S:
        """The situations to which a step leads from `sources`."""
        ...

    def steps_between(self, sources: S, targets: S) -> Iterable[Step]:
        """The steps that lead from some of `sources` into `targets`, in the order of the world."""
        ...

    def shifted(self, step: Step, variable: int, up: bool) -> S:
        """The situations in which a step raises (`up`) or lowers a variable."""
        ...

    def happening(self, step: Step, events: Mapping[int, Formula]) -> S:
        """The situations from which, when a step has settled, one of the events has taken place.

        An event is the number of a settler, which happens in a situation where the formula holds.
        """
        ...

    def spelled_out(self, trace: Trace) -> Trace:
        """A trace with every step that a player has to make."""
        ...


class Closures(Protocol[S]):
    """Least fixpoints along the steps, and the plays that show them."""

    def reaching(self, targets: Sequence[S]) -> list[S]:
        """For each target: the situations from which some sequence of steps leads into it."""
        ...

    def reached_from(self, sources: Sequence[S]) -> list[S]:
        """For each source: the situations to which some sequence of steps leads from it."""
        ...

    def reached_without(self, avoided: Sequence[S]) -> list[S]:
        """For each set: the situations that some play reaches which never comes into the set."""
        ...

    def seek(self, sets: Iterable[S], within: S) -> None:
        """Look for plays into some sets that never leave `within`, all of them at once.

        What is found out there answers `is_come_into` and everything else that is asked.
        """
        ...

    def is_come_into(self, situations: S) -> bool | None:
        """Whether any play comes into a set; None: it would take too much work to tell."""
        ...

    def reaching_by_choice(self, target: S, within: S) -> S:
        """The situations from which the player can come into `target` whatever luck does.

        `within`: all from which luck permitting `target` can be reached, itself included.
        Luck is fair: an outcome that is tried for ever comes at last. (Strong cyclic plans: the
        largest set in which every situation has a way into `target` by moves of which no outcome
        leaves the set. Cimatti, Pistore, Roveri, Traverso: Weak, strong, and strong cyclic
        planning, 2003.)
        """
        ...

    def walks(self, avoiding: S | None = None, reached: S | None = None) -> Walks[S]:
        """All plays, or those that never come into `avoiding`.

        `reached`, where it is known already, is what `reached_without` has told of `avoiding`.
        """
        ...

    def distances_to(self, target: S) -> Callable[[S], int | None]:
        """The fewest steps, luck willing, from the nearest of some situations into `target`."""
        ...


class Space(Sets[S], Steps[S], Closures[S], Protocol[S]):
    """All that findings may ask of a search."""

    system: System
    engine: str
    stopped: str | None
    """Which limit cut the search short; None: every situation is known."""
    merged: bool
    """Whether situations that the questions cannot tell apart are counted as one."""
    at_once: bool
    """Whether many sets are closed in little more time than one."""

    @property
    def leaves_open(self) -> bool:
        """Whether `is_come_into` took too much work to tell of some set."""
        ...

    def give_up(self, limit: str) -> None:
        """A limit was reached after the search: from now on nothing counts as fully known."""
        ...


class EverySituation(ABC, Generic[S, W]):
    """What spaces have in common in which no situations are merged."""

    merged = False
    at_once = True
    system: System
    _walks: W | None = None

    @property
    def acting(self) -> Sequence[Move]:
        return self.system.moves

    def spelled_out(self, trace: Trace) -> Trace:
        return trace

    @abstractmethod
    def where(self, formula: Formula) -> S:
        """The situations in which a formula holds."""

    def holds_somewhere(self, formula: Formula) -> bool:
        return bool(self.where(formula))

    def allows(self, future: S, formula: Formula) -> bool:
        return bool(future & self.where(formula))

    @property
    def leaves_open(self) -> bool:
        return False

    def seek(self, sets: Iterable[S], within: S) -> None:
        """Whoever knows all that is reached has nothing to look for."""

    def is_come_into(self, situations: S) -> bool | None:
        return bool(situations)

    def meetings(self, ones: Sequence[S], others: Sequence[S]) -> list[list[bool]]:
        return [[bool(one & other) for other in others] for one in ones]

    def walks(self, avoiding: S | None = None, reached: S | None = None) -> W:
        if avoiding is not None:
            return self.walks_around(avoiding, reached)
        if self._walks is None:
            self._walks = self.walks_around(None, None)
        return self._walks

    @abstractmethod
    def walks_around(self, avoiding: S | None, reached: S | None) -> W:
        """Plays that never come into `avoiding`, of which `reached` is all that they reach."""


class NotAsked(Exception):
    """A question about something that a reduction has left out."""


class TooMany(Exception):
    """There are more situations than an engine is meant for."""


class LookedLongEnough(Exception):
    """A search took more work than it was given; so many situations it has found."""

    def __init__(self, situations: int) -> None:
        self.situations = situations
        super().__init__(f"{situations} situations so far")


class EndlessSettling(Exception):
    """Settling never rests: the steps to it, and the ids of what happens in a circle."""

    def __init__(self, trace: Trace, cycle: tuple[str, ...]) -> None:
        self.trace = trace
        self.cycle = cycle
        super().__init__(f"settling never rests: {', '.join(cycle)}")
