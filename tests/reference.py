"""The language read literally, as slowly and obviously as can be.

Works on the plain data of a world (what a YAML reader returns), with a condition reader of its
own. It shares no code with the program, so that both can be compared on random worlds.
A situation is a dict; sets of situations hold their sorted items as tuples.
"""

from __future__ import annotations

import re
from collections import deque


class Restless(Exception):
    """Settling never ends."""


def amounts(entry):
    """[(count or None for all, item)] of an amount or a list of amounts."""
    if entry is None:
        return []
    found = []
    for text in entry if isinstance(entry, list) else [entry]:
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


class Conditions:
    """Evaluates one condition text in one situation, reading it anew each time."""

    def __init__(self, text, world, situation):
        self.tokens = re.findall(r"[a-z_0-9]+|[<>!]?=|[<>(),]", text)
        self.world = world
        self.situation = situation

    def value(self):
        result = self.disjunction()
        assert not self.tokens, self.tokens
        return result

    def next(self):
        return self.tokens.pop(0)

    def peek(self, word):
        return bool(self.tokens) and self.tokens[0] == word

    def disjunction(self):
        result = self.conjunction()
        while self.peek("or"):
            self.next()
            other = self.conjunction()
            result = result or other
        return result

    def conjunction(self):
        result = self.negation()
        while self.peek("and"):
            self.next()
            other = self.negation()
            result = result and other
        return result

    def negation(self):
        if self.peek("not"):
            self.next()
            return not self.negation()
        return self.atom()

    def parts(self):
        assert self.next() == "of" and self.next() == "("
        values = [self.disjunction()]
        while self.next() == ",":
            values.append(self.disjunction())
        return values

    def atom(self):
        s = self.situation
        word = self.next()
        if word == "(":
            result = self.disjunction()
            assert self.next() == ")"
            return result
        if word == "any":
            return any(self.parts())
        if word == "all":
            return all(self.parts())
        if word == "at":
            return s["place"] == self.next()
        if word.isdigit():
            if self.peek("of"):
                return sum(self.parts()) >= int(word)
            return s["held", self.next()] >= int(word)
        if self.peek("is"):
            self.next()
            negative = self.peek("not")
            if negative:
                self.next()
            return self.state(word, self.next()) != negative
        if self.tokens and self.tokens[0] in ("<", ">", "<=", ">=", "=", "!="):
            return self.comparison(word, self.next(), self.next())
        if ("held", word) in s:
            return s["held", word] >= 1
        return s["fact", word] is True

    def state(self, word, state):
        s = self.situation
        if state in ("open", "shut"):
            return s["open", word] == (state == "open")
        if state == "visited":
            return word in s["visited"]
        if state == "taken":
            return word in s["taken"]
        assert state == "done", state
        return word in s["done"]

    def comparison(self, word, operator, number):
        s = self.situation
        if ("fact", word) in s:
            value = s["fact", word]
            same = (value == (number == "true")) if isinstance(value, bool) else value == number
            return same if operator == "=" else not same
        left = s["held", word] if ("held", word) in s else s["meter", word]
        right = int(number)
        return {
            "<": left < right, ">": left > right, "<=": left <= right,
            ">=": left >= right, "=": left == right, "!=": left != right,
        }[operator]  # fmt: skip


class Reference:
    """One world: its rules as plain dicts, its situations, and what follows from them."""

    def __init__(self, data):
        self.data = data
        self.items = {i: (e if isinstance(e, dict) else {}) for i, e in section(data, "items")}
        self.areas = {a: e or {} for a, e in section(data, "areas")}
        self.locks = {k: e or {} for k, e in section(data, "locks")}
        self.facts = dict(section(data, "facts"))
        self.meters = dict(section(data, "meters"))
        self.endings = {e: (b if isinstance(b, dict) else {}) for e, b in section(data, "endings")}
        self.whenever = [
            dict(w, id=w.get("id", f"whenever_{n}"))
            for n, w in enumerate(data.get("whenever", []), 1)
        ]
        self.texts = repr(data)
        self.rules = []
        self.make_rules()
        self.most = {item: self.bound(item) for item in self.items}

    # rules

    def make_rules(self):
        used = set(self.items) | set(self.areas) | set(self.locks) | set(self.facts)
        used |= set(self.meters) | set(self.endings)
        used |= {d for d, _ in section(self.data, "deeds")}
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

        for area, body in self.areas.items():
            for find in body.get("finds", []):
                find = find if isinstance(find, dict) else {"amount": find}
                if "amount" in find:
                    [(count, item)] = amounts(find["amount"])
                else:
                    count, item = find.get("count", 1), find["item"]
                self.add_rules(
                    find.get("id") or fresh(f"{area}_{item}"), "find", [area], find,
                    gives=[(count, item)], again=find.get("again") == "always",
                )  # fmt: skip
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
        for deed, body in section(self.data, "deeds"):
            where = body.get("at", "anywhere")
            places = None if where == "anywhere" else as_list(where)
            self.add_rules(deed, "deed", places, body)
        for lock, body in self.locks.items():
            places = as_list(body["from"]) if "from" in body else self.met_at(lock)
            self.add_rules(lock, "lock", places, body, opens=[lock])

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
        return places

    def add_rules(
        self, this, kind, places, body, gives=(), again=True, to=None, owner=None, opens=()
    ):
        owner = owner or this
        alternatives = body.get("either") or [None]
        for number, alternative in enumerate(alternatives, 1):
            bodies = [body] if alternative is None else [body, alternative]
            chances = [c for b in bodies for c in b.get("chance", [])] or [{}]
            label = this if alternative is None else alternative.get("id", f"{this}_{number}")
            once = []
            if kind == "find" and not again:
                once.append(("taken", owner))
            elif body.get("once"):
                once.append(("done", owner))
            mark = f"{owner}_{number}" if alternative is not None else None
            asked = mark is not None and re.search(rf"\b{mark} is (not )?done", self.texts)
            if alternative is not None and alternative.get("once") and not once:
                once.append(("done", mark))
            marks = list(once)
            if once and asked and ("done", mark) not in marks:
                marks.append(("done", mark))
            self.rules.append({
                "id": label, "kind": kind, "owner": owner, "at": places, "bodies": bodies,
                "lock": body.get("lock"), "once": once, "marks": marks, "to": to,
                "gives": list(gives), "opens": list(opens), "relocks": self.relocks(kind, body),
                "outcomes": [(n, c) for n, c in enumerate(chances, 1) if c.get("odds", 1) > 0],
            })  # fmt: skip

    def relocks(self, kind, body):
        lock = body.get("lock")
        if kind != "way" or not lock:
            return None
        how = body.get("relocks", self.locks[lock].get("relocks", "never"))
        return lock if how == "passing" else None

    def bound(self, item):
        """The most of an item: its max, or the start and every once-only source together."""
        if "max" in self.items[item]:
            return self.items[item]["max"]
        total = sum(n for n, i in amounts(self.data["start"].get("holding")) if i == item)
        best = {}
        for rule in self.rules:
            for _, chance in rule["outcomes"]:
                gained = sum(n for n, i in rule["gives"] if i == item)
                gained += sum(
                    n for b in [*rule["bodies"], chance] for n, i in amounts(b.get("gives"))
                    if i == item
                )  # fmt: skip
                key = rule["once"][0] if rule["once"] else None
                best[key] = max(best.get(key, 0), gained)
        for happening in self.whenever:
            gained = sum(n for n, i in amounts(happening.get("gives")) if i == item)
            key = ("done", happening["id"]) if happening.get("once") else None
            best[key] = max(best.get(key, 0), gained)
        assert best.get(None, 0) == 0, f"{item} has no bound"
        return total + sum(best.values())

    # situations

    def start(self):
        s = {"place": self.data["start"]["at"], "ending": None}
        for name in ("visited", "taken", "done"):
            s[name] = frozenset()
        for item in self.items:
            s["held", item] = 0
        for count, item in amounts(self.data["start"].get("holding")):
            s["held", item] += count
        for lock, body in self.locks.items():
            s["open", lock] = body.get("begins") == "open"
        for fact, body in self.facts.items():
            if isinstance(body, dict) and "values" in body:
                s["fact", fact] = body.get("start", body["values"][0])
            else:
                s["fact", fact] = bool(body)
        for meter, body in self.meters.items():
            s["meter", meter] = body.get("start", body.get("from", 0))
        return self.settle(s)

    def holds(self, text, s):
        return Conditions(str(text), self, s).value()

    def possible(self, rule, s):
        if s["ending"] or (rule["at"] is not None and s["place"] not in rule["at"]):
            return False
        if rule["lock"] and not s["open", rule["lock"]]:
            return False
        if rule["kind"] == "lock" and s["open", rule["owner"]]:
            return False
        if any(subject in s[kind] for kind, subject in rule["once"]):
            return False
        if not all(self.holds(n, s) for b in rule["bodies"] for n in as_list(b.get("needs"))):
            return False
        return all(self.apply(rule, chance, s) is not None for _, chance in rule["outcomes"])

    def apply(self, rule, chance, s):
        """The situation right after one outcome, or None where it does not fit."""
        n = dict(s)
        common, outcome = rule["bodies"], [chance]
        for kind, subject in rule["marks"]:
            n[kind] = n[kind] | {subject}
        for body in common:
            for count, item in amounts(body.get("takes")):
                n["held", item] -= count
                if n["held", item] < 0:
                    return None
        if not self.lose_and_give(n, common, rule["gives"]):
            return None
        self.change(n, common, rule["opens"], {f for b in outcome for f in b.get("sets", {})})
        if not self.lose_and_give(n, outcome, []):
            return None
        self.change(n, outcome, [], set())
        there = rule["to"]
        for body in [*common, *outcome]:
            there = body.get("moves_to", there)
        if there is not None and there != s["place"]:
            if not all(self.holds(c, s) for c in as_list(self.areas[there].get("needs"))):
                return None
            self.move(n, there)
        for body in [*common, *outcome]:
            n["ending"] = body.get("ends", n["ending"])
        if rule["relocks"]:
            n["open", rule["relocks"]] = False
        return n

    def move(self, n, there):
        left = n["place"]
        if left != there and re.search(rf"\b{left} is (not )?visited", self.texts):
            n["visited"] = n["visited"] | {left}
        n["place"] = there

    def lose_and_give(self, n, bodies, first, settling=False):
        for body in bodies:
            for count, item in amounts(body.get("loses")):
                n["held", item] = 0 if count is None else max(0, n["held", item] - count)
        for count, item in [*first, *(a for b in bodies for a in amounts(b.get("gives")))]:
            n["held", item] += count
            if n["held", item] > self.most[item]:
                if not settling and self.items[item].get("when_full") != "waste":
                    return False
                n["held", item] = self.most[item]
        return True

    def change(self, n, bodies, opened, overridden):
        settings = {f: v for b in bodies for f, v in b.get("sets", {}).items()}
        for thing, value in settings.items():
            if thing in overridden:
                continue
            if thing in self.meters:
                n["meter", thing] = self.cut(thing, value)
            else:
                n["fact", thing] = value
        for body in bodies:
            for fact in as_list(body.get("toggles")):
                n["fact", fact] = not n["fact", fact]
        for body in bodies:
            for meter, amount in body.get("adds", {}).items():
                n["meter", meter] = self.cut(meter, n["meter", meter] + amount)
        for lock in [*opened, *(k for b in bodies for k in as_list(b.get("opens")))]:
            n["open", lock] = True
        for lock in (k for b in bodies for k in as_list(b.get("shuts"))):
            n["open", lock] = False

    def cut(self, meter, value):
        limits = self.meters[meter]
        return min(limits["to"], max(limits.get("from", 0), value))

    def settle(self, s):
        seen = []
        while not s["ending"]:
            if s in seen:
                raise Restless
            seen.append(s)
            after = self.happen(s)
            if after is None:
                for ending, body in self.endings.items():
                    if "when" in body and self.holds(body["when"], s):
                        return dict(s, ending=ending)
                return s
            s = after
        return s

    def happen(self, s):
        for happening in self.whenever:
            once = happening.get("once")
            if (once and happening["id"] in s["done"]) or not self.holds(happening["when"], s):
                continue
            n = dict(s)
            if once:
                n["done"] = n["done"] | {happening["id"]}
            self.lose_and_give(n, [happening], [], settling=True)
            self.change(n, [happening], [], set())
            if "moves_to" in happening:
                self.move(n, happening["moves_to"])
            n["ending"] = happening.get("ends", n["ending"])
            if n != s:
                return n
        return None

    # everything that can come of it

    def explore(self):
        """Every situation in breadth-first order, and [(from, rule, outcome, to)]."""
        start = frozen(self.start())
        self.order, self.edges = {start: 0}, []
        self.possible_rules = set()
        queue = deque([start])
        while queue:
            key = queue.popleft()
            s = dict(key)
            for rule in self.rules:
                if not self.possible(rule, s):
                    continue
                self.possible_rules.add(rule["id"])
                after = [(n, self.settle(self.apply(rule, c, s))) for n, c in rule["outcomes"]]
                if all(a == s for _, a in after):
                    continue
                for number, a in after:
                    to = frozen(a)
                    if to not in self.order:
                        self.order[to] = self.order[key] + 1
                        queue.append(to)
                    self.edges.append((key, rule, number, to))
        self.situations = set(self.order)
        self.after, self.before = {}, {}
        for a, _, _, b in self.edges:
            self.after.setdefault(a, set()).add(b)
            self.before.setdefault(b, set()).add(a)
        good = {e for e, b in self.endings.items() if b.get("kind") != "bad"}
        self.won = {s for s in self.situations if dict(s)["ending"] in good}
        self.ended = {s for s in self.situations if dict(s)["ending"]}
        to_win = self.closure(self.won, self.before)
        self.live = to_win - self.ended
        self.doomed = self.situations - self.ended - to_win
        return self

    def closure(self, seed, neighbours):
        reached, pending = set(seed), list(seed)
        while pending:
            for other in neighbours.get(pending.pop(), ()):
                if other not in reached:
                    reached.add(other)
                    pending.append(other)
        return reached

    def verdict(self):
        if not self.won:
            return "unwinnable"
        return "softlocks" if self.doomed else "solvable"

    def summary(self):
        wins = [self.order[s] for s in self.won]
        return {
            "verdict": self.verdict(), "situations": len(self.situations),
            "moves": len(self.edges), "won": len(self.won), "doomed": len(self.doomed),
            "shortest_win": min(wins, default=None), "culprits": self.culprits(),
            "missable": self.missable(), "unreachable": self.unreachable(),
        }  # fmt: skip

    def culprits(self):
        """{(kind, rule): (situations doomed, length of the shortest evidence)}."""
        by_move = {}
        for a, rule, number, b in self.edges:
            by_move.setdefault((a, rule["id"]), []).append((number, b))
        found = {}
        for (a, rule_id), outcomes in by_move.items():
            dooming = [b for _, b in outcomes if b in self.doomed]
            if a in self.live and dooming:
                kind = "softlock" if len(dooming) == len(outcomes) else "bad_luck"
                landings, length = found.get((kind, rule_id), (set(), 10**9))
                found[kind, rule_id] = (
                    landings | set(dooming), min(length, self.order[a] + 1)
                )  # fmt: skip
        return {
            key: (len(self.closure(landings, self.after) & self.doomed), length)
            for key, (landings, length) in found.items()
        }

    def subjects(self):
        """{id: whether a situation has it}."""
        found = {}
        for rule in self.rules:
            for kind, subject in rule["once"]:
                found[subject] = lambda s, k=kind, t=subject: t in s[k]
        for item in self.items:
            found[item] = lambda s, i=item: s["held", i] > 0
        for ending, body in self.endings.items():
            if body.get("kind") != "bad":
                found[ending] = lambda s, e=ending: s["ending"] == e
        return found

    def missable(self):
        """{id: moves of the shortest play after which it is missed}."""
        found = {}
        for subject, has in self.subjects().items():
            having = {s for s in self.situations if has(dict(s))}
            if not having:
                continue
            lost = self.live - self.closure(having, self.before)
            without = self.distances(having)
            lengths = [without[s] for s in lost if s in without]
            if lengths:
                found[subject] = min(lengths)
        return found

    def distances(self, avoiding):
        start = frozen(self.start())
        if start in avoiding:
            return {}
        reached = {start: 0}
        queue = deque([start])
        while queue:
            here = queue.popleft()
            for other in self.after.get(here, ()):
                if other not in reached and other not in avoiding:
                    reached[other] = reached[here] + 1
                    queue.append(other)
        return reached

    def unreachable(self):
        every = [dict(s) for s in self.situations]
        found = {a for a in self.areas if not any(s["place"] == a for s in every)}
        found |= {e for e in self.endings if not any(s["ending"] == e for s in every)}
        found |= {k for k in self.locks if not any(s["open", k] for s in every)}
        found |= {i for i in self.items if not any(s["held", i] for s in every)}
        ways = {}
        for rule in self.rules:
            if rule["kind"] == "way":
                number = rule["bodies"][-1].get("id", 0) if len(rule["bodies"]) > 1 else 0
                position = id(rule["bodies"][-1]) if len(rule["bodies"]) > 1 else number
                ways.setdefault((rule["owner"], position), []).append(rule["id"])
            elif rule["id"] not in self.possible_rules and rule["id"] not in self.locks:
                found.add(rule["id"])
        for ids in ways.values():
            if not any(i in self.possible_rules for i in ids):
                found.add(ids[0])
        return found


def section(data, name):
    return list((data.get(name) or {}).items())


def frozen(situation):
    return tuple(sorted(situation.items(), key=str))
