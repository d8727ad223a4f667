"""Formulas of reasons: taken apart, followed back through steps, written as conditions."""

from __future__ import annotations

import random
import unittest

from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.strategies import holds
from tests.stress_worlds import stress_world, trade_world
from tests.test_against_reference import scalar, world_of
from zubrel.authored.conditions import parse_condition
from zubrel.base.diagnostics import Problems
from zubrel.checked.written import NoWords, written
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import (
    FALSE,
    AtLeast,
    Both,
    Either,
    Load,
    Opposite,
    Within,
    both,
    either,
    opposite,
    variables_of,
)
from zubrel.compiled.formulas import holds as holds_here
from zubrel.compiled.parts import Operation
from zubrel.explored.space import EndlessSettling
from zubrel.reasoned.conditions import as_condition
from zubrel.reasoned.formulas import NotFollowed, before, literals_of, may_make, plain_form

MAKERS = (random_world, stress_world, trade_world)

SEEDS = sampled(14)


def cases(seeds=SEEDS, each=25):
    """Systems of small worlds, with situations of theirs as values, and a source of chance."""
    for seed in seeds:
        for make in MAKERS:
            system = compile_world(world_of(make(seed)))
            try:
                space = scalar(system)
            except EndlessSettling:
                continue
            found = space.examples(space.everything, 400)
            chance = random.Random(seed)
            picked = chance.sample(found, min(each, len(found)))
            yield system, [tuple(system.values(s)) for s in picked], chance


def test_of(system, chance):
    """A random test of a random variable."""
    number = chance.randrange(len(system.variables))
    variable = system.variables[number]
    low, high = sorted(chance.randint(variable.low, variable.high) for _ in range(2))
    return Within(number, low, high)


def load_of(system, chance):
    """A random limit on what some amounts weigh together."""
    amounts = [n for n, v in enumerate(system.variables) if v.key[0] == "held"]
    some = tuple(chance.sample(amounts, min(len(amounts), 3)))
    high = sum(system.variables[n].high for n in some)
    return Load(some, (), chance.randint(0, max(0, high - 1)))


def formula_of(system, chance, depth=2):
    """A random formula."""
    if depth == 0 or chance.random() < 0.3:
        return load_of(system, chance) if chance.random() < 0.2 else test_of(system, chance)
    parts = tuple(formula_of(system, chance, depth - 1) for _ in range(3))
    kind = chance.choice((Both, Either, Opposite, AtLeast))
    if kind is Opposite:
        return Opposite(parts[0])
    return AtLeast(2, parts) if kind is AtLeast else kind(parts)


def applied(system, values, changes):
    """The values right after some changes in their order, each asked of the values before."""
    after = list(values)
    for change in changes:
        if not holds(change.when, values):
            continue
        variable = system.variables[change.variable]
        now = after[change.variable]
        match change.operation:
            case Operation.SET:
                now = change.number
            case Operation.FLIP:
                now = variable.low + variable.high - now
            case _:
                now = min(variable.high, max(variable.low, now + change.number))
        after[change.variable] = now
    return tuple(after)


class Formulas(unittest.TestCase):
    def test_a_plain_form_means_the_same_and_denies_only_single_tests(self):
        for system, situations, chance in cases():
            for _ in range(20):
                formula = formula_of(system, chance)
                plain = plain_form(formula, system.variables)
                for values in situations:
                    self.assertEqual(holds(plain, values), holds(formula, values))
                    self.assertEqual(holds_here(formula, values), holds(formula, values))
                self.assertTrue(self.is_plain(plain))

    def is_plain(self, formula):
        match formula:
            case Both(parts) | Either(parts) | AtLeast(_, parts):
                return all(self.is_plain(p) for p in parts)
            case Opposite(part):
                return isinstance(part, Within | Load)
        return True

    def test_literals_together_mean_what_the_parts_mean(self):
        emptied = 0
        for system, situations, chance in cases():
            for _ in range(20):
                parts = [
                    plain_form(formula_of(system, chance, 1), system.variables) for _ in range(3)
                ]
                kept = literals_of(parts)
                emptied += kept == (FALSE,)
                for values in situations:
                    expected = all(holds(p, values) for p in parts)
                    self.assertEqual(all(holds(p, values) for p in kept), expected)
        self.assertGreater(emptied, 0)

    def test_what_holds_after_a_step_is_what_had_to_hold_before_it(self):
        compared = refused = 0
        for system, situations, chance in cases():
            for move in system.moves:
                able = [v for v in situations if holds(move.guard, v)]
                for step in move.steps if able else ():
                    changed = [c.variable for c in step.changes]
                    for _ in range(4):
                        formula = plain_form(formula_of(system, chance, 1), system.variables)
                        if variables_of(formula).isdisjoint(changed):
                            continue
                        try:
                            earlier = before(system, step.changes, formula)
                        except NotFollowed:
                            refused += 1
                            continue
                        for values in able:
                            after = applied(system, values, step.changes)
                            with self.subTest(rule=step.rule.id, formula=formula):
                                self.assertEqual(holds(earlier, values), holds(formula, after))
                            compared += 1
        self.assertGreater(compared, 500)
        self.assertGreater(refused, 0)

    def test_whatever_a_step_makes_true_it_is_said_to_make_perhaps(self):
        made = 0
        for system, situations, chance in cases():
            for move in system.moves:
                for values in [v for v in situations if holds(move.guard, v)]:
                    for step in move.steps:
                        after = applied(system, values, step.changes)
                        literal = test_of(system, chance)
                        if chance.random() < 0.5:
                            literal = plain_form(opposite(literal), system.variables)
                        if holds(literal, after) and not holds(literal, values):
                            made += 1
                            self.assertTrue(any(may_make(system, c, literal) for c in step.changes))
        self.assertGreater(made, least(50))


class Conditions(unittest.TestCase):
    def test_formulas_that_can_be_written_come_back_from_the_text(self):
        told, untold = 0, 0
        for system, situations, chance in cases():
            for _ in range(30):
                formula = plain_form(formula_of(system, chance, 1), system.variables)
                condition = as_condition(system, formula)
                if condition is None:
                    untold += 1
                    continue
                again = system.formula(condition)
                for values in situations:
                    self.assertEqual(holds(again, values), holds(formula, values))
                try:
                    text = written(system.world, condition)
                except NoWords:
                    untold += 1
                    continue
                problems = Problems()
                span = system.world.areas[system.world.start_area].span
                self.assertIsNotNone(parse_condition(text, span, problems), text)
                told += 1
        self.assertGreater(told, least(100))
        self.assertGreater(untold, 10)

    def test_nothing_and_everything_are_no_tests(self):
        self.assertEqual(literals_of((both(()),)), ())
        self.assertEqual(literals_of((either(()),)), (either(()),))


if __name__ == "__main__":
    unittest.main()
