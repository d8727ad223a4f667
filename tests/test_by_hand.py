"""`zubrel play` and `zubrel rehearse`, driven as a program; sessions against the proof."""

import json
import random
import unittest

from junitparser import JUnitXml

from tests.program import CASES, ProgramTest
from tests.random_worlds import random_world
from tests.seeds import LONG, sampled
from tests.test_against_reference import scalar, vector, world_of
from zubrel.base.budget import Budget, Limits
from zubrel.compiled.compile import compile_world
from zubrel.explored.space import EndlessSettling
from zubrel.findings.judged import judge
from zubrel.pipeline import load
from zubrel.played.advice import Advice
from zubrel.played.probe import offered_parts, probe
from zubrel.played.session import Session
from zubrel.played.why import lacking
from zubrel.walked.telling import area_text, refusal

WORLD = """\
zubrel: 1
title: A key in the sea
start: {at: quay}
items: {key: Brass key, shell: Shell}
areas:
  quay:
    says: Gulls.
    finds: [key]
    ways: [pier, {to: tower, lock: door}]
  pier:
    says: Planks.
    finds: [shell]
    deeds:
      toss: {name: Throw the key into the sea, takes: key, says: Splash.}
      fish: {chance: [{says: Nothing.}, {odds: 2, adds: {luck: 1}, says: A bite.}]}
  tower: {}
meters: {luck: {to: 2}}
locks:
  door: {needs: key, refuses: [{when: shell, text: A shell is no key.}, The door is locked.]}
endings:
  top: {name: Top of the tower, when: at tower}
"""


def listed_worlds(count):
    """Random worlds that come to rest: seed, world, what search found, every situation."""
    for seed in range(count):
        world = world_of(random_world(seed))
        try:
            space = scalar(compile_world(world))
        except EndlessSettling:
            continue
        yield seed, world, space, space.examples(space.everything, 10**6)


class Rehearse(ProgramTest):
    def rehearse(self, script, *options, code):
        self.write("w.yaml", WORLD)
        self.write("walk.txt", script)
        return self.zubrel("rehearse", "w.yaml", "walk.txt", *options, code=code)

    def test_a_walk_that_goes_as_expected(self):
        script = """\
# without the key
expect impossible door
expect says "The door is locked."
quay_to_pier            # a comment
expect says "Planks."
pier_shell
fish: 2
expect luck = 1 and not key
pier_to_quay
expect impossible door
expect says "no key"
quay_key
expect live
expect possible door
door
expect door is open and quay_key is taken
quay_to_tower
expect ended top
"""
        done = self.rehearse(script, code=0)
        self.assertIn("1 script: 1 as expected, 0 failed", done.stdout)

    def test_a_failure_names_place_expectation_state_and_alternatives(self):
        done = self.rehearse("quay_key\nquay_to_pier\ntoss\n  expect key\n", code=1)
        for words in (
            "walk.txt:4:3",
            "expected: key",
            "not so at Pier",
            "held:     nothing",
            "possible: pier_to_quay, pier_shell",
        ):
            self.assertIn(words, done.stdout)
        failure = json.loads(
            self.rehearse(
                "quay_key\nquay_to_pier\ntoss\nexpect live\n", "--format", "json", code=1
            ).stdout
        )[0]["failure"]
        self.assertEqual((failure["line"], failure["expected"]), (4, "live"))
        self.assertEqual((failure["found"], failure["held"]), ("doomed", []))
        self.assertIn("pier_shell", failure["possible"])

    def test_an_impossible_move_says_what_is_missing(self):
        done = self.rehearse("quay_to_pier\ntoss\n", code=1)
        self.assertIn("takes Brass key", done.stdout)

    def test_unknown_names_and_lines_are_invalid_with_their_place(self):
        for script, place in {
            "quay_kex\n": "walk.txt:1:1",
            "quay_key\nexpect keyy\n": "walk.txt:2:8",
            "expect ended topp\n": "walk.txt:1:1",
            "go there now\n": "walk.txt:1:1",
            "expect says Hello\n": "walk.txt:1:8",
        }.items():
            with self.subTest(script):
                self.assertIn(place, self.rehearse(script, code=2).stderr)

    def test_luck_without_an_outcome_fails_and_says_how_to_write_it(self):
        done = self.rehearse("quay_to_pier\nfish\n", code=1)
        self.assertIn("fish: 1", done.stdout)

    def test_several_scripts_are_one_suite_in_junit_too(self):
        self.write("w.yaml", WORLD)
        self.write("good.txt", "quay_key\n")
        self.write("bad.txt", "quay_key\nexpect not key\n")
        done = self.zubrel("rehearse", "w.yaml", "good.txt", "bad.txt", "--format", "junit", code=1)
        (suite,) = JUnitXml.fromstring(done.stdout.encode())
        self.assertEqual((suite.tests, suite.failures), (2, 1))
        self.assertIn("bad.txt:2:1", next(c.result[0].text for c in suite if c.result))

    def test_a_recorded_walk_is_a_test_that_passes(self):
        walk = "quay_key\nquay_to_pier\nfish: 2\ntoss\n"
        recorded = self.rehearse(walk, "--record", code=0).stdout
        self.assertIn("expect key = 0", recorded)
        self.assertIn('expect says "Splash."', recorded)
        self.rehearse(recorded, code=0)


class Play(ProgramTest):
    def play(self, typed, *options, code=0):
        self.write("w.yaml", WORLD)
        done = self.zubrel("play", "w.yaml", *options, typed=typed)
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout

    def test_a_win_by_numbers_and_ids(self):
        shown = self.play("quay_key\ndoor\nquay_to_tower\n")
        self.assertIn("The end: Top of the tower (a good ending)", shown)
        first = self.play("1\nlook\n")
        self.assertIn("Planks.", first)

    def test_the_move_that_dooms_is_marked_before_and_named_after(self):
        shown = self.play("quay_key\nquay_to_pier\ntoss\nundo\nquit\n")
        self.assertIn("Throw the key into the sea   (no win after this)", shown)
        self.assertIn("can no longer be won since move 3, “Throw the key into the sea”", shown)
        self.assertIn("The game can still be won.", shown.split("> undo")[1])
        self.assertNotIn("no win", self.play("quay_key\nquay_to_pier\n", "--no-hints"))

    def test_why_tells_what_can_never_be_any_more_and_nothing_of_what_can(self):
        shown = self.play("quay_key\nquay_to_pier\nwhy door\ntoss\nwhy\nwhy quay_to_tower\n")
        before, after = shown.split("> toss")
        self.assertIn("> why door\nthe player must be at Quay", before)
        self.assertNotIn("never", before.split("> why door")[1])
        for answer in after.split("> why")[1:]:
            self.assertIn("Move 3, “Throw the key into the sea”, used up Brass key", answer)
            self.assertIn("“Open Door” needs Brass key, which can never be had again.", answer)
        self.assertIn("Name a move", self.play("why\n"))
        self.assertIn("start with --hints", self.play("why\n", "--no-hints"))

    def test_refused_moves_show_the_text_that_applies(self):
        shown = self.play("quay_to_pier\npier_shell\npier_to_quay\nquay_to_tower\nwhy door\n")
        self.assertIn("“The door is locked.”", shown)
        self.assertIn("“A shell is no key.”", shown.split("> pier_to_quay")[1])
        self.assertIn("needs Brass key", shown)

    def test_hint_and_goto_and_save(self):
        shown = self.play("hint\nquay_key\nquay_to_pier\ngoto 1\nredo\nsave walk.txt\n")
        self.assertIn("(quay_key): then a win is 2 moves away", shown)
        self.assertEqual((self.folder / "walk.txt").read_text(), "quay_key\nquay_to_pier\n")
        self.zubrel("rehearse", "w.yaml", "walk.txt", code=0)

    def test_luck_is_asked_for_or_drawn_from_a_seed(self):
        asked = self.play("quay_to_pier\nfish\n2\n")
        self.assertIn("outcome 2 (odds 2): A bite.", asked)
        self.assertIn("Luck 0 → 1", asked)
        drawn = {self.play("quay_to_pier\nfish\nfish\n", "--seed", "7") for _ in range(2)}
        self.assertEqual(len(drawn), 1)

    def test_nonsense_is_answered_and_never_ends_the_game(self):
        shown = self.play("xyzzy\n99\nwhy\ngoto far\nsave\nundo\nredo\nhelp\nquests\nheld\n")
        self.assertIn("There is no “xyzzy”", shown)
        self.assertIn("Nothing to undo.", shown)


def stands_before(walker, rule, situation):
    """Whether a rule is there to be tried, whatever it asks for and whoever is there."""
    here = rule.areas is None or situation["place", ""] in rule.areas
    gone, _ = offered_parts(rule.offered)
    return not situation["ending", ""] and here and all(walker.holds(c, situation) for c in gone)


def situations_of(space, probed, row, before):
    """Those of some situations that a row of a probe is about."""
    group = space.everything
    for column, case in zip(probed.columns, row.cases, strict=True):
        group &= space.where(column.formulas[case])
    return [s for s in before if space.of(s) & group]


class Probe(ProgramTest):
    def probe(self, world, name, *options, code=0):
        self.write("w.yaml", world)
        done = self.zubrel("probe", "w.yaml", name, "--format", "json", *options, code=code)
        return json.loads(done.stdout) if code == 0 else done.stderr

    def test_a_lock_shows_every_combination_that_occurs_with_its_text(self):
        (probed,) = self.probe(WORLD, "door")
        rows = [(row["cases"], row["possible"]) for row in probed["rows"]]
        wanted = [
            ({"Brass key": key, "Shell": shell}, "yes" if key == "1" else "no")
            for key in "01"
            for shell in "01"
        ]
        self.assertEqual(rows, wanted)
        texts = [row["text"] for row in probed["rows"][:2]]
        self.assertEqual(texts, ["The door is locked.", "A shell is no key."])
        self.assertEqual(
            probed["rows"][2]["evidence"], [{"rule": "quay_key", "label": "Take Brass key"}]
        )
        self.assertEqual([a["wants"] for a in probed["asks"]], ["1", ""])
        self.assertEqual(probed["never"], 0)

    def test_amounts_are_probed_at_none_just_under_exactly_and_above(self):
        world = """\
zubrel: 1
start: {at: quay}
items: {shell: Shell}
areas:
  quay: {finds: [shell, shell, shell, shell, shell], ways: [{to: boat, lock: chain}]}
  boat: {}
locks:
  chain: {needs: 3 shell, takes: shell, refuses: Not enough.}
endings: {away: {when: at boat}}
"""
        (probed,) = self.probe(world, "chain")
        found = {row["cases"]["Shell"]: row["possible"] for row in probed["rows"]}
        self.assertEqual(found, {"0": "no", "1": "no", "2": "no", "3": "yes", "4–5": "yes"})
        self.assertEqual(sum(row["situations"] for row in probed["rows"]), 32)

    def test_texts_that_do_not_fit_are_pointed_out(self):
        refuses = "[{when: shell, text: A shell is no key.}, The door is locked.]"
        world = WORLD.replace(f"key, refuses: {refuses}", "[key, shell], refuses: No.")
        (probed,) = self.probe(world, "door")
        self.assertIn("The same text for different lacks: “No.”", probed["remarks"])
        (silent,) = self.probe(world.replace(", refuses: No.", ""), "door")
        self.assertIn("told nothing", silent["remarks"][0])
        self.assertEqual(silent["enough"], [["Brass key", "Shell"]])
        self.assertEqual(silent["not_enough"], [["Brass key"], ["Shell"]])

    def test_both_orders_of_getting_two_things_are_told_when_their_texts_differ(self):
        refuses = "[{when: shell, text: A shell is no key.}, The door is locked.]"
        better = (
            "[{when: shell, text: It wants a key too.}, {when: key, text: And a shell.}, Shut.]"
        )
        world = WORLD.replace(f"key, refuses: {refuses}", f"[key, shell], refuses: {better}")
        (probed,) = self.probe(world, "door")
        (orders,) = probed["remarks"]
        self.assertIn("Brass key before Shell: “Shut.”, then “And a shell.”", orders)
        self.assertIn("Shell before Brass key: “Shut.”, then “It wants a key too.”", orders)

    def test_the_table_is_readable_and_unknown_ids_are_refused(self):
        self.write("w.yaml", WORLD)
        shown = self.zubrel("probe", "w.yaml", "door", "-v", code=0).stdout
        for words in ("Open Door", "The door is locked.", "1 move", "The way to row 2"):
            self.assertIn(words, shown)
        self.assertIn('"door"', self.probe(WORLD, "dor", code=2))

    def test_every_row_of_random_worlds_holds_what_it_says(self):
        rows = 0
        for seed, world, space, everything in listed_worlds(14 if LONG else 9):
            walker = Session(world).walker
            for rule in world.rules:
                probed = next(p for p in probe(space, rule.id, Budget(Limits())) if p.id == rule.id)
                before = [s for s in everything if stands_before(walker, rule, s)]
                with self.subTest(seed=seed, rule=rule.id):
                    self.assertEqual(sum(row.situations for row in probed.rows), len(before))
                    for row in probed.rows:
                        here = situations_of(space, probed, row, before)
                        self.assertEqual(len(here), row.situations)
                        able = sum(walker.possible(rule, s) for s in here)
                        words = "yes" if able == len(here) else "sometimes" if able else "no"
                        self.assertEqual(row.possible, words)
                        self.assertEqual(bool(row.depends), words == "sometimes")
                        if words == "no":  # one row, one text
                            self.assertEqual({refusal(walker, rule, s) for s in here}, {row.text})
                rows += len(probed.rows)
        self.assertGreater(rows, 200 if LONG else 128)

    def test_an_area_is_probed_by_what_its_texts_ask_for(self):
        world = WORLD.replace("says: Planks.", "says: [{when: shell, text: Shells.}, Planks.]")
        (probed,) = self.probe(world, "pier")
        texts = {row["cases"]["Shell"]: row["text"] for row in probed["rows"]}
        self.assertEqual(texts, {"0": "Planks.", "1": "Shells."})
        read = 0
        for seed, world, space, everything in listed_worlds(25 if LONG else 12):
            walker = Session(world).walker
            for area in world.areas:
                (probed,) = probe(space, area, Budget(Limits()))
                before = [s for s in everything if s["place", ""] == area and not s["ending", ""]]
                for row in probed.rows:
                    here = situations_of(space, probed, row, before)
                    with self.subTest(seed=seed, area=area):
                        self.assertEqual({area_text(walker, s) for s in here}, {row.text})
                    read += 1
        self.assertGreater(read, 50 if LONG else 20)

    def test_only_amounts_that_occur_are_told(self):
        world = (
            "zubrel: 1\nstart: {at: quay}\nitems: {coin: {kind: money, max: 20}}\nareas:\n  quay:\n"
            "    finds: [6 coin, 4 coin]\n    ways: [{to: boat, needs: coin >= 9}]\n  boat: {}\n"
            "endings: {away: {when: at boat}}\n"
        )
        (probed,) = self.probe(world, "quay_to_boat")
        self.assertEqual([a["cases"] for a in probed["asks"]], [["0", "4 or 6", "10"]])

    def test_too_many_combinations_are_cut_and_no_limit_is_passed(self):
        facts = [f"f{n}" for n in range(14)]
        begun = ", ".join(f"{f}: false" for f in facts)
        deeds = ", ".join(f"d{n}: {{toggles: f{n}}}" for n in range(14))
        world = (
            f"zubrel: 1\nstart: {{at: quay}}\nfacts: {{{begun}}}\nareas:\n"
            f"  quay: {{deeds: {{{deeds}}}, ways: [{{to: boat, needs: [{', '.join(facts)}]}}]}}\n"
            "  boat: {}\n"
            "endings: {away: {when: at boat}}\n"
        )
        (probed,) = self.probe(world, "quay_to_boat")
        self.assertLessEqual(len(probed["rows"]), 400)
        self.assertIsNone(probed["never"])
        self.assertEqual(probed["remarks"] + probed["enough"], [])
        self.write("w.yaml", world)
        text = self.zubrel("probe", "w.yaml", "quay_to_boat", code=0).stdout
        self.assertIn("more combinations than can be told apart", text)


class AgainstTheProof(unittest.TestCase):
    def test_random_walks_stay_in_the_space_and_agree_with_it(self):
        walked = doomed = 0
        for seed in sampled(60):
            world = world_of(random_world(seed))
            system = compile_world(world)
            try:
                spaces = [scalar(system), vector(system)]
            except EndlessSettling:
                continue
            session, r = Session(world), random.Random(seed)
            advices = [Advice(judge(space), session.walker) for space in spaces]
            for _ in range(12):
                here = session.here
                for space, advice in zip(spaces, advices, strict=True):
                    self.assertEqual(space.count(space.of(here)), 1)
                    self.assertEqual(advice.live(here), advices[0].live(here))
                    hint = advice.next_move(here)
                    first = advices[0].next_move(here)
                    self.assertEqual(hint and hint.moves, first and first.moves)
                    self.assertEqual(hint is not None, advice.live(here))
                doomed += advices[0].doomed(here)
                moves = session.walker.moves(here)
                for rule in world.rules:
                    possible = session.walker.possible(rule, here)
                    self.assertEqual(lacking(session.walker, rule, here) == [], possible)
                if not moves:
                    break
                rule = r.choice(moves)
                session.move(rule, r.choice(rule.outcomes).number)
                walked += 1
        self.assertGreater(walked, 150 if LONG else 60)
        self.assertGreater(doomed, 5)

    def test_undo_and_redo_come_back_to_the_same_situations(self):
        session = Session(load(str(CASES / "lamps.yaml")))
        seen, r = [session.here], random.Random(1)
        for _ in range(12):
            rule = r.choice(session.walker.moves(session.here))
            session.move(rule, rule.outcomes[0].number)
            seen.append(session.here)
        self.assertEqual(len(seen), 13)
        for situation in reversed(seen[:-1]):
            session.undo()
            self.assertEqual(session.here, situation)
        for situation in seen[1:]:
            session.redo()
            self.assertEqual(session.here, situation)


class Cases(ProgramTest):
    def test_the_shortest_win_of_a_case_can_be_rehearsed(self):
        self.write("lamps.yaml", (CASES / "lamps.yaml").read_text(encoding="utf-8"))
        route = json.loads(self.zubrel("route", "lamps.yaml", "--format", "json", code=0).stdout)
        self.write(
            "win.txt", "\n".join(m["rule"] for m in route["moves"]) + "\nexpect ended seen\n"
        )
        self.zubrel("rehearse", "lamps.yaml", "win.txt", code=0)


if __name__ == "__main__":
    unittest.main()
