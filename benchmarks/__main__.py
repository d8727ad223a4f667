"""Runs the comparison and prints it as a table: python -m benchmarks"""

from __future__ import annotations

import json
import platform
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from benchmarks.worlds import ring

RUNS = [
    ("ring", 8, 7), ("ring", 8, 10), ("ring", 8, 13), ("ring", 8, 15), ("ring", 8, 17),
]  # fmt: skip


def measure(who: str, family: str, *sizes: int) -> dict[str, Any]:
    command = [sys.executable, "-m", "benchmarks.one", who, family, *map(str, sizes)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def compare() -> None:
    print(f"Python {platform.python_version()}, {platform.machine()}; CPU seconds, search only")
    print(f"{'world':14} {'situations':>11} {'script':>9} {'zubrel':>9} {'ratio':>7} "
          f"{'B/sit.':>7} {'findings':>9} {'of search':>9}")  # fmt: skip
    for family, *sizes in RUNS:
        script = measure("script", family, *sizes)
        mine = measure("zubrel", family, *sizes)
        every = measure("findings", family, *sizes)
        counts = {script["situations"], mine["situations"], every["situations"]}
        if len(counts) != 1:
            raise SystemExit(f"{family} {sizes}: the counts differ: {counts}")
        ratio = script["seconds"] / mine["seconds"]
        whole = every["seconds"] / every["forward"]
        print(f"{family + ' ' + '×'.join(map(str, sizes)):14} {mine['situations']:>11,} "
              f"{script['seconds']:>9.3f} {mine['seconds']:>9.3f} {ratio:>6.1f}× "
              f"{mine['bytes']:>7.0f} {every['seconds']:>9.3f} {whole:>8.1f}×")  # fmt: skip


def whole_processes() -> None:
    """The program as people start it: wall-clock seconds, the best of five."""
    with tempfile.TemporaryDirectory() as folder:
        world = Path(folder) / "ring.yaml"
        world.write_text(ring(8, 10)[0], encoding="utf-8")
        bare = _best([sys.executable, "-c", "pass"])
        for words, arguments in {
            "zubrel --help": ["--help"], "zubrel check, 8,193 situations": ["check", str(world)],
        }.items():  # fmt: skip
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
    compare()
    whole_processes()
