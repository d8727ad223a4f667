"""The shapes of the language -> a JSON Schema (draft 2020-12) of a world file."""

from __future__ import annotations

import json
from typing import Any

from zubrel.authored.kinds import Kind, Shape
from zubrel.authored.shapes import SECTIONS, START

TEXT: dict[str, Any] = {"type": ["string", "number", "boolean"]}
ID = {"type": "string", "pattern": "^[a-z][a-z0-9_]*$"}
AMOUNT = {"type": "string", "pattern": "^([0-9]+ +|all +)?[a-z][a-z0-9_]*$"}
CONDITION = {"type": "string", "minLength": 1}
NUMBER = {"type": "integer", "minimum": -1_000_000, "maximum": 1_000_000}
VALUE = {"type": ["string", "boolean", "integer"]}

SIMPLE: dict[str, Any] = {
    "text": TEXT,
    "flag": {"type": "boolean"},
    "id": {"type": "string"},
    "word": {"type": "string"},
    "condition": CONDITION,
    "amount": AMOUNT,
    "odds": {"type": "number", "minimum": 0},
    "value": VALUE,
    "changes": {"type": "object", "additionalProperties": NUMBER},
    "settings": {"type": "object", "additionalProperties": VALUE},
    "values": {"type": "array", "items": TEXT, "minItems": 2},
}
LISTS: dict[str, dict[str, Any]] = {
    "ids": {"type": "string"},
    "conditions": CONDITION,
    "amounts": AMOUNT,
}


def schema_text() -> str:
    """The schema as JSON text. What it cannot say (which ids exist), `zubrel check` says."""
    return json.dumps(_Schema().world(), indent=2, ensure_ascii=False) + "\n"


class _Schema:
    """Collects one definition for each shape."""

    def __init__(self) -> None:
        self.definitions: dict[str, Any] = {}

    def world(self) -> dict[str, Any]:
        properties: dict[str, Any] = {
            "zubrel": {"const": 1, "description": "The version of the language."},
            "title": {**TEXT, "description": "What the world is called."},
            "start": self._described(self._shape(START), "Where the player begins."),
            "include": {
                "description": "Other files of this world, YAML or CSV.",
                **_one_or_many({"type": "string"}),
            },
            "notes": {"description": "Free text for the team: anything may stand here."},
        }
        # from the tables that the reader itself uses: the schema cannot fall behind the language
        for name, section in SECTIONS.items():
            properties[name] = self._described(self._kind(section.kind), section.about)
        return {
            "$schema": "https://json-schema.org/draft/2020-12/schema",
            "title": "A Zubrel world",
            "type": "object",
            "properties": properties,
            "additionalProperties": False,
            "required": ["zubrel"],
            "$defs": self.definitions,
        }

    def _described(self, schema: dict[str, Any], about: str) -> dict[str, Any]:
        return {"description": about, **schema}

    def _kind(self, kind: Kind) -> dict[str, Any]:
        # forms of values, as the tables of the language name them
        match kind.form:
            case ("choice", words):
                return {"enum": list(words)}
            case ("number", lowest):
                return {**NUMBER, "minimum": lowest}
            case ("entry", shape):
                return self._shape(shape)
            case ("entries", shape):
                return _one_or_many(self._shape(shape))
            case ("goals", shape):
                goals = _one_or_many(self._shape(shape))
                group = {
                    "type": "object",
                    "description": "So many of these goals.",
                    "patternProperties": {"^(any|all|[0-9]+) of$": goals},
                    "additionalProperties": False,
                    "minProperties": 1,
                    "maxProperties": 1,
                }
                return _one_or_many({"anyOf": [self._shape(shape), group]})
            case ("keyed or all", shape, _):
                keyed = self._kind(Kind("", lambda *_: None, ("keyed", shape)))
                return {"anyOf": [keyed, {"const": "all"}]}
            case ("keyed", shape, *_):
                return {
                    "type": ["object", "null"],
                    "propertyNames": ID,
                    "additionalProperties": self._shape(shape),
                }
            case ("texts",):
                conditional = {
                    "type": "object",
                    "additionalProperties": False,
                    "properties": {
                        "when": CONDITION,
                        "text": TEXT,
                        "also": TEXT,
                        "id": ID,
                        "notes": {},
                    },
                }
                return _one_or_many({"anyOf": [TEXT, conditional]})
            case ("flag or ids", _):
                return {"anyOf": [{"type": "boolean"}, _one_or_many({"type": "string"})]}
            # what the schema cannot say of a value is checked by `zubrel check`
            case (word, *_) if word in LISTS:
                return _one_or_many(LISTS[word])
            case (word, *_):
                return dict(SIMPLE[word])
        raise AssertionError(kind.form)

    def _shape(self, shape: Shape) -> dict[str, Any]:
        """A reference to the definition of a shape, which is made once.

        Shapes of one title (deeds in areas and elsewhere) are told apart by their fields.
        """
        name = "_".join(shape.title.split()[1:]) + f"_{len(shape.fields)}"
        if name not in self.definitions:
            self.definitions[name] = {}
            self.definitions[name] = self._definition(shape)
        return {"$ref": f"#/$defs/{name}"}

    def _definition(self, shape: Shape) -> dict[str, Any]:
        properties = {
            name: self._described(self._kind(field.kind), field.about)
            for name, field in shape.fields.items()
        }
        properties |= {"id": ID, "notes": {"description": "Free text for the team."}}
        mapping = {"type": "object", "properties": properties, "additionalProperties": False}
        forms: list[dict[str, Any]] = [mapping, {"type": "null"}]
        if shape.short is not None:
            forms.append(self._kind(shape.fields[shape.short].kind))
        return {"anyOf": forms}


def _one_or_many(schema: dict[str, Any]) -> dict[str, Any]:
    return {"anyOf": [schema, {"type": "array", "items": schema}, {"type": "null"}]}
