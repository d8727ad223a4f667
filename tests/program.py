"""Driving the built program on files in a temporary folder."""

from __future__ import annotations

import atexit
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from tests.warm import Warm

DEMO = Path(__file__).parent.parent / "src" / "zubrel" / "demo"
CASES = Path(__file__).parent / "cases"
# coverage is measured of processes that begin by themselves
PATIENCE = 300
"""Seconds after which what a test waits for will not come, however busy the machine is."""
WARM = Warm() if hasattr(os, "fork") and "COVERAGE_PROCESS_CONFIG" not in os.environ else None
if WARM is not None:
    atexit.register(WARM.end)


class ProgramTest(unittest.TestCase):
    """Each test has a folder of its own; `zubrel` runs the program in it."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def write(self, name, text):
        path = self.folder / name
        if isinstance(text, bytes):
            path.write_bytes(text)
        else:
            path.write_text(text, encoding="utf-8")
        return name

    def zubrel(self, *arguments, code=None, env=None, timeout=PATIENCE, typed=""):
        """The finished process; fails when the exit code is not `code`, and on any traceback."""
        environment = {**os.environ, "PYTHONIOENCODING": "utf-8", **(env or {})}
        if WARM is not None:
            done = WARM.run(arguments, self.folder, environment, timeout, typed)
        else:
            done = subprocess.run(
                [sys.executable, "-m", "zubrel", *arguments],
                cwd=self.folder,
                text=True,
                capture_output=True,
                timeout=timeout,
                input=typed,
                encoding="utf-8",
                env=environment,
            )
        self.assertNotIn("Traceback", done.stderr)
        if code is not None:
            self.assertEqual(done.returncode, code, done.stdout + done.stderr)
        return done

    def begun(self, *arguments):
        """The program in a process of its own, which goes on beside the test and hears signals."""
        running = subprocess.Popen(
            [sys.executable, "-m", "zubrel", *arguments],
            cwd=self.folder,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            # whoever begins the tests in the background has it ignored
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
        )
        self.addCleanup(running.kill)
        return running

    def until(self, happened, what):
        """Wait until `happened()` is true, and return it."""
        ends = time.monotonic() + PATIENCE
        while not (found := happened()):
            if time.monotonic() > ends:
                self.fail(f"{what} has not come")
            time.sleep(0.02)
        return found

    def check(self, world, *options, code=None):
        """The JSON of `zubrel check` on the text of a world."""
        name = self.write("world.yaml", world)
        done = self.zubrel("check", name, "--format", "json", *options, code=code)
        return json.loads(done.stdout)
