"""What each reduction leaves of small worlds made for it, and the plays that are told of them."""

import random
import unittest

import yaml

from tests.test_against_reference import scalar, world_of
from tests.test_reductions import SEEDS, systems
from zubrel.base.budget import SECOND, Budget, Limits
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Both, Opposite, Within
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.drawn.draw import PICTURES, draw, lacking
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import NotAsked
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.find import Conclusions
from zubrel.findings.judged import judge
from zubrel.findings.large.planning import map_of
from zubrel.findings.shape.outline import areas_behind, gates
from zubrel.narrated.narrate import narrate
from zubrel.quotient.making import lens_for
from zubrel.reduced.clauses import both_of, clauses_of, either_of, formula_of, implies, shortest
from zubrel.reduced.reduce import EVERY, reduce

HEAD = "zubrel: 1\ntitle: Tidewrack\nstart: {at: quay}\n"


def system_of(text):
    return compile_world(world_of(yaml.safe_load(HEAD + text)))


def lens_on(system, asked=(), using=EVERY):
    return lens_for(system, asked, Budget(Limits()), Silence(), using)


def left(reduced):
    """The keys of the variables that are left, but for the place and the ending."""
    return {
        v.key
        for n, v in enumerate(reduced.system.variables)
        if v.size > 1 and n not in (PLACE, ENDING)
    }


def win_of(lens):
    """The rules of a win, spelled out, after walking it in the whole world."""
    trace = lens.spelled_out(lens.walks().shortest(judge(lens).won))
    ending = Walking(lens.system).end_of(trace)[ENDING]
    if ending != 1:
        raise AssertionError(f"the walk ends with {ending}, and not with the only good ending")
    return [step.rule.id for step in trace.steps]


ISLAND = """
items: {key: Iron key, lens: Lens, bell: Bell}
areas:
  quay: {ways: [pier, {to: shed, lock: gate}], finds: [key]}
  pier: {ways: [{to: wreck, one_way: true, id: drift, needs: lens}]}
  shed: {finds: [lens], ways: [{to: attic, needs: key}]}
  attic: {finds: [bell]}
  wreck: {ways: [tower]}
  tower: {}
locks: {gate: {needs: key}}
endings: {won: {when: at tower}}
"""


class Places(unittest.TestCase):
    def test_what_hangs_together_is_one_place(self):
        system = system_of(ISLAND)
        lens = lens_on(system)
        self.assertEqual(left(lens.reduced), set())
        # the wreck lies behind a way without return, in the tower the game ends
        self.assertEqual(len(lens.reduced.folded), 3)
        self.assertEqual(lens.count(lens.everything), 3)
        self.assertEqual(win_of(lens)[-3:], ["quay_to_pier", "drift", "wreck_to_tower"])

    def test_a_win_through_left_out_places_walks_and_opens_what_it_must(self):
        win = win_of(lens_on(system_of(ISLAND)))
        self.assertEqual(
            win,
            [
                "quay_key",
                "gate",
                "quay_to_shed",
                "shed_lens",
                "shed_to_quay",
                "quay_to_pier",
                "drift",
                "wreck_to_tower",
            ],
        )

    def test_left_out_places_can_be_reached_but_not_told_apart(self):
        system = system_of(ISLAND)
        lens, names = lens_on(system), system.variables[PLACE].names
        for name in names:
            area = names.index(name)
            with self.subTest(area=name):
                self.assertTrue(lens.holds_somewhere(Within(PLACE, area, area)))
                if name in ("pier", "shed", "attic", "quay"):
                    self.assertRaises(NotAsked, lens.where, Within(PLACE, area, area))

    def test_what_is_asked_about_stays(self):
        system = system_of(ISLAND)
        attic = system.variables[PLACE].names.index("attic")
        lens = lens_on(system, [Within(PLACE, attic, attic)])
        self.assertNotIn(attic, lens.reduced.folded)
        self.assertTrue(lens.where(Within(PLACE, attic, attic)))

    def test_a_slide_into_the_same_part_is_no_passage(self):
        attic = "attic: {finds: [bell], ways: [{to: quay, one_way: true}]}"
        lens = lens_on(system_of(ISLAND.replace("attic: {finds: [bell]}", attic)))
        self.assertEqual(lens.count(lens.everything), 3)

    def test_a_slide_behind_a_lock_is_a_view_of_its_own(self):
        system = system_of(
            ISLAND.replace("pier: {ways: [", "pier: {ways: [{to: shed, one_way: true, id: slip}, ")
        )
        lens, names = lens_on(system), system.variables[PLACE].names
        self.assertNotIn(names.index("shed"), lens.reduced.folded)
        self.assertEqual(judge(lens).verdict, judge(scalar(system)).verdict)
        self.assertEqual(
            {f.subject for f in softlocks(judge(lens))},
            {f.subject for f in softlocks(judge(scalar(system)))},
        )


SLUICE = """
areas:
  quay:
    ways: [{to: pan, needs: sluice}]
    deeds: {open1: {sets: {sluice: true}}, shut1: {sets: {sluice: false}}}
  pan:
    ways: [{to: tower, needs: not sluice}]
    deeds: {open2: {sets: {sluice: true}}, shut2: {sets: {sluice: false}}}
  tower: {}
facts: {sluice: {}}
endings: {won: {when: at tower}}
"""


class Levers(unittest.TestCase):
    def test_levers_at_hand_are_left_out_and_pulled_when_they_must_be(self):
        lens = lens_on(system_of(SLUICE))
        self.assertEqual(left(lens.reduced), set())
        self.assertEqual(win_of(lens), ["open1", "quay_to_pan", "shut2", "pan_to_tower"])

    def test_a_lever_out_of_reach_stays(self):
        far = SLUICE.replace(", shut1: {sets: {sluice: false}}", "").replace(
            "open2: {sets: {sluice: true}},", ""
        )
        system = system_of(far)
        self.assertEqual(left(lens_on(system).reduced), {("fact", "sluice")})
        self.assertEqual(judge(lens_on(system)).verdict, judge(scalar(system)).verdict)


TRADE = """
items: {key: {name: Key, max: MOST}, coin: {name: Coin, kind: money, max: 3}}
areas:
  quay: {finds: [key, key, key], ways: [{to: pier, lock: one}, {to: shed, lock: two}, {to: tower, lock: three}]}
  pier: {}
  shed: {DEEDS}
  tower: {}
locks: {one: {takes: key}, two: {takes: key}, three: {takes: NEEDED}}
endings: {won: {when: at tower}}
"""  # noqa: E501


def trade(most=3, needed="2 key", deeds=""):
    text = TRADE.replace("MOST", str(most)).replace("NEEDED", needed)
    return system_of(text.replace("DEEDS", deeds))


class Amounts(unittest.TestCase):
    def agrees(self, system):
        lens, plain = lens_on(system), scalar(system)
        self.assertEqual(judge(lens).verdict, judge(plain).verdict)
        self.assertEqual(
            {f.subject for f in softlocks(judge(lens))},
            {f.subject for f in softlocks(judge(plain))},
        )
        return lens

    def test_finds_that_lie_at_hand_are_not_counted(self):
        lens = self.agrees(trade())
        self.assertFalse([key for key in left(lens.reduced) if key[0] in ("taken", "held")])
        self.assertEqual(win_of(lens), ["quay_key", "quay_key_2", "three", "quay_to_tower"])

    def test_what_does_not_fit_waits_where_it_lies(self):
        system = trade(most=2)
        self.assertFalse([key for key in left(reduce(system)) if key[0] in ("taken", "held")])
        lens = self.agrees(system)
        self.assertEqual(len(win_of(lens)), 4)
        kept = reduce(system, (), [name for name in EVERY if name != "pools"])
        self.assertIn(("taken", "quay_key"), left(kept))

    def test_an_endless_supply_is_drawn_from_as_often_as_it_must_be(self):
        pan = "deeds: {scrape: {gives: coin}, buy: {takes: 2 coin, gives: key}}"
        system = trade(most=3, needed="3 key", deeds=pan)
        lens = self.agrees(system)
        self.assertNotIn(("held", "coin"), left(lens.reduced))
        win = win_of(lens)
        self.assertEqual((win.count("scrape"), win.count("buy")), (0, 0))
        # one of three keys goes into the shed, and yet it can be won from there
        shed = system.variables[PLACE].names.index("shed")
        lens = lens_on(system, [Within(PLACE, shed, shed)])
        self.assertTrue(lens.where(Within(PLACE, shed, shed)) & judge(lens).live)

    def test_a_price_that_nobody_finds_is_earned(self):
        pan = "deeds: {scrape: {gives: coin}, buy: {takes: 3 coin, gives: 2 key}}"
        system = trade(most=4, needed="4 key", deeds=pan)
        win = win_of(self.agrees(system))
        self.assertGreater(win.count("buy"), 0)
        self.assertEqual(win.count("scrape"), 3 * win.count("buy"))

    def test_who_has_no_endless_supply_can_run_out(self):
        once = "deeds: {scrape: {gives: coin, once: true}, buy: {takes: 3 coin, gives: 2 key}}"
        self.assertEqual(
            judge(self.agrees(trade(most=4, needed="4 key", deeds=once))).verdict, "unwinnable"
        )


class Pictures(unittest.TestCase):
    def test_of_merged_situations_the_map_is_drawn_and_why_the_others_are_not_is_told(self):
        system = system_of(ISLAND)
        behind = map_of(system, 60 * SECOND, Budget(Limits()), Silence())
        report = narrate(Conclusions(judge(lens_on(system)), (), outline=behind), lambda: 0.0)
        self.assertIsNone(report.situations)
        self.assertEqual({p for p in PICTURES if lacking(report, p)}, set(PICTURES) - {"map"})
        self.assertIn(b"Wreck", draw(report, "map", "svg"))
        for picture in set(PICTURES) - {"map"}:
            self.assertRaises(ValueError, draw, report, picture, "svg")


class Clauses(unittest.TestCase):
    def test_clauses_say_what_their_formulas_say(self):
        r = random.Random(5)
        atoms = [Within(n, 1, 1) for n in range(2, 6)]
        rows = [{a for n, a in enumerate(atoms) if row >> n & 1} for row in range(16)]

        def holds(clauses, row):
            return any(clause <= row for clause in clauses)

        different = 0
        for _ in range(300):
            one, other = (
                shortest(
                    frozenset(r.sample(atoms, r.randint(1, 3))) for _ in range(r.randint(0, 3))
                )
                for _ in range(2)
            )
            both, some = both_of(one, other), either_of(one, other)
            for row in rows:
                self.assertEqual(holds(both, row), holds(one, row) and holds(other, row))
                self.assertEqual(holds(some, row), holds(one, row) or holds(other, row))
            follows = all(holds(other, row) for row in rows if holds(one, row))
            self.assertEqual(implies(one, other), follows)
            different += not follows
            self.assertEqual(clauses_of(formula_of(one)), one)
        self.assertGreater(different, 50)


class Answers(unittest.TestCase):
    def test_what_a_lens_answers_is_true(self):
        """Tests of a variable, alone, with an area, and denied: the same answer, or none."""
        r = random.Random(7)
        counts = {"answered": 0, "refused": 0}
        for seed, system, plain in systems():
            lens = lens_on(system)
            areas = system.variables[PLACE].size
            for number, variable in enumerate(system.variables):
                value = r.randint(variable.low, variable.high)
                test, area = Within(number, value, value), r.randrange(areas)
                for formula in (test, Opposite(test), Both((Within(PLACE, area, area), test))):
                    try:
                        answer = lens.holds_somewhere(formula)
                    except NotAsked:
                        counts["refused"] += 1
                        continue
                    counts["answered"] += 1
                    with self.subTest(seed=seed, formula=formula):
                        self.assertEqual(answer, plain.holds_somewhere(formula))
        self.assertTrue(all(n > 200 for n in counts.values()), counts)

    def test_what_areas_lie_behind_is_told_by_a_lens_as_by_plain_search(self):
        longer = refused = 0
        for seed, system, plain in systems():
            lens = lens_on(system, [formula for _, formula in gates(system)])
            try:
                told = list(areas_behind(judge(lens), lens.arriving))
            except NotAsked:
                refused += 1
                continue
            for one, other in zip(told, areas_behind(judge(plain)), strict=True):
                with self.subTest(seed=seed, area=one.area):
                    self.assertEqual((one.gates, one.last), (other.gates, other.last))
                    self.assertEqual(one.first is None, other.first is None)
                    if one.first is None:
                        continue
                    self.assertTrue(other.first.fewest and not one.first.fewest)
                    self.assertGreaterEqual(one.first.steps, other.first.steps)
                    longer += one.first.steps != other.first.steps
        self.assertGreater(longer, SEEDS // 8)
        self.assertLess(refused, longer)


if __name__ == "__main__":
    unittest.main()
