"""The kinds of findings: what each is called, how grave it is, what it means, what it is about."""

from __future__ import annotations

from msgspec import Struct

from zubrel.base.packaged import packaged

STALE = "stale_accept"
"""The only kind that follows from what else is found, or is not."""
DOOMING = ("softlock", "bad_luck")
"""Kinds of findings on moves that take the last win away."""
SEVERITIES = ("error", "warning", "note")
GRAVITY = {severity: -place for place, severity in enumerate(SEVERITIES)}
"""The larger, the graver."""


class KindOfFinding(Struct, frozen=True):
    """One kind: its usual severity, a title for lists, one sentence on what it means.

    `subjects` are the things of a world that it is told of; `remedy` is what is usually done.
    """

    slug: str
    severity: str
    title: str
    about: str
    subjects: str
    remedy: str

    def example(self, right: bool) -> str:
        """A small world with such a finding, or the same put right, as YAML text."""
        name = f"{self.slug}_{'right' if right else 'wrong'}.yaml"
        return packaged("zubrel.findings", f"examples/{name}").decode()


KINDS = {
    kind.slug: kind
    for kind in (
        KindOfFinding(
            "unwinnable",
            "error",
            "Cannot be won",
            "No play whatever comes to a good ending.",
            "the world",
            "Follow the reason down to what nothing gives, and give it.",
        ),
        KindOfFinding(
            "softlock",
            "error",
            "Softlock",
            "After this move the game can no longer be won, and it goes on all the same.",
            "rules",
            "A second source of what was used up, a way back, or a need that stops it in time.",
        ),
        KindOfFinding(
            "bad_deal",
            "error",
            "Bad deal",
            "Items can be dealt to places from which no play wins.",
            "the world",
            "Leave out the area that locks the item away, or give another way to it.",
        ),
        KindOfFinding(
            "bad_luck",
            "error",
            "Bad luck",
            "One outcome of this move takes every win away, while another does not.",
            "rules",
            "Let the bad outcome be tried again, or let it end the game there.",
        ),
        KindOfFinding(
            "luck_needed",
            "warning",
            "Luck needed",
            "It can be won, but no way of playing wins whatever luck does.",
            "the world",
            "Make the needed outcome one that can be tried again, or a second way to a win.",
        ),
        KindOfFinding(
            "unreachable",
            "error",
            "Unreachable",
            "No play ever enters, reaches, opens, holds or does this.",
            "items, locks, areas, endings, quests, foes, and rules that have an id of their own",
            "Follow the reason down to what nothing gives, and give it; or take it out.",
        ),
        KindOfFinding(
            "missable",
            "warning",
            "Missable",
            "A play can lose this for good before having had it, and still be won.",
            "items, once-only finds and deeds, quests, foes, good endings",
            "A way back, or a need that keeps the player until it is had; or accept it.",
        ),
        KindOfFinding(
            "too_early",
            "warning",
            "Too early",
            "Doing a thing before its quest counts it makes the quest impossible.",
            "quests",
            "Say “early: counts” of the goal, or keep the thing away until the quest is active.",
        ),
        KindOfFinding(
            "no_gate",
            "warning",
            "No gate",
            "What a lock, way or area asks for holds wherever it could be tried.",
            "locks, ways, areas",
            "Ask for something that not everybody has by then, or take the gate out.",
        ),
        KindOfFinding(
            "exact_count",
            "warning",
            "Too much",
            "A need is false in some situation only because too much is held.",
            "rules, ways",
            "Ask for at least so many: >= instead of =.",
        ),
        KindOfFinding(
            "swallowed",
            "warning",
            "Swallowed",
            "More is gained of something needed than fits, and the surplus is gone.",
            "rules",
            "Raise “max”, or let the move be refused while there is no room.",
        ),
        KindOfFinding(
            "empty_hands",
            "warning",
            "Empty hands",
            "A move removes something that in some play is not there.",
            "rules, ways",
            "Ask for what is removed (takes instead of loses), or accept it.",
        ),
        KindOfFinding(
            "wasted_use",
            "warning",
            "Wasted use",
            "A move takes or wears something and changes nothing else.",
            "rules",
            "Let the move be possible only where it does something.",
        ),
        KindOfFinding(
            "silent",
            "warning",
            "Silent",
            "Of several texts with conditions none applies where one would be shown.",
            "areas, locks",
            "A last text without a condition.",
        ),
        KindOfFinding(
            "unheard",
            "warning",
            "Unheard",
            "A text is shown in no situation.",
            "areas, locks",
            "Put the text before the one that hides it, or take it out.",
        ),
        KindOfFinding(
            "skippable",
            "note",
            "Skippable",
            "Something asks for this, and yet the game can be won without.",
            "items, locks, quests",
            "Make the other way longer or shut it, or accept it.",
        ),
        KindOfFinding(
            "unused",
            "note",
            "Unused",
            "It is defined, and nothing asks for it.",
            "items, locks, facts, meters",
            "Give it a use, or take it out; or accept it as a thing to look at.",
        ),
        KindOfFinding(
            "only_told",
            "note",
            "Only told",
            "Nothing that can be done or that happens depends on it, only what is told.",
            "items, locks, facts, meters",
            "Let something depend on it; or accept it as a thing of the story.",
        ),
        KindOfFinding(
            "endless",
            "note",
            "Endless",
            "A move that can be made again and again raises this and lowers nothing.",
            "items, meters",
            "A source that comes once, a price, or a “max” that is meant; or accept it.",
        ),
        KindOfFinding(
            "double_way",
            "warning",
            "Double way",
            "Two ways lead from the same area to the same area, and one makes the other needless.",
            "ways",
            "Take one of the two ways out: ways go both ways unless they say otherwise.",
        ),
        KindOfFinding(
            "constant",
            "warning",
            "Constant condition",
            "A condition is always true, or never, whatever happens in the game.",
            "whatever has a condition",
            "Take the condition out, or correct what it was meant to ask.",
        ),
        KindOfFinding(
            "unchanging",
            "warning",
            "Never changed",
            "Something asks for this, and nothing in the world ever changes it.",
            "facts, meters, locks",
            "Let something change it, or ask for what changes: a copy may have kept its old id.",
        ),
        KindOfFinding(
            "two_way_toll",
            "note",
            "Toll both ways",
            "A way takes or wears something, and it does so on the way back as well.",
            "ways",
            "Two ways that are one_way, of which one is free; or accept it.",
        ),
        KindOfFinding(
            "lone_either",
            "note",
            "Lone alternative",
            "An “either” with a single entry leaves nothing to pick.",
            "rules with an “either”",
            "A second entry, or no “either”.",
        ),
        KindOfFinding(
            "near_ids",
            "note",
            "Near ids",
            "Two ids differ by one character and are easily taken for each other.",
            "whatever has an id",
            "Rename one of the two; or accept it.",
        ),
        KindOfFinding(
            "same_name",
            "note",
            "Same name",
            "Two things are shown under one name, and each can be met.",
            "items, areas, people, foes, shops",
            "Give one of the two another name; or accept it.",
        ),
        KindOfFinding(
            "empty_area",
            "note",
            "Empty area",
            "There is nothing to do in this area, and it leads nowhere else.",
            "areas",
            "Put something there, or take it out; or accept it as a place to look at.",
        ),
        KindOfFinding(
            "alike_values",
            "note",
            "Alike values",
            "No condition tells some values of this fact apart.",
            "facts",
            "Ask for one of them somewhere, or take all but one out.",
        ),
        KindOfFinding(
            "broken_promise",
            "error",
            "Broken promise",
            "What the author promises is not true of every play.",
            "promises",
            "Mend the moves that break it, or take the promise back.",
        ),
        KindOfFinding(
            STALE,
            "warning",
            "Stale acceptance",
            "An accepted finding that is not found any more.",
            "whatever an acceptance is about",
            "Take the entry out, or correct its id.",
        ),
    )
}
