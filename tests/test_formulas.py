"""Formulas and changes: what each part of the program makes of them is what they mean."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.seeds import examples
from tests.strategies import (
    LOADED,
    SIZES,
    VARIABLES,
    changed,
    changes,
    formulas,
    holds,
    situations,
    system_of,
    tests_of_variables,
)
from zubrel.base.budget import Budget, Limits
from zubrel.compiled.formulas import (
    Within,
    at_least,
    both,
    either,
    opposite,
    pieces_of,
    substituted,
    variables_of,
)
from zubrel.compiled.parts import Change, Operation
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_one, pack_into_words
from zubrel.explored.symbolic.encoding import SELECTORS, Encoding
from zubrel.explored.symbolic.ordering import order_of, used_by
from zubrel.explored.symbolic.relations import relation
from zubrel.reduced.clauses import (
    ALWAYS,
    MOST,
    NEVER,
    both_of,
    clauses_of,
    either_of,
    formula_of,
    implies,
    shortest,
)

MANY = settings(max_examples=examples(150), deadline=None, derandomize=True)
FEW = settings(max_examples=examples(40), deadline=None, derandomize=True)
some_formulas = st.lists(formulas, max_size=4)


def encoding():
    system = system_of()
    return Encoding(system, order_of(system), frozenset(), Budget(Limits()))


class Connectives(unittest.TestCase):
    @MANY
    @given(some_formulas, situations, st.integers(0, 5))
    def test_they_mean_what_their_parts_mean(self, parts, values, count):
        truths = [holds(p, values) for p in parts]
        self.assertEqual(holds(both(parts), values), all(truths))
        self.assertEqual(holds(either(parts), values), any(truths))
        self.assertEqual(holds(at_least(count, parts), values), sum(truths) >= count)
        for part in parts:
            self.assertEqual(holds(opposite(part), values), not holds(part, values))

    @MANY
    @given(formulas, situations, situations)
    def test_only_the_variables_of_a_formula_decide_it(self, formula, values, others):
        asked = variables_of(formula)
        mixed = [
            v if n in asked else o for n, (v, o) in enumerate(zip(values, others, strict=True))
        ]
        self.assertEqual(holds(formula, mixed), holds(formula, values))

    @MANY
    @given(formulas, situations)
    def test_replacing_each_test_by_itself_or_its_opposite_twice_changes_nothing(self, f, values):
        same = substituted(f, lambda test: test)
        self.assertEqual(holds(same, values), holds(f, values))
        twice = substituted(f, lambda test: opposite(opposite(test)))
        self.assertEqual(holds(twice, values), holds(f, values))

    @MANY
    @given(formulas)
    def test_pieces_ask_together_what_the_whole_asks(self, formula):
        tests = {p.variable for p in pieces_of(formula) if isinstance(p, Within)}
        self.assertLessEqual(tests, variables_of(formula))
        self.assertLessEqual(variables_of(formula) - tests, set(LOADED))


class Clauses(unittest.TestCase):
    monotone = st.recursive(
        tests_of_variables(),
        lambda parts: (
            st.lists(parts, min_size=1, max_size=3).map(both)
            | st.lists(parts, min_size=1, max_size=3).map(either)
        ),
        max_leaves=5,
    )

    @MANY
    @given(monotone, situations)
    def test_a_formula_and_its_clauses_are_the_same(self, formula, values):
        clauses = clauses_of(formula)
        if clauses is None:
            return
        self.assertEqual(holds(formula_of(clauses), values), holds(formula, values))
        self.assertEqual(clauses_of(formula_of(clauses)), clauses)
        self.assertLessEqual(len(clauses), MOST)
        # none includes another
        self.assertFalse(any(a < b for a in clauses for b in clauses))

    @MANY
    @given(monotone, monotone, situations)
    def test_they_are_joined_as_formulas_are(self, one, other, values):
        a, b = clauses_of(one), clauses_of(other)
        if a is None or b is None:
            return
        joined, met = either_of(a, b), both_of(a, b)
        if joined is not None:
            self.assertEqual(
                holds(formula_of(joined), values), holds(one, values) or holds(other, values)
            )
            self.assertTrue(implies(a, joined) and implies(b, joined))
        if met is not None:
            self.assertEqual(
                holds(formula_of(met), values), holds(one, values) and holds(other, values)
            )
            self.assertTrue(implies(met, a) and implies(met, b))
        if implies(a, b) and holds(one, values):
            self.assertTrue(holds(other, values))

    def test_the_ends(self):
        one = frozenset((frozenset((Within(0, 1, 2),)),))
        self.assertTrue(implies(NEVER, one) and implies(one, ALWAYS))
        self.assertFalse(implies(ALWAYS, one))
        self.assertEqual(both_of(one, NEVER), NEVER)
        self.assertEqual(either_of(one, ALWAYS), ALWAYS)
        many = (frozenset((Within(0, n, n),)) for n in range(MOST + 1))
        self.assertIsNone(shortest(many))


class Packed(unittest.TestCase):
    @MANY
    @given(situations, st.sampled_from([3, 4, 7, 64]))
    def test_what_is_packed_comes_out_again_whatever_the_width_of_words(self, values, width):
        packing = pack_into_words(VARIABLES, width)
        words = packing.pack(values)
        self.assertEqual(packing.unpack(words), values)
        self.assertTrue(all(0 <= word < 1 << width for word in words))

    @MANY
    @given(situations, situations)
    def test_different_situations_are_different_words(self, one, other):
        packing = pack_into_one(VARIABLES)
        self.assertEqual(packing.pack(one) == packing.pack(other), one == other)

    @MANY
    @given(situations, situations)
    def test_variables_that_differ_are_those_with_different_values(self, one, other):
        packing = pack_into_one(VARIABLES)
        words = [packing.pack(values)[0] for values in (one, other)]
        expected = {n for n, (a, b) in enumerate(zip(one, other, strict=True)) if a != b}
        found = list(packing.differing(*words))
        self.assertEqual(set(found), expected)
        self.assertEqual(len(found), len(expected))

    @FEW
    @given(some_formulas, st.lists(situations, min_size=1, max_size=6))
    def test_kernels_decide_formulas_for_integers_and_for_arrays(self, every, rows):
        one = pack_into_one(VARIABLES)
        single = Kernel(VARIABLES, one, 1).tests(every)
        wide = pack_into_words(VARIABLES)
        words = np.array([wide.pack(values) for values in rows], np.uint64).T
        whole = Kernel(VARIABLES, wide, np.uint64(1)).tests(every)
        for formula, test, tests in zip(every, single, whole, strict=True):
            expected = [holds(formula, values) for values in rows]
            self.assertEqual([bool(test(*one.pack(values))) for values in rows], expected)
            together = np.broadcast_to(tests(*words), len(rows)).astype(bool)
            self.assertEqual(together.tolist(), expected)

    @FEW
    @given(st.lists(changes, max_size=4), st.lists(situations, min_size=1, max_size=4))
    def test_kernels_change_situations_as_the_changes_say(self, every, rows):
        one = pack_into_one(VARIABLES)
        (update,) = Kernel(VARIABLES, one, 1).updates([every])
        for values in rows:
            after = [int(word) for word in update(*one.pack(values))]
            self.assertEqual(one.unpack(after), changed(every, values))


class Diagrams(unittest.TestCase):
    @FEW
    @given(formulas, st.lists(situations, min_size=1, max_size=6))
    def test_a_diagram_holds_the_situations_in_which_its_formula_holds(self, formula, rows):
        code = encoding()
        diagram = code.formula(formula)
        for values in rows:
            inside = (diagram & code.situation(values)).satisfiable()
            self.assertEqual(inside, holds(formula, values))
        valid = diagram & code.valid(range(len(SIZES)))
        if valid.satisfiable():
            self.assertTrue(holds(formula, code.values(valid)))

    @FEW
    @given(st.lists(changes, max_size=3), formulas, st.lists(situations, min_size=1, max_size=4))
    def test_a_relation_leads_where_the_changes_lead_and_back(self, every, guard, rows):
        code = encoding()
        read = variables_of(guard) | used_by((), every)
        one = relation(code, code.formula(guard), read, every)
        for values in rows:
            here, after = code.situation(values), changed(every, values)
            there = one.image(code, here)
            self.assertEqual(there.satisfiable(), holds(guard, values))
            if there.satisfiable():
                self.assertEqual(code.values(there), after)
                back = one.preimage(code, code.situation(after))
                self.assertTrue((back & here).satisfiable())
                still = (one.unchanged(code) & here).satisfiable()
                self.assertEqual(still, after == values)
                different = {
                    n for n, (a, b) in enumerate(zip(values, after, strict=True)) if a != b
                }
                self.assertLessEqual(different, one.writes)

    @FEW
    @given(st.lists(formulas, min_size=2, max_size=1 << SELECTORS))
    def test_sets_that_are_asked_about_at_once_come_apart_again(self, every):
        code = encoding()
        sets = [code.formula(f) for f in every]
        self.assertEqual(code.split_by_selectors(code.selected_union(sets), len(sets)), sets)

    def test_a_sum_beyond_the_end_leads_nowhere(self):
        code = encoding()
        add = Change(4, Operation.ADD, 3)
        one = relation(code, code.true, (), [add])
        for value in range(7):
            values = [0, 0, 0, 1, value, 0]
            there = one.image(code, code.situation(values))
            with self.subTest(value=value):
                self.assertEqual(there.satisfiable(), value + 3 <= 6)
                if there.satisfiable():
                    self.assertEqual(code.values(there)[4], value + 3)


class Order(unittest.TestCase):
    def test_every_variable_with_a_choice_stands_once_the_place_on_top(self):
        order = order_of(system_of())
        self.assertEqual(sorted(order), [n for n, (low, high) in enumerate(SIZES) if low < high])
        self.assertEqual(order[0], 0)


if __name__ == "__main__":
    unittest.main()
