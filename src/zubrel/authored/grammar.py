"""The grammar of conditions, prepared: the tables of lark that come with the package."""

from __future__ import annotations

from functools import cache
from typing import TYPE_CHECKING, Any

from zubrel.base.packaged import packaged

if TYPE_CHECKING:
    from lark import Lark

GRAMMAR, PREPARED = "conditions.lark", "conditions.json"


@cache
def parser() -> Lark:
    """The parser, from tables that come with the package where they are of the same lark.

    Preparing them takes longer than checking a small world. `prepared_tables` makes the file; it
    is JSON, so that reading it runs nothing.
    """
    import json

    import lark

    text = packaged("zubrel.authored", PREPARED)
    prepared = json.loads(text, object_pairs_hook=_with_numbers)
    # tables of another version may mean something else: made from the grammar then
    if prepared["lark"] != lark.__version__:
        return from_grammar()
    load: Any = lark.Lark._load_from_dict  # what lark itself calls for its cache and its tools
    loaded: Lark = load(prepared["data"], prepared["memo"])
    return loaded


def _with_numbers(pairs: list[tuple[str, Any]]) -> dict[Any, Any]:
    """A mapping whose keys were numbers before they were JSON."""
    return {int(key) if key.isdigit() else key: value for key, value in pairs}


def from_grammar() -> Lark:
    from lark import Lark

    grammar = packaged("zubrel.authored", GRAMMAR).decode()
    return Lark(grammar, parser="lalr", propagate_positions=True, maybe_placeholders=False)


def prepared_tables() -> str:
    """The text of the file with the prepared tables, for the version of lark that is installed."""
    import json

    import lark
    from lark.grammar import Rule
    from lark.lexer import TerminalDef

    data, memo = from_grammar().memo_serialize([TerminalDef, Rule])
    tables = {"lark": lark.__version__, "data": data, "memo": memo}
    return json.dumps(tables, indent=None, sort_keys=True) + "\n"
