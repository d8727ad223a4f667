"""Options of a sweep, or a file of named variants -> the variants of a world."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from itertools import combinations
from math import prod

from msgspec import Struct

from zubrel.authored.files import read_source
from zubrel.authored.nodes import Mapping, Scalar, compose
from zubrel.base.diagnostics import Diagnostic, InvalidInput
from zubrel.base.source import Span
from zubrel.mended.edits import NodePlace, Page
from zubrel.swept.settings import PathSetting, Texts, asked_span, path_of, refused, values_of

MOST_VARIANTS = 100_000
"""Variants beyond which nobody has asked for so many on purpose."""
LONGEST = 40
"""Signs of what is left out that its variant is named by."""
UNCHANGED = "as it is"


class Variant(Struct, frozen=True):
    """A world that differs in some settings; `span` is where they were asked for."""

    name: str
    settings: tuple[PathSetting, ...]
    span: Span | None = None


class Factor(Struct, frozen=True):
    """Something that varies: one of several lists of settings, each with a name."""

    span: Span
    choices: tuple[tuple[str, tuple[PathSetting, ...]], ...]


class AskedVariants(Struct, frozen=True):
    """What the command line asks to vary, as texts."""

    vary: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    each: tuple[str, ...] = ()
    swap: bool = False
    file: str | None = None


class Chosen(Struct, frozen=True):
    """The variants, the unchanged world first, and of how many they are a sample (None: all).

    `axes` are the paths that vary with their values, where all combinations of these are searched
    and nothing else.
    """

    variants: tuple[Variant, ...]
    out_of: int | None
    axes: tuple[tuple[str, tuple[str, ...]], ...] = ()


def variants_of(
    texts: Texts, asked: AskedVariants, one_at_a_time: bool, most: int | None, seed: int
) -> Chosen:
    """All combinations of what varies, or each change by itself; of more than `most` a sample.

    Raises `InvalidInput` for what cannot be read, and for more than `MOST_VARIANTS` without `most`.
    """
    # how many there are is known before any is made: a sample draws from numbers
    factors = list(_factors(texts, asked))
    named = list(_from_file(asked.file)) if asked.file is not None else []
    combined = 0 if not factors else prod(len(f.choices) for f in factors)
    if one_at_a_time:
        combined = sum(len(f.choices) for f in factors)
    total = combined + len(named)
    if most is None and total > MOST_VARIANTS:
        message = f"these are {total:,} variants"
        hint = "Take a sample of them with --most 200, or each change by itself: --one-at-a-time"
        raise refused(message, factors[0].span, hint, "too-large")
    numbers: Sequence[int] = range(total)
    if most is not None and most < total:
        # in their order, so that a sample reads like the table that it was drawn from
        numbers = sorted(random.Random(seed).sample(range(total), most))
    made = [_numbered(factors, named, n, one_at_a_time) for n in numbers]
    sample = total if len(made) < total else None
    # a grid can be drawn only where every combination is there, and nothing else
    whole = sample is None and not named and (not one_at_a_time or len(factors) == 1)
    axes = _axes(factors) if whole and len(asked.vary) == len(factors) else ()
    return Chosen((Variant(UNCHANGED, ()), *made), sample, axes)


def _axes(factors: Sequence[Factor]) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """The path of each factor, with its values."""
    axes = []
    for factor in factors:
        settings = [settings[0] for _, settings in factor.choices]
        axes.append((".".join(settings[0].path), tuple(s.value or "" for s in settings)))
    return tuple(axes)


def _numbered(
    factors: Sequence[Factor], named: Sequence[Variant], number: int, one_at_a_time: bool
) -> Variant:
    """The variant with a number, the named ones first; the last factor changes fastest."""
    # variants are numbered and made one by one: a sample of millions needs no list
    if number < len(named):
        return named[number]
    number -= len(named)
    if one_at_a_time:
        for factor in factors:
            if number < len(factor.choices):
                name, settings = factor.choices[number]
                return Variant(name, settings, factor.span)
            number -= len(factor.choices)
    names, every = list[str](), list[PathSetting]()
    # as digits of a number: the last factor changes with every variant
    for factor in reversed(factors):
        number, place = divmod(number, len(factor.choices))
        name, settings = factor.choices[place]
        names.insert(0, name)
        every[:0] = settings
    return Variant(", ".join(names), tuple(every), factors[0].span)


def _factors(texts: Texts, asked: AskedVariants) -> Iterator[Factor]:
    # each option is a factor of its own
    for text in asked.vary:
        span = asked_span("--vary", text)
        path, equals, values = text.partition("=")
        if not equals:
            hint = "Write for example: shops.stall.sells.wick=1..4"
            raise refused(f'"{text}" does not say which values', span, hint)
        settings = [PathSetting(path_of(path, span), value) for value in values_of(values, span)]
        yield Factor(span, tuple((s.words, (s,)) for s in settings))
    for text in asked.without:
        span = asked_span("--without", text)
        setting = PathSetting(path_of(text, span), None)
        yield Factor(span, ((setting.words, (setting,)),))
    for text in asked.each:
        span = asked_span("--each", text)
        pattern = path_of(text, span)
        # a pattern that ends at a list or a mapping means each of what stands in it
        places = [*texts.matching((*pattern, "*"))] or [*texts.matching(pattern)]
        if not places:
            raise refused(f'nothing in the world fits "{text}"', span, "Try: areas.*.finds")
        settings = [PathSetting(place.path, None) for place in places]
        yield Factor(span, tuple((_named(texts, s), (s,)) for s in settings))
    if asked.swap:
        span = asked_span("--swap", "--swap")
        swaps = tuple(_swaps(texts))
        if not swaps:
            raise refused("there are no two finds of different items", span)
        yield Factor(span, swaps)


def _named(texts: Texts, setting: PathSetting) -> str:
    """What is left out, with what stands there where it is one of a list."""
    if not setting.path[-1].isdigit():
        return setting.words
    node = texts.by_path[setting.path].node
    # a place in a list is a number, which nobody recognizes again
    written = " ".join((texts.pages[node.span.source.path].written(node) or "").split())
    short = written if len(written) <= LONGEST else f"{written[: LONGEST - 1].rstrip()}…"
    return f"{setting.words} ({short})" if short else setting.words


def _swaps(texts: Texts) -> Iterator[tuple[str, tuple[PathSetting, ...]]]:
    """For each two finds of different items what each of them gives is found at the other.

    A find that says how many in a field of its own is left where it is.
    """
    finds: list[tuple[NodePlace, str]] = []
    for place in texts.matching(("areas", "*", "finds", "*")):
        item = texts.by_path.get((*place.path, "item"), place)
        # how many there are belongs to the place, and would be exchanged by half
        if isinstance(item.node, Scalar) and (*place.path, "count") not in texts.by_path:
            finds.append((item, item.node.text))
    for (place, item_text), (other, other_text) in combinations(finds, 2):
        # to exchange equals is the unchanged world once more
        if item_text != other_text:
            settings = (PathSetting(place.path, other_text), PathSetting(other.path, item_text))
            here, there = place.path[1], other.path[1]
            yield f"{item_text} at {here} exchanged with {other_text} at {there}", settings


def _from_file(path: str) -> Iterator[Variant]:
    """`variants`, a mapping from a name to settings: paths with what is to stand there."""
    source, text = read_source(path)
    problems: list[Diagnostic] = []
    root = compose(source, text, problems)
    if problems:
        raise InvalidInput(problems)
    variants = root.get("variants") if isinstance(root, Mapping) else None
    if not isinstance(variants, Mapping):
        span = root.span if root is not None else Span(source, 1, 1)
        hint = "variants:\n  dear_wick: {shops.stall.sells.wick: 3, locks.hatch: null}"
        raise refused("this file has no variants", span, hint, "no-world")
    # values are kept as they are written, with their quotes
    page = Page(path, text)
    for key, settings in variants.entries:
        if not isinstance(settings, Mapping) or not settings.entries:
            message = f'"{key.text}" does not say what differs'
            raise refused(message, key.span, "some.path: value, or some.path: null")
        made = []
        for step, node in settings.entries:
            # `null`, `~` and nothing at all leave the place out
            gone = isinstance(node, Scalar) and node.empty
            written = None if gone else page.written(node)
            if not gone and (written is None or "\n" in written):
                raise refused("this value must stand in one line", step.span)
            made.append(PathSetting(path_of(step.text, step.span), written))
        yield Variant(key.text, tuple(made), key.span)
