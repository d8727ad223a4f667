"""Conditions as authors write them: parsed, resolved and compiled, they mean what they say."""

import operator
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.seeds import examples
from zubrel.authored.document import document_of
from zubrel.base.source import Source
from zubrel.checked import keys
from zubrel.checked.check import check
from zubrel.compiled.compile import compile_world
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import pack_into_one
from zubrel.narrated.words import phrase
from zubrel.routes import asked_condition

WORLD = """
zubrel: 1
start: {at: quay}
items: {oil: {name: Oil, max: 3}, rope: {name: Rope, max: 2}}
facts: {tide: {values: [low, mid, high]}, bell: {}}
meters: {water: {from: -2, to: 4, start: 0}}
areas:
  quay:
    finds: [oil, oil, oil, rope, rope]
    ways: [{to: pier, lock: gate}]
    deeds:
      ring: {toggles: bell, adds: {water: 1}}
      flood: {sets: {tide: high}, adds: {water: -1}}
      wait: {sets: {tide: mid}}
  pier: {}
locks: {gate: {name: Gate, needs: oil}}
endings: {won: {when: at pier and bell}}
"""
COMPARED = {
    "<": operator.lt,
    "<=": operator.le,
    "=": operator.eq,
    "!=": operator.ne,
    ">=": operator.ge,
    ">": operator.gt,
}
DOCUMENT = document_of(Source.of("w.yaml", WORLD), WORLD)
TIDES = ["low", "mid", "high"]
items = st.sampled_from(["oil", "rope"])
signs = st.sampled_from(list(COMPARED))


@st.composite
def tests_of_one_thing(draw):
    """A text, and a function that tells whether it is so in a situation with names."""
    kind = draw(st.sampled_from(["held", "enough", "item", "meter", "fact", "bell", "at", "open"]))
    number, sign = draw(st.integers(0, 4)), draw(signs)
    item, area = draw(items), draw(st.sampled_from(["quay", "pier"]))
    value = draw(st.sampled_from(TIDES))
    match kind:
        case "held":
            return f"{item} {sign} {number}", lambda s: COMPARED[sign](s["held", item], number)
        case "enough":
            return f"{number + 1} {item}", lambda s: s["held", item] >= number + 1
        case "item":
            return item, lambda s: s["held", item] >= 1
        case "meter":
            return f"water {sign} {number}", lambda s: COMPARED[sign](s["meter", "water"], number)
        case "fact":
            same = draw(st.sampled_from(["=", "!="]))
            number = TIDES.index(value)
            return f"tide {same} {value}", lambda s: COMPARED[same](s["fact", "tide"], number)
        case "bell":
            return "bell", lambda s: s["fact", "bell"] == 1
        case "at":
            return f"at {area}", lambda s: s[keys.PLACE] == area
    return "gate is open", lambda s: s["open", "gate"] == 1


@st.composite
def larger(draw, parts):
    kind = draw(st.sampled_from(["and", "or", "not", "any", "all", "count"]))
    inner = draw(st.lists(parts, min_size=2, max_size=3))
    texts, truths = [t for t, _ in inner], [f for _, f in inner]
    listed, enclosed = ", ".join(texts), [f"({text})" for text in texts]
    least = draw(st.integers(1, len(inner)))
    match kind:
        case "and":
            return " and ".join(enclosed), lambda s: all(f(s) for f in truths)
        case "or":
            return " or ".join(enclosed), lambda s: any(f(s) for f in truths)
        case "not":
            return f"not {enclosed[0]}", lambda s: not truths[0](s)
        case "any":
            return f"any of ({listed})", lambda s: any(f(s) for f in truths)
        case "all":
            return f"all of ({listed})", lambda s: all(f(s) for f in truths)
    return f"{least} of ({listed})", lambda s: sum(bool(f(s)) for f in truths) >= least


conditions = st.recursive(tests_of_one_thing(), larger, max_leaves=8)


def resolved(text):
    """The condition in a world that knows it, and that world's system."""
    world = check(DOCUMENT, [asked_condition("--to", text)])
    return world.asked[0], compile_world(world)


class Texts(unittest.TestCase):
    @settings(max_examples=examples(150), deadline=None, derandomize=True)
    @given(conditions, st.data())
    def test_a_condition_holds_where_its_words_say(self, condition, data):
        text, expected = condition
        asked, system = resolved(text)
        packing = pack_into_one(system.variables)
        (test,) = Kernel(system.variables, packing, 1).tests([system.formula(asked)])
        for _ in range(4):
            values = [data.draw(st.integers(v.low, v.high)) for v in system.variables]
            situation = system.situation(values)
            truth = bool(expected(situation))
            self.assertEqual(system.walker.holds(asked, situation), truth, text)
            self.assertEqual(bool(test(*packing.pack(values))), truth, text)

    @settings(max_examples=examples(60), deadline=None, derandomize=True)
    @given(conditions, st.data())
    def test_denied_twice_it_is_what_it_was(self, condition, data):
        text, _ = condition
        once, system = resolved(text)
        twice, _ = resolved(f"not (not ({text}))")
        values = [data.draw(st.integers(v.low, v.high)) for v in system.variables]
        situation = system.situation(values)
        self.assertEqual(
            system.walker.holds(once, situation), system.walker.holds(twice, situation), text
        )

    @settings(max_examples=examples(60), deadline=None, derandomize=True)
    @given(conditions)
    def test_it_can_be_put_into_words_without_a_sign_of_ours(self, condition):
        text, _ = condition
        asked, system = resolved(text)
        words = phrase(system.world, asked)
        self.assertTrue(words)
        for sign in ("(nothing)", "Holds", "Cond", "<zubrel"):
            self.assertNotIn(sign, words)

    def test_and_binds_tighter_than_or(self):
        asked, system = resolved("bell or oil and rope")
        names = {v.key: n for n, v in enumerate(system.variables)}
        values = list(system.start)
        values[names["fact", "bell"]] = 1
        self.assertTrue(system.walker.holds(asked, system.situation(values)))
        values[names["fact", "bell"]] = 0
        values[names["held", "oil"]] = 1
        self.assertFalse(system.walker.holds(asked, system.situation(values)))


if __name__ == "__main__":
    unittest.main()
