"""Single situations as plain integers: what a step makes of one, where nobody has a list."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property

from msgspec import Struct

from zubrel.compiled.parts import ENDING, PLACE, Step
from zubrel.compiled.system import System
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_words
from zubrel.explored.packed.settling import Settling
from zubrel.explored.packed.successors import Successors
from zubrel.explored.space import Trace

Test = Callable[[int], bool]


class _Prepared(Struct, frozen=True):
    areas: frozenset[int] | None
    test: Test
    update: Callable[[int], tuple[int, ...]]


class Walking:
    """Walks one step at a time. A situation is one packed word."""

    def __init__(self, system: System) -> None:
        self.system = system
        self.packing = pack_into_words(system.variables, None)
        self.kernel = Kernel(system.variables, self.packing, 1)
        self.settling = Settling(system, self.kernel, self.packing)
        self.moves = system.move_of
        # functions of a step are written when it is taken first: most never are
        self.prepared: dict[int, _Prepared] = {}
        self.ended = self.packing.fields[ENDING].mask
        self.place = self.packing.fields[PLACE].mask

    def start(self) -> int:
        """The start, settled."""
        return self._settled(self.packing.pack(self.system.start)[0])

    def word(self, values: Sequence[int]) -> int:
        """A situation given as values of the variables, packed."""
        return self.packing.pack(values)[0]

    def after(self, word: int, step: Step) -> int | None:
        """The settled situation after a step, or None where it is not possible."""
        moved = self.moved(word, step)
        return None if moved is None else self._settled(moved)

    def moved(self, word: int, step: Step) -> int | None:
        """The situation after a step before anything happens by itself; None: not possible."""
        prepared = self.prepared.get(step.number) or self._prepare(step)
        # most steps are somewhere else, which is seen soonest
        if prepared.areas is not None and word & self.place not in prepared.areas:
            return None
        if word & self.ended or not prepared.test(word):
            return None
        return prepared.update(word)[0]

    def onward(self, word: int) -> list[tuple[int, int]]:
        """The numbers of the steps out of a situation in which the game goes on, each with the
        settled situation that it leads to."""
        return self._successors.of(word, lambda moved, step: self._settled(moved))

    @cached_property
    def _successors(self) -> Successors:
        """Written for all steps at once: whoever asks for single ones does without."""
        return Successors(self.system, self.kernel, self.packing)

    def areas_of(self, step: Step) -> Sequence[int | None]:
        """The areas in which a step is possible; None stands for all of them."""
        areas = self.moves[step.number].areas
        return (None,) if areas is None else areas

    def end_of(self, trace: Trace) -> list[int]:
        """The values of all variables at the end of a trace. Raises ValueError at a wrong step."""
        return self.packing.unpack(list(self.along(trace))[-1:])

    def along(self, trace: Trace) -> Iterator[int]:
        """The situations of a trace from the start on. Raises ValueError at a wrong step."""
        word = self.start()
        yield word
        for step in trace.steps:
            after = self.after(word, step)
            if after is None:
                raise ValueError("a step of the trace is not possible")
            word = after
            yield word

    def _prepare(self, step: Step) -> _Prepared:
        move = self.moves[step.number]
        (test,), (update,) = self.kernel.tests([move.guard]), self.kernel.updates([step.changes])
        areas = None if move.areas is None else frozenset(move.areas)
        prepared = self.prepared[step.number] = _Prepared(areas, test, update)
        return prepared

    def _settled(self, word: int) -> int:
        rested = self.settling.settled(word)
        assert isinstance(rested, int), "the search has seen to it that everything rests"
        return rested
