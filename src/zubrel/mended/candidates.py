"""What may mend a finding, by the claims of its reason: each is tried before it is proposed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec import Struct

from zubrel.authored.document import Document
from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.readers import read_amount, read_amounts
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span
from zubrel.checked.world import Rule, World
from zubrel.mended.edits import Edit, Place, places, replaced, with_item, with_key
from zubrel.narrated.report import Because, Told

_TAKING = ("takes", "wears")


class Candidate(Struct, frozen=True):
    """A change in words, and the edits of the main file that make it."""

    words: str
    edits: tuple[Edit, ...]
    last: bool = False
    """It does not mend what is wrong, but says that it is meant so."""


class Candidates:
    """Changes for one finding, the likeliest first, none twice."""

    def __init__(self, world: World, document: Document, text: str) -> None:
        self.world = world
        self.document = document
        self.text = text
        self.root = document.roots[0]
        self.places = list(places(self.root))

    def of(self, finding: Told) -> list[Candidate]:
        """All that the claims of a finding suggest, and last that it is meant so."""
        found: dict[tuple[Edit, ...], Candidate] = {}
        for candidate in self._all(finding):
            found.setdefault(candidate.edits, candidate)
        return sorted(found.values(), key=lambda c: c.last)

    def _all(self, finding: Told) -> Iterator[Candidate]:
        for claim in _claims(finding.why):
            match claim.claim:
                case "took":
                    yield from self._took(claim)
                case "wanted":
                    for rule in (*claim.data["rules"], finding.subject):
                        yield from self._kept(self._rule(rule), claim.data["item"])
                    more = claim.data["number"] - claim.data["left"]
                    yield from self._more_of(claim.data["item"], more)
                case "at_most" if claim.data["of"][0] == "held":
                    yield from self._more_of(claim.data["of"][1], 1)
                case "done":
                    yield from self._again(self._rule(claim.data["rule"]))
        yield from self._accepted(finding)

    def _rule(self, rule: str) -> Rule | None:
        return next((r for r in self.world.rules if r.id == rule), None)

    def _took(self, claim: Because) -> Iterator[Candidate]:
        kind, subject = claim.data["of"]
        rule = self._rule(claim.data["rule"])
        if kind == "held":
            yield from self._kept(rule, subject)
            yield from self._more_of(subject, 1)
        elif kind == "place":
            yield from self._both_ways(rule)
        yield from self._ended(rule)

    def _kept(self, rule: Rule | None, item: str) -> Iterator[Candidate]:
        """The item is asked for, and not taken."""
        body = self._body(rule)
        if rule is None or body is None or body.get("needs") is not None:
            return
        for key, value in body.entries:
            if key.text in _TAKING and item in _items(value) and len(_items(value)) == 1:
                name = self.world.name_of(item)
                words = f"“{rule.label}” asks for {name} and does not use it up"
                yield Candidate(words, (replaced(key.span, "needs"),))

    def _more_of(self, item: str, more: int) -> Iterator[Candidate]:
        """More of the item, where it comes from; of a tool, more uses."""
        name = self.world.name_of(item)
        for place in self.places:
            if place.path == ("items", item, "uses") and isinstance(place.node, Scalar):
                uses = (self.world.items[item].uses or 0) + more
                words = f"{name} can be used {uses} times"
                yield Candidate(words, (replaced(place.node.span, str(uses)),))
        if self.world.items[item].uses is not None:
            return
        for place in self.places:
            amount = self._amount(place)
            if amount is not None and amount[1] == item:
                count = amount[0] + more
                edits = [replaced(place.node.span, f"{count} {item}")]
                edits += self._room(item, count)
                start = place.path[0] == "start"
                where = "the start" if start else self.world.name_of(place.path[1])
                words = f"{more} more {name} at {where}"
                yield Candidate(words, tuple(edits))

    def _amount(self, place: Place) -> tuple[int, str] | None:
        """How many of what is found at a place, or held at the start."""
        finds = place.path[0] == "areas" and len(place.path) == 4 and place.path[2] == "finds"
        holding = place.path[:2] == ("start", "holding")
        if not isinstance(place.node, Scalar) or not (finds or holding):
            return None
        amount = read_amount(place.node, Problems())
        return None if amount is None or amount.count is None else (amount.count, amount.name.text)

    def _room(self, item: str, count: int) -> Iterator[Edit]:
        """Where a bound is written that would be too small for so many, a larger one."""
        if self.world.items[item].most < count:
            for place in self.places:
                if place.path == ("items", item, "max") and isinstance(place.node, Scalar):
                    yield replaced(place.node.span, str(count))

    def _both_ways(self, rule: Rule | None) -> Iterator[Candidate]:
        yield from self._no_longer(rule, "one_way", "can be walked back")

    def _again(self, rule: Rule | None) -> Iterator[Candidate]:
        yield from self._no_longer(rule, "once", "can be done again and again")

    def _no_longer(self, rule: Rule | None, key: str, then: str) -> Iterator[Candidate]:
        """What is said to be true of a rule is false; `then` says what that means."""
        body = self._body(rule)
        value = None if body is None else body.get(key)
        if rule is not None and isinstance(value, Scalar) and value.text == "true":
            yield Candidate(f"“{rule.label}” {then}", (replaced(value.span, "false"),))

    def _ended(self, rule: Rule | None) -> Iterator[Candidate]:
        """The game ends there, badly."""
        body = self._body(rule)
        bad = next((e for e in self.world.endings.values() if not e.good), None)
        if rule is None or body is None or bad is None or body.get("ends") is not None:
            return
        edit = with_key(body, "ends", bad.id)
        if edit is not None and not rule.chancy:
            yield Candidate(f"“{rule.label}” ends the game: {bad.name}", (edit,), last=True)

    def _accepted(self, finding: Told) -> Iterator[Candidate]:
        entry = f"{{finding: {finding.kind}, of: {finding.subject}}}"
        edit = with_item(self.root, "accept", entry, self.text)
        if edit is not None:
            yield Candidate("it is meant so, and accepted", (edit,), last=True)

    def _body(self, rule: Rule | None) -> Mapping | None:
        """The mapping in the main file that a rule was made of."""
        if rule is None or rule.span.source.path != self.document.source.path:
            return None
        for place in self.places:
            own = place.key if place.key is not None else place.node
            if isinstance(place.node, Mapping) and _begins(own, rule.span):
                return place.node
        return None


def _begins(node: Node, span: Span) -> bool:
    return (node.span.line, node.span.column) == (span.line, span.column)


def _items(value: Node) -> list[str]:
    """The items of an amount or a list of amounts, or of a tool or a list of tools."""
    return [amount.name.text for amount in read_amounts()(value, Problems())]


def _claims(why: Iterable[Because]) -> Iterator[Because]:
    for claim in why:
        yield claim
        yield from _claims(claim.why)
