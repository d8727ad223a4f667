"""Questions about worlds of which nobody can list the situations: plays and proofs for them."""

import random
import unittest
from contextlib import contextmanager
from itertools import pairwise
from unittest import mock

import yaml

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.said_worlds import said_world
from tests.seeds import least, sampled
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel import pipeline, reached, routes, whys
from zubrel.base.budget import Budget, Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.progress import Silence
from zubrel.checked.keys import PLACE, UNDEALT
from zubrel.compiled.asking import asking, asking_to_end
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import FALSE, Within
from zubrel.compiled.parts import ENDING
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling
from zubrel.findings.judged import ending_formula, possible_formula
from zubrel.pipeline import load
from zubrel.played.probe import rules_named
from zubrel.probing import probes_of
from zubrel.reached import Reached

MAKERS = (random_world, said_world, stress_world, trade_world, passage_world)


def systems(seeds):
    """Small systems with all their situations, by name."""
    for seed in seeds:
        for make in MAKERS:
            system = compile_world(world_of(make(seed)))
            try:
                yield (
                    f"{make.__name__} {seed}",
                    system,
                    explore(system, Budget(Limits()), Silence()),
                )
            except EndlessSettling:
                continue


def some_formulas(system, most):
    """Tests of single variables."""
    chosen = random.Random(len(system.variables))
    numbers = [n for n, v in enumerate(system.variables) if n != ENDING and v.size > 1]
    for _ in range(most):
        v = chosen.choice(numbers)
        low, high = system.variables[v].low, system.variables[v].high
        value = chosen.randint(low, high)
        yield Within(v, value, chosen.randint(value, high))


def played(walker, steps):
    """The situations of a play, by the interpreter."""
    met = [walker.start()]
    for step in steps:
        results = {r.outcome.number: r for r in walker.results(step.rule, met[-1])}
        met.append(results[step.outcome.number].situation)
    return met


def told_of(probes):
    """What probes tell but for ways, texts on them, and numbers."""
    return [
        (p.id, p.columns, [(r.cases, r.possible, r.depends) for r in p.rows], p.never, p.cut)
        for p in probes
    ]


def routed(world, goal):
    """A route, or None where the world never rests."""
    try:
        return routes.route_in(world, goal, None, Budget(Limits()))
    except InvalidInput:
        return None


class AgainstAllSituations(unittest.TestCase):
    def setUp(self):
        self.found = self.never = 0
        # small worlds would be listed
        self.enterContext(mock.patch.object(reached, "LITTLE", 0))

    def compare(self, system, space, asked, formula, avoided=FALSE):
        """A play of an asking system, or that there is none, against every situation."""
        trace = Reached(asked, Budget(Limits()), Silence()).play()
        walks = space.walks(None if avoided == FALSE else space.where(avoided))
        shortest = walks.shortest(space.where(formula))
        self.assertEqual(trace is None, shortest is None)
        if trace is None:
            self.never += 1
            return
        met = played(system.walker, [system.steps[s.number] for s in trace.steps])
        self.assertTrue(space.of(met[-1]) & space.where(formula))
        self.assertFalse([here for here in met if space.of(here) & space.where(avoided)])
        self.assertGreaterEqual(len(trace.steps), len(shortest.steps))
        self.found += 1

    def test_what_is_asked_for_is_come_to_or_never(self):
        for name, system, space in systems(sampled(12)):
            for formula in some_formulas(system, 8):
                if (asked := asking(system, formula)) is not None:
                    with self.subTest(world=name, formula=formula):
                        self.compare(system, space, asked, formula)
        self.assertGreater(self.found, least(50))
        self.assertGreater(self.never, least(15))

    def test_what_is_avoided_is_never_met_on_the_way(self):
        for name, system, space in systems(sampled(12)):
            formulas = list(some_formulas(system, 8))
            for formula, avoided in pairwise(formulas):
                if (asked := asking(system, formula, avoided)) is not None:
                    with self.subTest(world=name, formula=formula, avoided=avoided):
                        self.compare(system, space, asked, formula, avoided)
        self.assertGreater(self.found, least(30))
        self.assertGreater(self.never, least(30))

    def test_moves_are_possible_or_never_and_endings_come_or_never(self):
        for name, system, space in systems(sampled(12)):
            for move in system.player_moves[::3]:
                formula = possible_formula(system, move)
                asked = asking(system, formula, going_on=True)
                with self.subTest(world=name, rule=move.rule.id):
                    self.compare(system, space, asked, formula)
            for ending in system.world.endings:
                asked = asking_to_end(system, [ending])
                with self.subTest(world=name, ending=ending):
                    self.compare(system, space, asked, ending_formula(system, ending))
        self.assertGreater(self.found, least(50))
        self.assertGreater(self.never, least(10))


ORES = """
zubrel: 1
start: {at: quay}
items: {coin: {kind: money, max: 9}, ore: {name: Ore, max: 2}, key: {max: 2}, lamp: {max: 1}}
areas:
  quay: {finds: [ore, ore], ways: [{to: tower, needs: key}], deeds: {throw: {takes: ore}}}
  tower: {}
shops: {stall: {at: quay, buys: {ore: 2}, sells: {key: 4}}}
endings: {won: {name: Won, when: at tower}}
"""


RESTLESS = """
zubrel: 1
start: {at: quay}
facts: {on: {}, lit: {}}
areas: {quay: {deeds: {light: {sets: {on: true}}}}}
whenever: [{when: on and not lit, sets: {lit: true}}, {when: on and lit, sets: {lit: false}}]
endings: {won: {when: on}}
"""


class Restless(ProgramTest):
    def test_a_move_after_which_a_world_never_rests_is_told_by_all_who_make_it(self):
        self.write("w.yaml", RESTLESS)
        self.write("moves.txt", "light\nexpect ended won\n")
        for command, typed in (
            (("play", "w.yaml", "--no-hints"), "1\nquit\n"),
            (("rehearse", "w.yaml", "moves.txt"), ""),
            (("why", "w.yaml", "not on and lit", "--after", "moves.txt"), ""),
        ):
            with self.subTest(command=command[0]):
                said = self.zubrel(*command, typed=typed, code=2).stderr
                self.assertIn("undo each other for ever, after these moves: “Light”", said)
                self.assertIn("w.yaml:6:12", said)


class Questions(ProgramTest):
    """The same answers, whether or not every situation is listed."""

    def both(self, ask):
        """What is answered with every situation, and without."""
        with self.nothing_listed():
            far = ask()
        return ask(), far

    @contextmanager
    def nothing_listed(self):
        """Small worlds are asked as large ones are."""
        with (
            mock.patch.object(pipeline, "ROUTING", 0),
            mock.patch.object(reached, "LITTLE", 0),
        ):
            yield

    def why(self, asked, *moves):
        """Whether and why something can be, after some moves, in both ways."""
        for name, text in (("ores.yaml", ORES), ("moves.txt", "\n".join((*moves, "")))):
            self.write(name, text)
        world, script = str(self.folder / "ores.yaml"), str(self.folder / "moves.txt")
        return self.both(lambda: whys.why(world, asked, script if moves else None))

    def test_what_can_be_is_told_with_a_way_that_may_be_longer(self):
        for asked in ("key", "at tower", "stall_buy_key", "coin >= 4"):
            near, far = self.why(asked)
            with self.subTest(asked=asked):
                self.assertTrue(near.possible and far.possible)
                self.assertLessEqual(len(near.moves), len(far.moves))
                self.assertEqual((near.shortest, far.shortest), (True, False))

    def test_what_can_never_be_has_a_reason_in_both(self):
        for asked in ("2 key", "ore and key", "coin >= 5", "2 ore and key"):
            near, far = self.why(asked)
            with self.subTest(asked=asked):
                self.assertFalse(near.possible or far.possible)
                self.assertEqual(near.explained.lines(), far.explained.lines())
                self.assertTrue(far.explained.why)

    def test_after_moves_it_is_told_how_soon_at_least_or_at_most(self):
        near, far = self.why("key", "quay_ore")
        self.assertEqual((near.further, near.shortest), (4, True))
        self.assertGreaterEqual(far.further, 4)
        self.assertFalse(far.shortest)
        near, far = self.why("key", "quay_ore", "throw")
        self.assertFalse(near.possible or far.possible)
        self.assertEqual(near.explained.lines(), far.explained.lines())
        self.assertIn("no more than 2 can be had together", "\n".join(far.explained.lines()))

    def test_what_can_still_be_won(self):
        told = dict.fromkeys(("live", "doomed", "ended"), 0)
        for name, system, space in systems(sampled(8)):
            near, far = (routes.fate_of(system.world, Budget(Limits())) for _ in range(2))
            # nobody asks before everything is dealt
            every = [s for s in space.examples(space.everything, 60) if s[PLACE] != UNDEALT]
            for here in every[:: 1 + len(every) // 8]:
                with self.subTest(world=name, situation=here):
                    with self.nothing_listed():
                        fate = far(here)
                    self.assertEqual(fate, near(here))
                    told[fate] += 1
            few = routes.fate_of(system.world, Budget(Limits()))
            with self.subTest(world=name), mock.patch.object(pipeline, "ROUTING", 0):
                self.assertEqual(few(every[-1]), near(every[-1]))
        self.assertGreater(min(told.values()), least(12))

    def test_a_world_that_never_rests_is_told_as_such(self):
        lit = "[{when: not lit, sets: {lit: true}}, {when: lit, sets: {lit: false}}]"
        self.write("w.yaml", f"{ORES}facts: {{lit: {{}}}}\nwhenever: {lit}\n")
        self.write("moves.txt", "quay_ore\nexpect live\n")
        path, script = str(self.folder / "w.yaml"), str(self.folder / "moves.txt")
        asks = (
            lambda: routes.find_route(path, "key", None),
            lambda: whys.why(path, "key"),
            lambda: probes_of(load(path), "throw", Budget(Limits()), Silence()),
            lambda: routes.rehearse_scripts(path, [script], Budget(Limits())),
        )
        for number, ask in enumerate(asks):
            with self.subTest(question=number), self.nothing_listed():
                with self.assertRaises(InvalidInput) as refused:
                    ask()
                self.assertIn("never", str(refused.exception))

    def test_who_names_an_engine_gets_every_situation(self):
        world = world_of(yaml.safe_load(ORES))
        for limits in (Limits(engine="explicit"), Limits(engine="symbolic"), Limits(situations=99)):
            with self.subTest(limits=limits), self.nothing_listed():
                self.assertTrue(routes.route_in(world, None, None, Budget(limits)).shortest)
        with self.nothing_listed():
            self.assertFalse(routes.route_in(world, None, None, Budget(Limits())).shortest)

    def test_probes(self):
        rows = sometimes = 0
        for name, system, _ in systems(sampled(16)):
            world = system.world
            for asked in (*list(world.locks)[:2], *(r.id for r in world.rules[::4]), "area0"):
                if not rules_named(world, asked) and asked not in world.areas:
                    continue
                near, far = self.both(
                    lambda w=world, a=asked: probes_of(w, a, Budget(Limits()), Silence())
                )
                with self.subTest(world=name, asked=asked):
                    self.assertEqual(told_of(near), told_of(far))
                for one, other in zip(near, far, strict=True):
                    rows += len(one.rows)
                    sometimes += sum(row.possible == "sometimes" for row in one.rows)
                    for exact, row in zip(one.rows, other.rows, strict=True):
                        self.assertLessEqual(len(exact.moves), len(row.moves))
                        self.assertIsNotNone(exact.situations)
                        self.assertIsNone(row.situations)
        self.assertGreater(rows, least(300))
        self.assertGreater(sometimes, least(30))

    def test_routes(self):
        met = 0
        for seed in sampled(24):
            world = world_of(random_world(seed))
            for goal in (None, *list(world.items)[:2], f"at {list(world.areas)[-1]}"):
                near, far = self.both(lambda w=world, g=goal: routed(w, g))
                with self.subTest(seed=seed, goal=goal):
                    self.assertEqual(near is None, far is None)
                    if near is not None and near.moves is not None:
                        self.assertIsNotNone(far.moves)
                        self.assertLessEqual(len(near.moves), len(far.moves))
                        met += not far.shortest
        self.assertGreater(met, least(10))
