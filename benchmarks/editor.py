"""How soon an editor is told of mistakes, and answered: python -m benchmarks.editor

The text is the demo world so often, under other ids, that it has at least 2,000 lines. What the
language server does with it (without the editor's side of the protocol) stands beside what libyaml
alone takes for the text.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import yaml
from lsprotocol import types as lsp

from zubrel.checked.occurrences import Occurrences
from zubrel.mended.files import Files
from zubrel.served import answers
from zubrel.served.answers import Request
from zubrel.served.diagnostics import diagnostics_of
from zubrel.served.features import new_server
from zubrel.served.layout import TextLayout
from zubrel.served.worlds import OpenText

DEMO = Path(__file__).parent.parent / "src" / "zubrel" / "demo" / "tidewrack.yaml"
LINES, RUNS = 2_000, 15
_WORD = re.compile(r"[a-z][a-z0-9_]*")


def long_world(lines: int) -> str:
    """The demo world so many times that it has at least so many lines, as an author lays it out."""
    files = Files.read(str(DEMO))
    text = files.texts[files.main]
    ids = set(Occurrences(files.document()).definitions)
    parts = _sections(text)
    parts["shops"] = re.sub(r"^  (\w+):$", r"  \1:\n    money: coin", parts["shops"], flags=re.M)
    copies, written = 1, [text]
    while sum(part.count("\n") for part in written) < lines:
        written = list(_written(parts, ids, copies))
        copies += 1
    return "".join(written)


def _written(parts: dict[str, str], ids: set[str], copies: int) -> Iterator[str]:
    """Each section, with its entries so many times under other ids; shops and stores once."""
    for name, body in parts.items():
        if name in ("accept", "promises", "shops", "stores"):
            yield body
            continue
        _, _, entries = body.partition("\n")
        yield body
        if name in ("zubrel", "title", "start", "notes"):
            continue
        for copy in range(1, copies):
            yield _WORD.sub(lambda m, c=copy: f"{m[0]}_{c}" if m[0] in ids else m[0], entries)


def _sections(text: str) -> dict[str, str]:
    """The text of each section, by its name; comments before it with the one above."""
    parts: dict[str, str] = {}
    name = ""
    for line in text.splitlines(keepends=True):
        if re.match(r"[a-z]+:", line):
            name = line.split(":")[0]
        parts[name] = parts.get(name, "") + line
    return parts


def seconds(work: Callable[[], object]) -> float:
    """The least CPU time of some runs."""
    best = float("inf")
    for _ in range(RUNS):
        began = time.process_time()
        work()
        best = min(best, time.process_time() - began)
    return best


def main() -> None:
    text = long_world(LINES)
    loader: Any = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
    alone = seconds(lambda: sum(1 for _ in yaml.parse(text, Loader=loader)))
    print(f"{text.count(chr(10)):,} lines; libyaml alone: {1000 * alone:.0f} ms")
    server = new_server()
    path = "/long.yaml"
    server.desk.put(path, "file:///long.yaml", 1, text)
    server.desk.find_worlds(path)
    world = server.desk.worlds[path]
    world.read()
    assert not world.mistakes, [m.message for m in world.mistakes]

    def mistakes() -> None:
        layout = TextLayout(text, server.desk.encoding)
        begin = layout.position(len(text) // 2)
        change = lsp.TextDocumentContentChangePartial(lsp.Range(begin, begin), "")
        server.desk.open[path] = OpenText("", 1, TextLayout(layout.changed(change), "utf-16"))
        world.changed()
        world.read()
        diagnostics_of(world)

    at = TextLayout(text, "utf-16").position(text.index("takes: ") + 8)
    told = {
        "mistakes after a change": mistakes,
        "completion": lambda: answers.completion(Request(server.desk, path, at), True),
        "hover": lambda: answers.hover(Request(server.desk, path, at)),
        "references": lambda: answers.references(Request(server.desk, path, at), True),
        "symbols": lambda: answers.symbols(Request(server.desk, path, at)),
    }
    for name, work in told.items():
        taken = seconds(work)
        print(f"{name:24} {1000 * taken:6.1f} ms  {taken / alone:5.2f} times libyaml")


if __name__ == "__main__":
    main()
