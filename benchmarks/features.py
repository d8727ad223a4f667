"""What each feature of the language costs: how many variables it leaves in an easy world.

A world of six areas behind locks that the reductions fold into nothing gets one feature at a time.
Printed are the variables that are left of it, those that are left of the rest of the world because
of it (the real cost: it should be none), and the reductions without which more would be left.
Run with `python -m benchmarks.features`.
"""

from __future__ import annotations

import copy
from collections.abc import Callable
from typing import Any

import yaml

from zubrel.api import loads
from zubrel.compiled.compile import compile_world
from zubrel.reduced.reduce import EVERY, reduce

World = dict[str, Any]
ROOMS = 6


def easy() -> World:
    """Areas in a row, each behind a lock whose key lies in the one before, and shells to find."""
    areas: World = {}
    for n in range(ROOMS):
        areas[f"room_{n}"] = {"finds": [f"key_{n}", f"shell_{n}"], "ways": []}
        if n:
            areas[f"room_{n - 1}"]["ways"].append({"to": f"room_{n}", "lock": f"door_{n}"})
    things = [f"{kind}_{n}" for kind in ("key", "shell") for n in range(ROOMS)]
    return {
        "zubrel": 1,
        "start": {"at": "room_0"},
        "items": {thing: thing.replace("_", " ") for thing in things},
        "areas": areas,
        "locks": {f"door_{n}": {"needs": f"key_{n - 1}"} for n in range(1, ROOMS)},
        "endings": {"won": {"when": f"at room_{ROOMS - 1} and key_{ROOMS - 1}"}},
    }


def _area(world: World, number: int) -> World:
    area: World = world["areas"][f"room_{number}"]
    return area


def _deed(world: World, number: int, name: str, **body: Any) -> None:
    _area(world, number).setdefault("deeds", {})[name] = body


def _asks(world: World, condition: str) -> None:
    """The last way asks for something more."""
    world["locks"][f"door_{ROOMS - 1}"]["needs"] = [f"key_{ROOMS - 2}", condition]


def spent_key(world: World) -> None:
    world["locks"]["door_2"] = {"takes": "key_1"}


def shared_keys(world: World) -> None:
    world["items"]["small_key"] = {"name": "Small key", "max": 3}
    for n in (1, 2, 3):
        _area(world, n)["finds"].append("small_key")
        world["locks"][f"door_{n + 1}"] = {"takes": "small_key"}


def one_way_drop(world: World) -> None:
    _area(world, 1)["ways"].append({"to": "room_3", "one_way": True, "id": "drop"})


def sluice(world: World) -> None:
    world["facts"] = {"sluice": {}}
    _deed(world, 0, "pull", sets={"sluice": True})
    _deed(world, 3, "push", sets={"sluice": False})
    _asks(world, "sluice")


def lever_here(world: World) -> None:
    world["facts"] = {"lever": {}}
    _deed(world, 4, "switch", toggles="lever")
    _asks(world, "lever")


def money(world: World) -> None:
    world["items"]["coin"] = {"name": "Coin", "kind": "money", "max": 99}
    world["items"]["rope"] = "Rope"
    for n in range(3):
        _area(world, n)["finds"].append({"item": "coin", "count": 5})
    world["shops"] = {"stall": {"at": "room_2", "sells": {"rope": 8}}}
    _asks(world, "rope")


def selling(world: World) -> None:
    money(world)
    world["shops"]["stall"]["buys"] = {f"shell_{n}": 2 for n in range(3)}


def spring(world: World) -> None:
    world["items"]["water"] = {"name": "Water", "max": 3}
    _deed(world, 1, "draw", gives="water")
    _deed(world, 4, "pour", takes="2 water", sets={"wet": True})
    world["facts"] = {"wet": {}}
    _asks(world, "wet")


def tool(world: World) -> None:
    world["items"]["crowbar"] = {"name": "Crowbar", "uses": 2}
    _area(world, 0)["finds"].append("crowbar")
    world["locks"]["door_3"] = {"wears": "crowbar"}


def tool_bought_again(world: World) -> None:
    tool(world)
    money(world)
    world["shops"]["stall"]["sells"] = {"crowbar": 2, "rope": 8}


def carry(world: World) -> None:
    world["carry"] = [{"limit": 9}]


def droppable(world: World) -> None:
    world["items"]["lamp"] = {"name": "Lamp", "drop": True}
    _area(world, 0)["finds"].append("lamp")
    _asks(world, "lamp")


def store(world: World) -> None:
    world["items"]["lens"] = "Lens"
    _area(world, 0)["finds"].append("lens")
    world["stores"] = {"chest": {"at": "room_1", "keeps": ["lens"]}}
    _asks(world, "lens")


def meter(world: World) -> None:
    world["meters"] = {"tide": {"to": 5, "start": 0}}
    _deed(world, 2, "wait", adds={"tide": 1})
    _asks(world, "tide >= 3")


def happening(world: World) -> None:
    world["facts"] = {"bell": {}}
    world["whenever"] = [{"id": "ring", "when": "shell_2 and shell_3", "sets": {"bell": True}}]
    _asks(world, "bell")


def recipe(world: World) -> None:
    world["items"]["hook"] = "Hook"
    world["recipes"] = {"bend": {"takes": ["shell_1", "shell_2"], "gives": "hook"}}
    _asks(world, "hook")


def _quest(world: World, goal: World, **more: Any) -> None:
    world["people"] = {"keeper": {"at": "room_1", "talk": [{"says": "Hm."}]}}
    world["quests"] = {"errand": {"from": "keeper", "goals": [goal], **more}}
    _asks(world, "errand is done")


def quest_collect(world: World) -> None:
    _quest(world, {"collect": "shell_3"})


def quest_visit(world: World) -> None:
    _quest(world, {"visit": "room_3"})


def quest_itself(world: World) -> None:
    world["facts"] = {"asked": {}}
    _deed(world, 1, "listen", starts="errand")
    world["quests"] = {"errand": {"goals": [{"visit": "room_3"}]}}
    _asks(world, "errand is done")


def talk(world: World) -> None:
    world["facts"] = {"known": {}}
    world["people"] = {
        "keeper": {"at": "room_1", "talk": [{"says": "Go on.", "sets": {"known": True}}]}
    }
    _asks(world, "known")


def foe(world: World) -> None:
    world["items"]["club"] = {"name": "Club", "uses": 3}
    _area(world, 0)["finds"].append("club")
    world["foes"] = {"rat": {"at": "room_2", "count": 2, "wears": "club"}}
    _asks(world, "rat is beaten")


def chance(world: World) -> None:
    world["facts"] = {"calm": {}}
    outcomes = [{"odds": 1, "sets": {"calm": True}}, {"odds": 1, "sets": {"calm": False}}]
    _deed(world, 3, "look", chance=outcomes)
    _asks(world, "calm")


def bad_ending(world: World) -> None:
    _deed(world, 3, "jump", ends="drowned")
    world["endings"]["drowned"] = {"kind": "bad"}


FEATURES: tuple[Callable[[World], None], ...] = (
    spent_key,
    shared_keys,
    one_way_drop,
    sluice,
    lever_here,
    money,
    selling,
    spring,
    tool,
    tool_bought_again,
    carry,
    droppable,
    store,
    meter,
    happening,
    recipe,
    quest_collect,
    quest_visit,
    quest_itself,
    talk,
    foe,
    chance,
    bad_ending,
)


def main() -> None:
    base = set(_left(easy(), EVERY)[0])
    total = _left(easy(), EVERY)[1]
    print(f"easy world: {total} variables, {len(base)} left: {_named(base)}")
    print(f"{'feature':18} {'own':>4} {'left':>5} {'of the rest':>12}  needs")
    for feature in FEATURES:
        world = copy.deepcopy(easy())
        feature(world)
        left, _ = _left(world, EVERY)
        old = set(_left(easy(), ())[0])
        rest = (set(left) & old) - base
        helping = [
            name
            for name in EVERY
            if len(_left(world, tuple(n for n in EVERY if n != name))[0]) > len(left)
        ]
        own = len(set(_left(world, ())[0]) - old)
        new = len(set(left) - old)
        name = feature.__name__.replace("_", " ")
        print(f"{name:18} {own:>4} {new:>5} {len(rest):>12}  {', '.join(helping)}")


def _left(world: World, using: tuple[str, ...]) -> tuple[list[tuple[str, str]], int]:
    """The keys of the variables that are left, and how many there were."""
    system = compile_world(loads(yaml.safe_dump(world, sort_keys=False)))
    left = reduce(system, (), using).system.variables
    keys = [v.key for v, smaller in zip(system.variables, left, strict=True) if smaller.size > 1]
    return keys, sum(v.size > 1 for v in system.variables)


def _named(keys: set[tuple[str, str]]) -> str:
    return ", ".join(" ".join(key) for key in sorted(keys))


if __name__ == "__main__":
    main()
