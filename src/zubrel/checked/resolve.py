"""Words of the file -> ids of the right kind: conditions, amounts, settings."""

from __future__ import annotations

from collections.abc import Iterable

from zubrel.atoms.diagnostics import Problems
from zubrel.atoms.spelling import suggestion
from zubrel.authored import conditions as syntax
from zubrel.authored.conditions import Condition, Name
from zubrel.authored.values import Amount, Setting, Text
from zubrel.checked.conditions import (
    ALWAYS,
    Any,
    At,
    Cond,
    CountOf,
    FactIs,
    Holds,
    Level,
    LockOpen,
    Marked,
    Not,
    all_of,
)
from zubrel.checked.effects import Effect, SetFact, SetMeter
from zubrel.checked.names import Names, with_article
from zubrel.checked.world import Fact, Said

# How a lone id of each kind is written when it is meant as a condition.
AS_CONDITION = {
    "area": "at {0}", "lock": "{0} is open", "meter": "{0} >= 1", "find": "{0} is taken",
    "deed": "{0} is done", "alternative": "{0} is done",
}  # fmt: skip
RULE_KINDS = ("deed", "lock", "find", "way", "alternative")


class Resolver:
    """Turns what was read into what it means; every problem goes to `problems`.

    `visits` and `dones` collect the areas and rules whose marks some condition asks for.
    """

    def __init__(self, names: Names, facts: dict[str, Fact], problems: Problems) -> None:
        self.names = names
        self.facts = facts
        self.problems = problems
        self.visits: dict[str, None] = {}
        self.dones: dict[str, syntax.Name] = {}

    def all_of(self, conditions: Iterable[Condition]) -> Cond:
        """The conjunction of conditions as read; without any, `ALWAYS`."""
        return all_of(*(self.tree(c.tree) for c in conditions))

    def condition(self, condition: Condition | None) -> Cond:
        return self.tree(condition.tree) if condition else ALWAYS

    def texts(self, texts: Iterable[Text]) -> tuple[Said, ...]:
        return tuple(Said(t.text, self.condition(t.when), t.span) for t in texts)

    def tree(self, tree: syntax.Syntax) -> Cond:
        """The resolved form of one condition (its depth is bounded by the grammar)."""
        match tree:
            case syntax.Named(name):
                return self._named(name)
            case syntax.AtLeast(count, name):
                return self._at_least(count, name)
            case syntax.Comparison():
                return self._comparison(tree)
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
            case syntax.CountOf(count, parts, _):
                return self._count_of(count, tuple(self.tree(p) for p in parts))
            case syntax.Stored(name, _) | syntax.Lies(name, _):
                self._not_yet(name)
                return ALWAYS

    def _not_yet(self, name: Name) -> None:
        self.problems.add("unknown-key", "this condition cannot be used yet", name.span)

    def _count_of(self, count: int, parts: tuple[Cond, ...]) -> Cond:
        if count == len(parts):
            return all_of(*parts)
        return Any(parts) if count == 1 else CountOf(count, parts)

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
            if isinstance(value, int) and not isinstance(value, bool):
                atom = Holds if kind == "item" else Level
                return atom(name.text, operator, value, name.span)
            span = value.span if isinstance(value, Name) else name.span
            message = f'"{name.text}" is compared with a number'
            self.problems.add("bad-condition", message, span, f'For example "{name.text} >= 3".')
            return ALWAYS
        if kind == "fact":
            return self._fact_comparison(name, operator, value)
        self.names.find(name, "item", "meter", "fact")
        return ALWAYS

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
        if state in ("open", "shut"):
            lock = self.names.find(name, "lock")
            atom = LockOpen(lock, name.span) if lock else ALWAYS
            return atom if state == "open" else Not(atom)
        if state == "visited":
            area = self.names.find(name, "area")
            if area:
                self.visits[area] = None
            return Marked("visited", area, name.span) if area else ALWAYS
        if state in ("taken", "done"):
            rule = self.names.find(name, *(RULE_KINDS if state == "done" else ("find",)))
            if rule is None:
                return ALWAYS
            self.dones.setdefault(rule, name)
            kind = "taken" if self.names.kind_of(rule) == "find" else "done"
            return Marked(kind, rule, name.span)
        self.problems.add("bad-condition", f'nothing can be "{state}" yet', tree.span)
        return ALWAYS

    def amounts(self, amounts: Iterable[Amount]) -> list[tuple[str, int | None]]:
        """Items and how many (None: all); the same item twice adds up in order."""
        found: list[tuple[str, int | None]] = []
        for amount in amounts:
            item = self.names.find(amount.name, "item")
            if item:
                found.append((item, amount.count))
        return found

    def ids(self, words: Iterable[Name], kind: str) -> list[str]:
        found = (self.names.find(word, kind) for word in words)
        return [thing for thing in found if thing]

    def setting(self, setting: Setting) -> Effect | None:
        """The effect of one `fact: value` or `meter: number`."""
        thing = self.names.find(setting.name, "fact", "meter")
        if thing is None:
            return None
        if self.names.kind_of(thing) == "fact":
            value = setting.value
            at = Name(str(value), setting.span)
            number = self.fact_value(setting.name, value, at)
            return None if number is None else SetFact(thing, number)
        if isinstance(setting.value, int) and not isinstance(setting.value, bool):
            return SetMeter(thing, setting.value)
        self.problems.add("bad-value", f'"{thing}" is a meter: set it to a number', setting.span)
        return None
