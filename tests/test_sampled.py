"""A sample of situations shows nothing that is not so, and much of what there is."""

import json
import unittest
from collections import Counter

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.said_worlds import said_world
from tests.seeds import least
from tests.seeds import sampled as some
from tests.small_worlds import LOOK, seen_in_sample, small_worlds, untrue_of
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.base.budget import SECOND, Budget, Limits
from zubrel.certain.missed import missed
from zubrel.certain.stage import Looking
from zubrel.compiled.relaxation import Relaxation
from zubrel.explored.listed.sampled import sampled
from zubrel.explored.packed.novelty import Novelty
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.findings.detectors.missable import missables
from zubrel.findings.find import find
from zubrel.findings.judged import judge

MAKERS = (random_world, said_world, stress_world, trade_world, passage_world)
LARGE = """zubrel: 1
title: Salt and shells
start: {at: quay}
items:
  lens: Lens
  oil: Oil
  bell: Bell
  shell: {name: Shell, max: 200}
  salt: {name: Salt, max: 200}
  kelp: {name: Kelp, max: 200}
areas:
  quay:
    finds: [lens, bell, {item: shell, again: always}, {item: salt, again: always}]
    ways: [{to: raft, one_way: true}]
  raft:
    finds: [oil, {item: kelp, again: always}]
    ways: [{to: tower, needs: [lens, oil]}]
  tower: {}
  tide: {ways: [{to: raft, one_way: true}]}
endings: {won: {when: at tower}}
"""


def samples(seeds, *sizes):
    """Small worlds, each with all its situations and a sample of so many."""
    for name, system, space in small_worlds(seeds, MAKERS):
        looking = Looking(system, Budget(Limits()))
        looking.go_on(LOOK)
        for size in sizes:
            sample = sampled(system, looking.plays(), size, SECOND, Budget(Limits()))
            yield f"{name}, {size}", space, sample


class Sample(unittest.TestCase):
    def test_every_situation_and_every_step_in_it_is_one_of_all(self):
        cut = 0
        for name, space, sample in samples(some(9), 1, 9):
            every = {word: number for number, word in enumerate(space.words)}
            for number, steps in enumerate(sample.successors):
                found = sorted((step, every[sample.words[after]]) for step, after in steps)
                with self.subTest(world=name, situation=number):
                    here = every[sample.words[number]]
                    self.assertEqual(found, sorted(space.successors[here]))
            self.assertLessEqual(set(sample.words), every.keys())
            cut += bool(sample.unexplored)
        self.assertGreater(cut, least(40))

    def test_walks_in_it_lead_where_they_say(self):
        for name, _, sample in samples(some(8), 9):
            walking, walks = Walking(sample.system), sample.walks()
            for number, word in enumerate(sample.words):
                trace = walks.shortest(frozenset({number}))
                with self.subTest(world=name, situation=number):
                    self.assertEqual(list(walking.along(trace))[-1], word)
                    self.assertFalse(trace.shortest)

    def test_a_way_goes_on_from_where_it_begins(self):
        ways = 0
        for name, space, sample in samples(some(12), 30):
            judged, target = judge(sample), judge(space).won
            for here in sorted(judged.live)[:20]:
                word = sample.words[here]
                for step in sample.way(here, judged.won):
                    word = Walking(sample.system).after(word, step)
                with self.subTest(world=name, situation=here):
                    self.assertIn(space.words.index(word), target)
                ways += 1
        self.assertGreater(ways, least(60))

    def test_with_room_for_all_it_has_them_all(self):
        for name, space, sample in samples(some(6), 1_000_000):
            with self.subTest(world=name):
                self.assertEqual(sorted(sample.words), sorted(space.words))
                self.assertFalse(sample.unexplored)


class Shown(unittest.TestCase):
    def test_nothing_is_shown_that_is_not_found_in_all_situations(self):
        shown, exact = Counter(), Counter()
        for name, system, space in small_worlds(some(400, 432), MAKERS):
            exact.update(f.kind for f in find(space).findings)
            for size in (4, 25):
                told = seen_in_sample(system, size)
                with self.subTest(world=name, size=size):
                    self.assertEqual(untrue_of(space, told), [])
                    self.assertTrue(all(one.certain and one.proof is not None for one in told))
            shown.update(one.kind for one in told)
        for kind in ("missable", "skippable", "silent", "no_gate", "unheard", "unused"):
            self.assertGreaterEqual(shown[kind], 0.5 * exact[kind], kind)
        self.assertGreater(shown["softlock"], 0)

    def test_what_is_missed_was_never_had_and_the_play_wins(self):
        plays = 0
        for name, space, sample in samples(some(440, 460), 12):
            judged = judge(sample)
            things = list(missables(sample.system))
            relaxation = Relaxation(sample.system, Budget(Limits()))
            for one in missed(sample, judged.won, things, relaxation):
                thing = things[one.thing]
                has = space.where(thing.attained)
                (able,) = space.reaching([has])
                words = list(Walking(sample.system).along(Trace(one.play)))
                numbers = [space.words.index(word) for word in words]
                with self.subTest(world=name, thing=thing.subject):
                    self.assertIn(numbers[-1], judge(space).won)
                    self.assertNotIn(numbers[one.moves], able)
                    self.assertFalse(has & set(numbers))
                    self.assertEqual(sample.packing.unpack([words[one.moves]]), list(one.values))
                plays += 1
        self.assertGreater(plays, least(50))


class Newness(unittest.TestCase):
    def test_what_changed_tells_as_much_as_all_that_there_is(self):
        for name, system, space in small_worlds(some(10), MAKERS):
            whole = Novelty(system.variables, space.packing)
            little = Novelty(system.variables, space.packing)
            start = space.words[0]
            self.assertEqual(whole.of(start, 0), little.of(start, 0))
            values = {start: little.values(start)}
            for number, parent in enumerate(space.parents[1:], 1):
                word, before = space.words[number], space.words[parent[0]]
                new, values[word] = little.after(word, before, values[before], 0)
                with self.subTest(world=name, situation=number):
                    self.assertEqual(new, whole.of(word, 0))
                    self.assertEqual(values[word], whole.values(word))


class CutShort(ProgramTest):
    def test_what_plays_show_is_told_after_a_limit(self):
        self.write("w.yaml", LARGE)
        done = self.zubrel(
            "check",
            "w.yaml",
            "--max-situations",
            "3000",
            "--engine",
            "explicit",
            "--format",
            "json",
            code=1,
        )
        found = json.loads(done.stdout)["findings"]
        by_subject = {(f["kind"], f["subject"]): f for f in found}
        bell = by_subject["missable", "bell"]
        self.assertTrue(bell["certain"])
        self.assertEqual(bell["proof"]["wins_after"][-1]["rule"], "raft_to_tower")
        self.assertIn("quay_to_raft", [move["rule"] for move in bell["evidence"]])
        self.assertIn(("missable", "salt"), by_subject)
        self.assertIn(("unused", "bell"), by_subject)
        self.assertIn(("unreachable", "tide"), by_subject)

    def test_without_a_limit_it_is_told_as_ever(self):
        self.write("w.yaml", LARGE.replace("200", "2"))
        found = json.loads(self.zubrel("check", "w.yaml", "--format", "json", code=1).stdout)
        self.assertEqual([f for f in found["findings"] if "certain" in f], [])


if __name__ == "__main__":
    unittest.main()
