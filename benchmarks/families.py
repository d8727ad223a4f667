"""Worlds of any size, each from a few numbers: what engines are measured on."""

from __future__ import annotations

import random
from collections.abc import Callable

from benchmarks.worlds import ring


def chain(length: int) -> str:
    """`length` keys and doors, each key behind the door before."""
    lines = ["zubrel: 1", f"title: Chain of {length}", "start: {at: a0}", "items:"]
    lines += [f"  key{n}: Key {n}" for n in range(length)]
    lines.append("areas:")
    for n in range(length):
        lines.append(f"  a{n}: {{finds: [key{n}], ways: [{{to: a{n + 1}, lock: door{n}}}]}}")
    lines += [f"  a{length}: {{}}", "locks:"]
    lines += [f"  door{n}: {{needs: key{n}}}" for n in range(length)]
    return _ended(lines, f"at a{length}")


def keys(count: int) -> str:
    """`count` interchangeable keys and doors in a tree, one short of all: a wrong order strands."""
    lines = [
        "zubrel: 1",
        f"title: {count} keys",
        f"start: {{at: a0, holding: {count // 2} key}}",
        "items: {key: Key}",
        "areas:",
    ]
    ways: dict[int, list[str]] = {n: [] for n in range(count + 1)}
    for n in range(1, count + 1):
        ways[(n - 1) // 2].append(f"{{to: a{n}, lock: door{n}}}")
    for n in range(count + 1):
        finds = "finds: [key], " if n % 2 else ""
        lines.append(f"  a{n}: {{{finds}ways: [{', '.join(ways[n])}]}}")
    lines.append("locks:")
    lines += [f"  door{n}: {{takes: key}}" for n in range(1, count + 1)]
    return _ended(lines, f"at a{count}")


def market(most: int) -> str:
    """Coins up to `most`, a shop that sells two wares, a recipe that makes a third of them."""
    return "\n".join(
        [
            "zubrel: 1",
            f"title: Market of {most}",
            "start: {at: quay}",
            f"items: {{coin: {{kind: money, max: {most}}}, salt: {{max: {most}}}, "
            f"flour: {{max: {most}}}, bread: {{max: {most}}}}}",
            "areas:",
            "  quay: {ways: [stall, oven], deeds: {work: {gives: 2 coin}}}",
            "  stall: {}",
            "  oven: {}",
            "shops: {mill: {at: stall, sells: {salt: 1, flour: 2}, buys: {bread: 3}}}",
            "recipes: {bake: {at: oven, takes: [salt, 2 flour], gives: bread}}",
            f"endings: {{fed: {{when: {most} bread}}}}",
            "",
        ]
    )


def quests(count: int) -> str:
    """`count` quests of five steps side by side, each in turn in the same five areas."""
    lines = ["zubrel: 1", f"title: {count} quests", "start: {at: a0}", "areas:"]
    lines += [f"  a{n}: {{ways: [a{(n + 1) % 6}]}}" for n in range(6)]
    lines += ["people: {warden: {at: a0}}", "quests:"]
    for n in range(count):
        goals = ", ".join(f"{{visit: a{1 + (n + step) % 5}}}" for step in range(5))
        lines.append(f"  q{n}: {{from: warden, order: in_turn, hand_in: warden, goals: [{goals}]}}")
    every = " and ".join(f"q{n} is done" for n in range(count))
    return _ended(lines, every)


SIZES = {
    "s": (20, 15, 10, 3),
    "m": (60, 50, 25, 10),
    "l": (120, 120, 60, 25),
    "xl": (400, 400, 150, 60),
}


def realm(size: str, seed: int, one_way: bool = True) -> str:
    """A role-playing game: `SIZES` tell how many areas, finds, locks and quests, in chapters.

    Chapters of about 20 areas hang together by a gate; keys lie in earlier parts than their
    locks; `one_way` lets some ways lead only on. Every quest wants one of the things found.
    """
    areas, finds, locks, tasks = SIZES[size]
    r = random.Random(f"{size} {seed} {one_way}")
    chapter = [min(n // 20, areas // 20 - 1) for n in range(areas)]
    first = {c: chapter.index(c) for c in set(chapter)}
    # the area behind each door: first of every later chapter, then others by chance
    gates = [first[c] for c in sorted(first)[1:]]
    others = [n for n in range(1, areas) if n not in gates]
    behind = gates + sorted(r.sample(others, locks - len(gates)))
    door_of = {area: door for door, area in enumerate(behind)}
    ways: dict[int, list[str]] = {n: [] for n in range(areas)}
    for n in range(1, areas):
        low, high = first[chapter[n]], n
        if n in gates:
            low, high = first[chapter[n] - 1], n
        way = f"to: a{n}"
        if n in door_of:
            way += f", lock: door{door_of[n]}"
        if n in gates and one_way and r.random() < 0.5:
            way += ", one_way: true"
        ways[r.randrange(low, high)].append(f"{{{way}}}")
    if one_way:
        for _ in range(areas // 10):
            a, b = r.randrange(areas), r.randrange(areas)
            if chapter[a] == chapter[b] and a != b:
                ways[a].append(f"{{to: a{b}, one_way: true, id: slide{a}_{b}_{len(ways[a])}}}")
    places: dict[int, list[str]] = {n: [] for n in range(areas)}
    for n in range(finds):
        low, high = 0, areas
        if n < locks:  # the key of a door, in its own chapter or the one before
            high = behind[n]
            low = max(0, first[chapter[high - 1]])
        places[r.randrange(low, high)].append(f"thing{n}")
    lines = ["zubrel: 1", f"title: Realm {size} {seed}", "start: {at: a0}", "items:"]
    lines += [f"  thing{n}: Thing {n}" for n in range(finds)]
    lines.append("areas:")
    for n in range(areas):
        lines.append(f"  a{n}: {{finds: [{', '.join(places[n])}], ways: [{', '.join(ways[n])}]}}")
    lines.append("locks:")
    for n in range(locks):
        lines.append(f"  door{n}: {{{r.choice(['takes', 'needs'])}: thing{n}}}")
    lines += ["people:"] + [f"  npc{n}: {{at: a{r.randrange(areas)}}}" for n in range(tasks)]
    lines.append("quests:")
    for n in range(tasks):
        wanted = r.randrange(locks, finds)
        goals = f"goals: [{{collect: thing{wanted}}}]"
        lines.append(f"  task{n}: {{from: npc{n}, hand_in: npc{n}, {goals}}}")
    return _ended(lines, f"at a{areas - 1}")


def _ended(lines: list[str], when: str) -> str:
    return "\n".join([*lines, f"endings: {{won: {{when: {when}}}}}", ""])


def ring_text(areas: int, finds: int) -> str:
    return ring(areas, finds)[0]


FAMILIES: dict[str, Callable[[], str]] = {
    "ring 40x60": lambda: ring_text(40, 60),
    "chain 100": lambda: chain(100),
    "chain 500": lambda: chain(500),
    "keys 12": lambda: keys(12),
    "market 20": lambda: market(20),
    "quests 4": lambda: quests(4),
    "quests 8": lambda: quests(8),
    "realm s": lambda: realm("s", 1),
    "open s": lambda: realm("s", 1, False),
    "realm m": lambda: realm("m", 1),
    "open m": lambda: realm("m", 1, False),
}
