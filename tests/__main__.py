"""Runs the tests, all of them or those that are named, and says in one line how it went.

All of them run a module a process, as many at once as there are processors; the modules that took
longest the last time that somebody looked come first.
"""

import os
import re
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

FIRST = ("test_limits", "test_commands", "test_full_size", "test_mend", "test_against_reference")
COUNTS = re.compile(r"^(-?\d+) passed, (\d+) failed, (\d+) skipped$", re.MULTILINE)


def run_named(names):
    """The tests of some modules, classes or methods, in this process."""
    suite = unittest.defaultTestLoader.loadTestsFromNames(names)
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    faults = [test for test, _ in [*result.failures, *result.errors]]
    faults += result.unexpectedSuccesses
    failed = len({getattr(test, "test_case", test).id() for test in faults})  # not each subtest
    skipped = len(result.skipped)
    return result.testsRun - failed - skipped, failed, skipped


def run_all():
    """Every module of tests in a process of its own; what failed is shown whole."""
    names = sorted(path.stem for path in Path(__file__).parent.glob("test_*.py"))
    names.sort(key=lambda name: FIRST.index(name) if name in FIRST else len(FIRST))

    def run(name):
        began = time.monotonic()
        done = subprocess.run(
            [sys.executable, "-m", "tests", f"tests.{name}"],
            capture_output=True,
            text=True,
            errors="replace",
        )
        return done, time.monotonic() - began

    total = [0, 0, 0]
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for name, (done, seconds) in zip(names, pool.map(run, names), strict=True):
            counts = COUNTS.search(done.stdout)
            here = [int(n) for n in counts.groups()] if counts else [0, 1, 0]
            total = [a + b for a, b in zip(total, here, strict=True)]
            print(
                f"{name}: {here[0]} passed, {here[1]} failed, {here[2]} skipped, {seconds:.0f} s",
                flush=True,
            )
            if done.returncode:
                print(done.stdout + done.stderr, flush=True)
    return total


passed, failed, skipped = run_named(sys.argv[1:]) if sys.argv[1:] else run_all()
print(f"{passed} passed, {failed} failed, {skipped} skipped")
sys.exit(failed > 0 or passed + failed == 0)
