"""How long it takes to prove all deals together, in times of proving a single one.

`python -m benchmarks.deals` prints a line for each number of items and areas, and how many items an
area gets at most. The world is a hall with areas around it; the way to one of them needs an item
that may lie in it.
"""

from __future__ import annotations

import time

from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.checked.deals import number_of_deals
from zubrel.pipeline import report

SIZES = ((4, 6, 1), (6, 8, 1), (8, 10, 1), (12, 10, 12))
LIMIT = 300.0
"""Seconds after which a row is given up."""


def hall(items: int, areas: int, per_place: int, fixed: bool) -> str:
    """The world as YAML text; `fixed`: each item lies in one area in every play."""
    keys = [f"key{n}" for n in range(items)]
    around = [f"area{n}" for n in range(areas)]
    over = f"of: [{', '.join(keys)}], over: [{', '.join(around)}], per_place: {per_place}"
    ways = ["{to: area3, needs: key3}" if a == "area3" else a for a in around]
    finds = dict.fromkeys(around, "")
    if fixed:
        for number, key in enumerate(keys):
            place = around[(number + 4) % areas]
            finds[place] += f"{key}, "
    lines = [
        "zubrel: 1",
        "title: A hall",
        "start: {at: hall" + ("" if fixed else f", deal: {{{over}}}") + "}",
        f"items: {{{', '.join(f'{k}: {k}' for k in keys)}}}",
        "areas:",
        f"  hall: {{ways: [{', '.join(ways)}]}}",
        *(f"  {area}: {{finds: [{lies}]}}" for area, lies in finds.items()),
        f"endings: {{won: {{when: {' and '.join(keys)}}}}}",
    ]
    return "\n".join(lines) + "\n"


def seconds_of(text: str) -> tuple[float, str, int | None]:
    """How long a proof takes, the engine that made it, and the situations."""
    world, began = loads(text), time.process_time()
    told = report(world, Budget(Limits(seconds=LIMIT)), with_reasons=False)
    assert told.complete, "every situation was searched"
    return time.process_time() - began, told.engine, told.situations


def main() -> None:
    print("| items | areas | deals | situations | engine | seconds | times one deal |")
    print("|---:|---:|---:|---:|---|---:|---:|")
    for items, areas, per_place in SIZES:
        once, _, _ = seconds_of(hall(items, areas, per_place, fixed=True))
        text = hall(items, areas, per_place, fixed=False)
        deals = number_of_deals(loads(text).deals)
        seconds, engine, situations = seconds_of(text)
        many = "not counted" if situations is None else f"{situations:,}"
        print(
            f"| {items} | {areas} | {deals:,} | {many} | {engine} | {seconds:.1f} | "
            f"{seconds / once:.0f} |",
            flush=True,
        )


if __name__ == "__main__":
    main()
