"""Trees of claims -> one sentence: what was done that mattered, and what it was needed for."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from zubrel.compiled.facts import parts_of
from zubrel.compiled.formulas import Formula, Within, both, variables_of
from zubrel.compiled.parts import PLACE
from zubrel.narrated.reasons.naming import Naming, upper
from zubrel.reasoned.claims import AtMost, Cannot, Done, Never, Node, Only, Took, Wanted
from zubrel.reasoned.formulas import is_place
from zubrel.reasoned.leaves import GOING_ON


class _Leaf(Struct, frozen=True):
    """A leaf of a tree: what it made impossible, who needed that, and all that was needed then."""

    claim: Took | Only | Wanted | AtMost | Done
    formula: Formula
    maker: str | None
    asked: Formula
    parts: tuple[Formula, ...] = ()
    """What `maker` needs, one by one."""
    goal: Formula | None = None
    """What `maker` alone could make true."""
    barrier: Cannot | None = None
    """What could lead to an area, and lacks a thing that `maker` could bring, or this leaf."""


Taking = tuple[Took, _Leaf]
"""A move that took something away, and the leaf of which it is the claim."""


def cause_of(naming: Naming, trees: Iterable[Node], moves: int) -> str | None:
    """The sentence; None where nothing is known that says it. `moves` has the evidence."""
    # a tree ends in what was done, or in what there never is: one of those makes the sentence
    leaves = [leaf for tree in trees for leaf in _leaves(tree, None, None, None)]
    took = [(leaf.claim, leaf) for leaf in leaves if isinstance(leaf.claim, Took)]
    # the last move is what a finding is about
    last = _telling(naming, [pair for pair in took if pair[0].move == moves])
    # a shortage says more than any single move, and names all who want the thing
    short = next((leaf.claim for leaf in leaves if isinstance(leaf.claim, Wanted)), None)
    if short is not None:
        words = naming.shortage(short)
        if last is None or naming.subject(last[0]) != naming.world.name_of(short.item):
            return words
        return f"{upper(naming.move(last[0]))}, used more than could be spared: {words}"
    if last is not None:
        return _of_move(naming, *last)
    for leaf in leaves:
        if isinstance(leaf.claim, Done) and leaf.claim.move == moves:
            return _of_done(naming, leaf.claim, leaf)
    for leaf in leaves:
        if isinstance(leaf.claim, AtMost) and leaf.maker is not None:
            things = naming.of(leaf.claim.variable)
            needs = _needs(naming, leaf.maker, leaf.parts, naming.words(leaf.asked))
            if leaf.claim.most == 0 and naming.is_amount(leaf.formula):
                return f"No {things} can be had{' any more' if moves else ''}, and {needs}."
            return f"There can be no more than {leaf.claim.most} of {things}, and {needs}."
        if isinstance(leaf.claim, Only) and not leaf.claim.makers:
            asker = "" if leaf.maker is None else f", and {naming.maker(leaf.maker)} needs it"
            if is_place(leaf.formula):
                return f"No way leads to {naming.place(leaf.formula)}{asker}."
            if naming.is_amount(leaf.formula) and not _is_beyond(leaf, leaves):
                return f"Nothing in the world gives {naming.words(leaf.asked)}{asker}."
    # nothing was taken by the last move: then by the latest of those before
    return _of_move(naming, *max(took, key=lambda p: p[0].move), False) if took else None


def _telling(naming: Naming, took: Sequence[Taking]) -> Taking | None:
    """Of what a move took away, nearest to the root first, what tells most; None: nothing was.

    That the areas that are wanted were left explains little, since there might be a way back:
    what a way back lacks, and where it lies, explains that.
    """
    if not took or took[0][0].variable != PLACE:
        return took[0] if took else None
    lost, behind, left = list[Taking](), list[Taking](), list[Taking]()
    for claim, leaf in took:
        if leaf.barrier is None:
            continue
        if claim.variable == PLACE:
            here = naming.place(leaf.asked) == naming.left(claim)
            (behind if here else left).append((claim, leaf))
        elif leaf.maker == leaf.barrier.maker:
            lost.append((claim, leaf))
    return next(iter((*lost, *behind, *left)), took[0])


def _is_beyond(leaf: _Leaf, leaves: Iterable[_Leaf]) -> bool:
    """Whether it is told of an amount how much of it there can be."""
    return any(isinstance(o.claim, AtMost) and o.formula == leaf.formula for o in leaves)


def is_spared(trees: Iterable[Node], moves: int) -> bool:
    """Whether it could still be won without one of the things that the last move changed."""
    leaves = [leaf.claim for tree in trees for leaf in _leaves(tree, None, None, None)]
    return any(isinstance(c, Took) and c.move == moves and bool(c.spared) for c in leaves)


def _needs(naming: Naming, maker: str | None, parts: Sequence[Formula], words: str) -> str:
    """Who needs what, in `words`, of the parts that a claim names."""
    assert maker is not None, "somebody asked for it"
    return f"{naming.maker(maker)} {naming.needs(maker, parts)} {words}"


def _of_done(naming: Naming, claim: Done, leaf: _Leaf) -> str:
    """What was possible only once, and what it would have to do again."""
    once = f"Move {claim.move}, {naming.label(claim.rule)}, is possible only once"
    if isinstance(leaf.formula, Within):
        kind, _ = naming.system.variables[leaf.formula.variable].key
        if kind == "goal":
            return f"{once}, and can never again count for {naming.words(leaf.formula)}."
    if leaf.maker is None:
        return f"{once}."
    return f"{once}, and {_needs(naming, leaf.maker, leaf.parts, naming.words(leaf.asked))}."


def _again(naming: Naming, claim: Took, leaf: _Leaf) -> str | None:
    """Of a move that a goal wants once more, and that has taken away what it needs itself."""
    # the move that took the thing away is the one that would need it again
    if leaf.maker != claim.rule or not isinstance(leaf.goal, Within) or claim.variable == PLACE:
        return None
    if naming.system.variables[leaf.goal.variable].key[0] != "goal":
        return None
    goal = upper(naming.words(leaf.goal))
    did = "gave" if naming.is_raised(claim) else naming.what(claim)
    verb = f"{naming.needs(claim.rule, leaf.parts)} {naming.words(leaf.asked)}"
    thing = naming.subject(claim)
    what = f"{did} {thing}" if did in ("gave", "used up", "used") else f"put an end to {thing}"
    wants = f"{goal} wants {naming.label(claim.rule)} once more"
    return f"{wants}; that {verb}, and move {claim.move} {what}."


def _of_move(naming: Naming, claim: Took, leaf: _Leaf, is_last: bool = True) -> str:
    """What a move of the evidence did, and who needs what it took away. `is_last`: it is the move
    that the finding is about."""
    again = _again(naming, claim, leaf)
    # a move that used up what it asks for itself: that it was made is all the reason there is
    if again is not None:
        return again
    where = upper(naming.move(claim))
    # of all that was needed at once, what this move took: who needs both needs each
    words = naming.words(_about(leaf.asked, claim.variable))
    asker = "" if leaf.maker is None else _needs(naming, leaf.maker, leaf.parts, words)
    # what was lost by it are the areas that were left
    if claim.variable == PLACE:
        needs = f", and {asker}" if asker else ""
        if leaf.barrier is not None:
            lacks = _asked(leaf.barrier.parts)
            way = _needs(naming, leaf.barrier.maker, leaf.barrier.parts, naming.words(lacks))
            needs = f"; {way}{needs}"
        # that the way back was still there when an area was left is what later moves have changed
        gone = " for good" if is_last else ", to which no way leads back now"
        return f"{where}, led away from {naming.left(claim)}{gone}{needs}."
    # what was given can be too much: an ending of one ware, a door for exactly one
    if naming.is_raised(claim):
        gave = f"{where}, gave {naming.subject(claim)}"
        if leaf.maker is not None and words == f"no {naming.subject(claim)} held":
            needed = naming.needs(leaf.maker, leaf.parts) == "needs"
            verb = "is possible" if needed else "helps"
            return f"{gave}, and {naming.maker(leaf.maker)} {verb} only without it."
        return f"{gave}, and {asker}." if asker else f"{gave}."
    which = ""
    if leaf.maker is not None:
        verb = naming.needs(leaf.maker, leaf.parts)
        which = f", which {naming.maker(leaf.maker)} needs"
        if verb != "needs":
            which = f", without which {naming.maker(leaf.maker)} is of no help"
    if naming.is_amount(_about(leaf.formula, claim.variable)):
        needs = which if words == naming.subject(claim) else f", and {asker}" if asker else ""
        return f"{where}, {naming.what(claim)} {naming.subject(claim)}{needs}."
    return f"{where}, put an end to {words}{which}."


def _asked(parts: Iterable[Formula]) -> Formula:
    """What is asked for together; that the game goes on goes without saying."""
    return both(p for p in parts if p != GOING_ON)


def _about(formula: Formula, variable: int) -> Formula:
    """The parts of a formula that speak of a variable, if any do."""
    parts = [part for part in parts_of(formula) if variable in variables_of(part)]
    return both(parts) if parts else formula


def _leaves(
    node: Node,
    formula: Formula | None,
    maker: str | None,
    asked: Formula | None,
    needed: tuple[Formula, ...] = (),
    goal: Formula | None = None,
    alone: Formula | None = None,
    barriers: tuple[Cannot | None, Cannot | None] = (None, None),
) -> Iterator[_Leaf]:
    """The nearest to the root first."""
    # on the way down: what is wanted, by whom, and together with what
    match node.claim:
        case Never(own):
            formula = own
            # a thing that a way lacks: whoever could bring it is asked next
            barriers = (barriers[0] if is_place(own) else barriers[1], None)
        case Only(own, makers):
            formula = own
            # what is wanted in the end is known only where one maker alone can bring it about
            alone = own if len(makers) == 1 else None
            if not makers:
                yield _Leaf(node.claim, own, maker, asked or own, needed)
        case Cannot(asker, parts) as cannot:
            leads = formula is not None and is_place(formula)
            barriers = (None, cannot) if leads else (barriers[0], None)
            maker, needed, goal = asker, parts, alone
            asked = _asked(parts)
        case (Took() | Wanted() | AtMost() | Done()) as leaf if formula is not None:
            yield _Leaf(leaf, formula, maker, asked or formula, needed, goal, barriers[0])
    for child in node.why:
        yield from _leaves(child, formula, maker, asked, needed, goal, alone, barriers)
