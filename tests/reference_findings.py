"""What follows from all situations of a world, read literally from `docs/findings.md`."""

from __future__ import annotations

import re
from collections import deque

from tests.reference_rules import MADE, amounts, as_list, places_of

ASKING = frozenset(
    ["needs", "when", "takes", "wears", "fails_when", "collect", "gain", "deliver", "meet", "lock"]
)
TOLD = frozenset(["says", "refuses", "greets", "farewell"])
EFFECTS = {"loses", "gives", "sets", "toggles", "adds", "opens", "shuts", "starts", "finishes"}
EFFECTS |= {"fails", "ends"}
QUIET = frozenset(["loses", "gives", "sets", "toggles", "adds", "opens", "shuts", "text"])


def frozen(situation):
    return tuple(sorted(situation.items(), key=str))


class Findings:
    """The half of the reference that looks at the situations that were found."""

    def verdict(self):
        if not self.won:
            return "unwinnable"
        return "softlocks" if self.doomed else "solvable"

    def summary(self):
        wins = [self.order[s] for s in self.won]
        return {
            "verdict": self.verdict(),
            "situations": len(self.situations),
            "moves": len(self.edges),
            "won": len(self.won),
            "doomed": len(self.doomed),
            "shortest_win": min(wins, default=None),
            "culprits": self.culprits(),
            "missable": self.missable(),
            "unreachable": self.unreachable(),
            "no_gate": self.no_gate(),
            "skippable": self.skippable(),
            "promises": self.promises(),
            "silent": self.silent_and_unheard()[0],
            "unheard": self.silent_and_unheard()[1],
            "empty_hands": self.empty_hands(),
            "luck_needed": self.luck_needed(),
            "bad_deal": self.bad_deal(),
            "too_early": self.too_early(),
            "swallowed": self.swallowed(),
            "wasted_use": self.wasted_use(),
            "endless": self.endless(),
            "unused": self.unused(),
            "only_told": self.unused(TOLD) - self.unused(),
            "alike_values": self.alike_values(),
            "empty_area": self.empty_areas(),
            "same_name": self.same_name(),
            "exact_count": self.exact_count(),
            "must_haves": self.must_haves(),
            "windows": self.windows(),
        }

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
                found[kind, rule_id] = (landings | set(dooming), min(length, self.order[a] + 1))
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
        """{id: (moves of the shortest play after which it is missed, severity)}."""
        found = {}
        for subject, has in self.subjects().items():
            having = {s for s in self.situations if has(dict(s))}
            if not having:
                continue
            lost = self.live - self.closure(having, self.before)
            without = self.distances(having)
            lengths = [without[s] for s in lost if s in without]
            if lengths:
                missed = {s for s in lost if s in without}
                found[subject] = min(lengths), "note" if self.only_ends(missed) else "warning"
        return found

    def only_ends(self, missed):
        """Every move from there ends the game, or only walks and stays there."""
        rules = {rule["id"]: rule for rule in self.rules}
        for a, rule, number, b in self.edges:
            if a not in missed or dict(b)["ending"]:
                continue
            walks = rule["kind"] == "way" and not self.does_more(rules[rule["id"]], number)
            if not walks or b not in missed:
                return False
        return True

    def does_more(self, rule, number):
        """A way, of which an outcome does anything beside leading elsewhere."""
        plain = {
            "to",
            "one_way",
            "lock",
            "needs",
            "id",
            "notes",
            "says",
            "label",
            "chance",
            "either",
            "refuses",
            "hidden",
            "relocks",
        }
        chances = [c for body in rule["bodies"] for c in body.get("chance", ())]
        chosen = chances[number - 1] if chances else {}
        return bool(
            any(set(body) - plain for body in rule["bodies"])
            or rule["relocks"]
            or set(chosen) - {"moves_to", "odds", "says"}
        )

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
                s
                for s in unended
                if s["place"] != area
                and any(
                    self.leads_to(r, area) and (r["at"] is None or s["place"] in r["at"])
                    for r in self.rules
                )
            ]
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
                key
                for key in self.situations
                if not (s := dict(key))["ending"]
                and (places is None or s["place"] in places)
                and not s["open", lock]
                and not any(self.possible(r, s) for r in rules)
            ]
            if "refuses" in body:
                lists[lock] = (body["refuses"], before)
        told = [*((k, *pair) for k, pair in lists.items()), *self.texts_of_rules()]
        for subject, texts, keys in told:
            texts = [t if isinstance(t, dict) else {"text": t} for t in as_list(texts)]
            shown, quiet = set(), []
            for key in keys:
                applies = [
                    n for n, t in enumerate(texts) if self.holds_all(t.get("when"), dict(key))
                ]
                shown |= {n for n in applies if "also" in texts[n]}
                shown |= set([n for n in applies if "also" not in texts[n]][:1])
                if not applies:
                    quiet.append(self.order[key])
            if quiet and any("when" in t for t in texts):
                silent[subject] = min([*quiet, silent.get(subject, 10**9)])
            if keys and set(range(len(texts))) - shown:
                unheard.add(subject)
        return silent, unheard

    def texts_of_rules(self):
        """(id, texts, where they are due) of rules, and of areas that let nobody in."""
        running = [key for key in self.situations if not dict(key)["ending"]]
        for rule in self.rules:
            refused = [
                key
                for key in running
                if self.at_hand(rule, dict(key)) and not self.possible(rule, dict(key))
            ]
            able = [key for key in running if self.possible(rule, dict(key))]
            bodies = [*rule["bodies"], *(chance for _, chance in rule["outcomes"])]
            for body in bodies:
                if "refuses" in body and rule["kind"] != "lock":
                    yield rule["id"], body["refuses"], refused
                if isinstance(body.get("says"), list):
                    yield rule["id"], body["says"], able
        for area, body in self.areas.items():
            if "refuses" in body:
                barred = [
                    key
                    for key in running
                    if any(self.is_barred(rule, area, dict(key)) for rule in self.rules)
                ]
                yield area, body["refuses"], barred
        for item, body in self.items.items():
            if "says" in body:
                yield item, body["says"], [k for k in self.situations if dict(k)["held", item]]
        for shop, body in self.shops.items():
            visited = [key for key in self.situations if self.is_open(body, dict(key))]
            if "greets" in body:
                yield shop, body["greets"], visited
            if "farewell" in body:
                left = [k for k in visited if any(self.leaves(r, dict(k)) for r in self.rules)]
                yield shop, body["farewell"], left

    def is_open(self, shop, s):
        """Whether the player stands at a shop that is open."""
        if "keeper" in shop:
            here = self.person_at(shop["keeper"], s) == s["place"]
        else:
            here = places_of(shop) is None or s["place"] in places_of(shop)
        locked = "lock" in shop and not s["open", shop["lock"]]
        return here and not locked and self.holds_all(shop.get("needs"), s)

    def leaves(self, rule, s):
        """Whether a rule is possible and may move the player elsewhere."""
        if not self.possible(rule, s):
            return False
        ends = [self.ends_at(rule, chance) for _, chance in rule["outcomes"]]
        return any(there not in (None, s["place"]) for there in ends)

    def ends_at(self, rule, chance):
        there = rule["to"]
        for body in [*rule["bodies"], chance]:
            there = body.get("moves_to", there)
        return there

    def at_hand(self, rule, s):
        """Whether a rule stands where the player is, is there, and is not locked."""
        if rule["at"] is not None and s["place"] not in rule["at"]:
            return False
        if rule["lock"] and not s["open", rule["lock"]]:
            return False
        if rule["kind"] == "lock" and s["open", rule["owner"]]:
            return False
        if any(subject in s[kind] for kind, subject in rule["once"]):
            return False
        needs = [body.get("needs") for body in rule["bodies"]]
        if rule["bodies"][0].get("hidden") and not all(self.holds_all(n, s) for n in needs):
            return False
        return not rule["offered"] or rule["offered"](s)

    def is_barred(self, rule, area, s):
        """Whether a rule that says nothing itself would lead into an area that lets nobody in."""
        if any("refuses" in b for b in rule["bodies"]) and rule["kind"] != "lock":
            return False
        leads = set()
        for _, chance in rule["outcomes"]:
            there = rule["to"]
            for body in [*rule["bodies"], chance]:
                there = body.get("moves_to", there)
            leads.add(there)
        inside = s["place"] == area or self.holds_all(self.areas[area].get("needs"), s)
        return area in leads and not inside and self.at_hand(rule, s)

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
                    )
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
            mentions.add(rule["lock"])
            for body in rule["bodies"]:
                texts = [str(n) for n in as_list(body.get("needs"))]
                texts += [t for text in texts for t in self.presence_texts(text)]
                mentions.update(w for t in texts for w in re.findall(r"[a-z_0-9]+", t))
                if rule["kind"] in ("put", "drop", "sell", "buy"):
                    continue
                mentions.update(i for _, i in amounts(body.get("takes")))
                mentions.update(as_list(body.get("wears")))
        whens = [w for foe in self.foes.values() for w in as_list(foe.get("when"))]
        for body in self.people.values():
            whens += as_list(body.get("when"))
            for part in [*as_list(body["at"]), *as_list(body.get("talk"))]:
                whens += as_list(part.get("when")) if isinstance(part, dict) else []
        for when in whens:
            for text in [when, *self.presence_texts(when)]:
                mentions.update(re.findall(r"[a-z_0-9]+", text))
        for body in self.areas.values():
            for need in as_list(body.get("needs")):
                for text in [need, *self.presence_texts(need)]:
                    mentions.update(re.findall(r"[a-z_0-9]+", text))
        # whoever asks for a goal asks for its quest
        mentions |= {quest for goal, (quest, _) in self.goal_ids.items() if goal in mentions}
        having = {i: (lambda s, i=i: s["held", i] > 0) for i in self.items}
        having |= {
            k: (lambda s, k=k: s["open", k])
            for k, b in self.locks.items()
            if b.get("begins") != "open"
        }
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
            found += [
                w
                for p in as_list(body["at"])
                if isinstance(p, dict)
                for w in as_list(p.get("when"))
            ]
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
            goal = (
                {s for s in self.situations if dict(s)["ending"] == reach}
                if (reach in self.endings)
                else where(reach)
            )
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
        reached = dict.fromkeys((s for s in self.starts() if s not in avoiding), 0)
        queue = deque(reached)
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

    def bad_deal(self):
        """(how many deals cannot be won, how many there are), or None where that is told."""
        starts = self.starts()
        bad = [s for s in starts if s not in self.live | self.won]
        return (len(bad), len(starts)) if bad and self.won else None

    def luck_needed(self):
        """Whether it can be won, but not whatever luck does."""
        kept = self.closure(self.won, self.before)
        if not kept:
            return False
        while True:
            moves = {}
            for a, rule, _, b in self.edges:
                moves.setdefault((a, rule["id"]), []).append(b)
            before = {}
            for (a, _), ends in moves.items():
                if all(b in kept for b in ends):
                    for b in ends:
                        before.setdefault(b, set()).add(a)
            still = self.closure(self.won, before)
            if still == kept:
                hopeful = set(self.starts()) & (self.live | self.won)
                return not hopeful <= kept
            kept = still

    def too_early(self):
        """{quest: moves of the shortest play in which something it would count spoils it}."""
        found = {}
        able = {
            q: self.closure(
                {s for s in self.situations if dict(s)["quest", q] == "done"}, self.before
            )
            for q in self.quests
        }
        for (a, _, _, b), events in zip(self.edges, self.events, strict=True):
            s, t = dict(a), dict(b)
            for quest, number, goal in self.goals():
                arrives = goal.get("visit") == t["place"] != s["place"]
                if (quest, number) not in events and not arrives:
                    continue
                idle = s["quest", quest] in ("waiting", "active") and not (
                    self.met(quest, number, s) or self.counts(quest, number, s)
                )
                if idle and a in able[quest] and b not in able[quest] and not t["ending"]:
                    length = self.order[a] + 1
                    found[quest] = min(length, found.get(quest, length))
        return found

    def words_under(self, value, fields, passed_over, below=False):
        """The words of everything that lies under one of `fields`, and under none `passed_over`."""
        if isinstance(value, dict):
            for key, inner in value.items():
                if key not in passed_over:
                    yield from self.words_under(inner, fields, passed_over, below or key in fields)
        elif isinstance(value, list):
            for inner in value:
                yield from self.words_under(inner, fields, passed_over, below)
        elif below:
            yield from re.findall(r"[a-z_0-9]+", str(value))

    def swallowed(self):
        """{rule: moves of the shortest play in which a surplus of something wanted is lost}."""
        fields = ASKING | {"money"}
        wanted = set(self.words_under(self.without_idle_needs(), fields, TOLD | {"promises"}))
        wanted |= {b["from"] for b in self.quests.values() if "from" in b}
        if any(map(self.asks_money, self.shops.values())):
            wanted.add("coin")
        for body in self.shops.values():
            wanted |= set(self.bought(body))
        found = {}
        for (a, rule, _, _), wasted in zip(self.edges, self.wasted_by, strict=True):
            if wasted & wanted:
                length = self.order[a] + 1
                found[rule["id"]] = min(length, found.get(rule["id"], length))
        return found

    def moves_made(self):
        """{(from, rule): [to]} with the rules as dicts."""
        found = {}
        rules = {r["id"]: r for r in self.rules}
        for a, rule, _, b in self.edges:
            found.setdefault((a, rule["id"]), []).append(b)
        return [(a, rules[r], ends) for (a, r), ends in found.items()]

    def wasted_use(self):
        """{rule: moves of the shortest play in which it gives something up for nothing}."""
        found = {}
        for a, rule, ends in self.moves_made():
            given = [i for b in rule["bodies"] for _, i in amounts(b.get("takes"))]
            given += [i for b in rule["bodies"] for i in as_list(b.get("wears"))]
            keys = {("held", i) for i in given}
            s = dict(a)
            if keys and all(s[k] == dict(b)[k] for b in ends for k in s if k not in keys):
                length = self.order[a] + 1
                found[rule["id"]] = min(length, found.get(rule["id"], length))
        return found

    def endless(self):
        """{item or meter: moves of the shortest play that ends with what raises it again}."""
        counted = ("held", "meter", "stock", "stored")
        repeatable = {(a, rule["id"]) for a, rule, _, _ in self.edges}
        found = {}

        def note(subject, length):
            found[subject] = min(length, found.get(subject, length))

        for a, rule, number, b in self.edges:
            s, t = dict(a), dict(b)
            keys = [k for k in s if isinstance(k, tuple) and k[0] in counted]
            bad = [k for k in keys if k[0] == "meter" and self.meters[k[1]].get("bad")]
            if any(t[k] < s[k] for k in keys if k not in bad) or any(t[k] > s[k] for k in bad):
                continue
            if any(s[k] != t[k] for k in s if k not in keys):
                continue
            raised = [k for k in keys if t[k] > s[k] and k[0] in ("held", "meter")]
            for _, subject in raised:
                again = (b, rule["id"]) in repeatable
                again |= self.fills(rule, subject, a, b) and self.possible(self.named(rule), t)
                if again and not self.changes_more(b, rule["id"], number, counted):
                    note(subject, self.order[a] + 1)
        self.trades_without_end(note)
        return found

    def changes_more(self, a, rule, number, counted):
        """Whether an outcome changes what is not counted, when it is made in a situation."""
        for x, other, n, b in self.edges:
            if (x, other["id"], n) == (a, rule, number):
                s, t = dict(a), dict(b)
                uncounted = [k for k in s if not (isinstance(k, tuple) and k[0] in counted)]
                return any(s[k] != t[k] for k in uncounted)
        return False

    def named(self, rule):
        return next(r for r in self.rules if r["id"] == rule["id"])

    def fills(self, rule, meter, a, b):
        """Whether an outcome that leads from a to b sets a meter that is worn down elsewhere."""
        bodies = [b for r in self.rules for b in [*r["bodies"], *(c for _, c in r["outcomes"])]]
        bodies += [*self.whenever, *(quest.get("reward", {}) for quest in self.quests.values())]
        if not any(body.get("adds", {}).get(meter, 0) < 0 for body in bodies):
            return False
        rule = self.named(rule)
        ends = [n for x, r, n, y in self.edges if (x, r["id"], y) == (a, rule["id"], b)]
        bodies = [c for n, c in rule["outcomes"] if n in ends] + rule["bodies"]
        return any(meter in body.get("sets", {}) for body in bodies)

    def trades_without_end(self, note):
        sales = {}
        for a, rule, _, b in self.edges:
            if rule["kind"] == "sell":
                sales.setdefault(a, []).append((rule, b))
        for a, rule, _, b in self.edges:
            if rule["kind"] != "buy":
                continue
            body = self.shops["stall"]
            for item, ware in body["sells"].items():
                ware = self.ware(item, ware)
                pays = self.bought(body).get(item, 0)
                if rule["id"] != f"stall_buy_{item}" or "stock" in ware or pays <= ware["price"]:
                    continue
                for sale, c in sales.get(b, ()):
                    richer = dict(c)["held", "coin"] > dict(a)["held", "coin"]
                    if richer and sale["id"] == f"stall_sell_{item}":
                        note("coin", self.order[a] + 2)

    def alike_values(self):
        """Facts of which two values are never asked for, and a third is; steps are no matter."""
        found = set()
        text = repr(self.without_idle_needs())
        for fact, body in self.facts.items():
            values = body.get("values", []) if isinstance(body, dict) else []
            asked = set(re.findall(rf"\b{fact} !?= ([a-z_0-9]+)", text))
            stepped = re.search(rf"'{fact}': '(next|previous)'", text)
            if asked and not stepped and len(set(values) - asked) > 1:
                found.add(fact)
        return found

    def without_idle_needs(self):
        """The world without what a quest asks of whoever accepts it, where nobody ever does."""
        quests = {
            q: b if "from" in b else {k: v for k, v in b.items() if k != "needs"}
            for q, b in self.quests.items()
        }
        return {**self.data, "quests": quests}

    def empty_areas(self):
        """Areas with nothing in them, of which nobody speaks, and which lead to one at most."""
        aside = {**self.without_idle_needs(), "areas": {}}
        for area, body in self.areas.items():
            ways = [w for w in body.get("ways", []) if isinstance(w, dict)]
            inner = {k: v for k, v in body.items() if k not in ("ways", "name")}
            aside["areas"][area] = {
                **inner,
                "ways": [{k: v for k, v in w.items() if k != "to"} for w in ways],
            }
        aside["areas"] = list(aside["areas"].values())
        spoken = set(re.findall(r"[a-z_0-9]+", repr(aside)))
        leads, does = {}, {a for r in self.rules if r["kind"] == "lock" for a in r["at"] or ()}
        for rule in (r for r in self.rules if r["kind"] == "way"):
            for _, chance in rule["outcomes"]:
                end = self.ends_at(rule, chance)
                leads.setdefault(rule["at"][0], set()).add(end)
                leads.setdefault(end, set()).add(rule["at"][0])
                fields = {f for b in [*rule["bodies"], chance] for f in b}
                if rule["marks"] or fields & {*EFFECTS, "takes", "wears", "refills"}:
                    does |= {rule["at"][0], end}
        return {
            area
            for area, body in self.areas.items()
            if area not in spoken | does
            and not (body.get("finds") or body.get("deeds"))
            and len(leads.get(area, ())) <= 1
        }

    def same_name(self):
        """Items and areas that are called as one before them, where each is met somewhere."""
        met = {i: any(dict(s)["held", i] for s in self.situations) for i in self.items}
        met |= {a: any(dict(s)["place"] == a for s in self.situations) for a in self.areas}
        found = set()
        for section in (self.items, self.areas):
            first = {}
            for thing, body in section.items():
                name = body.get("name", thing).lower()
                other = first.setdefault(name, thing)
                if other != thing and met[thing] and met[other]:
                    found.add(thing)
        return found

    def unused(self, besides=frozenset()):
        """Items, locks, facts and meters that nothing asks for, in whatever form but a promise."""
        data = self.without_idle_needs()
        asked = set(self.words_under(data, ASKING, QUIET | besides | {"promises"}))
        asked |= {b["from"] for b in self.quests.values() if "from" in b}
        if any(map(self.asks_money, self.shops.values())):
            asked.add("coin")
        for body in self.shops.values():
            asked |= set(self.bought(body))
        fruitful = {
            "gives",
            "sets",
            "toggles",
            "adds",
            "shuts",
            "starts",
            "finishes",
            "fails",
            "moves_to",
            "ends",
        }
        for rule in (r for r in self.rules if r["kind"] == "lock"):
            for body in [*rule["bodies"], *(chance for _, chance in rule["outcomes"])]:
                opened = set(as_list(body.get("opens"))) - {rule["owner"]}
                if opened or any(body.get(field) for field in fruitful):
                    asked.add(rule["owner"])
        names = [*self.items, *self.locks, *self.facts, *self.meters]
        return {n for n in names if n not in asked}

    def exact_count(self):
        """{rule or way: moves to where a need is false only because there is too much}."""
        found = {}
        for rule in self.rules:
            subject = rule["owner"] if rule["kind"] == "way" else rule["id"]
            texts = [t for b in rule["bodies"] for t in as_list(b.get("needs"))]
            limits = {
                (item, op, n)
                for t in texts
                for each in [t, *map(str, self.presence_texts(t))]
                for item, op, n in re.findall(r"([a-z_0-9]+) (<=|<|=) (\d+)", each)
                if item in self.items
            }
            for key in self.situations if limits else ():
                s = dict(key)
                if s["ending"] or (rule["at"] is not None and s["place"] not in rule["at"]):
                    continue
                if rule["kind"] == "lock" and s["open", rule["owner"]]:
                    continue
                if any(subject in s[kind] for kind, subject in rule["once"]):
                    continue
                if rule["offered"] and not rule["offered"](s):
                    continue
                if self.holds_all(texts, s):
                    continue
                for item, op, n in limits:
                    self.assumed = (item, op, n)
                    would = self.holds_all(texts, s)
                    self.assumed = None
                    if would and s["held", item] > max(0, int(n) - (op == "<")):
                        length = self.order[key]
                        found[subject] = min(length, found.get(subject, length))
        return found

    def must_haves(self):
        """({id: first move}, pairs (a, b) where every play has a before b, or with it)."""
        having = {i: (lambda s, i=i: s["held", i] > 0) for i in self.items}
        having |= {k: (lambda s, k=k: s["open", k]) for k in self.locks}
        having |= {q: (lambda s, q=q: s["quest", q] == "done") for q in self.quests}
        finds = {subject for r in self.rules for kind, subject in r["once"] if kind == "taken"}
        having |= {f: (lambda s, f=f: f in s["taken"]) for f in finds}
        starts = set(self.starts())
        had = {i: {s for s in self.situations if has(dict(s))} for i, has in having.items()}
        without = {i: set(self.distances(h)) for i, h in had.items() if h and not starts & h}
        needed = [i for i in without if self.won and not self.won & without[i]]
        pairs = {(a, b) for a in needed for b in needed if a != b and not had[b] & without[a]}
        return {i: min(self.order[s] for s in had[i]) for i in needed}, pairs

    def windows(self):
        """{id: (first move or None, {rule: move in which it can close it})}."""
        every = {**self.subjects()}
        kept = {*self.items, *self.quests}
        kept |= {subject for r in self.rules for kind, subject in r["once"] if kind == "taken"}
        found = {}
        for subject in kept & set(every):
            had = {s for s in self.situations if every[subject](dict(s))}
            can = self.closure(had, self.before)
            without = self.distances(had)
            closers = {}
            for a, rule, _, b in self.edges if had else ():
                closes = a in without and a in can and b in without and b not in can
                if closes and not dict(b)["ending"]:
                    move = without[a] + 1
                    closers[rule["id"]] = min(move, closers.get(rule["id"], move))
            found[subject] = (min((self.order[s] for s in had), default=None), closers)
        return found
