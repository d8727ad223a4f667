"""Why a game cannot be won any more: what the lines say, by hand and against the evidence."""

import unittest

from zubrel.api import check, loads
from zubrel.checked import keys
from zubrel.checked.conditions import Marked, Not
from zubrel.compiled.compile import compile_world
from zubrel.compiled.formulas import Within, both
from zubrel.narrated.reasons.cause import cause_of
from zubrel.narrated.reasons.naming import Naming
from zubrel.narrated.words import phrase
from zubrel.reasoned.claims import AtMost, Cannot, Never, Node, Only, Took

HEAD = "zubrel: 1\nstart: {at: quay}\nendings: {won: {name: Won, when: at tower}}\n"
CASES = {
    "what is over": (
        """
areas: {quay: {deeds: {wave: {}}}, tower: {}}
endings: {won: {name: Won, when: at quay}}
""",
        "wave",
        ["No move is possible: the game is over before the first."],
    ),
    "what was spent": (
        """
items: {key: Key}
areas:
  quay: {finds: [key], ways: [{to: shed, lock: shed_door}, {to: tower, lock: tower_door}]}
  shed: {}
  tower: {}
locks: {shed_door: {name: Shed door, takes: key}, tower_door: {name: Tower door, takes: key}}
""",
        "shed_door",
        [
            "Move 2, “Open Shed door”, used up Key, which “Open Tower door” needs.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Tower door open, which can never be so.",
            "“Open Tower door” needs Key, which can never be had again.",
            "It was used up by move 2, “Open Shed door”.",
            "“Take Key” was possible only once, and was move 1.",
        ],
    ),
    "what was left behind": (
        """
items: {lens: Lens}
areas:
  quay: {finds: [lens], ways: [{to: raft, one_way: true}]}
  raft: {ways: [{to: tower, needs: lens}]}
  tower: {}
""",
        "quay_to_raft",
        [
            "Move 1, “Go to Raft”, led away from Quay for good; “Go to Tower” from Raft needs "
            "Lens, and “Take Lens” needs the player at Quay.",
            "Without that change it could still be won.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Raft needs Lens, which can never be had.",
            "“Take Lens” needs the player at Quay, which can never be reached again.",
            "Move 1, “Go to Raft”, led away from Quay, and no way leads back.",
        ],
    ),
    "what was undone": (
        """
areas:
  quay:
    deeds: {flood: {name: Open the sluice, sets: {tide: high}}}
    ways: [{to: tower, needs: tide = low}]
  tower: {}
facts: {tide: {name: Tide, values: [low, high]}}
""",
        "flood",
        [
            "Move 1, “Open the sluice”, put an end to Tide low, which “Go to Tower” from Quay "
            "needs.",
            "Without that change it could still be won.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Tide low, which can never be so again.",
            "It was undone by move 1, “Open the sluice”, and nothing makes it so again.",
        ],
    ),
    "what is too little": (
        """
items: {oil: {name: Oil, max: 2}}
areas:
  quay:
    finds: [oil, oil]
    deeds: {burn: {name: Burn oil, takes: oil}}
    ways: [{to: tower, needs: 2 oil}]
  tower: {}
""",
        "burn",
        [
            "Move 2, “Burn oil”, used up Oil, and “Go to Tower” from Quay needs 2 Oil.",
            "Without that change it could still be won.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs 2 Oil, but no more than 1 can be had together any more.",
            "It was used up by move 2, “Burn oil”.",
            "Only “Take Oil” can still give some, once each.",
            "“Take Oil” was possible only once, and was move 1.",
        ],
    ),
    "what nothing gives": (
        """
items: {bell: Bell}
areas:
  quay: {ways: [{to: tower, needs: bell}]}
  tower: {}
""",
        "world",
        [
            "Nothing in the world gives Bell, and “Go to Tower” from Quay needs it.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Bell, which can never be had.",
            "Nothing in the world gives it.",
        ],
    ),
    "too few uses": (
        """
items: {bar: {name: Crowbar, uses: 2}}
areas:
  quay: {finds: [bar], ways: [{to: shed, lock: shed_door}, {to: hut, lock: hut_door}]}
  shed: {ways: [{to: crypt, lock: crypt_door, one_way: true}]}
  crypt: {ways: [tower]}
  hut: {}
  tower: {}
locks:
  shed_door: {name: Shed door, wears: bar}
  hut_door: {name: Hut door, wears: bar}
  crypt_door: {name: Crypt door, wears: bar}
""",
        "hut_door",
        [
            "Move 2, “Open Hut door”, used more than could be spared: “Open Shed door” still "
            "wants Crowbar, 1 of its uses, 1 more is needed then, and 1 can be had.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Crypt” from Shed needs Crypt door open, which can never be so.",
            "“Open Crypt door” needs the player at Shed and Crowbar, which can never be so "
            "together.",
            "“Open Shed door” still wants Crowbar, 1 of its uses, 1 more is needed then, and 1 "
            "can be had.",
            "Move 2, “Open Hut door”, was the last to use Crowbar.",
        ],
    ),
    "full hands": (
        """
items: {stone: Stone, lamp: Lamp}
carry: [{limit: 1, of: [stone, lamp]}]
areas:
  quay: {finds: [stone, lamp], ways: [{to: tower, needs: lamp}]}
  tower: {}
""",
        "quay_stone",
        [
            "Move 1, “Take Stone”, gave Stone, and “Take Lamp” needs empty hands.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Lamp, which can never be had.",
            "“Take Lamp” needs empty hands, which can never be so again.",
            "Move 1, “Take Stone”, gave Stone, and nothing makes room again.",
        ],
    ),
    "what must not be held": (
        """
items: {stone: Stone}
areas:
  quay: {finds: [stone], ways: [{to: tower, needs: not stone}]}
  tower: {}
""",
        "quay_stone",
        [
            "Move 1, “Take Stone”, gave Stone, and “Go to Tower” from Quay is possible only "
            "without it.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs no Stone held, which can never be so again.",
            "Move 1, “Take Stone”, gave Stone, and nothing takes it away again.",
        ],
    ),
    "what cannot be brought back": (
        """
items: {lens: Lens}
areas:
  quay: {ways: [{to: cave, one_way: true}, {to: tower, needs: lens}]}
  cave: {finds: [lens], ways: [pit]}
  pit: {}
  tower: {}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs the player at Quay and Lens, which can never be so "
            "together.",
            "No way leads to Quay or Tower with Lens.",
        ],
    ),
    "an amount that is never reached": (
        """
meters: {points: {name: Points, from: 0, to: 9}}
areas:
  quay:
    deeds:
      dig: {name: Dig, once: true, adds: {points: 2}}
      sing: {name: Sing, once: true, adds: {points: 2}}
    ways: [{to: tower, needs: points = 5}]
  tower: {}
""",
        "world",
        [
            "There can be no more than 4 of Points, and “Go to Tower” from Quay needs Points = 5.",
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Points = 5, but it is never more than 4.",
            "Only “Dig” and “Sing” can still give some, once each.",
        ],
    ),
    "what is changed back": (
        """
facts: {awake: false}
areas:
  quay: {ways: [pier]}
  pier: {ways: [tower]}
  tower: {}
whenever:
- {id: tide, when: at pier, moves_to: quay}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "What “Go to Pier” from Quay does is changed back by what happens by itself (tide) "
            "before the next move.",
        ],
    ),
    "what excludes itself": (
        """
facts: {full: false}
items: {lamp: {name: Lamp, uses: 3}}
areas:
  quay:
    finds: [lamp]
    deeds: {refill: {name: Refill, needs: lamp, gives: lamp, sets: {full: true}}}
    ways: [{to: tower, needs: full}]
  tower: {}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Full, which can never be so.",
            "“Refill” would need Lamp and no Lamp held, which exclude each other.",
        ],
    ),
    "a quest that completes itself": (
        """
items: {half: {name: Half a photograph}, other: {name: The other half}, whole: {name: Photograph}}
areas:
  quay: {finds: [half, other], ways: [{to: tower, needs: picture is done}]}
  tower: {}
quests:
  picture: {name: Two halves, from: half, goals: [{collect: other}, {do: join}]}
deeds:
  join: {name: Join them, takes: [half, other], gives: whole}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs the quest Two halves done, which can never be so.",
            "The quest Two halves needs The other half and the goal “Join them” of Two halves, "
            "which can never be so together.",
            "“Take The other half” helps only with “Take The other half” not done yet and the goal "
            "“Join them” of Two halves, which can never be so together.",
            "“Join them” helps only with The other half and “Take The other half” not done yet, "
            "which can never be so together.",
            "What lies behind some of this is not told here.",
        ],
    ),
    "what happens and is undone at once": (
        """
items: {lamp: {name: Lamp}}
facts: {seen: false, rung: false}
areas:
  quay: {ways: [pier], finds: [lamp]}
  pier: {ways: [{to: tower, needs: rung}]}
  tower: {}
whenever:
- {id: bell, when: at pier and lamp, loses: lamp, sets: {rung: true}}
- {id: hush, when: rung, sets: {rung: false}}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Pier needs Rung, which can never be so.",
            "What lies behind some of this is not told here.",
        ],
    ),
    "a talk that never has its turn": (
        """
items: {coin: {name: Coin, max: 1}, ticket: {name: Ticket, max: 1}}
areas:
  quay: {ways: [{to: tower, needs: ticket}]}
  tower: {}
people:
  ferryman:
    at: quay
    talk:
      - {when: coin, says: Not with coins., once: true}
      - {needs: coin}
      - {gives: ticket}
      - {when: coin, gives: ticket}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Ticket, which can never be had.",
            "“Talk to Ferryman” (any of 2) never has its turn: ferryman_talk_2 before it has no "
            "“when”, so that talking never gets past that one.",
        ],
    ),
    "what ends the game": (
        """
items: {key: {name: Key, max: 1}}
areas:
  quay: {deeds: {dive: {name: Dive, gives: key, ends: lost}}, ways: [{to: tower, needs: key}]}
  tower: {}
""",
        "world",
        [
            "The ending Won needs the player at Tower, which can never be reached.",
            "“Go to Tower” from Quay needs Key, which can never be had.",
            "“Dive” ends the game at once.",
        ],
    ),
}
SAID = {
    "a promise": (
        """
areas: {quay: {ways: [pond]}, pond: {ways: [tower]}, tower: {}}
promises: [{never: at pond, because: the pond is for later}]
""",
        ("broken_promise", "promise_1"),
        [
            "After move 1, “Go to Pond”, it is so: the player at Pond.",
            "You wrote: the pond is for later",
        ],
    ),
    "an order": (
        """
areas: {quay: {ways: [pond, tower]}, pond: {}, tower: {}}
promises: [{before: [pond is visited, at tower]}]
""",
        ("broken_promise", "promise_1"),
        [
            "After move 1, “Go to Tower”, it is so: the player at Tower; and never before that: "
            "has been to Pond."
        ],
    ),
    "a text below one that always comes first": (
        """
areas:
  quay:
    says: [{when: at quay, text: Waves.}, Gulls.]
    ways: [tower]
  tower: {}
""",
        ("unheard", "quay"),
        ["“Gulls.” is never read: wherever it applies, “Waves.” above it comes first."],
    ),
    "a text that never applies": (
        """
items: {bell: Bell}
areas:
  quay: {says: [{when: bell, text: It rings.}, Gulls.], ways: [tower]}
  tower: {}
""",
        ("unheard", "quay"),
        ["“It rings.” never applies where it would be read, for then it is never so: Bell."],
    ),
    "a gate that stops nobody": (
        """
items: {bell: Bell}
areas:
  quay: {finds: [bell], ways: [{to: pier, needs: bell}]}
  pier: {ways: [{to: tower, needs: bell, one_way: true}]}
  tower: {}
""",
        ("no_gate", "pier_to_tower"),
        [
            "It asks for Bell, and that is so in every play by the time that it can be tried, "
            "after 2 moves at the earliest."
        ],
    ),
    "a silence": (
        """
items: {bell: Bell}
areas:
  quay: {finds: [bell], says: [{when: not bell, text: Gulls.}], ways: [tower]}
  tower: {}
""",
        ("silent", "quay"),
        ["Then the player is at Quay and holds Bell, and no text applies."],
    ),
}


def head_of(text):
    """What every world begins with; a bad ending beside the good one where a case wants it."""
    if "\nendings:" in text:
        return HEAD[: HEAD.index("endings:")]
    return HEAD.replace("{won:", "{lost: {kind: bad}, won:") if "lost" in text else HEAD


class ByHand(unittest.TestCase):
    def test_the_cause_comes_first_and_the_chain_ends_where_the_trouble_is(self):
        for name, (text, subject, lines) in CASES.items():
            found = {
                f.subject: f for f in check(loads(head_of(text) + text)).findings if f.explanation
            }
            with self.subTest(name):
                told = [line.strip() for line in found[subject].explanation]
                self.assertEqual([t for t in told if not t.startswith("Then the player")], lines)

    def test_what_is_no_tree_is_a_sentence(self):
        for name, (text, (kind, subject), lines) in SAID.items():
            found = {(f.kind, f.subject): f for f in check(loads(HEAD + text)).findings}
            with self.subTest(name):
                self.assertEqual(list(found[kind, subject].explanation), lines)

    def test_each_line_is_set_in_under_what_it_explains(self):
        text, subject, _ = CASES["what was spent"]
        found = check(loads(HEAD + text)).findings
        (finding,) = (f for f in found if (f.kind, f.subject) == ("softlock", subject))
        depths = [len(line) - len(line.lstrip()) for line in finding.explanation]
        self.assertEqual(depths, [0, 0, 0, 2, 4, 6, 6])
        self.assertTrue(finding.explanation[1].startswith("Then the player"))


ORES = """
zubrel: 1
start: {at: quay}
items: {ore: {name: Ore, max: 9}, lamp: Lamp}
areas: {quay: {finds: [ore], deeds: {sell: {name: Sell it, takes: ore}}}}
recipes: {forge: {name: Forge, at: quay, takes: 2 ore, gives: lamp}}
endings: {won: {when: lamp}}
"""


class Sentences(unittest.TestCase):
    def first(self, text, subject):
        """The first sentence of why a move dooms."""
        found = {f.subject: f for f in check(loads(text)).findings if f.kind == "softlock"}
        return found[subject].explanation[0].strip()

    def test_of_areas_that_are_left_it_says_what_a_way_back_lacks(self):
        head = "zubrel: 1\nstart: {at: quay}\nendings: {won: {when: at tower}}\n"
        pit = """
items: {claws: Claws}
areas:
  quay: {ways: [nest, {to: pit, one_way: true}, {to: tower, needs: nest is visited}]}
  nest: {finds: [claws]}
  pit: {ways: [{to: quay, one_way: true, needs: claws}]}
  tower: {}
"""
        self.assertEqual(
            self.first(head + pit, "quay_to_pit"),
            "Move 1, “Go to Pit”, led away from Quay for good; “Go to Quay” from Pit needs Claws, "
            "and “Take Claws” needs the player at Nest.",
        )
        # what was left behind where the move has begun comes before what lies elsewhere
        lamp = """
items: {claws: Claws, lamp: {name: Lamp, uses: 1}}
areas:
  quay:
    finds: [lamp]
    ways: [nest, {to: pit, one_way: true}, {to: tower, needs: nest is visited}]
  nest: {finds: [claws]}
  pit: {ways: [{to: quay, one_way: true, needs: claws}, {to: hall, wears: lamp, one_way: true}]}
  hall: {ways: [{to: quay, one_way: true}]}
  tower: {}
"""
        self.assertEqual(
            self.first(head + lamp, "quay_to_pit"),
            "Move 1, “Go to Pit”, led away from Quay for good; “Go to Hall” from Pit needs Lamp, "
            "and “Take Lamp” needs the player at Quay.",
        )

    def test_what_the_move_itself_has_used_up_of_a_way_back_comes_first(self):
        text = """
zubrel: 1
start: {at: quay, holding: lamp}
endings: {won: {when: at tower}}
items: {lens: Lens, lamp: {name: Lamp, uses: 1}}
areas:
  quay: {ways: [{to: cave, wears: lamp}, {to: tower, needs: lens}], finds: [lens]}
  cave: {}
  tower: {}
"""
        self.assertEqual(
            self.first(text, "quay_to_cave"),
            "Move 1, “Go to Cave”, used up Lamp, which “Go to Quay” from Cave needs.",
        )

    def test_of_what_is_needed_together_it_says_what_the_move_took(self):
        system = compile_world(loads(ORES))
        ore = system.numbers[keys.held("ore")]
        find = system.numbers[keys.mark("taken", "quay_ore")]
        wanted, one = Within(ore, 2, 9), Within(ore, 1, 9)
        untaken = Within(find, 0, 0)
        took = Node(Took(3, "sell", ore, 1, 0))
        together = Node(Never(both((untaken, one))), (took,))
        cannot = Node(Cannot("quay_ore", (untaken, one)), (together,))
        tree = Node(Never(wanted), (Node(Only(wanted, ("quay_ore",)), (cannot,)),))
        self.assertEqual(
            cause_of(Naming(system, system.start), [tree], 3),
            "Move 3, “Sell it”, used up Ore, without which “Take Ore” is of no help.",
        )

    def test_none_at_all_is_no_number(self):
        system = compile_world(loads(ORES))
        ore = system.numbers[keys.held("ore")]
        wanted = Within(ore, 1, 9)
        for most, moves, words in (
            (0, 3, "No Ore can be had any more, and"),
            (0, 0, "No Ore can be had, and"),
            (1, 3, "There can be no more than 1 of Ore, and"),
        ):
            never = Node(Never(wanted), (Node(AtMost(ore, most, False)),))
            tree = Node(Cannot("sell", (wanted,)), (never,))
            told = cause_of(Naming(system, system.start), [tree], moves)
            with self.subTest(most=most, moves=moves):
                self.assertTrue(told.startswith(words), told)

    def test_an_area_that_was_left_before_was_not_left_for_good_then(self):
        text = (
            "zubrel: 1\nstart: {at: quay}\nitems: {lens: Lens}\n"
            "meters: {strength: {to: 4, start: 4}}\nareas:\n"
            "  quay: {ways: [{to: isle, adds: {strength: -1}}],\n"
            "    deeds: {light: {needs: lens, ends: won}}}\n"
            "  isle: {finds: [lens], deeds: {dance: {adds: {strength: -1}}}}\n"
            "endings: {won: {}, weak: {kind: bad, when: strength = 0}}\n"
        )
        found = {f.subject: f for f in check(loads(text)).findings}
        # it could still be gone back then, which the dances have put an end to
        self.assertEqual(
            found["dance"].explanation[0].strip(),
            "Move 1, “Go to Isle”, led away from Quay, to which no way leads back now, and "
            "“Light” needs the player at Quay.",
        )
        self.assertIn("led away from Quay for good", found["quay_to_isle"].explanation[0])

    def test_what_has_not_happened_is_said_as_people_say_it(self):
        world = loads(ORES)
        said = {
            ("visited", "quay"): "has never been to Quay",
            ("taken", "quay_ore"): "“Take Ore” not done yet",
            ("done", "sell"): "“Sell it” not done yet",
        }
        for (kind, subject), words in said.items():
            self.assertEqual(phrase(world, Not(Marked(kind, subject))), words)


if __name__ == "__main__":
    unittest.main()
