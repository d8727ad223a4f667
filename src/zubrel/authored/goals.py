"""Goals of a quest: one after the other, or in groups of which some are to be met."""

from __future__ import annotations

import re

from msgspec import Struct

from zubrel.authored.kinds import Kind, Shape
from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.readers import one_or_list
from zubrel.authored.values import Entry
from zubrel.base.diagnostics import Problems

GROUP = "group"
"""Where an entry of a goal keeps the group that it belongs to."""
_WORDS = re.compile(r"(any|all|[0-9]{1,4}) of\Z")


class Group(Struct, frozen=True):
    """At least `count` of the goals that share this `number` are to be met."""

    number: int
    count: int


def goals_of(shape: Shape) -> Kind:
    """A list of goals, each alone or in a group: `any of: […]`, `2 of: […]`, `all of: […]`."""

    def read(node: Node, problems: Problems) -> tuple[Entry, ...]:
        goals: list[Entry] = []
        for number, item in enumerate(one_or_list(node)):
            grouped = _group(item)
            # a goal alone is a group of one, so that whoever counts goals knows one form only
            if grouped is None:
                goal = shape.read(item, problems)
                members, count = [goal] if goal else [], 1
            else:
                key, inner = grouped
                members = [g for i in one_or_list(inner) if (g := _member(i, shape, problems))]
                count = _count(key, len(members), problems)
            # goals are told by their number in the quest, and remember their group
            for member in members:
                member.values[GROUP] = Group(number, count)
            goals += members
        return tuple(goals)

    return Kind("list of goals", read, ("goals", shape))


def _group(node: Node) -> tuple[Scalar, Node] | None:
    if not isinstance(node, Mapping) or len(node.entries) != 1:
        return None
    key, inner = node.entries[0]
    return (key, inner) if _WORDS.match(key.text) else None


def _member(node: Node, shape: Shape, problems: Problems) -> Entry | None:
    if _group(node) is not None:
        message = "a group of goals cannot stand inside another"
        problems.add("misplaced", message, node.span, "Write its goals out in the outer one.")
        return None
    return shape.read(node, problems)


def _count(key: Scalar, members: int, problems: Problems) -> int:
    word = key.text.split()[0]
    if word in ("any", "all"):
        return 1 if word == "any" else members
    count = int(word)
    if not 1 <= count <= members:
        message = f'"{key.text}" needs at least {max(1, count)} goals, and a number from 1'
        problems.add("bad-value", message, key.span)
        return 1
    return count
