"""Reductions against plain search: each alone, all together, and what is told by them."""

import os
import unittest

import yaml

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import scalar, world_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.kinds import KINDS
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within
from zubrel.explored.space import EndlessSettling, NotAsked
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.find import Conclusions, find
from zubrel.findings.finding import soonest
from zubrel.findings.judged import judge
from zubrel.findings.large.planning import full_size
from zubrel.narrated.narrate import narrate
from zubrel.quotient.making import lens_for
from zubrel.reduced.bearing import bearing
from zubrel.reduced.reduce import EVERY, SHORTENING, reduce

SEEDS = int(os.environ.get("ZUBREL_SEEDS", "20"))
FIRST = int(os.environ.get("ZUBREL_FIRST_SEED", "0"))
WHOLE, ERRANDS = 10**9, 2 * 10**9
"""What seeds of worlds of the whole language, and of errands, begin with."""
# worlds on which something has once been wrong: a mark that something else sets without asking, a
# lock that can only be shut and was taken for an offer, an opening that was thought to be declined,
# an item that is lost, though it was not there, and given back in one move; a player whom something
# that happens by itself sends back to where much had been forgotten; a walk after the end of the
# game; a way to an area left out that was thought to be opened from afar, or with what lies afar
REMEMBERED = (525, 10118, 60462, WHOLE + 726, WHOLE + 594, WHOLE + 300754, 400907, 777057)
PREPARING = dict.fromkeys(("finds", "pools", "supply"), ("cone", "guards", "places"))
PREPARING["alike"] = ("apart", "places")
"""What some reductions need to have anything to do."""
# guards that stand and are then forgotten: of 3,750 worlds one has more situations with all three
MORE_TOGETHER = frozenset({(101155, "all")})


SLUICE = """
zubrel: 1
title: The sluice
start: {at: quay}
items: {key: Sluice key, shell: Shell}
areas:
  quay: {finds: [key, shell], ways: [{to: pool, lock: gate, one_way: true}]}
  pool: {ways: [tower]}
  tower: {}
locks: {gate: {takes: key}}
endings: {top: {when: at tower}}
"""


def world_data(seed):
    """Of ten, five stress worlds, two of the whole language, two of trade, one of passages."""
    if seed >= ERRANDS:
        return errand_world(seed - ERRANDS)
    if seed >= WHOLE:
        return random_world(seed - WHOLE)
    families = {1: trade_world, 3: trade_world, 6: passage_world, 4: random_world, 9: random_world}
    return families.get(seed % 10, stress_world)(seed)


def systems():
    """Random worlds that are small enough, with what plain search says."""
    errands = range(ERRANDS + FIRST, ERRANDS + FIRST + SEEDS // 4)
    for seed in (*REMEMBERED, *range(FIRST, FIRST + SEEDS), *errands):
        system = compile_world(world_of(world_data(seed)))
        try:
            yield seed, system, scalar(system)
        except EndlessSettling:
            continue


def told_by(space):
    """The verdict, and who dooms, by how many moves at the least."""
    judged = judge(space)
    # a rule that is several moves now is found several times: the soonest tells
    found = {(f.kind, f.subject): len(f.trace.steps) for f in soonest(softlocks(judged))}
    return judged.verdict, found


class Reductions(unittest.TestCase):
    def test_each_alone_and_all_together_leave_the_verdict_and_who_dooms(self):
        smaller = dict.fromkeys((*EVERY, "all"), 0)
        for seed, system, plain in systems():
            verdict, doom = told_by(plain)
            for name in (*EVERY, "all"):
                others = PREPARING.get(name, ())
                using = EVERY if name == "all" else (*others, name)
                before = len(scalar(reduce(system, (), others).system).words)
                space = scalar(reduce(system, (), using).system)
                with self.subTest(seed=seed, using=name):
                    # more can be held until finds are free
                    if name != "pools" and (seed, name) not in MORE_TOGETHER:
                        self.assertLessEqual(len(space.words), before)
                    smaller[name] += len(space.words) != before
                    other, doomed = told_by(space)
                    self.assertEqual((other, set(doomed)), (verdict, set(doom)))
                    if not SHORTENING.intersection(using):
                        self.assertEqual(doomed, doom)
        # each of them is at work; some leave the number of situations as it is
        alike = ("amounts", "apart", "derived", "guards", "standing", "twins", "values", "visits")
        self.assertTrue(all(n for name, n in smaller.items() if name not in alike), smaller)

    def test_a_move_that_reductions_leave_nothing_of_never_dooms(self):
        safe = doomed = 0
        for seed, system, plain in systems():
            _, doom = told_by(plain)
            may_doom = {system.move_of[n].rule.id for n in bearing(reduce(system, (), EVERY))}
            with self.subTest(seed=seed):
                # a deal is nobody's move, and dooms in a way of its own
                self.assertLessEqual({s for _, s in doom}, may_doom)
            safe += len({m.rule.id for m in system.moves} - may_doom)
            doomed += len(doom)
        # some do, and most of all others are known not to
        self.assertGreater(safe, doomed)
        self.assertGreater(doomed, 0)

    def test_amounts_follow_from_marks(self):
        self.assertGreater(self.left_out("amounts"), SEEDS * 5 // 7)

    def test_twins_are_told_by_others(self):
        self.assertGreater(self.left_out("twins"), max(1, SEEDS // 24))

    def left_out(self, name):
        """How many variables a reduction leaves out, which the others still tell."""
        left_out = 0
        for seed, system, plain in systems():
            reduced = reduce(system, (), (name,))
            space = scalar(reduced.system)
            with self.subTest(seed=seed):
                self.assertEqual(len(space.words), len(plain.words))
                for number, variable in enumerate(system.variables):
                    if reduced.system.variables[number].size < variable.size:
                        left_out += 1
                        for value in range(variable.low, variable.high + 1):
                            formula = Within(number, value, value)
                            self.assertEqual(
                                space.count(space.where(reduced.formula(formula))),
                                plain.count(plain.where(formula)),
                            )
        return left_out


class FullSize(unittest.TestCase):
    def test_what_lenses_tell_is_what_plain_search_tells(self):
        seen = dict.fromkeys(KINDS, 0)
        for seed, system, plain in systems():
            expected = {(f.kind, f.subject) for f in find(plain).findings}
            lens = lens_for(system, (), Budget(Limits()), Silence())
            full = full_size(lens, Budget(Limits()), Silence())
            with self.subTest(seed=seed):
                self.assertEqual(full.judged.verdict, judge(plain).verdict)
                self.assertEqual(full.undecided, ())
                told = {(f.kind, f.subject) for f in full.findings}
                self.assertEqual(told, expected)
                self.replayed(full, plain)
            for kind, _ in expected:
                seen[kind] += 1
        self.assertTrue(all(seen[k] for k in ("softlock", "missable", "unreachable")), seen)

    def replayed(self, full, plain):
        """All evidence is walked by the interpreter, and none is shorter than can be."""
        report = narrate(
            Conclusions(full.judged, full.findings, undecided=full.undecided), lambda: 0.0
        )
        least = {(f.kind, f.subject): f.trace.moves for f in find(plain).findings if f.trace}
        for finding in report.findings:
            item = plain.system.world.items.get(finding.subject)
            if finding.kind == "missable" and item is not None:
                for line in finding.evidence:
                    self.assertNotIn(item.name, dict(line.held))
            if finding.evidence:
                shortest = least[finding.kind, finding.subject]
                self.assertGreaterEqual(len(finding.evidence), shortest)
                if finding.shortest:
                    self.assertEqual(len(finding.evidence), shortest)
        self.assertIsNone(report.situations)
        self.assertGreater(report.classes, 0)

    def test_a_key_that_a_gate_without_return_asks_for_cannot_be_missed(self):
        for asks in ("takes", "needs"):
            system = compile_world(world_of(yaml.safe_load(SLUICE.replace("takes", asks))))
            lens = lens_for(system, (), Budget(Limits()), Silence())
            full = full_size(lens, Budget(Limits()), Silence())
            missed = {f.subject for f in full.findings if f.kind == "missable"}
            with self.subTest(asks=asks):
                self.assertEqual(missed, {"shell", "quay_shell"})

    def test_what_was_not_asked_for_is_not_answered(self):
        refused = 0
        for seed, system, _ in systems():
            lens = lens_for(system, (), Budget(Limits()), Silence())
            for number, variable in enumerate(system.variables):
                formula = Within(number, variable.high, variable.high)
                gone = lens.inner.system.variables[number].size < variable.size
                gone = gone or number in lens.reduced.forgotten
                if gone and lens.reduced.formula(formula) == formula:
                    refused += 1
                    with self.subTest(seed=seed, variable=variable.key):
                        self.assertRaises(NotAsked, lens.where, formula)
        self.assertGreater(refused, 50)


if __name__ == "__main__":
    unittest.main()
