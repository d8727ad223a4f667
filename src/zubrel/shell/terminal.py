"""Walking by hand at a terminal: what can be typed, and what it does."""

from __future__ import annotations

import os
import random
import shutil
import sys
from collections.abc import Iterable
from contextlib import suppress

import click

from zubrel.base.plain import plain
from zubrel.checked.world import Rule
from zubrel.narrated.words import counted, listed
from zubrel.played.advice import Hints
from zubrel.played.session import Impossible, MadeMove, NeedsOutcome, Session
from zubrel.played.why import lacking
from zubrel.shell.prompts import HELP, LEAVING, is_number
from zubrel.shell.screen import Screen
from zubrel.shell.streams import CannotWrite, say, write_text
from zubrel.walked.changing import Situation
from zubrel.walked.telling import outcome_text, refusal


class Play:
    """A session of walking by hand, typed and shown."""

    def __init__(self, session: Session, advice: Hints | None, luck: random.Random | None) -> None:
        self.session = session
        self.world = session.world
        self.advice = advice
        self.luck = luck
        self.screen = Screen(session, advice)

    def run(self) -> None:
        say(self.world.title, bold=True)
        if self.session.deal:
            say("(Some items are dealt out: --seed draws another deal, save writes this one down.)")
        self.screen.look()
        while (line := self._read()) is not None:
            word, _, remaining = line.strip().partition(" ")
            if word in LEAVING:
                break
            if word:
                self._obey(word, remaining.strip())

    def _read(self) -> str | None:
        if sys.stdin is None:
            return None
        if sys.stdin.isatty():
            with suppress(ImportError):  # with it, earlier lines can be called back and edited
                import readline  # noqa: F401
            try:
                return input("> ")
            except EOFError:
                return None
        try:
            line = sys.stdin.readline()
        except UnicodeDecodeError:
            say("That is no text in UTF-8.")
            return ""
        if line:
            # what is piped in is not seen: so it reads like what was typed
            say(f"> {plain(line.rstrip())}")
        return line or None

    def _obey(self, word: str, remaining: str) -> None:
        match word:
            case "help":
                say(HELP)
            case "look":
                self.screen.look_at(remaining) if remaining else self.screen.look()
            case "held":
                say(f"held: {self.screen.held()}")
            case "quests":
                say("\n".join(self.screen.quests()) or "no quests")
            case "undo" | "redo":
                self._back_or_forth(word)
            case "why":
                self._why(remaining)
            case "hint":
                self._hint()
            case "ids":
                self.screen.ids()
            case "goto":
                self._goto(remaining)
            case "save":
                self._save(remaining)
            # anything else is a move: its number, or the id of a rule
            case _:
                self._do(word if not remaining else f"{word} {remaining}")

    def _rule(self, name: str) -> Rule | None:
        if is_number(name):
            number = int(name)
            if 1 <= number <= len(self.screen.numbered):
                return self.screen.numbered[number - 1]
            say(f"There is no move {name} here.")
            return None
        rule = self.session.find(name)
        if rule is None:
            say(f"There is no “{plain(name)}” – a number, a rule id, or help.")
        return rule

    def _do(self, text: str) -> None:
        name, _, outcome = (part.strip() for part in text.partition(":"))
        rule = self._rule(name)
        if rule is None:
            return
        before = self.session.here
        try:
            step = self.session.move(rule, int(outcome) if is_number(outcome) else None)
        except Impossible:
            mentioned = refusal(self.session.walker, rule, before)
            say(f"“{mentioned}”" if mentioned else "That is not possible.")
            say(f"  {listed(lacking(self.session.walker, rule, before))}")
            return
        # luck is drawn, or chosen by whoever plays to test
        except NeedsOutcome as luck:
            chosen = self._draw(luck)
            if chosen is None:
                return
            step = self.session.move(rule, chosen)
        self._after(step, before)

    def _draw(self, needed: NeedsOutcome) -> int | None:
        """The outcome that luck brings: drawn, or asked for."""
        outcomes = needed.rule.outcomes
        if self.luck is not None:
            return self.luck.choices([o.number for o in outcomes], [o.odds for o in outcomes])[0]
        for outcome in outcomes:
            says = outcome_text(self.session.walker, outcome, self.session.here)
            say(f"  outcome {outcome.number} (odds {outcome.odds:g}): {says or '…'}")
        say("Which outcome?")
        reply = (self._read() or "").strip()
        if is_number(reply) and int(reply) in needed.numbers:
            return int(reply)
        say("Nothing was done.")
        return None

    def _after(self, step: MadeMove, before: Situation) -> None:
        say(f"{step.rule.label}.")
        if step.says:
            say(f"  “{step.says}”")
        if step.changes:
            say(f"  {', '.join(step.changes)}")
        if self.advice is not None:
            for missed in self.advice.lost(before, step.after):
                if missed.subject not in self.world.endings:
                    name = self.world.name_of(missed.subject)
                    say(f"  Missed for good: {name} ({missed.subject}).", fg="magenta")
        self.screen.look()

    def _back_or_forth(self, word: str) -> None:
        moved = bool(self.session.done) if word == "undo" else bool(self.session.undone)
        if not moved:
            say(f"Nothing to {word}.")
            return
        if word == "undo":
            self.session.undo()
        else:
            self.session.redo()
        self.screen.look()

    def _why(self, name: str) -> None:
        if not name:
            self._why_no_win()
            return
        rule = self._rule(name)
        if rule is None:
            return
        missing = lacking(self.session.walker, rule, self.session.here)
        say(listed(missing) if missing else f"“{rule.label}” is possible.")
        if missing and self.advice is not None and not self.session.over:
            self._explain(self.advice.why_never(self.session.made(), rule))

    def _why_no_win(self) -> None:
        if self.advice is None:
            say("Nothing is known of what can still be; start with --hints. Or name a move.")
        elif self.session.over or (live := self.advice.live(self.session.here)):
            say("Why what? Name a move: its number, or the id of a rule.")
        elif live is None:
            say("Whether a win is left here is not known. Name a move to ask about that.")
        else:
            self._explain(self.advice.why_never(self.session.made()))

    def _explain(self, lines: Iterable[str]) -> None:
        """Say sentences, each set in under what it explains; at a terminal no wider than it is."""
        wide = None
        if sys.stdout is not None and sys.stdout.isatty():
            wide = shutil.get_terminal_size().columns
        for line in lines:
            indent = " " * (2 + len(line) - len(line.lstrip()))
            text = line.strip()
            # a terminal would break lines within words
            say(click.wrap_text(text, wide, indent, indent) if wide else indent + text)

    def _hint(self) -> None:
        if self.advice is None:
            say("There are no hints for this world; start with --hints.")
            return
        hint = self.advice.next_move(self.session.here)
        if hint is None and self.advice.live(self.session.here) is None:
            say("No win is known from here, which does not mean that there is none.")
            return
        if hint is None:
            say("There is no win from here; undo goes back.")
            return
        far = f"{'' if hint.shortest else 'at most '}{counted(hint.moves - 1, 'move')} away"
        left = f"then a win is {far}" if hint.moves > 1 else "that wins"
        say(f"“{hint.rule.label}” ({hint.rule.id}): {left}.")

    def _goto(self, text: str) -> None:
        last = len(self.session.done) + len(self.session.undone)
        if not is_number(text) or int(text) > last:
            say(f"goto needs a line of the walk, 0 to {last}.")
            return
        while len(self.session.done) > int(text):
            self.session.undo()
        while len(self.session.done) < int(text):
            self.session.redo()
        self.screen.look()

    def _save(self, path: str) -> None:
        if not path:
            say("save needs the name of a file.")
            return
        # a broken link is there as well
        if os.path.lexists(path.replace("\0", "")) and not self._may_overwrite(path):
            say(f"{plain(path)} is already there: nothing is written.")
            return
        try:
            write_text(self.session.script(), path)
        except click.UsageError as wrong:
            say(wrong.message)
            return
        except CannotWrite as fault:
            say(str(fault))
            return
        say(f"{plain(path)}: {counted(len(self.session.done), 'move')}")

    def _may_overwrite(self, path: str) -> bool:
        """Whether somebody at a terminal agrees to that; piped input never does."""
        if sys.stdin is None or not sys.stdin.isatty():
            return False
        say(f"{plain(path)} is already there. Write over it? (yes or no)")
        return (self._read() or "").strip().lower() in ("y", "yes")
