"""What an author means of a world: promises, and findings that are wanted."""

from __future__ import annotations

from zubrel.authored.kinds import (
    CONDITION,
    CONDITIONS,
    IDS,
    RULE_KINDS,
    TEXT,
    WORD,
    Field,
    Shape,
    entry_of,
    ids_of,
    number,
)

PLAY = Shape(
    "a promise of a shortest play",
    {
        "steps": Field(number(0), "The most moves that it may take."),
        "reach": Field(CONDITION, "The condition or ending to reach."),
    },
)
PROMISE = Shape(
    "a promise",
    {
        "never": Field(CONDITION, "It holds in no situation."),
        "always": Field(CONDITION, "It holds in every situation."),
        "possible": Field(CONDITION, "Some play reaches it."),
        "stays_possible": Field(CONDITION, "It can be reached from every unended situation."),
        "before": Field(CONDITIONS, "The second never holds without the first having held."),
        "within": Field(entry_of(PLAY), "The shortest play that reaches it is no longer."),
        "because": Field(TEXT, "Why it is promised."),
    },
)
ACCEPTED = Shape(
    "an accepted finding",
    {
        "finding": Field(WORD, "The kind of finding."),
        "of": Field(IDS, "Its subject or subjects, or “all”, together with `closed_by`."),
        "closed_by": Field(
            ids_of(*RULE_KINDS, "rule"), "Of all: what nothing but these rules can close."
        ),
        "because": Field(TEXT, "Why it is wanted."),
    },
)
