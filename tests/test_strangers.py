"""Worlds, tables and revisions as strangers make them: refused in time, and with a way out."""

import csv
import io
import json
import os
import random
import subprocess
import unittest
import unittest.mock

from tests.program import ProgramTest
from tests.test_errors import problems_of
from tests.test_outputs import WORLD
from zubrel.authored.grammar import from_grammar, parser, prepared_tables
from zubrel.authored.tables import guarded, unguarded

HEAD = "zubrel: 1\nstart: {at: quay}\n"
AREAS = "areas: {quay: {ways: [pier]}, pier: {}}\n"
END = "endings: {home: {when: at pier}}\n"


def needing(condition, more=""):
    way = f"areas: {{quay: {{ways: [{{to: pier, needs: {condition}}}]}}, pier: {{}}}}\n"
    return HEAD + more + way + END


HOUR = "facts: {hour: {values: [day, night]}}\n"
HELP = {
    needing("hour is night", HOUR): 'Write "hour = night"',
    needing("hour is not night", HOUR): 'Write "hour != night"',
    needing("gate is open", "facts: {gate: {values: [shut, open]}}\n"): 'Write "gate = open"',
    needing("a andd b", "items: {a: A, b: B}\n"): 'Did you mean "and"?',
    needing('"any off (a, b)"', "items: {a: A, b: B}\n"): 'Did you mean "of"?',
    HEAD + "deeds: {cry: {name: [Oh, Ah]}}\n" + AREAS + END: "Write one text",
    HEAD + "items: {bag: {drop: anywhere}}\n" + AREAS + END: "Write: drop: true",
    HEAD + "meters: {m: {from: 5, to: 1}}\n" + AREAS + END: "Write: from: 1, to: 5",
    HEAD + "\tmeters: {}\n" + AREAS + END: "Indent with blanks",
    HEAD + "areas: {quay: {ways: [pier, quay]}, pier: {}}\n" + END: "is a deed",
    HEAD + "areas: {quay: {deeds: {dig: {gives: [salt, 2 clay]}}, ways: [pier]}, pier: {}}\n"
    "items: {salt: {max: 3}, clay: Wet clay}\n" + END: "clay: {name: Wet clay, max: 9}",
    "zubrel: 1\n" + AREAS + END: "Add a line: start: {at: quay}",
}


class Errors(ProgramTest):
    def test_each_fault_has_one_way_out_and_its_place(self):
        for world, way_out in HELP.items():
            with self.subTest(way_out):
                (problem,) = problems_of(world)
                self.assertIn(way_out, problem.hint or "")
                self.assertIsNotNone(problem.span)

    def test_a_fact_may_have_words_of_the_grammar_as_values(self):
        for value in ("open", "and", "in", "not", "here", "lies"):
            facts = f"facts: {{gate: {{values: [no_value, {value}]}}}}\n"
            world = needing(f"gate = {value} and not gate != {value}", facts)
            self.assertEqual(problems_of(world), ())
        facts = "facts: {gate: {values: [a, open]}, b: true}\n"
        self.assertEqual(problems_of(needing("gate = open or b", facts)), ())

    def test_a_misspelt_tool_is_not_told_as_gain_without_end_too(self):
        deed = "cut: {wears: knive, gives: wood}"
        areas = (
            f"areas: {{quay: {{finds: [knife], deeds: {{{deed}}}, ways: [pier]}}, pier: {{}}}}\n"
        )
        world = HEAD + "items: {knife: {uses: 3}, wood: Wood}\n" + areas + END
        (problem,) = problems_of(world)
        self.assertIn("knive", problem.message)

    def test_under_notes_anything_may_stand(self):
        notes = "notes: {a: [1, {b: c}], d: }\n"
        world = HEAD + notes + AREAS.replace("quay: {", "quay: {notes: [x, {y: z}], ") + END
        self.assertEqual(problems_of(world), ())

    def test_faults_that_are_alike_are_counted(self):
        deeds = "".join(f"  d{n}: {{needs: lantren}}\n" for n in range(5000))
        self.write("w.yaml", HEAD + "items: {lantern: Lantern}\ndeeds:\n" + deeds + AREAS + END)
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertEqual(error.count("lantren}"), 3)
        self.assertIn("and 4,997 more like this", error)
        self.assertIn("5000 problems, of which 3 are shown", error)

    def test_rules_that_multiply_are_refused_with_their_place(self):
        either = ", ".join(["{sets: {lit: true}}"] * 600)
        deeds = f"deeds:\n  d0: &d {{either: [{either}]}}\n"
        deeds += "".join(f"  d{n}: *d\n" for n in range(1, 150))
        self.write("w.yaml", HEAD + "facts: {lit: false}\n" + deeds + AREAS + END)
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("w.yaml:38:3", error)
        self.assertIn("more than 20,000 rules", error)

    def test_words_agree_with_numbers_and_letters(self):
        self.assertIn("not an area", problems_of(needing("at x", "locks: {x: {}}\n"))[0].message)
        self.write("w.yaml", WORLD.replace("at tower", "at quay"))
        shown = self.zubrel("check", "w.yaml").stdout
        self.assertIn("1 situation ", shown)
        self.write("w.yaml", WORLD)
        played = self.zubrel("play", "w.yaml", typed="quay_key\ndoor\nhint\n").stdout
        self.assertIn("(quay_to_tower): that wins.", played)

    def test_a_misspelt_command_or_expectation_gets_the_nearest(self):
        self.write("w.yaml", WORLD)
        self.assertIn('Did you mean "check"?', self.zubrel("chekc", "w.yaml", code=2).stderr)
        self.write("walk.txt", "quay_key\nexpect dead\n")
        self.assertIn("doomed", self.zubrel("rehearse", "w.yaml", "walk.txt", code=2).stderr)

    def test_a_control_character_is_told_at_its_place(self):
        self.write("w.yaml", HEAD + "title: a\x01b\n" + AREAS + END)
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn("w.yaml:3:9", error)
        self.assertIn("U+0001", error)

    def test_pairs_of_escapes_in_json_are_one_character(self):
        world = {
            "zubrel": 1,
            "title": "\U0001f5dd",
            "start": {"at": "quay"},
            "areas": {"quay": {}},
            "endings": {"home": {"when": "at quay"}},
        }
        self.write("w.json", json.dumps(world))
        found = json.loads(self.zubrel("check", "w.json", "--format", "json", code=0).stdout)
        self.assertEqual(found["title"], "\U0001f5dd")


class Grammar(unittest.TestCase):
    def test_the_prepared_tables_read_what_the_grammar_says(self):
        fresh, prepared = from_grammar(), parser()
        texts = ["a", "not (a or 3 b) and at quay", "x is not in chest", "2 of (a, b and c, d)"]
        texts += ["gate = open or lamp != true", "coin >= 5", "q is done", "k lies at quay"]
        for text in texts:
            with self.subTest(text):
                self.assertEqual(prepared.parse(text), fresh.parse(text))
        stored = json.loads(prepared_tables())
        self.assertIsNot(fresh, prepared)
        self.assertEqual(set(stored), {"lark", "data", "memo"})

    def test_nothing_is_read_from_or_left_in_the_users_cache(self):
        with (
            unittest.mock.patch("pickle.load", side_effect=AssertionError),
            unittest.mock.patch("pickle.loads", side_effect=AssertionError),
        ):
            parser.cache_clear()
            self.assertEqual(problems_of(needing("a and not b", "items: {a: A, b: B}\n")), ())


class Includes(ProgramTest):
    def test_only_parts_of_the_authors_own_worlds_are_included(self):
        (self.folder / "world").mkdir()
        self.write("secret.yaml", "password: 12345\n")
        os.symlink("../secret.yaml", self.folder / "world" / "link.yaml")
        os.mkfifo(self.folder / "world" / "pipe.yaml")
        (self.folder / "world" / "notes.txt").write_text("password: 12345\n")
        for name in (
            "/etc/passwd",
            "../secret.yaml",
            "link.yaml",
            "notes.txt",
            "pipe.yaml",
            "/etc/hosts.yaml",
            '"a\\0b.yaml"',
            ".",
        ):
            with self.subTest(name):
                self.write("world/w.yaml", f"include: {name}\n" + HEAD + AREAS + END)
                error = self.zubrel("check", "world/w.yaml", code=2).stderr
                self.assertIn("w.yaml:1:10", error)
                for secret in ("12345", "root:"):
                    self.assertNotIn(secret, error)
        (self.folder / ".git").mkdir()  # now both lie in one repository
        self.write("secret.yaml", "facts: {lit: false}\n")
        self.write("world/w.yaml", "include: ../secret.yaml\n" + HEAD + AREAS + END)
        self.zubrel("check", "world/w.yaml", code=0)

    def test_long_chains_and_many_files_are_refused(self):
        for n in range(60):
            self.write(f"c{n}.yaml", f"include: c{n + 1}.yaml\n")
        self.write("c60.yaml", "facts: {lit: false}\n")
        self.write("w.yaml", "include: c0.yaml\n" + HEAD + AREAS + END)
        self.assertIn("a chain of more than 50", self.zubrel("check", "w.yaml", code=2).stderr)
        names = ", ".join(f"m{n}.yaml" for n in range(1002))
        for n in range(1002):
            self.write(f"m{n}.yaml", "notes: x\n")
        self.write("w.yaml", f"include: [{names}]\n" + HEAD + AREAS + END)
        self.assertIn("at most 1,000 files", self.zubrel("check", "w.yaml", code=2).stderr)


class Tables(ProgramTest):
    def table(self, text):
        self.write("items.csv", text)
        self.write("w.yaml", "include: items.csv\n" + HEAD + AREAS + END)
        return self.zubrel("check", "w.yaml", code=2).stderr

    def test_headers_that_are_none_are_told(self):
        self.assertIn("separated by semicolons", self.table("id;name\nkey;Key\n"))
        self.assertIn('Write "id", in small letters', self.table("ID,Name\nkey,Key\n"))
        error = self.table("id,name,name\nkey,Key,Kee\n")
        self.assertIn("items.csv:1:9", error)
        self.assertIn("given twice", error)

    def test_a_key_twice_in_one_cell_is_told(self):
        self.write("deeds.csv", "id,sets\nring,lit=true; lit=false\n")
        self.write("w.yaml", "include: deeds.csv\nfacts: {lit: false}\n" + HEAD + AREAS + END)
        error = self.zubrel("check", "w.yaml", code=2).stderr
        self.assertIn('"lit" is given twice in this cell', error)

    def test_names_come_back_exactly_whatever_stands_in_them(self):
        r = random.Random(3)
        pieces = [
            "=1+1",
            "@x",
            "+a",
            "-b",
            "'q",
            "\u2028",
            "\u2029",
            "\x85",
            "\x1c",
            "\x1e",
            "a",
            '"',
            ";",
            ",",
            "''=",
            "\u202e",
            "long " * 9000,
        ]
        names = ["".join(r.choices(pieces, k=r.randint(1, 3))) for _ in range(40)]
        items = {f"i{n}": {"name": name} for n, name in enumerate(names)}
        world = {
            "zubrel": 1,
            "start": {"at": "quay"},
            "items": items,
            "areas": {"quay": {}},
            "endings": {"home": {"when": "at quay"}},
        }
        self.write("w.json", json.dumps(world))
        self.zubrel("tables", "w.json", "--to", "t", code=0)
        self.zubrel("tables", "--from", "t", "-o", "back.yaml", code=0)
        lists = [
            self.zubrel("list", name, "items", "--format", "json", code=0).stdout
            for name in ("w.json", "back.yaml")
        ]
        self.assertEqual(lists[0], lists[1])

    def test_no_cell_is_a_formula(self):
        texts = ["=HYPERLINK(1)", "+1", "@a", "-x", "'", "'=a", "plain", "-5", "''+", ""]
        self.assertEqual([unguarded(guarded(text)) for text in texts], texts)
        self.write("w.yaml", WORLD.replace("Brass key", "=HYPERLINK(1)"))
        self.zubrel("tables", "w.yaml", "--to", "t", code=0)
        text = (self.folder / "t" / "items.csv").read_text(encoding="utf-8-sig")
        listed = self.zubrel("list", "w.yaml", "items", "--format", "csv", code=0).stdout
        for table in (text, listed):
            cells = [cell for row in csv.reader(io.StringIO(table)) for cell in row]
            self.assertEqual([c for c in cells if c.startswith("=")], [])
            self.assertIn("'=HYPERLINK(1)", cells)


class Revisions(ProgramTest):
    def setUp(self):
        super().setUp()
        for command in (
            ["init", "-q"],
            ["config", "user.email", "a@example.org"],
            ["config", "user.name", "A"],
        ):
            subprocess.run(["git", *command], cwd=self.folder, check=True)
        items = "items: {key: Brass key}\n"
        self.write("w.yaml", "include: parts/items.yaml\n" + WORLD.replace(items, ""))
        (self.folder / "parts").mkdir()
        self.write("parts/items.yaml", items)
        os.symlink("../outside.yaml", self.folder / "parts" / "away.yaml")
        os.symlink("w.yaml", self.folder / "alias.yaml")
        self.write("bad.yaml", "zubrel: 1\nnonsense: 1\n")
        subprocess.run("git add -A && git commit -qm a", cwd=self.folder, check=True, shell=True)

    def test_a_revision_is_read_from_the_repository_alone(self):
        self.write("parts/items.yaml", "items: {key: Brass key}\nfacts: {lit: false}\n")
        done = self.zubrel("compare", "HEAD:w.yaml", "w.yaml", code=0)
        self.assertIn("as before", done.stdout)
        self.zubrel("compare", "HEAD:alias.yaml", "w.yaml", code=0)
        self.zubrel("compare", "HEAD:./w.yaml", "w.yaml", code=0)
        outside = self.folder / "w.yaml"
        names = [f"HEAD:{outside}", "HEAD:../w.yaml", "HEAD:parts/away.yaml", "HEAD:parts"]
        names += ["nope:w.yaml", "HEAD:none.yaml", "--help:w.yaml", "HEAD:a\x1b[2Jb"]
        for name in names:
            with self.subTest(name):
                done = self.zubrel("compare", "--", name, "w.yaml", code=2)
                self.assertNotIn("\x1b", done.stderr)

    def test_faults_name_the_revision(self):
        error = self.zubrel("compare", "HEAD:bad.yaml", "w.yaml", code=2).stderr
        self.assertIn("HEAD:bad.yaml:2:1", error)

    def test_markdown_of_a_comparison_is_no_markup_of_the_world(self):
        self.write(
            "n.yaml",
            WORLD.replace("A key in the sea", "<b>*x*").replace(
                "Throw the key into the sea", "a | <img src=x> `b`"
            ),
        )
        text = self.zubrel("compare", "w.yaml", "n.yaml", "--format", "markdown").stdout
        self.assertNotIn("<b>", text)
        self.assertNotIn("<img", text)
        self.assertIn("\\*x\\*", text)


if __name__ == "__main__":
    unittest.main()
