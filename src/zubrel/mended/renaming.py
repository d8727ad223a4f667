"""Another id for a thing, everywhere: in all files of a world, and in scripts of moves.

Ids that the language makes up go along: `quay_to_tower` follows the areas that it is made of. What
comes out is read again, and has to be the same world under other names, or nothing is changed.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

from zubrel.authored.condition_words import WORDS
from zubrel.authored.conditions import Name
from zubrel.authored.document import Document
from zubrel.authored.readers import ID
from zubrel.base.diagnostics import InvalidInput, Problems
from zubrel.base.source import Source, Span
from zubrel.checked.check import check
from zubrel.checked.names import name_everything, with_article
from zubrel.checked.occurrences import Occurrences, occurrences_in
from zubrel.mended.edits import Edit, Page
from zubrel.mended.files import Files
from zubrel.played.script import Expect, Line, ScriptDeal, ScriptMove, read_script

OTHERWISE_MEANT = ("anywhere", "world", "all", "start")
"""Words that mean something where an id may stand."""


class CannotRename(Exception):
    """Why an id stays what it is, in a sentence."""


def renamed(files: Files, scripts: Mapping[str, str], old: str, new: str) -> list[Edit]:
    """The edits of files and scripts (texts by their paths) after which `old` is called `new`.

    Raises `CannotRename` where that cannot be, `InvalidInput` for files that cannot be read.
    """
    document = files.document()
    occurrences = Occurrences(document)
    _refuse(occurrences, old, new)
    # edits refer to the texts as they are: both rounds of names are found before any is changed
    pages = {path: Page(path, text) for path, text in files.texts.items()}
    edits = list(_edits(occurrences, pages, {old: new}))
    # ids that are made up from the old one are found by reading the changed files: nobody has to
    # know how they are made
    before, after = _ids(document), _ids(_read(files, edits))
    if len(before) != len(after):
        raise CannotRename(f'"{new}" would make other ids than "{old}" does')
    others = {a: b for a, b in zip(before, after, strict=True) if a != b}
    edits = list(_edits(occurrences, pages, others))
    # only after this is it known that nothing else has come to mean something else
    _compare(occurrences, Occurrences(_read(files, edits)), others)
    others |= _of_rules(files, files.changed(edits), others)
    for path, text in scripts.items():
        edits += _in_script(path, text, others)
    return edits


def scripts_naming(scripts: Mapping[str, str], ids: set[str]) -> dict[str, str]:
    """The scripts that can be read and whose moves are all of some ids: those of their world."""
    return {p: t for p, t in scripts.items() if (m := _moves(p, t)) and m <= ids}


def _moves(path: str, text: str) -> set[str]:
    try:
        lines = read_script(Source.of(path, text), text)
    except InvalidInput:
        return set()
    return {line.rule for line in lines if isinstance(line, ScriptMove)}


def _refuse(occurrences: Occurrences, old: str, new: str) -> None:
    # each refusal says what would have to be otherwise
    if old not in occurrences.definitions:
        raise CannotRename(
            f'"{old}" is made up by the language: give it an id of its own, with "id: {old}"'
        )
    if not ID.match(new):
        raise CannotRename(f'"{new}" cannot be an id: lower-case letters, digits and "_" only')
    if new in WORDS or new in OTHERWISE_MEANT:
        raise CannotRename(f'"{new}" cannot be an id: the language uses the word')
    if new in occurrences.definitions:
        kind = with_article(occurrences.definitions[new].kinds[0])
        raise CannotRename(f'"{new}" is already the id of {kind}')


def _edits(
    occurrences: Occurrences, pages: Mapping[str, Page], others: Mapping[str, str]
) -> Iterator[Edit]:
    for old, new in others.items():
        for one in occurrences.by_name.get(old, ()):
            path = one.span.source.path
            # an edit needs the text that it is made in
            if path not in pages:
                raise CannotRename(f'"{old}" stands in the table {path}: change it there first')
            page = pages[path]
            begin = page.begin(one.span)
            # in a folded text, columns do not tell where a word stands
            if page.text[begin : begin + len(old)] != old:
                raise CannotRename(
                    f'"{old}" stands in a text of several lines at {one.span.place}: '
                    "put that condition into one line first"
                )
            yield page.edit(begin, begin + len(old), new)


def _read(files: Files, edits: list[Edit]) -> Document:
    return files.changed(edits).document()


def _ids(document: Document) -> list[str]:
    """Every id, those that are made up included, in an order that does not hang on their names."""
    return list(name_everything(document, Problems()).known)


def _compare(before: Occurrences, after: Occurrences, others: Mapping[str, str]) -> None:
    """Every place means what it meant. Raises `CannotRename`."""
    expected = [(others.get(o.name, o.name), o.kinds, o.defines) for o in before.every]
    if expected != [(o.name, o.kinds, o.defines) for o in after.every]:
        raise CannotRename("with that id the world would mean something else")


def _of_rules(before: Files, after: Files, others: Mapping[str, str]) -> dict[str, str]:
    """The moves that have other ids, where what was a world is one still, with the same moves.

    Raises `CannotRename` where it is not.
    """
    try:
        old = check(before.document())
    except InvalidInput:
        return {}  # then there is nothing to compare
    try:
        new = check(after.document())
    except InvalidInput as invalid:
        raise CannotRename(f"with that id {invalid.diagnostics[0].message}") from None
    # kinds and owners in their order: the moves are the same if these are
    owners = [(rule.kind, others.get(rule.owner, rule.owner)) for rule in old.rules]
    if owners != [(rule.kind, rule.owner) for rule in new.rules]:
        raise CannotRename("with that id moves would belong to something else")
    return {a.id: b.id for a, b in zip(old.rules, new.rules, strict=True) if a.id != b.id}


def _in_script(path: str, text: str, others: Mapping[str, str]) -> Iterator[Edit]:
    """Edits of a script, where it names something; comments and texts stay."""
    page = Page(path, text)
    for line in read_script(Source.of(path, text), text):
        for name in _named_in(line):
            new = others.get(name.text) or _of_talk(name.text, others)
            begin = page.begin(name.span)
            # a script breaks lines at more signs than a page: then it is not known where it stands
            if new is not None and text[begin : begin + len(name.text)] == name.text:
                yield page.edit(begin, begin + len(name.text), new)


def _named_in(line: Line) -> Iterator[Name]:
    """The ids in a line of a script, and where they stand."""
    span = line.span
    written = span.source.line(span.line)[span.column - 1 :][: span.width]
    # each kind of line names things in its own way
    match line:
        case ScriptMove(rule):
            yield Name(rule, span.part(0, len(rule)))
        case ScriptDeal(places):
            for item, area in places.items():
                known = re.search(rf"\b({item})\s+at\s+({area})\b", written)
                if known is not None:
                    yield Name(item, span.part(known.start(1), len(item)))
                    yield Name(area, span.part(known.start(2), len(area)))
        case Expect(condition=condition) if condition is not None:
            yield from (Name(o.name, o.span) for o in occurrences_in(condition))
        case Expect("possible" | "impossible" | "ended" | "step", words):
            name = words.split()[-1]  # `step` has its number before
            yield Name(name, span.part(max(0, written.rfind(name)), len(name)))


def _of_talk(word: str, others: Mapping[str, str]) -> str | None:
    """`warden_talk` is whatever the warden has to say: no id, but made of one."""
    person = word.removesuffix("_talk")
    return f"{others[person]}_talk" if person != word and person in others else None


def renameable(occurrences: Occurrences, path: str, line: int, column: int) -> Span | None:
    """The id at a place (from 1) that can be renamed; None where there is none."""
    one = occurrences.at(path, line, column)
    return one.span if one is not None and one.name in occurrences.definitions else None
