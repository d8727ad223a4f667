"""Which rooms a search of many leaves next: the cheapest, new ones, and some that are drawn."""

import unittest
from collections import Counter

import numpy as np

from zubrel.api import loads
from zubrel.certain.frontier import BATCH, EXACT, Frontier, _rounded
from zubrel.compiled.compile import compile_world
from zubrel.compiled.parts import ENDING
from zubrel.explored.packed.novelty import NEW_PAIR, NEW_VALUE

QUAYS = """
zubrel: 1
start: {at: quay}
items: {coin: {kind: money, max: 40}, lens: Lens, wick: Wick}
meters: {oil: {to: 9}}
areas: {quay: {finds: [lens, wick, {item: coin, again: always}]}}
deeds:
  fill: {adds: {oil: 1}}
  pour: {adds: {oil: -1}}
  buy: {takes: 2 coin}
  light: {needs: [lens, wick], ends: seen}
endings: {seen: Seen}
"""


class WhichRoomsAreLeft(unittest.TestCase):
    def setUp(self):
        self.system = compile_world(loads(QUAYS))
        variables = self.system.variables
        self.number = {v.key: n for n, v in enumerate(variables)}
        self.before = [v - d.low for v, d in zip(self.system.start, variables, strict=True)]

    def frontier(self, idle=(), seed=0):
        return Frontier(self.system, self.before, idle, seed)

    def columns(self, *changed):
        """Situations that differ from the start by some values, as columns."""
        columns = np.repeat(np.array(self.before)[:, np.newaxis], len(changed), axis=1)
        for place, values in enumerate(changed):
            for key, value in values.items():
                columns[self.number[key], place] = value
        return columns

    def meet(self, frontier, costs, *changed, first=0, far=None):
        nodes = range(first, first + len(costs))
        moves = np.zeros(len(costs), np.int32) if far is None else np.array(far, np.int32)
        frontier.meet(nodes, self.columns(*changed), np.array(costs, float), moves)

    def test_each_is_left_once_and_the_cheapest_among_the_first(self):
        frontier, count = self.frontier(), 3 * BATCH
        self.meet(frontier, [500 - n for n in range(count)], *[{}] * count)
        seen = list[int]()
        while leaving := frontier.leave():
            if not seen:
                # nothing is new in the others: what is not drawn goes by what a win costs
                self.assertEqual(len(leaving), BATCH)
                self.assertGreaterEqual(sum(n >= count - BATCH for n in leaving), BATCH // 2)
            self.assertLessEqual(len(leaving), BATCH)
            seen += leaving
        self.assertEqual(sorted(seen), list(range(count)))

    def test_where_nothing_leads_to_a_win_nothing_is_met(self):
        frontier = self.frontier()
        self.meet(frontier, [5, 6], {}, {}, first=7)
        nothing = np.zeros((len(self.before), 0), np.int64)
        frontier.meet([], nothing, np.zeros(0), np.zeros(0, np.int32))
        self.meet(frontier, [4], {}, first=3)
        self.assertEqual(sorted(frontier.leave()), [3, 7, 8])
        self.assertEqual(frontier.leave(), [])

    def test_each_queue_has_its_share(self):
        frontier = self.frontier()
        queues = {
            "values": frontier.new[NEW_VALUE],
            "pairs": frontier.new[NEW_PAIR],
            "done": frontier.done,
            "cheapest": frontier.cheapest,
        }
        frontier.left = bytearray(10_000)
        frontier.known_kinds.append((1, 1))
        frontier.kinds[1, 1] = list(range(9_000, 9_999))
        for hundred, queue in enumerate(queues.values()):
            # all lists are told apart by their nodes
            queue += [(1, -node) for node in reversed(range(100 * hundred, 100 * hundred + 100))]
        left = Counter(node // 100 for node in frontier.leave())
        shares = [left[hundred] / BATCH for hundred in range(4)]
        drawn = 1 - sum(shares)
        for share, wanted in zip([*shares, drawn], (0.2, 0.1, 0.4, 0.2, 0.1), strict=True):
            self.assertAlmostEqual(share, wanted, delta=1.01 / BATCH)
        # one that is empty leaves its share to the next
        frontier.done.clear()
        left = Counter(node // 100 for node in frontier.leave())
        self.assertAlmostEqual(left[3] / BATCH, 0.6, delta=1.01 / BATCH)

    def test_what_is_new_is_left_before_what_is_cheap(self):
        coin, oil = ("held", "coin"), ("meter", "oil")
        frontier, count = self.frontier(), 20 * BATCH
        # every value and every two at once were had where a win costs as much
        old = [{coin: n % 2, oil: n % 2} for n in range(count)]
        self.meet(frontier, [5] * count, *old)
        for _ in range(4):
            frontier.leave()
        dear = [900, 900, 900]
        self.meet(frontier, dear, {coin: 3}, {coin: 3}, {coin: 3, oil: 3}, first=count)
        leaving = frontier.leave()
        # looked at together they are new together
        self.assertLessEqual({count, count + 1, count + 2}, set(leaving))
        self.meet(frontier, [900], {}, first=count + 3)
        while frontier.leave():
            pass
        # at that cost two at once are new, and no value is
        self.meet(frontier, [900], {coin: 3, oil: 0}, first=count + 4)
        self.meet(frontier, [900], {coin: 0, oil: 3}, first=count + 5)
        self.assertEqual([-node for _, node in frontier.new[NEW_PAIR]], [count + 5])
        self.assertEqual(frontier.new[NEW_VALUE], [])

    def test_where_most_is_done_comes_first_of_what_is_as_new(self):
        lens, wick = ("taken", "quay_lens"), ("taken", "quay_wick")
        frontier = self.frontier()
        for first, changed in enumerate(({lens: 1}, {lens: 1, wick: 1}, {wick: 1}, {})):
            self.meet(frontier, [7], changed, first=first)
        self.assertEqual([-entry[-1] for entry in sorted(frontier.done)], [1, 2, 0, 3])
        # the wick alone is as much as the lens alone, and a value is new all the same
        self.assertEqual(
            [(new, -done) for new, done, *_ in sorted(frontier.done)][:2], [(1, 2), (1, 1)]
        )

    def test_what_is_idle_is_no_news(self):
        oil = ("meter", "oil")
        for idle, new in (((), 1), ((self.number[oil],), 0)):
            frontier = self.frontier(idle)
            self.meet(frontier, [5], {})
            before = len(frontier.done)
            self.meet(frontier, [5], {oil: 4}, first=1)
            self.assertEqual(len(frontier.done) - before, new)
            self.assertNotIn(ENDING, frontier.novelty.counted)

    def test_kinds_are_drawn_alike_however_many_are_of_each(self):
        count = 10 * BATCH
        drawn = Counter()
        for seed in range(40):
            frontier = self.frontier(seed=seed)
            # one costs as much as none of the others
            self.meet(frontier, [9] * (count - 1) + [20], *[{}] * count)
            drawn[frontier._drawn() == count - 1] += 1
        self.assertGreater(drawn[True], 10)
        self.assertGreater(drawn[False], 10)

    def test_large_costs_are_told_apart_by_their_size(self):
        self.assertEqual([_rounded(cost) for cost in (0, 6.5, EXACT - 1)], [0, 6, EXACT - 1])
        self.assertEqual(_rounded(2.0 * EXACT) - _rounded(1.0 * EXACT), 8)
        self.assertLess(_rounded(1e300), 10_000)


if __name__ == "__main__":
    unittest.main()
