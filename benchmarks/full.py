"""Worlds of full size: python -m benchmarks.full [bazaar] [SIZE...]; each in its own process.

From YAML to the verdict and every move that dooms, for five seeds with and without one-way
passages: how many variables and classes are left, seconds, peak memory.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from benchmarks.bazaar import bazaar
from benchmarks.families import realm

KINDS = {"realm": realm, "bazaar": bazaar}
SIZES = ("m", "l", "xl")
SEEDS = range(1, 6)
PATIENCE = 240.0


def one(kind: str, size: str, seed: int, one_way: bool) -> dict[str, object]:
    """One world, measured here."""
    began = time.perf_counter()
    from zubrel.base.budget import Budget, Limits
    from zubrel.base.progress import Silence
    from zubrel.compiled.compile import compile_world
    from zubrel.findings.detectors.softlocks import softlocks
    from zubrel.findings.judged import judge
    from zubrel.pipeline import load
    from zubrel.quotient.lens import lens_for

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "realm.yaml"
        path.write_text(KINDS[kind](size, seed, one_way), encoding="utf-8")
        system = compile_world(load(str(path)))
    lens = lens_for(system, (), Budget(Limits(seconds=PATIENCE)), Silence())
    judged = judge(lens)
    doom = [f.subject for f in softlocks(judged)] if judged.complete else []
    left, _ = lens.reduced.size
    return {
        "variables": sum(v.size > 1 for v in system.variables),
        "left": left,
        "classes": lens.count(lens.everything),
        "verdict": judged.verdict,
        "culprits": len(doom),
        "seconds": time.perf_counter() - began,
        "mib": resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024,
    }


def main() -> None:
    if sys.argv[1:2] == ["--one"]:
        kind, size, seed, one_way = sys.argv[2:]
        print(json.dumps(one(kind, size, int(seed), one_way == "1")))
        return
    kind = sys.argv[1] if sys.argv[1:] and sys.argv[1] in KINDS else "realm"
    sizes = [s for s in sys.argv[1:] if s not in KINDS] or SIZES
    print(
        f"{kind:12} {'variables':>9} {'left':>5} {'classes':>11} {'verdict':11} "
        f"{'culprits':>8} {'seconds':>8} {'MiB':>6}"
    )
    for size in sizes:
        for one_way in (1, 0):
            for seed in SEEDS:
                command = [sys.executable, "-m", "benchmarks.full", "--one", kind, size, str(seed)]
                done = subprocess.run([*command, str(one_way)], capture_output=True, text=True)
                name = f"{size} {seed}{'' if one_way else ' open'}"
                if done.returncode:
                    print(f"{name:12} {done.stderr.strip().splitlines()[-1]}")
                    continue
                found = json.loads(done.stdout)
                print(
                    f"{name:12} {found['variables']:>9} {found['left']:>5} "
                    f"{found['classes']:>11.3g} {found['verdict']:11} {found['culprits']:>8} "
                    f"{found['seconds']:>8.1f} {found['mib']:>6.0f}",
                    flush=True,
                )


if __name__ == "__main__":
    main()
