"""Worlds that are too large to list: asked of reduced systems, and held against exact sets."""

import json
import unittest
from contextlib import nullcontext
from functools import cache
from itertools import islice
from unittest import mock

from benchmarks.families import realm

from tests.program import ProgramTest
from tests.seeds import LONG
from zubrel import looks as looks_module
from zubrel.api import loads
from zubrel.authored.document import document_of
from zubrel.base.budget import Allowance, Budget, LimitReached, Limits, WorkSpent
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import NotAsked
from zubrel.explored.symbolic.search import explore_symbolic
from zubrel.findings.detectors import missable as missable_module
from zubrel.findings.find import Conclusions, find
from zubrel.findings.large import planning as full_size_module
from zubrel.findings.large import questions as questions_module
from zubrel.findings.large.batches import Batches
from zubrel.findings.large.helpers import BatchResult, HelperGone
from zubrel.findings.large.planning import full_size
from zubrel.findings.large.processes import ProcessHelpers
from zubrel.findings.large.questions import every_question, whole_lens_for
from zubrel.looks import EarlyLooks
from zubrel.narrated.explaining import Explaining
from zubrel.narrated.narrate import UNTOLD, narrate
from zubrel.quotient.making import lens_for

REALMS = [("s", seed, one_way) for seed in (1, 7, 10) for one_way in (True, False)]


class Helping:
    """A helper with one answer to everything: a result, its end, or, with None, not even that."""

    count = 1

    def __init__(self, answer):
        self.answer = answer

    def begin(self, system, limits):
        pass

    def end(self):
        pass

    def submit(self, batch):
        if self.answer is None:
            raise HelperGone
        return self

    def done(self):
        return True

    def result(self):
        if self.answer is HelperGone:
            raise HelperGone
        return self.answer


def system_of(text):
    return compile_world(check(document_of(Source.of("realm.yaml", text), text)))


@cache
def realm_system(size, seed, one_way):
    return system_of(realm(size, seed, one_way))


def asked(system, **options):
    lens = lens_for(system, (), Budget(Limits()), Silence())
    return full_size(lens, Budget(Limits()), Silence(), **options)


def told_by(found):
    return {f.subject: f for f in narrate(found, lambda: 0.0).findings if f.kind == "softlock"}


def named(findings):
    return {(f.kind, f.subject) for f in findings}


def finished(system, questions):
    """Batches that have answered questions, asked as one batch, with work enough."""
    with Batches(system, Budget(Limits()), Silence(), Allowance(1e9), ProcessHelpers(0)) as batches:
        batches.ask([questions])
        batches.finish()
    return batches


class Realms(unittest.TestCase):
    def test_lenses_tell_of_millions_of_situations_what_exact_sets_tell(self):
        seen = set()
        for names in REALMS if LONG else REALMS[::2]:
            system = realm_system(*names)
            exact = find(explore_symbolic(system, Budget(Limits()), Silence()))
            full = asked(system)
            with self.subTest(realm=names):
                self.assertEqual(full.undecided, ())
                self.assertEqual(full.judged.verdict, exact.judged.verdict)
                self.assertEqual(named(full.findings), named(exact.findings))
                causes = [
                    {f.subject: f.cause for f in found if f.cause}
                    for found in (full.findings, exact.findings)
                ]
                self.assertEqual(*causes)
                sizes = [j.space.count(j.space.everything) for j in (full.judged, exact.judged)]
                self.assertLess(*sizes)
                narrate(
                    Conclusions(full.judged, full.findings), lambda: 0.0
                )  # replays all evidence
            seen |= {kind for kind, _ in named(exact.findings)}
        self.assertLessEqual({"softlock", "missable", "skippable", "unreachable"}, seen)

    @unittest.skipUnless(LONG, "make test-all")
    def test_explanations_are_whole_with_or_without_a_closer_look(self):
        compared = 0
        for names in (("s", 1, True), ("s", 7, True), ("s", 12, True)):
            system, budget = realm_system(*names), Budget(Limits())
            exact = told_by(find(explore_symbolic(system, budget, Silence())))
            full = asked(system)

            def closer(formulas, system=system, budget=budget):
                return whole_lens_for(system, formulas, budget, Silence())

            near = told_by(Conclusions(full.judged, full.findings, closer=closer))
            far = told_by(Conclusions(full.judged, full.findings))
            self.assertEqual(near.keys(), exact.keys())
            for subject, finding in exact.items():
                with self.subTest(realm=names, subject=subject):
                    self.assertTrue(finding.why)
                    self.assertTrue(near[subject].why)
                    # without a closer look either everything is said or nothing
                    self.assertIn(far[subject].why, (near[subject].why, ()))
                    compared += 1
        self.assertGreater(compared, 0)

    def test_small_batches_and_worker_processes_find_the_same(self):
        system = realm_system("s", 1, True)
        expected = asked(system)
        with mock.patch.object(questions_module, "BATCH", 8):
            for jobs in (1, 2) if LONG else (2,):
                full = asked(system, jobs=jobs)
                with self.subTest(jobs=jobs):
                    self.assertEqual(named(full.findings), named(expected.findings))
                    self.assertEqual(full.undecided, ())

    def test_what_there_was_no_time_for_is_named_and_not_claimed(self):
        system = realm_system("s", 1, True)
        whole = asked(system)
        with mock.patch.object(full_size_module, "BATCHES", -1.0):
            cut = asked(system)
        self.assertEqual(cut.judged.verdict, "softlocks")
        self.assertLess(named(cut.findings), named(whole.findings))
        missing = named(whole.findings) - named(cut.findings)
        self.assertLessEqual(missing, set(cut.undecided))
        # whatever is a finding is not undecided as well
        self.assertFalse(named(cut.findings) & set(cut.undecided))

    def test_what_a_win_loses_on_its_way_is_told_where_no_batch_is_answered(self):
        system = realm_system("s", 7, True)
        whole = asked(system)

        def never(system, batch, *rest):
            return BatchResult([], (), tuple(range(len(batch))), 0.0)

        with mock.patch("zubrel.findings.large.batches._answered", never):
            cut = asked(system)
            with mock.patch("zubrel.findings.large.planning.lost_by", lambda *_: iter(())):
                less = asked(system)
        told = named(cut.findings) - named(less.findings)
        self.assertEqual({kind for kind, _ in told}, {"missable"})
        self.assertLessEqual(told, named(whole.findings))
        self.assertLessEqual(told, set(less.undecided))
        self.assertFalse(named(cut.findings) & set(cut.undecided))
        shown = [f for f in cut.findings if (f.kind, f.subject) in told]
        self.assertTrue(all(f.trace.steps for f in shown))
        # the last move before it is lost closes it, where some play still comes to it from there
        self.assertTrue(any(f.closings for f in shown))

    def test_without_memory_for_the_questions_the_verdict_stands_and_all_else_is_open(self):
        system = realm_system("s", 1, True)
        whole = asked(system)
        with mock.patch("zubrel.quotient.lens.Lens.answers", side_effect=MemoryError):
            cut = asked(system)
        self.assertEqual(cut.judged.verdict, "softlocks")
        self.assertIn(("softlock", "error"), {(f.kind, f.severity) for f in cut.findings})
        missing = named(whole.findings) - named(cut.findings)
        self.assertTrue(missing)
        self.assertLessEqual(missing, set(cut.undecided))

    def test_batches_are_halved_until_nothing_is_left_to_halve(self):
        system = realm_system("s", 1, True)
        questions = list(islice(every_question(system), 6))
        tried = []

        def never(system, batch, *rest):
            tried.append(len(batch))
            return BatchResult([], (), tuple(range(len(batch))), 0.0)

        with mock.patch("zubrel.findings.large.batches._answered", never):
            batches = finished(system, questions)
        self.assertEqual(tried, [6, 3, 3, 1, 2, 1, 2, 1, 1, 1, 1])
        self.assertEqual(batches.undecided, [questions[n] for n in (0, 3, 1, 2, 4, 5)])

    def test_what_was_tried_in_vain_is_not_asked_again(self):
        system = realm_system("s", 1, True)
        questions = list(islice(every_question(system), 5))
        tried = []

        def some(system, batch, *rest):
            tried.append([questions.index(asked) for asked in batch])
            return BatchResult([], (0,), tuple(range(1, len(batch))), 0.0)

        with mock.patch("zubrel.findings.large.batches._answered", some):
            batches = finished(system, questions)
        self.assertEqual(tried, [[0, 1, 2, 3, 4], [1, 2], [3, 4], [2], [4]])
        self.assertEqual(batches.undecided, [questions[n] for n in (0, 1, 3, 2, 4)])

    def test_a_batch_with_a_question_that_its_lens_cannot_answer_is_asked_one_by_one(self):
        system = realm_system("s", 1, True)
        questions = list(islice(every_question(system), 4))
        tried = []

        def answer(judged, batch):
            tried.append(len(batch))
            if len(batch) > 1 or batch[0] is questions[2]:
                raise NotAsked(batch[0].subject)
            return questions_module.answer(judged, batch)

        with mock.patch("zubrel.findings.large.batches.answer", answer):
            batches = finished(system, questions)
        self.assertEqual(tried, [4, 1, 1, 1, 1])
        self.assertEqual(batches.undecided, [questions[2]])

    def test_what_a_helper_never_answers_is_answered_here(self):
        system = realm_system("s", 1, True)
        questions = list(islice(every_question(system), 2))
        found = {}
        for helpers in (ProcessHelpers(0), Helping(HelperGone), Helping(None)):
            with Batches(system, Budget(Limits()), Silence(), Allowance(1e9), helpers) as batches:
                batches.ask([questions])
                batches.finish()
            self.assertEqual(batches.undecided, [])
            found[helpers] = [f.subject for f in batches.findings]
        alone, *helped = found.values()
        self.assertEqual(helped, [alone, alone])

    def test_answers_beyond_the_allowance_do_not_count_whoever_gave_them(self):
        system = realm_system("s", 1, True)
        helpers = Helping(BatchResult([], (), (), 200.0))
        questions = list(islice(every_question(system), 1))
        with Batches(system, Budget(Limits()), Silence(), Allowance(100), helpers) as batches:
            batches.ask([questions])
            batches.finish()
        self.assertEqual(batches.undecided, questions)

    def test_an_explanation_that_no_look_can_give_is_left_out(self):
        looked = 0
        for seed in (1, 7, 12):
            full, sizes = asked(realm_system("s", seed, True)), []

            def blind(formulas, full=full, sizes=sizes):
                sizes.append(len(formulas))
                return full.judged.space  # knows no more than before

            told = told_by(Conclusions(full.judged, full.findings, closer=blind))
            without = told_by(Conclusions(full.judged, full.findings))
            self.assertEqual(
                {k: f.explanation for k, f in told.items()},
                {k: f.explanation for k, f in without.items()},
            )
            # each look asks for something that none has asked for
            self.assertEqual(sizes, sorted(set(sizes)))
            looked += len(sizes)
        self.assertGreater(looked, 0)

    def test_reasons_that_are_looked_up_together_are_those_that_are_looked_up_one_by_one(self):
        fewer = 0
        for seed in (1, 7) if LONG else (1,):
            system, looks, told = realm_system("s", seed, True), [], []
            full = asked(system)

            def closer(formulas, system=system, looks=looks):
                looks[-1] += 1
                return whole_lens_for(system, formulas, Budget(Limits()), Silence())

            conclusions = Conclusions(full.judged, full.findings, closer=closer)
            alone = mock.patch.object(Explaining, "look_ahead", lambda *_: None)
            for how in (nullcontext(), alone):
                looks.append(0)
                with how:
                    told.append(narrate(conclusions, lambda: 0.0).findings)
            together, one_by_one = ({(f.kind, f.subject): f.explanation for f in t} for t in told)
            with self.subTest(seed=seed):
                self.assertEqual(together, one_by_one)
                self.assertLessEqual(*looks)
            fewer += looks[1] - looks[0]
        self.assertGreater(fewer, 0)

    def test_where_the_work_on_reasons_ends_the_findings_are_told_without(self):
        full = asked(realm_system("s", 1, True))
        conclusions = Conclusions(full.judged, full.findings)
        with mock.patch.object(Explaining, "_relaxed", side_effect=WorkSpent("all of it")):
            told = narrate(conclusions, lambda: 0.0).findings
        self.assertEqual(named(told), named(full.findings))
        self.assertEqual([f.subject for f in told if f.explanation and not f.evidence], [])
        # of a move that dooms it is said that no reason is known
        dooms = [f for f in told if f.kind == "softlock"]
        self.assertTrue(dooms)
        self.assertTrue(all(UNTOLD in f.explanation for f in dooms))

    def test_what_a_batch_had_no_work_left_to_show_is_shown_all_the_same(self):
        system = realm_system("s", 7, True)
        questions = [q for q in every_question(system) if q.kind == "missable"]
        expected = {f.subject: f.trace for f in finished(system, questions).findings}
        first = mock.Mock(side_effect=[WorkSpent("once"), *[()] * 1000])
        with mock.patch.object(missable_module, "closings", first):
            shown = {f.subject: f.trace for f in finished(system, questions).findings}
        self.assertGreater(len(expected), 1)
        self.assertEqual(shown.keys(), expected.keys())
        self.assertTrue(all(shown.values()))


LUCKY = """
zubrel: 1
start: {at: quay}
items: {lamp: {max: 3}, oil: {max: 1}}
areas:
  quay:
    finds: [oil]
    ways: [{to: pier, needs: lamp}]
  pier: {}
deeds:
  throw: {at: quay, takes: oil, chance: [{odds: 1, gives: lamp}, {odds: 1}]}
endings: {lit: {when: at pier}}
"""


class Listening(Silence):
    """A progress that keeps what it is told to be certain."""

    def __init__(self):
        self.lines = []

    def certain(self, lines):
        self.lines += lines


class AfterTheVerdict(unittest.TestCase):
    """What is known of the end is told, whatever becomes of all that is asked later."""

    def test_who_has_waited_is_told_of_it_at_once_and_of_nothing_certain_any_more(self):
        system = realm_system("s", 1, True)
        for rest, lines in ((0.0, 1), (1e12, 0)):
            listening, budget = Listening(), Budget(Limits())
            looks = EarlyLooks(system, budget, listening)
            lens = lens_for(system, (), budget, Silence())
            with (
                mock.patch.object(looks_module, "CERTAIN", ((1e6, 1.0),)),
                mock.patch.object(looks_module, "REST", rest),
                mock.patch.object(looks, "_look") as look,
            ):
                full = full_size(lens, budget, Silence(), decided=looks.decided)
                budget.spend(1e9)
            culprits = [f.subject for f in full.findings if f.kind == "softlock"]
            with self.subTest(rest=rest):
                self.assertEqual(len(listening.lines), lines)
                for line in listening.lines:
                    self.assertEqual(line, f"decided: softlocks, 1 move can doom: {culprits[0]}")
                look.assert_not_called()

    def lens(self):
        system = compile_world(loads(LUCKY))
        return lens_for(system, (), Budget(Limits()), Silence())

    def told(self, full):
        return full.judged.verdict, {f.kind for f in full.findings}

    def test_whether_luck_is_needed_may_stay_open(self):
        verdict, kinds = self.told(full_size(self.lens(), Budget(Limits()), Silence()))
        self.assertEqual(verdict, "softlocks")
        self.assertLessEqual({"luck_needed", "bad_luck"}, kinds)
        with mock.patch.object(full_size_module, "STRATEGY", -1):
            budget = Budget(Limits())
            lens = lens_for(compile_world(loads(LUCKY)), (), budget, Silence())
            full = full_size(lens, budget, Silence())
        self.assertEqual(self.told(full), (verdict, kinds - {"luck_needed"}))
        self.assertEqual(full.undecided, (("luck_needed", "world"),))

    def test_a_limit_leaves_only_the_questions_open_that_come_after_it(self):
        whole = full_size(self.lens(), Budget(Limits()), Silence())
        with mock.patch.object(full_size_module._Work, "findings", side_effect=LimitReached("it")):
            full = full_size(self.lens(), Budget(Limits()), Silence())
        self.assertEqual(full.judged.verdict, whole.judged.verdict)
        self.assertLessEqual({"luck_needed", "bad_luck"}, self.told(full)[1])
        open_questions = {(a.kind, a.subject) for a in every_question(full.judged.system)}
        known = {(f.kind, f.subject) for f in full.findings}
        self.assertEqual(set(full.undecided), open_questions - known)
        # the same as without a limit but for what is named
        found = {(f.kind, f.subject) for f in whole.findings}
        self.assertEqual(found - known, found & set(full.undecided))


class Program(ProgramTest):
    def test_a_limit_of_time_ends_in_a_verdict_or_none_and_says_what_is_open(self):
        world = self.write("realm.yaml", realm("l", 1))
        done = self.zubrel("check", world, "--max-seconds", "3", "--format", "json")
        found = json.loads(done.stdout)
        self.assertEqual(found["complete"], found["verdict"] != "incomplete")
        if found["complete"]:
            self.assertEqual((found["verdict"], done.returncode), ("softlocks", 1))
            self.assertIsNone(found["situations"])
            open_subjects = {subject for _, subject in found["undecided"]}
            self.assertIn("task0", open_subjects)
        else:  # of what is certain all the same there may be errors
            certain = any(f["severity"] == "error" for f in found["findings"])
            self.assertEqual(done.returncode, 1 if certain else 3)

    def test_findings_that_the_same_moves_show_are_one_block(self):
        shells = ", ".join(f"shell{n}" for n in range(5))
        world = (
            "zubrel: 1\nstart: {at: beach}\nitems: {"
            + ", ".join(f"shell{n}: Shell {n}" for n in range(5))
            + "}\nareas:\n  beach: {finds: ["
            + shells
            + "], ways: [{to: pier, one_way: true}]}\n"
            + "  pier: {ways: [tower]}\n  tower: {}\nendings: {there: {when: at tower}}\n"
        )
        self.write("w.yaml", world)
        text = self.zubrel("check", "w.yaml", code=0).stdout
        self.assertIn("missable  shell0 and 4 more", text)
        self.assertIn("With it: shell1, shell2, shell3, shell4", text)
        self.assertIn("unused  shell0 and 4 more", text)
        self.assertLess(text.count("\n"), 20)
        full = self.zubrel("check", "w.yaml", "-v", code=0).stdout
        self.assertEqual(full.count("is what closes it"), 10)  # five things and their finds
        self.assertNotIn("more", full)
        quiet = self.zubrel("check", "w.yaml", "--quiet", code=0).stdout
        self.assertEqual(quiet.count("missable"), 10)


if __name__ == "__main__":
    unittest.main()
