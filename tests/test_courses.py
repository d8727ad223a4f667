"""What wins elsewhere as well, and hunts in a smaller world: nothing is believed unplayed."""

import unittest

from benchmarks.delta import delta

from tests.seeds import least, sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.certain.hunt import Hunt
from zubrel.certain.leaving import Leaving
from zubrel.certain.smaller import Smaller, SmallerHunt
from zubrel.certain.stage import Looking
from zubrel.certain.wins import Seeker
from zubrel.checked.keys import ENDING
from zubrel.compiled.compile import compile_world
from zubrel.findings.detectors.softlocks import softlocks
from zubrel.findings.judged import judge
from zubrel.looks import EarlyLooks
from zubrel.narrated.replay import walked_along

MAKERS = (stress_world, trade_world, passage_world)
SPARE = """
zubrel: 1
start: {at: quay}
items: {coin: {name: Coin, kind: money, max: 9}, lens: {name: Lens, max: 2}}
areas:
  quay: {finds: [LENSES], ways: [market]}
  market: {ways: [{to: lamp, needs: lens}]}
  lamp: {}
shops: {stall: {at: market, buys: {lens: 4}}}
endings: {won: {name: Won, when: at lamp}}
"""

SOONER = SPARE.replace("when: at lamp", "when: at lamp or 2 lens")
RUM = """
zubrel: 1
start: {at: quay}
meters: {rum: {to: 2}}
areas:
  quay: {deeds: {drink: {adds: {rum: 1}, once: false}}, ways: [lamp]}
  lamp: {}
endings: {won: {when: at lamp}, asleep: {kind: bad, when: rum = 2}}
"""


def hunting(system):
    hunt = Hunt(Seeker(system, Budget(Limits())))
    return hunt if hunt.first_win() else None


def of(text, lenses):
    return compile_world(loads(text.replace("LENSES", lenses)))


class Courses(unittest.TestCase):
    def test_who_follows_one_wins_wherever_it_is_said_to(self):
        kept = sooner = refused = 0
        for name, system, space in small_worlds(sampled(24), MAKERS):
            hunt = hunting(system)
            if hunt is None:
                continue
            judged, numbers = judge(space), {word: n for n, word in enumerate(space.words)}
            live, rooms = hunt.live, hunt.rooms
            others = [rooms.room(n) for n in live.found[:: 1 + len(live.found) // 4]]
            for number in range(0, len(space.words), 1 + len(space.words) // 40):
                word = space.words[number]
                if rooms.is_over(word) or rooms.room(word).name in live.known:
                    continue
                room = rooms.room(word)
                like = next((o for o in others if hunt.wins_like(room, o)), None)
                if like is None:
                    refused += 1
                    continue
                kept += 1
                sooner += len(live.steps(word)) < len(live.steps(like.name))
                for area in room.areas:
                    here = word & ~rooms.place | area
                    with self.subTest(world=name, situation=number, area=area):
                        # a win that was played cannot be denied by all situations
                        self.assertIn(numbers[here], judged.live)
                        for step in live.steps(here):
                            here = dict(rooms.links(here))[step]
                        self.assertTrue(rooms.is_won(here))
        self.assertGreater(kept, least(300))
        self.assertGreater(sooner, least(30))
        self.assertGreater(refused, least(20))

    def test_the_end_of_a_course_is_shared(self):
        hunt = hunting(of(SPARE, "lens, lens"))
        known = hunt.live.known[hunt.start.name]
        taken = [e for e in hunt.start.exits if e.step != known.step]
        self.assertEqual(len(taken), 1)
        # the other lens is taken first, and then the one that the win takes, before it goes on
        there = hunt.behind(hunt.start, taken[0])
        self.assertTrue(hunt.wins_like(there, hunt.start))
        self.assertIs(hunt.live.known[there.name], known)

    def exit_by(self, hunt, room, rule):
        (exit_,) = (e for e in room.exits if hunt.system.steps[e.step].rule.id == rule)
        return exit_

    def test_it_ends_where_it_wins_sooner_than_the_other_one(self):
        hunt = hunting(of(SOONER, "lens, lens"))
        known = [hunt.system.steps[n].rule.id for n in hunt.live.steps(hunt.start.name)]
        (taken,) = (e for e in hunt.start.exits if e.step != hunt.live.known[hunt.start.name].step)
        there = hunt.behind(hunt.start, taken)
        self.assertTrue(hunt.wins_like(there, hunt.start))
        self.assertEqual(known, ["quay_lens", "quay_to_market", "market_to_lamp"])
        # both lenses are enough
        steps = hunt.live.steps(there.name)
        self.assertEqual([hunt.system.steps[n].rule.id for n in steps], known[:1])

    def test_what_would_end_the_game_badly_is_left_out(self):
        hunt = hunting(compile_world(loads(RUM)))
        drink = self.exit_by(hunt, hunt.start, "drink")
        there = hunt.behind(hunt.start, drink)
        hunt.live.known.clear()
        hunt.remember([drink, self.exit_by(hunt, there, "quay_to_lamp")], hunt.start)
        # the win that is known begins with a drink, and a second one would be too much
        del hunt.live.known[there.name]
        self.assertTrue(hunt.wins_like(there, hunt.start))
        steps = hunt.live.steps(there.name)
        self.assertEqual([hunt.system.steps[n].rule.id for n in steps], ["quay_to_lamp"])


SOON = 300_000
"""Work in which a win is known, or is not."""


class Smallers(unittest.TestCase):
    def looking(self, system):
        looks = EarlyLooks(system, Budget(Limits()), Silence())
        return Looking(system, Budget(Limits()), looks._made_smaller)

    def test_sluices_do_not_hold_up_a_first_win(self):
        # a plan sets a sluice both ways at once; by itself the whole world is not won so soon
        system = compile_world(loads(delta("m", 2, False)))
        looks = EarlyLooks(system, Budget(Limits()), Silence())
        easier = Looking(system, Budget(Limits()), looks._made_smaller, looks._made_easier)
        win = easier.for_a_win(SOON).win
        self.assertIsNotNone(win)
        end = walked_along(system.walker, win)[-1].after[ENDING]
        self.assertTrue(system.world.endings[end].good)
        self.assertIsNone(Looking(system, Budget(Limits())).for_a_win(SOON).win)

    def test_of_two_levers_that_do_the_same_the_one_that_helps_is_found(self):
        system = compile_world(loads(delta("m", 3, True)))
        self.assertIsNotNone(Looking(system, Budget(Limits())).for_a_win(SOON).win)

    def test_what_has_no_levers_is_not_made_easier(self):
        looks = EarlyLooks(of(SPARE, "lens"), Budget(Limits()), Silence())
        self.assertIsNone(looks._made_easier(Budget(Limits())))

    def test_what_is_found_in_smaller_worlds_dooms_in_the_whole(self):
        told = found = 0
        for name, system, space in small_worlds(sampled(80), MAKERS):
            exact = {(f.kind, f.subject) for f in softlocks(judge(space))}
            looking = self.looking(system)
            looking.go_on(2_000)
            # only what was found in the smaller world: the whole one is not looked around in
            looking.leaving.run = lambda: None
            looking.go_on(150_000)
            known = looking.go_on(150_000)
            dooms = {(d.kind, d.step.rule.id) for d in known.dooms}
            with self.subTest(world=name):
                self.assertLessEqual(dooms, exact)
            if looking.in_smaller is not None:
                found += len(looking.in_smaller.hunt.dooms)
                told += len(dooms)
        self.assertGreater(found, least(30))
        self.assertGreater(told, 0.6 * found)

    def test_only_what_may_doom_is_tried_once_that_is_known(self):
        system = of(SPARE, "lens")
        numbers = {step.rule.id: step.number for step in system.steps}
        for rule, found in (("stall_sell_lens", 1), ("quay_lens", 0)):
            hunt = hunting(system)
            leaving = Leaving(hunt)
            leaving.only_by(frozenset((numbers[rule],)))
            with self.subTest(may_doom=rule):
                self.assertEqual(leaving.aims, [numbers[rule]])
                # by exits alone: plays at random find out by themselves what dooms
                for room in list(hunt.live.names):
                    leaving._leave(hunt.rooms.room(room), None)
                self.assertEqual(len(hunt.dooms), found)

    def test_a_smaller_world_is_not_believed(self):
        # in one of them the only lens is sold, and in the other there is another one
        whole, liar = of(SPARE, "lens, lens"), of(SPARE, "lens")
        ids = {step.rule.id: step for step in whole.steps}

        def spelled_out(steps):
            # the one find of it has the name of the first of two
            names = [s.rule.id for s in steps]
            return [ids[n] if n in ids else ids[f"{n}_1"] for n in names]

        hunt = hunting(whole)
        smaller = SmallerHunt(hunt, Smaller(liar, spelled_out, frozenset()), Budget(Limits()))
        smaller.run()
        smaller.tell()
        self.assertEqual([d.step.rule.id for d in smaller.hunt.dooms.values()], ["stall_sell_lens"])
        self.assertEqual(hunt.dooms, {})

    def test_a_play_that_is_none_in_the_whole_tells_nothing(self):
        system = of(SPARE, "lens")

        def refused(steps):
            raise ValueError("not possible in the whole world")

        hunt = hunting(system)
        smaller = SmallerHunt(hunt, Smaller(system, refused, frozenset()), Budget(Limits()))
        self.assertFalse(smaller.first_win())
        smaller.run()
        smaller.tell()
        self.assertTrue(smaller.hunt.dooms)
        self.assertEqual(hunt.dooms, {})

    def test_a_play_that_does_not_win_the_whole_is_no_win(self):
        system = of(SPARE, "lens")
        for first in range(3):
            hunt = Hunt(Seeker(system, Budget(Limits())))
            smaller = Smaller(system, lambda steps, first=first: steps[:first], frozenset())
            with self.subTest(moves=first):
                self.assertFalse(SmallerHunt(hunt, smaller, Budget(Limits())).first_win())
                self.assertEqual(hunt.live.names, [])

    def test_a_win_that_is_known_of_the_smaller_world_alone_wins_the_whole(self):
        won = 0
        for name, system, space in small_worlds(sampled(12), MAKERS):
            looking = self.looking(system)
            looking._first_win = lambda: None
            looking.go_on(2_000)
            known = looking.go_on(300_000)
            with self.subTest(world=name):
                if not judge(space).won:
                    self.assertIsNone(known.win)
                elif known.win is not None:
                    walker, here = system.walker, system.walker.start()
                    for step in known.win:
                        results = walker.results(step.rule, here)
                        here = next(r.situation for r in results if r.outcome is step.outcome)
                    self.assertTrue(system.world.endings[here[ENDING]].good)
                    won += 1
        self.assertGreater(won, least(20))


if __name__ == "__main__":
    unittest.main()
