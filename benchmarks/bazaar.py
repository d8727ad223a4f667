"""Realms in which doors share keys, shops sell them, and sluices turn ways on and off.

A realm (see families) of which every chapter gets a small key that some of its doors use up and of
which at most nine are held, coins, a shop that sells the key, in some chapters a pan where salt can
be sold for ever, and a sluice with a lever at each end of the ways that ask for it.
"""

from __future__ import annotations

import random
from typing import Any

import yaml

from benchmarks.families import SIZES, realm

PRICE = 2


def bazaar(size: str, seed: int, one_way: bool = True) -> str:
    """The text of such a realm; the same numbers give the same world."""
    data = yaml.safe_load(realm(size, seed, one_way))
    data["title"] = f"Bazaar {size} {seed}"
    r = random.Random(f"bazaar {size} {seed} {one_way}")
    areas = data["areas"]
    data |= {"facts": {}, "shops": {}}
    data["items"]["coin"] = {"kind": "money", "max": 9}
    count = SIZES[size][0] // 20
    for chapter in range(count):
        here = [a for n, a in enumerate(areas) if min(n // 20, count - 1) == chapter]
        _small_keys(data, here, chapter, r)
        _trade(data, here, chapter, r)
        sluice(data, here, chapter, 3, r)
    return str(yaml.safe_dump(data, sort_keys=False, width=200))


def _small_keys(data: dict[str, Any], here: list[str], chapter: int, r: random.Random) -> None:
    """Half of the doors in a chapter use up the same kind of key; each has left one lying there."""
    key = f"key{chapter}"
    data["items"][key] = {"name": f"Key {chapter}", "max": 9}
    doors = [w["lock"] for a in here for w in data["areas"][a]["ways"] if "lock" in w]
    for door in doors:
        if r.random() < 0.5:
            thing = next(iter(data["locks"][door].values()))
            data["locks"][door] = {"takes": key}
            for area in data["areas"].values():
                area["finds"] = [key if find == thing else find for find in area["finds"]]


def _trade(data: dict[str, Any], here: list[str], chapter: int, r: random.Random) -> None:
    """Coins, a shop that sells the key of the chapter, and perhaps a pan that gives coins."""
    for area in r.sample(here, 3):
        data["areas"][area]["finds"].append("coin")
    data["shops"][f"stall{chapter}"] = {"at": r.choice(here), "sells": {f"key{chapter}": PRICE}}
    if r.random() < 0.5:
        pan = {f"pan{chapter}": {"name": "Scrape salt and sell it", "gives": "coin"}}
        data["areas"][r.choice(here)]["deeds"] = pan


def sluice(
    data: dict[str, Any], here: list[str], chapter: int, most: int, r: random.Random
) -> None:
    """A fact that up to `most` ways ask for, the one or the other way, with levers at both ends."""
    fact = f"sluice{chapter}"
    data["facts"][fact] = {"start": False}
    plain = [(a, w) for a in here for w in data["areas"][a]["ways"] if set(w) == {"to"}]
    for area, way in r.sample(plain, min(most, len(plain))):
        way["needs"] = fact if r.random() < 0.5 else f"not {fact}"
        for end in (area, way["to"]):
            deeds = data["areas"][end].setdefault("deeds", {})
            for value, word in ((True, "Open"), (False, "Shut")):
                name = f"{word.lower()}{chapter}_{end}"
                deeds[name] = {"name": f"{word} the sluice", "sets": {fact: value}}
