"""The script that one would write instead: tuples, a set, a deque, rules indexed by area."""

from __future__ import annotations

from collections import deque

from benchmarks.worlds import Plain


def count(world: Plain) -> int:
    """How many situations can be reached."""
    seen = {world.start}
    queue = deque([world.start])
    while queue:
        situation = queue.popleft()
        for guard, update in world.rules.get(situation[0], ()):
            if all(situation[index] == value for index, value in guard):
                changed = list(situation)
                for index, value in update:
                    changed[index] = value
                after = tuple(changed)
                if after not in seen:
                    seen.add(after)
                    queue.append(after)
    return len(seen)
