"""Shares and numbers of moves in words, no more exact than they are known."""

from __future__ import annotations

EXACT_ENOUGH = 0.00005
"""An error below which nobody would see a difference in what is told."""


def percent(share: float, error: float = 0.0) -> str:
    """A share with three figures; with what it may be wrong by, where that shows."""
    if error >= EXACT_ENOUGH:
        return f"{_figures(share)} ± {_figures(error)}"
    # exact ends have words; what is only close to them must not look like them
    if share == 0:
        return "none"
    if share == 1:
        return "all"
    if share < 0.0001:
        return "under 0.01 %"
    if share > 0.9999:
        return "over 99.99 %"
    return _figures(share)


def _figures(share: float) -> str:
    hundred = 100 * share
    # what is not all is never told as 100
    return f"{hundred:.1f} %" if 10 <= hundred <= 99.94 else f"{hundred:.2f} %"


def between(least: float, most: float) -> str:
    """An interval of shares, rounded so that nothing of it is left out."""
    low, high = int(least * 100), -int(-most * 100 // 1)
    return f"{low}–{min(100, high)} %"


def one_in(share: float) -> str:
    """A share as one play in so many, or so many in a hundred: fits before "plays"."""
    if share > 0.995:
        return "nearly all" if share < 1 else "all"
    if abs(share - 0.5) < 0.005:
        return "1 in 2"
    if share >= 0.35:
        return f"{round(100 * share)} in 100"
    return f"1 in {round(1 / share):,}" if share >= 1e-6 else "hardly any"


def moves(mean: float, error: float) -> str | None:
    """A number of moves on average; None where it is not known well enough to be told."""
    if error > 0.01 * mean:
        return None
    return f"{mean:,.1f}" if mean < 100 else f"{mean:,.0f}"
