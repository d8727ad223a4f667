"""How much faster several workers sweep, and what a task costs beside its search.

`python -m benchmarks.sweep` searches 200 small worlds and 200 larger ones with one process, with
two, and on local clusters of one and of two workers.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from zubrel.base.budget import Limits
from zubrel.mended.files import Files
from zubrel.swept.workers import Cluster, InThisProcess, LocalProcesses, Workers

COUNT = 200


def small(number: int) -> Files:
    """A world of some hundred situations, which takes next to nothing."""
    return _shells(7, number)


def large(number: int) -> Files:
    """A world of some thousand situations."""
    return _shells(11, number)


def _shells(many: int, number: int) -> Files:
    items = ", ".join(f"s{n}: Shell {n} of {number}" for n in range(many))
    finds = ", ".join(f"s{n}" for n in range(many))
    text = (
        f"zubrel: 1\ntitle: Shells\nstart: {{at: quay}}\nitems: {{{items}}}\n"
        f"areas:\n  quay: {{finds: [{finds}], ways: [tower]}}\n  tower: {{}}\n"
        "endings: {won: {when: at tower}}\n"
    )
    return Files("w.yaml", {"w.yaml": text})


def seconds(workers: Workers, made: Sequence[Files]) -> float:
    """How long workers need that have begun already."""
    with workers:
        list(workers.outcomes(made[:4]))  # everybody has loaded everything
        began = time.perf_counter()
        outcomes = list(workers.outcomes(made))
        taken = time.perf_counter() - began
    assert all(outcome.complete for outcome in outcomes), "every variant was searched"
    return taken


def main() -> None:
    limits = Limits()
    print("| variants | workers | seconds | times one process | a task beside its search |")
    print("|---|---|---:|---:|---:|")
    for name, make in (("small", small), ("large", large)):
        made = [make(n) for n in range(COUNT)]
        once = seconds(InThisProcess(limits, None), made)
        print(f"| {COUNT} {name} | this process | {once:.1f} | | |", flush=True)
        for words, workers, count in (
            ("2 processes", LocalProcesses(limits, None, 2), 2),
            ("cluster of 1", Cluster("local", limits, None, 1), 1),
            ("cluster of 2", Cluster("local", limits, None, 2), 2),
        ):
            taken = seconds(workers, made)
            beside = 1000 * (taken * count - once) / COUNT
            row = (
                f"{COUNT} {name}",
                words,
                f"{taken:.1f}",
                f"{once / taken:.2f}",
                f"{beside:.0f} ms",
            )
            print("| " + " | ".join(row) + " |", flush=True)


if __name__ == "__main__":
    main()
