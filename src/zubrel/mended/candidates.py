"""What may mend a finding: each is tried before it is proposed."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property

from msgspec import Struct

from zubrel.authored.document import Document
from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.nodes import Sequence as List
from zubrel.authored.readers import read_amount, read_amounts
from zubrel.base.diagnostics import Problems
from zubrel.checked.world import Rule, World
from zubrel.mended.bodies import Bodies, in_list
from zubrel.mended.edits import Edit, NodePlace
from zubrel.mended.files import Files
from zubrel.mended.obvious import obvious
from zubrel.narrated.report import Because, Told, claims_of

_TAKING = ("takes", "wears")
_ID = re.compile(r"[a-z][a-z0-9_]*")
_EACH_END = 2
"""Areas that are tried for a find, of those that can be entered soonest, and of the last."""


ACCEPTED = "it is meant so, and accepted"


class Candidate(Struct, frozen=True):
    """A change in words, and the edits that make it."""

    words: str
    edits: tuple[Edit, ...]
    last: bool = False
    """It does not mend what is wrong, but says that it is meant so."""


class Candidates:
    """Changes for one finding, the likeliest first, none twice.

    `areas` are those that can be entered, the soonest first.
    """

    def __init__(
        self, world: World, document: Document, files: Files, areas: Sequence[str] = ()
    ) -> None:
        self.world = world
        self.bodies = Bodies(world, document, files)
        self.areas = areas

    def of(self, finding: Told, guards: Iterable[tuple[str, str]] = ()) -> list[Candidate]:
        """All that is suggested by a finding, its claims, and `guards`: pairs of a rule and a
        condition. Last comes that it is meant so."""
        by_edits: dict[tuple[Edit, ...], Candidate] = {}
        for candidate in self._all(finding, guards):
            # several claims may suggest one change: it is tried once, in the words that came first
            by_edits.setdefault(candidate.edits, candidate)
        return sorted(by_edits.values(), key=lambda c: c.last)

    def _all(self, finding: Told, guards: Iterable[tuple[str, str]]) -> Iterator[Candidate]:
        for words, edits in obvious(finding, self.world, self.bodies):
            yield Candidate(words, edits)
        claims = list(claims_of(finding.why))
        for claim in claims:
            # causes stand first among the claims, and so do the changes that touch them
            yield from self._of_claim(claim, finding)
        for rule_id, condition in guards:
            rule = self._rule(rule_id)
            edit = rule and self.bodies.needing(rule, condition)
            if rule and edit:
                words = f"{self.world.described(rule)} needs: {condition}"
                yield Candidate(words, (edit,))
        for claim in claims:
            if claim.claim == "cannot":
                yield from self._asking_less(claim)
        # last, so that it is proposed only where nothing else helps
        yield from self._accepted(finding)

    def _of_claim(self, claim: Because, finding: Told) -> Iterator[Candidate]:
        match claim.claim:
            case "took":
                yield from self._took(claim)
            case "wanted":
                item = claim.data["item"]
                # those that have used it up, and the one that still wants it
                for rule in (*claim.data["rules"], finding.subject):
                    yield from self._kept(self._rule(rule), item)
                yield from self._more_of(item, claim.data["number"] - claim.data["left"])
            case "at_most" if claim.data["of"][0] == "held":
                yield from self._more_of(claim.data["of"][1], 1)
            case "done":
                yield from self._again(self._rule(claim.data["rule"]))
            case "only" if not claim.data["makers"]:
                # of a claim about several things it is not known which of them to add
                kind, known = _single_test(claim.data["holds"])
                if kind == "held":
                    yield from self._found_somewhere(known)
                elif kind == "place":
                    yield from self._led_to(known)

    def _rule(self, rule: str) -> Rule | None:
        return self.bodies.rules.get(rule)

    def _took(self, claim: Because) -> Iterator[Candidate]:
        # what the rule took away for good: each kind of it can be kept, or come back, in its own
        # way
        kind, subject = claim.data["of"]
        rule = self._rule(claim.data["rule"])
        if kind == "held":
            yield from self._kept(rule, subject)
            yield from self._more_of(subject, 1)
            yield from self._found_again(subject)
        elif kind == "place":
            yield from self._no_longer(rule, "one_way", "can be walked back")
        elif kind == "done":
            yield from self._again(rule)
        yield from self._ended(rule)

    def _kept(self, rule: Rule | None, item: str) -> Iterator[Candidate]:
        """The item is asked for, and not taken."""
        body = self.bodies.body(rule)
        # a second condition would have to be joined with the first, which is the author's to word
        if rule is None or body is None or body.get("needs") is not None:
            return
        for key, value in body.entries:
            if key.text in _TAKING and _items(value) == [item]:
                words = f"“{rule.label}” asks for {self.world.name_of(item)}"
                # the smallest change: one word, and the author's list stays as it is written
                edit = self.bodies.page(key.span).replaced(key.span, "needs")
                yield Candidate(f"{words} and does not use it up", (edit,))

    def _more_of(self, item: str, more: int) -> Iterator[Candidate]:
        """More of the item, where it comes from; of a tool, more uses."""
        name, thing = self.world.name_of(item), self.world.items[item]
        if thing.uses is not None:
            uses = self.bodies.at("items", item, "uses")
            # where the uses are not written as a number of their own there is nothing to replace
            if uses is not None and more > 0:
                edit = self.bodies.page(uses.span).replaced(uses.node.span, str(thing.uses + more))
                yield Candidate(f"{name} can be used {thing.uses + more} times", (edit,))
            return
        for place in self.bodies.places:
            amount = _amount(place)
            if amount is not None and amount[1] == item:
                count = amount[0] + more
                page = self.bodies.page(place.span)
                edits = [page.replaced(place.node.span, f"{count} {item}")]
                # more of it than may be held would be wasted
                edits += self._room(item, count)
                start = place.path[0] == "start"
                # every place where it lies is tried: which of them can be come to in time, the
                # search tells
                where = "the start" if start else self.world.name_of(place.path[1])
                yield Candidate(f"{more} more {name} at {where}", tuple(edits))

    def _found_again(self, item: str) -> Iterator[Candidate]:
        """The find comes again and again, with a bound for what is held where there is none."""
        thing = self.world.items[item]
        for place in self.bodies.places:
            amount = _amount(place)
            # a tool that comes again and again would never wear out, and what the player begins
            # with comes once
            if thing.uses is not None or place.path[0] != "areas" or amount is None:
                continue
            if amount[1] != item or not isinstance(place.node, Scalar):
                continue
            # the short form of a find has no room for `again`
            count = f", count: {amount[0]}" if amount[0] > 1 else ""
            page = self.bodies.page(place.span)
            edits = [page.replaced(place.node.span, f"{{item: {item}{count}, again: always}}")]
            # without a bound the world would have no end of situations
            edits += self._bounded(item)
            where = self.world.name_of(place.path[1])
            yield Candidate(f"{thing.name} is found at {where} again and again", tuple(edits))

    def _bounded(self, item: str) -> Iterator[Edit]:
        """A written bound for how many can be held, where there is none."""
        thing, place = self.world.items[item], self.bodies.at("items", item)
        # an author who wrote a bound has meant it
        if place is None or thing.bound_given:
            return
        page = self.bodies.page(place.span)
        if isinstance(place.node, Mapping):
            edit = page.with_key(place.node, "max", str(thing.most))
            if edit is not None:
                yield edit
        # a lone name is short for a mapping with one
        elif isinstance(place.node, Scalar) and not place.node.empty:
            name = page.written(place.node)
            if name is not None:
                yield page.replaced(place.node.span, f"{{name: {name}, max: {thing.most}}}")

    def _room(self, item: str, count: int) -> Iterator[Edit]:
        """Where a bound is written that would be too small for so many, a larger one."""
        bound = self.bodies.at("items", item, "max")
        if bound is not None and self.world.items[item].most < count:
            yield self.bodies.page(bound.span).replaced(bound.node.span, str(count))

    def _found_somewhere(self, item: str) -> Iterator[Candidate]:
        """It lies in one of the areas."""
        name = self.world.name_of
        for area in self._ends():
            edit = self._with_entry(area, "finds", item)
            if edit is not None:
                yield Candidate(f"{name(item)} is found at {name(area)}", (edit,))

    def _led_to(self, area: str) -> Iterator[Candidate]:
        """A way leads there from one of the areas."""
        name = self.world.name_of
        for start in self._ends():
            edit = None if start == area else self._with_entry(start, "ways", area)
            if edit is not None:
                yield Candidate(f"a way leads from {name(start)} to {name(area)}", (edit,))

    def _ends(self) -> Iterable[str]:
        """The areas that are entered last, where most gates are still of use, and soonest."""
        return dict.fromkeys([*self.areas[: -_EACH_END - 1 : -1], *self.areas[:_EACH_END]])

    def _with_entry(self, area: str, key: str, entry: str) -> Edit | None:
        place = self.bodies.at("areas", area)
        if place is None or not isinstance(place.node, Mapping):
            return None
        known, page = place.node.get(key), self.bodies.page(place.span)
        # the key is missing, there with a list, or there with one value: each needs another edit
        if known is None:
            return page.with_key(place.node, key, f"[{entry}]")
        if isinstance(known, List):
            return page.with_item(known, entry, last=True)
        written = page.written(known)
        if written is None or not isinstance(known, Scalar):
            return None
        return page.replaced(known.span, f"[{in_list(written)}, {entry}]")

    def _asking_less(self, claim: Because) -> Iterator[Candidate]:
        """What can be no more is not asked for; a lock is opened from everywhere beside it."""
        rule = self._rule(claim.data["maker"])
        place = self.bodies.of(rule)
        if rule is None or place is None:
            return
        # the conditions of the claim are those that can hold no more: only needs that name the same
        # are left out
        named = {i for part in claim.data["parts"] for i in _ID.findall(part["condition"] or "")}
        bodies = [place]
        # a shop asks for its opening hours in its own body
        if rule.kind.trades:
            shop = self.bodies.at("shops", rule.owner)
            bodies += [shop] if shop is not None else []
        for body in bodies:
            for condition, edit in self.bodies.conditions(body):
                # words of the grammar look like ids, and would match anything
                if named & set(_ID.findall(condition)) & self._ids:
                    words = f"{self.world.described(rule)} no longer needs: {condition}"
                    yield Candidate(words, (edit,))
        # a lock that opens from one side may shut the player in
        opened = self.bodies.under(place, "from")
        without = self.bodies.without(opened)
        if rule.kind == "lock" and without is not None:
            yield Candidate(f"“{rule.label}” from both sides", (without,))

    @cached_property
    def _ids(self) -> set[str]:
        world = self.world
        sections: tuple[Iterable[str], ...] = (
            world.items,
            world.facts,
            world.meters,
            world.quests,
            world.foes,
            world.locks,
            world.areas,
        )
        return {i for section in sections for i in section}

    def _again(self, rule: Rule | None) -> Iterator[Candidate]:
        yield from self._no_longer(rule, "once", "can be done again and again")

    def _no_longer(self, rule: Rule | None, key: str, then: str) -> Iterator[Candidate]:
        """What is said to be true of a rule is not said; `then` says what that means."""
        place = self.bodies.of(rule)
        known = None if place is None else self.bodies.under(place, key)
        if rule is not None and known is not None and _is_true(known.node):
            edit = self.bodies.without(known)
            if edit is not None:
                yield Candidate(f"“{rule.label}” {then}", (edit,))

    def _ended(self, rule: Rule | None) -> Iterator[Candidate]:
        """The game ends there, badly."""
        body = self.bodies.body(rule)
        # an ending that is there already: a new one would be a new idea
        bad = next((e for e in self.world.endings.values() if not e.good), None)
        if rule is None or body is None or bad is None or body.get("ends") is not None:
            return
        edit = self.bodies.with_key(body, "ends", bad.id)
        # of a rule by luck only some outcomes may be to blame
        if edit is not None and not rule.chancy:
            yield Candidate(f"“{rule.label}” ends the game: {bad.name}", (edit,), last=True)

    def _accepted(self, finding: Told) -> Iterator[Candidate]:
        if finding.kind == "stale_accept":
            return
        # without `because`: that is for the author to say
        entry = f"{{finding: {finding.kind}, of: {finding.subject}}}"
        edit = self.bodies.main.with_entry(self.bodies.root, "accept", entry)
        if edit is not None:
            yield Candidate(ACCEPTED, (edit,), last=True)


def _amount(place: NodePlace) -> tuple[int, str] | None:
    """How many of what is found at a place, or held at the start."""
    finds = place.path[0] == "areas" and len(place.path) == 4 and place.path[2] == "finds"
    holding = place.path[:2] == ("start", "holding")
    if not isinstance(place.node, Scalar) or not (finds or holding):
        return None
    amount = read_amount(place.node, Problems())
    return None if amount is None or amount.count is None else (amount.count, amount.name.text)


def _items(value: Node) -> list[str]:
    """The items of an amount or a list of amounts, or of a tool or a list of tools."""
    return [amount.name.text for amount in read_amounts()(value, Problems())]


def _single_test(test: dict[str, object]) -> tuple[str, str]:
    """`held` and an item, or `place` and an area, where a test is about just that."""
    match test:
        case {"of": ["held", str(item)]}:
            return "held", item
        case {"of": ["place", _], "is": [str(area)]}:
            return "place", area
    return "", ""


def _is_true(node: Node) -> bool:
    return isinstance(node, Scalar) and node.text == "true"
