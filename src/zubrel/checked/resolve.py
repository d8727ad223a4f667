"""Conditions and texts of the file -> what they mean."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition, Name
from zubrel.authored.document import Document
from zubrel.authored.kinds import RULE_KINDS
from zubrel.authored.values import Text
from zubrel.base.diagnostics import Problems
from zubrel.checked.asking import AS_CONDITION, asked_done
from zubrel.checked.conditions import (
    ALWAYS,
    QUEST_STATES,
    Any,
    At,
    Beaten,
    Cond,
    DealtAt,
    FactIs,
    GoalMet,
    Holds,
    Level,
    LiesAt,
    LockOpen,
    Marked,
    Not,
    QuestIs,
    Stored,
    Term,
    Total,
    all_of,
    met_for_good,
    some_of,
)
from zubrel.checked.names import Names, kept_items, with_article
from zubrel.checked.presence import Presence
from zubrel.checked.things import Fact, Said
from zubrel.checked.words import Words


class Resolver(Words):
    """Turns what was read into what it means; every problem goes to `problems`.

    `visits` and `dones` collect the areas and rules whose marks some condition asks for.
    """

    def __init__(
        self,
        document: Document,
        names: Names,
        facts: dict[str, Fact],
        problems: Problems,
        asked: Iterable[Condition] = (),
    ) -> None:
        super().__init__(document, names, facts, problems)
        # goals have ids of their own, under which conditions ask how far they have come
        self.goals = {
            goal.key.text: (quest.key.text, number, goal)
            for quest in document.entries("quests")
            if quest.key
            for number, goal in enumerate(quest.entries("goals"), 1)
            if goal.key
        }
        """By the id of a goal its quest, its number there, and what the file says of it."""
        self.presence = Presence(self.entries["people"], names, problems, self.condition)
        self.asked_done = asked_done(document, asked)
        start = document.start.entries("deal") if document.start is not None else ()
        self.dealt = {
            (i.text, a.text) for d in start for i in d.words("of") for a in d.words("over")
        }
        """Items with the areas where they may have been dealt to."""
        # what conditions ask to be remembered: only that gets a mark
        self.met: dict[str, None] = {}
        self.visits: dict[str, None] = {}
        self.dones: dict[str, syntax.Name] = {}

    def all_of(self, conditions: Iterable[Condition]) -> Cond:
        """The conjunction of conditions as read; without any, `ALWAYS`."""
        return all_of(*(self.tree(c.tree) for c in conditions))

    def condition(self, condition: Condition | None) -> Cond:
        return self.tree(condition.tree) if condition else ALWAYS

    def texts(self, texts: Iterable[Text]) -> tuple[Said, ...]:
        return tuple(Said(t.text, self.condition(t.when), t.span, t.also) for t in texts)

    def tree(self, tree: syntax.Syntax) -> Cond:
        """The resolved form of one condition (its depth is bounded by the grammar)."""
        # one case a form of the grammar: what each word means depends on its kind
        match tree:
            case syntax.Named(name):
                return self._named(name)
            case syntax.Quantity(count, name):
                return self._at_least(count, name)
            case syntax.Comparison():
                return self._comparison(tree)
            case syntax.TotalComparison(terms, operator, number):
                return self._total(terms, operator, number)
            case syntax.AtArea(name):
                area = self.names.find(name, "area")
                # after a problem anything will do: the world is refused
                return At(area, name.span) if area else ALWAYS
            case syntax.IsState():
                return self._state(tree)
            case syntax.Negation(part):
                return Not(self.tree(part))
            case syntax.Conjunction(parts):
                return all_of(*(self.tree(p) for p in parts))
            case syntax.Disjunction(parts):
                return Any(tuple(self.tree(p) for p in parts))
            case syntax.CountedParts(count, parts, _):
                return some_of(count, tuple(self.tree(p) for p in parts))
            case syntax.InStore():
                return self._stored(tree)
            case syntax.Lies(name, area_name):
                return self._lies(name, area_name)

    def _stored(self, tree: syntax.InStore) -> Cond:
        item, store = self.names.find(tree.item, "item"), self.names.find(tree.store, "store")
        if item is None or store is None:
            return ALWAYS
        if item not in kept_items(self.entries["stores"][store], self.document):
            message = f'"{item}" can never be in "{store}"'
            hint = f"Say that it is kept there:  {store}: {{keeps: [{item}, …]}}"
            self.problems.add("bad-condition", message, tree.item.span, hint)
            return ALWAYS
        return Stored(store, item, tree.operator, tree.count, tree.item.span)

    def _goal_met(self, name: Name) -> Cond:
        """A goal counts as met while its quest is active, and for good once that is done."""
        quest, number, _ = self.goals[name.text]
        return met_for_good(GoalMet(quest, number), name.span)

    def _progress(self, name: Name, operator: str, number: int) -> Cond:
        """How far a goal has come: 0 before its quest is active, all of it once that is done."""
        quest, which, entry = self.goals[name.text]
        amounts = (entry.amount(kind) for kind in ("collect", "gain", "defeat"))
        whole = next((a.count or 1 for a in amounts if a is not None), 1)
        # a test that is always so, or never, is no test: the author meant something else
        low, high = {">=": (1, 0), "<": (1, 0), ">": (0, -1), "<=": (0, -1)}.get(operator, (0, 0))
        if not low <= number <= whole + high:
            message = f'"{name.text}" comes from 0 to {whole}: this is always so, or never'
            self.problems.add("bad-value", message, name.span, f'"{name.text} >= {whole}"')
            return ALWAYS

        def at_least(least: int) -> Cond:
            if not 1 <= least <= whole:
                return ALWAYS if least < 1 else Any(())
            # so much may be held of what is not its turn yet: then that is no goal met
            is_met = least == whole and not entry.has("collect")
            return met_for_good(GoalMet(quest, which, None if is_met else least), name.span)

        match operator:
            case ">=" | ">":
                return at_least(number + (operator == ">"))
            case "<" | "<=":
                return Not(at_least(number + (operator == "<=")))
        # what has come so far is told by thresholds alone
        exactly = all_of(at_least(number), Not(at_least(number + 1)))
        return exactly if operator == "=" else Not(exactly)

    def _lies(self, name: Name, area_name: Name) -> Cond:
        item = self.names.find(name, "item")
        area = self.names.find(area_name, "area")
        if item is None or area is None:
            return ALWAYS
        # dealt there, or put down there: players cannot tell the difference
        dealt = (DealtAt(item, area, name.span),) if (item, area_name.text) in self.dealt else ()
        if not self.entries["items"][item].values.get("drop"):
            if dealt:
                return dealt[0]
            message = f'"{item}" can never be put down'
            hint = f"Let it be put down:  {item}: {{drop: true}}"
            self.problems.add("bad-condition", message, name.span, hint)
            return ALWAYS
        put_down = LiesAt(item, area, name.span)
        return Any((put_down, *dealt)) if dealt else put_down

    def _named(self, name: Name) -> Cond:
        kind = self.names.kind_of(name.text)
        # alone, an item means that there is one in the hand, and a fact that it is true
        if kind == "item":
            return Holds(name.text, ">=", 1, name.span)
        if kind == "fact":
            fact = self.facts.get(name.text)
            if fact is None or fact.true_false:
                return FactIs(name.text, 1, name.span)
            hint = f'Write "{name.text} = {fact.values[-1]}".'
            message = f'"{name.text}" is not just true or false'
            self.problems.add("bad-condition", message, name.span, hint)
        elif kind in AS_CONDITION:
            hint = f'Write "{AS_CONDITION[kind].format(name.text)}".'
            message = f'"{name.text}" is {with_article(kind)}: alone it is no condition'
            self.problems.add("bad-condition", message, name.span, hint)
        else:
            # nothing that can be asked for alone: the lookup says so, with the nearest ids
            self.names.find(name, "item", "fact")
        return ALWAYS

    def _at_least(self, count: int, name: Name) -> Cond:
        if self.names.kind_of(name.text) == "meter":
            hint = f'Write "{name.text} >= {count}".'
            message = f'"{name.text}" is a meter, not an item'
            self.problems.add("wrong-kind", message, name.span, hint)
            return ALWAYS
        item = self.names.find(name, "item")
        return Holds(item, ">=", count, name.span) if item else ALWAYS

    def _comparison(self, tree: syntax.Comparison) -> Cond:
        name, operator, value = tree.name, tree.operator, tree.value
        kind = self.names.kind_of(name.text)
        if kind in ("item", "meter"):
            if isinstance(value, Name) and self.names.kind_of(value.text) in ("item", "meter"):
                # two amounts are compared by their difference
                return self._total(((1, name), (-1, value)), operator, 0)
            # Python counts true and false among the numbers
            if isinstance(value, int) and not isinstance(value, bool):
                atom = Holds if kind == "item" else Level
                return atom(name.text, operator, value, name.span)
            span = value.span if isinstance(value, Name) else name.span
            message = f'"{name.text}" is compared with a number, an item or a meter'
            self.problems.add("bad-condition", message, span, f'For example "{name.text} >= 3".')
            return ALWAYS
        if kind == "fact":
            return self._fact_comparison(name, operator, value)
        if kind == "goal" and isinstance(value, int) and not isinstance(value, bool):
            return self._progress(name, operator, value)
        if kind == "goal":
            message = f'"{name.text}" is a goal: how far it has come is compared with a number'
            self.problems.add("bad-condition", message, name.span, f'"{name.text} >= 2"')
            return ALWAYS
        self.names.find(name, "item", "meter", "fact", "goal")
        return ALWAYS

    def _total(self, terms: Iterable[tuple[int, Name]], operator: str, number: int) -> Cond:
        resolved: list[Term] = []
        first: Name | None = None
        for sign, name in terms:
            first = first or name
            thing = self.names.find(name, "item", "meter")
            if thing is None:
                return ALWAYS
            kind = "held" if self.names.kind_of(thing) == "item" else "meter"
            resolved.append(Term(sign, kind, thing))
        return Total(tuple(resolved), operator, number, first.span if first else None)

    def _fact_comparison(self, name: Name, operator: str, value: int | bool | Name) -> Cond:
        if operator not in ("=", "!="):
            message = f'a fact is compared with "=" or "!=", not with "{operator}"'
            self.problems.add("bad-condition", message, name.span)
            return ALWAYS
        number = self.fact_value(name, value, name)
        if number is None:
            return ALWAYS
        equal = FactIs(name.text, number, name.span)
        return equal if operator == "=" else Not(equal)

    def _state(self, tree: syntax.IsState) -> Cond:
        name, state = tree.name, tree.state
        fact = self.facts.get(name.text)
        # a value that looks like a state, as in `tide is open`
        if fact is not None and state in fact.values:
            hint = f'Write "{name.text} = {state}".'
            message = f'"{name.text}" is a fact'
            self.problems.add("bad-condition", message, name.span, hint)
            return ALWAYS
        if state in ("open", "shut"):
            lock = self.names.find(name, "lock")
            atom = LockOpen(lock, name.span) if lock else ALWAYS
            return atom if state == "open" else Not(atom)
        if state == "visited":
            area = self.names.find(name, "area")
            if area:
                # only what is asked about is remembered: each mark may double the situations
                self.visits[area] = None
            return Marked("visited", area, name.span) if area else ALWAYS
        if state == "met" and self.names.kind_of(name.text) == "goal":
            return self._goal_met(name)
        if state in ("met", "here"):
            person = self.names.find(name, "person")
            if person is None:
                return ALWAYS
            if state == "here":
                return self.presence.here(person, name.span)
            self.met[person] = None
            return Marked("met", person, name.span)
        if state == "beaten":
            foe = self.names.find(name, "foe")
            return Beaten(foe, self.count_of_foe(foe), name.span) if foe else ALWAYS
        # some states of quests are those of other things as well: by kind
        if state in QUEST_STATES and self.names.kind_of(name.text) == "quest":
            return QuestIs(name.text, QUEST_STATES.index(state), name.span)
        if state in ("taken", "done"):
            return self._happened(name, state)
        self.names.find(name, "quest")
        return ALWAYS

    def _happened(self, name: Name, state: str) -> Cond:
        # done is asked of items where it is meant that they are held
        of_item = state == "done" and self.names.kind_of(name.text) == "item"
        instead = f'Whether it is held is asked by "{name.text}" or "not {name.text}".'
        kinds = RULE_KINDS if state == "done" else ("find",)
        rule = self.names.find(name, *kinds, instead=instead if of_item else "")
        if rule is None:
            return ALWAYS
        # the first that asks is pointed at where it turns out that the rule has no such mark
        self.dones.setdefault(rule, name)
        kind = "taken" if self.names.kind_of(rule) == "find" else "done"
        return Marked(kind, rule, name.span)
