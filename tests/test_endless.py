"""What is told to be had without end can be had for ever, and what comes so often only is not."""

import unittest

from tests.test_against_reference import scalar, world_of
from zubrel.compiled.compile import compile_world
from zubrel.findings.detectors.endless import ENDLESS
from zubrel.findings.judged import judge


def had_without_end(**sections):
    """The subjects of the finding in a world of one quay, and how long their plays are."""
    data = {
        "zubrel": 1,
        "start": {"at": "quay"},
        "items": {"shell": {"name": "Shell", "max": 9}},
        "areas": {"quay": {}},
        "endings": {"won": {"when": "9 shell"}},
        **sections,
    }
    judged = judge(scalar(compile_world(world_of(data))))
    found = ENDLESS.decide(judged, list(ENDLESS.questions(judged.system)))
    return {f.subject: len(f.trace.steps) for f in found}


class Endless(unittest.TestCase):
    def test_a_foe_that_returns_gives_without_end(self):
        foe = {"at": "quay", "returns": "always", "gives": "shell"}
        # the first time it is beaten for the first time as well
        self.assertEqual(had_without_end(foes={"gull": foe}), {"shell": 2})

    def test_so_many_foes_give_so_much(self):
        foe = {"at": "quay", "count": 3, "gives": "shell"}
        self.assertEqual(had_without_end(foes={"gull": foe}), {})

    def test_a_season_that_goes_by_comes_only_so_often(self):
        facts = {"season": {"values": ["spring", "summer", "autumn", "winter"]}}
        wait = {"needs": "season != winter", "gives": "shell", "sets": {"season": "next"}}
        self.assertEqual(had_without_end(facts=facts, deeds={"wait": wait}), {})

    def test_what_is_set_is_set_already_the_second_time(self):
        dig = {"gives": "shell", "sets": {"dug": True}}
        self.assertEqual(had_without_end(facts={"dug": {}}, deeds={"dig": dig}), {"shell": 2})

    def test_what_happens_by_itself_may_put_an_end_to_it(self):
        facts = {"tide": {"values": ["low", "rising", "high"]}}
        dig = {"gives": "shell", "sets": {"tide": "rising"}, "needs": "tide != high"}
        flood = {"when": "tide = rising and 2 shell", "sets": {"tide": "high"}}
        found = had_without_end(facts=facts, deeds={"dig": dig}, whenever=[flood])
        self.assertEqual(found, {})

    def test_as_long_as_a_quest_counts_what_is_gained_it_is_not_had_without_end(self):
        quest = {"goals": [{"gain": "2 shell"}, {"meet": "9 shell"}]}
        dig = {"gives": "shell"}
        found = had_without_end(quests={"gather": quest}, deeds={"dig": dig})
        # what comes after the second one changes nothing but what is held
        self.assertEqual(found, {"shell": 3})

    def test_what_a_quest_gives_for_it_comes_once(self):
        items = {"shell": {"max": 9}, "coin": {"kind": "money", "max": 5}}
        quest = {"goals": [{"collect": "shell"}], "reward": {"gives": "2 coin"}}
        deeds = {"dig": {"gives": "shell"}}
        found = had_without_end(items=items, quests={"gather": quest}, deeds=deeds)
        # the first shell is paid for, and no other
        self.assertEqual(found, {"shell": 2})

    def test_an_hour_is_a_price(self):
        meters = {"hour": {"to": 4, "bad": True}}
        deeds = {"dig": {"gives": "shell", "adds": {"hour": 1}}}
        self.assertEqual(had_without_end(meters=meters, deeds=deeds), {"shell": 5})
        # where it takes an end nothing is had without
        endings = {"won": {"when": "9 shell"}, "late": {"kind": "bad", "when": "hour = 4"}}
        self.assertEqual(had_without_end(meters=meters, deeds=deeds, endings=endings), {})
        # what nobody wants high may be lowered for nothing
        deeds = {"dig": {"gives": "shell", "adds": {"hour": -1}}}
        self.assertEqual(had_without_end(meters=meters, deeds=deeds), {"shell": 1})


if __name__ == "__main__":
    unittest.main()
