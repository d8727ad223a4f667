"""One measurement in a process of its own: python -m benchmarks.one WHO FAMILY SIZES..."""

from __future__ import annotations

import json
import resource
import sys
import time

from benchmarks.script import count
from benchmarks.worlds import ring


def peak() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def main() -> None:
    who, _family, *sizes = sys.argv[1:]
    text, plain = ring(*map(int, sizes))
    if who == "script":
        before, began = peak(), time.process_time()
        situations = count(plain)
        extra = {}
    else:
        situations, before, began, extra = measure_zubrel(text, who)
    seconds = time.process_time() - began
    print(
        json.dumps(
            {
                "situations": situations,
                "seconds": seconds,
                "bytes": (peak() - before) / situations,
                **extra,
            }
        )
    )


def measure_zubrel(text: str, who: str) -> tuple[int, int, float, dict[str, float]]:
    """The forward search alone, with all findings (`findings`), or by `islands`, no edges kept."""
    from zubrel.authored.document import document_of
    from zubrel.base.budget import Budget, Limits
    from zubrel.base.progress import Silence
    from zubrel.base.source import Source
    from zubrel.checked.check import check
    from zubrel.compiled.compile import compile_world
    from zubrel.explored.explore import explore
    from zubrel.findings.find import find

    system = compile_world(check(document_of(Source.of("bench.yaml", text), text)))
    # start-up is not what is compared here
    from zubrel.explored.listed.islands import search_islands

    before, began = peak(), time.process_time()
    if who == "islands":
        found = search_islands(system, Budget(Limits()), Silence(), with_edges=False)
        return found.situations, before, began, {"nodes": found.nodes}
    space = explore(system, Budget(Limits(engine="explicit")), Silence())
    extra = {}
    if who == "findings":
        forward = time.process_time() - began
        find(space)
        extra["forward"] = forward
    return space.count(space.everything), before, began, extra


if __name__ == "__main__":
    main()
