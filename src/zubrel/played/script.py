"""Scripts: moves, one a line, and expectations between them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from random import Random

from msgspec import Struct

from zubrel.authored.conditions import Condition, parse_condition
from zubrel.base.diagnostics import Diagnostic, InvalidInput, Problems
from zubrel.base.source import Source, Span
from zubrel.base.spelling import suggestion
from zubrel.checked.deals import drawn, fault_of
from zubrel.checked.world import World

WORDS = ("possible", "impossible", "says", "live", "doomed", "ended", "step")
_STEP = re.compile(r"([0-9]{1,6})\s+of\s+([a-z][a-z0-9_]*)")


EXPECTATIONS = (
    "A script expects a condition, or: live, doomed, ended ENDING, possible RULE, "
    'impossible RULE, says "TEXT", step N of QUEST.'
)


class ScriptMove(Struct, frozen=True):
    """A rule to be done; `outcome` where luck decides."""

    rule: str
    outcome: int | None
    span: Span


class Expect(Struct, frozen=True):
    """Something that should be so. `kind` is one of `WORDS`, or `holds` for a condition."""

    kind: str
    text: str
    condition: Condition | None
    span: Span


class ScriptDeal(Struct, frozen=True):
    """How everything is dealt: items with the areas where they lie."""

    places: dict[str, str]
    span: Span


Line = ScriptMove | Expect | ScriptDeal
_DEALT = re.compile(r"([a-z][a-z0-9_]*)\s+at\s+([a-z][a-z0-9_]*)\Z")
_MOVE = re.compile(r"([a-z][a-z0-9_]*)(?:\s*:\s*([0-9]{1,6}))?\Z")


def read_script(source: Source, text: str) -> list[Line]:
    """The lines of a script. Raises `InvalidInput` with every line that cannot be read."""
    problems = Problems()
    lines = [line for line in _lines(source, text, problems) if line is not None]
    problems.stop_if_any()
    return lines


def _lines(source: Source, text: str, problems: Problems) -> Iterator[Line | None]:
    for number, raw in enumerate(text.splitlines(), 1):
        content = _without_comment(raw).strip()
        if not content:
            continue
        # columns count from 1, and blanks before the line are no part of it
        span = Span(source, number, raw.index(content[0]) + 1, len(content))
        # the first word tells what kind of line it is
        first, _, remaining = content.partition(" ")
        if first == "deal" and remaining.strip():
            yield _deal(remaining, span, problems)
        elif first == "expect":
            yield _expectation(remaining.strip(), span, problems)
        elif match := _MOVE.match(content):
            yield ScriptMove(match[1], int(match[2]) if match[2] else None, span)
        else:
            hint = 'A move is a rule id, "rule: 2" for the second outcome; or "expect …".'
            problems.add("bad-script", "this line is neither a move nor an expectation", span, hint)
            yield None


def _without_comment(raw: str) -> str:
    """A line up to its comment; a # in quotes is none."""
    quoted = False
    for place, char in enumerate(raw):
        quoted ^= char == '"'
        if char == "#" and not quoted:
            return raw[:place]
    return raw


def _deal(text: str, span: Span, problems: Problems) -> ScriptDeal | None:
    places = {}
    for part in text.split(","):
        match = _DEALT.match(part.strip())
        if match is None:
            hint = "For example: deal brass_key at cellar, iron_key at attic"
            message = f'"{part.strip()}" is not where an item lies'
            problems.add("bad-script", message, span, hint)
            return None
        places[match[1]] = match[2]
    return ScriptDeal(places, span)


def _expectation(text: str, span: Span, problems: Problems) -> Expect | None:
    word, _, remaining = text.partition(" ")
    remaining = remaining.strip()
    offset = span.width - len(text)
    inner = span.part(offset, len(text))
    # with anything behind them these words are ids, in a condition
    if word in ("live", "doomed") and not remaining:
        return Expect(word, "", None, span)
    if word == "says":
        if len(remaining) >= 2 and remaining[0] == remaining[-1] == '"':
            return Expect(word, remaining[1:-1], None, span)
        problems.add("bad-script", "the text must stand in quotes", inner, 'expect says "…"')
        return None
    if word == "step" and (match := _STEP.fullmatch(remaining)):
        return Expect(word, f"{int(match[1])} of {match[2]}", None, span)
    if word in ("possible", "impossible", "ended") and re.fullmatch(r"[a-z][a-z0-9_]*", remaining):
        return Expect(word, remaining, None, span)
    # whatever begins with none of these words is a condition of the world
    condition = parse_condition(text, inner, problems)
    return Expect("holds", text, condition, span) if condition else None


def conditions_of(lines: list[Line]) -> list[Condition]:
    """The conditions that a script asks, in their order: they go into the check of the world."""
    return [line.condition for line in lines if isinstance(line, Expect) and line.condition]


def check_names(lines: list[Line], world: World) -> None:
    """Raise `InvalidInput` for every rule and ending of a script that the world does not have, and
    for a deal that cannot come up, or comes too late."""
    problems = Problems()
    for place, line in enumerate(lines):
        if isinstance(line, ScriptDeal):
            fault = fault_of(world.deals, line.places)
            if place:
                fault = "a play is dealt before anything else: this must be the first line"
            if fault is not None:
                problems.add("bad-script", f"this deal cannot come up: {fault}", line.span)
    # each rule by its own id, or by what several rules have in common
    rules = {name for r in world.rules for name in (r.id, r.common)}
    # somebody may be talked to without a choice of which of the talks it is
    rules |= {f"{r.owner}_talk" for r in world.rules if r.kind == "talk"}
    for line in lines:
        if isinstance(line, ScriptDeal):
            continue
        if isinstance(line, ScriptMove):
            wanted, known, what = line.rule, rules, "rule"
        elif line.kind in ("possible", "impossible"):
            wanted, known, what = line.text, rules, "rule"
        elif line.kind == "step":
            wanted, known, what = line.text.split(" of ")[1], set(world.quests), "quest"
        elif line.kind == "ended":
            wanted, known, what = line.text, set(world.endings), "ending"
        else:
            continue
        if wanted not in known:
            hint = suggestion(wanted, known) or '"zubrel list" shows the ids.'
            problems.add("unknown-id", f'there is no {what} "{wanted}"', line.span, hint)
    if problems.diagnostics:
        raise InvalidInput(problems.diagnostics)


def deal_of(lines: list[Line], world: World, seed: int | None, source: Source) -> dict[str, str]:
    """How a script is dealt: by its first line, or drawn with a seed; nothing where nothing is.

    Raises `InvalidInput` where a world deals and neither tells how.
    """
    for line in lines:
        if isinstance(line, ScriptDeal):
            return line.places
    if not world.deals:
        return {}
    if seed is not None:
        return drawn(world.deals, Random(seed))
    example = ", ".join(f"{i} at {a}" for i, a in drawn(world.deals, Random(0)).items())
    message = "this world deals items, and the script does not say how"
    hint = f"Begin it with a line: deal {example}\nOr draw a deal with --seed."
    raise InvalidInput([Diagnostic("bad-script", message, Span(source, 1, 1), hint)])
