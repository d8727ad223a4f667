"""Where in the files the rules of a world stand, and edits of what they ask for."""

from __future__ import annotations

import re
from collections.abc import Iterator

from zubrel.authored.document import Document
from zubrel.authored.nodes import Mapping, Scalar
from zubrel.authored.nodes import Sequence as List
from zubrel.authored.readers import read_amount
from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span
from zubrel.checked.world import Rule, World
from zubrel.mended.edits import Edit, NodePlace, Page, places
from zubrel.mended.files import Files

_IN_QUOTES = re.compile(r"[\[\]{},#&*!|>'\"%@`]|: |^[-?]")


class Bodies:
    """Nodes of the files by what they say of a world; edits are None where none fits."""

    def __init__(self, world: World, document: Document, files: Files) -> None:
        self.world = world
        self.files = files
        # tables are no texts that an edit could be made in: places in them are left out
        self.pages = {path: Page(path, text) for path, text in files.texts.items()}
        self.main = self.pages[files.main]
        self.root = document.roots[0]
        every = (place for root in document.roots for place in places(root))
        self.places = [p for p in every if p.node.span.source.path in self.pages]
        self.rules = {rule.id: rule for rule in world.rules}
        # a section may stand in several files: of values under the same keys the first counts
        self.by_path = {p.path: p for p in reversed(self.places)}
        # by the place above and the key: paths alone are not unique over several files
        self.below = {(id(p.above), p.path[-1]): p for p in self.places}
        self.by_begin: dict[tuple[str, int, int], NodePlace] = {}
        for place in self.places:
            span = place.span
            self.by_begin.setdefault((span.source.path, span.line, span.column), place)

    def page(self, span: Span) -> Page:
        """The file that a span of a place stands in."""
        return self.pages[span.source.path]

    def at(self, *path: str) -> NodePlace | None:
        """The value under these keys, in whichever file it stands."""
        return self.by_path.get(path)

    def under(self, place: NodePlace, *path: str) -> NodePlace | None:
        """A value that stands in that of a place."""
        inside: NodePlace | None = place
        for key in path:
            inside = self.below.get((id(inside), key))
        return inside

    def standing_at(self, span: Span | None) -> NodePlace | None:
        """The value, or the key and its value, that begins at a span."""
        if span is None:
            return None
        return self.by_begin.get((span.source.path, span.line, span.column))

    def of(self, rule: Rule | None) -> NodePlace | None:
        """What a rule was made of."""
        return None if rule is None else self.standing_at(rule.span)

    def body(self, rule: Rule | None) -> Mapping | None:
        """The mapping that a rule was made of, where it is one."""
        place = self.of(rule)
        return place.node if place is not None and isinstance(place.node, Mapping) else None

    def with_key(self, body: Mapping, key: str, value: str) -> Edit | None:
        """A new key of a mapping."""
        return self.page(body.span).with_key(body, key, value)

    def without(self, place: NodePlace | None) -> Edit | None:
        """The value of a place and its key are gone."""
        return None if place is None else self.page(place.span).without(place)

    def needing(self, rule: Rule, condition: str) -> Edit | None:
        """A rule asks for a condition, besides what it asks for already."""
        place = self.of(rule)
        # rules that the language makes have no body of their own to write a need into
        if place is None or (rule.kind.made and rule.kind != "accept") or rule.kind == "sell":
            return None
        page, words = self.page(place.span), in_list(condition)
        if isinstance(place.node, Scalar):
            # what is written as one value has to become a mapping before it can ask for something
            short = self._spelled_out(rule, place.node)
            if short is None:
                return None
            return page.replaced(place.node.span, f"{{{short}, needs: {words}}}")
        if not isinstance(place.node, Mapping):
            return None
        # a need that is there keeps its form: another entry of its list, or a list of both
        known = place.node.get("needs")
        if known is None:
            return page.with_key(place.node, "needs", words)
        # a list gets another entry at its end; a single condition becomes a list with both
        if isinstance(known, List):
            return page.with_item(known, words, last=True)
        written = page.written(known)
        if written is None or not isinstance(known, Scalar):
            return None
        # what stood in quotes keeps them
        old = in_list(written) if known.plain else written
        return page.replaced(known.span, f"[{old}, {words}]")

    def _spelled_out(self, rule: Rule, node: Scalar) -> str | None:
        """The keys of a mapping that says the same as a single value."""
        # the shorthand of each kind, and the key that it stands for
        match rule.kind:
            case "way":
                return f"to: {node.text}"
            case "buy":
                return f"price: {node.text}"
            case "find":
                amount = read_amount(node, Problems())
                # what cannot be read as an amount is not rewritten
                if amount is None or amount.count is None:
                    return None
                count = f", count: {amount.count}" if amount.count > 1 else ""
                return f"item: {amount.name.text}{count}"
        return None

    def conditions(self, place: NodePlace, key: str = "needs") -> Iterator[tuple[str, Edit]]:
        """Each condition that a mapping asks for, and the edit without it."""
        known = self.under(place, key)
        if known is None:
            return
        page = self.page(known.span)
        # an entry of a list can be left out by itself
        if isinstance(known.node, List):
            for number, item in enumerate(known.node.items):
                entry = self.under(known, str(number))
                edit = entry and page.without(entry)
                if edit and isinstance(item, Scalar):
                    yield item.text, edit
        elif isinstance(known.node, Scalar):
            # of one text joined by “and”, each part is a condition of its own
            parts = joined_parts(known.node.text)
            if len(parts) == 1:
                # the only condition goes with its key
                edit = page.without(known)
                if edit:
                    yield parts[0], edit
                return
            for part in parts:
                # the others stay as they are written
                left = " and ".join(p for p in parts if p is not part)
                yield part, page.replaced(known.node.span, scalar(left))


def joined_parts(condition: str) -> list[str]:
    """The conditions that an `and` joins, where that can be told without brackets."""
    if "(" in condition or " or " in condition or " of " in condition:
        return [condition]
    return [part.strip() for part in condition.split(" and ")]


def scalar(text: str) -> str:
    """A text as a value of YAML, in quotes where it needs them."""
    if _IN_QUOTES.search(text):
        return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'
    return text


def in_list(text: str) -> str:
    """The same, where it stands between commas: the signs of comparisons do no harm there."""
    return text if re.fullmatch(r"[a-z0-9_ ]+([<>=!]+ -?[0-9a-z_]+)?", text) else scalar(text)
