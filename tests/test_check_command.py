"""`zubrel check`, driven as a program."""

import json
import re
import unittest

from tests.program import CASES, ProgramTest

TIMES = re.compile(r"[0-9.]+ s\)")
TOSS = """\
zubrel: 1
title: A key in the sea
start: {at: quay}
items: {key: Brass key}
areas:
  quay:
    finds: [key]
    ways: [pier, {to: tower, lock: door}]
  pier:
    deeds:
      toss: {name: Throw the key into the sea, takes: key}
  tower: {}
locks:
  door: {needs: key}
endings:
  top: {name: Top of the tower, when: at tower}
"""


class Verdicts(ProgramTest):
    def test_a_softlock_is_found_with_its_shortest_evidence_and_its_reason(self):
        found = self.check(TOSS, code=1)
        self.assertEqual((found["verdict"], found["complete"]), ("softlocks", True))
        self.assertEqual((found["situations"], found["won"], found["doomed"]), (12, 2, 2))
        softlock, wasted = found["findings"]
        self.assertEqual((wasted["kind"], wasted["subject"]), ("wasted_use", "toss"))
        self.assertEqual((softlock["kind"], softlock["subject"]), ("softlock", "toss"))
        self.assertEqual((softlock["line"], softlock["column"]), (11, 7))
        self.assertEqual(
            [m["rule"] for m in softlock["evidence"]], ["quay_key", "quay_to_pier", "toss"]
        )
        self.assertEqual(softlock["situations"], 2)
        self.assertIn("wandering", softlock["explanation"])
        self.assertIn("used up by move 3", softlock["explanation"])

    def test_the_same_world_without_the_mistake_is_solvable(self):
        found = self.check(TOSS.replace("takes: key", "needs: key"), code=0)
        self.assertEqual(found["verdict"], "solvable")
        self.assertEqual([f["kind"] for f in found["findings"]], [])
        self.assertEqual(found["shortest_win"]["length"], 3)

    def test_a_world_without_a_way_to_its_ending_is_unwinnable_and_says_what_is_missing(self):
        found = self.check(TOSS.replace("    finds: [key]\n", ""), code=1)
        self.assertEqual((found["verdict"], found["won"]), ("unwinnable", 0))
        self.assertIsNone(found["shortest_win"])
        explanation = found["findings"][0]["explanation"]
        for words in ("Tower", "Door open", "Brass key", "Nothing in the world gives it"):
            self.assertIn(words, explanation)

    def test_luck_that_can_take_every_win_away_is_bad_luck_and_names_the_outcome(self):
        world = TOSS.replace("takes: key}", "needs: key, chance: [{}, {loses: key, odds: 2}]}")
        (finding,) = [f for f in self.check(world)["findings"] if f["severity"] == "error"]
        self.assertEqual((finding["kind"], finding["subject"]), ("bad_luck", "toss"))
        self.assertEqual(finding["evidence"][-1]["outcome"], 2)
        self.assertNotIn("outcome", finding["evidence"][0])

    def test_a_player_without_any_move_is_stuck(self):
        world = TOSS.replace("ways: [pier,", "ways: [{to: pier, one_way: true},")
        finding = self.check(world)["findings"][0]
        self.assertEqual(finding["subject"], "quay_to_pier")
        self.assertIn("stuck", finding["explanation"])

    def test_output_is_the_same_on_every_run_but_for_the_seconds(self):
        runs = [self.check((CASES / "island.yaml").read_text(encoding="utf-8")) for _ in range(2)]
        for run in runs:
            run.pop("seconds")
        self.assertEqual(runs[0], runs[1])


class Limits(ProgramTest):
    def test_a_search_that_is_cut_short_tells_only_what_is_certain(self):
        world = (CASES / "lamps.yaml").read_text(encoding="utf-8")
        for options in (
            ["--max-situations", "3000"],
            ["--max-seconds", "0.01"],
            ["--max-memory", "1M"],
        ):
            with self.subTest(options=options):
                found = self.check(world, *options, code=3)
                self.assertEqual((found["verdict"], found["complete"]), ("incomplete", False))
                # that nothing asks for a thing can be read off the file; all else some play shows
                read_off = {"unused", "empty_area"}
                for finding in found["findings"]:
                    self.assertTrue(finding["kind"] in read_off or finding["certain"])

    def test_the_text_of_a_cut_search_says_so(self):
        self.write("w.yaml", TOSS)
        done = self.zubrel("check", "w.yaml", "--max-situations", "1", code=1)
        self.assertIn("INCOMPLETE", done.stdout)
        self.assertIn("certain all the same", " ".join(done.stdout.split()))
        self.assertNotIn("SOLVABLE", done.stdout)

    def test_a_doomed_situation_seen_whole_is_reported_even_by_a_cut_search(self):
        # the trap is at the start and leads nowhere, the rest of the world is large
        finds = "\n".join(f"  pile{n}: {{finds: [shell{n}], ways: [beach]}}" for n in range(14))
        world = (
            "zubrel: 1\nstart: {at: beach}\nitems: {"
            + ", ".join(f"shell{n}: Shell {n}" for n in range(14))
            + "}\nareas:\n  beach: {ways: [{to: pit, one_way: true}, {to: home, one_way: true}]}\n"
            + "  pit: {deeds: {shout: {}}}\n  home: {}\n"
            + finds
            + "\nendings: {home_again: {when: at home}}\n"
        )
        found = self.check(world, "--max-situations", "30000", code=1)
        self.assertEqual(found["verdict"], "incomplete")
        searched = [f for f in found["findings"] if f["kind"] != "unused"]
        self.assertEqual([f["subject"] for f in searched], ["beach_to_pit"])


class Reasons(ProgramTest):
    def test_doors_that_want_more_tokens_than_are_left_are_counted(self):
        world = """\
zubrel: 1
start: {at: quay, holding: 2 token}
items: {token: Brass token, oil: Lamp oil}
areas:
  quay: {ways: [{to: shed, lock: shed_door}, {to: ferry, lock: bar}, {to: arcade, lock: stile}]}
  shed: {finds: [oil]}
  arcade: {}
  ferry: {}
locks: {shed_door: {takes: token}, bar: {takes: token}, stile: {takes: token}}
endings: {away: {when: at ferry and oil}}
"""
        softlock = self.check(world, code=1)["findings"][0]
        self.assertEqual((softlock["kind"], softlock["subject"]), ("softlock", "stile"))
        self.assertIn(
            "“Open Shed door” and “Open Bar” still want Brass token, 2 in all, and 1 can be had.",
            softlock["explanation"],
        )
        kept = world.replace("at ferry and oil", "at ferry and token")
        kept = kept.replace("{to: ferry, lock: bar}", "{to: ferry, needs: 3 oil}")
        explanation = self.check(kept.replace("[oil]", "[4 oil]"), code=1)["findings"][0]
        self.assertIn(
            "“Open Shed door” still wants Brass token, 1 in all, 1 more is needed then, and 1 can "
            "be had.",
            explanation["explanation"],
        )

    def test_must_haves_order_and_windows_are_part_of_json_and_of_v(self):
        found = self.check(TOSS, code=1)
        self.assertEqual([m["id"] for m in found["must_haves"]], ["key", "door"])
        self.assertEqual(found["must_haves"][0]["together"], ["quay_key"])
        self.assertEqual(found["order"], [["key", "door"]])
        windows = {w["id"]: (w["first"], w["closed_by"]) for w in found["windows"]}
        self.assertEqual(windows, {"key": (1, []), "quay_key": (1, [])})
        shown = self.zubrel("check", "world.yaml", "-v", code=1).stdout
        self.assertIn("In every win", shown)
        self.assertNotIn("In every win", self.zubrel("check", "world.yaml", code=1).stdout)


class Output(ProgramTest):
    def test_the_text_names_verdict_place_and_moves_without_colour_codes(self):
        self.write("w.yaml", TOSS)
        done = self.zubrel("check", "w.yaml", code=1)
        for words in ("SOFTLOCKS", "w.yaml:11:7", "Throw the key into the sea", "1 error"):
            self.assertIn(words, done.stdout)
        self.assertNotIn("\x1b", done.stdout)
        self.assertEqual(done.stderr, "")

    def test_quiet_is_one_line_for_each_finding(self):
        self.write("w.yaml", TOSS)
        quiet = self.zubrel("check", "w.yaml", "--quiet", code=1).stdout.splitlines()
        self.assertEqual(sum("softlock" in line for line in quiet), 1)
        self.assertEqual(sum("wasted_use" in line for line in quiet), 1)
        self.assertLess(len(quiet), 9)

    def test_severity_decides_the_exit_code(self):
        world = TOSS.replace("takes: key", "once: true, needs: key")
        world = world.replace("to: tower,", "to: tower, one_way: true,")
        self.write("w.yaml", world.replace("when: at tower", "when: at tower and key"))
        self.assertEqual(self.zubrel("check", "w.yaml").returncode, 0)
        warned = self.zubrel("check", "w.yaml", "--fail-on", "note")
        self.assertEqual(warned.returncode, 0, "nothing is missable before the win")

    def test_several_worlds_come_as_an_array_and_the_worst_decides(self):
        self.write("bad.yaml", TOSS)
        self.write("good.yaml", TOSS.replace("takes: key", "needs: key"))
        done = self.zubrel("check", "good.yaml", "bad.yaml", "--format", "json", code=1)
        self.assertEqual([r["verdict"] for r in json.loads(done.stdout)], ["solvable", "softlocks"])

    def test_a_file_is_written_whole_and_the_terminal_stays_empty(self):
        self.write("w.yaml", TOSS)
        done = self.zubrel("check", "w.yaml", "--format", "json", "-o", "r.json", code=1)
        self.assertEqual(done.stdout, "")
        self.assertEqual(json.loads((self.folder / "r.json").read_text())["world"], "w.yaml")
        self.assertEqual(sorted(p.name for p in self.folder.iterdir()), ["r.json", "w.yaml"])

    def test_a_place_that_cannot_be_written_is_a_usage_error(self):
        self.write("w.yaml", TOSS)
        done = self.zubrel("check", "w.yaml", "-o", "no/such/folder/r.txt", code=2)
        self.assertIn("cannot be written", done.stderr)


class Missable(ProgramTest):
    WORLD = """\
zubrel: 1
start: {at: quay}
items: {shell: Shell, medal: Medal}
areas:
  quay: {finds: [shell], ways: [{to: ferry, one_way: true}]}
  ferry: {finds: [medal], ways: [{to: mainland, one_way: true}]}
  mainland: {ways: [ridge]}
  ridge: {}
endings: {home: {when: at ridge}}
"""

    def test_points_of_no_return_are_named_with_the_shortest_way_to_each(self):
        found = self.check(self.WORLD, code=0)
        closed = {
            f["subject"]: [(c["rule"], len(c["evidence"])) for c in f["closed_by"]]
            for f in found["findings"]
            if f["kind"] == "missable"
        }
        self.assertEqual(
            closed,
            {
                "shell": [("quay_to_ferry", 1)],
                "quay_shell": [("quay_to_ferry", 1)],
                "medal": [("ferry_to_mainland", 2)],
                "ferry_medal": [("ferry_to_mainland", 2)],
            },
        )

    def test_missable_things_are_warnings(self):
        self.check(self.WORLD, "--fail-on", "warning", code=1)
        self.check(self.WORLD, "--fail-on", "error", code=0)


class Jobs(ProgramTest):
    def test_worlds_at_once_give_the_same_output_in_the_same_order(self):
        worlds = [self.write(f"world{n}.yaml", TOSS.replace("toss", f"toss{n}")) for n in range(3)]
        plain = self.zubrel("check", *worlds, "--format", "markdown", code=1)
        at_once = self.zubrel("check", *worlds, "--format", "markdown", "--jobs", "2", code=1)
        self.assertEqual(at_once.stdout, plain.stdout)
        self.assertIn("toss2", plain.stdout)

    def test_an_invalid_world_does_not_keep_the_others_from_being_told(self):
        worlds = [self.write("good.yaml", TOSS), self.write("bad.yaml", "zubrel: 1\nnonsense: 2\n")]
        plain = self.zubrel("check", *worlds, "--quiet", code=2)
        at_once = self.zubrel("check", *worlds, "--quiet", "--jobs", "2", code=2)
        without_time = [TIMES.sub("", done.stdout) for done in (plain, at_once)]
        self.assertEqual(*without_time)
        self.assertEqual(at_once.stderr, plain.stderr)
        self.assertIn("SOFTLOCKS", plain.stdout)
        self.assertIn('no section "nonsense"', plain.stderr)


if __name__ == "__main__":
    unittest.main()
