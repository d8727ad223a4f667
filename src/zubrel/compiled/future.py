"""What may still come after a situation, as sets of values: "never" is certain."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from msgspec import Struct

from zubrel.compiled.formulas import Formula

if TYPE_CHECKING:  # small worlds do without
    from zubrel.compiled.operators import Domains
    from zubrel.compiled.relaxation import Relaxation


class Future(Struct, frozen=True, dict=True):
    """All that may still come after the situation with these `values`, and perhaps more."""

    relaxation: Relaxation
    values: tuple[int, ...]

    @cached_property
    def domains(self) -> Domains:
        """For each variable the values that it may still have."""
        return self.relaxation.future(self.relaxation.domains(self.values))

    def may_hold(self, formula: Formula) -> bool:
        """Whether a formula may still come to hold. False is certain."""
        masks = self.relaxation.operators.masks
        return masks.holds(masks.of(formula), self.domains)
