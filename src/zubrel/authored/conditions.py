"""Conditions as text -> a tree in which nothing is resolved yet.

The grammar is in `conditions.lark`. Every node knows its stretch of the file.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from zubrel.authored.condition_hints import WORD, hint_at
from zubrel.authored.condition_words import WORDS
from zubrel.authored.grammar import parser
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span

DEEPEST = 40
LARGEST_NUMBER = 1_000_000


class Name(Struct, frozen=True):
    """A word in a condition, as written."""

    text: str
    span: Span


class Named(Struct, frozen=True):
    """`brass_token` or `lamp_lit`."""

    name: Name


class Quantity(Struct, frozen=True):
    """`3 lamp_oil`."""

    count: int
    name: Name


class Comparison(Struct, frozen=True):
    """`coin >= 5` (number), `tide = low` (Name), `lamp_lit = true` (bool)."""

    name: Name
    operator: str
    value: int | bool | Name


class TotalComparison(Struct, frozen=True):
    """`amber + jet >= 4`: names with 1 or -1 each, all on the left, compared with a number."""

    terms: tuple[tuple[int, Name], ...]
    operator: str
    number: int


class AtArea(Struct, frozen=True):
    """`at quay`."""

    name: Name


class IsState(Struct, frozen=True):
    """`chart_room is open`."""

    name: Name
    state: str
    span: Span


class InStore(Struct, frozen=True):
    """`coin is in chest` (at least one), `2 coin in chest`, `coin in chest < 3`."""

    item: Name
    store: Name
    operator: str = ">="
    count: int = 1


class Lies(Struct, frozen=True):
    """`lantern lies at quay`."""

    item: Name
    area: Name


class Negation(Struct, frozen=True):
    part: Syntax


class Conjunction(Struct, frozen=True):
    parts: tuple[Syntax, ...]


class Disjunction(Struct, frozen=True):
    parts: tuple[Syntax, ...]


class CountedParts(Struct, frozen=True):
    """`2 of (a, b, c)`: at least `count` of the parts; `any of` is 1, `all of` every one."""

    count: int
    parts: tuple[Syntax, ...]
    span: Span


Syntax = (
    Named
    | Quantity
    | Comparison
    | TotalComparison
    | AtArea
    | IsState
    | InStore
    | Lies
    | Negation
    | Conjunction
    | Disjunction
    | CountedParts
)


class Condition(Struct, frozen=True):
    """One condition of the file: its text, its tree, its place."""

    text: str
    tree: Syntax
    span: Span


_BARE = re.compile(r"[a-z][a-z0-9_]*\Z")
_COUNTED = re.compile(r"([0-9]{1,9}) +([a-z][a-z0-9_]*)\Z")


def parse_condition(text: str, span: Span, problems: Problems) -> Condition | None:
    """The condition in `text`, which begins at `span`; None (and a problem) when it is none."""
    # most conditions are a name or an amount: a world without others never imports the parser
    tree = _simple(text, span) or _parse(text, span, problems)
    return Condition(text, tree, span) if tree else None


def _simple(text: str, span: Span) -> Syntax | None:
    """A lone name or an amount, without waking the parser."""
    if _BARE.match(text) and text not in WORDS:
        return Named(Name(text, span))
    if counted := _COUNTED.match(text):
        number, name = int(counted[1]), counted[2]
        if name not in WORDS and number <= LARGEST_NUMBER:
            return Quantity(number, Name(name, span.part(counted.start(2), len(name))))
    return None


def _parse(text: str, span: Span, problems: Problems) -> Syntax | None:
    from lark.exceptions import UnexpectedCharacters, UnexpectedInput, UnexpectedToken

    if not text.strip():
        problems.add("bad-condition", "a condition is missing here", span)
        return None
    # the tree is gone through by recursion from here on
    if _depth(text) > DEEPEST:
        problems.add("too-deep", f"a condition nested deeper than {DEEPEST} levels", span)
        return None
    builder = _Builder(span, problems)
    count = len(problems.diagnostics)
    try:
        result = builder.build(parser().parse(text))
    except UnexpectedCharacters as error:
        place = error.pos_in_stream or 0
        # the whole word is told and marked, and not its first letter alone
        word = WORD.match(text, place)
        message = f'"{word[0] if word else error.char}" does not fit here'
        if word is None:
            message = f'a condition cannot hold "{error.char}"'
        _report(problems, text, span, place, len(word[0]) if word else 1, message)
        return None
    except UnexpectedToken as error:
        at_end = error.token.type == "$END"
        # where something is missing at the end there is nothing to point at: the last sign it is
        position = len(text.rstrip()) - 1 if at_end else (error.token.start_pos or 0)
        message = (
            "this condition ends too early" if at_end else f'"{error.token}" does not fit here'
        )
        _report(problems, text, span, position, 1 if at_end else len(error.token), message)
        return None
    except UnexpectedInput:
        _report(problems, text, span, 0, len(text), "this is no condition")
        return None
    return None if len(problems.diagnostics) > count else result


def _report(
    problems: Problems, text: str, span: Span, position: int, width: int, message: str
) -> None:
    problems.add("bad-condition", message, span.part(position, width), hint_at(text, position))


def _depth(text: str) -> int:
    """A bound on how deep the tree can be: open brackets and negations in a row."""
    depth = deepest = 0
    for char in text:
        # a bound is enough, so that brackets that do not match are left to the parser
        depth += (char == "(") - (char == ")")
        deepest = max(deepest, depth)
    return deepest + len(re.findall(r"\bnot\s+(?=not\b)", text))


class _Builder:
    """Turns lark's tree into ours. Depth is bounded by `DEEPEST` before it is called."""

    def __init__(self, span: Span, problems: Problems) -> None:
        self.span = span
        self.problems = problems

    def build(self, tree: Any) -> Syntax:
        parts = tree.children
        # rules of the grammar by their names; each becomes one form of the language
        match tree.data:
            case "start":
                return self.build(parts[0])
            case "disjunction":
                return Disjunction(tuple(self.build(p) for p in parts))
            case "conjunction":
                return Conjunction(tuple(self.build(p) for p in parts))
            case "negation":
                return Negation(self.build(parts[0]))
            case "any_of" | "all_of" | "count_of":
                return self._count_of(tree)
            case "named":
                return Named(self._name(parts[0]))
            case "at_least":
                return Quantity(self._number(parts[0]), self._name(parts[1]))
            case "comparison":
                return Comparison(self._name(parts[0]), str(parts[1]), self._value(parts[2]))
            case "with_total":
                return self._total(parts)
            case "at_area":
                return AtArea(self._name(parts[0]))
            case "stored":
                return InStore(self._name(parts[0]), self._name(parts[1]))
            # a form of its own, since "not" stands in its middle
            case "not_stored":
                return Negation(InStore(self._name(parts[0]), self._name(parts[1])))
            case "so_many_stored":
                count = self._number(parts[0])
                return InStore(self._name(parts[1]), self._name(parts[2]), ">=", count)
            case "stored_comparison":
                item, store, operator, number = parts
                count = self._number(number)
                return InStore(self._name(item), self._name(store), str(operator), count)
            case "lies":
                return Lies(self._name(parts[0]), self._name(parts[1]))
            case "is_state":
                return self._state(parts)
        # "is not" with a state: the only rule that is left
        return Negation(self._state(parts))

    def _total(self, parts: list[Any]) -> TotalComparison:
        left, operator, right = parts
        terms, number = list(self._terms(left)), 0
        # names on the right are taken to the left, so that all that follows compares with a number
        if not hasattr(right, "data") and right.type == "NUMBER":
            number = self._number(right)
        else:
            terms += [(-sign, name) for sign, name in self._terms(right)]
        return TotalComparison(tuple(terms), str(operator), number)

    def _terms(self, part: Any) -> Iterator[tuple[int, Name]]:
        """The names of a sum with their signs; a lone name is one."""
        sign = 1
        for token in part.children if hasattr(part, "data") else [part]:
            if token.type == "SIGN":
                sign = 1 if token == "+" else -1
            else:
                yield sign, self._name(token)

    def _state(self, parts: list[Any]) -> IsState:
        return IsState(self._name(parts[0]), str(parts[1]), self._part(parts[1]))

    def _count_of(self, tree: Any) -> CountedParts:
        """`any of`, `all of` or `N of`: lark leaves the number as the first child, if any."""
        tokens = [p for p in tree.children if not hasattr(p, "data")]
        parts = tuple(self.build(p) for p in tree.children if hasattr(p, "data"))
        span = self.span.part(tree.meta.start_pos, tree.meta.end_pos - tree.meta.start_pos)
        if not tokens:
            return CountedParts(1 if tree.data == "any_of" else len(parts), parts, span)
        count = self._number(tokens[0])
        if not 1 <= count <= len(parts):
            message = f'"{count} of" needs at least {count} conditions, and at least one'
            self.problems.add("bad-condition", message, self._part(tokens[0]))
        return CountedParts(count, parts, span)

    def _name(self, token: Any) -> Name:
        return Name(str(token), self._part(token))

    def _value(self, token: Any) -> int | bool | Name:
        if token.type == "NUMBER":
            return self._number(token)
        return token == "true" if token.type == "TRUTH" else self._name(token)

    def _number(self, token: Any) -> int:
        # the length first: a number of a million digits is not even made
        if len(token) <= 7 and int(token) <= LARGEST_NUMBER:
            return int(token)
        message = f"{token} is above {LARGEST_NUMBER:,}, the largest number allowed"
        self.problems.add("too-large", message, self._part(token))
        return 0

    def _part(self, token: Any) -> Span:
        return self.span.part(token.start_pos, len(token))
