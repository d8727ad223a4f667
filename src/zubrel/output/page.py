"""Report and listings -> one self-contained HTML page, for whoever uses no terminal.

Every text of a world is escaped by the template engine. The page works without its script, which
only filters.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup, escape

from zubrel import __version__
from zubrel.base.budget import Limits
from zubrel.base.kinds import KINDS, SEVERITIES
from zubrel.explored.space import Distance
from zubrel.narrated.report import MoveLine, Report, TimeWindow, Told
from zubrel.narrated.shares import percent
from zubrel.narrated.state_tables import Row
from zubrel.narrated.tables import Listing
from zubrel.narrated.words import counted, length, moment, sentence, since
from zubrel.output.as_markdown import VERDICTS
from zubrel.output.entries import cause_of, entries, followers_of
from zubrel.output.extent import extent, safe_moves, undecided
from zubrel.output.heads import moves_of, share_of, with_deal
from zubrel.output.walks import spoken_of

if TYPE_CHECKING:
    from zubrel.drawn.draw import Inline
    from zubrel.mended.mend import Mended, Proposal

WORD = re.compile(r"[a-z][a-z0-9_]*")


def page(
    report: Report,
    listings: Sequence[Listing],
    fingerprint: str,
    limits: str,
    mends: Sequence[Mended] = (),
) -> str:
    """The whole page. `fingerprint` identifies the files of the world, `limits` those in force.

    `mends` are proposals for some of the findings of the report.
    """
    return _Page(report, listings, mends).written(fingerprint, limits)


def fingerprint_of(contents: Iterable[bytes]) -> str:
    """SHA-256 over all files of a world, in the order of their paths."""
    return hashlib.sha256(b"\0".join(contents)).hexdigest()


def limits_in_words(limits: Limits) -> str:
    """The limits in force, or `none`."""
    memory = None if limits.memory is None else f"{limits.memory / 2**20:,.0f} MiB"
    seconds = None if limits.seconds is None else f"{limits.seconds:g} s"
    situations = None if limits.situations is None else f"{limits.situations:,} situations"
    return ", ".join(w for w in (situations, seconds, memory) if w) or "none"


class _Page:
    def __init__(
        self, report: Report, listings: Sequence[Listing], mends: Sequence[Mended]
    ) -> None:
        self.report = report
        self.mends = {
            (m.finding.kind, m.finding.subject): [p for p in m.proposals if not p.last]
            for m in mends
        }
        windows = report.progress.windows if report.progress else ()
        closing = ((rule, label) for w in windows for rule, label, _ in w.closed_by)
        self.closers = dict.fromkeys(closing)
        self.listings = listings
        self.anchored: set[str] = set()
        # only what has a row can be linked to
        self.ids = {row[0][0] for listing in listings for row in listing.rows if row[0]}
        self.last = (
            max((w.first.steps for w in report.progress.windows if w.first), default=0)
            if (report.progress)
            else 0
        )
        # bars of when things can be had are drawn on the scale of the shortest win
        if report.shortest_win:
            self.last = max(self.last, len(report.shortest_win.moves), 1)

    def written(self, fingerprint: str, limits: str) -> str:
        report = self.report
        # the template engine escapes whatever comes from a world; only what is marked is left as it
        # is
        environment = Environment(
            loader=PackageLoader("zubrel.output", "."),
            autoescape=True,
            undefined=StrictUndefined,
            trim_blocks=True,
            lstrip_blocks=True,
        )
        environment.globals.update(
            moment=moment,
            length=length,
            link=self._link,
            linked=self._linked,
            anchor=self._anchor,
            walks=self._walks,
            spoken=lambda finding: frozenset(spoken_of(finding.why)),
            moves_of=moves_of,
            share_of=share_of,
            with_deal=with_deal,
            cause_of=cause_of,
            closers=self._closers,
            effects=self._effects,
            sentence_of=sentence,
            markup=Markup,
            track=self._track,
            windows=self._windows,
            indent=lambda line: (len(line) - len(line.lstrip())) / 2 + 0.2,
        )
        # what is accepted is folded away, and counted nowhere above
        known = [f for f in report.findings if not f.accepted]
        tally = [(s, sum(f.severity == s for f in known)) for s in SEVERITIES]
        # drawn before the text, which has to know which of them there are
        pictures = list(self._pictures())
        text: str = environment.get_template("page.html.jinja").render(
            safe=list(safe_moves(report)),
            undecided=list(undecided(report)),
            report=report,
            sentence=VERDICTS[report.verdict],
            numbers=self._numbers(),
            plays=self._plays(),
            open=self._open(known),
            mends=self.mends,
            every_closer=list(self.closers),
            start=report.sketch.atlas.start if report.sketch else "",
            accepted=[f for f in report.findings if f.accepted],
            tally=[(s, n) for s, n in tally if n],
            win=report.shortest_win,
            last=self.last,
            listings=self.listings,
            about={k.slug: k.about for k in KINDS.values()},
            remedy={k.slug: k.remedy for k in KINDS.values()},
            sections=self._sections(),
            pictures=pictures,
            drawn=[picture for picture, _, _ in pictures],
            provenance=self._provenance(fingerprint, limits),
        )
        return text + "\n"

    def _sections(self) -> list[tuple[str, str]]:
        progress = self.report.progress
        return [
            (i, words)
            for i, words, there in (
                ("findings", "Findings", True),
                ("pictures", "Pictures", self.report.sketch is not None),
                ("accepted", "Accepted", any(f.accepted for f in self.report.findings)),
                ("win", "A win", self.report.shortest_win is not None),
                ("needed", "In every win", bool(progress and progress.must_haves)),
                ("windows", "When", bool(progress and progress.windows)),
                ("tables", "Tables", True),
                ("provenance", "Provenance", True),
            )
            # no heading for what a report does not have
            if there
        ]

    def _open(self, findings: Sequence[Told]) -> list[tuple[Told, list[Told]]]:
        """The findings that lead, each with those that go the same way or follow from it."""
        followers = followers_of(findings)
        known = {(f.kind, f.subject): f for f in findings}
        drawn = []
        for entry in entries(findings):
            nested = [*entry.also, *entry.others]
            for finding in (entry.leading, *entry.also, *entry.others):
                subjects = followers.get((finding.kind, finding.subject), ())
                nested += [known[finding.kind, s] for s in subjects]
            drawn.append((entry.leading, nested))
        return drawn

    def _closers(self, window: TimeWindow) -> list[tuple[int, Distance]]:
        """What may close a window, by the numbers of the moves in their list."""
        numbers = {closer: number for number, closer in enumerate(self.closers, 1)}
        return [(numbers[rule, label], move) for rule, label, move in window.closed_by]

    def _effects(self, proposal: Proposal) -> str:
        """What goes and what comes, in short."""
        new = [f"{f.kind} {f.subject}" for f in proposal.new]
        gone = f"{counted(len(proposal.gone), 'finding')} gone"
        return gone + (f"; new: {', '.join(new)}" if new else "; nothing new")

    def _pictures(self) -> Iterator[tuple[str, str, Inline]]:
        """Id, title and picture. What a world says is only there as outlines of letters."""
        if self.report.sketch is None:
            return
        from zubrel.drawn.draw import TITLES, inline, lacking

        for picture, title in TITLES.items():
            if not lacking(self.report, picture):
                yield picture, title, inline(self.report, picture)

    def _numbers(self) -> str:
        report = self.report
        moves = "" if report.moves is None else f"; {counted(report.moves, 'move')}"
        return extent(report) + moves

    def _plays(self) -> str:
        """What becomes of aimless plays, in a sentence; nothing where nobody knows."""
        aimless = self.report.aimless
        if aimless is None or aimless.won is None:
            return ""
        return (
            f"Of aimless plays, in which every possible move is alike likely, "
            f"{percent(aimless.won)} are won; in {percent(aimless.doomed)} the game goes on with "
            f"no win left."
        )

    def _provenance(self, fingerprint: str, limits: str) -> list[tuple[str, str]]:
        report = self.report
        searched = "every situation" if report.complete else f"stopped at {report.stopped}"
        return [
            ("Program", f"zubrel {__version__}"),
            ("World", report.path),
            ("Files (SHA-256)", fingerprint),
            ("Search", f"{report.engine}, {searched}"),
            ("Limits", limits),
        ]

    def _link(self, thing: str) -> Markup:
        """An id, linked to its row where it has one."""
        if thing in self.ids:
            return Markup('<a href="#id-{0}">{0}</a>').format(thing)
        return escape(thing)

    def _linked(self, text: str) -> Markup:
        """A text of a table with every id in it linked; ids are plain words, never markup."""
        parts, at = [], 0
        for linked in WORD.finditer(text):
            # every stretch of text is escaped by itself: a world may hold any signs
            if linked[0] in self.ids:
                parts += [escape(text[at : linked.start()]), self._link(linked[0])]
                at = linked.end()
        return Markup("").join([*parts, escape(text[at:])])

    def _anchor(self, row: Row) -> Markup:
        """The id of a row, the first time that its thing has a row."""
        # an id of a page may stand once only, and a thing may have rows in several tables
        if not row[0] or row[0][0] in self.anchored:
            return Markup("")
        self.anchored.add(row[0][0])
        return Markup(' id="id-{}"').format(row[0][0])

    def _walks(self, finding: Told) -> Iterator[tuple[str, Sequence[MoveLine]]]:
        title = "Seen after" if finding.points else "How to see it"
        if finding.evidence:
            yield (
                title
                + ("" if finding.shortest else " (perhaps not the shortest)")
                + with_deal(finding.deal),
                (finding.evidence),
            )
        for point in finding.points:
            # the walk that is shown already is one of them
            if point.moves != finding.evidence:
                yield f"Closed by {point.label}", point.moves

    def _track(self, window: TimeWindow) -> Markup:
        """From when on as a bar, with a mark at every move that may close it."""
        # in parts of a hundred, so that the bar fits any width
        scale = 100 / max(1, self.last)
        moves = sorted({move for _, _, move in window.closed_by})
        first = window.first or Distance(0)
        closed = f", may be closed {since(moves[0])}" if moves else ", open to the end"
        marks = [
            # a mark at the very end would stick out of its bar
            Markup('<i style="left: {:.1f}%"></i>').format(min(99.0, m.steps * scale))
            for m in moves
        ]
        return Markup(
            '<div class="track" role="img" aria-label="{}"><span style="left: {:.1f}%"></span>{}'
            "</div>"
        ).format(f"{since(first)}{closed}", first.steps * scale, Markup("").join(marks))

    def _windows(self) -> list[TimeWindow]:
        """Those that ever open, the earliest first."""
        progress = self.report.progress
        opening = [w for w in progress.windows if w.first is not None] if progress else []
        return sorted(opening, key=lambda w: w.first or Distance(0))
