"""Runs `limit.c`, compiled for this measurement alone, on plain worlds of one-bit variables."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from pathlib import Path

from benchmarks.worlds import Plain

AREA_BITS = 10


def packed(world: Plain) -> str:
    """The rules of a world as masks: the area in the lowest bits, then one bit a variable."""
    area = (1 << AREA_BITS) - 1
    lines = [f"{_word(world.start)} {sum(len(rules) for rules in world.rules.values())}"]
    for here, rules in world.rules.items():
        for guard, update in rules:
            mask, value, clear, new = area, here, 0, 0
            for index, number in guard:
                mask, value = mask | _mask(index), value | _put(index, number)
            for index, number in update:
                clear, new = clear | _mask(index), new | _put(index, number)
            lines.append(f"{mask} {value} {clear} {new}")
    return "\n".join(lines) + "\n"


def _mask(index: int) -> int:
    return (1 << AREA_BITS) - 1 if index == 0 else 1 << (AREA_BITS + index - 1)


def _put(index: int, number: int) -> int:
    return number if index == 0 else number << (AREA_BITS + index - 1)


def _word(values: tuple[int, ...]) -> int:
    return sum(_put(index, number) for index, number in enumerate(values))


def limit(world: Plain) -> tuple[int, float] | None:
    """Situations and CPU seconds, or None where there is no compiler."""
    compiler = shutil.which("cc") or shutil.which("gcc")
    if compiler is None:
        return None
    with tempfile.TemporaryDirectory() as folder:
        program = Path(folder) / "limit"
        source = Path(__file__).with_name("limit.c")
        subprocess.run([compiler, "-O2", "-o", str(program), str(source)], check=True)
        done = subprocess.run(
            [str(program)], input=packed(world), capture_output=True, text=True, check=True
        )
    count, seconds = done.stdout.split()
    return int(count), float(seconds)
