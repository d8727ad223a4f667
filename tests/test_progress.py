"""What is told on standard error while a search lasts."""

import io
import os
import re
import subprocess
import sys
import unittest
from unittest import mock

from benchmarks.families import realm

from tests.program import PATIENCE, ProgramTest
from zubrel.base.budget import Budget, Limits
from zubrel.shell.meter import ProgressLine


class Terminal(io.StringIO):
    """Standard error that says it is a terminal, or not."""

    def __init__(self, terminal):
        super().__init__()
        self.terminal = terminal

    def isatty(self):
        return self.terminal


class Closed(Terminal):
    def write(self, text):
        raise BrokenPipeError


def told(stream, seconds, quiet=False, color=False):
    """What a progress line writes to a stream, so many seconds after the beginning."""
    budget = Budget(Limits(), before=seconds)
    with mock.patch.object(sys, "stderr", stream), mock.patch.dict(os.environ, TERM="xterm"):
        line = ProgressLine(budget, quiet, color)
        line.said_at -= seconds
        line.stage("searching")
        line.reached(1200, 300)
        line.drawn_at -= 1
        line.reached(2400, None)
        budget.check_limits()
        line.clear()
        line.stage("over")
    return stream.getvalue()


class Line(unittest.TestCase):
    def test_a_terminal_shows_what_is_done_and_is_wiped_at_the_end(self):
        text = told(Terminal(True), 5)
        self.assertIn("searching …", text)
        self.assertRegex(text, "2,400 situations +5 s")
        self.assertTrue(text.rstrip().endswith("\x1b[2K"), text[-60:])
        self.assertNotIn("over", text)

    def test_nobody_is_bothered_in_the_first_second(self):
        self.assertEqual(told(Terminal(True), 0.2), "")

    def test_a_file_gets_whole_lines_now_and_then(self):
        text = told(Terminal(False), 15)
        self.assertRegex(text, r"\Asearching … 15 s\n\Z")
        self.assertEqual(told(Terminal(False), 5), "")

    def test_quiet_is_quiet(self):
        for terminal in (True, False):
            self.assertEqual(told(Terminal(terminal), 60, quiet=True), "")

    def test_without_colours_no_colour_is_sent(self):
        self.assertIsNone(re.search(r"\x1b\[[0-9;]*m", told(Terminal(True), 5)))
        self.assertIsNotNone(re.search(r"\x1b\[[0-9;]*m", told(Terminal(True), 5, color=True)))

    def test_where_nobody_listens_the_work_goes_on(self):
        for terminal in (True, False):
            told(Closed(terminal), 15)

    def test_the_cursor_is_there_whoever_ends_the_process(self):
        text = told(Terminal(True), 5)
        first_hidden, last_shown = text.find("\x1b[?25l"), text.rfind("\x1b[?25h")
        self.assertGreater(last_shown, first_hidden)


class Program(ProgramTest):
    def test_lines_go_to_standard_error_and_results_to_standard_output(self):
        self.write("realm.yaml", realm("l", 1))
        world = str(self.folder / "realm.yaml")
        code = (
            "import sys\nfrom zubrel.shell import meter\nmeter.SAID_EVERY = 1.0\n"
            "from zubrel.shell.main import run\nrun()\n"
        )
        command = [sys.executable, "-c", code, "check", world, "--max-seconds"]
        quiet_run, loud_run = (
            subprocess.run([*command, *more], capture_output=True, text=True, timeout=PATIENCE)
            for more in (("1", "--quiet"), ("3",))
        )
        self.assertEqual(quiet_run.stderr, "")
        self.assertRegex(loud_run.stderr, r"… .*[1-3] s\n")
        self.assertNotIn("…", loud_run.stdout.split("\n")[0])


if __name__ == "__main__":
    unittest.main()
