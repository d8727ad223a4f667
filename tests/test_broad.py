"""Wins found among many rooms at once, and what they are led by: what a win costs."""

import json
import unittest
from collections import Counter
from unittest import mock

import numpy as np

from tests.conditions import ROOT
from tests.deadline_worlds import deadline_world
from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits, WorkSpent
from zubrel.certain import costs as costs_module
from zubrel.certain import frontier as frontier_module
from zubrel.certain import hunt as hunt_module
from zubrel.certain.broad import BroadSearch
from zubrel.certain.costs import FAR, Costs
from zubrel.certain.hunt import Hunt
from zubrel.certain.novelty import NovelSearch
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.compiled.parts import ENDING, Operation
from zubrel.compiled.possible import Among, AnyPossible, Count, Every, Weight, places_of
from zubrel.findings.judged import judge
from zubrel.pipeline import load

MAKERS = (
    random_world,
    stress_world,
    trade_world,
    passage_world,
    errand_world,
    deadline_world,
)
SHOP = """
zubrel: 1
start: {at: quay, holding: [2 coin]}
items: {coin: {kind: money, max: 40}, lens: Lens, wick: Wick, tin: {max: 3}}
areas:
  quay: {ways: [stall], finds: [{item: coin, again: always}]}
  stall: {}
shops: {stand: {at: stall, sells: {lens: {price: 6, stock: 1}, wick: {price: 5, stock: 1}}}}
deeds:
  light: {at: quay, needs: [lens, wick], ends: seen}
endings: {seen: Seen}
"""


def costs_of(text):
    """The costs of a world, and the places of its values at the start as one column."""
    seeker = Seeker(compile_world(loads(text)), Budget(Limits()))
    values = seeker.rooms.values(seeker.rooms.start())
    return Costs(seeker.relaxation, seeker.relaxation.domains(values)), places(
        seeker.system, values
    )


def places(system, *situations):
    """Values of situations as places, a column a situation."""
    lows = np.array([[variable.low] for variable in system.variables])
    return np.array(situations, np.int64).T - lows


def columns_of(system, space, most):
    """Some situations of a space in which the game goes on: their numbers, and their columns."""
    numbers, rows = [], []
    for number in range(0, len(space.words), 1 + len(space.words) // most):
        values = space.packing.unpack([space.words[number]])
        if not values[ENDING]:
            numbers.append(number)
            rows.append(values)
    return numbers, places(system, *rows)


def slow_cost(relaxation, here):
    """What a win costs from one situation: all operators over and over, a value at a time."""
    variables = relaxation.system.variables
    known = dict.fromkeys(enumerate(here), 0)

    def asked(possible):
        match possible:
            case Among(variable, mask):
                return min(known.get((variable, place), FAR) for place in places_of(mask))
            case Every(parts):
                return min(FAR, sum(asked(part) for part in parts))
            case AnyPossible(parts):
                return min((asked(part) for part in parts), default=FAR)
            case Count(count, parts):
                return min(FAR, sum(sorted(asked(part) for part in parts)[:count]))
            case Weight():
                return 0

    def results(effect, place):
        """To which places a value may be changed."""
        variable, here = variables[effect.variable], {place}
        for change, when in effect.changes:
            own = isinstance(when, Among) and when.variable == effect.variable
            if own and not when.mask >> place & 1:
                continue
            moved = set()
            for before in here:
                match change.operation:
                    case Operation.SET:
                        moved.add(change.number - variable.low)
                    case Operation.FLIP:
                        moved.add(1 - before)
                    case Operation.ADD:
                        moved.add(before + change.number)
                    case Operation.ADD_UP_TO_END:
                        moved.add(min(variable.size - 1, max(0, before + change.number)))
            here = moved if own or when == Every(()) else here | moved
        return {after for after in here if 0 <= after < variable.size}

    def lower(value, cost):
        if cost < known.get(value, FAR):
            known[value] = cost
            return True
        return False

    good = [(ENDING, place) for place in places_of(relaxation.good)]
    # only what is possible from the start on at all
    operators, domains = relaxation.operators, relaxation.domains(relaxation.system.start)
    before = None
    while domains != before:
        before = list(domains)
        for run in operators.run:
            run(domains, domains, [])
    possible = [n for n in range(len(operators.all)) if operators.is_possible(n, domains)]
    again = True
    while again:
        again = False
        for operator in map(operators.all.__getitem__, possible):
            if not operator.wins and any(e.variable == ENDING for e in operator.effects):
                continue
            weight = int(operator.step is not None and not operator.walks)
            of_each = {v: asked(Among(v, m)) for v, m in operator.allowed.items()}
            others = weight + sum(asked(part) for part in operator.others)
            for effect in operator.effects:
                variable, changes = effect.variable, effect.changes
                if len(changes) == 1 and changes[0][0].operation is Operation.SET:
                    cost = others + sum(of_each.values()) + asked(changes[0][1])
                    (place,) = results(effect, 0) - {0} or {0}
                    if changes[0][1] != Every(()):
                        place = changes[0][0].number - variables[variable].low
                    again |= lower((variable, place), cost)
                    continue
                adds = (Operation.ADD, Operation.ADD_UP_TO_END)
                when = changes[0][1]
                alone = len(changes) == 1 and changes[0][0].operation in adds
                own = asked(when) if alone else 0
                cost = others + own + sum(c for v, c in of_each.items() if v != variable)
                full = (1 << variables[variable].size) - 1
                for place in places_of(operator.allowed.get(variable, full)):
                    if (variable, place) in known:
                        for after in results(effect, place) - {place}:
                            again |= lower((variable, after), known[variable, place] + cost)
    return min(known.get(value, FAR) for value in good)


class WhatAWinCosts(unittest.TestCase):
    def test_an_amount_costs_each_gain(self):
        costs, start = costs_of(SHOP)
        # four coins for the lens, three for the wick, two purchases, and the light
        self.assertEqual(costs.of(start).tolist(), [4 + 3 + 2 + 1])

    def test_what_is_had_costs_nothing(self):
        costs, start = costs_of(SHOP.replace("2 coin", "2 coin, lens"))
        self.assertEqual(costs.of(start).tolist(), [3 + 1 + 1])

    def test_what_nothing_leads_to_is_far(self):
        costs, start = costs_of(SHOP.replace("lens, wick]", "lens, wick, tin]"))
        self.assertEqual(costs.of(start).tolist(), [FAR])

    def cost(self, deeds, **sections):
        """What a win costs at the start of a world of one quay, where `light` wins."""
        world = {
            "zubrel": 1,
            "start": {"at": "quay"},
            "items": {"lens": "Lens", "wick": "Wick", "coin": {"max": 9}},
            "areas": {"quay": {"finds": ["lens"]}},
            "meters": {"oil": {"to": 4}},
            "endings": {"seen": {}},
            "deeds": deeds,
            **sections,
        }
        costs, start = costs_of(json.dumps(world))
        return costs.of(start).tolist()[0]

    def test_what_is_too_much_comes_to_the_last_value(self):
        light = {"needs": "oil = 3", "ends": "seen"}
        fill = {"adds": {"oil": 2}}
        meters = {"oil": {"to": 3}}
        self.assertEqual(self.cost({"fill": fill, "light": light}, meters=meters), 3)
        down = {"oil": {"to": 3, "start": 3}}
        light, drain = {"needs": "oil = 0", "ends": "seen"}, {"adds": {"oil": -2}}
        self.assertEqual(self.cost({"drain": drain, "light": light}, meters=down), 3)

    def test_what_is_added_to_some_values_only_begins_from_these(self):
        light = {"needs": "oil >= 3", "ends": "seen"}
        more = {"needs": "oil >= 1", "adds": {"oil": 1}}
        self.assertEqual(self.cost({"more": more, "light": light}), FAR)
        # two of them and the first, which is not counted again for each
        first = {"needs": "oil = 0", "adds": {"oil": 1}}
        self.assertEqual(self.cost({"first": first, "more": more, "light": light}), 4)
        # the first takes the lens to be found; that somebody wants no oil makes no difference
        dear = {"needs": "lens", "adds": {"oil": 1}}
        dry = {"needs": "oil = 0", "gives": "coin"}
        deeds = {"dear": dear, "more": more, "light": light}
        self.assertEqual(self.cost(deeds), 1 + 1 + 2 + 1)
        self.assertEqual(self.cost({**deeds, "dry": dry}), 1 + 1 + 2 + 1)
        few = {"needs": "oil < 2", "adds": {"oil": 1}}
        self.assertEqual(self.cost({"few": few, "light": light}), FAR)

    def test_what_counts_under_a_condition_costs_that_condition(self):
        deeds = {"gather": {"gives": "coin"}, "light": {"needs": "task is done", "ends": "seen"}}
        task = {"from": "quay", "goals": [{"gain": "2 coin"}]}
        # each of two coins counts while the task is accepted, and so does that it is done
        self.assertEqual(self.cost(deeds, quests={"task": task}), 2 * (1 + 1) + 1 + 1)

    def test_what_somebody_wants_little_of_costs_what_it_takes_to_lose_it(self):
        start = {"at": "quay", "holding": ["5 coin", "lens"]}
        needs = ["2 of (coin < 2, lens, wick, oil = 1, oil = 2, oil = 3)"]
        deeds = {"pay": {"takes": "coin"}, "light": {"needs": needs, "ends": "seen"}}
        self.assertEqual(self.cost(deeds, start=start), 5)
        facts = {"flag": {"values": ["down", "half", "up"], "start": "half"}}
        deeds = {
            "hoist": {"sets": {"flag": "up"}},
            "light": {"needs": "flag != half", "ends": "seen"},
        }
        self.assertEqual(self.cost(deeds, facts=facts), 2)

    def test_many_at_once_cost_what_each_costs_alone(self):
        compared = 0
        for _, system, space in small_worlds(sampled(24), MAKERS):
            seeker = Seeker(system, Budget(Limits()))
            costs = Costs(seeker.relaxation, seeker.relaxation.domains(system.start))
            numbers, columns = columns_of(system, space, 12)
            if numbers:
                alone = [costs.of(columns[:, [n]]).tolist() for n in range(len(numbers))]
                self.assertEqual([[c] for c in costs.of(columns).tolist()], alone)
                compared += len(numbers)
        self.assertGreater(compared, least(700))

    def test_costs_are_those_of_going_through_all_operators(self):
        compared = Counter()
        for name, system, space in small_worlds(sampled(60), MAKERS):
            seeker = Seeker(system, Budget(Limits()))
            # what nobody asks for little of is counted otherwise
            with mock.patch.object(costs_module, "_only_high", return_value=frozenset()):
                costs = Costs(seeker.relaxation, seeker.relaxation.domains(system.start))
            numbers, columns = columns_of(system, space, 6)
            if not numbers:
                continue
            for place, cost in enumerate(costs.of(columns).tolist()):
                with self.subTest(world=name, situation=numbers[place]):
                    slow = slow_cost(seeker.relaxation, columns[:, place].tolist())
                    self.assertEqual(cost, slow)
                compared[cost < FAR] += 1
        self.assertGreater(compared[True], least(700))
        self.assertGreater(compared[False], least(100))

    def test_where_a_win_is_left_it_is_not_far(self):
        live = far = 0
        for name, system, space in small_worlds(sampled(88), MAKERS):
            judged = judge(space)
            seeker = Seeker(system, Budget(Limits()))
            costs = Costs(seeker.relaxation, seeker.relaxation.domains(system.start))
            numbers, columns = columns_of(system, space, 30)
            if not numbers:
                continue
            for number, cost in zip(numbers, costs.of(columns).tolist(), strict=True):
                if number in judged.live:
                    live += 1
                    with self.subTest(world=name, situation=number):
                        self.assertLess(cost, FAR)
                far += cost == FAR
        self.assertGreater(live, least(2_800))
        self.assertGreater(far, least(500))


class ManyRooms(unittest.TestCase):
    def search(self, system):
        seeker = Seeker(system, Budget(Limits()))
        return BroadSearch(seeker, seeker.rooms.room(seeker.rooms.start())), seeker

    def test_it_wins_what_can_be_won_and_nothing_else(self):
        won = lost = over = 0
        for name, system, space in small_worlds(sampled(88), MAKERS):
            if space.packing.unpack([space.words[0]])[ENDING]:
                # there is no play of a game that is over
                self.assertIsNone(self.search(system)[0].run())
                over += 1
                continue
            search, seeker = self.search(system)
            path = search.run()
            with self.subTest(world=name):
                self.assertEqual(path is not None, judge(space).verdict != "unwinnable")
            lost += path is None
            if path is None:
                continue
            won += 1
            # it can be played: each exit from where the one before it has led
            hunt = Hunt(seeker)
            word = seeker.rooms.start()
            for step in hunt.spelled_out(path):
                word = seeker.rooms.after(word, step)
            self.assertTrue(seeker.rooms.is_won(word))
        self.assertGreater(over, 0)
        self.assertGreater(won, least(200))
        self.assertGreater(lost, least(40))

    def test_it_goes_on_after_a_share_of_work(self):
        text = SHOP.replace("kind: money, max: 40", "kind: money, max: 900").replace("6,", "400,")
        whole, _ = self.search(compile_world(loads(text)))
        parts, seeker = self.search(compile_world(loads(text)))
        shares = 0
        path = None
        while path is None:
            try:
                with seeker.budget.within(30_000):
                    path = parts.run()
            except WorkSpent:
                shares += 1
        self.assertGreater(shares, 3)
        self.assertEqual(path, whole.run())

    def test_amounts_beyond_what_is_looked_at_value_by_value_are_left_to_others(self):
        system = compile_world(loads(SHOP.replace("max: 40", "max: 4000")))
        self.assertIsNotNone(self.search(system)[0].run())
        system = compile_world(loads(SHOP.replace("max: 40", "max: 6000")))
        self.assertIsNone(self.search(system)[0].run())

    def test_what_costs_mislead_about_is_won_by_what_is_drawn_or_new(self):
        shares = ("DRAWN", "NEW_VALUES", "NEW_PAIRS", "NEW_WHEN_DONE")
        # work, and the shares without which it takes more
        for world, work, without in (
            ("icewatch", 1_000_000, shares),
            ("balloon", 3_100_000, shares[3:]),
        ):
            system = compile_world(load(str(ROOT / f"benchmarks/written/{world}.yaml")))
            search, seeker = self.search(system)
            with self.subTest(world=world), seeker.budget.within(work):
                self.assertIsNotNone(search.run())
            search, seeker = self.search(system)
            with (
                mock.patch.multiple(frontier_module, **dict.fromkeys(without, 0)),
                self.subTest(world=world),
                self.assertRaises(WorkSpent),
                seeker.budget.within(work),
            ):
                search.run()

    def test_days_that_go_by_are_nothing_new(self):
        system = compile_world(load(str(ROOT / "benchmarks/written/salvage.yaml")))
        search, seeker = self.search(system)
        with self.assertRaises(WorkSpent), seeker.budget.within(200_000):
            search.run()
        counted = [system.variables[n].key for n in search._made.frontier.novelty.counted]
        self.assertIn(("meter", "bends"), counted)
        self.assertNotIn(("meter", "day"), counted)

    def test_it_has_its_turn_where_plans_are_in_vain(self):
        # three courses in sixteen hours: plans think that there is time for everything
        text = str(ROOT / "benchmarks/written/kitchen.yaml")
        for search, is_won in ((BroadSearch, True), (NovelSearch, False)):
            budget = Budget(Limits())
            with mock.patch.object(hunt_module, "BroadSearch", search):
                hunt = Hunt(Seeker(compile_world(load(text)), budget))
                try:
                    with budget.within(2_500_000):
                        found = hunt.first_win()
                except WorkSpent:
                    found = False
            self.assertEqual(found, is_won)


if __name__ == "__main__":
    unittest.main()
