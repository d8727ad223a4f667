"""`zubrel language-server`, as an editor meets it: the built program, by its standard streams."""

from __future__ import annotations

import asyncio
import json
import os
import random
import re
import socket
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from lsprotocol import types as lsp
from pygls.lsp.client import LanguageClient

from tests.editor import FORKING, Editor, Nursery, capabilities_of_most, offset_of, position_of
from tests.program import DEMO, PATIENCE
from tests.seeds import LONG
from zubrel.api import check, load
from zubrel.base.budget import Limits
from zubrel.base.diagnostics import InvalidInput
from zubrel.served.layout import TextLayout
from zubrel.served.searching import Ended, Worker, searched

PREFIXES = int(os.environ.get("ZUBREL_PREFIXES", "40"))
EDITS = int(os.environ.get("ZUBREL_EDITS", "50"))
QUICK = {"pause": 0.05}
SOFTLOCK = """\
zubrel: 1
start: {at: quay, holding: [key]}
items:
  key: {name: A key of brass}
  lamp: A lamp
areas:
  quay: {ways: [{to: shed, lock: shed_door}, {to: vault, lock: vault_door}]}
  shed: {}
  vault: {finds: [lamp]}
locks:
  shed_door: {takes: key, refuses: Locked.}
  vault_door: {takes: key, refuses: Locked.}
endings:
  home: {when: lamp}
"""
LEVERS = (
    "facts: {" + ", ".join(f"lever_{n}: false" for n in range(13)) + "}\n"
    "deeds: {" + ", ".join(f"pull_{n}: {{toggles: lever_{n}}}" for n in range(13)) + "}\n"
    "promises: [" + ", ".join(f"{{possible: lever_{n}}}" for n in range(13)) + "]\n"
)
"""So many situations that changes of a world are not searched in a moment."""
MAIN = """\
zubrel: 1
start: {at: quay}
include: [parts/items.yaml, items.csv]
areas:
  quay: {finds: [key], ways: [{to: shed, lock: door}]}
  shed: {}
locks:
  door: {needs: key, refuses: Locked.}
endings:
  home: {when: at shed}
"""
TREE = {
    "world.yaml": MAIN,
    "parts/items.yaml": "items:\n  key: A key\n",
    "items.csv": "id,name\nrope,A rope\n",
}


def mistakes_of(path):
    """The codes and lines of what `check` says is wrong in a file."""
    try:
        load(str(path))
    except InvalidInput as invalid:
        return sorted((d.code, d.span.line) for d in invalid.diagnostics)
    return []


def mistakes_in(diagnostics):
    return sorted((d.code, d.range.start.line + 1) for d in diagnostics)


NURSERY = None


def setUpModule():
    global NURSERY
    NURSERY = Nursery() if FORKING else None


def tearDownModule():
    if NURSERY is not None:
        NURSERY.close()


class ServerTest(unittest.IsolatedAsyncioTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(os.path.realpath(folder.name))

    def write(self, name, text):
        path = self.folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, encoding="utf-8")
        return name

    async def opened(self, text=SOFTLOCK, name="world.yaml", settings=QUICK, **options):
        """An editor in which a world is open."""
        self.write(name, text)
        editor = Editor(self.folder, settings, nursery=NURSERY, **options)
        await self.enterAsyncContext(editor)
        editor.open(name)
        return editor


class Mistakes(ServerTest):
    async def test_mistakes_are_those_of_check_and_go_with_what_was_wrong(self):
        wrong = SOFTLOCK.replace("takes: key", "takes: keyy").replace("lamp: A", "lamp: [A")
        editor = await self.opened(wrong, settings={"search": False})
        await editor.until(lambda: editor.codes("world.yaml"), "a mistake")
        expected = mistakes_of(self.folder / "world.yaml")
        self.assertEqual(mistakes_in(editor.shown["world.yaml"]), expected)
        first = editor.shown["world.yaml"][0]
        self.assertEqual(first.severity, lsp.DiagnosticSeverity.Error)
        self.assertTrue(first.code_description.href.endswith(f"errors.md#{first.code}"))
        editor.replace("world.yaml", "lamp: [A", "lamp: A")
        await editor.until(lambda: editor.codes("world.yaml") == ["unknown-id"] * 2, "two mistakes")
        self.assertIn('Did you mean "key"?', editor.shown["world.yaml"][0].message)
        editor.change("world.yaml", whole=SOFTLOCK)
        await editor.until(lambda: not editor.codes("world.yaml"), "no mistake")

    async def test_a_word_is_mended_by_its_nearest_spelling(self):
        editor = await self.opened(SOFTLOCK.replace("takes: key", "takes: keyy", 1))
        await editor.until(lambda: "unknown-id" in editor.codes("world.yaml"), "the mistake")
        actions = await editor.actions("world.yaml", editor.shown["world.yaml"][0])
        self.assertEqual(actions[0].title, "Write “key”")
        editor.apply(actions[0].edit)
        self.assertEqual(editor.texts["world.yaml"], SOFTLOCK)

    async def test_an_id_that_is_missing_is_defined_as_what_may_stand_there(self):
        cases = {
            "item": SOFTLOCK.replace("takes: key", "takes: token", 1),
            "lock": SOFTLOCK.replace("lock: shed_door", "lock: hatch"),
            "area": SOFTLOCK.replace("to: shed,", "to: loft,"),
            "quest": SOFTLOCK.replace("when: lamp", "when: search is done"),
            "fact": SOFTLOCK.replace("when: lamp", "when: lamp_lit"),
            "meter": SOFTLOCK.replace("when: lamp", "when: tide >= 2"),
            "person": SOFTLOCK.replace("when: lamp", "when: warden is met"),
        }
        editor = await self.opened(settings={"search": False})
        for kind, text in cases.items():
            editor.change("world.yaml", whole=text)
            number = editor.versions["world.yaml"]
            await editor.until(
                lambda n=number: any(v == n for _, v, _ in editor.history), "a mistake"
            )
            actions = await editor.actions("world.yaml", editor.shown["world.yaml"][0])
            define = next(a for a in actions if a.title.startswith(f"Define the {kind}"))
            editor.apply(define.edit)
            with self.subTest(kind=kind):
                self.write("mended.yaml", editor.texts["world.yaml"])
                self.assertEqual(mistakes_of(self.folder / "mended.yaml"), [])

    async def test_other_files_are_left_alone(self):
        editor = await self.opened("services: [web]\n", "other.yaml")
        editor.open(self.write("world.yaml", SOFTLOCK))
        await editor.until(lambda: editor.codes("world.yaml"), "a finding")
        self.assertEqual(editor.shown.get("other.yaml", []), [])
        self.assertEqual(await editor.labels("other.yaml", "services"), [])


class Findings(ServerTest):
    async def test_findings_are_those_of_check_with_their_moves_at_their_lines(self):
        text = (DEMO / "starter.yaml").read_text(encoding="utf-8")
        text = text.replace("lantern", "lamp").replace("salt_key", "old_key")
        editor = await self.opened()
        for name, world in {"softlock.yaml": SOFTLOCK, "starter.yaml": text}.items():
            editor.open(self.write(name, world))
            report = check(load(str(self.folder / name)))
            expected = sorted((f.kind, f.span.line if f.span else 1) for f in report.findings)
            await editor.until(
                lambda e=expected, n=name: mistakes_in(editor.shown.get(n, ())) == e,
                f"{expected}",
            )

    async def test_a_softlock_stands_at_its_lock_with_the_walk_into_it(self):
        editor = await self.opened()
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        softlock = next(d for d in editor.shown["world.yaml"] if d.code == "softlock")
        line = editor.texts["world.yaml"].split("\n")[softlock.range.start.line]
        self.assertTrue(line.startswith("  shed_door:"))
        self.assertEqual(softlock.severity, lsp.DiagnosticSeverity.Error)
        self.assertIn("A key of brass", softlock.message)
        moves = [place.message for place in softlock.related_information]
        self.assertEqual(len(moves), 1)
        self.assertTrue(moves[0].startswith("1. Open "))

    async def test_accepted_findings_are_hints_with_their_reason(self):
        accept = "accept:\n  - {finding: softlock, of: shed_door, because: it is a riddle}\n"
        editor = await self.opened(SOFTLOCK + accept)
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        softlock = next(d for d in editor.shown["world.yaml"] if d.code == "softlock")
        self.assertEqual(softlock.severity, lsp.DiagnosticSeverity.Hint)
        self.assertIn("accepted: it is a riddle", softlock.message)

    async def test_findings_of_a_text_that_has_changed_are_never_shown(self):
        text = (DEMO / "draft.yaml").read_text(encoding="utf-8")
        editor = await self.opened(text, settings={"pause": 0})
        await asyncio.sleep(1.0)  # the search is on its way
        editor.change("world.yaml", whole=SOFTLOCK)
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        subjects = [d.data["subject"] for _, _, ds in editor.history for d in ds if d.data]
        self.assertLessEqual(set(subjects), {"shed_door", "vault_door", "key", "shed", "world"})
        # a door that keeps its key strands nobody any more
        editor.replace("world.yaml", "shed_door: {takes", "shed_door: {needs")
        await editor.until(lambda: editor.history[-1][1] == 3, "the next version")
        await editor.until(lambda: "skippable" in editor.codes("world.yaml"), "its own findings")
        shown = [d.code for _, version, ds in editor.history if version == 3 for d in ds]
        self.assertNotIn("softlock", shown)

    async def test_without_search_there_are_mistakes_alone(self):
        editor = await self.opened(settings={"search": False})
        editor.replace("world.yaml", "takes: key", "takes: keyy")
        await editor.until(lambda: editor.codes("world.yaml"), "the mistake")
        editor.replace("world.yaml", "takes: keyy", "takes: key")
        await editor.until(lambda: not editor.codes("world.yaml"), "no mistake")
        await asyncio.sleep(0.5)
        self.assertEqual(editor.codes("world.yaml"), [])

    async def test_what_a_limit_left_out_is_said(self):
        text = (DEMO / "draft.yaml").read_text(encoding="utf-8")
        editor = await self.opened(text, settings={"pause": 0, "seconds": 0.4})
        await editor.until(lambda: "incomplete" in editor.codes("world.yaml"), "the limit")
        said = next(d for d in editor.shown["world.yaml"] if d.code == "incomplete")
        self.assertIn("there may be more findings", said.message)

    async def test_settings_that_are_not_understood_are_told_and_left(self):
        editor = await self.opened(settings={"pause": "long"})
        await editor.until(lambda: editor.messages, "a message")
        self.assertIn("pause", editor.messages[0])
        self.assertIn("There are: search, pause", editor.messages[0])
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")


class SeveralFiles(ServerTest):
    def setUp(self):
        super().setUp()
        for name, text in TREE.items():
            self.write(name, text)

    async def editor(self, *names, **options):
        editor = Editor(self.folder, QUICK, nursery=NURSERY, **options)
        await self.enterAsyncContext(editor)
        for name in names:
            editor.open(name)
        return editor

    async def saved(self, name, text, happened):
        """Save a file, again and again, until somebody who watches it has seen it."""
        for number in range((PATIENCE // 2).bit_length()):
            self.write(name, f"{text}# {number}\n")
            # twice as long each time: a save begins a search again that was not done by then
            for _ in range(20 << number):
                if happened():
                    return
                await asyncio.sleep(0.05)
        self.fail(f"nobody has seen that {name} was saved")

    async def test_a_part_belongs_to_the_world_that_includes_it(self):
        editor = await self.editor("parts/items.yaml")
        await editor.until(lambda: "unused" in editor.codes("items.csv"), "the finding of a table")
        self.assertEqual(editor.codes("parts/items.yaml"), [])
        editor.replace("parts/items.yaml", "key:", "kay:")
        await editor.until(
            lambda: "unknown-id" in editor.codes("world.yaml"), "a mistake elsewhere"
        )
        editor.replace("parts/items.yaml", "kay:", "key:")
        await editor.until(lambda: not editor.codes("world.yaml"), "no mistake")
        self.assertIn("asked for by: door", await editor.hover("parts/items.yaml", "key"))

    async def test_a_file_that_is_not_open_counts_as_it_is_saved(self):
        for capabilities in (
            capabilities_of_most(),
            capabilities_of_most(
                did_change_watched_files=lsp.DidChangeWatchedFilesClientCapabilities(True)
            ),
        ):
            self.write("parts/items.yaml", TREE["parts/items.yaml"])
            editor = await self.editor("world.yaml", capabilities=capabilities)
            await editor.until(lambda: "unused" in editor.codes("items.csv"), "a finding")  # noqa: B023

            def seen(editor=editor):
                return "unknown-id" in editor.codes("world.yaml")

            changed = "items:\n  kay: A key\n"
            if not capabilities.workspace.did_change_watched_files:
                await self.saved("parts/items.yaml", changed, seen)
                continue
            self.assertEqual(editor.registered, [lsp.WORKSPACE_DID_CHANGE_WATCHED_FILES])
            self.write("parts/items.yaml", changed)
            event = lsp.FileEvent(editor.uri("parts/items.yaml"), lsp.FileChangeType.Changed)
            editor.client.workspace_did_change_watched_files(
                lsp.DidChangeWatchedFilesParams([event])
            )
            await editor.until(seen, "a mistake")

    async def test_ids_are_found_and_changed_in_all_files_and_scripts(self):
        self.write("walks/win.walk", "quay_key\ndoor\nexpect key  # the key\n")
        editor = await self.editor("world.yaml")
        await editor.until(lambda: "unused" in editor.codes("items.csv"), "a finding")
        place = editor.place("world.yaml", "needs: key", 8)
        target = await editor.client.text_document_definition_async(lsp.DefinitionParams(*place))
        self.assertEqual(editor.name(target.uri), "parts/items.yaml")
        context = lsp.ReferenceContext(include_declaration=True)
        references = await editor.client.text_document_references_async(
            lsp.ReferenceParams(context, *place)
        )
        self.assertEqual(
            sorted(editor.name(r.uri) for r in references),
            ["parts/items.yaml", "world.yaml", "world.yaml"],
        )
        prepared = await editor.client.text_document_prepare_rename_async(
            lsp.PrepareRenameParams(*place)
        )
        text = editor.texts["world.yaml"]
        self.assertEqual(
            text[offset_of(text, prepared.start) : offset_of(text, prepared.end)], "key"
        )
        edit = await editor.client.text_document_rename_async(
            lsp.RenameParams(*place, new_name="brass_key")
        )
        editor.apply(edit)
        self.assertEqual(editor.texts["parts/items.yaml"], "items:\n  brass_key: A key\n")
        self.assertIn("finds: [brass_key]", editor.texts["world.yaml"])
        self.assertEqual(
            editor.texts["walks/win.walk"], "quay_brass_key\ndoor\nexpect brass_key  # the key\n"
        )

    async def test_an_id_that_cannot_be_is_refused_with_a_reason(self):
        editor = await self.editor("world.yaml")
        for new, reason in {"rope": "already the id of an item", "A key": "lower-case"}.items():
            place = editor.place("world.yaml", "needs: key", 8)
            with self.subTest(new=new), self.assertRaisesRegex(Exception, reason):
                await editor.client.text_document_rename_async(
                    lsp.RenameParams(*place, new_name=new)
                )

    async def test_includes_are_links_and_closed_worlds_are_left(self):
        editor = await self.editor("world.yaml")
        links = await editor.client.text_document_document_link_async(
            lsp.DocumentLinkParams(editor.document("world.yaml"))
        )
        self.assertEqual(
            [editor.name(link.target) for link in links], ["parts/items.yaml", "items.csv"]
        )
        await editor.until(lambda: "unused" in editor.codes("items.csv"), "a finding")
        editor.close("world.yaml")
        await editor.until(lambda: not editor.codes("items.csv"), "nothing more")

    async def test_a_part_that_was_missing_is_found_when_it_comes(self):
        (self.folder / "parts/items.yaml").unlink()
        editor = await self.editor("world.yaml")
        await editor.until(lambda: "no-file" in editor.codes("world.yaml"), "the mistake")
        self.write("items.csv", TREE["items.csv"] + "hook,A hook\n")
        await self.saved(
            "parts/items.yaml",
            TREE["parts/items.yaml"],
            lambda: editor.codes("items.csv").count("unused") == 2,
        )

    async def test_each_of_several_worlds_is_searched_whichever_is_written_at(self):
        self.write("draft.yaml", SOFTLOCK + LEVERS)
        editor = await self.editor("draft.yaml")
        editor.open(self.write("other.yaml", SOFTLOCK))
        for number in range(6):
            await asyncio.sleep(0.15)
            editor.change("other.yaml", whole=SOFTLOCK + f"# {number}\n")
        await editor.until(
            lambda: (
                "softlock" in editor.codes("draft.yaml")
                and "softlock" in editor.codes("other.yaml")
            ),
            "both",
        )

    async def test_two_worlds_do_not_mix(self):
        editor = await self.editor("world.yaml")
        editor.open(self.write("other.yaml", SOFTLOCK))
        await editor.until(
            lambda: "softlock" in editor.codes("other.yaml") and editor.codes("items.csv"), "both"
        )
        self.assertNotIn("softlock", editor.codes("world.yaml"))
        self.assertNotIn("lamp", await editor.labels("world.yaml", "needs: key", 7))
        self.assertIn("lamp", await editor.labels("other.yaml", "takes: key", 7))


class Asking(ServerTest):
    async def test_hover_tells_of_things_fields_and_conditions(self):
        editor = await self.opened()
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        thing = await editor.hover("world.yaml", "takes: key", 8)
        self.assertIn("**A key of brass**", thing)
        self.assertIn("spent on: shed\\_door, vault\\_door", thing)
        self.assertIn("most ever held: 1", thing)
        self.assertIn("had from the start", thing)
        field = await editor.hover("world.yaml", "refuses", 2)
        self.assertIn("**refuses** of a lock", field)
        condition = await editor.hover("world.yaml", "when: lamp", 7)
        self.assertIn("`lamp` holds in 1 (17 %) of 6 situations", condition)
        self.assertEqual(await editor.hover("world.yaml", "Locked.", 2), "")

    async def test_lines_above_and_words_behind_can_be_switched_off(self):
        editor = await self.opened()
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        document = editor.document("world.yaml")
        everywhere = lsp.Range(lsp.Position(0, 0), lsp.Position(99, 0))
        for shown in (True, False):
            settings = {"zubrel": {**QUICK, "search": shown, "lenses": shown, "hints": shown}}
            if not shown:
                editor.client.workspace_did_change_configuration(
                    lsp.DidChangeConfigurationParams(settings)
                )
            lenses = await editor.client.text_document_code_lens_async(lsp.CodeLensParams(document))
            titles = [lens.command.title for lens in lenses or ()]
            hints = await editor.client.text_document_inlay_hint_async(
                lsp.InlayHintParams(document, everywhere)
            )
            with self.subTest(shown=shown):
                self.assertEqual("from the start · asked for by 0 · spent by 2" in titles, shown)
                self.assertEqual("zubrel: show the walk (softlock)" in titles, shown)
                self.assertEqual([hint.label.strip() for hint in hints or ()], ["17 %"] * shown)

    async def test_symbols_folds_and_formats(self):
        editor = await self.opened(
            SOFTLOCK + "notes: |\n  two  \n  lines\n",
            settings={
                "search": False,
                "formatting": True,
            },
        )
        document = editor.document("world.yaml")
        symbols = await editor.client.text_document_document_symbol_async(
            lsp.DocumentSymbolParams(document)
        )
        self.assertIn("locks", [symbol.name for symbol in symbols])
        locks = next(symbol for symbol in symbols if symbol.name == "locks")
        self.assertEqual([s.name for s in locks.children], ["shed_door", "vault_door"])
        folds = await editor.client.text_document_folding_range_async(
            lsp.FoldingRangeParams(document)
        )
        self.assertIn((9, 11), [(fold.start_line, fold.end_line) for fold in folds])
        named = await editor.client.workspace_symbol_async(lsp.WorkspaceSymbolParams("door"))
        self.assertEqual([symbol.name for symbol in named], ["shed_door", "vault_door"])
        options = lsp.FormattingOptions(2, True)
        ask = lsp.DocumentFormattingParams(document, options)
        self.assertFalse(await editor.client.text_document_formatting_async(ask))
        blank = SOFTLOCK.replace("locks:", "locks:   ")
        editor.change("world.yaml", whole=blank + "\n\n")
        edits = await editor.client.text_document_formatting_async(ask)
        spans = [(offset_of(blank + "\n\n", e.range.start), e.new_text) for e in edits]
        self.assertEqual(len(spans), 2)
        for edit in reversed(edits):
            text = editor.texts["world.yaml"]
            span = (offset_of(text, edit.range.start), offset_of(text, edit.range.end))
            editor.change("world.yaml", (*span, edit.new_text))
        self.assertEqual(editor.texts["world.yaml"], SOFTLOCK)

    async def test_completion_puts_words_where_the_place_is(self):
        editor = await self.opened(settings={"search": False})
        items = await editor.client.text_document_completion_async(
            lsp.CompletionParams(*editor.place("world.yaml", "when: lamp", 8))
        )
        lamp = next(item for item in items if item.label == "lamp")
        text = editor.texts["world.yaml"]
        edit = lamp.text_edit
        self.assertEqual(
            text[offset_of(text, edit.range.start) : offset_of(text, edit.range.end)], "la"
        )
        lamp = await editor.client.completion_item_resolve_async(lamp)
        self.assertEqual(lamp.documentation, "from vault_lamp")


class Doing(ServerTest):
    async def test_changes_that_mend_are_offered_and_do(self):
        editor = await self.opened(chooses=True)
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        softlock = next(d for d in editor.shown["world.yaml"] if d.code == "softlock")
        actions = await editor.actions("world.yaml", softlock)
        ask = next(a for a in actions if a.command and a.command.command == "zubrel.mend")
        words = await editor.command(ask.command.command, *ask.command.arguments)
        self.assertTrue(words)
        self.assertTrue(editor.progress)
        await editor.until(lambda: editor.versions["world.yaml"] == 2, "the edit")
        self.write("mended.yaml", editor.texts["world.yaml"])
        mended = check(load(str(self.folder / "mended.yaml")))
        self.assertNotIn(("softlock", "shed_door"), [(f.kind, f.subject) for f in mended.findings])
        self.assertEqual(editor.asked[0][-1], "Not now")

    async def test_proved_changes_are_among_the_actions_until_the_text_changes(self):
        editor = await self.opened()
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        softlock = next(d for d in editor.shown["world.yaml"] if d.code == "softlock")
        before = await editor.actions("world.yaml", softlock)
        uri = editor.uri("world.yaml")
        words = await editor.command("zubrel.mend", uri, "softlock", "shed_door")
        after = await editor.actions("world.yaml", softlock)
        proved = [a for a in after if a.title.lower().startswith(tuple(w.lower() for w in words))]
        self.assertTrue(proved)
        self.assertLess(len(before), len(after))
        only = await editor.actions("world.yaml", softlock, only=[lsp.CodeActionKind.Refactor])
        self.assertFalse(only)

    async def test_a_finding_is_accepted_with_a_reason_to_be_written(self):
        editor = await self.opened(SOFTLOCK + "accept: []\n")
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        softlock = next(d for d in editor.shown["world.yaml"] if d.code == "softlock")
        softlock.data = None  # as of an editor that keeps nothing but what it shows
        actions = await editor.actions("world.yaml", softlock)
        editor.apply(next(a for a in actions if a.title.startswith("Accept")).edit)
        severity = lsp.DiagnosticSeverity.Hint
        await editor.until(
            lambda: any(d.severity == severity for d in editor.shown["world.yaml"]), "a hint"
        )
        self.assertIn("because: say here why", editor.texts["world.yaml"])

    async def test_walks_and_the_map_are_shown(self):
        editor = await self.opened()
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        uri = editor.uri("world.yaml")
        await editor.command("zubrel.showWalk", uri, "softlock", "shed_door")
        await editor.command("zubrel.openMap", uri)
        texts = [Path(editor.name(u)).read_text(encoding="utf-8") for u in editor.opened]
        self.assertIn("Open Shed door", texts[0])
        self.assertIn("</html>", texts[1])
        self.assertIn("shed_door", texts[1])

    async def test_a_request_that_is_cancelled_ends_and_nothing_else_does(self):
        editor = await self.opened(SOFTLOCK + LEVERS)
        await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        uri = editor.uri("world.yaml")
        bars = len(editor.progress)  # the search may have had one
        asked = asyncio.ensure_future(editor.command("zubrel.mend", uri, "softlock", "shed_door"))
        await editor.until(lambda: len(editor.progress) > bars, "a bar")
        token = editor.progress[-1]
        editor.client.window_work_done_progress_cancel(lsp.WorkDoneProgressCancelParams(token))
        self.assertEqual(await asyncio.wait_for(asked, PATIENCE), [])
        asked = editor.client.protocol.send_request(
            lsp.WORKSPACE_EXECUTE_COMMAND,
            lsp.ExecuteCommandParams("zubrel.mend", [uri, "softlock", "shed_door"]),
        )
        await asyncio.sleep(0.5)
        numbers = list(editor.client.protocol._request_futures)
        editor.client.cancel_request(lsp.CancelParams(numbers[-1]))
        with self.assertRaises(BaseException):  # noqa: B017
            await asyncio.wait_for(asyncio.wrap_future(asked), PATIENCE)
        self.assertIn("**A lamp**", await editor.hover("world.yaml", "  lamp:", 3))


class Endurance(ServerTest):
    async def test_a_text_that_is_cut_off_anywhere_is_answered_and_nothing_is_lost(self):
        text = (DEMO / "tidewrack.yaml").read_text(encoding="utf-8")
        editor = await self.opened(text, settings={"search": False})
        for number in range(PREFIXES):
            end = len(text) * (number + 1) // PREFIXES
            editor.change("world.yaml", whole=text[:end])
            with self.subTest(end=end):
                document = editor.document("world.yaml")
                place = (document, position_of(text[:end], end))
                client = editor.client
                await client.text_document_completion_async(lsp.CompletionParams(*place))
                await client.text_document_hover_async(lsp.HoverParams(*place))
                ask = lsp.DocumentSymbolParams(document)
                await client.text_document_document_symbol_async(ask)
        self.assertEqual(editor.messages, [])
        # all of it is there again, and was known in between
        self.assertIn("crowbar", await editor.labels("world.yaml", "wears: crowbar", 7))
        await editor.until(lambda: not editor.codes("world.yaml"), "no mistake")

    async def test_after_random_edits_it_has_the_text_that_the_editor_has(self):
        chance = random.Random(11)
        editor = await self.opened(settings={"search": False})
        for _ in range(2 * EDITS):
            editor.change("world.yaml", *random_edits(editor.texts["world.yaml"], chance, PLAIN))
        await editor.hover("world.yaml", "", 0)
        self.write("world.yaml", editor.texts["world.yaml"])
        expected = mistakes_of(self.folder / "world.yaml")
        await editor.until(
            lambda: mistakes_in(editor.shown["world.yaml"]) == expected, f"{expected}"
        )
        editor.change("world.yaml", whole=SOFTLOCK)
        await editor.until(lambda: not editor.codes("world.yaml"), "no mistake")

    @unittest.skipUnless(LONG, "make test-all")
    async def test_memory_does_not_grow_with_edits(self):
        editor = await self.opened(settings={"search": False})
        status = Path(f"/proc/{editor.server.pid}/status")
        if not status.exists():
            self.skipTest("this system does not tell how large a process is")
        sizes = []
        for number in range(10 * EDITS):
            new = "lamp and key" if number % 2 == 0 else "lamp"
            text = SOFTLOCK.replace("when: lamp", f"when: {new}") + f"# {number}\n"
            editor.change("world.yaml", whole=text)
            await editor.hover("world.yaml", "endings", 2)
            if number % EDITS == EDITS - 1:
                known = re.search(r"VmRSS:\s+(\d+)", status.read_text())
                sizes.append(int(known[1]))
        self.assertLess(max(sizes[3:]), 1.1 * sizes[2], sizes)


PLAIN = ("", "x", "\n", "\r\n", "\r", "é", "🔔", ": ", "- ", "  ", "#", "key")
ODD = (*PLAIN, "\u2028", "\x85", "\x0c", "\x1d")
"""Signs at which some break lines, and editors do not."""


def random_edits(text, chance, pieces=ODD):
    """Up to three edits, one after the other, with signs that count otherwise elsewhere."""
    edits = []
    for _ in range(chance.randint(1, 3)):
        begin = chance.randint(0, len(text))
        end = min(len(text), begin + chance.choice([0, 0, 1, 2, 7]))
        new = "".join(chance.choices(pieces, k=chance.randint(0, 3)))
        # an editor does not put its place between the two halves of a line end
        if text[begin - 1 : begin + 1] == "\r\n" or text[end - 1 : end + 1] == "\r\n":
            continue
        edits.append((begin, end, new))
        text = text[:begin] + new + text[end:]
    return edits


class Layouts(unittest.TestCase):
    def test_ten_thousand_edits_make_the_text_that_an_editor_makes(self):
        for encoding in ("utf-16", "utf-8", "utf-32"):
            chance = random.Random(encoding)
            text = "zubrel: 1\n"
            layout = TextLayout(text, encoding)
            for _ in range(3400):
                for begin, end, new in random_edits(text, chance):
                    span = lsp.Range(layout.position(begin), layout.position(end))
                    change = lsp.TextDocumentContentChangePartial(span, new)
                    text = text[:begin] + new + text[end:]
                    layout = TextLayout(layout.changed(change), encoding)
                    self.assertEqual(layout.text, text)
                if len(text) > 400:
                    text = text[:200].rstrip("\r")
                    layout = TextLayout(text, encoding)

    def test_positions_are_those_of_an_independent_count(self):
        chance = random.Random(5)
        text = "a🔔b\r\nc\u2028d\r\né\n"
        for _ in range(200):
            layout = TextLayout(text, "utf-16")
            at = chance.randint(0, len(text))
            if text[at - 1 : at + 1] != "\r\n":
                self.assertEqual(layout.position(at), position_of(text, at))
                self.assertEqual(layout.offset(position_of(text, at)), at)
            text = text[:at] + chance.choice("x🔔\n\r\u2028é") + text[at:]


class Workers(unittest.IsolatedAsyncioTestCase):
    async def test_work_that_is_not_wanted_any_more_is_not_begun(self):
        worker = Worker()
        self.addCleanup(worker.close)
        asked = asyncio.create_task(worker.do(searched, "w.yaml", {"w.yaml": SOFTLOCK}, Limits()))
        await asyncio.sleep(0)  # it waits for a process
        worker.end_if_busy()
        with self.assertRaises(Ended):
            await asked
        result = await worker.do(searched, "w.yaml", {"w.yaml": SOFTLOCK}, Limits())
        self.assertEqual(result.report.verdict, "softlocks")


class Beginnings(ServerTest):
    async def test_the_program_itself_speaks_by_its_standard_streams(self):
        editor = Editor(self.folder, QUICK)
        async with editor:
            editor.open(self.write("world.yaml", SOFTLOCK))
            await editor.until(lambda: "softlock" in editor.codes("world.yaml"), "the softlock")
        self.assertEqual(editor.code, 0)

    async def test_it_waits_for_an_editor_at_a_port_and_ends_with_it(self):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        server = subprocess.Popen(
            [sys.executable, "-m", "zubrel", "language-server", "--tcp", str(port)],
            stderr=subprocess.PIPE,
            text=True,
        )
        self.addCleanup(server.stderr.close)
        self.addCleanup(server.kill)
        self.assertIn(f"waiting for an editor at 127.0.0.1:{port}", server.stderr.readline())
        client = LanguageClient("editor", "1")
        for _ in range(50):
            try:
                await client.start_tcp("127.0.0.1", port)
                break
            except OSError:
                await asyncio.sleep(0.1)
        params = lsp.InitializeParams(capabilities=lsp.ClientCapabilities())
        answer = await client.initialize_async(params)
        self.assertEqual(answer.server_info.name, "zubrel")
        await client.shutdown_async(None)
        client.exit(None)
        self.assertEqual(await asyncio.to_thread(server.wait, 20), 0)
        await client.stop()

    def run_program(self, *arguments, **env):
        return subprocess.run(
            [sys.executable, "-m", "zubrel", "language-server", *arguments],
            input="",
            capture_output=True,
            text=True,
            env={**os.environ, **env},
            timeout=PATIENCE,
        )

    def test_a_port_that_is_none_or_taken_is_wrong_usage(self):
        self.assertIn("is no port", self.run_program("--tcp", "here").stderr)
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            done = self.run_program("--tcp", str(taken.getsockname()[1]))
        self.assertEqual(done.returncode, 2)
        self.assertIn("nothing can wait at 127.0.0.1", done.stderr)

    def test_without_the_library_it_says_what_to_install(self):
        (self.folder / "pygls.py").write_text("raise ImportError\n", encoding="utf-8")
        done = self.run_program(PYTHONPATH=str(self.folder))
        self.assertEqual(done.returncode, 2)
        self.assertIn("pip install 'zubrel[editor]'", done.stderr)

    def test_an_editor_that_goes_away_ends_it(self):
        self.assertEqual(self.run_program().returncode, 0)

    def test_what_is_no_message_is_passed_over(self):
        body = json.dumps({"jsonrpc": "2.0", "id": 1, "method": "shutdown"})
        text = f"Content-Length: 3\r\n\r\n{{x}}Content-Length: {len(body)}\r\n\r\n{body}"
        done = subprocess.run(
            [sys.executable, "-m", "zubrel", "language-server"],
            input=text,
            capture_output=True,
            text=True,
            timeout=PATIENCE,
        )
        self.assertEqual(done.returncode, 0)
        self.assertIn('{"id": 1, "jsonrpc": "2.0", "result": null}', done.stdout)


if __name__ == "__main__":
    unittest.main()
