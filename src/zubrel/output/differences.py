"""What an edit changed -> text, JSON, Markdown."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence

from rich.console import Console
from rich.text import Text

from zubrel import __version__
from zubrel.base.plain import plain
from zubrel.narrated.difference import Difference
from zubrel.narrated.report import Report, Told
from zubrel.narrated.shares import percent
from zubrel.narrated.words import counted, length, listed
from zubrel.output.as_json import FORMAT, aimless_as_json, finding_as_json
from zubrel.output.as_markdown import code_markdown, plain_markdown
from zubrel.output.heads import STYLES
from zubrel.output.walks import indented

UNSURE = "Not decided in one of both"
MOST_SHARES = 8
"""Findings that stay, of which is told in how many plays they come about."""


def write_difference(difference: Difference, console: Console, quiet: bool = False) -> None:
    """The verdict then and now, what is new, what is gone; `quiet`: one line each."""
    paths = plain(f"  ({difference.old.path} → {difference.new.path})")
    console.print(Text.assemble((difference.new.title, "bold"), (paths, "dim")))
    for line in _summary(difference):
        console.print(Text(line))
    _write("New", difference.appeared, console, quiet)
    _write("Gone", difference.gone, console, True)
    _write(UNSURE, difference.unsure, console, True)
    _write_shares(difference, console)
    if difference.still:
        # what is accepted is known, and no news
        still = [f"{f.kind} {f.subject}" for f in difference.still if not f.accepted]
        console.print()
        console.print(
            Text(
                f"Still there: {counted(len(difference.still), 'finding')}"
                + (
                    f" ({', '.join(still[:8])}{', …' if len(still) > 8 else ''})"
                    if still
                    else ", all accepted"
                ),
                "dim",
            )
        )


def _write_shares(difference: Difference, console: Console) -> None:
    """Of what is still there: in how many aimless plays it came about, and does now."""
    if difference.shares:
        console.print()
        many = counted(len(difference.shares), "finding")
        console.print(Text(f"Of aimless plays that meet what is still there: {many}", "bold"))
    for then, now in difference.shares[:MOST_SHARES]:
        console.print(indented(Text(_share(then, now)), 2))
    if len(difference.shares) > MOST_SHARES:
        more = f"and {len(difference.shares) - MOST_SHARES} more; --format json has all of them"
        console.print(indented(Text(more, "dim"), 2))


def _share(then: Told, now: Told) -> str:
    return f"{now.kind} {now.subject}: {_shares(then.aimless or 0.0, now.aimless or 0.0)}"


def _write(title: str, findings: Sequence[Told], console: Console, short: bool) -> None:
    if not findings:
        return
    console.print()
    console.print(Text(f"{title}: {counted(len(findings), 'finding')}", "bold"))
    for finding in findings:
        # what is gone has no place any more in the file
        place = f"  {finding.span.place}" if finding.span and title == "New" else ""
        accepted = "  accepted" if finding.accepted else ""
        console.print(
            indented(
                Text.assemble(
                    (finding.severity, STYLES[finding.severity]),
                    "  ",
                    (finding.kind, "bold"),
                    "  ",
                    finding.subject,
                    (place + accepted, "dim"),
                ),
                2,
            )
        )
        # of what is gone its name is enough
        if not short:
            message = finding.message[:1].upper() + finding.message[1:] + "."
            console.print(indented(Text(message), 4))


def _summary(difference: Difference) -> Iterator[str]:
    old, new = difference.old, difference.new
    # the verdict first, also where it has not changed: nothing said would leave it open
    same = old.verdict == new.verdict
    yield (
        f"verdict: {new.verdict}, as before"
        if same
        else (f"verdict: {old.verdict} → {new.verdict}")
    )
    yield (
        f"situations: {_both(old.situations, new.situations)}; "
        f"doomed: {_both(old.doomed, new.doomed)}"
    )
    yield f"shortest win: {_win(old)}" + (f" → {_win(new)}" if _win(old) != _win(new) else "")
    yield from _aimless(old, new)
    # what wins include changes more often than it is looked at: named one by one
    for words, ids in (
        ("now in every win", difference.gained),
        ("no longer in every win", difference.lost),
    ):
        if ids:
            yield f"{words}: {listed(list(ids))}"
    for words, pairs in (
        ("new order", difference.order_gained),
        ("order given up", difference.order_lost),
    ):
        if pairs:
            yield f"{words}: {', '.join(f'{a} before {b}' for a, b in pairs)}"


def _aimless(old: Report, new: Report) -> Iterator[str]:
    """What becomes of aimless plays, where that is known of both."""
    # shares are told where they were reckoned for both, and never against a gap
    if old.aimless is None or new.aimless is None:
        return
    parts = []
    if old.aimless.won is not None and new.aimless.won is not None:
        parts.append(f"won {_shares(old.aimless.won, new.aimless.won)}")
    parts.append(f"doomed {_shares(old.aimless.doomed, new.aimless.doomed)}")
    yield f"aimless plays: {'; '.join(parts)}"


def _shares(old: float, new: float) -> str:
    before, after = percent(old), percent(new)
    return after if before == after else f"{before} → {after}"


def _both(old: int | None, new: int | None) -> str:
    before, after = ("not counted" if n is None else f"{n:,}" for n in (old, new))
    return after if old == new else f"{before} → {after}"


def _win(report: Report) -> str:
    win = report.shortest_win
    return "none" if win is None else f"{length(len(win.moves), win.shortest)} to {win.name}"


def difference_as_json(difference: Difference) -> str:
    """Both verdicts and counts, and the findings that are new, gone and still there."""

    def side(report: Report) -> dict[str, object]:
        win = report.shortest_win
        return {
            "world": report.path,
            "verdict": report.verdict,
            "complete": report.complete,
            "situations": report.situations,
            "won": report.won,
            "doomed": report.doomed,
            "shortest_win": win and len(win.moves),
            "shortest": win is None or win.shortest,
            **aimless_as_json(report.aimless),
        }

    # None where the order of one of them is not known: an empty list would say that nothing changed
    pairs = [
        None if p is None else [list(pair) for pair in p]
        for p in (difference.order_gained, difference.order_lost)
    ]
    everything = {
        "zubrel": __version__,
        "format": FORMAT,
        "old": side(difference.old),
        "new": side(difference.new),
        "appeared": [finding_as_json(f) for f in difference.appeared],
        "gone": [finding_as_json(f) for f in difference.gone],
        "still": [finding_as_json(f) for f in difference.still],
        "undecided": [[f.kind, f.subject] for f in difference.unsure],
        "aimless": [
            {"kind": f.kind, "subject": f.subject, "old": then.aimless, "new": f.aimless}
            for then, f in difference.shares
        ],
        "must_haves": {"gained": difference.gained, "lost": difference.lost},
        "order": {"gained": pairs[0], "lost": pairs[1]},
    }
    return json.dumps(everything, indent=2, ensure_ascii=False) + "\n"


def difference_as_markdown(difference: Difference) -> str:
    """For a comment under a change."""
    mentioned = (f"- {plain_markdown(line)}" for line in _summary(difference))
    lines = [f"## {plain_markdown(difference.new.title)}", "", *mentioned, ""]
    for title, findings in (
        ("New", difference.appeared),
        ("Gone", difference.gone),
        (UNSURE, difference.unsure),
    ):
        if findings:
            lines += [f"### {title}", ""]
            lines += [
                f"- **{f.kind}** `{code_markdown(f.subject)}` ({f.severity}"
                f"{', accepted' if f.accepted else ''}): {plain_markdown(f.message)}"
                for f in findings
            ]
            lines.append("")
    if difference.shares:
        lines += ["Of aimless plays that meet what is still there:", ""]
        lines += [f"- {plain_markdown(_share(then, now))}" for then, now in difference.shares]
        lines.append("")
    lines.append(f"Still there: {counted(len(difference.still), 'finding')}.")
    return "\n".join(lines) + "\n"
