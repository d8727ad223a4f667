"""Document -> World: the stage function of this folder."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from msgspec.structs import replace

from zubrel.authored.conditions import Condition, Name
from zubrel.authored.document import Document
from zubrel.authored.values import Entry
from zubrel.base.diagnostics import Problems
from zubrel.base.plain import plain
from zubrel.base.spelling import suggestion
from zubrel.checked.bodies import Implied, outcomes_of
from zubrel.checked.bounds import bound_items
from zubrel.checked.deals import dealing, deals, dealt_finds
from zubrel.checked.effects import Give, SetMark
from zubrel.checked.encounters import encounters
from zubrel.checked.frames import Frame, key_of, name_of
from zubrel.checked.meant import Meant
from zubrel.checked.names import name_everything
from zubrel.checked.quests import Quests, started_quests
from zubrel.checked.resolve import Resolver
from zubrel.checked.rules import RuleMaker, check_marks
from zubrel.checked.sections import Sections
from zubrel.checked.things import Area, Ending, Fact, Lock, Meter
from zubrel.checked.trades import trades
from zubrel.checked.world import Happening, Outcome, Rule, World

UNKNOWN = ("unknown-id", "wrong-kind", "unknown-key")


def check(document: Document, asked: Iterable[Condition] = ()) -> World:
    """The world that `document` describes.

    `asked` are further conditions, for example of the command line; their marks are kept in the
    situation as if the files asked for them, and they come back resolved in `World.asked`.
    Raises `InvalidInput` with every problem found, those of reading the document included.
    """
    problems = Problems()
    problems.diagnostics += document.problems
    world = _Checker(document, problems, tuple(asked)).world()
    problems.stop_if_any()
    return world


class _Checker:
    def __init__(
        self, document: Document, problems: Problems, asked: tuple[Condition, ...]
    ) -> None:
        self.document = document
        self.asked = asked
        self.problems = problems
        self.names = name_everything(document, problems)
        # conditions compare facts with their values, so that these are known before anything is
        # resolved
        self.facts = {e.key.text: self._fact(e) for e in document.entries("facts") if e.key}
        self.resolver = Resolver(document, self.names, self.facts, problems, asked)
        self.sections = Sections(document, self.resolver)

    def world(self) -> World:
        document, sections = self.document, self.sections
        items = sections.items()
        quest_sections = Quests(document, self.resolver)
        # whether a quest is started somewhere decides how it begins, and is asked of the bare file
        quests = quest_sections.quests(started_quests(document))
        shops, stores = sections.shops(items), sections.stores(items)

        dealt = deals(document, self.resolver)

        def others() -> Iterator[Frame]:
            yield from dealt_finds(document, self.resolver, items)
            yield from encounters(document, self.resolver, items, quests)
            yield from trades(document, self.resolver, items, shops, stores)

        # in the order of kinds, not of the file: numbers of rules then do not change when sections
        # are moved
        rules = RuleMaker(document, self.resolver, items, others).rules()
        happenings = (
            *(self._happening(e) for e in document.entries("whenever")),
            *quest_sections.beginnings(quests.values()),
        )
        start, holding = self._start()
        areas = {a.id: a for a in map(self._area, document.entries("areas"))}
        endings = {e.id: e for e in map(self._ending, document.entries("endings"))}
        meant = Meant(document, self.resolver)
        # an accepted finding may name a rule, so that all of them are known by then
        promises, accepted = meant.promises(), meant.accepted(rules)
        # before the world is made: what they ask about, such as visits, has to be remembered in it
        resolved = tuple(self.resolver.condition(c) for c in self.asked)
        # the first of several rules counts, as in the file
        opened_by = {rule.owner: rule for rule in reversed(rules) if rule.kind == "lock"}
        locks = {
            key_of(e): self._lock(e, self._openable_at(opened_by.get(key_of(e))))
            for e in document.entries("locks")
        }
        check_marks(rules, self.resolver, happenings)
        world = World(
            path=document.path,
            title=document.title or plain(document.path),
            start_area=start,
            holding=holding,
            items=items,
            areas=areas,
            locks=locks,
            facts=self.facts,
            meters={m.id: m for m in map(self._meter, document.entries("meters"))},
            endings=endings,
            people=sections.people(),
            quests=quests,
            foes=sections.foes(),
            shops=shops,
            stores=stores,
            carries=sections.carries(items),
            promises=promises,
            accepted=accepted,
            rules=tuple(rules),
            happenings=happenings,
            visits_asked=tuple(a for a in areas if a in self.resolver.visits),
            asked=resolved,
            source=document.source,
            deals=dealt,
            dealing=dealing(dealt, self.resolver, items, areas),
        )
        # a message that only follows from another mistake sends its reader the wrong way
        if any(p.code in UNKNOWN for p in self.problems.diagnostics):
            return world  # whatever is gained without end may be so because of what is not known
        bounded = replace(world, items=bound_items(world, self.problems))
        # how many there can be of a thing is known only now
        sections.check_drops(bounded.items)
        return bounded

    def _start(self) -> tuple[str, tuple[Give, ...]]:
        start = self.document.start
        areas = self.document.entries("areas")
        if not areas:
            span, hint = self.document.roots[0].span, "Add a section: areas: {shore: {}}"
            self.problems.add("missing", "a world needs at least one area", span, hint)
        if start is None:
            hint = f"Add a line: start: {{at: {key_of(areas[0]) if areas else 'some_area'}}}"
            message = "the world does not say where the player starts"
            self.problems.add("missing", message, self.document.roots[0].span, hint)
            # the world is read on: all mistakes are told at once
            return "", ()
        word = start.word("at")
        if word is None:
            self.problems.add("missing", 'the start needs "at: some_area"', start.span)
        area = self.names.find(word, "area") if word else None
        # what is held may be right even where the place is not
        held = self.resolver.held(start.amounts("holding"))
        return area or "", tuple(Give(i, n or 0) for i, n in held)

    def _area(self, entry: Entry) -> Area:
        says = self.resolver.texts(entry.texts("says"))
        needs = self.resolver.all_of(entry.conditions("needs"))
        refuses = self.resolver.texts(entry.texts("refuses"))
        return Area(key_of(entry), name_of(entry), entry.span, says, needs, refuses)

    def _lock(self, entry: Entry, from_areas: tuple[str, ...]) -> Lock:
        return Lock(
            key_of(entry),
            name_of(entry),
            entry.span,
            entry.text("begins") == "open",
            entry.text("relocks") == "passing",
            from_areas,
            self.resolver.texts(entry.texts("refuses")),
        )

    def _openable_at(self, rule: Rule | None) -> tuple[str, ...]:
        """Where a lock is opened by its rule; for anywhere every area, as in the file."""
        if rule is None:
            return ()
        everywhere = tuple(key_of(e) for e in self.document.entries("areas"))
        return everywhere if rule.areas is None else rule.areas

    def _fact(self, entry: Entry) -> Fact:
        this, name = key_of(entry), name_of(entry)
        start = entry.values.get("start", False)
        values = entry.values.get("values")
        if values is None:
            if not isinstance(start, bool):
                message = f'"{this}" needs its list of values'
                hint = f"Write: {this}: {{values: [{start.text}, …], start: {start.text}}}"
                self.problems.add("bad-value", message, entry.where("start"), hint)
            if entry.has("round"):
                message = '"round" is said of facts with a list of values'
                self.problems.add("misplaced", message, entry.where("round"))
            return Fact(this, name, entry.span, ("false", "true"), int(start is True), True)
        # in their order, in which `next` and `previous` step
        words = tuple(dict.fromkeys(v.text for v in values))
        if len(words) < len(values):
            message = "a value is given twice"
            self.problems.add("defined-twice", message, entry.where("values"))
        # YAML reads true and false as truth values where they are meant as words
        text = str(start.text if isinstance(start, Name) else start).lower()
        if not entry.has("start"):
            text = words[0]
        if text not in words:
            message = f'"{this}" cannot start as "{text}": it is {" or ".join(words)}'
            self.problems.add("bad-value", message, entry.where("start"), suggestion(text, words))
            text = words[0]
        return Fact(this, name, entry.span, words, words.index(text), False, entry.flag("round"))

    def _meter(self, entry: Entry) -> Meter:
        low = entry.number("from") or 0
        high = entry.number("to")
        start = entry.number("start")
        if high is None:
            message = f'"{key_of(entry)}" needs its highest value'
            self.problems.add("missing", message, entry.span, "Add: to: 10")
            # a meter of one value, so that reading can go on
            high = low
        # a meter begins at its lowest value, where nothing else is said
        start = low if start is None else start
        if low > high:
            message = f"a meter from {low} to {high} has no values"
            hint = f"Write: from: {high}, to: {low}"
            self.problems.add("bad-value", message, entry.where("from"), hint)
        elif not low <= start <= high:
            message = f"a meter from {low} to {high} cannot start at {start}"
            self.problems.add("bad-value", message, entry.where("start"))
        this, bad = key_of(entry), entry.flag("bad")
        return Meter(this, name_of(entry), entry.span, low, high, start, bad)

    def _ending(self, entry: Entry) -> Ending:
        when = entry.values.get("when")
        return Ending(
            key_of(entry),
            name_of(entry),
            entry.span,
            entry.text("kind") != "bad",
            self.resolver.condition(when) if when else None,
        )

    def _happening(self, entry: Entry) -> Happening:
        this, once = key_of(entry), entry.flag("once")
        when = entry.values.get("when")
        # where it is given and is no condition, that has been told already
        if when is None and "when" not in entry.spans:
            self.problems.add(
                "missing",
                "this needs to say when it happens",
                entry.span,
                "Add: when: some_condition",
            )
        # its mark is set before anything else, as by rules that are done once
        marks = (SetMark("done", this),) if once else ()
        # nobody chooses what happens by itself, so that it has no chances either: one outcome
        outcomes = outcomes_of((entry,), Implied(first=marks), self.resolver)
        outcome = outcomes[0] if outcomes else Outcome(1, 1.0, ())
        return Happening(this, entry.span, self.resolver.condition(when), once, outcome)
