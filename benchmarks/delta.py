"""Islets in a delta: parts that branch, of which some are needed, with keys, ores and coins.

An islet hangs on an earlier one by a bridge, which asks for a toll, for a key of that earlier one,
or for nothing. Its doors use up keys of its own kind, of which as many as there are doors, or one
less, lie about; they are sold, too, and are the rewards of quests. Its ore lies there and in the
islet numbered before; quests, a recipe and a shop want it, and the recipe wants that of the other
islet as well. Coins lie everywhere. A sluice turns ways on and off. The beacon at the end asks for
what the recipes of two islets make.
"""

from __future__ import annotations

import random
from typing import Any

import yaml

from benchmarks.bazaar import sluice
from benchmarks.ridge import blank

SIZES = {"s": (1, 14), "m": (3, 20), "l": (6, 20), "xl": (20, 20)}
"""Islets, and areas of each."""
DOORS, QUESTS = (3, 7), (2, 5)


def delta(size: str, seed: int, one_way: bool = True) -> str:
    """The text of a delta; without `one_way` every way can be gone back."""
    r, (islets, count) = random.Random(f"delta {size} {seed} {one_way}"), SIZES[size]
    data = blank(f"Delta {size} {seed}", "i0_0", 60)
    data["areas"] = {f"i{i}_{n}": _area() for i in range(islets) for n in range(count)}
    needed = r.sample(range(islets), min(2, islets))
    for i in range(islets):
        names = [f"i{i}_{n}" for n in range(count)]
        _ways(data, i, names, r, one_way)
        _ores(data, i, names, max(0, i - 1), r)
        for n in range(r.randint(*QUESTS)):
            _quest(data, i, n, names, r)
        for area in r.sample(names, len(names) // 3):
            data["areas"][area]["finds"].append(r.choice(["coin", "2 coin", "3 coin"]))
        sluice(data, names, i, 3, r)
        if i:
            _bridge(data, i, r.randrange(i), count, r)
    data["areas"]["beacon"] = _area()
    end = data["areas"][f"i{islets - 1}_{count - 1}"]
    end["ways"].append({"to": "beacon", "needs": [f"lamp{i}" for i in sorted(needed)]})
    data["endings"] = {"lit": {"name": "The beacon is lit", "when": "at beacon"}}
    return str(yaml.safe_dump(data, sort_keys=False, width=200))


def _area() -> dict[str, Any]:
    return {"finds": [], "ways": [], "deeds": {}}


def _ways(data: dict[str, Any], i: int, names: list[str], r: random.Random, one_way: bool) -> None:
    """A tree of ways with doors, some ways across, and keys for the doors before them."""
    ways = []
    for n in range(1, len(names)):
        above = r.randrange(max(0, n - 5), n)
        way = {"to": names[n]}
        data["areas"][names[above]]["ways"].append(way)
        ways.append((above, way))
    for n in r.sample(range(3, len(names)), 2):
        across: dict[str, Any] = {"to": names[r.randrange(n - 1)], "id": f"across{i}_{n}"}
        data["areas"][names[n]]["ways"].append(across | ({"one_way": True} if one_way else {}))
    key = f"key{i}"
    data["items"][key] = {"name": f"Key {i}", "max": 9}
    doors = r.sample(ways, r.randint(*DOORS))
    for n, (above, way) in enumerate(doors):
        lock = way["lock"] = f"door{i}_{n}"
        data["locks"][lock] = {"name": f"Door {i} {n}", "takes": key}
        if n < len(doors) - r.randrange(2):
            data["areas"][names[r.randrange(above + 1)]]["finds"].append(key)


def _ores(data: dict[str, Any], i: int, names: list[str], other: int, r: random.Random) -> None:
    """The ore of an islet, found in another one too; what is made and bought of it."""
    ore = f"ore{i}"
    data["items"] |= {ore: {"name": f"Ore {i}", "max": 9}, f"lamp{i}": {"name": f"Lamp {i}"}}
    places = [*r.sample(names, 4), *(f"i{other}_{n}" for n in r.sample(range(len(names)), 1))]
    for area in places:
        data["areas"][area]["finds"].append(r.choice([ore, f"2 {ore}"]))
    near = names[: len(names) // 2]
    wanted = [f"2 {ore}", *([f"ore{other}"] if other != i else [])]
    data["recipes"][f"forge{i}"] = {
        "name": f"Forge lamp {i}",
        "at": r.choice(near),
        "takes": wanted,
        "gives": f"lamp{i}",
    }
    data["shops"][f"stall{i}"] = {
        "at": r.choice(near),
        "buys": {ore: r.randint(1, 3)},
        "sells": {f"key{i}": r.randint(2, 4), ore: r.randint(3, 5)},
    }


def _quest(data: dict[str, Any], i: int, n: int, names: list[str], r: random.Random) -> None:
    """A visit, a delivery, or both; the reward is a key, ore, or coins."""
    folk = f"folk{i}_{n}"
    data["people"][folk] = {"name": f"Folk {i} {n}", "at": r.choice(names)}
    goals: list[dict[str, Any]] = [
        {"visit": r.choice(names[1:])},
        {"deliver": f"ore{i}", "to": folk},
    ]
    goals = r.choice([goals, goals[:1], goals[1:]])
    reward = r.choice([f"key{i}", f"ore{i}", f"{r.randint(2, 5)} coin"])
    data["quests"][f"quest{i}_{n}"] = {
        "name": f"Quest {i} {n}",
        "from": folk,
        "goals": goals,
        "hand_in": folk,
        "reward": {"gives": reward},
    }


def _bridge(data: dict[str, Any], i: int, above: int, count: int, r: random.Random) -> None:
    """The way to an islet: open, or behind a lock with a toll or a key of the islet before."""
    way: dict[str, Any] = {"to": f"i{i}_0"}
    price = r.choice([None, f"{r.randint(2, 6)} coin", f"key{above}"])
    if price is not None:
        way["lock"] = f"bridge{i}"
        data["locks"][way["lock"]] = {"name": f"Bridge {i}", "takes": price}
    data["areas"][f"i{above}_{r.randrange(count // 2, count)}"]["ways"].append(way)
