"""What a thing, a field, a rule or a condition is, as a few lines of Markdown for an editor."""

from __future__ import annotations

from collections.abc import Iterator

from zubrel.authored.kinds import Field
from zubrel.checked.names import SECTION_OF
from zubrel.checked.world import Rule, World
from zubrel.edited.knowledge import Knowledge
from zubrel.edited.places import EVERYWHERE, HEAD, LanguagePlace, keys_at
from zubrel.narrated.doing import asked_of, effect_words
from zubrel.narrated.report import Report, TimeWindow
from zubrel.narrated.tables import listing
from zubrel.output.as_markdown import code_markdown, plain_markdown

_IN_HEAD = ("id", "name")
"""Columns that the first line of a card has told."""


def card_of_field(name: str, place: LanguagePlace) -> str:
    """What a key at a place means; nothing where it is no field."""
    shape = keys_at(place)
    fields: dict[str, Field] = {} if shape is None else {**shape.fields, **EVERYWHERE}
    field = fields.get(name)
    if field is None:
        return ""
    of = "" if shape is None or name in HEAD else f" of {shape.title}"
    return f"**{name}**{of}: {field.kind.title}\n\n{field.about}"


def card_of_thing(
    world: World, thing: str, kind: str, known: Knowledge | None, report: Report | None
) -> str:
    """What a thing is, where it comes from, what asks for it and spends it, and what a search of
    every situation tells of it."""
    told = [f"**{plain_markdown(world.name_of(thing))}** · {kind} `{code_markdown(thing)}`"]
    table = list(_row(world, thing, kind)) or list(_rule(world, thing))
    if table:
        told.append("\n".join(f"- {head}: {plain_markdown(words)}" for head, words in table))
    searched = list(_searched(world, thing, known, report))
    if searched:
        told.append("\n".join(f"- {line}" for line in searched))
    return "\n\n".join(told)


def _row(world: World, thing: str, kind: str) -> Iterator[tuple[str, str]]:
    """The row of a thing in the table of its section."""
    section = {**SECTION_OF, "way": "ways"}.get(kind)
    if section is None:
        return
    table = listing(world, section, thing)
    for row in table.rows[:1]:  # of a way the one that leads there
        for column, cell in zip(table.columns, row, strict=True):
            if column not in _IN_HEAD and cell:
                yield column, ", ".join(cell)


def _rule(world: World, thing: str) -> Iterator[tuple[str, str]]:
    """What a rule asks for and does, of all that is done under an id."""
    for rule in world.rules:
        if thing in (rule.id, rule.common, rule.owner):
            asks, does = "; ".join(asked_of(world, rule)), _does(world, rule)
            if asks:
                yield f"{rule.label} asks", asks
            if does:
                yield f"{rule.label} does", does


def _does(world: World, rule: Rule) -> str:
    every = (
        ", ".join(w for e in outcome.effects if (w := effect_words(world, e)))
        for outcome in rule.outcomes
    )
    return " or ".join(dict.fromkeys(words for words in every if words))


def _searched(
    world: World, thing: str, known: Knowledge | None, report: Report | None
) -> Iterator[str]:
    """What a search tells of a thing."""
    if known is not None and thing in known.first:
        yield first_words(world, thing, known.first[thing])
    if known is not None and thing in known.most:
        most = known.most[thing]
        bound = world.items[thing].most
        limit = f" of {bound:,}" if 1 < bound != most else ""
        yield f"most ever held: {most:,}{limit}" if most else "never held"
    # a thing without an end to its window cannot be missed
    window = _window(report, thing)
    if window is not None and window.first is not None:
        for _, rule, distance in window.closed_by:
            move = f"in move {distance.steps} at the soonest"
            yield f"can be missed: {plain_markdown(rule)} closes it, {move}"
    for finding in report.findings if report is not None else ():
        if finding.subject == thing and not finding.accepted:
            yield f"{finding.severity}: {plain_markdown(finding.message)}"


def first_words(world: World, thing: str, moves: int | None) -> str:
    """From which move on something can be had or done."""
    is_rule = any(rule.id == thing for rule in world.rules) and thing not in world.locks
    verb = "done" if is_rule else "open" if thing in world.locks else "had"
    if thing in world.quests:
        verb = "finished"
    if moves is None:
        return f"never {verb}"
    if moves == 0:
        return f"{verb} from the start"
    return f"first {verb} in move {moves}"


def _window(report: Report | None, thing: str) -> TimeWindow | None:
    windows = report.progress.windows if report is not None and report.progress else ()
    return next((window for window in windows if window.id == thing), None)


def card_of_condition(text: str, holds: int, situations: int) -> str:
    """In how many situations a condition holds."""
    share = {0: "in none", situations: "in every one"}.get(holds)
    share = share or f"in {holds:,} ({share_words(holds, situations)})"
    return f"`{code_markdown(text)}` holds {share} of {situations:,} situations"


def share_words(holds: int, situations: int) -> str:
    """A share of all situations, in whole percents."""
    if holds in (0, situations):
        return "never" if not holds else "always"
    hundred = 100 * holds / situations
    if 1 <= hundred <= 99:
        return f"{hundred:.0f} %"
    return "under 1 %" if hundred < 1 else "over 99 %"
