"""One contract for every engine: both answer each question of `Space` as plain sets would."""

import random
import unittest
from collections import deque
from itertools import count
from unittest import mock

from benchmarks.families import chain
from benchmarks.worlds import ring

from tests.random_worlds import random_world
from tests.seeds import sampled
from tests.test_against_reference import narrow, scalar, symbolic, vector, world_of
from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within, opposite
from zubrel.explored.listed import large, large_search
from zubrel.explored.listed.large_search import VectorSearch, explore_vector
from zubrel.explored.listed.numbering import NumberTable, Rows
from zubrel.explored.listed.small_search import explore_scalar
from zubrel.explored.space import EndlessSettling, TooMany, Trace
from zubrel.findings.judged import won_formula

MOST = 10**6


class Plain:
    """The graph of a space as plain sets of frozen situations, read off single steps."""

    def __init__(self, space):
        self.space = space
        self.every = {frozen(s) for s in space.examples(space.everything, MOST)}
        self.edges = set()
        for step in space.system.steps:
            for situation in space.examples(space.possible(step), MOST):
                one = space.of(situation)
                (after,) = space.examples(space.after(step, one), 2)
                self.edges.add((frozen(situation), step.number, frozen(after)))

    def closure(self, seed, backward):
        links = {}
        for a, _, b in self.edges:
            links.setdefault(b if backward else a, set()).add(a if backward else b)
        reached, pending = set(seed), list(seed)
        while pending:
            for other in links.get(pending.pop(), ()):
                if other not in reached:
                    reached.add(other)
                    pending.append(other)
        return reached

    def distances(self, start, avoiding):
        if start in avoiding:
            return {}
        after = {}
        for a, _, b in self.edges:
            after.setdefault(a, set()).add(b)
        found, queue = {start: 0}, deque([start])
        while queue:
            here = queue.popleft()
            for other in after.get(here, set()) - avoiding:
                if other not in found:
                    found[other] = found[here] + 1
                    queue.append(other)
        return found


def frozen(situation):
    return frozenset(situation.items())


def plain(space, some):
    return {frozen(s) for s in space.examples(some, MOST)}


def spaces(seed):
    """A random world's spaces, one for each engine; none when it never rests, or is too large."""
    system = compile_world(world_of(random_world(seed)))
    try:
        small = scalar(system)
    except EndlessSettling:
        return []
    return (
        [small, vector(system), narrow(system), symbolic(system)]
        if len(small.everything) <= 120
        else []
    )


def random_sets(space, r, count):
    """Some sets of situations: where a random variable has a random value, or has not."""
    found = []
    variables = space.system.variables
    for _ in range(count):
        number = r.randrange(len(variables))
        value = r.randint(variables[number].low, variables[number].high)
        formula = Within(number, value, value)
        found.append(space.where(opposite(formula) if r.random() < 0.5 else formula))
    return found


class Parts(unittest.TestCase):
    def test_a_search_goes_on_where_it_has_ended(self):
        ended = 0
        for seed in sampled(24):
            system = compile_world(world_of(random_world(seed)))
            with mock.patch.object(large_search, "CHUNK", 3):  # ends in the midst of levels as well
                search = VectorSearch(system, Budget(Limits()), Silence())
                for most in count(1, 2):
                    try:
                        told = search.run(most)
                        break
                    except TooMany:
                        ended += 1
                whole = explore_vector(system, Budget(Limits()), Silence())
            with self.subTest(seed=seed):
                self.assertEqual(told.level_starts, whole.level_starts)
                self.assertEqual(told.moves, whole.moves)
                numbers = range(len(whole.rows))
                self.assertEqual(len(told.rows), len(numbers))
                self.assertEqual(
                    [told.rows.row(n) for n in numbers], [whole.rows.row(n) for n in numbers]
                )
        self.assertGreater(ended, 20)


class Contract(unittest.TestCase):
    def test_many_sets_meet_as_each_pair_does(self):
        for seed in sampled(12):
            for space in spaces(seed):
                r = random.Random(seed)
                ones, others = random_sets(space, r, 5), random_sets(space, r, 7)
                pairs = [[plain(space, a) & plain(space, b) for b in others] for a in ones]
                with self.subTest(seed=seed, engine=type(space).__name__):
                    self.assertEqual(
                        space.meetings(ones, others), [list(map(bool, row)) for row in pairs]
                    )
                    self.assertEqual(space.meetings(ones, []), [[] for _ in ones])

    def test_sets_combine_as_sets_do(self):
        for seed in sampled(12):
            for space in spaces(seed):
                r = random.Random(seed)
                a, b = random_sets(space, r, 2)
                pa, pb = plain(space, a), plain(space, b)
                with self.subTest(seed=seed, engine=type(space).__name__):
                    self.assertEqual(plain(space, a & b), pa & pb)
                    self.assertEqual(plain(space, a | b), pa | pb)
                    self.assertEqual(plain(space, a - b), pa - pb)
                    self.assertEqual((space.count(a), bool(a)), (len(pa), bool(pa)))

    def test_both_engines_know_the_same_situations_and_steps(self):
        sizes = []
        for seed in sampled(25):
            both = [Plain(space) for space in spaces(seed)]
            if both:
                with self.subTest(seed=seed):
                    self.assertEqual(both[0].every, both[1].every)
                    self.assertEqual(both[0].edges, both[1].edges)
                    self.assertEqual(both[0].space.moves, len(both[0].edges))
                sizes.append(len(both[0].every))
        self.assertGreater(max(sizes), 60)

    def test_what_reaches_and_is_reached_is_the_closure_over_the_steps(self):
        for seed in sampled(15):
            for space in spaces(seed):
                graph, r = Plain(space), random.Random(seed)
                sets = random_sets(space, r, 10)
                with self.subTest(seed=seed, engine=type(space).__name__):
                    for some, back in zip(sets, space.reaching(sets), strict=True):
                        self.assertEqual(
                            plain(space, back), graph.closure(plain(space, some), True)
                        )
                    for some, forth in zip(sets, space.reached_from(sets), strict=True):
                        self.assertEqual(
                            plain(space, forth), graph.closure(plain(space, some), False)
                        )

    def test_steps_raise_and_lower_what_differs_between_their_ends(self):
        seen = 0
        for seed in sampled(25):
            for space in spaces(seed):
                graph, r = Plain(space), random.Random(seed)
                variables = space.system.variables
                number = r.choice([n for n, v in enumerate(variables) if v.size > 1])
                key = variables[number].key

                def value(situation, number=number, key=key, variables=variables):
                    return variables[number].number(dict(situation)[key])

                some, other = random_sets(space, r, 2)
                a, b = plain(space, some), plain(space, other)
                with self.subTest(seed=seed, engine=type(space).__name__):
                    between = {n for x, n, y in graph.edges if x in a and y in b}
                    found = space.steps_between(some, other)
                    self.assertEqual([s.number for s in found], sorted(between))
                    for step in space.system.steps:
                        for up in (True, False):
                            shifted = {
                                x
                                for x, n, y in graph.edges
                                if n == step.number
                                and (value(y) > value(x) if up else value(y) < value(x))
                            }
                            seen += len(shifted)
                            self.assertEqual(plain(space, space.shifted(step, number, up)), shifted)
        self.assertGreater(seen, 50)

    def test_walks_are_shortest_and_keep_out_of_what_they_avoid(self):
        shown = 0
        for seed in sampled(30):
            for space in spaces(seed):
                graph, r = Plain(space), random.Random(seed)
                (start,) = space.examples(space.at_end_of(Trace(())), 2)
                target, *avoided = random_sets(space, r, 4)
                reached = space.reached_without(avoided)
                for some, without in zip(avoided, reached, strict=True):
                    lengths = graph.distances(frozen(start), plain(space, some))
                    walks = space.walks(some)
                    trace = walks.shortest(target)
                    expected = [n for s, n in lengths.items() if s in plain(space, target)]
                    with self.subTest(seed=seed, engine=type(space).__name__):
                        self.assertEqual(plain(space, walks.reached), set(lengths))
                        self.assertEqual(plain(space, without), set(lengths))
                        self.assertEqual(trace and len(trace.steps), min(expected, default=None))
                        found = walks.moves_to(target)
                        self.assertEqual(found and found.steps, min(expected, default=None))
                    if trace and trace.steps:
                        shown += 1
                        self.assertTrue(space.at_end_of(trace) & target)
        self.assertGreater(shown, 10)

    def test_many_sets_together_are_what_each_is_alone(self):
        spread = 0
        for seed in sampled(8):
            space, r = vector(compile_world(world_of(random_world(seed)))), random.Random(seed)
            # more than fit a word, and more than a row of words holds
            sets = random_sets(space, r, 64 * large.WIDE + 70)
            few = random.Random(seed).sample(range(len(sets)), 12)
            for closed in (space.reaching, space.reached_from, space.reached_without):
                together = closed(sets)
                for number in few:
                    (alone,) = closed([sets[number]])
                    spread += alone.truths.tolist() != sets[number].truths.tolist()
                    with self.subTest(seed=seed, closed=closed.__name__, number=number):
                        self.assertEqual(together[number].truths.tolist(), alone.truths.tolist())
        self.assertGreater(spread, 15)

    def test_before_and_after_are_one_step(self):
        for seed in sampled(12):
            for space in spaces(seed):
                graph, r = Plain(space), random.Random(seed)
                (some,) = random_sets(space, r, 1)
                inside = plain(space, some)
                for step in space.system.steps:
                    edges = [(a, b) for a, n, b in graph.edges if n == step.number]
                    with self.subTest(seed=seed, step=step.rule.id):
                        before = {a for a, b in edges if b in inside}
                        after = {b for a, b in edges if a in inside}
                        self.assertEqual(plain(space, space.before(step, some)), before)
                        self.assertEqual(plain(space, space.after(step, some)), after)

    def test_distances_count_the_steps_to_the_nearest_win(self):
        for seed in sampled(15):
            answers = []
            for space in spaces(seed):
                distance = space.distances_to(space.where(won_formula(space.system)))
                everyone = space.examples(space.everything, MOST)
                answers.append({frozen(s): distance(space.of(s)) for s in everyone})
            if answers:
                with self.subTest(seed=seed):
                    self.assertEqual(answers[0], answers[1])


class Numbering(unittest.TestCase):
    def test_every_row_gets_one_number_and_the_same_one_again(self):
        import numpy

        r = random.Random(5)
        for words in (1, 2, 3):
            rows = Rows(words)
            table = NumberTable(rows)
            known = {}
            for _ in range(6):
                batch = [
                    tuple(r.choice([0, 1, 2**63, r.getrandbits(18)]) for _ in range(words))
                    for _ in range(9000)
                ]
                columns = [numpy.array([b[n] for b in batch], numpy.uint64) for n in range(words)]
                for row, number in zip(batch, table.numbers_of(columns).tolist(), strict=True):
                    self.assertEqual(known.setdefault(row, number), number)
            with self.subTest(words=words):
                self.assertEqual(len(rows), len(known))
                self.assertEqual(sorted(known.values()), list(range(len(known))))
                self.assertTrue(all(tuple(rows.row(n)) == row for row, n in known.items()))


class NarrowWorlds(unittest.TestCase):
    """A chain of keys and doors: few situations in one area at one distance."""

    def test_plain_integers_go_on_in_a_narrow_world_and_give_up_in_a_wide_one(self):
        chain_system = compiled(chain(40))
        small = explore_scalar(chain_system, Budget(Limits()), Silence(), 100, 5_000)
        self.assertEqual(len(small.words), 41 * 41)
        wide = compiled(ring(8, 8)[0])
        with self.assertRaises(TooMany):
            explore_scalar(wide, Budget(Limits()), Silence(), 500, 5_000)
        with self.assertRaises(TooMany):  # and nowhere beyond what is allowed
            explore_scalar(chain_system, Budget(Limits()), Silence(), 100, 1_000)

    def test_widened_they_are_what_the_large_engine_finds(self):
        system = compiled(chain(12))
        mine, other = narrow(system), vector(system)
        self.assertEqual(sorted(mine.levels.tolist()), sorted(other.levels.tolist()))
        self.assertEqual(mine.moves, other.moves)
        rows = [sorted(tuple(s.rows.row(n)) for n in range(len(s.rows))) for s in (mine, other)]
        self.assertEqual(*rows)
        won = won_formula(system)
        for space in (mine, other):
            self.assertEqual(len(space.walks().shortest(space.where(won)).steps), 36)


def compiled(text):
    return compile_world(check(document_of(Source.of("chain.yaml", text), text)))


if __name__ == "__main__":
    unittest.main()
