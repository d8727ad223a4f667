"""`zubrel mend`: every proposal does what it says, nothing else is touched, nothing is lost."""

from __future__ import annotations

import json
import unittest

import yaml

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.reference import Reference, Restless, TooLarge
from zubrel.authored.document import document_of
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.mended.edits import Edit, applied, places, with_item, with_key
from zubrel.mended.mend import mend
from zubrel.pipeline import report

WORLD = """\
zubrel: 1
title: Two doors   # a comment that stays
start: {at: quay}
items: {key: {name: Key}}
areas:
  quay:
    finds: [key]   # only one
    ways: [{to: shed, lock: shed_door}, {to: tower, lock: tower_door}]
  shed: {}
  tower: {}
locks:
  shed_door: {name: Shed door, takes: key}
  tower_door: {name: Tower door, takes: key}
endings: {won: {name: Won, when: at tower}, lost: {name: Lost, kind: bad}}
"""
RAFT = """\
zubrel: 1
start: {at: quay}
items: {lens: Lens}
areas:
  quay:
    finds: [lens]
    ways:
      - {to: raft, one_way: true}
  raft: {ways: [{to: tower, needs: lens}]}
  tower: {}
endings: {won: {when: at tower}}
"""


class Proposals(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)
        self.world = self.folder / "w.yaml"

    def proposals(self, *arguments, code=0):
        done = self.zubrel("mend", "w.yaml", *arguments, "--format", "json", code=code)
        (found,) = json.loads(done.stdout)["findings"]
        return found["proposals"], found["tried"]

    def test_what_was_used_up_is_asked_for_or_there_is_one_more_of_it(self):
        proposals, _ = self.proposals("softlock", "shed_door")
        words = {p["words"] for p in proposals if p["mends"]}
        self.assertEqual(
            words, {"“Open Shed door” asks for Key and does not use it up", "1 more Key at Quay"}
        )
        for proposal in proposals:
            self.assertIn(["softlock", "shed_door"], proposal["gone"])
            if proposal["mends"]:
                self.assertEqual((proposal["new"], proposal["verdict"]), ([], "solvable"))
        self.assertFalse(proposals[-1]["mends"])  # that it is meant so comes last
        text = self.zubrel("mend", "w.yaml", "softlock", "shed_door", code=0).stdout
        self.assertEqual(text.count("Accepted: softlock shed_door."), 1)
        self.assertEqual(text.count("Gone: softlock shed_door."), len(words))
        self.assertEqual(self.world.read_text(encoding="utf-8"), WORLD)

    def test_a_change_is_written_when_it_is_asked_for_and_touches_nothing_else(self):
        proposals, _ = self.proposals("softlock", "shed_door")
        number = next(p["number"] for p in proposals if p["words"].startswith("“Open Shed"))
        self.zubrel(
            "mend",
            "w.yaml",
            "softlock",
            "shed_door",
            "--apply",
            str(number),
            "-o",
            "v.yaml",
            code=0,
        )
        expected = WORLD.replace("Shed door, takes: key", "Shed door, needs: key")
        self.assertEqual((self.folder / "v.yaml").read_text(encoding="utf-8"), expected)
        self.assertEqual(self.world.read_text(encoding="utf-8"), WORLD)
        self.zubrel("mend", "w.yaml", "softlock", "shed_door", "--apply", str(number), code=0)
        self.assertEqual(self.world.read_text(encoding="utf-8"), expected)
        self.assertIn("SOLVABLE", self.zubrel("check", "w.yaml").stdout)

    def test_ends_of_lines_and_marks_of_a_file_stay(self):
        content = b"\xef\xbb\xbf" + WORLD.replace("\n", "\r\n").encode()
        self.world.write_bytes(content)
        self.zubrel("mend", "w.yaml", "softlock", "shed_door", "--apply", "1", code=0)
        changed = self.world.read_bytes()
        self.assertTrue(changed.startswith(b"\xef\xbb\xbf"))
        self.assertEqual(changed.count(b"\r\n"), content.count(b"\r\n"))
        self.assertEqual(changed.count(b"\n"), changed.count(b"\r\n"))

    def test_a_way_of_no_return_gets_one(self):
        self.write("w.yaml", RAFT)
        proposals, _ = self.proposals("softlock", "quay_to_raft")
        first = proposals[0]
        self.assertEqual(first["words"], "“Go to Raft” can be walked back")
        self.assertIn("+      - {to: raft, one_way: false}", first["diff"])

    def test_where_nothing_helps_it_says_what_was_tried(self):
        self.write(
            "w.yaml",
            RAFT.replace("one_way: true", "one_way: true, sets: {wet: true}")
            .replace("items:", "facts: {wet: false}\nitems:")
            .replace("needs: lens", "needs: [lens, not wet]"),
        )
        done = self.zubrel("mend", "w.yaml", "unwinnable", "world", code=1)
        self.assertIn("No single change of these kinds helps", done.stdout)

    def test_wrong_usage_is_refused_with_a_way_out(self):
        for arguments, words in (
            (["w.yaml", "shed_dor"], "shed_door"),
            (["w.yaml", "missable"], "of what"),
            (["w.yaml", "shed_door", "--apply", "9"], "there is no change 9"),
            (["w.yaml", "shed_door", "--apply", "1", "-o", "w.yaml"], "never written over"),
        ):
            with self.subTest(arguments):
                done = self.zubrel("mend", *arguments, code=2)
                self.assertIn(words, done.stderr)
                self.assertEqual(self.world.read_text(encoding="utf-8"), WORLD)


class Edits(unittest.TestCase):
    def root(self, text):
        return document_of(Source.of("w.yaml", text), text).roots[0]

    def test_edits_change_their_places_and_no_others(self):
        text = "one\ntwo two\r\nthree"
        edits = [Edit(2, 5, 3, "2"), Edit(1, 1, 0, "zero "), Edit(3, 1, 5, "3")]
        self.assertEqual(applied(text, edits), "zero one\ntwo 2\r\n3")

    def test_keys_and_entries_are_put_in_where_they_belong(self):
        text = "zubrel: 1\nlocks:\n  a: {takes: key}\n  b:\n    takes: key\naccept:\n  - {of: x}\n"
        root = self.root(text)
        bodies = {p.path[-1]: p.node for p in places(root) if p.path[0] == "locks"}
        changed = applied(text, [with_key(bodies["a"], "ends", "lost")])
        self.assertIn("  a: {ends: lost, takes: key}\n", changed)
        changed = applied(text, [with_key(bodies["b"], "ends", "lost")])
        self.assertIn("  b:\n    ends: lost\n    takes: key\n", changed)
        changed = applied(text, [with_item(root, "accept", "{of: y}", text)])
        self.assertIn("accept:\n  - {of: y}\n  - {of: x}\n", changed)
        flow = "zubrel: 1\naccept: [{of: x}]\n"
        changed = applied(flow, [with_item(self.root(flow), "accept", "{of: y}", flow)])
        self.assertIn("accept: [{of: y}, {of: x}]\n", changed)
        none = "zubrel: 1"
        changed = applied(none, [with_item(self.root(none), "accept", "{of: y}", none)])
        self.assertEqual(changed, "zubrel: 1\naccept:\n  - {of: y}\n")


class AgainstReference(unittest.TestCase):
    def test_every_proposal_does_what_it_says_by_the_slow_reference(self):
        compared = 0
        for seed in range(18):
            text = yaml.safe_dump(random_world(seed), sort_keys=False)
            source = Source.of("w.yaml", text)
            world = check(document_of(source, text))
            try:
                Reference(yaml.safe_load(text)).explore()
            except (TooLarge, Restless):
                continue
            before = report(world)
            found = [f for f in before.findings if f.kind in ("softlock", "bad_luck")]
            for finding in found[:2]:
                for proposal in mend(source, text, world, before, finding).proposals:
                    changed = Reference(yaml.safe_load(proposal.text)).explore().summary()
                    with self.subTest(seed=seed, words=proposal.words):
                        new = proposal.change.new
                        self.assertEqual(changed["verdict"], new.verdict)
                        self.assertEqual(changed["situations"], new.situations)
                        if not proposal.last:
                            self.assertNotIn((finding.kind, finding.subject), changed["culprits"])
                        compared += 1
        self.assertGreater(compared, 2)


if __name__ == "__main__":
    unittest.main()
