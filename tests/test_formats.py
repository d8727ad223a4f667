"""SARIF, JUnit and Markdown of `zubrel check`, and the kinds of finding by example."""

import json
import unittest

from jsonschema import Draft202012Validator
from junitparser import JUnitXml

from tests.program import CASES, ProgramTest
from tests.test_check_command import TOSS
from zubrel.base.kinds import KINDS

LOCATION = {
    "type": "object",
    "required": ["physicalLocation"],
    "properties": {
        "physicalLocation": {
            "type": "object",
            "required": ["artifactLocation"],
            "properties": {
                "artifactLocation": {"required": ["uri"]},
                "region": {
                    "required": ["startLine"],
                    "properties": {
                        "startLine": {"type": "integer", "minimum": 1},
                        "startColumn": {"type": "integer", "minimum": 1},
                        "endColumn": {"type": "integer", "minimum": 1},
                    },
                },
            },
        },
        "message": {"required": ["text"]},
    },
}
# the part of the published schema that code hosts rely on
SARIF = {
    "type": "object",
    "required": ["version", "runs"],
    "additionalProperties": False,
    "properties": {
        "$schema": {"type": "string"},
        "version": {"const": "2.1.0"},
        "runs": {
            "type": "array",
            "minItems": 1,
            "items": {
                "type": "object",
                "required": ["tool", "results"],
                "properties": {
                    "tool": {
                        "required": ["driver"],
                        "properties": {
                            "driver": {
                                "required": ["name", "rules"],
                                "properties": {
                                    "rules": {
                                        "items": {
                                            "required": [
                                                "id",
                                                "shortDescription",
                                                "help",
                                                "defaultConfiguration",
                                            ],
                                        }
                                    }
                                },
                            }
                        },
                    },
                    "results": {
                        "items": {
                            "type": "object",
                            "required": [
                                "ruleId",
                                "ruleIndex",
                                "level",
                                "message",
                                "locations",
                                "partialFingerprints",
                            ],
                            "properties": {
                                "level": {"enum": ["none", "note", "warning", "error"]},
                                "message": {"required": ["text"]},
                                "locations": {"minItems": 1, "items": LOCATION},
                                "codeFlows": {"items": {"required": ["threadFlows"]}},
                                "suppressions": {
                                    "items": {
                                        "required": ["kind"],
                                        "properties": {"kind": {"enum": ["inSource", "external"]}},
                                    }
                                },
                            },
                        }
                    },
                },
            },
        },
    },
}


class Sarif(ProgramTest):
    def sarif(self, world):
        self.write("w.yaml", world)
        done = self.zubrel("check", "w.yaml", "--format", "sarif")
        found = json.loads(done.stdout)
        Draft202012Validator(SARIF).validate(found)
        return found["runs"][0]

    def test_findings_become_results_with_rules_flows_and_places(self):
        run = self.sarif((CASES / "island.yaml").read_text(encoding="utf-8"))
        rules = run["tool"]["driver"]["rules"]
        self.assertEqual([r["id"] for r in rules], list(KINDS))
        softlock = next(r for r in run["results"] if r["ruleId"] == "softlock")
        self.assertEqual(rules[softlock["ruleIndex"]]["id"], "softlock")
        flow = softlock["codeFlows"][0]["threadFlows"][0]["locations"]
        self.assertTrue(flow[0]["location"]["message"]["text"].startswith("1. "))
        self.assertEqual(
            softlock["locations"][0]["physicalLocation"]["artifactLocation"]["uri"], "w.yaml"
        )

    def test_fingerprints_stay_when_lines_move_and_differ_between_findings(self):
        world = (CASES / "island.yaml").read_text(encoding="utf-8")

        def prints(text):
            results = self.sarif(text)["results"]
            return [r["partialFingerprints"]["zubrelFinding/v1"] for r in results]

        before, after = prints(world), prints("# a line more\n\n" + world)
        self.assertEqual(before, after)
        self.assertEqual(len(set(before)), len(before))

    def test_accepted_findings_are_suppressed_with_their_reason(self):
        accept = "accept: [{finding: softlock, of: toss, because: a lesson}]\n"
        (result,) = [r for r in self.sarif(TOSS + accept)["results"] if r["ruleId"] == "softlock"]
        self.assertEqual(
            result["suppressions"], [{"kind": "inSource", "justification": "a lesson"}]
        )


class Junit(ProgramTest):
    def test_each_world_is_a_suite_and_each_finding_a_case(self):
        self.write("bad.yaml", TOSS)
        self.write("good.yaml", TOSS.replace("takes: key", "needs: key"))
        done = self.zubrel("check", "bad.yaml", "good.yaml", "--format", "junit", code=1)
        bad, good = JUnitXml.fromstring(done.stdout.encode())
        self.assertEqual((bad.failures, good.failures), (1, 0))
        (failed,) = [c for c in bad if c.name == "softlock toss"]
        self.assertIn("bad.yaml:11:7", failed.result[0].text)

    def test_what_is_below_the_bar_is_skipped_and_a_cut_search_is_an_error(self):
        self.write("w.yaml", TOSS)
        done = self.zubrel("check", "w.yaml", "--format", "junit", "--max-situations", "1", code=1)
        (suite,) = JUnitXml.fromstring(done.stdout.encode())
        self.assertEqual((suite.errors, suite.failures), (1, 1))  # what is certain all the same


class Markdown(ProgramTest):
    def test_it_names_verdict_and_findings_and_folds_the_evidence(self):
        self.write("w.yaml", TOSS)
        text = self.zubrel("check", "w.yaml", "--format", "markdown", code=1).stdout
        for words in (
            "## A key in the sea: softlocks",
            "**error** softlock `toss` `w.yaml:11:7`",
            "<details>",
            "1. Quay: Take Brass key",
        ):
            self.assertIn(words, text)

    def test_a_world_cannot_write_markup(self):
        world = TOSS.replace("A key in the sea", '"<img src=x> *bold* `code`"')
        self.write("w.yaml", world)
        text = self.zubrel("check", "w.yaml", "--format", "markdown").stdout
        self.assertNotIn("<img", text)
        self.assertIn("\\*bold\\*", text)


WORLDS = {
    ("no_gate", "door"): (
        "areas: {quay: {finds: [key], ways: [{to: hall, needs: key}]}, hall: {ways: "
        "[{to: tower, lock: door}]}, tower: {}}\nlocks: {door: {needs: key, from: [hall]}}",
        ("{to: hall, needs: key}", "hall"),
    ),
    ("exact_count", "boat_toll"): (
        "areas: {quay: {finds: [key, key], ways: [{to: tower, id: boat_toll, "
        "needs: key = 1}]}, tower: {}}",
        ("key = 1", "key >= 1"),
    ),
    ("skippable", "key"): (
        "areas: {quay: {finds: [key], ways: [tower, {to: tower, id: short, needs: key}]}, "
        "tower: {}}",
        ("[tower, {", "[{"),
    ),
    ("unused", "key"): (
        "areas: {quay: {finds: [key], ways: [tower]}, tower: {}}",
        ("ways: [tower]", "ways: [{to: tower, needs: key}]"),
    ),
    ("broken_promise", "light"): (
        "areas: {quay: {finds: [key], ways: [tower]}, tower: {}}\n"
        "promises: [{id: light, before: [key, at tower]}]",
        ("ways: [tower]", "ways: [{to: tower, needs: key}]"),
    ),
    ("empty_hands", "swim"): (
        "areas: {quay: {finds: [key], ways: [{to: tower, id: swim, loses: key}]}, tower: {}}",
        ("loses: key", "takes: key"),
    ),
    ("silent", "tower"): (
        "areas: {quay: {finds: [key], ways: [{to: tower, id: swim}]}, "
        "tower: {says: [{when: key, text: Up.}]}}",
        ("text: Up.}]", "text: Up.}, Down.]"),
    ),
    ("unheard", "tower"): (
        "areas: {quay: {finds: [key], ways: [tower]}, "
        "tower: {says: [Always., {when: key, text: Never.}]}}",
        ("[Always., {when: key, text: Never.}]", "[{when: key, text: Never.}, Always.]"),
    ),
    ("stale_accept", "key"): (
        "areas: {quay: {finds: [key], ways: [{to: tower, needs: key}]}, tower: {}}\n"
        "accept: [{finding: unused, of: key}]",
        ("accept: [{finding: unused, of: key}]", "accept: []"),
    ),
}


class Kinds(ProgramTest):
    """For the kinds that have no test of their own: a world that has it, and one that has not."""

    def kinds(self, body):
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {key: Key}\n"
            + body
            + "\nendings: {top: {when: at tower}}\n"
        )
        return {(f["kind"], f["subject"]) for f in self.check(text)["findings"]}

    def test_each_kind_is_found_where_it_is_and_not_where_it_is_not(self):
        for identity, (body, (wrong, right)) in WORLDS.items():
            with self.subTest(identity=identity):
                self.assertIn(identity, self.kinds(body))
                self.assertIn(wrong, body)
                self.assertNotIn(identity, self.kinds(body.replace(wrong, right, 1)))

    def test_a_kept_acceptance_is_not_stale(self):
        body = WORLDS["unused", "key"][0] + "\naccept: [{finding: unused, of: key}]"
        self.assertNotIn(("stale_accept", "key"), self.kinds(body))


FERRY = """\
zubrel: 1
start: {at: quay}
items: {shell: Shell, coin: Coin, log: Log}
areas:
  quay: {finds: [shell, coin], ways: [{to: ferry, one_way: true, id: cross}]}
  ferry:
    finds: [{item: log, needs: fire = 0}]
    ways: [isle]
    deeds: {burn: {adds: {fire: 1}, once: true}}
  isle: {}
meters: {fire: {to: 1}}
endings: {over: {when: at isle}}
accept:
  - {finding: unused, of: [shell, coin, log]}
"""


class InBulk(ProgramTest):
    """Several findings that one entry accepts."""

    def missed(self, entry, code=0):
        found = self.check(f"{FERRY}  - {entry}\n", "--fail-on", "warning", code=code)["findings"]
        self.assertEqual({f["accepted"] for f in found if f["kind"] == "unused"}, {True})
        missed = {f["subject"]: f["accepted"] for f in found if f["kind"] == "missable"}
        self.assertGreaterEqual(set(missed), {"shell", "coin", "log"})
        return missed, {f["subject"] for f in found if f["kind"] == "stale_accept"}

    def test_all_that_nothing_but_a_move_closes(self):
        missed, stale = self.missed("{finding: missable, of: all, closed_by: cross}")
        self.assertTrue(missed["shell"] and missed["coin"] and not missed["log"])
        self.assertEqual(stale, set())
        missed, _ = self.missed("{finding: missable, of: all, closed_by: [cross, burn]}")
        self.assertEqual(set(missed.values()), {True})
        missed, stale = self.missed(
            "{finding: missable, of: all, closed_by: ferry_to_isle}", code=1
        )
        self.assertEqual((set(missed.values()), stale), ({False}, {"ferry_to_isle"}))

    def test_what_cannot_be_meant_is_refused_with_its_place(self):
        for entry, place, words in (
            ("{finding: missable, of: all}", "15:29", "by which moves"),
            ("{finding: unused, of: all, closed_by: cross}", "15:27", "can be missed"),
            ("{finding: missable, of: all, closed_by: cros}", "15:45", '"cros"'),
            ("{finding: missable, of: shell, closed_by: cross}", "15:47", "of: all"),
            ("{finding: missable, of: [shell, chell]}", "15:37", '"chell"'),
        ):
            with self.subTest(entry):
                self.write("w.yaml", f"{FERRY}  - {entry}\n")
                said = self.zubrel("check", "w.yaml", code=2).stderr
                self.assertIn(f"w.yaml:{place}", said)
                self.assertIn(words, said)


if __name__ == "__main__":
    unittest.main()
