"""Report -> text for a terminal: the verdict, then what is wrong, then how to see it.

The console is passed in with its width and its colours; words alone carry the meaning.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from rich.console import Console, RenderableType
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from zubrel.base.plain import plain
from zubrel.narrated.report import MoveLine, ProgressChain, Report, Told
from zubrel.narrated.words import counted, length, listed, moment
from zubrel.output.extent import extent, undecided

STYLES = {"error": "bold red", "warning": "bold magenta", "note": "bold"}
MANY = 4
"""Findings of a kind without evidence that are drawn together into one block."""
_Key = tuple[str, str]
GOOD, BAD, QUIET = "green", "bold red", "dim"


def write_report(report: Report, console: Console, quiet: bool = False, full: bool = False) -> None:
    """The whole report; `quiet`: the verdict and one line for each finding; `full`: no folding."""
    console.print(_title(report))
    console.print(_verdict(report))
    for line in _numbers(report):
        console.print(indented(Text(line, QUIET), 2))
    accepted = [f for f in report.findings if f.accepted]
    open_findings = [f for f in report.findings if not f.accepted]
    followers = _followers(open_findings)
    known = {(f.kind, f.subject) for f in open_findings}
    leading = [f for f in open_findings if full or (f.kind, f.cause) not in known]
    alike = _alike([] if full or quiet else leading)
    leading = [f for f in leading if not any(f in also for also in alike.values())]
    if open_findings:
        shown = _headlines(leading, alike, quiet or full)
        console.print()
        console.print(Text(_tally(open_findings, len(open_findings) - shown), "bold"))
    if quiet:
        for finding in leading:
            console.print(_headline(finding))
    else:
        for block in [[f] for f in leading] if full else _blocks(leading, alike):
            console.print()
            _write_block(block, followers, alike, console, full)
        _write_accepted(accepted, console)
        _write_undecided(report, console)
    if full and not quiet and report.progress is not None:
        _write_progress(report.progress, console)


def indented(content: RenderableType, by: int) -> Padding:
    """`content` moved to the right; wrapped lines keep the indent."""
    return Padding(content, (0, 0, 0, by), expand=False)


def _write_accepted(accepted: Sequence[Told], console: Console) -> None:
    """Accepted findings, folded: the kind, the subject and the reason of each."""
    if accepted:
        console.print()
        console.print(Text(f"{len(accepted)} accepted", "bold"))
    for finding in accepted:
        because = f": {finding.because}" if finding.because else ""
        line = Text(f"{finding.kind} {finding.subject}{because}", QUIET)
        console.print(indented(line, 2))


def _write_undecided(report: Report, console: Console) -> None:
    lines = list(undecided(report))
    if lines:
        console.print()
        console.print(Text("Not decided", "bold magenta"))
    for line in lines:
        console.print(indented(Text(line, QUIET), 2))


def _write_progress(progress: ProgressChain, console: Console) -> None:
    """Must-haves in the order in which they can first be had, and what closes before the end."""
    if progress.must_haves:
        console.print()
        console.print(Text("In every win", "bold"))
        table = _table("move", "", "must-have", "", "right after")
        for must in progress.must_haves:
            others = [name for _, name in must.merged_with if not name.startswith("“")]
            name = must.name + f" (with {listed(others)})" * bool(others)
            after = ", ".join(must.after)
            table.add_row(
                moment(must.first).removeprefix("move "),
                must.section,
                Text(name),
                Text(must.id, QUIET),
                after,
            )
        console.print(indented(table, 2))
    items = {(w.first, w.closed_by) for w in progress.windows if w.section != "find"}
    closing = [
        w
        for w in progress.windows
        if w.first is not None
        and w.closed_by
        and (w.section != "find" or (w.first, w.closed_by) not in items)
    ]
    console.print()
    console.print(Text("Windows", "bold"))
    if closing:
        table = _table("from move", "", "can be had", "may be closed by")
        for window in closing:
            closers = [
                f"{label} ({moment(move, later=True)})" for _, label, move in window.closed_by
            ]
            first = moment(window.first).removeprefix("move ") if window.first else ""
            table.add_row(first, window.section, Text(window.name), ", ".join(closers))
        console.print(indented(table, 2))
    open_ended = sum(w.first is not None and not w.closed_by for w in progress.windows)
    if open_ended:
        words = (
            f"{counted(open_ended, 'item, find or quest', 'items, finds and quests')} can be had "
        )
        words += "to the end of the game."
        console.print(indented(Text(words), 2))


def _table(*titles: str) -> Table:
    """Columns with quiet titles; the first holds numbers."""
    table = Table(box=None, padding=(0, 2, 0, 0), pad_edge=False, header_style="dim italic")
    for number, title in enumerate(titles):
        table.add_column(title, justify="right" if number == 0 else "left")
    return table


def _title(report: Report) -> Text:
    title = Text(report.title, "bold")
    path = plain(report.path)
    return title if report.title == path else title.append(f"  ({path})", QUIET)


def _verdict(report: Report) -> Text:
    match report.verdict:
        case "solvable":
            words = "from every situation of every play a win can still be reached"
            return Text.assemble(("SOLVABLE", GOOD), f": {words}.")
        case "softlocks":
            culprits = sum(f.kind in ("softlock", "bad_luck") for f in report.findings)
            words = f"it can be won, but {counted(culprits, 'move')} can make that impossible"
            return Text.assemble(("SOFTLOCKS", BAD), f": {words}.")
        case "unwinnable":
            words = ": no play whatever comes to a good ending."
            if not report.complete:
                words += f" The search for all else stopped at {report.stopped}."
            return Text.assemble(("UNWINNABLE", BAD), words)
    words = f"the search stopped at {report.stopped}, so "
    certain = sum(f.certain for f in report.findings)
    if certain:
        words += f"not everything is known; {counted(certain, 'finding')} certain all the same"
        words = words.replace("finding certain", "finding is certain")
        words = words.replace("findings certain", "findings are certain")
    elif report.shortest_win is not None:
        words += "nothing is proved but that it can be won"
    else:
        words += "nothing is proved"
    return Text.assemble(("INCOMPLETE", "bold magenta"), f": {words}.")


def _numbers(report: Report) -> Iterable[str]:
    searched = "every one searched" if report.complete else "those found so far"
    moves = "" if report.moves is None else f"{counted(report.moves, 'move')}, "
    how = f"({searched}; {report.engine} search, {report.seconds:.2f} s)"
    if report.situations is None and report.classes is None:
        how = f"({report.seconds:.2f} s)"
        if report.complete:
            how = f"situations are not counted ({report.engine} search, {report.seconds:.2f} s)"
    if report.situations is None:
        known = report.classes is not None or not report.complete
        yield f"{extent(report)} {how}" if known else how
    else:
        won, doomed = report.won or 0, report.doomed or 0
        many = counted(report.situations, "situation")
        yield f"{many} {how}, {moves}{won:,} won, {doomed:,} doomed"
    if report.shortest_win:
        win = report.shortest_win
        words = length(len(win.moves), win.shortest)
        yield f"shortest win: {words} to the ending {win.name}"


def _headlines(leading: Sequence[Told], alike: Mapping[_Key, Sequence[Told]], each: bool) -> int:
    """Under how many headlines the findings stand."""
    return len(leading) if each else len(_blocks(leading, alike))


def _tally(findings: Sequence[Told], folding: int) -> str:
    """How many there are, and how many of them have no headline of their own."""
    parts = []
    for severity in ("error", "warning", "note"):
        count = sum(f.severity == severity for f in findings)
        if count:
            parts.append(counted(count, severity))
    return listed(parts) + f" ({folding} told under others; -v shows each)" * bool(folding)


def _headline(finding: Told, others: int = 0) -> Text:
    place = f"  {finding.span.place}" if finding.span and not others else ""
    subject = finding.subject + f" and {others} more" * bool(others)
    return Text.assemble(
        (finding.severity, STYLES[finding.severity]),
        "  ",
        (finding.kind, "bold"),
        "  ",
        subject,
        (place, QUIET),
    )


def _blocks(findings: Sequence[Told], alike: Mapping[_Key, object]) -> list[list[Told]]:
    """Findings of one kind that the same moves show, or that need no showing, in one block."""
    blocks: dict[object, list[Told]] = {}
    for finding in findings:
        own = _key(finding) in alike or (not finding.evidence and finding.explanation)
        shown = (finding.evidence, finding.points, finding.explanation)
        key = _key(finding) if own else (finding.severity, finding.kind, shown)
        blocks.setdefault(key, []).append(finding)
    each = []
    for block in blocks.values():
        each += [block] if block[0].evidence or len(block) >= MANY else [[f] for f in block]
    return each


def _write_block(
    block: Sequence[Told],
    followers: Mapping[_Key, Sequence[str]],
    alike: Mapping[_Key, Sequence[Told]],
    console: Console,
    full: bool,
) -> None:
    """The findings of a block: what each says, and then how to see all of them."""
    first = block[0]
    console.print(_headline(first, len(block) - 1))
    if len(block) == 1:
        _write_message(first, followers.get(_key(first), ()), console, full)
    else:
        table = Table(box=None, show_header=False, padding=(0, 2, 0, 0), pad_edge=False)
        for finding in block:
            place = finding.span.place if finding.span else ""
            words = _message(finding)
            if own := followers.get(_key(finding)):
                words += f" ({_fate(finding)} with it: {', '.join(own)})"
            table.add_row(Text(words), Text(finding.subject), Text(place, QUIET))
        console.print(indented(table, 2))
    _write_showing(first, console, all(f.shortest for f in block), full)
    for other in alike.get(_key(first), ()):
        console.print(indented(Text(f"Also {other.kind}: {other.message}."), 2))


def _key(finding: Told) -> _Key:
    return finding.kind, finding.subject


def _alike(findings: Sequence[Told]) -> dict[_Key, list[Told]]:
    """For each kind and subject, later findings on the same subject that the same moves show."""
    first: dict[object, Told] = {}
    alike: dict[_Key, list[Told]] = {}
    for finding in findings:
        if finding.evidence:
            leader = first.setdefault((finding.subject, finding.evidence), finding)
            if leader is not finding:
                alike.setdefault((leader.kind, leader.subject), []).append(finding)
    return alike


def _followers(findings: Iterable[Told]) -> dict[_Key, list[str]]:
    """For each kind and cause, the subjects of the findings of that kind that follow from it."""
    followers: dict[_Key, list[str]] = {}
    for finding in findings:
        if finding.cause is not None:
            followers.setdefault((finding.kind, finding.cause), []).append(finding.subject)
    return followers


def _message(finding: Told) -> str:
    return finding.message[:1].upper() + finding.message[1:] + "."


def _fate(finding: Told) -> str:
    """What the findings are that follow from a finding."""
    return "missed" if finding.kind == "missable" else "out of reach"


def _write_message(finding: Told, followers: Sequence[str], console: Console, full: bool) -> None:
    console.print(indented(Text(_message(finding)), 2))
    if followers and not full:
        words = f"{_fate(finding).capitalize()} with it: {', '.join(followers)}."
        console.print(indented(Text(words), 2))


def _write_showing(finding: Told, console: Console, shortest: bool, full: bool) -> None:
    """Why it is so, and the moves that show it."""
    for line in finding.explanation:
        indent = len(line) - len(line.lstrip())
        console.print(indented(Text(line.strip()), 4 + indent))
    if finding.evidence:
        title = "Seen after" if finding.points else "How to see it"
        title += "" if shortest else " (perhaps there is a shorter way)"
        _write_walk(title, finding.evidence, console, full)
    for point in finding.points:
        if len(finding.points) == 1 and point.moves == finding.evidence:
            console.print(indented(Text(f"{point.label} is what closes it."), 2))
        else:
            words = f"{point.label} can close it, at the earliest as move {len(point.moves)}."
            console.print(indented(Text(words), 2))


def _write_walk(title: str, moves: Sequence[MoveLine], console: Console, full: bool) -> None:
    console.print(indented(Text(f"{title}:", QUIET), 2))
    console.print(indented(walk_table(moves, full=full), 4))


def walk_table(moves: Sequence[MoveLine], with_held: bool = False, full: bool = True) -> Table:
    """A walk as a table: numbers, moves, changes where there are any, what is held if asked."""
    stretches = list(_stretches(moves, full))
    changing = any(stretch[-1].changes for _, _, stretch in stretches)
    table = Table(box=None, show_header=False, padding=(0, 2, 0, 0), pad_edge=False)
    table.add_column("", justify="right", style=QUIET, no_wrap=True)
    for title in ["move", *["changes"] * changing, *["held then"] * with_held]:
        table.add_column(title, style=QUIET if title == "changes" else "")
    for first, last, stretch in stretches:
        move = stretch[-1]
        row = [str(first) if first == last else f"{first}–{last}", _stretch_words(stretch)]
        row += [", ".join(move.changes)] * changing
        row += [", ".join(move.held_words) or "nothing"] * with_held
        table.add_row(*(Text(cell) for cell in row))
    return table


def _stretches(moves: Sequence[MoveLine], full: bool) -> Iterator[tuple[int, int, list[MoveLine]]]:
    """The moves one by one, or with walks that change nothing else in one piece.

    Yields the numbers of the first and the last move of each piece, and the piece.
    """
    stretch: list[MoveLine] = []
    for number, move in enumerate(moves, 1):
        stretch.append(move)
        follows = moves[number] if number < len(moves) else None
        walks_on = follows is not None and _only_walks(follows) and _only_walks(move)
        if full or not walks_on:
            yield number - len(stretch) + 1, number, stretch
            stretch = []


def _only_walks(move: MoveLine) -> bool:
    return move.kind == "way" and not move.changes and move.outcome is None


def _stretch_words(stretch: Sequence[MoveLine]) -> str:
    move = stretch[-1]
    if len(stretch) > 1:
        return f"walk from {stretch[0].area} to {move.to}"
    luck = f" (outcome {move.outcome})" if move.outcome is not None else ""
    return f"{move.area}: {move.label}{luck}"


def write_route(
    goal: str, moves: Sequence[MoveLine], shortest: bool, console: Console, quiet: bool = False
) -> None:
    """A route: numbered moves, what each changes, what is held afterwards; `quiet`: its length."""
    console.print(Text.assemble((length(len(moves), shortest), "bold"), f" to {goal}"))
    if moves and not quiet:
        table = walk_table(moves, with_held=True)
        table.show_header, table.header_style = True, "dim italic"
        console.print(table)
