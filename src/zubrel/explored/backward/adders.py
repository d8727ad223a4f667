"""Numbers as bits that are diagrams: what becomes of them when something is added."""

from __future__ import annotations

from zubrel.compiled.parts import Change, Operation
from zubrel.explored.symbolic.encoding import Diagram, Encoding

Bits = list[Diagram]
"""What becomes of the bits of a variable, the highest first."""


def changed(encoding: Encoding, change: Change, old: Bits) -> tuple[Bits, Diagram]:
    """What becomes of the bits of a variable, and where that is a value of it."""
    domain, number = encoding.system.variables[change.variable], change.number
    top = domain.size - 1
    match change.operation:
        case Operation.SET:
            return _constant(encoding, number - domain.low, len(old)), encoding.true
        case Operation.FLIP:
            # top - x = ~x + top + 1, as numbers of so many bits
            return _sum(encoding, [~bit for bit in old], top + 1), encoding.true
        case Operation.ADD:
            # where the sum would leave the domain, the step is not possible: that becomes part of
            # its guard
            fits = _at_least(encoding, old, -number)
            if number > 0:
                fits = ~_at_least(encoding, old, top - number + 1)
            return _sum(encoding, old, number), fits
    # it stops at the end of the domain that it runs into
    if number >= 0:
        beyond, end = _at_least(encoding, old, top - number + 1), top
    else:
        beyond, end = ~_at_least(encoding, old, -number), 0
    limit = _constant(encoding, end, len(old))
    added = _sum(encoding, old, number)
    return [beyond.ite(e, a) for e, a in zip(limit, added, strict=True)], encoding.true


def _constant(encoding: Encoding, number: int, size: int) -> Bits:
    places = reversed(range(size))
    return [encoding.true if number >> place & 1 else encoding.false for place in places]


def _sum(encoding: Encoding, bits: Bits, number: int) -> Bits:
    """The bits plus a number, as far as there are bits for it."""
    carry, result = encoding.false, Bits()
    # a negative number has ones without end above, as two's complement wants it
    for place, bit in enumerate(reversed(bits)):
        if number >> place & 1:
            result.append(bit.equiv(carry))
            carry = bit | carry
        else:
            result.append(~bit.equiv(carry))
            carry = bit & carry
    return result[::-1]


def _at_least(encoding: Encoding, bits: Bits, number: int) -> Diagram:
    """Where the bits are a number that is so large."""
    if number <= 0:
        return encoding.true
    if number >= 1 << len(bits):
        return encoding.false
    # from the lowest bit up: equal so far counts as large enough
    enough = encoding.true
    for place, bit in enumerate(reversed(bits)):
        enough = bit & enough if number >> place & 1 else bit | enough
    return enough
