"""What an editor can do about a mistake or a finding at a place."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from lsprotocol import types as lsp

from zubrel.authored.nodes import Mapping
from zubrel.base.spelling import offered
from zubrel.checked.names import SECTION_OF
from zubrel.checked.occurrences import Occurrence
from zubrel.mended.edits import Edit, Page
from zubrel.narrated.report import Told
from zubrel.served.answers import Request
from zubrel.served.searching import MendingChange
from zubrel.served.worlds import Desk, OpenWorld

MEND, SHOW_WALK, OPEN_MAP = "zubrel.mend", "zubrel.showWalk", "zubrel.openMap"
LEAST = {"fact": "false", "meter": "{to: 10}"}
"""What a new entry of a kind has to say, where that is more than nothing."""


def actions_at(
    asked: Request,
    context: lsp.CodeActionContext,
    changes: dict[tuple[str, str], list[MendingChange]],
) -> list[lsp.CodeAction]:
    """Everything that can be done about the diagnostics at a place; `changes` are proved to mend
    the finding of a kind on a subject."""
    world = asked.world
    if world is None:
        return []
    actions: list[lsp.CodeAction] = []
    for diagnostic in context.diagnostics:
        # other servers may have said something about the same place
        if diagnostic.source != "zubrel":
            continue
        finding = _finding_of(asked, world, diagnostic)
        if finding is None:
            actions += _about_mistake(asked, world, diagnostic)
        elif not finding.accepted:
            actions += _about_finding(asked, world, finding, diagnostic, changes)
    # an editor that asks for some kinds gets those and what is below them
    if context.only:
        wanted = [str(getattr(kind, "value", kind)) for kind in context.only]
        actions = [a for a in actions if any(_is_of(a.kind, kind) for kind in wanted)]
    return actions


def _is_of(kind: Any, wanted: str) -> bool:
    """Whether a kind is a wanted one or one below it."""
    own = str(getattr(kind, "value", kind))
    return own == wanted or own.startswith(f"{wanted}.")


def _about_mistake(
    asked: Request, world: OpenWorld, diagnostic: lsp.Diagnostic
) -> Iterator[lsp.CodeAction]:
    for mistake in world.mistakes:
        span = mistake.span
        if span is None or span.source.path != asked.path or mistake.code != diagnostic.code:
            continue
        # the mistake at this very place, as it was published
        if asked.layout.of_span(span) != diagnostic.range:
            continue
        word = offered(mistake.hint)
        if word is not None:
            begin = asked.layout.begin(span)
            edit = Edit(asked.path, begin, begin + span.width, word)
            written = workspace_edit(asked.desk, [edit])
            yield _fix(f"Write “{word}”", written, diagnostic, preferred=True)
        if mistake.code == "unknown-id":
            one = Request(asked.desk, asked.path, diagnostic.range.start).occurrence()
            if one is not None:
                yield from _definitions(asked, world, one, diagnostic)


def _definitions(
    asked: Request, world: OpenWorld, one: Occurrence, diagnostic: lsp.Diagnostic
) -> Iterator[lsp.CodeAction]:
    """Define what is missing, as what may stand at its place."""
    for kind in one.kinds or ("item", "fact"):
        section = SECTION_OF.get(kind)
        if section is None or world.document is None:
            continue
        edit = _new_entry(world, section, one.name, _least(world, kind))
        if edit is not None:
            changed = workspace_edit(asked.desk, [edit])
            yield _fix(f"Define the {kind} “{one.name}”", changed, diagnostic)


def _least(world: OpenWorld, kind: str) -> str:
    """What a new entry of a kind has to say, so that the world can be read with it."""
    start = world.document.start if world.document is not None else None
    place = start.word("at") if start is not None else None
    if kind == "person":
        return "{}" if place is None else f"{{at: {place.text}}}"
    return LEAST.get(kind, "{}")


def _new_entry(world: OpenWorld, section: str, name: str, value: str) -> Edit | None:
    """A new entry of a section: before the others, in the file that has it first, or with the
    section at the end of the main file."""
    document = world.document
    if document is None:
        return None
    # beside entries that are there, wherever the section stands first
    for root in document.roots:
        entries, path = root.get(section), root.span.source.path
        layout = world.desk.layout(path)
        if layout is not None and isinstance(entries, Mapping) and entries.entries:
            return Page(path, layout.text).with_key(entries, name, value)
    layout = world.desk.layout(world.main)
    if layout is None or document.roots[0].get(section) is not None:
        return None
    text = layout.text
    line = "" if text.endswith("\n") else "\n"
    return Edit(world.main, len(text), len(text), f"{line}{section}:\n  {name}: {value}\n")


def _about_finding(
    asked: Request,
    world: OpenWorld,
    finding: Told,
    diagnostic: lsp.Diagnostic,
    changes: dict[tuple[str, str], list[MendingChange]],
) -> Iterator[lsp.CodeAction]:
    # proofs take a search: where there are none yet, the editor can ask for them
    proved = changes.get((finding.kind, finding.subject))
    for number, change in enumerate(proved or ()):
        words = change.words[:1].upper() + change.words[1:]
        if change.gone > 1:
            words += f" ({change.gone} findings go)"
        edit = workspace_edit(asked.desk, change.edits)
        yield _fix(words, edit, diagnostic, preferred=not number)
    given = [asked.desk.uri(world.main), finding.kind, finding.subject]
    if proved is None:
        title = "Look for changes that are proved to mend this"
        yield _asking(title, MEND, given, diagnostic, lsp.CodeActionKind.QuickFix)
    accepting = _acceptance(world, finding)
    if accepting is not None:
        accepted = workspace_edit(asked.desk, [accepting])
        yield _fix("Accept this: it is meant so, because …", accepted, diagnostic)
    if finding.evidence:
        kind = lsp.CodeActionKind.Empty
        yield _asking("Show the walk", SHOW_WALK, given, diagnostic, kind)


def finding_of(world: OpenWorld, identity: Any) -> Told | None:
    """The finding of a diagnostic, if it still is one."""
    if world.told is None or not isinstance(identity, dict):
        return None
    wanted = (identity.get("kind"), identity.get("subject"))
    return next((f for f in world.told.report.findings if (f.kind, f.subject) == wanted), None)


def _finding_of(asked: Request, world: OpenWorld, diagnostic: lsp.Diagnostic) -> Told | None:
    """The finding of a diagnostic; by its place where an editor has kept nothing else of it."""
    if isinstance(diagnostic.data, dict) or world.told is None:
        return finding_of(world, diagnostic.data)
    for finding in world.told.report.findings:
        span = finding.span
        if finding.kind != diagnostic.code or span is None or span.source.path != asked.path:
            continue
        if asked.layout.of_span(span) == diagnostic.range:
            return finding
    return None


def _acceptance(world: OpenWorld, finding: Told) -> Edit | None:
    """The finding is accepted, with a reason to be written."""
    if world.document is None or not world.is_current or finding.kind == "stale_accept":
        return None
    layout = world.desk.layout(world.main)
    if layout is None:
        return None
    reason = "because: say here why it is meant so"
    entry = f"{{finding: {finding.kind}, of: {finding.subject}, {reason}}}"
    return Page(world.main, layout.text).with_entry(world.document.roots[0], "accept", entry)


def _fix(
    title: str, edit: lsp.WorkspaceEdit, diagnostic: lsp.Diagnostic, preferred: bool = False
) -> lsp.CodeAction:
    return lsp.CodeAction(
        title,
        lsp.CodeActionKind.QuickFix,
        [diagnostic],
        preferred or None,
        edit=edit,
    )


def _asking(
    title: str, command: str, given: list[Any], diagnostic: lsp.Diagnostic, kind: lsp.CodeActionKind
) -> lsp.CodeAction:
    return lsp.CodeAction(
        title, kind, [diagnostic], command=lsp.Command(title, command, arguments=given)
    )


def workspace_edit(desk: Desk, edits: Iterable[Edit]) -> lsp.WorkspaceEdit:
    """Edits of files as an editor makes them: of open ones only while they read as they do now."""
    by_path: dict[str, list[Edit]] = {}
    for edit in edits:
        by_path.setdefault(edit.path, []).append(edit)
    told = {
        path: layout.edits(own)
        for path, own in sorted(by_path.items())
        if (layout := desk.layout(path)) is not None
    }
    # an old editor cannot tell whether a text has changed meanwhile
    if not desk.versioned:
        return lsp.WorkspaceEdit({desk.uri(path): own for path, own in told.items()})
    return lsp.WorkspaceEdit(
        document_changes=[
            lsp.TextDocumentEdit(
                lsp.OptionalVersionedTextDocumentIdentifier(
                    desk.uri(path), desk.open[path].version if path in desk.open else None
                ),
                list(own),
            )
            for path, own in told.items()
        ]
    )
