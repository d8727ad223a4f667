"""Claims: what a reason is made of. Each is data, and can be checked by itself.

*From here on* are all situations that can still come after the moves of the evidence, or, without
evidence, all of the world.
"""

from __future__ import annotations

from msgspec import Struct

from zubrel.compiled.formulas import Formula


class Never(Struct, frozen=True):
    """A formula holds in no situation from here on."""

    formula: Formula


class Only(Struct, frozen=True):
    """Nothing in the whole world but these ever makes a formula true that is not.

    `makers` are ids: of rules, of what happens by itself, of quests whose end or goal does it, of
    endings with a condition.
    """

    formula: Formula
    makers: tuple[str, ...]


class Cannot(Struct, frozen=True):
    """What `maker` asks for, to make something true, holds in no situation from here on.

    `parts` are the least of it: together they never hold, all but any one of them do somewhere.
    Each is asked for by the maker itself, or must hold before for the rest to be true after it.
    """

    maker: str
    parts: tuple[Formula, ...]
    outcome: int | None = None
    """Of a rule with luck: the outcome that is spoken of; None: all of them."""


class Done(Struct, frozen=True):
    """A once-only rule was done in move `move` of the evidence, and stays done."""

    rule: str
    move: int


class Took(Struct, frozen=True):
    """Move `move` of the evidence changed a variable from `old` to `new`.

    So a test held before it and not after it. `spared`: with the old value, and all else as it is
    after the move, the situation is one that can occur, and a win is left in it (None: not known).
    """

    move: int
    rule: str
    variable: int
    old: int
    new: int
    spared: bool | None = None


class AtMost(Struct, frozen=True):
    """An amount is never more than `most` from here on; `reached`: and that much somewhere.

    Where that can be counted, `sources` are the only rules that can still raise it, each once.
    `carried`: so many things of its kind can be carried together, in the whole world.
    """

    variable: int
    most: int
    reached: bool
    sources: tuple[str, ...] = ()
    carried: int | None = None


class Wanted(Struct, frozen=True):
    """Every play from here that comes to what is asked for uses `number` of an item.

    `users` take so much of it in all, the rest must be kept; no more than `left` can still be had.
    """

    item: str
    number: int
    users: tuple[str, ...]
    left: int


class Ends(Struct, frozen=True):
    """Whenever `maker` makes it so from here on (by an outcome), the game is over."""

    maker: str
    outcome: int | None = None


class Undone(Struct, frozen=True):
    """What `maker` does is changed back, before the player moves, by some of `by`."""

    maker: str
    by: tuple[str, ...]
    outcome: int | None = None


Claim = Never | Only | Cannot | Done | Took | AtMost | Wanted | Ends | Undone


class Node(Struct, frozen=True):
    """A claim and what it follows from.

    `note` is empty, or says why nothing stands below: `circle` (it follows from itself: none of
    them can be the first to be true), `told` (elsewhere in the tree), `apart` (its parts exclude
    each other), `heavy` (they are more than a limit on carrying or storing allows), `cut` (what
    lies below is left out).
    """

    claim: Claim
    why: tuple[Node, ...] = ()
    note: str = ""

    @property
    def is_complete(self) -> bool:
        """Whether nothing was left out."""
        return self.note != "cut" and all(child.is_complete for child in self.why)
