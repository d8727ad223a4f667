"""Sweeps: what varies is what was asked for, each variant is what `check` says of it, and what was
proved once is not proved again."""

import csv
import io
import json
import re
import unittest
from itertools import product

from rich.console import Console

from tests.program import ProgramTest
from zubrel.api import check, load
from zubrel.base.diagnostics import InvalidInput
from zubrel.narrated.tables import Listing
from zubrel.output.listings import write_tables
from zubrel.swept.kept import Kept
from zubrel.swept.outcome import OpenFinding, VariantOutcome
from zubrel.swept.settings import Texts, asked_span, read_whole, told_apart, values_of
from zubrel.swept.variants import AskedVariants, variants_of

WORLD = """\
zubrel: 1
title: The stall
start: {at: quay, holding: 3 coin}
items:
  coin: {kind: money, max: 9}   # what is paid with
  wick: {name: Wick, max: 1}
  crowbar: {name: Crowbar, uses: 1}
  rope: {name: Rope, max: 2}
areas:
  quay:
    finds: [crowbar, {item: rope, id: coil}]
    ways: [{to: tower, needs: wick}, {to: hold, lock: hatch}]
  hold: {finds: [2 coin]}
  tower: {}
locks: {hatch: {wears: crowbar}}
shops: {stall: {at: quay, sells: {wick: 3, rope: 1}}}
endings: {lit: {when: at tower}}
"""
CHECKED = ("softlock", "bad_luck", "missable")
REFUSED = {
    ("--vary", "shops.stall.sells.wick"): "does not say which values",
    ("--vary", "shops.stal.sells.wick=3"): 'Did you mean "stall"?',
    ("--vary", "shops.stall.sells.wick=4..1"): "is no range",
    ("--vary", "shops.stall.sells.wick=(1"): "is no list of values",
    ("--vary", "shops..wick=1"): "is no path into a world",
    ("--without", "locks.hatsch"): 'Did you mean "hatch"?',
    ("--each", "areas.*.things"): "nothing in the world fits",
    ("--most", "0"): "0",
    ("--variants", "none.yaml"): "none.yaml",
}


class Swept(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def sweep(self, *options, code=0):
        done = self.zubrel("sweep", "w.yaml", *options, "--format", "json", code=code)
        return json.loads(done.stdout)

    def test_each_variant_is_what_check_says_of_the_changed_world(self):
        told = self.sweep(
            "--vary", "shops.stall.sells.wick=0..4", "--vary", "items.crowbar.uses=1,2"
        )
        first, *rows = told["variants"]
        self.assertEqual((first["variant"], first["new"], first["gone"]), ("as it is", [], []))
        self.assertEqual(len(rows), 10)
        for (price, uses), row in zip(product(range(5), (1, 2)), rows, strict=True):
            text = WORLD.replace("wick: 3", f"wick: {price}").replace("uses: 1", f"uses: {uses}")
            self.write("v.yaml", text)
            report = check(load(str(self.folder / "v.yaml")))
            found = {(f.kind, f.subject) for f in report.findings if not f.accepted}
            with self.subTest(price=price, uses=uses):
                self.assertEqual(row["verdict"], report.verdict)
                self.assertEqual({(f["kind"], f["subject"]) for f in row["findings"]}, found)
                length = None if report.shortest_win is None else len(report.shortest_win.moves)
                self.assertEqual(row["shortest_win"] and row["shortest_win"]["length"], length)
        self.assertEqual({row["verdict"] for row in rows}, {"softlocks", "solvable"})
        self.assertEqual((self.folder / "w.yaml").read_text(encoding="utf-8"), WORLD)

    def test_what_is_new_and_gone_is_against_the_unchanged_world(self):
        first, row = self.sweep("--vary", "shops.stall.sells.wick=4")["variants"]
        had, has = ({(f["kind"], f["subject"]) for f in r["findings"]} for r in (first, row))
        self.assertEqual({(f["kind"], f["subject"]) for f in row["new"]}, has - had)
        self.assertEqual({(f["kind"], f["subject"]) for f in row["gone"]}, had - has)
        self.assertTrue(had - has)

    def test_things_are_left_out_one_at_a_time_and_exchanged(self):
        left = [v["variant"] for v in self.sweep("--each", "areas.*.finds")["variants"][1:]]
        self.assertEqual(len(left), 3)
        self.assertIn("without areas.quay.finds.0 (crowbar)", left)
        swapped = self.sweep("--swap")["variants"][1:]
        self.assertEqual(len(swapped), 3)
        settings = {tuple(v["settings"].items()) for v in swapped}
        exchanged = (("areas.quay.finds.1.item", "2 coin"), ("areas.hold.finds.0", "rope"))
        self.assertIn(
            (("areas.quay.finds.0", "rope"), ("areas.quay.finds.1.item", "crowbar")), settings
        )
        self.assertIn(exchanged, settings)

    def test_all_combinations_one_at_a_time_and_a_sample(self):
        options = ["--vary", "shops.stall.sells.wick=1..4", "--vary", "items.crowbar.uses=1..3"]
        self.assertEqual(len(self.sweep(*options)["variants"]), 13)
        self.assertEqual(len(self.sweep(*options, "--one-at-a-time")["variants"]), 8)
        some = self.sweep(*options, "--most", "5")
        again = self.sweep(*options, "--most", "5")
        other = self.sweep(*options, "--most", "5", "--seed", "2")
        names = [[v["variant"] for v in told["variants"]] for told in (some, again, other)]
        self.assertEqual((len(names[0]), some["sample_of"]), (6, 12))
        self.assertEqual(names[0], names[1])
        self.assertNotEqual(names[0], names[2])

    def test_named_variants_come_from_a_file(self):
        self.write(
            "v.yaml",
            "variants:\n  dear: {shops.stall.sells.wick: 5}\n"
            "  open:\n    locks.hatch: {begins: open}\n    areas.quay.finds.0: null\n",
        )
        _, dear, opened = self.sweep("--variants", "v.yaml")["variants"]
        self.assertEqual(dear["settings"], {"shops.stall.sells.wick": "5"})
        self.assertEqual(opened["settings"]["areas.quay.finds.0"], None)
        self.assertIn("unused", {f["kind"] for f in opened["new"]})

    def test_a_variant_that_is_no_world_says_where(self):
        row = self.sweep("--vary", "items.crowbar.usses=2")["variants"][1]
        self.assertEqual(row["verdict"], "invalid")
        self.assertIn("w.yaml:7:", row["stopped"])
        self.assertIn("usses", row["stopped"])

    def test_what_cannot_be_meant_is_refused_with_a_way_out(self):
        for options, words in REFUSED.items():
            with self.subTest(options):
                given = options if options[0] != "--most" else (*options, "--swap")
                self.assertIn(words, self.zubrel("sweep", "w.yaml", *given, code=2).stderr)
        self.assertIn("nothing varies", self.zubrel("sweep", "w.yaml", code=2).stderr)
        self.write("v.yaml", "things: {}\n")
        refused = self.zubrel("sweep", "w.yaml", "--variants", "v.yaml", code=2).stderr
        self.assertIn("v.yaml:1:1", refused)

    def test_a_limit_that_cuts_a_variant_short_is_told(self):
        told = self.sweep("--vary", "shops.stall.sells.wick=1", "--max-situations", "3", code=3)
        self.assertEqual({v["verdict"] for v in told["variants"]}, {"incomplete"})

    def test_table_and_markdown_begin_with_the_world_as_it_is_and_csv_has_everything(self):
        options = ["--vary", "shops.stall.sells.wick=0..4"]
        table = self.zubrel("sweep", "w.yaml", *options, code=0).stdout
        self.assertIn("5 variants: ", table)
        self.assertLess(table.index("as it is"), table.index("wick=1"))
        markdown = self.zubrel("sweep", "w.yaml", *options, "--format", "markdown", code=0).stdout
        self.assertTrue(markdown.splitlines()[2].startswith("| as it is | "))
        text = self.zubrel("sweep", "w.yaml", *options, "--format", "csv", code=0).stdout
        rows = list(csv.DictReader(io.StringIO(text)))
        self.assertEqual(len(rows), 6)
        self.assertEqual(rows[1]["variant"], "shops.stall.sells.wick=0")
        self.assertEqual(rows[1]["verdict"], "solvable")

    def test_several_processes_say_the_same(self):
        options = ["--vary", "shops.stall.sells.wick=1..4", "--each", "areas.*.finds"]
        one, two = (self.sweep(*options, *jobs) for jobs in ((), ("--jobs", "2")))
        self.assertEqual(one, two)


class Pictures(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def drawn(self, *options, code=0):
        return self.zubrel("sweep", "w.yaml", *options, "--picture", "p.svg", code=code)

    def words(self):
        """What is written in a picture: its text is drawn as outlines, and named in comments."""
        text = (self.folder / "p.svg").read_text(encoding="utf-8")
        return re.findall(r"<!-- (.*?) -->", text)

    def test_one_thing_that_varies_is_a_line_and_two_are_a_grid(self):
        self.drawn("--vary", "shops.stall.sells.wick=2..4")
        self.assertEqual(self.words().count("solvable"), 2)
        self.assertEqual(self.words().count("softlocks"), 1)
        (self.folder / "p.svg").unlink()
        self.drawn("--vary", "shops.stall.sells.wick=3,4", "--vary", "shops.stall.sells.rope=1..3")
        verdicts = [word for word in self.words() if word in ("solvable", "softlocks")]
        self.assertEqual(len(verdicts), 6)
        self.assertIn("7 moves, 1 softlock", self.words())

    def test_what_has_no_picture_is_refused_before_anything_is_searched(self):
        vary = ("--vary", "shops.stall.sells.wick=2..4")
        for options, words in {
            ("--swap",): "one or two --vary",
            (*vary, "--most", "2"): "one or two --vary",
            ("--vary", "items.coin.max=1..60"): "room for 40 values",
        }.items():
            with self.subTest(options):
                self.assertIn(words, self.drawn(*options, code=2).stderr)
        refused = self.zubrel("sweep", "w.yaml", *vary, "--picture", "p.gif", code=2).stderr
        self.assertIn("does not end with .png, .svg or .pdf", refused)
        self.zubrel("sweep", "w.yaml", *vary, "--picture", "w.yaml", code=2)
        self.assertEqual((self.folder / "w.yaml").read_text(encoding="utf-8"), WORLD)


class Remembered(ProgramTest):
    OPTIONS = ("--vary", "shops.stall.sells.wick=1..3", "--keep", "kept", "--format", "json")

    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def known(self, *options):
        told = self.zubrel("sweep", "w.yaml", *self.OPTIONS, *options, code=None)
        return [v.pop("known") for v in json.loads(told.stdout)["variants"]]

    def test_only_what_is_missing_is_searched(self):
        self.assertEqual(self.known(), [False] * 4)
        self.assertEqual(self.known(), [True] * 4)
        kept = sorted((self.folder / "kept").iterdir())
        # wick=3 is what the file says already
        self.assertEqual(len(kept), 3)
        kept[0].write_text("{", encoding="utf-8")
        self.assertEqual(sum(self.known()), 4 - (2 if self.is_unchanged(kept[0]) else 1))

    def is_unchanged(self, path):
        texts = read_whole(str(self.folder / "w.yaml")).texts
        return Kept(None, VariantOutcome, ("auto", "None")).name_of(texts) == path.name

    def test_another_text_or_option_is_another_result(self):
        self.known()
        self.assertEqual(self.known("--engine", "symbolic"), [False] * 4)
        self.write("w.yaml", WORLD.replace("uses: 1", "uses: 2"))
        self.assertEqual(self.known(), [False] * 4)

    def test_nothing_is_kept_of_what_a_limit_cut_short(self):
        self.assertEqual(self.known("--max-situations", "3"), [False] * 4)
        self.assertEqual(self.known("--max-situations", "3"), [False] * 4)
        self.assertFalse((self.folder / "kept").exists())

    def test_a_folder_that_takes_nothing_is_told(self):
        self.write("kept", "a file")
        done = self.zubrel("sweep", "w.yaml", *self.OPTIONS, code=2)
        self.assertIn("kept takes no results", done.stderr)

    def test_results_are_what_they_were(self):
        outcome = VariantOutcome(
            "softlocks", None, 5, True, (OpenFinding("softlock", "a", "error"),), ("b",), 9
        )
        kept = Kept(str(self.folder / "k"), VariantOutcome, ())
        kept.keep("x.json", outcome)
        self.assertEqual(kept.find("x.json"), outcome)
        self.assertIsNone(kept.find("y.json"))


class KnownReports(ProgramTest):
    """`check --keep`: what was proved once is told at once, and otherwise just as before."""

    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def check(self, *options, code=None):
        return self.zubrel("check", *options, "--keep", "kept", code=code)

    def test_every_form_says_the_same_again(self):
        self.write("other.yaml", WORLD.replace("wick: 3", "wick: 4"))
        for form in ("text", "json", "sarif", "junit", "markdown"):
            first, again = (
                self.check("w.yaml", "other.yaml", "--format", form).stdout for _ in range(2)
            )
            with self.subTest(form):
                self.assertEqual(self.timeless(again), self.timeless(first))
        self.assertIn("known from an earlier time", self.check("w.yaml").stdout)
        whole, again = (self.check("other.yaml", "-v", code=1).stdout for _ in range(2))
        self.assertEqual(self.timeless(again), self.timeless(whole))

    def timeless(self, text):
        text = re.sub(r'known from an earlier time|[0-9.]+ s(?=\))|"known": true,', "", text)
        return " ".join(re.sub(r'"(seconds|time)"?[:=] ?"?[0-9.]+"?,?', "", text).split())

    def test_a_known_report_is_said_to_be_so(self):
        first, again = (
            json.loads(self.check("w.yaml", "--format", "json").stdout) for _ in range(2)
        )
        self.assertNotIn("known", first)
        self.assertTrue(again.pop("known"))
        self.assertEqual({**again, "seconds": 0}, {**first, "seconds": 0})

    def test_what_has_changed_is_searched_again(self):
        self.check("w.yaml")
        self.write("part.yaml", "items: {shell: Shell}\n")
        self.write("w.yaml", WORLD + "include: part.yaml\n")
        for text in ("items: {shell: Shell}\n", "items: {shell: Sea shell}\n"):
            self.write("part.yaml", text)
            self.assertNotIn("known", self.check("w.yaml").stdout)
            self.assertIn("known", self.check("w.yaml").stdout)
        self.assertNotIn("known", self.check("w.yaml", "--engine", "symbolic").stdout)

    def test_neither_limits_nor_mistakes_are_kept(self):
        for _ in range(2):
            done = self.check("w.yaml", "--max-situations", "2", code=3)
            self.assertIn("INCOMPLETE", done.stdout)
        self.write("w.yaml", WORLD.replace("to: tower", "to: towr"))
        for _ in range(2):
            self.assertIn("towr", self.check("w.yaml", code=2).stderr)
        self.assertFalse((self.folder / "kept").exists())

    def test_a_file_that_is_not_whole_is_written_anew(self):
        self.check("w.yaml")
        (path,) = (self.folder / "kept").iterdir()
        whole = path.read_bytes()
        path.write_bytes(whole[: len(whole) // 2])
        self.assertNotIn("known", self.check("w.yaml").stdout)
        self.assertIn("known", self.check("w.yaml").stdout)


class Tables(unittest.TestCase):
    def test_no_word_of_a_table_is_cut_however_narrow_the_terminal_is(self):
        cells = (
            (("shops.stall.sells.wick.price=1",), ("softlocks",), ("unwinnable world", "128 more")),
            (("as it is",), ("solvable",), ("missable ropewalk_spyglass", "empty_area pier")),
        )
        listing = Listing("variants", ("variant", "verdict", "gone against it"), cells)
        words = {w for row in cells for cell in row for text in cell for w in text.split()}
        for width in range(40, 130, 3):
            out = io.StringIO()
            write_tables([listing], Console(file=out, width=width))
            with self.subTest(width=width):
                self.assertEqual(words - set(out.getvalue().replace(",", " ").split()), set())
                self.assertLessEqual(max(map(len, out.getvalue().splitlines())), width)


class Parts(unittest.TestCase):
    def test_values_are_ranges_or_lists_whose_commas_stand_outside_of_brackets(self):
        span = asked_span("--vary", "x")
        for text, values in {
            "1..4": ["1", "2", "3", "4"],
            "-1..1": ["-1", "0", "1"],
            "a, b ,a": ["a", "b"],
            "[a, b],{c: 1, d: 2}": ["[a, b]", "{c: 1, d: 2}"],
            '"x, y",z': ['"x, y"', "z"],
            "any of (a, b)": ["any of (a, b)"],
        }.items():
            with self.subTest(text):
                self.assertEqual(values_of(text, span), values)
        for text in ("", "a,,b", "[a", "'a", "5..1", "0..5000"):
            with self.subTest(text), self.assertRaises(InvalidInput):
                values_of(text, span)

    def test_files_are_named_from_the_folder_that_they_share(self):
        here = told_apart({"/a/b/w.yaml": "1", "/a/b/parts/x.csv": "2"})
        self.assertEqual(here, told_apart({"/c/w.yaml": "1", "/c/parts/x.csv": "2"}))
        self.assertNotEqual(here, told_apart({"/c/w.yaml": "1", "/c/other/x.csv": "2"}))


class Large(ProgramTest):
    def test_a_sample_is_drawn_without_writing_all_variants_down(self):
        self.write("w.yaml", WORLD)
        texts = Texts(read_whole(str(self.folder / "w.yaml")))
        vary = tuple(f"shops.stall.sells.{i}=0..999" for i in ("wick", "rope"))
        asked = AskedVariants((*vary, "items.coin.max=1..999", "items.crowbar.uses=1..999"))
        chosen = variants_of(texts, asked, False, 7, 1)
        self.assertEqual((len(chosen.variants), chosen.out_of), (8, 1000 * 1000 * 999 * 999))
        with self.assertRaises(InvalidInput):
            variants_of(texts, asked, False, None, 1)


if __name__ == "__main__":
    unittest.main()
