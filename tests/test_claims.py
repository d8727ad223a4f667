"""Reasons are proofs: every claim of every finding, against the slow reference."""

from __future__ import annotations

import json
import os
import unittest
from unittest import mock

import yaml

from tests.random_worlds import random_world
from tests.reference import Reference, Restless, TooLarge
from tests.reference_claims import Claims
from tests.said_worlds import said_world
from tests.test_against_reference import scalar, symbolic, vector, world_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.kinds import DOOMING, KINDS
from zubrel.base.progress import Silence
from zubrel.certain.stage import certain
from zubrel.compiled.compile import compile_world
from zubrel.findings.find import Conclusions, find
from zubrel.findings.large.further import Further
from zubrel.findings.large.planning import full_size
from zubrel.findings.large.questions import whole_lens_for
from zubrel.narrated.early import told_early
from zubrel.narrated.explaining import Explaining
from zubrel.narrated.narrate import narrate
from zubrel.output.as_json import finding_as_json
from zubrel.quotient.making import lens_for

SEEDS = int(os.environ.get("ZUBREL_SEEDS", "1"))
FIRST = int(os.environ.get("ZUBREL_FIRST_SEED", "0"))
# worlds in which a claim has once been untrue: a load under what saturates was taken for free, a
# source that raises an amount only from below was not counted, a part that was no part of the
# least, what goes on only until an ending comes, an amount that a second source gave back,
# what one outcome needs told of all, a weight of things of which one can never be had
REMEMBERED = (12, 43, 76, 101, 169, 311, 659, 2515, 2521)
DEALT = (10,)
"""Of `said_world`: a closer look took what comes before the deal for something that is played."""
MISSED = (7, 8, 13)
"""Of `said_world`: in which things can be missed that lenses at hand do not explain."""
WASTED = (9, 12, 27, 30)
"""Of `random_world`: in which moves doom."""
LARGE = (5, 95, 235)
"""Such worlds that take their time: only when more seeds than usual are asked for."""


def by_sets(system):
    return narrate(find(symbolic(system)), lambda: 0.0).findings


def by_lists(system):
    return narrate(find(vector(system)), lambda: 0.0).findings


def one_by_one(system):
    return narrate(find(scalar(system)), lambda: 0.0).findings


def by_lenses(system):
    """What reduced systems tell, with closer looks for the reasons."""
    lens = lens_for(system, (), Budget(Limits()), Silence())
    full = full_size(lens, Budget(Limits()), Silence())

    def closer(formulas):
        return whole_lens_for(system, formulas, Budget(Limits()), Silence())

    told = Conclusions(full.judged, tuple(full.findings), closer=closer)
    return narrate(told, lambda: 0.0).findings


def apart(system, *looks):
    """What reduced systems tell, with reasons from what comes after each walk, by these looks."""
    lens = lens_for(system, (), Budget(Limits()), Silence())
    full = full_size(lens, Budget(Limits()), Silence())
    further = Further(lens, Budget(Limits()), Silence())
    asked = {look: getattr(further, look) for look in looks}
    told = Conclusions(full.judged, tuple(full.findings), **asked)
    # where sets of values tell everything, nothing else is asked
    with mock.patch.object(Explaining, "_at_a_glance", return_value=None):
        return narrate(told, lambda: 0.0).findings


def alone(system):
    """By every situation that comes after."""
    return apart(system, "after")


def there(system):
    """By a lens on all that comes after."""
    return apart(system, "there")


def early(system):
    """What is certain before a proof ends."""
    return told_early(certain(system, 100_000, Budget(Limits()))).findings


def worlds(seeds, maker=random_world):
    """Seed, reference and system of random worlds that the reference can list."""
    for seed in seeds:
        data = maker(seed)
        try:
            yield seed, Reference(data).explore(), compile_world(world_of(data))
        except (TooLarge, Restless):
            continue


class AgainstReference(unittest.TestCase):
    def setUp(self):
        self.names, self.kinds = set(), set()
        self.trees = self.cut = 0

    def compare(self, seed, reference, system, engine):
        """Every claim of every finding of a world, as an engine tells of it."""
        for finding in map(finding_as_json, engine(system)):
            with self.subTest(seed=seed, engine=engine.__name__, of=finding["subject"]):
                checked = Claims(reference, finding["evidence"], finding.get("deal"))
                checked.check(finding["why"])
                self.names |= checked.names
                self.kinds |= {finding["kind"]} if finding["why"] else set()
                self.trees += len(finding["why"])
                self.cut += sum('"note": "cut"' in json.dumps(tree) for tree in finding["why"])

    def test_every_claim_holds_in_all_situations_of_the_reference(self):
        for world in worlds(
            (*REMEMBERED, *(LARGE if SEEDS > 10 else ()), *range(FIRST, FIRST + SEEDS))
        ):
            self.compare(*world, one_by_one)
        for world in worlds(range(FIRST, FIRST + 2 * SEEDS), said_world):
            self.compare(*world, one_by_one)
        dealt = yaml.safe_load(KINDS["bad_deal"].example(right=False))
        for world in worlds([0], lambda _: dealt):
            self.compare(*world, one_by_one)
        self.assertLessEqual(
            {"never", "only", "cannot", "done", "took", "at_most", "ends", "undone"}, self.names
        )
        self.assertLessEqual(
            {"softlock", "unwinnable", "unreachable", "missable", "broken_promise", "bad_deal"},
            self.kinds,
        )
        self.assertGreater(self.trees, 3 * SEEDS)
        self.assertLess(self.cut, 0.3 * self.trees)  # of worlds that are hard to tell

    def test_other_engines_may_tell_other_trees_and_they_hold_too(self):
        others = (by_lists, by_sets, by_lenses, early)
        for number, world in enumerate(worlds(range(FIRST + 50, FIRST + 50 + SEEDS))):
            self.compare(*world, others[number % 4])
        for number, world in enumerate(worlds(range(FIRST, FIRST + SEEDS), said_world)):
            self.compare(*world, others[number % 4])
        for world in worlds(DEALT, said_world):
            self.compare(*world, by_lenses)
        self.assertGreater(self.trees, SEEDS)

    def test_what_all_tells_that_comes_after_a_walk_holds(self):
        for world in worlds(WASTED):
            for engine in (alone, there):
                self.compare(*world, engine)
                # whatever dooms has its reason: all is known that may come after it
                dooms = [f for f in engine(world[2]) if f.kind in DOOMING and not f.cause]
                self.assertTrue(dooms and all(f.why for f in dooms), world[0])

    def test_what_can_be_missed_has_its_reason_from_there(self):
        missed = 0
        for world in worlds((*MISSED, *range(FIRST, FIRST + SEEDS)), said_world):
            self.compare(*world, there)
            for finding in there(world[2]):
                if finding.kind == "missable" and not finding.cause:
                    missed += 1
                    self.assertTrue(finding.why, (world[0], finding.subject))
        self.assertGreater(missed, 5)


class Checker(unittest.TestCase):
    """The check itself can fail: claims that are untrue are refused."""

    def setUp(self):
        data = {
            "zubrel": 1,
            "start": {"at": "quay"},
            "items": {"oil": {"max": 2}},
            "areas": {
                "quay": {
                    "finds": ["oil", "oil"],
                    "deeds": {"burn": {"takes": "oil"}},
                    "ways": [{"to": "tower", "needs": "2 oil"}],
                },
                "tower": {},
            },
            "endings": {"won": {"when": "at tower"}},
        }
        self.reference = Reference(data).explore()
        findings = one_by_one(compile_world(world_of(data)))
        (found,) = (f for f in findings if f.kind == "softlock")
        self.finding = finding_as_json(found)

    def refused(self, change):
        """Whether the tree is refused once every claim has been changed so."""
        text = json.dumps(self.finding["why"])
        changed = change(text)
        self.assertNotEqual(changed, text)
        with self.assertRaises(AssertionError):
            Claims(self.reference, self.finding["evidence"]).check(json.loads(changed))

    def test_the_tree_itself_passes(self):
        Claims(self.reference, self.finding["evidence"]).check(self.finding["why"])

    def test_changed_claims_are_refused(self):
        for old, new in (
            ('"most": 1', '"most": 0'),
            ('"most": 1', '"most": 2'),
            ('"from": 2, "to": 2', '"from": 1, "to": 2'),
            ('"rule": "quay_oil", "move": 1', '"rule": "quay_oil_2", "move": 1'),
            ('"makers": ["quay_oil", "quay_oil_2"]', '"makers": ["quay_oil"]'),
            ('"makers": ["quay_oil_2"]', '"makers": []'),
            ('"condition": "oil >= 2"', '"condition": "oil >= 1"'),
            ('"move": 2, "rule": "burn"', '"move": 1, "rule": "burn"'),
        ):
            with self.subTest(new):
                self.refused(lambda text, old=old, new=new: text.replace(old, new))


if __name__ == "__main__":
    unittest.main()
