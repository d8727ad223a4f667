"""Plans, quick wins and the hunt for moves that doom: by hand, and in random worlds."""

import unittest
from unittest import mock

from benchmarks.families import realm
from msgspec.structs import replace

from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, LimitReached, Limits, WorkSpent
from zubrel.certain.hunt import BROAD_TURN, FIRST_TURN, Hunt, _Kind
from zubrel.certain.plans import Planner
from zubrel.certain.stage import Looking, certain
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.compiled.possible import places_of
from zubrel.compiled.relaxation import Relaxation
from zubrel.explored.packed.stepping import Walking
from zubrel.findings.judged import judge
from zubrel.narrated.early import MOST_NEWS, told_early
from zubrel.reduced.result import formulas_of, unreduced
from zubrel.reduced.values import values

HEAD = "zubrel: 1\nstart: {at: quay}\nendings: {won: {name: Won, when: at tower}}\n"


def system_of(text):
    return compile_world(loads(HEAD + text))


def known(text, work=200_000):
    return certain(system_of(text), work, Budget(Limits()))


def dooms(text):
    return {(d.kind, d.step.rule.id): d for d in known(text).dooms}


def small_systems(seeds):
    return small_worlds(seeds, (stress_world, trade_world, passage_world))


LANTERN = """
items:
  coin: {name: Coin, kind: money, max: 9}
  lantern: Lantern
  shell: {name: Shell, max: 4}
areas:
  quay:
    finds: [lantern, shell, shell, shell]
    ways: [market]
  market: {ways: [{to: cave, needs: lantern}]}
  cave: {ways: [tower]}
  tower: {}
shops: {stall: {at: market, buys: {lantern: 4, shell: 1}}}
"""
TOSS = """
items: {coin: Coin}
areas:
  quay:
    finds: [coin]
    ways: [{to: tower, needs: coin}]
    deeds: {toss: {needs: coin, chance: [{odds: 1, loses: coin}, {odds: 1, sets: {heads: true}}]}}
  tower: {}
facts: {heads: {}}
"""


SAND = """
items: {coin: {name: Coin, kind: money, max: 1000000}, lamp: {name: Lamp, uses: 3}}
meters: {sand: {to: 1000000}}
facts: {lit: {}}
areas:
  quay:
    finds: [lamp]
    deeds:
      dig: {adds: {sand: 1}, once: false}
      heap: {adds: {sand: 3}, gives: 2 coin, once: false}
      tip: {sets: {sand: 999990}, needs: lit}
      light: {takes: 7 coin, wears: lamp, sets: {lit: true}, once: false}
      spill: {sets: {sand: 0}, once: false}
    ways: [{to: tower, needs: [sand >= 900000, lit]}]
  tower: {}
"""
"""Amounts with more values than can be followed one by one."""


class ByHand(unittest.TestCase):
    def test_the_only_lantern_can_be_sold(self):
        found = dooms(LANTERN)
        self.assertEqual(set(found), {("softlock", "stall_sell_lantern")})
        (doom,) = found.values()
        # taken, carried to the market, sold: nothing is left in that it can do without
        self.assertEqual(
            [s.rule.id for s in doom.walk], ["quay_lantern", "quay_to_market", "stall_sell_lantern"]
        )
        self.assertEqual([s.rule.id for s in doom.onward], ["market_to_cave", "cave_to_tower"])

    def test_a_lantern_that_is_sold_again_dooms_nobody(self):
        again = LANTERN.replace("buys: {lantern", "sells: {lantern: 4}, buys: {lantern")
        self.assertEqual(dooms(again), {})

    def test_luck_is_to_blame_where_another_outcome_spares_the_player(self):
        self.assertEqual(set(dooms(TOSS)), {("bad_luck", "toss")})

    def test_where_all_outcomes_doom_luck_is_not_to_blame(self):
        both = TOSS.replace(
            "{odds: 1, sets: {heads: true}}", "{odds: 1, loses: coin, sets: {heads: true}}"
        )
        self.assertEqual(set(dooms(both)), {("softlock", "toss")})

    def test_a_game_that_is_lost_for_good_is_over_and_not_doomed(self):
        over = (
            """
areas: {quay: {ways: [tower, {to: reef, one_way: true}]}, reef: {}, tower: {}}
"""
            + "endings: {won: {when: at tower}, sunk: {kind: bad, when: at reef}}\n"
        )
        text = "zubrel: 1\nstart: {at: quay}\n" + over
        found = certain(compile_world(loads(text)), 100_000, Budget(Limits()))
        self.assertEqual(found.dooms, ())
        self.assertIsNotNone(found.win)

    def test_what_cannot_be_carried_together_can_never_be_asked_for(self):
        text = """
items: {shard: {name: Shard, max: 20}}
carry: [{limit: 3, of: [shard]}]
areas:
  quay:
    finds: [{item: shard, count: 2}, {item: shard, count: 2}]
    ways: [{to: tower, needs: 4 shard}]
  tower: {}
"""
        found = known(text)
        self.assertTrue(found.unwinnable)
        early = told_early(found)
        self.assertEqual([f.kind for f in early.findings][:1], ["unwinnable"])
        said = " ".join(early.findings[0].explanation)
        self.assertIn("no more than 2 can be had together", said)  # two more would not fit

    def test_what_is_gained_once_is_counted_once(self):
        text = """
items: {oil: {name: Oil, max: 9}}
areas:
  quay: {finds: [oil, oil], ways: [{to: tower, needs: 3 oil}]}
  tower: {}
"""
        self.assertTrue(known(text).unwinnable)
        more = text.replace("finds: [oil, oil]", "finds: [oil, oil, oil]")
        self.assertIsNotNone(known(more).win)

    def test_lines_for_whoever_waits_name_file_and_line(self):
        lines = told_early(known(LANTERN)).news(None)
        self.assertEqual(lines[0], "certain already: it can be won, in at most 4 moves")
        self.assertRegex(lines[1], r"softlock stall_sell_lantern, <text>:\d+:\d+, after 3 moves")

    def test_of_many_alike_a_few_are_named_and_the_others_counted_and_each_is_told_once(self):
        lost = "".join(f"  shell_{n}: Shell {n}\n" for n in range(MOST_NEWS + 5))
        early = told_early(
            known(LANTERN.replace("  lantern: Lantern\n", f"  lantern: Lantern\n{lost}"))
        )
        named = [line for line in early.news(None) if "unreachable shell_" in line]
        self.assertEqual(len(named), MOST_NEWS)
        self.assertIn("certain already: unreachable, 5 more", early.news(None))
        self.assertEqual(early.news(early), [])
        without = replace(early, win=None)
        self.assertEqual(early.news(without), early.news(None)[:1])

    def test_accepted_findings_stay_accepted(self):
        accept = "accept: [{finding: softlock, of: stall_sell_lantern, because: so be it}]\n"
        (finding,) = told_early(known(LANTERN + accept)).findings
        self.assertTrue(finding.accepted)
        self.assertEqual(finding.because, "so be it")


def sets_of_one(space, relaxation, situations, most=8):
    """About so many situations of a set, as sets of one value a variable, with their numbers."""
    for number in sorted(situations)[:: 1 + len(situations) // most]:
        values = space.packing.unpack([space.words[number]])
        yield number, relaxation.domains(values)


class Plans(unittest.TestCase):
    def test_a_plan_wins_when_its_operators_are_applied_to_sets(self):
        held = made = 0
        for name, system, space in small_systems(sampled(12)):
            judged = judge(space)
            relaxation = Relaxation(system, Budget(Limits()))
            planner = Planner(relaxation)
            for number, start in sets_of_one(space, relaxation, judged.live):
                plan = planner.plan(start)
                with self.subTest(world=name, situation=number):
                    self.assertIsNotNone(plan)
                    self.assertGreaterEqual(len(plan), planner.cost(plan))
                made += 1
                held += relaxation.plan_holds(start, plan)
        self.assertGreater(made, least(100))
        self.assertGreater(held, 0.9 * made)

    def test_no_plan_is_a_proof_as_well(self):
        refused = 0
        for name, system, space in small_systems(sampled(12)):
            judged = judge(space)
            relaxation = Relaxation(system, Budget(Limits()))
            planner = Planner(relaxation)
            for number, start in sets_of_one(space, relaxation, judged.doomed):
                if planner.plan(start) is None:
                    refused += 1
                    with self.subTest(world=name, situation=number):
                        self.assertFalse(relaxation.may_win(start))
        self.assertGreater(refused, least(40))

    def test_a_way_to_a_step_ends_with_it_and_can_be_walked(self):
        found = 0
        for name, system, _ in small_systems(sampled(8)):
            seeker, walking = Seeker(system, Budget(Limits())), Walking(system)
            hunt = Hunt(seeker)
            for step in system.steps[:12]:
                path = seeker.to_step(hunt.start, step.number, 20)
                if path is None:
                    continue
                word = walking.start()
                for number in hunt.spelled_out(path):
                    word = walking.after(word, system.steps[number])
                    with self.subTest(world=name, step=step.rule.id):
                        self.assertIsNotNone(word)
                with self.subTest(world=name, step=step.rule.id):
                    self.assertEqual(path[-1].step, step.number)
                found += 1
        self.assertGreater(found, least(80))


class Amounts(unittest.TestCase):
    """Amounts too large to be followed value by value: less is told, nothing untrue, no error."""

    def test_the_first_win_of_a_game_of_amounts_is_played(self):
        text = SAND.replace("sand >= 900000", "sand >= 9")
        found = known(text, 2_000_000)
        self.assertFalse(found.unwinnable)
        self.assertIsNotNone(found.win)

    def test_a_far_amount_is_never_told_to_be_out_of_reach(self):
        found = known(SAND, 2_000_000)
        self.assertFalse(found.unwinnable)
        self.assertEqual([d.step.rule.id for d in found.dooms], [])

    def test_all_values_are_possible_where_it_is_too_much_to_find_out(self):
        system = system_of(SAND)
        sand = next(n for n, v in enumerate(system.variables) if v.key[0] == "meter")
        self.assertEqual(system.possible_values[sand], (1 << 1_000_001) - 1)
        self.assertEqual(
            formulas_of(values(unreduced(system)).system), formulas_of(unreduced(system).system)
        )

    def test_places_of_a_mask_are_its_bits(self):
        for mask in (0, 1, 0b1011000, 1 << 70, (1 << 20_000) - 1):
            places = places_of(mask)
            self.assertEqual(sum(1 << p for p in places), mask)
            self.assertEqual(places, sorted(set(places)))

    def test_every_change_of_a_large_amount_is_written_as_the_values_that_follow(self):
        system = system_of(SAND)
        relaxation = Relaxation(system, Budget(Limits()))
        sand = next(n for n, v in enumerate(system.variables) if v.key[0] == "meter")
        lit = next(n for n, v in enumerate(system.variables) if v.key == ("fact", "lit"))
        full = 1_000_000
        after = {"dig": min(5 + 1, full), "heap": 5 + 3, "tip": 999_990, "spill": 0}
        for number, operator in enumerate(relaxation.operators.all):
            rule = operator.step.rule.id if operator.step else None
            if rule not in after:
                continue
            domains = relaxation.domains(system.start)
            domains[sand], domains[lit] = 1 << 5, 0b11
            reached = list(domains)
            relaxation.operators.run[number](domains, reached, [])
            with self.subTest(rule=rule):
                self.assertEqual(reached[sand], 1 << 5 | 1 << after.pop(rule))
        self.assertEqual(after, {})


class Spending:
    """In place of a search: notes what it was given, and never finds anything."""

    def __init__(self, budget):
        self.budget = budget
        self.given = 0

    def run(self):
        while True:
            self.budget.spend(1_000)
            self.given += 1_000


class Turns(unittest.TestCase):
    """Each search for a first win has its share, however often all of it is interrupted."""

    def given(self, shares):
        budget = Budget(Limits())
        hunt = Hunt(Seeker(system_of(LANTERN), budget))
        searches = {name: Spending(budget) for name in ("plans", "new", "broad")}
        hunt.kinds = [_Kind([searches["plans"]]), _Kind([searches["new"]])]
        more = mock.patch.object(Hunt, "_more", lambda _: [_Kind([searches["broad"]], BROAD_TURN)])
        with more:
            for share in shares:
                with self.assertRaises(WorkSpent), budget.within(share):
                    hunt.first_win()
        return {name: search.given / FIRST_TURN for name, search in searches.items()}

    def test_turns_are_kept_to_where_a_share_ends_in_their_midst(self):
        # a round, one of turns twice as long with one search more, and half of the first turn of
        # the third, which is that one's
        whole = 2 + 2 * (2 + BROAD_TURN) + 2 * BROAD_TURN
        once = self.given([whole * FIRST_TURN])
        for name, turns in (("plans", 3), ("new", 3), ("broad", 2 * BROAD_TURN + 2 * BROAD_TURN)):
            self.assertAlmostEqual(once[name], turns, delta=0.05)
        pieces = self.given([0.3 * FIRST_TURN] * round(whole / 0.3))
        for name, turns in once.items():
            self.assertAlmostEqual(pieces[name], turns, delta=0.5)

    def test_a_search_that_has_met_all_is_asked_no_more(self):
        hunt = Hunt(Seeker(system_of(LANTERN), Budget(Limits())))
        ended = mock.Mock(run=mock.Mock(return_value=None))
        hunt.kinds = [_Kind([ended])]
        self.assertFalse(hunt.first_win())
        ended.run.assert_called_once_with()


class Work(unittest.TestCase):
    def test_more_work_keeps_what_was_found_and_finds_no_less(self):
        system = compile_world(loads(realm("s", 1)))
        looking = Looking(system, Budget(Limits()))
        before: set[int] = set()
        for _ in range(4):
            now = {d.step.number for d in looking.go_on(300_000).dooms}
            self.assertLessEqual(before, now)
            before = now
        self.assertTrue(before)

    def test_work_aside_does_not_count(self):
        budget = Budget(Limits())
        certain(system_of(LANTERN), 100_000, budget)
        self.assertEqual(budget.work, 0)

    def test_a_limit_ends_the_look_with_what_it_has(self):
        budget = Budget(Limits(seconds=0.001), before=10)
        with self.assertRaises(LimitReached):
            budget.check_limits()
        looking = Looking(system_of(LANTERN), Budget(Limits()))
        looking.budget.on_check = budget.check_limits
        found = looking.go_on(1e9)  # without the limit it would go on for long
        self.assertLess(looking.budget.work, 1e8)
        self.assertFalse(found.unwinnable)

    def test_something_else_is_done_in_the_midst_of_work_once_and_in_its_time(self):
        budget, done = Budget(Limits()), []
        budget.meanwhile(50_000, lambda: done.append(budget.work))
        for _ in range(100):
            budget.spend(1_000)
        self.assertEqual(len(done), 1)
        self.assertGreaterEqual(done[0], 50_000)
        self.assertLess(done[0], 60_000)

    def test_what_is_done_in_between_may_wait_for_more_and_shares_no_ceiling(self):
        budget, done = Budget(Limits()), []

        def again():
            done.append(budget.work)
            if len(done) < 3:
                budget.meanwhile(20_000, again)
            budget.aside().spend(10**9)  # far beyond the share of the work it interrupts

        budget.meanwhile(20_000, again)
        with self.assertRaises(WorkSpent), budget.within(90_000):
            while True:
                budget.spend(1_000)
        self.assertEqual(len(done), 3)
        self.assertEqual(done, sorted(done))


if __name__ == "__main__":
    unittest.main()
