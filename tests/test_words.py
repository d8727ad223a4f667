"""Small parts with properties of their own: packing, formulas, conditions, spelling."""

import random
import unittest

from zubrel.authored.conditions import parse_condition
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Source, Span
from zubrel.base.spelling import nearest
from zubrel.compiled.formulas import (
    FALSE,
    TRUE,
    AtLeast,
    Both,
    Either,
    Opposite,
    Within,
    at_least,
    both,
    either,
    opposite,
)
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_words


def variables(r, count):
    made = []
    for number in range(count):
        low = r.choice([0, 0, 0, -3, 2])
        high = low + r.choice([0, 1, 1, 2, 6, 100])
        made.append(Variable(("fact", str(number)), low, high, low))
    return made


def random_formula(r, system, depth):
    kind = r.randint(0, 6) if depth else 0
    if kind <= 2:
        number = r.randrange(len(system))
        low = r.randint(system[number].low, system[number].high)
        return Within(number, low, r.randint(low, system[number].high))
    parts = tuple(random_formula(r, system, depth - 1) for _ in range(r.randint(0, 4)))
    return [
        lambda: Both(parts),
        lambda: Either(parts),
        lambda: AtLeast(r.randint(1, 3), parts),
        lambda: Opposite(random_formula(r, system, depth - 1)),
    ][kind - 3]()


def holds(formula, values):
    match formula:
        case Within(number, low, high):
            return low <= values[number] <= high
        case Both(parts):
            return all(holds(p, values) for p in parts)
        case Either(parts):
            return any(holds(p, values) for p in parts)
        case AtLeast(count, parts):
            return sum(holds(p, values) for p in parts) >= count
    return not holds(formula.part, values)


def simplified(formula):
    match formula:
        case Both(parts):
            return both(map(simplified, parts))
        case Either(parts):
            return either(map(simplified, parts))
        case AtLeast(count, parts):
            return at_least(count, [simplified(p) for p in parts])
        case Opposite(part):
            return opposite(simplified(part))
    return formula


def changed(changes, values, system):
    result = list(values)
    for change in changes:
        if not holds(change.when, values):
            continue
        number, variable = change.variable, system[change.variable]
        match change.operation:
            case Operation.SET:
                result[number] = change.number
            case Operation.ADD:
                result[number] += change.number
            case Operation.FLIP:
                result[number] = variable.low + variable.high - result[number]
            case Operation.ADD_UP_TO_END:
                moved = result[number] + change.number
                result[number] = min(variable.high, max(variable.low, moved))
    return result


def plain(word):
    """A word as an integer, whether it comes alone or as an array of one."""
    return int(word[0]) if hasattr(word, "shape") else int(word)


def without_spans(tree):
    if isinstance(tree, tuple):
        return tuple(without_spans(part) for part in tree)
    if not hasattr(tree, "__struct_fields__"):
        return tree
    fields = [f for f in tree.__struct_fields__ if f != "span"]
    return (type(tree).__name__, *(without_spans(getattr(tree, f)) for f in fields))


class Kernels(unittest.TestCase):
    def test_packed_guards_and_changes_mean_what_the_readable_ones_say(self):
        import numpy

        for seed in range(300):
            r = random.Random(seed)
            system = variables(r, r.randint(3, 30))
            formula = random_formula(r, system, 3)
            changes = self.random_changes(r, system)
            cases = [[r.randint(v.low, v.high) for v in system] for _ in range(8)]
            for width, one in ((None, 1), (64, numpy.uint64(1))):
                packing = pack_into_words(system, width)
                kernel = Kernel(system, packing, one)
                (test,), (update,) = kernel.tests([formula]), kernel.updates([changes])
                for values in cases:
                    words = packing.pack(values)
                    if width:
                        words = [numpy.array([w], numpy.uint64) for w in words]
                    with self.subTest(seed=seed, width=width):
                        self.assertEqual(packing.unpack([plain(w) for w in words]), values)
                        self.assertEqual(bool(test(*words)), holds(formula, values))
                        after = packing.unpack([plain(w) for w in update(*words)])
                        self.assertEqual(after, changed(changes, values, system))

    def random_changes(self, r, system):
        changes = []
        for number, variable in enumerate(system):
            if variable.size < 2 or r.random() < 0.5:
                continue
            when = TRUE if r.random() < 0.5 else random_formula(r, system, 1)
            kinds = [Operation.SET, Operation.ADD_UP_TO_END]
            kinds += [Operation.FLIP] * (variable.size == 2)
            kind = r.choice(kinds)
            amount = (
                r.randint(variable.low, variable.high)
                if kind == Operation.SET
                else (r.choice([-1, 1]) * r.randint(1, 150))
            )
            changes.append(Change(number, kind, amount, when))
        return changes

    def test_simplifying_keeps_the_meaning(self):
        decided = 0
        for seed in range(500):
            r = random.Random(seed)
            system = variables(r, 4)
            formula = random_formula(r, system, 3)
            simple = simplified(formula)
            decided += simple in (TRUE, FALSE)
            for _ in range(10):
                values = [r.randint(v.low, v.high) for v in system]
                with self.subTest(seed=seed):
                    self.assertEqual(holds(simple, values), holds(formula, values))
        self.assertGreater(decided, 10)


class Conditions(unittest.TestCase):
    def parse(self, text):
        problems = Problems()
        span = Span(Source.of("c", text), 1, 1, len(text) or 1)
        return parse_condition(text, span, problems), problems.diagnostics

    def test_and_binds_tighter_than_or_and_not_tighter_than_both(self):
        same = [
            ("a or b and c", "a or (b and c)"),
            ("not a and b", "(not a) and b"),
            ("a and b or c and d", "(a and b) or (c and d)"),
            ("not not a", "not (not a)"),
        ]
        for left, right in same:
            with self.subTest(left):
                self.assertEqual(self.shape(left), self.shape(right))
        self.assertNotEqual(self.shape("(a or b) and c"), self.shape("a or b and c"))

    def shape(self, text):
        condition, _ = self.parse(text)
        return without_spans(condition.tree)

    def test_the_caret_points_at_the_very_word(self):
        for text, column in {
            "a and": 5,
            "a nd b": 3,
            "(a or b": 7,
            "a or or b": 6,
            "3": 1,
            "coin >= x y": 11,
            "2 of (a)": 1,
            "a # b": 3,
            "at": 2,
            "x is opne": 6,
        }.items():
            with self.subTest(text):
                condition, problems = self.parse(text)
                self.assertIsNone(condition)
                self.assertEqual([p.span.column for p in problems], [column])

    def test_depth_is_bounded_and_width_is_not(self):
        self.assertIsNone(self.parse("(" * 41 + "a" + ")" * 41)[0])
        self.assertIsNotNone(self.parse("(" * 39 + "a" + ")" * 39)[0])
        self.assertIsNotNone(self.parse(" and ".join(["a"] * 3000))[0])


class Spelling(unittest.TestCase):
    def test_near_words_are_offered_and_far_ones_are_not(self):
        known = ["brass_key", "lamp_oil", "coin"]
        self.assertEqual(nearest("bras_key", known), "brass_key")
        self.assertEqual(nearest("lampoil", known), "lamp_oil")
        self.assertIsNone(nearest("dragon", known))


if __name__ == "__main__":
    unittest.main()
