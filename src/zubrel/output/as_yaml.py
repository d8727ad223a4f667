"""The nodes of a world -> YAML text, in one piece."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

import yaml

from zubrel.authored.nodes import Mapping, Node, Scalar
from zubrel.authored.shapes import HEAD
from zubrel.base.plain import plain as plain_text

INTEGER = re.compile(r"(0|-?[1-9][0-9]*)\Z")


def world_as_yaml(roots: Iterable[Mapping]) -> str:
    """All files of a world as one. Comments are not kept."""
    return yaml_text(merged(roots))


def merged(roots: Iterable[Mapping]) -> dict[str, Any]:
    """All files of a world as plain data, without their includes; `title` and the like first."""
    sections: dict[str, Any] = {}
    for root in roots:
        for key, node in root.entries:
            value = plain(node)
            if key.text == "include":
                continue
            known = sections.get(key.text)
            # a section may stand in several files: its entries follow each other
            if isinstance(known, dict) and isinstance(value, dict):
                known.update(value)
            elif isinstance(known, list) and isinstance(value, list):
                known.extend(value)
            elif known is None:
                sections[key.text] = value
    head = {key: sections.pop(key) for key in HEAD if key in sections}
    return head | sections


def plain(node: Node) -> Any:
    """A node as the value that reads back as the same node."""
    if isinstance(node, Mapping):
        return {key.text: plain(value) for key, value in node.entries}
    if not isinstance(node, Scalar):
        return [plain(item) for item in node.items]
    if node.empty:
        return None
    # in quotes, these words and numbers are texts, and stay so
    if node.plain and node.text in ("true", "false"):
        return node.text == "true"
    if node.plain and INTEGER.match(node.text):
        return int(node.text)
    return node.text


class _Dumper(yaml.SafeDumper):
    """Escapes what is not seen: outside of double quotes some of it would read as a line end."""


def _text(dumper: yaml.SafeDumper, text: str) -> yaml.ScalarNode:
    style = '"' if plain_text(text) != text else None
    return dumper.represent_scalar("tag:yaml.org,2002:str", text, style)


_Dumper.add_representer(str, _text)


def yaml_text(data: dict[str, Any]) -> str:
    """Plain data as YAML, section by section."""
    parts = [
        yaml.dump({key: value}, Dumper=_Dumper, sort_keys=False, allow_unicode=True, width=100)
        for key, value in data.items()
    ]
    return "".join(parts)
