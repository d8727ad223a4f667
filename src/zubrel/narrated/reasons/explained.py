"""Trees of claims -> all that is told of them: the entry to this folder."""

from __future__ import annotations

from msgspec import Struct

from zubrel.narrated.reasons.cause import cause_of, is_spared
from zubrel.narrated.reasons.chain import ReasonChain
from zubrel.narrated.reasons.naming import Naming
from zubrel.narrated.reasons.trees import because
from zubrel.narrated.report import Because
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Reasons


class Explained(Struct, frozen=True):
    """Why something can never be.

    `cause` is one sentence, or None where nothing is known that says it alone; `chain` are lines,
    deeper ones indented; `why` the trees themselves.
    """

    cause: str | None = None
    chain: tuple[str, ...] = ()
    why: tuple[Because, ...] = ()
    spared: bool = False
    """It could still be won without what the last move of the evidence changed."""

    def lines(self, aftermath: tuple[str, ...] = ()) -> tuple[str, ...]:
        """Everything in its order, with what comes after a move right behind the cause."""
        first = () if self.cause is None else (self.cause,)
        spared = ("Without that change it could still be won.",) if self.spared else ()
        return (*first, *spared, *aftermath, *self.chain)


def explained(reasons: Reasons, trees: tuple[Node, ...]) -> Explained:
    """The trees that `reasons` has built, in words and as data."""
    naming, past = Naming(reasons.system, reasons.prover.origin), reasons.prover.past
    chain = tuple(ReasonChain(naming, past).lines(trees))
    # a chain of one line is its own cause
    cause = cause_of(naming, trees, len(past)) if len(chain) > 1 else None
    spared = cause is not None and is_spared(trees, len(past))
    return Explained(cause, chain, tuple(because(naming, tree) for tree in trees), spared)
