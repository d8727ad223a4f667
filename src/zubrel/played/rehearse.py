"""Walking scripts and looking whether what they expect is so."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from zubrel.base.source import Span
from zubrel.checked import keys
from zubrel.checked.conditions import QUEST_STATES, Cond
from zubrel.checked.keys import ENDING, PLACE
from zubrel.checked.world import World
from zubrel.narrated.walks import held_words
from zubrel.narrated.words import listed
from zubrel.played.script import Expect, Line, ScriptDeal, ScriptMove
from zubrel.played.session import Impossible, NeedsOutcome, Session
from zubrel.played.why import lacking
from zubrel.walked.changing import Situation
from zubrel.walked.telling import refusal

# whether a situation is live, doomed or ended; asked only where a script asks
Fate = Callable[[Situation], str]


class Failure(Struct, frozen=True):
    """Where a script went wrong: what was expected, what was so, what was held, what else was
    possible."""

    span: Span
    expected: str
    actual: str
    held: tuple[str, ...]
    possible: tuple[str, ...]


class Rehearsal(Struct, frozen=True):
    """How one script went; it ends at the first failure. Moves and expectations are those before
    that."""

    path: str
    moves: int
    expectations: int
    failure: Failure | None


def rehearse(
    world: World,
    path: str,
    lines: Sequence[Line],
    conditions: Sequence[Cond],
    fate: Fate,
    deal: Mapping[str, str] = {},
) -> Rehearsal:
    """Walk one script; `conditions` are those it asks, resolved, in their order. `deal` says where
    the items lie that are dealt."""
    run = _Run(world, list(conditions), fate, deal)
    moves = expectations = 0
    for line in lines:
        # how things lie was read off the lines before the play began
        if isinstance(line, ScriptDeal):
            continue
        failure = run.move(line) if isinstance(line, ScriptMove) else run.expect(line)
        # the first failure ends a script: what comes after would follow from it
        if failure:
            return Rehearsal(path, moves, expectations, failure)
        moves += isinstance(line, ScriptMove)
        expectations += isinstance(line, Expect)
    return Rehearsal(path, moves, expectations, None)


class _Run:
    def __init__(
        self, world: World, conditions: list[Cond], fate: Fate, deal: Mapping[str, str]
    ) -> None:
        self.session = Session(world, deal)
        self.conditions = conditions
        self.fate = fate
        self.told: tuple[str, ...] = ()

    def move(self, line: ScriptMove) -> Failure | None:
        rule = self.session.find(line.rule)
        assert rule is not None, "names are checked before"
        try:
            self.told = self.session.move(rule, line.outcome).told
        except Impossible:
            # what is lacking, and not only that something is: the script was right once
            why = listed(lacking(self.session.walker, rule, self.session.here))
            return self._failure(line.span, f"“{rule.label}” to be possible", why)
        except NeedsOutcome as luck:
            numbers = listed([str(n) for n in luck.numbers], "or")
            wanted = f"an outcome of “{rule.label}”: {rule.id}: {luck.numbers[0]}"
            # an outcome was named of a move that has a single one
            if len(luck.numbers) == 1:
                return self._failure(line.span, f"“{rule.label}”", "luck decides nothing there")
            given = "" if line.outcome is None else f"there is no outcome {line.outcome}: "
            return self._failure(line.span, wanted, f"{given}luck decides between {numbers}")
        return None

    def expect(self, line: Expect) -> Failure | None:
        here, walker = self.session.here, self.session.walker
        # each kind of expectation looks at another thing, and fails in its own words
        match line.kind:
            case "holds":
                # resolved with the world, and handed over in the order of the lines
                condition = self.conditions.pop(0)
                return (
                    None
                    if walker.holds(condition, here)
                    else self._failure(line.span, line.text, f"not so at {self._place()}")
                )
            case "possible" | "impossible":
                return self._expect_possible(line)
            case "says":
                # a piece of it is enough: texts are rewritten more often than meant otherwise
                if any(line.text in text for text in self.told):
                    return None
                heard = " / ".join(self.told) or "nothing was said"
                return self._failure(line.span, f"the text “{line.text}”", heard)
            case "step":
                return self._expect_step(line)
            case "ended":
                now = str(here[ENDING]) or "the game goes on"
                return (
                    None
                    if now == line.text
                    else self._failure(line.span, f"the ending {line.text}", now)
                )
        fate = self.fate(here)
        return None if fate == line.kind else self._failure(line.span, line.kind, fate)

    def _expect_possible(self, line: Expect) -> Failure | None:
        here, walker = self.session.here, self.session.walker
        rule = self.session.find(line.text)
        assert rule is not None, "names are checked before"
        possible = walker.possible(rule, here)
        if line.kind == "impossible":
            # whoever tries what is refused is told why, and may be expected to hear it
            text = refusal(walker, rule, here)
            self.told = (text,) if text else ()
            rules = f"“{rule.label}” is possible"
            return (
                self._failure(line.span, f"{line.text} to be impossible", rules)
                if possible
                else None
            )
        # what is lacking, so that the failure says what to look at
        why = listed(lacking(walker, rule, here))
        return None if possible else self._failure(line.span, f"{line.text} to be possible", why)

    def _expect_step(self, line: Expect) -> Failure | None:
        """The number of the first goal, or group of goals, of an active quest that is not met."""
        number, name = line.text.split(" of ")
        quest = self.session.world.quests[name]
        state = QUEST_STATES[int(self.session.here[keys.quest(name)])]
        if state != "active":
            return self._failure(line.span, f"step {line.text}", f"{quest.name} is {state}")
        goals, here = self.session.walker.goals, self.session.here
        met = [goals.all_met(quest, (group,), here) for group in quest.groups]
        # goals are met in any order; the step that is next is the first that is not
        step = met.index(False) + 1 if False in met else len(met) + 1
        rules = f"step {step} of {len(met)}" if step <= len(met) else "every step is done"
        return None if step == int(number) else self._failure(line.span, f"step {line.text}", rules)

    def _place(self) -> str:
        return self.session.world.name_of(str(self.session.here[PLACE]))

    def _failure(self, span: Span, expected: str, actual: str) -> Failure:
        held = held_words(self.session.world, self.session.here)
        possible = tuple(rule.id for rule in self.session.possible())
        return Failure(span, expected, actual, held, possible)


def recorded(world: World, lines: Sequence[Line], deal: Mapping[str, str] = {}) -> str:
    """The moves of a script, each with the expectations that are true after it.

    Raises `Impossible` or `NeedsOutcome` at a move that cannot be made.
    """
    # walked by hand: what is recorded is what the rules say, and no proof
    session = Session(world, deal)
    written = session.script().splitlines()
    for line in lines:
        if not isinstance(line, ScriptMove):
            continue
        rule = session.find(line.rule)
        assert rule is not None, "names are checked before"
        before = session.here
        step = session.move(rule, line.outcome)
        written.append(f"{rule.id}: {step.outcome}" if rule.chancy else rule.id)
        # a text with quotes in it cannot be written in quotes
        written += [f'expect says "{text}"' for text in step.told if '"' not in text]
        written += [f"expect {text}" for text in _differences(world, before, step.after)]
    return "".join(f"{text}\n" for text in written)


def _differences(world: World, before: Situation, after: Situation) -> list[str]:
    """What a move has changed, as conditions."""
    differences = []
    if before[PLACE] != after[PLACE]:
        differences.append(f"at {after[PLACE]}")
    # section by section, in the order of the file, so that recordings compare well
    for item in world.items:
        if before[keys.held(item)] != after[keys.held(item)]:
            differences.append(f"{item} = {after[keys.held(item)]}")
    for lock in world.locks:
        if before[keys.lock_open(lock)] != after[keys.lock_open(lock)]:
            differences.append(f"{lock} is {'open' if after[keys.lock_open(lock)] else 'shut'}")
    for fact in world.facts.values():
        if before[keys.fact(fact.id)] != after[keys.fact(fact.id)]:
            differences.append(f"{fact.id} = {fact.values[int(after[keys.fact(fact.id)])]}")
    for meter in world.meters:
        if before[keys.meter(meter)] != after[keys.meter(meter)]:
            differences.append(f"{meter} = {after[keys.meter(meter)]}")
    for quest in world.quests:
        if before[keys.quest(quest)] != after[keys.quest(quest)]:
            differences.append(f"{quest} is {QUEST_STATES[int(after[keys.quest(quest)])]}")
    if before[ENDING] != after[ENDING]:
        differences.append(f"ended {after[ENDING]}")
    return differences
