"""What a world file may say: every section and field of the language, as tables.

The reader, the messages about unknown keys and the documentation all come from here.
"""

from __future__ import annotations

from msgspec import Struct

from zubrel.atoms.diagnostics import Problems
from zubrel.authored.kinds import (
    AMOUNT,
    AMOUNTS,
    AMOUNTS_OR_ALL,
    CHANGES,
    CONDITION,
    CONDITIONS,
    FLAG,
    ODDS,
    SETTINGS,
    TEXT,
    TEXTS,
    WORD,
    WORDS_KIND,
    Field,
    Kind,
    Reader,
    Shape,
    read_choice,
    read_entries,
    read_keyed,
    read_number,
    read_word,
    setting_value,
)
from zubrel.authored.nodes import Node, Scalar, Sequence


def _choice(*words: str) -> Kind:
    return Kind(" or ".join(words), read_choice(*words))


def _number(lowest: int) -> Kind:
    return Kind("number", read_number(lowest))


def _list(shape: Shape) -> Kind:
    return Kind(f"list of {shape.title}", read_entries(shape))


EFFECTS = {
    "loses": Field(AMOUNTS_OR_ALL, "Items removed as far as they are held; possible anyway."),
    "gives": Field(AMOUNTS, "Items gained."),
    "sets": Field(SETTINGS, "Facts and meters set to a value."),
    "toggles": Field(WORDS_KIND, "True/false facts turned over."),
    "adds": Field(CHANGES, "Numbers added to meters; stops at a meter's ends."),
    "opens": Field(WORDS_KIND, "Locks opened."),
    "shuts": Field(WORDS_KIND, "Locks shut."),
    "moves_to": Field(WORD, "The area where the player is then."),
    "ends": Field(WORD, "The ending that is reached."),
    "says": Field(TEXT, "What the player is told."),
}
OUTCOME = Shape(
    "an outcome",
    {**EFFECTS, "odds": Field(ODDS, "How likely, against the other outcomes (default 1).")},
)
PLAIN_BODY = {
    "needs": Field(CONDITIONS, "Not possible while this is false."),
    "takes": Field(AMOUNTS, "Items given up; possible only while they are all held."),
    **EFFECTS,
    "chance": Field(_list(OUTCOME), "Outcomes, of which luck picks one."),
    "once": Field(FLAG, "Possible once in a game."),
}
ALTERNATIVE = Shape(
    "an alternative",
    {**PLAIN_BODY, "label": Field(TEXT, "What the alternative is called in lists of moves.")},
)
BODY = {
    **PLAIN_BODY,
    "either": Field(_list(ALTERNATIVE), "Alternatives, of which the player picks one."),
}
NAME = {"name": Field(TEXT, "What players see (default: the id with spaces).")}
LOCKED = {"lock": Field(WORD, "The lock that must be open.")}

FIND = Shape(
    "a find",
    {
        "item": Field(WORD, "The item that lies here."),
        "count": Field(_number(1), "How many; taken together (default 1)."),
        "again": Field(_choice("never", "always"), "Whether it can be taken more than once."),
        **LOCKED,
        **BODY,
        "amount": Field(AMOUNT, "Short form: item and count."),
    },
    short="amount",
)
WAY = Shape(
    "a way",
    {
        "to": Field(WORD, "The area it leads to."),
        "one_way": Field(FLAG, "Whether there is no way back."),
        **LOCKED,
        "relocks": Field(_choice("never", "passing"), "Whether its lock shuts behind the player."),
        **BODY,
    },
    short="to",
)
AREA_DEED = Shape("a deed", {**NAME, **LOCKED, **BODY})
DEED = Shape("a deed", {**NAME, "at": Field(WORDS_KIND, "Where it can be done."), **BODY})
AREA = Shape(
    "an area",
    {
        **NAME,
        "says": Field(TEXTS, "What the player reads on arrival."),
        "needs": Field(CONDITIONS, "Must hold for every move that leads here from elsewhere."),
        "finds": Field(_list(FIND), "Items that lie here."),
        "ways": Field(_list(WAY), "Where one can go from here."),
        "deeds": Field(Kind("deeds", read_keyed(AREA_DEED)), "What can be done here."),
    },
)
ITEM = Shape(
    "an item",
    {
        **NAME,
        "kind": Field(_choice("thing", "knowledge", "money"), "What sort of item it is."),
        "max": Field(_number(1), "The most that can be held."),
        "when_full": Field(
            _choice("refuse", "waste"), "Whether what gives too much is refused or wasted."
        ),
    },
    short="name",
)
LOCK = Shape(
    "a lock",
    {
        **NAME,
        "begins": Field(_choice("shut", "open"), "How it is at the start."),
        "relocks": Field(_choice("never", "passing"), "Whether it shuts after each walk through."),
        "from": Field(WORDS_KIND, "Where it can be opened (default: wherever it is met)."),
        "refuses": Field(TEXTS, "What the player is told when it will not open."),
        **BODY,
    },
)


def _read_values(node: Node, problems: Problems) -> object:
    """The list of a fact's values: at least two words."""
    if isinstance(node, Sequence) and len(node.items) >= 2:
        words = [read_word(item, problems) for item in node.items]
        return tuple(w for w in words if w)
    problems.add("wrong-shape", "a fact needs a list of at least two values", node.span,
                 "For example: values: [low, high]")  # fmt: skip
    return None


def _read_start(node: Node, problems: Problems) -> object:
    value = setting_value(node, problems)
    if isinstance(value, bool) or not isinstance(value, int):
        return value
    problems.add("wrong-shape", "a fact is true, false or one of its values", node.span,
                 "A number that goes up and down is a meter.")  # fmt: skip
    return None


FACT = Shape(
    "a fact",
    {
        **NAME,
        "values": Field(Kind("list of values", _read_values), "The values it can have."),
        "start": Field(Kind("value", _read_start), "Its value at the start."),
    },
    short="start",
)
METER = Shape(
    "a meter",
    {
        **NAME,
        "from": Field(_number(-1_000_000), "Its lowest value."),
        "to": Field(_number(-1_000_000), "Its highest value."),
        "start": Field(_number(-1_000_000), "Its value at the start."),
    },
)
HAPPENING = Shape(
    "a happening",
    {
        "when": Field(CONDITION, "It happens by itself while this holds."),
        "once": Field(FLAG, "Whether it happens once in a game."),
        **EFFECTS,
    },
)
ENDING = Shape(
    "an ending",
    {
        **NAME,
        "kind": Field(_choice("good", "bad"), "Whether it is a win."),
        "when": Field(CONDITION, "The game ends so by itself when this holds."),
    },
    short="name",
)
START = Shape(
    "the start",
    {
        "at": Field(WORD, "Where the player begins."),
        "holding": Field(AMOUNTS, "What the player begins with."),
    },
)


class Section(Struct, frozen=True):
    """A key at the top of a world file."""

    shape: Shape
    read: Reader
    about: str
    keyed: bool = True


def _keyed(shape: Shape, about: str) -> Section:
    return Section(shape, read_keyed(shape), about)


SECTIONS = {
    "items": _keyed(ITEM, "What the player can hold."),
    "areas": _keyed(AREA, "Where the player can be."),
    "deeds": _keyed(DEED, "What can be done in several areas, or anywhere."),
    "locks": _keyed(LOCK, "What stands between the player and something."),
    "facts": _keyed(FACT, "What is so or not so in the world."),
    "meters": _keyed(METER, "Numbers that go up and down."),
    "whenever": Section(HAPPENING, read_entries(HAPPENING), "What happens by itself.", False),
    "endings": _keyed(ENDING, "How the game can end."),
}
HEAD = ("zubrel", "title", "start", "notes")


def is_version_one(node: Node) -> bool:
    return isinstance(node, Scalar) and node.text == "1"
