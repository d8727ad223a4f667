"""The registry of findings: what each kind is called, how grave it is, what it means."""

from __future__ import annotations

from msgspec import Struct

SEVERITIES = ("error", "warning", "note")


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
    )
}  # fmt: skip
