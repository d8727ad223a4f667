"""How much faster several workers answer the questions of one large world.

`python -m benchmarks.questions [SIZE]` asks all questions of a realm (default: `xl`) of one
process, of two, and with the help of local clusters of one and of two workers.
"""

from __future__ import annotations

import sys
import time

from benchmarks.families import realm
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.findings.large.helpers import Helpers
from zubrel.findings.large.planning import full_size
from zubrel.mended.files import Files
from zubrel.quotient.making import lens_for
from zubrel.swept.helpers import ClusterHelpers
from zubrel.swept.workers import Cluster


def seconds(files: Files, jobs: int | Helpers) -> tuple[float, int, int]:
    """How long the questions take once the end of the game is known, their findings, and how many
    stay undecided."""
    system = compile_world(check(files.document()))
    lens = lens_for(system, (), Budget(Limits()), Silence())
    began = time.perf_counter()
    full = full_size(lens, Budget(Limits()), Silence(), jobs)
    return time.perf_counter() - began, len(full.findings), len(full.undecided)


def main() -> None:
    size = sys.argv[1] if len(sys.argv) > 1 else "xl"
    files = Files("w.yaml", {"w.yaml": realm(size, 1, True)})
    print("| at work | seconds | times one process | findings | undecided |")
    print("|---|---:|---:|---:|---:|")
    once, *told = seconds(files, 1)
    print(f"| this process | {once:.1f} | | {told[0]} | {told[1]} |", flush=True)
    for words, workers in (
        ("this process and 1 more", 0),
        ("this process and a cluster of 1", 1),
        ("this process and a cluster of 2", 2),
    ):
        if workers:
            with Cluster("local", Limits(), None, workers) as cluster:
                taken, *told = seconds(files, ClusterHelpers(cluster, files))
        else:
            taken, *told = seconds(files, 2)
        row = (words, f"{taken:.1f}", f"{once / taken:.2f}", *map(str, told))
        print("| " + " | ".join(row) + " |", flush=True)


if __name__ == "__main__":
    main()
