"""The Python interface: read a world, check it, ask for a walk.

Everything here is also offered by `import zubrel`.
"""

from __future__ import annotations

from zubrel.authored.document import document_of
from zubrel.base.budget import Budget, Limits
from zubrel.base.source import Source
from zubrel.checked.check import check as checked
from zubrel.checked.world import World
from zubrel.narrated.report import Report
from zubrel.pipeline import load as load
from zubrel.pipeline import report
from zubrel.routes import Route, route_in


def loads(text: str, path: str = "<text>") -> World:
    """The world in `text`; `path` stands in messages, and what it includes is looked for beside it.

    Raises `InvalidInput` with every problem of the text.
    """
    return checked(document_of(Source.of(path, text), text))


def check(
    world: World,
    limits: Limits | None = None,
    *,
    progression: bool = False,
    pictures: bool = False,
    jobs: int = 1,
) -> Report:
    """What can be proved about `world` within `limits` (None: none), and what was found.

    With `progression` the report also has what every win includes and when things can be had, with
    `pictures` also what `zubrel draw` needs. Up to `jobs` processes are at work at once. Where a
    limit cuts the search short, `Report.stopped` says which and the verdict is `incomplete`.
    Raises `InvalidInput` when what happens by itself in the world never comes to rest.
    """
    budget = Budget(limits or Limits())
    return report(world, budget, None, progression, pictures, jobs, with_odds=pictures)


def route(
    world: World, to: str | None = None, avoid: str | None = None, limits: Limits | None = None
) -> Route:
    """The fewest moves to an ending or a condition (None: to any win), never through `avoid`.

    `Route.moves` is None where no play gets there; `Route.shortest` is False where a shorter walk
    was not ruled out. Raises `InvalidInput` for a condition that cannot be read, `LimitReached`
    where a limit comes before it is known.
    """
    return route_in(world, to, avoid, Budget(limits or Limits()))
