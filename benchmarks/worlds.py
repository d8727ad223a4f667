"""Worlds of any size, for the program as text and for the script as plain rules."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass
class Plain:
    """A world as a programmer would write it down for a script of one's own.

    A situation is a tuple: the area, then one number for each name in `start`. `rules` holds for
    each area a list of ([(index, value) that must hold], [(index, new value)]).
    """

    start: tuple[int, ...]
    rules: dict[int, list[tuple[list[tuple[int, int]], list[tuple[int, int]]]]] = field(
        default_factory=dict
    )

    def add(self, area: int, guard: list[tuple[int, int]], update: list[tuple[int, int]]) -> None:
        self.rules.setdefault(area, []).append((guard, update))


def ring(areas: int, finds: int) -> tuple[str, Plain]:
    """`areas` in a ring, `finds` of them lying about: areas · 2^finds situations and one win."""
    lines = ["zubrel: 1", "title: Ring", "start: {at: a0}", "items:"]
    lines += [f"  shell{n}: Shell {n}" for n in range(finds)]
    lines.append("areas:")
    plain = Plain((0,) * (finds + 2))
    ended = finds + 1
    for area in range(areas):
        here = [n for n in range(finds) if n % areas == area]
        lines.append(f"  a{area}:")
        lines.append(f"    ways: [a{(area + 1) % areas}]")
        if here:
            lines.append(f"    finds: [{', '.join(f'shell{n}' for n in here)}]")
        for there in {(area + 1) % areas, (area - 1) % areas}:
            plain.add(area, [(ended, 0)], [(0, there)])
        for n in here:
            plain.add(area, [(ended, 0), (n + 1, 0)], [(n + 1, 1)])
    every = ", ".join(f"shell{n}" for n in range(finds))
    lines.append(f"deeds:\n  finish: {{at: a0, needs: [{every}], ends: home}}")
    lines.append("endings:\n  home: Home")
    plain.add(0, [(ended, 0), *((n + 1, 1) for n in range(finds))], [(ended, 1)])
    return "\n".join(lines) + "\n", plain
