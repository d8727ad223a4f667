"""A small search in the form of the large one, whose sets are faster to ask about."""

from __future__ import annotations

import numpy as np

from zubrel.explored.listed.large import VectorSpace
from zubrel.explored.listed.large_graph import Block
from zubrel.explored.listed.small import ScalarSpace


def as_vector_space(small: ScalarSpace) -> VectorSpace:
    """The same situations and steps, numbered in the same way."""
    space = VectorSpace(small.system, small.budget)
    words = space.packing.words
    rows = b"".join(word.to_bytes(8 * words, "little") for word in small.words)
    table = np.frombuffer(rows, np.dtype("<u8")).reshape(-1, words)
    space.rows.append([np.ascontiguousarray(table[:, n]) for n in range(words)])
    # breadth-first numbers rise with the depth, so that a level begins where the depth changes
    depths = small.depths()
    space.level_starts = [n for n, depth in enumerate(depths) if not n or depth > depths[n - 1]]
    space.blocks = [
        # one block a step: a source stands in it once only, as the pushes along blocks need it
        Block(number, np.array(edges.sources, np.uint32), np.array(edges.targets, np.uint32))
        for number, edges in enumerate(small.edges)
        if edges.sources
    ]
    space.explored, space.moves = len(small.successors), small.moves
    space.stopped = small.stopped
    return space
