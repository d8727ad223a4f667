"""The edit that each kind of lint suggests by itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from contextlib import suppress

from zubrel.authored.nodes import Mapping, Scalar
from zubrel.authored.nodes import Sequence as List
from zubrel.base.source import Span
from zubrel.checked.world import World
from zubrel.mended.bodies import Bodies, scalar
from zubrel.mended.edits import Edit, NodePlace
from zubrel.mended.renaming import CannotRename, renamed
from zubrel.narrated.report import Told

Suggested = Iterator[tuple[str, tuple[Edit, ...]]]
"""Changes in words, and their edits."""
_COUNTED = ("gain", "defeat", "visit", "talk", "do")
"""Goals that count only while their quest is active, unless they say otherwise."""


def obvious(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """What the kind of a finding suggests."""
    suggest = _BY_KIND.get(finding.kind)
    if suggest is not None:
        yield from suggest(finding, world, bodies)


def _exact_count(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """At least so many, and not just so many."""
    place = _written_around(finding.span, bodies)
    if place is None or finding.span is None:
        return
    page = bodies.page(place.span)
    begin, end = page.begin(finding.span), page.end(place.node)
    # a span tells where a comparison begins, not which of its signs is meant
    known = re.compile(r"[a-z][a-z0-9_]*\s*(==?)\s*\d+").match(page.text, begin, end or begin)
    if known:
        words = f"at least, and not exactly: {known[0]}"
        yield words, (page.edit(known.start(1), known.end(1), ">="),)


def _swallowed(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """There is room for more, or what does not fit is refused."""
    rule = bodies.rules.get(finding.subject)
    for give in rule.gives if rule is not None else ():
        # either more room, or a refusal that the player sees: which is meant the author knows
        item = world.items[give.item]
        bound = bodies.at("items", item.id, "max")
        if bound is not None:
            more = str(item.most + give.count)
            edit = bodies.page(bound.span).replaced(bound.node.span, more)
            yield f"there is room for {more} {item.name}", (edit,)
        refused = bodies.without(bodies.at("items", item.id, "when_full"))
        if refused is not None:
            yield f"where {item.name} does not fit, the move is refused", (refused,)


def _empty_hands(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """What is lost has to be held."""
    place = bodies.standing_at(finding.span)
    body = place.node if place is not None and isinstance(place.node, Mapping) else None
    for key, value in body.entries if body is not None else ():
        plain = isinstance(value, Scalar) and not value.text.startswith("all ")
        if key.text == "loses" and plain and body is not None and body.get("takes") is None:
            edit = bodies.page(key.span).replaced(key.span, "takes")
            yield "it asks for what it takes", (edit,)


def _wasted_use(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """Possible once, where it does something the first time only."""
    place = bodies.standing_at(finding.span)
    if place is not None and isinstance(place.node, Mapping) and place.node.get("once") is None:
        edit = bodies.with_key(place.node, "once", "true")
        if edit is not None:
            yield "it can be done once", (edit,)


def _silent(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """The last text is shown wherever no other is."""
    # texts stand in a list or alone; of a list the last is the one that comes when nothing else
    # does
    texts = _texts_around(finding, bodies)
    if texts is None:
        return
    count = len(texts.node.items) if isinstance(texts.node, List) else 0
    last = bodies.under(texts, str(count - 1)) if count else texts
    edit = last and bodies.without(bodies.under(last, "when"))
    if edit:
        yield "its last text is shown wherever no other applies", (edit,)


def _unheard(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """The text comes before those that hide it, or goes."""
    place = _entry_around(finding.span, bodies)
    if place is None or place.above is None or not isinstance(place.above.node, List):
        return
    page = bodies.page(place.span)
    # to move a text is to take it out and to write it again in front
    gone, written = page.without(place), page.written(place.node)
    if gone is None:
        return
    # a text over several lines cannot be moved by one edit of a line
    if written is not None and "\n" not in written:
        first = page.with_item(place.above.node, written)
        # edits that overlap would spoil each other: the text has to go from behind where it is put
        if first is not None and first.end <= gone.begin:
            yield "the text comes before those that hide it", (first, gone)
    yield "without the text", (gone,)


def _no_turn(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """The talk before one that never has its turn applies only where what it asks for is so."""
    rule = bodies.rules.get(finding.subject)
    before = world.talk_before(rule) if rule is not None else None
    place = bodies.of(before)
    if place is None or before is None or not isinstance(place.node, Mapping):
        return
    needs = bodies.under(place, "needs")
    if needs is not None:
        page, key = bodies.page(place.span), needs.key
        assert key is not None, "what stands under a word has that for its key"
        # what it needs is what it should be offered for; `when` is one condition, and no list
        edits: tuple[Edit, ...] = (page.replaced(key.span, "when"),)
        if isinstance(needs.node, List):
            joined = _joined(needs.node)
            begin, end = page.begin(needs.node.span), page.end(needs.node)
            if joined is None or end is None:
                return
            edits += (page.edit(begin, end, scalar(joined)),)
        yield f"talking comes to {before.id} only where what it needs is so", edits
        return
    if before.takes:
        held = " and ".join(f"{t.count} {t.item}" for t in before.takes)
        added = bodies.with_key(place.node, "when", held)
        if added is not None:
            yield f"talking comes to {before.id} only where what it takes is held", (added,)


def _joined(needs: List) -> str | None:
    """A list of conditions as a single one; None: it holds more than conditions."""
    texts = [item.text for item in needs.items if isinstance(item, Scalar)]
    if len(texts) < len(needs.items):
        return None
    return " and ".join(f"({text})" if " or " in text and texts[1:] else text for text in texts)


def _too_early(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """What is done before the quest counts."""
    yield from early_counts(finding.subject, world, bodies)


def early_counts(quest: str, world: World, bodies: Bodies) -> Suggested:
    """What is done before a quest is accepted counts for its goals."""
    goals = bodies.at("quests", quest, "goals")
    if goals is None:
        return
    # all goals of the quest at once: a player does not know which of them come too early
    edits = []
    for place in bodies.places:
        if place is not goals and place.above is not goals:
            continue
        # a goal alone, or one of several in a list
        node = place.node
        if isinstance(node, Mapping) and any(node.get(kind) for kind in _COUNTED):
            # an author who has said something about it has had a reason
            edit = None if node.get("early") is not None else _at_the_end(node, bodies)
            edits += [edit] if edit is not None else []
    if edits:
        name = world.name_of(quest)
        yield f"what is done before “{name}” counts for it", tuple(edits)


def _at_the_end(goal: Mapping, bodies: Bodies) -> Edit | None:
    """That a goal counts early, behind what it says already."""
    page, last = bodies.page(goal.span), goal.entries[-1][1]
    end = page.end(last)
    if end is not None and page.text[page.begin(goal.span)] == "{":
        return page.edit(end, end, ", early: counts")
    return page.with_key(goal, "early", "counts")


def _constant(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """The condition is left out."""
    place = _written_around(finding.span, bodies)
    if place is None or place.above is None:
        return
    # an entry of a list, which goes as a whole
    if place.key is None:
        edit = bodies.without(place)
        if edit is not None:
            yield "without the condition", (edit,)
        return
    for condition, edit in bodies.conditions(place.above, place.path[-1]):
        yield f"without the condition: {condition}", (edit,)


def _double_way(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """One of the two is left out."""
    edit = bodies.without(bodies.standing_at(finding.span))
    if edit is not None:
        yield "without the way", (edit,)


def _stale_accept(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """Nothing is accepted that is not found."""
    entry = _entry_around(finding.span, bodies)
    of = None if entry is None else bodies.under(entry, "of")
    # of several things that are accepted at once only the one goes that is not found any more
    if of is not None and isinstance(of.node, List) and len(of.node.items) > 1:
        named = (p for p in bodies.places if p.above is of)
        entry = next((p for p in named if _text(p) == finding.subject), None)
    edit = bodies.without(entry)
    if edit is not None:
        yield "without the acceptance", (edit,)


def _text(place: NodePlace) -> str:
    return place.node.text if isinstance(place.node, Scalar) else ""


def _near_ids(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """One of the two has another id, wherever it is spoken of."""
    old = finding.subject
    new = next(i for i in (f"{old}_{n}" for n in range(2, 100)) if not _is_known(i, world))
    # an id that also stands in a table or in a folded condition stays: half a renaming breaks the
    # world
    with suppress(CannotRename):
        yield f"{old} is called {new}", tuple(renamed(bodies.files, {}, old, new))


def _is_known(thing: str, world: World) -> bool:
    return world.name_of(thing) != thing


def _endless(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """The move, or what is found, comes once."""
    rule = bodies.rules.get(finding.evidence[-1].rule) if finding.evidence else None
    place = bodies.of(rule)
    if place is None or rule is None or not isinstance(place.node, Mapping):
        return
    # a find that comes again says so; a deed is repeated unless it says not to
    again = bodies.without(bodies.under(place, "again"))
    if again is not None:
        yield f"“{rule.label}” comes once", (again,)
    elif place.node.get("once") is None:
        edit = bodies.with_key(place.node, "once", "true")
        if edit is not None:
            yield f"“{rule.label}” can be done once", (edit,)


def _bad_deal(finding: Told, world: World, bodies: Bodies) -> Suggested:
    """Nothing is dealt to one of the areas."""
    for place in bodies.places:
        if place.path[:2] == ("start", "deal") and "over" in place.path[2:-1]:
            edit = bodies.without(place)
            if edit is not None:
                yield f"nothing is dealt to {world.name_of(_text(place))}", (edit,)


def _written_around(span: Span | None, bodies: Bodies) -> NodePlace | None:
    """The single value that a span lies in."""
    if span is None:
        return None
    for place in bodies.places:
        own = place.node.span
        # spans of conditions lie inside of the value that they were read from
        same = (own.source.path, own.line) == (span.source.path, span.line)
        around = own.column <= span.column < own.column + own.width
        if isinstance(place.node, Scalar) and same and around:
            return place
    return None


def _entry_around(span: Span | None, bodies: Bodies) -> NodePlace | None:
    """The entry of a list that begins at a span, or in which the value there stands."""
    place = bodies.standing_at(span) or _written_around(span, bodies)
    while place is not None and place.key is not None:
        place = place.above
    return place


def _texts_around(finding: Told, bodies: Bodies) -> NodePlace | None:
    """The texts of the area or the lock that a finding is about."""
    for section, key in (("areas", "says"), ("locks", "refuses")):
        place = bodies.at(section, finding.subject, key)
        if place is not None:
            return place
    return None


_BY_KIND: dict[str, Callable[[Told, World, Bodies], Suggested]] = {
    "exact_count": _exact_count,
    "swallowed": _swallowed,
    "empty_hands": _empty_hands,
    "wasted_use": _wasted_use,
    "silent": _silent,
    "unheard": _unheard,
    "too_early": _too_early,
    "unreachable": _no_turn,
    "constant": _constant,
    "double_way": _double_way,
    "near_ids": _near_ids,
    "stale_accept": _stale_accept,
    "endless": _endless,
    "bad_deal": _bad_deal,
}
