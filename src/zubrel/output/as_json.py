"""Report -> JSON, with the keys that `docs/command-line.md` promises."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from zubrel import __version__
from zubrel.narrated.report import Aimless, Because, Deals, Dealt, MoveLine, Report, Told

NEVER = ("unwinnable", "unreachable")
"""Kinds of which the explanation is the whole proof."""
FORMAT = 2
"""The version of these objects: it changes when a key goes or changes its meaning."""


def reports_as_json(reports: Sequence[Report], several: bool) -> str:
    """One object for one world, an array for `several`; ends with a line break."""
    every = [_report(r) for r in reports]
    return json.dumps(every if several else every[0], indent=2, ensure_ascii=False) + "\n"


def _report(report: Report) -> dict[str, Any]:
    win = report.shortest_win
    return {
        "zubrel": __version__,
        "format": FORMAT,
        "world": report.path,
        "title": report.title,
        "verdict": report.verdict,
        "complete": report.complete,
        "stopped": report.stopped,
        "engine": report.engine,
        "situations": report.situations,
        "moves": report.moves,
        "won": report.won,
        "doomed": report.doomed,
        # keys that hold for few reports are left out of all others, as the reference promises
        **({} if report.classes is None else {"classes": report.classes}),
        **({"undecided": [list(pair) for pair in report.undecided]} if report.undecided else {}),
        **(
            {}
            if report.safe is None
            else {"safe_moves": report.safe[0], "all_moves": report.safe[1]}
        ),
        "seconds": round(report.seconds, 3),
        **({"known": True} if report.known else {}),
        "shortest_win": win
        and {
            "ending": win.ending,
            "length": len(win.moves),
            "shortest": win.shortest,
            **_deal(win.deal),
            "moves": [move_as_json(m) for m in win.moves],
        },
        **aimless_as_json(report.aimless),
        "findings": [finding_as_json(f) for f in report.findings],
        **_progress(report),
    }


def aimless_as_json(aimless: Aimless | None) -> dict[str, Any]:
    """The shares of aimless plays that are won and that come to be doomed, as far as known."""
    if aimless is None:
        return {}
    won = {} if aimless.won is None else {"won": aimless.won}
    return {"aimless": {**won, "doomed": aimless.doomed}}


def _progress(report: Report) -> dict[str, Any]:
    """Must-haves, their order and the windows; null where they were not proved."""
    progress = report.progress
    if progress is None:
        return {"must_haves": None, "order": None, "windows": None}
    return {
        "must_haves": [
            {
                "id": m.id,
                "section": m.section,
                "name": m.name,
                "first": m.first.steps,
                "shortest": m.first.fewest,
                "together": [other for other, _ in m.merged_with],
            }
            for m in progress.must_haves
        ],
        "order": [[a, m.id] for m in progress.must_haves for a in m.after],
        "windows": [
            {
                "id": w.id,
                "section": w.section,
                "name": w.name,
                "first": w.first and w.first.steps,
                "shortest": w.first is None or w.first.fewest,
                "closed_by": [
                    {"rule": rule, "move": move.steps, "shortest": move.fewest}
                    for rule, _, move in w.closed_by
                ],
            }
            for w in progress.windows
        ],
    }


def finding_as_json(finding: Told) -> dict[str, Any]:
    """A finding with its evidence."""
    span = finding.span
    return {
        "kind": finding.kind,
        "severity": finding.severity,
        "subject": finding.subject,
        "message": finding.message,
        "file": span.source.path if span else None,
        "line": span.line if span else None,
        "column": span.column if span else None,
        "evidence": [move_as_json(m) for m in finding.evidence],
        "shortest": finding.shortest,
        **_deal(finding.deal),
        "explanation": "\n".join(finding.explanation) or None,
        "why": [because_as_json(b) for b in finding.why],
        "situations": finding.situations,
        **({} if finding.deals is None else {"deals": finding.deals}),
        **({} if finding.aimless is None else {"aimless": finding.aimless}),
        "closed_by": [
            {
                "rule": p.rule,
                "evidence": [move_as_json(m) for m in p.moves],
                "shortest": p.shortest,
            }
            for p in finding.points
        ],
        "cause": finding.cause,
        "accepted": finding.accepted,
        "because": finding.because,
        **_proof(finding),
    }


def _deal(deal: Sequence[Dealt]) -> dict[str, Any]:
    """Where each item lies that is dealt, by their ids; nothing where none is."""
    return {"deal": {dealt.item: dealt.area for dealt in deal}} if deal else {}


def because_as_json(claim: Because) -> dict[str, Any]:
    """A claim with its data, its text, and what it follows from."""
    note = {"note": claim.note} if claim.note else {}
    why = [because_as_json(b) for b in claim.why]
    return {"claim": claim.claim, **claim.data, "text": claim.text, **note, "why": why}


def _proof(finding: Told) -> dict[str, Any]:
    """What makes a finding certain where the search was cut short."""
    if not finding.certain or finding.proof is None:
        return {}
    why, wins = list(finding.explanation), [move_as_json(m) for m in finding.proof.after]
    if wins:
        return {"certain": True, "proof": {"wins_after": wins, "never_after": why}}
    before = [move_as_json(m) for m in finding.proof.before]
    # evidence that is only a walk is a proof by itself
    shown = not before and finding.kind not in NEVER
    proof = {} if shown else {"wins_before": before, "no_win_after": why}
    return {"certain": True, "proof": proof}


def move_as_json(move: MoveLine) -> dict[str, Any]:
    """A move: its rule, its label, and its outcome where luck chose."""
    outcome = {} if move.outcome is None else {"outcome": move.outcome}
    return {"rule": move.rule, "label": move.label, **outcome}


def moves_as_json(
    path: str,
    goal: str,
    moves: Sequence[MoveLine] | None,
    shortest: bool,
    deals: Deals | None = None,
) -> str:
    """A route: its moves with what is held after each, or null where there is none."""
    route = [
        {**move_as_json(m), "area": m.area, "changes": list(m.changes), "held": dict(m.held)}
        for m in moves or ()
    ]
    lines = {
        "zubrel": __version__,
        "world": path,
        "goal": goal,
        "length": None if moves is None else len(moves),
        "shortest": shortest,
        **(_best_and_worst(deals) if deals is not None else {}),
        "moves": None if moves is None else route,
    }
    return json.dumps(lines, indent=2, ensure_ascii=False) + "\n"


def _best_and_worst(deals: Deals) -> dict[str, Any]:
    """From which deal the goal is nearest, and from which it is farthest."""
    worst = None if deals.longest is None else {**_deal(deals.worst), "length": deals.longest}
    return {**_deal(deals.best), "deals": deals.every, "without": deals.without, "worst": worst}
