"""Why a game cannot be won any more: what the lines say, by hand and against the evidence."""

import re
import unittest

from tests.random_worlds import random_world
from tests.stress_worlds import stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel.api import check, loads
from zubrel.base.diagnostics import InvalidInput

HEAD = "zubrel: 1\nstart: {at: quay}\nendings: {won: {name: Won, when: at tower}}\n"
CASES = {
    "what was spent": (
        """
items: {key: Key}
areas:
  quay: {finds: [key], ways: [{to: shed, lock: shed_door}, {to: tower, lock: tower_door}]}
  shed: {}
  tower: {}
locks: {shed_door: {name: Shed door, takes: key}, tower_door: {name: Tower door, takes: key}}
""",
        "shed_door",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Tower door open, which can never be so.",
            "“Open Tower door” needs Key, which can never be had again.",
            "It was used up by move 2, “Open Shed door”.",
            "“Take Key” was possible only once.",
        ],
    ),
    "what was left behind": (
        """
items: {lens: Lens}
areas:
  quay: {finds: [lens], ways: [{to: raft, one_way: true}]}
  raft: {ways: [{to: tower, needs: lens}]}
  tower: {}
""",
        "quay_to_raft",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Raft needs Lens, which can never be had.",
            "“Take Lens” needs the player at Quay, which can never be reached again.",
            "Move 1, “Go to Raft”, led away from it, and no way leads back.",
        ],
    ),
    "what was undone": (
        """
areas:
  quay:
    deeds: {flood: {name: Open the sluice, sets: {tide: high}}}
    ways: [{to: tower, needs: tide = low}]
  tower: {}
facts: {tide: {name: Tide, values: [low, high]}}
""",
        "flood",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Tide low, which can never be so again.",
            "It was undone by move 1, “Open the sluice”.",
        ],
    ),
    "what is too little": (
        """
items: {oil: {name: Oil, max: 2}}
areas:
  quay:
    finds: [oil, oil]
    deeds: {burn: {name: Burn oil, takes: oil}}
    ways: [{to: tower, needs: 2 oil}]
  tower: {}
""",
        "burn",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs 2 Oil, but no more than 1 can be had together any more.",
            "“Take Oil” was possible only once.",
        ],
    ),
    "what nothing gives": (
        """
items: {bell: Bell}
areas:
  quay: {ways: [{to: tower, needs: bell}]}
  tower: {}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Bell, which can never be had.",
            "Nothing in the world gives it.",
        ],
    ),
}
BY_MOVE = re.compile(r"by move (\d+), “([^”]*)”")
LED_AWAY = re.compile(r"Move (\d+), “([^”]*)”, led away")


class ByHand(unittest.TestCase):
    def test_the_chain_ends_where_the_trouble_is(self):
        for name, (text, subject, lines) in CASES.items():
            found = {f.subject: f for f in check(loads(HEAD + text)).findings if f.explanation}
            with self.subTest(name):
                told = [line.strip() for line in found[subject].explanation]
                self.assertEqual([t for t in told if not t.startswith("Then the player")], lines)

    def test_each_line_is_set_in_under_what_it_explains(self):
        text, subject, _ = CASES["what was spent"]
        found = check(loads(HEAD + text)).findings
        (finding,) = (f for f in found if (f.kind, f.subject) == ("softlock", subject))
        depths = [len(line) - len(line.lstrip()) for line in finding.explanation]
        self.assertEqual(depths, [0, 0, 2, 4, 6, 6])


class Random(unittest.TestCase):
    def test_moves_that_are_blamed_are_moves_of_the_evidence(self):
        blamed = 0
        for seed in range(60):
            for make in (random_world, stress_world, trade_world):
                try:
                    report = check(world_of(make(seed)))
                except InvalidInput:
                    continue
                for finding in report.findings:
                    for line in finding.explanation:
                        for pattern in (BY_MOVE, LED_AWAY):
                            for number, label in pattern.findall(line):
                                move = finding.evidence[int(number) - 1]
                                with self.subTest(world=make.__name__, seed=seed, line=line):
                                    self.assertEqual(move.label, label)
                                blamed += 1
        self.assertGreater(blamed, 15)


if __name__ == "__main__":
    unittest.main()
