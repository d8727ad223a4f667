"""What pictures show, with its names: areas and passages, choices, how situations grow."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from zubrel.base.kinds import DOOMING
from zubrel.checked.conditions import ALWAYS
from zubrel.checked.world import Rule, World
from zubrel.findings.shape.outline import Outline, moves
from zubrel.narrated.doing import asked_by
from zubrel.narrated.report import Told
from zubrel.narrated.sketch import (
    Alternatives,
    Atlas,
    Chapter,
    Passage,
    Side,
    Sketch,
    SketchedArea,
    SketchedThing,
)
from zubrel.narrated.words import listed, phrase

GIVING = ("deed", "talk", "recipe", "foe")


def sketch(world: World, outline: Outline | None, findings: Sequence[Told]) -> Sketch | None:
    """The outline in words; None stays None."""
    if outline is None:
        return None
    choices = tuple(
        Alternatives(
            tuple(Side(tuple((i, _named(world, i)) for i in side)) for side in choice.sides),
            choice.first,
            choice.after,
            choice.before,
            choice.count,
        )
        for choice in outline.choices
    )
    return Sketch(_atlas(world, outline, findings), choices, outline.growth)


def _named(world: World, thing: str) -> str:
    """The name of a thing; of a find what lies there, and where."""
    for rule in world.rules:
        if rule.kind == "find" and rule.owner == thing and rule.areas:
            return f"{world.name_of(rule.gives[0].item)}, {world.name_of(rule.areas[0])}"
    return world.name_of(thing)


def _atlas(world: World, outline: Outline, findings: Sequence[Told]) -> Atlas:
    reached = [b for b in outline.areas if b.first is not None]
    # behind fewer gates first: chapters come in the order in which they open
    reached.sort(key=lambda b: (len(b.gates), b.first))
    # areas behind the same gates are one chapter
    gates = list(dict.fromkeys(frozenset(b.gates) for b in reached))
    chapters = []
    for known in gates:
        first = next(b for b in reached if frozenset(b.gates) == known)
        chapters.append(
            Chapter(
                listed([phrase(world, g) for g in first.last]),
                min(b.first for b in reached if b.first and frozenset(b.gates) == known),
            )
        )
    chapter_of = {b.area: gates.index(frozenset(b.gates)) for b in reached}
    missed = {f.subject for f in findings if f.kind == "missable"}
    # by the area in which the move is made that dooms
    trouble: dict[str, list[str]] = {}
    for finding in findings:
        if finding.kind in DOOMING and finding.evidence and not finding.accepted:
            trouble.setdefault(finding.evidence[-1].area, []).append(finding.evidence[-1].label)
    places = tuple(
        SketchedArea(
            area.id,
            area.name,
            chapter_of.get(area.id),
            tuple(_things(world, area.id, missed)),
            tuple(trouble.get(area.name, ())),
        )
        for area in world.areas.values()
    )
    return Atlas(world.start_area, places, tuple(_passages(world)), tuple(chapters))


def _things(world: World, area: str, missed: set[str]) -> Iterator[SketchedThing]:
    here = [r for r in world.rules if r.areas is not None and area in r.areas]
    # finds first, then what moves give, then people, shops and foes: as a player looks around
    for find in dict.fromkeys(r.owner for r in here if r.kind == "find"):
        gives = [g.item for r in here if r.owner == find for g in r.gives]
        name = world.name_of(gives[0]) if gives else world.name_of(find)
        yield SketchedThing(
            "find", gives[0] if gives else find, name, find in missed or bool(missed & set(gives))
        )
    yield from dict.fromkeys(_given(world, here, missed))
    for person in world.people.values():
        if any(area == place for place, _ in person.places):
            yield SketchedThing("person", person.id, person.name, False)
    for kind, section in (("shop", world.shops), ("foe", world.foes)):
        for thing in section.values():
            if any(r.owner == thing.id for r in here):
                yield SketchedThing(kind, thing.id, thing.name, thing.id in missed)


def _given(world: World, here: Sequence[Rule], missed: set[str]) -> Iterator[SketchedThing]:
    """What deeds and talks of an area, and making and beating there, give."""
    for rule in here:
        if rule.kind in GIVING:
            for item in dict.fromkeys(g.item for g in rule.gives):
                once = set(rule.once) & missed
                yield SketchedThing("gift", item, world.name_of(item), bool(once) or item in missed)


def _passages(world: World) -> Iterator[Passage]:
    """Each way once; both directions as one where both ask the same."""
    # by both ends what the ways between them ask: the same gate is drawn once
    asks: dict[tuple[str, str], dict[str | None, None]] = {}
    for rule in world.rules:
        if rule.areas is not None and moves(rule):
            for outcome in rule.outcomes:
                for start in rule.areas:
                    end = outcome.destination
                    if end is not None and end != start:
                        asks.setdefault((start, end), {})[_gate(world, rule, end)] = None
    for (start, end), gates in asks.items():
        back = asks.get((end, start), {})
        for gate in gates:
            # both directions are one line, drawn from the end that came first
            both = gate in back
            if not both or list(asks).index((start, end)) < list(asks).index((end, start)):
                yield Passage(start, end, not both, gate)


def _gate(world: World, rule: Rule, end: str) -> str | None:
    """What a way asks: its lock with what opens it, its needs, what it takes, its area's needs."""
    words = []
    if rule.lock:
        opened = asked_by(
            world, [r for r in world.rules if r.owner == rule.lock and r.kind == "lock"]
        )
        words.append(world.name_of(rule.lock) + (f" ({opened})" if opened else ""))
    if asked := asked_by(world, [rule]):
        words.append(asked)
    if world.areas[end].needs != ALWAYS:
        words.append(phrase(world, world.areas[end].needs))
    if rule.kind != "way":
        return ": ".join(w for w in (rule.label, ", ".join(words)) if w)
    return ", ".join(words) or None
