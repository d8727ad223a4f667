"""What plans use up is made again in them, and what is gone for good comes late."""

import unittest
from collections import Counter

from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.certain.hunt import Hunt
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world

SALT = """
zubrel: 1
title: Salt for a boat
start: {at: pans}
items:
  coin: {kind: money, max: 40}
  salt: {max: 4}
meters:
  strength: {to: 3, start: 3}
areas:
  pans:
    finds: [{item: salt, again: always, needs: strength >= 1, adds: {strength: -1}}]
    deeds: {rest: {sets: {strength: 3}}}
    ways: [quay]
  quay: {deeds: {sail: {takes: 20 coin, ends: away}}}
shops: {chandler: {at: quay, buys: {salt: 2}}}
endings: {away: Away}
"""
TIDES = """
zubrel: 1
title: Before the flood
start: {at: pans}
items: {shell: {max: 3}, net: Net}
facts: {tide: {values: [low, rising, high]}}
areas:
  pans:
    finds: [net, {item: shell, again: always, needs: tide = low}]
    deeds:
      wait: {needs: tide != high, sets: {tide: next}}
      swim: {needs: [tide = high, net], takes: 3 shell, ends: away}
endings: {away: Away}
"""


STALL = """
zubrel: 1
title: A toll
start: {at: quay, holding: [3 coin, 5 shell]}
items:
  coin: {kind: money, max: 40}
  shell: {max: 9}
  lamp: {max: 9}
areas:
  quay: {finds: [4 coin], deeds: {cross: {takes: 15 coin, ends: over}}}
shops: {stall: {at: quay, sells: {shell: 2}, buys: {shell: 1}}}
endings: {over: Over}
"""


def seeker_of(text):
    return Seeker(compile_world(loads(text)), Budget(Limits()))


def often(seeker, room):
    """How often each rule is in the plan of a room, by its id."""
    operators = seeker.relaxation.operators.all
    steps = (operators[number].step for number in seeker.plan(room)[1])
    return Counter(step.rule.id for step in steps if step is not None)


def late_of(seeker):
    return {seeker.system.steps[number].rule.id for number in seeker.late}


def start_of(seeker):
    return seeker.rooms.room(seeker.rooms.start())


class MadeAgain(unittest.TestCase):
    def test_what_is_sold_is_gathered_and_the_strength_for_it_comes_back(self):
        seeker = seeker_of(SALT)
        plan = often(seeker, start_of(seeker))
        self.assertEqual(plan["chandler_sell_salt"], 10)
        self.assertEqual(plan["pans_salt"], 10)
        # three are gathered before the first rest, and three after each
        self.assertEqual(plan["rest"], 3)

    def test_what_is_held_already_is_not_made(self):
        seeker = seeker_of(SALT.replace("{at: pans}", "{at: pans, holding: [12 coin, 3 salt]}"))
        plan = often(seeker, start_of(seeker))
        self.assertEqual(plan["chandler_sell_salt"], 4)
        self.assertEqual(plan["pans_salt"], 1)
        self.assertEqual(plan["rest"], 0)

    def test_what_takes_more_than_it_makes_comes_to_an_end(self):
        lossy = SALT.replace("max: 4}", "max: 4}\n  brine: {max: 4}").replace(
            "{item: salt, again: always,", "{item: salt, again: always, takes: 2 brine,"
        )
        lossy += "recipes: {soak: {at: pans, takes: 2 salt, gives: brine}}\n"
        seeker = seeker_of(lossy.replace("{at: pans}", "{at: pans, holding: [4 salt]}"))
        plan = often(seeker, start_of(seeker))
        # to soak salt for the brine that salt is gathered with gains nothing: it is done for the
        # brine that the plan begins with, and not for what that takes
        self.assertEqual((plan["chandler_sell_salt"], plan["pans_salt"]), (10, 10))
        self.assertLess(plan.total(), 40)

    def test_what_is_sold_for_less_than_it_was_bought_for_makes_no_money(self):
        seeker = seeker_of(STALL)
        plan = often(seeker, start_of(seeker))
        self.assertEqual(plan["stall_buy_shell"], 0)
        self.assertEqual(plan["quay_coin"], 1)
        coin, shell = (
            next(s for s in seeker.planner.upkeep.makers if self.is_of(seeker, s, item))
            for item in ("coin", "shell")
        )
        self.assertFalse({coin, shell} & seeker.planner.upkeep.lasting)
        # but a coin that was spent is no door that is shut for good: there is a shell to sell
        self.assertLessEqual({coin, shell}, seeker.planner.upkeep.renewed)
        self.assertNotIn("stall_buy_shell", late_of(seeker))

    def test_what_is_made_into_more_than_it_was_bought_for_makes_money(self):
        dear = STALL.replace("buys: {shell: 1}", "buys: {shell: 1, lamp: 3}")
        seeker = seeker_of(dear + "recipes: {mend: {at: quay, takes: shell, gives: lamp}}\n")
        coin = next(s for s in seeker.planner.upkeep.makers if self.is_of(seeker, s, "coin"))
        self.assertIn(coin, seeker.planner.upkeep.lasting)
        plan = often(seeker, start_of(seeker))
        self.assertEqual(plan["stall_sell_lamp"], 3)
        self.assertEqual(plan["mend"], plan["stall_sell_lamp"])

    def is_of(self, seeker, supply, item):
        return seeker.system.variables[supply[0]].key[1] == item

    def test_plans_of_random_worlds_use_up_no_more_than_there_is_and_is_made(self):
        balanced = looked = 0
        for _, system, space in small_worlds(sampled(8), (stress_world, trade_world)):
            seeker = Seeker(system, Budget(Limits()))
            for situation in space.examples(space.everything, 12):
                values = system.values(situation)
                word = seeker.rooms.packing.pack(values)[0]
                if seeker.rooms.is_over(word):
                    continue
                room = seeker.rooms.room(word)
                plan = seeker.plan(room)
                if plan is None:
                    continue
                here = seeker.rooms.values(room.name)
                now = [v - d.low for v, d in zip(here, system.variables, strict=True)]
                looked += 1
                balanced += not seeker.planner.upkeep.lacking(Counter(plan[1]), {}, now)
        self.assertGreater(looked, least(60))
        self.assertGreater(balanced, 0.9 * looked)


class Late(unittest.TestCase):
    def test_what_ends_a_season_is_late_and_what_can_be_done_again_is_not(self):
        seeker = seeker_of(TIDES)
        self.assertEqual(late_of(seeker), {"wait"})

    def test_a_win_behind_seasons_is_found_without_going_back(self):
        seeker = seeker_of(TIDES)
        hunt = Hunt(seeker)
        self.assertTrue(hunt.first_win())
        self.assertEqual([s.rule.id for s in hunt.win()].count("wait"), 2)
        # one room after the other: no room is looked at from which a plan was not followed
        self.assertLess(len(hunt.kinds[0].searches[0].expanded), 6)
