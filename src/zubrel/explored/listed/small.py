"""The explicit search for small worlds: situations as plain integers, without NumPy's start-up."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

from msgspec import Struct, field

from zubrel.base.budget import Budget
from zubrel.checked.keys import Key, Value
from zubrel.compiled.formulas import Formula
from zubrel.compiled.parts import Step
from zubrel.compiled.system import System
from zubrel.explored.packed.kernel import Kernel
from zubrel.explored.packed.packing import Packing, pack_into_one
from zubrel.explored.packed.settling import Settling
from zubrel.explored.space import Distance, EverySituation, Trace

Numbers = frozenset[int]
ASK, SWEEP = 0.1, 0.5
"""Units of work for each situation: of a question about all, of one round along all steps."""


class Edges(Struct):
    """All taken steps of one kind: from `sources[k]` to `targets[k]`, sources ascending."""

    sources: list[int] = field(default_factory=list)
    targets: list[int] = field(default_factory=list)


class ScalarWalks:
    """A breadth-first tree over the steps that were found."""

    def __init__(self, space: ScalarSpace, avoiding: Numbers | None) -> None:
        self.space = space
        self.parents = _main_tree(space) if avoiding is None else _tree(space, avoiding)
        self.reached: Numbers = frozenset(self.parents)

    def shortest(self, target: Numbers, surely: bool = False) -> Trace | None:
        # the tree keeps the order in which situations were found: the first one in it is a nearest
        # one
        first = next((n for n in self.parents if n in target), None)
        if first is None:
            return None
        steps = []
        while (link := self.parents[first]) is not None:
            first, step = link
            steps.append(self.space.system.steps[step])
        return Trace(tuple(reversed(steps)), self.space.breadth_first)

    def moves_to(self, target: Numbers) -> Distance | None:
        trace = self.shortest(target)
        return None if trace is None else Distance(len(trace.steps), self.space.breadth_first)

    def by_moves(self, sets: Sequence[Numbers]) -> list[tuple[int, ...]]:
        depths: dict[int, int] = {}
        for number, link in self.parents.items():
            # who was found before stands before it, so that its depth is known
            depths[number] = 0 if link is None else depths[link[0]] + 1
        last = max(depths.values(), default=-1)
        counts = [Counter(depths[n] for n in situations if n in depths) for situations in sets]
        return [tuple(count[depth] for count in counts) for depth in range(last + 1)]


# situation -> (situation before it, step), in breadth-first order; None at the start
Tree = dict[int, "tuple[int, int] | None"]


def _main_tree(space: ScalarSpace) -> Tree:
    return dict(enumerate(space.parents))


def _tree(space: ScalarSpace, avoiding: Numbers) -> Tree:
    # the start has number 0
    if 0 in avoiding:
        return {}
    space.budget.spend(len(space.words) * SWEEP)
    tree: Tree = {0: None}
    queue = deque([0])
    while queue:
        source = queue.popleft()
        # where a limit has ended the search, the last situations were never left
        known = space.successors[source] if source < len(space.successors) else ()
        for step, target in known:
            if target not in tree and target not in avoiding:
                tree[target] = (source, step)
                queue.append(target)
    return tree


class ScalarSpace(EverySituation[Numbers, ScalarWalks]):
    """`Space` over situations numbered in breadth-first order."""

    engine = "explicit"
    breadth_first = True
    """Whether the nearest situations are found first, so that walks are shortest."""

    def __init__(self, system: System, budget: Budget) -> None:
        self.system = system
        self.budget = budget
        self.packing: Packing = pack_into_one(system.variables)
        self.kernel = Kernel(system.variables, self.packing, 1)
        self.words: list[int] = []
        # by number: the situation and the step that have led to it first, which are on a shortest
        # walk
        self.parents: list[tuple[int, int] | None] = []
        self.successors: list[list[tuple[int, int]]] = []
        self.edges = [Edges() for _ in system.steps]
        self.moves = 0
        self.stopped: str | None = None
        # made when a question needs them: small worlds are often asked little
        self._after: list[list[int]] | None = None
        self._settling: Settling | None = None

    def depths(self) -> list[int]:
        """How many steps each situation is away from the start."""
        depths: list[int] = []
        for parent in self.parents:
            depths.append(0 if parent is None else depths[parent[0]] + 1)
        return depths

    @property
    def everything(self) -> Numbers:
        return frozenset(range(len(self.words)))

    def count(self, situations: Numbers) -> int:
        return len(situations)

    def give_up(self, limit: str) -> None:
        self.stopped = limit

    @property
    def unexplored(self) -> Numbers:
        return frozenset(range(len(self.successors), len(self.words)))

    def where(self, formula: Formula) -> Numbers:
        self.budget.spend(len(self.words) * ASK)
        (select,) = self.kernel.selections([formula])
        return frozenset(select(self.words))

    def holds_somewhere(self, formula: Formula) -> bool:
        (exists,) = self.kernel.existences([formula])
        return exists(self.words)

    def reaching(self, targets: Sequence[Numbers]) -> list[Numbers]:
        bits = self._seeded(targets)
        after = self._targets()
        # against the order in which they were found: one round then passes along whole chains
        changed, order = True, range(len(after) - 1, -1, -1)
        while changed:
            changed = False
            self.budget.spend(len(bits) * SWEEP)
            for here in order:
                known = old = bits[here]
                for target in after[here]:
                    known |= bits[target]
                if known != old:
                    bits[here], changed = known, True
            # what is left are links back, which the other direction follows in one round
            order = order[::-1]
        return _sorted_out(bits, len(targets))

    def reached_from(self, sources: Sequence[Numbers]) -> list[Numbers]:
        return self._pushed(self._seeded(sources), len(sources), [0] * len(self.words))

    def _pushed(self, bits: list[int], count: int, closed: list[int]) -> list[Numbers]:
        """Push bits along the steps until nothing changes, but not where they are closed."""
        changed = True
        while changed:
            changed = False
            self.budget.spend(len(bits) * SWEEP)
            for here, after in enumerate(self._targets()):
                # one bit a question, so that all questions are answered in the same sweeps
                if known := bits[here]:
                    for target in after:
                        if new := known & ~bits[target] & ~closed[target]:
                            bits[target] |= new
                            changed = True
        return _sorted_out(bits, count)

    def reached_without(self, avoided: Sequence[Numbers]) -> list[Numbers]:
        # one bit a set: each spreads around its own obstacle, all in the same rounds
        closed = self._seeded(avoided)
        bits = [0] * len(self.words)
        bits[0] = (1 << len(avoided)) - 1 & ~closed[0]
        return self._pushed(bits, len(avoided), closed)

    def _seeded(self, seeds: Sequence[Numbers]) -> list[int]:
        """For each situation the seeds that it belongs to, as bits."""
        bits = [0] * len(self.words)
        for number, seed in enumerate(seeds):
            # Python's numbers have room for any count of questions
            bit = 1 << number
            for place in seed:
                bits[place] |= bit
        return bits

    def _targets(self) -> list[list[int]]:
        if self._after is None:
            self._after = [[target for _, target in steps] for steps in self.successors]
        return self._after

    def possible(self, step: Step) -> Numbers:
        return frozenset(self.edges[step.number].sources)

    def before(self, step: Step, into: Numbers) -> Numbers:
        return frozenset(s for s, t in self._pairs(step) if t in into)

    def after(self, step: Step, sources: Numbers) -> Numbers:
        return frozenset(t for s, t in self._pairs(step) if s in sources)

    def _pairs(self, step: Step) -> Iterable[tuple[int, int]]:
        edges = self.edges[step.number]
        return zip(edges.sources, edges.targets, strict=True)

    def steps_between(self, sources: Numbers, targets: Numbers) -> list[Step]:
        numbers: set[int] = set()
        for source in sources:
            if source < len(self.successors):
                numbers.update(step for step, t in self.successors[source] if t in targets)
        return [self.system.steps[number] for number in sorted(numbers)]

    def shifted(self, step: Step, variable: int, up: bool) -> Numbers:
        # the fields of a word need not be shifted down to be compared with each other
        mask = self.packing.fields[variable].mask
        words = self.words
        pairs = ((s, words[s] & mask, words[t] & mask) for s, t in self._pairs(step))
        return frozenset(s for s, old, new in pairs if (new > old if up else new < old))

    def happening(self, step: Step, events: Mapping[int, Formula]) -> Numbers:
        if self._settling is None:
            self._settling = Settling(self.system, self.kernel, self.packing)
        settling = self._settling
        # settled once more, step by step: the search has kept only where that ends
        watched = dict(zip(events, self.kernel.tests(events.values()), strict=True))
        (update,) = self.kernel.updates([step.changes])
        sources = self.edges[step.number].sources
        return frozenset(s for s in sources if settling.meets(update(self.words[s])[0], watched))

    def reaching_by_choice(self, target: Numbers, within: Numbers) -> Numbers:
        moves = {
            s.number: n
            for n, move in enumerate(self.system.moves)
            if len(move.steps) > 1
            for s in move.steps
        }
        known = within
        while True:
            self.budget.spend(len(self.words) * SWEEP)
            after: list[list[int]] = []
            # a rule of which one outcome leaves what is kept is no choice there
            for steps in self.successors:
                # luck picks the outcome, so that one which leaves what is kept makes the whole move
                # a risk
                escaping = {moves[step] for step, t in steps if t not in known and step in moves}
                after.append([t for step, t in steps if moves.get(step, -1) not in escaping])
            # those that were never left lead nowhere that is known
            after += [[] for _ in range(len(self.words) - len(after))]
            kept = _closed_backward(after, target)
            # it only ever becomes less, so that this ends
            if kept == known:
                return kept
            known = kept

    def walks_around(self, avoiding: Numbers | None, reached: Numbers | None) -> ScalarWalks:
        return ScalarWalks(self, avoiding)

    def at_end_of(self, trace: Trace) -> Numbers:
        return frozenset(list(self._along(trace))[-1:])

    def meets(self, trace: Trace, situations: Numbers) -> bool:
        return any(here in situations for here in self._along(trace))

    def _along(self, trace: Trace) -> Iterator[int]:
        here = 0
        yield here
        for step in trace.steps:
            # a step leads from a situation to one other only
            here = next(t for s, t in self.successors[here] if s == step.number)
            yield here

    def distances_to(self, target: Numbers) -> Callable[[Numbers], int | None]:
        before: list[list[int]] = [[] for _ in self.words]
        for source, steps in enumerate(self.successors):
            for _, place in steps:
                before[place].append(source)
        # all sources of the search at once: what is found first has the fewest steps to any of them
        distances = dict.fromkeys(target, 0)
        # sets have no order of their own, and distances are told
        queue = deque(sorted(target))
        while queue:
            here = queue.popleft()
            for source in before[here]:
                if source not in distances:
                    distances[source] = distances[here] + 1
                    queue.append(source)
        return lambda situations: min(
            (distances[n] for n in situations if n in distances), default=None
        )

    def of(self, situation: Mapping[Key, Value]) -> Numbers:
        (word,) = self.packing.pack(self.system.values(situation))
        return frozenset(n for n, known in enumerate(self.words) if known == word)

    def examples(self, situations: Numbers, most: int) -> list[dict[Key, Value]]:
        # the nearest ones, and the same ones each time
        chosen = sorted(situations)[:most]
        return [self.system.situation(self.packing.unpack([self.words[n]])) for n in chosen]


def _closed_backward(after: Sequence[Sequence[int]], target: Numbers) -> Numbers:
    """The situations from which the links lead into `target`."""
    before: list[list[int]] = [[] for _ in after]
    for source, targets in enumerate(after):
        for place in targets:
            before[place].append(source)
    reached, pending = set(target), list(target)
    # in any order: only which situations are reached is asked, and not in how many steps
    while pending:
        for source in before[pending.pop()]:
            if source not in reached:
                reached.add(source)
                pending.append(source)
    return frozenset(reached)


def _sorted_out(bits: list[int], count: int) -> list[Numbers]:
    """For each bit the situations that have it."""
    # many situations have the same bits: each such lot is looked at once for every bit
    alike: dict[int, list[int]] = {}
    for place, known in enumerate(bits):
        alike.setdefault(known, []).append(place)
    return [
        frozenset().union(*(places for known, places in alike.items() if known >> number & 1))
        for number in range(count)
    ]
