"""How many of an item can ever be held together, where the author does not say.

A bound is sound if it counts too much, never too little. The simple one adds up what the player
begins with and all that sources give which work only so often, by themselves or because what they
take comes only so often. Where counting does not tell, a linear program asks how much could come
together if only the balance of every item had to come out, whatever the order. (The state equation
of a net is necessary for reaching a marking: Murata, "Petri nets: properties, analysis and
applications", 1989.)
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence

from msgspec import Struct
from msgspec.structs import replace

from zubrel.base.diagnostics import Problems
from zubrel.base.source import Span
from zubrel.checked.conditions import ALWAYS, Cond, all_of
from zubrel.checked.effects import (
    Beat,
    Effect,
    FinishQuest,
    Give,
    Refill,
    SellOut,
    SetMark,
    Take,
    Wear,
)
from zubrel.checked.guarded import Guards, most_before
from zubrel.checked.things import Item
from zubrel.checked.world import Outcome, Rule, World


class AmountSource(Struct, frozen=True):
    """Something that changes amounts: how it does so, and how often it can (None: no end)."""

    rule: str
    span: Span
    gives: dict[str, int]
    takes: dict[str, int]
    limit: tuple[str, int] | None
    asks: Cond = ALWAYS
    """What must hold for it."""


def bound_items(world: World, problems: Problems) -> dict[str, Item]:
    """Every item with its `most`; a problem for each that has neither a `max` nor a bound."""
    start = _start(world)
    sources = list(_sources(world))
    bounded = {}
    # what lies in a chest, or was put down, is not held, and comes back
    handling = (rule for rule in world.rules if rule.kind.handles)
    moved = frozenset(give.item for rule in handling for give in rule.gives)
    supply, linear = _Supply(start, sources, moved), None
    for item in world.items.values():
        # what the author has written counts, however little can be had
        if item.bound_given:
            _check_start(item, start[item.id], problems)
            bounded[item.id] = item
            continue
        most = supply.of(item.id)
        if most is None:
            most = supply.held(item.id)
        if most is None:
            # set up only where counting does not tell, which is rare, since loading the solver
            # takes longer than most checks
            linear = linear or _Linear(list(world.items), start, sources)
            most = linear.most(item.id)
            if most is None and item.kind == "knowledge" and item.uses is None:
                # what is known already is not learned again, and nobody is refused for it
                bounded[item.id] = replace(item, most=1, bound_given=True, wasted_when_full=True)
                _check_start(bounded[item.id], start[item.id], problems)
                continue
            if most is None:
                _report_endless(item, linear.endless(item.id), problems)
        bounded[item.id] = replace(item, most=most or 0)
    return bounded


def _start(world: World) -> dict[str, int]:
    start: dict[str, int] = defaultdict(int)
    for give in world.holding:
        # a tool is held as its uses: one with three of them counts as three
        start[give.item] += world.items[give.item].uses or give.count
    return start


def _check_start(item: Item, start: int, problems: Problems) -> None:
    if start > item.most:
        message = f'the player starts with {start} of "{item.id}", but its max is {item.most}'
        problems.add("bad-value", message, item.span)


def _sources(world: World) -> Iterator[AmountSource]:
    guards = Guards(world)
    for rule in world.rules:
        # stores and drops only move about what was gained elsewhere
        # (and would look like sources without end)
        if not rule.kind.handles:
            asks = all_of(rule.offered, rule.needs)
            limit = _limit(world, rule) or _once(guards, asks, *rule.outcomes)
            for outcome in rule.outcomes:
                yield _source(world, rule.id, rule.span, outcome.effects, limit, asks)
    for happening in world.happenings:
        limit = (f"done {happening.id}", 1) if happening.once else None
        limit = limit or _once(guards, happening.when, happening.outcome)
        effects = happening.outcome.effects
        yield _source(world, happening.id, happening.span, effects, limit, happening.when)
    for quest in world.quests.values():
        yield _source(world, quest.id, quest.span, quest.reward, (f"quest {quest.id}", 1))


def _once(guards: Guards, asks: Cond, *outcomes: Outcome) -> tuple[str, int] | None:
    name = guards.once(asks, [outcome.effects for outcome in outcomes])
    return None if name is None else (name, 1)


def _limit(world: World, rule: Rule) -> tuple[str, int] | None:
    """What a rule can do only so often, and how often."""
    # the limits come from what a rule implies, which is the same in all its outcomes
    for effect in rule.outcomes[0].effects:
        match effect:
            case SetMark(kind, subject) if kind in ("taken", "done"):
                return f"{kind} {subject}", 1
            case FinishQuest(quest) if rule.kind == "hand_in":
                return f"handed in {quest}", 1
            # who returns is beaten without end
            case Beat(foe) if not world.foes[foe].returns:
                return f"foe {foe}", world.foes[foe].count
            # a stock runs out, and is never filled up again
            case SellOut(shop, item):
                wares = (w for w in world.shops[shop].sells if w.item == item)
                return f"stock {shop} {item}", next(w.stock or 0 for w in wares)
    return None


def _source(
    world: World,
    rule: str,
    span: Span,
    effects: tuple[Effect, ...],
    limit: tuple[str, int] | None,
    asks: Cond = ALWAYS,
) -> AmountSource:
    gives: dict[str, int] = defaultdict(int)
    takes: dict[str, int] = defaultdict(int)
    for effect in effects:
        match effect:
            case Give(item, count):
                # amounts of tools are uses throughout
                gives[item] += world.items[item].uses or count
            case Take(item, count):
                takes[item] += count
            case Wear(item):
                takes[item] += 1
            case Refill(item):
                # filling gives all uses at most
                gives[item] += world.items[item].uses or 0
    return AmountSource(rule, span, dict(gives), dict(takes), limit, asks)


class _Supply:
    """All that can ever be gained of an item, where counting is enough to know.

    A source without a limit of its own is limited by what it takes, if that is: a recipe cannot be
    used more often than its rarest part comes.
    """

    def __init__(
        self, start: dict[str, int], sources: list[AmountSource], moved: frozenset[str]
    ) -> None:
        self.start = start
        self.moved = moved
        self.giving: dict[str, list[AmountSource]] = defaultdict(list)
        for source in sources:
            for item in source.gives:
                self.giving[item].append(source)
        self.known: dict[str, int | None] = {}

    def of(self, item: str) -> int | None:
        """The supply of an item; None where counting does not tell."""
        # a stack of its own: chains of recipes may be longer than Python calls go deep
        open_items = [item]
        while open_items:
            current = open_items[-1]
            missing = [i for i in self._asked(current) if i not in self.known]
            # two items that are made of each other: counting never ends, the program has to tell
            if current in self.known or any(i in open_items for i in missing):
                self.known.setdefault(current, None)
                open_items.pop()
            elif missing:
                open_items.append(missing[0])
            else:
                self.known[current] = self._counted(current)
                open_items.pop()
        return self.known[item]

    def held(self, item: str) -> int | None:
        """The most that is held of an item of which the supply is endless; None: no end is known.

        Whoever gains some has few enough before, and what else gives some gives only so much in
        all. That says nothing about what can be `moved`: what is put away is gained once more.
        """
        if item in self.moved:
            return None
        # the largest of what is held after any gain that asks for few: those never add up
        top = self.start[item]
        limited: dict[tuple[str, int], int] = defaultdict(int)
        for source in self.giving[item]:
            count, before = source.gives[item], most_before(source.asks, item)
            # who gains this has at most `before` already
            if before is not None:
                top = max(top, before + count)
            elif source.limit is not None:
                limited[source.limit] = max(limited[source.limit], count)
            else:
                return None
        return top + sum(count * times for (_, times), count in limited.items())

    def _asked(self, item: str) -> list[str]:
        """The items whose supply limits a source of this one."""
        return [i for s in self.giving[item] if s.limit is None for i in s.takes]

    def _counted(self, item: str) -> int | None:
        limited: dict[tuple[str, int], int] = defaultdict(int)
        total = self.start[item]
        for source in self.giving[item]:
            count = source.gives[item]
            if source.limit is not None:
                # alternatives under one limit, such as outcomes of luck: only one of them comes
                limited[source.limit] = max(limited[source.limit], count)
                continue
            times = [
                supply // taken
                for part, taken in source.takes.items()
                if (supply := self.known[part]) is not None
            ]
            # nothing that it takes is limited, so that it can be used without end
            if not times:
                return None
            # the rarest part decides
            total += count * min(times)
        # what a limit allows is used up at its most generous
        return total + sum(count * times for (_, times), count in limited.items())


class _Linear:
    """The linear program: how often each source is used, so that no amount is below nothing."""

    def __init__(
        self, items: list[str], start: dict[str, int], sources: list[AmountSource]
    ) -> None:
        import numpy as np

        self.items, self.start, self.sources = items, start, sources
        # by item and source: what using the source once does to the balance of the item
        self.net = np.array(
            [[s.gives.get(i, 0) - s.takes.get(i, 0) for s in sources] for i in items], float
        )
        limits = dict.fromkeys(s.limit for s in sources if s.limit is not None)
        # sources under one limit share it
        self.marks = np.array([[s.limit == m for s in sources] for m in limits], float)
        self.marks = self.marks.reshape(len(limits), len(sources))
        self.capacities = [times for _, times in limits]

    def most(self, item: str) -> int | None:
        """The largest balance of an item, or None when there is none."""
        from math import floor

        import numpy as np
        from scipy.optimize import linprog

        row = self.items.index(item)
        rows = np.vstack([-self.net, self.marks])
        # no balance below nothing, no limit exceeded; in which order the sources are used is left
        # open, which can only allow more
        bounds = [self.start[i] for i in self.items] + self.capacities
        bound = linprog(-self.net[row], A_ub=rows, b_ub=bounds, method="highs")
        # unbounded: somewhere a round of sources gains and lacks nothing
        if bound.status != 0:
            return None
        # the solver is exact but for rounding, and amounts are whole
        return self.start[item] + floor(float(-bound.fun) + 1e-6)

    def endless(self, item: str) -> list[AmountSource]:
        """The sources that make it endless: a round of them that gains and lacks nothing."""
        import numpy as np
        from scipy.optimize import linprog

        row = self.items.index(item)
        rows = np.vstack([-self.net, self.marks])
        # limited sources can be no part of it, and the start is no help: what comes out comes again
        zeros = [0] * len(rows)
        endless = linprog(-self.net[row], A_ub=rows, b_ub=zeros, bounds=(0, 1), method="highs")
        # what the solver leaves at nothing but for rounding is no part of the round
        used = [s for s, times in zip(self.sources, endless.x, strict=True) if times > 1e-9]
        return sorted(used, key=lambda s: -s.gives.get(item, 0))


def _report_endless(item: Item, endless: list[AmountSource], problems: Problems) -> None:
    endless = _needed_for(item.id, endless)
    rules = list(dict.fromkeys(s.rule for s in endless))
    words = " with ".join(f'"{r}"' for r in rules[:4])
    count = max(s.gives.get(item.id, 0) for s in endless)
    problems.add(
        "no-bound",
        f'"{item.id}" can be gained without end, by {words}',
        item.span,
        f"Say how many can be held:  {_line_with_max(item, count)}",
        (("this can be done again and again", endless[0].span),),
    )


def _needed_for(item: str, endless: Sequence[AmountSource]) -> list[AmountSource]:
    """Those of some sources that give an item, or what these take, and so on."""
    wanted, needed = {item}, list[AmountSource]()
    while more := [s for s in endless if s not in needed and wanted & s.gives.keys()]:
        needed += more
        wanted |= {taken for source in more for taken in source.takes}
    return sorted(needed, key=endless.index)


def _line_with_max(item: Item, count: int) -> str:
    """The item as it stands in the file, with how many can be held."""
    # a guess with room to spare: the author knows better, and now where to write it
    most = f"max: {max(9, 3 * count)}"
    line = item.span.source.line(item.span.line)[item.span.column - 1 :]
    # the line as it is written, so that the hint can be copied over it
    match = re.match(r"[a-z0-9_]+\s*:\s*(\{(?P<fields>[^{}]*)\}|(?P<name>[^#{},\[\]&*|>]*))", line)
    # its fields stand in lines of their own below
    if match is None or (match["fields"] is None and not (match["name"] or "").strip()):
        below = item.span.source.line(item.span.line + 1)
        indent = len(below) - len(below.lstrip())
        if match is not None and below.strip() and indent > item.span.column - 1:
            return f"{item.id}: with a line {most} below it"
        return f"{item.id}: {{{most}}}"
    if match["fields"] is not None:
        fields = match["fields"].strip()
        return f"{item.id}: {{{fields}, {most}}}" if fields else f"{item.id}: {{{most}}}"
    return f"{item.id}: {{name: {match['name'].strip()}, {most}}}"
