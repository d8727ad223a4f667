"""Guards and changes as functions on packed words.

The functions are written out as Python expressions that mean the same for plain integers and for
NumPy arrays of unsigned words, so that the small and the large engine run the same code. Only
numbers of this package's own making are written into them, never text of a world.

Every expression keeps to unsigned arithmetic that wraps around, as `uint64` does: a difference
that could fall below zero is multiplied by the truth value that says it does not.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, cast

from msgspec import Struct

from zubrel.compiled.formulas import AtLeast, Both, Either, Formula, Load, Opposite, Within
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.explored.packed.packing import Packing

Test = Callable[..., Any]
Update = Callable[..., tuple[Any, ...]]


class Kernel(Struct, frozen=True):
    """Writes functions for one packing. `one` is the number 1 in the type of the words."""

    variables: Sequence[Variable]
    packing: Packing
    one: Any

    def tests(self, formulas: Iterable[Formula]) -> list[Test]:
        """For each formula a function from words to truth values (or a bare True or False)."""
        return self._functions(["return " + self._formula(f) for f in formulas])

    def selections(self, formulas: Iterable[Formula]) -> list[Callable[[Any], list[int]]]:
        """For each formula a function from one-word situations to the numbers of those in it."""
        bodies = [f"return [n for n, w0 in enumerate(w0) if {self._formula(f)}]" for f in formulas]
        return self._functions(bodies)

    def existences(self, formulas: Iterable[Formula]) -> list[Callable[[Any], bool]]:
        """For each formula whether it holds in any of the given one-word situations."""
        return self._functions([f"return any({self._formula(f)} for w0 in w0)" for f in formulas])

    def expansions(
        self, groups: Iterable[Sequence[tuple[Formula, Sequence[Sequence[Change]]]]]
    ) -> list[Callable[[int], list[tuple[int, tuple[int, ...]]]]]:
        """For each group of rules a function from one word to what is possible there.

        A rule is given as its guard and the changes of its outcomes; what comes back is the place
        of the rule in its group and the word after each outcome.
        """
        return self._functions(["\n    ".join(self._expansion(rules)) for rules in groups])

    def _expansion(self, rules: Sequence[tuple[Formula, Sequence[Sequence[Change]]]]) -> list[str]:
        lines = ["found = []"]
        for place, (guard, outcomes) in enumerate(rules):
            lines.append(f"if {self._formula(guard)}:")
            # every outcome begins from the word as it was before the move
            for number, changes in enumerate(outcomes):
                body = [*self._changes(changes)[:-1], f"r{number} = t0"]
                lines += [f"    {line}" for line in body]
            results = "".join(f"r{n}, " for n in range(len(outcomes)))
            lines.append(f"    found.append(({place}, ({results})))")
        return [*lines, "return found"]

    def first_of(
        self, rules: Iterable[tuple[Formula, Sequence[Change]]], mask: int
    ) -> Callable[[int], int]:
        """A function from one word to it after the changes of the first rule that is possible.

        A word with any bit of `mask` stays as it is, as one does for which no rule is possible.
        """
        lines = [f"if w0 & {mask}: return w0"]
        for guard, changes in rules:
            body = [*self._changes(changes)[:-1], "return t0"]
            lines += [f"if {self._formula(guard)}:", *(f"    {line}" for line in body)]
        (first,) = self._functions(["\n    ".join([*lines, "return w0"])])
        return cast(Callable[[int], int], first)

    def updates(self, every: Iterable[Sequence[Change]]) -> list[Update]:
        """For each run of changes a function from words to the words afterwards."""
        return self._functions(["\n    ".join(self._changes(changes)) for changes in every])

    def _functions(self, bodies: list[str]) -> list[Any]:
        words = ", ".join(f"w{n}" for n in range(self.packing.words))
        source = "\n".join(
            f"def f{number}({words}):\n    {body}" for number, body in enumerate(bodies)
        )
        # 1 as a plain integer or as an unsigned word, which decides what the expressions give
        scope: dict[str, Any] = {"one": self.one}
        exec(compile(source, "<kernel>", "exec"), scope)
        return [scope[f"f{number}"] for number in range(len(bodies))]

    def _formula(self, formula: Formula) -> str:
        match formula:
            case Within():
                return self._within(formula)
            case Opposite(part):
                # `not` means nothing to arrays, and `~` of a plain True is -2
                return f"({self._formula(part)} ^ True)"
            case Both(parts):
                return self._conjunction(parts)
            case Either(parts):
                return joined(" | ", [self._formula(p) for p in parts]) or "False"
            case Load(variables, marks, high):
                values = [self._value(v) for v in variables]
                marked = [f"({self._within(m)} * one)" for m in marks]
                return f"({joined(' + ', [*values, *marked]) or 0} <= {high})"
            case AtLeast(count, parts):
                # truth values of arrays add up to truth values, unless they are numbers first
                total = joined(" + ", [f"{self._formula(p)} * 1" for p in parts])
                return f"({total or 0} >= {count})"

    def _value(self, variable: int) -> str:
        field = self.packing.fields[variable]
        return f"((w{field.word} >> {field.shift}) & {(1 << field.bits) - 1})"

    def _within(self, test: Within) -> str:
        field, variable = self.packing.fields[test.variable], self.variables[test.variable]
        masked = f"(w{field.word} & {field.mask})"
        low, high = (test.low - field.low) << field.shift, (test.high - field.low) << field.shift
        # compared where they stand: shifting the field down would be one operation more
        if low == high:
            return f"({masked} == {low})"
        above, below = f"({masked} >= {low})", f"({masked} <= {high})"
        if test.low == variable.low:
            return below
        return above if test.high == variable.high else f"({above} & {below})"

    def _conjunction(self, parts: Sequence[Formula]) -> str:
        """All equality tests of a word in one comparison, then the rest."""
        masks: dict[int, int] = {}
        values: dict[int, int] = {}
        remaining = []
        for part in parts:
            # most of what rules ask is that something has one value, and masks and values of those
            # add up
            pinned = self._pinned(part)
            if pinned is None:
                remaining.append(self._formula(part))
                continue
            field, value = self.packing.fields[pinned[0]], pinned[1]
            bits = (value - field.low) << field.shift
            known = masks.get(field.word, 0)
            if known & field.mask:
                # asked twice, perhaps for another value: the second does not fit the one comparison
                remaining.append(self._within(Within(pinned[0], value, value)))
                continue
            masks[field.word] = known | field.mask
            values[field.word] = values.get(field.word, 0) | bits
        tests = [f"((w{w} & {mask}) == {values[w]})" for w, mask in masks.items()]
        return joined(" & ", [*tests, *remaining]) or "True"

    def _pinned(self, part: Formula) -> tuple[int, int] | None:
        """The variable and the one value that a formula leaves it, if it is of that form."""
        if isinstance(part, Opposite) and isinstance(part.part, Within):
            variable = self.variables[part.part.variable]
            # of two values, not to be the one is to be the other
            if variable.size == 2 and part.part.low == part.part.high:
                return part.part.variable, variable.low + variable.high - part.part.low
        if isinstance(part, Within) and part.low == part.high:
            return part.variable, part.low
        return None

    def _changes(self, changes: Sequence[Change]) -> list[str]:
        words = range(self.packing.words)
        lines = [f"t{n} = w{n}" for n in words]
        for change in changes:
            # what has one value only has no bits that could change
            if self.variables[change.variable].size > 1:
                lines += self._change(change)
        lines.append("return (" + ", ".join(f"t{n}" for n in words) + ",)")
        return lines

    def _change(self, change: Change) -> list[str]:
        field, variable = self.packing.fields[change.variable], self.variables[change.variable]
        word, shift, ones = f"t{field.word}", field.shift, (1 << field.bits) - 1
        guard = "" if change.when == Both(()) else f" * ({self._formula(change.when)} * one)"
        value = f"v = ({word} >> {shift}) & {ones}"
        match change.operation:
            case Operation.SET:
                number = change.number - field.low
                if not guard:
                    # set every bit of the field, then flip those that should be low
                    cleared = f"({word} | {field.mask}) ^ {field.mask ^ (number << shift)}"
                    return [f"{word} = {cleared}"]
                # under a condition: what is there is taken off and the new value put on, both times
                # nothing where the condition does not hold
                return [
                    value,
                    f"{word} = {word} - ((v{guard}) << {shift})"
                    f" + ((one{guard}) * {number << shift})",
                ]
            case Operation.ADD:
                # the guard of the move has seen to it that no carry leaves the field
                return [self._shifted(word, change.number << shift, guard)]
            case Operation.FLIP:
                # only facts of two values are flipped, and these have one bit
                return [f"{word} = {word} ^ ((one{guard}) << {shift})"]
            case Operation.ADD_UP_TO_END:
                step = abs(change.number)
                room = f"({variable.size - 1} - v)" if change.number > 0 else "v"
                # wraps around where there is room enough, and counts for nothing then
                lacking = f"(({step} - {room}) * ({room} < {step}))"
                sign = "+" if change.number > 0 else "-"
                return [value, f"{word} = {word} {sign} ((({step} - {lacking}){guard}) << {shift})"]
        raise AssertionError(change.operation)

    def _shifted(self, word: str, amount: int, guard: str) -> str:
        sign = "+" if amount >= 0 else "-"
        if guard:
            return f"{word} = {word} {sign} ((one{guard}) * {abs(amount)})"
        return f"{word} = {word} {sign} {abs(amount)}"


def joined(operator: str, parts: Sequence[str]) -> str:
    """The parts with an operator between them, as a balanced tree: its depth stays small."""
    if len(parts) <= 2:
        return f"({operator.join(parts)})" if parts else ""
    middle = len(parts) // 2
    return f"({joined(operator, parts[:middle])}{operator}{joined(operator, parts[middle:])})"
