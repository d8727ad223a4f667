"""Steps as relations between situations, in pieces that need no second set of variables.

A piece says where it applies, which bits it sets, and to what. What leads from a set is then
`exists(bits, set and guard) and values`, what leads into one `exists(bits, set and values) and
guard`. A sum is split by its carries, so that only bits that flip are set.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import product

from msgspec import Struct
from oxidd.util import BooleanOperator

from zubrel.compiled.formulas import variables_of
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.explored.symbolic.encoding import Diagram, Encoding
from zubrel.explored.symbolic.ordering import used_by

Operations = tuple[tuple[Operation, int], ...]
Setting = tuple[tuple[int, bool], ...]


class Piece(Struct, frozen=True):
    """Where `guard` holds, `bits` get the values in `values`; `settings` are both as pairs."""

    guard: Diagram
    bits: Diagram
    values: Diagram
    settings: Setting

    def image(self, diagram: Diagram) -> Diagram:
        """Where it leads from `some`."""
        if not self.settings:
            return diagram & self.guard
        # in one pass: the old values are forgotten while the guard is met, and the new ones put
        # in their places
        return diagram.apply_exists(BooleanOperator.AND, self.guard, self.bits) & self.values

    def preimage(self, diagram: Diagram) -> Diagram:
        """From where it leads into `some`."""
        if not self.settings:
            return diagram & self.guard
        return diagram.apply_exists(BooleanOperator.AND, self.values, self.bits) & self.guard


class Relation(Struct, frozen=True):
    """What one outcome does, or one thing that happens by itself: a function on its `guard`."""

    pieces: tuple[Piece, ...]
    guard: Diagram
    reads: frozenset[int]
    writes: frozenset[int]

    def image(self, encoding: Encoding, diagram: Diagram) -> Diagram:
        return encoding.union(piece.image(diagram) for piece in self.pieces)

    def preimage(self, encoding: Encoding, diagram: Diagram) -> Diagram:
        return encoding.union(piece.preimage(diagram) for piece in self.pieces)

    def unchanged(self, encoding: Encoding, writes: frozenset[int] | None = None) -> Diagram:
        """Where it changes nothing (of the variables `writes`)."""
        if writes is None:
            return encoding.union(piece.guard & piece.values for piece in self.pieces)
        bits = {bit for v in writes for bit in encoding.bits[v]}
        return encoding.union(
            piece.guard & encoding.cube(s for s in piece.settings if s[0] in bits)
            for piece in self.pieces
        )


def relation(
    encoding: Encoding, guard: Diagram, read: Iterable[int], changes: Sequence[Change]
) -> Relation:
    """The relation of changes in their order, where `guard` holds; `read` are its variables."""
    reads = set(read)
    # codes beyond a domain stand for no value, and must not come back as situations
    guard = guard & encoding.valid(reads | {v for c in changes for v in used_by((), [c])})
    # what was done to which variable, and where it comes to that; conditions of changes split it
    cases: dict[tuple[tuple[int, Operations], ...], Diagram] = {(): guard}
    for change in changes:
        # a variable with one value has no bits
        if encoding.system.variables[change.variable].size > 1:
            reads |= variables_of(change.when)
            cases = _split(encoding, cases, change)
    pieces = [p for done, where in cases.items() for p in _pieces(encoding, where, dict(done))]
    writes = frozenset(variable for done in cases for variable, _ in done)
    return Relation(tuple(pieces), guard, frozenset(reads), writes)


def _split(
    encoding: Encoding, cases: Mapping[tuple[tuple[int, Operations], ...], Diagram], change: Change
) -> dict[tuple[tuple[int, Operations], ...], Diagram]:
    """Each case where the change takes place, and where it does not."""
    when = encoding.formula(change.when)
    parts: dict[tuple[tuple[int, Operations], ...], Diagram] = {}
    for done, where in cases.items():
        operations = dict(done)
        known = operations.get(change.variable, ())
        if change.operation is Operation.SET:
            # what was done to a variable before it is set has left no trace
            known = ()
        operations[change.variable] = (*known, (change.operation, change.number))
        for case, here in ((tuple(operations.items()), where & when), (done, where & ~when)):
            if here.satisfiable():
                # two orders of the same changes are one case
                parts[case] = parts[case] | here if case in parts else here
    return parts


def _pieces(
    encoding: Encoding, where: Diagram, operations: Mapping[int, Operations]
) -> Iterable[Piece]:
    # the variables are set independently of each other, so pieces are all combinations
    choices = [_settings(encoding, v, done) for v, done in operations.items()]
    for chosen in product(*choices):
        guard = where
        for variable, (values, _) in zip(operations, chosen, strict=True):
            if values is not None:
                guard = guard & encoding.among(variable, values)
        if guard.satisfiable():
            settings = tuple(sorted(pair for _, setting in chosen for pair in setting))
            bits = encoding.positive_cube(bit for bit, _ in settings)
            yield Piece(guard, bits, encoding.cube(settings), settings)


def _settings(
    encoding: Encoding, variable: int, operations: Operations
) -> list[tuple[tuple[int, ...] | None, Setting]]:
    """Values of a variable (None: all) that lead to the same bits being set, and those bits."""
    domain, bits = encoding.system.variables[variable], encoding.bits[variable]
    groups: dict[Setting, list[int]] = {}
    if operations[0][0] is Operation.SET:
        after = _result(domain, domain.low, operations)
        if after is None:
            return []  # guards hold as well where no play comes to, and may promise too much there
        # it does not matter what the value was, so that one piece is enough
        return [(None, tuple(zip(bits, encoding.code(variable, after), strict=True)))]
    # adding is done value by value: domains are small, and carries fall out by themselves
    for value in range(domain.low, domain.high + 1):
        encoding.budget.spend(len(bits))
        after = _result(domain, value, operations)
        if after is not None:
            old, new = encoding.code(variable, value), encoding.code(variable, after)
            changed = tuple(
                # values whose sum flips the same bits share a piece: there are as many as carries
                (bit, b)
                for bit, a, b in zip(bits, old, new, strict=True)
                if a is not b
            )
            groups.setdefault(changed, []).append(value)
    return [(tuple(values), setting) for setting, values in groups.items()]


def _result(domain: Variable, value: int, operations: Operations) -> int | None:
    """The value afterwards; None: the guard of the step has seen to it that this never comes."""
    for operation, number in operations:
        match operation:
            case Operation.SET:
                value = number
            case Operation.ADD:
                value += number
            # a store that is full wastes what does not fit, and one that is empty gives nothing
            case Operation.ADD_UP_TO_END:
                value = min(domain.high, max(domain.low, value + number))
            case Operation.FLIP:
                value = domain.low + domain.high - value
        # only plain sums can leave the range: the other operations keep to it
        if not domain.low <= value <= domain.high and operation is Operation.ADD:
            return None
    return value
