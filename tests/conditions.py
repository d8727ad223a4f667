"""Conditions of soundness, taken out one by one: a named world must show that each is needed.

`python -m tests.conditions` tries every condition on its worlds, `python -m tests.conditions NAME
FIRST COUNT` looks for worlds that show one. The program is copied, a piece of its text replaced,
and the copy compared with plain search.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import yaml

ROOT = Path(__file__).parent.parent
HEAD = "zubrel: 1\ntitle: A world\nstart: {at: quay}\n"


class Without(NamedTuple):
    """A condition: where it stands, its text, what is there without it, worlds that need it.

    Worlds are seeds of `world_data`, with an r before them of the whole language, with an e of
    errands; with a c before them of the whole language too, and the claims of reasons are compared;
    with an s of what can be said in several ways, and everything is compared; with a t of these
    too, and only what is told is compared, where claims take long; with an f of the whole language,
    and what samples show is compared.
    """

    file: str
    text: str
    instead: str
    seeds: tuple[int | str, ...]


CONDITIONS = {
    "deals: an area gets no more than it may": Without(
        "compiled/compile.py",
        "parts.append(opposite(at_least(deal.per_place, there)))",
        "pass",
        ("s8",),
    ),
    "deals: each item has its turn": Without(
        "compiled/compile.py",
        "parts += [opposite(self.translator.equals(keys.dealt(i), 0)) for i in known]",
        "pass",
        ("s4",),
    ),
    "deals: nothing happens before all is dealt": Without(
        "compiled/compile.py",
        "return both((Within(PLACE, 0, self._nowhere - 1), formula))",
        "return formula",
        ("s4",),
    ),
    "deals: what comes before a deal is told of nowhere": Without(
        "findings/dealt.py",
        "return self.inner.where(both((self.formula, formula)))",
        "return self.inner.where(formula)",
        ("s4",),
    ),
    "deals: a reason knows where things lie in its play": Without(
        "reasoned/sources.py",
        "if not dealt or not holds(system.begun, origin):",
        "if False:",
        ("s8",),
    ),
    "groups: a step is done when enough of its goals are met": Without(
        "compiled/translate.py",
        "both(at_least(g.count, [self.met(quest, n) for n in g.numbers]) for g in groups)",
        "both(self.met(quest, n) for g in groups for n in g.numbers)",
        ("t186",),
    ),
    "blows: the last one is due when no more is left": Without(
        "checked/encounters.py", "(*offered, Not(last[key_of(way)])),", "offered,", ("t53",)
    ),
    "pools: what asks is where the finds are": Without(
        "reduced/pools.py", "or not users.upwards(item, finds[0].areas, but=finds)", "", ()
    ),
    "finds: what asks is where the find is": Without(
        "reduced/finds.py",
        "if find is not None and users.upwards(item, move.areas):",
        "if find is not None:",
        (56,),
    ),
    "finds: what it asks for stays true": Without(
        "reduced/finds.py", "or not system.rising.for_good(remaining)", "", ()
    ),
    "finds: nobody asks whether it was made": Without(
        "reduced/finds.py", "users.readers.get(mark.variable) != [move] or", "", ()
    ),
    "openings: what they ask for stays true": Without(
        "reduced/openings.py", "and _but_for(system, move, own).for_good(condition)", "", (58,)
    ),
    "openings: what is used up is nobody else's": Without(
        "reduced/openings.py",
        "if not all(_only_its_own(system, users, variable, move) for variable in own):",
        "if False:",
        ("e18",),
    ),
    "places: a link stays open as long as one is there": Without(
        "reduced/links.py", " and self._lasts(area, forth)", "", ("e97",)
    ),
    "places: a link is open after a move that leads there": Without(
        "reduced/places.py", "if self.rules.arrives(key, clauses, area, links[o])", "", (58,)
    ),
    "visits: nothing is left to count in the area": Without(
        "reduced/visits.py",
        "return all(self._keeps(v, move.guard, step.changes) for v in self.visits)",
        "return True",
        ("e58",),
    ),
    "visits: what happens by itself leaves nothing to count": Without(
        "reduced/visits.py", "for s in self._here(others)", "for s in ()", ()
    ),
    "visits: nothing else happens on entering": Without(
        "reduced/visits.py", "if any(self._asks_here(s) for s in others):", "if False:", ()
    ),
    "visits: nothing is asked of what else a move there does": Without(
        "reduced/visits.py", "return not more & (asked | {ENDING})", "return True", ()
    ),
    "visits: those of one area have nothing to do with each other": Without(
        "reduced/visits.py", "if len(self.visits) == 1:", "if True:", ()
    ),
    "visits: nothing is counted at the start": Without(
        "reduced/visits.py",
        "if start and holds(visit.condition",
        "if False and holds(visit.condition",
        (),
    ),
    "derived: what is asked for stays true": Without(
        "reduced/derived.py", "or not system.rising.for_good(condition)", "", ()
    ),
    "derived: nothing else changes the mark": Without(
        "reduced/derived.py",
        "or marks & {c.variable for c in others}",
        "",
        (),
    ),
    "derived: nothing that happens by itself asks for the mark": Without(
        "reduced/derived.py",
        "by_itself = [*asked, *(s.guard for s in system.settlers)]",
        "by_itself = [*asked]",
        (),
    ),
    "guards: a mark is asked for, and no limit": Without(
        "reduced/guards.py",
        ", *self.system.settled, *self.system.marks}",
        ", *self.system.settled}",
        (),
    ),
    "guards: only one step raises it": Without(
        "reduced/guards.py", "if len(steps) == 1}", "if steps}", ()
    ),
    "guards: the step that raises it is made once": Without(
        "reduced/guards.py", "if v not in barred and n in self.once}", "if v not in barred}", ()
    ),
    "alike: the same moves are possible": Without(
        "reduced/alike.py", "(classes[v], self._possible(v, classes))", "(classes[v], 0)", ()
    ),
    "alike: what is sure stays true": Without(
        "reduced/standing.py", " and system.rising.for_good(part)", "", ()
    ),
    "alike: all who set it ask for what is sure": Without(
        "reduced/alike.py", "sure.get(value, asked) & asked", "asked", ()
    ),
    "alike: it is only ever set": Without("reduced/alike.py", " and _is_set(users, v)", "", ()),
    "openings: what asks is where they are": Without(
        "reduced/openings.py",
        "and users.upwards(mark, move.areas, but=[move])",
        "and users.upwards(mark, None, but=[move])",
        (56,),
    ),
    "openings: nothing else changes the mark": Without(
        "reduced/openings.py", "if len(users.writers[marks[0]]) == 1 else None", "", ()
    ),
    "levers: from each value to each other": Without(
        "reduced/levers.py",
        "if not networkx.is_strongly_connected(graph):",
        "if not graph.number_of_edges():",
        (),
    ),
    "supply: sources reach what is asked for": Without(
        "reduced/supply.py", "if _reach(system, m, item) >= most", "", ()
    ),
    "supply: what asks is where the sources are": Without(
        "reduced/supply.py", "set(r.areas) <= set(m.areas)", "True", (131,)
    ),
    "supply: what sources ask for stays true": Without(
        "reduced/supply.py", "return system.rising.for_good(remaining) and (", "return (", ()
    ),
    "forgetting: what happens by itself reads": Without(
        "reduced/forgetting.py", "always |= variables_of(settler.guard)", "always |= set()", ()
    ),
    "regions: what happens by itself moves the player": Without(
        "compiled/regions.py", "for settler in settlers:", "for settler in ():", ()
    ),
    "values: a test that some value fails is not decided": Without(
        "reduced/values.py", "return test if mask & ~inside else TRUE", "return TRUE", (0, 1)
    ),
    "standing: what is sure stays true": Without(
        "reduced/standing.py", " and system.rising.for_good(part)", "", (29, 53)
    ),
    "standing: all ways in say the same": Without(
        "reduced/standing.py", "else sure[end] & arriving", "else sure[end] | arriving", (16, 17)
    ),
    "standing: what happens by itself leads there too": Without(
        "reduced/standing.py", "for settler in system.settlers:", "for settler in ():", ()
    ),
    "certain: what comes back may be done again": Without(
        "compiled/adding.py",
        "following = closures[self._moved(change, 1 << place).bit_length() - 1] & allowed",
        "following = 0",
        (),
    ),
    "certain: what is only sometimes set is not set for good": Without(
        "compiled/adding.py",
        "len(effect.changes) == 1 and effect.changes[0][1] == ALWAYS",
        "len(effect.changes) == 1",
        (),
    ),
    "certain: what is set is not added up": Without(
        "compiled/adding.py",
        "count * self.times[number]) if plain else ENDLESS",
        "count * self.times[number])",
        (),
    ),
    "certain: of what can stand for each other the most counts": Without(
        "compiled/adding.py",
        "of_family[key] = max(most, of_family.get(key, 0))",
        "of_family[key] = most",
        (),
    ),
    "certain: all that move a count are asked how far": Without(
        "compiled/adding.py",
        "self._longest(effect, _allowed(members, variable))",
        "self._longest(effect, _allowed(members[:1], variable))",
        (),
    ),
    "certain: all outcomes doom, or luck decides": Without(
        "certain/hunt.py",
        "if not all(self._dooms(other.target) for other in others):",
        "if False:",
        (17, 29),
    ),
    "certain: the game goes on after a move that dooms": Without(
        "certain/leaving.py",
        "if self._may_doom(e.step) and not self.rooms.is_over(e.target)",
        "if self._may_doom(e.step)",
        (7, 8),
    ),
    "certain: who follows a course wins": Without(
        "certain/courses.py", "if not self.rooms.is_won(word):", "if False:", (15, 17)
    ),
    "sample: what no play has nobody misses": Without(
        "certain/missed.py",
        "if self.sample.holds_somewhere(thing.attained):",
        "if True:",
        ("f5", "f7"),
    ),
    "sample: what was had before is not missed": Without(
        "certain/missed.py",
        "if any(has(here) for here in (line[-1:] if marked else line)):",
        "if False:",
        ("f5", "f12"),
    ),
    "sample: what leaves no mark is looked for all along": Without(
        "certain/missed.py", "(line[-1:] if marked else line)", "line[-1:]", ("f1",)
    ),
    "sample: what never comes any more is missed": Without(
        "certain/missed.py",
        "key=lambda here: not may_come(here)",
        "key=lambda here: True",
        ("f1", "f5"),
    ),
    "sample: what is never is denied by all that may come": Without(
        "narrated/seen.py", "if self.whole.may_hold(formula):", "if False:", ("f17",)
    ),
    "sample: luck decides only where another outcome spares": Without(
        "findings/detectors/softlocks.py", "if judged.complete:", "if True:", ()
    ),
    "sample: a play in it may not be the shortest": Without(
        "explored/listed/sampled.py", "breadth_first = False", "breadth_first = True", ()
    ),
    "sample: what was not left may lead anywhere": Without(
        "findings/judged.py", "won | space.unexplored]", "won]", ("f1", "f5")
    ),
    "pairs: what comes to be had beside one value is had beside the other": Without(
        "compiled/pairs.py",
        "self.beside[other] |= 1 << new",
        "pass",
        (0, 1),
    ),
    "pairs: what changes at the same time is had as it is afterwards": Without(
        "compiled/pairs.py",
        "beside |= moved",
        "pass",
        (6, 8),
    ),
    "pairs: what is new is asked for again": Without(
        "compiled/pairs.py",
        "due = [n for n, read in enumerate(self._reads) if changed & read]",
        "due = []",
        (0, 6),
    ),
    "twins: each value of the other goes with one": Without(
        "compiled/twins.py", "if both not in (1, 2):", "if both not in (1, 2, 3):", ()
    ),
    "twins: what others are told by stays": Without(
        "compiled/twins.py", " or variable in standing:", ":", ()
    ),
    "facts: what falls does not rise": Without(
        "compiled/facts.py", "if not up:", "if False:", (17, 53)
    ),
    "relaxation: an area that is reached wakes what is possible there": Without(
        "compiled/operators.py",
        "return self._asking_for_areas + self._of_areas(new)",
        "return self._asking_for_areas",
        (1,),
    ),
    "backward: of several that could happen the first does": Without(
        "explored/backward/functions.py", "free = free & ~changing", "pass", ()
    ),
    "backward: where the game has ended nothing happens": Without(
        "explored/backward/functions.py",
        "free = self.going_on\n",
        "free = self.valid\n",
        (),
    ),
    "backward: sums stop at the end": Without(
        "explored/backward/adders.py",
        "[beyond.ite(e, a) for e, a in zip(limit, added, strict=True)]",
        "added",
        (9,),
    ),
    "backward: what is avoided is never passed through": Without(
        "explored/backward/reaching.py",
        "within = without(within, avoiding)",
        "pass",
        (15,),
    ),
    "backward: what some plays never reach others may": Without(
        "explored/backward/reaching.py",
        "        if avoiding is None:\n            self._refute",
        "        if True:\n            self._refute",
        (17,),
    ),
    "backward: few variables refute nothing that a play comes to": Without(
        "explored/backward/projecting.py",
        "return bool((diagram & met[area]).satisfiable())",
        "return False",
        (8,),
    ),
    "backward: variables that are left out may have any value": Without(
        "explored/backward/projecting.py",
        "return diagram.exists(self.hidden)",
        "return diagram.forall(self.hidden)",
        (8,),
    ),
    "backward: what follows a step may be followed by more": Without(
        "explored/backward/functions.py", "courses.append(\n", "(lambda more: None)(\n", ("r1",)
    ),
    "backward: what follows is about the situation that it follows": Without(
        "explored/backward/functions.py",
        "[course.becomes(bit) for bit in bits]",
        "list(bits)",
        (),
    ),
    "backward: a change that is not made is none": Without(
        "explored/backward/functions.py", "(where & ~holds, FALSE))", "(where & ~holds, TRUE))", ()
    ),
    "backward: several values of one may go with the same of another": Without(
        "explored/backward/invariants.py",
        "groups[mask] = groups.get(mask, 0) | 1 << at",
        "groups[mask] = 1 << at",
        ("r1",),
    ),
    "backward: what is had in other areas says nothing of this one": Without(
        "explored/backward/invariants.py",
        "pairs.values_beside(PLACE, area, variable)",
        "pairs.values_beside(PLACE, 0, variable)",
        (1,),
    ),
    "facts: what has happened may make more possible": Without(
        "compiled/facts.py", "waiting += [s.changes for s in new]", "pass", ()
    ),
    "facts: what makes a difference again happens again": Without(
        "compiled/facts.py",
        "changed.count(c.variable) == 1 and excluded(settler.guard, c)",
        "True",
        (),
    ),
    "backward: what is undone makes no difference": Without(
        "explored/backward/space.py",
        "return fixed | undone.exists(self.encoding.positive_cube(second))",
        "return fixed",
        (),
    ),
    "backward: an end is not undone": Without(
        "explored/backward/space.py", " & functions.going_on & same", " & same", ()
    ),
    "claims: what gives an amount does so once": Without(
        "reasoned/counting.py", "            if not once:\n", "            if False:\n", ("c12",)
    ),
    "claims: what was taken was there": Without(
        "reasoned/leaves.py",
        "if holds(formula, move.before) and not holds(formula, move.after):",
        "if not holds(formula, move.after):",
        ("c30",),
    ),
    "claims: what was done can be done once": Without(
        "reasoned/leaves.py",
        "or not self.system.once_only(self.system.move_of[maker.step.number])",
        "",
        ("c101",),
    ),
    "claims: what happens by itself may still give": Without(
        "reasoned/leaves.py",
        "        if maker.step is None:\n            return True\n        asked",
        "        if maker.step is None:\n            return False\n        asked",
        ("c2515",),
    ),
    "claims: what is lowered may make it so": Without(
        "reasoned/formulas.py",
        "return low > domain.low if change.number > 0 else high < domain.high",
        "return low > domain.low and change.number > 0",
        ("c28",),
    ),
    "claims: a change may have a condition": Without(
        "reasoned/formulas.py", "        if change.when == TRUE:\n", "        if True:\n", ("c65",)
    ),
    "claims: parts are left out where the others are enough": Without(
        "reasoned/prover.py",
        "            if self.is_never(both(fewer)):\n",
        "            if True:\n",
        ("c184",),
    ),
    "claims: from where a place is reached": Without(
        "reasoned/borders.py",
        "if start not in beyond and self.is_never(at_start):",
        "if start not in beyond:",
        ("c2",),
    ),
    "claims: what is wanted together is there once": Without(
        "reasoned/together.py",
        "                    if not marks:\n                        return None\n",
        "                    if not marks:\n                        continue\n",
        ("c95",),
    ),
}

BY_HAND = {
    "backward: what follows is about the situation that it follows": """
areas: {quay: {deeds: {ring: {needs: bell < 2, adds: {bell: 1, heard: 1}}}}}
meters: {bell: {to: 2}, heard: {to: 4}}
facts: {echoed: {}}
whenever: [{id: echo, when: bell = 1 and not echoed, sets: {echoed: true}, adds: {heard: 1}}]
endings: {won: {when: heard = 3}}
""",
    "backward: a change that is not made is none": """
items: {rope: {max: 3}, salt: {max: 3}, oil: {max: 3}, lamp: {}}
carry: [{limit: 5}]
areas:
  quay:
    finds:
      - {item: rope, again: always}
      - {item: salt, again: always}
      - {item: oil, again: always}
    ways: [pier]
  pier: {}
quests: {errand: {from: quay, goals: [{visit: pier}], reward: {gives: lamp}}}
endings: {won: {when: lamp}}
""",
    "twins: each value of the other goes with one": """
areas: {quay: {deeds: {light: {sets: {lit: true}}, call: {needs: lit, sets: {seen: true}}}}}
facts: {lit: {}, seen: {}}
endings: {won: {when: seen}}
""",
    "twins: what others are told by stays": """
areas:
  quay: {deeds: {build: {sets: {stands: true, stage: roof, ready: true}}}, ways: [tower]}
  tower: {ways: [{to: lamp, needs: ready}]}
  lamp: {}
facts: {stands: {}, stage: {values: [ground, roof, spire]}, ready: {}}
endings: {won: {when: at lamp}}
""",
    "facts: what has happened may make more possible": """
areas: {quay: {deeds: {pull: {sets: {a: true}}}}}
facts: {a: {}, b: {}, c: {}}
whenever:
  - {id: first, when: a, sets: {b: true}}
  - {id: second, when: b, sets: {c: true}}
endings: {won: {when: c}}
""",
    "facts: what makes a difference again happens again": """
areas: {quay: {deeds: {knock: {sets: {latched: false, heard: true}}}}}
facts: {wind: {start: true}, latched: {start: true}, heard: {}}
whenever: [{id: slam, when: wind, sets: {latched: true}}]
endings: {won: {when: heard}}
""",
    "backward: of several that could happen the first does": """
areas: {quay: {deeds: {light: {sets: {lit: true}}}, ways: [{to: tower, needs: raised}]}, tower: {}}
facts: {lit: {}, raised: {}}
whenever:
  - {id: dies, when: lit, sets: {lit: false}}
  - {id: opens, when: lit, sets: {raised: true}}
endings: {won: {when: at tower}}
""",
    "backward: where the game has ended nothing happens": """
areas:
  quay: {ways: [tower, {to: pit, one_way: true}]}
  tower: {}
  pit: {deeds: {drown: {sets: {drowned: true}, ends: lost}, rise: {needs: drowned, ends: won}}}
facts: {drowned: {}}
endings: {won: {when: at tower}, lost: {kind: bad}}
""",
    "backward: what is undone makes no difference": """
areas: {quay: {deeds: {light: {sets: {lit: true}}}, ways: [tower]}, tower: {}}
facts: {lit: {}}
whenever: [{id: dies, when: lit, sets: {lit: false}}]
endings: {won: {when: at tower}}
""",
    "backward: an end is not undone": """
areas: {quay: {deeds: {light: {sets: {lit: true}}}, ways: [tower]}, tower: {}}
facts: {lit: {}}
whenever: [{id: burns, when: lit, sets: {lit: false}, ends: lost}]
endings: {won: {when: at tower}, lost: {kind: bad}}
""",
    "standing: what happens by itself leads there too": """
areas:
  quay: {ways: [{to: tower, needs: bell}], deeds: {ring: {sets: {bell: true}}}}
  tower: {ways: [{to: top, needs: bell}]}
  top: {}
  raft: {}
facts: {bell: {}, storm: {}}
deeds: {wait: {sets: {storm: true}}}
whenever: [{id: drift, when: at quay and storm and not bell, moves_to: tower}]
endings: {won: {when: at top}}
""",
    "sample: luck decides only where another outcome spares": """
start: {at: quay, holding: [lens]}
items: {lens: Lens, shell: {name: Shell, max: 9}}
areas:
  quay:
    ways: [{to: tower, needs: lens}]
    deeds: {dare: {takes: lens, chance: [{odds: 1}, {moves_to: cliff}]}}
  cliff: {finds: [{item: shell, again: always}]}
  tower: {}
endings: {won: {when: at tower}}
""",
    "sample: a play in it may not be the shortest": """
items: {lens: Lens, oil: Oil}
areas:
  quay: {ways: [{to: hut, one_way: true}, {to: strand, one_way: true}]}
  strand: {ways: [{to: cave, one_way: true}]}
  hut: {finds: [lens], ways: [{to: shed, one_way: true}]}
  shed: {finds: [oil], ways: [{to: cave, one_way: true}]}
  cave: {ways: [{to: tower, needs: [lens, oil]}]}
  tower: {}
promises: [{within: {steps: 2, reach: at cave}}]
endings: {won: {when: at tower}}
""",
    "certain: what comes back may be done again": """
items: {shell: {name: Shell, max: 3}}
areas:
  quay:
    deeds:
      dig: {needs: not dug, gives: shell, sets: {dug: true}}
      wait: {sets: {dug: false}}
    ways: [{to: tower, needs: 3 shell}]
  tower: {}
facts: {dug: {}}
endings: {won: {when: at tower}}
""",
    "certain: what is only sometimes set is not set for good": """
start: {at: quay, holding: [crate]}
items:
  shell: {name: Shell, max: 3}
  lamp: {name: Lamp, uses: 2, when_full: waste}
  crate: Crate
carry: [{limit: 1, of: [lamp, crate]}]
areas:
  quay:
    deeds: {trade: {needs: not lamp, gives: [lamp, shell]}}
    ways: [{to: tower, needs: 3 shell}]
  tower: {}
endings: {won: {when: at tower}}
""",
    "certain: of what can stand for each other the most counts": """
items: {shell: {name: Shell, max: 3}}
areas:
  quay:
    deeds:
      trade: {once: true, either: [{label: much, gives: 3 shell}, {label: little, gives: shell}]}
    ways: [{to: tower, needs: 3 shell}]
  tower: {}
endings: {won: {when: at tower}}
""",
    "certain: all that move a count are asked how far": """
items: {shell: {name: Shell, max: 9}}
meters: {trust: {to: 4}}
areas:
  quay:
    deeds:
      help: {needs: trust < 1, adds: {trust: 1}, gives: shell}
      help_more: {needs: trust < 4, adds: {trust: 1}, gives: shell}
    ways: [{to: tower, needs: 4 shell}]
  tower: {}
endings: {won: {when: at tower}}
""",
    "certain: what is set is not added up": """
items: {lamp: {name: Lamp, uses: 3}}
areas:
  quay: {finds: [lamp], ways: [{to: tower, needs: lamp}]}
  tower: {}
endings: {won: {when: at tower}}
""",
    "finds: what it asks for stays true": """
items: {key: {name: Key, max: 2}}
areas:
  quay:
    finds: [{item: key, needs: not tide}]
    deeds: {flood: {sets: {tide: true}}, unbar: {takes: key, needs: tide, sets: {gate: true}}}
    ways: [{to: tower, needs: gate}]
  tower: {}
facts: {tide: {}, gate: {}}
endings: {won: {when: at tower}}
""",
    "finds: nobody asks whether it was made": """
items: {key: {name: Key, max: 2}}
areas:
  quay:
    finds: [{item: key, id: quay_key}]
    deeds: {unbar: {takes: key, sets: {gate: true}}}
    ways: [{to: tower, needs: [gate, quay_key is taken]}]
  tower: {}
facts: {gate: {}}
endings: {won: {when: at tower}}
""",
    "openings: nothing else changes the mark": """
areas:
  quay:
    deeds:
      pull: {needs: not sluice, sets: {sluice: true}}
      smash: {sets: {sluice: true, broken: true}}
    ways: [{to: tower, needs: [sluice, not broken]}]
  tower: {}
facts: {sluice: {}, broken: {}}
endings: {won: {when: at tower}}
""",
    "visits: nothing else happens on entering": """
areas: {quay: {ways: [tower]}, tower: {}, pier: {}}
facts: {seen: {}, bell: {}}
whenever:
  - {id: rings, when: (at tower or at pier) and not seen, sets: {bell: true}}
  - {id: sees, when: at tower and not seen, sets: {seen: true}}
endings: {won: {when: bell and seen}}
""",
    "visits: those of one area have nothing to do with each other": """
areas: {quay: {ways: [tower]}, tower: {}}
facts: {seen: {}, bell: {}}
whenever:
  - {id: sees, when: at tower and not seen, sets: {seen: true}}
  - {id: rings, when: at tower and not seen and not bell, sets: {bell: true}}
endings: {won: {when: bell}}
""",
    "visits: what happens by itself leaves nothing to count": """
items: {shell: Shell}
areas: {quay: {ways: [{to: tower, one_way: true}]}, tower: {finds: [shell]}}
quests: {errand: {from: quay, order: in_turn, goals: [{collect: shell}, {visit: tower}]}}
endings: {won: {when: errand is done}}
""",
    "visits: nothing is counted at the start": """
areas: {quay: {}, tower: {}}
facts: {seen: {}}
whenever: [{id: sees, when: at quay and not seen, sets: {seen: true}}]
endings: {won: {when: seen}}
""",
    "visits: nothing is asked of what else a move there does": """
items: {shell: Shell}
areas:
  quay: {deeds: {row: {moves_to: tower, sets: {wet: true}}}}
  tower: {}
facts: {wet: {}, seen: {}}
whenever: [{id: sees, when: at tower and not seen and wet, sets: {seen: true}}]
endings: {won: {when: seen}}
""",
    "derived: what is asked for stays true": """
items: {rope: Rope}
areas:
  quay:
    finds: [rope]
    deeds: {saw: {needs: rope, loses: rope, sets: {cut: true}}}
    ways: [{to: tower, needs: [bell, cut]}]
  tower: {}
facts: {bell: {}, cut: {}}
whenever: [{id: ring, when: rope, sets: {bell: true}}]
endings: {won: {when: at tower}}
""",
    "derived: nothing else changes the mark": """
items: {shell: Shell}
areas:
  quay:
    finds: [shell]
    deeds: {smash: {needs: not shell, sets: {bell: true, broken: true}}}
    ways: [{to: tower, needs: [bell, broken, not shell]}]
  tower: {}
facts: {bell: {}, broken: {}}
whenever: [{id: ring, when: shell, sets: {bell: true}}]
endings: {won: {when: at tower}}
""",
    "derived: nothing that happens by itself asks for the mark": """
items: {shell: Shell}
areas: {quay: {finds: [shell], ways: [{to: tower, needs: [bell, early]}]}, tower: {}}
facts: {bell: {}, early: {}}
whenever:
  - {id: before, when: shell and not bell, sets: {early: true}}
  - {id: ring, when: shell, sets: {bell: true}}
endings: {won: {when: at tower}}
""",
    "guards: a mark is asked for, and no limit": """
areas:
  quay: {deeds: {pour: {once: true, adds: {tub: 1}}}, ways: [{to: tower, needs: tub = 2}]}
  tower: {}
meters: {tub: {to: 3}}
endings: {won: {when: at tower}}
""",
    "guards: the step that raises it is made once": """
areas:
  quay: {deeds: {pour: {needs: tub = 0, adds: {tub: 1}}}, ways: [{to: tower, needs: tub = 2}]}
  tower: {}
meters: {tub: {to: 3}}
endings: {won: {when: at tower}}
""",
    "guards: only one step raises it": """
items: {saw: {name: Saw, uses: 1}}
areas:
  quay: {finds: [saw, saw], ways: [{to: pier, lock: one}]}
  pier: {ways: [{to: tower, lock: two}]}
  tower: {}
locks: {one: {wears: saw}, two: {wears: saw}}
endings: {won: {when: at tower}}
""",
    "alike: the same moves are possible": """
items: {lamp: {name: Lamp, drop: true}}
areas:
  quay: {finds: [lamp], ways: [{to: tower, one_way: true}]}
  tower: {deeds: {light: {needs: lamp, ends: won}}}
endings: {won: {}}
""",
    "alike: what is sure stays true": """
items: {rope: Rope, lamp: {name: Lamp, drop: true}}
areas:
  quay:
    finds: [rope, lamp]
    deeds:
      saw: {needs: rope, loses: rope, sets: {cut: true}}
      light: {needs: [lamp, cut], ends: won}
    ways: [{to: tower, needs: rope}]
  tower: {}
facts: {cut: {}}
endings: {won: {}}
""",
    "alike: all who set it ask for what is sure": """
items: {rope: Rope}
areas:
  quay: {finds: [rope], ways: [{to: tower, one_way: true}]}
  tower:
    deeds:
      smear: {needs: paint = none, sets: {paint: red}}
      dip: {needs: [paint = none, rope], sets: {paint: red}}
      dye: {needs: paint = none, sets: {paint: blue}}
      light: {needs: paint = blue or (paint = red and rope), ends: won}
facts: {paint: {values: [none, red, blue]}}
endings: {won: {}}
""",
    "alike: it is only ever set": """
items: {shell: {name: Shell, max: 3}}
areas:
  quay: {finds: [shell, shell, shell], ways: [{to: tower, needs: 3 shell}]}
  tower: {}
endings: {won: {when: at tower}}
""",
    "supply: what sources ask for stays true": """
items: {coin: {name: Coin, max: 2}}
areas:
  quay:
    deeds:
      dig: {needs: not tide, gives: coin}
      flood: {sets: {tide: true}}
      pay: {needs: tide, takes: coin, sets: {paid: true}}
    ways: [{to: tower, needs: paid}]
  tower: {}
facts: {tide: {}, paid: {}}
endings: {won: {when: at tower}}
""",
    "forgetting: what happens by itself reads": """
items: {key: Key}
areas:
  quay: {finds: [key], ways: [{to: pier, one_way: true}]}
  pier: {deeds: {wait: {sets: {bell: true}}}, ways: [{to: tower, needs: tide}]}
  tower: {}
facts: {tide: {}, bell: {}}
whenever: [{id: flood, when: key and bell, sets: {tide: true}}]
endings: {won: {when: at tower}}
""",
    "pools: what asks is where the finds are": """
items: {key: {name: Key, max: 2}}
areas:
  quay: {finds: [key, key, key], ways: [{to: pier, one_way: true}]}
  pier: {ways: [{to: hut, lock: one, one_way: true}]}
  hut: {ways: [{to: tower, lock: two}]}
  tower: {}
locks: {one: {takes: 2 key}, two: {takes: key}}
endings: {won: {when: at tower}}
""",
    "regions: what happens by itself moves the player": """
items: {key: Key}
areas:
  quay:
    finds: [key]
    deeds: {burn: {takes: key}}
    ways: [{to: raft, one_way: true}, {to: tower, needs: key}]
  raft: {deeds: {row: {sets: {tide: true}}}}
  tower: {}
facts: {tide: {}}
whenever: [{id: drift, when: at raft and tide, moves_to: quay}]
endings: {won: {when: at tower}}
""",
    "levers: from each value to each other": """
areas:
  quay: {ways: [{to: tower, needs: not sluice}], deeds: {pull: {sets: {sluice: true}}}}
  tower: {}
facts: {sluice: {}}
endings: {won: {when: at tower}}
""",
    "supply: sources reach what is asked for": """
items: {key: {name: Key, max: 4}, coin: {name: Coin, kind: money, max: 3}}
areas:
  quay:
    finds: [key, key, key]
    ways: [{to: pier, lock: one}, {to: shed, lock: two}, {to: tower, lock: three}]
  pier: {}
  shed: {deeds: {scrape: {gives: coin}, buy: {takes: 3 coin, gives: 2 key}}}
  tower: {}
locks: {one: {takes: key}, two: {takes: key}, three: {takes: 4 key}}
endings: {won: {when: at tower}}
""",
}
"""Worlds for conditions that random worlds hardly come upon, by the name of the condition."""


def worlds_of(name: str) -> list[str]:
    """The worlds that need a condition: seeds, or its own name for the one written by hand."""
    return [*map(str, CONDITIONS[name].seeds), *([name] if name in BY_HAND else [])]


def shown_by(name: str | None, worlds: Sequence[str], most: int = 1) -> list[str]:
    """The first worlds, of some, in which the program without a condition (or as it is) says what
    is not so."""
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "zubrel"
        shutil.copytree(ROOT / "src" / "zubrel", copy, ignore=shutil.ignore_patterns("__pycache__"))
        if name is not None:
            condition = CONDITIONS[name]
            file = copy / condition.file
            text = file.read_text(encoding="utf-8")
            file.write_text(text.replace(condition.text, condition.instead, 1), encoding="utf-8")
        path = f"{folder}{os.pathsep}{ROOT}"
        done = subprocess.run(
            [sys.executable, "-m", "tests.conditions", "--try", str(most), *worlds],
            env={**os.environ, "PYTHONPATH": path},
            capture_output=True,
            text=True,
            cwd=folder,
        )
    assert done.returncode == 0, done.stderr
    return done.stdout.splitlines()


def disagrees(which: str) -> bool:
    """Whether some reduction, or all of them, say of a world what plain search does not."""
    from tests.errand_worlds import errand_world
    from tests.random_worlds import random_world
    from tests.said_worlds import said_world
    from tests.test_against_reference import scalar, world_of
    from tests.test_reductions import PREPARING, told_by, world_data
    from zubrel.base.budget import Budget, Limits
    from zubrel.base.progress import Silence
    from zubrel.certain.stage import certain
    from zubrel.compiled.compile import compile_world
    from zubrel.compiled.formulas import Within
    from zubrel.explored.space import EndlessSettling, NotAsked
    from zubrel.quotient.making import lens_for
    from zubrel.reduced.reduce import EVERY, reduce

    if which in BY_HAND:
        data = yaml.safe_load(HEAD + BY_HAND[which])
        if which.startswith("sample: "):
            return samples_are_untrue(data)
    elif which.startswith("c"):
        return claims_are_untrue(random_world(int(which[1:])))
    elif which.startswith("f"):
        return samples_are_untrue(random_world(int(which[1:])))
    elif which.startswith("t"):
        return is_told_otherwise(said_world(int(which[1:])))
    elif which.startswith("s"):
        data = said_world(int(which[1:]))
        return is_told_otherwise(data) or claims_are_untrue(data)
    else:
        makers = {"r": random_world, "e": errand_world}
        data = makers.get(which[0], world_data)(int(which.lstrip("re")))
    system = compile_world(world_of(data))
    try:
        plain = scalar(system)
    except EndlessSettling:
        return False
    verdict, doom = told_by(plain)
    try:
        known = certain(system, 60_000, Budget(Limits()))
        if not {(d.kind, d.step.rule.id) for d in known.dooms} <= set(doom):
            return True
        if known.unwinnable and verdict != "unwinnable":
            return True
        for name in (*EVERY, "all"):
            using = EVERY if name == "all" else (*PREPARING.get(name, ()), name)
            other, doomed = told_by(scalar(reduce(system, (), using).system))
            if (other, set(doomed)) != (verdict, set(doom)):
                return True
        if told_backwards(plain) != told_in_full(plain):
            return True
        lens = lens_for(system, (), Budget(Limits()), Silence())
        for number, variable in enumerate(system.variables):
            for value in range(variable.low, variable.high + 1):
                formula = Within(number, value, value)
                try:
                    if lens.holds_somewhere(formula) != plain.holds_somewhere(formula):
                        return True
                except NotAsked:
                    pass
    except (AssertionError, KeyError, ValueError, StopIteration):
        return True  # it comes upon something that cannot be
    return False


def is_told_otherwise(data: Any) -> bool:
    """Whether plain search tells of a world what the slow reference does not."""
    from tests.reference import Reference, Restless, TooLarge
    from tests.test_against_reference import scalar, summary_of, world_of
    from zubrel.compiled.compile import compile_world
    from zubrel.narrated.replay import Mismatch

    try:
        expected = Reference(data).explore().summary()
    except (TooLarge, Restless):
        return False
    try:
        return summary_of(scalar(compile_world(world_of(data)))) != expected
    except (AssertionError, Mismatch):
        return True


def claims_are_untrue(data: Any) -> bool:
    """Whether some claim of a reason does not hold in the slow reference."""
    from tests.reference import Reference, Restless, TooLarge
    from tests.reference_claims import Claims
    from tests.test_against_reference import scalar, world_of
    from zubrel.compiled.compile import compile_world
    from zubrel.findings.find import find
    from zubrel.narrated.narrate import narrate
    from zubrel.output.as_json import finding_as_json

    try:
        reference = Reference(data).explore()
    except (TooLarge, Restless):
        return False
    try:
        told = narrate(find(scalar(compile_world(world_of(data)))), lambda: 0.0)
        for finding in map(finding_as_json, told.findings):
            Claims(reference, finding["evidence"], finding.get("deal")).check(finding["why"])
    except (AssertionError, KeyError, ValueError, StopIteration):
        return True
    return False


def samples_are_untrue(data: Any) -> bool:
    """Whether a sample of a few situations shows what is not found in all of them."""
    from tests.small_worlds import seen_in_sample, untrue_of
    from tests.test_against_reference import scalar, world_of
    from zubrel.compiled.compile import compile_world
    from zubrel.explored.space import EndlessSettling

    system = compile_world(world_of(data))
    try:
        space = scalar(system)
        return any(untrue_of(space, seen_in_sample(system, most)) for most in (4, 16))
    except EndlessSettling:
        return False


def told_in_full(plain: Any) -> object:
    """The verdict of a space, which moves doom, what is ever possible, and which ends avoid what.

    Of each variable, whether the game can end well without its highest value.
    """
    from zubrel.compiled.formulas import Within
    from zubrel.findings.judged import judge

    judged = judge(plain)
    steps = plain.system.steps
    dooming = [bool(judged.live & plain.before(s, judged.doomed)) for s in steps]
    possible = [bool(plain.possible(s)) for s in steps]
    highest = [
        plain.where(Within(n, v.high, v.high))
        for n, v in enumerate(plain.system.variables)
        if v.size > 1
    ]
    without = [bool(w & judged.won) for w in plain.reached_without(highest)]
    return judged.verdict, dooming, possible, [bool(there) for there in highest], without


def told_backwards(plain: Any) -> object:
    """The same, by sets closed backwards."""
    from zubrel.base.budget import Budget, Limits
    from zubrel.explored.backward.space import BackwardSpace

    return told_in_full(BackwardSpace(plain.system, Budget(Limits())))


def main() -> None:
    words = sys.argv[1:]
    if words[:1] == ["--try"]:
        left = int(words[1])
        for which in words[2:]:
            if left and disagrees(which):
                print(which, flush=True)
                left -= 1
    elif words:
        name, first, count = words
        letter, first = first.rstrip("0123456789"), first.lstrip("rcestf")
        print(shown_by(name, [f"{letter}{int(first) + n}" for n in range(int(count))], 3))
    else:
        for name in CONDITIONS:
            found = shown_by(name, worlds_of(name))
            print(f"{'needed' if found else 'NOT SHOWN TO BE NEEDED'}: {name} {found}")


if __name__ == "__main__":
    main()
