"""Runs the comparison and prints it as a table: python -m benchmarks [FAMILY...]"""

from __future__ import annotations

import json
import platform
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from benchmarks.families import FAMILIES
from benchmarks.limit import limit
from benchmarks.worlds import ring

RUNS = [
    ("ring", 8, 7),
    ("ring", 8, 10),
    ("ring", 8, 13),
    ("ring", 8, 15),
    ("ring", 8, 17),
]


PATIENCE = 90
"""Seconds that a world of a family may take."""


def measure(who: str, family: str, *sizes: int) -> dict[str, Any]:
    command = [sys.executable, "-m", "benchmarks.one", who, family, *map(str, sizes)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def compare() -> None:
    print(f"Python {platform.python_version()}, {platform.machine()}; CPU seconds, search only")
    print(
        f"{'world':14} {'situations':>11} {'script':>9} {'zubrel':>9} {'ratio':>7} "
        f"{'B/sit.':>7} {'findings':>9} {'of search':>9} {'of the limit':>13} "
        f"{'islands':>9} {'B/sit.':>7} {'of the limit':>13}"
    )
    for family, *sizes in RUNS:
        script = measure("script", family, *sizes)
        mine = measure("zubrel", family, *sizes)
        every = measure("findings", family, *sizes)
        islands = measure("islands", family, *sizes)
        counts = {found["situations"] for found in (script, mine, every, islands)}
        if len(counts) != 1:
            raise SystemExit(f"{family} {sizes}: the counts differ: {counts}")
        ratio = script["seconds"] / mine["seconds"]
        whole = every["seconds"] / every["forward"]
        print(
            f"{family + ' ' + '×'.join(map(str, sizes)):14} {mine['situations']:>11,} "
            f"{script['seconds']:>9.3f} {mine['seconds']:>9.3f} {ratio:>6.1f}× "
            f"{mine['bytes']:>7.0f} {every['seconds']:>9.3f} {whole:>8.1f}×"
            f"{_against_limit(sizes, mine):>13} {islands['seconds']:>9.3f} "
            f"{islands['bytes']:>7.0f} {_against_limit(sizes, islands):>13}"
        )


def _against_limit(sizes: list[int], mine: dict[str, Any]) -> str:
    """How many times longer than a compiled program on the same rules."""
    found = limit(ring(*sizes)[1])
    if found is None:
        return "no compiler"
    if found[0] != mine["situations"]:
        raise SystemExit(f"ring {sizes}: the compiled program counts {found[0]}")
    return f"{mine['seconds'] / max(found[1], 1e-4):.1f}×"


def families(names: list[str]) -> None:
    """Whole processes, from YAML to all findings: wall-clock seconds and peak memory."""
    print(
        f"{'world':12} {'engine':9} {'situations':>22} {'verdict':11} {'findings':>8} "
        f"{'seconds':>8} {'peak MiB':>8}"
    )
    with tempfile.TemporaryDirectory() as folder:
        for name in names:
            world = Path(folder) / f"{name}.yaml"
            world.write_text(FAMILIES[name](), encoding="utf-8")
            print(_one_family(name, world))


def _one_family(name: str, world: Path) -> str:
    arguments = ["check", str(world), "--format", "json", "--max-seconds", str(PATIENCE)]
    code = (
        "import resource, subprocess, sys, json, time\n"
        "began = time.perf_counter()\n"
        "done = subprocess.run([sys.executable, '-m', 'zubrel', *sys.argv[1:]],"
        " capture_output=True, text=True)\n"
        "peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss\n"
        "print(json.dumps([time.perf_counter() - began, peak, done.stdout]))"
    )
    run = subprocess.run(
        [sys.executable, "-c", code, *arguments], capture_output=True, text=True, check=True
    )
    seconds, peak, text = json.loads(run.stdout)
    found = json.loads(text)
    many = found["situations"] or found.get("classes", 0)
    return (
        f"{name:12} {found['engine']:9} {many:>22.6g} "
        f"{found['verdict']:11} {len(found['findings']):>8} {seconds:>8.2f} "
        f"{peak / 1024:>8.0f}"
    )


def whole_processes() -> None:
    """The program as people start it: wall-clock seconds, the best of five."""
    with tempfile.TemporaryDirectory() as folder:
        world = Path(folder) / "ring.yaml"
        world.write_text(ring(8, 10)[0], encoding="utf-8")
        bare = _best([sys.executable, "-c", "pass"])
        for words, arguments in {
            "zubrel --help": ["--help"],
            "zubrel check, 8,193 situations": ["check", str(world)],
        }.items():
            seconds = _best([sys.executable, "-m", "zubrel", *arguments])
            print(f"{words}: {seconds:.2f} s ({seconds / bare:.0f}× a bare Python)")


def _best(command: list[str]) -> float:
    times = []
    for _ in range(5):
        began = time.perf_counter()
        subprocess.run(command, capture_output=True, check=False)
        times.append(time.perf_counter() - began)
    return min(times)


if __name__ == "__main__":
    wanted = sys.argv[1:]
    if not wanted:
        compare()
        whole_processes()
    families(wanted or list(FAMILIES))
