"""Reasons that are a sentence: of promises, texts, and gates that stop nobody."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from zubrel.checked.things import Said
from zubrel.compiled.formulas import both, opposite
from zubrel.findings.detectors.no_gate import NO_GATE
from zubrel.findings.detectors.texts import UNHEARD
from zubrel.findings.finding import Finding
from zubrel.narrated.replay import Walked
from zubrel.narrated.walks import lines_of
from zubrel.narrated.words import counted, listed, phrase
from zubrel.reasoned.reasons import Reasons

LONGEST = 60
"""Characters of a text that is quoted."""


def sentences(
    reasons: Reasons, finding: Finding, walked: Sequence[Walked]
) -> tuple[str, ...] | None:
    """What there is to say of a finding without a tree; None: nothing of its kind."""
    told = TOLD.get(finding.kind)
    return None if told is None else tuple(told(reasons, finding, walked))


def _promise(reasons: Reasons, finding: Finding, walked: Sequence[Walked]) -> Iterator[str]:
    world = reasons.system.world
    promise = next(p for p in world.promises if p.id == finding.subject)
    parts = [phrase(world, c) for c in promise.conditions]
    parts += [f"the ending {world.name_of(promise.ending)}"] if promise.ending else []
    # a promise may be broken before anybody moves
    when = "At the start"
    if walked:
        when = f"After move {len(walked)}, “{walked[-1].rule.label}”"
    # the evidence ends where the promise is broken, so that its last situation shows it
    match promise.kind:
        case "never":
            yield f"{when}, it is so: {parts[0]}."
        case "always":
            yield f"{when}, it is not so: {parts[0]}."
        case "before":
            yield f"{when}, it is so: {parts[1]}; and never before that: {parts[0]}."
        case "within" if walked:
            yield f"{when}, it is so for the first time: {parts[0]}."
    if promise.because:
        yield f"You wrote: {promise.because}"


def _unheard(reasons: Reasons, finding: Finding, walked: Sequence[Walked]) -> Iterator[str]:
    questions = (q for q in UNHEARD.questions(reasons.system) if q.subject == finding.subject)
    # a rule may have several lists: what it says, and what it refuses with
    texts, place = next(
        (q, n) for q in questions for n, said in enumerate(q.texts) if said.span == finding.span
    )
    quoted = _quoted(texts.texts[place])
    due = both((texts.shown, texts.applies[place]))
    if reasons.prover.is_never(due):
        words = phrase(reasons.system.world, texts.texts[place].when)
        yield f"{quoted} never applies where it would be read, for then it is never so: {words}."
        return
    for above in (n for n in range(place) if not texts.texts[n].also):
        # one text that is always first is a better reason than all together
        if reasons.prover.is_never(both((due, opposite(texts.applies[above])))):
            first = _quoted(texts.texts[above])
            yield f"{quoted} is never read: wherever it applies, {first} above it comes first."
            return
    yield f"{quoted} is never read: wherever it applies, one of the texts above it comes first."


def _no_gate(reasons: Reasons, finding: Finding, walked: Sequence[Walked]) -> Iterator[str]:
    system = reasons.system
    question = next(q for q in NO_GATE.questions(system) if q.subject == finding.subject)
    world = system.world
    rules = [r for r in world.rules if r.kind in ("lock", "way") and r.owner == finding.subject]
    conditions = [r.needs for r in rules]
    if finding.subject in world.areas:
        conditions = [world.areas[finding.subject].needs]
    asked = listed(list(dict.fromkeys(phrase(world, c) for c in conditions)), "or")
    # proved from the start on, or only of what is there when somebody comes to try
    always = all(reasons.prover.is_never(opposite(system.formula(c))) for c in conditions)
    since = "from the start on" if always else "by the time that it can be tried"
    soonest = None if always else reasons.moves_to([standing for standing, _ in question.tries])
    if soonest is not None and soonest.fewest:
        since += f", after {counted(soonest.steps, 'move')} at the earliest"
    # said only if it is proved: the finding came from a search, its reason needs its own proof
    if all(reasons.prover.is_never(unmet) for _, unmet in question.tries):
        yield f"It asks for {asked}, and that is so in every play {since}."


def _silent(reasons: Reasons, finding: Finding, walked: Sequence[Walked]) -> Iterator[str]:
    lines = lines_of(reasons.system.world, tuple(walked))
    if lines:
        held = listed(list(lines[-1].held_words)) or "nothing"
        yield f"Then the player is at {lines[-1].to} and holds {held}, and no text applies."
    else:
        yield "No text applies at the start."


Sentences = Callable[[Reasons, Finding, Sequence[Walked]], Iterator[str]]
TOLD: dict[str, Sentences] = {
    "broken_promise": _promise,
    "unheard": _unheard,
    "no_gate": _no_gate,
    "silent": _silent,
}


def _quoted(said: Said) -> str:
    text = " ".join(said.text.split())
    return f"“{text if len(text) <= LONGEST else text[: LONGEST - 1].rstrip() + '…'}”"
