"""Runs the tests, all of them or those that are named, and says in one line how it went.

All of them run a module a process, one more at once than there are processors; the modules that
took longest the last time that somebody looked come first. The processes are forks of one that has
loaded everything and done nothing: what a module leaves behind, no other one sees.
"""

import gc
import os
import re
import subprocess
import sys
import tempfile
import time
import traceback
import unittest
from concurrent.futures import ThreadPoolExecutor
from importlib import import_module
from pathlib import Path

FORKING = hasattr(os, "fork") and "COVERAGE_PROCESS_CONFIG" not in os.environ
"""Coverage is measured of processes that begin by themselves."""
FIRST = (
    "test_language_server",
    "test_limits",
    "test_cluster",
    "test_full_size",
    "test_told_early",
    "test_backward",
    "test_mend",
    "test_commands",
    "test_pictures",
    "test_by_hand",
    "test_reductions",
    "test_odds",
    "test_balances",
    "test_outputs",
)
AT_ONCE = (os.cpu_count() or 1) + 1
"""One more than there are processors: some modules mostly wait for processes of their own."""
ALONE = ("test_language_server",)
"""Modules that begin by themselves: in a fork, a file that is saved was not seen."""
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
    total = [0, 0, 0]
    for name, (code, said, seconds, work) in (forked if FORKING else fresh)(names):
        counts = COUNTS.search(said)
        here = [int(n) for n in counts.groups()] if counts else [0, 1, 0]
        total = [a + b for a, b in zip(total, here, strict=True)]
        print(
            f"{name}: {here[0]} passed, {here[1]} failed, {here[2]} skipped, {seconds:.0f} s"
            f"{f', {work:.0f} s of work' if work else ''}",
            flush=True,
        )
        if code:
            print(said, flush=True)
    return total


def fresh(names):
    """Each module, run in a process that begins by itself: its name, and its exit code, what it
    says, seconds, and those of work, of which nobody knows here."""
    with ThreadPoolExecutor(AT_ONCE) as pool:
        yield from zip(names, pool.map(run_fresh, names), strict=True)


def run_fresh(name):
    began = time.monotonic()
    done = subprocess.run(command_of(name), capture_output=True, text=True, errors="replace")
    return done.returncode, done.stdout + done.stderr, time.monotonic() - began, 0.0


def command_of(name):
    return [sys.executable, "-m", "tests", f"tests.{name}"]


def forked(names):
    """The same in forks of this process, as they end.

    Begun by one thread: what another one holds while a process is forked, is held there for ever.
    """
    load_once(names)
    left, running = list(names), {}
    while left or running:
        while left and len(running) < AT_ONCE:
            name, said = left.pop(0), tempfile.TemporaryFile()  # noqa: SIM115
            running[begin(name, said)] = name, said, time.monotonic()
        child, status, used = os.wait4(-1, 0)
        name, said, began = running.pop(child)
        seconds, work = time.monotonic() - began, used.ru_utime + used.ru_stime
        with said:
            said.seek(0)
            text = said.read().decode("utf-8", "replace")
        yield name, (os.waitstatus_to_exitcode(status), text, seconds, work)


def begin(name, said):
    """The process of a module, which writes into a file."""
    child = os.fork()
    if not child:
        code = 70
        try:
            for number in (1, 2):
                os.dup2(said.fileno(), number)
            if name in ALONE:
                os.execv(sys.executable, command_of(name))
            code = become(f"tests.{name}")
        finally:
            os._exit(code)
    return child


def load_once(names):
    """Everything that the tests load: they are begun from here, and load nothing themselves."""
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # threads do not live on in a fork
    for name in names:
        import_module(f"tests.{name}")
    # what is loaded stays for good: forks need not look through it for what nobody needs any more
    gc.collect()
    gc.freeze()


def become(name):
    """Run a module as if this process had begun with it."""
    from tests.program import WARM

    sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", errors="backslashreplace", closefd=False)  # noqa: SIM115
    if WARM is not None:
        WARM.fork()
    try:
        passed, failed, skipped = run_named([name])
        print(f"{passed} passed, {failed} failed, {skipped} skipped")
    except BaseException:
        traceback.print_exc()
        raise
    finally:
        if WARM is not None:
            WARM.end()
        sys.stdout.flush()
        sys.stderr.flush()
    return int(failed > 0 or passed + failed == 0)


passed, failed, skipped = run_named(sys.argv[1:]) if sys.argv[1:] else run_all()
print(f"{passed} passed, {failed} failed, {skipped} skipped")
sys.exit(failed > 0 or passed + failed == 0)
