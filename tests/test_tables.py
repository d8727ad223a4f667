"""Tables of what a world defines: each cell against the compiled rules."""

import unittest

import yaml

from tests.random_worlds import random_world
from tests.seeds import LONG, least, sampled
from tests.test_against_reference import world_of
from zubrel.checked import keys
from zubrel.checked.conditions import Holds, atoms_of
from zubrel.checked.effects import FinishQuest
from zubrel.compiled.compile import compile_world
from zubrel.narrated.tables import SECTIONS, listing

WORLD = yaml.safe_load("""
zubrel: 1
start: {at: quay, holding: [lamp]}
items:
  lamp: {name: Lamp, uses: 2}
  oil: {name: Oil, max: 2}
  coin: {name: Coin, kind: money, max: 9}
facts: {tide: {values: [low, high]}, bell_rung: {}}
meters: {water: {from: 0, to: 4, start: 2}}
areas:
  quay:
    name: The quay
    finds: [{item: oil, count: 2}]
    ways: [{to: shed, lock: hatch}, {to: cave, needs: tide = low, one_way: true}]
    deeds: {ring: {sets: {bell_rung: true}, wears: lamp, adds: {water: -1}}}
  shed: {finds: [coin]}
  cave: {}
locks: {hatch: {name: Hatch, needs: lamp, takes: oil}}
shops: {stall: {at: quay, sells: {oil: 3}, buys: {oil: 1}}}
endings: {safe: {when: at shed and bell_rung}, lost: {kind: bad, when: at cave}}
""")


def cells(data, section):
    table = listing(world_of(data), section)
    return {row[0][0]: dict(zip(table.columns, row, strict=True)) for row in table.rows}


class Small(unittest.TestCase):
    def test_an_item_says_where_it_comes_from_who_asks_and_what_spends_it(self):
        items = cells(WORLD, "items")
        self.assertEqual(set(items), {"lamp", "oil", "coin"})
        oil, lamp = items["oil"], items["lamp"]
        self.assertEqual(oil["name"], ("Oil",))
        self.assertEqual(oil["most"], ("2",))
        self.assertTrue(any("quay_oil" in text for text in oil["from"]), oil)
        self.assertTrue(any("hatch" in text for text in oil["spent on"]), oil)
        self.assertEqual(lamp["from"], ("start (1)",))
        self.assertIn("ring (worn)", lamp["spent on"])
        self.assertIn("hatch", lamp["asked for by"])

    def test_every_section_has_a_table_with_a_cell_for_each_column(self):
        world = world_of(WORLD)
        filled = set()
        for section in SECTIONS:
            table = listing(world, section)
            with self.subTest(section=section):
                self.assertEqual({len(row) for row in table.rows} - {len(table.columns)}, set())
                self.assertTrue(
                    all(isinstance(text, str) for r in table.rows for c in r for text in c)
                )
            filled |= {section} if table.rows else set()
        wanted = {"items", "areas", "ways", "locks", "facts", "meters", "endings", "shops"}
        self.assertLessEqual(wanted, filled)
        self.assertRaises(KeyError, listing, world, "tides")

    def test_ways_ask_for_what_is_written(self):
        ways = cells(WORLD, "ways")
        self.assertEqual(ways["quay_to_shed"]["lock"], ("hatch",))
        self.assertEqual(ways["quay_to_cave"]["asks"], ("Tide low",))
        self.assertEqual(ways["quay_to_cave"]["way back"], ("no",))


class Random(unittest.TestCase):
    SEEDS = sampled(60)

    def test_an_item_comes_from_exactly_the_rules_that_add_to_it(self):
        told = 0
        for seed in self.SEEDS:
            data = random_world(seed)
            system = compile_world(world_of(data))
            table = listing(system.world, "items")
            column = table.columns.index("from")
            rules = {r.id for r in system.world.rules}
            for row in table.rows:
                number = system.numbers[keys.held(row[0][0])]
                adding = {
                    step.rule.id
                    for step in system.steps
                    for c in step.changes
                    if c.variable == number and c.number > 0 and not step.rule.kind.regains
                }
                # a reward is told of its quest, whoever hands it in
                rewarding = {
                    rule.id
                    for rule in system.world.rules
                    for outcome in rule.outcomes
                    if any(isinstance(e, FinishQuest) for e in outcome.effects)
                }
                named = {text.split(" ")[0].rstrip(",") for text in row[column]} & rules
                with self.subTest(seed=seed, item=row[0]):
                    self.assertEqual(named - rewarding, adding - rewarding)
                told += len(adding)
        self.assertGreater(told, 150 if LONG else 80)

    def test_whoever_asks_for_an_item_is_named(self):
        told = 0
        for seed in self.SEEDS:
            world = world_of(random_world(seed))
            table = listing(world, "items")
            column = table.columns.index("asked for by")
            for row in table.rows:
                item = row[0][0]
                asking = {
                    rule.id
                    for rule in world.rules
                    for atom in atoms_of(rule.needs)
                    if rule.kind in ("deed", "lock", "find")
                    and isinstance(atom, Holds)
                    and atom.item == item
                }
                named = " ".join(row[column])
                with self.subTest(seed=seed, item=row[0]):
                    self.assertEqual([i for i in asking if i not in named], [])
                told += len(asking)
        self.assertGreater(told, least(25))


if __name__ == "__main__":
    unittest.main()
