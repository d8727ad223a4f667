"""What a detector is: who finds a kind of finding, and what has to be known for that.

There are three sorts, by what they cost. A file detector reads the compiled world. A verdict
detector needs the sets that every verdict is made of, whatever else its space has left out. A
subject detector asks about one subject after the other: its `questions` say what must be known,
and `decide` finds in any space that knows it. Which space that is, how many questions are asked of
one, and what stays undecided, follows from the questions; no kind needs to be known by name.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Generic, TypeVar

from msgspec import Struct

from zubrel.checked.world import World
from zubrel.compiled.formulas import FALSE, Formula
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.findings.finding import Finding
from zubrel.findings.judged import Judged


class Question(Struct, frozen=True, kw_only=True):
    """What must be known to find something about one subject.

    An answer depends on the `formulas`, and on where the `steps` are possible and what they change.
    A step of `refuted_by` that is possible anywhere shows that there is nothing to find, and so
    does a situation in which `refuted_where` holds. With
    `counts_moves` an answer is about how many moves there are.
    """

    subject: str
    formulas: tuple[Formula, ...] = ()
    steps: tuple[Step, ...] = ()
    refuted_by: tuple[Step, ...] = ()
    refuted_where: Formula = FALSE
    counts_moves: bool = False


Q = TypeVar("Q", bound=Question)


def as_they_are(world: World, findings: Sequence[Finding]) -> Sequence[Finding]:
    """Findings that have nothing to do with each other."""
    return findings


class FileDetector(Struct, frozen=True):
    """Finds without any search."""

    kind: str
    find: Callable[[System], Iterable[Finding]]


def nothing(judged: Judged[Any]) -> Iterable[tuple[str, str]]:
    """Where all that is asked is answered."""
    return ()


class VerdictDetector(Struct, frozen=True):
    """Finds in what can still be won and what can not; some are of two kinds.

    `left_open` are the kinds and subjects of what may be found, perhaps, with more work.
    """

    kinds: tuple[str, ...]
    find: Callable[[Judged[Any]], Iterable[Finding]]
    left_open: Callable[[Judged[Any]], Iterable[tuple[str, str]]] = nothing


class SubjectDetector(Struct, Generic[Q], frozen=True):
    """Finds in a space that knows what its questions are about.

    Questions are decided several at a time, since spaces follow many sets at once for little more
    than one. `whole`: nothing is found after a search that was cut short. `conclude` tells what
    all findings of the kind have to do with each other.
    """

    kind: str
    questions: Callable[[System], Iterable[Q]]
    decide: Callable[[Judged[Any], Sequence[Q]], Iterable[Finding]]
    whole: bool = True
    conclude: Callable[[World, Sequence[Finding]], Iterable[Finding]] = as_they_are


Detector = FileDetector | VerdictDetector | SubjectDetector[Any]
