"""Plays that go wherever something is new: what they show is there."""

import random
import unittest
from collections import Counter
from functools import partial
from itertools import combinations
from unittest import mock

import numpy as np
from benchmarks.families import realm

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, Limits, WorkSpent
from zubrel.base.source import Source
from zubrel.certain import scouting as scouting_module
from zubrel.certain.novelty import NovelSearch
from zubrel.certain.scouting import scouted
from zubrel.certain.wins import STALE, Seeker, WinSearch, _Seen
from zubrel.checked.check import check
from zubrel.checked.keys import ENDING
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within, both
from zubrel.explored.packed import novelty_arrays
from zubrel.explored.packed.novelty import MANY, NEW_VALUE, NOTHING_NEW, Novelty
from zubrel.explored.packed.novelty_arrays import VectorNovelty
from zubrel.explored.packed.packing import pack_into_one
from zubrel.findings.judged import judge

MAKERS = (random_world, stress_world, trade_world, passage_world, errand_world)
PURSE = """
zubrel: 1
title: The purse
start: {at: quay}
items: {coin: {kind: money, max: 40}}
areas:
  quay: {finds: [{item: coin, again: always}]}
deeds:
  pay: {takes: 30 coin, ends: seen}
  waste: {takes: coin}
endings: {seen: Seen}
"""


TWO_TOLLS = """
zubrel: 1
title: Two tolls and coins for one
start: {at: quay, holding: 4 coin}
items: {coin: {kind: money, max: 40}, shell: Shell, crab: Crab, weed: Weed}
areas:
  quay: {finds: [shell, crab, weed], ways: [{to: shed, lock: outer}]}
  shed: {ways: [{to: loft, lock: inner}]}
  loft: {}
locks: {outer: {takes: 3 coin}, inner: {takes: 3 coin}}
endings: {seen: {name: Seen, when: at loft}}
"""
NEW_FIRST = partial(WinSearch, new_first=True)


def begun(system):
    budget = Budget(Limits())
    seeker = Seeker(system, budget)
    start = seeker.rooms.start()
    return seeker, None if seeker.rooms.is_over(start) else seeker.rooms.room(start)


class New(unittest.TestCase):
    def test_it_is_told_by_what_was_had_before_in_the_same_rank(self):
        for name, system, space in small_worlds(sampled(4), MAKERS):
            packing = pack_into_one(system.variables)
            novelty, had = Novelty(system.variables, packing), {}
            for number, situation in enumerate(space.examples(space.everything, 60)):
                values = system.values(situation)
                told = novelty.of(packing.pack(values)[0], number % 2)
                counting = [
                    (n, value)
                    for n, (v, value) in enumerate(zip(system.variables, values, strict=True))
                    if 1 < v.size <= MANY
                ]
                alone, together = had.setdefault(number % 2, (set(), set()))
                pairs = set(combinations(counting, 2))
                expected = 1 if set(counting) - alone else 2 if pairs - together else 3
                alone.update(counting)
                together.update(pairs)
                with self.subTest(world=name, situation=number):
                    self.assertEqual(told, expected)

    def test_columns_are_told_as_one_situation_after_the_other(self):
        told = Counter()
        for name, system, space in small_worlds(sampled(8), MAKERS):
            situations = [
                system.values(situation) for situation in space.examples(space.everything, 60)
            ]
            lows = [variable.low for variable in system.variables]
            columns = (np.array(situations, np.int64) - lows).T
            packing = pack_into_one(system.variables)
            everything = range(len(lows))
            one_by_one = Novelty(system.variables, packing)
            expected = [
                one_by_one.of(packing.pack(values)[0], number % 2)
                for number, values in enumerate(situations)
            ]
            ranks = np.arange(len(situations)) % 2
            novelty = VectorNovelty(system.variables, everything)
            of_columns = [
                novelty.of(columns[:, [n]], ranks[[n]])[0].item() for n in range(len(ranks))
            ]
            with self.subTest(world=name):
                self.assertEqual(of_columns, expected)
                # whatever is looked up in parts of one situation is the same
                with mock.patch.object(novelty_arrays, "CELLS", 1):
                    (again,) = VectorNovelty(system.variables, everything).of(columns, ranks)
                self.assertEqual(again.tolist(), expected)
            # all at once, what is new to some is new to all of them
            (at_once,) = VectorNovelty(system.variables, everything).of(columns, ranks)
            self.assertEqual(set(at_once.tolist()), {NEW_VALUE})
            told.update(expected)
        self.assertGreater(min(told[kind] for kind in (1, 2, 3)), least(60))

    def test_what_does_not_count_is_never_new(self):
        system = compile_world(loads(PURSE))
        purse = next(n for n, v in enumerate(system.variables) if v.size == 41)
        start = np.array([v - d.low for v, d in zip(system.start, system.variables, strict=True)])
        columns = np.repeat(start[:, np.newaxis], 2, axis=1)
        columns[purse] = 1, 2
        for counted, expected in (([], NOTHING_NEW), ([purse], NEW_VALUE)):
            (told,) = VectorNovelty(system.variables, counted).of(columns, np.zeros(2, np.int64))
            self.assertEqual(told.tolist(), [expected] * 2)
        many = compile_world(loads(PURSE.replace("max: 40", f"max: {MANY}")))
        (told,) = VectorNovelty(many.variables, [purse]).of(columns, np.zeros(2, np.int64))
        self.assertEqual(told.tolist(), [NOTHING_NEW] * 2)
        # of many variables pairs are left out
        ranks = np.zeros(2, np.int64)
        every = range(len(system.variables))
        with mock.patch.object(novelty_arrays, "MOST_PAIRED", 1):
            alone = VectorNovelty(system.variables, every)
        self.assertEqual(alone.of(columns, ranks)[0].tolist(), [NEW_VALUE] * 2)
        self.assertEqual(alone.of(columns, ranks)[0].tolist(), [NOTHING_NEW] * 2)
        self.assertLess(alone.looked_up, VectorNovelty(system.variables, every).looked_up)


class Wins(unittest.TestCase):
    def test_they_are_replayed_to_a_win_and_found_wherever_there_is_one(self):
        won = 0
        for name, system, space in small_worlds(sampled(200, 230), MAKERS):
            seeker, room = begun(system)
            if room is None:
                continue
            path = NovelSearch(seeker, room).run()
            judged = judge(space)
            with self.subTest(world=name):
                self.assertEqual(path is not None, bool(judged.won))
                if path is not None:
                    self.replay(system, seeker, path)
                    won += 1
        self.assertGreater(won, least(60))

    def replay(self, system, seeker, path):
        word, walker = seeker.rooms.start(), system.walker
        here = walker.start()
        for exit_ in path:
            walk = seeker.rooms.walk_to(word, exit_.source & seeker.rooms.place)
            for number in (*(step for step, _ in walk), exit_.step):
                step = system.steps[number]
                results = walker.results(step.rule, here)
                here = next(r.situation for r in results if r.outcome is step.outcome)
            word = exit_.target
        self.assertTrue(system.world.endings[here[ENDING]].good)

    def test_what_waits_because_nothing_is_new_is_looked_at_all_the_same(self):
        # sets of values know nothing of the second toll, so that every room has a plan
        system = compile_world(loads(TWO_TOLLS))
        seeker, room = begun(system)
        plain = WinSearch(seeker, room)
        self.assertIsNone(plain.run())
        search, waits = NEW_FIRST(*begun(system)), []
        staleness = search._staleness
        search._staleness = lambda *exit_: waits.append(staleness(*exit_)) or waits[-1]
        self.assertIsNone(search.run())
        self.assertEqual(search.expanded, plain.expanded)
        self.assertEqual(set(waits), {0.0, STALE})

    def test_of_words_of_one_cost_is_told_whether_a_bit_is_as_never_before(self):
        seeker, _ = begun(compile_world(loads(PURSE)))
        r, seen, had = random.Random(4), _Seen(seeker.rooms), set()
        bits = max(f.shift + f.bits for f in seeker.rooms.packing.fields)
        told = Counter()
        for _ in range(60):
            word, cost = r.getrandbits(bits), r.randrange(4)
            values = {(cost, place, word >> place & 1) for place in range(bits)}
            new = seen.is_new(word, cost)
            self.assertEqual(new, not values <= had)
            had |= values
            told[new] += 1
        self.assertGreater(min(told[True], told[False]), 5)

    def test_what_adds_up_is_gone_on_with(self):
        seeker, room = begun(compile_world(loads(PURSE)))
        path = NovelSearch(seeker, room).run()
        self.assertEqual(len(path), 31)

    def test_a_search_goes_on_where_its_share_of_work_has_ended(self):
        for search in (NovelSearch, WinSearch, NEW_FIRST):
            for name, system, _ in small_worlds(sampled(8), (stress_world,)):
                seeker, room = begun(system)
                if room is None:
                    continue
                whole = search(seeker, room).run()
                seeker, room = begun(system)
                pieces, path, ended = search(seeker, room), None, 0
                while True:
                    try:
                        with seeker.budget.within(400):
                            path = pieces.run()
                        break
                    except WorkSpent:
                        ended += 1
                with self.subTest(world=name, search=search):
                    self.assertLess(ended, 10_000)
                    self.assertEqual(path is None, whole is None)


class Scouted(unittest.TestCase):
    def test_what_plays_make_is_possible_and_nearly_everything(self):
        made = possible = 0
        for name, system, space in small_worlds(sampled(60, 80), MAKERS):
            shown = scouted(Seeker(system, Budget(Limits())), 200_000).steps
            able = {s.number for s in system.player_steps if space.possible(s)}
            with self.subTest(world=name):
                self.assertLessEqual(shown, able)
            made, possible = made + len(shown), possible + len(able)
        self.assertGreater(made, 0.97 * possible)
        self.assertGreater(possible, least(400))

    def test_where_plays_are_said_to_come_some_play_comes(self):
        told = 0
        for name, system, space in small_worlds(sampled(60, 80), MAKERS):
            plays = scouted(Seeker(system, Budget(Limits())), 200_000)
            for number, variable in enumerate(system.variables):
                for value in range(variable.low, variable.high + 1):
                    asked = Within(number, value, value)
                    with self.subTest(world=name, variable=variable.key, value=value):
                        if plays.comes_to(asked):
                            told += 1
                            self.assertTrue(space.holds_somewhere(asked))
                beyond = variable.high + 1
                self.assertFalse(plays.comes_to(Within(number, beyond, beyond + 1)))
                self.assertTrue(plays.comes_to(Within(number, variable.low - 1, beyond)))
            # only tests of one variable are known
            self.assertFalse(plays.comes_to(both([Within(0, 0, 0), Within(1, 0, 0)])))
        self.assertGreater(told, least(1000))

    def test_plans_make_what_novelty_alone_does_not(self):
        text = realm("s", 1, True)
        system = compile_world(check(document_of(Source.of("w.yaml", text), text)))
        made = []
        for rounds in ((), scouting_module.ROUNDS):
            with mock.patch.object(scouting_module, "ROUNDS", rounds):
                made.append(len(scouted(Seeker(system, Budget(Limits())), 100_000).steps))
        self.assertLess(*made)

    def test_little_work_shows_little(self):
        system = compile_world(loads(PURSE))
        for work, made in ((100, {"quay_coin"}), (100_000, {"quay_coin", "pay", "waste"})):
            shown = scouted(Seeker(system, Budget(Limits())), work).steps
            self.assertEqual({system.steps[n].rule.id for n in shown}, made)
