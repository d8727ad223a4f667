"""What a world file may say: every section and field of the language, as tables.

The reader, the messages about unknown keys, the JSON Schema and the tables of the documentation
all come from here.
"""

from __future__ import annotations

from msgspec import Struct

from zubrel.authored.fields import BODY, EFFECTS, FIGHT, HIDDEN, LOCKED, NAME
from zubrel.authored.goals import goals_of
from zubrel.authored.kinds import (
    AMOUNT,
    AMOUNT_OF_FOES,
    AMOUNTS,
    AREAS,
    CONDITION,
    CONDITIONS,
    FLAG,
    RULE_KINDS,
    TEXT,
    TEXTS,
    Field,
    Kind,
    Shape,
    choice,
    entries_of,
    entry_of,
    id_of,
    ids_of,
    keyed_by_id,
    keyed_by_item,
    keyed_by_item_or_all,
    number,
)
from zubrel.authored.meant import ACCEPTED, PROMISE
from zubrel.authored.nodes import Node, Scalar
from zubrel.authored.readers import read_drop, read_start, read_values

FIND = Shape(
    "a find",
    {
        "item": Field(id_of("item"), "The item that lies here."),
        "count": Field(number(1), "How many; taken together (default 1)."),
        "again": Field(choice("never", "always"), "Whether it can be taken more than once."),
        **LOCKED,
        **HIDDEN,
        **BODY,
        "amount": Field(AMOUNT, "Short form: item and count."),
    },
    short="amount",
)
WAY = Shape(
    "a way",
    {
        "to": Field(id_of("area"), "The area it leads to."),
        "one_way": Field(FLAG, "Whether there is no way back."),
        **LOCKED,
        "relocks": Field(choice("never", "passing"), "Whether its lock shuts behind the player."),
        **HIDDEN,
        **BODY,
    },
    short="to",
)
AREA_DEED = Shape("a deed", {**NAME, **LOCKED, **HIDDEN, **BODY})
AT = {"at": Field(AREAS, "Where: an area, several, or anywhere (default).")}
DEED = Shape("a deed", {**NAME, **AT, **LOCKED, **HIDDEN, **BODY})
AREA = Shape(
    "an area",
    {
        **NAME,
        "says": Field(TEXTS, "What the player reads on arrival."),
        "needs": Field(CONDITIONS, "Must hold for every move that leads here from elsewhere."),
        "refuses": Field(TEXTS, "What is told to whoever may not come here."),
        "finds": Field(entries_of(FIND), "Items that lie here."),
        "ways": Field(entries_of(WAY), "Where one can go from here."),
        "deeds": Field(keyed_by_id(AREA_DEED), "What can be done here."),
    },
)
ITEM = Shape(
    "an item",
    {
        **NAME,
        "says": Field(TEXTS, "What the player reads who looks at it while it is held."),
        "kind": Field(choice("thing", "knowledge", "money"), "What sort of item it is."),
        "max": Field(number(1), "The most that can be held."),
        "when_full": Field(
            choice("refuse", "waste"), "Whether what gives too much is refused or wasted."
        ),
        "uses": Field(number(1), "A tool: how often it can be used before it is gone."),
        "drop": Field(
            Kind("true, or areas", read_drop, ("flag or ids", ("area",))),
            "Where it can be put down.",
        ),
        "stays_in": Field(ids_of("area"), "It is gone when the player stands anywhere else."),
        "price": Field(number(0), "What shops ask and pay that name no price of their own."),
    },
    short="name",
)
LOCK = Shape(
    "a lock",
    {
        **NAME,
        "begins": Field(choice("shut", "open"), "How it is at the start."),
        "relocks": Field(choice("never", "passing"), "Whether it shuts after each walk through."),
        "from": Field(AREAS, "Where it can be opened (default: wherever it is met)."),
        **BODY,
        "refuses": Field(TEXTS, "What the player is told when it will not open."),
    },
)


FACT = Shape(
    "a fact",
    {
        **NAME,
        "values": Field(
            Kind("list of values", read_values, ("values",)), "The values it can have."
        ),
        "start": Field(Kind("value", read_start, ("value",)), "Its value at the start."),
        "round": Field(FLAG, "Whether `next` after its last value is the first again."),
    },
    short="start",
)
METER = Shape(
    "a meter",
    {
        **NAME,
        "from": Field(number(-1_000_000), "Its lowest value."),
        "to": Field(number(-1_000_000), "Its highest value."),
        "start": Field(number(-1_000_000), "Its value at the start."),
        "bad": Field(FLAG, "Whether nobody wants it high: then it is not told where it can be."),
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
        "kind": Field(choice("good", "bad"), "Whether it is a win."),
        "when": Field(CONDITION, "The game ends so by itself when this holds."),
    },
    short="name",
)
DEAL = Shape(
    "a deal",
    {
        "of": Field(ids_of("item"), "The items that lie somewhere else in each play."),
        "over": Field(ids_of("area"), "The areas among which they are dealt out."),
        "per_place": Field(number(1), "How many of them an area gets at most (default 1)."),
    },
)
START = Shape(
    "the start",
    {
        "at": Field(id_of("area"), "Where the player begins."),
        "holding": Field(AMOUNTS, "What the player begins with."),
        "deal": Field(entries_of(DEAL), "Items that each play begins with in places of its own."),
    },
)

PLACE_OF_PERSON = Shape(
    "a place of a person",
    {
        "when": Field(CONDITION, "The person is here while this holds; without it, always."),
        "at": Field(id_of("area"), "The area."),
    },
    short="at",
)
TALK = Shape(
    "a talk",
    {
        "name": Field(TEXT, "What talking about this is called in lists of moves."),
        "when": Field(CONDITION, "Said only while this holds."),
        **BODY,
    },
)
PERSON = Shape(
    "a person",
    {
        **NAME,
        "at": Field(entries_of(PLACE_OF_PERSON), "Where the person is: the first that applies."),
        "when": Field(CONDITION, "Present only while this holds."),
        "talk": Field(entries_of(TALK), "What comes of talking: the first that applies."),
    },
)
GOAL = Shape(
    "a goal",
    {
        **NAME,
        "needs": Field(CONDITIONS, "Looked at when the goal would count."),
        "collect": Field(AMOUNT, "Met while so many are held."),
        "gain": Field(AMOUNT, "So many gained, held or not."),
        "deliver": Field(AMOUNT, "So many handed over to someone, or somewhere."),
        "to": Field(id_of("person", "area"), "The person or area that a delivery goes to."),
        "defeat": Field(AMOUNT_OF_FOES, "So many of a foe beaten."),
        "visit": Field(id_of("area"), "An area to be in."),
        "talk": Field(id_of("person"), "A person to talk to."),
        "do": Field(id_of(*RULE_KINDS, "rule"), "A rule to be done."),
        "meet": Field(CONDITION, "A condition to hold."),
        "early": Field(choice("counts"), "It counts from the start of the game."),
    },
)
REWARD = Shape("a reward", EFFECTS)
QUEST = Shape(
    "a quest",
    {
        **NAME,
        "from": Field(
            id_of("person", "area", "item", "lock"),
            "Where it is accepted, or the item or lock that it begins with.",
        ),
        "needs": Field(CONDITIONS, "Not accepted while this is false."),
        "order": Field(choice("any", "in_turn"), "Whether its goals count one after the other."),
        "goals": Field(goals_of(GOAL), "What is to be done; some of it in groups."),
        "hand_in": Field(id_of("person", "area"), "The person or area where it is handed in."),
        "fails_when": Field(CONDITION, "It fails for good when this holds."),
        "reward": Field(entry_of(REWARD), "What finishing it does."),
    },
)
RECIPE = Shape("a recipe", {**NAME, **AT, **BODY})
FOE = Shape(
    "a foe",
    {
        **NAME,
        **AT,
        "when": Field(CONDITION, "There only while this holds."),
        "count": Field(number(1), "How many there are (default 1)."),
        "returns": Field(choice("never", "always"), "Whether it comes back after being beaten."),
        "health": Field(number(1), "How much has to be hit off until one is beaten (default 1)."),
        **FIGHT,
    },
)
WARE = Shape(
    "a ware",
    {
        "price": Field(number(0), "What one costs (default: the price of the item)."),
        "stock": Field(number(1), "How many there are (default: any number)."),
        "needs": Field(CONDITIONS, "Not on sale while this is false."),
    },
    short="price",
)
SHOP = Shape(
    "a shop",
    {
        **NAME,
        **AT,
        "keeper": Field(id_of("person"), "The person who keeps it: open where that person is."),
        "money": Field(id_of("item"), "The item that is paid with (default: the only money)."),
        "needs": Field(CONDITIONS, "Not open while this is false."),
        **LOCKED,
        "greets": Field(TEXTS, "What is told beside the text of the area where it is open."),
        "farewell": Field(TEXTS, "What is told to whoever leaves the area while it is open."),
        "sells": Field(keyed_by_item(WARE), "Items on sale, with their prices."),
        "buys": Field(
            keyed_by_item_or_all(WARE),
            "Items that it takes, with what it pays; all: whatever has a price.",
        ),
    },
)
STORE = Shape(
    "a store",
    {
        **NAME,
        **AT,
        **LOCKED,
        "keeps": Field(ids_of("item"), "The items it takes (default: every thing and money)."),
        "limit": Field(number(1), "How many units it holds of all together."),
    },
)
CARRY = Shape(
    "a carrying limit",
    {
        "limit": Field(number(0), "How many can be carried."),
        "of": Field(ids_of("item"), "The items that count (default: every thing)."),
    },
)


class Section(Struct, frozen=True):
    """A key at the top of a world file: what kind of value it has, and what it is about."""

    shape: Shape
    kind: Kind
    about: str


def _keyed(shape: Shape, about: str) -> Section:
    return Section(shape, keyed_by_id(shape), about)


def _listed(shape: Shape, about: str) -> Section:
    return Section(shape, entries_of(shape), about)


SECTIONS = {
    "items": _keyed(ITEM, "What the player can hold."),
    "areas": _keyed(AREA, "Where the player can be."),
    "deeds": _keyed(DEED, "What can be done in several areas, or anywhere."),
    "locks": _keyed(LOCK, "What stands between the player and something."),
    "people": _keyed(PERSON, "Who is there, and what comes of talking."),
    "quests": _keyed(QUEST, "What the player is asked to do."),
    "recipes": _keyed(RECIPE, "What can be made of what."),
    "foes": _keyed(FOE, "Who can be beaten, and at what cost."),
    "shops": _keyed(SHOP, "Where things are bought and sold."),
    "stores": _keyed(STORE, "Where things can be left and fetched again."),
    "facts": _keyed(FACT, "What is so or not so in the world."),
    "meters": _keyed(METER, "Numbers that go up and down."),
    "carry": _listed(CARRY, "How much can be carried."),
    "whenever": _listed(HAPPENING, "What happens by itself."),
    "endings": _keyed(ENDING, "How the game can end."),
    "promises": _listed(PROMISE, "What should be true of every play."),
    "accept": _listed(ACCEPTED, "Findings that are known and wanted."),
}
HEAD = ("zubrel", "title", "start", "include", "notes")


def is_version_one(node: Node) -> bool:
    return isinstance(node, Scalar) and node.text == "1"
