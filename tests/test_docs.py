"""The documentation tells the truth: its examples run, its lists are complete."""

import contextlib
import io
import re
import tempfile
import unittest
from pathlib import Path

import yaml

import zubrel
from tests.program import ProgramTest
from zubrel.authored.document import document_of
from zubrel.authored.fields import BODY, EFFECTS
from zubrel.authored.shapes import SECTIONS
from zubrel.base.kinds import KINDS
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.pipeline import report

DOCS = Path(__file__).parent.parent / "docs"


def blocks(page):
    text = (DOCS / page).read_text(encoding="utf-8")
    return re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)


def merged(base, extra):
    """`extra` laid over `base`, mappings key by key, lists one after the other."""
    if isinstance(base, dict) and isinstance(extra, dict):
        return base | {k: merged(base[k], v) if k in base else v for k, v in extra.items()}
    return base + extra if isinstance(base, list) and isinstance(extra, list) else extra


class Language(unittest.TestCase):
    def test_every_example_of_the_language_reference_is_a_valid_world(self):
        base, *examples = [yaml.safe_load(b) for b in blocks("language.md")]
        self.assertGreater(len(examples), 12)
        for example in [{}, *examples]:
            text = yaml.safe_dump(merged(base, example), sort_keys=False)
            with self.subTest(example=example):
                check(document_of(Source.of("language.md", text), text))

    def test_every_field_of_the_language_is_explained(self):
        text = (DOCS / "language.md").read_text(encoding="utf-8")
        for name, section in SECTIONS.items():
            for field in (name, *section.shape.fields):
                if field not in ("amount", *BODY, *EFFECTS):
                    with self.subTest(section=name, field=field):
                        self.assertRegex(text, rf"`?\b{field}\b")
        for field in BODY:
            with self.subTest(field=field):
                self.assertIn(f"`{field}`", text)


class Tutorial(ProgramTest):
    """Every step of the tutorial: its changes fit the file, and the program says what is there."""

    SECONDS = re.compile(r"[0-9.]+ s\)")

    def steps(self):
        text = (DOCS / "tutorial.md").read_text(encoding="utf-8")
        return re.findall(r"```(diff|text)\n(.*?)```\n", text, re.DOTALL)

    def changed(self, text, diff):
        """The text with the lines of a block: those without a sign or with `-` stand in it once."""
        lines = diff.splitlines()
        old = "".join(f"{line[1:]}\n" for line in lines if not line.startswith("+"))
        new = "".join(f"{line[1:]}\n" for line in lines if not line.startswith("-"))
        if not old:
            return text + new
        self.assertEqual(text.count(old), 1, diff)
        return text.replace(old, new)

    def test_every_step_is_as_it_is_told(self):
        text, said, codes = "", 0, []
        self.write("island.yaml", text)
        for kind, block in self.steps():
            if kind == "diff":
                text = self.changed(text, block)
                self.write("island.yaml", text)
                continue
            command, *expected = block.rstrip("\n").split("\n")
            done = self.zubrel(*command.split()[2:], env={"COLUMNS": "100"})
            lines = [line.rstrip() for line in (done.stdout + done.stderr).rstrip().split("\n")]
            with self.subTest(command, step=said):
                shown = [self.SECONDS.sub("0.1 s)", line) for line in lines]
                self.assertEqual(shown, [self.SECONDS.sub("0.1 s)", line) for line in expected])
            said += 1
            codes.append(done.returncode)
        self.assertGreater(said, 9)
        self.assertEqual(codes[-1], 0)
        self.assertIn(2, codes)

    def test_there_are_nine_steps_each_with_its_mend(self):
        text = (DOCS / "tutorial.md").read_text(encoding="utf-8")
        steps = re.split(r"^## \d\. ", text.split("\n## And then")[0], flags=re.MULTILINE)[1:]
        self.assertEqual(len(steps), 9)
        for step in steps:
            with self.subTest(step.splitlines()[0]):
                last_said = step.rindex("$ zubrel") if "SOLVABLE" not in step else 0
                self.assertIn("```diff", step[last_said:])


class Python(unittest.TestCase):
    def test_the_examples_for_python_run(self):
        text = (DOCS / "python.md").read_text(encoding="utf-8")
        readme = (DOCS.parent / "README.md").read_text(encoding="utf-8")
        world = readme.split("```yaml\n")[1].split("```")[0]
        said = io.StringIO()
        with tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
            Path("island.yaml").write_text(world, encoding="utf-8")
            names: dict[str, object] = {}
            with contextlib.redirect_stdout(said):
                for example in re.findall(r"```python\n(.*?)```", text, re.DOTALL):
                    exec(example, names)
        shown = said.getvalue()
        for words in (
            "softlocks 12",
            "error softlock toss island.yaml:11:7",
            "<text>:2:13",
            'Did you mean "quay"?',
            "the limit of 3 situations",
            "3 ['Take Brass key'",
        ):
            self.assertIn(words, shown)

    def test_every_name_that_is_offered_is_told_of(self):
        text = (DOCS / "python.md").read_text(encoding="utf-8")
        for name in zubrel.__all__:
            self.assertIsNotNone(getattr(zubrel, name))
            if name != "__version__":
                self.assertIn(f"`{name}", text)


class Cookbook(unittest.TestCase):
    def worlds(self, word):
        text = (DOCS / "cookbook.md").read_text(encoding="utf-8")
        return re.findall(rf"```yaml {word}(.*?)\n(.*?)```", text, re.DOTALL)

    def report(self, text):
        text = "zubrel: 1\n" + text
        return report(check(document_of(Source.of("cookbook.md", text), text)))

    def test_every_right_world_is_proved_without_an_error(self):
        worlds = self.worlds("right")
        self.assertEqual(len(worlds), 26)
        for _, text in worlds:
            found = self.report(text)
            with self.subTest(world=text):
                self.assertEqual(found.verdict, "solvable")
                self.assertEqual([f.subject for f in found.findings if f.severity == "error"], [])

    def test_every_wrong_world_shows_what_the_book_says(self):
        worlds = self.worlds("wrong")
        self.assertEqual(len(worlds), 26)
        for claim, text in worlds:
            kind, subject = claim.split()
            found = {(f.kind, f.subject) for f in self.report(text).findings}
            with self.subTest(world=text):
                self.assertIn((kind, subject), found)


class Findings(unittest.TestCase):
    def test_the_table_has_every_kind_with_its_severity_and_what_to_do(self):
        text = (DOCS / "findings.md").read_text(encoding="utf-8")
        row = r"^\| \[`(\w+)`\]\(#(\w+)\) \| (\w+) \| (.*?) \| (.*?) \|$"
        expected = [(k.slug, k.slug, k.severity, k.about, k.remedy) for k in KINDS.values()]
        self.assertEqual(re.findall(row, text, re.MULTILINE), expected)

    def test_every_kind_of_finding_is_explained(self):
        text = (DOCS / "findings.md").read_text(encoding="utf-8")
        self.assertEqual(re.findall(r"^## (\w+)$", text, re.MULTILINE), list(KINDS))

    def test_the_examples_of_every_kind_have_it_and_have_it_not(self):
        text = (DOCS / "findings.md").read_text(encoding="utf-8")
        shown = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)
        for kind in KINDS.values():
            examples = [kind.example(right) for right in (False, True)]
            self.assertEqual([shown.pop(0), shown.pop(0)], examples)
            for example, has in zip(examples, (True, False), strict=True):
                found = report(check(document_of(Source.of("example.yaml", example), example)))
                with self.subTest(kind=kind.slug, has=has):
                    self.assertEqual(kind.slug in {f.kind for f in found.findings}, has)


class Readme(ProgramTest):
    def test_the_world_in_the_readme_gives_the_output_in_the_readme(self):
        text = (DOCS.parent / "README.md").read_text(encoding="utf-8")
        (world,) = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)
        self.write("key.yaml", world)
        for command, begin in (
            (("check", "key.yaml"), "A key in the sea"),
            (("why", "key.yaml", "softlock", "toss", "--quiet"), "error  softlock  toss"),
        ):
            shown = re.findall(rf"```\n({begin}.*?)```", text, re.DOTALL)[0]
            told = self.zubrel(*command, env={"COLUMNS": "100"}).stdout
            with self.subTest(command):
                self.assertEqual(plain(told), plain(shown))

    def test_every_picture_is_there_and_linked(self):
        text = (DOCS.parent / "README.md").read_text(encoding="utf-8")
        linked = set(re.findall(r"docs/screenshots/(\w+\.png)", text))
        self.assertEqual(linked, {p.name for p in (DOCS / "screenshots").glob("*.png")})


def plain(text):
    """Without the seconds and without spaces at the ends of lines."""
    text = re.sub(r"[0-9.]+ s\)", "s)", text)
    return [line.rstrip() for line in text.strip().splitlines()]


if __name__ == "__main__":
    unittest.main()
