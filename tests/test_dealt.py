"""Items that are dealt: all deals are counted and drawn alike, and told of like everything else."""

import json
import random
import unittest
from collections import Counter
from itertools import product

from tests.program import ProgramTest
from tests.said_worlds import said_world
from tests.test_against_reference import bad_deals, scalar, world_of
from tests.test_errors import problems_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.kinds import KINDS
from zubrel.base.progress import Silence
from zubrel.base.source import Source, Span
from zubrel.checked.deals import drawn, fault_of, number_of_deals
from zubrel.checked.things import Deal
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import EndlessSettling
from zubrel.findings.find import find
from zubrel.findings.large.planning import full_size
from zubrel.narrated.narrate import narrate
from zubrel.quotient.making import lens_for

BEHIND = KINDS["bad_deal"].example(right=False)
RIGHT = KINDS["bad_deal"].example(right=True)
HEAD = "zubrel: 1\ntitle: A\nareas: {quay: {}, pier: {}}\nitems: {key: Key, gem: Gem}\n"
REFUSED = {
    "deal: {of: [key, gem], over: [quay]}": "bad-value",
    "deal: {of: [key, key], over: [quay, pier]}": "defined-twice",
    "deal: [{of: key, over: quay}, {of: key, over: pier}]": "defined-twice",
    "deal: {of: key}": "missing",
    "deal: {over: quay}": "missing",
    "deal: {of: kee, over: quay}": "unknown-id",
    "deal: {of: key, over: key}": "wrong-kind",
}
TRAP = """\
zubrel: 1
title: A trap in some deals
start: {at: quay, deal: {of: [lens, oil], over: [attic, barn]}}
items: {lens: Lens, oil: Can of oil}
areas:
  quay: {ways: [attic, barn]}
  attic: {deeds: {burn: {name: Burn it, needs: not lens, takes: oil}}}
  barn: {}
endings: {lit: {when: lens and oil and at quay}}
"""


def deal_of(items, areas, per_place):
    span = Span(Source.of("w.yaml", ""), 1, 1)
    names = [f"area{n}" for n in range(areas)]
    return Deal(tuple(f"item{n}" for n in range(items)), tuple(names), per_place, span)


def every_deal(deals):
    """All deals by going through all that can be written."""
    items = [(item, deal) for deal in deals for item in deal.items]
    for areas in product(*(deal.areas for _, deal in items)):
        places = {item: area for (item, _), area in zip(items, areas, strict=True)}
        if all(
            sum(places[i] == area for i in deal.items) <= deal.per_place
            for deal in deals
            for area in deal.areas
        ):
            yield places


DEALS = tuple(
    (deal_of(items, areas, most),)
    for items, areas, most in product(range(1, 5), range(1, 5), range(1, 4))
    if items <= areas * most
)


class Counting(unittest.TestCase):
    def test_as_many_deals_are_told_as_can_be_written_down(self):
        for deals in [*DEALS, (deal_of(2, 3, 1), deal_of(1, 2, 1))]:
            with self.subTest(deals):
                self.assertEqual(number_of_deals(deals), len(list(every_deal(deals))))
        self.assertEqual(number_of_deals((deal_of(12, 12, 12),)), 12**12)

    def test_a_deal_has_a_fault_exactly_where_it_cannot_come_up(self):
        for deals in DEALS:
            known = list(every_deal(deals))
            (deal,) = deals
            for areas in product(deal.areas, repeat=len(deal.items)):
                places = dict(zip(deal.items, areas, strict=True))
                self.assertEqual(fault_of(deals, places) is None, places in known)
        self.assertIn("does not say", fault_of(deals, {}))
        self.assertIn("is not dealt", fault_of(deals, {**known[0], "shell": "area0"}))

    def test_all_deals_are_drawn_alike(self):
        deals = (deal_of(3, 3, 2),)
        luck, every = random.Random(1), list(every_deal(deals))
        seen = Counter(tuple(drawn(deals, luck).items()) for _ in range(100 * len(every)))
        self.assertEqual(len(seen), len(every))
        # each is expected a hundred times: six standard deviations are 60
        self.assertTrue(all(40 < times < 160 for times in seen.values()), seen)


class Checked(unittest.TestCase):
    def test_what_cannot_be_dealt_is_refused_where_it_stands(self):
        for text, code in REFUSED.items():
            with self.subTest(text):
                text = HEAD + f"start: {{at: quay, {text}}}\nendings: {{won: {{when: key}}}}\n"
                problems = [p for p in problems_of(text) if p.code == code]
                self.assertEqual(len(problems), 1)
                self.assertEqual(problems[0].span.line, 5)

    def test_a_lens_counts_bad_deals_as_plain_search_does(self):
        told = 0
        for seed in range(36):
            data = said_world(seed)
            if "deal" not in data["start"]:
                continue
            system = compile_world(world_of(data))
            try:
                plain = scalar(system)
            except EndlessSettling:
                continue
            if len(plain.words) < 600:
                lens = lens_for(system, (), Budget(Limits()), Silence())
                full = full_size(lens, Budget(Limits()), Silence())
                expected = bad_deals(narrate(find(plain), lambda: 0.0))
                with self.subTest(seed=seed):
                    messages = [f.message for f in full.findings if f.kind == "bad_deal"]
                    self.assertEqual(len(messages), expected is not None)
                    for message in messages:
                        self.assertIn("from {:,} of {:,} deals".format(*expected), message)
                        told += 1
        self.assertGreater(told, 0)


class Told(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", BEHIND)

    def test_the_deals_that_cannot_be_won_are_told_by_where_things_lie(self):
        told = self.zubrel("check", "w.yaml", code=1).stdout
        self.assertIn("SOFTLOCKS: it can be won, but not from every deal.", told)
        words = " ".join(told.split())
        self.assertIn("from 2 of 6 deals: whenever Key to the lighthouse lies in Lighthouse", words)
        self.assertIn("with Lens in Lighthouse and Key to the lighthouse in Quay", words)
        found = json.loads(self.zubrel("check", "w.yaml", "--format", "json", code=1).stdout)
        (finding,) = found["findings"]
        self.assertEqual(finding["deal"]["key"], "lighthouse")
        self.assertEqual(found["shortest_win"]["deal"], {"lens": "lighthouse", "key": "quay"})
        self.assertEqual(found["shortest_win"]["length"], 3)

    def test_the_same_is_told_by_sets(self):
        one, other = (
            self.zubrel("check", "w.yaml", "--engine", e, code=1).stdout.splitlines()
            for e in ("explicit", "symbolic")
        )
        self.assertEqual(one[1], other[1])
        self.assertEqual(one[7:], other[7:])

    def test_the_reason_speaks_of_the_deal_that_is_shown(self):
        told = " ".join(self.zubrel("why", "w.yaml", "world", code=0).stdout.split())
        self.assertIn("“Take Key to the lighthouse” could only come after that.", told)
        self.assertNotIn("lying at Quay", told)

    def test_a_softlock_tells_in_how_many_deals_it_can_come_about(self):
        self.write("w.yaml", TRAP)
        told = json.loads(self.zubrel("check", "w.yaml", "--format", "json", code=1).stdout)
        (softlock,) = (f for f in told["findings"] if f["kind"] == "softlock")
        # with the oil in the barn it can be carried to the attic as well
        self.assertEqual((softlock["subject"], softlock["deals"]), ("burn", 2))
        self.assertEqual(len(softlock["evidence"]), 3)
        self.assertEqual(softlock["deal"], {"lens": "barn", "oil": "attic"})

    def test_areas_that_hold_a_key_back_are_taken_from_the_deal(self):
        done = self.zubrel("mend", "w.yaml", "bad_deal", "world", code=0).stdout
        self.assertIn("Nothing is dealt to Lighthouse", done)
        self.assertIn("The verdict is solvable instead of softlocks.", done)

    def test_routes_tell_the_best_and_the_worst_deal(self):
        told = " ".join(self.zubrel("route", "w.yaml", code=0).stdout.split())
        self.assertIn("3 moves to a win, with Lens in Lighthouse and Key", told)
        self.assertIn("the worst takes 5 moves", told)
        self.assertIn("from 2 nothing leads there", told)

    def test_luck_is_needed_where_some_deal_needs_it(self):
        text = """\
zubrel: 1
title: A dive in one of two deals
start: {at: quay, deal: {of: lens, over: OVER}}
items: {lens: Lens}
areas:
  quay: {ways: [wreck]}
  wreck:
    deeds: {dive: {needs: not lens, chance: [{moves_to: deep}, {ends: drowned}]}}
  deep: {ways: [{to: quay, one_way: true}]}
endings: {lit: {when: lens}, drowned: {kind: bad}}
"""
        for over, kinds in (("quay", []), ("[quay, deep]", ["luck_needed"])):
            self.write("w.yaml", text.replace("OVER", over))
            told = self.zubrel("check", "w.yaml", "--format", "json", code=0).stdout
            found = [f["kind"] for f in json.loads(told)["findings"]]
            self.assertEqual([kind for kind in found if kind == "luck_needed"], kinds)

    def test_a_finished_deal_is_solvable(self):
        self.write("w.yaml", RIGHT)
        self.assertIn("SOLVABLE", self.zubrel("check", "w.yaml", code=0).stdout)


class Walked(ProgramTest):
    DEAL = "deal lens at chapel, key at quay\n"

    def setUp(self):
        super().setUp()
        self.write("w.yaml", BEHIND)

    def test_a_script_says_how_its_play_is_dealt(self):
        self.write(
            "a.walk",
            self.DEAL + "expect lens lies at chapel\ndealt_key\nexpect key\n"
            "quay_to_chapel\nexpect possible dealt_lens\nexpect live\n",
        )
        self.zubrel("rehearse", "w.yaml", "a.walk", code=0)

    def test_without_a_deal_a_script_is_refused_and_told_how(self):
        self.write("a.walk", "quay_to_chapel\n")
        refused = self.zubrel("rehearse", "w.yaml", "a.walk", code=2).stderr
        self.assertIn("a.walk:1:1", refused)
        self.assertIn("Begin it with a line: deal lens at ", refused)
        self.zubrel("rehearse", "w.yaml", "a.walk", "--seed", "3", code=0)

    def test_deals_that_cannot_come_up_are_refused(self):
        for line, words in {
            "deal lens at quay, key at quay": "gets 1 at most",
            "deal lens at quay": "does not say",
            "deal lens at sea, key at quay": "is not dealt to",
            "deal lens": "is not where an item lies",
            f"quay_to_chapel\n{self.DEAL}": "must be the first line",
        }.items():
            with self.subTest(line):
                self.write("a.walk", line + "\n")
                self.assertIn(words, self.zubrel("rehearse", "w.yaml", "a.walk", code=2).stderr)

    def test_what_is_recorded_and_saved_can_be_rehearsed(self):
        self.write("a.walk", self.DEAL + "dealt_key\n")
        self.zubrel("rehearse", "w.yaml", "a.walk", "--record", "-o", "b.walk", code=0)
        self.assertTrue((self.folder / "b.walk").read_text(encoding="utf-8").startswith(self.DEAL))
        typed = "1\nsave c.walk\nquit\n"
        self.zubrel("play", "w.yaml", "--seed", "5", typed=typed, code=0)
        self.assertTrue((self.folder / "c.walk").read_text(encoding="utf-8").startswith("deal "))
        self.zubrel("rehearse", "w.yaml", "b.walk", "c.walk", code=0)

    def test_a_seed_deals_always_the_same_and_not_only_one(self):
        heard = set()
        for seed in range(8):
            self.zubrel("play", "w.yaml", "--seed", str(seed), typed="save s.walk\nquit\n", code=0)
            deal = (self.folder / "s.walk").read_text(encoding="utf-8")
            (self.folder / "s.walk").unlink()
            self.zubrel("play", "w.yaml", "--seed", str(seed), typed="save s.walk\nquit\n", code=0)
            self.assertEqual((self.folder / "s.walk").read_text(encoding="utf-8"), deal)
            (self.folder / "s.walk").unlink()
            heard.add(deal)
        self.assertGreater(len(heard), 2)

    def test_why_after_a_script_knows_its_deal(self):
        self.write("a.walk", "deal lens at quay, key at lighthouse\ndealt_lens\n")
        told = self.zubrel("why", "w.yaml", "key", "--after", "a.walk", code=0).stdout
        self.assertIn("Never, after 1 move: key", told)
        self.assertIn("“Take Key to the lighthouse” needs the player at Lighthouse", told)


if __name__ == "__main__":
    unittest.main()
