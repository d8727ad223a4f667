"""What an editor asks about a place of a text, answered from the world that it belongs to."""

from __future__ import annotations

import re
from collections.abc import Iterator

from lsprotocol import types as lsp

from zubrel.authored.nodes import Mapping, Node, Scalar, Sequence, compose
from zubrel.base.diagnostics import InvalidInput
from zubrel.base.source import BREAKS, Source
from zubrel.checked.occurrences import Occurrence, Occurrences
from zubrel.edited.completion import SNIPPET, Suggestion, suggestions, word_before
from zubrel.edited.cursor import Cursor, cursor_at
from zubrel.edited.knowledge import condition_at, where
from zubrel.edited.known import NOTHING_KNOWN
from zubrel.edited.outline import Branch, outline_of
from zubrel.edited.places import place_of
from zubrel.mended.edits import Edit, applied
from zubrel.output.cards import card_of_condition, card_of_field, card_of_thing
from zubrel.served.layout import TextLayout
from zubrel.served.worlds import Desk, OpenWorld, included_in

ITEM_KINDS = {
    "section": lsp.CompletionItemKind.Module,
    "field": lsp.CompletionItemKind.Property,
    "thing": lsp.CompletionItemKind.Variable,
    "word": lsp.CompletionItemKind.Keyword,
    "snippet": lsp.CompletionItemKind.Snippet,
}
SYMBOL_KINDS = {
    "": lsp.SymbolKind.Namespace,
    "item": lsp.SymbolKind.Key,
    "area": lsp.SymbolKind.Class,
    "lock": lsp.SymbolKind.Interface,
    "fact": lsp.SymbolKind.Boolean,
    "meter": lsp.SymbolKind.Number,
    "person": lsp.SymbolKind.Object,
    "quest": lsp.SymbolKind.Event,
    "ending": lsp.SymbolKind.Constant,
    "shop": lsp.SymbolKind.Package,
    "store": lsp.SymbolKind.Array,
    "foe": lsp.SymbolKind.Struct,
}


class Request:
    """A place of a file that the editor has open, and the world that it belongs to."""

    def __init__(self, desk: Desk, path: str, position: lsp.Position | None = None) -> None:
        self.desk = desk
        self.path = path
        self.layout: TextLayout = desk.open[path].layout
        self.world: OpenWorld | None = desk.world_of(path)
        if self.world is not None:
            self.world.read()
        self.position = position or lsp.Position(0, 0)
        self.line, self.column = self.layout.place(self.position)

    @property
    def occurrences(self) -> Occurrences | None:
        """The ids of the text as it is; None while it cannot be read."""
        world = self.world
        # those of an older text stand at places that are no longer theirs
        return world.occurrences if world is not None and world.is_current else None

    def occurrence(self) -> Occurrence | None:
        """The id at the place."""
        occurrences = self.occurrences
        return None if occurrences is None else occurrences.at(self.path, self.line, self.column)

    def lines(self) -> list[str]:
        """The lines of the text, as spans count them."""
        return BREAKS.split(self.layout.text)

    def location(self, occurrence: Occurrence) -> lsp.Location | None:
        """Where an id stands, for the editor."""
        path = occurrence.span.source.path
        layout = self.desk.layout(path)
        if layout is None:
            return None
        return lsp.Location(self.desk.uri(path), layout.of_span(occurrence.span))


def completion(asked: Request, with_snippets: bool) -> list[lsp.CompletionItem]:
    """What fits at the place, in the order in which it is to be shown."""
    if asked.world is None and asked.layout.text.strip():
        return []  # that is no file of ours
    known = NOTHING_KNOWN if asked.world is None else asked.world.known
    cursor = cursor_at(asked.lines(), asked.line - 1, asked.column - 1)
    end = asked.layout.offset(asked.position)
    # what is typed already is replaced, so that a suggestion may begin otherwise than the word
    replaced = asked.layout.range(end - len(word_before(cursor)), end)
    fitting = [s for s in suggestions(cursor, known) if with_snippets or s.kind != SNIPPET]
    main = "" if asked.world is None else asked.world.main
    return [_item(s, number, replaced, cursor, main) for number, s in enumerate(fitting)]


def resolved(desk: Desk, item: lsp.CompletionItem) -> lsp.CompletionItem:
    """A suggestion that the author looks at, with where the thing comes from."""
    data = item.data if isinstance(item.data, dict) else {}
    world = desk.worlds.get(str(data.get("world")))
    if world is not None:
        # origins are looked up for the one that is looked at: for all of them it took most of a
        # second
        item.documentation = world.known.origin_of(str(data.get("thing"))) or None
    return item


def _item(
    suggestion: Suggestion, number: int, replaced: lsp.Range, cursor: Cursor, main: str
) -> lsp.CompletionItem:
    """A suggestion; where it stands is what tells it from others, and not the alphabet."""
    is_snippet = suggestion.kind == SNIPPET
    text = suggestion.insert
    if is_snippet:  # its further lines stand under the first one
        indent = " " * (cursor.column + len(cursor.text) - len(word_before(cursor)))
        text = text.replace("\n", f"\n{indent}")
    return lsp.CompletionItem(
        suggestion.label,
        kind=ITEM_KINDS[suggestion.kind],
        detail=suggestion.detail or None,
        documentation=suggestion.about or None,
        sort_text=f"{number:05}",
        filter_text=suggestion.label.removeprefix("new ") if is_snippet else None,
        insert_text_format=lsp.InsertTextFormat.Snippet
        if is_snippet
        else lsp.InsertTextFormat.PlainText,
        insert_text_mode=lsp.InsertTextMode.AsIs,
        text_edit=lsp.TextEdit(replaced, text),
        data={"world": main, "thing": suggestion.thing} if suggestion.thing else None,
    )


def hover(asked: Request) -> lsp.Hover | None:
    """What the thing, the field and the condition at a place are."""
    world = asked.world
    if world is None:
        return None
    cards = [card for card in (_of_thing(asked, world), _of_condition(asked, world)) if card]
    if not cards:
        # a field is told of only where nothing of the world stands
        cards = [card for card in [_of_field(asked)] if card]
    if not cards:
        return None
    text = "\n\n---\n\n".join(cards)
    return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, text))


def _of_thing(asked: Request, world: OpenWorld) -> str:
    one = asked.occurrence()
    if one is None or world.world is None:
        return ""
    kind = world.known.kind_of(one.name) or (one.kinds[0] if one.kinds else "rule")
    told = world.told
    known, report = (None, None) if told is None else (told.knowledge, told.report)
    return card_of_thing(world.world, one.name, kind, known, report)


def _of_condition(asked: Request, world: OpenWorld) -> str:
    known = None if world.told is None else world.told.knowledge
    if known is None or world.document is None or not world.is_current:
        return ""
    condition = condition_at(world.document, (asked.path, asked.line, asked.column))
    if condition is None or where(condition.span) not in known.holds:
        return ""
    return card_of_condition(condition.text, known.holds[where(condition.span)], known.situations)


def _of_field(asked: Request) -> str:
    lines = asked.lines()
    line = lines[asked.line - 1] if asked.line <= len(lines) else ""
    end = asked.column - 1
    # the place may be amid the key: the end of the word decides what it is
    while end < len(line) and (line[end].isalnum() or line[end] == "_"):
        end += 1
    if line[end : end + 1] not in (":", '"', "'"):
        return ""
    cursor = cursor_at(lines, asked.line - 1, end)
    return card_of_field(word_before(cursor), place_of(cursor.keys))


def definition(asked: Request) -> lsp.Location | None:
    """Where the id at the place was given; of one that the language made up, what it is made of."""
    one, occurrences = asked.occurrence(), asked.occurrences
    if one is None or occurrences is None:
        return None
    given = occurrences.definitions.get(one.name)
    if given is not None:
        return asked.location(given)
    world = asked.world.world if asked.world is not None else None
    for rule in world.rules if world is not None else ():
        # of an id that the language has made up there is no other place than what it is made of
        if one.name in (rule.id, rule.common, rule.owner):
            return asked.location(Occurrence(one.name, rule.span, ()))
    return None


def references(asked: Request, with_definition: bool) -> list[lsp.Location]:
    """Everywhere that the id at the place is named."""
    one, occurrences = asked.occurrence(), asked.occurrences
    if one is None or occurrences is None:
        return []
    every = occurrences.by_name.get(one.name, ())
    places = [asked.location(o) for o in every if with_definition or not o.defines]
    return [place for place in places if place is not None]


def highlights(asked: Request) -> list[lsp.DocumentHighlight]:
    """The same in this file alone."""
    uri = asked.desk.uri(asked.path)
    return [
        lsp.DocumentHighlight(place.range, lsp.DocumentHighlightKind.Text)
        for place in references(asked, True)
        if place.uri == uri
    ]


def _root(asked: Request) -> Mapping | None:
    """The sections of the file; None while it cannot be read."""
    root = _compose(asked.path, asked.layout.text)
    return root if isinstance(root, Mapping) else None


def _compose(path: str, text: str) -> Node | None:
    try:
        return compose(Source.of(path, text), text, [])
    except InvalidInput:
        return None


def symbols(asked: Request) -> list[lsp.DocumentSymbol]:
    """The sections of the file and what they hold, as a tree."""
    root = _root(asked)
    if asked.world is None or root is None:
        return []
    return [_symbol(branch, asked.layout) for branch in outline_of(root)]


def _symbol(branch: Branch, layout: TextLayout) -> lsp.DocumentSymbol:
    name = layout.of_span(branch.span)
    return lsp.DocumentSymbol(
        branch.name,
        SYMBOL_KINDS.get(branch.kind, lsp.SymbolKind.Field),
        lsp.Range(name.start, _end_of_line(layout, branch.last_line, name.end)),
        name,
        branch.detail or None,
        children=[_symbol(below, layout) for below in branch.below] or None,
    )


def _end_of_line(layout: TextLayout, line: int, least: lsp.Position) -> lsp.Position:
    """The end of a line as spans count them."""
    offset = layout.end_of_line(line)
    end = layout.position(offset)
    return max(end, least, key=lambda p: (p.line, p.character))


def workspace_symbols(desk: Desk, query: str) -> list[lsp.WorkspaceSymbol]:
    """The ids of all open worlds that contain the letters of a query, in its order."""
    wanted = query.lower()
    return [
        lsp.WorkspaceSymbol(
            lsp.Location(desk.uri(one.span.source.path), layout.of_span(one.span)),
            one.name,
            SYMBOL_KINDS.get(one.kinds[0], lsp.SymbolKind.Field),
            container_name=one.kinds[0],
        )
        for world in desk.worlds.values()
        if world.occurrences is not None
        for one in world.occurrences.of_kinds()
        if _contains(one.name, wanted)
        if (layout := desk.layout(one.span.source.path)) is not None
    ]


def _contains(name: str, letters: str) -> bool:
    # in their order, with others between: "qk" finds "quay_key"
    left = iter(name)
    return all(letter in left for letter in letters)


def folding(asked: Request) -> list[lsp.FoldingRange]:
    """The sections and entries of more than one line."""
    return [
        lsp.FoldingRange(symbol.range.start.line, symbol.range.end.line)
        for symbol in _every(symbols(asked))
        if symbol.range.end.line > symbol.range.start.line
    ]


def _every(tree: list[lsp.DocumentSymbol]) -> Iterator[lsp.DocumentSymbol]:
    for symbol in tree:
        yield symbol
        yield from _every(list(symbol.children or ()))


def links(asked: Request) -> list[lsp.DocumentLink]:
    """The files that this one includes."""
    root = _root(asked)
    nodes = [] if asked.world is None or root is None else included_in(root)
    return [
        lsp.DocumentLink(
            asked.layout.of_span(node.span),
            asked.desk.uri(asked.desk.beside(asked.path, node.text)),
            "open this part of the world",
        )
        for node in nodes
    ]


def formatting(asked: Request) -> list[lsp.TextEdit]:
    """Blanks at the ends of lines and empty lines at the end of the file are taken away, in files
    that hold the same without them, comments included."""
    before = asked.layout.text
    edits = [
        Edit(asked.path, *blanks.span(), "")
        for blanks in re.finditer(r"[ \t]+(?=[\r\n]|$)|(?<=\n)[\r\n]+$", before)
    ]
    after = applied(before, edits)
    # a text in a block may end in blanks that belong to it
    if asked.world is None or not _same(_compose(asked.path, before), _compose(asked.path, after)):
        return []
    return asked.layout.edits(edits)


def _same(one: Node | None, other: Node | None) -> bool:
    """Whether two texts hold the same, and something at all."""
    match one, other:
        # a word in quotes is not the same as the word
        case Scalar(), Scalar():
            return (one.text, one.plain) == (other.text, other.plain)
        case Sequence(), Sequence():
            pairs = zip(one.items, other.items, strict=False)
            return len(one.items) == len(other.items) and all(_same(a, b) for a, b in pairs)
        case Mapping(), Mapping():
            keys = [key.text for key, _ in one.entries]
            if keys != [key.text for key, _ in other.entries]:
                return False
            values = zip(one.entries, other.entries, strict=True)
            return all(_same(a, b) for (_, a), (_, b) in values)
    return False
