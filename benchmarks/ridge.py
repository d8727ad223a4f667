"""Mining ridges: chapters that share keys, ores and coins, told apart from realms by their quests.

Every chapter has areas of its own, behind the gate of the one before. Its doors use up one kind of
key, which lies about, is sold, and is the reward of quests; its two ores lie about in small numbers
and are wanted by quests, by a recipe and by a shop; coins lie everywhere and are one kind for the
whole ridge. Quests ask for visits and deliveries; a sluice turns some ways on and off.
"""

from __future__ import annotations

import random
from typing import Any

import yaml

from benchmarks.bazaar import sluice

SIZES = {"s": (1, 12), "m": (3, 20), "l": (6, 20), "xl": (18, 20)}
"""Chapters, and areas of each."""
DOORS, QUESTS, ORES = 5, 3, 2
COINS = 6
"""Places with coins in a chapter."""


def ridge(size: str, seed: int, one_way: bool = True) -> str:
    """The text of a ridge; without `one_way` all can be gone back, and one ore grows again."""
    r, (chapters, count) = random.Random(f"ridge {size} {seed} {one_way}"), SIZES[size]
    data = blank(f"Ridge {size} {seed}", "a0_0", 30)
    for chapter in range(chapters):
        _chapter(data, chapter, count, r, one_way)
        if chapter:
            gate = f"gate{chapter}"
            data["locks"][gate] = {"name": f"Gate {chapter}", "takes": f"bar{chapter - 1}"}
            end = data["areas"][f"a{chapter - 1}_{count - 1}"]
            end["ways"].append({"to": f"a{chapter}_0", "lock": gate})
    data["areas"]["summit"] = {"finds": [], "ways": []}
    last = data["areas"][f"a{chapters - 1}_{count - 1}"]
    last["ways"].append({"to": "summit", "needs": f"bar{chapters - 1}"})
    data["endings"] = {"won": {"name": "Won", "when": "at summit"}}
    return str(yaml.safe_dump(data, sort_keys=False, width=200))


def blank(title: str, start: str, most: int) -> dict[str, Any]:
    """A world with nothing in it yet but coins, of which so many can be held."""
    sections = ("facts", "areas", "locks", "people", "recipes", "quests", "shops")
    return {
        "zubrel": 1,
        "title": title,
        "start": {"at": start},
        "items": {"coin": {"name": "Coin", "kind": "money", "max": most}},
        **{section: {} for section in sections},
    }


def _chapter(data: dict[str, Any], c: int, count: int, r: random.Random, one_way: bool) -> None:
    areas = {f"a{c}_{n}": {"finds": [], "ways": [], "deeds": {}} for n in range(count)}
    data["areas"] |= areas
    names = list(areas)
    ways: list[tuple[int, dict[str, Any]]] = []
    for n in range(1, count):
        way = {"to": names[n]}
        above = r.randrange(max(0, n - 4), n)
        areas[names[above]]["ways"].append(way)
        ways.append((above, way))
    if one_way:
        for n in r.sample(range(2, count), 2):
            areas[names[n]]["ways"].append({"to": names[r.randrange(n)], "one_way": True})
    _doors(data, c, r, ways)
    _ores(data, c, names, r, one_way)
    for n in range(QUESTS):
        _quest(data, c, n, names, r)
    for area in r.sample(names, COINS):
        areas[area]["finds"].append(r.choice(["coin", "2 coin"]))
    sluice(data, names, c, 2, r)


def _doors(
    data: dict[str, Any], c: int, r: random.Random, ways: list[tuple[int, dict[str, Any]]]
) -> None:
    """Doors that use up the key of their chapter, of which all but two lie before some door."""
    key = f"key{c}"
    data["items"][key] = {"name": f"Key {c}", "max": 9}
    for n, (above, way) in enumerate(r.sample(ways, min(DOORS, len(ways)))):
        lock = f"door{c}_{n}"
        data["locks"][lock] = {"name": f"Door {c} {n}", "takes": key}
        way["lock"] = lock
        if n >= 2:
            place = f"a{c}_{r.randrange(above + 1)}"
            data["areas"][place]["finds"].append(key)


def _ores(data: dict[str, Any], c: int, names: list[str], r: random.Random, one_way: bool) -> None:
    """Ores in small numbers, a recipe that makes the bar of the gate, a shop for both and keys."""
    near = names[: len(names) // 2]
    for n in range(ORES):
        ore = f"ore{c}_{n}"
        data["items"][ore] = {"name": f"Ore {c} {n}", "max": 9}
        for area in r.sample(names[: 2 * len(names) // 3], 4):
            data["areas"][area]["finds"].append(r.choice([ore, f"2 {ore}"]))
    data["items"][f"bar{c}"] = {"name": f"Bar {c}", "max": 3}
    data["recipes"][f"smelt{c}"] = {
        "name": f"Smelt bar {c}",
        "at": r.choice(near),
        "takes": [f"2 ore{c}_0", f"ore{c}_1"],
        "gives": f"bar{c}",
    }
    if not one_way:
        spring = {"item": f"ore{c}_0", "again": "always"}
        data["areas"][r.choice(near)]["finds"].append(spring)
    data["shops"][f"stall{c}"] = {
        "at": r.choice(near),
        "buys": {f"ore{c}_{n}": r.randint(1, 2) for n in range(ORES)},
        "sells": {f"key{c}": r.randint(2, 3)},
    }


def _quest(data: dict[str, Any], c: int, n: int, names: list[str], r: random.Random) -> None:
    """A visit, a delivery of ore, or both; the reward is a key of the chapter, or coins."""
    folk = f"folk{c}_{n}"
    data["people"][folk] = {
        "name": f"Folk {c} {n}",
        "at": r.choice(names[: len(names) // 2]),
        "talk": [{"id": f"{folk}_talk", "says": "Good day."}],
    }
    goals: list[dict[str, Any]] = []
    if r.random() < 0.6:
        goals.append({"visit": r.choice(names[1:])})
    if not goals or r.random() < 0.6:
        goals.append({"deliver": f"{r.randint(1, 2)} ore{c}_{r.randrange(ORES)}", "to": folk})
    data["quests"][f"quest{c}_{n}"] = {
        "name": f"Quest {c} {n}",
        "from": folk,
        "goals": goals,
        "hand_in": folk,
        "reward": {"gives": f"key{c}" if r.random() < 0.6 else f"{r.randint(2, 4)} coin"},
    }
