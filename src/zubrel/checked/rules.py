"""Finds, ways, deeds and locks -> rules: one for each thing that a player can do."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property

from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.base.source import Span
from zubrel.checked.bodies import Implied, outcomes_of
from zubrel.checked.conditions import LockOpen, Marked, Not, all_of
from zubrel.checked.effects import Effect, Give, OpenLock, SetMark, ShutLock
from zubrel.checked.frames import (
    Frame,
    Site,
    counted,
    key_of,
    lock_of,
    name_of,
    places,
)
from zubrel.checked.resolve import Resolver
from zubrel.checked.rule_kinds import RuleKind
from zubrel.checked.things import Item, Said
from zubrel.checked.trades import shop_site
from zubrel.checked.world import Happening, Outcome, Rule

MOST_RULES = 20_000


class RuleMaker:
    """Makes the rules of a world, in the order of its sections and files."""

    def __init__(
        self,
        document: Document,
        resolver: Resolver,
        items: dict[str, Item],
        others: Callable[[], Iterator[Frame]],
    ) -> None:
        self.document = document
        self.others = others
        self.resolver = resolver
        self.items = items
        self.names = resolver.names
        self.area_names = {key_of(e): name_of(e) for e in document.entries("areas")}
        self.made = 0
        """Rules so far: what is written once and used often multiplies."""
        self.relocking = {
            key_of(e) for e in document.entries("locks") if e.text("relocks") == "passing"
        }

    def rules(self) -> list[Rule]:
        rules: list[Rule] = []
        # in the order of the files: numbers of rules, and so all that is told, follow it
        for frame in self._frames():
            rules += self._rules_of(frame)
        return rules

    def _frames(self) -> Iterator[Frame]:
        for area in self.document.entries("areas"):
            if area.key:
                yield from self._of_area(area, area.key.text)
        for deed in self.document.entries("deeds"):
            yield self._deed(deed, places(deed, self.resolver))
        for lock in self.document.entries("locks"):
            yield self._lock(lock)
        yield from self.others()

    def _of_area(self, area: Entry, here: str) -> Iterator[Frame]:
        for find in area.entries("finds"):
            yield from self._find(find, here)
        for way in area.entries("ways"):
            yield from self._way(way, here)
        for deed in area.entries("deeds"):
            yield self._deed(deed, Site((here,)))

    def _find(self, find: Entry, here: str) -> Iterator[Frame]:
        # both short and long forms say an item and a count
        amount = find.values.get("amount")
        word = amount.name if amount else find.word("item")
        if word is None:
            message = "a find needs to say which item lies here"
            self.resolver.problems.add("missing", message, find.span, "Add: item: some_item")
            return
        item = self.names.find(word, "item")
        if item is None:
            return
        count = (amount.count if amount else find.number("count")) or 1
        this = key_of(find)
        mark: tuple[Effect, ...] = (
            # what comes again needs no mark, and each mark doubles what has to be searched
            () if find.text("again") == "always" else (SetMark("taken", this),)
        )
        offered = (Not(Marked("taken", this)),) if mark else ()
        label = f"Take {counted(count, self.items[item].name)}"
        implied = Implied(first=mark, gives=(Give(item, count),))
        # a lock on a find has to be open when it is taken
        lock = lock_of(find, self.resolver)
        yield Frame(this, "find", this, label, Site((here,)), find, implied, offered, (), lock)

    def _way(self, way: Entry, here: str) -> Iterator[Frame]:
        word = way.word("to")
        if word is None:
            message = "a way needs to say where it leads"
            self.resolver.problems.add("missing", message, way.span, "Add: to: some_area")
            return
        there = self.names.find(word, "area")
        if there is None:
            return
        # a way to itself may be meant where it does something
        if there == here and set(way.values) <= {"to", "one_way"}:
            message = f'this way leads from "{here}" to itself'
            hint = "What is done without going anywhere is a deed."
            self.resolver.problems.add("bad-value", message, word.span, hint)
            return
        if way.has("moves_to"):
            message = 'a way leads where its "to" says: "moves_to" does not fit here'
            self.resolver.problems.add(
                "misplaced",
                message,
                way.where("moves_to"),
                "It may stand in an alternative or an outcome.",
            )
        this, lock = key_of(way), lock_of(way, self.resolver)
        # shut last of all: what else the way does may open it
        last: tuple[Effect, ...] = (ShutLock(lock),) if lock and self._relocks(way, lock) else ()
        # a way that can be walked both ways is two rules with one body
        back = self.names.back_ids.get(id(way))
        for rule_id, start, end in ((this, here, there), (back, there, here)):
            if rule_id:
                label = f"Go to {self.area_names[end]}"
                implied = Implied(moves_to=end, last=last)
                yield Frame(
                    rule_id, "way", this, label, Site((start,)), way, implied, (), (), lock, this
                )

    def _relocks(self, way: Entry, lock: str) -> bool:
        own = way.text("relocks")
        return own == "passing" if own is not None else lock in self.relocking

    def _deed(self, deed: Entry, site: Site) -> Frame:
        this, lock = key_of(deed), lock_of(deed, self.resolver)
        return Frame(this, "deed", this, name_of(deed), site, deed, lock=lock)

    def _lock(self, lock: Entry) -> Frame:
        this = key_of(lock)
        # `from: []` is an answer: from nowhere by hand
        site = places(lock, self.resolver, "from") if lock.has("from") else self._met_at(this)
        implied = Implied(opens=(OpenLock(this),))
        shut = (Not(LockOpen(this)),)
        return Frame(this, "lock", this, f"Open {name_of(lock)}", site, lock, implied, shut)

    def _met_at(self, lock: str) -> Site:
        """Where something stands that this lock locks."""
        # each area once, in the order of the file
        known = dict.fromkeys(self._locked_in.get(lock, ()))
        for section in ("deeds", "stores", "shops"):
            for entry in self.document.entries(section):
                if _has_lock(entry, lock):
                    areas = shop_site(entry, self.resolver).areas
                    # a shop that is everywhere lets its lock be opened everywhere
                    if areas is None:
                        return Site()
                    known |= dict.fromkeys(areas)
        return Site(tuple(a for a in known if self.names.kind_of(a) == "area"))

    @cached_property
    def _locked_in(self) -> dict[str, list[str]]:
        """By locks the areas of what they lock: of a way both, unless there is none back."""
        areas: dict[str, list[str]] = {}
        for area in self.document.entries("areas"):
            here = key_of(area)
            for inner in (*area.entries("finds"), *area.entries("deeds"), *area.entries("ways")):
                lock, to = inner.word("lock"), inner.word("to")
                if lock is not None:
                    # what a word names is looked up elsewhere, which tells of mistakes
                    ends = areas.setdefault(lock.text, [])
                    ends.append(here)
                    if to is not None and not inner.flag("one_way"):
                        ends.append(to.text)
        return areas

    def _rules_of(self, frame: Frame) -> Iterator[Rule]:
        # before they are made: a world that would have a million rules is refused, and not waited
        # for
        self.made += max(1, len(frame.entry.entries("either")))
        if self.made > MOST_RULES:
            message = f"with this, the world has more than {MOST_RULES:,} rules"
            hint = "Alternatives of things that are written out many times multiply; write fewer."
            self.resolver.problems.add("too-large", message, frame.entry.span, hint)
            self.resolver.problems.stop_if_any()
        alternatives = frame.entry.entries("either")
        if not alternatives:
            yield self._rule(frame, frame.id, frame.label, (frame.entry,), frame.entry.span)
            return
        for number, alternative in enumerate(alternatives, 1):
            if frame.entry.has("chance") and alternative.has("chance"):
                message = '"chance" stands in the common body or in alternatives, not in both'
                self.resolver.problems.add("misplaced", message, alternative.where("chance"))
            rule_id = key_of(alternative)
            # the way back is no entry of the file, so that its alternatives have no ids there
            if frame.kind == "way" and frame.id != frame.owner:
                rule_id = self.names.make_up(f"{frame.id}_{number}", "rule", alternative.span)
            label = f"{frame.label}: {alternative.text('label') or f'alternative {number}'}"
            bodies = (frame.entry, alternative)
            yield self._rule(frame, rule_id, label, bodies, alternative.span)

    def _rule(
        self, frame: Frame, rule_id: str, label: str, bodies: tuple[Entry, ...], span: Span
    ) -> Rule:
        # marks come first of all, so that a rule that ends the game has set them
        marks, once = self._marks(frame, bodies)
        implied = frame.implied
        implied = Implied(
            (*implied.first, *marks),
            implied.takes,
            implied.gives,
            implied.opens,
            implied.moves_to,
            implied.last,
        )
        needs = self.resolver.all_of(c for b in bodies for c in b.conditions("needs"))
        needs = all_of(*frame.needs, needs)
        chancy = any(b.has("chance") for b in bodies)
        outcomes = outcomes_of(bodies, implied, self.resolver)
        # an empty list means no luck at all, or all outcomes were left out for having no odds
        if not outcomes or (chancy and not any(b.entries("chance") for b in bodies)):
            where = next(b.where("chance") for b in bodies if b.has("chance"))
            message = "at least one outcome must have odds above 0"
            self.resolver.problems.add("bad-value", message, where)
            # whoever reads on, for what else is wrong, finds one
            outcomes = (Outcome(1, 1.0, ()),)
        # what has been done once is not offered any more, which is not the same as being refused
        undone = (Not(Marked("done", o)) for o in once)
        only = (frame.only[rule_id],) if rule_id in frame.only else ()
        offered = all_of(*frame.site.offered, *frame.offered, *only, *undone)
        return Rule(
            rule_id,
            RuleKind(frame.kind),
            frame.owner,
            frame.id,
            label,
            span,
            frame.site.areas,
            offered,
            needs,
            frame.lock,
            once,
            outcomes,
            chancy,
            self._refuses(frame, bodies),
            self._hidden(frame, bodies),
            frame.last_blow,
        )

    def _hidden(self, frame: Frame, bodies: tuple[Entry, ...]) -> bool:
        entry = frame.entry
        if entry.flag("hidden") and not any(body.has("needs") for body in bodies):
            message = '"hidden" means until its needs hold, and this needs nothing'
            hint = "Add: needs: some_condition"
            self.resolver.problems.add("misplaced", message, entry.where("hidden"), hint)
        return entry.flag("hidden")

    def _refuses(self, frame: Frame, bodies: tuple[Entry, ...]) -> tuple[Said, ...]:
        if frame.kind == "lock":
            return ()  # what the lock refuses with
        return self.resolver.texts(t for body in reversed(bodies) for t in body.texts("refuses"))

    def _marks(
        self, frame: Frame, bodies: tuple[Entry, ...]
    ) -> tuple[tuple[Effect, ...], tuple[str, ...]]:
        """The done marks that a rule sets, and those of them that make it possible only once."""
        common, alternative = frame.once_id or frame.id, key_of(bodies[-1])
        taken = frame.kind == "find" and bool(frame.implied.first)
        once = [common] if bodies[0].flag("once") and not taken else []
        if len(bodies) == 2:
            # a `once` of the common body is shared, and needs no mark for each alternative
            limited = bool(once) or taken
            if bodies[1].flag("once") and not limited:
                once.append(alternative)
            # which alternative it was is remembered only where some condition asks
            elif limited and alternative in self.resolver.asked_done:
                return tuple(SetMark("done", m) for m in (*once, alternative)), tuple(once)
        return tuple(SetMark("done", m) for m in once), tuple(once)


def check_marks(rules: list[Rule], resolver: Resolver, happenings: tuple[Happening, ...]) -> None:
    """Whether everything that some condition calls done or taken can be so: it happens once."""
    outcomes = [o for r in rules for o in r.outcomes] + [h.outcome for h in happenings]
    kept = {e.subject for o in outcomes for e in o.effects if isinstance(e, SetMark)}
    for rule_id, name in resolver.dones.items():
        if rule_id not in kept:
            message = f'"{rule_id}" can happen any number of times, so it is never just "done"'
            hint = 'Add "once: true" to it, or let it set a fact and ask for that.'
            if resolver.names.kind_of(rule_id) == "find":
                hint = 'Ask for the item, or write "again: never" at the find.'
            resolver.problems.add("bad-condition", message, name.span, hint)


def _has_lock(entry: Entry, lock: str) -> bool:
    word = entry.word("lock")
    return word is not None and word.text == lock
