"""What commands write, and where: nothing of the author's is lost, whatever the output leads to."""

import json
import os
import stat
import subprocess
import sys
import threading
import unittest
import xml.etree.ElementTree as ElementTree

from tests.program import DEMO, PATIENCE, ProgramTest
from tests.seeds import LONG
from zubrel.base.plain import plain, readable

WORLD = """\
zubrel: 1
title: A key in the sea
start: {at: quay}
items: {key: Brass key}
areas:
  quay: {finds: [key], ways: [pier, {to: tower, lock: door}]}
  pier: {deeds: {toss: {name: Throw the key into the sea, takes: key}}}
  tower: {}
locks: {door: {needs: key}}
endings: {top: {name: Top of the tower, when: at tower}}
"""
WRITING = {
    "check": ["check", "w.yaml", "-o"],
    "json": ["check", "w.yaml", "--format", "json", "-o"],
    "list": ["list", "w.yaml", "-o"],
    "route": ["route", "w.yaml", "-o"],
    "probe": ["probe", "w.yaml", "door", "-o"],
    "compare": ["compare", "w.yaml", "w.yaml", "-o"],
    "rehearse": ["rehearse", "w.yaml", "walk.txt", "-o"],
    "record": ["rehearse", "w.yaml", "walk.txt", "--record", "-o"],
    "several": ["check", "w.yaml", "part.yaml", "--jobs", "2", "-o"],
}
STEERING = "\x1b[2J\x07\u202eevil\u2066"


class AuthorsFiles(ProgramTest):
    """No command writes over what it has read, by whatever name that is called."""

    def setUp(self):
        super().setUp()
        items = "items: {key: Brass key}\n"
        self.write("w.yaml", "include: [part.yaml, items.csv]\n" + WORLD.replace(items, ""))
        self.write("part.yaml", "facts: {lit: false}\n")
        self.write("items.csv", "id,name\nkey,Brass key\n")
        self.write("walk.txt", "quay_key\n")
        os.symlink("w.yaml", self.folder / "soft.yaml")
        os.link(self.folder / "w.yaml", self.folder / "hard.yaml")
        os.mkdir(self.folder / "sub")
        self.before = self.contents()

    def contents(self):
        files = (p for p in self.folder.rglob("*") if p.is_file())
        return {p.name: p.read_bytes() for p in files}

    def test_no_command_writes_over_what_it_has_read(self):
        names = (
            "w.yaml",
            "./w.yaml",
            "sub/../w.yaml",
            "soft.yaml",
            "hard.yaml",
            "part.yaml",
            "items.csv",
            str(self.folder / "w.yaml"),
        )
        for number, (command, arguments) in enumerate(WRITING.items()):
            for name in (names[(3 * number + 1) % len(names)],):
                if "items.csv" not in name or command != "several":
                    with self.subTest(command=command, output=name):
                        done = self.zubrel(*arguments, name, code=2)
                        self.assertIn("never written over", done.stderr)
                        self.assertEqual(self.contents(), self.before)
        done = self.zubrel("rehearse", "w.yaml", "walk.txt", "-o", "walk.txt", code=2)
        self.assertEqual(self.contents(), self.before)
        os.symlink("w.yaml", self.folder / "page.html")
        self.zubrel("report", "w.yaml", "-o", "page.html", code=2)
        os.symlink("w.yaml", self.folder / "map.svg")
        self.zubrel("draw", "w.yaml", "map", "-o", "map.svg", code=2)
        self.zubrel("tables", "--from", ".", "-o", "x.yaml", code=2)
        (self.folder / "world.yaml").write_bytes(self.before["w.yaml"])
        self.zubrel("tables", "--from", ".", "-o", "items.csv", "--force", code=2)
        self.zubrel("tables", "w.yaml", "--to", ".", "--force", code=2)
        self.assertEqual(self.before.items() - self.contents().items(), set())

    def test_play_never_saves_over_a_file_without_being_told_to(self):
        typed = (
            "1\nsave w.yaml\nsave part.yaml\nsave new.txt\nsave new.txt\nsave \0x\nsave no/dir\n"
        )
        done = subprocess.run(
            [sys.executable, "-m", "zubrel", "play", "w.yaml"],
            cwd=self.folder,
            input=typed,
            text=True,
            capture_output=True,
            timeout=PATIENCE,
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(done.stdout.count("is already there: nothing is written"), 3)
        self.assertEqual(self.contents(), {**self.before, "new.txt": b"quay_to_pier\n"})


class Targets(ProgramTest):
    """Files are written whole or not at all; links, devices and pipes stay what they are."""

    def setUp(self):
        super().setUp()
        self.write("w.yaml", WORLD)

    def test_a_link_is_written_through_and_modes_are_kept(self):
        self.write("out.txt", "old")
        os.chmod(self.folder / "out.txt", 0o600)
        os.symlink("out.txt", self.folder / "link.txt")
        self.zubrel("list", "w.yaml", "-o", "link.txt", code=0)
        self.assertTrue((self.folder / "link.txt").is_symlink())
        self.assertIn("Brass key", (self.folder / "out.txt").read_text())
        self.assertEqual(stat.S_IMODE((self.folder / "out.txt").stat().st_mode), 0o600)

    def test_devices_and_pipes_are_written_into(self):
        self.zubrel("list", "w.yaml", "-o", "/dev/null", code=0)
        self.assertTrue(stat.S_ISCHR(os.stat("/dev/null").st_mode))
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        heard = []
        listener = threading.Thread(target=lambda: heard.append(pipe.read_text()))
        listener.start()
        self.zubrel("list", "w.yaml", "-o", "pipe", code=0)
        listener.join(30)
        self.assertIn("Brass key", heard[0])
        self.assertTrue(stat.S_ISFIFO(pipe.stat().st_mode))

    @unittest.skipUnless(os.path.exists("/dev/full"), "needs a device that is always full")
    def test_a_full_disk_leaves_nothing_half_written(self):
        done = self.zubrel("list", "w.yaml", "-o", "/dev/full", code=74)
        self.assertIn("cannot be written", done.stderr)
        code = (
            "import sys, errno\nfrom zubrel.shell import streams\n"
            "kept, count = streams._written_beside, []\n"
            "def failing(*a):\n"
            "    count.append(1)\n"
            "    if len(count) == 3: raise OSError(errno.ENOSPC, 'No space left on device')\n"
            "    return kept(*a)\n"
            "streams._written_beside = failing\n"
            "sys.argv = ['zubrel', 'tables', 'w.yaml', '--to', 'tables']\n"
            "from zubrel.shell.main import run\nrun()\n"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, text=True, capture_output=True
        )
        self.assertEqual(done.returncode, 74, done.stderr)
        self.assertEqual(sorted(os.listdir(self.folder)), ["tables", "w.yaml"])
        self.assertEqual(os.listdir(self.folder / "tables"), [])

    def test_standard_output_that_is_full_or_closed_is_told_in_one_line(self):
        every = (
            ["check", "w.yaml"],
            ["schema"],
            ["check", "w.yaml", "--format", "json"],
            ["list", "w.yaml"],
            ["new", "new.yaml"],
        )
        for command in every if LONG else every[:2]:
            for redirection in (">/dev/full", ">&-"):
                if redirection == ">/dev/full" and not os.path.exists("/dev/full"):
                    continue
                with self.subTest(command=command, output=redirection):
                    line = f"{sys.executable} -m zubrel {' '.join(command)} --force {redirection}"
                    line = line if command[0] == "new" else line.replace(" --force", "")
                    done = subprocess.run(
                        ["sh", "-c", line], cwd=self.folder, text=True, capture_output=True
                    )
                    self.assertEqual(done.returncode, 74, done.stderr)
                    self.assertEqual(len(done.stderr.splitlines()), 1, done.stderr)

    def test_demo_overwrites_nothing_without_being_forced(self):
        (self.folder / "d").mkdir()
        self.write("d/draft-map.png", "mine")
        self.zubrel("demo", "d", code=2)
        self.assertEqual(os.listdir(self.folder / "d"), ["draft-map.png"])

    def test_a_page_is_html_and_growth_without_numbers_is_no_picture(self):
        self.assertIn(".html", self.zubrel("report", "w.yaml", "-o", "page.pdf", code=2).stderr)
        self.assertFalse((self.folder / "page.pdf").exists())


class Encodings(ProgramTest):
    def test_encodings_that_lack_our_signs_get_other_letters_and_data_stays_whole(self):
        self.write("w.yaml", WORLD.replace("Brass key", "Brass key → ü 鍵"))
        for encoding in ("ascii", "cp1252") if LONG else ("ascii",):
            env = {"PYTHONIOENCODING": encoding, "PYTHONUTF8": "0"}
            for arguments in (
                ["check", "w.yaml"],
                ["list", "w.yaml"],
                ["play", "w.yaml"],
                ["probe", "w.yaml", "door"],
            ):
                with self.subTest(encoding=encoding, command=arguments[0]):
                    done = subprocess.run(
                        [sys.executable, "-m", "zubrel", *arguments],
                        cwd=self.folder,
                        input=b"",
                        capture_output=True,
                        env={**os.environ, **env},
                    )
                    self.assertIn(done.returncode, (0, 1), done.stderr)
                    self.assertIn(b"key ->", done.stdout)
            done = subprocess.run(
                [sys.executable, "-m", "zubrel", "list", "w.yaml", "--format", "json"],
                cwd=self.folder,
                capture_output=True,
                env={**os.environ, **env},
            )
            name = json.loads(done.stdout.decode("utf-8"))["items"][0]["name"]
            self.assertEqual(name, ["Brass key → ü 鍵"])

    def test_names_of_files_need_be_no_text(self):
        name = b"w\xff.yaml"
        with open(os.path.join(os.fsencode(self.folder), name), "wb") as file:
            file.write(WORLD.encode())
        every = (
            [],
            ["--format", "sarif"],
            ["-o", "out.txt"],
            ["--format", "json"],
            ["--format", "junit"],
            ["--format", "markdown"],
        )
        for arguments in every if LONG else every[:3]:
            done = subprocess.run(
                [sys.executable, "-m", "zubrel", "check", name, *arguments],
                cwd=self.folder,
                capture_output=True,
            )
            self.assertEqual(done.returncode, 1, done.stderr)

    def test_widths_that_are_none_are_passed_over(self):
        self.write("w.yaml", WORLD)
        for columns in ("0", "-5", "x", "1", "99999999999"):
            with self.subTest(columns):
                done = self.zubrel("check", "w.yaml", code=1, env={"COLUMNS": columns})
                self.assertIn("SOFTLOCKS", done.stdout)

    def test_lines_for_a_pipe_have_no_blanks_at_their_end(self):
        self.write("w.yaml", WORLD)
        runs = [[command, "w.yaml"] for command in ("check", "list", "route")]
        runs += [["probe", "w.yaml", "door"], ["compare", "w.yaml", "w.yaml"]]
        for arguments in runs:
            lines = self.zubrel(*arguments).stdout.splitlines()
            self.assertGreater(len(lines), 2)
            self.assertEqual([line for line in lines if line != line.rstrip()], [])

    def test_nothing_in_a_world_steers_a_terminal_or_breaks_a_file(self):
        written = json.dumps(STEERING)
        world = WORLD.replace("A key in the sea", written).replace("Brass key", written)
        world = world.replace("Throw the key into the sea", written)
        world = world.replace("quay: {", f"quay: {{says: {written}, name: {written}, ")
        self.write("w.yaml", world)
        self.write("bad.yaml", world.replace("takes: key", f"{written}: key"))
        walk = self.write("walk.txt", "quay_key\nexpect says \x1b[2J\n")
        runs = [
            ["check", "w.yaml"],
            ["check", "w.yaml", "--format", "junit"],
            ["list", "w.yaml"],
            ["check", "w.yaml", "--format", "markdown"],
            ["route", "w.yaml"],
            ["play", "w.yaml"],
            ["probe", "w.yaml", "door"],
            ["compare", "w.yaml", "w.yaml"],
            ["check", "bad.yaml"],
            ["rehearse", "w.yaml", walk],
            ["check", "\x1b[2J.yaml"],
            ["\x1b[2J"],
            ["check", "w.yaml", "--engine", "\x1b[2J"],
        ]
        for arguments in runs:
            with self.subTest(arguments):
                done = self.zubrel(*arguments, typed="1\n\x1b[2J\n")
                shown = done.stdout + done.stderr
                self.assertEqual([c for c in "\x1b\x07\u202e\u2066" if c in shown], [])
        junit = self.zubrel("check", "w.yaml", "--format", "junit").stdout
        self.assertGreater(len(list(ElementTree.fromstring(junit).iter("testcase"))), 1)
        for picture in ("map", "windows"):
            self.zubrel("draw", "w.yaml", picture, "-o", f"{picture}.svg", code=0)
            ElementTree.parse(self.folder / f"{picture}.svg")

    def test_what_is_shown_is_plain(self):
        self.assertEqual(plain("a\tb\n\x1b[2J\x85\u202e"), "a\tb\n␛[2J��")
        self.assertEqual(readable("“→鍵…"), '"->?...')


class Colours(ProgramTest):
    def test_play_has_no_colours_where_they_are_not_wanted(self):
        self.write("w.yaml", WORLD)
        for env in ({"NO_COLOR": "1"}, {"TERM": "dumb"}):
            command = f"{sys.executable} -m zubrel play w.yaml"
            done = subprocess.run(
                ["script", "-qec", command, "/dev/null"],
                cwd=self.folder,
                input="q\n",
                text=True,
                capture_output=True,
                env={**os.environ, "TERM": "xterm", **env},
            )
            self.assertIn("A key in the sea", done.stdout)
            self.assertNotIn("\x1b[1m", done.stdout)


class Demo(unittest.TestCase):
    def test_the_demo_worlds_are_plain_text(self):
        for path in DEMO.glob("*.yaml"):
            text = path.read_text(encoding="utf-8")
            self.assertEqual(plain(text), text)


if __name__ == "__main__":
    unittest.main()
