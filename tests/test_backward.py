"""Sets closed backwards, held against every situation: what they say of what is reached."""

import random
import unittest
from contextlib import suppress
from itertools import product
from unittest import mock

import yaml
from benchmarks.bazaar import bazaar
from benchmarks.village import depths, village

from tests.random_worlds import random_world
from tests.seeds import LONG, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import scalar, world_of
from tests.test_reductions import systems
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits, WorkSpent
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import TRUE, Within
from zubrel.compiled.parts import PLACE
from zubrel.explored.backward import closing as closing_module
from zubrel.explored.backward import functions as functions_module
from zubrel.explored.backward import invariants as invariants_module
from zubrel.explored.backward import known as known_module
from zubrel.explored.backward.area_set import AreaSet
from zubrel.explored.backward.closing import BackwardFixpoint
from zubrel.explored.backward.projecting import Projecting
from zubrel.explored.backward.reaching import Reaching
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.space import EndlessSettling, NotAsked
from zubrel.explored.symbolic.search import SymbolicSearch
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.find import Conclusions, find
from zubrel.findings.judged import judge
from zubrel.findings.large import batches as batches_module
from zubrel.findings.large.planning import full_size
from zubrel.narrated.narrate import narrate
from zubrel.policy import PROJECTING
from zubrel.quotient import making
from zubrel.quotient.making import backward_lens, first_lens, lens_for, reduced_for

MAKERS = (random_world, stress_world, trade_world, passage_world)
RESTLESS = """
zubrel: 1
start: {at: quay}
facts: {lamp: {}, wind: {}}
areas:
  quay:
    ways: [pier]
    deeds: {light: {sets: {lamp: true}}}
  pier:
    deeds: {whistle: {needs: lamp, sets: {wind: true}}}
    ways: [tower]
  tower: {}
whenever:
  - {id: flare, when: wind and lamp, sets: {lamp: false}}
  - {id: catch, when: wind and not lamp, sets: {lamp: true}}
endings: {won: {when: at tower}}
"""

ROUND = """
zubrel: 1
start: {at: quay}
areas:
  tower: {ways: [pier]}
  quay: {ways: [{to: pier, one_way: true}]}
  pier: {ways: [light]}
  light: {}
endings: {won: {when: at light}}
"""


def spaces(seeds, makers=MAKERS):
    for name, system, plain in small_worlds(seeds, makers):
        yield name, plain, BackwardSpace(system, Budget(Limits()))


def members(plain, space, situations):
    """The numbers of the reached situations that lie in a set."""
    inside = set()
    for number, word in enumerate(plain.words):
        values = plain.packing.unpack([word])
        bits = space.encoding.assignment(values)
        if situations.areas[values[PLACE]].eval(bits):
            inside.add(number)
    return inside


class Sets(unittest.TestCase):
    def test_every_reached_situation_is_judged_alike(self):
        doomed = 0
        for name, plain, space in spaces(sampled(12, of=3)):
            exact, told = judge(plain), judge(space)
            with self.subTest(world=name):
                self.assertEqual(told.verdict, exact.verdict)
                for which in ("won", "ended", "live", "doomed"):
                    expected = set(getattr(exact, which))
                    self.assertEqual(members(plain, space, getattr(told, which)), expected)
                doomed += len(exact.doomed)
        self.assertGreater(doomed, 100 if LONG else 40)

    def test_what_is_left_out_is_never_reached(self):
        asked = left_out = 0
        # with what few variables tell, and without
        for projecting in (Projecting.refuted, lambda *_: None):
            with (
                mock.patch.object(Projecting, "refuted", projecting),
                mock.patch.object(known_module, "SCOUTED", 0),
            ):
                for name, plain, space in spaces(sampled(8, of=3)):
                    everything = AreaSet(space, space.reaching_back.possibly)
                    for number, variable in enumerate(space.system.variables):
                        for value in range(variable.low, variable.high + 1):
                            bool(space.where(Within(number, value, value)))
                            asked += 1
                    possibly = AreaSet(space, space.reaching_back.possibly)
                    left_out += possibly.areas != everything.areas
                    with self.subTest(world=name, projecting=projecting):
                        inside = members(plain, space, possibly)
                        self.assertEqual(inside, set(range(len(plain.words))))
        self.assertGreater(asked, 400)
        self.assertGreater(left_out, 8)

    def test_what_only_leads_back_into_a_set_is_reached_all_the_same(self):
        with (
            mock.patch.object(Projecting, "refuted", lambda *_: None),
            mock.patch.object(known_module, "SCOUTED", 0),
        ):
            space = BackwardSpace(compile_world(loads(ROUND)), Budget(Limits()))
            place = {name: n for n, name in enumerate(space.system.variables[PLACE].names)}
            at = {name: space.where(Within(PLACE, n, n)) for name, n in place.items()}
            # the way from the tower is tried before that from the quay
            self.assertTrue(at["pier"])
            self.assertTrue(at["tower"])

    def test_few_variables_refute_nothing_that_is_reached(self):
        r, refuted, reached, found = random.Random(3), 0, 0, 0
        for name, plain, space in spaces(sampled(12, of=3)):
            back, variables = space.reaching_back, space.system.variables
            for _ in range(40):
                target, literals = space.everything, []
                for number in r.sample(range(len(variables)), min(3, len(variables))):
                    value = r.randint(variables[number].low, variables[number].high)
                    literals.append((variables[number].key, value))
                    target = target & space.where(Within(number, value, value))
                known = len(back.known.situations)
                around = back.projecting.refuted(target.areas, back.may_be, back.known, PROJECTING)
                inside = members(plain, space, target)
                with self.subTest(world=name, literals=literals):
                    if around is not None:
                        self.assertEqual(members(plain, space, AreaSet(space, around)), set())
                        refuted += bool(target.holds_any)
                    reached += bool(inside)
                    found += len(back.known.situations) > known
                    self.assertLessEqual(back.known.situations.keys(), set(plain.words))
        self.assertGreater(refuted, 50)
        self.assertGreater(reached, 50)
        self.assertGreater(found, 20)

    def test_steps_begin_where_they_begin_in_a_list(self):
        seen = 0
        for name, plain, space in spaces(range(4)):
            exact, told = judge(plain), judge(space)
            for step in space.system.steps:
                pairs = (
                    (plain.possible(step), space.possible(step)),
                    (plain.before(step, exact.live), space.before(step, told.live)),
                    (plain.before(step, exact.doomed), space.before(step, told.doomed)),
                )
                for expected, situations in pairs:
                    with self.subTest(world=name, rule=step.rule.id):
                        self.assertEqual(members(plain, space, situations), set(expected))
                        self.assertEqual(bool(situations), bool(expected))
                    seen += bool(expected)
        self.assertGreater(seen, 100)

    def test_plays_come_into_what_is_not_empty(self):
        r, played, refused = random.Random(0), 0, 0
        for name, plain, space in spaces(sampled(8, of=3)):
            for number in r.sample(range(len(space.system.variables)), 3):
                variable = space.system.variables[number]
                value = r.randint(variable.low, variable.high)
                target = space.where(Within(number, value, value))
                trace = space.walks().shortest(target)
                with self.subTest(world=name, variable=variable.key, value=value):
                    self.assertEqual(
                        trace is not None, bool(plain.where(Within(number, value, value)))
                    )
                    if trace is not None:
                        self.assertTrue(space.meets(trace, target))
                        self.assertTrue(space.at_end_of(trace) & target)
                        self.assertFalse(trace.shortest and trace.steps)
                played += trace is not None
                refused += trace is None
        self.assertGreater(min(played, refused), 6)

    def test_plays_that_keep_out_of_something(self):
        compared = 0
        for name, plain, space in spaces(sampled(8, of=3)):
            for number, variable in enumerate(space.system.variables):
                if variable.size < 2 or number == PLACE:
                    continue
                low = Within(number, variable.low, variable.low)
                (expected,) = plain.reached_without([plain.where(low)])
                (without,) = space.reached_without([space.where(low)])
                for area in range(space.system.variables[PLACE].size):
                    here = Within(PLACE, area, area)
                    with self.subTest(world=name, variable=variable.key, area=area):
                        self.assertEqual(
                            bool(without & space.where(here)),
                            bool(expected & plain.where(here)),
                        )
                    compared += 1
        self.assertGreater(compared, 300)

    def test_what_comes_after_a_play(self):
        for name, plain, space in spaces(sampled(6, of=3)):
            exact = judge(plain)
            for source in sorted(exact.live | exact.doomed)[:: 1 + len(plain.words) // 5]:
                there = space.of(
                    space.system.situation(plain.packing.unpack([plain.words[source]]))
                )
                one = plain.of(space.system.situation(plain.packing.unpack([plain.words[source]])))
                (future,), (expected,) = space.reached_from([there]), plain.reached_from([one])
                for number, variable in enumerate(space.system.variables):
                    high = Within(number, variable.high, variable.high)
                    with self.subTest(world=name, source=source, variable=variable.key):
                        self.assertEqual(space.allows(future, high), plain.allows(expected, high))

    def test_sets_that_different_plays_come_to_are_not_mixed(self):
        _, _, space = next(spaces([0], (trade_world,)))
        somewhere = judge(space).won
        self.assertTrue(somewhere)
        (without,) = space.reached_without([somewhere])
        self.assertFalse(without & somewhere)
        for mixed in (lambda: somewhere | without, lambda: somewhere - without):
            with self.assertRaises(NotAsked):
                mixed()
        with self.assertRaises(NotAsked):
            space.count(somewhere)

    def test_the_order_in_which_sets_grow_does_not_matter(self):
        for name, _, space in spaces(sampled(6, of=3)):
            with mock.patch.object(closing_module, "FIRST_SIZE", 1):
                other = BackwardSpace(space.system, Budget(Limits()))
                told = judge(other)
            with self.subTest(world=name):
                sizes = [
                    [a.sat_count(s.encoding.count) for a in judge(s).live.areas]
                    for s in (space, other)
                ]
                self.assertEqual(*sizes)
                self.assertEqual(told.verdict, judge(space).verdict)

    def test_a_set_goes_on_being_closed_where_its_share_of_work_ended(self):
        shares = 0
        for name, _, space in spaces(sampled(6, of=3)):
            seed, back = judge(space).won.areas, space.reaching_back
            whole = BackwardFixpoint(space.functions, seed, back.possibly).run().areas
            back._closed.clear()
            closed = None
            # none is enough for all of it: what began anew each time would never end
            for _ in range(10_000):
                with suppress(WorkSpent), space.encoding.budget.within(60):
                    closed = back.closed(seed)
                    break
                shares += 1
            with self.subTest(world=name):
                self.assertEqual(closed, whole)
        self.assertGreater(shares, 20)

    def test_what_is_won_whatever_luck_does(self):
        hopeless = 0
        # in the tenth of these worlds luck decides
        for name, plain, space in spaces([9, *sampled(30)], (random_world, stress_world)):
            sure = [
                judged.space.reaching_by_choice(judged.won, judged.live | judged.won)
                for judged in (judge(plain), judge(space))
            ]
            with self.subTest(world=name):
                self.assertEqual(members(plain, space, sure[1]), set(sure[0]))
            hopeless += bool(judge(plain).live - sure[0])
        self.assertGreater(hopeless, 0)


class Universe(unittest.TestCase):
    def test_no_play_comes_to_what_is_left_out_from_the_first(self):
        excluded = 0
        for name, plain, space in spaces(sampled(12, of=3)):
            functions, everything = space.functions, space.everything
            with self.subTest(world=name):
                self.assertEqual(len(members(plain, space, everything)), len(plain.words))
            resting = sum(d.sat_count(space.encoding.count) for d in functions.quiet)
            left = sum(d.sat_count(space.encoding.count) for d in everything.areas)
            excluded += left < resting / 2
        self.assertGreater(excluded, 20 if LONG else 10)

    def test_what_takes_too_many_nodes_is_not_left_out(self):
        _, _, space = next(spaces([3], (stress_world,)))
        with mock.patch.object(invariants_module, "MOST_NODES", 1):
            other = BackwardSpace(space.system, Budget(Limits()))
        counts = [
            sum(d.sat_count(s.encoding.count) for d in s.everything.areas) for s in (space, other)
        ]
        self.assertLess(*counts)
        self.assertEqual(judge(other).verdict, judge(space).verdict)


class Courses(unittest.TestCase):
    """A step with what follows as one function a course, and gone back through event by event."""

    def test_they_lead_from_the_same_situations(self):
        several = 0
        for name, _, space in spaces(sampled(8, of=3)):
            functions = space.functions
            exact = judge(space)
            for target in (exact.live, exact.won, space.everything):
                for function in functions.steps:
                    expected = functions.settled_before(function, target.areas)
                    with self.subTest(world=name, rule=function.step.rule.id):
                        told = functions.before_resting(function, target.areas)
                        self.assertEqual(told, expected)
                        several += told != function.before(target.areas[function.target])
        self.assertGreater(several, 20)

    def test_where_there_are_too_many_nothing_is_lost(self):
        given_up = 0
        for name, _, space in spaces(sampled(6, of=3)):
            # courses are made when they are first asked for
            expected = [a.sat_count(space.encoding.count) for a in judge(space).live.areas]
            with mock.patch.object(functions_module, "MOST_COURSES", 1):
                other = BackwardSpace(space.system, Budget(Limits()))
                told = [a.sat_count(other.encoding.count) for a in judge(other).live.areas]
                given_up += any(
                    other.functions._courses_of(f) is None for f in other.functions.steps
                )
            with self.subTest(world=name):
                self.assertEqual(told, expected)
        self.assertGreater(given_up, 4)

    def test_conditions_of_changes_may_be_parts_of_functions_or_functions_of_their_own(self):
        more = 0
        for name, _, space in spaces(sampled(6, of=3)):
            with mock.patch.object(functions_module, "LARGE", 1):
                other = BackwardSpace(space.system, Budget(Limits()))
            more += len(other.functions.all) > len(space.functions.all)
            sizes = [
                [a.sat_count(s.encoding.count) for a in judge(s).live.areas] for s in (space, other)
            ]
            with self.subTest(world=name):
                self.assertEqual(*sizes)
        self.assertGreaterEqual(more, 2)


class Restless(unittest.TestCase):
    def test_what_never_rests_is_refused_with_a_play_to_it(self):
        system = compile_world(world_of(yaml.safe_load(RESTLESS)))
        with self.assertRaises(EndlessSettling) as refused:
            Reaching(system, Budget(Limits()))
        self.assertEqual(set(refused.exception.cycle), {"flare", "catch"})
        self.assertEqual(
            [s.rule.id for s in refused.exception.trace.steps],
            ["light", "quay_to_pier", "whistle"],
        )

    def test_what_no_play_comes_to_may_be_restless(self):
        for change in (("sets: {wind: true}", "sets: {wind: false}"), ("[pier]", "[tower]")):
            text = RESTLESS.replace(*change)
            space = BackwardSpace(compile_world(loads(text)), Budget(Limits()))
            self.assertEqual(judge(space).verdict, "solvable")


def backwards_only():
    """Lenses and batches that never look at all that is reached."""
    patches = (
        mock.patch.object(making, "FORWARD", 0),
        mock.patch.object(batches_module, "AT_ONCE", 0),
    )
    for patch in patches:
        patch.start()
    return patches


class FullSize(unittest.TestCase):
    def setUp(self):
        for patch in backwards_only():
            self.addCleanup(patch.stop)

    def test_lenses_that_look_backwards_tell_what_plain_search_tells(self):
        backwards, seen = (
            0,
            dict.fromkeys(("softlock", "bad_luck", "missable", "skippable", "unreachable"), 0),
        )
        for seed, system, plain in systems():
            expected = find(plain).findings
            lens = lens_for(system, (), Budget(Limits()), Silence())
            backwards += not lens.at_once
            full = full_size(lens, Budget(Limits()), Silence())
            with self.subTest(seed=seed):
                self.assertEqual(full.judged.verdict, judge(plain).verdict)
                # how many moves plays take is nothing that sets closed backwards know
                self.assertLessEqual({kind for kind, _ in full.undecided}, {"broken_promise"})
                self.assertEqual(
                    {(f.kind, f.subject) for f in full.findings},
                    {(f.kind, f.subject) for f in expected} - set(full.undecided),
                )
                report = narrate(  # replays all evidence
                    Conclusions(full.judged, full.findings), lambda: 0.0
                )
                self.assertEqual(report.classes is None, not lens.at_once)
            for finding in expected:
                seen[finding.kind] = seen.get(finding.kind, 0) + 1
        self.assertGreater(min(backwards, *seen.values()), 0, seen)


class Turns(unittest.TestCase):
    def test_where_one_way_is_hopeless_the_other_is_taken(self):
        system = compile_world(world_of(stress_world(13)))
        with (
            mock.patch.object(making, "FORWARD", 1),  # too little for either, at first
            mock.patch.object(
                SymbolicSearch, "run", autospec=True, side_effect=SymbolicSearch.run
            ) as forwards,
            mock.patch.object(making, "BackwardSpace", wraps=making.BackwardSpace) as backwards,
        ):
            lens = first_lens(system, Budget(Limits()), Silence(), judge)
        self.assertGreater(forwards.call_count, 1)
        self.assertIn(forwards.call_count - backwards.call_count, (0, 1))
        self.assertEqual(judge(lens).verdict, judge(scalar(system)).verdict)
        self.assertTrue(lens.where(TRUE))

    def test_the_second_turn_goes_on_backwards_where_some_set_is_closed(self):
        system = compile_world(world_of(stress_world(13)))
        for has_closed, forwards in ((True, 1), (False, 2)):
            budget, asked = Budget(Limits()), []

            def ask(lens, budget=budget, asked=asked):
                asked.append(lens.inner)
                if len(asked) == 1:
                    budget.spend(100 * making.BACKWARD * making.FORWARD)

            with (
                mock.patch.object(SymbolicSearch, "run", side_effect=WorkSpent("")) as run,
                mock.patch.object(SymbolicSearch, "is_far", False),
                mock.patch.object(BackwardSpace, "has_closed", has_closed),
            ):
                lens = first_lens(system, budget, Silence(), ask)
            with self.subTest(has_closed=has_closed):
                self.assertEqual(run.call_count, forwards)
                # the same space, which knows what it has found out
                self.assertEqual([*asked, lens.inner], [lens.inner] * 3)


class Families(unittest.TestCase):
    def test_economies_are_judged_alike_forwards_and_backwards(self):
        seen = set()
        for make, one_way in product((village, depths, bazaar), (True, False)):
            for seed in (1, 2):
                system = compile_world(loads(make("s", seed, one_way)))
                told, budget = [], Budget(Limits())
                for lens in (
                    lens_for(system, (), Budget(Limits()), Silence()),
                    backward_lens(system, reduced_for(system, (), budget), budget),
                ):
                    judged = judge(lens)
                    culprits = {(f.kind, f.subject) for f in softlocks(judged)}
                    told.append((judged.verdict, culprits))
                    seen |= {judged.verdict}
                with self.subTest(family=make.__name__, seed=seed, one_way=one_way):
                    self.assertEqual(*told)
        self.assertLessEqual({"solvable", "softlocks"}, seen)
