"""Worlds of several files, tables and back, the schema, and the bounds of amounts."""

import json
import random
import unittest

import yaml
from jsonschema import Draft202012Validator

from tests.program import DEMO, ProgramTest
from tests.random_worlds import random_world
from tests.reference import Reference, Restless, TooLarge
from tests.seeds import LONG, least, sampled
from tests.test_against_reference import world_of
from tests.test_errors import problems_of
from zubrel.authored.document import document_of, read_document
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.output.as_tables import world_as_tables
from zubrel.output.as_yaml import merged, world_as_yaml
from zubrel.output.schema import schema_text

MAIN = """\
zubrel: 1
start: {at: quay}
include: [parts/more.yaml, parts/items.csv, parts/finds.csv, parts/ways.csv]
areas: {quay: {}, pier: }
endings: {home: {when: at tower and 2 coin}}
"""


class SeveralFiles(ProgramTest):
    def setUp(self):
        super().setUp()
        (self.folder / "parts").mkdir()
        self.write("w.yaml", MAIN)
        self.write("parts/more.yaml", "areas: {tower: {}}\n")
        items = 'id,name,kind\r\ncoin,"Coin, old",money\r\nkey,Key,\r\n'
        self.write("parts/items.csv", b"\xef\xbb\xbf" + items.encode())
        self.write("parts/finds.csv", "area,item,count,needs\nquay,key,,\npier,coin,2,key\n")
        self.write("parts/ways.csv", "area,to,needs\nquay,pier,\npier,tower,key; coin >= 1\n")

    def test_included_files_and_tables_make_one_world(self):
        done = self.zubrel("check", "w.yaml", "--format", "json", code=0)
        self.assertEqual(json.loads(done.stdout)["shortest_win"]["length"], 4)
        listed = self.zubrel("list", "w.yaml", "items", "--format", "json", code=0).stdout
        self.assertEqual(json.loads(listed)["items"][0]["name"], ["Coin, old"])

    def test_a_fault_in_a_table_is_shown_at_its_cell(self):
        self.write("parts/finds.csv", "area,item,count,needs\nquay,key,,\npier,coin,2,kkey\n")
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("finds.csv:3:13", error)
        self.assertIn('Did you mean "key"?', error)

    def test_a_circle_and_a_double_definition_name_both_places(self):
        self.write("parts/more.yaml", "include: ../w.yaml\nareas: {tower: {}}\n")
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("circle", error)
        self.assertIn("more.yaml:1:10", error)
        self.write("parts/more.yaml", "areas: {tower: {}, pier: {}}\n")
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("w.yaml:4:", error)
        self.assertIn("more.yaml:1:", error)

    def test_what_cannot_be_read_is_told_at_the_include(self):
        self.write("w.yaml", MAIN.replace("more.yaml", "moore.yaml"))
        self.assertIn("w.yaml:3:11", self.zubrel("check", "w.yaml", code=2).stderr)
        self.write("w.yaml", MAIN)
        self.write("parts/ways.csv", 'area,to\n"quay,pier\n')
        self.assertIn("ways.csv:2", self.zubrel("check", "w.yaml", code=2).stderr)
        self.write("parts/ways.csv", "area,to\nquay,pier,extra\nnowhere,quay\n")
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("ways.csv:2:11", error)
        self.assertIn('no area "nowhere"', error)


class Tables(ProgramTest):
    def test_the_demo_worlds_come_back_from_tables_as_they_were(self):
        for name in ("draft.yaml", "tidewrack.yaml"):
            self.write(name, (DEMO / name).read_text(encoding="utf-8"))
            self.zubrel("tables", name, "--to", f"{name}-tables", code=0)
            self.zubrel("tables", "--from", f"{name}-tables", "-o", f"back-{name}", code=0)
            lists = [
                self.zubrel("list", path, "--format", "json", code=0).stdout
                for path in (name, f"{name}-tables/world.yaml", f"back-{name}")
            ]
            with self.subTest(world=name):
                self.assertEqual(lists[0], lists[1])
                self.assertEqual(lists[0], lists[2])

    def test_tables_open_in_a_spreadsheet(self):
        self.write("w.yaml", (DEMO / "draft.yaml").read_text(encoding="utf-8"))
        self.zubrel("tables", "w.yaml", "--to", "t", code=0)
        data = (self.folder / "t" / "items.csv").read_bytes()
        self.assertTrue(data.startswith(b"\xef\xbb\xbfid,"))
        self.assertIn(b"\r\n", data)

    def test_nothing_is_overwritten_without_force(self):
        self.write("w.yaml", (DEMO / "starter.yaml").read_text(encoding="utf-8"))
        self.zubrel("tables", "w.yaml", "--to", "t", code=0)
        self.assertIn("--force", self.zubrel("tables", "w.yaml", "--to", "t", code=2).stderr)
        self.zubrel("tables", "w.yaml", "--to", "t", "--force", code=0)
        self.assertIn(
            "--force", self.zubrel("tables", "--from", "t", "-o", "w.yaml", code=2).stderr
        )

    def test_random_worlds_lose_nothing_on_the_way_through_tables(self):
        tabled = 0
        for seed in sampled(60):
            data = random_world(seed)
            texts = world_as_tables(merged(document_of(*text_of(data)).roots))
            tabled += len(texts) > 3
            for name, text in texts.items():
                self.write(name, text)
            document = read_document(str(self.folder / "world.yaml"))
            back = world_as_yaml(document.roots)
            with self.subTest(seed=seed):
                self.assertEqual(sections_of(yaml.safe_load(back)), sections_of(data))
                self.assertEqual(ids_of(check(document)), ids_of(world_of(data)))
        self.assertGreater(tabled, 20 if LONG else 10)


def text_of(data):
    text = yaml.safe_dump(data, sort_keys=False)
    return Source.of("w.yaml", text), text


def ids_of(world):
    return [(r.id, r.areas, r.lock, r.outcomes) for r in world.rules]


def sections_of(data):
    """A world's data in the form that says the same in only one way."""

    def tidy(value, key=None):
        if isinstance(value, dict):
            kept = {k: tidy(v, k) for k, v in value.items() if v is not None and k != "include"}
            if len(kept) == 1 and set(kept) <= {"to", "at", "start", "name", "price"}:
                return tidy(next(iter(kept.values())))
            if "item" in kept:
                count = kept.pop("count", 1)
                item = kept.pop("item")
                kept["amount"] = item if count == 1 else f"{count} {item}"
                if set(kept) == {"amount"}:
                    return kept["amount"]
            return kept
        if isinstance(value, list):
            items = [tidy(v) for v in value]
            return items[0] if len(items) == 1 else items
        return str(value)

    return tidy(data)


class Schema(unittest.TestCase):
    def setUp(self):
        self.schema = json.loads(schema_text())
        Draft202012Validator.check_schema(self.schema)
        self.validator = Draft202012Validator(self.schema)

    def errors(self, data):
        return [e.message for e in self.validator.iter_errors(data)]

    def test_every_valid_world_fits_the_schema(self):
        worlds = [yaml.safe_load(p.read_text(encoding="utf-8")) for p in DEMO.glob("*.yaml")]
        self.assertGreater(len(worlds), 2)
        for data in [*worlds, *(random_world(seed) for seed in sampled(80))]:
            with self.subTest(title=data["title"]):
                self.assertEqual(self.errors(data), [])

    def test_a_field_that_does_not_exist_fits_neither_the_schema_nor_the_checker(self):
        refused = 0
        for seed in sampled(60):
            data = random_world(seed)
            r = random.Random(seed)
            places = [
                v
                for s in data.values()
                if isinstance(s, dict)
                for v in s.values()
                if isinstance(v, dict)
            ]
            if not places:
                continue
            r.choice(places)["tajes"] = "item0"
            refused += 1
            with self.subTest(seed=seed):
                self.assertNotEqual(self.errors(data), [])
                codes = [p.code for p in problems_of(yaml.safe_dump(data))]
                self.assertIn("unknown-key", codes)
        self.assertGreater(refused, least(40))

    def test_wrong_shapes_are_refused(self):
        for text in (
            "{zubrel: 2}",
            "{zubrel: 1, items: [a]}",
            "{zubrel: 1, items: {Coin: x}}",
            "{zubrel: 1, locks: {a: {begins: ajar}}}",
            "{zubrel: 1, sea: {}}",
            "{zubrel: 1, meters: {m: {to: high}}}",
            "{title: x}",
        ):
            with self.subTest(text):
                self.assertNotEqual(self.errors(yaml.safe_load(text)), [])


class Bounds(unittest.TestCase):
    def test_no_reachable_situation_ever_exceeds_a_bound(self):
        bounded = 0
        for seed in sampled(250):
            data = random_world(seed)
            for item in data["items"].values():
                item.pop("max", None)
            data.pop("stores", None)
            try:
                world = world_of(data)
            except InvalidInput:
                continue
            for name, item in data["items"].items():
                if "uses" not in item:
                    item["max"] = max(1, world.items[name].most + 2)
            try:
                found = Reference(data).explore(1500)
            except (Restless, TooLarge):
                continue
            bounded += 1
            for name, item in world.items.items():
                most = max(dict(s)["held", name] for s in found.situations)
                with self.subTest(seed=seed, item=name):
                    self.assertLessEqual(most, item.most)
        self.assertGreater(bounded, least(30))

    def world(self, items, deeds, recipes=""):
        return (
            f"zubrel: 1\nstart: {{at: shed, holding: 6 ore}}\nitems: {{{items}}}\n"
            f"areas: {{shed: {{deeds: {{{deeds}}}}}}}\nrecipes: {{{recipes}}}\n"
            "endings: {rich: {when: 2 bar}}\n"
        )

    def test_what_is_made_of_something_bounded_is_bounded_by_it(self):
        text = self.world("ore: Ore, bar: Bar", "", "smelt: {takes: 2 ore, gives: bar}")
        world = check(document_of(Source.of("w.yaml", text), text))
        self.assertEqual((world.items["ore"].most, world.items["bar"].most), (6, 3))

    def test_a_round_that_gains_is_refused_and_its_rules_are_named(self):
        recipes = "smelt: {takes: 2 ore, gives: bar}, crush: {takes: bar, gives: 3 ore}"
        problems = problems_of(self.world("ore: Ore, bar: Bar", "", recipes))
        self.assertEqual({p.code for p in problems}, {"no-bound"})
        for problem in problems:
            self.assertIn('"smelt"', problem.message)
            self.assertIn('"crush"', problem.message)

    def test_a_round_that_only_breaks_even_is_bounded(self):
        recipes = "smelt: {takes: 2 ore, gives: bar}, crush: {takes: bar, gives: 2 ore}"
        text = self.world("ore: Ore, bar: Bar", "", recipes)
        world = check(document_of(Source.of("w.yaml", text), text))
        self.assertEqual((world.items["ore"].most, world.items["bar"].most), (6, 3))


if __name__ == "__main__":
    unittest.main()
