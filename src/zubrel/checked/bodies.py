"""Rule bodies -> outcomes: every alternative and outcome with all that it does, in order."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct

from zubrel.authored.values import Entry
from zubrel.checked.effects import (
    AddMeter,
    Effect,
    EndGame,
    FailQuest,
    FinishQuest,
    Give,
    Lose,
    MoveTo,
    OpenLock,
    Refill,
    SetFact,
    SetMeter,
    ShutLock,
    StartQuest,
    StepFact,
    Take,
    Toggle,
    Wear,
)
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import Said
from zubrel.checked.world import Outcome


class Implied(Struct, frozen=True):
    """What a rule does by being a find, a way or a lock, besides what its body says."""

    first: tuple[Effect, ...] = ()
    takes: tuple[Effect, ...] = ()
    gives: tuple[Effect, ...] = ()
    opens: tuple[Effect, ...] = ()
    moves_to: str | None = None
    last: tuple[Effect, ...] = ()


def outcomes_of(
    bodies: Sequence[Entry], implied: Implied, resolver: Resolver
) -> tuple[Outcome, ...]:
    """The outcomes of a rule whose body is made of `bodies`, common first.

    The effects are in the order of the language's table, those of a chance outcome after the
    common ones. Of `moves_to`, `ends` and settings given more than once the most particular
    stays.
    """
    chances = [outcome for body in bodies for outcome in body.entries("chance")]
    # most rules have one outcome, which has no number to be told apart by
    if not chances:
        effects = _effects(bodies, (), implied, resolver)
        return (Outcome(1, 1.0, effects, _says(bodies, resolver)),)
    outcomes = []
    for number, chance in enumerate(chances, 1):
        odds = chance.values.get("odds", 1.0)
        # an outcome without odds never comes: it is left out, and numbers stay those of the file
        if odds > 0:
            effects = _effects(bodies, (chance,), implied, resolver)
            outcomes.append(Outcome(number, odds, effects, _says([*bodies, chance], resolver)))
    return tuple(outcomes)


def _says(bodies: Iterable[Entry], resolver: Resolver) -> tuple[tuple[Said, ...], ...]:
    return tuple(resolver.texts(body.texts("says")) for body in bodies if body.has("says"))


def _effects(
    common: Sequence[Entry], outcome: Sequence[Entry], implied: Implied, resolver: Resolver
) -> tuple[Effect, ...]:
    # what is common comes first, so that the outcome has the last word
    bodies = [*common, *outcome]
    where_to = _last_word(bodies, "moves_to", "area", resolver) or implied.moves_to
    ending = _last_word(bodies, "ends", "ending", resolver)
    settings = _settings(bodies, resolver)
    # what is taken is taken whatever luck does: only common bodies can take
    takes = [Take(i, n or 0) for b in common for i, n in resolver.held(b.amounts("takes"))]
    # the order of the language: first what a move costs, then what it brings, the end at last
    effects: list[Effect] = [*implied.first, *implied.takes, *takes]
    effects += [Wear(i) for b in common for i in resolver.tools(b.words("wears"))]
    effects += [Refill(i) for b in common for i in resolver.tools(b.words("refills"))]
    effects += _things(common, implied.gives, resolver)
    # where an outcome sets what is set in common as well, only its own setting is left
    effects += [effect for level, effect in settings if level < len(common)]
    effects += _world(common, implied.opens, resolver)
    effects += _things(outcome, (), resolver)
    effects += [effect for level, effect in settings if level >= len(common)]
    effects += _world(outcome, (), resolver)
    effects += [MoveTo(where_to)] if where_to else []
    effects += [EndGame(ending)] if ending else []
    return (*effects, *implied.last)


def _things(bodies: Sequence[Entry], given: tuple[Effect, ...], resolver: Resolver) -> list[Effect]:
    """What is lost and then gained."""
    loses = [Lose(i, n) for b in bodies for i, n in resolver.held(b.amounts("loses"))]
    gives = [Give(i, n or 0) for b in bodies for i, n in resolver.held(b.amounts("gives"))]
    return [*loses, *given, *gives]


def _settings(bodies: Sequence[Entry], resolver: Resolver) -> list[tuple[int, Effect]]:
    """The settings that hold, each with the level of the body it stands in."""
    last: dict[str, tuple[int, Effect]] = {}
    for level, body in enumerate(bodies):
        for setting in body.settings("sets"):
            effect = resolver.setting(setting)
            if isinstance(effect, SetFact | StepFact):
                last[effect.fact] = (level, effect)
            elif isinstance(effect, SetMeter):
                last[effect.meter] = (level, effect)
    return list(last.values())


_AROUND = frozenset(("toggles", "adds", "opens", "shuts", "starts", "finishes", "fails"))


def _world(bodies: Sequence[Entry], opened: tuple[Effect, ...], resolver: Resolver) -> list[Effect]:
    """What changes around the player: facts turned, meters, locks."""
    if all(_AROUND.isdisjoint(body.values) for body in bodies):
        return list(opened)  # so it is with most rules, and a world is read at every key
    effects: list[Effect] = []
    for body in bodies:
        for fact in resolver.ids(body.words("toggles"), "fact"):
            # more than two values have no other side
            if fact in resolver.facts and not resolver.facts[fact].true_false:
                message = f'"{fact}" is not just true or false: set it to a value'
                resolver.problems.add("wrong-kind", message, body.where("toggles"))
            effects.append(Toggle(fact))
    for body in bodies:
        for change in body.settings("adds"):
            meter = resolver.names.find(change.name, "meter")
            if meter and isinstance(change.value, int):
                effects.append(AddMeter(meter, change.value))
    effects += opened
    effects += [OpenLock(k) for b in bodies for k in resolver.ids(b.words("opens"), "lock")]
    effects += [ShutLock(k) for b in bodies for k in resolver.ids(b.words("shuts"), "lock")]
    effects += [StartQuest(q) for b in bodies for q in resolver.ids(b.words("starts"), "quest")]
    effects += [FinishQuest(q) for b in bodies for q in resolver.ids(b.words("finishes"), "quest")]
    effects += [FailQuest(q) for b in bodies for q in resolver.ids(b.words("fails"), "quest")]
    return effects


def effects_of(body: Entry, resolver: Resolver) -> tuple[Effect, ...]:
    """The effects of a body without alternatives or chance: a reward."""
    return _effects((body,), (), Implied(), resolver)


def _last_word(bodies: Sequence[Entry], field: str, kind: str, resolver: Resolver) -> str | None:
    last_word = None
    for body in bodies:
        word = body.word(field)
        if word is not None:
            last_word = resolver.names.find(word, kind) or last_word
    return last_word
