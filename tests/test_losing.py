"""What a win loses for good on its way can be missed, as all situations of small worlds tell."""

import unittest
from collections import deque

from tests.random_worlds import random_world
from tests.said_worlds import said_world
from tests.seeds import sampled
from tests.small_worlds import small_worlds
from tests.stress_worlds import passage_world, stress_world, trade_world
from zubrel.base.budget import Budget, Limits
from zubrel.certain.losing import lost_by
from zubrel.certain.wins import Seeker
from zubrel.explored.packed.stepping import Walking
from zubrel.explored.space import Trace
from zubrel.findings.detectors.missable import missables, missed_on, walks_without
from zubrel.findings.judged import judge

MAKERS = (random_world, stress_world, trade_world, passage_world, said_world)


def played(seeds):
    """(name, judged situations, some wins) of small worlds with a win and no deal."""
    for name, system, space in small_worlds(seeds, MAKERS):
        judged = judge(space)
        if judged.won and not system.world.deals:
            yield name, judged, list(wins_of(judged))


def wins_of(judged):
    """Wins by way of some situations, soon or late, from where one is left."""
    space, walks = judged.space, judged.space.walks()
    live = sorted(judged.live)
    for number in live[:: 1 + len(live) // 5]:
        there = walks.shortest(frozenset({number}))
        yield (*there.steps, *onward(judged, space.words[number]))


def onward(judged, word):
    """The fewest steps from a packed situation to a win."""
    walking, won = Walking(judged.system), {judged.space.words[n] for n in judged.won}
    came, waiting = {word: ()}, deque([word])
    while waiting:
        here = waiting.popleft()
        if here in won:
            return came[here]
        for step in judged.system.player_steps:
            after = walking.after(here, step)
            if after is not None and after not in came:
                came[after] = (*came[here], step)
                waiting.append(after)
    raise AssertionError("a win is left there")


def losses(seeds):
    """(name, judged situations, win, thing, loss) of some wins."""
    for name, judged, wins in played(seeds):
        things = list(missables(judged.system))
        seeker = Seeker(judged.system, Budget(Limits()))
        for win in wins:
            for lost in lost_by(win, things, judged.space.holds_somewhere, seeker):
                yield name, judged, win, things[lost.thing], lost


def missed_of(judged, thing):
    """Where a thing is had, from where it can be had, and where it is missed for good."""
    space = judged.space
    has = space.where(thing.attained)
    (can,) = space.reaching([has])
    walks, never = walks_without(judged, thing, has)
    return has, can, ((judged.live - can) & walks.reached) - never


class Losing(unittest.TestCase):
    def test_whatever_it_tells_is_missed_there_and_was_in_reach_before_what_closes_it(self):
        seen = dict.fromkeys(("lasting", "marked", "unmarked", "closed", "not closed"), 0)
        for name, judged, win, thing, lost in losses(sampled(40)):
            with self.subTest(world=name, thing=thing.subject):
                space = judged.space
                has, can, missed = missed_of(judged, thing)
                play = Trace(win[: lost.moves])
                self.assertTrue(space.at_end_of(play) & missed)
                # nobody has had it on the way there, where no mark would tell that
                if not thing.lasting and thing.ever is None:
                    self.assertFalse(space.meets(play, has))
                before = space.at_end_of(Trace(play.steps[:-1]))
                if lost.closes:
                    self.assertTrue(before & (can - has))
                finding = missed_on(thing, play, lost.closes)
                self.assertEqual([c.rule for c in finding.closings], closers(play, lost))
            seen["closed" if lost.closes else "not closed"] += 1
            marked = "marked" if thing.ever is not None else "unmarked"
            seen["lasting" if thing.lasting else marked] += 1
        self.assertGreater(min(seen.values()), 0, seen)

    def test_what_no_play_is_known_to_have_is_told_only_where_one_is_found(self):
        told = found = 0
        for name, judged, wins in played(sampled(20)):
            things = list(missables(judged.system))
            seeker = Seeker(judged.system, Budget(Limits()))
            for win in wins:
                every = list(lost_by(win, things, lambda _: True, seeker))
                known = list(lost_by(win, things, lambda _: False, seeker))
                with self.subTest(world=name):
                    self.assertEqual(known, [lost for lost in every if lost.closes])
                told, found = told + len(every), found + len(known)
        self.assertGreater(told, found)
        self.assertGreater(found, 10)


def closers(play, lost):
    return [play.steps[-1].rule.id] if lost.closes else []
