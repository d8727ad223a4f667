"""Broken worlds, tables and scripts, every command: no traceback, in bounded time and memory.

ZUBREL_BROKEN says how many (`make fuzz-input`: thousands), ZUBREL_FIRST_BROKEN where to begin.
"""

import contextlib
import io
import os
import random
import re
import signal
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests.program import DEMO
from zubrel.base.budget import memory_used
from zubrel.shell.main import _run

COUNT = int(os.environ.get("ZUBREL_BROKEN", "50"))
FIRST = int(os.environ.get("ZUBREL_FIRST_BROKEN", "0"))
SECONDS, MUCH_LATER, MEMORY = 1.0, 20.0, 700 << 20
"""The limit that each run is given, and how much of what it may take at most."""
CODES = {0, 1, 2, 3}
SCRAPS = [
    "[",
    "]",
    "{",
    "}",
    ":",
    "- ",
    "\t",
    "\0",
    "\x1b[2J",
    "\u202e",
    "\ufeff",
    "'",
    '"',
    "*a",
    "&a ",
    "!x ",
    "999999999999999999999",
    "-1",
    "1e9",
    "0x10",
    "null",
    "~",
    "true",
    "[[[[[[[[[[",
    "\n---\n",
    "#",
    "é鍵🗝",
    "all of (",
    "not ",
    " and ",
    "any",
    "3",
    "=",
    ">=",
    "max: 1000000",
    "include: x.yaml\n",
    "uses: 1000000",
    "count: 100000",
    "\r",
    "\x85",
    "zubrel: 2\n",
    "either: [{}, {}]",
    "chance: [{odds: 0}]",
    "chance: []",
    "%TAG ! x\n",
]
SCRIPT = "strand_hut_key\nexpect hut_key\nexpect possible hut_door\nstrand_to_dunes\nexpect live\n"
COMMANDS = [
    ["check", "{w}"],
    ["check", "{w}", "--format", "json"],
    ["check", "{w}", "--format", "sarif"],
    ["check", "{w}", "--format", "junit"],
    ["check", "{w}", "--format", "markdown"],
    ["list", "{w}"],
    ["list", "{w}", "--format", "csv"],
    ["route", "{w}"],
    ["route", "{w}", "--to", "{junk}"],
    ["probe", "{w}", "hut_door"],
    ["probe", "{w}", "{junk}"],
    ["rehearse", "{w}", "{s}"],
    ["rehearse", "{w}", "{s}", "--record"],
    ["compare", "{w}", "{d}"],
    ["report", "{w}", "-o", "out.html"],
    ["draw", "{w}", "map", "-o", "out.svg"],
    ["tables", "{w}", "--to", "out", "--force"],
    ["play", "{w}", "--no-hints"],
    ["check", "{w}", "--engine", "symbolic"],
    ["{junk}", "{w}"],
    ["check", "{w}", "--{junk}"],
]


def broken(r, text):
    """A text with a few lines or pieces cut, doubled, swapped, or put in."""
    for _ in range(r.choice([0, 0, 1, 1, 4])):
        at, long = r.randrange(len(text) + 1), r.choice([1, 3, 12, 60])
        lines = text.split("\n")
        match r.randrange(9):
            case 0:
                text = text[:at] + text[at + long :]
            case 1:
                text = text[:at] + r.choice(SCRAPS) + text[at:]
            case 2:
                text = text[:at] + text[at : at + long] * r.randint(2, 4) + text[at + long :]
            case 3:
                text = text[:at]
            case 4:
                n = r.randrange(len(lines))
                text = "\n".join([*lines[:n], *lines[n + 1 :]])
            case 5:
                n = r.randrange(len(lines))
                text = "\n".join([*lines[:n], r.choice(lines), *lines[n:]])
            case 6:
                words = re.findall(r"[a-z_]{3,}", text)
                old, new = (r.choice(words or ["x"]) for _ in range(2))
                text = re.sub(rf"\b{old}\b", new, text, count=r.choice([0, 1]))
            case 7:
                text = re.sub(r"\b[0-9]+\b", lambda _: r.choice(["0", "1", "7", "1000000"]), text)
            case 8:
                n = r.randrange(len(lines))
                text = "\n".join([*lines[:n], " " * r.randint(1, 9) + lines[n], *lines[n + 1 :]])
        text = text or " "
    return text


def run(arguments):
    """The exit code and all that was said, from within this process."""
    out = io.TextIOWrapper(io.BytesIO(), encoding="utf-8", errors="backslashreplace")
    sys.argv, before, sys.stdin = ["zubrel", *arguments], sys.argv, io.StringIO("1\nwhy 2\n2\nq\n")
    try:
        # this process has worked before, which is not to count
        started = mock.patch("zubrel.shell.options.time.process_time", return_value=0.0)
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out), started:
            code = _run()
    finally:
        sys.argv, sys.stdin = before, sys.__stdin__
    out.flush()
    return code, out.buffer.getvalue().decode("utf-8", "replace")


class BrokenInput(unittest.TestCase):
    def test_whatever_is_given_is_answered(self):
        names = ("starter.yaml", "starter.yaml", "tidewrack.yaml", "draft.yaml")
        worlds = [(DEMO / name).read_text(encoding="utf-8") for name in names]
        codes, home = {}, os.getcwd()
        handler = signal.getsignal(signal.SIGINT)
        self.addCleanup(signal.signal, signal.SIGINT, handler)
        self.addCleanup(os.chdir, home)
        before = memory_used()
        for seed in range(FIRST, FIRST + COUNT):
            r = random.Random(seed)
            with tempfile.TemporaryDirectory() as folder:
                os.chdir(folder)
                names = {"w": "w.yaml", "d": "d.yaml", "s": "s.txt", "junk": r.choice(SCRAPS)}
                Path("w.yaml").write_text(broken(r, r.choice(worlds)), "utf-8", "replace")
                Path("d.yaml").write_text(worlds[0], encoding="utf-8")
                Path("s.txt").write_text(broken(r, SCRIPT), "utf-8", "replace")
                if r.random() < 0.3:
                    table = broken(r, "id,name,kind\nhut_key,A key,\nlore,Lore,knowledge\n")
                    Path("items.csv").write_text(table, "utf-8", "replace")
                    with open("w.yaml", "a", encoding="utf-8") as world:
                        world.write("\ninclude: items.csv\n")
                arguments = [part.format(**names) for part in r.choice(COMMANDS)]
                if arguments[0] not in ("tables", "{junk}") and "\0" not in arguments[0]:
                    arguments += ["--max-seconds", str(SECONDS)]
                began = time.process_time()  # what others do meanwhile is not its fault
                with self.subTest(seed=seed, arguments=arguments):
                    code, said = run(arguments)
                    taken = time.process_time() - began
                    codes[code] = codes.get(code, 0) + 1
                    self.assertIn(code, CODES, said[-2000:])
                    self.assertNotIn("Traceback", said)
                    self.assertNotIn("\x1b", said)
                    self.assertLess(taken, MUCH_LATER)  # it ends; how soon, test_limits asks
                    self.assertLess(memory_used() - before, MEMORY)
                    if code == 2:
                        self.assertTrue(said.strip())
                os.chdir(home)
        self.assertGreater(codes.get(2, 0), COUNT / 5)
        self.assertGreater(codes.get(0, 0) + codes.get(1, 0), COUNT / 20)


if __name__ == "__main__":
    unittest.main()
