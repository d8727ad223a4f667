"""What an editor asks of a text: where one is, what fits there, where ids stand, other names."""

from __future__ import annotations

import os
import random
import re
import unittest
from unittest import mock

import yaml

from tests.program import DEMO
from tests.random_worlds import random_world
from tests.reference import Reference, Restless, TooLarge
from tests.seeds import LONG
from zubrel.authored.document import document_of
from zubrel.authored.nodes import Sequence
from zubrel.authored.readers import ID
from zubrel.authored.shapes import SECTIONS
from zubrel.base.budget import Budget, Limits
from zubrel.base.diagnostics import InvalidInput, Problems
from zubrel.base.progress import Silence
from zubrel.base.source import Source
from zubrel.checked.asking import conditions_in
from zubrel.checked.check import check
from zubrel.checked.names import Names, name_everything
from zubrel.checked.occurrences import Occurrences
from zubrel.compiled.compile import compile_world
from zubrel.edited.completion import suggestions
from zubrel.edited.cursor import ITEM, cursor_at
from zubrel.edited.knowledge import knowledge_of
from zubrel.edited.known import Known
from zubrel.edited.lenses import lens_of
from zubrel.edited.outline import outline_of
from zubrel.edited.places import NOWHERE, place_of
from zubrel.edited.snippets import SNIPPETS
from zubrel.explored.explore import explore
from zubrel.explored.space import EndlessSettling
from zubrel.findings.judged import judge
from zubrel.mended.edits import applied, places
from zubrel.mended.files import Files
from zubrel.mended.renaming import CannotRename, renamed, scripts_naming

SEEDS = int(os.environ.get("ZUBREL_SEEDS", "3"))
FIRST = int(os.environ.get("ZUBREL_FIRST_SEED", "0"))
WORLDS = ("tidewrack.yaml", "draft.yaml", "starter.yaml")
TEXT = (DEMO / "tidewrack.yaml").read_text(encoding="utf-8")

SMALL = """\
zubrel: 1
start: {at: quay, holding: [coin]}
items:
  coin: {kind: money, max: 3}
  oar: an oar
  lamp: {uses: 2}
areas:
  quay:
    ways: [{to: shed, lock: shed_door}]
    finds: [oar]
  shed:
    deeds:
      light: {wears: lamp, needs: tide = low, sets: {lit: true}}
locks:
  shed_door: {needs: [oar, warden is here]}
facts:
  lit: false
  tide: {values: [low, high], start: low}
meters:
  vigour: {to: 5, start: 3}
people:
  warden: {at: quay, talk: {says: Hm., gives: lamp, once: true}}
shops:
  stall: {at: quay, sells: {lamp: 1}}
stores:
  chest: {at: shed, keeps: [oar]}
quests:
  watch: {from: warden, goals: [{id: look, visit: shed}], reward: {gives: coin}}
foes:
  crab: {at: shed, needs: oar}
endings:
  home: {when: lit and vigour >= 2}
promises:
  - never: tide = high and oar
"""


def read(text):
    return document_of(Source.of("world.yaml", text), text)


def at_mark(text):
    """The lines of a text without its mark ¦, and where that stands."""
    before = text[: text.index("¦")]
    line = before.count("\n")
    return text.replace("¦", "").split("\n"), line, len(before) - (before.rfind("\n") + 1)


def offered(text, known=None):
    """The labels that are suggested at the mark ¦ of a text."""
    known = known or Known(Occurrences(read(SMALL)), check(read(SMALL)))
    return [s.label for s in suggestions(cursor_at(*at_mark(text)), known)]


def keys_above(place):
    """The keys above a node, `ITEM` for those of lists."""
    keys = []
    while place.above is not None:
        keys.append(ITEM if place.key is None else place.key.text)
        place = place.above
    return tuple(reversed(keys))


class Cursors(unittest.TestCase):
    def test_every_key_of_a_world_is_found_under_the_keys_that_yaml_finds_it_under(self):
        seen = 0
        for name in WORLDS:
            text = (DEMO / name).read_text(encoding="utf-8")
            document = read(text)
            for place in places(document.roots[0]):
                if place.key is None:
                    continue
                span = place.key.span
                cursor = cursor_at(
                    document.source.lines, span.line - 1, span.column - 1 + span.width
                )
                seen += 1
                self.assertEqual(
                    (*cursor.keys, cursor.text), (*keys_above(place.above), span_text(place))
                )
                self.assertIsNot(place_of((*cursor.keys, cursor.text)), NOWHERE, span.place)
        self.assertGreater(seen, 1000)

    def test_every_value_of_a_list_in_brackets_stands_in_that_list(self):
        document = read(TEXT)
        seen = 0
        for place in places(document.roots[0]):
            if (
                place.key is None
                and not isinstance(place.node, Sequence)
                and hasattr(place.node, "text")
            ):
                span = place.node.span
                cursor = cursor_at(document.source.lines, span.line - 1, span.column - 1)
                seen += 1
                self.assertEqual(cursor.keys, keys_above(place), span.place)
        self.assertGreater(seen, 50)

    def test_a_text_that_is_cut_off_anywhere_has_a_place_at_its_end(self):
        world = Known(Occurrences(read(SMALL)), check(read(SMALL)))
        for end in range(len(SMALL)):
            lines = SMALL[:end].split("\n")
            with self.subTest(end=SMALL[max(0, end - 30) : end]):
                cursor = cursor_at(lines, len(lines) - 1, len(lines[-1]))
                self.assertTrue(lines[-1].endswith(cursor.text))
                for suggestion in suggestions(cursor, world):
                    self.assertTrue(suggestion.label and suggestion.insert)

    def test_the_keys_that_a_mapping_has_are_known_at_its_next_line_and_in_braces(self):
        block = cursor_at(*at_mark("items:\n  oar:\n    name: an oar\n    max: 2\n    ¦"))
        self.assertEqual(block.beside, {"name", "max"})
        flow = cursor_at(*at_mark("items:\n  oar: {name: an oar, max: 2, ¦"))
        self.assertEqual((flow.beside, flow.role), ({"name", "max"}, "key"))

    def test_a_text_of_several_lines_holds_no_keys(self):
        cursor = cursor_at(*at_mark("areas:\n  quay:\n    says: |\n      lock: ¦\n"))
        self.assertEqual((cursor.keys, cursor.role), (("areas", "quay", "says"), "value"))

    def test_quotes_and_comments_hold_no_brackets(self):
        cursor = cursor_at(*at_mark('areas:\n  quay: {name: "a {quay", # or [so\n    says: ¦'))
        self.assertEqual(cursor.keys, ("areas", "quay", "says"))


def span_text(place):
    return place.key.text


class Places(unittest.TestCase):
    def test_ids_are_of_the_kinds_that_the_checker_looks_them_up_as(self):
        looked_up, find = {}, Names.find

        def recorded(names, name, *kinds):
            looked_up.setdefault((name.text, name.span.line, name.span.column), set()).update(kinds)
            return find(names, name, *kinds)

        for name in WORLDS:
            text = (DEMO / name).read_text(encoding="utf-8")
            looked_up.clear()
            with mock.patch.object(Names, "find", recorded):
                check(read(text))
            known = {
                (o.name, o.span.line, o.span.column): set(o.kinds)
                for o in Occurrences(read(text)).every
                if not o.defines
            }
            for place, kinds in looked_up.items():
                with self.subTest(world=name, place=place):
                    self.assertIn(place, known)
                    self.assertTrue(not known[place] or known[place] <= kinds)

    def test_every_section_and_field_is_a_place(self):
        for section, entry in SECTIONS.items():
            above = (section, "some_id") if entry.kind.form[0] == "keyed" else (section, ITEM)
            for field in (*entry.shape.fields, "notes"):
                with self.subTest(section=section, field=field):
                    self.assertIsNotNone(place_of((*above, field)).field)
        self.assertIs(place_of(("items", "oar", "colour")), NOWHERE)


class Completion(unittest.TestCase):
    def test_what_fits_is_offered(self):
        cases = {
            "ite¦": {"items", "areas", "zubrel", "new item", "whenever"},
            "locks:\n  door:\n    ¦": {"needs", "takes", "relocks", "refuses"},
            "locks:\n  door: {relocks: ¦": {"never", "passing"},
            "locks:\n  ¦": {"new lock", "new lock that takes its key"},
            "areas:\n  quay:\n    ways:\n      - to: ¦": {"quay", "shed"},
            "areas:\n  quay:\n    ways: [¦": {"quay", "shed"},
            "areas:\n  quay:\n    ways: [{to: shed, lock: ¦": {"shed_door"},
            "areas:\n  quay:\n    finds:\n      - 2 ¦": {"coin", "oar", "lamp"},
            "deeds:\n  x: {at: ¦": {"quay", "shed", "anywhere"},
            "locks:\n  x: {from: ¦": {"quay", "shed", "anywhere"},
            "deeds:\n  x: {sets: {¦": {"lit", "tide", "vigour"},
            "deeds:\n  x: {adds: {¦": {"vigour"},
            "deeds:\n  x: {sets: {tide: ¦": {"low", "high"},
            "deeds:\n  x: {once: ¦": {"true", "false"},
            "shops:\n  x: {sells: {¦": {"coin", "oar", "lamp"},
            "quests:\n  x:\n    goals:\n      - defeat: ¦": {"crab"},
            "quests:\n  x:\n    goals:\n      - {do: ¦": {"light", "shed_door", "crab"},
            "accept:\n  - finding: ¦": {"softlock", "missable"},
        }
        for text, expected in cases.items():
            with self.subTest(text=text):
                self.assertLessEqual(expected, set(offered(text)))

    def test_what_does_not_fit_is_not_offered(self):
        cases = {
            "areas:\n  quay:\n    ways: [{to: ¦": {"oar", "shed_door", "lit"},
            "areas:\n  quay:\n    name: a quay\n    ¦": {"name", "lock"},
            "deeds:\n  x: {adds: {¦": {"tide", "coin"},
            "shops:\n  x: {sells: {lamp: 1, ¦": {"lamp", "quay"},
            "items:\n  oar: {name: ¦": {"oar", "quay"},
        }
        for text, wrong in cases.items():
            with self.subTest(text=text):
                self.assertFalse(wrong & set(offered(text)))

    def test_conditions_are_completed_word_by_word(self):
        needs = "deeds:\n  x:\n    needs: "
        cases = {
            "¦": ({"oar", "at quay", "shed_door is open", "not", "any of"}, {"and", "is", "low"}),
            "at ¦": ({"quay", "shed"}, {"oar", "not"}),
            "oar ¦": ({"and", "or", ">=", "lies at", "in"}, {"not", "quay", "open"}),
            "shed_door is ¦": ({"open", "shut", "not"}, {"visited", "here", "failed"}),
            "warden is ¦": ({"here", "met"}, {"open", "beaten"}),
            "quay is ¦": ({"visited"}, {"here", "taken"}),
            "watch is ¦": ({"waiting", "active", "done", "failed"}, {"open"}),
            "tide = ¦": ({"low", "high"}, {"true", "oar"}),
            "vigour >= ¦": ({"coin", "vigour"}, {"lit", "quay"}),
            "2 ¦": ({"coin", "of"}, {"lit", "quay"}),
            "oar in ¦": ({"chest"}, {"shed"}),
            "any of (oar, ¦": ({"lamp", "at shed"}, {"and"}),
            "oar and sh¦": ({"shed_door is open"}, set()),
            "oar oar ¦": (set(), {"oar", "and"}),
        }
        for text, (right, wrong) in cases.items():
            with self.subTest(text=text):
                labels = set(offered(needs + text))
                self.assertLessEqual(right, labels)
                self.assertFalse(wrong & labels)

    def test_no_id_that_is_offered_in_place_of_another_is_unknown_or_of_the_wrong_kind(self):
        world = Known(Occurrences(read(TEXT)), check(read(TEXT)))
        lines = read(TEXT).source.lines
        chance = random.Random(7)
        for one in chance.sample([o for o in world.occurrences.every if not o.defines], 12):
            begin = one.span.column - 1
            line = lines[one.span.line - 1]
            cursor = cursor_at(
                [*lines[: one.span.line - 1], line[:begin]], one.span.line - 1, begin
            )
            fitting = [s for s in suggestions(cursor, world) if s.kind == "thing"]
            self.assertTrue(fitting, one.span.place)
            for suggestion in chance.sample(fitting, min(2, len(fitting))):
                behind = line[begin + one.span.width :]
                put = suggestion.insert.removesuffix(": ").removesuffix(" = ")
                changed = [*lines]
                changed[one.span.line - 1] = line[:begin] + put + behind
                with self.subTest(place=one.span.place, put=put):
                    wrong = {"unknown-id", "wrong-kind"}
                    problems = problems_of("\n".join(changed))
                    here = [p for p in problems if p.span and p.span.line == one.span.line]
                    self.assertFalse([p.message for p in here if p.code in wrong])

    def test_every_snippet_is_an_entry_that_is_understood(self):
        base = yaml.safe_load(
            "{zubrel: 1, start: {at: quay}, items: {brass_key: {}, lamp: {}, lens: {}, oar: {}, "
            "mended_lamp: {}, ferry_pass: {}, rope: {}, boat_hook: {}, crab_claw: {}, "
            "coin: {kind: money, max: 2}}, areas: {quay: {}, shore: {}}, facts: {lamp_lit: false}, "
            "people: {ferryman: {at: quay}}}"
        )
        for section, snippets in SNIPPETS.items():
            for snippet in snippets:
                text = re.sub(r"\$\{\d:([^}]*)\}", r"\1", snippet.text)
                entry = yaml.safe_load(text)
                data = {**base, section: {**base.get(section, {}), **entry}}
                with self.subTest(snippet=snippet.what):
                    self.assertEqual(problems_of(yaml.safe_dump(data, sort_keys=False)), ())


def problems_of(text):
    try:
        check(read(text))
    except InvalidInput as invalid:
        return invalid.diagnostics
    return ()


class Renaming(unittest.TestCase):
    def renamed(self, text, old, new, scripts=()):
        files = Files("world.yaml", {"world.yaml": text})
        edits = renamed(files, dict(scripts), old, new)
        texts = {**files.texts, **dict(scripts)}
        return {p: applied(t, [e for e in edits if e.path == p]) for p, t in texts.items()}

    def test_an_id_is_another_one_everywhere(self):
        text = self.renamed(SMALL, "oar", "paddle")["world.yaml"]
        self.assertEqual(re.findall(r"\boar\b", text), ["oar"])  # that of the name
        self.assertEqual(problems_of(text), ())

    def test_a_world_with_other_ids_is_the_same_world_and_comes_back(self):
        names = name_everything(read(TEXT), Problems())
        given = [i for i, d in names.known.items() if i in Occurrences(read(TEXT)).definitions]
        for old in random.Random(3).sample(given, 4 if LONG else 2):
            with self.subTest(old=old):
                text = self.renamed(TEXT, old, f"{old}_anew")["world.yaml"]
                before, after = check(read(TEXT)), check(read(text))
                self.assertEqual([r.kind for r in before.rules], [r.kind for r in after.rules])
                self.assertNotIn(old, name_everything(read(text), Problems()).known)
                self.assertEqual(self.renamed(text, f"{old}_anew", old)["world.yaml"], TEXT)

    def test_ids_that_are_made_of_it_go_along(self):
        text = SMALL + "  - possible: quay_oar is taken\n  - possible: warden_talk is done\n"
        self.assertIn(
            "- possible: wharf_oar is taken", self.renamed(text, "quay", "wharf")["world.yaml"]
        )
        self.assertIn("keeper_talk is done", self.renamed(text, "warden", "keeper")["world.yaml"])
        self.assertIn("quay_paddle is taken", self.renamed(text, "oar", "paddle")["world.yaml"])

    def test_values_of_facts_texts_and_names_stay(self):
        text = SMALL.replace("oar: an oar", "low: {name: low}").replace("oar", "low")
        changed = self.renamed(text, "low", "paddle")["world.yaml"]
        self.assertIn("values: [low, high], start: low", changed)
        self.assertIn("tide = low", changed)
        self.assertIn("paddle: {name: low}", changed)

    def test_scripts_of_moves_go_along_but_for_comments_and_quotes(self):
        script = 'quay_oar  # the oar of quay_oar\nexpect oar and at quay\nexpect says "oar"\n'
        changed = self.renamed(SMALL, "oar", "paddle", [("a.walk", script)])["a.walk"]
        self.assertEqual(
            changed,
            'quay_paddle  # the oar of quay_oar\nexpect paddle and at quay\nexpect says "oar"\n',
        )
        rules = {rule.id for rule in check(read(SMALL)).rules}
        others = {"a.walk": script, "b.walk": "some_other_move\n", "c.walk": "# nothing\n"}
        self.assertEqual(set(scripts_naming(others, rules)), {"a.walk"})

    def test_words_of_scripts_stay_whatever_else_they_are_called(self):
        text = SMALL.replace("oar", "live").replace("shed_door", "deal")
        script = "quay_live\ndeal\nexpect live\nexpect possible deal\nexpect 1 live\n"
        changed = self.renamed(text, "live", "paddle", [("a.walk", script)])["a.walk"]
        expected = "quay_paddle\ndeal\nexpect live\nexpect possible deal\nexpect 1 paddle\n"
        self.assertEqual(changed, expected)
        changed = self.renamed(text, "deal", "gate", [("a.walk", script)])["a.walk"]
        self.assertEqual(changed, script.replace("deal", "gate"))

    def test_deals_and_steps_of_scripts_go_along(self):
        script = "deal oar at quay, lamp at shed\nexpect step 1 of watch\nexpect ended home\n"
        files = Files("world.yaml", {"world.yaml": SMALL})
        for old, new in {"oar": "paddle", "shed": "hut", "watch": "guard", "home": "end"}.items():
            edits = [e for e in renamed(files, {"a.walk": script}, old, new) if e.path == "a.walk"]
            with self.subTest(old=old):
                self.assertEqual(applied(script, edits), script.replace(old, new))

    def test_what_cannot_be_is_refused_with_a_reason(self):
        cases = {
            ("oar", "shed"): "already the id of an area",
            ("oar", "Oar"): "lower-case letters",
            ("oar", "open"): "the language uses the word",
            ("oar", "anywhere"): "the language uses the word",
            ("quay_oar", "grab"): "made up by the language",
            ("nothing", "something"): "made up by the language",
        }
        for (old, new), reason in cases.items():
            with self.subTest(old=old, new=new), self.assertRaisesRegex(CannotRename, reason):
                self.renamed(SMALL, old, new)

    def test_an_id_in_a_text_of_several_lines_is_not_guessed_at(self):
        text = SMALL.replace("when: lit and vigour >= 2", 'when: "lit\n    and oar"')
        with self.assertRaisesRegex(CannotRename, "several lines"):
            self.renamed(text, "oar", "paddle")

    def test_in_random_worlds_too(self):
        for seed in range(FIRST, FIRST + SEEDS):
            text = yaml.safe_dump(random_world(seed), sort_keys=False)
            occurrences = Occurrences(read(text))
            old = random.Random(seed).choice(sorted(occurrences.definitions))
            with self.subTest(seed=seed, old=old):
                changed = self.renamed(text, old, "entirely_new")["world.yaml"]
                self.assertEqual(self.renamed(changed, "entirely_new", old)["world.yaml"], text)
                self.assertEqual(
                    [o.name for o in Occurrences(read(changed)).every if o.name == old], []
                )


class Knowing(unittest.TestCase):
    def test_what_a_search_tells_is_what_the_slow_reference_counts(self):
        compared = 0
        for seed in range(FIRST + 300, FIRST + 300 + SEEDS):
            data = random_world(seed)
            text = yaml.safe_dump(data, sort_keys=False)
            try:
                reference = Reference(data).explore(1500)
                space = explore(compile_world(check(read(text))), Budget(Limits()), Silence())
            except (Restless, TooLarge, EndlessSettling):
                continue
            known = knowledge_of(judge(space), read(text), Budget(Limits()))
            with self.subTest(seed=seed):
                compared += self.compare(reference, known, text)
        self.assertGreater(compared, 10 * SEEDS)

    def compare(self, reference, known, text):
        situations = [dict(s) for s in reference.situations]
        self.assertEqual(known.situations, len(situations))
        for item, most in known.most.items():
            self.assertEqual(most, max(s["held", item] for s in situations), item)
        soonest = {}
        for situation, moves in reference.order.items():
            s = dict(situation)
            for item in known.most:
                if s["held", item]:
                    soonest.setdefault(item, moves)
            for lock in reference.locks:
                if s["open", lock]:
                    soonest.setdefault(lock, moves)
            for rule in reference.rules:
                if rule["id"] not in reference.locks and reference.possible(rule, s):
                    soonest.setdefault(rule["id"], moves + 1)
        for thing in {*known.most, *(r["id"] for r in reference.rules)} & set(known.first):
            self.assertEqual(known.first[thing], soonest.get(thing), thing)
        conditions = {(c.span.line, c.span.column): c.text for c in conditions_in(read(text))}
        for (_, line, column), holds in known.holds.items():
            asked = conditions[line, column]
            self.assertEqual(holds, sum(reference.holds(asked, s) for s in situations), asked)
        return len(known.holds) + len(known.first)

    def test_a_line_says_how_a_thing_is_used(self):
        world = check(read(SMALL))
        self.assertEqual(lens_of(world, "oar", "item", None), "asked for by 2 · spent by 0")
        self.assertEqual(lens_of(world, "shed_door", "lock", None), "locks 1")
        self.assertEqual(lens_of(world, "quay", "area", None), "")


class Outlines(unittest.TestCase):
    def test_every_entry_stands_below_its_section_and_ends_before_the_next_one(self):
        document = read(TEXT)
        sections = outline_of(document.roots[0])
        names = {branch.name for branch in sections}
        self.assertLessEqual(set(document.sections), names)
        for section in sections:
            lines = [branch.span.line for branch in section.below]
            self.assertEqual(lines, sorted(lines))
            for branch, following in zip(section.below, section.below[1:], strict=False):
                self.assertLessEqual(branch.last_line, following.span.line)
            for branch in section.below:
                self.assertLessEqual(branch.last_line, section.last_line)
                self.assertTrue(branch.name)
        areas = next(s for s in sections if s.name == "areas")
        self.assertEqual(
            [b.name for b in areas.below], [e.key.text for e in document.entries("areas")]
        )
        self.assertTrue(all(ID.match(branch.name) for branch in areas.below))


if __name__ == "__main__":
    unittest.main()
