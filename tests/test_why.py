"""`zubrel why`, on files in a folder: findings, conditions, rules, scripts."""

import json
import unittest

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.small_worlds import small_worlds
from tests.stress_worlds import stress_world
from zubrel.explored.space import Trace
from zubrel.findings.alongside import MORE, alongside
from zubrel.findings.detectors.missable import missables
from zubrel.findings.find import find_in
from zubrel.findings.judged import judge
from zubrel.output.answers import SHARED

WORLD = """\
zubrel: 1
title: Two doors
start: {at: quay}
items: {key: {name: Key}, oar: {name: Oar, max: 1}}
areas:
  quay:
    finds: [key]
    ways: [{to: shed, lock: shed_door}, {to: tower, lock: tower_door}]
  shed: {finds: [oar]}
  tower: {}
locks:
  shed_door: {name: Shed door, takes: key}
  tower_door: {name: Tower door, takes: key}
endings: {won: {name: Won, when: at tower}}
"""


class Why(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def test_a_finding_is_told_with_its_reason_and_the_moves_it_speaks_of(self):
        text = self.zubrel("why", "w.yaml", "shed_door", code=0).stdout
        for words in (
            "error  softlock  shed_door  w.yaml:12:3",
            "Move 2, “Open Shed door”, used up Key, which “Open Tower door” needs.",
            "2*  Quay: Open Shed door",
            "* what the reason speaks of",
        ):
            self.assertIn(words, text)
        data = json.loads(
            self.zubrel("why", "w.yaml", "softlock", "shed_door", "--format", "json").stdout
        )
        (finding,) = data["findings"]
        self.assertEqual((finding["kind"], finding["subject"]), ("softlock", "shed_door"))
        self.assertEqual(finding["why"][0]["claim"], "never")

    def test_a_condition_can_be_and_then_the_way_to_it_is_shown_or_can_never_be(self):
        self.assertIn("It can be", self.zubrel("why", "w.yaml", "at shed and oar", code=0).stdout)
        told = json.loads(
            self.zubrel("why", "w.yaml", "at shed and oar", "--format", "json").stdout
        )
        self.assertEqual(
            [m["rule"] for m in told["moves"]],
            ["quay_key", "shed_door", "quay_to_shed", "shed_oar"],
        )
        self.assertTrue(told["possible"] and told["shortest"])
        text = self.zubrel("why", "w.yaml", "at tower and oar", code=0).stdout
        self.assertIn("Never, from the start on: at tower and oar", text)
        self.assertIn("Why:", text)
        text = self.zubrel("why", "w.yaml", "key >= 2", code=0).stdout
        self.assertIn("There can be no more than 1 of Key.", text)

    def test_after_a_script_the_same_is_asked_of_what_can_still_come(self):
        self.write("walk.txt", "quay_key\nexpect key\nshed_door\n")
        text = self.zubrel("why", "w.yaml", "at tower", "--after", "walk.txt", code=0).stdout
        self.assertIn("Never, after 2 moves: at tower", text)
        self.assertIn("It was used up by move 2, “Open Shed door”", text)
        text = self.zubrel("why", "w.yaml", "oar", "--after", "walk.txt", code=0).stdout
        self.assertIn("after 2 moves, in 2 more moves at the earliest", text)
        text = self.zubrel("why", "w.yaml", "tower_door", "--after", "walk.txt", code=0).stdout
        self.assertIn("“Open Tower door” needs Key, which can never be had again", text)

    def test_a_rule_is_possible_somewhere_or_it_is_told_why_not(self):
        text = self.zubrel("why", "w.yaml", "quay_to_shed", code=0).stdout
        self.assertIn("It can be: “Go to Shed” from Quay is possible", text)
        self.write("v.yaml", WORLD.replace("    finds: [key]\n", ""))
        text = self.zubrel("why", "v.yaml", "quay_to_shed", code=0).stdout
        self.assertIn("It follows from unreachable key.", text)
        self.assertIn("Nothing in the world gives it.", text)
        text = self.zubrel("why", "v.yaml", "not at quay", code=0).stdout
        self.assertIn("needs Shed door open, which can never be so", text)

    def test_what_is_more_than_can_be_carried_is_told_by_its_amounts(self):
        raft = (
            "zubrel: 1\nstart: {at: quay}\n"
            "items: {plank: {max: 4}, tar: {max: 3}, nail: {max: 2}}\n"
            "carry: [{limit: LIMIT}]\nareas:\n  quay:\n    finds: "
            "[{item: plank, again: always}, {item: tar, again: always}, "
            "{item: nail, again: always}]\n"
            "    deeds: {build: {name: Build a raft, takes: [nail, 3 plank, 2 tar], ends: away}}\n"
            "endings: {away: Away}\n"
        )
        self.write("heavy.yaml", raft.replace("LIMIT", "4"))
        text = " ".join(self.zubrel("check", "heavy.yaml", code=1).stdout.split())
        self.assertIn("UNWINNABLE", text)
        # the nail is not to blame: without it, it would be too much as well
        self.assertIn(
            "“Build a raft” would need 3 Plank and 2 Tar, which is more than the limit on what is "
            "carried or stored allows at once.",
            text,
        )
        self.write("light.yaml", raft.replace("LIMIT", "9"))
        self.zubrel("check", "light.yaml", code=0)

    def test_wrong_usage_is_invalid_and_says_a_way_out(self):
        for arguments, words in (
            (["w.yaml", "missable"], "of what"),
            (["w.yaml", "missable", "quay"], "no finding missable quay"),
            (["w.yaml", "at towr"], "tower"),
            (["w.yaml", "key and"], "condition"),
            (["w.yaml", "key", "--after", "none.txt"], "none.txt"),
        ):
            with self.subTest(arguments):
                done = self.zubrel("why", *arguments, code=2)
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
        self.write("bad.txt", "tower_door\n")
        done = self.zubrel("why", "w.yaml", "key", "--after", "bad.txt", code=2)
        self.assertIn("is not possible here", done.stderr)
        self.assertIn("bad.txt:1:1", done.stderr)

    def test_a_walk_that_begins_as_the_shortest_win_is_told_from_where_it_leaves_it(self):
        rooms = [f"  r{n}: {{ways: [{{to: r{n + 1}, one_way: true}}]}}" for n in range(SHARED + 2)]
        world = (
            "zubrel: 1\nstart: {at: r0}\nareas:\n"
            + "\n".join(rooms)
            + f"\n  r{SHARED + 2}: {{ways: [{{to: pit, one_way: true}}, tower]}}\n"
            + "  pit: {}\n  tower: {}\n"
            + "endings: {won: {when: at tower}}\n"
        )
        self.write("long.yaml", world)
        text = self.zubrel("why", "long.yaml", f"r{SHARED + 2}_to_pit", code=0).stdout
        many = SHARED + 3
        self.assertIn(f"in {many} moves (the first {many - 1} as in the shortest win)", text)
        self.assertIn(f"{many}*  R{SHARED + 2}: Go to Pit", text)
        self.assertNotIn("R0: Go to R1", text)


class Mends(ProgramTest):
    def test_of_small_worlds_it_tells_what_would_mend_a_finding(self):
        self.write("w.yaml", WORLD)
        told = self.zubrel("why", "w.yaml", "softlock", "shed_door", code=0).stdout
        mended = self.zubrel("mend", "w.yaml", "softlock", "shed_door", code=0).stdout
        self.assertIn("What would mend it, proved by a search each:", told)
        for words in (
            "“Open Shed door” asks for Key and does not use it up.",
            "1 more Key at Quay.",
        ):
            self.assertIn(words, told)
            self.assertIn(words, mended)
        self.assertNotIn("accepted", told)


class Alongside(unittest.TestCase):
    def test_evidence_by_the_way_of_the_win_shows_the_same_and_shares_more(self):
        longer = 0
        for name, _, space in small_worlds(range(40), (random_world, stress_world)):
            judged = judge(space)
            win = space.walks().shortest(judged.won)
            for finding in find_in(judged).findings if win else ():
                if finding.kind not in ("softlock", "bad_luck", "missable"):
                    continue
                known, shown = finding.trace.steps, alongside(judged, finding).trace.steps
                with self.subTest(world=name, of=(finding.kind, finding.subject)):
                    self.assertGreaterEqual(shared(shown, win.steps), shared(known, win.steps))
                    self.assertLessEqual(len(shown), len(known) + MORE)
                    self.assertGreaterEqual(len(shown), len(known))
                    end = space.at_end_of(Trace(shown))
                    if finding.kind == "missable":
                        every = missables(space.system)
                        question = next(q for q in every if q.subject == finding.subject)
                        (able,) = space.reaching([space.where(question.attained)])
                        self.assertTrue(end & judged.live)
                        self.assertFalse(end & able)
                    else:
                        self.assertEqual(shown[-1].rule.id, finding.subject)
                        self.assertTrue(end & judged.doomed)
                        self.assertTrue(space.at_end_of(Trace(shown[:-1])) & judged.live)
                longer += shown != known
        self.assertGreater(longer, 2)


def shared(steps, others):
    """With how many of the same moves two walks begin."""
    same = [a is b for a, b in zip(steps, others, strict=False)]
    return [*same, False].index(False)


if __name__ == "__main__":
    unittest.main()
