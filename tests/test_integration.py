"""What the documents tell a team to put into its repository does what they say."""

import re
import shlex
import subprocess
import sys
from pathlib import Path

import yaml

from tests.program import ProgramTest
from tests.test_check_command import TOSS

ROOT = Path(__file__).parent.parent
MENDED = TOSS.replace("takes: key", "needs: key")


class Hook(ProgramTest):
    def run_hook(self, *files):
        (hook,) = yaml.safe_load((ROOT / ".pre-commit-hooks.yaml").read_text(encoding="utf-8"))
        program, *rest = hook["entry"].split()
        self.assertEqual((program, hook["language"]), ("zubrel", "python"))
        return self.zubrel(*rest, *files, code=None)

    def test_the_hook_stops_a_commit_with_errors_and_lets_others_pass(self):
        self.write("bad.yaml", TOSS)
        self.write("good.yaml", MENDED)
        self.assertEqual(self.run_hook("good.yaml").returncode, 0)
        stopped = self.run_hook("good.yaml", "bad.yaml")
        self.assertEqual(stopped.returncode, 1)
        self.assertIn("bad.yaml:11:7", stopped.stdout)


class Workflow(ProgramTest):
    def steps(self):
        text = (ROOT / "docs" / "continuous-integration.md").read_text(encoding="utf-8")
        blocks = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)
        (workflow,) = [yaml.safe_load(b) for b in blocks if b.startswith("name: worlds")]
        return [
            s["run"]
            for s in workflow["jobs"]["check"]["steps"]
            if "zubrel" in s.get("run", "") and not s["run"].startswith("pip")
        ]

    def shell(self, command):
        program = f"{shlex.quote(sys.executable)} -m zubrel "
        command = re.sub(r"(?m)^(\s*)zubrel ", lambda m: m[1] + program, command)
        return subprocess.run(
            ["sh", "-e", "-c", command], cwd=self.folder, capture_output=True, text=True
        )

    def test_every_step_of_the_workflow_runs_and_writes_what_it_says(self):
        (self.folder / "worlds" / "walks").mkdir(parents=True)
        self.write("worlds/island.yaml", MENDED)
        self.write("worlds/walks/win.txt", "quay_key\ndoor\nquay_to_tower\nexpect ended top\n")
        steps = self.steps()
        self.assertEqual(len(steps), 3)
        for step in steps:
            done = self.shell(step)
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        for name in ("worlds.sarif", "worlds.xml", "worlds.md"):
            self.assertGreater((self.folder / name).stat().st_size, 50)

    def test_the_workflow_fails_on_a_softlock(self):
        (self.folder / "worlds").mkdir()
        self.write("worlds/island.yaml", TOSS)
        self.assertEqual(self.shell(self.steps()[0]).returncode, 1)
