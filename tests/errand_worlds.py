"""Small random worlds of errands: quests that count visits and complete themselves, happenings that
set marks, recipes, prices paid once, tools that wear, ropes that ways ask for and that can be sold,
put down or stored, pockets with little room. Plain data; every seed gives the same world."""

from __future__ import annotations

import random


def errand_world(seed):
    r = random.Random(seed)
    areas = [f"area{n}" for n in range(r.randint(3, 5))]
    body = {area: {"finds": [], "ways": [], "deeds": {}} for area in areas}
    world = {
        "zubrel": 1,
        "title": "Errands",
        "start": {"at": r.choice(areas[:2])},
        "items": {"rope": {"max": 1}},
        "areas": body,
        "locks": {},
        "facts": {},
    }
    body[r.choice(areas[:2])]["finds"].append("rope")
    features = [visiting, telling, mixing, paying, wearing, keeping, weighing, luring]
    asked = [word for feature in r.sample(features, r.randint(2, 4)) for word in feature(r, world)]
    for n in range(1, len(areas)):
        way = {"to": areas[n], "id": f"w{n}"}
        choice = r.random()
        if choice < 0.25:
            way["needs"] = r.choice(["rope", "rope", *asked])
        elif choice < 0.5 and asked:
            world["locks"][f"gate{n}"] = {"needs": r.choice(asked)}
            way["lock"] = f"gate{n}"
        if r.random() < 0.12:
            way["one_way"] = True
        body[areas[r.randrange(n)]]["ways"].append(way)
    losing(r, world)
    goal = f"at {areas[-1]}"
    if asked and r.random() < 0.7:
        goal += f" and {r.choice(asked)}"
    world["endings"] = {"won": {"when": goal}}
    if r.random() < 0.15:
        world["endings"]["lost"] = {"kind": "bad", "when": f"at {r.choice(areas[1:])} and not rope"}
    return {name: value for name, value in world.items() if value != {}}


def anywhere(r, world):
    return r.choice(list(world["areas"]))


def shell(r, world, name):
    """An item that lies somewhere."""
    world["items"].setdefault(name, {"max": 2})
    number = sum(len(area["finds"]) for area in world["areas"].values())
    find = {"item": name, "id": f"{name}_{number}"}
    world["areas"][anywhere(r, world)]["finds"].append(find)
    return name


def visiting(r, world):
    """A quest that counts visits, and completes itself or is handed in."""
    names = r.sample(["errand", "vigil"], r.choice([1, 1, 2]))
    for name in names:
        goals = [{"visit": anywhere(r, world)} for _ in range(r.choice([1, 1, 2]))]
        if r.random() < 0.4:
            goals.insert(r.randrange(len(goals) + 1), {"collect": shell(r, world, "shell")})
        quest = {"from": anywhere(r, world), "goals": goals}
        if r.random() < 0.4:
            quest["order"] = "in_turn"
        if r.random() < 0.3:
            quest["hand_in"] = anywhere(r, world)
        if r.random() < 0.4:
            world["items"].setdefault("key", {"max": 2})
            quest["reward"] = {"gives": "key"}
        if r.random() < 0.3:
            quest["needs"] = r.choice(["rope", "not rope"])
        world.setdefault("quests", {})[name] = quest
    words = [f"{name} is {state}" for name in names for state in ("done", "done", "active")]
    return [*words, *(["key"] if "key" in world["items"] else [])]


def telling(r, world):
    """A happening that sets facts."""
    world["facts"] |= {"bell": {}, "smoke": {}}
    when = [r.choice(["rope", shell(r, world, "lens"), f"{anywhere(r, world)} is visited"])]
    if r.random() < 0.6:
        when.append(f"{r.randint(1, 2)} {shell(r, world, 'shell')}")
    rings = {"id": "ring", "when": " and ".join(when), "sets": {"bell": True}}
    world["whenever"] = [rings]
    if r.random() < 0.4:
        world["whenever"].append({"id": "rise", "when": "bell", "sets": {"smoke": True}})
    if r.random() < 0.2:
        deed(r, world, "damp", sets={"bell": False})
    return ["bell", "bell", "smoke", "not smoke"]


def deed(r, world, name, **body):
    world["areas"][anywhere(r, world)]["deeds"][name] = body


def mixing(r, world):
    """A recipe whose parts are used up."""
    world["items"]["hook"] = {"max": r.choice([1, 1, 2])}
    parts = [shell(r, world, "shell"), shell(r, world, "reed")][: r.randint(1, 2)]
    recipe = {"takes": parts, "gives": "hook"}
    if r.random() < 0.5:
        recipe["at"] = anywhere(r, world)
    world["recipes"] = {"bend": recipe}
    if r.random() < 0.3:
        deed(r, world, "burn", takes=parts[0])
    return ["hook", "hook", "not hook"]


def paying(r, world):
    """Something that is sold for coins that are found."""
    world["items"] |= {"coin": {"kind": "money", "max": r.randint(2, 4)}, "lamp": {"max": 1}}
    for n in range(r.randint(1, 3)):
        world["areas"][anywhere(r, world)]["finds"].append({"item": "coin", "id": f"purse{n}"})
    stall = {"at": anywhere(r, world), "sells": {"lamp": r.randint(1, 2)}}
    if r.random() < 0.3:
        stall["sells"]["rope"] = 1
    if r.random() < 0.3:
        stall["buys"] = {"lamp": 1}
    world["shops"] = {"stall": stall}
    return ["lamp", "lamp", "not coin"]


def wearing(r, world):
    """A tool that is used up on a door, or on a fact."""
    world["items"]["bar"] = {"uses": r.randint(1, 2)}
    world["areas"][anywhere(r, world)]["finds"].append("bar")
    world["facts"]["pried"] = {}
    deed(r, world, "pry", wears="bar", sets={"pried": True})
    if r.random() < 0.4:
        deed(r, world, "poke", wears="bar")
    return ["pried", "pried", "bar"]


def keeping(r, world):
    """The rope, or something else, can be put down, or stored."""
    if r.random() < 0.7:
        world["items"]["rope"]["drop"] = True
        if r.random() < 0.5:
            world["items"]["keg"] = {"drop": True}
            world["areas"][anywhere(r, world)]["finds"].append("keg")
            return ["keg", "not keg"]
        return ["rope"]
    world["stores"] = {"chest": {"at": anywhere(r, world), "keeps": ["rope"]}}
    return ["rope"]


def weighing(r, world):
    """Little can be carried."""
    shell(r, world, "shell")
    world["carry"] = [{"limit": r.randint(1, 3)}]
    return ["shell", "2 shell"]


def luring(r, world):
    """Something that only ever takes."""
    deed(r, world, "throw", takes=shell(r, world, "shell"), sets={"thrown": True})
    world["facts"]["thrown"] = {}
    return ["thrown"]


def losing(r, world):
    """The rope can be lost, and perhaps be had again."""
    if r.random() < 0.5:
        deed(r, world, "cut", loses="rope")
    if r.random() < 0.3:
        deed(r, world, "twist", gives="rope")
