"""What an editor shows in and above the lines of a file without being asked."""

from __future__ import annotations

from pathlib import PurePath

from lsprotocol import types as lsp

from zubrel.checked.asking import conditions_in
from zubrel.edited.knowledge import where
from zubrel.edited.lenses import lens_of
from zubrel.output.cards import share_words
from zubrel.served.actions import OPEN_MAP, SHOW_WALK
from zubrel.served.answers import Request


def lenses(asked: Request) -> list[lsp.CodeLens]:
    """Lines above the things of the file: how soon, how often asked for, how often spent."""
    world, occurrences = asked.world, asked.occurrences
    if world is None or occurrences is None or world.world is None:
        return []
    known = None if world.told is None else world.told.knowledge
    every = []
    if asked.path == world.main:
        top = lsp.Range(lsp.Position(0, 0), lsp.Position(0, 0))
        uri = asked.desk.uri(world.main)
        name = PurePath(world.main).stem
        words = f"zubrel: open the map of {name}"
        every.append(lsp.CodeLens(top, lsp.Command(words, OPEN_MAP, arguments=[uri])))
    # by subject, since lenses stand above the thing that a finding is about
    walks: dict[str, list[str]] = {}
    for finding in world.told.report.findings if world.told is not None else ():
        if finding.evidence and not finding.accepted:
            walks.setdefault(finding.subject, []).append(finding.kind)
    for one in occurrences.of_kinds():
        if one.span.source.path != asked.path:
            continue
        words = lens_of(world.world, one.name, one.kinds[0], known)
        place = asked.layout.of_span(one.span)
        if words:
            every.append(lsp.CodeLens(place, lsp.Command(words, "")))
        for kind in walks.get(one.name, ()):
            given = [asked.desk.uri(world.main), kind, one.name]
            command = lsp.Command(f"zubrel: show the walk ({kind})", SHOW_WALK, arguments=given)
            every.append(lsp.CodeLens(place, command))
    return every


def hints(asked: Request, stretch: lsp.Range) -> list[lsp.InlayHint]:
    """Behind each condition of a stretch of the file: in how many situations it holds."""
    world = asked.world
    known = None if world is None or world.told is None else world.told.knowledge
    if world is None or world.document is None or known is None or not known.situations:
        return []
    every = []
    for condition in conditions_in(world.document):
        # shares were counted for the text as it was searched
        holds = known.holds.get(where(condition.span))
        if holds is None or condition.span.source.path != asked.path:
            continue
        place = asked.layout.of_span(condition.span)
        # only the lines that the editor shows
        if stretch.start.line <= place.end.line <= stretch.end.line:
            words = share_words(holds, known.situations)
            tip = f"holds in {holds:,} of {known.situations:,} situations"
            hint = lsp.InlayHint(place.end, words, tooltip=tip, padding_left=True)
            every.append(hint)
    return every
