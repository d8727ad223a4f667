"""Running the pipeline with a progress bar."""

from __future__ import annotations

from zubrel.atoms.budget import Limits
from zubrel.narrated.report import Report
from zubrel.pipeline import load, report
from zubrel.shell.meter import Meter


def report_on(
    path: str, limits: Limits, with_progression: bool = False, with_outline: bool = False
) -> Report:
    """The report on the world at `path`; a bar on the terminal while it takes long."""
    meter = Meter()
    try:
        return report(load(path), limits, meter, with_progression, with_outline)
    finally:
        meter.clear()
