"""Report -> pictures: the stage function of this folder."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from msgspec import Struct

from zubrel.drawn.letters import with_letters
from zubrel.drawn.paper import COLORS, Paper
from zubrel.narrated.report import Report


def _map(report: Report) -> Paper:
    # the map and what it places its areas with are imported when somebody wants a map
    from zubrel.drawn.map import draw_map

    assert report.sketch is not None, "`draw` has seen to it"
    return draw_map(report.sketch.atlas, report.title)


def _chain(report: Report) -> Paper:
    from zubrel.drawn.chain import draw_chain

    return draw_chain(report)


def _windows(report: Report) -> Paper:
    from zubrel.drawn.windows import draw_windows

    return draw_windows(report)


def _growth(report: Report) -> Paper:
    from zubrel.drawn.growth import draw_growth

    return draw_growth(report)


def _losses(report: Report) -> Paper:
    from zubrel.drawn.losses import draw_losses

    return draw_losses(report)


PICTURES: dict[str, Callable[[Report], Paper]] = {
    "map": _map,
    "chain": _chain,
    "windows": _windows,
    "growth": _growth,
    "losses": _losses,
}


TITLES = {
    "map": "Map: areas, ways, gates, and what lies behind what",
    "chain": "Chain: what every win includes, in its proved order",
    "windows": "Windows: when each thing can be had, and what closes it",
    "growth": "Growth: how many situations there are after each move",
    "losses": "Losses: where aimless plays lose their last win, and after how many moves",
}


def draw(report: Report, picture: str, form: str) -> bytes:
    """One of `PICTURES` as a file of one of the formats png, svg, pdf.

    The report must have been made with its outline, for `losses` with its odds. Raises ValueError
    where it has not what the picture shows: because a limit cut the search short, or because the
    world is too large.
    """
    return _paper(report, picture).written(form)


def _paper(report: Report, picture: str) -> Paper:
    if missing := lacking(report, picture):
        raise ValueError(missing)
    return PICTURES[picture](with_letters(report))


def lacking(report: Report, picture: str) -> str:
    """Why a picture cannot be drawn, as the end of a sentence; nothing where it can."""
    if report.stopped is not None:
        return f"the search was stopped at {report.stopped}"
    # each picture needs another part of the report
    if report.sketch is None:
        return "it takes too long to find out what lies behind what in this world"
    if picture in ("chain", "windows") and report.progress is None:
        return f"this world is too large for its {picture}; its map can be drawn"
    if picture == "losses" and report.verdict == "unwinnable":
        return "no play wins this world, so there is no win to lose"
    if picture == "losses" and (report.aimless is None or not report.aimless.curve):
        return "what becomes of aimless plays is not known, or would take too long to be solved"
    if picture == "growth" and report.situations is None:
        return "nobody has counted the situations of this world; its map can be drawn"
    if picture == "growth" and report.sketch.growth is None:
        return "this world has too many situations to go through them move by move"
    return ""


class Inline(Struct, frozen=True):
    """A picture as an `svg` element for a page, with ids that no other picture has.

    `size` are its width and height in pixels, `spots` the places of things in it by their ids:
    left, top, width, height.
    """

    svg: str
    size: tuple[float, float]
    spots: Mapping[str, tuple[float, float, float, float]]


def inline(report: Report, picture: str) -> Inline:
    """A picture for a page. Raises ValueError as `draw` does."""
    paper = _paper(report, picture)
    text = paper.written("svg").decode("utf-8")
    text = re.sub(
        r"<metadata>.*?</metadata>|<!--.*?-->", "", text[text.index("<svg") :], flags=re.DOTALL
    )
    # several pictures share one page: ids of one must not mean something in another
    text = re.sub(r'( id="|href="#|url\(#)', rf"\g<1>{picture}-", text)
    # colours as variables, so that a page can be dark
    for color, name in COLORS.items():
        text = text.replace(color, f"var(--{name}, {color})")
    head, remaining = text.split(">", 1)
    head = re.sub(r' (width|height)="[^"]*"', "", head)
    svg = f'{head} role="img" aria-label="{TITLES[picture]}">{remaining}'
    return Inline(svg, (paper.width, paper.height), paper.spots)
