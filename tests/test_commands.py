"""`zubrel` with demo, new, list and route, driven as a program."""

import csv
import io
import json
import unittest

import yaml

from tests.program import CASES, DEMO, ProgramTest
from tests.seeds import LONG
from zubrel.authored.shapes import SECTIONS


class Demo(ProgramTest):
    @unittest.skipUnless(LONG, "make test-all")
    def test_the_demo_shows_a_draft_with_its_mistakes_and_a_proved_world(self):
        mine = self.folder / "zubrel-demo" / "draft.yaml"
        mine.parent.mkdir()
        mine.write_text("mine", encoding="utf-8")
        done = self.zubrel("demo", "--force", code=0)
        self.assertNotEqual(mine.read_text(encoding="utf-8"), "mine")
        self.assertLess(done.stdout.index("SOFTLOCKS"), done.stdout.index("SOLVABLE"))
        for picture in ("map", "chain", "windows", "growth", "losses"):
            drawn = self.folder / "zubrel-demo" / f"draft-{picture}.png"
            self.assertTrue(drawn.read_bytes().startswith(b"\x89PNG"))
            self.assertIn(drawn.name, done.stdout)
        for name in ("draft.yaml", "tidewrack.yaml"):
            self.assertTrue((self.folder / "zubrel-demo" / name).exists())
        draft, finished = done.stdout.split("SOLVABLE")
        for mistake in (
            "softlock  crate",
            "softlock  boil_salt",
            "softlock  wait_for_tide_2",
            "softlock  stall_buy_polish",
            "missable  the_lamp",
            "unreachable  bell_key",
        ):
            self.assertIn(mistake, draft)
        self.assertIn("Nothing open: ", finished)

    def test_a_limit_leaves_the_worlds_of_the_demo_and_what_is_certain_of_them(self):
        done = self.zubrel("demo", "--max-situations", "500", code=3)
        draft, finished = done.stdout.split("tidewrack.yaml\n")[:2]
        for world, shown in (("draft.yaml", draft), ("tidewrack.yaml", finished)):
            self.assertTrue((self.folder / "zubrel-demo" / world).exists())
            self.assertIn("INCOMPLETE", shown)
        self.assertIn("softlock  crate", draft)
        self.assertEqual(list((self.folder / "zubrel-demo").glob("*.png")), [])

    def test_the_demo_never_overwrites_without_force(self):
        (self.folder / "here").mkdir()
        (self.folder / "here" / "draft.yaml").write_text("mine", encoding="utf-8")
        done = self.zubrel("demo", "here", code=2)
        self.assertIn("--force", done.stderr)
        self.assertEqual((self.folder / "here" / "draft.yaml").read_text(encoding="utf-8"), "mine")

    def test_the_finished_world_uses_every_section_of_the_language(self):
        data = yaml.safe_load((DEMO / "tidewrack.yaml").read_text(encoding="utf-8"))
        self.assertEqual(set(SECTIONS) - set(data), set())
        self.assertGreaterEqual(len(data["areas"]), 38)
        self.assertGreaterEqual(len(data["quests"]), 8)


class New(ProgramTest):
    def test_a_new_world_checks_clean(self):
        self.zubrel("new", "mine.yaml", code=0)
        done = self.zubrel("check", "mine.yaml", "--fail-on", "note", code=0)
        self.assertIn("SOLVABLE", done.stdout)

    def test_a_file_that_is_there_is_kept(self):
        self.write("mine.yaml", "precious")
        self.assertIn("--force", self.zubrel("new", "mine.yaml", code=2).stderr)
        self.assertEqual((self.folder / "mine.yaml").read_text(encoding="utf-8"), "precious")


class List(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("island.yaml", (CASES / "island.yaml").read_text(encoding="utf-8"))

    def test_items_say_where_they_come_from_are_needed_and_are_spent(self):
        done = self.zubrel("list", "island.yaml", "items", "--format", "json", code=0)
        rows = {row["id"][0]: row for row in json.loads(done.stdout)["items"]}
        self.assertEqual(rows["brass_token"]["from"], ["drying_shed_brass_token"])
        self.assertEqual(rows["brass_token"]["spent on"], ["cupboard", "cabinet"])
        self.assertEqual(rows["crowbar"]["asked for by"], ["wreck_hatch"])
        self.assertEqual(rows["coin"]["most"], ["4"])
        self.assertEqual(rows["watch_key"]["from"], [])

    def test_deals_say_which_items_go_where_and_in_how_many_ways(self):
        deal = "deal: [{of: [key, oil], over: [quay, hut, mole]}]"
        world = f"""zubrel: 1
title: Dealt
start: {{at: quay, {deal}}}
items: {{key: Key, oil: Oil}}
areas: {{quay: {{ways: [hut, mole]}}, hut: {{}}, mole: {{}}}}
endings: {{won: {{when: key and oil}}}}
"""
        self.write("dealt.yaml", world)
        done = self.zubrel("list", "dealt.yaml", "deals", "--format", "json", code=0)
        (row,) = json.loads(done.stdout)["deals"]
        self.assertEqual((row["items"], row["areas"]), (["key", "oil"], ["quay", "hut", "mole"]))
        # three areas for the one, two for the other
        self.assertEqual((row["an area gets"], row["deals"]), (["1"], ["6"]))

    def test_csv_reads_back_as_what_json_says(self):
        as_csv = self.zubrel("list", "island.yaml", "locks", "--format", "csv", code=0).stdout
        as_json = self.zubrel("list", "island.yaml", "locks", "--format", "json", code=0).stdout
        rows = list(csv.DictReader(io.StringIO(as_csv)))
        expected = [
            {column: "; ".join(cell) for column, cell in row.items()}
            for row in json.loads(as_json)["locks"]
        ]
        self.assertEqual(rows, expected)
        self.assertIn("takes Brass token", rows[0]["asks"])

    def test_size_tells_what_multiplies_and_what_bears_on_the_end(self):
        world = DEMO / "tidewrack.yaml"
        rows = json.loads(self.zubrel("list", world, "size", "--format", "json", code=0).stdout)
        rows = rows["size"]
        text = self.zubrel("list", world, "size", code=0).stdout
        self.assertIn("bear on the end", text)
        self.assertIn("all together", text)
        # a find of something that is only a story has no bearing on the end
        self.assertRegex(text, r"(?m)^bottle +taken or not +2 +no$")
        self.assertGreater(len(rows), 90)

    def test_only_of_the_size_something_can_be_tried(self):
        told = self.zubrel("list", "island.yaml", "items", "--try", code=2).stderr
        self.assertIn("size --try", told)

    def test_without_a_section_every_table_that_has_rows_is_shown(self):
        done = self.zubrel("list", "island.yaml", code=0)
        for title in ("items (15)", "areas (18)", "locks (8)", "deeds (3)", "endings (1)"):
            self.assertIn(title, done.stdout)
        self.assertNotIn("meters", done.stdout)


class Route(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", (CASES / "lamps.yaml").read_text(encoding="utf-8"))

    def route(self, *options, code=0):
        done = self.zubrel("route", "w.yaml", "--format", "json", *options, code=code)
        return json.loads(done.stdout)

    def test_the_route_to_a_win_is_as_long_as_check_says(self):
        checked = self.check((CASES / "lamps.yaml").read_text(encoding="utf-8"))
        self.assertEqual(self.route()["length"], checked["shortest_win"]["length"])

    def test_a_condition_is_reached_with_what_it_asks_for_in_hand(self):
        found = self.route("--to", "rope and at quay")
        self.assertEqual(found["moves"][-1]["held"]["Coil of rope"], 1)
        self.assertNotIn("Coil of rope", found["moves"][0]["held"])

    def test_a_place_to_avoid_makes_the_way_longer_or_impossible(self):
        short = self.route("--to", "at station_yard")
        long = self.route("--to", "at station_yard", "--avoid", "at causeway")
        self.assertLess(short["length"], long["length"])
        none = self.route("--to", "at station_yard", "--avoid", "at quay", code=1)
        self.assertIsNone(none["moves"])

    def test_what_is_visited_can_be_asked_for_though_the_file_does_not(self):
        self.assertGreater(self.route("--to", "causeway is visited")["length"], 2)

    def test_an_alternative_that_only_the_command_line_calls_done_keeps_its_mark(self):
        self.write(
            "w.yaml",
            """\
zubrel: 1
start: {at: quay}
areas:
  quay: {deeds: {wave: {once: true, either: [{id: left}, {id: right}]}}}
endings: {seen: {when: at quay and wave is done}}
""",
        )
        self.assertEqual(self.route("--to", "right is done")["moves"][0]["rule"], "right")

    def test_a_goal_that_is_met_at_the_start_takes_no_moves(self):
        self.assertEqual(self.route("--to", "at slipway")["moves"], [])

    def test_a_fault_in_a_condition_is_shown_under_it(self):
        done = self.zubrel("route", "w.yaml", "--to", "at stashion_hall", code=2)
        self.assertIn("--to:1:4", done.stderr)
        self.assertIn('"station_hall"', done.stderr)


class Program(ProgramTest):
    def test_help_and_version_answer(self):
        self.assertIn("check", self.zubrel("--help", code=0).stdout)
        self.assertRegex(self.zubrel("--version", code=0).stdout, r"^zubrel \d+\.\d+\.\d+$")
        for command in ("check", "list", "route", "demo", "new"):
            self.assertIn("Usage", self.zubrel(command, "--help", code=0).stdout)


if __name__ == "__main__":
    unittest.main()
