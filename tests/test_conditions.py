"""Taking out a condition of soundness is noticed.

Each stands where the table says, which fails when one is taken out. That worlds come out right with
all of them is tried of an eighth of the worlds; that they come out wrong without one is tried of
some conditions, and of all in `make test-all`.
"""

import os
import unittest

from tests.conditions import CONDITIONS, ROOT, shown_by, worlds_of
from tests.seeds import sampled

EVERY = int(os.environ.get("ZUBREL_CONDITIONS", "30"))
"""Of how many conditions one is taken out."""


class Conditions(unittest.TestCase):
    def test_without_a_condition_a_world_comes_out_wrong(self):
        shown = {name: worlds for name in CONDITIONS if (worlds := worlds_of(name))}
        self.assertEqual(len(shown), len(CONDITIONS))
        for name, worlds in list(shown.items())[::EVERY]:
            with self.subTest(name):
                self.assertEqual(shown_by(name, worlds), [worlds[0]])

    def test_those_worlds_come_out_right_with_all_conditions(self):
        worlds = sorted({world for name in CONDITIONS for world in worlds_of(name)})
        worlds = [worlds[number] for number in sampled(len(worlds), of=8)]
        self.assertEqual(shown_by(None, worlds), [])

    def test_every_condition_is_where_the_table_says(self):
        for name, c in CONDITIONS.items():
            text = (ROOT / "src" / "zubrel" / c.file).read_text(encoding="utf-8")
            self.assertEqual(text.count(c.text), 1, name)


if __name__ == "__main__":
    unittest.main()
