"""Every claim of a reason, checked by going through all situations of the slow reference.

What each has to hold stands in the table of `docs/findings.md`.
"""

from __future__ import annotations

from tests.reference_findings import frozen


class Claims:
    """Checks the trees of one finding. `evidence` are its moves as JSON has them, and `deal` is
    where the items lie that are dealt."""

    def __init__(self, reference, evidence, deal=None):
        self.world = reference
        self.path = self.replayed(evidence, deal)
        if evidence or deal:
            self.future = reference.closure([self.path[-1]], reference.after)
        else:
            self.future = reference.situations
        # everything that can come of how this play began, which is all that its reasons speak of
        self.play = reference.closure([self.path[0]], reference.after)
        if not (evidence or deal):
            self.play = reference.situations
        self.rules = {rule["id"]: rule for rule in reference.rules}
        self.checked = 0
        self.listed = 0
        """Shortages that were compared with all plays."""
        self.names = set()
        """Claims that were checked."""

    def replayed(self, evidence, deal):
        """The situations of the evidence, from the start on."""
        start = frozen(self.world.start(deal or {}))
        path = [start]
        self.moves = []
        by_move = {}
        for number, (a, rule, outcome, b) in enumerate(self.world.edges):
            by_move.setdefault((a, rule["id"]), []).append((outcome, b, number))
        for move in evidence:
            options = by_move[path[-1], move["rule"]]
            wanted = move.get("outcome", options[0][0])
            target = next(b for outcome, b, _ in options if outcome == wanted)
            path.append(target)
            self.moves.append(move["rule"])
        return path

    # values

    def value(self, key, s):
        kind, subject = key
        if kind in ("place", "ending"):
            return s[kind] or ""
        if kind in ("visited", "taken", "done", "met"):
            return int(subject in s[kind])
        if kind == "goal":
            quest, number = subject.split()
            return s[kind, quest, int(number)]
        if kind in ("stock", "stored"):
            return s[(kind, *subject.split())]
        value = s[kind, subject]
        if kind == "fact":
            return str(value).lower() if isinstance(value, bool) else value
        return "" if value is None else int(value) if isinstance(value, bool) else value

    def holds(self, tests, s):
        """A formula in values, as JSON has it."""
        if "all" in tests:
            return all(self.holds(t, s) for t in tests["all"])
        if "any" in tests:
            return any(self.holds(t, s) for t in tests["any"])
        if "not" in tests:
            return not self.holds(tests["not"], s)
        if "at_least" in tests:
            return sum(self.holds(t, s) for t in tests["parts"]) >= tests["at_least"]
        if "sum_of" in tests:
            weight = sum(self.value(key, s) for key in tests["sum_of"])
            weight += sum(min(1, self.value(key, s)) for key in tests["tools"])
            weight += sum(self.holds(test, s) for test in tests.get("tests", ()))
            return weight <= tests["most"]
        value = self.value(tests["of"], s)
        if "is" in tests:
            return value in tests["is"]
        return tests["from"] <= value <= tests["to"]

    def ever(self, conditions, among):
        """Whether some conditions hold together in one of some situations."""
        return any(all(self.holds(c["holds"], dict(s)) for c in conditions) for s in among)

    # trees

    def check(self, trees):
        """Everything that trees claim; they have to be whole unless they say that they are cut."""
        self.told = set()
        self.explained = set()
        self.nearest = None
        """The nearest `never` above."""
        for tree in trees:
            self.below(tree, None, [])
        missing = self.told - self.explained
        assert not missing, ("what is told elsewhere is not told", missing)

    def below(self, node, formula, above):
        """`formula` is of the `only` right above, `above` are the formulas of all `never`."""
        claim, note = node["claim"], node.get("note")
        self.checked += 1
        self.names.add(claim)
        assert node["text"], node
        getattr(self, claim)(node, formula)
        outer = self.nearest
        if claim == "never":
            self.nearest = node
            key = repr(node["holds"])
            if note == "circle":
                assert key in above, ("no circle", node["text"])
            elif note == "told":
                self.told.add(key)
            elif note is None:
                self.explained.add(key)
                assert node["why"], ("nothing below", node["text"])
            above = [*above, key]
        formula = node if claim == "only" else None
        for child in node["why"]:
            self.below(child, formula, above)
        self.nearest = outer

    # claims

    def never(self, node, formula):
        assert not self.ever([node], self.future), node["text"]
        if node["condition"]:
            for s in list(self.world.situations)[:80]:
                said = self.world.holds(node["condition"], dict(s))
                assert said == self.holds(node["holds"], dict(s)), (node["condition"], s)

    def only(self, node, formula):
        for number, rule, _, _ in self.making(node):
            by = {rule["id"]} | self.world.by_itself[number]
            assert by & set(node["makers"]), (rule["id"], node["text"])
        covered = set()
        for child in node["why"]:
            covered |= {child[k] for k in ("maker", "rule") if k in child}
            if child["claim"] == "at_most":
                # whatever is carried, no maker can go beyond that
                covered |= set(node["makers"] if child["carried"] else child["makers"])
        assert covered >= set(node["makers"]), (set(node["makers"]) - covered, node["text"])

    def making(self, formula):
        """Every step of the world that brings a formula from false to true."""
        for number, (a, rule, _, b) in enumerate(self.world.edges):
            if a not in self.play:
                continue
            after = self.holds(formula["holds"], dict(b))
            if after and not self.holds(formula["holds"], dict(a)):
                yield number, rule, a, b

    def is_by(self, node, number):
        """Whether a step is of the maker of a claim, and of the outcome that it speaks of."""
        _, rule, outcome, _ = self.world.edges[number]
        return rule["id"] == node["maker"] and node.get("outcome", outcome) == outcome

    def cannot(self, node, formula):
        parts = node["parts"]
        if node.get("note") != "cut":
            assert not self.ever(parts, self.future), node["text"]
            for part in parts if len(parts) > 1 else ():
                others = [p for p in parts if p is not part]
                assert self.ever(others, self.future), ("not the least", node["text"])
        for number, _, a, _ in self.making(formula) if formula else ():
            # where more has happened, that has helped
            by_it = self.is_by(node, number) and not self.world.by_itself[number]
            if by_it:
                assert self.ever(parts, [a]), ("done without", node["text"])

    def done(self, node, formula):
        assert self.moves[node["move"] - 1] == node["rule"], node["text"]
        assert all(
            a not in self.future or rule["id"] != node["rule"] for a, rule, _, _ in self.world.edges
        ), node["text"]

    def took(self, node, formula):
        before, after = self.path[node["move"] - 1], self.path[node["move"]]
        assert self.moves[node["move"] - 1] == node["rule"]
        assert self.value(node["of"], dict(before)) == node["from"], node
        assert self.value(node["of"], dict(after)) == node["to"], node
        assert node["from"] != node["to"], node
        if formula is not None and not self.is_spent(node, formula["holds"]):
            assert self.holds(formula["holds"], dict(before)), node
            assert not self.holds(formula["holds"], dict(after)), node
        if "spared" in node:
            other = self.with_value(dict(after), node["of"], node["from"])
            assert node["spared"] == (other in self.world.live), node

    def is_spent(self, node, tests):
        """Whether it is told where the last of an amount went, of which there was never enough."""
        return (
            tests.get("of") == node["of"]
            and tests.get("from", 0) > 1
            and (node["to"] < node["from"])
        )

    def with_value(self, s, key, value):
        """A situation with another value for one of its parts, in the form of the reference."""
        kind, subject = key
        if kind in ("place", "ending"):
            s[kind] = value or None
        elif kind in ("visited", "taken", "done", "met"):
            s[kind] = s[kind] | {subject} if value else s[kind] - {subject}
        elif kind == "goal":
            quest, number = subject.split()
            s[kind, quest, int(number)] = value
        elif kind in ("stock", "stored"):
            s[(kind, *subject.split())] = value
        elif isinstance(s[kind, subject], bool):
            s[kind, subject] = value in (1, "true")
        else:
            s[kind, subject] = value or None if kind == "lies" else value
        return frozen(s)

    def at_most(self, node, formula):
        values = [self.value(node["of"], dict(s)) for s in self.future]
        assert max(values) <= node["most"], (max(values), node["text"])
        assert not node["reached"] or max(values) == node["most"], (max(values), node["text"])
        raising = {}
        for a, rule, _, b in self.world.edges if node["makers"] else ():
            if a in self.future and self.value(node["of"], dict(b)) > self.value(
                node["of"], dict(a)
            ):
                assert rule["id"] in node["makers"], (rule["id"], node["text"])
                raising.setdefault(rule["id"], set()).add(b)
        for rule_id, targets in raising.items():
            later = self.world.closure(targets, self.world.after)
            again = [a for a, rule, _, _ in self.world.edges if rule["id"] == rule_id]
            assert not later & set(again), ("not only once", rule_id)

    def wanted(self, node, formula):
        item = node["item"]
        assert node["number"] > node["left"], node
        assert node["rules"] and set(node["rules"]) <= set(self.rules), node
        now = dict(self.path[-1])["held", item]
        assert node["left"] >= now, node
        assert node["left"] >= max(dict(s)["held", item] for s in self.future), node
        # with as much as is wanted it still takes each of the rules, whatever else can be done
        here = {**dict(self.path[-1]), ("held", item): now + node["number"] - node["left"]}
        rules = [r for r in self.world.rules if self.ever_possible(r)]
        for user in node["rules"]:
            others = [r for r in rules if r["id"] != user]
            assert not self.comes_to(here, others, self.nearest["holds"]), (user, node["text"])
        self.listed += 1

    def ever_possible(self, rule):
        """Whether a rule can still be made at some time."""
        return any(self.world.possible(rule, dict(s)) for s in self.future)

    def comes_to(self, here, rules, tests, most=3000):
        """Whether some play with these rules alone comes to where tests hold; of too many
        situations nothing is said."""
        seen, waiting = {frozen(here)}, [here]
        while waiting and len(seen) < most:
            s = waiting.pop()
            if self.holds(tests, s):
                return True
            if s["ending"]:
                continue
            for rule in rules:
                if self.world.possible(rule, s):
                    for _, chance in rule["outcomes"]:
                        after = self.world.followed(rule, chance, s)[0]
                        if frozen(after) not in seen:
                            seen.add(frozen(after))
                            waiting.append(after)
        return False

    def ends(self, node, formula):
        parts = formula["holds"].get("all", [formula["holds"]])
        parts = [p for p in parts if p.get("of") != ["ending", ""]]
        for number, (a, _, _, b) in enumerate(self.world.edges):
            if self.is_by(node, number) and a in self.future:
                before, after = (all(self.holds(p, dict(s)) for p in parts) for s in (a, b))
                assert before or not after or dict(b)["ending"], node["text"]

    def undone(self, node, formula):
        (rule,) = [r for r in self.world.rules if r["id"] == node["maker"]]
        happened = set()
        for s in map(dict, self.future):
            if self.world.possible(rule, s):
                for outcome, chance in rule["outcomes"]:
                    if node.get("outcome", outcome) != outcome:
                        continue
                    happened |= self.world.followed(rule, chance, s)[3]
        assert happened & set(node["by"]), (happened, node["text"])
