"""Plays into the sets where moves doom, found in one way or another, against every situation."""

import json
import random
import unittest
from contextlib import ExitStack
from io import StringIO
from unittest import mock

from msgspec.structs import replace
from rich.console import Console

from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_certain import MANY
from zubrel.api import loads as world_of_text
from zubrel.base.budget import Budget, Limits
from zubrel.base.kinds import DOOMING as KINDS
from zubrel.base.progress import Silence
from zubrel.certain.stage import Looking
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within
from zubrel.compiled.parts import PLACE
from zubrel.explored.backward import known as known_module
from zubrel.explored.backward import seeking as seeking_module
from zubrel.explored.backward import space as space_module
from zubrel.explored.backward import wandering as wandering_module
from zubrel.explored.backward.reaching import Reaching
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.backward.wandering import Wandering
from zubrel.explored.packed.thinning import thinned
from zubrel.findings.detectors.softlocks import culprits, left_open
from zubrel.findings.find import Conclusions, find
from zubrel.findings.judged import judge
from zubrel.findings.large.planning import full_size
from zubrel.mended import trials as trials_module
from zubrel.narrated.difference import difference
from zubrel.narrated.early import explained_by, told_early
from zubrel.narrated.narrate import narrate
from zubrel.output.differences import (
    difference_as_json,
    difference_as_markdown,
    write_difference,
)
from zubrel.output.heads import verdict_of
from zubrel.pipeline import survey
from zubrel.quotient.making import backward_lens, reduced_for
from zubrel.swept.outcome import OpenFinding, VariantOutcome

DOOMING = (
    *((random_world, seed) for seed in (5, 9, 12, 27, 30)),
    *((stress_world, seed) for seed in (0, 4, 17)),
    *((trade_world, seed) for seed in (23,)),
    *((passage_world, seed) for seed in (5, 7, 11)),
    *((errand_world, seed) for seed in (8, 18, 20, 21)),
)
"""Worlds in which some moves doom."""


def dooming_worlds():
    for make, seed in DOOMING:
        yield from small_worlds([seed], (make,))


def without(*patches):
    """Some means taken away: names in modules, and what is there instead."""
    stack = ExitStack()
    # what plays happen to meet beforehand would leave nothing to be found
    stack.enter_context(mock.patch.object(known_module, "SCOUTED", 0))
    for where, name, instead in patches:
        stack.enter_context(mock.patch.object(where, name, instead))
    return stack


NO_WANDERING = (wandering_module, "MOST_WANDERING", 0)
NOTHING_SOON = (Reaching, "is_soon_refuted", lambda *_: False)
NOT_FROM_BOTH_ENDS = (seeking_module, "GROWING", ())
NO_WORK = (space_module, "SOUGHT", 0)


class Sought(unittest.TestCase):
    def test_moves_that_doom_are_found_by_whatever_means(self):
        means = {
            "all": (),
            "from both ends": (NO_WANDERING, NOTHING_SOON),
            "at random, and by what is soon told": (NOT_FROM_BOTH_ENDS,),
            "one after the other": (NO_WANDERING, NOTHING_SOON, NOT_FROM_BOTH_ENDS),
        }
        dooming = 0
        for name, system, plain in dooming_worlds():
            expected = set(culprits(judge(plain)))
            for which, taken_away in means.items():
                with without(*taken_away):
                    judged = judge(BackwardSpace(system, Budget(Limits())))
                    with self.subTest(world=name, means=which):
                        self.assertEqual(set(culprits(judged)), expected)
                        self.assertEqual(list(left_open(judged)), [])
            dooming += len(expected)
        self.assertGreater(dooming, 25)

    def test_what_is_too_hard_is_left_open_and_never_told(self):
        found = open_ = missed = 0
        for name, system, plain in dooming_worlds():
            expected = set(culprits(judge(plain)))
            # the verdict still finds some play
            with without(NO_WANDERING, NOTHING_SOON, NOT_FROM_BOTH_ENDS, NO_WORK):
                judged = judge(BackwardSpace(system, Budget(Limits())))
                told, left = set(culprits(judged)), set(left_open(judged))
            with self.subTest(world=name):
                self.assertLessEqual(told, expected)
                self.assertLessEqual(expected, told | left)
                self.assertEqual(told & left, set())
            found, open_ = found + len(told), open_ + len(left)
            missed += len(expected - told)
        self.assertGreater(found, 0)
        self.assertGreater(missed, 0)
        # of some that are left open nothing would have been found
        self.assertGreater(open_, missed)

    def test_what_is_left_open_is_named_beside_the_verdict(self):
        named = 0
        for name, system, plain in dooming_worlds():
            budget = Budget(Limits())
            reduced = reduced_for(system, (), budget)
            with without(NO_WANDERING, NOTHING_SOON, NOT_FROM_BOTH_ENDS, NO_WORK):
                full = full_size(backward_lens(system, reduced, budget), budget, Silence())
            told = {(f.kind, f.subject) for f in full.findings if f.kind in KINDS}
            left = {pair for pair in full.undecided if pair[0] in KINDS}
            expected = set(culprits(judge(plain)))
            with self.subTest(world=name):
                self.assertEqual(full.judged.verdict, judge(plain).verdict)
                self.assertLessEqual(told, expected)
                self.assertLessEqual(expected, told | left)
            named += len(left)
        self.assertGreater(named, 0)

    def test_whether_a_set_is_empty_is_never_left_open(self):
        hard = met = 0
        for name, system, _ in dooming_worlds():
            with without(NO_WANDERING, NOTHING_SOON, NOT_FROM_BOTH_ENDS, NO_WORK):
                space = BackwardSpace(system, Budget(Limits()))
                judged = judge(space)
                for step in system.steps:
                    leading = space.before(step, judged.doomed) & judged.live
                    soon, exact = space.is_come_into(leading), bool(leading)
                    with self.subTest(world=name, rule=step.rule.id):
                        self.assertIn(soon, (exact, None))
                        # what was found out since is known
                        self.assertIn(space.is_come_into(leading), (exact, None))
                    hard += soon is None
                    met += soon is None and bool(space.is_come_into(leading))
        self.assertGreater(hard, 10)
        self.assertGreater(met, 2)

    def test_what_only_some_plays_come_to_is_told_exactly(self):
        _, system, _ = next(small_worlds([23], (trade_world,)))
        with without(NO_WORK):
            space = BackwardSpace(system, Budget(Limits()))
            won = judge(space).won
            (without_win,) = space.reached_without([won])
            self.assertIs(space.is_come_into(without_win & won), False)
            self.assertIs(space.is_come_into(without_win), True)
        self.assertFalse(space.leaves_open)

    def test_who_wanders_stays_within(self):
        r, met, walled = random.Random(6), 0, 0
        for name, system, _ in dooming_worlds():
            with without():
                space = BackwardSpace(system, Budget(Limits()))
                back, everything = space.reaching_back, space.everything
                # some wall, which plays have to keep on this side of
                area = r.randrange(1, system.variables[PLACE].size)
                within = space.everything - space.where(Within(PLACE, area, area))
                before = set(back.known.situations)
                wandering = Wandering(system, back.walking, back.known)
                wandering.seek(self.steps_from(space, everything), within.areas, 20_000)
            for word in set(back.known.situations) - before:
                here = back.walking.start()
                for step in back.known.steps_to(word):
                    here = back.walking.after(here, step)
                    with self.subTest(world=name, step=step.rule.id):
                        self.assertTrue(back.known.holds(within.areas, here))
                self.assertEqual(here, word)
                met += 1
            walled += any(area in (move.areas or ()) for move in system.moves)
        self.assertGreater(met, 40)
        self.assertGreater(walled, 10)

    def steps_from(self, space, situations):
        return [space.before(step, situations).areas for step in space.system.steps]


class Shorter(unittest.TestCase):
    def test_plays_are_no_longer_than_they_were_and_come_to_the_same_set(self):
        shorter = 0
        for name, system, _ in dooming_worlds():
            with without():
                space = BackwardSpace(system, Budget(Limits()))
                judged, back = judge(space), space.reaching_back
                targets = [space.possible(step) & judged.live for step in system.steps]
                # plays at random make many moves that lead nowhere
                space.seek(targets, judged.live)
            for target in targets:
                play = back.play(target.areas)
                if play is None:
                    continue
                told = space.walks().shortest(target)
                with self.subTest(world=name):
                    self.assertLessEqual(len(told.steps), len(play.steps))
                    self.assertTrue(space.at_end_of(told) & target)
                shorter += len(told.steps) < len(play.steps)
        self.assertGreater(shorter, 10)

    def test_whatever_is_not_needed_is_left_out(self):
        def attempt(items):
            return items if {3, 7} <= set(items) else None

        self.assertEqual(thinned(range(20), attempt), [3, 7])
        # the last ones stay, needed or not
        self.assertEqual(thinned(range(20), attempt, 2), [3, 7, 18, 19])
        self.assertEqual(list(thinned([3, 7], attempt)), [3, 7])


class Named(unittest.TestCase):
    """What is left open, in words."""

    def report(self, open_ones):
        found = find(survey(world_of_text(MANY), Budget(Limits())))
        findings = [f for f in found.findings if (f.kind, f.subject) not in open_ones]
        conclusions = Conclusions(found.judged, tuple(findings), undecided=tuple(open_ones))
        return narrate(conclusions, lambda: 0.0)

    def test_what_is_certain_is_told_where_it_was_left_open(self):
        open_ones = [("softlock", "smash"), ("softlock", "nothing")]
        report = self.report(open_ones)
        self.assertEqual(set(report.undecided), set(open_ones))
        looking = Looking(compile_world(world_of_text(MANY)), Budget(Limits()))
        told = explained_by(report, told_early(looking.go_on(500_000)))
        self.assertEqual(told.undecided, (("softlock", "nothing"),))
        (smashed,) = (f for f in told.findings if (f.kind, f.subject) == open_ones[0])
        self.assertTrue(smashed.evidence)
        self.assertEqual(len(told.findings), len(report.findings) + 1)

    def test_the_verdict_says_that_there_may_be_more(self):
        report = self.report([("softlock", "nothing")])
        self.assertIn("but at least 1 move can make", verdict_of(report).plain)
        self.assertIn("but 1 move can make", verdict_of(replace(report, undecided=())).plain)

    def test_what_one_of_two_leaves_open_is_neither_new_nor_gone(self):
        known, unknown = self.report([]), self.report([("softlock", "smash")])
        for old, new in ((known, unknown), (unknown, known)):
            changed = difference(old, new)
            named = {(f.kind, f.subject) for f in (*changed.appeared, *changed.gone)}
            self.assertNotIn(("softlock", "smash"), named)
            self.assertEqual([(f.kind, f.subject) for f in changed.unsure], [("softlock", "smash")])
            self.assertTrue(changed.leaves_open("error"))
            self.assertFalse(changed.worse("error"))
            self.assertEqual(
                json.loads(difference_as_json(changed))["undecided"], [["softlock", "smash"]]
            )
            console = Console(file=StringIO(), width=100)
            write_difference(changed, console)
            for text in (difference_as_markdown(changed), console.file.getvalue()):
                self.assertIn("Not decided in one of both", text)
        # what is found with nothing left open is new
        other = difference(replace(unknown, undecided=()), known)
        self.assertIn("smash", [f.subject for f in other.appeared])
        self.assertTrue(other.worse("error"))
        self.assertFalse(other.leaves_open("error"))

    def test_a_variant_that_leaves_something_open_tells_nothing_of_it(self):
        smash = OpenFinding("softlock", "smash", "error")
        plain = VariantOutcome("softlocks", None, 3, True, (smash,), (), None)
        fewer = replace(plain, findings=())
        for first, other, told in (
            (plain, fewer, ((), (smash,))),
            (fewer, plain, ((smash,), ())),
            (plain, replace(fewer, undecided=(("softlock", "smash"),)), ((), ())),
            (replace(fewer, undecided=(("softlock", "smash"),)), plain, ((), ())),
        ):
            self.assertEqual(other.against(first), told)

    def test_a_change_after_which_a_move_may_doom_is_no_mend(self):
        wanted = trials_module.WantedChange(
            gone=("softlock", "smash"),
            verdict="softlocks",
            known=frozenset({("softlock", "smash"), ("softlock", "old")}),
            work=1e9,
            with_progression=False,
        )
        for open_one, fate in (("old", "searched"), ("new", "undecided")):
            after = mock.Mock(stopped=None, undecided=(("softlock", open_one),))
            with (
                mock.patch.object(trials_module, "check"),
                mock.patch.object(trials_module, "report", return_value=after),
            ):
                told, _ = trials_module.tried(mock.Mock(), mock.Mock(), wanted, Budget(Limits()))
            self.assertEqual(told, fate)


if __name__ == "__main__":
    unittest.main()
