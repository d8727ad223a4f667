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


def keys(doors: int) -> tuple[str, Plain]:
    """Keys that open any door, doors in a row of rooms: used up in the wrong order, they strand.

    Room 0 holds all keys but those that lie behind doors; every door takes one key.
    """
    lines = ["zubrel: 1", "title: Keys", "start: {at: hall}", "items: {key: Key}", "areas:"]
    lines += ["  hall:", f"    finds: [{', '.join(['key'] * (doors // 2))}]"]
    lines.append(
        f"    ways: [{', '.join(f'{{to: room{n}, lock: door{n}}}' for n in range(doors))}]"
    )
    # situation: area, taken 0..., open 0..., held
    plain = Plain((0,) * (2 + 2 * doors))
    held = 1 + 2 * doors
    for n in range(doors // 2):
        for amount in range(doors + 1):
            plain.add(0, [(1 + n, 0), (held, amount)], [(1 + n, 1), (held, amount + 1)])
    for n in range(doors):
        inside = n % 2 == 0 and n // 2 + doors // 2 < doors
        lines.append(f"  room{n}: {{finds: [{'key' if inside else ''}]}}")
        lock = 1 + doors + n
        for amount in range(1, doors + 1):
            plain.add(0, [(lock, 0), (held, amount)], [(lock, 1), (held, amount - 1)])
        plain.add(0, [(lock, 1)], [(0, n + 1)])
        plain.add(n + 1, [], [(0, 0)])
        if inside:
            find = 1 + n // 2 + doors // 2
            for amount in range(doors + 1):
                plain.add(n + 1, [(find, 0), (held, amount)], [(find, 1), (held, amount + 1)])
    lines.append("locks:")
    lines += [f"  door{n}: {{takes: key, from: hall}}" for n in range(doors)]
    lines.append(f"endings: {{home: {{when: at room{doors - 1}, kind: good}}}}")
    return "\n".join(lines) + "\n", plain


FAMILIES = {"ring": ring, "keys": keys}
