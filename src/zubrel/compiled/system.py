"""A world as variables, guards and changes: readable, and close to what an engine needs."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.budget import Budget, Limits
from zubrel.checked.conditions import Cond
from zubrel.checked.keys import Key, Value
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.world import World
from zubrel.compiled.facts import (
    Rising,
    always_rests,
    changes_of,
    is_low,
    lone_changes,
    marks_of,
    once_only,
)
from zubrel.compiled.formulas import TRUE, Formula, Load, Within
from zubrel.compiled.parts import PLACE, Change, Move, Settler, Step, Variable
from zubrel.compiled.regions import every_way, regions_of
from zubrel.compiled.translate import Translator
from zubrel.walked.walker import Walker

if TYPE_CHECKING:
    from zubrel.compiled.operators import Operators
    from zubrel.compiled.pairs import Pairs
    from zubrel.compiled.relaxation import Relaxation


T = TypeVar("T")


class System(Struct, frozen=True, dict=True):
    """All of it. Variable 0 is the place, variable 1 the ending (0: none)."""

    world: World
    variables: tuple[Variable, ...]
    moves: tuple[Move, ...]
    settlers: tuple[Settler, ...]
    endings: tuple[tuple[Formula, int], ...]
    numbers: dict[Key, int]
    steps: tuple[Step, ...]
    loads: tuple[Load, ...] = ()
    """Limits on what is carried or stored that every situation keeps to, of a whole world only."""

    def situation(self, values: Sequence[int]) -> dict[Key, Value]:
        """Values of the variables in their order, as a situation with names."""
        pairs = zip(self.variables, values, strict=True)
        return {variable.key: variable.value(value) for variable, value in pairs}

    def values(self, situation: Mapping[Key, Value]) -> list[int]:
        """A situation with names as the values of the variables in their order."""
        return [variable.number(situation[variable.key]) for variable in self.variables]

    def begun_with(self, values: Sequence[int]) -> System:
        """The same system as it stands in a situation, given as the values of the variables."""
        pairs = zip(self.variables, values, strict=True)
        return replace(self, variables=tuple(replace(v, start=value) for v, value in pairs))

    # what follows from it, found out once

    def once(self, make: Callable[[System], T]) -> T:
        """What a function of a later stage makes of the system, made only the first time."""
        if make not in self._made:
            self._made[make] = make(self)
        made: T = self._made[make]
        return made

    @cached_property
    def _made(self) -> dict[Callable[[System], Any], Any]:
        return {}

    @cached_property
    def start(self) -> tuple[int, ...]:
        """The values of the variables at the start, before anything happens by itself."""
        return tuple(v.start for v in self.variables)

    @cached_property
    def chances(self) -> tuple[float, ...]:
        """By the numbers of the steps: how likely luck chooses each once its move is made."""
        chances = [0.0] * len(self.steps)
        for move in self.moves:
            total = sum(step.outcome.odds for step in move.steps)
            for step in move.steps:
                chances[step.number] = step.outcome.odds / total
        return tuple(chances)

    @cached_property
    def player_moves(self) -> tuple[Move, ...]:
        """What players do: all moves but those of luck that deal."""
        return tuple(m for m in self.moves if m.rule.kind != RuleKind.DEAL)

    @cached_property
    def player_steps(self) -> tuple[Step, ...]:
        """The steps of `player_moves`."""
        return tuple(s for move in self.player_moves for s in move.steps)

    @cached_property
    def dealing_steps(self) -> tuple[Step, ...]:
        """The steps of luck with which a play begins that is dealt."""
        return tuple(s for s in self.steps if s.rule.kind == RuleKind.DEAL)

    @cached_property
    def begun(self) -> Formula:
        """Everything is dealt, where a play begins with that: the player is somewhere."""
        return Within(PLACE, 0, self.variables[PLACE].high - 1) if self.world.deals else TRUE

    @cached_property
    def translator(self) -> Translator:
        """Conditions of the world as formulas over these variables."""
        return Translator(self.world, self.variables, self.numbers)

    def formula(self, condition: Cond) -> Formula:
        """The formula that holds exactly where a condition of the world does."""
        return self.translator.formula(condition)

    @cached_property
    def walker(self) -> Walker:
        """The interpreter of the world, which knows nothing of variables."""
        return Walker(self.world)

    @cached_property
    def settled(self) -> frozenset[int]:
        """The variables that what happens by itself may change."""
        return frozenset(c.variable for c in changes_of((), self.settlers))

    @cached_property
    def always_rests(self) -> bool:
        """Whether what happens by itself comes to an end for sure, told without a search."""
        return always_rests(self.settlers)

    @cached_property
    def marks(self) -> frozenset[int]:
        """Variables of two values that begin low and are only ever set high, and by moves alone."""
        return marks_of(self.variables, self.steps, self.settlers)

    @cached_property
    def rising(self) -> Rising:
        """Which variables only ever rise or fall."""
        return Rising(self.variables, self.steps, self.settlers)

    @cached_property
    def relaxation(self) -> Relaxation:
        """What may come, told from sets of values; its work is bounded, and not counted."""
        from zubrel.compiled.relaxation import Relaxation  # small worlds do without

        return Relaxation(self, Budget(Limits()))

    @cached_property
    def pairs(self) -> Pairs | None:
        """Which values may ever be had together; None where that would be too much work."""
        from zubrel.compiled.pairs import pairs_of

        return pairs_of(self, self.relaxation.operators, self._values_alone)

    @cached_property
    def twins(self) -> dict[int, Formula]:
        """By variable of two values that another one tells in every situation: where it is high."""
        from zubrel.compiled.twins import twins_of

        return {} if self.pairs is None else twins_of(self.variables, self.pairs)

    @cached_property
    def _values_alone(self) -> tuple[int, ...]:
        """For each variable the values that sets of single values come to."""
        return tuple(self.relaxation.future(self.relaxation.domains(self.start)))

    @cached_property
    def possible_operators(self) -> Operators:
        """All operators, of which those are idle that no situation of any play allows."""
        operators = self.relaxation.operators
        if self.pairs is None:
            return operators
        return operators.without(n for n, may in enumerate(self.pairs.possible) if not may)

    @cached_property
    def possible_values(self) -> tuple[int, ...]:
        """For each variable the values that it may ever have, and perhaps more, as a mask."""
        if self.pairs is None:
            return self._values_alone
        from zubrel.compiled.relaxation import Relaxation

        # without the operators that pairs rule out, sets of single values are smaller
        relaxed = Relaxation(self, Budget(Limits()), self.possible_operators)
        values = relaxed.future(relaxed.domains(self.start))
        return tuple(a & b for a, b in zip(values, self.pairs.values(), strict=True))

    @cached_property
    def never(self) -> frozenset[int]:
        """Steps, by their numbers, that no play makes, as is known without a search."""
        return frozenset(
            n for n, made in self.relaxation.operators.of_step.items() if self._no(made)
        )

    @cached_property
    def never_by_itself(self) -> frozenset[int]:
        """The same of what happens by itself, by its place in the list."""
        of_settler = self.relaxation.operators.of_settler
        return frozenset(n for n, made in enumerate(of_settler) if made and self._no(made))

    def _no(self, operators: Sequence[int]) -> bool:
        return self.pairs is not None and not any(self.pairs.possible[n] for n in operators)

    @cached_property
    def ways(self) -> tuple[tuple[int, int], ...]:
        """From which area to which moves, or what happens by itself, may lead; gates ignored."""
        return tuple(every_way(self.variables, self.moves, self.settlers))

    @cached_property
    def regions(self) -> dict[int, int]:
        """For each area the number of its region, whatever can be entered from it comes later."""
        return regions_of(range(self.variables[0].size), self.ways)

    def is_low(self, mark: int, part: Formula) -> bool:
        """Whether a formula says that a mark is low, and nothing else."""
        return is_low(self.variables, mark, part)

    def once_only(self, move: Move) -> bool:
        """Whether a move can be made once at most: its mark is asked to be low, and set."""
        return once_only(self.variables, move, self.marks)

    def lone_changes(self, step: Step) -> list[Change]:
        """The changes of a step that are surely made and that stay until the world rests."""
        return lone_changes(step, self.settled)

    @cached_property
    def move_of(self) -> dict[int, Move]:
        """The move to which a step belongs, by the number of the step."""
        return {step.number: move for move in self.moves for step in move.steps}
