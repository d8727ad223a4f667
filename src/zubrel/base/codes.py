"""The registry of what can be wrong with what the user wrote.

Each code has a title for the documentation and, where a text can show it, one failing example.
"""

from __future__ import annotations

from msgspec import Struct


class Code(Struct, frozen=True):
    """One kind of problem. `example` is the text of a world that has it; None: no text can."""

    slug: str
    title: str
    example: str | None


HEAD = "zubrel: 1\nstart: {at: quay}\n"
TAIL = "areas: {quay: {}}\nendings: {home: {when: at quay}}\n"

CODES = {
    code.slug: code
    for code in (
        Code("no-file", "The file is not there, or cannot be read", None),
        Code(
            "bad-include",
            "A file that cannot be part of this world",
            HEAD + "include: notes.txt\n" + TAIL,
        ),
        Code("not-text", "The file is not text in UTF-8", None),
        Code("not-yaml", "The text is no YAML", HEAD + "areas: {quay: [}\n"),
        Code("tag", "A YAML tag", HEAD + "areas: !island {quay: {}}\n" + TAIL),
        Code("bad-alias", "An alias of nothing", HEAD + "areas: {quay: *pier}\n"),
        Code("duplicate-key", "A key given twice", HEAD + "areas: {quay: {}, quay: {}}\n"),
        Code("too-deep", "Nested too deeply", HEAD + "areas: " + "[" * 100 + "]" * 100),
        Code(
            "too-large",
            "A number or a file beyond the limits",
            HEAD + "items: {coin: {max: 1000001}}\n" + TAIL,
        ),
        Code("no-world", "The file holds no world", "- just\n- a\n- list\n"),
        Code("several-documents", "Several worlds in one file", HEAD + TAIL + "---\n" + HEAD),
        Code("no-version", "The version is missing", "start: {at: quay}\n" + TAIL),
        Code("wrong-shape", "A field has the wrong shape", HEAD + "items: [coin]\n" + TAIL),
        Code("unknown-key", "A field that does not exist", HEAD + "itmes: {}\n" + TAIL),
        Code("bad-id", "An id that cannot be one", HEAD + "items: {Coin: Coin}\n" + TAIL),
        Code(
            "defined-twice", "Two things with one id", HEAD + "items: {quay: Model quay}\n" + TAIL
        ),
        Code(
            "unknown-id",
            "An id that nothing has",
            HEAD.replace("quay", "quai") + TAIL,
        ),
        Code(
            "wrong-kind",
            "An id of the wrong kind",
            HEAD + "locks: {gate: {}}\nareas: {quay: {ways: [gate]}}\nendings: {home: {}}\n",
        ),
        Code(
            "bad-condition",
            "A condition that cannot be read",
            HEAD + 'areas: {quay: {}}\nendings: {home: {when: "at quay and"}}\n',
        ),
        Code(
            "bad-value",
            "A value that does not fit",
            HEAD + "facts: {tide: {values: [low, high], start: half}}\n" + TAIL,
        ),
        Code("missing", "Something that a world needs is missing", "zubrel: 1\n" + TAIL),
        Code(
            "misplaced",
            "A field where it means nothing",
            HEAD + "areas: {quay: {ways: [{to: pier, moves_to: quay}]}, pier: {}}\n"
            "endings: {home: {when: at pier}}\n",
        ),
        Code(
            "no-bound",
            "An item without a largest amount",
            HEAD + "items: {salt: Salt}\nareas: {quay: {deeds: {dig: {gives: salt}}}}\n"
            "endings: {rich: {when: 3 salt}}\n",
        ),
        Code(
            "circle",
            "Things that depend on themselves",
            HEAD + "people: {pilot: {at: quay, when: cook is here}, cook: {at: quay, when: pilot "
            "is here}}\n" + TAIL,
        ),
        Code("bad-script", "A line of a script that cannot be read", None),
        Code("never-rests", "What happens by itself never comes to rest", None),
    )
}
