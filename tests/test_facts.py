"""Facts of a system that need no search, held against all situations of random worlds."""

import unittest
from types import SimpleNamespace

import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import LONG, examples, least, sampled
from tests.small_worlds import small_worlds
from tests.strategies import VARIABLES, changed, changes, formulas, holds, situations
from tests.stress_worlds import stress_world, trade_world
from tests.test_against_reference import scalar, world_of
from zubrel.compiled.afterwards import Afterwards
from zubrel.compiled.compile import compile_world
from zubrel.compiled.facts import excluded, parts_of
from zubrel.compiled.formulas import Opposite, Within, opposite
from zubrel.compiled.parts import Operation
from zubrel.explored.space import EndlessSettling


def spaces(seeds):
    return small_worlds(seeds, (random_world, stress_world, trade_world))


class Facts(unittest.TestCase):
    SEEDS = sampled(25)

    def test_what_stays_true_is_never_left(self):
        held = 0
        for name, system, space in spaces(self.SEEDS):
            parts = {p for m in system.moves for p in parts_of(m.guard)}
            for part in (p for p in parts if system.rising.for_good(p)):
                here = space.where(part)
                outside = space.everything - here
                left = [s for s in system.steps if here & space.before(s, outside)]
                with self.subTest(world=name, part=part):
                    self.assertEqual([s.rule.id for s in left], [])
                held += bool(here and outside)
        self.assertGreater(held, least(40))

    def test_what_is_done_once_is_never_possible_again(self):
        once = 0
        for name, system, space in spaces(self.SEEDS):
            for move in filter(system.once_only, system.moves):
                after = [space.after(step, space.everything) for step in move.steps]
                (later,) = space.reached_from([frozenset().union(*after)])
                again = [s for s in move.steps if space.possible(s) & later]
                with self.subTest(world=name, rule=move.rule.id):
                    self.assertEqual(again, [])
                once += bool(later)
        self.assertGreater(once, least(100))

    def test_marks_are_low_at_first_and_never_fall(self):
        seen = 0
        for name, system, space in spaces(self.SEEDS):
            for mark in system.marks:
                domain = system.variables[mark]
                high = space.where(Within(mark, domain.high, domain.high))
                start = space.at_end_of(space.walks().shortest(space.everything))
                with self.subTest(world=name, mark=domain.key):
                    self.assertFalse(high & start)
                    (later,) = space.reached_from([high])
                    self.assertEqual(later, high)
                seen += bool(high)
        self.assertGreater(seen, least(150))

    def test_a_move_that_its_own_change_rules_out_never_follows_itself(self):
        barred = 0
        for name, system, space in spaces(self.SEEDS):
            for move in system.moves:
                for step in move.steps:
                    if any(excluded(move.guard, c) for c in system.lone_changes(step)):
                        possible = frozenset().union(*(space.possible(s) for s in move.steps))
                        with self.subTest(world=name, rule=move.rule.id):
                            self.assertEqual(space.before(step, possible), frozenset())
                        barred += 1
        self.assertGreater(barred, 200 if LONG else 100)

    def test_lone_changes_are_what_is_there_afterwards(self):
        looked = 0
        for name, system, space in spaces(sampled(10)):
            for step in system.steps:
                for change in system.lone_changes(step):
                    if change.operation is Operation.SET:
                        there = Within(change.variable, change.number, change.number)
                        after = space.after(step, space.everything)
                        with self.subTest(world=name, rule=step.rule.id):
                            self.assertLessEqual(after, space.where(there))
                        looked += bool(after)
        self.assertGreater(looked, least(150))

    def test_who_is_in_a_region_that_was_left_never_comes_back(self):
        left = 0
        for name, system, space in spaces(self.SEEDS):
            region = system.regions
            for area in range(system.variables[0].size):
                here = space.where(system.translator.within(0, area, area))
                (later,) = space.reached_from([here])
                for other, number in region.items():
                    if number < region[area]:
                        there = space.where(system.translator.within(0, other, other))
                        with self.subTest(world=name, areas=(area, other)):
                            self.assertFalse(later & there)
                        left += bool(here and there)
        self.assertGreater(left, least(20))

    def test_a_denied_part_is_read_as_what_it_denies(self):
        system = compile_world(world_of(stress_world(0)))
        for mark in system.marks:
            domain = system.variables[mark]
            low = Within(mark, domain.low, domain.low)
            high = Within(mark, domain.high, domain.high)
            self.assertTrue(system.is_low(mark, low))
            self.assertTrue(system.is_low(mark, Opposite(high)))
            self.assertFalse(system.is_low(mark, high))
            self.assertFalse(system.is_low(mark, Opposite(low)))


class AfterChanges(unittest.TestCase):
    sure = 0

    @settings(max_examples=examples(400), deadline=None, derandomize=True)
    @given(
        st.lists(formulas, min_size=1, max_size=4),
        st.lists(changes, max_size=3),
        situations,
        st.data(),
    )
    def test_what_surely_holds_after_changes_does(self, pool, every, values, data):
        known = [f if holds(f, values) else opposite(f) for f in pool]
        wanted = st.lists(st.sampled_from(known) | formulas, min_size=1, max_size=2)
        alternatives = data.draw(st.lists(wanted, min_size=1, max_size=3))
        nothing_lasts = SimpleNamespace(for_good=lambda formula: False)
        afterwards = Afterwards(VARIABLES, nothing_lasts)
        if afterwards.stays(alternatives, known, every):
            after = changed(every, values)
            self.assertTrue(any(all(holds(f, after) for f in parts) for parts in alternatives))
            type(self).sure += 1

    @classmethod
    def tearDownClass(cls):
        assert cls.sure > 30, cls.sure


class Resting(unittest.TestCase):
    def test_what_always_rests_never_goes_on_for_ever(self):
        rests = restless = 0
        for make, seeds in ((random_world, range(70)), (errand_world, range(20))):
            for seed in seeds:
                system = compile_world(world_of(make(seed)))
                try:
                    scalar(system)
                    rests += bool(system.settlers) and system.always_rests
                except EndlessSettling:
                    restless += 1
                    with self.subTest(seed=seed):
                        self.assertFalse(system.always_rests)
        self.assertGreater(rests, least(20))
        self.assertGreater(restless, 0)

    def test_quests_rest_and_what_undoes_each_other_does_not(self):
        head = "zubrel: 1\nstart: {at: quay}\nendings: {won: {when: at quay}}\n"
        quest = "areas: {quay: {}}\nquests: {errand: {goals: [{visit: quay}]}}\n"
        quarrel = (
            "areas: {quay: {}}\nfacts: {lit: {}}\n"
            "whenever:\n"
            "  - {id: a, when: lit, sets: {lit: false}}\n"
            "  - {id: b, when: not lit, sets: {lit: true}}\n"
        )
        for text, rests in ((quest, True), (quarrel, False)):
            system = compile_world(world_of(yaml.safe_load(head + text)))
            self.assertEqual(system.always_rests, rests)


if __name__ == "__main__":
    unittest.main()
