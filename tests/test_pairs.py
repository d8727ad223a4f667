"""Values that are never had together, held against all situations of random worlds."""

import unittest
from itertools import combinations
from unittest import mock

import yaml

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.certain.stage import certain
from zubrel.compiled import pairs as pairs_module
from zubrel.compiled.compile import compile_world
from zubrel.compiled.relaxation import Relaxation

MAKERS = (random_world, stress_world, trade_world, passage_world, errand_world)

BEHIND_THE_DOOR = """
zubrel: 1
title: The lamp room
start: {at: quay, holding: [token]}
items: {token: Brass token, lens: Lens}
areas:
  quay: {ways: [{to: stair, lock: hatch, relocks: passing}]}
  stair: {finds: [lens]}
locks:
  hatch: {takes: token}
deeds:
  light: {at: quay, needs: lens, ends: seen}
endings: {seen: Seen}
"""
"""The hatch shuts behind whoever goes through, and is opened by a token of which there is one."""

ONCE_OVER = """
zubrel: 1
title: The plank
start: {at: quay}
items: {lens: Lens}
areas:
  quay: {ways: [{to: wreck, once: true, id: plank}]}
  wreck: {finds: [lens]}
deeds:
  light: {at: quay, needs: lens, ends: seen}
endings: {seen: Seen}
"""
"""The plank bears one walk, there or back: nobody comes home with the lens."""


class Together(unittest.TestCase):
    def of(self, seeds):
        return small_worlds(seeds, MAKERS)

    def test_what_a_situation_has_together_is_never_excluded(self):
        looked = excluded = 0
        for name, system, space in self.of(sampled(40)):
            told = system.pairs
            reached = [system.values(s) for s in space.examples(space.everything, 400)]
            known = set()
            for values in reached:
                bits = [
                    place + value - v.low
                    for place, value, v in zip(told.places, values, system.variables, strict=True)
                ]
                known.update(combinations(bits, 2))
            with self.subTest(world=name):
                missed = [(a, b) for a, b in known if not told.beside[a] >> b & 1]
                self.assertEqual(missed, [])
            looked += len(known)
            reached_alone = [bit for bit in range(len(told.beside)) if told.reached >> bit & 1]
            excluded += sum(
                not told.beside[a] >> b & 1
                for a, b in combinations(reached_alone, 2)
                if not any(full >> a & 1 and full >> b & 1 for full in told.full)
            )
        self.assertGreater(looked, least(20_000))
        # the settled situations of whole spaces have so many fewer pairs than their values allow
        self.assertGreater(excluded, least(2_000))

    def test_variables_of_many_values_are_left_out_and_exclude_nothing(self):
        wide = 0
        for name, system, space in self.of(sampled(12)):
            with mock.patch.object(pairs_module, "WIDE", 2):
                relaxed = Relaxation(system, Budget(Limits()))
                values = relaxed.future(relaxed.domains(system.start))
                told = pairs_module.pairs_of(system, relaxed.operators, values)
            for step in system.steps:
                made = relaxed.operators.of_step.get(step.number, [])
                if made and not any(told.possible[n] for n in made):
                    with self.subTest(world=name, rule=step.rule.id):
                        self.assertFalse(space.possible(step))
            for n, variable in enumerate(system.variables):
                if told.wide[n]:
                    wide += 1
                    place = told.places[n]
                    mask = told.beside[place] & told.full[n]
                    self.assertEqual(mask, values[n] << place, (name, variable.key))
        self.assertGreater(wide, 5)

    def test_what_is_never_possible_is_never_possible(self):
        never = 0
        for name, system, space in self.of(sampled(100, 140)):
            for number in system.never:
                with self.subTest(world=name, rule=system.steps[number].rule.id):
                    self.assertFalse(space.possible(system.steps[number]))
                never += 1
            for n, mask in enumerate(system.possible_values):
                variable = system.variables[n]
                for values in (system.values(s) for s in space.examples(space.everything, 50)):
                    self.assertTrue(mask >> values[n] - variable.low & 1, (name, variable.key))
        self.assertGreater(never, least(60))


class Without(unittest.TestCase):
    """Worlds that only pairs of values tell to be hopeless."""

    def test_a_door_that_shuts_behind_the_last_token(self):
        self.hopeless(BEHIND_THE_DOOR)

    def test_a_way_that_can_be_gone_once(self):
        self.hopeless(ONCE_OVER)
        (system,) = (compile_world(loads(ONCE_OVER)),)
        self.assertEqual({system.steps[n].rule.id for n in system.never}, {"plank_back", "light"})

    def hopeless(self, text):
        system = compile_world(loads(text))
        relaxed = Relaxation(system, Budget(Limits()))
        self.assertTrue(relaxed.may_win(relaxed.domains(system.start)), "alone they allow a win")
        self.assertTrue(certain(system, 60_000, Budget(Limits())).unwinnable)

    def test_too_much_work_tells_nothing(self):
        world = yaml.safe_dump(random_world(3))
        with mock.patch.object(pairs_module, "PAIRS", 10):
            system = compile_world(loads(world))
            self.assertIsNone(system.pairs)
            self.assertEqual(system.never, frozenset())
            self.assertIs(system.possible_operators, system.relaxation.operators)
        with mock.patch.object(pairs_module, "PAIRS_SIZE", 10):
            self.assertIsNone(compile_world(loads(world)).pairs)
