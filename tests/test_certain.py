"""What is certain before a proof ends is never untrue, and is told together with its proof."""

import json
import unittest
from unittest import mock

from benchmarks.families import realm
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.said_worlds import said_world
from tests.seeds import LONG, examples, least, sampled
from tests.small_worlds import small_worlds
from tests.strategies import SIZES, VARIABLES, formulas, holds, situations
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel import looks, pipeline
from zubrel.api import check, loads
from zubrel.base import budget as budget_module
from zubrel.base.budget import Budget, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.progress import Silence
from zubrel.certain.rooms import Rooms
from zubrel.certain.stage import Future, certain
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within
from zubrel.compiled.possible import Masks
from zubrel.compiled.relaxation import Relaxation
from zubrel.explored.packed.stepping import Walking
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.find import is_found
from zubrel.findings.judged import judge

WORK = 60_000
MAKERS = (random_world, stress_world, trade_world, passage_world, said_world)
SETS = st.tuples(*(st.integers(1, (1 << high - low + 1) - 1) for low, high in SIZES))


def systems(seeds):
    """Small systems of different make with all their situations, by name."""
    return small_worlds(seeds, MAKERS)


class Possible(unittest.TestCase):
    @settings(max_examples=examples(150), deadline=None, derandomize=True)
    @given(formulas, situations)
    def test_of_single_values_it_is_the_truth(self, formula, values):
        masks = Masks(VARIABLES)
        domains = [1 << value - low for value, (low, _) in zip(values, SIZES, strict=True)]
        self.assertEqual(masks.holds(masks.of(formula), domains), holds(formula, values))
        denied = masks.holds(masks.of(formula, True), domains)
        self.assertEqual(denied, not holds(formula, values))

    @settings(max_examples=examples(150), deadline=None, derandomize=True)
    @given(formulas, situations, SETS)
    def test_what_holds_of_some_values_is_possible_of_sets_with_them(self, formula, values, sets):
        masks = Masks(VARIABLES)
        places = (value - low for value, (low, _) in zip(values, SIZES, strict=True))
        domains = [mask | 1 << place for mask, place in zip(sets, places, strict=True)]
        if holds(formula, values):
            self.assertTrue(masks.holds(masks.of(formula), domains))

    @settings(max_examples=examples(150), deadline=None, derandomize=True)
    @given(formulas, situations)
    def test_one_of_its_clauses_holds_exactly_where_a_formula_does(self, formula, values):
        masks = Masks(VARIABLES)
        domains = [1 << value - low for value, (low, _) in zip(values, SIZES, strict=True)]
        some = any(
            all(domains[v] & mask for v, mask in clause.allowed.items())
            and all(masks.holds(other, domains) for other in clause.others)
            for clause in masks.clauses(masks.of(formula))
        )
        self.assertEqual(some, holds(formula, values))


class Relaxed(unittest.TestCase):
    def test_whatever_can_still_come_is_in_the_sets_of_values(self):
        looked = refused = 0
        for name, system, space in systems(sampled(10)):
            relaxation = Relaxation(system, Budget(Limits()))
            for number in range(0, len(space.words), 1 + len(space.words) // 6):
                values = space.packing.unpack([space.words[number]])
                future = Future(relaxation, tuple(values))
                (after,) = space.reached_from([frozenset({number})])
                for other in list(after)[:40]:
                    reached = space.packing.unpack([space.words[other]])
                    for n, (value, v) in enumerate(zip(reached, system.variables, strict=True)):
                        with self.subTest(world=name, variable=v.key):
                            self.assertTrue(future.domains[n] >> value - v.low & 1)
                        looked += 1
                for n, v in enumerate(system.variables):
                    top = Within(n, v.high, v.high)
                    refused += not future.may_hold(top)
        self.assertGreater(looked, 5000)
        self.assertGreater(refused, 500 if LONG else 300)

    def test_an_area_wakes_all_for_which_it_matters(self):
        fewer = 0
        for name, system, _ in systems(sampled(10)):
            relaxation = Relaxation(system, Budget(Limits()))
            operators, start = relaxation.operators, relaxation.domains(system.start)
            every = range(len(operators.all))
            with (
                mock.patch.object(operators, "due_at", lambda domains, every=every: list(every)),
                mock.patch.object(operators, "woken_by", lambda *new, every=every: list(every)),
            ):
                expected = relaxation.fixpoint(start)
            with self.subTest(world=name):
                self.assertEqual(relaxation.fixpoint(start), expected)
            fewer += len(operators.due_at(start)) < len(every)
        self.assertGreater(fewer, 10)

    def test_no_is_certain_and_frequent(self):
        doomed = refused = 0
        for name, system, space in systems(sampled(10, 22)):
            judged, relaxation = judge(space), Relaxation(system, Budget(Limits()))
            for number in range(0, len(space.words), 1 + len(space.words) // 30):
                domains = relaxation.domains(space.packing.unpack([space.words[number]]))
                may_win = relaxation.may_win(domains)
                if number in judged.live:
                    with self.subTest(world=name, situation=number):
                        self.assertTrue(may_win)
                elif number in judged.doomed:
                    doomed, refused = doomed + 1, refused + (not may_win)
        self.assertGreater(doomed, 80)
        self.assertGreater(refused, 0.8 * doomed)


class Together(unittest.TestCase):
    def test_nothing_certain_is_denied_by_all_situations(self):
        worlds = found = all_dooms = wins = won = 0
        for name, system, space in systems(sampled(100, 130)):
            judged = judge(space)
            exact = {(f.kind, f.subject) for f in softlocks(judged)}
            known = certain(system, WORK, Budget(Limits()))
            dealt = [d for d in known.dooms if d.step.rule.kind == "deal"]
            told = {(d.kind, d.step.rule.id) for d in known.dooms if d not in dealt}
            self.assertTrue(not dealt or is_found(judged, "bad_deal", "world") or not judged.won)
            with self.subTest(world=name):
                self.assertLessEqual(told, exact)
                self.assertFalse(known.unwinnable and judged.won)
                self.assertFalse(known.unwinnable and known.win is not None)
                self._replay(system, judged, known)
            worlds += 1
            if name.startswith("said"):
                continue  # few and of all kinds: they show what is untrue, not how much is found
            found, all_dooms = found + len(told), all_dooms + len(exact)
            wins, won = wins + (known.win is not None), won + bool(judged.won)
        self.assertGreater(worlds, least(100))
        self.assertGreater(found, 0.7 * all_dooms)
        self.assertGreater(wins, 0.9 * won)

    def _replay(self, system, judged, known):
        walking = Walking(system)

        def along(steps):
            word = walking.start()
            for step in steps:
                word = walking.after(word, step)
                self.assertIsNotNone(word, step.rule.id)
            values = walking.packing.unpack([word])
            return values, judged.space.of(system.situation(values))

        if known.win is not None:
            self.assertTrue(along(known.win)[1] & judged.won)
        for doom in known.dooms:
            values, here = along(doom.walk)
            self.assertEqual(list(doom.after), values)
            self.assertTrue(here & judged.doomed)
            self.assertTrue(along((*doom.walk[:-1], *doom.onward))[1] & judged.won)

    def test_a_whole_proof_finds_whatever_was_certain_before(self):
        early = []
        compare = looks.EarlyLooks._compare

        def listening(self, report):
            early.extend(self.told.findings)
            compare(self, report)  # fails where something is missing

        with (
            mock.patch.object(looks, "FIRST_WIN", (0.0, 1.0)),
            mock.patch.object(looks, "MORE_FOR_A_WIN", (0.0, 1.0)),
            mock.patch.object(looks, "CERTAIN", ((0.0, WORK), (0.0, WORK))),
            mock.patch.object(looks, "CERTAIN_LISTED", (0.0, WORK)),
            # most of these worlds are proved before it is looked for the first time otherwise
            mock.patch.object(budget_module, "LOOK_EVERY", 0),
            mock.patch.object(looks.EarlyLooks, "_compare", listening),
        ):
            for seed in sampled(15):
                for make in MAKERS:
                    try:
                        pipeline.report(world_of(make(seed)))
                    except InvalidInput:
                        continue
        kinds = {finding.kind for finding in early}
        self.assertLessEqual({"softlock", "unwinnable", "unreachable"}, kinds)
        self.assertGreater(len(early), 200 if LONG else 100)

    def test_a_win_alone_is_looked_for_before_all_else(self):
        system = compile_world(loads(realm("s", 3)))
        for rules, (after, _) in ((1, looks.WIN_OF_MANY), (10**9, looks.FIRST_WIN)):
            with (
                mock.patch.object(looks, "MANY_RULES", rules),
                mock.patch.object(looks, "CERTAIN", ((1e12, 1.0),)),
                mock.patch.object(looks, "CERTAIN_LISTED", (10.0, 400_000)),
                self.subTest(rules=rules),
            ):
                budget = Budget(Limits())
                early = looks.EarlyLooks(system, budget, Silence())
                budget.spend(after / 2)
                self.assertIsNone(early.told)
                budget.spend(after / 2 + 1)
                self.assertIsNotNone(early.told.win)
                self.assertEqual(early.told.findings, ())
                # moves that doom are looked for when their time comes
                early.listed()
                budget.spend(1e6)
                self.assertTrue(early.told.findings)

    def test_a_win_that_is_not_known_by_then_is_looked_for_once_more(self):
        system = compile_world(loads(realm("s", 3)))
        for more, is_won in ((400_000, True), (1.0, False)):
            with (
                mock.patch.object(looks, "FIRST_WIN", (10.0, 1.0)),
                mock.patch.object(looks, "MORE_FOR_A_WIN", (1e5, more)),
                mock.patch.object(looks, "CERTAIN", ((1e6, 400_000),)),
                self.subTest(more=more),
            ):
                budget = Budget(Limits())
                early = looks.EarlyLooks(system, budget, Silence())
                budget.spend(5e4)
                self.assertIsNone(early.told.win)
                budget.spend(7e4)
                self.assertIsNone(early.told.win)
                budget.spend(7e4)
                self.assertEqual(early.told.win is not None, is_won)
                # then everything is looked for, and a win alone no more
                self.assertEqual(early.told.findings, ())
                budget.spend(1e5)
                self.assertEqual(early.told.findings, ())
                budget.spend(1e6)
                self.assertTrue(early.told.findings)

    def test_nothing_is_looked_for_once_more_where_every_situation_is_listed(self):
        with (
            mock.patch.object(looks, "FIRST_WIN", (1e12, 1.0)),
            mock.patch.object(looks, "MORE_FOR_A_WIN", (10.0, 400_000)),
            mock.patch.object(looks, "CERTAIN_LISTED", (10.0, 1.0)),
        ):
            budget = Budget(Limits())
            early = looks.EarlyLooks(compile_world(loads(realm("s", 3))), budget, Silence())
            early.listed()
            for _ in range(3):
                budget.spend(1e5)
                self.assertIsNone(early.told.win)

    def test_that_look_comes_as_soon_as_a_world_is_no_small_one(self):
        system = compile_world(loads(realm("s", 3)))
        with mock.patch.object(looks, "MANY_RULES", 1):
            budget = Budget(Limits())
            early = looks.EarlyLooks(system, budget, Silence())
            budget.spend(1e5)
            self.assertIsNone(early.told)
            budget.found_large()
            budget.spend(1e5)
            self.assertIsNotNone(early.told.win)
        # the looks that come after so much work do not come sooner
        budget = Budget(Limits())
        early = looks.EarlyLooks(system, budget, Silence())
        budget.found_large()
        budget.spend(1e5)
        self.assertIsNone(early.told)

    def test_the_same_world_gives_the_same_bytes(self):
        system = compile_world(loads(realm("s", 3)))
        one, other = (certain(system, 400_000, Budget(Limits())) for _ in range(2))
        self.assertEqual(one.dooms, other.dooms)
        self.assertEqual(one.win, other.win)

    def test_rooms_are_situations_with_walks_to_and_fro(self):
        walked = 0
        for name, system, space in systems(sampled(10)):
            rooms = Rooms(system, Budget(Limits()))
            for word in space.words[:: 1 + len(space.words) // 20]:
                if rooms.is_over(word):
                    continue
                room = rooms.room(word)
                for area in room.areas:
                    there = word & ~rooms.place | area
                    target = word
                    for step, after in rooms.walk_to(word, area):
                        target = dict(rooms.links(target))[step]
                        self.assertEqual(target, after)
                        self.assertIn(step, room.walks)
                    with self.subTest(world=name):
                        self.assertEqual(target, there)
                        self.assertIs(rooms.room(there), room)
                    walked += 1
        self.assertGreater(walked, 200 if LONG else 100)


def many_shells(count):
    """A world with so many shells to find, of which nobody needs any."""
    shells = [f"shell_{n}" for n in range(count)]
    return f"""
zubrel: 1
title: Many shells
start: {{at: quay}}
items: {{lens: Lens, oil: Oil, {", ".join(f"{s}: Shell {s[6:]}" for s in shells)}}}
areas:
  quay:
    finds: [lens, oil, {", ".join(shells)}]
    deeds: {{smash: {{name: Smash the lens, takes: lens}}}}
    ways: [{{to: tower, needs: [lens, oil]}}]
  tower: {{}}
endings: {{lit: {{name: The lamp is lit, when: at tower}}}}
"""


MANY = many_shells(24)


class Program(ProgramTest):
    def test_a_limit_leaves_what_was_certain_each_with_its_proof(self):
        self.write("w.yaml", MANY)
        options = ("--max-situations", "20000", "--engine", "explicit")
        done = self.zubrel("check", "w.yaml", *options, "--format", "json", code=1)
        report = json.loads(done.stdout)
        self.assertEqual((report["verdict"], report["complete"]), ("incomplete", False))
        self.assertEqual(report["shortest_win"]["ending"], "lit")
        (finding,) = (f for f in report["findings"] if f["kind"] == "softlock")
        self.assertEqual(finding["subject"], "smash")
        self.assertTrue(finding["certain"])
        self.assertFalse(finding["shortest"])
        before = [move["rule"] for move in finding["proof"]["wins_before"]]
        self.assertEqual(before[-1], "quay_to_tower")
        self.assertIn("Lens", " ".join(finding["proof"]["no_win_after"]))
        text = self.zubrel("check", "w.yaml", *options, code=1).stdout
        self.assertIn("findings are certain all the same", " ".join(text.split()))
        self.assertRegex(text, r"softlock  smash .* after at most \d+ move")

    def test_without_a_win_in_sets_of_values_the_verdict_is_there_at_once(self):
        self.write("w.yaml", MANY.replace("needs: [lens, oil]", "needs: 2 lens"))
        options = ("--max-situations", "20000", "--engine", "explicit")
        report = json.loads(
            self.zubrel("check", "w.yaml", *options, "--format", "json", code=1).stdout
        )
        self.assertEqual((report["verdict"], report["complete"]), ("unwinnable", False))
        self.assertIn("stopped at", self.zubrel("check", "w.yaml", *options, code=1).stdout)

    def test_a_whole_proof_says_nothing_of_it(self):
        for finding in check(loads(MANY)).findings:
            self.assertFalse(finding.certain)


if __name__ == "__main__":
    unittest.main()
