"""Limits are kept, told in one way by every command, and decide nothing that is not said."""

import enum
import json
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from unittest import mock

from benchmarks.families import quests, realm

from tests.program import DEMO, PATIENCE, ProgramTest
from tests.seeds import LONG
from tests.test_outputs import WORLD
from zubrel.authored.document import document_of
from zubrel.base.budget import (
    SECOND,
    Allowance,
    Budget,
    Interrupted,
    LimitReached,
    Limits,
    WorkSpent,
)
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.explored.listed.large_search import explore_vector
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.symbolic.search import explore_symbolic
from zubrel.output.as_json import reports_as_json
from zubrel.pipeline import report
from zubrel.shell.alarm import watched

COMMANDS = {
    "check": ["check", "w.yaml"],
    "route": ["route", "w.yaml"],
    "list": ["list", "w.yaml"],
    "probe": ["probe", "w.yaml", "q0_accept"],
    "compare": ["compare", "w.yaml", "w.yaml"],
    "rehearse": ["rehearse", "w.yaml", "walk.txt"],
    "draw": ["draw", "w.yaml", "windows", "-o", "p.png"],
    "report": ["report", "w.yaml", "-o", "p.html"],
}


class Accounts(unittest.TestCase):
    """The budget itself."""

    def test_work_beyond_a_share_ends_that_share_only(self):
        budget = Budget(Limits())
        with budget.within(100):
            budget.spend(60)
            with self.assertRaises(WorkSpent), budget.within(30):
                budget.spend(31)
            with self.assertRaises(WorkSpent):
                budget.spend(10)
        budget.spend(10**9)
        self.assertEqual(budget.work, 60 + 31 + 10 + 10**9)

    def test_an_allowance_is_shared_by_those_who_use_it(self):
        budget, allowance = Budget(Limits()), Allowance(100)
        with budget.sharing(allowance):
            budget.spend(70)
        with self.assertRaises(WorkSpent), budget.sharing(allowance):
            budget.spend(31)
        self.assertEqual(allowance.left, -1)

    def test_what_ended_the_work_first_is_what_is_told(self):
        budget = Budget(Limits(situations=10))
        budget.check_limits(10)
        with self.assertRaisesRegex(LimitReached, "the limit of 10 situations"):
            budget.check_limits(11)
        budget.end(Interrupted("Ctrl-C"))
        with self.assertRaisesRegex(LimitReached, "10 situations"):
            budget.spend(SECOND)
        budget.begin_telling()
        budget.spend(SECOND)

    def test_after_a_limit_of_situations_the_work_ends_the_telling(self):
        budget = Budget(Limits(situations=10))
        with self.assertRaises(LimitReached):
            budget.check_limits(11)
        budget.begin_telling()
        self.assertGreater(budget.deadline, budget.seconds() + 20)

    def test_a_limit_of_time_keeps_some_for_telling(self):
        budget = Budget(Limits(seconds=10), before=9.5)
        with self.assertRaisesRegex(LimitReached, "10 seconds"):
            budget.check_limits()
        budget.begin_telling()
        budget.check_limits()
        self.assertLessEqual(budget.deadline, 10)

    def test_a_search_without_a_limit_of_time_never_asks_the_clock_what_to_do(self):
        world = check(document_of(Source.of("w.yaml", realm("s", 1)), realm("s", 1)))
        plain = json.loads(reports_as_json([report(world)], False))
        clock = time.perf_counter
        with mock.patch("time.perf_counter", lambda: 8 * clock()):
            fast = json.loads(reports_as_json([report(world)], False))
        del plain["seconds"], fast["seconds"]
        self.assertEqual(plain, fast)
        self.assertEqual(plain["engine"], "symbolic")

    def test_work_counts_the_same_wherever_it_is_done(self):
        text = quests(4)
        world, spent = check(document_of(Source.of("w.yaml", text), text)), []
        for engine in ("auto", "auto", "symbolic", "symbolic"):
            budget = Budget(Limits(engine=engine))
            report(world, budget)
            spent.append(budget.work)
        self.assertEqual(spent[0], spent[1])
        self.assertEqual(spent[2], spent[3])
        self.assertGreater(min(spent), 1000)


class Stopped(unittest.TestCase):
    def test_a_search_that_a_limit_has_stopped_is_telling_when_it_returns(self):
        # or the alarm, which ends what is not, would throw away what was found
        text = quests(4)
        system = compile_world(check(document_of(Source.of("w.yaml", text), text)))
        for search in (
            lambda budget: explore_scalar(system, budget, Silence(), None),
            lambda budget: explore_vector(system, budget, Silence()),
            lambda budget: explore_symbolic(system, budget, Silence()),
        ):
            for most in (20, None):
                budget = Budget(Limits(situations=most))
                space = search(budget)
                with self.subTest(space=type(space).__name__, most=most):
                    self.assertEqual(budget.is_telling, most is not None)
                    self.assertEqual(space.stopped is not None, most is not None)


class Alarm(unittest.TestCase):
    """What ends work that does not look at its budget."""

    @unittest.skipUnless(hasattr(signal, "setitimer"), "no alarm here")
    def test_a_limit_ends_no_import_halfway(self):
        slow = "import time\nsince = time.monotonic()\nwhile time.monotonic() < since + 0.5: pass\n"
        with tempfile.TemporaryDirectory() as folder:
            with open(os.path.join(folder, "slow_to_import.py"), "w") as file:
                file.write(slow + "whole = True\n")
            with (
                mock.patch.object(sys, "path", [folder, *sys.path]),
                self.assertRaises(LimitReached),
                watched(Budget(Limits(seconds=0.1))),
            ):
                import slow_to_import

                self.assertTrue(slow_to_import.whole)
                time.sleep(5)
        self.assertTrue(sys.modules.pop("slow_to_import").whole)

    @unittest.skipUnless(hasattr(signal, "setitimer"), "no alarm here")
    def test_a_limit_ends_no_look_at_the_value_of_an_enumeration(self):
        # diagrams ask for it, and take what is raised there for a value of a wrong type
        class Operator(enum.Enum):
            AND = 1

            @enum.property
            def slow(self):
                since = time.monotonic()
                while time.monotonic() < since + 0.5:
                    pass
                return "whole"

        told = []
        with self.assertRaises(LimitReached), watched(Budget(Limits(seconds=0.1))):
            told.append(Operator.AND.slow)
            time.sleep(5)
        self.assertEqual(told, ["whole"])


class EveryCommand(ProgramTest):
    def setUp(self):
        super().setUp()
        self.write("w.yaml", quests(7))
        self.write("walk.txt", "q0_accept\nexpect live\n")

    def test_every_limit_is_exit_code_3_and_a_word_in_every_command(self):
        r = random.Random(7)
        limits = {
            "--max-situations": ["1", "5000", "20000"],
            "--max-memory": ["1M", "70M"],
            "--max-seconds": ["0.05", "0.4"],
        }
        every = list(enumerate(COMMANDS.items()))
        for number, (name, arguments) in every if LONG else every[::2]:
            # two of the three for each command, so that every limit meets several
            # in the short run one of them
            each = [o for n, o in enumerate(limits) if n != number % 3]
            for option in each if LONG else each[number // 2 % 2 :][:1]:
                if name == "list" and option == "--max-situations":
                    continue
                values = limits[option]
                value = values[0] if name == "list" else r.choice(values)
                with self.subTest(command=name, limit=f"{option} {value}"):
                    done = self.zubrel(*arguments, option, value)
                    self.assertEqual(done.returncode, 3, done.stdout[-300:] + done.stderr)
                    words = (done.stdout + done.stderr).lower()
                    if name != "report":
                        self.assertTrue("stopped at" in words or "incomplete" in words, words)
                    self.assertEqual([f for f in os.listdir(self.folder) if f == "p.png"], [])

    def test_hints_of_play_tell_less_after_a_limit(self):
        typed = "1\n"
        done = self.zubrel(
            "play", "w.yaml", "--hints", "--max-situations", "9", typed=typed, code=0
        )
        words = "Hints tell what is certain: the search stopped at the limit of 9 situations"
        self.assertIn(words, done.stdout)
        self.assertIn("The game can still be won", done.stdout)

    def test_no_more_situations_are_told_than_the_limit_allows(self):
        for engine, limits in (
            ("explicit", (10, 15_000) if LONG else (15_000,)),
            ("symbolic", (15_000,)),
            ("auto", (10,)),
        ):
            for most in limits:
                with self.subTest(engine=engine, most=most):
                    done = self.zubrel(
                        "check",
                        "w.yaml",
                        "--max-situations",
                        str(most),
                        "--engine",
                        engine,
                        "--format",
                        "json",
                        code=3,
                    )
                    found = json.loads(done.stdout)
                    self.assertLessEqual(found["situations"], 1.1 * most + 10)
                    self.assertIn(f"{most:,} situations", found["stopped"])

    def test_limits_that_are_none_are_refused(self):
        refused = [("--max-seconds", "nan"), ("--max-seconds", "0"), ("--max-seconds", "inf")]
        refused += [("--max-memory", "1e99999"), ("--max-memory", "9" * 5000)]
        refused += [("--max-situations", "9" * 50), ("--max-situations", "0")]
        for option, value in refused:
            with self.subTest(option=option, value=value[:9]):
                self.zubrel("check", "w.yaml", option, value, code=2)

    def test_options_that_mean_nothing_to_a_command_are_not_offered(self):
        for name, option in (
            ("list", "--engine"),
            ("list", "--quiet"),
            ("draw", "--no-color"),
            ("watch", "-o"),
            ("new", "--max-seconds"),
        ):
            with self.subTest(name):
                help_text = self.zubrel(name, "--help", code=0).stdout
                self.assertNotIn(f" {option}", help_text)
                self.assertIn("For example:", help_text)


class Faults(ProgramTest):
    def test_an_error_inside_is_no_finding(self):
        self.write("w.yaml", WORLD)
        code = (
            "import sys\nimport zubrel.pipeline as p\n"
            "def broken(*a, **k): raise KeyError('boom\\x1b[2J')\n"
            "p.judge = broken\nsys.argv = ['zubrel', 'check', 'w.yaml']\n"
            "from zubrel.shell.main import run\nrun()\n"
        )
        done = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, text=True, capture_output=True
        )
        self.assertEqual(done.returncode, 70)
        self.assertEqual(len(done.stderr.splitlines()), 1)
        self.assertIn("an error inside Zubrel", done.stderr)
        self.assertIn("report it", done.stderr)
        self.assertNotIn("\x1b", done.stderr)

    @unittest.skipUnless(sys.platform == "linux", "address space is limited on Linux")
    def test_little_address_space_never_ends_the_program_by_force(self):
        world = self.write("draft.yaml", (DEMO / "draft.yaml").read_text(encoding="utf-8"))
        spaces = ((400_000, "symbolic"), (100_000, "auto"), (2_000_000, "auto"))
        for kilobytes, engine in spaces if LONG else spaces[:1]:
            with self.subTest(kilobytes=kilobytes, engine=engine):
                line = (
                    f"ulimit -v {kilobytes}; exec {sys.executable} -m zubrel check {world} "
                    f"--quiet --engine {engine} --max-seconds 3"
                )
                done = subprocess.run(
                    ["bash", "-c", line], cwd=self.folder, text=True, capture_output=True
                )
                self.assertIn(done.returncode, (1, 3), done.stderr)

    def test_ctrl_c_says_what_was_found_by_then(self):
        self.write("w.yaml", realm("m", 1))
        for command in ("check", "route") if LONG else ("check",):
            log = self.folder / f"{command}.txt"
            running = self.begun(command, "w.yaml", "--log", log.name)
            # before it has heard of it, Python ends as every program does
            self.until(lambda log=log: log.exists() and "too many" in log.read_text(), "the search")
            running.send_signal(signal.SIGINT)
            out, error = running.communicate(timeout=PATIENCE)
            with self.subTest(command):
                self.assertEqual(running.returncode, 130, out + error)
                self.assertNotIn("Traceback", error)
                if command == "check":
                    self.assertIn("stopped at Ctrl-C", out)

    def test_a_long_search_says_where_it_is_unless_it_is_told_not_to(self):
        code = (
            "import sys\nfrom zubrel.shell import meter\nmeter.SAID_EVERY = 0.05\n"
            "sys.argv = ['zubrel', 'check', 'w.yaml', *sys.argv[1:]]\n"
            "from zubrel.shell.main import run\nrun()\n"
        )
        self.write("w.yaml", quests(4))
        said = subprocess.run(
            [sys.executable, "-c", code], cwd=self.folder, text=True, capture_output=True
        ).stderr
        self.assertRegex(said, r"searching … .*situations")
        self.assertRegex(said.splitlines()[-1], r" s$")
        quiet = subprocess.run(
            [sys.executable, "-c", code, "--quiet"], cwd=self.folder, text=True, capture_output=True
        ).stderr
        self.assertEqual(quiet, "")

    def test_a_log_says_what_was_tried_and_never_replaces_a_file(self):
        self.write("w.yaml", quests(5))
        plain = self.zubrel("check", "w.yaml", "--format", "json", code=0).stdout
        logged = self.zubrel("check", "w.yaml", "--format", "json", "--log", "l.txt", code=0).stdout
        self.assertEqual(*(re.sub('"seconds": .*', "", text) for text in (plain, logged)))
        log = (self.folder / "l.txt").read_text(encoding="utf-8")
        for words in ("rules,", "too many for plain integers", "by sets", "units of work"):
            self.assertIn(words, log)
        for name in ("l.txt", "w.yaml", "no/l.txt", "."):
            self.zubrel("check", "w.yaml", "--log", name, code=2)
        self.assertEqual((self.folder / "l.txt").read_text(encoding="utf-8"), log)


class Workers(ProgramTest):
    """Processes that help: whoever ends one, or the parent, leaves nothing hanging."""

    def started(self, *worlds):
        for number, world in enumerate(worlds):
            self.write(f"w{number}.yaml", world)
        names = [f"w{n}.yaml" for n in range(len(worlds))]
        running = self.begun("check", *names, "--jobs", "2", "--format", "json")
        found = self.until(lambda: self.workers_of(running.pid), "a worker")
        time.sleep(0.3)
        return running, found

    def workers_of(self, parent):
        listed = subprocess.run(
            ["ps", "-o", "pid=,args=", "--ppid", str(parent)], text=True, capture_output=True
        ).stdout
        return [int(line.split()[0]) for line in listed.splitlines() if "spawn_main" in line]

    def gone(self, pid):
        try:
            os.kill(pid, 0)
            with open(f"/proc/{pid}/stat", encoding="ascii") as status:
                return status.read().split(")")[1].split()[0] == "Z"
        except (ProcessLookupError, FileNotFoundError):
            return True

    @unittest.skipUnless(sys.platform == "linux", "looks at /proc")
    def test_worlds_of_a_worker_that_was_killed_are_done_again(self):
        running, workers = self.started(quests(5), quests(5))
        for worker in workers:
            os.kill(worker, signal.SIGKILL)
        out, error = running.communicate(timeout=PATIENCE)
        self.assertEqual(running.returncode, 0, error)
        self.assertEqual([r["verdict"] for r in json.loads(out)], ["solvable", "solvable"])

    @unittest.skipUnless(sys.platform == "linux", "looks at /proc")
    def test_workers_end_with_their_parent_however_it_ends(self):
        every = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT)
        for ending in every if LONG else every[:1]:
            running, workers = self.started(quests(8), quests(8))
            running.send_signal(ending)
            running.communicate(timeout=PATIENCE)  # returns only when nobody holds the output open
            with self.subTest(ending):
                for worker in workers:
                    self.until(lambda worker=worker: self.gone(worker), "its end")


if __name__ == "__main__":
    unittest.main()
