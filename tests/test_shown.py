"""What is shown is what was proved, counted as it stands, and can be read where it is shown."""

import contextlib
import io
import json
import re
import subprocess
import sys
import unittest
from urllib.parse import unquote

from benchmarks.families import market, quests
from msgspec.structs import replace
from rich.console import Console

from tests.program import DEMO, ProgramTest
from tests.seeds import LONG
from tests.test_outputs import WORLD
from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.source import Source
from zubrel.checked.check import check
from zubrel.drawn.draw import draw, inline, lacking
from zubrel.drawn.letters import drawable, with_letters
from zubrel.explored.space import Distance, Trace
from zubrel.findings.find import Conclusions, find
from zubrel.findings.judged import judge
from zubrel.narrated.difference import difference
from zubrel.narrated.doing import asked_by
from zubrel.narrated.narrate import narrate
from zubrel.narrated.words import length, moment
from zubrel.output.differences import difference_as_json, difference_as_markdown
from zubrel.output.overview import write_overview
from zubrel.output.page import page
from zubrel.output.text import write_report
from zubrel.output.walks import closing_words
from zubrel.pipeline import load, report, survey

SHORE = """\
zubrel: 1
title: Two bars on a door
start: {at: quay}
items: {pick: {uses: 2}, lamp: {uses: 3}, shell: Shell, stone: Stone}
areas:
  quay: {finds: [pick, lamp, shell], ways: [{to: mine, lock: bars}, {to: shed, lock: hatch}]}
  mine: {ways: [{to: pit, one_way: true}], finds: [stone]}
  pit: {ways: [deep]}
  deep: {}
  shed: {}
locks:
  bars: {wears: [pick, lamp]}
  hatch: {either: [{wears: [pick, lamp]}, {takes: shell}]}
quests:
  post: {order: in_turn, goals: [{visit: shed}, {collect: 1 shell}, {do: bars}]}
meters: {luck: {to: 3, start: 1}}
endings: {bottom: {name: Deep down, when: at deep}}
"""


def world_of(text, path="w.yaml"):
    return check(document_of(Source.of(path, text), text))


def report_on(text, **options):
    return report(world_of(text), Budget(Limits(**options)), None, True, True)


class Conditions(unittest.TestCase):
    def test_parts_of_one_rule_are_joined_by_and_alternatives_by_or(self):
        world = world_of(SHORE)
        rules = {name: [r for r in world.rules if r.owner == name] for name in ("bars", "hatch")}
        self.assertEqual(asked_by(world, rules["bars"]), "wears Pick and wears Lamp")
        self.assertEqual(
            asked_by(world, rules["hatch"]), "wears Pick and wears Lamp or takes Shell"
        )
        passages = report_on(SHORE).sketch.atlas.passages
        asks = {p.end: p.asks for p in passages}
        self.assertEqual(asks["mine"], "Bars (wears Pick and wears Lamp)")


class AtMost(unittest.TestCase):
    """A world beyond the layers of its diagrams, and the same with numbers told to be unproved."""

    def test_words_for_what_was_and_was_not_proved(self):
        self.assertEqual(length(1, True), "1 move")
        self.assertEqual(length(8, False), "at most 8 moves")
        self.assertEqual(moment(Distance(8)), "move 8")
        self.assertEqual(moment(Distance(8, False)), "by move 8")
        self.assertEqual(moment(Distance(8), later=True), "move 8 or later")
        self.assertEqual(moment(Distance(8, False), later=True), "by move 8")

    def test_a_space_without_patience_proves_no_walk_to_be_the_shortest(self):
        world = world_of(SHORE)
        exact = survey(world, Budget(Limits(engine="symbolic")))
        hasty = survey(world, Budget(Limits(engine="symbolic")))
        hasty.patience = hasty.reserve = 0
        sure, rough = (narrate(find(s, True, True), lambda: 0.0) for s in (exact, hasty))
        self.assertTrue(sure.shortest_win.shortest)
        self.assertFalse(rough.shortest_win.shortest)
        self.assertGreaterEqual(len(rough.shortest_win.moves), len(sure.shortest_win.moves))
        for one, other in zip(sure.progress.windows, rough.progress.windows, strict=True):
            self.assertEqual(one.first is None, other.first is None)
            if one.first is not None and one.first.steps:
                self.assertTrue(one.first.fewest and not other.first.fewest)
                self.assertLessEqual(one.first.steps, other.first.steps)
        closing = [[p for f in told.findings for p in f.points] for told in (sure, rough)]
        for one, other in zip(*closing, strict=True):
            self.assertTrue(one.shortest and not other.shortest)
            self.assertIn("at the earliest as move", closing_words(one))
            self.assertRegex(closing_words(other), r"can close it, by move \d+ or sooner\.")
        self.assertTrue(closing[0])
        shown = page(rough, [], "", "")
        self.assertRegex(shown, r'aria-label="by move \d+, may be closed by move \d+"')
        self.assertNotIn("from by", shown)
        self.assertRegex(page(sure, [], "", ""), r"from move \d+, may be closed from move \d+")
        order = {(a, m.id) for m in sure.progress.must_haves for a in m.after}
        self.assertEqual(order, {(a, m.id) for m in rough.progress.must_haves for a in m.after})
        drawn = draw(rough, "windows", "svg").decode()
        self.assertIn("<svg", drawn)
        compared = difference(sure, rough)
        self.assertIn("at most", difference_as_markdown(compared))
        self.assertFalse(json.loads(difference_as_json(compared))["new"]["shortest"])

    def test_both_ends_find_what_layers_from_the_start_find(self):
        world = world_of(quests(2))
        space, other = (survey(world, Budget(Limits(engine="symbolic"))) for _ in range(2))
        space.patience = 0
        targets = [s.where(f) for s in (space,) for f in _formulas(space)]
        for number, target in enumerate(targets):
            from_both = space.walks().shortest(target)
            plainly = other.walks().shortest(other.where(_formulas(other)[number]), surely=True)
            with self.subTest(number):
                self.assertTrue(from_both.shortest)
                self.assertEqual(len(from_both.steps), len(plainly.steps))

    def test_where_fewest_do_not_matter_known_plays_lead_into_what_is_asked_for(self):
        world = world_of(market(3))
        space, exact = (survey(world, Budget(Limits(engine="symbolic"))) for _ in range(2))
        space.patience, space.fewest = 0, False
        formulas = _formulas(space)
        wanted = [space.where(formula) for formula in formulas]
        space.walks().shortest(judge(space).won)  # a long play, known to all others
        lengths = {True: 0, False: 0}
        for avoided in (None, *formulas):
            # what is known may pass through what others have to keep out of
            first = avoided and space.where(avoided)
            walks = space.walks(first)
            plainly = exact.walks(avoided and exact.where(avoided))
            for formula, target in zip(formulas, wanted, strict=True):
                play = walks.shortest(target)
                self.assertEqual(play is None, not target & walks.reached)
                if play is None:
                    continue
                self.assertTrue(space.at_end_of(play) & target)
                on_the_way = [Trace(play.steps[:n]) for n in range(len(play.steps) + 1)]
                if first is not None:
                    self.assertFalse(any(space.meets(part, first) for part in on_the_way))
                fewest = plainly.shortest(exact.where(formula), surely=True)
                lengths[True] += len(fewest.steps)
                lengths[False] += len(play.steps)
                # layers tell it for sure, and nobody says so of the rest
                self.assertLessEqual(len(fewest.steps), len(play.steps))
                if play.shortest:
                    self.assertEqual(len(fewest.steps), len(play.steps))
        self.assertLess(lengths[True], lengths[False])
        self.assertLess(len(space.walks().plays), len(wanted))

    def test_a_cut_search_by_sets_proves_no_walk_to_be_the_shortest(self):
        world = world_of(SHORE)
        space = survey(world, Budget(Limits(engine="symbolic")))
        space.stopped = "the limit of 1 situations"
        self.assertFalse(
            space.walks().shortest(space.everything - space.where(_formulas(space)[0])).shortest
        )


def _formulas(space):
    """One test of each variable that has two values or more, where some play makes it true."""
    from zubrel.compiled.formulas import Within

    found = [Within(n, v.high, v.high) for n, v in enumerate(space.system.variables) if v.size > 1]
    return [f for f in found if space.holds_somewhere(f)]


class Findings(ProgramTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # neither where the project lies nor how long it takes changes what fits on a line
        with contextlib.chdir(DEMO):
            cls.draft = replace(report(load("draft.yaml")), seconds=5.0)

    def test_every_finding_stands_on_the_page_and_all_of_it_on_a_screen_or_two(self):
        told = self.draft
        page = io.StringIO()
        write_overview(told, Console(file=page, width=100))
        lines = page.getvalue().splitlines()
        self.assertLess(len(lines), 60)
        tally = next(line for line in lines if re.match(r"\d+ errors", line))
        counts = [int(n) for n in re.findall(r"(\d+) (?:error|warning|note)", tally)]
        open_findings = [f for f in told.findings if not f.accepted]
        self.assertEqual(sum(counts), len(open_findings))
        self.assertIn("; 14 accepted", tally)
        for finding in open_findings:
            with self.subTest(finding.subject):
                self.assertIn(finding.subject, page.getvalue())
        for number, line in enumerate(lines):
            if re.match(r"(error|warning|note)  \w", line):
                self.assertIn("", lines[number + 1 : number + 4])  # three lines at most

    def test_whole_and_quiet_texts_have_a_headline_for_each(self):
        told = self.draft
        open_findings = [f for f in told.findings if not f.accepted]
        for write in (write_report, lambda r, c: write_overview(r, c, quiet=True)):
            page = io.StringIO()
            write(told, Console(file=page, width=100))
            heads = re.findall(r"^(error|warning|note)  \w", page.getvalue(), re.MULTILINE)
            self.assertEqual(len(heads), len(open_findings))

    def test_where_all_is_accepted_the_page_says_so(self):
        accepted = tuple(replace(f, accepted=True) for f in self.draft.findings)
        page = io.StringIO()
        write_overview(replace(self.draft, findings=accepted), Console(file=page, width=100))
        self.assertIn("Nothing open: 34 accepted", page.getvalue())

    def test_no_explanation_is_longer_than_a_page_can_take(self):
        explained = [f.explanation for f in self.draft.findings if f.explanation]
        self.assertGreater(len(explained), 10)
        self.assertLessEqual(max(map(len, explained)), 12)

    def test_an_item_and_its_only_source_are_accepted_as_one(self):
        text = SHORE.replace("endings:", "accept: [{finding: missable, of: ACCEPTED}]\nendings:")
        for accepted in ("stone", "mine_stone"):
            told = report_on(text.replace("ACCEPTED", accepted)).findings
            missed = {f.subject: f for f in told if f.kind == "missable"}
            with self.subTest(accepted):
                self.assertTrue(missed["stone"].accepted and missed["mine_stone"].accepted)
                self.assertEqual(missed["mine_stone"].cause, "stone")
                self.assertFalse(missed["shell"].accepted)
                self.assertNotIn("stale_accept", [f.kind for f in told])

    def test_what_a_walk_shows_is_not_told_as_undecided(self):
        space = survey(world_of(SHORE), Budget(Limits()))
        open_ones = [("unreachable", s) for s in ("mine", "pick", "bars", "shed", "nowhere")]
        found = replace(find(space), undecided=(*open_ones, ("skippable", "pick")))
        told = narrate(
            Conclusions(found.judged, found.findings, undecided=found.undecided), lambda: 0.0
        )
        shown = {move.rule for f in told.findings for move in f.evidence}
        self.assertIn("bars", shown)
        self.assertNotIn(("unreachable", "mine"), told.undecided)
        self.assertNotIn(("unreachable", "bars"), told.undecided)
        self.assertIn(("unreachable", "nowhere"), told.undecided)
        self.assertIn(("skippable", "pick"), told.undecided)

    def test_steps_of_a_walk_point_at_the_lines_of_their_moves(self):
        (self.folder / "a b").mkdir()
        name = self.write("a b/w ü.yaml", WORLD)
        found = json.loads(self.zubrel("check", name, "--format", "sarif", code=1).stdout)
        result = found["runs"][0]["results"][0]
        steps = result["codeFlows"][0]["threadFlows"][0]["locations"]
        places = [s["location"]["physicalLocation"] for s in steps]
        uris = {p["artifactLocation"]["uri"] for p in places}
        self.assertEqual(len(uris), 1)
        self.assertEqual(unquote(uri := uris.pop()), name)
        self.assertTrue(uri.isascii() and " " not in uri)
        lines = [WORLD.splitlines()[p["region"]["startLine"] - 1] for p in places]
        self.assertIn("finds: [key]", lines[0])
        self.assertIn("toss", lines[-1])


class Lists(ProgramTest):
    def test_no_id_is_broken_however_narrow_the_terminal(self):
        for world in ("tidewrack.yaml", "draft.yaml"):
            self.write("w.yaml", (DEMO / world).read_text(encoding="utf-8"))
            loaded = world_of((DEMO / world).read_text(encoding="utf-8"))
            ids = {r.id for r in loaded.rules if r.kind == "way"} | set(loaded.items)
            for columns in ("80", "60", "200") if LONG else ("60",):
                shown = self.zubrel("list", "w.yaml", env={"COLUMNS": columns}, code=0).stdout
                words = set(re.findall(r"[a-z][a-z0-9_]*", shown))
                with self.subTest(world=world, columns=columns):
                    self.assertEqual(ids - words, set())
                    self.assertLessEqual(max(map(len, shown.splitlines())), int(columns))

    def test_ways_are_listed_with_what_they_ask(self):
        self.write("w.yaml", SHORE)
        listed = self.zubrel("list", "w.yaml", "ways", "--format", "json", code=0).stdout
        (table,) = json.loads(listed).values()
        rows = {row["id"][0]: row for row in table}
        self.assertEqual(rows["quay_to_mine"]["lock"], ["bars"])
        self.assertEqual(rows["mine_to_pit"]["way back"], ["no"])
        self.assertNotIn("pit_to_mine", rows)

    def test_a_walk_that_changes_nothing_is_not_wrapped(self):
        name = "A rather long name of area"
        areas = ", ".join(f"a{n}: {{name: {name} {n}, ways: [a{n + 1}]}}" for n in range(4))
        world = f"zubrel: 1\nstart: {{at: a0}}\nareas: {{{areas}, a4: {{}}}}\n"
        self.write("w.yaml", world + "endings: {out: {when: at a4}}\n")
        lines = self.zubrel("check", "w.yaml", "-v", code=0).stdout
        route = self.zubrel("route", "w.yaml", "--to", "at a3", code=0).stdout
        self.assertIn("Go to A rather long name of area 3", route)
        self.assertIn("SOLVABLE", lines)


class Walking(ProgramTest):
    def test_rehearse_hears_the_area_and_asks_for_steps(self):
        says = "says: [{when: pick, text: Heavy.}, Gulls.]"
        world = SHORE.replace("finds: [pick,", f"{says}, finds: [pick,")
        self.write("w.yaml", world)
        script = (
            'expect step 1 of post\nquay_pick\nexpect says "Heavy."\nquay_lamp\nquay_shell\n'
            "hatch_2\nquay_to_shed\nexpect step 2 of post\n"
        )
        self.write("walk.txt", script)
        done = self.zubrel("rehearse", "w.yaml", "walk.txt", code=0)
        self.assertIn("5 moves, 3 expectations", done.stdout)
        self.write("walk.txt", script + "expect step 3 of post\n")
        done = self.zubrel("rehearse", "w.yaml", "walk.txt", code=1)
        self.assertIn("found:    step 2 of 3", done.stdout)
        self.assertIn("after 5 moves, 3 expectations", done.stdout)
        quiet = self.zubrel("rehearse", "w.yaml", "walk.txt", "--quiet", code=1).stdout
        self.assertNotIn("held:", quiet)
        self.write("walk.txt", "quay_pick\nbars\n")
        self.assertIn("after 1 move,", self.zubrel("rehearse", "w.yaml", "walk.txt", code=1).stdout)
        self.write("walk.txt", "expect step 1 of nothing\n")
        self.zubrel("rehearse", "w.yaml", "walk.txt", code=2)

    def test_play_shows_meters_steps_and_what_is_blocked(self):
        self.write("w.yaml", SHORE.replace("collect: 1 shell", "collect: 2 shell"))
        typed = "quay_pick\nwhy quay_pick\nids\n²\n" + "9" * 5000 + "\nexit\n"
        done = subprocess.run(
            [sys.executable, "-m", "zubrel", "play", "w.yaml"],
            cwd=self.folder,
            input=typed,
            text=True,
            capture_output=True,
            encoding="utf-8",
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        shown = ["Luck 1", "quest: Post, step 1 of 3 – visit Shed", "it is already taken"]
        shown += [
            "Open Bars: takes Pick and takes Lamp",
            "Go to Mine: Bars must be open",
            "  quay_pick  ",
        ]
        for words in shown:
            self.assertIn(words, done.stdout)
        self.assertNotIn("> exit\n\n", done.stdout)


class Pictures(unittest.TestCase):
    def test_names_without_letters_are_told_by_their_ids(self):
        world = SHORE.replace("quay: {", "quay: {name: 埠頭, ").replace(
            "shell: Shell", "shell: 貝 🐚"
        )
        told = with_letters(report_on(world.replace("Two bars on a door", "扉 door")))
        names = {p.id: p.name for p in told.sketch.atlas.places}
        self.assertEqual(names["quay"], "quay")
        self.assertIn("shell", [t.name for p in told.sketch.atlas.places for t in p.things])
        self.assertEqual(told.title, "door")
        self.assertTrue(drawable("Größe → “x”") and not drawable("鍵"))
        plain = report_on(SHORE)
        self.assertIs(with_letters(plain), plain)

    def test_the_map_shows_what_deeds_and_talks_give(self):
        deed = "shed: {deeds: {dig: {gives: coin, once: true}}}"
        world = SHORE.replace("  shed: {}", f"  {deed}").replace("items: {", "items: {coin: Coin, ")
        world += "people: {smith: {at: mine, talk: [{gives: ring, once: true}]}}\n"
        world = world.replace("items: {", "items: {ring: Ring, ")
        places = {p.id: p for p in report_on(world).sketch.atlas.places}
        self.assertIn(("gift", "Coin"), [(t.kind, t.name) for t in places["shed"].things])
        self.assertIn(("gift", "Ring"), [(t.kind, t.name) for t in places["mine"].things])

    def test_colours_of_pictures_on_a_page_follow_the_page(self):
        picture = inline(report_on(SHORE), "map")
        bare = re.sub(r"var\(--[a-z0-9-]+, #[0-9a-f]{6}\)", "", picture.svg)
        self.assertEqual(re.findall(r"#[0-9a-f]{6}", bare), [])
        self.assertEqual(set(picture.spots), {"quay", "mine", "pit", "deep", "shed"})

    def test_growth_that_nobody_can_go_through_is_not_drawn(self):
        told = report_on(SHORE)
        without = replace(told, sketch=replace(told.sketch, growth=None))
        self.assertIn("too many situations", lacking(without, "growth"))
        self.assertEqual(lacking(without, "map"), "")
        self.assertEqual(lacking(told, "growth"), "")


if __name__ == "__main__":
    unittest.main()
