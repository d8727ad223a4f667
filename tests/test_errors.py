"""What is wrong with a file is told at once, with place and way out, and exit code 2."""

import os
import re
import time
import unittest

from tests.program import DEMO, ProgramTest
from zubrel.authored.document import document_of
from zubrel.base.codes import CODES
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.source import Source
from zubrel.checked.check import check


def problems_of(text):
    """The problems of a world's text, or an empty tuple."""
    try:
        check(document_of(Source.of("w.yaml", text), text))
    except InvalidInput as invalid:
        return invalid.diagnostics
    return ()


class Registry(unittest.TestCase):
    def test_every_code_has_an_example_that_produces_it(self):
        for code in CODES.values():
            if code.example is None:
                continue
            with self.subTest(code=code.slug):
                self.assertIn(code.slug, [p.code for p in problems_of(code.example)])

    def test_every_code_in_the_source_is_registered_and_every_registered_one_is_used(self):
        used = set()
        for folder, _, names in os.walk(DEMO.parent):
            for name in names:
                if name.endswith(".py") and name != "codes.py":
                    with open(os.path.join(folder, name), encoding="utf-8") as file:
                        text = file.read()
                    pattern = r'(?:\.add|Diagnostic|_refusal|_stop)\(\s*"([a-z]+(?:-[a-z]+)*)"'
                    used |= set(re.findall(pattern, text))
        self.assertEqual(used, set(CODES))

    def test_every_code_is_documented(self):
        page = (DEMO.parent.parent.parent / "docs" / "errors.md").read_text(encoding="utf-8")
        for code in CODES.values():
            with self.subTest(code=code.slug):
                self.assertIn(f"## {code.slug}\n", page)


class Places(unittest.TestCase):
    WORLD = """\
zubrel: 1
start: {at: quay, holding: 2 coinn}
items: {coin: {kind: mony}}
areas:
  quay:
    finds: [coin]
    ways: [piers, {to: tower, lock: coin}]
    deeds: {ring: {needs: "coin >= 5 and (lamp", tajes: coin}}
  tower: {}
endings: {top: {when: at towr}}
"""

    def test_all_problems_of_a_file_come_at_once_each_at_its_place(self):
        places = [(p.span.line, p.span.column) for p in problems_of(self.WORLD)]
        self.assertEqual(places, [(2, 30), (3, 22), (7, 12), (7, 37), (8, 46), (8, 50), (10, 26)])

    def test_the_nearest_spelling_is_offered(self):
        hints = " ".join(p.hint or "" for p in problems_of(self.WORLD))
        for word in ("coin", "money", "takes", "tower"):
            self.assertIn(f'Did you mean "{word}"?', hints)

    def test_an_id_of_another_kind_leads_to_those_that_are_meant(self):
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {relic: Relic, bell: Bell}\n"
            "areas: {quay: {finds: [relic], ways: [pier]}, pier: {finds: [relic]}}\n"
            "endings: {over: {when: %s}}\n"
        )
        (lying,) = problems_of(text % "at pier and relic is taken")
        self.assertEqual(lying.hint, 'Did you mean "quay_relic" or "pier_relic"?')
        (nowhere,) = problems_of(text % "at pier and bell is taken")
        self.assertEqual(nowhere.hint, "Name a find, or ask something else of it.")
        (held,) = problems_of(text % "at pier and bell is not done")
        self.assertEqual(held.hint, 'Whether it is held is asked by "bell" or "not bell".')
        # a goal to do something asks of no item whether it is held
        (doing,) = problems_of(text % "at pier" + "quests: {ring: {goals: [{do: bell}]}}\n")
        self.assertNotIn("held", doing.hint)

    def test_a_list_where_one_condition_is_asked_for_is_told_as_one(self):
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {lens: Lens}\n"
            "facts: {lit: false, low: false}\nareas: {quay: {finds: [lens]}}\n"
            "whenever: [{id: glow, when: [lens, lit or low], sets: {lit: true}}]\n"
            "endings: {won: {when: lit}}\n"
        )
        # that it is missing as well would not be true
        (problem,) = problems_of(text)
        self.assertEqual(problem.message, "this must be a condition")
        self.assertIn("lens and (lit or low)", problem.hint)
        missing = problems_of(text.replace("when: [lens, lit or low], ", ""))
        self.assertEqual([p.code for p in missing], ["missing"])
        self.assertEqual(problems_of(text.replace("[lens, lit or low]", "lens")), ())

    def test_a_tool_is_lost_by_its_name(self):
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {saw: {uses: 2}}\n"
            "areas: {quay: {finds: [saw], deeds: {drop_it: {loses: all saw}}}}\n"
            "endings: {won: {when: saw}}\n"
        )
        (problem,) = problems_of(text)
        self.assertEqual(problem.hint, "Write: saw")
        self.assertEqual(problems_of(text.replace("all saw", "saw")), ())

    def test_far_words_get_no_guess(self):
        text = self.WORLD.replace("piers", "zzzzzz")
        hints = {p.span.line: p.hint for p in problems_of(text)}
        self.assertNotIn("Did you mean", hints[7] or "")

    def test_a_source_without_end_needs_a_max_and_the_rule_is_named(self):
        text = (
            "zubrel: 1\nstart: {at: a}\nitems: {salt: Salt}\n"
            "areas: {a: {deeds: {dig: {gives: salt}}}}\nendings: {e: {when: 3 salt}}\n"
        )
        (problem,) = problems_of(text)
        self.assertEqual(problem.code, "no-bound")
        self.assertIn('"dig"', problem.message)
        self.assertIn("salt: {name: Salt, max: 9}", problem.hint)

    def test_luck_that_can_pick_nothing_is_refused_whatever_else_is_told_of_the_world(self):
        for chance in ("[]", "[{odds: 0}]", "[{odds: 0, gives: coin}, {odds: 0, ends: top}]"):
            with self.subTest(chance=chance):
                text = (
                    "zubrel: 1\nstart: {at: a}\nitems: {coin: Coin}\n"
                    f"areas: {{a: {{deeds: {{wade: {{loses: coin, chance: {chance}}}}}}}}}\n"
                    "endings: {top: {when: coin}}\n"
                )
                (problem,) = problems_of(text)
                self.assertEqual((problem.code, problem.span.line), ("bad-value", 4))

    def test_what_never_rests_is_refused_with_the_circle(self):
        self.assertEqual([p.code for p in problems_of(CODES["no-bound"].example)], ["no-bound"])


class Files(ProgramTest):
    def refused(self, name, *words):
        began = time.monotonic()
        done = self.zubrel("check", name, code=2)
        self.assertLess(time.monotonic() - began, 20)
        self.assertEqual(done.stdout, "")
        for word in words:
            self.assertIn(word, done.stderr)
        return done.stderr

    def test_what_is_no_world_file_gets_one_clear_line(self):
        self.write("binary.yaml", bytes(range(256)))
        self.write("latin.yaml", "title: Säge\n".encode("latin-1"))
        self.write("empty.yaml", "")
        (self.folder / "folder.yaml").mkdir()
        for name, words in {
            "binary.yaml": "not a text file",
            "latin.yaml": "latin.yaml:1:9",
            "missing.yaml": "no",
            "folder.yaml": "folder",
            "empty.yaml": "nothing here",
        }.items():
            with self.subTest(name=name):
                self.refused(name, words)

    def test_deep_nesting_and_alias_bombs_are_refused_in_seconds(self):
        self.write("deep.yaml", "a: " + "[" * 10_000 + "]" * 10_000)
        self.refused("deep.yaml", "nested deeper")
        bomb = "a0: &a0 [x, x, x, x, x, x, x, x, x]\n" + "".join(
            f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 9)}]\n" for n in range(1, 12)
        )
        self.write("bomb.yaml", bomb)
        self.refused("bomb.yaml", "unfolds")
        self.write("brackets.yaml", "zubrel: 1\nendings: {e: {when: '" + "(" * 5000 + "'}}\n")
        self.refused("brackets.yaml", "nested deeper")

    def test_plain_words_stay_words(self):
        world = (
            "zubrel: 1\nstart: {at: no_mans_land}\nareas: {no_mans_land: {says: yes}}\n"
            "facts: {light: {values: [on, off]}}\nendings: {e: {when: light = on}}\n"
        )
        self.write("w.yaml", world)
        self.zubrel("check", "w.yaml", code=0)

    def test_a_problem_shows_the_line_and_a_caret_under_the_fault(self):
        self.write("w.yaml", Places.WORLD)
        lines = self.refused("w.yaml", "7 problems").splitlines()
        at = next(n for n, line in enumerate(lines) if "w.yaml:10:26" in line)
        self.assertEqual(lines[at + 1].strip(), "endings: {top: {when: at towr}}")
        self.assertEqual(lines[at + 2].index("^") - lines[at + 1].index("e"), 25)

    def test_endless_settling_is_refused_with_the_moves_and_the_circle(self):
        world = """\
zubrel: 1
start: {at: quay}
areas: {quay: {ways: [pier]}, pier: {}}
facts: {lit: false}
whenever:
  - {id: flare, when: at pier and not lit, sets: {lit: true}}
  - {id: gust, when: lit, sets: {lit: false}}
endings: {e: {when: lit}}
"""
        self.write("w.yaml", world)
        error = self.refused("w.yaml", "w.yaml:6:", "flare", "gust")
        self.assertIn("Go to Pier", error)

    def test_wrong_usage_is_exit_code_2(self):
        self.write("w.yaml", "zubrel: 1")
        for arguments in (
            ["chek"],
            ["check"],
            ["check", "w.yaml", "--max-memory", "lots"],
            ["check", "w.yaml", "--max-seconds", "-1"],
            ["list", "w.yaml", "dragons"],
            ["route", "w.yaml", "--to", "at ("],
        ):
            with self.subTest(arguments=arguments):
                self.assertNotEqual(self.zubrel(*arguments, code=2).stderr, "")


if __name__ == "__main__":
    unittest.main()
