"""One walk through a world, with every step back and forth."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from zubrel.checked import keys
from zubrel.checked.effects import DealOut
from zubrel.checked.keys import ENDING, PLACE, UNENDED
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import Goal, Quest
from zubrel.checked.world import Rule, World
from zubrel.narrated.walks import changes
from zubrel.walked.changing import Situation
from zubrel.walked.telling import area_text, farewell, is_hidden, outcome_text, refusal
from zubrel.walked.walker import Walker


class MadeMove(Struct, frozen=True):
    """A move that was made: its rule and outcome, the situation then, what the player was told.

    `says` is the move's own text, `told` all of it: that of the area where the player is then, too.
    """

    rule: Rule
    outcome: int
    says: str | None
    after: Situation
    told: tuple[str, ...]
    changes: tuple[str, ...]


class Impossible(Exception):
    """A move that cannot be made now."""

    def __init__(self, rule: Rule) -> None:
        self.rule = rule
        super().__init__(rule.id)


class NeedsOutcome(Exception):
    """Luck decides, and nobody said how: the numbers of the outcomes."""

    def __init__(self, rule: Rule, numbers: list[int]) -> None:
        self.rule = rule
        self.numbers = numbers
        super().__init__(rule.id)


class GroupSoFar(Struct, frozen=True):
    """Goals of which `count` are asked for: each, whether it is met, how far it has come."""

    count: int
    goals: tuple[tuple[Goal, bool, int], ...]

    @property
    def met(self) -> bool:
        return sum(met for _, met, _ in self.goals) >= self.count


class Session:
    """A walk: where it is, how it came there, and what was undone.

    In a world that deals items, `deal` says where each lies: ids of items with those of areas.
    """

    def __init__(self, world: World, deal: Mapping[str, str] = {}) -> None:
        self.world = world
        self.walker = Walker(world)
        self.deal = deal
        self.dealt = self._dealt()
        self.start = self.dealt[-1][2] if self.dealt else self.walker.start()
        self.done: list[MadeMove] = []
        self.undone: list[MadeMove] = []

    def _dealt(self) -> list[tuple[Rule, Situation, Situation]]:
        """The moves of luck with which the play begins, each with the situations around it."""
        made, here = list[tuple[Rule, Situation, Situation]](), self.walker.start()
        for rule in self.world.dealing:
            effect = rule.outcomes[0].effects[0]
            if isinstance(effect, DealOut) and self.deal.get(effect.item) == effect.area:
                after = self.walker.results(rule, here)[0].situation
                made.append((rule, here, after))
                here = after
        return made

    @property
    def here(self) -> Situation:
        return self.done[-1].after if self.done else self.start

    @property
    def over(self) -> bool:
        """Whether the game has ended."""
        return self.here[ENDING] != UNENDED

    def find(self, name: str) -> Rule | None:
        """The rule that `name` means here: by id, or the possible one of those it is shared by."""
        rules = [r for r in self.world.rules if name in (r.id, r.common)]
        # people are talked to by their names, and foes beaten: which of their lines or blows it is
        # depends on the situation
        rules += [r for r in self.world.rules if r.kind == "talk" and name == f"{r.owner}_talk"]
        rules += [r for r in self.world.rules if r.last_blow and name in (r.owner, r.last_blow)]
        # of rules that share a name at most one is possible here, as a rule; where none is, the
        # first one tells why
        possible = [r for r in rules if self.walker.possible(r, self.here)]
        return next(iter(possible or rules), None)

    def move(self, rule: Rule, outcome: int | None = None) -> MadeMove:
        """Make a move, also one that changes nothing. Raises `Impossible` and `NeedsOutcome`."""
        here = self.here
        if not self.walker.possible(rule, here):
            raise Impossible(rule)
        # outcomes without odds are none, so that numbers may have gaps
        numbers = [o.number for o in rule.outcomes]
        if outcome is None and len(numbers) > 1:
            raise NeedsOutcome(rule, numbers)
        chosen = next((o for o in rule.outcomes if outcome in (None, o.number)), None)
        if chosen is None:
            raise NeedsOutcome(rule, numbers)
        # a move that changes nothing has no result, and is made all the same
        results = self.walker.results(rule, here)
        after = next((r.situation for r in results if r.outcome is chosen), here)
        told = (outcome_text(self.walker, chosen, here), farewell(self.walker, here, after))
        says = " ".join(text for text in told if text) or None
        mentioned = [says] if says else []
        if after[ENDING] == UNENDED and (shown := area_text(self.walker, after)):
            mentioned.append(shown)
        step = MadeMove(
            rule,
            chosen.number,
            says,
            after,
            tuple(mentioned),
            tuple(changes(self.world, here, after)),
        )
        self.done.append(step)
        # whoever goes another way has given up the one that was taken back
        self.undone.clear()
        return step

    def made(self) -> list[tuple[Rule, Situation, Situation]]:
        """Every move with the situations before and after it, those of luck that deal first."""
        before = [self.start, *(step.after for step in self.done)]
        moves = [(m.rule, b, m.after) for m, b in zip(self.done, before, strict=False)]
        return [*self.dealt, *moves]

    def undo(self) -> bool:
        """Take the last move back; False when there is none."""
        if self.done:
            self.undone.append(self.done.pop())
        return bool(self.undone)

    def redo(self) -> bool:
        """Make the move again that was taken back last; False when there is none."""
        if not self.undone:
            return False
        self.done.append(self.undone.pop())
        return True

    def possible(self) -> list[Rule]:
        """Everything that can be done here, in the order of the files."""
        return [r for r in self.world.rules if self.walker.possible(r, self.here)]

    def blocked(self) -> list[tuple[Rule, str | None]]:
        """What stands here but cannot be done now, with the text that refuses it, if there is one.

        What is done anywhere is only told of where a text says so, and of things to be put down,
        into stores, or sold nothing is told.
        """
        refused = []
        for rule in self.world.rules:
            at_hand = rule.areas is None or self.here[PLACE] in rule.areas
            # what players cannot know of is not told as something that they may not do
            if is_hidden(self.walker, rule, self.here):
                continue
            if at_hand and not self.over and not self.walker.possible(rule, self.here):
                text = refusal(self.walker, rule, self.here)
                # refused without a text: only what stands here in plain sight
                stands = (
                    rule.areas is not None and not rule.kind.handles and rule.kind != RuleKind.SELL
                )
                if text or (stands and self.walker.holds(rule.offered, self.here)):
                    refused.append((rule, text))
        return refused

    def goals(self, quest: Quest) -> list[GroupSoFar]:
        """The goals of an active quest as they are grouped: how far each has come.

        Where they count one after the other, the groups up to the first that is not met.
        """
        groups = []
        for group in quest.groups:
            goals = [quest.goals[n - 1] for n in group.numbers]
            met = [self.walker.goals.met(goal, quest.id, self.here) for goal in goals]
            progress = [self._progress(quest, goal) for goal in goals]
            so_far = tuple(zip(goals, met, progress, strict=True))
            groups.append(GroupSoFar(group.count, so_far))
            # later ones do not count yet, and a log that names them gives them away
            if quest.in_turn and not groups[-1].met:
                break
        return groups

    def _progress(self, quest: Quest, goal: Goal) -> int:
        """How much of what a goal counts there is by now."""
        if goal.remembered and goal.kind in ("gain", "defeat"):
            return int(self.here[keys.goal(quest.id, goal.number)])
        if goal.kind in ("collect", "deliver"):
            return min(goal.count, int(self.here[keys.held(goal.subject)]))
        return int(self.walker.goals.met(goal, quest.id, self.here))

    def script(self) -> str:
        """The walk as a script for `rehearse`."""
        lines = [
            f"{step.rule.id}: {step.outcome}" if step.rule.chancy else step.rule.id
            for step in self.done
        ]
        if self.deal:
            places = ", ".join(f"{item} at {area}" for item, area in self.deal.items())
            lines.insert(0, f"deal {places}")
        return "".join(f"{line}\n" for line in lines)
