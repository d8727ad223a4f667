"""What is told of moves that doom once a proof knows what leads to a win: true, and more of it."""

import unittest
from unittest import mock

import yaml
from msgspec.structs import replace

from tests.deadline_worlds import deadline_world
from tests.errand_worlds import errand_world
from tests.random_worlds import random_world
from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.certain.hunt import Hunt
from zubrel.certain.leaving import Leaving
from zubrel.certain.stage import Looking
from zubrel.certain.wins import Seeker
from zubrel.compiled.compile import compile_world
from zubrel.explored.backward.space import BackwardSpace
from zubrel.explored.packed.stepping import Walking
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.judged import judge
from zubrel.looks import EarlyLooks
from zubrel.pipeline import _through_a_lens
from zubrel.policy import CERTAIN_JUDGED
from zubrel.quotient import making
from zubrel.quotient.lens import Lens

MAKERS = (random_world, stress_world, trade_world, passage_world, errand_world, deadline_world)
WORK = 300_000


def worlds(seeds):
    """Small worlds that can be won, and whose proof may be looked at: no items are dealt."""
    for name, system, space in small_worlds(seeds, MAKERS):
        judged = judge(space)
        if judged.won and not system.world.deals:
            yield name, system, judged


def proof_of(early):
    """What sets closed backwards tell of the world that was made smaller."""
    reduced = early.reduced_to_its_end(Budget(Limits()))
    space = BackwardSpace(reduced.system, Budget(Limits()))
    judged = judge(Lens(early.system, reduced, space))
    return space.holding(judged.live | judged.won)


def looked(system, proved):
    """What is known after two looks of which only what the smaller world tells counts."""
    early = EarlyLooks(system, Budget(Limits()), Silence())
    if proved:
        early.judged(proof_of(early))
    looking = Looking(system, Budget(Limits()), early._made_smaller)
    # plays of the whole world may win it, and find nothing that dooms
    looking.leaving.run = lambda: None
    looking.go_on(WORK)
    return looking.go_on(WORK)


class Proved(unittest.TestCase):
    def test_what_is_told_by_a_proof_of_the_smaller_world_is_true_of_the_whole(self):
        with_proof = without = every = 0
        for name, system, judged in worlds(sampled(60_000, 60_060)):
            exact = {(f.kind, f.subject) for f in softlocks(judged)}
            known = looked(system, True)
            told = {(d.kind, d.step.rule.id) for d in known.dooms}
            with self.subTest(world=name):
                self.assertLessEqual(told, exact)
                self._play(system, judged, known)
            with_proof += len(told)
            without += len(looked(system, False).dooms)
            every += len(exact)
        self.assertGreater(every, least(120))
        self.assertGreater(with_proof, 0.9 * every)
        self.assertGreater(with_proof, without)

    def _play(self, system, judged, known):
        walking = Walking(system)
        for doom in known.dooms:
            lost = judged.space.of(system.situation(list(doom.after)))
            self.assertTrue(lost & judged.doomed)
            word = walking.start()
            for step in doom.walk:
                word = walking.after(word, step)
            self.assertEqual(walking.packing.unpack([word]), list(doom.after))

    def test_a_situation_is_lost_exactly_where_all_situations_say_so(self):
        asked = lost = 0
        for name, system, judged in worlds(sampled(61_000, 61_020)):
            space, words = BackwardSpace(system, Budget(Limits())), judged.space.words
            backwards = judge(space)
            leads_to_win = space.holding(backwards.live | backwards.won)
            able = judged.live | judged.won
            for number in range(0, len(words), 1 + len(words) // 40):
                values = judged.space.packing.unpack([words[number]])
                is_able = bool(judged.space.of(system.situation(values)) & able)
                with self.subTest(world=name, situation=number):
                    self.assertEqual(leads_to_win(values), is_able)
                asked, lost = asked + 1, lost + (not is_able)
        self.assertGreater(asked, least(2_000))
        self.assertGreater(lost, least(150))

    def test_who_believes_a_proof_asks_neither_sets_of_values_nor_every_room(self):
        refused = 0
        for name, system, judged in worlds(sampled(62_000, 62_020)):
            seeker = Seeker(system, Budget(Limits()))
            hunt, rooms = Hunt(seeker), seeker.rooms
            hopeful = [
                w
                for w in judged.space.words
                if not w & rooms.ended and not hunt.is_lost(rooms.room(w))
            ]
            if not hopeful:
                continue
            # whatever was thought of it before
            seeker.plan(rooms.room(hopeful[0]))
            lost = rooms.room(hopeful[0]).name
            seeker.believe(lambda word, lost=lost: word == lost)
            seeker.relaxation = seeker.timing = hunt.exhausting = None
            with self.subTest(world=name):
                self.assertTrue(hunt.is_lost_for_sure(rooms.room(lost)))
                self.assertIsNone(seeker.plan(rooms.room(lost)))
                others = [rooms.room(w) for w in hopeful if rooms.room(w).name != lost]
                self.assertFalse(any(hunt.is_lost_for_sure(room) for room in others))
            refused += 1
        self.assertGreater(refused, least(40))


WORLD = """
zubrel: 1
title: Two lenses
start: {at: quay}
items: {lens: Lens, coin: {kind: money, max: 3}}
areas:
  quay: {finds: [lens], ways: [stall, {to: tower, needs: lens}]}
  stall: {}
  tower: {}
shops: {dealer: {at: stall, buys: {lens: 2}}}
endings: {lit: {when: at tower}}
"""
DEALT = WORLD.replace("finds: [lens], ", "").replace(
    "{at: quay}", "{at: quay, deal: [{of: [lens], over: [quay, stall]}]}"
)


def looks_at(text):
    """The looks beside a proof of a world in YAML."""
    system = compile_world(world_of(yaml.safe_load(text)))
    return EarlyLooks(system, Budget(Limits()), Silence())


class Shared(unittest.TestCase):
    def looks_of(self, text):
        """The looks beside a proof that goes backwards at once."""
        early = looks_at(text)
        with mock.patch.object(making, "FORWARD", 1), mock.patch.object(making, "BACKWARD", 1e9):
            _through_a_lens(early.system, early.budget, Silence(), early)
        return early

    def test_whoever_looks_aside_is_told_what_leads_to_a_win(self):
        early = self.looks_of(WORLD)
        self.assertTrue(early.proved.leads_to_win(early.reduced.system.start))
        hunt = Looking(early.system, Budget(Limits()), early._made_smaller)
        hunt.leaving.run = lambda: None
        hunt.go_on(WORK)
        hunt.go_on(WORK)
        self.assertTrue(hunt.in_smaller.hunt.seeker.is_proved)
        self.assertEqual([d.step.rule.id for d in hunt.found().dooms], ["dealer_sell_lens"])

    def test_what_was_told_in_vain_is_told_again(self):
        early = looks_at(WORLD)
        looking = Looking(early.system, Budget(Limits()), early._made_smaller)
        whole = looking.hunt
        # sets of values know little of the whole world, and nothing is found there
        whole.is_lost_for_sure = lambda room: room.name in whole.lost
        looking.leaving.run = lambda: None
        looking.go_on(WORK)
        looking.go_on(WORK)
        self.assertTrue(looking.in_smaller.hunt.dooms)
        self.assertEqual(looking.found().dooms, ())
        early.judged(proof_of(early))
        looking.go_on(WORK)
        self.assertEqual([d.step.rule.id for d in looking.found().dooms], ["dealer_sell_lens"])

    def test_nothing_is_told_where_the_whole_world_knows_of_no_win_before_it(self):
        early = looks_at(WORLD)
        early.judged(proof_of(early))
        looking = Looking(early.system, Budget(Limits()), early._made_smaller)
        looking.leaving.run = lambda: None
        looking.hunt.is_live = lambda *asked: False
        looking.go_on(WORK)
        looking.go_on(WORK)
        self.assertTrue(looking.in_smaller.hunt.dooms)
        self.assertEqual(looking.found().dooms, ())

    def test_plays_are_made_shorter_by_what_is_proved_and_told_again(self):
        early = looks_at(WORLD)
        looking = Looking(early.system, Budget(Limits()), early._made_smaller)
        looking._make_smaller()
        smaller, told = looking.in_smaller, []
        smaller._tell = lambda doom: told.append(len(doom.walk))
        with mock.patch("zubrel.certain.smaller.Shortener") as shortener:
            smaller.run()
            smaller.shorten()
            shortener.assert_not_called()
            early.judged(proof_of(early))
            smaller.run()
            smaller.shorten()
            shortener.assert_called_once_with(smaller.hunt)
        (key, doom) = next(iter(smaller.hunt.dooms.items()))
        smaller.hunt.dooms = {key: replace(doom, walk=doom.walk * 3)}
        smaller.tell()
        smaller.hunt.dooms = {key: replace(doom, walk=doom.walk * 2)}
        smaller.tell()
        smaller.tell()
        self.assertEqual(told, [3 * len(doom.walk), 2 * len(doom.walk)])

    def test_of_a_world_with_deals_nothing_is_told(self):
        self.assertIsNone(self.looks_of(DEALT).proved)

    def test_exits_are_left_by_what_is_proved_whatever_a_plan_thinks_of_them(self):
        text = WORLD.replace("[lens]", "[lens, shell]").replace(
            "{lens: Lens", "{lens: Lens, shell: A"
        )
        hunt = Hunt(Seeker(looks_at(text).system, Budget(Limits())))
        hunt.first_win()
        for proved in (False, True):
            with self.subTest(proved=proved):
                if proved:
                    start = hunt.start.name
                    hunt.seeker.believe(lambda word, start=start: word != start)
                Leaving(hunt)._leave(hunt.start, None)
                dooms = [doom.step.rule.id for doom in hunt.dooms.values()]
                # to pick up a shell dooms nobody, but for whoever is told so
                self.assertEqual(dooms, ["quay_shell"] if proved else [])

    def test_a_look_comes_soon_after(self):
        early, looked = looks_at(WORLD), []
        early.judged(lambda values: True)
        early._look = lambda work, whole=True: looked.append((work, whole))
        after, work = CERTAIN_JUDGED
        early.budget.spend(after - 1)
        self.assertEqual(looked, [])
        early.budget.spend(after)
        self.assertEqual(looked, [(work, True)])
        # the proof says so in each of its turns
        early.budget.nothing_meanwhile()
        early.judged(lambda values: True)
        early.budget.spend(2 * after)
        early.budget.spend(2 * after)
        self.assertEqual(len(looked), 1)

    def test_none_comes_where_the_moves_that_doom_are_proved(self):
        early, looked = looks_at(WORLD), []
        early._look = lambda work, whole=True: looked.append((work, whole))
        early.decided("softlocks", [])
        early.budget.spend(10 * CERTAIN_JUDGED[0])
        early.judged(lambda values: True)
        early.budget.spend(10 * CERTAIN_JUDGED[0])
        self.assertEqual(looked, [])


if __name__ == "__main__":
    unittest.main()
