"""Two families that are made otherwise than realms: python -m benchmarks.full village s m l.

A *village* gathers, crafts, sells and delivers: resources that grow again, recipes in two steps, a
shop that buys and sells, quests with visits, talks and deliveries, keys as rewards. *Depths* are
shafts with drops that lead nowhere back, a lamp whose uses are filled up in some places, and gifts
that open what lies deeper. Their structure is drawn from a seed.
"""

from __future__ import annotations

import random
from typing import Any

import yaml

SIZES = {"s": 6, "m": 12, "l": 24}
"""Areas of a village; depths have four times as many."""


def village(size: str, seed: int, one_way: bool = True) -> str:
    """The text of a village; with `one_way`, some things that are wanted can be sold."""
    r, count = random.Random(f"village {size} {seed} {one_way}"), SIZES[size]
    areas: dict[str, Any] = {f"a{n}": {"finds": [], "ways": []} for n in range(count)}
    items: dict[str, Any] = {"coin": {"name": "Coin", "kind": "money", "max": 12}}
    data: dict[str, Any] = {
        "zubrel": 1,
        "title": f"Village {size} {seed}",
        "start": {"at": "a0"},
        "items": items,
        "areas": areas,
        "locks": {},
        "people": {},
        "recipes": {},
        "quests": {},
        "shops": {"stall": {"at": "a1", "buys": {}, "sells": {}}},
    }
    for n in range(1, count):
        areas[f"a{r.randrange(max(0, n - 4), n)}"]["ways"].append(f"a{n}")
    for n in range(count // 3):
        items[f"herb{n}"] = {"name": f"Herb {n}", "max": 3}
        areas[f"a{r.randrange(count // 2)}"]["finds"].append(
            {"item": f"herb{n}", "again": "always"}
        )
        items[f"brew{n}"] = {"name": f"Brew {n}", "max": 2}
        takes = [f"herb{n}", f"2 herb{r.randrange(n + 1)}"] if r.random() < 0.5 else [f"2 herb{n}"]
        data["recipes"][f"boil{n}"] = {
            "name": f"Boil brew {n}",
            "at": f"a{r.randrange(count // 2)}",
            "takes": list(dict.fromkeys(takes)),
            "gives": f"brew{n}",
        }
        data["shops"]["stall"]["buys"][f"brew{n}"] = r.randint(1, 3)
    for n in range(max(2, count // 4)):
        _quest(data, n, count, r)
    items["lamp"] = {"name": "Lamp", "max": 1}
    data["shops"]["stall"]["sells"]["lamp"] = {"price": 5, "stock": 1} if one_way else 5
    data["shops"]["stall"]["buys"]["lamp"] = 2
    areas["beacon"] = {}
    areas[f"a{count - 1}"]["ways"].append({"to": "beacon", "needs": "lamp"})
    data["endings"] = {"won": {"name": "Won", "when": "at beacon"}}
    return str(yaml.safe_dump(data, sort_keys=False, width=200))


def _quest(data: dict[str, Any], n: int, count: int, r: random.Random) -> None:
    """A quest whose reward is a key, used up on a way deeper into the village, or coins."""
    data["people"][f"folk{n}"] = {
        "name": f"Folk {n}",
        "at": f"a{r.randrange(count // 2)}",
        "talk": [{"id": f"folk{n}_talk", "says": "Good day."}],
    }
    brew = r.randrange(count // 3)
    goals = [{"deliver": f"brew{brew}", "to": f"folk{n}"}]
    if r.random() < 0.5:
        goals.append({"visit": f"a{r.randrange(count // 2)}"})
    reward: dict[str, Any] = {"gives": f"{r.randint(2, 4)} coin"}
    ways = [w for a in data["areas"].values() for w in a["ways"] if isinstance(w, str)]
    deep = [w for w in ways if int(w[1:]) >= count // 2]
    if deep and r.random() < 0.8:
        lock = f"lock{n}"
        data["items"][f"key{n}"] = {"name": f"Key {n}"}
        data["locks"][lock] = {"name": f"Lock {n}", "takes": f"key{n}"}
        target = r.choice(deep)
        for area in data["areas"].values():
            area["ways"] = [{"to": w, "lock": lock} if w == target else w for w in area["ways"]]
        reward = {"gives": f"key{n}"}
    data["quests"][f"quest{n}"] = {
        "name": f"Quest {n}",
        "from": f"folk{n}",
        "goals": goals,
        "hand_in": f"folk{n}",
        "reward": reward,
    }


def depths(size: str, seed: int, one_way: bool = True) -> str:
    """The text of depths; without `one_way` every drop can be climbed again."""
    r, count = random.Random(f"depths {size} {seed} {one_way}"), 4 * SIZES[size]
    areas: dict[str, Any] = {f"a{n}": {"finds": [], "ways": [], "deeds": {}} for n in range(count)}
    items: dict[str, Any] = {
        "lamp": {"name": "Lamp", "uses": 4},
        "oil": {"name": "Oil", "max": 2},
    }
    for n in range(1, count):
        above = f"a{r.randrange(max(0, n - 3), n)}"
        way: dict[str, Any] = {"to": f"a{n}"}
        if r.random() < 0.3:
            way |= {"one_way": True} if one_way else {}
            areas[f"a{n}"]["ways"].append({"to": f"a{r.randrange(n)}", "one_way": True})
        if r.random() < 0.4:
            way["wears"] = "lamp"
        elif n > 2 and r.random() < 0.5:
            gift = f"gift{n}"
            items[gift] = {"name": f"Gift {n}"}
            areas[f"a{r.randrange(n)}"]["finds"].append(gift)
            way["needs"] = gift
        areas[above]["ways"].append(way)
    for n in r.sample(range(count), max(2, count // 5)):
        areas[f"a{n}"]["finds"].append({"item": "oil", "again": "always"})
    areas["a0"]["finds"].append("lamp")
    trim = {"name": "Fill the lamp", "takes": "oil", "loses": "lamp", "gives": "lamp"}
    deeds = {"fill": {**trim, "once": False}}
    areas["top"] = {}
    areas[f"a{count - 1}"]["ways"].append({"to": "top", "one_way": True, "wears": "lamp"})
    data = {
        "zubrel": 1,
        "title": f"Depths {size} {seed}",
        "start": {"at": "a0"},
        "items": items,
        "areas": areas,
        "deeds": deeds,
        "endings": {"won": {"name": "Won", "when": "at top"}},
    }
    return str(yaml.safe_dump(data, sort_keys=False, width=200))
