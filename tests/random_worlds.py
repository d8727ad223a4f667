"""Small random worlds, as plain data: every seed gives the same world."""

from __future__ import annotations

import random


class Maker:
    """Makes one world; keeps what it has defined so that conditions can ask for it."""

    def __init__(self, seed):
        self.r = random.Random(seed)
        self.areas = [f"area{n}" for n in range(self.r.randint(2, 4))]
        self.items = [f"item{n}" for n in range(self.r.randint(1, 3))]
        self.locks = [f"lock{n}" for n in range(self.r.randint(0, 2))]
        self.facts = ["lit", "tide"] if self.r.random() < 0.6 else []
        self.meters = ["vigour"] if self.r.random() < 0.4 else []
        self.people = ["keeper", "pilot"][: self.r.choice([0, 0, 1, 2])]
        self.quests = ["errand", "vigil"][: self.r.choice([0, 0, 1, 2])]
        self.foes = ["crab"] if self.r.random() < 0.3 else []
        self.shops = ["stall"] if self.r.random() < 0.25 else []
        self.stores = ["chest"] if self.r.random() < 0.2 else []
        self.tools = ["saw"] if self.r.random() < 0.25 else []
        self.dropped = ["bulky"] if self.r.random() < 0.2 else []
        self.kinds = {}
        self.taken = []
        self.done = []

    def chance(self, odds):
        return self.r.random() < odds

    def amount(self):
        count = self.r.choice([1, 1, 1, 2])
        item = self.r.choice(self.items)
        return item if count == 1 else f"{count} {item}"

    def atom(self):
        kinds = ["item", "item", "count", "compare", "at"]
        kinds += ["lock"] * bool(self.locks) + ["fact"] * 2 * bool(self.facts)
        kinds += ["meter"] * bool(self.meters) + ["visited"]
        kinds += ["taken"] * bool(self.taken) + ["done"] * bool(self.done)
        kinds += ["person"] * bool(self.people) + ["quest"] * 2 * bool(self.quests)
        kinds += ["foe"] * bool(self.foes) + ["stored"] * bool(self.stores)
        kinds += ["tool"] * bool(self.tools) + ["lies"] * bool(self.dropped)
        item, area = self.r.choice(self.items), self.r.choice(self.areas)
        operator = self.r.choice(["<", "<=", "=", "!=", ">=", ">"])
        state = self.r.choice(["is", "is not"])
        match self.r.choice(kinds):
            case "item":
                return item
            case "count":
                return f"2 {item}"
            case "compare":
                return f"{item} {operator} {self.r.randint(0, 2)}"
            case "at":
                return f"at {area}"
            case "lock":
                return f"{self.r.choice(self.locks)} {state} {self.r.choice(['open', 'shut'])}"
            case "fact":
                return self.r.choice(["lit", "tide = low", "tide != low", "lit = false"])
            case "meter":
                return f"vigour {operator} {self.r.randint(0, 2)}"
            case "visited":
                return f"{area} {state} visited"
            case "person":
                return f"{self.r.choice(self.people)} {state} {self.r.choice(['met', 'here'])}"
            case "quest":
                names = ["waiting", "active", "done", "failed"]
                return f"{self.r.choice(self.quests)} {state} {self.r.choice(names)}"
            case "foe":
                return f"crab {state} beaten"
            case "stored":
                return f"{self.items[0]} {state} in chest"
            case "tool":
                return self.r.choice(["saw", "saw >= 2", "saw = 1"])
            case "lies":
                return self.r.choice([f"bulky lies at {area}", "bulky"])
            case "taken":
                return f"{self.r.choice(self.taken)} {state} taken"
        return f"{self.r.choice(self.done)} {state} done"

    def condition(self, depth=1):
        if depth == 0 or self.chance(0.6):
            return self.atom() if self.chance(0.75) else f"not {self.atom()}"
        parts = [self.condition(depth - 1) for _ in range(self.r.randint(2, 3))]
        match self.r.randint(0, 4):
            case 0:
                return " and ".join(parts)
            case 1:
                return " or ".join(parts)
            case 2:
                return f"any of ({', '.join(parts)})"
            case 3:
                return f"2 of ({', '.join(parts)})"
        return f"not ({' or '.join(parts)})"

    def effects(self, heavy=True):
        body = {}
        if self.chance(0.3):
            body["loses"] = self.r.choice([self.amount(), f"all {self.r.choice(self.items)}"])
        if self.chance(0.3):
            body["gives"] = self.amount()
        if self.facts and self.chance(0.3):
            body["sets"] = self.r.choice([{"lit": self.chance(0.5)}, {"tide": "high"}])
        if self.facts and self.chance(0.15):
            body["toggles"] = "lit"
        if self.meters and self.chance(0.4):
            body["adds"] = {"vigour": self.r.choice([-1, 1, -2])}
        if self.locks and self.chance(0.15):
            body[self.r.choice(["opens", "shuts"])] = self.r.choice(self.locks)
        if self.quests and self.chance(0.12):
            body[self.r.choice(["starts", "finishes", "fails"])] = self.r.choice(self.quests)
        if self.tools and self.chance(0.15):
            body["gives"] = "saw"
        if self.dropped and self.chance(0.1):
            body["gives"] = "bulky"
        if heavy and self.chance(0.15):
            body["moves_to"] = self.r.choice(self.areas)
        if heavy and self.chance(0.05):
            body["ends"] = self.r.choice(["dawn", "drowned"])
        return body

    def body(self, moves=True, needs=0.25):
        body = self.effects(moves)
        if self.chance(needs):
            body["needs"] = self.condition()
        if self.chance(0.3):
            body["takes"] = self.amount()
        if self.tools and self.chance(0.25):
            body[self.r.choice(["wears", "wears", "takes"])] = "saw"
        if self.chance(0.2):
            body["once"] = True
        if self.chance(0.15):
            body["chance"] = [
                dict(self.effects(), **self.r.choice([{}, {"odds": 2}, {"odds": 0}]))
                for _ in range(self.r.randint(1, 2))
            ]
            body["chance"].append(self.effects())
        elif self.chance(0.15):
            body["either"] = [self.alternative() for _ in range(2)]
        return body

    def alternative(self):
        body = self.effects()
        if self.chance(0.4):
            body["takes"] = self.amount()
        if self.chance(0.2):
            body["once"] = True
        return body

    def world(self):
        r = self.r
        items = {i: {"max": r.choice([1, 1, 2, 2, 3])} for i in self.items}
        for item in items.values():
            if self.chance(0.3):
                item["when_full"] = "waste"
            if self.chance(0.08):
                item["stays_in"] = self.r.sample(self.areas, 2)
        if self.shops:
            items["coin"] = {"kind": "money", "max": r.randint(1, 3)}
        if self.tools:
            items["saw"] = {"uses": r.randint(1, 3)}
        if self.dropped:
            items["bulky"] = {"max": 1, "drop": r.choice([True, self.areas[:1]])}
        data = {
            "zubrel": 1,
            "title": "Random",
            "items": items,
            "areas": self.area_bodies(),
            "start": {"at": self.areas[0]},
        }
        if self.chance(0.3):
            data["start"]["holding"] = [self.items[0]]
        if self.locks:
            data["locks"] = {k: self.lock() for k in self.locks}
        if self.facts:
            data["facts"] = {"lit": self.chance(0.3), "tide": {"values": ["low", "high"]}}
        if self.meters:
            start = r.randint(0, 2)
            # nobody wants it high in a third of them, where it begins low
            data["meters"] = {"vigour": {"to": 2, "start": start, "bad": not start}}
        if self.chance(0.6):
            data["deeds"] = {"ring": dict(self.body(), **self.where())}
        self.people_and_quests(data)
        self.trades(data)
        if self.chance(0.3):
            data["whenever"] = [self.happening() for _ in range(r.randint(1, 2))]
        data["endings"] = self.endings()
        if self.chance(0.4):
            data["promises"] = [self.promise() for _ in range(2)]
        return data

    def promise(self):
        kind = self.r.choice(
            ["never", "always", "possible", "stays_possible", "before", "within", "within"]
        )
        if kind == "before":
            return {kind: [self.condition(), self.condition()]}
        if kind == "within":
            reach = self.r.choice(["dawn", self.condition()])
            return {kind: {"steps": self.r.randint(0, 6), "reach": reach}}
        return {kind: self.condition()}

    def people_and_quests(self, data):
        if self.people:
            data["people"] = {p: self.person() for p in self.people}
            if "keeper" in data["people"] and self.chance(0.3):
                data["people"]["keeper"]["when"] = self.plain_condition()
        if self.quests:
            data["quests"] = {q: self.quest() for q in self.quests}
        if self.foes:
            crab = {k: v for k, v in self.body().items() if k not in ("once", "ends")}
            data["foes"] = {"crab": dict(crab, **self.where())}
            if self.chance(0.4):
                data["foes"]["crab"]["count"] = 2
            elif self.chance(0.4):
                data["foes"]["crab"]["returns"] = "always"
            if self.chance(0.3):
                data["foes"]["crab"]["when"] = self.condition()
        if self.chance(0.15):
            recipe = {"takes": self.amount(), "gives": self.amount()}
            data["recipes"] = {"boil": dict(recipe, **self.where())}

    def plain_condition(self):
        """A condition that asks for no person, so that nobody's place depends on itself."""
        while "here" in (text := self.condition()):
            pass
        return text

    def person(self):
        places = [self.r.choice(self.areas)]
        if self.chance(0.4):
            places.insert(0, {"when": self.plain_condition(), "at": self.r.choice(self.areas)})
        talks = []
        for _ in range(self.r.randint(1, 2)):
            talk = self.body(moves=False)
            if self.chance(0.5):
                talk["when"] = self.condition()
            talks.append(talk)
        return {"at": places, "talk": talks}

    def giver(self):
        return self.r.choice(self.people + self.areas)

    def quest(self):
        quest = {}
        if self.chance(0.7):
            quest["from"] = self.giver()
        if self.chance(0.2):
            quest["needs"] = self.condition()
        if self.chance(0.4):
            quest["order"] = "in_turn"
        if self.chance(0.5):
            quest["hand_in"] = self.giver()
        if self.chance(0.15):
            quest["fails_when"] = self.condition()
        if self.chance(0.6):
            quest["reward"] = self.effects(self.chance(0.3))
        quest["goals"] = []
        for _ in range(self.r.randint(0, 2)):
            goal = self.goal()
            if not any(
                "deliver" in g and g["deliver"] == goal.get("deliver") for g in quest["goals"]
            ):
                quest["goals"].append(goal)
        return quest

    def goal(self):
        kinds = ["collect", "gain", "deliver", "visit", "meet"]
        kinds += ["defeat"] * bool(self.foes) + ["talk"] * bool(self.people)
        kinds += ["do"] * bool(self.taken)
        kind = self.r.choice(kinds)
        goal = {
            "collect": self.amount,
            "gain": self.amount,
            "deliver": self.amount,
            "visit": lambda: self.r.choice(self.areas),
            "meet": self.condition,
            "defeat": lambda: self.r.choice(["crab", "2 crab"]),
            "talk": lambda: self.r.choice(self.people),
            "do": lambda: self.r.choice(self.taken),
        }[kind]()
        goal = {kind: goal}
        if kind == "deliver":
            goal["to"] = self.giver()
        if self.chance(0.2):
            goal["needs"] = self.condition()
        if kind in ("gain", "defeat", "visit", "talk", "do") and self.chance(0.3):
            goal["early"] = "counts"
        return goal

    def trades(self, data):
        if self.shops:
            stall = {"sells": {self.items[0]: self.r.choice([1, {"price": 1, "stock": 1}])}}
            if self.people and self.chance(0.5):
                stall["keeper"] = "keeper"
            else:
                stall["at"] = self.r.choice(self.areas)
            if self.tools and self.chance(0.5):
                stall["sells"]["saw"] = 2
            if self.chance(0.5):
                stall["buys"] = {self.items[-1]: 1}
            if self.locks and self.chance(0.2):
                stall["lock"] = self.locks[0]
            data["shops"] = {"stall": stall}
            data["start"].setdefault("holding", []).append("coin")
        if self.stores:
            chest = {"at": self.r.choice(self.areas)}
            if self.chance(0.4):
                chest["limit"] = self.r.randint(1, 2)
            if self.chance(0.4) or self.dropped:
                chest["keeps"] = [self.items[0]]
            data["stores"] = {"chest": chest}
        if self.chance(0.25):
            data["carry"] = [{"limit": self.r.randint(1, 3)}]
            if self.chance(0.3):
                data["carry"][0]["of"] = self.items[:2]

    def where(self):
        return self.r.choice([{}, {"at": self.areas[-1]}, {"at": self.areas[:2]}])

    def area_bodies(self):
        bodies = {}
        for number, area in enumerate(self.areas):
            body = bodies[area] = {}
            for count in range(self.r.randint(0 if number else 1, 2)):
                name = f"find{number}{count}"
                find = self.amount() if self.chance(0.5) else self.long_find(name)
                body.setdefault("finds", []).append(find)
            if number:
                body["ways"] = [self.way(self.areas[:number])]
            if self.chance(0.3):
                body.setdefault("ways", []).append(self.way(self.areas))
            if self.chance(0.4):
                deed = f"deed{number}"
                body["deeds"] = {deed: self.body()}
                if body["deeds"][deed].get("once"):
                    self.done.append(deed)
            if self.chance(0.1):
                body["needs"] = self.condition()
            if self.chance(0.3):
                body["says"] = self.texts()
        return bodies

    def texts(self):
        texts = [{"when": self.condition(), "text": "Some."}]
        if self.chance(0.4):
            texts.append({"when": self.condition(), "text": "More."})
        return [*texts, "The rest."] if self.chance(0.5) else texts

    def long_find(self, name):
        find = {"item": self.r.choice(self.items), "id": name}
        if self.chance(0.2):
            find["again"] = "always"
        else:
            self.taken.append(name)
        if self.chance(0.3):
            find["needs"] = self.condition()
        if self.locks and self.chance(0.3):
            find["lock"] = self.r.choice(self.locks)
        if self.chance(0.1):
            find["either"] = [self.alternative(), self.alternative()]
        return find

    def way(self, targets):
        way = {"to": self.r.choice(targets)}
        if self.chance(0.35):
            way["one_way"] = True
        if self.locks and self.chance(0.4):
            way["lock"] = self.r.choice(self.locks)
            if self.chance(0.3):
                way["relocks"] = self.r.choice(["passing", "never"])
        if self.chance(0.2):
            way["needs"] = self.condition()
        if self.chance(0.1):
            way["takes"] = self.amount()
        if self.chance(0.08):
            way["once"] = True
        if self.chance(0.08):
            way["chance"] = [{}, {"moves_to": self.r.choice(self.areas)}]
        return way

    def lock(self):
        lock = self.body(needs=0.2)
        lock.pop("ends", None)
        if self.chance(0.5):
            lock["takes"] = self.amount()
        if self.chance(0.4):
            lock["refuses"] = self.texts()
        if self.chance(0.2):
            lock["begins"] = "open"
        if self.chance(0.2):
            lock["relocks"] = "passing"
        if self.chance(0.2):
            lock["from"] = [self.r.choice(self.areas)]
        return lock

    def happening(self):
        happening = {"when": self.condition(), **self.effects(self.chance(0.5))}
        if self.chance(0.5):
            happening["once"] = True
        return happening

    def endings(self):
        last = self.areas[-1]
        goal = self.condition() if self.chance(0.15) else f"at {last}"
        if self.chance(0.7):
            goal = f"({goal}) and {self.r.choice(self.items)}"
        endings = {"dawn": {"when": goal}, "drowned": {"kind": "bad"}}
        if self.chance(0.2):
            endings["drowned"]["when"] = f"at {last} and ({self.condition()})"
        if self.chance(0.2):
            endings["noon"] = {"when": f"{self.condition()} and not at {self.areas[0]}"}
        return endings


def without_idle_ways(data):
    """The world without ways from an area to itself that do nothing, which are refused."""
    for area, body in data["areas"].items():
        ways = [w for w in body.pop("ways", ()) if w["to"] != area or set(w) - {"to", "one_way"}]
        body |= {"ways": ways} if ways else {}
    return data


def random_world(seed):
    """The plain data of world number `seed`."""
    return without_idle_ways(Maker(seed).world())
