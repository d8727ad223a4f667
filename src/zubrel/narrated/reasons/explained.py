"""Trees of claims -> all that is told of them: the entry to this folder."""

from __future__ import annotations

from zubrel.narrated.reasons.cause import cause_of, is_spared
from zubrel.narrated.reasons.chain import ReasonChain
from zubrel.narrated.reasons.naming import Naming
from zubrel.narrated.reasons.trees import because
from zubrel.narrated.report import Explained
from zubrel.reasoned.claims import Node
from zubrel.reasoned.reasons import Reasons


def explained(reasons: Reasons, trees: tuple[Node, ...]) -> Explained:
    """The trees that `reasons` has built, in words and as data."""
    naming, past = Naming(reasons.system, reasons.prover.origin), reasons.prover.past
    chain = tuple(ReasonChain(naming, past).lines(trees))
    # a chain of one line is its own cause
    cause = cause_of(naming, trees, len(past)) if len(chain) > 1 else None
    spared = cause is not None and is_spared(trees, len(past))
    return Explained(cause, chain, tuple(because(naming, tree) for tree in trees), spared)
