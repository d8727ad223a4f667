"""Worlds of full size: python -m benchmarks.full [KIND] [SIZE...] [FILE...]; a process each.

From YAML to the verdict and every move that dooms, for five seeds with and without one-way
passages, or for worlds in files: how many variables and classes are left (a dash where sets were
closed backwards, which counts none), of how many moves it is left open whether they doom, seconds,
peak memory.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from benchmarks.bazaar import bazaar
from benchmarks.delta import delta
from benchmarks.families import realm
from benchmarks.ridge import ridge
from benchmarks.village import depths, village

KINDS = {
    "realm": realm,
    "bazaar": bazaar,
    "village": village,
    "depths": depths,
    "ridge": ridge,
    "delta": delta,
}
SIZES = ("m", "l", "xl")
SEEDS = range(1, 6)
PATIENCE = 240.0


def written(kind: str, size: str, seed: int, one_way: bool, folder: str) -> str:
    """The path of a world, made where it is not there yet."""
    if kind == "file":
        return size
    path = Path(folder) / "realm.yaml"
    path.write_text(KINDS[kind](size, seed, one_way), encoding="utf-8")
    return str(path)


def one(kind: str, size: str, seed: int, one_way: bool) -> dict[str, object]:
    """One world, measured here; of kind `file`, `size` is its path."""
    began = time.perf_counter()
    from zubrel.base.budget import Budget, Limits
    from zubrel.base.progress import Silence
    from zubrel.compiled.compile import compile_world
    from zubrel.findings.detectors.softlocks import left_open, softlocks
    from zubrel.findings.judged import judge
    from zubrel.findings.registry import end_of
    from zubrel.pipeline import load
    from zubrel.quotient.making import first_lens

    with tempfile.TemporaryDirectory() as folder:
        system = compile_world(load(written(kind, size, seed, one_way, folder)))
    lens = first_lens(system, Budget(Limits(seconds=PATIENCE)), Silence(), judge, end_of)
    judged = judge(lens)
    doom = [f.subject for f in softlocks(judged)] if judged.complete else []
    left, _ = lens.reduced.size
    return {
        "variables": sum(v.size > 1 for v in system.variables),
        "left": left,
        "classes": lens.count(lens.everything) if lens.at_once else None,
        "verdict": judged.verdict,
        "culprits": len(doom),
        "open": sum(1 for _ in left_open(judged)) if judged.complete else 0,
        "seconds": time.perf_counter() - began,
        "mib": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
    }


def main(arguments: list[str]) -> None:
    if arguments[:1] == ["--one"]:
        kind, size, seed, one_way = arguments[1:]
        print(json.dumps(one(kind, size, int(seed), one_way == "1")))
        return
    kind = arguments[0] if arguments and arguments[0] in KINDS else "realm"
    files = [a for a in arguments if a.endswith(".yaml")]
    sizes = [a for a in arguments if a not in KINDS and a not in files]
    sizes = sizes or ([] if files else list(SIZES))
    print(
        f"{kind:12} {'variables':>9} {'left':>5} {'classes':>11} {'verdict':11} "
        f"{'culprits':>8} {'open':>4} {'seconds':>8} {'MiB':>6}"
    )
    for path in files:
        _print(Path(path).stem[:12], _measured("file", path, 0, 0))
    for size in sizes:
        for one_way in (1, 0):
            for seed in SEEDS:
                name = f"{size} {seed}{'' if one_way else ' open'}"
                _print(name, _measured(kind, size, seed, one_way))


def _measured(kind: str, size: str, seed: int, one_way: int) -> dict[str, Any] | str:
    """What `one` says in a process of its own, or the last line of its complaint."""
    command = [sys.executable, "-m", "benchmarks.full", "--one", kind, size, str(seed)]
    done = subprocess.run([*command, str(one_way)], capture_output=True, text=True)
    return done.stderr.strip().splitlines()[-1] if done.returncode else json.loads(done.stdout)


def _print(name: str, found: dict[str, Any] | str) -> None:
    if isinstance(found, str):
        print(f"{name:12} {found}", flush=True)
        return
    classes = "-" if found["classes"] is None else f"{found['classes']:.3g}"
    print(
        f"{name:12} {found['variables']:>9} {found['left']:>5} {classes:>11} "
        f"{found['verdict']:11} {found['culprits']:>8} "
        f"{found['seconds']:>8.1f} {found['mib']:>6.0f}",
        flush=True,
    )


if __name__ == "__main__":
    main(sys.argv[1:])
