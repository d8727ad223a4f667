"""The symbolic engine where nothing can be listed, and how an engine is picked."""

import unittest

from benchmarks.families import chain, keys, market, realm, ring_text

from tests.program import CASES, DEMO, ProgramTest
from tests.random_worlds import random_world
from tests.seeds import LONG, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world
from tests.test_against_reference import symbolic, vector
from zubrel.authored.document import document_of
from zubrel.base.budget import SECOND, Budget, Limits, WorkSpent
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.compiled.parts import PLACE
from zubrel.explored.explore import explore
from zubrel.explored.symbolic.islands import islands_of
from zubrel.explored.symbolic.ordering import order_of
from zubrel.explored.symbolic.search import SymbolicSearch
from zubrel.findings.find import find
from zubrel.findings.judged import judge
from zubrel.narrated.narrate import narrate


def system_of(text):
    return compile_world(check(document_of(Source.of("world.yaml", text), text)))


def told(space):
    """Verdict, counts, and every finding with the length of its evidence."""
    report = narrate(find(space), lambda: 0.0)
    return (
        report.verdict,
        report.situations,
        report.moves,
        report.won,
        report.doomed,
        len(report.shortest_win.moves),
        {(f.kind, f.subject): (len(f.evidence), f.situations) for f in report.findings},
    )


class Agreement(unittest.TestCase):
    def test_both_engines_say_the_same_of_the_cases_and_the_families(self):
        texts = [(CASES / name).read_text(encoding="utf-8") for name in ("lamps.yaml",)]
        texts += [chain(12), keys(6), market(6), ring_text(4, 6)]
        for text in texts:
            system = system_of(text)
            with self.subTest(world=system.world.title):
                self.assertEqual(told(symbolic(system)), told(vector(system)))

    def test_both_engines_count_the_draft_of_the_demo_alike(self):
        system = system_of((DEMO / "draft.yaml").read_text(encoding="utf-8"))
        found = []
        for space in (symbolic(system), vector(system)):
            judged = judge(space)
            found.append(
                (
                    judged.verdict,
                    space.moves,
                    *(space.count(s) for s in (space.everything, judged.won, judged.doomed)),
                )
            )
        self.assertEqual(*found)


class BeyondListing(unittest.TestCase):
    def test_a_ring_of_many_finds_is_counted_exactly_and_won(self):
        areas, finds = (30, 50) if LONG else (16, 28)
        space = explore(system_of(ring_text(areas, finds)), Budget(Limits()), Silence())
        self.assertEqual(space.engine, "symbolic")
        self.assertEqual(space.count(space.everything), areas * 2**finds + 1)
        report = narrate(find(space), lambda: 0.0)
        self.assertEqual((report.verdict, report.won, report.doomed), ("solvable", 1, 0))
        # narrating has walked it again with the interpreter; every find must be picked up
        win = report.shortest_win
        # whether patience lasts until the fewest moves are proved
        self.assertEqual(win.shortest, not LONG)
        self.assertEqual(sum(m.kind == "find" for m in win.moves), finds)
        self.assertLess(len(win.moves), finds + 3 * areas)

    @unittest.skipUnless(LONG, "make test-all")
    def test_a_realm_is_proved_and_its_softlock_shown(self):
        found = find(symbolic(system_of(realm("s", 1))))
        report = narrate(found, lambda: 0.0)
        self.assertEqual(report.verdict, "softlocks")
        softlocks = [f for f in report.findings if f.kind == "softlock"]
        self.assertTrue(softlocks)
        listed = judge(vector(system_of(realm("s", 1))))
        self.assertEqual(report.situations, listed.space.count(listed.space.everything))
        self.assertEqual(report.doomed, listed.space.count(listed.doomed))

    def test_limits_end_it_and_then_nothing_is_proved(self):
        system = system_of(realm("m", 1))
        budget = Budget(Limits(seconds=1, engine="symbolic"))
        # a clock that tells the work done, so that it ends at the same place on any machine
        budget.seconds = lambda: budget.work / SECOND
        space = explore(system, budget, Silence())
        self.assertEqual(space.stopped, "the limit of 1 seconds")
        self.assertTrue(0 < space.count(space.everything) < 10**17)
        space.give_up(space.stopped)
        judged = judge(space)
        self.assertEqual(judged.verdict, "incomplete")
        self.assertEqual(space.count(judged.doomed), 0)


class GoneOnWith(unittest.TestCase):
    def test_a_search_that_was_cut_again_and_again_comes_to_the_same(self):
        cuts = far = 0
        for name, system, space in small_worlds(sampled(12), (random_world, passage_world)):
            budget = Budget(Limits())
            search = SymbolicSearch(system, budget, Silence())
            done, work = False, 60.0
            while not done:
                try:
                    with budget.within(work):
                        search.run()
                    done = True
                except WorkSpent:
                    cuts, work = cuts + 1, 1.5 * work
                    far += search.is_far
            with self.subTest(world=name):
                found = search.space
                self.assertEqual(found.count(found.everything), len(space.words))
                self.assertEqual(judge(found).verdict, judge(space).verdict)
        self.assertGreater(cuts, 20)
        self.assertGreater(far, 0)

    def test_where_one_can_come_back_from_everywhere_it_is_never_far(self):
        ring = SymbolicSearch(system_of(ring_text(4, 6)), Budget(Limits()), Silence())
        self.assertFalse(ring.is_far)
        ring.run()
        self.assertFalse(ring.is_far)


class Parts(unittest.TestCase):
    def test_every_variable_with_a_choice_is_ordered_once_and_pairs_stay_together(self):
        system = system_of(ring_text(20, 30))
        order = order_of(system)
        self.assertEqual(sorted(order), [n for n, v in enumerate(system.variables) if v.size > 1])
        at = {system.variables[v].key: n for n, v in enumerate(order)}
        for n in range(30):
            place = next(
                p
                for (kind, thing), p in at.items()
                if kind == "taken" and thing.endswith(f"_shell{n}")
            )
            self.assertLess(abs(place - at["held", f"shell{n}"]), 3)

    def test_islands_hang_together_by_plain_ways_alone(self):
        text = """\
zubrel: 1
start: {at: a}
facts: {lit: false}
areas:
  a: {ways: [b, {to: c, one_way: true}]}
  b: {ways: [{to: d, needs: lit}]}
  c: {ways: [{to: e, sets: {lit: true}}]}
  d: {ways: [f]}
  e: {}
  f: {}
endings: {out: {when: at f}}
"""
        system = system_of(text)
        islands, plain = islands_of(system)
        names = system.variables[PLACE].names
        # d and f are told apart by the ending, c and e by what the way does
        self.assertEqual([{names[a] for a in i} for i in islands], [{"a", "b"}])
        self.assertEqual({system.steps[n].rule.id for n in plain}, {"a_to_b", "b_to_a"})


class Engine(ProgramTest):
    def test_the_engine_is_named_and_can_be_chosen(self):
        self.write("ring.yaml", ring_text(4, 5))
        for engine, said in (
            ("explicit", "explicit"),
            ("symbolic", "symbolic"),
            ("auto", "explicit"),
        ):
            done = self.zubrel("check", "ring.yaml", "--engine", engine, code=0)
            self.assertIn(f"{said} search", done.stdout)
            self.assertIn("129 situations", done.stdout)
        wrong = self.zubrel("check", "ring.yaml", "--engine", "magic", code=2)
        self.assertIn("symbolic", wrong.stderr)


if __name__ == "__main__":
    unittest.main()
