"""Small random worlds that say what can be said in several ways: facts that step, tools that are
filled up, amounts in stores, goals in conditions and in groups, knowledge without a bound, foes
that take several blows, items that are dealt. Plain data; every seed gives the same world, made of
`random_world`, which stays as it is."""

from __future__ import annotations

import random

from tests.random_worlds import random_world


def said_world(seed):
    data = random_world(seed)
    r = random.Random(f"said {seed}")
    asked = []
    if r.random() < 0.6:
        asked += stepping(r, data)
    if "saw" in data["items"]:
        filling(r, data)
    if "stores" in data:
        asked += storing(r, data)
    if data.get("quests"):
        asked += meeting(r, data)
    if "shops" in data:
        pricing(r, data["items"], data["shops"]["stall"])
    if r.random() < 0.4:
        asked += knowing(r, data)
    if data.get("quests") and r.random() < 0.7:
        asked += grouping(r, data)
    if r.random() < 0.5:
        fighting(r, data)
    if r.random() < 0.6:
        asked += adding(r, data)
    if r.random() < 0.5:
        asked += dealing(r, data)
    for body in bodies(data):
        if asked and r.random() < 0.4:
            known = body.get("needs", [])
            body["needs"] = [*([known] if isinstance(known, str) else known), r.choice(asked)]
    telling(r, data, asked)
    naming(r, data)
    if asked and r.random() < 0.5:
        data.setdefault("promises", []).append({r.choice(["possible", "never"]): r.choice(asked)})
    return data


def bodies(data):
    """Rule bodies that can ask for something more."""
    found = list(data.get("deeds", {}).values())
    for area in data["areas"].values():
        found += area.get("deeds", {}).values()
        found += [w for w in area.get("ways", []) if isinstance(w, dict)]
    return found


def deed(r, data, name, body):
    area = data["areas"][r.choice(list(data["areas"]))]
    area.setdefault("deeds", {})[name] = {"name": "Do it", **body}


def stepping(r, data):
    """A fact of several values that goes on, or back, and perhaps round."""
    values = ["dawn_hour", "noon", "dusk"][: r.randint(2, 3)]
    hour = {"values": values}
    if r.random() < 0.5:
        hour["round"] = True
    data.setdefault("facts", {})["hour"] = hour
    deed(r, data, "wait", {"sets": {"hour": r.choice(["next", "next", "previous"])}})
    for quest in data.get("quests", {}).values():
        if r.random() < 0.3:
            reward = quest.setdefault("reward", {})
            reward["sets"] = {**reward.get("sets", {}), "hour": "next"}
    for body in bodies(data):
        if r.random() < 0.2:
            step = r.choice(["next", "previous", values[0]])
            body["sets"] = {**body.get("sets", {}), "hour": step}
    return [f"hour {r.choice(['=', '!='])} {r.choice(values)}" for _ in range(2)]


def filling(r, data):
    """A deed that fills the saw up, and perhaps uses something up for it."""
    body = {"refills": "saw"}
    if r.random() < 0.4:
        body["takes"] = r.choice([i for i in data["items"] if i.startswith("item")])
    if r.random() < 0.2:
        body["wears"] = "saw"
    deed(r, data, "sharpen", body)


def storing(r, data):
    """How much lies in the chest."""
    keeps = data["stores"]["chest"].get("keeps")
    thing = r.choice(keeps or [i for i in data["items"] if i.startswith("item")])
    return [f"{r.randint(1, 2)} {thing} in chest", f"{thing} in chest {r.choice('<>=')} 1"]


def telling(r, data, asked):
    """Texts with conditions, of rules and of what refuses them, some beside others."""
    things = [i for i in data["items"] if i.startswith("item")]

    def texts():
        found = []
        for n in range(r.randint(1, 3)):
            kind = r.choice(["text", "text", "also"])
            entry = {kind: f"Text {n}."}
            if r.random() < 0.7:
                entry["when"] = r.choice([*things, *(f"not {t}" for t in things), *asked])
            found.append(entry)
        return found

    for body in bodies(data):
        if "either" in body or "chance" in body:
            continue
        if r.random() < 0.3:
            body["says"] = texts()
        if r.random() < 0.3:
            body["refuses"] = texts()
        if "needs" in body and r.random() < 0.3:
            body["hidden"] = True
    for item in data["items"].values():
        if r.random() < 0.2:
            item["says"] = texts()
    for shop in data.get("shops", {}).values():
        shop["greets"], shop["farewell"] = texts(), texts()
    for area in data["areas"].values():
        for find in area.get("finds", []):
            if isinstance(find, dict) and "needs" in find and r.random() < 0.3:
                find["hidden"] = True
        if "needs" in area and r.random() < 0.6:
            area["refuses"] = texts()


def meeting(r, data):
    """Goals with ids, and conditions that ask whether they are met."""
    words = []
    for quest, body in data["quests"].items():
        if r.random() < 0.3:
            things = [i for i in data["items"] if i.startswith("item")]
            body["from"] = r.choice([*things, *data.get("locks", {})])
        for number, goal in enumerate(body["goals"], 1):
            if r.random() < 0.7:
                goal["id"] = f"{quest}_goal_{number}"
                words.append(f"{goal['id']} is {r.choice(['', '', 'not '])}met")
    return words


def grouping(r, data):
    """Goals of which only some are asked for, and how far goals have come."""
    words = []
    for quest, body in data["quests"].items():
        goals = body["goals"]
        if not goals:
            continue
        if len(goals) < 3 and r.random() < 0.7:
            goals.append({"visit": r.choice(list(data["areas"]))})
        if len(goals) < 3 and r.random() < 0.4:
            goals.append({"collect": r.choice(list(data["items"]))})
        for number, goal in enumerate(goals, 1):
            if r.random() < 0.5:
                this = goal.setdefault("id", f"{quest}_goal_{number}")
                counted = [goal[k] for k in ("collect", "gain", "defeat") if k in goal]
                most = int(counted[0].split()[0]) if counted and " " in counted[0] else 1
                words.append(
                    f"{this} {r.choice(['>=', '>=', '<', '=', '!='])} {r.randint(1, most)}"
                )
        first = r.randrange(len(goals))
        members = goals[first : first + r.randint(1, 3)]
        word = r.choice(["any", "all", str(r.randint(1, len(members)))])
        body["goals"] = [*goals[:first], {f"{word} of": members}, *goals[first + len(members) :]]
    return words


def fighting(r, data):
    """A foe that takes several blows, in one way or in two."""
    foe = {"name": "The eel", "health": r.randint(2, 3)}
    things = [i for i in data["items"] if i.startswith("item")]
    ways = [{"takes": r.choice(things)}, {"needs": r.choice(things), "hits": r.randint(1, 3)}]
    ways += [{"wears": "saw", "hits": 2}] if "saw" in data["items"] else []
    if r.random() < 0.5:
        foe["either"] = r.sample(ways, 2)
    else:
        foe |= r.choice(ways)
    if r.random() < 0.4:
        foe["returns"] = "always"
    elif r.random() < 0.3:
        foe["count"] = 2
    if r.random() < 0.7:
        foe["at"] = r.choice(list(data["areas"]))
    if "debt" in data.get("meters", {}):
        foe["adds"] = {"debt": 1}
    data.setdefault("facts", {})["calm"] = False
    foe["sets"] = {"calm": True}
    data.setdefault("foes", {})["eel"] = foe
    for body in bodies(data):
        if r.random() < 0.15:
            known = body.get("needs", [])
            more = r.choice(["calm", "eel is beaten", "not calm"])
            body["needs"] = [*([known] if isinstance(known, str) else known), more]


def pricing(r, items, stall):
    """Prices of items, shops that name none, and one that buys whatever has a price."""
    for item, body in items.items():
        if item != "coin" and r.random() < 0.7:
            body["price"] = r.randint(0, 2)
    for item in list(stall["sells"]):
        if "price" in items[item] and r.random() < 0.6:
            stall["sells"][item] = r.choice([None, {"stock": 1}])
    if r.random() < 0.6:
        stall["buys"] = "all"


def adding(r, data):
    """Amounts and meters added up, and compared with each other."""
    if r.random() < 0.4:
        data.setdefault("meters", {})["debt"] = {"from": -1, "to": 2}
        deed(r, data, "borrow", {"adds": {"debt": r.choice([1, -1])}})
    things = [*data["items"], *data.get("meters", {})]
    compares = ["<", "<=", "=", "!=", ">=", ">"]
    words = []
    for _ in range(3):
        left = r.choice(things)
        for _ in range(r.randint(0, 2)):
            left += f" {r.choice('+-')} {r.choice(things)}"
        right = r.choice([str(r.randint(0, 3)), r.choice(things)])
        if r.random() < 0.2:
            right = f"{r.choice(things)} + {r.choice(things)}"
        words.append(f"{left} {r.choice(compares)} {right}")
    return words


def dealing(r, data):
    """Items that lie somewhere else in each play."""
    things = [i for i, body in data["items"].items() if body.get("kind", "thing") == "thing"]
    dealt = r.sample(things, r.randint(1, min(2, len(things))))
    over = r.sample(list(data["areas"]), r.randint(1, len(data["areas"])))
    deal = {"of": dealt, "over": over}
    if r.random() < 0.4 or len(dealt) > len(over):
        deal["per_place"] = 2
    data["start"]["deal"] = [deal]
    return [f"{r.choice(dealt)} lies at {r.choice(over)}"]


def naming(r, data):
    """Things of one name, a meter that something fills up, and an area with nothing in it."""
    for section in ("items", "areas"):
        for body in data[section].values():
            if r.random() < 0.2:
                body["name"] = "The same"
    for meter in data.get("meters", {}):
        if r.random() < 0.5:
            deed(r, data, f"fill_{meter}", {"sets": {meter: 2}})
            data["meters"][meter]["bad"] = r.random() < 0.3
    if r.random() < 0.4:
        area = data["areas"][r.choice(list(data["areas"]))]
        area.setdefault("ways", []).append(r.choice(["nook", {"to": "nook", "one_way": True}]))
        data["areas"]["nook"] = {}
        if r.random() < 0.3:
            deed(r, data, "peer", {"needs": r.choice(["not at nook", "nook is not visited"])})


def knowing(r, data):
    """Something that can be learned again and again."""
    data["items"]["rumour"] = {"kind": "knowledge"}
    deed(r, data, "listen", {"gives": "rumour"})
    return ["rumour", "not rumour"]
