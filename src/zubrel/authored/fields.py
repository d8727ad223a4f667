"""The fields that many sections share: the rule body and what it is made of."""

from __future__ import annotations

from zubrel.authored.kinds import (
    AMOUNTS,
    AMOUNTS_OR_ALL,
    CHANGES,
    CONDITIONS,
    FLAG,
    ODDS,
    SETTINGS,
    TEXT,
    TEXTS,
    Field,
    Shape,
    entries_of,
    id_of,
    ids_of,
    number,
)

EFFECTS = {
    "loses": Field(AMOUNTS_OR_ALL, "Items removed as far as they are held; possible anyway."),
    "gives": Field(AMOUNTS, "Items gained."),
    "sets": Field(SETTINGS, "Facts and meters set to a value."),
    "toggles": Field(ids_of("fact"), "True/false facts turned over."),
    "adds": Field(CHANGES, "Numbers added to meters; stops at a meter's ends."),
    "opens": Field(ids_of("lock"), "Locks opened."),
    "shuts": Field(ids_of("lock"), "Locks shut."),
    "starts": Field(ids_of("quest"), "Waiting quests that become active."),
    "finishes": Field(ids_of("quest"), "Quests that are done with this; their rewards are given."),
    "fails": Field(ids_of("quest"), "Quests that fail for good."),
    "moves_to": Field(id_of("area"), "The area where the player is then."),
    "ends": Field(id_of("ending"), "The ending that is reached."),
    "says": Field(TEXTS, "What the player is told: the first text that applies before the move."),
}
OUTCOME = Shape(
    "an outcome",
    {**EFFECTS, "odds": Field(ODDS, "How likely, against the other outcomes (default 1).")},
)
PLAIN_BODY = {
    "needs": Field(CONDITIONS, "Not possible while this is false."),
    "takes": Field(AMOUNTS, "Items given up; possible only while they are all held."),
    "wears": Field(ids_of("item"), "Tools that lose one use each; possible only while held."),
    "refills": Field(
        ids_of("item"), "Tools that get all of their uses back; possible only while held."
    ),
    **EFFECTS,
    "chance": Field(entries_of(OUTCOME), "Outcomes, of which luck picks one."),
    "once": Field(FLAG, "Possible once in a game."),
}
ALTERNATIVE = Shape(
    "an alternative",
    {**PLAIN_BODY, "label": Field(TEXT, "What the alternative is called in lists of moves.")},
)
REFUSES = Field(TEXTS, "What the player is told where it stands and is not possible.")
BODY = {
    **PLAIN_BODY,
    "refuses": REFUSES,
    "either": Field(entries_of(ALTERNATIVE), "Alternatives, of which the player picks one."),
}
HITS = {"hits": Field(number(1), "How much of its health a blow takes off (default 1).")}
FIGHT = {
    **PLAIN_BODY,
    **HITS,
    "refuses": REFUSES,
    "either": Field(
        entries_of(Shape("a way of fighting", {**ALTERNATIVE.fields, **HITS})),
        "Ways of fighting, of which the player picks one.",
    ),
}
HIDDEN = {"hidden": Field(FLAG, "Not shown to the player while its needs do not hold.")}
NAME = {"name": Field(TEXT, "What players see (default: the id with spaces).")}
LOCKED = {"lock": Field(id_of("lock"), "The lock that must be open.")}
