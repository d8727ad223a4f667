"""The kinds of findings: what each is called, how grave it is, what it means, what it is about."""

from __future__ import annotations

from msgspec import Struct

from zubrel.base.packaged import packaged

STALE = "stale_accept"
"""The only kind that follows from what else is found, or is not."""
SEVERITIES = ("error", "warning", "note")
GRAVITY = {severity: -place for place, severity in enumerate(SEVERITIES)}
"""The larger, the graver."""


class KindOfFinding(Struct, frozen=True):
    """One kind: its usual severity, a title for lists, one sentence on what it means.

    `subjects` are the things of a world that it is told of.
    """

    slug: str
    severity: str
    title: str
    about: str
    subjects: str

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
        ),
        KindOfFinding(
            "softlock",
            "error",
            "Softlock",
            "After this move the game can no longer be won, and it goes on all the same.",
            "rules",
        ),
        KindOfFinding(
            "bad_luck",
            "error",
            "Bad luck",
            "One outcome of this move takes every win away, while another does not.",
            "rules",
        ),
        KindOfFinding(
            "luck_needed",
            "warning",
            "Luck needed",
            "It can be won, but no way of playing wins whatever luck does.",
            "the world",
        ),
        KindOfFinding(
            "unreachable",
            "error",
            "Unreachable",
            "No play ever enters, reaches, opens, holds or does this.",
            "items, locks, areas, endings, quests, foes, and rules that have an id of their own",
        ),
        KindOfFinding(
            "missable",
            "warning",
            "Missable",
            "A play can lose this for good before having had it, and still be won.",
            "items, once-only finds and deeds, quests, foes, good endings",
        ),
        KindOfFinding(
            "too_early",
            "warning",
            "Too early",
            "Doing a thing before its quest counts it makes the quest impossible.",
            "quests",
        ),
        KindOfFinding(
            "no_gate",
            "warning",
            "No gate",
            "What a lock, way or area asks for holds wherever it could be tried.",
            "locks, ways, areas",
        ),
        KindOfFinding(
            "exact_count",
            "warning",
            "Too much",
            "A need is false in some situation only because too much is held.",
            "rules, ways",
        ),
        KindOfFinding(
            "swallowed",
            "warning",
            "Swallowed",
            "More is gained of something needed than fits, and the surplus is gone.",
            "rules",
        ),
        KindOfFinding(
            "empty_hands",
            "warning",
            "Empty hands",
            "A move removes something that in some play is not there.",
            "rules, ways",
        ),
        KindOfFinding(
            "wasted_use",
            "warning",
            "Wasted use",
            "A move takes or wears something and changes nothing else.",
            "rules",
        ),
        KindOfFinding(
            "silent",
            "warning",
            "Silent",
            "Of several texts with conditions none applies where one would be shown.",
            "areas, locks",
        ),
        KindOfFinding(
            "unheard",
            "warning",
            "Unheard",
            "A text is shown in no situation.",
            "areas, locks",
        ),
        KindOfFinding(
            "skippable",
            "note",
            "Skippable",
            "Something asks for this, and yet the game can be won without.",
            "items, locks, quests",
        ),
        KindOfFinding(
            "unused",
            "note",
            "Unused",
            "It is defined, and nothing asks for it.",
            "items, locks, facts, meters",
        ),
        KindOfFinding(
            "endless",
            "note",
            "Endless",
            "A move that can be made again and again raises this and lowers nothing.",
            "items, meters",
        ),
        KindOfFinding(
            "double_way",
            "warning",
            "Double way",
            "Two ways lead from the same area to the same area, and one makes the other needless.",
            "ways",
        ),
        KindOfFinding(
            "constant",
            "warning",
            "Constant condition",
            "A condition is always true, or never, whatever happens in the game.",
            "whatever has a condition",
        ),
        KindOfFinding(
            "lone_either",
            "note",
            "Lone alternative",
            "An “either” with a single entry leaves nothing to pick.",
            "rules with an “either”",
        ),
        KindOfFinding(
            "near_ids",
            "note",
            "Near ids",
            "Two ids differ by one character and are easily taken for each other.",
            "whatever has an id",
        ),
        KindOfFinding(
            "broken_promise",
            "error",
            "Broken promise",
            "What the author promises is not true of every play.",
            "promises",
        ),
        KindOfFinding(
            STALE,
            "warning",
            "Stale acceptance",
            "An accepted finding that is not found any more.",
            "whatever an acceptance is about",
        ),
    )
}
