"""The language read literally, as slowly and obviously as can be.

Works on the plain data of a world (what a YAML reader returns), with a condition reader of its
own. It shares no code with the program, so that both can be compared on random worlds.
A situation is a dict; sets of situations hold their sorted items as tuples.
"""

from __future__ import annotations

import re
from collections import deque

from tests.reference_findings import Findings, frozen
from tests.reference_rules import Rules, amounts, as_list, flat_goals, goal_groups, section


class Restless(Exception):
    """Settling never ends."""


class TooLarge(Exception):
    """More situations than a slow reference should look at."""


class Conditions:
    """Evaluates one condition text in one situation, reading it anew each time."""

    def __init__(self, text, world, situation):
        self.tokens = re.findall(r"[a-z_0-9]+|[<>!]?=|[-+<>(),]", text)
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
            item = self.next()
            if self.peek("in"):
                self.next()
                return s["stored", self.next(), item] >= int(word)
            return s["held", item] >= int(word)
        if self.peek("in"):
            self.next()
            store, operator, number = self.next(), self.next(), int(self.next())
            return compared(s["stored", store, word], operator, number)
        if self.in_a_sum(word):
            left, operator = self.total(word), self.next()
            return compared(left, operator, self.total(self.next()))
        if self.peek("lies"):
            self.next()
            assert self.next() == "at"
            area = self.next()
            return s.get(("lies", word)) == area or s.get(("dealt", word)) == area
        if self.peek("is"):
            self.next()
            negative = self.peek("not")
            if negative:
                self.next()
            if self.peek("in"):
                self.next()
                return (s["stored", self.next(), word] >= 1) != negative
            return self.state(word, self.next()) != negative
        if self.tokens[:2] and (word, *self.tokens[:2]) == self.world.assumed:
            del self.tokens[:2]
            return True
        if self.tokens and self.tokens[0] in ("<", ">", "<=", ">=", "=", "!="):
            return self.comparison(word, self.next(), self.next())
        if ("held", word) in s:
            return s["held", word] >= 1
        return s["fact", word] is True

    def in_a_sum(self, word):
        """Whether amounts are added up, or compared with another amount, from here on."""
        if self.tokens[:1] in (["+"], ["-"]):
            return True
        amount = ("held", word) in self.situation or ("meter", word) in self.situation
        return (
            amount
            and self.tokens[0:1]
            and self.tokens[0] in COMPARES
            and (not self.tokens[1].isdigit())
        )

    def total(self, word):
        """A number, or amounts one after the other with their signs."""
        total = self.amount_of(word)
        while self.tokens[:1] in (["+"], ["-"]):
            sign = 1 if self.next() == "+" else -1
            total += sign * self.amount_of(self.next())
        return total

    def amount_of(self, word):
        s = self.situation
        if word.isdigit():
            return int(word)
        return s["held", word] if ("held", word) in s else s["meter", word]

    def state(self, word, state):
        s = self.situation
        if state in ("open", "shut"):
            return s["open", word] == (state == "open")
        if ("quest", word) in s:
            return s["quest", word] == state
        if state == "met" and word in self.world.goal_ids:
            quest, number = self.world.goal_ids[word]
            if s["quest", quest] == "done":
                return True
            return s["quest", quest] == "active" and self.world.met(quest, number, s)
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
        if word in self.world.goal_ids:
            return compared(self.world.come_far(word, s), operator, int(number))
        left = s["held", word] if ("held", word) in s else s["meter", word]
        return compared(left, operator, int(number))


COMPARES = ("<", ">", "<=", ">=", "=", "!=")


def compared(left, operator, right):
    return {
        "<": left < right,
        ">": left > right,
        "<=": left <= right,
        ">=": left >= right,
        "=": left == right,
        "!=": left != right,
    }[operator]


class Reference(Rules, Findings):
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
        self.goal_ids = {
            goal["id"]: (quest, number)
            for quest, body in self.quests.items()
            for number, goal in enumerate(flat_goals(body), 1)
            if "id" in goal
        }
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
        # a comparison that `Conditions` takes for true
        self.assumed = None
        self.wasted, self.counting = set(), set()
        # ids of what has happened by itself since somebody looked
        self.happened = set()
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
                    n
                    for b in [*rule["bodies"], chance]
                    for n, i in amounts(b.get("gives"))
                    if i == item
                )
                key = rule["once"][0] if rule["once"] else None
                best[key] = max(best.get(key, 0), gained)
        for happening in self.whenever:
            gained = sum(n for n, i in amounts(happening.get("gives")) if i == item)
            key = ("done", happening["id"]) if happening.get("once") else None
            best[key] = max(best.get(key, 0), gained)
        if best.get(None, 0) and self.items[item].get("kind") == "knowledge":
            # what is known is not learned again
            self.items[item] = {**self.items[item], "when_full": "waste"}
            return 1
        assert best.get(None, 0) == 0, f"{item} has no bound"
        return total + sum(best.values())

    # situations

    def deals(self):
        """Every way to deal, as {item: area}."""
        ways = [{}]
        for deal in as_list(self.data["start"].get("deal")):
            most = deal.get("per_place", 1)
            for item in as_list(deal["of"]):
                mine = as_list(deal["of"])
                ways = [
                    {**way, item: area}
                    for way in ways
                    for area in as_list(deal["over"])
                    if sum(way.get(i) == area for i in mine) < most
                ]
        return ways

    def starts(self):
        """The settled situations in which a play may begin, one for each deal."""
        return [frozen(self.start(way)) for way in self.deals()]

    def start(self, dealt):
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
        for item, area in dealt.items():
            s["dealt", item] = area
        return self.settle(s)

    def start_the_rest(self, s):
        for quest, body in self.quests.items():
            started = re.search(rf"'starts': (\[[^]]*)?'{quest}'", self.texts)
            s["quest", quest] = "waiting" if "from" in body or started else "active"
        for quest, number, _ in self.goals():
            s["goal", quest, number] = 0
        for foe in self.foes:
            s["beaten", foe], s["hit", foe] = 0, 0
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
        self.wasted, self.counting = set(), set()
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
            if rule["blow"]:
                n["hit", foe] += rule["blow"]
            else:
                n["beaten", foe] = 1 if returns else n["beaten", foe] + 1
                n["hit", foe] = 0
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
        for body in common:
            for tool in as_list(body.get("refills")):
                if not 1 <= n["held", tool] < self.items[tool]["uses"]:
                    return None
                n["held", tool] = self.items[tool]["uses"]
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
            known = self.items[item].get("kind") == "knowledge" and self.most[item] == 1
            if fits < count and not known:
                self.wasted.add(item)
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
                n["fact", thing] = self.stepped(thing, n["fact", thing], value)
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

    def stepped(self, fact, now, value):
        """What a fact is set to: a value, or the next one or the one before."""
        body = self.facts[fact]
        values = body.get("values", []) if isinstance(body, dict) else []
        if value in values or value not in ("next", "previous"):
            return value
        place = values.index(now) + (1 if value == "next" else -1)
        if body.get("round"):
            return values[place % len(values)]
        return values[max(0, min(len(values) - 1, place))]

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
        goal = flat_goals(self.quests[quest])[number - 1]
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
        return all(self.enough(quest, g, s) for g in goal_groups(self.quests[quest]))

    def enough(self, quest, group, s):
        count, numbers = group
        return sum(self.met(quest, n, s) for n in numbers) >= count

    def earlier(self, quest, number):
        """The groups of goals that come before that of a goal, where one has to come first."""
        body = self.quests[quest]
        groups = goal_groups(body) if body.get("order") == "in_turn" else []
        place = next((n for n, (_, numbers) in enumerate(groups) if number in numbers), 0)
        return groups[:place]

    def come_far(self, goal, s):
        """How far a goal has come: all of it once its quest is done, nothing before it is asked."""
        quest, number = self.goal_ids[goal]
        entry = flat_goals(self.quests[quest])[number - 1]
        kind = next((k for k in ("collect", "gain", "defeat") if k in entry), None)
        all_of_it = amounts(entry[kind])[0][0] if kind else 1
        if s["quest", quest] != "active":
            return all_of_it if s["quest", quest] == "done" else 0
        if self.met(quest, number, s):
            return all_of_it
        if kind == "collect":
            return min(all_of_it, s["held", amounts(entry[kind])[0][1]])
        return s["goal", quest, number] if self.remembers(self.quests[quest], entry) else 0

    def counts(self, quest, number, s):
        body = self.quests[quest]
        goal = flat_goals(body)[number - 1]
        if self.met(quest, number, s) or not self.holds_all(goal.get("needs"), s):
            return False
        if goal.get("early") == "counts":
            return s["quest", quest] in ("waiting", "active")
        if s["quest", quest] != "active":
            return False
        return all(self.enough(quest, g, s) for g in self.earlier(quest, number))

    def goals(self):
        for quest, body in self.quests.items():
            for number, goal in enumerate(flat_goals(body), 1):
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
            if amount:
                self.counting.add((quest, number))
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
                    self.happened.add(quest)
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
                        self.happened.add(ending)
                        return dict(s, ending=ending)
                return s
            s = after
        return s

    def happen(self, s):
        for happening in self.whenever:
            once = happening.get("once")
            if (once and happening["id"] in s["done"]) or not self.holds(happening["when"], s):
                continue
            n, wasted = dict(s), set(self.wasted)
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
                self.happened.add(happening["id"])
                return n
            self.wasted = wasted
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
            self.happened.add(quest)
            return n
        return None

    # everything that can come of it

    def explore(self, most=4000):
        """Every situation in breadth-first order, and [(from, rule, outcome, to)]."""
        starts = self.starts()
        self.order, self.edges = dict.fromkeys(starts, 0), []
        # for each edge: goals that would count it, items of which a surplus was lost
        self.events, self.wasted_by, self.by_itself = [], [], []
        self.possible_rules = set()
        queue = deque(starts)
        while queue:
            key = queue.popleft()
            s = dict(key)
            for rule in self.rules:
                if not self.possible(rule, s):
                    continue
                self.possible_rules.add(rule["id"])
                after = [(n, *self.followed(rule, c, s)) for n, c in rule["outcomes"]]
                if all(a == s for _, a, _, _, _ in after):
                    continue
                for number, a, events, wasted, happened in after:
                    self.by_itself.append(happened)
                    self.events.append(events)
                    self.wasted_by.append(wasted)
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

    def followed(self, rule, chance, s):
        """The settled situation after an outcome, the goals that would count it, what was lost.

        And the ids of what happened by itself.
        """
        n = self.apply(rule, chance, s)
        self.happened = set()
        events = self.counting
        self.counting = set()
        settled = self.settle(n)
        return settled, events, set(self.wasted), self.happened

    def closure(self, seed, neighbours):
        reached, pending = set(seed), list(seed)
        while pending:
            for other in neighbours.get(pending.pop(), ()):
                if other not in reached:
                    reached.add(other)
                    pending.append(other)
        return reached
