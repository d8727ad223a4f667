"""Rooms from which no win is left, as going everywhere from them tells."""

import unittest
from unittest import mock

from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.certain import exhausting, stage
from zubrel.certain.exhausting import Exhausting
from zubrel.certain.hunt import Hunt
from zubrel.certain.stage import certain
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.findings.judged import judge
from zubrel.narrated.early import ToldBefore, told_early
from zubrel.narrated.narrate import UNTOLD

MAKERS = (stress_world, trade_world, passage_world)
ORES = """
zubrel: 1
start: {at: quay}
items:
  coin: {name: Coin, kind: money, max: 9}
  ore: {name: Ore, max: 2}
  key: Key
areas:
  quay:
    finds: [ore, ore]
    ways: [{to: tower, needs: key}]
    deeds: {throw: {name: Throw it into the sea, needs: 2 ore, takes: ore, once: false}}
  tower: {}
shops: {stall: {at: quay, buys: {ore: 2}, sells: {key: 4}}}
endings: {won: {name: Won, when: at tower}}
"""
"""Sets of values sell the one ore that is left over and over."""


def known():
    return certain(compile_world(loads(ORES)), 200_000, Budget(Limits()))


class ByHand(unittest.TestCase):
    def test_what_sets_of_values_do_not_know_to_be_lost_is_found_and_explained(self):
        found = known()
        self.assertEqual([d.step.rule.id for d in found.dooms], ["throw"])
        (told,) = told_early(found).findings
        said = "\n".join(told.explanation)
        self.assertIn("“Buy Key for 4 Coin” needs 4 Coin, but no more than 2 can be had", said)
        self.assertIn("Move 3, “Throw it into the sea”, was the last to use Ore", said)

    def test_without_it_nothing_is_known_of_that_world(self):
        with mock.patch.object(Exhausting, "shows_lost", return_value=False):
            self.assertEqual([d.step.rule.id for d in known().dooms], [])

    def test_after_much_that_was_in_vain_only_little_is_looked_at(self):
        found = known()
        (doom,) = found.dooms
        self.assertIsNotNone(found.after(doom))
        with mock.patch.object(stage, "AT_LAST", 0):
            self.assertIsNone(found.after(doom, brief=True))

    def test_where_all_that_comes_is_too_much_no_reason_is_told(self):
        with mock.patch.object(stage, "AFTERWARDS", 0):
            (told,) = told_early(known()).findings
        self.assertEqual(told.why, ())
        self.assertIn("there are moves, but no win", told.explanation[0])
        self.assertEqual(told.explanation[1:], (UNTOLD,))

    def test_after_a_limit_a_reason_that_takes_little_is_told_all_the_same(self):
        found = known()
        found.budget.end(LimitReached("the limit of a test"))
        with self.assertRaises(LimitReached):
            found.budget.check_limits()
        (told,) = told_early(found).findings
        self.assertTrue(told.why)

    def test_what_was_told_of_a_play_is_not_told_anew(self):
        found, words = known(), ToldBefore()
        first = told_early(found, words)
        with mock.patch.object(stage, "explore_after") as explored:
            again = told_early(found, words)
        explored.assert_not_called()
        self.assertEqual(again, first)


class InRandomWorlds(unittest.TestCase):
    def test_lost_is_what_all_situations_know_of_no_win_from(self):
        lost = left = 0
        unbound = mock.patch.multiple(exhausting, AT_FIRST=10**6, MOST=10**6, VAIN=10**6)
        for name, system, space in small_worlds(sampled(24), MAKERS):
            live = set(judge(space).live)
            with unbound:
                hunt = Hunt(Seeker(system, Budget(Limits())))
                for number in range(0, len(space.words), 1 + len(space.words) // 30):
                    word = space.words[number]
                    if hunt.rooms.is_over(word):
                        continue
                    shown = hunt.exhausting.shows_lost(hunt.rooms.room(word))
                    with self.subTest(world=name, situation=number):
                        self.assertEqual(shown, number not in live)
                    lost += shown
                    left += not shown
            numbers = {word: number for number, word in enumerate(space.words)}
            with self.subTest(world=name):
                self.assertEqual([n for n in hunt.lost if numbers[n] in live], [])
        self.assertGreater(lost, least(100))
        self.assertGreater(left, least(100))

    def test_a_few_rooms_show_nothing_untrue_where_wins_are_known(self):
        lost = 0
        few = mock.patch.multiple(exhausting, AT_FIRST=3, FEWEST=3, MOST=3, VAIN=10**6)
        for name, system, space in small_worlds(sampled(24), MAKERS):
            live, numbers = judge(space).live, {word: n for n, word in enumerate(space.words)}
            with few:
                hunt = Hunt(Seeker(system, Budget(Limits())))
                if not hunt.first_win():
                    continue
                for word in space.words[:: 1 + len(space.words) // 30]:
                    if not hunt.rooms.is_over(word):
                        lost += hunt.exhausting.shows_lost(hunt.rooms.room(word))
            with self.subTest(world=name):
                self.assertEqual([n for n in hunt.lost if numbers[n] in live], [])
        self.assertGreater(lost, least(20))

    def test_so_much_in_vain_and_nobody_looks_any_more(self):
        for _, system, space in small_worlds(sampled(8), MAKERS):
            # the start has number 0
            if 0 not in judge(space).live:
                continue
            hunt = Hunt(Seeker(system, Budget(Limits())))
            with mock.patch.object(exhausting, "VAIN", 0):
                for _ in range(2):
                    self.assertFalse(hunt.exhausting.shows_lost(hunt.start))
                spent = hunt.seeker.budget.work
                self.assertFalse(hunt.exhausting.shows_lost(hunt.start))
            self.assertEqual(hunt.seeker.budget.work, spent)
            self.assertLess(hunt.exhausting.most, exhausting.AT_FIRST)
            return
        self.fail("some world can be won")
