"""The registry of findings: what each kind is called, how grave it is, what it means."""

from __future__ import annotations

from msgspec import Struct

SEVERITIES = ("error", "warning", "note")
GRAVITY = {severity: -place for place, severity in enumerate(SEVERITIES)}
"""The larger, the graver."""


class KindOfFinding(Struct, frozen=True):
    """One kind: its usual severity, a title for lists, one sentence on what it means."""

    slug: str
    severity: str
    title: str
    about: str


KINDS = {
    kind.slug: kind
    for kind in (
        KindOfFinding(
            "unwinnable", "error", "Cannot be won",
            "No play whatever comes to a good ending.",
        ),
        KindOfFinding(
            "softlock", "error", "Softlock",
            "After this move the game can no longer be won, and it goes on all the same.",
        ),
        KindOfFinding(
            "bad_luck", "error", "Bad luck",
            "One outcome of this move takes every win away, while another does not.",
        ),
        KindOfFinding(
            "unreachable", "error", "Unreachable",
            "No play ever enters, reaches, opens, holds or does this.",
        ),
        KindOfFinding(
            "missable", "warning", "Missable",
            "A play can lose this for good before having had it, and still be won.",
        ),
        KindOfFinding(
            "no_gate", "warning", "No gate",
            "What a lock, way or area asks for holds wherever it could be tried.",
        ),
        KindOfFinding(
            "exact_count", "warning", "Too much",
            "A need is false in some situation only because too much is held.",
        ),
        KindOfFinding(
            "empty_hands", "warning", "Empty hands",
            "A move removes something that in some play is not there.",
        ),
        KindOfFinding(
            "silent", "warning", "Silent",
            "Of several texts with conditions none applies where one would be shown.",
        ),
        KindOfFinding(
            "unheard", "warning", "Unheard",
            "A text is shown in no situation.",
        ),
        KindOfFinding(
            "skippable", "note", "Skippable",
            "Something asks for this, and yet the game can be won without.",
        ),
        KindOfFinding(
            "unused", "note", "Unused",
            "It is defined, and nothing asks for it.",
        ),
        KindOfFinding(
            "broken_promise", "error", "Broken promise",
            "What the author promises is not true of every play.",
        ),
        KindOfFinding(
            "stale_accept", "warning", "Stale acceptance",
            "An accepted finding that is not found any more.",
        ),
    )
}  # fmt: skip
