"""The language read literally: which rules there are. The other half is `reference.py`."""

from __future__ import annotations

import re

# rules that the language makes by itself
MADE = ("accept", "hand_in", "deliver", "put", "fetch", "drop", "pick_up")


def amounts(entry):
    """[(count or None for all, item)] of an amount or a list of amounts."""
    found = []
    for text in as_list(entry):
        words = str(text).split()
        if len(words) == 1:
            found.append((1, words[0]))
        else:
            found.append((None if words[0] == "all" else int(words[0]), words[1]))
    return found


def as_list(value):
    if value is None:
        return []
    return value if isinstance(value, list) else [value]


def places_of(body):
    """The areas under `at`; None for anywhere."""
    where = body.get("at", "anywhere")
    return None if where == "anywhere" else as_list(where)


def section(data, name):
    return list((data.get(name) or {}).items())


def is_group(goal):
    return len(goal) == 1 and next(iter(goal)).endswith(" of")


def goal_groups(quest):
    """[(how many, numbers of goals)] of the goals of a quest, one alone or several together."""
    groups, last = [], 0
    for goal in as_list(quest.get("goals")):
        members = as_list(next(iter(goal.values()))) if is_group(goal) else [goal]
        word = next(iter(goal)).split()[0] if is_group(goal) else "all"
        count = {"any": 1, "all": len(members)}.get(word) or int(word)
        groups.append((count, list(range(last + 1, last + len(members) + 1))))
        last += len(members)
    return groups


def flat_goals(quest):
    goals = []
    for goal in as_list(quest.get("goals")):
        goals += as_list(next(iter(goal.values()))) if is_group(goal) else [goal]
    return goals


class Rules:
    """Makes the rules of a world, as plain dicts in `self.rules`."""

    def make_rules(self):
        sections = [body for body in self.data.values() if isinstance(body, dict)]
        used = {name for body in sections for name in body}
        used |= {d for a in self.areas.values() for d in a.get("deeds", {})}
        for area in self.areas.values():
            for entry in [*area.get("finds", []), *area.get("ways", [])]:
                if isinstance(entry, dict) and "id" in entry:
                    used.add(entry["id"])
                    if "to" in entry and not entry.get("one_way"):
                        used.add(entry["id"] + "_back")

        def fresh(wanted):
            made, number = wanted, 1
            while made in used:
                number += 1
                made = f"{wanted}_{number}"
            used.add(made)
            return made

        self.fresh = fresh
        for area, body in self.areas.items():
            self.add_area(area, body, fresh)
        for deal in as_list(self.data["start"].get("deal")):
            for item in as_list(deal["of"]):
                self.add_dealt(item, as_list(deal["over"]))
        for deed, body in section(self.data, "deeds"):
            self.add_rules(deed, "deed", places_of(body), body)
        for lock, body in self.locks.items():
            places = as_list(body["from"]) if "from" in body else self.met_at(lock)
            self.add_rules(lock, "lock", places, body, opens=[lock])
        for person, body in self.people.items():
            self.add_talks(person, body, fresh)
        for quest, body in self.quests.items():
            self.add_quest(quest, body)
        for recipe, body in self.recipes.items():
            self.add_rules(recipe, "recipe", places_of(body), body)
        for foe, body in self.foes.items():
            there = lambda s, f=foe: self.foe_there(f, s)  # noqa: E731
            self.add_rules(foe, "foe", places_of(body), body, offered=there)
            if body.get("health", 1) > 1:
                self.add_blows(foe, body, there)
        for shop, body in self.shops.items():
            self.add_shop(shop, body)
        for store, body in self.stores.items():
            for item in self.kept(store):
                self.add_store(store, body, item)
        for item, body in self.items.items():
            if body.get("drop"):
                self.add_drop(item, body)

    def add_area(self, area, body, fresh):
        for find in body.get("finds", []):
            find = find if isinstance(find, dict) else {"amount": find}
            if "amount" in find:
                [(count, item)] = amounts(find["amount"])
            else:
                count, item = find.get("count", 1), find["item"]
            self.add_rules(
                find.get("id") or fresh(f"{area}_{item}"),
                "find",
                [area],
                find,
                gives=[(count, item)],
                again=find.get("again") == "always",
            )
        for way in body.get("ways", []):
            way = way if isinstance(way, dict) else {"to": way}
            there = way["to"]
            this = way.get("id") or fresh(f"{area}_to_{there}")
            self.add_rules(this, "way", [area], way, to=there, owner=this)
            if not way.get("one_way"):
                back = this + "_back" if "id" in way else fresh(f"{there}_to_{area}")
                self.add_rules(back, "way", [there], way, to=area, owner=this)
        for deed, deed_body in body.get("deeds", {}).items():
            self.add_rules(deed, "deed", [area], deed_body or {})

    def add_dealt(self, item, areas):
        def taken(n):
            n["dealt", item] = None

        self.add_rules(
            f"dealt_{item}",
            "find",
            areas,
            {},
            gives=[(1, item)],
            again=False,
            offered=lambda s: s["dealt", item] == s["place"],
            special=taken,
        )

    def met_at(self, lock):
        places = []
        for area, body in self.areas.items():
            entries = [
                *body.get("finds", []),
                *body.get("ways", []),
                *body.get("deeds", {}).values(),
            ]
            for entry in entries:
                if isinstance(entry, dict) and entry.get("lock") == lock:
                    places.append(area)
                    if "to" in entry and not entry.get("one_way"):
                        places.append(entry["to"])
        for name in ("deeds", "shops", "stores"):
            for _, entry in section(self.data, name):
                if entry and entry.get("lock") == lock:
                    where = places_of(entry)
                    if "keeper" in entry:
                        spots = as_list(self.people[entry["keeper"]]["at"])
                        where = [p if isinstance(p, str) else p["at"] for p in spots]
                    if where is None:
                        return None
                    places += where
        return places

    def add_rules(
        self,
        this,
        kind,
        places,
        body,
        gives=(),
        again=True,
        to=None,
        owner=None,
        opens=(),
        offered=None,
        special=None,
    ):
        owner = owner or this
        done_id = this if kind == "talk" else owner
        alternatives = body.get("either") or [None]
        for number, alternative in enumerate(alternatives, 1):
            bodies = [body] if alternative is None else [body, alternative]
            chances = [c for b in bodies for c in b.get("chance", [])] or [{}]
            label = this if alternative is None else alternative.get("id", f"{this}_{number}")
            if kind == "talk" and alternative is not None:
                label = self.fresh(label)
            once = []
            if kind == "find" and not again:
                once.append(("taken", owner))
            elif body.get("once"):
                once.append(("done", done_id))
            mark = f"{done_id}_{number}" if alternative is not None else None
            asked = mark is not None and re.search(rf"\b{mark} is (not )?done", self.texts)
            if alternative is not None and alternative.get("once") and not once:
                once.append(("done", mark))
            marks = list(once)
            if once and asked and ("done", mark) not in marks:
                marks.append(("done", mark))
            self.rules.append(
                {
                    "id": label,
                    "kind": kind,
                    "owner": owner,
                    "at": places,
                    "bodies": bodies,
                    "lock": body.get("lock"),
                    "once": once,
                    "marks": marks,
                    "to": to,
                    "gives": list(gives),
                    "opens": list(opens),
                    "relocks": self.relocks(kind, body),
                    "offered": offered,
                    "special": special,
                    "blow": 0,
                    "common": this,
                    "outcomes": [(n, c) for n, c in enumerate(chances, 1) if c.get("odds", 1) > 0],
                }
            )

    def add_blows(self, foe, body, there):
        """One blow less is needed for each that was dealt; the last is what beats the foe."""
        cost = ("needs", "takes", "wears", "refills", "loses", "adds")
        common = {field: body[field] for field in cost if field in body}
        last = [r for r in self.rules if r["owner"] == foe and r["kind"] == "foe"]
        for number, (rule, way) in enumerate(
            zip(last, body.get("either") or [body], strict=True), 1
        ):
            hits = way.get("hits", body.get("hits", 1))
            left = body["health"] - hits
            rule["offered"] = lambda s, left=left: there(s) and s["hit", foe] >= left
            if left > 0:
                own = {field: way[field] for field in cost if field in way}
                bodies = {**common, "either": [own]} if "either" in body else common
                weak = lambda s, left=left: there(s) and s["hit", foe] < left  # noqa: E731
                self.add_rules(f"{foe}_blow", "foe", rule["at"], bodies, owner=foe, offered=weak)
                part = f"_{number}" if "either" in body else ""
                self.rules[-1] |= {"id": f"{foe}_blow{part}", "blow": hits}
                self.rules[-1]["common"] = self.rules[-1]["id"]

    def relocks(self, kind, body):
        lock = body.get("lock")
        if kind != "way" or not lock:
            return None
        how = body.get("relocks", self.locks[lock].get("relocks", "never"))
        return lock if how == "passing" else None

    # people, quests, trades

    def add_talks(self, person, body, fresh):
        earlier = []
        for talk in as_list(body.get("talk")):
            this = talk.get("id") or fresh(f"{person}_talk")

            def first_that_applies(s, talk=talk, earlier=tuple(earlier)):
                def applies(other, name):
                    done = other.get("once") and name in s["done"]
                    return not done and self.holds_all(other.get("when"), s)

                return (
                    self.person_at(person, s) == s["place"]
                    and self.holds_all(talk.get("when"), s)
                    and not any(applies(t, n) for t, n in earlier)
                )

            self.add_rules(this, "talk", None, talk, offered=first_that_applies, owner=person)
            earlier.append((talk, this))

    def add_made(self, this, kind, where, offered, special=None, owner=None, **body):
        """A rule that the language makes; `where` is a person, an area, a list, or anywhere."""

        def there(s):
            if where is None:
                here = True
            elif isinstance(where, str) and where in self.people:
                here = self.person_at(where, s) == s["place"]
            else:
                here = s["place"] in as_list(where)
            return here and offered(s)

        self.add_rules(this, kind, None, body, offered=there, special=special, owner=owner)

    def add_quest(self, quest, body):
        if body.get("from") in {*self.items, *self.locks}:
            # it begins by itself
            source = body["from"]
            begun = source if source in self.items else f"{source} is open"
            when = " and ".join(
                [begun, f"{quest} is waiting", *(f"({n})" for n in as_list(body.get("needs")))]
            )
            self.whenever.append({"id": f"{quest}_accept", "when": when, "starts": quest})
        elif "from" in body:
            self.add_made(
                f"{quest}_accept",
                "accept",
                body["from"],
                lambda s: s["quest", quest] == "waiting",
                starts=quest,
                needs=as_list(body.get("needs")),
            )
        for number, goal in enumerate(flat_goals(body), 1):
            if "deliver" in goal:
                self.add_delivery(quest, number, goal)
        if "hand_in" in body:
            self.add_made(
                f"{quest}_hand_in",
                "hand_in",
                body["hand_in"],
                lambda s: s["quest", quest] == "active" and self.all_met(quest, s),
                finishes=quest,
            )

    def add_delivery(self, quest, number, goal):
        [(count, item)] = amounts(goal["deliver"])

        def offered(s):
            open_still = s["quest", quest] == "active" and not s["goal", quest, number]
            earlier = self.earlier(quest, number)
            return open_still and all(self.enough(quest, g, s) for g in earlier)

        def special(n):
            n["goal", quest, number] = 1

        self.add_made(
            f"{quest}_deliver_{item}",
            "deliver",
            goal["to"],
            offered,
            special,
            takes=f"{count} {item}",
            needs=as_list(goal.get("needs")),
        )

    def add_shop(self, shop, body):
        kinds = ((i, e.get("kind")) for i, e in self.items.items())
        money = body.get("money") or next(i for i, kind in kinds if kind == "money")
        where = body.get("keeper") or places_of(body)
        shop_needs = as_list(body.get("needs"))
        for item, ware in body.get("sells", {}).items():
            ware = self.ware(item, ware)
            stocked = "stock" in ware

            def left(s, item=item, stocked=stocked):
                return not stocked or s["stock", shop, item] > 0

            def sold(n, item=item, stocked=stocked):
                if stocked:
                    n["stock", shop, item] -= 1

            self.add_made(
                f"{shop}_buy_{item}",
                "buy",
                where,
                left,
                sold,
                gives=item,
                takes=[f"{ware['price']} {money}"] if ware["price"] else [],
                needs=shop_needs + as_list(ware.get("needs")),
                lock=body.get("lock"),
            )
        for item, price in self.bought(body).items():
            self.add_made(
                f"{shop}_sell_{item}",
                "sell",
                where,
                lambda s: True,
                takes=item,
                gives=[f"{price} {money}"] if price else [],
                needs=shop_needs,
                lock=body.get("lock"),
            )

    def ware(self, item, ware):
        """What is sold, with its own price or that of the item."""
        own = ware if isinstance(ware, dict) else {} if ware is None else {"price": ware}
        return {"price": self.items[item].get("price"), **own}

    def asks_money(self, body):
        """Whether anything that a shop sells costs something."""
        return any(self.ware(i, w)["price"] for i, w in body.get("sells", {}).items())

    def bought(self, body):
        """{item: price} of what a shop buys."""
        bought = body.get("buys", {})
        if bought == "all":
            things = {i: e for i, e in self.items.items() if e.get("kind", "thing") == "thing"}
            return {i: e["price"] for i, e in things.items() if "price" in e}
        return {i: self.ware(i, price)["price"] for i, price in bought.items()}

    def add_store(self, store, body, item):
        def room(s):
            if "limit" in body:
                return sum(s["stored", store, i] for i in self.kept(store)) < body["limit"]
            return s["stored", store, item] < self.most[item]

        def put(n):
            n["stored", store, item] += 1

        def fetch(n):
            n["stored", store, item] -= 1

        where, lock = places_of(body), body.get("lock")
        self.add_made(f"{store}_put_{item}", "put", where, room, put, takes=item, lock=lock)
        some = lambda s: s["stored", store, item] > 0  # noqa: E731
        self.add_made(f"{store}_take_{item}", "fetch", where, some, fetch, gives=item, lock=lock)

    def add_drop(self, item, body):
        places = list(self.areas) if body["drop"] is True else as_list(body["drop"])

        def put_down(n):
            n["lies", item] = n["place"]

        def pick_up(n):
            n["lies", item] = None

        self.add_made(f"{item}_drop", "drop", places, lambda s: True, put_down, takes=item)
        here = lambda s: s["lies", item] == s["place"]  # noqa: E731
        self.add_made(f"{item}_pick_up", "pick_up", places, here, pick_up, gives=item)

    def kept(self, store):
        if "keeps" in self.stores[store]:
            return as_list(self.stores[store]["keeps"])
        return [
            i for i, e in self.items.items() if e.get("kind") != "knowledge" and "uses" not in e
        ]

    def person_at(self, person, s):
        """Where a person is: an area, or None."""
        body = self.people[person]
        if not self.holds_all(body.get("when"), s):
            return None
        for place in as_list(body["at"]):
            if isinstance(place, str):
                return place
            if self.holds_all(place.get("when"), s):
                return place["at"]
        return None

    def foe_count(self, foe):
        return 1 if self.foes[foe].get("returns") == "always" else self.foes[foe].get("count", 1)

    def foe_there(self, foe, s):
        body = self.foes[foe]
        left = body.get("returns") == "always" or s["beaten", foe] < self.foe_count(foe)
        return left and self.holds_all(body.get("when"), s)
