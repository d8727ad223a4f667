"""Words of the file -> ids of the right kind: conditions, amounts, settings."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition, Name
from zubrel.authored.document import Document
from zubrel.authored.values import Amount, Setting, Text
from zubrel.base.diagnostics import Problems
from zubrel.base.spelling import suggestion
from zubrel.checked.asking import AS_CONDITION, NEXT, PREVIOUS, RULE_KINDS, asked_done
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
from zubrel.checked.effects import Effect, SetFact, SetMeter, StepFact
from zubrel.checked.names import Names, kept_items, with_article
from zubrel.checked.presence import Presence
from zubrel.checked.things import Fact, Said


class Resolver:
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
        self.document = document
        self.names = names
        self.facts = facts
        self.problems = problems
        self.entries = {
            section: {e.key.text: e for e in document.entries(section) if e.key}
            for section in ("items", "people", "foes", "stores")
        }
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
        match tree:
            case syntax.Named(name):
                return self._named(name)
            case syntax.Quantity(count, name):
                return self._at_least(count, name)
            case syntax.Comparison():
                return self._comparison(tree)
            case syntax.Total(terms, operator, number):
                return self._total(terms, operator, number)
            case syntax.AtArea(name):
                area = self.names.find(name, "area")
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

        def at_least(least: int) -> Cond:
            if not 1 <= least <= whole:
                return ALWAYS if least < 1 else Any(())
            return met_for_good(GoalMet(quest, which, None if least == whole else least), name.span)

        match operator:
            case ">=" | ">":
                return at_least(number + (operator == ">"))
            case "<" | "<=":
                return Not(at_least(number + (operator == "<=")))
        exactly = all_of(at_least(number), Not(at_least(number + 1)))
        return exactly if operator == "=" else Not(exactly)

    def _lies(self, name: Name, area_name: Name) -> Cond:
        item = self.names.find(name, "item")
        area = self.names.find(area_name, "area")
        if item is None or area is None:
            return ALWAYS
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
                return self._total(((1, name), (-1, value)), operator, 0)
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
        found: list[Term] = []
        first: Name | None = None
        for sign, name in terms:
            first = first or name
            thing = self.names.find(name, "item", "meter")
            if thing is None:
                return ALWAYS
            kind = "held" if self.names.kind_of(thing) == "item" else "meter"
            found.append(Term(sign, kind, thing))
        return Total(tuple(found), operator, number, first.span if first else None)

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

    def fact_value(self, fact_name: Name, value: int | bool | Name, at: Name) -> int | None:
        """The number of a fact's value, or None and a problem when it has no such value."""
        fact = self.facts.get(fact_name.text)
        if fact is None:
            return None
        if fact.true_false and isinstance(value, bool):
            return int(value)
        text = value.text if isinstance(value, Name) else str(value).lower()
        if not fact.true_false and text in fact.values:
            return fact.values.index(text)
        span = value.span if isinstance(value, Name) else at.span
        message = f'"{fact.id}" cannot be "{text}": it is {" or ".join(fact.values)}'
        self.problems.add("bad-value", message, span, suggestion(text, fact.values))
        return None

    def _state(self, tree: syntax.IsState) -> Cond:
        name, state = tree.name, tree.state
        fact = self.facts.get(name.text)
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
        if state in QUEST_STATES and self.names.kind_of(name.text) == "quest":
            return QuestIs(name.text, QUEST_STATES.index(state), name.span)
        if state in ("taken", "done"):
            return self._happened(name, state)
        self.names.find(name, "quest")
        return ALWAYS

    def _happened(self, name: Name, state: str) -> Cond:
        rule = self.names.find(name, *(RULE_KINDS if state == "done" else ("find",)))
        if rule is None:
            return ALWAYS
        self.dones.setdefault(rule, name)
        kind = "taken" if self.names.kind_of(rule) == "find" else "done"
        return Marked(kind, rule, name.span)

    def is_person(self, thing: str) -> bool:
        return self.names.kind_of(thing) == "person"

    def count_of_foe(self, foe: str) -> int:
        """How many have to be beaten until a foe is: 1 for one that returns."""
        entry = self.entries["foes"][foe]
        return 1 if entry.text("returns") == "always" else entry.number("count") or 1

    def amounts(self, amounts: Iterable[Amount]) -> list[tuple[str, int | None]]:
        """Items and how many (None: all); the same item twice adds up in order."""
        by_item: list[tuple[str, int | None]] = []
        for amount in amounts:
            item = self.names.find(amount.name, "item")
            if item:
                by_item.append((item, amount.count))
        return by_item

    def held(self, amounts: Iterable[Amount]) -> list[tuple[str, int | None]]:
        """As `amounts`, for what is gained and given up: of a tool only one at a time."""
        listed = tuple(amounts)
        for amount in listed:
            entry = self.entries["items"].get(amount.name.text)
            if entry is not None and entry.has("uses") and amount.count != 1:
                message = f'"{amount.name.text}" is a tool: one at a time'
                self.problems.add("bad-value", message, amount.span)
        return self.amounts(listed)

    def tools(self, words: Iterable[Name]) -> list[str]:
        """The tools that `words` name; a problem for each item that is none."""
        tools = []
        for word in words:
            item = self.names.find(word, "item")
            if item is not None and not self.entries["items"][item].has("uses"):
                message = f'"{item}" is no tool: it has no "uses"'
                hint = f"Say how often it can be used:  {item}: {{uses: 5}}"
                self.problems.add("wrong-kind", message, word.span, hint)
            elif item is not None:
                tools.append(item)
        return tools

    def ids(self, words: Iterable[Name], kind: str) -> list[str]:
        ids = (self.names.find(word, kind) for word in words)
        return [thing for thing in ids if thing]

    def setting(self, setting: Setting) -> Effect | None:
        """The effect of one `fact: value` or `meter: number`."""
        thing = self.names.find(setting.name, "fact", "meter")
        if thing is None:
            return None
        if self.names.kind_of(thing) == "fact":
            value = setting.value
            if isinstance(value, Name) and self._is_step(thing, value.text):
                return StepFact(thing, value.text == NEXT)
            at = Name(str(value), setting.span)
            number = self.fact_value(setting.name, value, at)
            return None if number is None else SetFact(thing, number)
        if isinstance(setting.value, int) and not isinstance(setting.value, bool):
            return SetMeter(thing, setting.value)
        self.problems.add("bad-value", f'"{thing}" is a meter: set it to a number', setting.span)
        return None

    def _is_step(self, fact: str, word: str) -> bool:
        """Whether a fact is to have the value after or before its own; not if one is called so."""
        known = self.facts.get(fact)
        if known is None or known.true_false or word in known.values:
            return False
        return word in (NEXT, PREVIOUS)
