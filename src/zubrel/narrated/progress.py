"""What every win includes, and when things can be had, with their names."""

from __future__ import annotations

from zubrel.checked.world import World
from zubrel.findings.shape.progression import MustHave, Progression, Window
from zubrel.narrated.report import Needed, ProgressChain, TimeWindow


def progress_of(world: World, progression: Progression | None) -> ProgressChain | None:
    """The progression in words; None stays None."""
    if progression is None:
        return None

    before: dict[str, list[str]] = {}
    for first, second in progression.order:
        before.setdefault(second, []).append(first)

    def needed(must: MustHave) -> Needed:
        combined = tuple((other, world.name_of(other)) for other in must.merged_with)
        # the order comes in pairs of neighbours
        after = tuple(before.get(must.id, ()))
        return Needed(must.id, must.section, _name(world, must), must.first, combined, after)

    def window(window: Window) -> TimeWindow:
        closed = tuple((r, world.described(world.rule(r)), move) for r, move in window.closed_by)
        return TimeWindow(window.id, window.section, _name(world, window), window.first, closed)

    return ProgressChain(
        tuple(needed(m) for m in progression.must_haves),
        tuple(window(w) for w in progression.windows),
    )


def _name(world: World, thing: MustHave | Window) -> str:
    name = world.name_of(thing.id)
    return f"“{name}”" if thing.section == "find" else name
