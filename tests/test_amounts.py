"""What is held: bounds that are never too low, and effects that do what the interpreter does."""

import unittest
from collections import deque
from itertools import product

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from tests.seeds import examples
from tests.test_against_reference import world_of
from zubrel.api import check, loads
from zubrel.base.diagnostics import InvalidInput
from zubrel.checked import keys
from zubrel.compiled.compile import compile_world
from zubrel.explored.packed.stepping import Walking

ITEMS = ("coin", "cord", "lamp")
MOST_LOOKED_AT = 3000
counts = st.integers(1, 3)
amounts = st.dictionaries(st.sampled_from(ITEMS), counts, max_size=2)


def written(amount):
    return [f"{count} {item}" for item, count in sorted(amount.items())]


@st.composite
def economies(draw):
    """Finds, deeds that happen once, and recipes, all in one place; plain data."""
    finds = draw(st.lists(st.sampled_from(ITEMS), max_size=3))
    deeds = draw(st.lists(st.tuples(amounts, amounts), max_size=2))
    recipes = draw(st.lists(st.tuples(amounts, amounts), max_size=3))
    return finds, deeds, recipes


def world_with(finds, deeds, recipes):
    bodies = {
        f"deed_{n}": {"once": True, "takes": written(takes), "gives": written(gives)}
        for n, (takes, gives) in enumerate(deeds)
    }
    mixed = {
        f"mix_{n}": {"takes": written(takes), "gives": written(gives)}
        for n, (takes, gives) in enumerate(recipes)
        if takes
    }
    return {
        "zubrel": 1,
        "start": {"at": "quay"},
        "items": {item: item.title() for item in ITEMS},
        "areas": {"quay": {"finds": finds, "deeds": bodies}},
        "recipes": mixed,
        "endings": {"won": {"when": "at quay and 100 coin and 100 cord"}},
    }


def most_of_all(start, following):
    """The most of each item in all that plays come to; None where that is too much.

    A situation is what is held, and whatever else there is; `following` gives for one of them what
    is taken and given by what can be done there, and what else there is then.
    """
    seen, queue = {start}, deque([start])
    while queue:
        here = queue.popleft()
        held = here[0]
        for (takes, gives), *after in following(*here):
            if all(held[n] >= takes.get(item, 0) for n, item in enumerate(ITEMS)):
                now = tuple(
                    held[n] - takes.get(item, 0) + gives.get(item, 0)
                    for n, item in enumerate(ITEMS)
                )
                if (now, *after) not in seen:
                    seen.add((now, *after))
                    queue.append((now, *after))
        if len(seen) > MOST_LOOKED_AT:
            return None
    return {item: max(s[0][n] for s in seen) for n, item in enumerate(ITEMS)}


def most_held(finds, deeds, recipes):
    """The most of each item in any play, by going through all of them; None where too many."""

    def following(held, lying, undone):
        for n, there in enumerate(lying):
            if there:
                yield ({}, {finds[n]: 1}), (*lying[:n], False, *lying[n + 1 :]), undone
        for n, there in enumerate(undone):
            if there:
                yield deeds[n], lying, (*undone[:n], False, *undone[n + 1 :])
        for recipe in recipes:
            if recipe[0]:
                yield recipe, lying, undone

    start = ((0,) * len(ITEMS), (True,) * len(finds), (True,) * len(deeds))
    return most_of_all(start, following)


class Bounds(unittest.TestCase):
    exact = 0

    @settings(max_examples=examples(120), deadline=None, derandomize=True)
    @given(economies())
    def test_a_bound_is_never_below_what_some_play_holds(self, economy):
        most = most_held(*economy)
        assume(most is not None)
        try:
            world = world_of(world_with(*economy))
        except InvalidInput as refused:
            self.assertEqual({p.code for p in refused.diagnostics} - {"no-bound"}, set())
            return
        for item, held in most.items():
            self.assertGreaterEqual(world.items[item].most, held)
        Bounds.exact += all(world.items[item].most == held for item, held in most.items())

    @classmethod
    def tearDownClass(cls):
        if cls.exact < 30:
            raise AssertionError(f"only {cls.exact} economies had exact bounds")

    def test_a_round_that_gains_has_no_bound_and_one_that_lacks_has(self):
        def refused(*recipes):
            try:
                world_of(world_with(["coin"], [], recipes))
            except InvalidInput as error:
                return {p.code for p in error.diagnostics}
            return set()

        self.assertEqual(
            refused(({"coin": 1}, {"cord": 1}), ({"cord": 1}, {"coin": 2})), {"no-bound"}
        )
        self.assertEqual(refused(({"coin": 1}, {"cord": 1}), ({"cord": 1}, {"coin": 1})), set())


@st.composite
def guarded_deeds(draw):
    """Deeds that can be done again, as far as what they ask for lets them; plain data.

    Each asks for less than so many of an item (or for nothing of the kind), for values of a fact
    (or for none), takes and gives, and sets the fact (or leaves it as it is).
    """
    asked = st.one_of(st.none(), st.tuples(st.sampled_from(ITEMS), counts))
    values = st.one_of(st.none(), st.integers(0, 2))
    deed = st.tuples(asked, values, st.booleans(), amounts, amounts, values)
    return draw(st.lists(deed, min_size=1, max_size=4))


def world_of_deeds(deeds):
    bodies = {}
    for n, (asked, value, other, takes, gives, after) in enumerate(deeds):
        needs = [] if asked is None else [f"{asked[0]} < {asked[1]}"]
        if value is not None:
            needs.append(f"tide {'!=' if other else '='} v{value}")
        body = {"needs": needs, "takes": written(takes), "gives": written(gives)}
        bodies[f"deed_{n}"] = body | ({} if after is None else {"sets": {"tide": f"v{after}"}})
    return {
        "zubrel": 1,
        "start": {"at": "quay"},
        "items": {item: item.title() for item in ITEMS},
        "facts": {"tide": {"values": ["v0", "v1", "v2"]}},
        "areas": {"quay": {"deeds": bodies}},
        "endings": {"won": {"when": "at quay and 100 coin and 100 cord"}},
    }


def most_held_by(deeds):
    """As `most_held`, of deeds as `guarded_deeds` makes them."""

    def following(held, tide):
        for asked, value, other, takes, gives, after in deeds:
            enough = asked is None or held[ITEMS.index(asked[0])] < asked[1]
            fitting = value is None or (tide != value if other else tide == value)
            if enough and fitting:
                yield (takes, gives), tide if after is None else after

    return most_of_all(((0,) * len(ITEMS), 0), following)


class Guarded(unittest.TestCase):
    read = 0

    @settings(max_examples=examples(400), deadline=None, derandomize=True)
    @given(guarded_deeds())
    def test_a_bound_told_by_conditions_is_never_below_what_some_play_holds(self, deeds):
        try:
            world = world_of(world_of_deeds(deeds))
        except InvalidInput as refused:
            self.assertEqual({p.code for p in refused.diagnostics} - {"no-bound"}, set())
            return
        most = most_held_by(deeds)
        self.assertIsNotNone(most, "what is held has an end, so that all plays are gone through")
        for item, held in most.items():
            self.assertGreaterEqual(world.items[item].most, held)
        Guarded.read += 1

    @classmethod
    def tearDownClass(cls):
        if cls.read < 120:
            raise AssertionError(f"only {cls.read} worlds had bounds")

    def test_what_is_only_caught_by_who_has_none_is_held_once(self):
        world = world_of(world_of_deeds([(("coin", 1), None, False, {}, {"coin": 1}, None)]))
        self.assertEqual(world.items["coin"].most, 1)

    def test_what_pays_for_good_is_done_once(self):
        world = world_of(world_of_deeds([(None, 0, False, {}, {"cord": 2}, 1)]))
        self.assertEqual(world.items["cord"].most, 2)

    def test_what_comes_back_can_be_done_again(self):
        deeds = [(None, 0, False, {}, {"cord": 2}, 1), (None, 1, False, {}, {}, 0)]
        with self.assertRaises(InvalidInput):
            world_of(world_of_deeds(deeds))

    def test_what_can_be_put_away_is_caught_again(self):
        data = world_of_deeds([(("coin", 1), None, False, {}, {"coin": 1}, None)])
        data["stores"] = {"chest": {"at": "quay", "limit": 5}}
        with self.assertRaises(InvalidInput):
            world_of(data)


KINDS_OF_ITEM = (
    {"max": 2},
    {"max": 3, "when_full": "waste"},
    {"uses": 2},
    {"uses": 3, "when_full": "waste"},
)
effects = st.fixed_dictionaries(
    {},
    optional={
        "takes": st.lists(st.sampled_from(ITEMS), min_size=1, max_size=2, unique=True),
        "gives": st.lists(st.sampled_from(ITEMS), min_size=1, max_size=2, unique=True),
        "loses": st.lists(st.sampled_from(ITEMS), min_size=1, max_size=2, unique=True),
    },
)


class Effects(unittest.TestCase):
    compared = 0

    @settings(max_examples=examples(120), deadline=None, derandomize=True)
    @given(
        st.tuples(*(st.sampled_from(KINDS_OF_ITEM) for _ in ITEMS)),
        effects,
        st.none() | st.integers(1, 5),
        st.booleans(),
    )
    def test_a_deed_does_from_any_amounts_what_the_interpreter_does(
        self, kinds, body, limit, wears
    ):
        tools = [item for item, kind in zip(ITEMS, kinds, strict=True) if "uses" in kind]
        body = dict(body)
        if wears and tools:
            body["wears"] = tools[:1]
        data = {
            "zubrel": 1,
            "start": {"at": "quay"},
            "items": dict(zip(ITEMS, kinds, strict=True)),
            "areas": {"quay": {"deeds": {"barter": body}}},
            "endings": {"won": {"when": "at quay and 3 coin"}},
        }
        if limit is not None:
            data["carry"] = [{"limit": limit, "of": list(ITEMS)}]
        try:
            system = compile_world(world_of(data))
        except InvalidInput as refused:  # a tool is not worn and taken at once
            self.assertTrue(wears and tools, refused)
            assume(False)
        walking, walker = Walking(system), system.walker
        move = next(m for m in system.moves if m.rule.id == "barter")
        numbers = [system.numbers[keys.held(item)] for item in ITEMS]
        ranges = [range(system.variables[n].high + 1) for n in numbers]
        for held in product(*ranges):
            values = list(system.start)
            for number, amount in zip(numbers, held, strict=True):
                values[number] = amount
            if limit is not None and self._load(kinds, held) > limit:
                continue
            situation = system.situation(values)
            possible = move.rule in list(walker.moves(situation))
            (word,) = walking.packing.pack(values)
            after = walking.after(word, move.steps[0])
            # what changes nothing is no move
            ours = None if after in (None, word) else walking.packing.unpack([after])
            results = list(walker.results(move.rule, situation)) if possible else []
            theirs = [system.values(r.situation) for r in results if r.situation != situation]
            self.assertEqual([] if ours is None else [ours], theirs, (body, held))
            Effects.compared += bool(theirs)

    @staticmethod
    def _load(kinds, held):
        return sum(
            min(1, amount) if "uses" in kind else amount
            for kind, amount in zip(kinds, held, strict=True)
        )

    @classmethod
    def tearDownClass(cls):
        if cls.compared < 300:
            raise AssertionError(f"only {cls.compared} moves were possible")


class Written(unittest.TestCase):
    def test_the_economies_are_worlds_that_can_be_read(self):
        data = world_with(["coin"], [({}, {"cord": 2})], [({"cord": 1}, {"lamp": 1})])
        world = world_of(data)
        self.assertEqual({i: world.items[i].most for i in ITEMS}, {"coin": 1, "cord": 2, "lamp": 2})


class TooMuch(unittest.TestCase):
    """From which amount on a need refuses somebody, as the finding says."""

    TEXT = """
zubrel: 1
start: {at: quay}
items: {shell: {name: Shell, max: 3}}
areas: {quay: {finds: [shell, shell, shell], ways: [{to: isle, needs: %s}]}, isle: {}}
endings: {over: {when: at isle}}
"""

    def test_the_number_is_the_most_that_is_not_too_much(self):
        for needs, most, moves in (("shell <= 2", 2, 3), ("shell < 2", 1, 2), ("shell < 3", 2, 3)):
            found = [f for f in check(loads(self.TEXT % needs)).findings if f.kind == "exact_count"]
            with self.subTest(needs=needs):
                self.assertEqual(len(found), 1)
                self.assertIn(f"refused to who has more than {most} Shell", found[0].message)
                self.assertEqual(len(found[0].evidence), moves)


if __name__ == "__main__":
    unittest.main()
