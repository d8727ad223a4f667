"""Searching by islands against plain search: counts, verdicts, and fates of single situations."""

import os
import random
import unittest

import yaml

from tests.random_worlds import random_world
from tests.stress_worlds import stress_world
from tests.test_against_reference import scalar, world_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.explored.listed.islands import search_islands
from zubrel.explored.space import EndlessSettling, TooMany
from zubrel.findings import fates as fates_module
from zubrel.findings.fates import fates
from zubrel.findings.judged import ended_formula, judge, won_formula
from zubrel.walked.walker import Walker

SEEDS = int(os.environ.get("ZUBREL_SEEDS", "8"))
FIRST = int(os.environ.get("ZUBREL_FIRST_SEED", "0"))

# three areas on the near side, two beyond a door that opens for good
DOOR = """
zubrel: 1
title: The station door
start: {at: quay}
items: {key: Brass key, shell: Shell}
areas:
  quay: {ways: [pier, sands], finds: [key]}
  pier: {}
  sands: {ways: [{to: hall, lock: door}], finds: [shell]}
  hall: {ways: [stairs]}
  stairs: {ways: [{to: lamp, one_way: true}]}
  lamp: {}
locks: {door: {needs: key}}
endings: {lit: {when: at lamp and shell}}
"""


def systems():
    for seed in range(FIRST, FIRST + SEEDS):
        for make in (random_world, stress_world):
            system = compile_world(world_of(make(seed)))
            try:
                yield (seed, make.__name__), system, scalar(system)
            except EndlessSettling:
                continue


def searched(system, **options):
    return search_islands(system, Budget(Limits()), Silence(), **options)


class Counting(unittest.TestCase):
    def test_nodes_stand_for_exactly_the_situations_of_plain_search(self):
        fewer = 0
        for seed, system, plain in systems():
            judged, islands = judge(plain), searched(system)
            won, ended = islands.where(won_formula(system)), islands.where(ended_formula(system))
            live = islands.reaching(won) & ~ended
            with self.subTest(seed=seed):
                self.assertEqual(islands.situations, len(plain.words))
                for mine, theirs in (
                    (won, judged.won),
                    (ended, judged.ended),
                    (live, judged.live),
                    (~live & ~ended, judged.doomed),
                ):
                    self.assertEqual(islands.count(mine), plain.count(theirs))
            fewer += islands.nodes < len(plain.words)
        self.assertGreater(fewer, SEEDS // 4)

    def test_a_door_that_opens_joins_what_lies_on_both_sides(self):
        islands = searched(compile_world(world_of(yaml.safe_load(DOOR))))
        # near side: without anything, key, shell, both; then with the door open all five areas,
        # with and without shell; beyond the stairs the lamp, without the shell, and the end
        self.assertEqual(islands.situations, 3 * 4 + 5 * 2 + 1 + 1)
        self.assertEqual(islands.nodes, 4 + 2 + 1 + 1)

    def test_without_edges_everything_is_found_and_nothing_else_kept(self):
        for _, system, plain in list(systems())[:10]:
            islands = searched(system, with_edges=False)
            self.assertEqual((islands.situations, islands.edges), (len(plain.words), []))

    def test_limits_end_the_search(self):
        system = compile_world(world_of(yaml.safe_load(DOOR)))
        cut = search_islands(system, Budget(Limits(situations=2)), Silence())
        self.assertIn("2 situations", cut.stopped)
        self.assertRaises(TooMany, searched, system, most=0)

    def test_a_world_that_never_rests_is_found_out(self):
        world = yaml.safe_load(DOOR)
        world["facts"] = {"tide": {"start": False}}
        world["whenever"] = [
            {"id": "flood", "when": "key and not tide", "sets": {"tide": True}},
            {"id": "ebb", "when": "key and tide", "sets": {"tide": False}},
        ]
        with self.assertRaises(EndlessSettling) as found:
            searched(compile_world(world_of(world)))
        self.assertEqual(set(found.exception.cycle), {"flood", "ebb"})


class Fates(unittest.TestCase):
    def test_wherever_a_play_comes_its_fate_is_that_of_plain_search(self):
        small, fates_module.SMALL = fates_module.SMALL, 0
        self.addCleanup(setattr, fates_module, "SMALL", small)
        seen = {"live": 0, "doomed": 0, "ended": 0}
        for seed, system, plain in systems():
            judged, walker = judge(plain), Walker(system.world)
            fate = fates(system, Budget(Limits()), Silence())
            chance, here = random.Random(str(seed)), walker.start()
            for _ in range(12):
                there = plain.of(here)
                expected = next(
                    word
                    for word, some in (
                        ("ended", judged.ended),
                        ("live", judged.live),
                        ("doomed", judged.doomed),
                    )
                    if there & some
                )
                seen[expected] += 1
                with self.subTest(seed=seed):
                    self.assertEqual(fate(here), expected)
                moves = walker.moves(here)
                if not moves:
                    break
                here = chance.choice(walker.results(chance.choice(moves), here)).situation
        self.assertTrue(all(seen.values()), seen)

    def test_a_situation_that_no_play_comes_to_has_no_fate(self):
        system = compile_world(world_of(yaml.safe_load(DOOR)))
        for least in (fates_module.SMALL, 0):
            fates_module.SMALL, kept = least, fates_module.SMALL
            fate = fates(system, Budget(Limits()), Silence())
            fates_module.SMALL = kept
            start = Walker(system.world).start()
            self.assertEqual(fate(start), "live")
            self.assertEqual(fate({**start, ("place", ""): "lamp"}), "unknown")


if __name__ == "__main__":
    unittest.main()
