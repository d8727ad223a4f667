"""Trees of claims -> plain data: what each claims, in values of the world, and in words."""

from __future__ import annotations

from typing import Any

from zubrel.checked.conditions import QUEST_STATES
from zubrel.checked.written import NoWords, written
from zubrel.compiled.formulas import AtLeast, Both, Either, Formula, Load, Opposite, Within
from zubrel.compiled.parts import Variable
from zubrel.compiled.system import System
from zubrel.narrated.reasons.naming import Naming, upper
from zubrel.narrated.report import Because
from zubrel.narrated.words import listed
from zubrel.reasoned.claims import (
    AtMost,
    Cannot,
    Done,
    Ends,
    Never,
    Node,
    Only,
    Took,
    Undone,
    Wanted,
)
from zubrel.reasoned.conditions import as_condition


def because(naming: Naming, node: Node) -> Because:
    """A tree as data, every claim with a text that stands alone."""
    why = tuple(because(naming, child) for child in node.why)
    name, data, text = _claim(naming, node)
    return Because(name, upper(text), data, why, node.note)


def _claim(naming: Naming, node: Node) -> tuple[str, dict[str, Any], str]:
    system = naming.system
    # a name, values for machines, and the same in words
    match node.claim:
        case Never(formula):
            text = f"from here on it is never so: {naming.words(formula)}"
            return "never", condition_data(system, formula), text
        case Only(formula, makers):
            by = listed([naming.maker(m) for m in makers]) or "nothing"
            data = {**condition_data(system, formula), "makers": list(makers)}
            return "only", data, f"{by} alone can make it so: {naming.words(formula)}"
        case Cannot(maker, parts, outcome):
            asked = listed([naming.words(p) for p in parts])
            data = {"maker": maker, **_luck(outcome)}
            data["parts"] = [condition_data(system, p) for p in parts]
            return "cannot", data, f"{naming.maker(maker, outcome)} needs {asked}"
        case Done(rule, move):
            text = f"{naming.label(rule)} is possible only once, and was move {move}"
            return "done", {"rule": rule, "move": move}, text
        case Took(move, rule, variable, old, new, spared) as took:
            known = system.variables[variable]
            data = {
                "move": move,
                "rule": rule,
                "of": list(known.key),
                "from": _value(system, known, old),
                "to": _value(system, known, new),
            }
            if spared is not None:
                data["spared"] = spared
            return "took", data, f"{naming.move(took)}, changed {naming.subject(took)}"
        case AtMost(variable, most, reached, sources, carried):
            key = system.variables[variable].key
            data = {
                "of": list(key),
                "most": most,
                "reached": reached,
                "makers": list(sources),
                "carried": carried,
            }
            name = naming.world.name_of(key[1].split()[0])
            return "at_most", data, f"there is never more than {most} of {name}"
        case Wanted(item, number, users, left) as wanted:
            data = {"item": item, "number": number, "rules": list(users), "left": left}
            return "wanted", data, naming.shortage(wanted).removesuffix(".")
        case Ends(maker, outcome):
            data = {"maker": maker, **_luck(outcome)}
            return "ends", data, f"{naming.maker(maker, outcome)} ends the game"
        case Undone(maker, by, outcome):
            others = listed([naming.maker(b) for b in by])
            text = f"what {naming.maker(maker, outcome)} does is changed back by {others}"
            return "undone", {"maker": maker, **_luck(outcome), "by": list(by)}, text


def _luck(outcome: int | None) -> dict[str, Any]:
    return {} if outcome is None else {"outcome": outcome}


def condition_data(system: System, formula: Formula) -> dict[str, Any]:
    """A formula in the world language, where that can say it, and in values always."""
    condition = as_condition(system, formula)
    text = None
    if condition is not None:
        try:
            text = written(system.world, condition)
        except NoWords:
            text = None
    return {"condition": text, "holds": _tests(system, formula)}


def _tests(system: System, formula: Formula) -> dict[str, Any]:
    match formula:
        case Both(parts):
            return {"all": [_tests(system, p) for p in parts]}
        case Either(parts):
            return {"any": [_tests(system, p) for p in parts]}
        case Opposite(part):
            return {"not": _tests(system, part)}
        case AtLeast(count, parts):
            return {"at_least": count, "parts": [_tests(system, p) for p in parts]}
        case Load(variables, marks, high):
            # a tool weighs one as long as any of its uses is left: told by the tool, and not as a
            # test
            tools = [m for m in marks if m.low == 1 and _is_tool(system, m)]
            others = [_tests(system, m) for m in marks if m not in tools]
            return {
                "sum_of": [list(system.variables[v].key) for v in variables],
                "tools": [list(system.variables[m.variable].key) for m in tools],
                **({"tests": others} if others else {}),
                "most": high,
            }
        case Within(variable, low, high):
            known = system.variables[variable]
            if _is_amount(known):
                return {"of": list(known.key), "from": low, "to": high}
            values = [_value(system, known, n) for n in range(low, high + 1)]
            return {"of": list(known.key), "is": values}


def _is_tool(system: System, mark: Within) -> bool:
    kind, subject = system.variables[mark.variable].key
    return kind == "held" and system.world.items[subject].uses is not None


def _is_amount(variable: Variable) -> bool:
    return not variable.names and variable.key[0] not in ("fact", "quest")


def _value(system: System, variable: Variable, number: int) -> Any:
    match variable.key:
        case ("quest", _):
            return QUEST_STATES[number]
        case ("fact", fact):
            return system.world.facts[fact].values[number]
    return variable.value(number)
