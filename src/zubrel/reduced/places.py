"""Fewer places: areas between which the player can walk at will are one.

Where a way that only walks leads from N to B, the way back asks for no more, and what it asks for
stays true as long as the player is in B, it is a *link*: whoever has come to B by links from N can
go back at any time, and come again as long as the link is open. If B is entered in no other way, it
is left out, and each of its rules is one of N that asks for the link beside. This goes on as long
as something changes, so that at last a rule asks for what lets the player walk to it, and a part of
the world that hangs together by links is one place. A link may ask for what can be lost elsewhere:
whoever sells the rope in N does so in N, and B is out of reach until there is another.

A way, or any other move, into B after which the link is open for sure leads to N instead: what it
asks for says so. It then is no passage without return, although it looks like one. Where that
cannot be said, B stays, and its rules are seen from there as well: a *view* of its own.

Why this is sound. Situations that differ only in whether the player stands in N or in B, with the
link open, can be turned into each other by walking, and nothing happens on the way. So they have
the same future, but for walks; no walk of these dooms, and whatever else dooms in one of them does
in the other. Those with the player in B all have the link open, since whatever leads there leaves
it open and nothing that can be done there, or happens by itself, shuts it. (This is a branching
bisimulation; van Glabbeek, Weijland: Branching time and abstraction in bisimulation semantics,
1996.)

Conditions: what a link asks for does not ask where the player stands, and holds after each step
that begins in B and may end there, and after what happens by itself then; nothing that happens by
itself, no ending, no condition of a change, and nothing that is asked for tells the two areas
apart; B is neither left nor entered by what happens by itself. The start is left out only where the
link is open from the start.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from msgspec.structs import replace

from zubrel.compiled.formulas import (
    TRUE,
    Formula,
    Within,
    both,
    either,
    substituted,
    variables_of,
)
from zubrel.compiled.parts import PLACE, Move, Step
from zubrel.compiled.ways import destination_for_sure, destination_of, told_apart
from zubrel.reduced.clauses import (
    ALWAYS,
    NEVER,
    Clauses,
    both_of,
    clauses_of,
    either_of,
    formula_of,
)
from zubrel.reduced.links import Key, LinkMove, Rules, Targets
from zubrel.reduced.result import Rebuilding, Reduced, formulas_of

MOST_LINKS = 3
"""An area with links to more than this many others stays."""
MOST_COPIES = 24
"""An area whose rules would become more than this many new ones stays."""


def places(before: Reduced, asked: Sequence[Formula] = ()) -> Reduced:
    """The system with fewer areas. Those that something `asked` for tells apart stay."""
    # one area is the least there can be: every rule would be looked at for nothing
    if before.system.variables[PLACE].size == 1:
        return before
    folding = _Folding(before, asked)
    folding.fold()
    return folding.reduced() if folding.rules.folded else before


class _Folding:
    def __init__(self, before: Reduced, asked: Sequence[Formula]) -> None:
        self.before = before
        self.system = system = before.system
        self.start = system.variables[PLACE].start
        # what happens by itself may lead there at a time when nobody could walk back
        self.staying = {c.number for s in system.settlers for c in s.changes if c.variable == PLACE}
        """Areas that cannot be left out."""
        self.rules = Rules(system, told_apart(system, [*formulas_of(system), *asked]))
        self.silent: dict[int, None] = {}
        """Numbers of the moves that became walks inside of one area."""
        self.openers: dict[Formula, dict[int, Step]] = {}
        """What has to be opened before a way that asks for a formula can be walked."""
        self.opened: dict[int, dict[int, Step]] = {}
        """By area: what has to be opened before ways can be walked that ask for nothing."""
        for move in system.moves:
            self._begin(move)

    def _begin(self, move: Move) -> None:
        # None where a step stays, or leads to one of several areas: such a step is never turned
        targets = tuple(destination_for_sure(step) for step in move.steps)
        # only a move without luck that does nothing but walk can be a link, and its guard has to
        # be readable without knowing where the player stands
        gates: Clauses | None = None
        if (
            len(move.steps) == 1
            and destination_of(move.steps[0]) is not None
            and move.areas is not None
            and PLACE not in variables_of(move.guard)
        ):
            gates = clauses_of(move.guard)
        number, walks = len(self.rules.all), gates is not None
        # what a walk asks for is kept as clauses, which links are made of; the guard of any other
        # move stays one formula, since nothing is ever joined with it
        self.rules.all.append(LinkMove(move, TRUE if walks else move.guard, walks))
        for area in (None,) if move.areas is None else move.areas:
            self.rules.here.setdefault(area, {})[number, targets] = (
                ALWAYS if gates is None else gates
            )
            for target in targets:
                if target is not None:
                    self.rules.into.setdefault(target, set()).add(area)
        for step, target in zip(move.steps, targets, strict=True):
            if target is None:
                # an area that is entered perhaps cannot be entered by way of a neighbour: nobody
                # could say what its link would have to ask for
                self.staying |= {c.number for c in step.changes if c.variable == PLACE}
        if gates is not None:
            self._remember_openers(move, gates)

    def _remember_openers(self, move: Move, gates: Clauses) -> None:
        original = self.before.originals[move.steps[0].number]
        # an earlier reduction may have left out moves that a play has to make before this way:
        # whoever walks it inside of one area later has to make them too
        woven = {o.number: o for o in self.before.woven.get(original.number, ())}
        for clause in gates if woven else ():
            for atom in clause:
                self.openers.setdefault(atom, {}).update(woven)
            if not clause:
                ends = (c.number for c in move.steps[0].changes)
                for area in (*(move.areas or ()), *ends):
                    self.opened.setdefault(area, {}).update(woven)

    def fold(self) -> None:
        """Leave out areas as long as that is possible, those with few neighbours first."""
        again = True
        while again:
            again = False
            # an area without neighbours left is decided soonest, and leaving it out may make a
            # link of what was a crossing
            every = (
                a for a in range(self.system.variables[PLACE].size) if a not in self.rules.folded
            )
            for area in sorted(every, key=lambda a: len(self.rules.into.get(a, ()))):
                if area not in self.staying:
                    again = self._leave_out(area) or again

    def _leave_out(self, area: int) -> bool:
        """Leave an area out if that can be done; whether it was."""
        links, mine = self.rules.links(area), self.rules.here.get(area, {})
        # its rules are copied into each neighbour: with many of both the system would grow
        if not links or len(links) > MOST_LINKS or (len(links) - 1) * len(mine) > MOST_COPIES:
            return False
        # at the start nothing else has been opened yet
        if area == self.start and ALWAYS not in links.values():
            return False
        turned = list(self._turned(area, links))
        # a move into the area for which no link need be open would have nowhere to lead
        if any(new is None for _, _, new in turned):
            return False
        changed: dict[int | None, dict[Key, Clauses]] = {
            a: dict(self.rules.here.get(a, {}))
            for a in {start for start, _, _ in turned} | set(links)
        }
        silent: dict[int, None] = {}
        for start, key, instead in turned:
            # all is tried on copies first: one rule with too many clauses leaves everything as it
            # was
            clauses = changed[start].pop(key)
            new = _leading(key, area, instead)
            if not self._put(changed[start], start, new, clauses, silent):
                return False
        for other, link in links.items():
            for key, clauses in mine.items():
                # what is done there asks for the way there as well
                joined = both_of(link, clauses)
                new = _leading(key, area, other)
                if joined is None or not self._put(changed[other], other, new, joined, silent):
                    return False
        self._commit(area, links, changed)
        self.silent |= silent
        return True

    def _turned(
        self, area: int, links: Mapping[int, Clauses]
    ) -> Iterator[tuple[int | None, Key, int | None]]:
        """The moves into an area, and the neighbour that each leads to instead (None: to none)."""
        for start in self.rules.before(area):
            for key, clauses in self.rules.here[start].items():
                number, targets = key
                if area not in targets:
                    continue
                # the link itself becomes a walk inside of one area
                if start in links and self.rules.all[number].walks:
                    yield start, key, start
                    continue
                # a move may lead to a neighbour only if the link is open when it has been made
                fitting = (o for o in links if self.rules.arrives(key, clauses, area, links[o]))
                yield start, key, next(fitting, None)

    def _put(
        self,
        rules: dict[Key, Clauses],
        area: int | None,
        key: Key,
        clauses: Clauses,
        silent: dict[int, None],
    ) -> bool:
        """A rule in an area, beside what is there; whether that is possible."""
        number, targets = key
        # a walk from an area into itself changes nothing; lifted plays may still need it, and
        # find it among the silent ones
        if self.rules.all[number].walks and targets == (area,):
            silent[number] = None
            return True
        # the same move may come to be possible here for several reasons
        joined = either_of(rules.get(key, NEVER), clauses)
        if joined is not None:
            rules[key] = joined
        return joined is not None

    def _commit(
        self,
        area: int,
        links: dict[int, Clauses],
        changed: Mapping[int | None, dict[Key, Clauses]],
    ) -> None:
        # from here on it is done: nothing below can fail
        self.rules.here.pop(area, None)
        self.rules.here.update(changed)
        for start, rules in changed.items():
            for _, targets in rules:
                for target in targets:
                    if target is not None:
                        self.rules.into.setdefault(target, set()).add(start)
        for other in links:
            # what was opened before walking in the area is opened before walking in what stands
            # for it
            self.opened.setdefault(other, {}).update(self.opened.get(area, {}))
        self.rules.folded[area] = links
        if area == self.start:
            # a link that asks for nothing is the only one (`links` says so)
            (self.start,) = links

    def reduced(self) -> Reduced:
        """The system with the areas that are left."""
        new = Rebuilding(self.before)
        # areas that ask for the same become one move again, as the author wrote it
        alike: dict[tuple[int, Targets, Formula], list[int | None]] = {}
        for area, rules in self.rules.here.items():
            for (number, targets), clauses in rules.items():
                alike.setdefault((number, targets, formula_of(clauses)), []).append(area)
                self._weave(new, self.rules.all[number].move, area, clauses)
        for number, targets, formula in sorted(alike, key=lambda key: key[0]):
            rule, areas = self.rules.all[number], alike[number, targets, formula]
            # None stands for a move that is possible everywhere
            standing = None if None in areas else tuple(sorted(a for a in areas if a is not None))
            move = replace(rule.move, areas=standing, guard=both((rule.guard, formula)))
            steps = [_leads(s, t) for s, t in zip(rule.move.steps, targets, strict=True)]
            new.add(move, steps)
        place = replace(self.system.variables[PLACE], start=self.start)
        smaller = new.reduced
        silent = [
            self.before.originals[s.number]
            for n in self.silent
            for s in self.rules.all[n].move.steps
        ]
        return replace(
            smaller,
            system=replace(smaller.system, variables=(place, *self.system.variables[1:])),
            silent=tuple({s.number: s for s in (*self.before.silent, *silent)}.values()),
            folded=self._standing(),
        )

    def _weave(self, new: Rebuilding, move: Move, area: int | None, clauses: Clauses) -> None:
        """Remember what has to be opened on the way to a rule."""
        opened = dict(self.opened.get(area, {}) if area is not None else {})
        for atom in sorted({a for clause in clauses for a in clause}, key=repr):
            opened |= self.openers.get(atom, {})
        new.needs(move, opened.values())

    def _standing(self) -> dict[int, Formula]:
        """For each area that is left out: where a player may stand there."""
        standing: dict[int, Formula] = {}
        for area in reversed(self.rules.folded):  # neighbours that were left out later come first
            # the player can stand there wherever a link leads from: from a neighbour, or from
            # what in its turn stands for that neighbour
            standing[area] = either(
                both((standing.get(other, Within(PLACE, other, other)), formula_of(link)))
                for other, link in self.rules.folded[area].items()
            )

        def moved(test: Within) -> Formula:
            if test.variable != PLACE:
                return test
            areas = range(test.low, test.high + 1)
            return either(standing.get(a, Within(PLACE, a, a)) for a in areas)

        # areas that were left out in earlier rounds ask for the place in terms of areas that may
        # be gone now
        earlier = {a: substituted(f, moved) for a, f in self.before.folded.items()}
        return earlier | standing


def _leading(key: Key, area: int, instead: int | None) -> Key:
    """A rule that leads to one area instead of another."""
    number, targets = key
    return number, tuple(instead if t == area else t for t in targets)


def _leads(step: Step, target: int | None) -> Step:
    if target is None:
        return step
    changes = (replace(c, number=target) if c.variable == PLACE else c for c in step.changes)
    return replace(step, changes=tuple(changes))
