"""New entries of sections, with places to fill in: `${1:this}`."""

from __future__ import annotations

from msgspec import Struct


class Snippet(Struct, frozen=True):
    """`what` it makes, a sentence `about` it, and its `text`: an entry of a section."""

    what: str
    about: str
    text: str


SNIPPETS = {
    "items": (
        Snippet("item", "Something that the player can hold.", "${1:brass_key}: ${2:a brass key}"),
    ),
    "areas": (
        Snippet(
            "area",
            "Somewhere to be, with a way that leads there and back.",
            "${1:boathouse}:\n  name: ${2:the boathouse}\n  ways: [${3:quay}]",
        ),
    ),
    "locks": (
        Snippet(
            "lock",
            "A lock that asks for a key, which is kept.",
            "${1:boathouse_door}:\n  name: ${2:the boathouse door}\n  needs: ${3:brass_key}\n"
            "  refuses: ${4:It is locked.}",
        ),
        Snippet(
            "lock that takes its key",
            "A lock whose key is used up.",
            "${1:boathouse_door}:\n  name: ${2:the boathouse door}\n  takes: ${3:brass_key}\n"
            "  refuses: ${4:It is locked.}",
        ),
    ),
    "quests": (
        Snippet(
            "quest",
            "Someone asks for something, and gives something for it.",
            "${1:lost_oar}:\n  name: ${2:The lost oar}\n  from: ${3:ferryman}\n  goals:\n"
            "    - deliver: ${4:oar}\n      to: ${3:ferryman}\n  reward: {gives: ${5:ferry_pass}}",
        ),
    ),
    "people": (
        Snippet(
            "person",
            "Someone to talk to.",
            "${1:ferryman}:\n  name: ${2:the ferryman}\n  at: ${3:quay}\n"
            "  talk: [{says: ${4:The tide waits for nobody.}}]",
        ),
    ),
    "recipes": (
        Snippet(
            "recipe",
            "Something made of something else.",
            "${1:mend_lamp}:\n  takes: [${2:lamp}, ${3:lens}]\n  gives: ${4:mended_lamp}",
        ),
    ),
    "shops": (
        Snippet(
            "shop",
            "Somewhere to buy and to sell; one item must be of the kind money.",
            "${1:chandlery}:\n  name: ${2:the chandlery}\n  at: ${3:quay}\n"
            "  sells: {${4:rope}: ${5:2}}",
        ),
    ),
    "foes": (
        Snippet(
            "foe",
            "Someone to beat, and what that asks for and brings.",
            "${1:crab}:\n  name: ${2:the crab}\n  at: ${3:shore}\n  needs: ${4:boat_hook}\n"
            "  gives: ${5:crab_claw}",
        ),
    ),
    "facts": (
        Snippet("fact", "Something that is so or not so.", "${1:lamp_lit}: false"),
        Snippet(
            "fact with values",
            "Something that is one of several.",
            "${1:tide}: {values: [${2:low}, ${3:high}], start: ${2:low}}",
        ),
    ),
    "endings": (
        Snippet(
            "ending",
            "The game is won, or over, when this holds.",
            "${1:home}:\n  name: ${2:Home at last}\n  when: ${3:at quay and lamp_lit}",
        ),
    ),
}
