"""Another order of the variables: every set stays the set that it is, and most become smaller."""

import random
import unittest
from itertools import product
from unittest import mock

from tests.random_worlds import random_world
from tests.seeds import sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import stress_world, trade_world
from tests.test_backward import members
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.compiled.compile import compile_world
from zubrel.explored.backward import closing as closing_module
from zubrel.explored.backward.closing import BackwardFixpoint
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.symbolic import reordering as reordering_module
from zubrel.explored.symbolic.encoding import Encoding
from zubrel.explored.symbolic.reordering import reorder
from zubrel.findings.judged import judge

LAMPS = 8
ENOUGH = 10**9


def lamps(largest=1, count=LAMPS):
    """The encoding of a world of lamps and of their lenses, all lamps above all lenses."""
    values = (
        "{}" if largest == 1 else f"{{values: [{', '.join(f'v{n}' for n in range(largest + 1))}]}}"
    )
    facts = "".join(f"  {kind}{n}: {values}\n" for kind in ("lamp", "lens") for n in range(count))
    text = f"zubrel: 1\nstart: {{at: quay}}\nareas: {{quay: {{}}}}\nfacts:\n{facts}"
    system = compile_world(loads(text))
    numbers = {system.variables[n].key[1]: n for n in range(len(system.variables))}
    order = [numbers[f"{kind}{n}"] for kind in ("lamp", "lens") for n in range(count)]
    encoding = Encoding(system, order, frozenset(), Budget(Limits()))
    return encoding, [(numbers[f"lamp{n}"], numbers[f"lens{n}"]) for n in range(count)]


def all_alike(encoding, pairs, largest=1):
    """Each lamp has the value of its lens."""
    alike = encoding.true
    for one, other in pairs:
        alike = alike & encoding.union(
            encoding.equals(one, v) & encoding.equals(other, v) for v in range(largest + 1)
        )
    return alike


def levels(encoding):
    return [encoding.manager.level_to_var(n) for n in range(encoding.count)]


class Orders(unittest.TestCase):
    def test_pairs_that_belong_together_come_together(self):
        encoding, pairs = lamps()
        alike = all_alike(encoding, pairs)
        # far from each other every lamp has to be remembered, side by side one at a time
        self.assertGreater(alike.node_count(), 2**LAMPS)
        reorder(encoding, [alike], ENOUGH)
        self.assertLessEqual(alike.node_count(), 3 * LAMPS + 2)

    def test_the_bits_of_a_variable_stay_together_and_the_selectors_on_top(self):
        encoding, pairs = lamps(largest=5, count=4)
        alike = all_alike(encoding, pairs, largest=5)
        before = levels(encoding)
        reorder(encoding, [alike], ENOUGH)
        after = levels(encoding)
        self.assertNotEqual(after, before)
        self.assertEqual(after[: len(encoding.selectors)], encoding.selectors)
        for bits in encoding.bits.values():
            at = [after.index(bit) for bit in bits]
            self.assertEqual(at, list(range(at[0], at[0] + len(bits))) if at else [])

    def test_without_work_nothing_changes(self):
        encoding, pairs = lamps()
        alike, before = all_alike(encoding, pairs), levels(encoding)
        nodes = alike.node_count()
        reorder(encoding, [alike], 0)
        self.assertEqual((levels(encoding), alike.node_count()), (before, nodes))

    def test_where_there_is_no_room_for_copies_nothing_changes(self):
        encoding, pairs = lamps()
        alike, before = all_alike(encoding, pairs), levels(encoding)
        with mock.patch.object(reordering_module, "address_space_left", lambda: 2**20):
            reorder(encoding, [alike], ENOUGH)
        self.assertEqual(levels(encoding), before)
        with mock.patch.object(reordering_module, "address_space_left", lambda: 2**40):
            reorder(encoding, [alike], ENOUGH)
        self.assertNotEqual(levels(encoding), before)

    def test_every_set_has_the_same_situations_as_before_and_is_found_again(self):
        r, changed = random.Random(5), 0
        for _ in range(8):
            encoding, pairs = lamps()
            numbers = [n for pair in pairs for n in pair]
            sets = [encoding.false] * 4
            for n, _ in product(range(4), range(30)):
                some = [encoding.equals(v, r.randrange(2)) for v in r.sample(numbers, 6)]
                sets[n] = sets[n] | (some[0] & some[1] & some[2] & some[3] & (some[4] | some[5]))
            chosen = [[r.randrange(2) for _ in encoding.system.variables] for _ in range(60)]

            def told(encoding=encoding, sets=sets, chosen=chosen):
                held = [[s.eval(encoding.assignment(c)) for c in chosen] for s in sets]
                return [encoding.size(s) for s in sets], held

            before, order, known = told(), levels(encoding), {s: n for n, s in enumerate(sets)}
            both = sets[0] & sets[1]
            reorder(encoding, sets[:3], ENOUGH)
            changed += levels(encoding) != order
            self.assertEqual(told(), before)
            self.assertEqual([known[s] for s in sets], list(range(4)))
            # what is made anew is what was made before
            self.assertEqual(sets[0] & sets[1], both)
            self.assertEqual(encoding.size(sets[2] | ~sets[2]), 2 ** (2 * LAMPS))
        self.assertGreater(changed, 4)


class WhileClosing(unittest.TestCase):
    def test_sets_that_are_reordered_all_the_time_are_closed_to_the_same(self):
        r, doomed, orders = random.Random(7), 0, 0
        makers = (random_world, stress_world, trade_world)
        for name, system, plain in small_worlds(sampled(24, of=2), makers):
            with (
                mock.patch.object(closing_module, "REORDERED", 40),
                mock.patch.object(closing_module, "REORDERING", 0.2 + r.random()),
            ):
                space = BackwardSpace(system, Budget(Limits()))
                before = levels(space.encoding)
                told, exact = judge(space), judge(plain)
                orders += levels(space.encoding) != before
            with self.subTest(world=name):
                self.assertEqual(told.verdict, exact.verdict)
                for which in ("live", "doomed"):
                    inside = members(plain, space, getattr(told, which))
                    self.assertEqual(inside, set(getattr(exact, which)))
                doomed += len(exact.doomed)
        self.assertGreater(doomed, 20)
        self.assertGreater(orders, 5)

    def test_where_no_order_helps_the_next_sets_of_that_size_do_without_a_look(self):
        looked = {1.0: [0, 0], 0.1: [0, 0]}
        for (left, looks), (_, system, _) in product(
            looked.items(), list(small_worlds(range(8), (random_world, trade_world)))
        ):
            space = BackwardSpace(system, Budget(Limits()))
            seed, within = judge(space).won.areas, space.reaching_back.possibly
            space.functions.well_ordered = 0
            for turn in range(2):
                with (
                    mock.patch.object(closing_module, "REORDERED", 10),
                    mock.patch.object(closing_module, "reorder", return_value=left) as look,
                ):
                    BackwardFixpoint(space.functions, seed, within, told=False).run()
                looks[turn] += look.call_count
        self.assertGreater(looked[1.0][0], 5)
        self.assertEqual(looked[1.0][1], 0)
        self.assertEqual(*looked[0.1])

    def test_how_a_set_has_grown_is_known_only_where_that_is_asked_for(self):
        grown = 0
        for _, system, _ in small_worlds(range(12), (random_world,)):
            space = BackwardSpace(system, Budget(Limits()))
            seed, within = judge(space).won.areas, space.reaching_back.possibly
            whole, short = (
                BackwardFixpoint(space.functions, seed, within, told=told).run()
                for told in (True, False)
            )
            self.assertEqual(short.areas, whole.areas)
            self.assertFalse(short.history)
            grown += len(whole.history)
        self.assertGreater(grown, 4)
