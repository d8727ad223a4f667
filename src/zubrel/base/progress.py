"""A way to tell how far the work is, silent unless somebody listens."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol


class Progress(Protocol):
    """Told now and then what is being done; must return quickly."""

    def stage(self, words: str) -> None:
        """A new stage of the work begins, for example `searching`."""
        ...

    def reached(self, situations: int, open_situations: int | None) -> None:
        """So many situations are known, of which so many have not been looked at yet.

        None: nobody has counted those.
        """
        ...

    def certain(self, lines: Sequence[str]) -> None:
        """Something is certain already, though the work goes on."""
        ...


class Silence:
    """A `Progress` that tells nobody."""

    def stage(self, words: str) -> None:
        pass

    def reached(self, situations: int, open_situations: int | None) -> None:
        pass

    def certain(self, lines: Sequence[str]) -> None:
        pass
