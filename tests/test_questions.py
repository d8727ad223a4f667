"""Detectors in two phases: whatever a question names is all that deciding it needs."""

import unittest
from unittest import mock

from tests.random_worlds import random_world
from tests.seeds import LONG, least, sampled
from tests.stress_worlds import stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.kinds import KINDS, STALE
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.explored.explore import explore
from zubrel.findings import registry
from zubrel.findings.judged import judge
from zubrel.findings.large.questions import answer, every_question, in_batches, whole_lens_for

# a lens for what is had without end did not know all that was asked of the fourth
SEEDS = sorted({*sampled(12), 3})


def worlds():
    """Small systems of different make, by name."""
    for seed in SEEDS:
        yield f"random {seed}", random_world(seed)
        yield f"stress {seed}", stress_world(seed)
        yield f"trade {seed}", trade_world(seed)


def named(findings):
    return {(f.kind, f.subject) for f in findings}


class Questions(unittest.TestCase):
    def test_a_lens_for_one_question_decides_it_as_all_situations_do(self):
        told = asked_alone = 0
        for name, data in worlds():
            system = compile_world(world_of(data))
            judged = judge(explore(system, Budget(Limits()), Silence()))
            questions = list(every_question(system))
            for one in questions[:: max(1, len(questions) // 8)]:
                if one.question.counts_moves:
                    continue
                detector = registry.BY_KIND[one.kind]
                exact = named(detector.decide(judged, [one.question]))
                lens = whole_lens_for(system, one.formulas(system), Budget(Limits()), Silence())
                with self.subTest(world=name, kind=one.kind, subject=one.subject):
                    self.assertEqual(named(answer(judge(lens), [one])), exact)
                asked_alone += 1
                told += bool(exact)
        self.assertGreater(asked_alone, 150 if LONG else 60)
        self.assertGreater(told, 25)

    def test_questions_decided_together_are_decided_as_one_by_one(self):
        told = 0
        for name, data in worlds():
            system = compile_world(world_of(data))
            judged = judge(explore(system, Budget(Limits()), Silence()))
            for detector in registry.SUBJECT_DETECTORS:
                questions = list(detector.questions(system))
                together = named(detector.decide(judged, questions))
                alone = [named(detector.decide(judged, [q])) for q in questions]
                with self.subTest(world=name, kind=detector.kind):
                    self.assertEqual(together, set().union(*alone))
                    # a question is about its own subject
                    for q, found in zip(questions, alone, strict=True):
                        self.assertLessEqual(found, {(detector.kind, q.subject)})
                told += len(together)
        self.assertGreater(told, least(100))

    def test_a_step_that_refutes_a_question_is_right(self):
        refuted = 0
        for name, data in worlds():
            system = compile_world(world_of(data))
            judged = judge(explore(system, Budget(Limits()), Silence()))
            for one in every_question(system):
                if any(judged.space.possible(s) for s in one.question.refuted_by):
                    refuted += 1
                    detector = registry.BY_KIND[one.kind]
                    with self.subTest(world=name, kind=one.kind, subject=one.subject):
                        self.assertEqual(list(detector.decide(judged, [one.question])), [])
        self.assertGreater(refuted, least(100))

    def test_batches_hold_every_question_once(self):
        for name, data in worlds():
            system = compile_world(world_of(data))
            questions = list(every_question(system))
            with mock.patch("zubrel.findings.large.questions.BATCH", 3):
                batches = list(in_batches(system, questions))
            with self.subTest(world=name):
                ids = [id(one) for batch in batches for one in batch]
                self.assertEqual(sorted(ids), sorted(id(one) for one in questions))
                sizes = [len({one.formulas(system) for one in batch}) for batch in batches]
                self.assertLessEqual(max(sizes, default=0), 16)


class Registry(unittest.TestCase):
    def test_a_kind_without_a_detector_is_told_at_once(self):
        registry.check_registry()
        for detectors in ("FILE_DETECTORS", "VERDICT_DETECTORS", "SUBJECT_DETECTORS"):
            fewer = getattr(registry, detectors)[1:]
            with mock.patch.object(registry, detectors, fewer), self.assertRaises(LookupError):
                registry.check_registry()

    def test_every_kind_but_the_stale_can_be_accepted(self):
        head = "zubrel: 1\nstart: {at: quay}\nareas: {quay: {}}\nendings: {e: {when: at quay}}\n"
        for kind in KINDS:
            accepted = f"accept: [{{finding: {kind}, of: world, because: so be it}}]\n"
            document = document_of(Source.of("w.yaml", head + accepted), head + accepted)
            with self.subTest(kind=kind):
                if kind == STALE:
                    self.assertRaisesRegex(InvalidInput, "there is no finding", check, document)
                else:
                    self.assertEqual([a.finding for a in check(document).accepted], [kind])


if __name__ == "__main__":
    unittest.main()
