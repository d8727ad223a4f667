"""Builds the tree of claims that shows why a formula can never hold.

A formula that holds nowhere from here on, and not here, could only be made true by a step; so it
is told of every step that could do so what keeps it from it, and of that the same again. Where
that comes back to a formula on the way, the formulas keep each other false for ever: none can be
the first to be true. (Inductive invariants; least parts by deletion, as in Junker: QuickXplain,
2004.)
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from zubrel.checked import keys
from zubrel.compiled.formulas import (
    FALSE,
    AtLeast,
    Both,
    Either,
    Formula,
    Within,
    both,
    either,
)
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.compiled.system import System
from zubrel.reasoned.borders import Borders, areas_of
from zubrel.reasoned.claims import (
    Cannot,
    Ends,
    Never,
    Node,
    Only,
    Undone,
    Wanted,
)
from zubrel.reasoned.formulas import (
    NotFollowed,
    before,
    is_place,
    literals_of,
    may_make,
    plain_form,
)
from zubrel.reasoned.leaves import GOING_ON, Leaves, Past, View, asks
from zubrel.reasoned.sources import Maker, breaks, clashing, too_heavy

DEEPEST = 16
"""Formulas, one because of the other, that are followed."""
LARGEST = 150
"""Formulas that one tree explains."""
TOGETHER = 2
"""Formulas of several parts, one because of the other, that are followed: what keeps two things
apart soon keeps all things apart."""


class Prover(Leaves):
    """Trees for one future. `past` are the moves of the evidence that lead into it, from `here` on.

    `unasked` are formulas that the view cannot answer: with any of them the trees are worth
    nothing. `short_of` counts what several things that are still to be done want together.
    """

    def __init__(
        self,
        system: System,
        view: View,
        here: Sequence[int],
        past: Sequence[Past] = (),
        short_of: Callable[[Formula], Iterable[Wanted]] = lambda _: (),
    ) -> None:
        super().__init__(system, view, here, past)
        self.short_of = short_of
        self.borders = Borders(system, self.makers, self.is_never)
        self.explained: set[Formula] = set()

    def tree(self, formula: Formula) -> Node | None:
        """Why a formula never holds from here on; None where it may."""
        # denials stand at single tests then, so that each part can be asked about by itself
        plain = plain_form(formula, self.system.variables)
        return self._explained(plain, ()) if self.is_never(plain) else None

    def of_rule(self, rule: str) -> list[Node]:
        """Why a rule is never possible from here on; empty where it may be."""
        asked = {literals_of(m.guard): None for m in self.makers if m.id == rule and m.step}
        # a rule with several alternatives is shut only where each of them is, for a reason of its
        # own
        if not all(self._excluded(parts) for parts in asked):
            return []
        return [self._cannot(rule, parts, ()) for parts in asked]

    # one formula

    def _explained(self, formula: Formula, path: tuple[Formula, ...]) -> Node:
        node = self._opened(formula, path)
        if node.note == "cut":
            self.explained.discard(formula)  # where the path is shorter, there may be room
        return node

    def _opened(self, formula: Formula, path: tuple[Formula, ...]) -> Node:
        claim = Never(formula)
        parts = literals_of((formula,))
        # what contradicts itself needs no move to keep it off
        if FALSE in parts:
            return Node(claim, note="apart")
        # the first of a circle's claims to become true would need another one before it: none does
        if formula in path:
            return Node(claim, note="circle")
        if formula in self.explained:
            return Node(claim, note="told")
        if len(path) >= DEEPEST or len(self.explained) >= LARGEST:
            return Node(claim, note="cut")
        self.explained.add(formula)
        path = (*path, formula)
        match formula:
            case Either(parts) if not is_place(formula):
                # a choice never holds only because none of its parts ever does
                return Node(claim, tuple(self._explained(p, path) for p in parts))
            case AtLeast(count, parts):
                never = [p for p in parts if self.is_never(p)]
                # enough are possible one by one, only not together: there is no single cause
                if len(parts) - len(never) >= count:
                    return Node(claim, note="cut")
                return Node(claim, tuple(self._explained(p, path) for p in never))
        choice = next((p for p in parts if isinstance(p, Either) and not is_place(p)), None)
        if choice is not None:
            # an alternative inside is taken apart: each way fails for a reason of its own
            # only one choice is taken apart at a time: the parts of both at once would be as many
            # as their product
            others = [p for p in parts if p is not choice]
            each = [both(self._least([*others, way])) for way in choice.parts]
            return Node(claim, tuple(self._explained(least, path) for least in each))
        if any(isinstance(p, AtLeast) for p in parts):
            return Node(claim, note="cut")
        if len(parts) > 1 and GOING_ON not in parts:
            # two amounts that compete for one supply are told by counting, not by moves
            # a shortage is counted from what can still be had, of which a relaxation knows too much
            wanted = tuple(self.short_of(formula)) if self.view.exact else ()
            if wanted:
                items = [self.system.numbers[keys.held(c.item)] for c in wanted]
                spent = [node for item in items for node in self.last_spent(item)]
                return Node(claim, (*(Node(c) for c in wanted), *spent))
            if sum(isinstance(f, Both) for f in path) > TOGETHER:
                return Node(claim, note="cut")
        place = next((p for p in parts if is_place(p)), None)
        if place is None:
            return Node(claim, self._children(parts, self.makers, path))
        return self._of_place(formula, place, tuple(p for p in parts if p is not place), path)

    def _children(
        self, parts: tuple[Formula, ...], candidates: Iterable[Maker], path: tuple[Formula, ...]
    ) -> tuple[Node, ...]:
        """What made the parts false, and what keeps everything from making them true again."""
        formula = both(parts)
        makers = [
            m
            for m in candidates
            if any(may_make(self.system, c, p) for c in m.changes for p in parts)
            and not self._rules_out(m, parts)
        ]
        # what the player did comes first: it is what the reader can do otherwise
        nodes = self.taken(formula)
        counted: tuple[str, ...] = ()
        if len(parts) == 1 and isinstance(parts[0], Within):
            most = self.at_most(parts[0])
            if most is not None:
                # an amount may have been too little from the start; then it is told where it went
                nodes = nodes or self.last_spent(parts[0].variable)
                nodes.append(Node(most))
                # what is counted in the sum needs no reason why it gives no more
                counted = most.sources
                if most.carried is not None:
                    counted = tuple(m.id for m in makers)  # whatever gives more, it is too much
        nodes += [self._kept_off(m, parts, path) for m in makers if m.id not in counted]
        ids = tuple(dict.fromkeys(m.id for m in makers))
        return (Node(Only(formula, ids), tuple(dict.fromkeys(nodes))),)

    def _rules_out(self, maker: Maker, parts: tuple[Formula, ...]) -> bool:
        """Whether a move cannot make the parts true, as what it asks for and does excludes them."""
        if maker.step is None:
            return False
        wanted = self._wanted(maker, parts)
        if wanted is None or FALSE in maker.guard or _ends(parts, wanted):
            # what happens by itself has no guard at rest; a guard that contradicts itself and an
            # end are told as such
            return False  # of these there is more to tell
        return FALSE in literals_of((*maker.guard, *wanted))

    def _wanted(self, maker: Maker, parts: Sequence[Formula]) -> list[Formula] | None:
        """What must hold before a maker for each part to hold after it; None: nobody can tell."""
        try:
            # the weakest precondition: exactly what must hold before for the part to hold after
            return [before(self.system, maker.changes, p) for p in parts]
        except NotFollowed:
            return None

    # one maker

    def _kept_off(
        self, maker: Maker, parts: tuple[Formula, ...], path: tuple[Formula, ...]
    ) -> Node:
        """Why a maker does not make some parts true."""
        if maker.step is None:
            return self._by_itself(maker, parts, path)
        # a move that was made and can be made once is the plainest reason of all
        done = self.done(maker)
        if done is not None:
            return done
        asked = literals_of(maker.guard)
        # if the move is never possible, what it would do need not be looked at
        if self._excluded(asked):
            return self._cannot(maker.id, asked, path)
        wanted = self._wanted(maker, parts)
        if wanted is None:
            return Node(Cannot(maker.id, asked), note="cut")
        if _ends(parts, wanted):
            return Node(Ends(maker.id, maker.outcome))
        needed = literals_of((*asked, *wanted))
        # it is possible, but never where it would make all of the parts true
        if self.is_never(both((*needed, GOING_ON))):
            return self._cannot(maker.id, needed, path, maker.outcome)
        # the move is possible and makes them true: something that happens at once must undo it
        by = [s.id for s in self.system.settlers if breaks(self.system, s, parts)]
        if GOING_ON in parts:
            names = self.system.variables[ENDING].names
            ends = [names[number] for _, number in self.system.endings]
            if ends and not by:
                return Node(Ends(maker.id, maker.outcome))
            by += ends
        if by:
            return Node(Undone(maker.id, tuple(dict.fromkeys(by)), maker.outcome))
        return Node(Cannot(maker.id, needed, maker.outcome), note="cut")

    def _by_itself(
        self, maker: Maker, parts: tuple[Formula, ...], path: tuple[Formula, ...]
    ) -> Node:
        """The same of what happens by itself, which is never seen about to happen.

        What it asks for and changes itself may be false in every settled situation for that
        reason alone, so several such parts together tell nothing, unless what it makes true would
        be seen.
        """
        asked = list(literals_of(maker.guard))
        # had it happened, its work would still be there at rest, where it never is
        if self._would_be_seen(maker, parts) and self.is_never(both(asked)):
            return self._cannot(maker.id, asked, path)
        if not any(self.is_never(p) for p in asked):
            # what it changes itself may be false at rest because it has happened already
            changed = {c.variable for c in maker.changes}
            asked = [p for p in (*asked, *parts) if not any(asks(p, v) for v in changed)]
        if asked and self.is_never(both(asked)):
            return self._cannot(maker.id, asked, path)
        return Node(Cannot(maker.id, tuple(asked)), note="cut")

    def _would_be_seen(self, maker: Maker, parts: Sequence[Formula]) -> bool:
        """Whether a maker alone makes some parts true, and nothing by itself undoes that."""
        wanted = self._wanted(maker, parts)
        if wanted is None or literals_of(wanted):
            return False
        undoing = [s for s in self.system.settlers if breaks(self.system, s, parts)]
        # what happens only while they are false undoes nothing
        return all(FALSE in literals_of((s.guard, *parts)) for s in undoing)

    def _excluded(self, asked: Sequence[Formula]) -> bool:
        """Whether all that is asked for never holds at once while the game goes on."""
        return bool(too_heavy(self.system, asked)) or self.is_never(both((*asked, GOING_ON)))

    def _cannot(
        self,
        maker: str,
        asked: Sequence[Formula],
        path: tuple[Formula, ...],
        outcome: int | None = None,
    ) -> Node:
        heavy = too_heavy(self.system, asked)
        # where some of it alone can never be had together, that is the reason, and not its weight
        if heavy and not any(self.is_never(both(o for o in heavy if o != p)) for p in heavy):
            return Node(Cannot(maker, heavy, outcome), note="heavy")
        if FALSE in asked:
            rule = next((r for r in self.system.world.rules if r.id == maker), None)
            # where the guard contradicts itself, the two tests that do are shown as the author
            # wrote them
            parts = () if rule is None else clashing(self.system, rule)
            if parts and not any(self.is_never(p) for p in parts):
                return Node(Cannot(maker, parts), note="apart")
        # the fewest that suffice: whatever is told beside them would not be a reason
        least = self._least(asked)
        if not least:
            return Node(Cannot(maker, tuple(asked), outcome), note="cut")
        return Node(Cannot(maker, tuple(least), outcome), (self._explained(both(least), path),))

    def _least(self, parts: Sequence[Formula]) -> list[Formula]:
        """The fewest of some parts that never hold together (while the game goes on).

        A single one where there is one: a place first, since whoever cannot get there lacks the
        rest for that reason alone.
        """
        parts = literals_of(parts)
        # GOING_ON alone never holds where every play has ended
        singles = [p for p in (*parts, GOING_ON) if self.is_never(p)]
        if singles:
            return [next((p for p in singles if is_place(p)), singles[0])]
        for part in parts:
            if self.is_never(both((part, GOING_ON))):
                return [part, GOING_ON]
        if not self.view.exact:
            return []  # what is left cannot be told from what may be more
        # by deletion: a part without which the rest still never holds is no part of the reason
        kept = list(dict.fromkeys((*parts, GOING_ON)))
        # the last ones go first: what comes first is what the author wrote first
        for part in reversed(kept[:]):
            fewer = [p for p in kept if p != part]
            if self.is_never(both(fewer)):
                kept = fewer
        return kept

    # places

    def _of_place(
        self,
        formula: Formula,
        place: Formula,
        others: tuple[Formula, ...],
        path: tuple[Formula, ...],
    ) -> Node:
        """Why the player never comes to a place while some other parts hold."""
        # an area behind the area that cannot be reached either has the same reason as it
        beyond = self.borders.beyond(areas_of(place), others)
        inside = either(Within(PLACE, n, n) for n in sorted(beyond))
        whole = both((inside, *others))
        # one claim for all areas behind the same border: each by itself would point at the next
        self.explained.add(whole)
        entering = self.borders.entering(beyond, inside, others)
        inner = self._children((inside, *others), entering, (*path, whole))
        if whole == formula:
            return Node(Never(formula), inner)
        return Node(Never(formula), (Node(Never(whole), inner),))


def _ends(parts: Sequence[Formula], wanted: Sequence[Formula]) -> bool:
    """Whether a move ends the game of which some of the parts ask that it goes on."""
    return any(p == GOING_ON and w == FALSE for p, w in zip(parts, wanted, strict=True))
