"""Sums that no play lowers, and what they leave of sets, held against all situations."""

import random
import unittest
from itertools import product
from unittest import mock

import yaml

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.compiled.balances import Balances, Sum, _between, _Program
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import both
from zubrel.compiled.operators import Effect
from zubrel.compiled.parts import Change, Operation, Variable
from zubrel.compiled.possible import ALWAYS, Among
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.backward.weighing import _Above
from zubrel.explored.symbolic.reordering import reorder

MAKERS = (random_world, stress_world, trade_world, passage_world, errand_world)

MAYBE = Among(3, 1)
"""A condition that is decided elsewhere."""

KEYS = """
zubrel: 1
title: Three hatches
start: {at: quay}
items: {token: {name: Brass token, max: 3}}
areas:
  quay: {finds: [token, token], ways: [{to: pier, lock: one}, {to: loft, lock: two}]}
  pier: {ways: [{to: tower, lock: three}]}
  loft: {}
  tower: {}
locks: {one: {takes: token}, two: {takes: token}, three: {takes: token}}
endings: {seen: {name: Seen, when: at tower}}
"""
"""Who opens all three hatches has had one token more than there are."""


def total(asked, system, values):
    """What a sum is in a situation, one digit after the other."""
    return sum(
        weight * (values[variable] - system.variables[variable].low >> place & 1)
        for (variable, place), weight in asked.weights.items()
    )


def digits_of(system, values):
    """Every digit of a situation."""
    return {
        (number, place): bool(values[number] - variable.low >> place & 1)
        for number, variable in enumerate(system.variables)
        for place in range((variable.size - 1).bit_length())
    }


def balanced(seeds):
    """Small worlds by name, with all their situations and their sums."""
    for name, system, space in small_worlds(seeds, MAKERS):
        situations = [space.packing.unpack([word]) for word in space.words]
        yield name, system, situations, Balances(system, situations[0])


class Sums(unittest.TestCase):
    def test_no_situation_of_any_play_has_less(self):
        r, found, single = random.Random(1), 0, 0
        for name, system, situations, balances in balanced(sampled(15, of=3)):
            for _ in range(30):
                values = [r.randint(v.low, v.high) for v in system.variables]
                digits = digits_of(system, values)
                # of some nothing is said but a few digits, as of the paths of a diagram
                if r.random() < 0.5:
                    digits = dict(r.sample(sorted(digits.items()), min(len(digits), 4)))
                asked = balances.excluding(digits, Budget(Limits()))
                if asked is None:
                    continue
                with self.subTest(world=name, digits=digits, sum=asked):
                    lowest = min(total(asked, system, values) for values in situations)
                    self.assertGreaterEqual(lowest, asked.least)
                    # the digits that are not given may be anything: it is too small all the same
                    highest = sum(
                        weight if digits.get(digit, weight > 0) else 0
                        for digit, weight in asked.weights.items()
                    )
                    self.assertLess(highest, asked.least)
                found += 1
                single += len({variable for variable, _ in asked.weights}) == 1
        self.assertGreater(found, least(200))
        # some of them count more than one thing
        self.assertGreater(found - single, found // 10)

    def test_all_hatches_cannot_be_open_with_two_tokens(self):
        system = compile_world(loads(KEYS))
        balances = Balances(system, system.start)
        opened = [n for n, v in enumerate(system.variables) if v.key[0] == "open"]
        for open_ in product((False, True), repeat=3):
            digits = {(number, 0): o for number, o in zip(opened, open_, strict=True)}
            asked = balances.excluding(digits, Budget(Limits()))
            self.assertEqual(asked is not None, all(open_), open_)
        assert asked is not None
        self.assertEqual({asked.weights[number, 0] for number in opened}, {-1})

    def test_what_the_program_gets_wrong_is_not_believed(self):
        r, refused, believed = random.Random(5), 0, 0
        for name, system, situations, balances in balanced(sampled(8, of=2)):
            for _ in range(60):
                guessed = [r.choice((0, 0, 0, -1, 1, 0.5)) for _ in balances.terms]
                values = [r.randint(v.low, v.high) for v in system.variables]
                with mock.patch.object(_Program, "weights", lambda *_, g=guessed: g):
                    asked = balances.excluding(digits_of(system, values), Budget(Limits()))
                if asked is None:
                    refused += 1
                    continue
                with self.subTest(world=name, weights=guessed):
                    self.assertLess(total(asked, system, values), asked.least)
                    lowest = min(total(asked, system, values) for values in situations)
                    self.assertGreaterEqual(lowest, asked.least)
                believed += 1
        self.assertGreater(refused, 200)
        self.assertGreater(believed, 10)

    def test_what_may_be_gained_or_not_is_counted_as_gained(self):
        # room for two: of the three that the crate gives, only what fits
        world = yaml.safe_load(KEYS)
        world["items"]["token"] = {"name": "Brass token", "max": 2, "when_full": "waste"}
        world["areas"]["quay"]["finds"] = [{"item": "token", "count": 3, "again": "always"}]
        system = compile_world(loads(yaml.safe_dump(world)))
        opened = [n for n, v in enumerate(system.variables) if v.key[0] == "open"]
        digits = {(number, 0): True for number in opened}
        # there is always another token: nothing tells that all three cannot be open
        self.assertIsNone(Balances(system, system.start).excluding(digits, Budget(Limits())))


class Differences(unittest.TestCase):
    """What changes may make of a variable, against making them one after the other."""

    def made(self, changes, value, variable):
        """All values that some changes may leave, each made if its condition holds."""
        last, values = variable.high - variable.low, {value}
        for change, when in changes:
            number, left = change.number, set()
            for old in values:
                match change.operation:
                    case Operation.SET:
                        left.add(number - variable.low)
                    case Operation.FLIP:
                        left.add(last - old)
                    case Operation.ADD:
                        # what does not fit is not possible
                        left |= {old + number} & set(range(last + 1))
                    case Operation.ADD_UP_TO_END:
                        left.add(max(0, min(last, old + number)))
            values = left if when == ALWAYS else left | values
        return values

    def test_no_change_of_an_amount_is_less_or_more(self):
        r, ends = random.Random(3), 0
        for _ in range(300):
            variable = Variable(("held", "token"), 2, r.choice((3, 4, 7)), 2)
            size = variable.size
            operations = (
                list(Operation) if size == 2 else [o for o in Operation if o.name != "FLIP"]
            )
            changes = tuple(
                (Change(5, operation, number), r.choice((ALWAYS, MAYBE)))
                for operation in r.choices(operations, k=r.randint(1, 3))
                for number in [
                    r.randint(2, variable.high) if operation is Operation.SET else r.randint(-2, 2)
                ]
            )
            before = sorted(r.sample(range(size), r.randint(1, size)))
            low, high = _between(Effect(5, changes), before, variable)
            every = [a - b for b in before for a in self.made(changes, b, variable)]
            with self.subTest(changes=changes, before=before):
                self.assertLessEqual(low, min(every, default=low))
                self.assertGreaterEqual(high, max(every, default=high))
            ends += bool(every) and (low, high) == (min(every), max(every))
        # mostly nothing less is claimed than there is
        self.assertGreater(ends, 100)

    def test_every_value_that_may_be_set_is_known(self):
        world = yaml.safe_load(KEYS)
        world["facts"] = {"tide": {"values": ["low", "rising", "high", "falling"]}}
        world["areas"]["quay"]["deeds"] = {"wait": {"sets": {"tide": "rising"}}}
        system = compile_world(loads(yaml.safe_dump(world)))
        balances = Balances(system, system.start)
        number = next(n for n, v in enumerate(system.variables) if v.key[-1] == "tide")
        operator = next(
            o for o in system.relaxation.operators.all if o.effects[0].variable == number
        )
        r = random.Random(4)
        for _ in range(60):
            changes = tuple(
                (Change(number, Operation.SET, r.randint(0, 3)), r.choice((ALWAYS, MAYBE)))
                for _ in range(r.randint(1, 3))
            )
            differences = balances._differences(operator, Effect(number, changes))
            before = [n for n in range(4) if system.possible_values[number] >> n & 1]
            expected = {
                balances._difference(number, value, after)
                for value in before
                for after in self.made(changes, value, system.variables[number])
            }
            with self.subTest(changes=changes):
                self.assertEqual(set(differences), expected)


class Weighed(unittest.TestCase):
    def test_what_is_left_has_a_sum_that_is_large_enough(self):
        r, cut = random.Random(2), 0
        for name, system, _ in small_worlds(sampled(8, of=2), MAKERS):
            space = BackwardSpace(system, Budget(Limits()))
            encoding, bits = space.encoding, space.reaching_back.weighing.bits
            for turn in range(12):
                # some set, of the conditions that rules ask for
                guards = [encoding.formula(m.guard) for m in system.moves]
                diagram = r.choice(guards) | (r.choice(guards) & ~r.choice(guards))
                digits = r.sample(sorted(bits), min(len(bits), 6))
                asked = Sum({d: r.choice((-3, -2, -1, 1, 2, 5)) for d in digits}, r.randint(-4, 6))
                if turn % 3 == 2:
                    # in whatever order the bits are by then
                    reorder(encoding, [diagram], 200_000)
                weights = {bits[digit]: weight for digit, weight in asked.weights.items()}
                left = _Above(encoding, weights, asked.least).of(diagram)
                enough = encoding.false
                for taken in product((False, True), repeat=len(digits)):
                    if (
                        sum(w for w, t in zip(weights.values(), taken, strict=True) if t)
                        >= asked.least
                    ):
                        enough = enough | encoding.cube(zip(weights, taken, strict=True))
                with self.subTest(world=name, sum=asked):
                    self.assertTrue(left == diagram & enough)
                cut += left != diagram and left.satisfiable()
        self.assertGreater(cut, least(60))

    def test_no_situation_of_any_play_is_left_out(self):
        r, refuted, smaller = random.Random(4), 0, 0
        for name, system, plain in small_worlds(sampled(12, of=3), MAKERS):
            space = BackwardSpace(system, Budget(Limits()))
            back = space.reaching_back
            for _ in range(10):
                moves = r.sample(system.moves, min(2, len(system.moves)))
                areas = space.where(both(move.guard for move in moves)).areas
                left = back.weighing.left_of(areas)
                with self.subTest(world=name, moves=[m.rule.id for m in moves]):
                    for word in plain.words:
                        if back.known.holds(areas, word):
                            self.assertTrue(back.known.holds(left, word))
                refuted += not any(d.satisfiable() for d in left)
                smaller += left != areas
        self.assertGreater(smaller, least(5))


if __name__ == "__main__":
    unittest.main()
