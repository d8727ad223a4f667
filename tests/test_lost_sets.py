"""Sets around what is lost hold nothing that can be won, and plays that skirt them find dooms."""

import unittest
from itertools import pairwise
from unittest import mock

from msgspec.structs import replace

from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.certain import generalizing, lost_sets
from zubrel.certain.hunt import Hunt
from zubrel.certain.leaving import LONG, Leaving
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.judged import judge

MAKERS = (stress_world, trade_world, passage_world)
LAMPS = """
zubrel: 1
start: {at: quay}
items:
  lens: {name: Lens, max: 5}
  shell: Shell
  oil: Oil
  bag: Bag
areas:
  quay:
    finds: [shell, lens, {item: lens, id: second}, {item: lens, id: third}]
    deeds:
      throw: {name: Throw a lens into the sea, takes: lens}
      drop: {name: Throw the oil away, takes: oil}
    ways: [store, {to: tower, needs: "3 lens and oil"}]
  store: {finds: [oil, bag]}
  tower: {}
endings: {lit: {name: Lit, when: at tower}}
"""
"""Three lenses are all that there are, and all of them are needed."""
WITHOUT_OIL = ("quay_to_store", "store_oil", "store_to_quay", "drop")
SIGNS = """
zubrel: 1
start: {at: quay}
items: {lens: Lens, oil: Oil, bell: Bell, rope: Rope}
areas:
  quay:
    finds: [lens, oil, bell, rope]
    deeds:
      smash: {name: Smash the lens, takes: lens}
      spill: {name: Spill the oil, takes: oil}
      sink: {name: Sink the bell, takes: bell}
    ways: [{to: tower, needs: [rope, "2 of (lens, oil, bell)"]}]
  tower: {}
endings: {lit: {name: Lit, when: at tower}}
"""
"""Two of three things will do."""
TIDE = """
zubrel: 1
start: {at: quay}
items: {lens: Lens}
meters: {tide: {to: 50, start: 0}}
areas:
  quay:
    finds: [lens]
    deeds:
      wait: {name: Wait, needs: lens, adds: {tide: 1}}
      smash: {name: Smash the lens, takes: lens}
    ways: [{to: tower, needs: "tide >= 40"}]
  tower: {}
endings: {lit: {name: Lit, when: at tower}}
"""
"""What is counted up is gone back along by ones."""
FULL = """
zubrel: 1
start: {at: quay}
carry: [{limit: 2}]
items: {stone: {name: Stone, max: 2}, lens: Lens, oil: Oil}
areas:
  quay:
    finds: [{item: stone, again: always}, lens, oil]
    ways: [{to: tower, needs: "lens and oil"}]
  tower: {}
endings: {lit: {name: Lit, when: at tower}}
"""
"""A stone is never put down again, and takes the place of what is needed."""


def in_words(system, found):
    """A set as the values of what it asks for, by the ids of the variables."""
    said = {}
    for part in found:
        variable = system.variables[part.variable]
        values = [variable.low + n for n in range(variable.size) if part.mask >> n & 1]
        said[" ".join(map(str, variable.key)).strip()] = values
    return said


def played(text, rules):
    """What looks for wins of a world, and where a play of it comes to that follows these rules."""
    seeker = Seeker(compile_world(loads(text)), Budget(Limits()))
    word = seeker.rooms.start()
    for rule in rules:
        links = {seeker.system.steps[n].rule.id: after for n, after in seeker.rooms.links(word)}
        word = links[rule]
    return seeker, word


class ByHand(unittest.TestCase):
    def around(self, text, *rules):
        """The set around where a play comes to that follows these rules."""
        seeker, word = played(text, rules)
        values = seeker.rooms.values(word)
        found = seeker.lost_sets.generalizing.around(seeker.relaxation.domains(values))
        return None if found is None else in_words(seeker.system, found)

    def test_what_was_used_up_is_all_that_matters(self):
        set_of_oil = self.around(LAMPS, *WITHOUT_OIL)
        self.assertEqual(set_of_oil, {"place": [0, 1], "held oil": [0], "taken store_oil": [1]})

    def test_what_adds_up_to_too_little_is_known_by_how_much_is_left(self):
        found = self.around(LAMPS, "quay_lens", "second", "throw")
        # one is held, and one lies there: the two that were picked up are not there again
        self.assertEqual(
            found,
            {"place": [0, 1], "held lens": [0, 1], "taken quay_lens": [1], "taken second": [1]},
        )

    def test_of_several_that_will_do_as_many_matter_as_leave_too_few(self):
        plays = ["quay_lens", "smash", "quay_oil", "spill"]
        found = self.around(SIGNS, *plays)
        gone = {"held lens": [0], "taken quay_lens": [1], "held oil": [0], "taken quay_oil": [1]}
        self.assertEqual(found, {"place": [0], **gone})
        # with the third gone too, two of them are enough to tell it
        found = self.around(SIGNS, *plays, "quay_bell", "sink")
        self.assertEqual(len(found), len(gone) + 1)

    def test_where_pockets_are_full_for_good_what_fills_them_matters(self):
        found = self.around(FULL, "quay_stone", "quay_stone")
        self.assertEqual(found, {"place": [0], "held stone": [2], "held lens": [0]})

    def test_what_would_take_too_long_is_given_up(self):
        plays = ["quay_lens", "wait", "smash"]
        found = self.around(TIDE, *plays)
        self.assertEqual((found["held lens"], found["taken quay_lens"]), ([0], [1]))
        with mock.patch.object(generalizing, "MOST_DENIED", 3):
            self.assertIsNone(self.around(TIDE, *plays))

    def test_around_what_can_be_won_there_is_none(self):
        self.assertIsNone(self.around(LAMPS))
        self.assertIsNone(self.around(FULL, "quay_lens"))

    def test_a_guess_that_the_relaxation_does_not_confirm_is_none(self):
        with mock.patch.object(generalizing._Denying, "denied", return_value={}):
            self.assertIsNone(self.around(FULL, "quay_stone", "quay_stone"))


class InRandomWorlds(unittest.TestCase):
    def test_nothing_that_can_be_won_is_in_a_set(self):
        denied = found = held = 0
        for name, system, space in small_worlds(sampled(200), MAKERS):
            live = judge(space).live
            seeker = Seeker(system, Budget(Limits()))
            sets, rooms = seeker.lost_sets, seeker.rooms
            words = [word for word in space.words if not rooms.is_over(word)]
            for word in words[:: 1 + len(words) // 40]:
                known = len(sets.sets)
                if seeker.may_win(word) or not sets.waiting:
                    continue
                # what no set holds so far waits for one
                sets.learn(1)
                denied, found = denied + 1, found + len(sets.sets) - known
            numbers = {word: number for number, word in enumerate(space.words)}
            for word in words:
                with self.subTest(world=name, word=word):
                    literally = any(all(rooms.has(word, p) for p in s) for s in sets.sets)
                    self.assertEqual(sets.hold(word), literally)
                    if literally:
                        self.assertNotIn(numbers[word], live)
                        held += 1
        self.assertGreater(denied, least(300))
        # around all but a few
        self.assertGreater(found, 0.95 * denied)
        # most of what they hold was never asked about
        self.assertGreater(held, 8 * denied)

    def test_no_more_are_kept_than_there_is_room_for(self):
        kept = {1: 0, 2: 0}
        for _, system, space in small_worlds(sampled(100), MAKERS):
            for most in kept:
                seeker = Seeker(system, Budget(Limits()))
                with mock.patch.object(lost_sets, "MOST_SETS", most):
                    for word in space.words:
                        if not seeker.rooms.is_over(word):
                            seeker.may_win(word)
                            seeker.lost_sets.learn(1)
                known = len(seeker.lost_sets.sets)
                self.assertLessEqual(known, most)
                kept[most] = max(known, kept[most])
        self.assertEqual(kept, {1: 1, 2: 2})

    def test_around_what_is_in_a_set_none_is_looked_for(self):
        seeker, word = played(LAMPS, WITHOUT_OIL)
        sets = seeker.lost_sets
        for _ in range(2):
            sets.waiting.append(word)
            sets.learn(1)
            self.assertEqual((len(sets.sets), len(sets.waiting)), (1, 0))

    def test_plays_keep_out_of_them(self):
        held = steps = 0
        for name, system, _ in small_worlds(sampled(100), MAKERS):
            hunt = Hunt(Seeker(system, Budget(Limits())))
            if not hunt.first_win():
                continue
            leaving, sets = Leaving(hunt), hunt.seeker.lost_sets
            for _ in range(20):
                leaving._skirt()
            for _ in range(20):
                line = leaving.skirting.play(hunt.start, lambda room, exit_: False)
                for (room, _), (there, exit_) in pairwise(line):
                    with self.subTest(world=name):
                        self.assertIn(exit_, room.exits)
                        self.assertFalse(sets.hold(exit_.target))
                        self.assertIs(hunt.rooms.room(exit_.target), there)
                    held += sum(sets.hold(e.target) for e in room.exits)
                    steps += 1
        self.assertGreater(steps, least(2000))
        self.assertGreater(held, least(200))

    def test_a_known_doom_is_worth_a_look_where_its_play_is_long_and_this_one_is_not(self):
        looked = 0
        for _, system, _ in small_worlds(sampled(100), MAKERS):
            hunt = Hunt(Seeker(system, Budget(Limits())))
            if not hunt.first_win():
                continue
            leaving = Leaving(hunt)
            for _ in range(20):
                leaving._skirt()
            for room, ((place, by_luck), doom) in zip(hunt.edges, hunt.dooms.items(), strict=True):
                steps = {s.number for s in system.moves[place].steps}
                for exit_ in [] if by_luck else [e for e in room.exits if e.step in steps]:
                    self.assertFalse(leaving._is_worth_a_look(room, exit_))
                    far = replace(doom, walk=(doom.walk[-1],) * (LONG + 1))
                    with mock.patch.dict(hunt.dooms, {(place, False): far}):
                        self.assertTrue(leaving._is_worth_a_look(room, exit_))
                    with mock.patch.dict(hunt.dooms, clear=True):
                        self.assertTrue(leaving._is_worth_a_look(room, exit_))
                        # what reductions know to be harmless is not
                        with mock.patch.object(leaving, "bearing", frozenset()):
                            self.assertFalse(leaving._is_worth_a_look(room, exit_))
                    looked += 1
        self.assertGreater(looked, least(6))

    def test_plays_that_skirt_them_find_most_moves_that_doom(self):
        dooms = every = 0
        for name, system, space in small_worlds(sampled(200), MAKERS):
            judged = judge(space)
            hunt = Hunt(Seeker(system, Budget(Limits())))
            if not hunt.first_win():
                continue
            leaving = Leaving(hunt)
            exact = {(f.kind, f.subject) for f in softlocks(judged)}
            for _ in range(60):
                leaving._skirt()
            told = {(d.kind, d.step.rule.id) for d in hunt.dooms.values()}
            with self.subTest(world=name):
                self.assertLessEqual(told, exact)
            dooms, every = dooms + len(told), every + len(exact)
        self.assertGreater(every, least(120))
        self.assertGreater(dooms, 0.85 * every)
