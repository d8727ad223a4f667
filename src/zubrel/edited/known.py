"""What is known of the things of a world while its text is being written."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

from msgspec import Struct

from zubrel.authored.document import Document
from zubrel.base.source import Source
from zubrel.checked.occurrences import Occurrences
from zubrel.checked.world import World
from zubrel.narrated.uses import sources


class Known(Struct, frozen=True, dict=True):
    """The ids of a world, and the world itself where its text was last one without mistakes.

    The two may be of different moments: ids are those of the last text that could be read.
    """

    occurrences: Occurrences
    world: World | None = None

    def ids(self, *kinds: str) -> Iterator[str]:
        """The ids of things of some kinds (none: all) that have one of their own."""
        return (one.name for one in self.occurrences.of_kinds(*kinds))

    def kind_of(self, thing: str) -> str | None:
        one = self.occurrences.definitions.get(thing)
        return None if one is None else one.kinds[0]

    def name_of(self, thing: str) -> str:
        """The name that players see, or the id where it is not known."""
        return self._names.get(thing, thing)

    @cached_property
    def _names(self) -> dict[str, str]:
        """All names by ids: of things, and the labels of what can be done."""
        world = self.world
        if world is None:
            return {}
        rules = {i: rule.label for rule in world.rules for i in (rule.owner, rule.common, rule.id)}
        named = {one: world.name_of(one) for one in self.ids() if one not in rules}
        return {**rules, **named}

    def origin_of(self, thing: str) -> str:
        """Where an item comes from, in words; nothing of anything else."""
        if self.world is None or thing not in self.world.items:
            return ""
        return f"from {', '.join(sources(self.world, self.world.items[thing])) or 'nowhere'}"

    def values_of(self, fact: str) -> tuple[str, ...]:
        """The values that a fact can have."""
        known = None if self.world is None else self.world.facts.get(fact)
        return ("true", "false") if known is None else known.values


NOTHING_KNOWN = Known(Occurrences(Document("", Source.of("", ""))))
"""Of a world that could not be read yet."""
