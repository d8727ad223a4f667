"""What runs along links: closures of numbered situations, islands, regions, walks of lenses."""

import unittest

import networkx
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.seeds import examples
from zubrel.base.budget import Budget, Limits
from zubrel.compiled.regions import regions_of
from zubrel.explored.listed.links import Links
from zubrel.explored.listed.numbering import NumberTable, Rows
from zubrel.explored.symbolic.ordering import _force

MANY = settings(max_examples=examples(120), deadline=None, derandomize=True)
NODES = 12
pairs = st.tuples(st.integers(0, NODES - 1), st.integers(0, NODES - 1))
edges = st.lists(pairs, max_size=30)


def links_of(edges, bounds=(0, NODES)):
    """Links from each number to those that edges lead to."""
    sources = np.array(sorted(edges), np.uint32).reshape(-1, 2)
    starts = np.zeros(NODES + 1, np.int64)
    np.cumsum(np.bincount(sources[:, 0], minlength=NODES), out=starts[1:])
    ends = sources[:, 1].copy()
    steps = np.zeros(len(ends), np.uint16)
    return Links(starts, ends, steps, bounds, Budget(Limits()))


class Closures(unittest.TestCase):
    @MANY
    @given(edges, st.sets(st.integers(0, NODES - 1)), st.booleans(), st.integers(0, NODES))
    def test_bits_come_from_everything_that_links_lead_to(self, edges, seeds, from_last, cut):
        graph = networkx.DiGraph(edges)
        graph.add_nodes_from(range(NODES))
        bits = np.zeros(NODES, np.uint8)
        bits[list(seeds)] = 1
        links_of(edges, sorted({0, cut, NODES})).close(bits, from_last)
        expected = set(seeds)
        for seed in seeds:
            expected |= networkx.ancestors(graph, seed)
        self.assertEqual(set(np.flatnonzero(bits).tolist()), expected)

    @MANY
    @given(edges, st.sets(st.integers(0, NODES - 1)), st.sets(st.integers(0, NODES - 1)))
    def test_nothing_comes_into_what_is_closed(self, edges, seeds, closed):
        bits = np.zeros(NODES, np.uint8)
        bits[list(seeds)] = 1
        allowed = np.ones(NODES, np.uint8)
        allowed[list(closed)] = 0
        links_of(edges).close(bits, False, allowed)
        open_ones = set(range(NODES)) - (closed - seeds)
        graph = networkx.DiGraph(e for e in edges if e[0] not in closed)
        graph.add_nodes_from(range(NODES))
        expected = set(seeds)
        for seed in seeds:
            expected |= networkx.ancestors(graph, seed)
        self.assertEqual(set(np.flatnonzero(bits).tolist()), expected)
        self.assertLessEqual(expected, open_ones)

    @MANY
    @given(edges, st.data())
    def test_links_that_are_shut_lead_nowhere(self, edges, data):
        edges = sorted(edges)
        shut = [data.draw(st.booleans()) for _ in edges]
        bits = np.zeros(NODES, np.uint8)
        bits[0] = 1
        links_of(edges).close(bits, True, None, ~np.array(shut, np.bool_))
        graph = networkx.DiGraph(e for e, s in zip(edges, shut, strict=True) if not s)
        graph.add_nodes_from(range(NODES))
        expected = {0} | networkx.ancestors(graph, 0)
        self.assertEqual(set(np.flatnonzero(bits).tolist()), expected)


class Regions(unittest.TestCase):
    @MANY
    @given(edges)
    def test_areas_are_in_one_region_exactly_if_ways_lead_to_and_fro(self, edges):
        region = regions_of(range(NODES), edges)
        graph = networkx.DiGraph(edges)
        graph.add_nodes_from(range(NODES))
        for a in range(NODES):
            after = networkx.descendants(graph, a)
            for b in range(NODES):
                joined = a == b or (b in after and a in networkx.descendants(graph, b))
                self.assertEqual(region[a] == region[b], joined)
        # whatever can be entered from a region comes later
        self.assertTrue(all(region[a] <= region[b] for a, b in edges))
        self.assertEqual(set(region.values()), set(range(max(region.values()) + 1)))


class Numbers(unittest.TestCase):
    @MANY
    @given(st.lists(st.lists(st.integers(0, 40), max_size=20), max_size=6))
    def test_each_row_gets_one_number_and_keeps_it(self, waves):
        rows = Rows(2)
        table, known = NumberTable(rows), {}
        for wave in filter(None, waves):
            words = [np.array(wave, np.uint64), np.array([w % 3 for w in wave], np.uint64)]
            for word, number in zip(wave, table.numbers_of(words), strict=True):
                self.assertEqual(known.setdefault(word, int(number)), int(number))
        self.assertEqual(sorted(known.values()), list(range(len(rows))))
        for word, number in known.items():
            self.assertEqual(rows.row(number), [word, word % 3])


class Orders(unittest.TestCase):
    @MANY
    @given(st.lists(st.frozensets(st.integers(0, 7), min_size=2, max_size=3), max_size=8))
    def test_moving_variables_together_never_widens_what_rules_span(self, rules):
        variables = list(range(8))
        order = _force(variables, rules, {v: float(v) for v in variables})
        self.assertEqual(sorted(order), variables)

        def cost(order):
            at = {v: n for n, v in enumerate(order)}
            spans = (max(at[v] for v in e) - min(at[v] for v in e) for e in set(rules))
            weights = (1 / (len(e) - 1) ** 2 for e in set(rules))
            return sum(w * s for w, s in zip(weights, spans, strict=True))

        self.assertLessEqual(cost(order), cost(variables) + 1e-9)


if __name__ == "__main__":
    unittest.main()
