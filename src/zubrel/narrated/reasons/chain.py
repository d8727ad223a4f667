"""Trees of claims -> lines: the chain from what is missing down to why."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from zubrel.compiled.formulas import FALSE, TRUE, Both, Formula, Load, Within, holds
from zubrel.compiled.parts import ENDING, PLACE
from zubrel.narrated.reasons.naming import Naming, upper
from zubrel.narrated.words import counted, listed
from zubrel.reasoned.claims import (
    AtMost,
    Cannot,
    Done,
    Ends,
    Never,
    Node,
    Only,
    Took,
    Undone,
    Wanted,
)
from zubrel.reasoned.formulas import is_place
from zubrel.reasoned.leaves import GOING_ON, Past

MOST_LINES = 8
"""Lines of a chain that are told: with the cause and what comes after a move, twelve at most."""
WIDEST = 3
"""Makers of one thing that are told apart; the tree has all of them."""


class ReasonChain:
    """Tells the trees of one finding. `past` are the moves of its evidence."""

    def __init__(self, naming: Naming, past: Sequence[Past]) -> None:
        self.naming = naming
        self.system = naming.system
        self.world = naming.world
        self.past = past
        self.said: set[str] = set()
        self.is_cut = False

    def lines(self, trees: Iterable[Node]) -> list[str]:
        """The chain; deeper lines are indented by two spaces for each level."""
        every = [line for tree in trees for line in self._tree(tree)]
        chain = every[:MOST_LINES]
        if self.is_cut or len(every) > MOST_LINES:
            chain.append("What lies behind some of this is not told here.")
        return chain

    def _tree(self, tree: Node) -> Iterator[str]:
        match tree.claim:
            case Never(formula):
                yield from self._below(tree, 0, self._title(formula))
            case Cannot():
                yield from self._kept_off([tree], TRUE, (), 0, "")

    def _title(self, formula: Formula) -> str:
        """What is said before "with" of an ending that comes by a rule; empty otherwise."""
        if isinstance(formula, Within) and formula.variable == ENDING:
            ending = self.system.variables[ENDING].names[formula.low]
            return f"The ending {self.world.name_of(ending)}"
        return ""

    # the chain

    def _below(self, node: Node, depth: int, title: str = "") -> Iterator[str]:
        """What stands under a formula that never holds."""
        # where the tree was cut, the chain says that it is not all
        self.is_cut |= node.note == "cut"
        for child in node.why:
            # each kind of claim is a line of its own, indented below what it explains
            match child.claim:
                case Only(formula, makers):
                    yield from self._only(formula, makers, child.why, depth, title)
                case Never(formula):
                    # one reason alone needs no heading of its own
                    several = len(node.why) > 1 and not isinstance(child.claim, Only)
                    if several and child.note not in ("told", "circle"):
                        words = self.naming.words(formula)
                        yield _line(depth, f"{upper(words)}:")
                    yield from self._below(child, depth + several)
                case Wanted():
                    yield from self._once(depth, self.naming.shortage(child.claim))
                case Took():
                    item = self.naming.subject(child.claim)
                    move = f"move {child.claim.move}, {self.naming.label(child.claim.rule)}"
                    yield from self._once(depth, f"{upper(move)}, was the last to use {item}.")

    def _only(
        self,
        formula: Formula,
        makers: tuple[str, ...],
        nodes: Sequence[Node],
        depth: int,
        title: str,
    ) -> Iterator[str]:
        took = [n.claim for n in nodes if isinstance(n.claim, Took)]
        sources = [s for n in nodes if isinstance(n.claim, AtMost) for s in n.claim.sources]
        # of several moves that took it, one is enough to say
        for last in took[:1]:
            yield from self._once(depth, self._taken(last, formula, bool(makers)))
        if sources:
            names = self.naming.several([self.naming.label(s) for s in sources])
            yield from self._once(depth, f"Only {names} can still give some, once each.")
        most = [n.claim for n in nodes if isinstance(n.claim, AtMost)]
        for claim in most:
            if claim.carried is not None:
                things = counted(claim.carried, "thing")
                yield from self._once(depth, f"No more than {things} can be carried together.")
        # that it is the limit of the item itself is worth saying only where nothing else is
        limit = [m for m in most if m.most == self.system.variables[m.variable].high]
        for claim in limit if not makers else ():
            things = self.naming.of(claim.variable)
            yield from self._once(depth, f"There can be no more than {claim.most} of {things}.")
        if not makers and not took and not limit:
            yield from self._once(depth, self._nothing(formula, title))
        done = [n.claim for n in nodes if isinstance(n.claim, Done)]
        if done:
            yield from self._once(depth, self._done(done))
        others = [n for n in nodes if isinstance(n.claim, Cannot | Ends | Undone)]
        # what is kept off for the same reason is told in one sentence
        groups: dict[object, list[Node]] = {}
        for node in others:
            groups.setdefault(self._likeness(node), []).append(node)
        for group in list(groups.values())[:WIDEST]:
            yield from self._kept_off(group, formula, nodes, depth, title)
        left = sum(len(group) for group in list(groups.values())[WIDEST:])
        if left:
            one = left == 1
            yield _line(
                depth, f"{left} more {'is' if one else 'are'} kept off as well, not told here."
            )

    def _likeness(self, node: Node) -> object:
        """What nodes have in common that are told in one sentence."""
        if not isinstance(node.claim, Cannot):
            return node.claim
        circle = any(c.note == "circle" for c in node.why)
        return "circle" if circle else (node.claim.parts, node.note)

    def _kept_off(
        self, group: list[Node], formula: Formula, nodes: Sequence[Node], depth: int, title: str
    ) -> Iterator[str]:
        # all of a group are told in one sentence, of which the first says what it is about
        first = group[0]
        # rules that are called the same are one thing to a player
        names = [name for _, name in dict.fromkeys((_id(n), self._maker(n)) for n in group)]
        name, several = self.naming.several(names), len(set(names)) > 1
        match first.claim:
            case Ends():
                ends = "end" if several else "ends"
                yield from self._once(depth, f"{upper(name)} {ends} the game at once.")
            # it could be done, and is never seen done
            case Undone(by=by):
                others = listed([self.naming.maker(b) for b in by])
                does = "do" if several else "does"
                yield from self._once(
                    depth, f"What {name} {does} is changed back by {others} before the next move."
                )
            case Cannot(maker, parts):
                if first.note == "cut":
                    self.is_cut = True
                    return
                if any(c.note == "circle" for c in first.why):
                    yield from self._once(depth, f"{upper(name)} could only come after that.")
                    return
                needs = self.naming.needs(maker, parts, several)
                asker = name
                if title:
                    own = maker in self.world.endings
                    asker = title if own else f"{title} comes with {name}, which"
                # what makes a claim hopeless is told before what it needs
                if first.note == "apart":
                    words = listed([self.naming.words(p) for p in parts])
                    yield from self._once(
                        depth, f"{upper(name)} would need {words}, which exclude each other."
                    )
                    return
                if first.note == "heavy":
                    words = listed([self.naming.words(p) for p in parts])
                    yield from self._once(
                        depth,
                        f"{upper(name)} would need {words}, which is more than the limit on what "
                        "is carried or stored allows at once.",
                    )
                    return
                if parts == (FALSE,):
                    yield from self._once(depth, self._excluded(maker, name))
                    return
                if parts == (GOING_ON,):
                    over = "over" if self.past else "over before the first"
                    yield from self._once(depth, f"No move is possible: the game is {over}.")
                    return
                words = listed([self.naming.words(p) for p in parts if p != GOING_ON])
                again = self._verdict(parts, first, nodes)
                # the same line may be reached over several ways down: it is said once
                text = f"{upper(asker)} {needs} {words}, {again}."
                if text in self.said:
                    return
                self.said.add(text)
                yield _line(depth, text)
                for child in first.why:
                    yield from self._below(child, depth + 1)

    def _excluded(self, maker: str, name: str) -> str:
        """Why nothing that there may be is enough for a maker."""
        rule = next((r for r in self.world.rules if r.id == maker), None)
        before = rule and self.world.talk_before(rule)
        # the texts of one person have one label, so that ids tell them apart
        if before:
            return (
                f"{upper(name)} never has its turn: {before.id} before it has no “when”, so that "
                "talking never gets past that one."
            )
        return (
            f"{upper(name)} can never be done: what is asked for is more than there can be, or "
            "excludes itself."
        )

    def _maker(self, node: Node) -> str:
        claim = node.claim
        assert isinstance(claim, Cannot | Ends | Undone)
        return self.naming.maker(claim.maker, claim.outcome)

    def _verdict(self, parts: tuple[Formula, ...], node: Node, siblings: Sequence[Node]) -> str:
        real = [p for p in parts if p != GOING_ON]
        # several conditions are each possible by themselves, as far as anybody knows
        if len(real) > 1:
            return "which can never be so together"
        part = real[0] if real else GOING_ON
        # “again” only of what was so in the evidence
        before = any(holds(part, move.before) for move in self.past)
        again = " again" if before else ""
        most = self._at_most(node)
        if most is not None and not self.naming.is_amount(part):
            return f"but it is never more than {most}{' any more' if self.past else ''}"
        if most is not None:
            return f"but no more than {most} can be had together{' any more' if self.past else ''}"
        if is_place(part):
            return f"which can never be reached{again}"
        if self.naming.is_amount(part):
            return f"which can never be had{again}"
        return f"which can never be so{again}"

    def _at_most(self, node: Node) -> int | None:
        """The most of an amount, where a tree tells it right under what asks for more."""
        for child in node.why:
            for only in child.why:
                for leaf in only.why:
                    if isinstance(leaf.claim, AtMost):
                        return leaf.claim.most
        return None

    def _once(self, depth: int, text: str) -> Iterator[str]:
        """A line, unless it was said before."""
        if text not in self.said:
            self.said.add(text)
            yield _line(depth, text)

    # leaves

    def _taken(self, claim: Took, formula: Formula, back: bool) -> str:
        where = f"move {claim.move}, {self.naming.label(claim.rule)}"
        if claim.variable == PLACE:
            alone = "" if back else ", and no way leads back"
            return f"{upper(where)}, led away from {self.naming.left(claim)}{alone}."
        alone = "" if back else f", and nothing {self._return(formula)} again"
        if self.naming.is_raised(claim):
            return f"{upper(where)}, gave {self.naming.subject(claim)}{alone}."
        return f"It was {self.naming.what(claim)} by {where}{alone}."

    def _return(self, formula: Formula) -> str:
        """What would have to be done to make a formula true."""
        if isinstance(formula, Both):
            return "brings all of it about"
        if isinstance(formula, Load):
            return "makes room"
        if self.naming.is_amount(formula):
            return "gives it"
        if isinstance(formula, Within):
            variable = self.system.variables[formula.variable]
            if variable.key[0] == "held" and formula.low == variable.low:
                return "takes it away"
        return "makes it so"

    def _nothing(self, formula: Formula, title: str) -> str:
        if title:
            return f"Nothing leads to {title[0].lower()}{title[1:]}."
        if is_place(formula):
            name = self.naming.words(formula).removeprefix("the player at ")
            return f"No way leads to {name}."
        if isinstance(formula, Both):
            places = [p for p in formula.parts if is_place(p)]
            others = [self.naming.words(p) for p in formula.parts if not is_place(p)]
            if places and others:
                return f"No way leads to {self.naming.place(places[0])} with {listed(others)}."
        if self.naming.is_amount(formula):
            return "Nothing in the world gives it."
        return "Nothing in the world makes it so."

    def _done(self, claims: Sequence[Done]) -> str:
        names = [self.naming.label(c.rule) for c in claims]
        moves = listed([str(c.move) for c in claims])
        if len(claims) == 1:
            return f"{names[0]} was possible only once, and was move {moves}."
        shown = self.naming.several(names)
        return f"{shown} were possible only once, and were moves {moves}."


def _id(node: Node) -> str:
    claim = node.claim
    assert isinstance(claim, Cannot | Ends | Undone)
    return claim.maker


def _line(depth: int, text: str) -> str:
    return "  " * depth + text
