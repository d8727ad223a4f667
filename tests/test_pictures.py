"""Pictures: what they are drawn from, that nothing is cut or overlaps, and the files."""

import random
import unittest
from functools import cache
from itertools import combinations, pairwise

import yaml
from matplotlib.backends.backend_agg import FigureCanvasAgg

from tests.program import CASES, DEMO, ProgramTest
from tests.random_worlds import random_world
from tests.seeds import LONG, sampled
from tests.test_against_reference import world_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.progress import Silence
from zubrel.checked.conditions import LockOpen
from zubrel.compiled.compile import compile_world
from zubrel.drawn.chain import draw_chain
from zubrel.drawn.draw import PICTURES, inline, lacking
from zubrel.drawn.grid import placed
from zubrel.drawn.losses import draw_losses
from zubrel.drawn.pace import draw_pace
from zubrel.drawn.paper import fitted, folded, width_of
from zubrel.explored.space import EndlessSettling
from zubrel.findings.shape.outline import Outline
from zubrel.odds.odds import OddsOptions, odds_of, players_of
from zubrel.pipeline import InvalidInput, load, report

DRAFT = DEMO / "draft.yaml"
TWO_WAYS = """\
zubrel: 1
title: Two ways up, for $5 or $6
start: {at: quay}
items: {key: Brass key, rope: Rope, hook: Hook, lamp: Lamp}
areas:
  quay:
    finds: [key, rope, lamp]
    ways: [pier, {to: tower, lock: door}, {to: cellar, needs: rope and not rope}]
  pier:
    finds: [{item: hook, needs: lamp}]
    ways: [{to: quay, one_way: true, needs: lamp, id: jump}]
  tower: {}
  cellar: {}
locks:
  door: {needs: lamp and (key or (rope and hook))}
endings:
  top: {name: Top of the tower, when: at tower}
"""


CAUSEWAY = """\
zubrel: 1
start: {at: quay}
items: {lens: Lens, spyglass: Spyglass, rope: Rope}
areas:
  quay:
    finds: [lens, spyglass]
    ways: [{to: causeway, one_way: true}]
  causeway:
    finds: [rope]
    ways: [{to: light, needs: lens}]
  light: {}
endings: {won: {when: at light}}
"""


def report_of(text, folder):
    path = folder / "world.yaml"
    path.write_text(text, encoding="utf-8")
    return report(load(str(path)), with_outline=True)


@cache
def report_on(path, with_odds=False):
    return report(load(str(path)), with_outline=True, with_odds=with_odds)


class WhatIsDrawn(ProgramTest):
    def test_gates_chapters_and_alternatives_are_proved(self):
        sketch = report_of(TWO_WAYS, self.folder).sketch
        places = {p.id: p for p in sketch.atlas.places}
        self.assertEqual(
            [places[a].chapter for a in ("quay", "pier", "tower", "cellar")], [0, 0, 1, None]
        )
        self.assertEqual([c.after for c in sketch.atlas.chapters], ["", "Door open"])
        (choice,) = sketch.choices
        sides = {frozenset(i for i, _ in side.things) for side in choice.sides}
        self.assertEqual(sides, {frozenset({"key"}), frozenset({"rope", "hook"})})
        self.assertEqual((choice.after, choice.before), ((), ("door",)))

    def test_of_things_that_do_the_same_so_many_are_in_every_win(self):
        finds = "finds: [oil, {item: oil, id: tin}, {item: oil, id: flask}, {item: oil, id: jug}]"
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {oil: Oil, a: A, b: B, c: C}\n"
            f"areas: {{quay: {{{finds}, ways: [{{to: pier, needs: 2 oil}}]}},\n"
            "  pier: {finds: [a, b, c], ways: [{to: tower, needs: '2 of (a, b, c)'}]}, tower: {}}\n"
            "endings: {up: {when: at tower}}\n"
        )
        found = {
            frozenset(i for side in c.sides for i, _ in side.things): (c.count, c.first.steps)
            for c in report_of(text, self.folder).sketch.choices
        }
        tins, letters = {"quay_oil", "tin", "flask", "jug"}, {"a", "b", "c"}
        self.assertEqual(found, {frozenset(tins): (2, 2), frozenset(letters): (2, 5)})
        chain = draw_chain(report_of(text, self.folder))
        words = [t.get_text() for t in chain.axes.texts]
        self.assertIn("any 2 of 4", words)
        self.assertIn("any 2 of 3", words)
        self.assertIn("Oil, Quay", words)

    def test_ways_are_shown_once_with_what_they_ask(self):
        atlas = report_of(TWO_WAYS, self.folder).sketch.atlas
        ways = {(w.start, w.end, w.one_way, w.asks) for w in atlas.passages}
        self.assertEqual(
            ways,
            {
                ("quay", "pier", False, None),
                ("pier", "quay", True, "Lamp"),
                ("quay", "tower", False, "Door (Lamp and (Brass key or (Rope and Hook)))"),
                ("quay", "cellar", False, "Rope and no Rope held"),
            },
        )

    def test_trouble_is_marked_where_it_begins(self):
        atlas = report_of(CAUSEWAY, self.folder).sketch.atlas
        trouble = {p.id: p.softlocks for p in atlas.places if p.softlocks}
        self.assertEqual(trouble, {"quay": ("Go to Causeway",)})
        missable = {t.name for p in atlas.places for t in p.things if t.missable}
        self.assertEqual(missable, {"Spyglass"})

    @unittest.skipUnless(LONG, "takes long")
    def test_trouble_of_the_draft_is_marked_where_it_begins(self):
        atlas = report_on(DRAFT).sketch.atlas
        trouble = {p.id: p.softlocks for p in atlas.places if p.softlocks}
        self.assertEqual(trouble["ropewalk"], ("Open Crate",))
        self.assertEqual(set(trouble), {"ropewalk", "boiling_house", "market", "causeway"})
        missable = {t.name for p in atlas.places for t in p.things if t.missable}
        self.assertIn("Spyglass", missable)
        self.assertNotIn("Oar", missable)

    def test_growth_adds_up_to_the_numbers_of_the_report(self):
        for path in (DRAFT if LONG else CASES / "island.yaml", DEMO / "starter.yaml"):
            with self.subTest(world=path.name):
                found = report_on(path)
                sums = [sum(column) for column in zip(*found.sketch.growth, strict=True)]
                self.assertEqual(sums, [found.situations, found.won, found.doomed])
                first = next(n for n, row in enumerate(found.sketch.growth) if row[1])
                self.assertEqual(first, len(found.shortest_win.moves))


class Layout(unittest.TestCase):
    def test_every_area_has_a_cell_of_its_own_on_the_grid(self):
        r = random.Random(5)
        for count in (1, 2, 3, 9, 30):
            edges = [(r.randrange(n), n) for n in range(1, count)]
            cells = placed(count, edges, [n % 3 for n in range(count)], 7, 6)
            with self.subTest(areas=count):
                self.assertEqual(len(set(cells)), count)
                self.assertTrue(all(0 <= c < 7 and 0 <= r < 6 for c, r in cells))

    def test_a_path_is_laid_without_running_under_cards(self):
        edges = [(n, n + 1) for n in range(11)]
        cells = placed(12, edges, [0] * 12, 5, 4)
        far = [
            max(abs(cells[a][0] - cells[b][0]), abs(cells[a][1] - cells[b][1])) for a, b in edges
        ]
        self.assertEqual(max(far), 1)

    def test_words_fit_where_they_are_put(self):
        words = "A long name of a place that nobody would want to write on a card"
        self.assertLessEqual(width_of(fitted(words, 90, 9), 9), 90)
        self.assertEqual(fitted("Hut", 90, 9), "Hut")
        lines = folded(words, 90, 9, 2)
        self.assertEqual(len(lines), 2)
        self.assertTrue(all(width_of(line, 9) <= 90 for line in lines))

    def test_nothing_is_cut_and_no_words_overlap(self):
        reports = [report_on(DRAFT if LONG else DEMO / "starter.yaml", True)]
        seen = 0
        for seed in sampled(3):
            try:
                found = report(world_of(random_world(seed)), with_outline=True, with_odds=True)
            except (InvalidInput, EndlessSettling):
                continue
            reports.append(found)
        for found in reports:
            for picture, drawn in PICTURES.items():
                with self.subTest(world=found.title, picture=picture):
                    if not lacking(found, picture):
                        seen += self.readable(drawn(found))
        self.assertGreater(seen, 500 if LONG else 100)

    def test_nothing_is_cut_and_no_words_overlap_where_plays_are_shown(self):
        long = "A name that is much longer than any card or bar has room for and goes on"
        text = TWO_WAYS.replace("key: Brass key", f"key: {long}")
        text += "deeds: {toss: {at: pier, takes: key}}\n"
        world = world_of(yaml.safe_load(text))
        losses = report(world, with_outline=True, with_odds=True)
        self.assertGreater(self.readable(draw_losses(losses)), 20)
        system = compile_world(world)
        asked = OddsOptions(players_of(["curious"], 0.0), 50)
        (curious,) = odds_of(system, asked, Budget(Limits()), Silence()).players
        paper = draw_pace(world, "curious", curious.seen)
        self.assertGreater(self.readable(paper), 20)
        words = " ".join(text.get_text() for text in paper.axes.texts)
        self.assertIn("Something new every", words)

    def test_the_losses_add_up(self):
        told = report_on(DRAFT if LONG else CASES / "island.yaml", True).aimless
        lost = sum(share for _, share in told.lost_in)
        self.assertAlmostEqual(lost, told.doomed, 9)
        self.assertAlmostEqual(told.won + sum(share for _, share in told.ends), 1, 9)
        for (a, won, doomed), (b, later, gone) in pairwise(told.curve):
            self.assertLess(a, b)
            self.assertLessEqual(won, later + 1e-12)
            self.assertLessEqual(doomed, gone + 1e-12)

    def readable(self, paper):
        """How many texts there are, all on the sheet and none over another."""
        renderer = FigureCanvasAgg(paper.figure).get_renderer()
        boxes = []
        for text in paper.axes.texts:
            if text.get_text().strip():
                box = text.get_window_extent(renderer)
                boxes.append((text.get_text(), box.x0, box.y0, box.x1, box.y1))
        for words, x0, y0, x1, y1 in boxes:
            self.assertTrue(x0 >= 0 and x1 <= paper.width, f"{words!r} is cut: {x0} to {x1}")
            self.assertTrue(y0 >= 0 and y1 <= paper.height, f"{words!r} is cut: {y0} to {y1}")
        for (a, ax0, ay0, ax1, ay1), (b, bx0, by0, bx1, by1) in combinations(boxes, 2):
            wide, high = min(ax1, bx1) - max(ax0, bx0), min(ay1, by1) - max(ay0, by0)
            self.assertFalse(wide > 1.5 and high > 4.5, f"{a!r} overlaps {b!r}")
        return len(boxes)


class Files(ProgramTest):
    def test_pictures_are_written_in_three_formats(self):
        self.write("world.yaml", TWO_WAYS)
        begins = {"png": b"\x89PNG", "svg": b"<?xml", "pdf": b"%PDF"}
        for picture, form in zip(PICTURES, ("png", "svg", "pdf", "png", "svg"), strict=True):
            self.zubrel("draw", "world.yaml", picture, "-o", f"it.{form}", code=0)
            self.assertTrue((self.folder / f"it.{form}").read_bytes().startswith(begins[form]))

    def test_the_same_world_gives_the_same_picture(self):
        found = report_of(TWO_WAYS, self.folder)
        self.assertEqual(inline(found, "map").svg, inline(found, "map").svg)
        self.assertNotIn("<metadata", inline(found, "map").svg)
        self.assertNotIn('id="figure', inline(found, "map").svg)

    def test_wrong_usage_and_limits_leave_no_file(self):
        self.write("world.yaml", TWO_WAYS)
        done = self.zubrel("draw", "world.yaml", "map", code=2)
        self.assertIn("-o map.png", done.stderr)
        self.assertIn(
            ".svg", self.zubrel("draw", "world.yaml", "map", "-o", "x.gif", code=2).stderr
        )
        done = self.zubrel(
            "draw", "world.yaml", "map", "-o", "x.png", "--max-situations", "3", code=3
        )
        self.assertIn("limit of 3 situations", done.stderr)
        self.assertFalse(any(self.folder.glob("x.*")))

    def test_a_cut_search_of_any_size_ends_without_a_traceback(self):
        for most in (1, 700) if LONG else (700,):
            with self.subTest(most=most):
                done = self.zubrel(
                    "check",
                    str(DEMO / "draft.yaml"),
                    "--max-situations",
                    str(most),
                    "--format",
                    "json",
                )
                self.assertIn(done.returncode, (1, 3))
                self.assertIn('"incomplete"', done.stdout)


class Gates(ProgramTest):
    def test_what_an_area_lies_behind_is_what_no_play_comes_there_without(self):
        from zubrel.base.budget import Budget, Limits
        from zubrel.findings.find import find
        from zubrel.pipeline import survey

        self.write("world.yaml", TWO_WAYS)
        world = load(str(self.folder / "world.yaml"))
        for engine in ("explicit", "symbolic"):
            space = survey(world, Budget(Limits(engine=engine)))
            outline = find(space, with_outline=True).outline
            self.assertIsInstance(outline, Outline)
            behind = {
                b.area: (b.first and b.first.steps, [g for g in b.gates if isinstance(g, LockOpen)])
                for b in outline.areas
            }
            with self.subTest(engine=engine):
                self.assertEqual(behind["tower"], (4, [LockOpen("door")]))
                self.assertEqual(behind["pier"], (1, []))
                self.assertIsNone(behind["cellar"][0])


if __name__ == "__main__":
    unittest.main()
