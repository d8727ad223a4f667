"""What an author says a world is meant to be: promises, and findings that are accepted."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from zubrel.authored.conditions import Condition, Name
from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.base.kinds import KINDS, STALE
from zubrel.base.spelling import listing, suggestion
from zubrel.checked.frames import key_of
from zubrel.checked.resolve import Resolver
from zubrel.checked.things import Acceptance, Promise
from zubrel.checked.world import Rule

PROMISES = ("never", "always", "possible", "stays_possible", "before", "within")


class Meant:
    """Makes promises and acceptances out of a document, problem by problem."""

    def __init__(self, document: Document, resolver: Resolver) -> None:
        self.document = document
        self.resolver = resolver
        self.problems = resolver.problems
        self.names = resolver.names

    def promises(self) -> tuple[Promise, ...]:
        return tuple(p for e in self.document.entries("promises") if (p := self._promise(e)))

    def _promise(self, entry: Entry) -> Promise | None:
        # several kinds in one entry would leave open which of them its reason belongs to
        kinds = [kind for kind in PROMISES if entry.has(kind)]
        if len(kinds) != 1:
            message = "a promise says exactly one thing"
            hint = f"It is one of: {listing(PROMISES)}."
            self.problems.add("missing" if not kinds else "misplaced", message, entry.span, hint)
            return None
        (kind,) = kinds
        conditions, ending, steps = list(entry.conditions("before")), None, 0
        # the only kind about two conditions, and about their order
        if kind == "before" and len(conditions) != 2:
            message = "this needs two conditions: the first before the second"
            self.problems.add("wrong-shape", message, entry.where("before"), "before: [A, B]")
        elif kind == "within":
            conditions, ending, steps = self._play(entry)
        elif kind != "before":
            condition = entry.condition(kind)
            conditions = [condition] if condition else []
        return Promise(
            key_of(entry),
            key_of(entry),
            entry.span,
            kind,
            tuple(self.resolver.condition(c) for c in conditions),
            ending,
            steps,
            entry.text("because"),
        )

    def _play(self, entry: Entry) -> tuple[list[Condition], str | None, int]:
        play = entry.entry("within")
        reach, steps = (play.condition("reach"), play.number("steps")) if play else (None, None)
        if reach is None or steps is None:
            message = 'this needs "steps" and what to "reach"'
            hint = "within: {steps: 20, reach: some_ending}"
            self.problems.add("missing", message, entry.where("within"), hint)
            return [], None, 0
        # an ending is no condition: to reach it is to have the game end so
        if self.names.kind_of(reach.text) == "ending":
            return [], reach.text, steps
        return [reach], None, steps

    def accepted(self, rules: list[Rule]) -> tuple[Acceptance, ...]:
        """The accepted findings. What is accepted and not found cannot be accepted in its turn."""
        # subjects of findings: things, rules, and the world as a whole
        known = {"world", *self.names.known, *(r.id for r in rules)}
        accepted: list[Acceptance] = []
        for entry in self.document.entries("accept"):
            kind, subjects = entry.word("finding"), entry.words("of")
            if kind is None or not subjects:
                message = "this needs the kind of finding and its subject"
                hint = "{finding: missable, of: some_id, because: why it is wanted}"
                self.problems.add("missing", message, entry.span, hint)
                continue
            self._check_kind(kind)
            # either one thing, or all that some moves close: both at once would say nothing clear
            because, closers = entry.text("because"), entry.words("closed_by")
            if [s.text for s in subjects] == ["all"]:
                closed_by = self._closers(kind, closers, subjects[0], rules)
                named = closers[0].text if closers else "all"
                accepted.append(Acceptance(kind.text, named, because, entry.span, closed_by))
                continue
            if closers:
                message = '"closed_by" goes with "of: all"'
                hint = "Write of: all, or leave closed_by out."
                self.problems.add("bad-value", message, closers[0].span, hint)
            for subject in subjects:
                self._check_known(subject, known)
                accepted.append(Acceptance(kind.text, subject.text, because, entry.span))
        return tuple(accepted)

    def _check_kind(self, kind: Name) -> None:
        kinds = [slug for slug in KINDS if slug != STALE]
        if kind.text not in kinds:
            message = f'there is no finding "{kind.text}"'
            hint = suggestion(kind.text, kinds) or f"There are: {listing(kinds, 40)}."
            self.problems.add("bad-value", message, kind.span, hint)

    def _check_known(self, subject: Name, known: Collection[str]) -> None:
        if subject.text not in known:
            message = f'there is nothing with the id "{subject.text}"'
            hint = suggestion(subject.text, known)
            self.problems.add("unknown-id", message, subject.span, hint)

    def _closers(
        self, kind: Name, closers: Sequence[Name], every: Name, rules: Sequence[Rule]
    ) -> tuple[str, ...]:
        """The rules that `of: all` speaks of."""
        if kind.text != "missable" or not closers:
            message = '"all" is meant of what can be missed, and by which moves'
            hint = "{finding: missable, of: all, closed_by: some_way, because: why it is wanted}"
            self.problems.add("bad-value", message, every.span, hint)
        candidates: list[str] = []
        for closer in closers:
            # an author may name one rule, or what it belongs to with all its rules
            meant = [r.id for r in rules if closer.text in (r.id, r.owner, r.common)]
            if not meant:
                self._check_known(closer, {r.id for r in rules})
            candidates += meant
        return tuple(dict.fromkeys(candidates))
