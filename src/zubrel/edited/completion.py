"""What can be written at a place: sections, fields, values, and the ids that fit."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from msgspec import Struct

from zubrel.authored.condition_words import STATES
from zubrel.authored.grammar import parser
from zubrel.authored.kinds import Field, Shape
from zubrel.base.kinds import KINDS
from zubrel.checked.asking import AS_CONDITION, NEXT, PREVIOUS
from zubrel.checked.occurrences import OF_STATE
from zubrel.edited.cursor import KEY, START, VALUE, Cursor
from zubrel.edited.known import Known
from zubrel.edited.places import EVERYWHERE, LanguagePlace, keys_at, place_of, value_at
from zubrel.edited.snippets import SNIPPETS

SECTION, FIELD, THING, WORD, SNIPPET = "section", "field", "thing", "word", "snippet"
_LAST_WORD = re.compile(r"[A-Za-z0-9_]*\Z")
_WITH_BLOCK = ("entries", "keyed", "keyed or all", "entry", "goals", "settings", "changes")


class Suggestion(Struct, frozen=True):
    """A `label` that may be put in place of the `word` that is being written.

    `insert` is the text for it; of a snippet one with places to fill in, `${1:like_this}`. `detail`
    says in a few words what it is, `about` what it means; of an id, `thing` is that.
    """

    label: str
    insert: str
    kind: str
    detail: str = ""
    about: str = ""
    thing: str = ""


def word_before(cursor: Cursor) -> str:
    """The part of a word that stands right before the place: what a suggestion replaces."""
    match = _LAST_WORD.search(cursor.text)
    assert match is not None
    return match[0]


def suggestions(cursor: Cursor, known: Known) -> list[Suggestion]:
    """Everything that fits at a place, in the order of the language, then of the files."""
    place = place_of(cursor.keys)
    fitting: list[Suggestion] = []
    if cursor.role in (START, KEY) and not cursor.text.strip().count(" "):
        fitting += _keys(place, cursor, known)
    if cursor.role in (START, VALUE):
        fitting += _values(place, cursor, known)
    # a key and a value may be the same word: the first of both stays, as a list is read
    once = {(s.label, s.kind): s for s in reversed(fitting)}
    return list(reversed(once.values()))


def _keys(place: LanguagePlace, cursor: Cursor, known: Known) -> Iterator[Suggestion]:
    form, *parts = place.kind.form if place.kind is not None else ("",)
    if form in ("keyed", "keyed or all") and place.shape is None:
        if len(parts) == 2:  # the keys are things that stand elsewhere
            yield from _things(known, parts[1], cursor.beside, ": ")
        elif cursor.role == START and len(cursor.keys) == 1:
            yield from _snippets(cursor.keys[0])
        return
    if form in ("settings", "changes") and place.subject is None:
        kinds = ("meter",) if form == "changes" else ("fact", "meter")
        yield from _things(known, kinds, cursor.beside, ": ")
        return
    shape = keys_at(place)
    if shape is None:
        return
    for name, field in {**shape.fields, **_of_its_own(shape, place)}.items():
        if name not in cursor.beside:
            # what goes on in lines below needs no blank behind its colon
            block = field.kind.form[0] in _WITH_BLOCK and cursor.role == START
            kind = SECTION if not cursor.keys else FIELD
            insert = f"{name}:" if block else f"{name}: "
            yield Suggestion(name, insert, kind, field.kind.title, field.about)
    if not cursor.keys:
        # a section that is there already is gone on with, and not begun again
        for section in SNIPPETS:
            if section not in cursor.beside:
                yield from _snippets(section, whole=True)


def _of_its_own(shape: Shape, place: LanguagePlace) -> dict[str, Field]:
    return {"id": EVERYWHERE["id"]} if place.naming and "id" not in shape.fields else {}


def _snippets(section: str, whole: bool = False) -> Iterator[Suggestion]:
    """A new entry of a section, and `whole` with the section itself."""
    for snippet in SNIPPETS.get(section, ()):
        text = snippet.text
        if whole:
            text = f"{section}:\n  " + text.replace("\n", "\n  ")
        label = f"new {snippet.what}"
        yield Suggestion(label, text, SNIPPET, f"a {label}", snippet.about)


def _values(place: LanguagePlace, cursor: Cursor, known: Known) -> Iterator[Suggestion]:
    kind = value_at(place)
    if kind is None:
        return
    form, *parts = kind.form
    # by the form of the value, as the tables of the language name it
    match form:
        case "choice":
            yield from _words(parts[0])
        case "flag":
            yield from _words(("true", "false"))
        case "id" | "ids":
            yield from _things(known, parts[0], ())
            yield from _words(parts[1] if len(parts) > 1 else ())
        case "flag or ids":
            yield from _words(("true", "false"))
            yield from _things(known, parts[0], ())
        case "amount" | "amounts":
            yield from _things(known, parts[0], ())
        case "word":
            about = ((k.slug, k.title, k.about) for k in KINDS.values())
            yield from (Suggestion(slug, slug, WORD, title, text) for slug, title, text in about)
        case "settings" if place.subject is not None:
            yield from _settings(known, place.subject)
        case "condition" | "conditions":
            yield from _in_condition(cursor.text, known)
        case "version":
            yield Suggestion("1", "1", WORD, "the version of the language")


def _words(words: Iterable[str]) -> Iterator[Suggestion]:
    return (Suggestion(word, word, WORD) for word in words)


def _settings(known: Known, subject: str) -> Iterator[Suggestion]:
    if known.kind_of(subject) != "fact":
        return
    values = known.values_of(subject)
    yield from _words(values)
    if len(values) > 2:
        yield Suggestion(NEXT, NEXT, WORD, "the value after its own")
        yield Suggestion(PREVIOUS, PREVIOUS, WORD, "the value before its own")


def _things(
    known: Known, kinds: Iterable[str], but: Iterable[str], behind: str = ""
) -> Iterator[Suggestion]:
    """The ids of some kinds, with their names and where they come from."""
    for thing in known.ids(*kinds):
        if thing not in but:
            yield _thing(known, thing, thing + behind)


def _thing(known: Known, thing: str, insert: str, label: str | None = None) -> Suggestion:
    kind = known.kind_of(thing) or ""
    name = known.name_of(thing)
    # a name that only repeats the id says nothing
    detail = kind if name in (thing, thing.replace("_", " ")) else f"{kind} · {name}"
    return Suggestion(label or thing, insert, THING, detail, thing=thing)


def _in_condition(text: str, known: Known) -> Iterator[Suggestion]:
    """What can go on with a condition, word by word by the grammar."""
    from lark.exceptions import UnexpectedInput

    word = _LAST_WORD.search(text)
    assert word is not None
    before = text[: word.start()]
    # the grammar itself says which word may come next: no second list of it to keep
    parsing: Any = parser().parse_interactive(before)
    try:
        tokens = list(parsing.exhaust_lexer())
        accepted = parsing.accepts()
    except UnexpectedInput:
        return
    # what fits behind a word depends on it, and on the id that is asked about
    last = tokens[-1].type if tokens else ""
    name = next((str(t) for t in reversed(tokens) if t.type == "NAME"), "")
    if "NAME" in accepted:
        yield from _names(last, name, known)
    # behind a comparison a state would read as a value
    if "STATE" in accepted and last != "COMPARISON":
        kind = known.kind_of(name)
        yield from _words(s for s in STATES if kind is None or kind in OF_STATE[s])
    for token, words in _GRAMMAR_WORDS.items():
        if token in accepted:
            yield Suggestion(words, f"{words} ", WORD)
    if "COMPARISON" in accepted and known.kind_of(name) in ("item", "meter", "goal"):
        yield from (Suggestion(sign, f"{sign} ", WORD) for sign in (">=", "<=", "=", "<", ">"))
    if "COMPARISON" in accepted and known.kind_of(name) == "fact":
        yield from (Suggestion(sign, f"{sign} ", WORD) for sign in ("=", "!="))


_GRAMMAR_WORDS = {
    "_AND": "and",
    "_OR": "or",
    "_NOT": "not",
    "_ANY": "any of",
    "_ALL": "all of",
    "_AT": "at",
    "_IS": "is",
    "_IN": "in",
    "_LIES": "lies at",
    "_OF": "of",
}


def _names(last: str, name: str, known: Known) -> Iterator[Suggestion]:
    """The ids that fit behind the word `last` of a condition; `name` is the id before it."""
    # by the last word of the condition, which tells what may follow it
    match last:
        case "_AT":
            yield from _things(known, ("area",), ())
        case "_IN":
            yield from _things(known, ("store",), ())
        case "COMPARISON" if known.kind_of(name) == "fact":
            yield from _words(known.values_of(name))
        case "COMPARISON" | "SIGN":
            yield from _things(known, ("item", "meter"), ())
        case "NUMBER":
            yield from _things(known, ("item",), ())
        case _:
            yield from _asked(known)


def _asked(known: Known) -> Iterator[Suggestion]:
    """Everything that a condition can ask about, as it asks about it."""
    for thing in known.ids():
        kind = known.kind_of(thing)
        if kind == "item" or (kind == "fact" and known.values_of(thing) == ("false", "true")):
            yield _thing(known, thing, thing)
        elif kind == "fact":
            yield _thing(known, thing, f"{thing} = ", thing)
        elif kind in AS_CONDITION:
            asked = AS_CONDITION[kind].format(thing)
            yield _thing(known, thing, asked, asked)
