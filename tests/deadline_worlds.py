"""Random worlds in which time goes by, and runs out."""

from itertools import pairwise
from random import Random


def deadline_world(seed):
    """A few areas and a lamp to be lit, with days, strength or a debt that end the game badly."""
    r = Random(seed)
    last = r.randint(4, 9)
    areas = ["quay", "pier", "flat", "rock", "tower"]
    data = {
        "zubrel": 1,
        "title": f"Deadline {seed}",
        "start": {"at": "quay", "holding": [f"{r.randint(1, 2)} coin"]},
        "items": {"coin": {"max": 3}, "lens": {}, "oil": {"max": 2}},
        "facts": {"paid": False, "lit": False, "gate": r.random() < 0.5},
        "meters": {"day": {"to": last}, "strength": {"to": 4, "start": r.randint(3, 4)}},
        "areas": {area: {"finds": [], "ways": [], "deeds": {}} for area in areas},
        "whenever": [],
    }

    def takes_time(least=0):
        """What a move costs: days, strength, both or nothing."""
        adds = {}
        if r.random() < 0.5:
            adds["day"] = r.randint(max(1, least), 2)
        if r.random() < 0.25:
            adds["strength"] = -1
        return {"adds": adds} if adds else {}

    for here, there in pairwise(areas):
        way = {"to": there, "one_way": r.random() < 0.2, **takes_time()}
        if r.random() < 0.2:
            way["needs"] = "gate"
        data["areas"][here]["ways"].append(way)
    for item in ("lens", "oil", "coin"):
        find = {"item": item, "id": f"{item}_find", **takes_time()}
        data["areas"][r.choice(areas[1:])]["finds"].append(find)
    deeds = {
        "pay": {"takes": f"{r.randint(1, 2)} coin", "sets": {"paid": True}},
        "work": {"gives": "coin", **takes_time(1)},
        "light": {"needs": "lens", "takes": "oil", "sets": {"lit": True}, **takes_time()},
        "lift": {"toggles": "gate", **takes_time()},
        "gamble": {
            "chance": [{"odds": 1, "adds": {"day": 1}}, {"odds": 1, "gives": "coin"}],
            "takes": "coin",
        },
        "rest": {"needs": "strength < 4", "adds": {"day": 1, "strength": r.choice([0, 1])}},
        "sleep": {"sets": {"day": last}},
        "turn_back": {"adds": {"day": -1}, "takes": "coin"},
        "take_back": {"sets": {"paid": False}, "gives": "coin", "needs": "paid"},
    }
    # most worlds have clocks that nothing turns back
    often = {"sleep": 0.2, "turn_back": 0.15, "take_back": 0.3}
    for name, deed in deeds.items():
        if r.random() < often.get(name, 0.7):
            data["areas"][r.choice(areas)]["deeds"][name] = deed
    if r.random() < 0.3:
        when = f"at {r.choice(areas[1:])} and gate"
        data["whenever"].append({"id": "tide", "when": when, "once": True, "adds": {"day": 1}})
    too_late = r.choice(
        ["day = {}", "day >= {}", "day >= {} and not paid", "not paid and day = {}"]
    )
    dark = r.choice(["lit", "lit and paid", "lit and at tower", "at tower and lens"])
    late = {"kind": "bad", "when": too_late.format(last - r.randint(0, 1))}
    weak = {"kind": "bad", "when": "strength = 0"}
    good = {"when": dark}
    # which comes first of those that are due at once is part of it
    order = [("late", late), ("weak", weak), ("seen", good)]
    r.shuffle(order)
    if r.random() < 0.4:
        deed = {"needs": dark, "ends": "seen", **takes_time()}
        data["areas"]["tower"]["deeds"]["end"] = deed
        order = [(name, {} if name == "seen" else ending) for name, ending in order]
    data["endings"] = dict(order)
    return data
