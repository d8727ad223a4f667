"""Zubrel proves that a game world can be won, or shows the shortest way into trouble.

    import zubrel

    report = zubrel.check(zubrel.load("island.yaml"))
    print(report.verdict)

docs/python.md shows the rest. Nothing is loaded before it is used.
"""

from __future__ import annotations

__version__ = "0.1.0"
TYPE_CHECKING = False  # to type checkers it is always true; `typing` takes a while to load

if TYPE_CHECKING:
    from zubrel.api import check as check
    from zubrel.api import load as load
    from zubrel.api import loads as loads
    from zubrel.api import route as route
    from zubrel.base.budget import LimitReached as LimitReached
    from zubrel.base.budget import Limits as Limits
    from zubrel.base.diagnostics import InvalidInput as InvalidInput
    from zubrel.checked.world import World as World
    from zubrel.narrated.report import Report as Report
    from zubrel.routes import Route as Route

_HOMES = {
    "check": "api",
    "load": "api",
    "loads": "api",
    "route": "api",
    "Route": "routes",
    "LimitReached": "base.budget",
    "Limits": "base.budget",
    "InvalidInput": "base.diagnostics",
    "World": "checked.world",
    "Report": "narrated.report",
}
__all__ = ["__version__", *sorted(_HOMES)]


def __getattr__(name: str) -> object:
    if name not in _HOMES:
        raise AttributeError(f"module 'zubrel' has no attribute {name!r}")
    from importlib import import_module

    attribute = getattr(import_module(f"zubrel.{_HOMES[name]}"), name)
    globals()[name] = attribute
    return attribute
