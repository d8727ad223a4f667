"""The language read literally, as slowly and obviously as can be.

Works on the plain data of a world (what a YAML reader returns), with a condition reader of its
own. It shares no code with the program, so that both can be compared on random worlds.
A situation is a dict; sets of situations hold their sorted items as tuples.
"""

from __future__ import annotations

import re
from collections import deque

from tests.reference_rules import MADE, Rules, amounts, as_list, section


class Restless(Exception):
    """Settling never ends."""


class TooLarge(Exception):
    """More situations than a slow reference should look at."""


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
        if self.peek("lies"):
            self.next()
            assert self.next() == "at"
            return s["lies", word] == self.next()
        if self.peek("is"):
            self.next()
            negative = self.peek("not")
            if negative:
                self.next()
            if self.peek("in"):
                self.next()
                return (s["stored", self.next(), word] >= 1) != negative
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
        if ("quest", word) in s:
            return s["quest", word] == state
        if state == "beaten":
            return s["beaten", word] >= self.world.foe_count(word)
        if state == "here":
            return self.world.person_at(word, s) == s["place"]
        if state in ("met", "visited"):
            return word in s[state]
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


class Reference(Rules):
    """One world: its rules as plain dicts, its situations, and what follows from them."""

    def __init__(self, data):
        self.data = data
        self.items = {i: (e if isinstance(e, dict) else {}) for i, e in section(data, "items")}
        self.areas = {a: e or {} for a, e in section(data, "areas")}
        self.locks = {k: e or {} for k, e in section(data, "locks")}
        self.facts = dict(section(data, "facts"))
        self.meters = dict(section(data, "meters"))
        self.endings = {e: (b if isinstance(b, dict) else {}) for e, b in section(data, "endings")}
        self.people = dict(section(data, "people"))
        self.quests = dict(section(data, "quests"))
        self.recipes = dict(section(data, "recipes"))
        self.foes = {f: b or {} for f, b in section(data, "foes")}
        self.shops = dict(section(data, "shops"))
        self.stores = {c: b or {} for c, b in section(data, "stores")}
        self.carry = data.get("carry", [])
        self.whenever = [
            dict(w, id=w.get("id", f"whenever_{n}"))
            for n, w in enumerate(data.get("whenever", []), 1)
        ]
        self.texts = repr(data)
        self.rules = []
        self.make_rules()
        self.most = {item: self.bound(item) for item in self.items}

    def bound(self, item):
        """The most of an item: its max, or the start and every once-only source together."""
        if "max" in self.items[item]:
            return self.items[item]["max"]
        if "uses" in self.items[item]:
            return self.items[item]["uses"]
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
        for name in ("visited", "taken", "done", "met"):
            s[name] = frozenset()
        for item in self.items:
            s["held", item] = 0
        for count, item in amounts(self.data["start"].get("holding")):
            s["held", item] += self.items[item].get("uses", count)
        self.start_the_rest(s)
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

    def start_the_rest(self, s):
        for quest, body in self.quests.items():
            started = re.search(rf"'starts': (\[[^]]*)?'{quest}'", self.texts)
            s["quest", quest] = "waiting" if "from" in body or started else "active"
        for quest, number, _ in self.goals():
            s["goal", quest, number] = 0
        for foe in self.foes:
            s["beaten", foe] = 0
        for item, body in self.items.items():
            if body.get("drop"):
                s["lies", item] = None
        for shop, body in self.shops.items():
            for item, ware in body.get("sells", {}).items():
                if isinstance(ware, dict) and "stock" in ware:
                    s["stock", shop, item] = ware["stock"]
        for store in self.stores:
            for item in self.kept(store):
                s["stored", store, item] = 0
        self.let_go(s)

    def holds(self, text, s):
        return Conditions(str(text), self, s).value()

    def holds_all(self, texts, s):
        return all(self.holds(text, s) for text in as_list(texts))

    def possible(self, rule, s):
        if s["ending"] or (rule["at"] is not None and s["place"] not in rule["at"]):
            return False
        if rule["lock"] and not s["open", rule["lock"]]:
            return False
        if rule["kind"] == "lock" and s["open", rule["owner"]]:
            return False
        if any(subject in s[kind] for kind, subject in rule["once"]):
            return False
        if rule["offered"] and not rule["offered"](s):
            return False
        if not all(self.holds_all(b.get("needs"), s) for b in rule["bodies"]):
            return False
        return all(self.apply(rule, chance, s) is not None for _, chance in rule["outcomes"])

    def apply(self, rule, chance, s):
        """The situation right after one outcome, or None where it does not fit."""
        n = dict(s)
        log = {"gained": {}, "beaten": {}, "arrives": None}
        common, outcome = rule["bodies"], [chance]
        for kind, subject in rule["marks"]:
            n[kind] = n[kind] | {subject}
        if rule["kind"] == "talk" and re.search(rf"\b{rule['owner']} is (not )?met", self.texts):
            n["met"] = n["met"] | {rule["owner"]}
        if rule["special"]:
            rule["special"](n)
        if rule["kind"] == "foe":
            foe = rule["owner"]
            returns = self.foes[foe].get("returns") == "always"
            n["beaten", foe] = 1 if returns else n["beaten", foe] + 1
            log["beaten"][foe] = 1
        for body in common:
            for count, item in amounts(body.get("takes")):
                tool = "uses" in self.items[item]
                if n["held", item] < (1 if tool else count):
                    return None
                n["held", item] = 0 if tool else n["held", item] - count
        for body in common:
            for tool in as_list(body.get("wears")):
                if n["held", tool] < 1:
                    return None
                n["held", tool] -= 1
        overridden = {f for b in outcome for f in b.get("sets", {})}
        if not self.do_all(n, common, rule["gives"], rule["opens"], overridden, log, False):
            return None
        if not self.do_all(n, outcome, [], [], set(), log, False):
            return None
        there = rule["to"]
        for body in [*common, *outcome]:
            there = body.get("moves_to", there)
        arrives = there or log["arrives"]
        elsewhere = arrives is not None and arrives != s["place"]
        if elsewhere and not self.holds_all(self.areas[arrives].get("needs"), s):
            return None
        if there is not None:
            self.move(n, there)
        for body in [*common, *outcome]:
            n["ending"] = body.get("ends", n["ending"])
        if rule["relocks"]:
            n["open", rule["relocks"]] = False
        self.let_go(n)
        if rule["kind"] in ("fetch", "pick_up"):
            log["gained"] = {}
        self.count(s, n, log, rule)
        return n

    def move(self, n, there):
        left = n["place"]
        if left != there and re.search(rf"\b{left} is (not )?visited", self.texts):
            n["visited"] = n["visited"] | {left}
        n["place"] = there

    def let_go(self, n):
        for item, body in self.items.items():
            if "stays_in" in body and n["place"] not in as_list(body["stays_in"]):
                n["held", item] = 0

    def room(self, n, item):
        """How many more of an item can be held."""
        tool = "uses" in self.items[item]
        room = int(n["held", item] == 0) if tool else self.most[item] - n["held", item]
        for carry in self.carry:
            things = [i for i, e in self.items.items() if e.get("kind", "thing") == "thing"]
            of = as_list(carry["of"]) if "of" in carry else things
            if item in of:
                load = sum(
                    min(1, n["held", i]) if "uses" in self.items[i] else n["held", i] for i in of
                )
                room = min(room, carry["limit"] - load)
        return max(0, room)

    def do_all(self, n, bodies, first, opened, overridden, log, settling):
        """Effects in the order of the language, but for moves and ends; False: does not fit."""
        for body in bodies:
            for count, item in amounts(body.get("loses")):
                whole = count is None or "uses" in self.items[item]
                n["held", item] = 0 if whole else max(0, n["held", item] - count)
        for count, item in [*first, *(a for b in bodies for a in amounts(b.get("gives")))]:
            fits = min(count, self.room(n, item))
            if fits < count and not settling and self.items[item].get("when_full") != "waste":
                return False
            if "uses" in self.items[item]:
                n["held", item] = self.items[item]["uses"] if fits else n["held", item]
            else:
                n["held", item] += fits
            log["gained"][item] = log["gained"].get(item, 0) + fits
        settings = {f: v for b in bodies for f, v in b.get("sets", {}).items()}
        for thing, value in settings.items():
            if thing in overridden:
                continue
            if thing in self.meters:
                n["meter", thing] = self.cut(thing, value)
            else:
                n["fact", thing] = value
        for fact in (f for b in bodies for f in as_list(b.get("toggles"))):
            n["fact", fact] = not n["fact", fact]
        for body in bodies:
            for meter, amount in body.get("adds", {}).items():
                n["meter", meter] = self.cut(meter, n["meter", meter] + amount)
        for lock in [*opened, *(k for b in bodies for k in as_list(b.get("opens")))]:
            n["open", lock] = True
        for lock in (k for b in bodies for k in as_list(b.get("shuts"))):
            n["open", lock] = False
        for quest in (q for b in bodies for q in as_list(b.get("starts"))):
            if n["quest", quest] == "waiting":
                n["quest", quest] = "active"
        for quest in (q for b in bodies for q in as_list(b.get("finishes"))):
            if not self.finish(n, quest, log, settling):
                return False
        for quest in (q for b in bodies for q in as_list(b.get("fails"))):
            if n["quest", quest] in ("waiting", "active"):
                n["quest", quest] = "failed"
        return True

    def finish(self, n, quest, log, settling):
        """The quest is done, and its reward is given; False where that does not fit."""
        if n["quest", quest] not in ("waiting", "active"):
            return True
        n["quest", quest] = "done"
        reward = self.quests[quest].get("reward", {})
        if not self.do_all(n, [reward], [], [], set(), log, settling):
            return False
        if "moves_to" in reward:
            log["arrives"] = log["arrives"] or reward["moves_to"]
            self.move(n, reward["moves_to"])
        n["ending"] = reward.get("ends", n["ending"])
        return True

    # quests

    def remembers(self, quest, goal):
        current = "collect" in goal or "meet" in goal
        return not current or quest.get("order") == "in_turn"

    def whole(self, goal):
        kind = "gain" if "gain" in goal else "defeat"
        return amounts(goal[kind])[0][0] if kind in goal else 1

    def met(self, quest, number, s):
        goal = as_list(self.quests[quest]["goals"])[number - 1]
        if self.remembers(self.quests[quest], goal):
            return s["goal", quest, number] >= self.whole(goal)
        return self.now(goal, s)

    def now(self, goal, s):
        """What is looked at: a visit, a collection, a condition."""
        if "visit" in goal:
            return s["place"] == goal["visit"]
        if "collect" in goal:
            [(count, item)] = amounts(goal["collect"])
            return s["held", item] >= count
        return self.holds(goal["meet"], s)

    def all_met(self, quest, s):
        goals = as_list(self.quests[quest].get("goals"))
        return all(self.met(quest, n, s) for n in range(1, len(goals) + 1))

    def counts(self, quest, number, s):
        body = self.quests[quest]
        goal = as_list(body["goals"])[number - 1]
        if self.met(quest, number, s) or not self.holds_all(goal.get("needs"), s):
            return False
        if goal.get("early") == "counts":
            return s["quest", quest] in ("waiting", "active")
        if s["quest", quest] != "active":
            return False
        earlier = range(1, number) if body.get("order") == "in_turn" else []
        return all(self.met(quest, n, s) for n in earlier)

    def goals(self):
        for quest, body in self.quests.items():
            for number, goal in enumerate(as_list(body.get("goals")), 1):
                if self.remembers(body, goal):
                    yield quest, number, goal

    def count(self, before, n, log, rule):
        for quest, number, goal in self.goals():
            amount = 0
            if "gain" in goal:
                amount = log["gained"].get(amounts(goal["gain"])[0][1], 0)
            elif "defeat" in goal:
                amount = log["beaten"].get(amounts(goal["defeat"])[0][1], 0)
            elif "talk" in goal and rule:
                amount = rule["kind"] == "talk" and rule["owner"] == goal["talk"]
            elif "do" in goal and rule:
                amount = goal["do"] in (rule["id"], rule["common"])
            if amount and self.counts(quest, number, before):
                made = n["goal", quest, number] + amount
                n["goal", quest, number] = min(self.whole(goal), made)
        for quest, number, _ in self.goals():
            if n["quest", quest] in ("done", "failed"):
                n["goal", quest, number] = 0

    def look(self, s):
        n = dict(s)
        looking = True
        while looking:
            looking = False
            for quest, number, goal in self.goals():
                looked_at = "visit" in goal or "collect" in goal or "meet" in goal
                if looked_at and self.now(goal, n) and self.counts(quest, number, n):
                    n["goal", quest, number] = 1
                    looking = True
        return n

    def cut(self, meter, value):
        limits = self.meters[meter]
        return min(limits["to"], max(limits.get("from", 0), value))

    def settle(self, s):
        seen = []
        while not s["ending"]:
            s = self.look(s)
            if s in seen:
                raise Restless
            seen.append(s)
            after = self.happen(s) or self.end_a_quest(s)
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
            log = {"gained": {}, "beaten": {}, "arrives": None}
            self.do_all(n, [happening], [], [], set(), log, True)
            if "moves_to" in happening:
                self.move(n, happening["moves_to"])
            n["ending"] = happening.get("ends", n["ending"])
            self.let_go(n)
            self.count(s, n, log, None)
            if n != s:
                return n
        return None

    def end_a_quest(self, s):
        for quest, body in self.quests.items():
            if s["quest", quest] != "active":
                continue
            n = dict(s)
            log = {"gained": {}, "beaten": {}, "arrives": None}
            if "fails_when" in body and self.holds(body["fails_when"], s):
                n["quest", quest] = "failed"
            elif "hand_in" not in body and body.get("goals") and self.all_met(quest, s):
                self.finish(n, quest, log, True)
                self.let_go(n)
            else:
                continue
            self.count(s, n, log, None)
            return n
        return None

    # everything that can come of it

    def explore(self, most=4000):
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
                    if len(self.order) > most:
                        raise TooLarge
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
            "no_gate": self.no_gate(), "skippable": self.skippable(),
            "promises": self.promises(), "silent": self.silent_and_unheard()[0],
            "unheard": self.silent_and_unheard()[1], "empty_hands": self.empty_hands(),
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
        for quest in self.quests:
            found[quest] = lambda s, q=quest: s["quest", q] == "done"
        for foe in self.foes:
            found[foe] = lambda s, f=foe: s["beaten", f] >= self.foe_count(f)
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

    def no_gate(self):
        """Locks, ways and areas whose written needs hold wherever they could be tried."""
        found, tried = set(), {}
        unended = [dict(s) for s in self.situations if not dict(s)["ending"]]
        for rule in self.rules:
            if rule["kind"] not in ("lock", "way"):
                continue
            needs = [n for b in rule["bodies"] for n in as_list(b.get("needs"))]
            here = [s for s in unended if rule["at"] is None or s["place"] in rule["at"]]
            if rule["kind"] == "lock":
                here = [s for s in here if not s["open", rule["owner"]]]
            stops = not needs or not here or not all(self.holds_all(needs, s) for s in here)
            tried.setdefault(rule["owner"], []).append(stops)
        found |= {owner for owner, stops in tried.items() if not any(stops)}
        for area, body in self.areas.items():
            needs = as_list(body.get("needs"))
            places = [
                s for s in unended if s["place"] != area and any(
                    self.leads_to(r, area) and (r["at"] is None or s["place"] in r["at"])
                    for r in self.rules
                )
            ]  # fmt: skip
            if needs and places and all(self.holds_all(needs, s) for s in places):
                found.add(area)
        return found

    def silent_and_unheard(self):
        """({id: moves to where nothing is said}, ids with a text that is never shown)."""
        silent, unheard = {}, set()
        lists = {a: (b["says"], self.at(a)) for a, b in self.areas.items() if "says" in b}
        for lock, body in self.locks.items():
            rules = [r for r in self.rules if r["kind"] == "lock" and r["owner"] == lock]
            places = rules[0]["at"]
            before = [
                key for key in self.situations if not (s := dict(key))["ending"]
                and (places is None or s["place"] in places) and not s["open", lock]
                and not any(self.possible(r, s) for r in rules)
            ]  # fmt: skip
            if "refuses" in body:
                lists[lock] = (body["refuses"], before)
        for subject, (texts, keys) in lists.items():
            texts = [t if isinstance(t, dict) else {"text": t} for t in as_list(texts)]
            first = {
                key: next(
                    (n for n, t in enumerate(texts) if self.holds_all(t.get("when"), dict(key))),
                    None,
                )
                for key in keys
            }
            lengths = [self.order[key] for key, n in first.items() if n is None]
            if lengths and any("when" in t for t in texts):
                silent[subject] = min(lengths)
            if keys and set(range(len(texts))) - set(first.values()):
                unheard.add(subject)
        return silent, unheard

    def at(self, area):
        return [key for key in self.situations if dict(key)["place"] == area]

    def empty_hands(self):
        """{id: moves of the shortest play in which a `loses` has nothing to remove}."""
        found = {}
        for key, rule, number, _ in self.edges:
            s = dict(key)
            chance = dict(rule["outcomes"])[number]
            given = {i for _, i in rule["gives"]}
            for level, bodies in enumerate((rule["bodies"], [chance])):
                for _, item in (a for b in bodies for a in amounts(b.get("loses"))):
                    taken = sum(
                        n for b in rule["bodies"] for n, i in amounts(b.get("takes")) if i == item
                    )  # fmt: skip
                    if (level == 0 or item not in given) and s["held", item] == taken:
                        subject = rule["owner"] if rule["kind"] == "way" else rule["id"]
                        length = self.order[key] + 1
                        found[subject] = min(length, found.get(subject, length))
                given |= {i for b in bodies for _, i in amounts(b.get("gives"))}
                given |= {i for b in bodies for _, i in amounts(b.get("loses"))}
        return found

    def leads_to(self, rule, area):
        """Whether some outcome of a rule moves the player to an area."""
        for _, chance in rule["outcomes"]:
            there = rule["to"]
            for body in [*rule["bodies"], chance]:
                there = body.get("moves_to", there)
            if there == area:
                return True
        return False

    def skippable(self):
        """{id: moves of the shortest win without it}, of what is asked for somewhere."""
        mentions = set()
        for rule in self.rules:
            if rule["kind"] in ("put", "drop", "sell", "buy"):
                continue
            for body in rule["bodies"]:
                texts = [str(n) for n in as_list(body.get("needs"))]
                texts += [i for _, i in amounts(body.get("takes"))] + as_list(body.get("wears"))
                texts += [t for text in texts for t in self.presence_texts(text)]
                mentions.update(w for t in texts for w in re.findall(r"[a-z_0-9]+", t))
            mentions.add(rule["lock"])
        for body in self.areas.values():
            for need in as_list(body.get("needs")):
                for text in [need, *self.presence_texts(need)]:
                    mentions.update(re.findall(r"[a-z_0-9]+", text))
        having = {i: (lambda s, i=i: s["held", i] > 0) for i in self.items}
        having |= {k: (lambda s, k=k: s["open", k]) for k, b in self.locks.items()
                   if b.get("begins") != "open"}  # fmt: skip
        having |= {q: (lambda s, q=q: s["quest", q] == "done") for q in self.quests}
        found = {}
        for subject, has in having.items():
            had = {s for s in self.situations if has(dict(s))}
            if subject in mentions and had:
                wins = [n for s, n in self.distances(had).items() if s in self.won]
                if wins:
                    found[subject] = min(wins)
        return found

    def presence_texts(self, text):
        """What the presence of a person asks for, where a condition asks for the person."""
        found = []
        for person in re.findall(r"([a-z_0-9]+) is (?:not )?here", text):
            body = self.people[person]
            found += as_list(body.get("when"))
            found += [w for p in as_list(body["at"]) if isinstance(p, dict)
                      for w in as_list(p.get("when"))]  # fmt: skip
        return found

    def promises(self):
        """{id: moves of the shortest play that breaks it, or None where no play shows it}."""
        broken = {}
        for number, promise in enumerate(self.data.get("promises", []), 1):
            (kind,) = [k for k in promise if k not in ("because", "id")]
            lengths = self.breaking(kind, promise[kind])
            if lengths is not None:
                broken[promise.get("id", f"promise_{number}")] = min(lengths, default=None)
        return broken

    def breaking(self, kind, value):
        """The lengths of plays that break a promise; None: it is kept."""

        def where(text):
            return {s for s in self.situations if self.holds(text, dict(s))}

        if kind == "within":
            reach = value["reach"]
            goal = {s for s in self.situations if dict(s)["ending"] == reach} if (
                reach in self.endings) else where(reach)  # fmt: skip
            lengths = [self.order[s] for s in goal]
            return lengths if not lengths or min(lengths) > value["steps"] else None
        if kind == "before":
            first, second = where(value[0]), where(value[1])
            lengths = [n for s, n in self.distances(first).items() if s in second]
            return lengths or None
        if kind == "possible":
            return None if where(value) else []
        bad = where(value)
        if kind == "always":
            bad = self.situations - bad
        elif kind == "stays_possible":
            bad = self.situations - self.ended - self.closure(bad, self.before)
        return [self.order[s] for s in bad] or None

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
        found |= {q for q in self.quests if not any(s["quest", q] == "done" for s in every)}
        found |= {
            f for f in self.foes if not any(s["beaten", f] >= self.foe_count(f) for s in every)
        }
        ways = {}
        for rule in self.rules:
            if rule["kind"] == "way":
                number = rule["bodies"][-1].get("id", 0) if len(rule["bodies"]) > 1 else 0
                position = id(rule["bodies"][-1]) if len(rule["bodies"]) > 1 else number
                ways.setdefault((rule["owner"], position), []).append(rule["id"])
            elif rule["kind"] not in MADE and rule["id"] not in self.possible_rules | {*self.locks}:
                found.add(rule["id"])
        for ids in ways.values():
            if not any(i in self.possible_rules for i in ids):
                found.add(ids[0])
        return found


def frozen(situation):
    return tuple(sorted(situation.items(), key=str))
