"""`zubrel watch`: a save is checked, and only what has changed is printed."""

import os
import selectors
import shutil
import signal
import subprocess
import sys
import time
import unittest
from functools import partial

from tests.program import PATIENCE, ProgramTest
from tests.test_check_command import TOSS


class Watch(ProgramTest):
    def setUp(self):
        super().setUp()
        inside = TOSS[: TOSS.index("endings:")] + "include: [endings.yaml]\n"
        self.write("world.yaml", inside)
        self.write("endings.yaml", "endings: {top: {when: at tower}}\n")
        self.inside = inside
        self.process = subprocess.Popen(
            [sys.executable, "-m", "zubrel", "watch", str(self.folder / "world.yaml")],
            cwd=self.folder.parent,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            env={**os.environ, "PYTHONIOENCODING": "utf-8", "PYTHONUNBUFFERED": "1"},
            # a shell that runs the tests in the background has interrupts ignored
            preexec_fn=partial(signal.signal, signal.SIGINT, signal.SIG_DFL),
        )
        self.addCleanup(self.process.stdout.close)
        self.addCleanup(self.process.wait)
        self.addCleanup(self.process.kill)

    def read_until(self, words):
        """What is printed until `words` are, or until nobody has patience any more."""
        stream, text, ends = self.process.stdout, "", time.monotonic() + PATIENCE
        with selectors.DefaultSelector() as waiting:
            waiting.register(stream, selectors.EVENT_READ)
            while words not in text and time.monotonic() < ends:
                if waiting.select(1):
                    text += os.read(stream.fileno(), 65536).decode()
        self.assertIn(words, text)
        return text

    def save(self, name, text):
        time.sleep(0.5)
        self.write(name, text)

    def test_saves_of_the_world_and_of_what_it_includes_are_checked(self):
        self.read_until("“Throw the key into the sea”, used up Brass key")
        self.save("world.yaml", self.inside.replace("takes: key", "needs: key"))
        text = self.read_until("Gone: 2 findings")
        self.assertIn("world.yaml saved", text)
        self.assertNotIn("used up Brass key", text)
        self.save("endings.yaml", "endings: {top: {when: at towr}}\n")
        self.assertIn("endings.yaml saved", self.read_until("tower"))
        self.save("endings.yaml", "endings: {top: {when: at pier and at tower}}\n")
        self.read_until("solvable → unwinnable")
        self.process.send_signal(signal.SIGINT)
        self.assertEqual(self.process.wait(timeout=PATIENCE), 130)

    def test_a_folder_that_is_removed_and_made_again_is_heard(self):
        self.read_until("“Throw the key into the sea”, used up Brass key")
        aside = self.folder.parent / f"{self.folder.name}-aside"
        self.folder.rename(aside)
        self.addCleanup(shutil.rmtree, aside, ignore_errors=True)
        time.sleep(1.5)
        self.folder.mkdir()
        self.save("endings.yaml", "endings: {top: {when: at tower}}\n")
        self.save("world.yaml", self.inside.replace("takes: key", "needs: key"))
        self.read_until("softlocks → solvable")

    def test_a_world_that_is_not_there_is_wrong_usage(self):
        self.assertIn("there is no file", self.zubrel("watch", "nothing.yaml", code=2).stderr)


if __name__ == "__main__":
    unittest.main()
