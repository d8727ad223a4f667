"""Plays through sets of situations that nobody has listed.

The fewest steps are found by whole layers, each a step farther from the start. Where that takes
too long, the order in which the sets have grown leads back to the start instead; such a play is
shortened, and said not to be surely the shortest.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import deque
from collections.abc import Sequence

from zubrel.compiled.parts import Step
from zubrel.explored.space import Distance, Trace
from zubrel.explored.symbolic.diagram_set import DiagramSet
from zubrel.explored.symbolic.encoding import Diagram
from zubrel.explored.symbolic.fixpoints import SymbolicFixpoints
from zubrel.explored.symbolic.replanning import shorter_play


class SymbolicWalks:
    """All plays whose situations are all in `allowed`.

    `everywhere` are those with nothing left out, which may have found what these look for.
    """

    def __init__(
        self, space: SymbolicFixpoints, allowed: Diagram, everywhere: SymbolicWalks | None = None
    ) -> None:
        self.space = space
        self.everywhere = everywhere
        self.allowed = allowed
        # kept for the next target: most findings ask for walks in the same allowed set
        self.layers = [space.start & allowed]
        self.near = self.layers[0]
        self.grown: list[Diagram] = []
        self.by: list[Step | None] = []
        self.plays: list[tuple[Sequence[Step], list[Diagram], Diagram]] = []
        """Plays that lead on into other targets: their situations, and the set of all of them."""
        self.known: Diagram | None = None
        """All that these plays reach, where somebody knows."""

    @property
    def reached(self) -> DiagramSet:
        space = self.space
        if self.known is None:
            # nothing is left out, so that the search itself has found it
            whole = self.allowed == space.reachable
            self.known = (
                space.reachable
                if whole
                else space.closed(self.layers[0], space.forth, self.allowed)
            )
        return DiagramSet(self.known)

    def shortest(self, target: DiagramSet, surely: bool = False) -> Trace | None:
        wanted = target.diagram & self.reached.diagram
        if not wanted.satisfiable():
            return None
        # layers keep to what was found: after a cut search there may be a shorter way outside
        whole = self.space.stopped is None
        place = self._layer_of(wanted, surely)
        if place is not None:
            return Trace(self._steps_through(self.layers[: place + 1], wanted), whole)
        steps = self._from_both_ends(wanted)
        if steps is None:
            return self._some_play(wanted)
        return Trace(steps, whole and self.space.fewest)

    def moves_to(self, target: DiagramSet) -> Distance | None:
        wanted = target.diagram & self.reached.diagram
        if not wanted.satisfiable():
            return None
        place = self._layer_of(wanted)
        if place is None:
            return Distance(len(self._some_play(wanted).steps), False)
        return Distance(place, self.space.stopped is None)

    def by_moves(self, sets: Sequence[DiagramSet]) -> list[tuple[int, ...]] | None:
        while self.space.patience > 0 and self.layers[-1].satisfiable():
            self._add_layer()
        if self.layers[-1].satisfiable():
            return None
        size = self.space.encoding.size
        return [tuple(size(s.diagram & layer) for s in sets) for layer in self.layers[:-1]]

    def _layer_of(self, wanted: Diagram, surely: bool = False) -> int | None:
        """The first layer that meets `wanted`; None when patience is at an end."""
        # layers are kept for all walks of a space: the next target may lie in one that is made
        for place, layer in enumerate(self.layers):
            if (layer & wanted).satisfiable():
                return place
        # layers are larger than the sets that they are cut from: they may cost more than all else
        while surely or self.space.patience > 0:
            self._add_layer()
            if (self.layers[-1] & wanted).satisfiable():
                return len(self.layers) - 1
        return None

    def _add_layer(self) -> None:
        """The situations one step farther from the start than the last layer."""
        space = self.space
        after = space.encoding.false
        for step in space.system.steps:
            space.pause()
            after = after | space.forth(step, self.layers[-1])
        self.layers.append(after & self.allowed & ~self.near)
        # each situation stands in one layer only, the first that comes to it
        self.near = self.near | self.layers[-1]
        # counted in work and not in seconds, so that the same walk is found on every machine
        space.patience -= self.layers[-1].node_count() * len(space.system.steps)

    def _steps_through(self, layers: list[Diagram], wanted: Diagram) -> tuple[Step, ...]:
        here = self._one(layers[-1] & wanted)
        steps: list[Step] = []
        for layer in reversed(layers[:-1]):
            step, here = self._step_into(here, layer)
            steps.append(step)
        return tuple(reversed(steps))

    def _step_into(self, here: Diagram, sources: Diagram) -> tuple[Step, Diagram]:
        """The first step of the world that leads from some source to a situation."""
        into = self.space.settling.before(here)
        # where nothing happens by itself, a step that sets other bits needs no preimage
        bits = here.pick_cube() if into == here else None
        for step in self.space.system.steps:
            one = self.space.relations[step.number]
            if bits is not None and not any(
                all(bool(bits[bit]) is value for bit, value in piece.settings)
                for piece in one.pieces
            ):
                continue  # it leads elsewhere
            # the first step of the file that leads here, so that equal walks are told apart the
            # same way each time
            taken = one.preimage(self.space.encoding, into) & sources
            if taken.satisfiable():
                return step, self._one(taken)
        raise AssertionError("every layer is reached from the one before")

    def _one(self, diagram: Diagram) -> Diagram:
        return self.space.encoding.situation(self.space.encoding.values(diagram))

    def _from_both_ends(self, wanted: Diagram) -> tuple[Step, ...] | None:
        """The fewest steps into `wanted`, by layers from there as well; None: too much work.

        The smaller of the two last layers grows, until they meet; where fewest steps do not
        matter, until they meet a play that is known.
        """
        space = self.space
        # layers from the target backwards, as those from the start are forwards
        behind, near = [wanted], wanted
        while space.reserve > 0:
            ahead = self.layers[-1]
            # layers hold what has exactly so many steps: their first meeting is a shortest walk
            if (meeting := ahead & behind[-1]).satisfiable():
                here = self._one(meeting)
                return self._kept(self._steps_through(self.layers, here), here, behind)
            # any play will do: one that is known is gone on with, without another layer
            if not space.fewest and (known := self._known_play(behind[-1])) is not None:
                here = space.encoding.situation(space.walking.end_of(known))
                return self._kept(known.steps, here, behind)
            # whichever front is cheaper grows: work is about nodes times steps
            cost = behind[-1].node_count()
            if ahead.node_count() < cost:
                self._add_layer()
                space.reserve -= self.layers[-1].node_count() * len(space.system.steps)
                continue
            before = space.encoding.false
            for step in space.system.steps:
                space.pause()
                before = before | space.back(step, behind[-1])
            behind.append(before & self.allowed & ~near)
            near = near | behind[-1]
            space.reserve -= behind[-1].node_count() * len(space.system.steps)
        return None

    def _kept(
        self, steps: Sequence[Step], here: Diagram, behind: list[Diagram]
    ) -> tuple[Step, ...]:
        """A play to a situation in the last of some layers, and on into the first of them."""
        play = (*steps, *self._steps_on(here, behind))
        if not self.space.fewest and play != steps:
            self._keep(play)
        return play

    def _steps_on(self, here: Diagram, behind: list[Diagram]) -> list[Step]:
        """The steps from a situation in the last of some layers into the first of them."""
        space, steps = self.space, list[Step]()
        for layer in reversed(behind[:-1]):
            for step in space.system.steps:
                after = space.forth(step, here) & layer
                if after.satisfiable():
                    steps.append(step)
                    here = after
                    break
        return steps

    # plays that need not be the shortest

    def _known_play(self, wanted: Diagram) -> Trace | None:
        """The shortest beginning of a known play that leads into `wanted`: it costs nothing, and
        one play shows many findings."""
        others = [] if self.everywhere is None else self.everywhere.plays
        best: Trace | None = None
        for steps, situations, combined in (*self.plays, *others):
            # one test for the whole play; where in it is only looked for if it meets the target
            if (combined & wanted).satisfiable():
                place = next(n for n, s in enumerate(situations) if (s & wanted).satisfiable())
                # a play of everywhere may pass through what these walks keep out of
                if (best is None or place < len(best.steps)) and not any(
                    (s & ~self.allowed).satisfiable() for s in situations[:place]
                ):
                    best = Trace(tuple(steps[:place]), False)
        return best

    def _some_play(self, wanted: Diagram) -> Trace:
        """The beginning of a play that is known, or else a new one."""
        play = self._known_play(wanted)
        if play is None:
            play = Trace(tuple(self._play_by_growth(wanted)), False)
            self._keep(play.steps)
        return play

    def _keep(self, steps: Sequence[Step]) -> None:
        """A play whose beginnings may lead into what is asked for later."""
        encoding, walking = self.space.encoding, self.space.walking
        words = walking.along(Trace(tuple(steps)))
        situations = [encoding.situation(walking.packing.unpack([word])) for word in words]
        self.plays.append((steps, situations, encoding.union(situations)))

    def _play_by_growth(self, wanted: Diagram) -> list[Step]:
        """A play into `wanted` by the order in which the sets have grown, made shorter."""
        if not self.by:
            self._grow()
        # sets only grow, so that the first that meets the target is found by halving
        place = bisect_left(range(len(self.grown)), 1, key=lambda n: self._meets(n, wanted))
        here, steps = self._one(self.grown[place] & wanted), list[Step]()
        while place > 0:
            # `here` is in the set number `place` and in none before: the step before it added it
            # None: the player walked about, which is found again on its island alone
            step = self.by[place - 1]
            if step is None:
                stretch, here = self._across(here, self.grown[place - 1])
                steps += reversed(stretch)
                place = bisect_left(range(place), 1, key=lambda n: self._meets(n, here))
                continue
            here = self._one(
                self.space.relations[step.number].preimage(
                    self.space.encoding, self.space.settling.before(here)
                )
                & self.grown[place - 1]
            )
            steps.append(step)
            place = bisect_left(range(place), 1, key=lambda n: self._meets(n, here))
        steps.reverse()
        return shorter_play(self.space, self.allowed, steps, wanted)

    def _across(self, here: Diagram, sources: Diagram) -> tuple[list[Step], Diagram]:
        """A walk on an island that leads from some source to a situation, and that source."""
        space, walking = self.space, self.space.walking
        island = next(i for i in space.islands if (here & i).satisfiable())
        # the same situation but for the place, on the same island
        values = space.encoding.values(here.exists(space.place) & island & sources)
        start, end = walking.word(values), walking.word(space.encoding.values(here))
        paths: dict[int, list[Step]] = {start: []}
        queue = deque([start])
        # an island is connected by plain steps, so that this ends
        while end not in paths:
            word = queue.popleft()
            for number in space.plain:
                after = walking.after(word, space.system.steps[number])
                if after is not None and after not in paths:
                    paths[after] = [*paths[word], space.system.steps[number]]
                    queue.append(after)
        return paths[end], space.encoding.situation(values)

    def _meets(self, place: int, wanted: Diagram) -> bool:
        return bool((self.grown[place] & wanted).satisfiable())

    def _grow(self) -> None:
        """Close the start once more, and keep every set on the way with the step that grew it."""
        space, grown, by = self.space, [self.layers[0]], list[Step | None]()

        def follow(step: Step, diagram: Diagram) -> Diagram:
            reached = space.forth(step, diagram) & self.allowed
            # only what has added something can have led to a situation for the first time
            if (reached & ~grown[-1]).satisfiable():
                by.append(step)
                grown.append(grown[-1] | reached)
            return reached

        def spread(diagram: Diagram) -> Diagram:
            # walking about on islands is no step of the closure: None stands for it
            wider = space.spread(diagram)
            if wider != diagram:
                by.append(None)
                grown.append(wider)
            return wider

        space.closed(self.layers[0], follow, self.allowed, spread)
        self.grown, self.by = grown, by  # only now: a limit may be reached on the way
