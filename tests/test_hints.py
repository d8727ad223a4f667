"""Hints where nobody can list a world: what is certain about each situation of a play."""

import contextlib
import io
import os
import random
import re
import unittest
from contextlib import contextmanager
from unittest import mock

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.said_worlds import said_world
from tests.seeds import least, sampled
from tests.stress_worlds import passage_world, stress_world, trade_world
from tests.test_against_reference import world_of
from zubrel.api import loads
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.checked.deals import drawn
from zubrel.checked.keys import ENDING
from zubrel.compiled.compile import compile_world
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling
from zubrel.findings.judged import judge
from zubrel.played import far
from zubrel.played.advice import Advice
from zubrel.played.far import FarAdvice
from zubrel.played.session import Session
from zubrel.shell.terminal import Play

MAKERS = (random_world, said_world, stress_world, trade_world, passage_world)
DEALT = """\
zubrel: 1
start: {at: quay, deal: [{of: [key], over: [quay, shed]}]}
items: {key: Key, oil: Oil}
areas:
  quay: {finds: [oil], ways: [shed, {to: tower, lock: gate}]}
  shed: {deeds: {burn: {takes: oil}}}
  tower: {}
locks: {gate: {needs: [key, oil]}}
endings: {lit: {when: at tower}}
"""
LARGE = """\
zubrel: 1
title: The lamp room
start: {at: quay}
items: {oil: Oil}
facts: {FACTS}
areas:
  quay: {finds: [oil], deeds: {burn: {name: Burn the oil, takes: oil}, DEEDS}, ways: [tower]}
  tower: {deeds: {light: {name: Light the lamp, takes: oil, ends: lit}}}
endings: {lit: {name: The lamp burns}}
"""
MANY = 24
"""Levers, which may stand in any way: too many situations for a play to wait for."""


@contextmanager
def nothing_else():
    """No play is found, and sets of values and rooms tell nothing."""
    with (
        mock.patch.object(far.Hunt, "is_lost_for_sure", return_value=False),
        mock.patch.object(far.Hunt, "is_lost", return_value=False),
        mock.patch.object(far.Hunt, "is_live", return_value=False),
        mock.patch.object(far.Hunt, "first_win", return_value=False),
    ):
        yield


def spaces(seeds):
    """Small systems with all their situations, by name."""
    for seed in seeds:
        for make in MAKERS:
            world = world_of(make(seed))
            try:
                space = explore(compile_world(world), Budget(Limits()), Silence())
            except EndlessSettling:
                continue
            yield f"{make.__name__} {seed}", world, space


class AgainstTheProof(unittest.TestCase):
    def setUp(self):
        self.known = self.unknown = self.lost = self.marked = self.hinted = 0

    def walk(self, name, world, space):
        """A play at random, with what is certain of each situation beside what is known of all."""
        r = random.Random(name)
        session = Session(world, drawn(world.deals, r))
        exact = Advice(judge(space), session.walker)
        system = space.system
        advice = FarAdvice(system, session.walker, session.start, Budget(Limits()))
        for _ in range(10):
            here = session.here
            moves = session.walker.moves(here)
            if session.over:
                self.assertIs(advice.live(here), world.endings[here[ENDING]].good)
                self.assertIsNone(advice.next_move(here))
            if not moves:
                return
            with self.subTest(world=name, move=len(session.done)):
                self.compare(advice, exact, session, moves)
            rule = r.choice(moves)
            session.move(rule, r.choice(rule.outcomes).number)

    def compare(self, advice, exact, session, moves):
        here = session.here
        live = advice.live(here)
        if live is None:
            self.unknown += 1
        else:
            self.known += 1
            self.assertEqual(live, exact.live(here))
        for rule in moves:
            if advice.dooms(rule, here):
                self.marked += 1
                self.assertTrue(exact.dooms(rule, here) or not exact.live(here))
        hint = advice.next_move(here)
        self.assertEqual(hint is not None, bool(live))
        if hint is not None:
            self.hinted += 1
            # luck willing, a win is no farther away than that
            after = [r.situation for r in session.walker.results(hint.rule, here)]
            far_off = [exact.distance(exact.judged.space.of(a)) for a in after]
            self.assertLess(min(d for d in far_off if d is not None), hint.moves)
        if live is False:
            self.lost += 1
            self.assertTrue(advice.why_never(session.made()))

    def test_what_is_told_without_a_search_of_everything_is_so(self):
        # what comes after a situation is little in worlds of this size, and would tell everything
        with mock.patch.object(far, "AFTER", 0):
            for world in spaces(sampled(60)):
                self.walk(*world)
        self.assertGreater(self.known, 20 * self.unknown)
        self.assertGreater(self.lost, least(60))
        self.assertGreater(self.marked, least(40))
        self.assertGreater(self.hinted, least(200))

    def test_where_little_comes_after_a_situation_nothing_is_left_open(self):
        with nothing_else():
            for world in spaces(sampled(20)):
                self.walk(*world)
        self.assertEqual(self.unknown, 0)
        self.assertGreater(self.hinted, least(60))
        self.assertGreater(self.lost, least(20))

    def test_what_nobody_could_find_out_is_not_told(self):
        with nothing_else(), mock.patch.object(far, "AFTER", 0):
            for world in spaces(sampled(4)):
                self.walk(*world)
        self.assertGreater(self.unknown, least(20))
        self.assertEqual((self.known, self.hinted, self.marked), (0, 0, 0))

    def test_a_play_begins_after_the_deal(self):
        world = loads(DEALT)
        session = Session(world, {"key": "shed"})
        system = compile_world(world)
        advice = FarAdvice(system, session.walker, session.start, Budget(Limits()))
        # take the oil, walk, take the key, walk, open, walk
        self.assertEqual(advice.next_move(session.start).moves, 6)
        for rule in ("quay_oil", "quay_to_shed", "burn"):
            session.move(session.find(rule))
        self.assertIs(advice.live(session.here), False)
        (first, *_) = advice.why_never(session.made())
        self.assertIn("Move 3, “Burn”, used up Oil", first)


class Terminal(io.StringIO):
    def isatty(self):
        return True


class AtATerminal(unittest.TestCase):
    LINES = ("It was used up by a move of which there is much to say.", "  Nothing gives it again.")

    def said(self, stream):
        with (
            contextlib.redirect_stdout(stream),
            mock.patch("shutil.get_terminal_size", return_value=os.terminal_size((30, 24))),
        ):
            Play(Session(loads(DEALT)), None, None)._explain(self.LINES)
        return re.sub("\x1b\\[[0-9;]*m", "", stream.getvalue()).splitlines()

    def test_reasons_are_broken_between_words_and_stay_set_in(self):
        said = self.said(Terminal())
        self.assertLessEqual(max(map(len, said)), 30)
        self.assertEqual([len(line) - len(line.lstrip()) for line in said], [2, 2, 4])
        self.assertEqual(" ".join(" ".join(said).split()), " ".join(" ".join(self.LINES).split()))

    def test_elsewhere_a_sentence_is_a_line(self):
        self.assertEqual(self.said(io.StringIO()), [f"  {line}" for line in self.LINES])


class InTheProgram(ProgramTest):
    def play(self, typed, *options):
        facts = ", ".join(f"lever_{n}: {{}}" for n in range(MANY))
        deeds = ", ".join(f"pull_{n}: {{toggles: lever_{n}}}" for n in range(MANY))
        self.write("w.yaml", LARGE.replace("FACTS", facts).replace("DEEDS", deeds))
        return self.zubrel("play", "w.yaml", *options, typed=typed, code=0).stdout

    def test_a_large_world_has_hints_which_say_what_they_are(self):
        shown = self.play("hint\nquit\n")
        self.assertIn("This world is large: hints tell what is certain", shown)
        self.assertIn("“Take Oil” (quay_oil): then a win is at most 2 moves away.", shown)
        self.assertIn("The game can still be won.", shown)

    def test_the_move_that_took_the_last_win_away_is_blamed_and_the_reason_told(self):
        shown = self.play("quay_oil\nburn\nwhy\nhint\nundo\nquit\n")
        before, after = shown.split("> burn")
        self.assertRegex(before, r"Burn the oil +\(no win after this\)")
        self.assertIn("can no longer be won since move 2, “Burn the oil”", after)
        self.assertIn("Move 2, “Burn the oil”, used up Oil", after)
        self.assertIn("There is no win from here", after)
        self.assertNotIn("pull_0 (no win", shown)

    def test_hints_that_are_not_wanted_are_not_looked_for(self):
        shown = self.play("quay_oil\nburn\nhint\nquit\n", "--no-hints")
        self.assertNotIn("win", shown)


if __name__ == "__main__":
    unittest.main()
