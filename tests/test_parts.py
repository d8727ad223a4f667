"""Small parts: what asks for what, what follows from what, what is sure, and words."""

import tempfile
import unittest
import unittest.mock
from pathlib import Path

import yaml
from benchmarks.features import FEATURES, easy

from tests.random_worlds import random_world
from tests.seeds import LONG, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import stress_world
from tests.test_against_reference import scalar, world_of
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.checked.conditions import atoms_of
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import FALSE, TRUE
from zubrel.findings.causes import root_causes
from zubrel.findings.mentions import counted_ids, needed_ids, subjects_of, told_ids
from zubrel.mended import smaller as smaller_module
from zubrel.narrated.size import size_of
from zubrel.narrated.words import counted, listed
from zubrel.reduced.guards import guards
from zubrel.reduced.reduce import EVERY, reduce
from zubrel.reduced.result import unreduced
from zubrel.reduced.standing import standing
from zubrel.reduced.values import values

HEAD = "zubrel: 1\nstart: {at: quay}\nendings: {won: {when: at tower}}\n"


def system_of(text):
    return compile_world(loads(HEAD + text))


def left(system, using=EVERY):
    variables = reduce(system, (), using).system.variables
    return {v.key for v in variables if v.size > 1} - {("place", ""), ("ending", "")}


class Mentions(unittest.TestCase):
    WORLD = world_of(
        yaml.safe_load("""
zubrel: 1
start: {at: quay}
items: {key: Key, shell: Shell, rope: {name: Rope, uses: 2}, coin: Coin, idle: Idle}
facts: {tide: {values: [low, high]}, bell: {}}
meters: {water: {to: 3}}
areas:
  quay:
    says: [{when: bell, text: It rings.}, {text: Quiet.}]
    finds: [key, shell, rope, coin, idle]
    ways: [{to: pier, lock: gate}, {to: tower, needs: tide = low}]
    deeds: {climb: {wears: rope}, pay: {takes: coin}, wait: {needs: water >= 1, sets: {bell: true}}}
  pier: {}
  tower: {needs: shell}
locks: {gate: {needs: key}}
endings: {won: {when: at tower}}
""")
    )

    def test_what_rules_areas_and_endings_ask_for_is_needed(self):
        needed = needed_ids(self.WORLD)
        self.assertLessEqual(
            {"key", "gate", "shell", "rope", "coin", "tide", "water", "tower"}, needed
        )
        self.assertFalse({"idle", "bell"} & needed)

    def test_texts_are_told_apart_from_needs(self):
        self.assertIn("bell", told_ids(self.WORLD))
        self.assertNotIn("bell", counted_ids(self.WORLD))

    def test_every_atom_of_random_worlds_is_about_something_that_is_defined(self):
        seen = 0
        for seed in sampled(40):
            world = world_of(random_world(seed))
            known = {
                *world.items,
                *world.locks,
                *world.facts,
                *world.meters,
                *world.areas,
                *world.quests,
                *world.foes,
                *world.people,
                *(r.id for r in world.rules),
                *(r.owner for r in world.rules),
                *(r.common for r in world.rules),
                *(h.id for h in world.happenings),
            }
            for rule in world.rules:
                for atom in atoms_of(rule.needs):
                    with self.subTest(seed=seed, atom=atom):
                        self.assertLessEqual(set(subjects_of(atom)), known)
                    seen += 1
        self.assertGreater(seen, 100 if LONG else 50)


class Causes(unittest.TestCase):
    WORLD = world_of(
        yaml.safe_load("""
zubrel: 1
start: {at: quay}
items: {key: Key, lens: Lens, rope: Rope}
areas:
  quay: {ways: [{to: shed, lock: hatch}, {to: loft, needs: rope}]}
  shed: {finds: [lens], ways: [{to: tower, needs: lens}]}
  loft: {finds: [rope]}
  tower: {}
locks: {hatch: {needs: key}}
endings: {won: {when: at tower}}
""")
    )

    def test_what_lies_behind_something_follows_from_it(self):
        lost = ["key", "hatch", "shed", "lens", "tower", "won"]
        causes = root_causes(self.WORLD, lost)
        self.assertEqual(causes, dict.fromkeys(lost[1:], "key"))

    def test_of_a_circle_the_first_is_the_root(self):
        self.assertEqual(root_causes(self.WORLD, ["rope", "loft"]), {"loft": "rope"})
        self.assertEqual(root_causes(self.WORLD, ["loft", "rope"]), {"rope": "loft"})

    def test_what_does_not_follow_has_no_cause(self):
        self.assertEqual(root_causes(self.WORLD, ["key", "rope"]), {})
        self.assertEqual(root_causes(self.WORLD, []), {})


class Standing(unittest.TestCase):
    TEXT = """
items: {key: Key}
areas:
  quay: {finds: [key], ways: [{to: shed, needs: key}]}
  shed: {ways: [{to: tower, needs: key, id: climb}]}
  tower: {}
"""

    def guard_of(self, system, rule):
        return next(m.guard for m in system.moves if m.rule.id == rule)

    def test_whoever_has_come_by_a_door_need_not_show_the_key_again(self):
        before = unreduced(system_of(self.TEXT))
        after = standing(before).system
        self.assertNotEqual(self.guard_of(before.system, "climb"), TRUE)
        self.assertEqual(self.guard_of(after, "climb"), TRUE)
        self.assertEqual(
            self.guard_of(after, "quay_to_shed"), self.guard_of(before.system, "quay_to_shed")
        )

    def test_a_key_that_can_be_lost_has_to_be_shown(self):
        text = self.TEXT.replace("finds: [key],", "finds: [key], deeds: {toss: {loses: key}},")
        system = system_of(text)
        after = standing(unreduced(system)).system
        self.assertEqual(self.guard_of(after, "climb"), self.guard_of(system, "climb"))

    def test_another_way_in_takes_the_certainty_away(self):
        text = self.TEXT.replace(
            "{to: shed, needs: key}]", "{to: shed, needs: key}, {to: shed, id: gap}]"
        )
        system = system_of(text)
        after = standing(unreduced(system)).system
        self.assertEqual(self.guard_of(after, "climb"), self.guard_of(system, "climb"))

    def test_a_door_is_not_opened_from_where_it_must_have_been_open(self):
        system = system_of("""
items: {key: Key}
areas:
  quay: {finds: [key], ways: [{to: tower, lock: gate}]}
  tower: {}
locks: {gate: {needs: key}}
""")
        before = next(m.areas for m in system.moves if m.rule.id == "gate")
        smaller = standing(guards(unreduced(system))).system
        after = next(m.areas for m in smaller.moves if m.rule.id == "gate")
        self.assertEqual((before, after), ((0, 1), (0,)))

    def test_no_guard_that_a_play_comes_to_is_changed(self):
        looked = dropped = 0
        for seed in sampled(60):
            system = compile_world(world_of(stress_world(seed)))
            space = scalar(system)
            before = guards(unreduced(system)).system
            smaller = standing(unreduced(before)).system
            for old, new in zip(before.moves, smaller.moves, strict=True):
                if (old.guard, old.areas) != (new.guard, new.areas):
                    dropped += 1
                    places = range(system.variables[0].size)
                    for area in old.areas if old.areas is not None else places:
                        here = space.where(system.translator.within(0, area, area))
                        had = here & space.where(old.guard)
                        inside = new.areas is None or area in new.areas
                        has = here & space.where(new.guard) if inside else frozenset()
                        with self.subTest(seed=seed, rule=old.rule.id, area=area):
                            self.assertEqual(had, has)
                        looked += len(here)
        self.assertGreater(dropped, 30 if LONG else 20)
        self.assertGreater(looked, 300 if LONG else 60)


class Values(unittest.TestCase):
    def test_a_door_that_asks_for_more_than_there_ever_is_is_shut_for_good(self):
        system = system_of("""
items: {shard: {name: Shard, max: 20}}
areas:
  quay: {finds: [shard, shard], ways: [{to: vault, needs: 5 shard, id: big}, tower]}
  vault: {}
  tower: {}
""")
        after = values(unreduced(system))
        self.assertNotIn("big", [m.rule.id for m in after.system.moves])
        big = next(m.steps[0].number for m in system.moves if m.rule.id == "big")
        self.assertIn(big, after.never)

    def test_decided_tests_are_what_all_situations_say(self):
        decided = 0
        for name, system, space in small_worlds(sampled(40), [random_world]):
            smaller = values(unreduced(system))
            guards = {
                smaller.originals[s.number].number: m.guard
                for m in smaller.system.moves
                for s in m.steps
            }
            for move in system.moves:
                old, number = move.guard, move.steps[0].number
                new = guards.get(number, FALSE)
                if old != new:
                    decided += 1
                with self.subTest(world=name, formula=old):
                    if number not in guards and old != FALSE:
                        self.assertFalse(any(space.possible(s) for s in move.steps))
                    elif old != new:
                        self.assertEqual(space.where(old), space.where(new))
                # what is left out is known to be left out for that
                self.assertEqual(number in smaller.never, number not in guards)
        self.assertGreater(decided, 40)

    def test_no_reachable_value_is_missing(self):
        for name, system, space in small_worlds(sampled(40), [random_world]):
            for word in space.words[:: 1 + len(space.words) // 50]:
                found = space.packing.unpack([word])
                for value, v, mask in zip(
                    found, system.variables, system.possible_values, strict=True
                ):
                    with self.subTest(world=name, variable=v.key):
                        self.assertTrue(mask >> value - v.low & 1)


class Features(unittest.TestCase):
    def test_the_easy_world_folds_to_nothing_but_where_the_player_is_and_one_mark(self):
        system = compile_world(loads(yaml.safe_dump(easy(), sort_keys=False)))
        self.assertEqual(left(system), {("taken", "room_5_key_5")})

    def test_features_that_cost_nothing_still_cost_nothing(self):
        free = {"spent_key", "sluice", "lever_here", "spring", "meter", "talk", "bad_ending"}
        free |= {"money", "happening", "recipe"}
        seen = set()
        for feature in FEATURES:
            world = easy()
            feature(world)
            system = compile_world(loads(yaml.safe_dump(world, sort_keys=False)))
            if feature.__name__ in free:
                seen.add(feature.__name__)
                with self.subTest(feature=feature.__name__):
                    self.assertEqual(left(system), {("taken", "room_5_key_5")})
        self.assertEqual(seen, free)


class Size(unittest.TestCase):
    def test_the_largest_comes_first_and_all_together_is_the_product(self):
        world = world_of(
            yaml.safe_load(
                HEAD
                + """
items: {shell: {name: Shell, max: 7}, key: Key}
areas: {quay: {finds: [shell, key], ways: [{to: tower, needs: key}]}, tower: {}}
"""
            )
        )
        listing = size_of(world, Budget(Limits()))
        rows = {row[0][0]: tuple(cell[0] for cell in row[1:]) for row in listing.rows}
        self.assertEqual(rows["shell"], ("how many are held", "8", "no"))
        total = 1
        for row in listing.rows[:-1]:
            total *= int(row[2][0])
        self.assertEqual(rows["all together"][1], f"{total:,}")
        bearing = [int(row[3][0]) if row[3][0] != "no" else 1 for row in listing.rows[:-1]]
        self.assertEqual(bearing, sorted(bearing, reverse=True))

    PURSE = (
        HEAD
        + """
items: {coin: {kind: money, max: 99}, lamp: {name: Lamp, drop: true}}
meters: {luck: {to: 50, start: 2}}
areas:
  quay:
    finds: [lamp]
    deeds:
      beg: {needs: luck >= 1, gives: 2 coin}
      pray: {needs: coin, adds: {luck: 1}}
      pay: {takes: 3 coin, adds: {luck: -1}}
    ways: [{to: tower, needs: [4 coin, luck >= 3, lamp]}]
  tower: {}
"""
    )

    def smaller(self, work):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "w.yaml")
            path.write_text(self.PURSE, encoding="utf-8")
            with unittest.mock.patch.object(smaller_module, "TRIAL", work):
                rows = smaller_module.smaller(str(path), Budget(Limits()), Silence()).rows
        return [tuple(cell[0] for cell in row) for row in rows]

    def test_what_is_decided_need_not_be_smaller(self):
        self.assertEqual([(r[0], r[2]) for r in self.smaller(10**8)], [("as it is", "softlocks")])

    def test_what_would_make_a_world_smaller_is_tried(self):
        rows = self.smaller(1)
        self.assertEqual({row[2] for row in rows}, {"still too large"})
        words = [row[0] for row in rows]
        self.assertEqual((words[0], words[-1]), ("as it is", "all of these"))
        self.assertIn("Lamp is not put down", words)
        self.assertIn("Luck only to 3, which is all that is asked", words)
        # four are asked for, and two come at once
        self.assertTrue(any(w.startswith("at most 5 Coin: ") for w in words), words)
        left = [float(row[1].removeprefix("10^")) for row in rows]
        self.assertEqual(left[1:-1], sorted(left[1:-1]))
        self.assertLess(max(left[1:]), left[0])

    def test_what_is_too_large_to_write_out_is_a_power_of_ten(self):
        shells = [f"shell_{n}" for n in range(30)]
        world = world_of(
            {
                "zubrel": 1,
                "start": {"at": "quay"},
                "items": dict.fromkeys(shells, "Shell"),
                "areas": {"quay": {"finds": shells, "ways": ["tower"]}, "tower": {}},
                "endings": {"won": {"when": "at tower"}},
            }
        )
        last = size_of(world, Budget(Limits())).rows[-1]
        self.assertRegex(last[2][0], r"^10\^\d+\.\d$")

    def test_no_step_of_a_reduced_world_changes_what_was_left_out(self):
        changing = 0
        for seed in sampled(25):
            system = compile_world(world_of(random_world(seed)))
            smaller = reduce(system).system
            gone = {
                n
                for n, (old, new) in enumerate(
                    zip(system.variables, smaller.variables, strict=True)
                )
                if new.size == 1 < old.size
            }
            changed = {c.variable for s in smaller.steps for c in s.changes}
            changing += len(changed)
            with self.subTest(seed=seed):
                self.assertEqual(gone & changed, set())
        self.assertGreater(changing, 25)


class Words(unittest.TestCase):
    def test_numbers_agree_with_what_they_count(self):
        self.assertEqual(counted(1, "move"), "1 move")
        self.assertEqual(counted(0, "move"), "0 moves")
        self.assertEqual(counted(1234, "situation"), "1,234 situations")

    def test_lists_are_joined_as_people_do(self):
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(["a", "b"]), "a and b")
        self.assertEqual(listed(["a", "b", "c"]), "a, b and c")


if __name__ == "__main__":
    unittest.main()
