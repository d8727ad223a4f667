"""Odds: known answers, a slow reference, intervals, and what the command says."""

import csv
import json
import math
import unittest
from contextlib import suppress
from random import Random
from unittest import mock

import numpy as np
from scipy import sparse

from tests.program import ProgramTest
from tests.random_worlds import random_world
from tests.reference import Reference, Restless, TooLarge
from tests.reference_odds import ReferenceOdds, any_move, best_chance, homing_player
from tests.said_worlds import said_world
from tests.small_worlds import small_worlds
from tests.test_against_reference import scalar, vector, world_of
from zubrel import api
from zubrel.base.budget import Budget, Limits, WorkSpent
from zubrel.base.progress import Silence
from zubrel.compiled.compile import compile_world
from zubrel.drawn.draw import draw
from zubrel.findings.dealt import begun
from zubrel.findings.judged import judge
from zubrel.narrated.shares import between, moves, one_in, percent
from zubrel.odds import chain, entangled, odds, perfect
from zubrel.odds.blame import blamed, eliminated
from zubrel.odds.board import board_of
from zubrel.odds.chain import MarkovChain, components
from zubrel.odds.entangled import Unsolved
from zubrel.odds.fates import FOREVER, STUCK, fates_of
from zubrel.odds.field import ListedField, OpenField
from zubrel.odds.odds import OddsOptions, odds_of, players_of
from zubrel.odds.perfect import best_of
from zubrel.odds.players import AIMLESS, CURIOUS, HOMING, PERFECT, PLAYERS, aimless, homing
from zubrel.odds.plays import GOING_ON, interval, simulated
from zubrel.shell import odds_command

HEAD = "zubrel: 1\ntitle: A world\nstart: {at: quay}\n"
LUCK = """\
zubrel: 1
title: Luck
start: {at: quay}
items: {coin: {max: 3}, pass: Pass}
areas:
  quay: {ways: [deck]}
  deck: {}
deeds:
  beg: {at: quay, once: true, gives: 2 coin}
  cast: {at: quay, takes: coin, chance: [{odds: 1, gives: pass}, {odds: 2, says: Nothing.}]}
  sail: {at: deck, needs: pass, ends: away}
endings: {away: Away}
"""
WALKS = {
    "left": "zubrel: 1\ntitle: Two doors\nstart: {at: quay}\nareas:\n  quay: {ways: [RIGHT"
    "{to: pit, one_way: true}, {to: tower, one_way: true}]}\n  pit: {}\n  tower: {}\n"
    "endings: {seen: {when: at tower}}\n",
}


def data_of(text):
    import yaml

    return yaml.safe_load(text)


def board_from(text, engine=scalar):
    return board_of(begun(engine(compile_world(world_of(data_of(text))))))


def budget():
    return Budget(Limits())


def luck_world(seed):
    """Areas between which luck leads; some moves can be made once only."""
    r = Random(seed)
    areas = ["quay", "pier", "hall", "pit", "tower"]
    data = {
        "zubrel": 1,
        "title": "Luck",
        "start": {"at": "quay"},
        "areas": {area: {} for area in areas},
        "deeds": {},
        "endings": {"seen": {"when": "at tower"}},
    }
    for number in range(r.randint(4, 7)):
        area = r.choice(areas[:3])
        chance = [
            {"odds": r.randint(1, 4), "moves_to": r.choice([a for a in areas if a != area])}
            for _ in range(r.choice([1, 2, 2, 3]))
        ]
        data["deeds"][f"deed{number}"] = {"at": area, "chance": chance}
        if r.random() < 0.5:
            data["deeds"][f"deed{number}"]["once"] = True
    return data


def fates_from(text):
    board = board_from(text)
    return fates_of(board, aimless(board), budget())


def purse(start, most, win, lose):
    """A gambler who wins a coin with odds `win` to `lose`, up to `most`, or goes home broke."""
    return (
        HEAD
        + f"areas: {{quay: {{}}}}\nmeters: {{purse: {{from: 0, to: {most}, start: {start}}}}}\n"
        f"deeds:\n  bet: {{at: quay, chance: [{{odds: {win}, adds: {{purse: 1}}}}, "
        f"{{odds: {lose}, adds: {{purse: -1}}}}]}}\n"
        f"endings:\n  rich: {{when: purse = {most}}}\n"
        "  broke: {when: purse = 0, kind: bad}\n"
    )


class KnownAnswers(unittest.TestCase):
    """What books say, by formulas that are exact."""

    def test_a_gambler_is_ruined_as_often_and_as_late_as_huygens_says(self):
        for start, most, win, lose in ((2, 5, 2, 3), (1, 6, 3, 2), (3, 7, 1, 1)):
            with self.subTest(start=start, most=most, win=win, lose=lose):
                fates = fates_from(purse(start, most, win, lose))
                p, ratio = win / (win + lose), lose / win
                if win == lose:
                    rich, length = start / most, start * (most - start)
                else:
                    rich = (1 - ratio**start) / (1 - ratio**most)
                    length = (start - most * rich) / (1 - 2 * p)
                self.assertAlmostEqual(fates.won.share, rich, 12)
                ends = {end.id: end for end in fates.ends}
                self.assertAlmostEqual(ends["broke"].share, 1 - rich, 12)
                together = sum(end.share * end.mean for end in ends.values())
                self.assertAlmostEqual(together, length, 10)
                self.assertLess(fates.error, 1e-12)

    def test_a_collector_draws_as_often_as_harmonic_numbers_say(self):
        for kinds in (2, 4, 6):
            facts = ", ".join(f"f{n}: false" for n in range(kinds))
            drawn = ", ".join(f"{{sets: {{f{n}: true}}}}" for n in range(kinds))
            every = " and ".join(f"f{n}" for n in range(kinds))
            text = (
                HEAD + f"areas: {{quay: {{}}}}\nfacts: {{{facts}}}\n"
                f"deeds: {{draw: {{at: quay, chance: [{drawn}]}}}}\n"
                f"endings: {{full: {{when: {every}}}}}\n"
            )
            with self.subTest(kinds=kinds):
                fates = fates_from(text)
                expected = kinds * sum(1 / n for n in range(1, kinds + 1))
                self.assertAlmostEqual(fates.won.mean, expected, 10)
                self.assertEqual(fates.won.share, 1.0)

    def test_a_fair_maze_takes_the_square_of_its_length(self):
        for long in (1, 4, 9):
            areas = ["  quay: {ways: [a1]}\n"]
            areas += [f"  a{n}: {{ways: [a{n + 1}]}}\n" for n in range(1, long)]
            text = HEAD + "areas:\n" + "".join(areas) + f"  a{long}: {{}}\n"
            text += f"endings: {{out: {{when: at a{long}}}}}\n"
            with self.subTest(long=long):
                fates = fates_from(text)
                self.assertAlmostEqual(fates.won.mean, long**2, 9)
                self.assertEqual(fates.won.share, 1.0)

    def test_where_luck_alone_decides_nobody_does_better(self):
        board = board_from(LUCK)
        best = best_of(board, budget())
        for chances in (aimless(board), homing(board, 0.9)):
            fates = fates_of(board, chances, budget())
            self.assertAlmostEqual(fates.won.share, 5 / 9, 12)
            self.assertEqual([part.id for part in fates.blamed], ["cast"])
            self.assertAlmostEqual(fates.blamed[0].share, 4 / 9, 12)
        self.assertLessEqual(best.least, 5 / 9)
        self.assertGreaterEqual(best.most, 5 / 9)
        self.assertLess(best.most - best.least, 1e-8)
        self.assertEqual((best.falls_at, best.falls_after), ("cast", 1))
        self.assertEqual([part.id for part in best.lost_at], ["cast"])

    def test_half_of_all_plays_take_the_wrong_one_of_two_doors(self):
        fates = fates_from(WALKS["left"].replace("RIGHT", ""))
        ends = {end.id: end.share for end in fates.ends}
        self.assertEqual(ends, {"seen": 0.5, STUCK: 0.5})
        self.assertEqual([(part.id, part.share) for part in fates.lost_in], [("quay", 0.5)])
        self.assertEqual((fates.won.mean, fates.won.quartiles), (1.0, (1, 1, 1)))
        self.assertEqual(fates.curve[-1], (1, 0.5, 0.5))

    def test_who_can_only_walk_about_is_told_to_do_so_for_ever(self):
        text = (
            WALKS["left"].replace("RIGHT", "").replace("pit: {}", "pit: {ways: [well]}\n  well: {}")
        )
        ends = {end.id: end.share for end in fates_from(text).ends}
        self.assertEqual(ends, {"seen": 0.5, FOREVER: 0.5})

    def test_every_deal_is_alike_likely(self):
        text = (
            "zubrel: 1\ntitle: Dealt\nstart:\n  at: quay\n"
            "  deal: {of: [key], over: [quay, pit, well]}\n"
            "items: {key: Key}\nareas:\n  quay: {ways: [{to: pit, one_way: true}]}\n"
            "  pit: {ways: [{to: tower, needs: key, one_way: true}]}\n  tower: {}\n"
            "  well: {ways: [{to: quay, one_way: true}]}\n"
            "endings: {seen: {when: at tower}}\n"
        )
        data = data_of(text)
        data["areas"]["quay"]["ways"] = [{"to": "pit", "one_way": True}]
        reference = Reference(data).explore()
        slow = ReferenceOdds(reference, any_move)
        share, _ = slow.share_and_moves(reference.won)
        board = board_from(text)
        self.assertEqual(int((board.first > 0).sum()), 3)
        fates = fates_of(board, aimless(board), budget())
        self.assertAlmostEqual(fates.won.share, share, 12)
        self.assertTrue(0 < share < 1)
        # with the key in the well no win is left from the start
        share, mean = slow.share_and_moves(reference.doomed)
        self.assertGreater(share, sum(slow.blamed().values()) + 0.1)
        self.assertAlmostEqual(fates.doomed.share, share, 12)
        self.assertAlmostEqual(fates.doomed.mean, mean, 12)
        self.assertEqual(fates.doomed.quartiles, slow.quartiles(reference.doomed))
        self.assertEqual(fates.doomed.quartiles[0], 0)
        known = blamed(board.judged, budget())
        small = blamed(judge(begun(scalar(board.system))), budget())
        for one in (known, small):
            self.assertAlmostEqual(one.doomed, share, 12)
            self.assertAlmostEqual(one.won, fates.won.share, 12)

    def test_what_a_play_has_had_it_does_not_miss(self):
        text = (
            HEAD + "items: {coin: Coin}\nareas:\n"
            "  quay: {finds: [coin], ways: [{to: pier, one_way: true}]}\n  pier: {}\n"
            "deeds:\n  pay: {at: quay, takes: coin}\n  sail: {at: pier, ends: away}\n"
            "endings: {away: Away}\n"
        )
        missed = {part.id: part.share for part in fates_from(text).missed}
        # the first of two moves takes it, or leaves it behind; later nothing is missed
        self.assertEqual(missed["coin"], 0.5)


class AgainstReference(unittest.TestCase):
    """Random worlds: the same as dense equations over the situations of the slow reference."""

    SEEDS = range(14)

    def worlds(self, largest=300, makers=(random_world, said_world)):
        for make in makers:
            for name, system, space in small_worlds(self.SEEDS, [make]):
                if len(space.words) > largest:
                    continue
                seed = int(name.split()[1])
                with suppress(Restless, TooLarge):
                    yield name, system, space, Reference(make(seed)).explore()

    def close(self, mine, slow):
        self.assertAlmostEqual(mine, slow, delta=1e-9 * (1 + abs(slow)))

    def test_fates_of_aimless_and_homing_players(self):
        seen = dict.fromkeys(("won", "doomed", "blamed", "missed", "quartiles"), 0)
        for name, system, space, reference in self.worlds():
            board = board_of(begun(space))
            rank = {}
            for number, move in enumerate(system.moves):
                rank.setdefault(move.rule.id, number)
            players = {
                AIMLESS: (aimless(board), any_move),
                HOMING: (homing(board, 0.6), homing_player(reference, rank.get, 0.6)),
            }
            for player, (chances, choose) in players.items():
                with self.subTest(name, player=player):
                    fates = fates_of(board, chances, budget())
                    slow = ReferenceOdds(reference, choose)
                    self.same(fates, slow, reference, seen)
        self.assertTrue(all(count > 5 for count in seen.values()), seen)

    def same(self, fates, slow, reference, seen):
        for name, fate, there in (
            ("won", fates.won, reference.won),
            ("doomed", fates.doomed, reference.doomed),
        ):
            share, mean = slow.share_and_moves(there)
            self.close(fate.share, share)
            if fate.mean is not None:
                self.close(fate.mean, mean)
                seen[name] += 1
            if fate.quartiles is not None and share > 1e-6:
                self.assertEqual(fate.quartiles, slow.quartiles(there))
                seen["quartiles"] += 1
        ends = {end.id: end.share for end in fates.ends}
        for ending in reference.endings:
            there = {s for s in reference.ended if dict(s)["ending"] == ending}
            self.close(ends.pop(ending, 0.0), slow.share_and_moves(there)[0])
        self.close(ends.pop(STUCK, 0.0), slow.share_and_moves(slow.stuck)[0])
        self.close(ends.pop(FOREVER, 0.0), slow.share_and_moves(slow.forever)[0])
        self.assertEqual(ends, {})
        for parts, others in ((fates.blamed, slow.blamed()), (fates.lost_in, slow.lost_in())):
            known = {part.id: part.share for part in parts}
            self.assertLessEqual(known.keys(), others.keys())
            for subject, share in others.items():
                self.close(known.get(subject, 0.0), share)
                seen["blamed"] += 1
        missed = {part.id: part.share for part in fates.missed}
        every = dict(slow.missed())
        for subject, share in missed.items():
            self.close(share, every[subject])
            seen["missed"] += 1

    def test_the_best_chance_lies_between_its_bounds(self):
        uncertain = 0
        for name, _, space, reference in self.worlds(120, (random_world, luck_world)):
            with self.subTest(name):
                best = best_of(board_of(begun(space)), budget())
                value = best_chance(ReferenceOdds(reference, any_move))
                self.assertLessEqual(best.least, value + 1e-12)
                self.assertGreaterEqual(best.most, value - 1e-12)
                self.assertLess(best.most - best.least, 1e-7)
                self.assertEqual(best.certain, value > 1 - 1e-9)
                uncertain += 0 < value < 1 - 1e-9
        self.assertGreater(uncertain, 5)

    def test_shares_by_elimination_are_those_by_equations(self):
        seen = 0
        for name, system, space in small_worlds(range(40), [random_world]):
            with self.subTest(name):
                small = blamed(judge(begun(space)), budget())
                large = blamed(judge(begun(vector(system))), budget())
                self.assertEqual(small is None, large is None)
                if small is not None:
                    self.close(small.won, large.won)
                    self.assertEqual(small.by_rule.keys(), large.by_rule.keys())
                    for rule, share in small.by_rule.items():
                        self.close(share, large.by_rule[rule])
                        seen += 1
        self.assertGreater(seen, 10)

    def test_what_is_eliminated_is_exact_where_a_difference_would_be_lost(self):
        tiny = 2.0**-60
        rows = {0: {1: 1.0}, 1: {1: 1.0, "a": tiny, "b": 3 * tiny}}
        ends = eliminated(rows, 0, budget())
        self.assertAlmostEqual(ends["a"], 0.25, 15)
        self.assertAlmostEqual(ends["b"], 0.75, 15)

    def test_both_engines_list_the_same_plays(self):
        for name, system, space in small_worlds(range(6), [random_world]):
            with self.subTest(name):
                one, other = board_of(begun(space)), board_of(begun(vector(system)))
                first, second = (fates_of(b, aimless(b), budget()) for b in (one, other))
                self.close(first.won.share, second.won.share)
                self.close(first.doomed.share, second.doomed.share)


class Chains(unittest.TestCase):
    def test_errors_are_bounds_also_where_equations_are_solved_badly(self):
        random = np.random.default_rng(7)
        for size in (3, 20, 60):
            dense = random.random((size, size)) * (random.random((size, size)) < 0.3)
            dense *= 0.97 / np.maximum(dense.sum(axis=1, keepdims=True), 1e-9)
            begun_at = np.zeros(size)
            begun_at[0] = 1
            exact = np.linalg.solve((np.eye(size) - dense).T, begun_at)
            inside = sparse.csr_matrix(dense)
            made = MarkovChain(inside, components(inside), budget())
            visits, error = made.visits(begun_at)
            self.assertLess(abs(visits - exact).sum(), 1e-9)
            self.assertLess(error, 1e-9)
            solve = made.solve
            made.solve = lambda right, turned, solve=solve: solve(right, turned) * 1.001
            visits, error = made.visits(begun_at)
            with self.subTest(size=size):
                self.assertGreaterEqual(error, abs((visits - exact).sum()) - 1e-12)
                self.assertGreater(error, 1e-4)

    def test_components_between_which_nothing_leads_are_solved_together(self):
        random = np.random.default_rng(11)
        sizes = (40, 3, 35, 60, 35)
        dense = np.zeros((sum(sizes) + 2, sum(sizes) + 2))
        dense[0, -1], start = 0.1, 1
        for size in sizes:
            # from the first situation into each, and from each to the last one
            inside = slice(start, start + size)
            dense[inside, inside] = 0.8 * random.dirichlet(np.ones(size), size)
            dense[0, start], dense[start, -1] = 0.1, 0.1
            start += size
        shuffled = random.permutation(len(dense))
        dense = dense[np.ix_(shuffled, shuffled)]
        begun_at = random.random(len(dense))
        exact = np.linalg.solve((np.eye(len(dense)) - dense).T, begun_at)
        inside, solved = sparse.csr_matrix(dense), {}
        for most in (0, 50, 1000):
            with mock.patch.object(chain, "TOGETHER", most):
                made = MarkovChain(inside, components(inside), budget())
            solved[most] = sum(isinstance(p, chain._Tangle) for v in made.levels for p in v.parts)
            visits, error = made.visits(begun_at)
            self.assertLess(abs(visits - exact).sum(), 1e-9)
            self.assertLess(error, 1e-9)
        self.assertEqual(solved, {0: 4, 50: 2, 1000: 1})

    def test_rounds_find_what_factors_and_inverses_find(self):
        board = board_from(purse(7, 20, 2, 3))
        known = fates_of(board, aimless(board), budget())
        answers = set()
        for fill in (1e9, -1):
            with (
                mock.patch.object(chain, "INVERTED", 1),
                mock.patch.object(entangled, "FILL", fill),
            ):
                other = fates_of(board, aimless(board), budget())
            self.assertAlmostEqual(known.won.share, other.won.share, 10)
            answers.add(other.error)
        self.assertEqual(len({known.error, *answers}), 3)

    def test_shares_that_may_be_far_off_are_not_told(self):
        board = board_from(LUCK)
        visits = MarkovChain.visits
        wrong = mock.patch.object(MarkovChain, "visits", lambda c, b: (visits(c, b)[0], 0.01))
        with wrong, self.assertRaises(Unsolved):
            fates_of(board, aimless(board), budget())

    def test_reports_tell_no_share_that_may_be_off_where_it_shows(self):
        judged = judge(begun(vector(compile_world(world_of(data_of(LUCK))))))
        self.assertIsNotNone(blamed(judged, budget()))
        visits = MarkovChain.visits
        wrong = mock.patch.object(MarkovChain, "visits", lambda c, b: (visits(c, b)[0], 0.0001))
        with wrong:
            self.assertIsNone(blamed(judged, budget()))

    def test_a_component_that_hardly_anything_leaves_is_not_solved(self):
        for inside in (np.eye(1), np.array([[0.0, 1.0], [1.0, 0.0]])):
            matrix = sparse.csr_matrix(inside)
            with self.assertRaises(Unsolved):
                MarkovChain(matrix, components(matrix), budget())

    def test_equations_that_do_not_hold_are_not_believed(self):
        inside = sparse.csr_matrix(np.diag([0.5, 0.5, 0.5]))
        broken = mock.patch.object(MarkovChain, "solve", lambda _, right: np.zeros_like(right))
        with broken, self.assertRaises(Unsolved):
            MarkovChain(inside, components(inside), budget())

    def test_situations_in_which_a_player_could_walk_about_are_merged(self):
        text = (
            "zubrel: 1\ntitle: About\nstart: {at: quay}\nareas:\n"
            "  quay: {ways: [pier]}\n  pier: {}\n  pit: {}\n  tower: {}\n"
            "deeds:\n  leap: {at: pier, chance: [{odds: 1, moves_to: tower}, "
            "{odds: 3, moves_to: pit}]}\n"
            "endings: {seen: {when: at tower}}\n"
        )
        best = best_of(board_from(text), budget())
        self.assertAlmostEqual(best.least, 0.25, 8)
        self.assertAlmostEqual(best.most, 0.25, 8)
        components = perfect._Game._components

        def apart(game, edges, owners, choice, choices, spent):
            _, inside = components(game, edges, owners, choice, choices, spent)
            return np.arange(int(game.open.sum())), np.zeros_like(inside)

        without = mock.patch.object(perfect._Game, "_components", apart)
        with without, mock.patch.object(perfect, "BOUND_ROUNDS", 1_000):
            unmerged = best_of(board_from(text), budget())
        # from above, whoever walks about for ever never loses
        self.assertEqual(unmerged.most, 1.0)


class Plays(unittest.TestCase):
    def test_intervals_are_those_of_the_binomial(self):
        def at_least(seen, plays, share):
            chances = (
                math.comb(plays, k) * share**k * (1 - share) ** (plays - k)
                for k in range(seen, plays + 1)
            )
            return sum(chances)

        for seen, plays in ((0, 10), (3, 10), (10, 10), (17, 60), (1, 200)):
            with self.subTest(seen=seen, plays=plays):
                least, most = interval(seen, plays)
                self.assertLessEqual(least, seen / plays)
                self.assertGreaterEqual(most, seen / plays)
                if seen:
                    self.assertAlmostEqual(at_least(seen, plays, least), 0.025, 9)
                else:
                    self.assertEqual(least, 0.0)
                if seen < plays:
                    self.assertAlmostEqual(1 - at_least(seen + 1, plays, most), 0.025, 9)
                else:
                    self.assertEqual(most, 1.0)

    def test_intervals_hold_what_is_exact(self):
        outside = total = 0
        for _, _, space in small_worlds(range(24), [random_world]):
            board = board_of(begun(space))
            exact = fates_of(board, aimless(board), budget())
            seen = simulated(ListedField(board), AIMLESS, 100, None, 3, budget())
            missed = {part.id: part.share for part in exact.missed}
            for parts, known in (
                (seen.missed, missed),
                (seen.lost_in, {part.id: part.share for part in exact.lost_in}),
                (seen.blamed, {part.id: part.share for part in exact.blamed}),
            ):
                self.assertLessEqual({part.id for part in parts}, known.keys())
                for part in parts:
                    least, most = interval(round(part.share * 100), 100)
                    total += 1
                    outside += not least <= known[part.id] <= most
            for estimate, fate in ((seen.won, exact.won), (seen.doomed, exact.doomed)):
                total += 1
                outside += not estimate.least - 1e-9 <= fate.share <= estimate.most + 1e-9
        self.assertGreater(total, 30)
        self.assertLessEqual(outside, 0.05 * total + 2)

    def test_a_field_that_is_not_listed_offers_the_same_moves(self):
        steps = 0
        for name, system, space in small_worlds(range(14), [random_world, said_world]):
            if system.world.deals:
                continue
            listed, free = ListedField(board_of(begun(space))), OpenField(system)
            random, there, here = Random(5), listed.begin(Random(1)), free.begin(Random(1))
            for _ in range(40):
                mine = {c.move: c for c in listed.choices(there)}
                other = {c.move: c for c in free.choices(here)}
                with self.subTest(name):
                    self.assertEqual(mine.keys(), other.keys())
                    self.assertEqual(listed.area(there), free.area(here))
                    self.assertEqual(listed.ending(there), free.ending(here))
                if not mine:
                    break
                move = random.choice(sorted(mine))
                odds_of_each = [sorted(c[move].odds) for c in (mine, other)]
                total = [sum(each) for each in odds_of_each]
                for a, b in zip(*odds_of_each, strict=True):
                    self.assertAlmostEqual(a / total[0], b / total[1])
                if len(mine[move].targets) > 1:
                    break  # which outcome is which is not said
                there, here = mine[move].targets[0], other[move].targets[0]
                steps += 1
        self.assertGreater(steps, 40)

    def test_dealt_items_are_drawn_where_nothing_is_listed(self):
        text = (
            "zubrel: 1\ntitle: Dealt\nstart:\n  at: quay\n  deal: {of: [key], over: [quay, pit]}\n"
            "items: {key: Key}\nareas:\n  quay: {ways: [{to: pit, one_way: true}, "
            "{to: tower, needs: key, one_way: true}]}\n  pit: {}\n  tower: {}\n"
            "endings: {seen: {when: at tower}}\n"
        )
        field = OpenField(compile_world(world_of(data_of(text))))
        begun_in = {field.begin(Random(seed)) for seed in range(20)}
        self.assertEqual(len(begun_in), 2)
        told = simulated(field, AIMLESS, 400, None, 1, budget())
        board = board_from(text)
        exact = fates_of(board, aimless(board), budget()).won.share
        self.assertTrue(told.won.least < exact < told.won.most)
        self.assertIsNone(told.doomed)

    def test_a_seed_says_it_all_and_another_says_something_else(self):
        field = ListedField(board_from(LUCK))
        first, again, other = (
            simulated(field, CURIOUS, 300, None, seed, budget()) for seed in (1, 1, 2)
        )
        self.assertEqual(first, again)
        self.assertNotEqual(first.won.seen, other.won.seen)

    def test_plays_end_when_the_share_is_known_well_enough(self):
        field = ListedField(board_from(LUCK))
        told = simulated(field, AIMLESS, 100_000, 0.06, 1, budget())
        self.assertLess(told.plays, 2_000)
        self.assertLessEqual(told.won.most - told.won.least, 0.12)
        alone = interval(told.won.seen, told.plays)
        # it was looked at several times: each look has to be surer than one alone
        self.assertLess(told.won.least, alone[0])
        self.assertGreater(told.won.most, alone[1])

    def test_curious_players_do_first_what_they_have_not_done(self):
        text = (
            "zubrel: 1\ntitle: Bells\nstart: {at: quay}\nfacts: {a: false, b: false}\nareas:\n"
            "  quay: {ways: [pier, tower]}\n  pier: {}\n  tower: {}\n"
            "deeds:\n  ring: {at: quay, sets: {a: true}}\n  toll: {at: quay, sets: {b: true}}\n"
            "endings: {up: {when: at tower and a and b}}\n"
        )
        field = ListedField(board_from(text))
        told = simulated(field, CURIOUS, 200, None, 1, budget())
        self.assertEqual(told.won.share, 1.0)
        # two bells, then the tower at once, or the pier and back before
        self.assertEqual(told.won.quartiles, (3, told.won.quartiles[1], 5))
        self.assertEqual(told.pace.longest, (1, told.pace.longest[1], 2))
        aimlessly = simulated(field, AIMLESS, 200, None, 1, budget())
        self.assertGreater(aimlessly.won.mean, told.won.mean)
        self.assertGreater(aimlessly.pace.between, told.pace.between)
        self.assertGreater(aimlessly.pace.known, told.pace.known)

    def test_plays_that_never_end_are_given_up_where_nobody_knows(self):
        text = (
            WALKS["left"].replace("RIGHT", "").replace("pit: {}", "pit: {ways: [well]}\n  well: {}")
        )
        system = compile_world(world_of(data_of(text)))
        with mock.patch("zubrel.odds.plays.LONGEST", 50):
            told = simulated(OpenField(system), AIMLESS, 60, None, 1, budget())
        ends = {e.id: e.seen for e in told.ends}
        self.assertEqual(ends.keys(), {"seen", GOING_ON})
        self.assertEqual(sum(ends.values()), 60)


class Stage(unittest.TestCase):
    def of(self, text, names=PLAYERS, **asked):
        system = compile_world(world_of(data_of(text)))
        return odds_of(
            system, OddsOptions(players_of(names, 0.8), 100, **asked), budget(), Silence()
        )

    def test_what_is_too_large_to_be_listed_is_played(self):
        with mock.patch.multiple(odds, SMALL=3, NARROW=3, MANY=4):
            told = self.of(LUCK)
        self.assertIsNone(told.situations)
        kinds = {one.player.name: (one.solved, one.seen, one.best) for one in told.players}
        for name in (AIMLESS, CURIOUS):
            self.assertIsNotNone(kinds[name][1])
        for one in told.players[2:]:
            self.assertEqual(one.left_out, odds.TOO_LARGE)

    def test_what_is_too_entangled_to_be_solved_is_played(self):
        with mock.patch.object(chain, "EQUATIONS", 2):
            told = {one.player.name: one for one in self.of(LUCK).players}
        self.assertIsNotNone(told[AIMLESS].seen)
        self.assertIn("too many", told[HOMING].left_out)
        self.assertIn("too many", told[PERFECT].left_out)

    def test_an_unwinnable_world_has_odds_too(self):
        told = {
            one.player.name: one
            for one in self.of(
                LUCK.replace("needs: pass, ends", "needs: pass and not pass, ends")
            ).players
        }
        self.assertEqual(told[AIMLESS].solved.won.share, 0.0)
        self.assertEqual((told[PERFECT].best.least, told[PERFECT].best.most), (0.0, 0.0))

    def test_limits_end_it(self):
        with self.assertRaises(WorkSpent), (spent := budget()).within(0.5):
            system = compile_world(world_of(data_of(LUCK)))
            odds_of(system, OddsOptions(players_of(PLAYERS, 0.8)), spent, Silence())


class Words(unittest.TestCase):
    def test_shares_are_told_no_more_exactly_than_they_are_known(self):
        for share, error, words in (
            (0.0, 0.0, "none"),
            (1.0, 0.0, "all"),
            (0.5978, 1e-9, "59.8 %"),
            (0.00497, 0.0, "0.50 %"),
            (0.99996, 0.0, "over 99.99 %"),
            (0.00004, 0.0, "under 0.01 %"),
            (0.5, 0.02, "50.0 % ± 2.00 %"),
        ):
            self.assertEqual(percent(share, error), words)

    def test_shares_of_plays_fit_before_the_word(self):
        for share, words in (
            (1.0, "all"),
            (0.996, "nearly all"),
            (0.6, "60 in 100"),
            (0.5, "1 in 2"),
            (1 / 3, "1 in 3"),
            (0.005, "1 in 200"),
            (1e-9, "hardly any"),
        ):
            self.assertEqual(one_in(share), words)

    def test_intervals_are_rounded_outwards(self):
        self.assertEqual(between(0.129, 0.131), "12–14 %")
        self.assertEqual(between(0.995, 1.0), "99–100 %")

    def test_moves_that_are_not_known_are_not_told(self):
        self.assertEqual(moves(13.25, 0.0), "13.2")
        self.assertIsNone(moves(13.25, 1.0))


class Command(ProgramTest):
    def test_all_players_are_told_and_luck(self):
        self.write("w.yaml", LUCK)
        told = self.zubrel("odds", "w.yaml", code=0).stdout
        for words in ("aimless", "curious (of 1,000)", "homing 0.8", "perfect", "55.6 %", "44.4 %"):
            self.assertIn(words, told)
        self.assertIn(
            "Luck decides also for who plays best: at the soonest by move 2, “Cast (cast)”", told
        )
        again = self.zubrel("odds", "w.yaml", code=0).stdout
        self.assertEqual(told, again)

    def test_json_and_csv_have_all_of_it(self):
        self.write("w.yaml", LUCK)
        told = json.loads(self.zubrel("odds", "w.yaml", "--format", "json", code=0).stdout)
        by_name = {one["player"]["name"]: one for one in told["players"]}
        self.assertAlmostEqual(by_name["aimless"]["solved"]["won"]["share"], 5 / 9, 12)
        self.assertEqual(by_name["curious"]["seen"]["plays"], 1_000)
        rows = list(
            csv.DictReader(self.zubrel("odds", "w.yaml", "--format", "csv").stdout.splitlines())
        )
        won = {row["player"]: row for row in rows if row["what"] == "win"}
        self.assertAlmostEqual(float(won["aimless"]["share"]), 5 / 9, 12)
        self.assertLess(float(won["curious"]["least"]), 5 / 9)
        self.assertGreater(float(won["curious"]["most"]), 5 / 9)
        self.assertEqual(
            {row["id"] for row in rows if row["what"] == "loses the last win"}, {"cast"}
        )

    def test_options_choose_players_and_plays(self):
        self.write("w.yaml", LUCK)
        given = ("odds", "w.yaml", "--player", "aimless", "--simulate", "--plays", "50", "--seed")
        told = [self.zubrel(*given, seed, code=0).stdout for seed in ("1", "2")]
        self.assertIn("(50 plays)", told[0])
        self.assertNotIn("curious", told[0])
        self.assertNotEqual(*told)

    def test_the_engine_decides_whether_situations_are_listed(self):
        self.write("w.yaml", LUCK)
        given = ("odds", "w.yaml", "--player", "aimless", "--player", "perfect", "--plays", "20")
        with_sets = self.zubrel(*given, "--engine", "symbolic", code=0).stdout
        self.assertIn("situations are not listed", with_sets)
        self.assertIn("(20 plays)", with_sets)
        self.assertIn(odds.TOO_LARGE, " ".join(with_sets.split()))
        self.assertIn("every one listed", self.zubrel(*given, "--engine", "explicit").stdout)

    def test_what_a_table_has_no_room_for_is_counted(self):
        items = ", ".join(f"i{n}: Item {n}" for n in range(10))
        deeds = "".join(f"  d{n}: {{at: quay, gives: i{n}, once: true}}\n" for n in range(10))
        self.write(
            "w.yaml",
            HEAD.replace("quay}", "quay}\nitems: {" + items + "}")
            + "areas:\n  quay: {ways: [{to: pier, one_way: true}]}\n  pier: {}\n"
            + f"deeds:\n{deeds}  sail: {{at: pier, ends: away}}\nendings: {{away: Away}}\n",
        )
        told = self.zubrel("odds", "w.yaml", "--player", "aimless", code=0).stdout
        found = json.loads(
            self.zubrel("odds", "w.yaml", "--player", "aimless", "--format", "json").stdout
        )
        missed = len(found["players"][0]["solved"]["missed"])
        self.assertGreater(missed, 8)
        self.assertIn(f"and {missed - 8} more; --format json has all of them", told)

    def test_bad_options_are_refused_with_a_way_out(self):
        self.write("w.yaml", LUCK)
        for given, words in (
            (("--homing", "1.5"), "write for example 0.8"),
            (("--homing", "much"), "write for example 0.8"),
            (("--within", "0"), "write for example 0.8"),
            (("--plays", "0"), "0 is not in the range"),
            (("--player", "keen"), "'aimless'"),
        ):
            with self.subTest(given):
                refused = self.zubrel("odds", "w.yaml", *given, code=2)
                self.assertIn(words, refused.stderr)
        self.assertIn("nowhere.yaml", self.zubrel("odds", "nowhere.yaml", code=2).stderr)

    def test_limits_and_worlds_that_never_rest_end_it_cleanly(self):
        self.write("w.yaml", LUCK)
        self.zubrel("odds", "w.yaml", "--max-situations", "3", code=3)
        self.write(
            "e.yaml",
            HEAD
            + "facts: {a: false}\nareas: {quay: {}}\nwhenever: [{when: not a, sets: {a: true}}, "
            "{when: a, sets: {a: false}}]\nendings: {e: {when: a and not a}}\n",
        )
        refused = self.zubrel("odds", "e.yaml", code=2)
        self.assertIn("undo each other for ever", refused.stderr)

    def test_check_orders_softlocks_by_the_plays_that_meet_them(self):
        doors = "{to: well, one_way: true}, {to: hall, one_way: true}, "
        world = (
            WALKS["left"]
            .replace("RIGHT", doors)
            .replace(
                "  tower: {}\n",
                "  tower: {}\n  well: {}\n  hall: {ways: [{to: grave, one_way: true}, "
                "{to: tower, one_way: true}]}\n  grave: {}\n",
            )
        )
        self.write("w.yaml", world)
        told = self.zubrel("check", "w.yaml", code=1).stdout
        heads = [line for line in told.splitlines() if "softlock" in line and "aimless" in line]
        self.assertEqual(len(heads), 3, told)
        self.assertIn("1 in 4 aimless plays", heads[0])
        self.assertIn("hall_to_grave", heads[2])
        self.assertIn("1 in 8 aimless plays", heads[2])
        found = json.loads(self.zubrel("check", "w.yaml", "--format", "json", code=1).stdout)
        self.assertEqual(found["aimless"], {"won": 0.375, "doomed": 0.625})
        shares = {f["subject"]: f["aimless"] for f in found["findings"] if "aimless" in f}
        self.assertEqual(
            shares, {"quay_to_pit": 0.25, "quay_to_well": 0.25, "hall_to_grave": 0.125}
        )
        markdown = self.zubrel("check", "w.yaml", "--format", "markdown", code=1).stdout
        self.assertIn("1 in 8 aimless plays", markdown)

    def test_how_often_is_told_in_fewer_words_where_there_is_no_room(self):
        self.write("w.yaml", WALKS["left"].replace("RIGHT", ""))
        for width, words in (
            (90, "after 1 move, 1 in 2 aimless plays"),
            (75, "after 1 move, 1 in 2 aimless"),
            (55, "after 1 move"),
        ):
            told = self.zubrel("check", "w.yaml", code=1, env={"COLUMNS": str(width)}).stdout
            (head,) = (line for line in told.splitlines() if line.startswith("error  softlock"))
            with self.subTest(width=width):
                self.assertTrue(head.endswith(words), head)

    def test_compare_tells_what_an_edit_changes(self):
        self.write("old.yaml", LUCK)
        self.write("new.yaml", LUCK.replace("2 coin", "3 coin"))
        told = self.zubrel("compare", "old.yaml", "new.yaml").stdout
        self.assertIn("aimless plays: won 55.6 % → 70.4 %; doomed 44.4 % → 29.6 %", told)
        self.assertIn("bad_luck cast: 44.4 % → 29.6 %", told)
        changed = json.loads(
            self.zubrel("compare", "old.yaml", "new.yaml", "--format", "json").stdout
        )
        self.assertEqual([share["subject"] for share in changed["aimless"]], ["cast"])
        self.assertAlmostEqual(changed["new"]["aimless"]["doomed"], 8 / 27, 12)

    def test_pictures_and_the_page_show_where_plays_are_lost(self):
        self.write("w.yaml", LUCK)
        for picture in ("losses", "pace"):
            self.zubrel("draw", "w.yaml", picture, "-o", f"{picture}.png", code=0)
            self.assertEqual((self.folder / f"{picture}.png").read_bytes()[:4], b"\x89PNG")
        self.zubrel("report", "w.yaml", "-o", "w.html", code=0)
        page = (self.folder / "w.html").read_text(encoding="utf-8")
        self.assertIn("44 in 100 aimless plays", page)
        self.assertIn('id="picture-losses"', page)
        self.assertIn("55.6 % are won; in 44.4 % the game goes on with no win left", page)

    def test_python_gets_what_pictures_of_plays_need(self):
        self.write("w.yaml", LUCK)
        told = api.check(api.load(str(self.folder / "w.yaml")), pictures=True)
        self.assertTrue(draw(told, "losses", "svg").startswith(b"<?xml"))
        self.assertIsNone(api.check(api.load(str(self.folder / "w.yaml"))).aimless.to_win)

    def test_the_command_offers_every_player(self):
        self.assertEqual(odds_command.PLAYERS, PLAYERS)


if __name__ == "__main__":
    unittest.main()
