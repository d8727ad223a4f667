"""`zubrel compare`: what an edit changed, against a file and against a revision."""

import json
import subprocess
import unittest

from tests.program import ProgramTest
from tests.test_check_command import TOSS

MENDED = TOSS.replace("takes: key", "needs: key")
LOST = TOSS.replace("finds: [key]", "finds: []")


class Compare(ProgramTest):
    def compare(self, old, new, *options, code):
        self.write("old.yaml", old)
        self.write("new.yaml", new)
        done = self.zubrel(
            "compare", "old.yaml", "new.yaml", "--format", "json", *options, code=code
        )
        return json.loads(done.stdout)

    def kinds(self, findings):
        return {(f["kind"], f["subject"]) for f in findings}

    def test_a_mended_softlock_is_gone_and_that_is_no_worse(self):
        found = self.compare(TOSS, MENDED, code=0)
        self.assertEqual(
            (found["old"]["verdict"], found["new"]["verdict"]), ("softlocks", "solvable")
        )
        self.assertEqual(self.kinds(found["gone"]), {("softlock", "toss"), ("wasted_use", "toss")})
        self.assertEqual(found["appeared"], [])

    def test_a_worse_verdict_and_new_findings_are_exit_code_1(self):
        found = self.compare(MENDED, LOST, code=1)
        self.assertIn(("unwinnable", "world"), self.kinds(found["appeared"]))
        self.assertEqual(found["new"]["shortest_win"], None)
        self.assertEqual(found["must_haves"]["lost"], ["key", "quay_key", "door"])

    def test_findings_keep_their_identity_when_lines_move(self):
        moved = "# a comment\n" + TOSS
        found = self.compare(TOSS, moved, code=0)
        self.assertEqual((found["appeared"], found["gone"]), ([], []))
        self.assertEqual(len(found["still"]), 2)

    def test_accepting_a_finding_takes_it_away_and_giving_that_up_brings_it_back(self):
        accepted = TOSS + "accept: [{finding: wasted_use, of: toss, because: it is a joke}]\n"
        self.assertEqual(
            self.kinds(self.compare(TOSS, accepted, code=0)["gone"]), {("wasted_use", "toss")}
        )
        self.assertEqual(
            self.kinds(self.compare(accepted, TOSS, code=1)["appeared"]), {("wasted_use", "toss")}
        )
        self.compare(accepted, TOSS, "--fail-on", "error", code=0)

    def test_must_haves_and_their_order(self):
        longer = MENDED.replace("tower: {}", "tower: {finds: [{item: lens, id: pane}]}")
        longer = longer.replace("{key: Brass key}", "{key: Brass key, lens: Lens}")
        longer = longer.replace("when: at tower", "when: at quay and lens")
        found = self.compare(MENDED, longer, code=0)
        self.assertEqual(found["must_haves"]["gained"], ["lens", "pane"])
        self.assertEqual(found["order"]["gained"], [["door", "lens"]])

    def test_text_and_markdown_say_what_is_new(self):
        self.compare(MENDED, TOSS, code=1)
        for form in ("text", "markdown"):
            done = self.zubrel("compare", "old.yaml", "new.yaml", "--format", form, code=1)
            self.assertIn("solvable → softlocks", done.stdout)
            self.assertIn("toss", done.stdout)

    def test_a_cut_search_proves_nothing(self):
        self.write("old.yaml", MENDED)
        done = self.zubrel("compare", "old.yaml", "old.yaml", "--max-situations", "3", code=3)
        self.assertIn("incomplete", done.stdout)


class Revisions(ProgramTest):
    def git(self, *arguments):
        subprocess.run(
            [
                "git",
                "-c",
                "user.name=Keeper",
                "-c",
                "user.email=keeper@example.invalid",
                *arguments,
            ],
            cwd=self.folder,
            check=True,
            capture_output=True,
        )

    def setUp(self):
        super().setUp()
        (self.folder / "worlds").mkdir()
        self.write("worlds/endings.yaml", "endings: {top: {when: at tower}}\n")
        inside = MENDED[: MENDED.index("endings:")] + "include: [endings.yaml]\n"
        self.write("worlds/island.yaml", inside)
        self.git("init", "-q")
        self.git("add", ".")
        self.git("commit", "-q", "-m", "first")
        self.write("worlds/island.yaml", inside.replace("needs: key}", "takes: key}", 1))

    def test_an_earlier_revision_is_read_with_all_that_it_includes(self):
        old = "HEAD:worlds/island.yaml"
        done = self.zubrel("compare", old, "worlds/island.yaml", "--format", "json", code=1)
        found = json.loads(done.stdout)
        self.assertEqual((found["old"]["world"], found["old"]["verdict"]), (old, "solvable"))
        self.assertEqual(found["new"]["verdict"], "softlocks")

    def test_revisions_and_files_that_are_not_there_are_refused(self):
        for old in (
            "NOWHERE:worlds/island.yaml",
            "HEAD:worlds/atoll.yaml",
            "--output=x:worlds/island.yaml",
        ):
            done = self.zubrel("compare", "--", old, "worlds/island.yaml", code=2)
            self.assertEqual(done.stdout, "")
            self.assertIn("revision", done.stderr)
        self.assertEqual(list(self.folder.glob("x*")), [])


if __name__ == "__main__":
    unittest.main()
