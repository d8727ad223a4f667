"""How a thing is used, in one short line."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.checked.world import World
from zubrel.edited.knowledge import Knowledge
from zubrel.narrated.uses import readers, sinks

KINDS = ("item", "lock", "quest")


def lens_of(world: World, thing: str, kind: str, known: Knowledge | None) -> str:
    """`first at move 12 · asked for by 3 · spent by 2`; nothing of things of other kinds."""
    return " · ".join(_parts(world, thing, kind, known)) if kind in KINDS else ""


def _parts(world: World, thing: str, kind: str, known: Knowledge | None) -> Iterator[str]:
    if known is not None and thing in known.first:
        moves = known.first[thing]
        yield "never" if moves is None else f"first at move {moves}" if moves else "from the start"
    if kind == "lock":
        locked = len({rule.owner for rule in world.rules if rule.lock == thing})
        yield f"locks {locked}"
    asking = sum(1 for _ in readers(world, thing))
    if kind != "lock" or asking:
        yield f"asked for by {asking}"
    if kind == "item":
        yield f"spent by {sum(1 for _ in sinks(world, world.items[thing]))}"
