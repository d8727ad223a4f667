"""A sweep on a real cluster of processes: the same as here, whatever dies on the way."""

import json
import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from unittest import mock

from benchmarks.families import realm
from distributed import Client, LocalCluster

from tests.program import ProgramTest
from tests.seeds import LONG
from tests.test_sweep import WORLD
from zubrel.base.budget import Limits
from zubrel.base.progress import Silence
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.findings.find import Conclusions
from zubrel.findings.large import questions
from zubrel.findings.large.planning import full_size
from zubrel.mended.files import Files
from zubrel.narrated.narrate import narrate
from zubrel.quotient.making import lens_for
from zubrel.swept import workers
from zubrel.swept.helpers import ClusterHelpers
from zubrel.swept.outcome import outcome_of
from zubrel.swept.workers import Budget, Cluster, NoCluster

LARGE = (
    "zubrel: 1\ntitle: Shells\nstart: {at: quay}\nitems: {"
    + ", ".join(f"s{n}: Shell {n}" for n in range(9))
    + "}\nareas:\n  quay: {finds: [MORE"
    + ", ".join(f"s{n}" for n in range(9))
    + "], ways: [tower]}\n  tower: {}\nendings: {won: {when: at tower}}\n"
)


def variants(count):
    """Worlds of half a second and more, none like another."""
    return [Files("w.yaml", {"w.yaml": LARGE.replace("MORE", "s0, " * n)}) for n in range(count)]


class Command(ProgramTest):
    def test_a_cluster_says_byte_for_byte_what_one_process_says(self):
        self.write("w.yaml", WORLD)
        options = ["--vary", "shops.stall.sells.wick=0..4", "--each", "areas.*.finds"]
        for form in ("table", "csv", "json") if LONG else ("json",):
            given = ("sweep", "w.yaml", *options, "--format", form)
            here = self.zubrel(*given, code=0).stdout
            there = self.zubrel(*given, "--cluster", "local", "--jobs", "2", code=0).stdout
            with self.subTest(form):
                self.assertEqual(there, here)

    @unittest.skipUnless(LONG, "make test-all")
    def test_several_worlds_are_checked_as_here(self):
        self.write("a.yaml", WORLD)
        self.write("b.yaml", WORLD.replace("wick: 3", "wick: 4"))
        self.write("c.yaml", WORLD.replace("to: tower", "to: towr"))
        # a line every ten seconds tells those who wait how long they do
        given = ("check", "b.yaml", "c.yaml", "a.yaml", "--format", "json", "--quiet")
        here = self.zubrel(*given, code=2)
        there = self.zubrel(*given, "--cluster", "local", "--jobs", "2", code=2)
        self.assertEqual(there.stderr, here.stderr)
        told, expected = (json.loads(done.stdout) for done in (there, here))
        for one in (*told, *expected):
            one.pop("seconds")
        self.assertEqual([one["world"] for one in told], ["b.yaml", "a.yaml"])
        self.assertEqual(told, expected)

    def test_a_scheduler_that_is_not_there_is_told_of(self):
        self.write("w.yaml", WORLD)
        with (
            mock.patch.object(workers, "CONNECT", 1.0),
            self.assertRaises(NoCluster),
            Cluster("tcp://127.0.0.1:9", Limits(), None, 1),
        ):
            self.fail("there is none")
        done = self.zubrel("sweep", "w.yaml", "--swap", "--cluster", "tcp://127.0.0.1:9", code=2)
        self.assertIn("no scheduler answers at tcp://127.0.0.1:9", done.stderr)

    @unittest.skipUnless(LONG, "make test-all")
    def test_a_scheduler_of_its_own_takes_the_work_of_a_command(self):
        self.write("w.yaml", WORLD)
        with LocalCluster(n_workers=1, dashboard_address=":0", silence_logs=50) as cluster:
            address = cluster.scheduler_address
            given = ("sweep", "w.yaml", "--vary", "shops.stall.sells.wick=0..1", "--format", "json")
            done = self.zubrel(*given, "--cluster", address, code=0)
            self.assertEqual(done.stdout, self.zubrel(*given, code=0).stdout)


class Dying(unittest.TestCase):
    def setUp(self):
        self.made = variants(6 if LONG else 3)
        self.expected = [outcome_of(files, Budget(Limits())) for files in self.made]

    def test_what_a_killed_worker_was_at_work_on_is_done_again(self):
        with Cluster("local", Limits(), None, 2) as cluster:
            outcomes = cluster.outcomes(self.made)
            first = next(outcomes)
            process = next(iter(cluster.cluster.workers.values())).process
            os.kill(process.pid, signal.SIGKILL)
            self.assertEqual([first, *outcomes], self.expected)

    @unittest.skipUnless(LONG, "make test-all")
    def test_what_is_known_is_kept_when_the_scheduler_goes_away(self):
        code = (
            "from distributed import LocalCluster\n"
            "import time\n"
            "if __name__ == '__main__':\n"
            "    cluster = LocalCluster(n_workers=1, dashboard_address=':0', silence_logs=50)\n"
            "    print(cluster.scheduler_address, flush=True)\n"
            "    time.sleep(600)\n"
        )
        with subprocess.Popen(
            [sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, start_new_session=True
        ) as scheduler:
            try:
                address = scheduler.stdout.readline().strip()
                with Cluster(address, Limits(), None, 1) as cluster:
                    outcomes = cluster.outcomes(self.made)
                    first = next(outcomes)
                    os.killpg(scheduler.pid, signal.SIGKILL)
                    left = list(outcomes)
            finally:
                if scheduler.poll() is None:
                    os.killpg(scheduler.pid, signal.SIGKILL)
        self.assertEqual(first, self.expected[0])
        self.assertEqual(len(left), len(self.made) - 1)
        self.assertEqual(left[-1].verdict, "incomplete")
        for outcome, expected in zip(left, self.expected[1:], strict=True):
            self.assertIn(outcome.verdict, (expected.verdict, "incomplete"))

    @unittest.skipUnless(LONG, "make test-all")
    def test_another_version_is_refused(self):
        with (
            mock.patch.object(workers, "__version__", "0.0.0"),
            self.assertRaises(NoCluster) as refused,
            Cluster("local", Limits(), None, 1),
        ):
            self.fail("it is another version")
        self.assertIn("here it is 0.0.0", str(refused.exception))

    @unittest.skipUnless(LONG, "make test-all")
    def test_who_stops_waiting_leaves_nothing_at_work(self):
        class Stopped(Exception):
            pass

        stop = threading.Event()

        def on_check():
            if stop.is_set():
                raise Stopped

        with LocalCluster(n_workers=1, dashboard_address=":0", silence_logs=50) as cluster:
            with Cluster(cluster.scheduler_address, Limits(), on_check, 1) as own:
                stop.set()
                with self.assertRaises(Stopped):
                    list(own.outcomes(self.made))
            with Client(cluster) as client:
                until = time.monotonic() + 30
                while any(client.processing().values()) and time.monotonic() < until:
                    time.sleep(0.1)
                self.assertFalse(any(client.processing().values()))


class Questions(unittest.TestCase):
    def setUp(self):
        text = realm("s", 1, True)
        self.files = Files("w.yaml", {"w.yaml": text})
        self.system = compile_world(check(self.files.document()))
        self.expected = self.found(1)

    def found(self, jobs):
        lens = lens_for(self.system, (), Budget(Limits()), Silence())
        with mock.patch.object(questions, "BATCH", 8):
            full = full_size(lens, Budget(Limits()), Silence(), jobs)
        self.assertEqual(full.undecided, ())
        told = narrate(Conclusions(full.judged, full.findings), lambda: 0.0).findings
        # which place it is in which text, and not whose copy of the text
        return [repr(finding) for finding in told]

    @unittest.skipUnless(LONG, "make test-all")
    def test_workers_answer_as_this_process_does(self):
        with Cluster("local", Limits(), None, 2) as cluster:
            helpers = Watched(cluster, self.files)
            self.assertEqual(self.found(helpers), self.expected)
        self.assertGreater(helpers.answers, 1)

    @unittest.skipUnless(LONG, "make test-all")
    def test_what_a_worker_was_asked_when_it_was_killed_is_answered_all_the_same(self):
        with Cluster("local", Limits(), None, 1) as cluster:
            helpers = Watched(cluster, self.files)
            process = next(iter(cluster.cluster.workers.values())).process
            helpers.killed = process.pid
            self.assertEqual(self.found(helpers), self.expected)

    @unittest.skipUnless(LONG, "make test-all")
    def test_with_the_scheduler_gone_this_process_goes_on_alone(self):
        with Cluster("local", Limits(), None, 1) as cluster:
            helpers = ClusterHelpers(cluster, self.files)
            cluster.cluster.close()
            self.assertEqual(self.found(helpers), self.expected)


class Watched(ClusterHelpers):
    """Counts what is answered; kills a worker as soon as something is asked."""

    answers = 0
    killed = None

    def submit(self, batch):
        answer = super().submit(batch)
        if self.killed is not None:
            os.kill(self.killed, signal.SIGKILL)
            self.killed = None
        answer.future.add_done_callback(self.count_up)
        return answer

    def count_up(self, future):
        self.answers += future.status == "finished"


class Wire(unittest.TestCase):
    def test_worlds_travel_as_text(self):
        sent = []

        class Client:
            def submit(self, function, *given, **_):
                sent.append((function, given))
                raise OSError("gone")

            def nthreads(self):
                return {"a": 1}

            def cancel(self, _):
                pass

        cluster = Cluster("tcp://x", Limits(), None, 1)
        cluster.client = Client()
        (files,) = variants(1)
        (outcome,) = cluster.outcomes([files])
        self.assertEqual(outcome.verdict, "incomplete")
        ((function, (main, texts, limits)),) = sent
        self.assertIs(function, workers.searched)
        json.dumps([main, texts])
        self.assertIsInstance(limits, Limits)


if __name__ == "__main__":
    unittest.main()
