"""Small random worlds that are hard on reductions: passages without return, levers that work from
one side, locks opened from elsewhere, keys that several doors use up, limits that bind, endings
that can be lost again. Plain data; every seed gives the same world."""

from __future__ import annotations

import random


def stress_world(seed):
    r = random.Random(seed)
    areas = [f"area{n}" for n in range(r.randint(3, 6))]
    keys = [f"key{n}" for n in range(r.randint(1, 3))]
    locks = {f"gate{n}": lock(r, areas, keys) for n in range(r.randint(1, 3))}
    facts = {"sluice": {"start": r.random() < 0.5}} if r.random() < 0.6 else {}
    body = {area: {"finds": [], "ways": [], "deeds": {}} for area in areas}
    for n in range(1, len(areas)):
        body[areas[r.randrange(n)]]["ways"].append(way(r, areas[n], locks, facts, keys, f"w{n}"))
    for n in range(r.randint(0, 3)):
        a, b = r.sample(areas, 2)
        slide = way(r, b, locks, facts, keys, f"s{n}")
        body[a]["ways"].append({**slide, "one_way": r.random() < 0.8})
    for n in range(r.randint(1, 5)):
        find = {"item": r.choice(keys), "id": f"find{n}"}
        if r.random() < 0.2:
            find["needs"] = asked(r, locks, facts, keys)
        body[r.choice(areas)]["finds"].append(find)
    for n in range(r.randint(0, 3)):
        body[r.choice(areas)]["deeds"][f"deed{n}"] = deed(r, locks, facts, keys, areas)
    world = {
        "zubrel": 1,
        "title": "Stress",
        "start": {"at": areas[0]},
        "items": {
            k: {"max": r.randint(1, 2), **({"when_full": "waste"} if r.random() < 0.15 else {})}
            for k in keys
        },
        "areas": body,
        "locks": locks,
        "endings": {"won": {"when": goal(r, areas, keys, facts)}},
    }
    if facts:
        world["facts"] = facts
    if r.random() < 0.3:
        world["start"]["holding"] = r.choice(keys)
    if r.random() < 0.2:
        world["endings"]["lost"] = {"kind": "bad", "when": f"at {r.choice(areas[1:])}"}
    if r.random() < 0.2 and len(keys) > 1:
        world["carry"] = [{"limit": r.randint(1, 2), "of": keys}]
    return world


def lock(r, areas, keys):
    found = {r.choice(["takes", "needs"]): r.choice(keys)}
    if r.random() < 0.25:
        found = {
            "either": [
                {"label": "a", "takes": r.choice(keys)},
                {"label": "b", "needs": f"2 {r.choice(keys)}"},
            ]
        }
    if r.random() < 0.35:
        found["from"] = r.sample(areas, r.randint(1, 2))
    if r.random() < 0.1:
        found["relocks"] = "passing"
    return found


def asked(r, locks, facts, keys):
    kinds = ["key", "key", "no key", "two", "open"] + ["fact", "no fact"] * bool(facts)
    match r.choice(kinds):
        case "key":
            return r.choice(keys)
        case "no key":
            return f"not {r.choice(keys)}"
        case "two":
            return f"{r.choice(keys)} or {r.choice(keys)}"
        case "open":
            return f"{r.choice(list(locks))} is {r.choice(['open', 'shut'])}"
        case "fact":
            return "sluice"
    return "not sluice"


def way(r, end, locks, facts, keys, name):
    found = {"to": end, "id": name}
    if r.random() < 0.5:
        found["lock"] = r.choice(list(locks))
    elif r.random() < 0.3:
        found["needs"] = asked(r, locks, facts, keys)
    if r.random() < 0.2:
        found["one_way"] = True
    return found


def deed(r, locks, facts, keys, areas):
    found = {"name": "Do it"}
    if r.random() < 0.4:
        found["needs"] = asked(r, locks, facts, keys)
    if facts and r.random() < 0.6:
        found["sets"] = {"sluice": r.random() < 0.5}
    elif r.random() < 0.3:
        found[r.choice(["opens", "shuts"])] = r.choice(list(locks))
    if r.random() < 0.3:
        found[r.choice(["takes", "gives"])] = r.choice(keys)
    if r.random() < 0.2:
        found["moves_to"] = r.choice(areas)
    if r.random() < 0.3:
        found["once"] = True
    if r.random() < 0.15:
        gift = {"gives": r.choice(keys)} if r.random() < 0.5 else {"loses": f"all {keys[0]}"}
        return {"name": "Try it", "chance": [{"odds": 1, **gift}, {"odds": 1}]}
    return found


def goal(r, areas, keys, facts):
    words = f"at {areas[-1]}"
    if r.random() < 0.4:
        words += f" and {r.choice(keys)}"
    if facts and r.random() < 0.2:
        words += " and sluice"
    return r.choice(keys) + f" and {words}" if r.random() < 0.1 else words


def trade_world(seed):
    """Small worlds of trade: coins and keys with limits, sources that never end, levers, doors.

    Most ways can be walked to and fro, so that much of it hangs together.
    """
    r = random.Random(seed)
    areas = [f"area{n}" for n in range(r.randint(2, 4))]
    held = ["coin", "key"][: r.randint(1, 2)]
    most = {item: r.randint(1, 3) for item in held}
    locks = {f"gate{n}": trade_lock(r, held, most) for n in range(r.randint(1, 3))}
    body = {area: {"finds": [], "ways": [], "deeds": {}} for area in areas}
    for n in range(1, len(areas)):
        way = {"to": areas[n], "id": f"w{n}"}
        if r.random() < 0.6:
            way["lock"] = r.choice(list(locks))
        elif r.random() < 0.4:
            way["needs"] = r.choice(["sluice", "not sluice"])
        body[areas[r.randrange(n)]]["ways"].append(way)
    if r.random() < 0.5:
        a, b = r.sample(areas, 2)
        slide = {"to": b, "id": "slide", "one_way": True}
        if r.random() < 0.5:
            slide["lock"] = r.choice(list(locks))
        body[a]["ways"].append(slide)
    for n in range(r.randint(1, 4)):
        body[r.choice(areas[:2])]["finds"].append({"item": r.choice(held), "id": f"find{n}"})
    for n in range(r.randint(0, 3)):
        item, other = r.choice(held), r.choice(held)
        deed = {"name": "Trade", "gives": item}
        if r.random() < 0.5 and other != item:
            deed["takes"] = f"{r.randint(1, most[other])} {other}"
        elif r.random() < 0.4:
            deed["needs"] = f"{r.choice(list(locks))} is open"
        if r.random() < 0.2:
            deed["once"] = True
        body[r.choice(areas)]["deeds"][f"deed{n}"] = deed
    for area in areas:
        if r.random() < 0.5:
            for value in (True, False):
                pull = {"name": "Pull", "sets": {"sluice": value}}
                body[area]["deeds"][f"pull_{value}_{area}".lower()] = pull
    full = "waste" if r.random() < 0.1 else "refuse"
    goal = f"at {areas[-1]}"
    if r.random() < 0.3:
        goal += f" and {r.choice(list(locks))} is open"
    world = {
        "zubrel": 1,
        "title": "Trade",
        "start": {"at": areas[0]},
        "items": {item: {"max": most[item], "when_full": full} for item in held},
        "areas": body,
        "locks": locks,
        "facts": {"sluice": {"start": r.random() < 0.5}},
        "endings": {"won": {"when": goal}},
    }
    if r.random() < 0.2:
        world["start"]["holding"] = r.choice(held)
    return world


def trade_lock(r, held, most):
    item = r.choice(held)
    return {r.choice(["takes", "takes", "needs"]): f"{r.randint(1, most[item])} {item}"}


def passage_world(seed):
    """Small worlds in stages that nobody comes back to, with keys that matter in later ones."""
    r = random.Random(seed)
    stages = [[f"stage{s}_{n}" for n in range(r.randint(1, 2))] for s in range(r.randint(2, 3))]
    keys = [f"key{n}" for n in range(r.randint(1, 3))]
    locks = {f"gate{n}": {r.choice(["takes", "needs"]): r.choice(keys)} for n in range(3)}
    body = {area: {"finds": [], "ways": []} for stage in stages for area in stage}
    for number, stage in enumerate(stages):
        for area in stage[1:]:
            way = {"to": area, "id": f"in_{area}"}
            if r.random() < 0.6:
                way["lock"] = r.choice(list(locks))
            body[stage[0]]["ways"].append(way)
        for n in range(r.randint(1, 2) if number + 1 < len(stages) else 0):
            way = {"to": r.choice(stages[number + 1]), "id": f"on_{number}_{n}", "one_way": True}
            if r.random() < 0.4:
                way["lock"] = r.choice(list(locks))
            body[r.choice(stage)]["ways"].append(way)
    for n in range(r.randint(2, 4)):
        area = r.choice(stages[r.choice([0, 0, 0, 1])])
        body[area]["finds"].append({"item": r.choice(keys), "id": f"find{n}"})
    goal = f"at {stages[-1][-1]}"
    if r.random() < 0.4:
        goal += f" and {r.choice(list(locks))} is open"
    return {
        "zubrel": 1,
        "title": "Passage",
        "start": {"at": stages[0][0]},
        "items": {key: {} for key in keys},
        "areas": body,
        "locks": locks,
        "endings": {"won": {"when": goal}},
    }
