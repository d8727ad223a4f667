"""Time that runs out: whether there is enough for a win, and wins of who first sees to it."""

import unittest
from collections import Counter
from random import Random
from unittest import mock

from tests.conditions import ROOT
from tests.deadline_worlds import deadline_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.certain import hunt as hunt_module
from zubrel.certain import leaving as leaving_module
from zubrel.certain.clocks import Timing
from zubrel.certain.hunt import Hunt
from zubrel.certain.leaving import Leaving
from zubrel.certain.safety import SafeSearch, denials_of
from zubrel.certain.stage import Looking, certain
from zubrel.certain.turnover import bounds_of
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.compiled.relaxation import Relaxation
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.judged import judge
from zubrel.looks import EarlyLooks
from zubrel.pipeline import load

JOURNEY = """
zubrel: 1
start: {at: quay}
meters: {day: {to: 9}}
areas:
  quay: {ways: [{to: pier, adds: {day: 2}}], deeds: {wait: {adds: {day: 1}}}}
  pier: {ways: [{to: tower, adds: {day: 2}}]}
  tower: {}
endings:
  late: {kind: bad, when: day >= 8}
  won: {when: at tower}
"""
DEBT = """
zubrel: 1
start: {at: quay, holding: [3 coin]}
items: {coin: {max: 9}, lens: Lens}
meters: {debt: {to: 4, start: 4}, day: {to: 6}}
areas:
  quay:
    ways: [{to: tower, needs: lens, adds: {day: 1}}]
    finds: [lens]
    deeds:
      work: {gives: 2 coin, adds: {day: 1}}
      pay: {needs: debt > 0, takes: 2 coin, adds: {debt: -1}}
  tower: {deeds: {light: {needs: coin >= 9, ends: won}}, ways: []}
endings:
  late: {kind: bad, when: day = 6 and debt > 0}
  won: {}
"""


def system_of(text):
    return compile_world(loads(text))


def timing_of(text):
    system = system_of(text)
    return system, Timing(system, Relaxation(system, Budget(Limits())))


def first_win(name):
    """A win of a world as people write them, found with 1.5 million units of work, or None."""
    budget = Budget(Limits())
    system = compile_world(load(str(ROOT / f"benchmarks/written/{name}.yaml")), budget)
    early = EarlyLooks(system, budget, Silence())
    return Looking(system, budget, early._made_smaller).for_a_win(1_500_000).win


def on_day(system, day):
    """The start of a world on some day, as sets of one value each."""
    number = next(n for n, v in enumerate(system.variables) if v.key == ("meter", "day"))
    values = list(system.start)
    values[number] = day
    pairs = zip(values, system.variables, strict=True)
    return [1 << value - variable.low for value, variable in pairs]


class Clocks(unittest.TestCase):
    def test_days_on_the_way_add_up(self):
        system, timing = timing_of(JOURNEY)
        # four days to the tower, and the last of them is the eighth at the latest
        told = [timing.may_win(on_day(system, day)) for day in range(8)]
        self.assertEqual(told, [True] * 4 + [False] * 4)

    def test_of_two_endings_that_are_due_at_once_the_first_counts(self):
        # the win stands first now, and comes on the last day
        last = JOURNEY.replace("  won: {when: at tower}\n", "")
        last = last.replace("endings:\n", "endings:\n  won: {when: at tower}\n")
        system, timing = timing_of(last)
        self.assertTrue(timing.may_win(on_day(system, 5)))
        self.assertFalse(timing.may_win(on_day(system, 6)))

    def test_what_can_be_turned_back_is_no_clock(self):
        back = JOURNEY.replace("wait: {adds: {day: 1}}", "wait: {adds: {day: -1}}")
        self.assertEqual(timing_of(back)[1].clocks, [])
        self.assertEqual(len(timing_of(JOURNEY)[1].clocks), 1)
        zeroed = JOURNEY.replace("wait: {adds: {day: 1}}", "wait: {sets: {day: 0}}")
        self.assertEqual(timing_of(zeroed)[1].clocks, [])

    def test_what_keeps_the_ending_away_gives_all_the_time_there_is(self):
        due = DEBT.replace("coin >= 9", "coin >= 3")
        system, timing = timing_of(due)
        # a single coin short: the last day may see the debt paid, and no more
        self.assertTrue(timing.may_win(on_day(system, 5)))
        unpaid = due.replace("takes: 2 coin, adds: {debt: -1}", "takes: 2 coin, adds: {debt: 0}")
        self.assertFalse(timing_of(unpaid)[1].may_win(on_day(system, 5)))
        self.assertTrue(timing_of(unpaid)[1].may_win(on_day(system, 4)))
        # whoever has come past it, has done it
        self.assertTrue(timing_of(unpaid)[1].may_win(on_day(system, 6)))

    def test_where_a_win_is_left_there_is_time_for_it(self):
        live = told = more = 0
        for name, system, space in small_worlds(sampled(400), (deadline_world,)):
            judged, relaxation = judge(space), Relaxation(system, Budget(Limits()))
            timing = Timing(system, relaxation)
            # each is asked, however much time it has
            timing.longest = [1 << 20] * len(timing.clocks)
            for number in range(0, len(space.words), 1 + len(space.words) // 60):
                domains = relaxation.domains(space.packing.unpack([space.words[number]]))
                may_win = timing.may_win(domains)
                if number in judged.live:
                    live += 1
                    with self.subTest(world=name, situation=number):
                        self.assertTrue(may_win)
                elif number in judged.doomed and not may_win:
                    told += 1
                    more += relaxation.may_win(domains)
        self.assertGreater(live, least(3_000))
        self.assertGreater(told, least(4_000))
        # sets of values alone do not know it of these
        self.assertGreater(more, least(1_200))

    def test_what_is_certain_of_worlds_with_deadlines_is_true(self):
        dooms = 0
        for name, system, space in small_worlds(sampled(1_000, 1_200), (deadline_world,)):
            judged = judge(space)
            exact = {(f.kind, f.subject) for f in softlocks(judged)}
            known = certain(system, 60_000, Budget(Limits()))
            with self.subTest(world=name):
                self.assertLessEqual({(d.kind, d.step.rule.id) for d in known.dooms}, exact)
                self.assertTrue(not known.unwinnable or judged.verdict == "unwinnable")
                self.assertTrue(known.win is None or judged.verdict != "unwinnable")
            dooms += len(known.dooms)
        self.assertGreater(dooms, least(120))


class Safety(unittest.TestCase):
    def seeker(self, text):
        return Seeker(system_of(text), Budget(Limits()))

    def denied(self, text):
        seeker = self.seeker(text)
        names = [seeker.system.variables[d.variable].key for d in denials_of(seeker)]
        return list(zip(names, (d.mask for d in denials_of(seeker)), strict=True))

    def test_a_debt_that_is_paid_stays_paid(self):
        self.assertEqual(self.denied(DEBT), [(("meter", "debt"), 1)])

    def test_what_may_come_back_denies_nothing(self):
        borrowed = DEBT.replace("work:", "borrow: {gives: coin, adds: {debt: 1}}\n      work:")
        self.assertEqual(self.denied(borrowed), [])

    def test_what_is_so_from_the_first_is_not_looked_for(self):
        self.assertEqual(self.denied(DEBT.replace("start: 4}", "start: 0}")), [])

    def test_the_debt_is_paid_first_and_then_the_world_is_won(self):
        seeker = self.seeker(DEBT)
        start = seeker.rooms.room(seeker.rooms.start())
        path = SafeSearch(seeker, start, denials_of(seeker)).run()
        self.assertTrue(seeker.rooms.is_won(path[-1].target))
        steps = [seeker.system.steps[e.step].rule.id for e in path]
        paid = max(n for n, step in enumerate(steps) if step == "pay")
        self.assertEqual(steps.count("pay"), 4)
        self.assertNotIn("tower", steps[:paid])

    def test_what_has_come_true_on_the_way_is_not_looked_for(self):
        seeker = self.seeker(DEBT)
        start, denials = seeker.rooms.room(seeker.rooms.start()), denials_of(seeker)
        twice = SafeSearch(seeker, start, [*denials, *denials]).run()
        self.assertEqual(twice, SafeSearch(seeker, start, denials).run())

    def test_a_win_that_nothing_else_finds_so_soon(self):
        # three acts, six towns, sixty crowns due in the 24th week
        self.assertIsNotNone(first_win("circus"))
        with mock.patch.object(hunt_module, "denials_of", return_value=[]):
            self.assertIsNone(first_win("circus"))


HUNGRY = """
zubrel: 1
start: {at: quay}
items: {loaf: {name: Loaf, max: 2}, stone: {max: 9}}
meters: {hunger: {to: 4}, warmth: {to: 5, start: 3}}
areas:
  quay:
    finds: [{item: loaf, again: always}]
    deeds:
      carry: {gives: stone, adds: {hunger: 1, warmth: -1}}
      stoke: {adds: {warmth: 2}}
    ways: [{to: tower, needs: 9 stone}]
  tower: {}
deeds: {eat: {takes: loaf, adds: {hunger: -2}, needs: hunger > 0}}
endings:
  starved: {kind: bad, when: hunger >= 4}
  frozen: {kind: bad, when: warmth = 0}
  won: {when: at tower}
"""


class Endurance(unittest.TestCase):
    def often(self, seeker, planner):
        plan = planner.plan(seeker.domains(seeker.rooms.start()))
        steps = [seeker.relaxation.operators.all[number].step for number in plan]
        return Counter(step.rule.id for step in steps if step is not None)

    def test_plans_eat_and_keep_warm_as_often_as_they_must(self):
        seeker = Seeker(system_of(HUNGRY), Budget(Limits()))
        often = self.often(seeker, seeker.enduring)
        # nine stones are nine hungers, of which three can be borne, and nine cold hands
        self.assertEqual((often["carry"], often["eat"], often["quay_loaf"]), (9, 3, 3))
        # of three degrees the last is never lost
        self.assertEqual(often["stoke"], 4)
        careless = self.often(seeker, seeker.planner)
        self.assertEqual((careless["carry"], careless["eat"], careless["stoke"]), (9, 0, 3))

    def test_where_nothing_is_made_good_there_are_no_such_plans(self):
        never = HUNGRY.replace("eat: {takes: loaf, adds: {hunger: -2}", "eat: {takes: loaf")
        never = never.replace("stoke: {adds: {warmth: 2}}", "stoke: {gives: loaf}")
        self.assertIsNone(Seeker(system_of(never), Budget(Limits())).enduring)
        self.assertIsNone(Seeker(system_of(JOURNEY), Budget(Limits())).enduring)

    def test_what_ends_the_game_well_is_nothing_to_keep_away_from(self):
        system = system_of(HUNGRY.replace("{when: at tower}", "{when: warmth = 5}"))
        keys = [system.variables[v].key for v in bounds_of(system).ceilings]
        self.assertEqual(keys, [("meter", "hunger")])
        self.assertEqual(list(bounds_of(system).floors.values()), [1])

    def test_a_win_that_careless_plans_do_not_find_so_soon(self):
        self.assertIsNotNone(first_win("kiln"))
        with mock.patch.object(Seeker, "enduring", None):
            self.assertIsNone(first_win("kiln"))

    def test_what_was_bought_is_not_sold_for_coins_where_salt_is_to_be_had(self):
        text = """
zubrel: 1
start: {at: quay}
items: {coin: {kind: money, max: 60}, salt: {max: 4}, silk: {max: 3}, lens: {max: 1}}
areas:
  quay: {finds: [{item: salt, again: always}], ways: [{to: tower, needs: [2 silk, lens]}]}
  tower: {}
shops: {stall: {at: quay, sells: {silk: 5, lens: 9}, buys: {silk: 3, salt: 1}}}
endings: {won: {when: at tower}}
"""
        seeker = Seeker(system_of(text), Budget(Limits()))
        often = self.often(seeker, seeker.planner)
        # one may be: the fewest layers lead by it to coins
        self.assertLessEqual(often["stall_sell_silk"], 1)
        self.assertGreater(often["stall_sell_salt"], 10)
        self.assertLess(often.total(), 60)


class Edges(unittest.TestCase):
    def test_where_one_move_dooms_others_are_tried(self):
        fishing = "pier: {deeds: {fish: {adds: {day: 1}}}, "
        system = system_of(JOURNEY.replace("pier: {", fishing))
        hunt = Hunt(Seeker(system, Budget(Limits())))
        self.assertTrue(hunt.first_win())
        leaving = Leaving(hunt)
        by_id = {s.rule.id: s.number for s in system.steps}
        self.assertFalse(leaving._rush_on_next())
        # after the third day there is no day to lose
        room = hunt.start
        for _ in range(3):
            exit_ = next(e for e in room.exits if e.step == by_id["wait"])
            room = hunt.behind(room, exit_)
        self.assertTrue(hunt.is_live(room, None))
        exit_ = next(e for e in room.exits if e.step == by_id["wait"])
        self.assertTrue(hunt.is_lost(hunt.rooms.room(exit_.target)))
        hunt.note(room, exit_)
        while leaving._rush_on_next():
            pass
        told = {d.step.rule.id for d in hunt.dooms.values()}
        self.assertEqual(told, {"wait", "fish", "pier_to_quay"})

    def test_a_play_that_wastes_does_the_same_over_and_over(self):
        leaving = Leaving(Hunt(Seeker(system_of(JOURNEY), Budget(Limits()))))
        room = leaving.hunt.start
        for last in room.exits:
            # whatever the dice say
            for number in range(20):
                leaving.random = Random(number)
                with mock.patch.object(leaving_module, "AGAIN", 1):
                    self.assertEqual(leaving._chosen(room, set(), last).step, last.step)
            # where it leads nowhere new, it is left
            there = {leaving.rooms.room(last.target).name}
            with mock.patch.object(leaving_module, "AGAIN", 1):
                self.assertNotEqual(leaving._chosen(room, there, last).step, last.step)


if __name__ == "__main__":
    unittest.main()
