"""What sorts of things a player can do, and what they have in common."""

from __future__ import annotations

from enum import StrEnum


class RuleKind(StrEnum):
    """The kind of a rule: what in the file it comes from."""

    FIND = "find"
    WAY = "way"
    LOCK = "lock"
    DEED = "deed"
    TALK = "talk"
    RECIPE = "recipe"
    FOE = "foe"
    BUY = "buy"
    SELL = "sell"
    ACCEPT = "accept"
    DELIVER = "deliver"
    HAND_IN = "hand_in"
    PUT = "put"
    FETCH = "fetch"
    DROP = "drop"
    PICK_UP = "pick_up"
    DEAL = "deal"

    @property
    def regains(self) -> bool:
        """Gets back what was had before: that is not gained once more."""
        return self in (RuleKind.FETCH, RuleKind.PICK_UP)

    @property
    def handles(self) -> bool:
        """Moves things between the player's hands and where they can be left."""
        return self.regains or self in (RuleKind.PUT, RuleKind.DROP)

    @property
    def trades(self) -> bool:
        """Happens in a shop."""
        return self in (RuleKind.BUY, RuleKind.SELL)

    @property
    def made(self) -> bool:
        """Is made by the language; the author wrote no rule for it."""
        return self.handles or self in (
            RuleKind.DEAL,
            RuleKind.ACCEPT,
            RuleKind.DELIVER,
            RuleKind.HAND_IN,
        )
