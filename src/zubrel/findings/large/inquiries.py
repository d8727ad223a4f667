"""What detectors would ask, subject by subject, found out without a search."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import cast

from msgspec import Struct, field

from zubrel.compiled.formulas import Formula, Within
from zubrel.compiled.parts import PLACE, Move, Step
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding
from zubrel.findings.judged import AnySpace, Judged

Detector = Callable[[Judged], Iterator[Finding]]


class Inquiry(Struct):
    """What a detector asks about one subject: formulas, and steps with all that they change."""

    subject: str
    formulas: dict[Formula, None] = field(default_factory=dict)
    steps: dict[int, Step] = field(default_factory=dict)

    def asked(self, system: System, moves: Mapping[int, Move]) -> list[Formula]:
        """Formulas over everything that an answer depends on. `moves` are by step numbers."""
        found = dict(self.formulas)
        for move in {moves[n].rule.id: moves[n] for n in self.steps}.values():
            found |= _of(move, system)
        return list(found)


def _of(move: Move, system: System) -> dict[Formula, None]:
    """What a move reads, and tests of all that it changes; where it leads away, from each area."""
    changes = [c for step in move.steps for c in step.changes]
    tests = [
        Within(v, system.variables[v].high, system.variables[v].high)
        for v in dict.fromkeys(c.variable for c in changes)
    ]
    ends = [c.number for c in changes if c.variable == PLACE]
    if ends:
        areas = dict.fromkeys((*(move.areas or ()), *ends))
        tests = [*(t for t in tests if t.variable != PLACE), *(Within(PLACE, a, a) for a in areas)]
    return dict.fromkeys([move.guard, *(c.when for c in changes), *tests])


def inquiries(system: System, detector: Detector) -> list[Inquiry]:
    """Every subject that a detector would look at, with what it would ask for its sake."""
    questions = Questions(system)
    for questions.answer in (True, False):  # either answer may lead to other questions
        list(detector(questions.judged))
    return list(questions.inquiries.values())


class Questions:
    """Stands in for a space, and remembers what it is asked about, and for whose sake."""

    stopped = None
    merged = True

    def __init__(self, system: System) -> None:
        self.system = system
        self.answer = True
        self.surely_possible: frozenset[int] = frozenset()
        """Numbers of steps that are known to be possible somewhere."""
        self.inquiries: dict[str, Inquiry] = {}
        self.current = Inquiry("")
        some = _Some(self)
        self.judged = Judged(cast(AnySpace, self), "", some, some, some, some, self)

    def __contains__(self, subject: object) -> bool:
        """Everything is asked about; what follows is for the sake of this subject."""
        assert isinstance(subject, str)
        self.current = self.inquiries.setdefault(subject, Inquiry(subject))
        return True

    @property
    def asked(self) -> dict[Formula, None]:
        """The formulas that were asked about, for whomever."""
        found = dict(self.current.formulas)
        for inquiry in self.inquiries.values():
            found |= inquiry.formulas
        return found

    def some(self, formula: Formula) -> bool:
        self.current.formulas[formula] = None
        return self.answer

    def where(self, formula: Formula) -> _Some:
        self.current.formulas[formula] = None
        return _Some(self)

    def possible(self, step: Step) -> _Some:
        self.current.steps[step.number] = step
        return _Some(self, step.number in self.surely_possible)

    def before(self, step: Step, into: object) -> _Some:
        return self.possible(step)

    after = before

    def shifted(self, step: Step, variable: int, up: bool) -> _Some:
        domain = self.system.variables[variable]
        self.current.formulas[Within(variable, domain.high, domain.high)] = None
        return self.possible(step)

    def happening(self, step: Step, events: dict[int, Formula]) -> _Some:
        self.current.formulas |= dict.fromkeys(events.values())
        return self.possible(step)

    def reaching(self, targets: Sequence[object]) -> list[_Some]:
        return [_Some(self) for _ in targets]

    reached_without = reaching

    @property
    def acting(self) -> Sequence[Move]:
        return self.system.moves

    @property
    def everything(self) -> _Some:
        return _Some(self)

    unexplored = everything

    def walks(self, avoiding: object = None, reached: object = None) -> Questions:
        return self

    def shortest(self, target: object, surely: bool = False) -> None:
        return None


class _Some:
    """A set that is empty or not, as its space answers at the moment, or `surely` not."""

    def __init__(self, space: Questions, surely: bool = False) -> None:
        self.space = space
        self.surely = surely

    def __and__(self, other: object) -> _Some:
        return self

    __or__ = __sub__ = __and__

    def __bool__(self) -> bool:
        return self.surely or self.space.answer


class Answers(Questions):
    """Stands in for a space in which it is known whether some formulas ever hold.

    Of others it says `otherwise`.
    """

    def __init__(
        self,
        system: System,
        known: dict[Formula, bool],
        otherwise: bool,
        surely_possible: frozenset[int],
    ) -> None:
        super().__init__(system)
        self.surely_possible = surely_possible
        self.known = known
        self.otherwise = otherwise
        self.answer = False

    def some(self, formula: Formula) -> bool:
        return self.known.get(formula, self.otherwise)
