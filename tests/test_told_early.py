"""What was certain before a limit, in every form in which a report is written."""

import json
import unittest
from typing import ClassVar
from unittest import mock

from junitparser import JUnitXml

from tests.program import ProgramTest
from tests.test_certain import many_shells
from zubrel import looks, pipeline
from zubrel.api import check, loads
from zubrel.base.budget import Budget, LimitReached, Limits
from zubrel.certain.stage import Looking, certain
from zubrel.compiled.compile import compile_world
from zubrel.narrated import early
from zubrel.narrated.narrate import UNTOLD

SHELLS = 11
MANY = many_shells(SHELLS)
CUT = ("--max-situations", "1000", "--engine", "explicit")
HOPELESS = MANY.replace("needs: [lens, oil]", "needs: 2 lens")
ACCEPT = "accept: [{finding: softlock, of: smash, because: it is a sad story}]\n"


class Forms(ProgramTest):
    said: ClassVar = {}
    """What the program said already; the same world gives the same bytes."""

    def check(self, world, *options, code):
        if (world, options) not in self.said:
            self.write("w.yaml", world)
            done = self.zubrel("check", "w.yaml", *CUT, *options)
            self.said[world, options] = done.returncode, done.stdout
        returned, text = self.said[world, options]
        self.assertEqual(returned, code)
        return text

    def test_text_shows_the_walk_and_why_no_win_is_left(self):
        text = self.check(MANY, "-v", code=1)
        for words in (
            "INCOMPLETE",
            "softlock  smash",
            "which can never be had again",
            "It was used up by move 2",
            "Smash the lens",
        ):
            self.assertIn(words, text)
        self.assertNotIn("so nothing is proved", text)

    def test_moves_that_are_safe_are_counted_and_the_others_named(self):
        found = json.loads(self.check(MANY, "--format", "json", code=1))
        # to find shells takes nothing away, and to smash the lens is told; the last move is left
        self.assertEqual(found["undecided"], [["softlock", "quay_to_tower"]])
        every = SHELLS + len(("lens", "oil", "smash", "quay_to_tower", "tower_to_quay"))
        self.assertEqual((found["safe_moves"], found["all_moves"]), (every - 2, every))
        for options in (("-v",), ("--format", "markdown")):
            text = " ".join(self.check(MANY, *options, code=1).split())
            self.assertIn(f"{every - 2} of {every} moves are proved safe", text)
            self.assertIn("whatever else is not told above", text)

    def test_where_there_is_no_win_no_move_takes_one_away(self):
        found = json.loads(self.check(HOPELESS, "--format", "json", code=1))
        self.assertFalse({"safe_moves", "undecided"} & found.keys())

    def test_quiet_text_is_a_line_a_finding(self):
        text = self.check(MANY, "--quiet", code=1)
        self.assertIn("error  softlock  smash", text)
        self.assertNotIn("Smash the lens", text)

    def test_unwinnable_is_the_verdict_whatever_else_is_unknown(self):
        text = self.check(HOPELESS, "-v", code=1)
        self.assertIn("UNWINNABLE", text)
        self.assertIn("The search for all else stopped at", " ".join(text.split()))
        self.assertIn("but no more than 1 can be had together", " ".join(text.split()))

    def test_unreachable_things_are_told_under_their_root(self):
        found = json.loads(self.check(HOPELESS, "--format", "json", code=1))
        causes = {f["subject"]: f["cause"] for f in found["findings"] if f["kind"] == "unreachable"}
        self.assertLessEqual({"tower", "lit", "quay_to_tower"}, causes.keys())
        self.assertIn(causes["tower"], ("lit", "quay_to_tower", None))
        early = [f for f in found["findings"] if f["kind"] in ("unwinnable", "unreachable")]
        self.assertTrue(all(f["certain"] for f in early))

    def test_sarif_and_junit_have_the_finding_beside_the_cut_search(self):
        sarif = json.loads(self.check(MANY, "--format", "sarif", code=1))
        (run,) = sarif["runs"]
        self.assertIn(("softlock", "error"), {(r["ruleId"], r["level"]) for r in run["results"]})
        junit = JUnitXml.fromstring(self.check(MANY, "--format", "junit", code=1).encode())
        (suite,) = junit
        self.assertEqual((suite.errors, suite.failures), (1, 1))

    def test_markdown_does_not_say_that_nothing_is_proved(self):
        text = self.check(MANY, "--format", "markdown", code=1)
        self.assertIn("what is told is certain", text)
        self.assertIn("smash", text)

    def test_what_the_author_accepts_is_no_reason_to_fail(self):
        text = self.check(MANY + ACCEPT, "-v", code=3)
        self.assertIn("it is a sad story", text)

    def test_a_higher_bar_lets_certain_warnings_pass(self):
        # nothing asks for the oil any more, and so it is a warning that nobody finds it
        world = MANY.replace("finds: [lens, oil,", "finds: [lens, {item: oil, needs: 2 lens},")
        world = world.replace("needs: [lens, oil]", "needs: lens")
        found = json.loads(self.check(world, "--format", "json", code=1))
        kinds = {(f["kind"], f["severity"]) for f in found["findings"]}
        self.assertIn(("unreachable", "warning"), kinds)

    def test_why_says_that_there_may_be_more_where_a_limit_came(self):
        self.write("w.yaml", MANY)
        done = self.zubrel("why", "w.yaml", "smash", *CUT, code=0)
        self.assertIn("Smash the lens", done.stdout)
        self.assertIn("limit of 1,000 situations: there may be more about smash", done.stderr)

    def test_who_asks_about_one_thing_does_not_wait_for_a_proof_that_lasts(self):
        world, soon = loads(many_shells(14)), ((1_000, 60_000),) * 2
        for asked, ends in ((("softlock", "smash"), True), (("missable", "smash"), False)):
            with (
                self.subTest(asked=asked),
                mock.patch.object(looks, "FIRST_WIN", soon[0]),
                mock.patch.object(looks, "CERTAIN", soon),
            ):
                told = pipeline.report(world, suffices=lambda f, a=asked: (f.kind, f.subject) == a)
                self.assertEqual(told.stopped, "what is certain of it" if ends else None)
                self.assertIn(("softlock", "smash"), {(f.kind, f.subject) for f in told.findings})

    def test_the_page_has_it_too(self):
        self.write("w.yaml", MANY)
        self.zubrel("report", "w.yaml", *CUT, "-o", "w.html", code=3)
        page = (self.folder / "w.html").read_text(encoding="utf-8")
        self.assertIn("what is told is certain", page)
        self.assertIn("Smash the lens", page)
        self.assertIn("softlock", page)

    def test_what_a_look_has_found_is_told_when_a_limit_comes_in_its_midst(self):
        go_on = Looking.go_on

        def cut(looking, work):
            go_on(looking, work)
            raise looking.budget.end(LimitReached("the limit of a second"))

        with mock.patch.object(Looking, "go_on", cut):
            report = check(loads(MANY), Limits(1_000, engine="explicit"))
        self.assertFalse(report.complete)
        told = [f.subject for f in report.findings if f.kind == "softlock"]
        self.assertEqual(told, ["smash"])

    def test_what_was_told_before_a_limit_stays(self):
        known = certain(compile_world(loads(MANY)), 200_000, Budget(Limits()))
        every = early.told_early(known).findings
        tell = early._findings_of

        def cut(known, words):
            yield next(tell(known, words))
            raise LimitReached("the limit of a second")

        with mock.patch.object(early, "_findings_of", cut):
            told = early.told_early(known)
        self.assertEqual(told.findings, every[:1])
        self.assertIsNotNone(told.win)
        # without the time for a reason, what is certain is told without
        out_of_time = mock.patch.object(early, "_why_lost", side_effect=LimitReached("a second"))
        with out_of_time:
            (bare,) = early.told_early(known).findings
        self.assertEqual((bare.subject, bare.proof), (every[0].subject, every[0].proof))
        self.assertEqual(bare.explanation[-1], UNTOLD)

    def test_what_an_earlier_look_has_told_stays_when_a_limit_comes_in_a_later_one(self):
        known = certain(compile_world(loads(MANY)), 200_000, Budget(Limits()))
        first = early.told_early(known)
        with mock.patch.object(early, "_findings_of", side_effect=LimitReached("a second")):
            self.assertEqual(early.told_early(known).findings, ())
            self.assertEqual(early.told_early(known, before=first).findings, first.findings)
        # what a look that ends does not tell any more is not told again
        with mock.patch.object(early, "_findings_of", return_value=iter(())):
            self.assertEqual(early.told_early(known, before=first).findings, ())
        # in the midst of a check: the second look has no time to tell anything
        tell, looks_told = early._findings_of, []

        def cut(known, words):
            looks_told.append(known)
            if len(looks_told) > 1:
                raise known.budget.end(LimitReached("the limit of a second"))
            return tell(known, words)

        soon = [(1, 20_000), (1, 20_000)]
        with (
            mock.patch.object(early, "_findings_of", cut),
            mock.patch.object(looks, "FIRST_WIN", soon[0]),
            mock.patch.object(looks, "CERTAIN", soon),
        ):
            report = check(loads(HOPELESS), Limits(4_000, engine="explicit"))
        self.assertGreater(len(looks_told), 1)
        self.assertEqual(report.verdict, "unwinnable")
        self.assertIn(("unwinnable", "world"), {(f.kind, f.subject) for f in report.findings})

    def test_that_no_win_is_left_is_an_error_even_without_time_for_its_reason(self):
        known = certain(compile_world(loads(HOPELESS)), 200_000, Budget(Limits()))
        every = early.told_early(known)
        self.assertTrue(every.unwinnable)
        with mock.patch.object(early, "_reasons", side_effect=LimitReached("a second")):
            (bare,) = early.told_early(known).findings
            # and all else that was told before
            more = early.told_early(known, before=every).findings
        self.assertEqual((bare.kind, bare.explanation), ("unwinnable", ()))
        self.assertGreater(len(more), 1)
        self.assertEqual({f.subject for f in more}, {f.subject for f in every.findings})
        self.assertTrue(bare.certain)

    def test_from_python_too(self):
        import zubrel

        report = zubrel.check(zubrel.loads(MANY), zubrel.Limits(1_000, engine="explicit"))
        (finding,) = (f for f in report.findings if f.kind == "softlock")
        self.assertTrue(finding.certain)
        self.assertEqual(finding.proof.before[-1].rule, "quay_to_tower")
        self.assertFalse(report.complete)


class Comparisons(ProgramTest):
    def test_a_cut_search_is_no_proof_that_a_finding_is_gone(self):
        self.write("old.yaml", MANY)
        self.write(
            "new.yaml",
            MANY.replace("deeds: {smash: {name: Smash the lens, takes: lens}}", "deeds: {}"),
        )
        done = self.zubrel("compare", "old.yaml", "new.yaml", *CUT)
        self.assertNotEqual(done.returncode, 0)
        self.assertNotIn("Traceback", done.stderr)

    def test_several_worlds_are_told_one_after_the_other(self):
        self.write("a.yaml", MANY)
        self.write("b.yaml", HOPELESS)
        done = self.zubrel("check", "a.yaml", "b.yaml", *CUT, "--format", "json", code=1)
        verdicts = [r["verdict"] for r in json.loads(done.stdout)]
        self.assertEqual(verdicts, ["incomplete", "unwinnable"])
        both = self.zubrel("check", "a.yaml", "b.yaml", *CUT, "--jobs", "2", "--format", "json")
        again = [r["verdict"] for r in json.loads(both.stdout)]
        self.assertEqual(again, verdicts)


if __name__ == "__main__":
    unittest.main()
