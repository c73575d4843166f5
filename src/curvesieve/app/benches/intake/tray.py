"""Files on their way in: understood, not yet part of the study."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.benches.intake.waiting import Kind, Waiting, numbers, waiting_in, with_pattern
from curvesieve.app.session.jobs import Jobs, Ticket
from curvesieve.core.errors import InputError, counted
from curvesieve.core.record import Source

if TYPE_CHECKING:  # the readers are loaded when the first file comes, not with the window
    from curvesieve.core.formats import Table
    from curvesieve.core.intake.applied import Taken
    from curvesieve.core.intake.families import Corrections, Proposal
    from curvesieve.core.intake.pattern import Pattern
    from curvesieve.core.quantity import Quantity

_FEW_NUMBERS = 400_000
"""Up to so many numbers a change of pattern is carried out at once; more are left to the background."""


class Tray(QObject):
    """The files that wait to come in, in the order in which they were given."""

    changed = pyqtSignal()
    noticed = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.files: tuple[Waiting, ...] = ()
        self.in_hand: int | None = None
        self._corrections: dict[tuple[object, ...], Corrections] = {}
        self._reading: list[Path] = []

    @property
    def ready(self) -> tuple[Waiting, ...]:
        return tuple(waiting for waiting in self.files if waiting.ready)

    @property
    def shown(self) -> Waiting | None:
        """The file in hand."""
        return next((waiting for waiting in self.files if waiting.number == self.in_hand), None)

    def sources(self) -> list[Path]:
        """The files that wait, or are still being read, by their paths; what was pasted or made has none."""
        return list(dict.fromkeys([*(w.path for w in self.files if w.path is not None), *self._reading]))

    # -- files coming and going ---------------------------------------------------------------------

    def take(self, paths: list[Path]) -> None:
        """Reads files in the background and puts them on the tray."""
        from curvesieve.core.formats.opening import load

        def work(ticket: Ticket, saved: list[Pattern]) -> list[Waiting]:
            made: list[Waiting] = []
            for i, path in enumerate(paths):
                part = Ticket(ticket.stopped, lambda share, i=i: ticket.tell((i + share) / len(paths)))  # type: ignore[misc]
                part.report(0.0)
                try:
                    found = waiting_in(load(path), saved, part)
                except InputError as error:
                    found = [Waiting(next(numbers), path.name, problem=str(error))]
                made += [replace(waiting, path=path) for waiting in found]
            return made

        self._reading += paths
        name = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self._in_background(name, work, lambda: self._read(paths))

    def _read(self, paths: list[Path]) -> None:
        self._reading = [path for path in self._reading if path not in paths]

    def take_text(self, text: str) -> None:
        """Puts a pasted table on the tray."""
        source = Source("pasted table.txt", text.encode("utf-8"))
        self._in_background("the pasted table", lambda ticket, saved: waiting_in(source, saved, ticket))

    def take_made(self, make: Callable[[], Table]) -> None:
        """Makes a curve without a file (simulated, a histogram) in the background and puts it on the tray."""
        from curvesieve.core.intake.pattern import guess, with_role

        def work(ticket: Ticket) -> Waiting:
            table = make()
            names = [channel.name for channel in table.record.channels]
            pattern = with_role(guess(table), names.index("u"), "u") if "u" in names else guess(table)
            return with_pattern(Waiting(next(numbers), table.record.source.name), table, pattern)

        def done(waiting: Waiting) -> None:
            self._add([waiting])
            self.show(waiting.number)

        self.jobs.start("Making a curve", f"make-{next(numbers)}", work, done, self._refused)

    def _in_background(
        self,
        name: str,
        work: Callable[[Ticket, list[Pattern]], list[Waiting]],
        ended: Callable[[], None] = lambda: None,
    ) -> None:
        def run(ticket: Ticket) -> tuple[list[Waiting], list[str]]:
            from curvesieve.core.intake.library import PATTERN_FILES

            saved, problems = PATTERN_FILES.load_all(newest_first=True)
            return work(ticket, list(saved.values())), problems

        def done(result: tuple[list[Waiting], list[str]]) -> None:
            ended()
            for problem in result[1]:
                self.noticed.emit(problem, "problem")
            self._add(result[0])

        def failed(sentence: str) -> None:
            ended()
            self._add([Waiting(next(numbers), name, problem=sentence)])

        self.jobs.start(f"Reading {name}", f"read-{next(numbers)}", run, done, failed, stoppable=True)

    def _add(self, more: list[Waiting]) -> None:
        known = {waiting.kind: waiting.pattern for waiting in self.files if waiting.pattern is not None}
        adapted = []
        for waiting in more:  # a pattern that was corrected here goes on for later files of the kind
            pattern = known.get(waiting.kind)
            if pattern is not None and waiting.table is not None and pattern != waiting.pattern:
                waiting = with_pattern(waiting, waiting.table, pattern)
            adapted.append(waiting)
        self.files = (*self.files, *adapted)
        if adapted and (self.shown is None or not self.shown.ready):
            self.in_hand = next((w.number for w in adapted if w.ready), adapted[0].number)
        self.changed.emit()

    def show(self, number: int) -> None:
        self.in_hand = number
        self.changed.emit()

    def remove(self, numbers: set[int]) -> None:
        self.files = tuple(waiting for waiting in self.files if waiting.number not in numbers)
        if self.shown is None:
            self.in_hand = self.files[0].number if self.files else None
        self.changed.emit()

    # -- families -----------------------------------------------------------------------------------

    @property
    def families(self) -> list[Proposal]:
        """The families that the files will make: those of a kind together, with the condition found for them."""
        if not self.files:
            return []
        from curvesieve.core.intake.families import Corrections, propose_family

        kinds: dict[tuple[object, ...], list[tuple[int, Taken]]] = {}
        for waiting in self.files:
            if waiting.taken is not None:
                kinds.setdefault(waiting.family, []).append((waiting.number, waiting.taken))
        return [propose_family(members, self._corrections.get(kind, Corrections())) for kind, members in kinds.items()]

    def correct_condition(
        self, key: tuple[int, int], value: float | None = None, name: str | None = None, unit: str | None = None
    ) -> None:
        """Another name or unit for the condition of a curve's family, or, with neither, another value for the curve."""
        from curvesieve.core.intake.families import Corrections

        kind = next(waiting.family for waiting in self.files if waiting.number == key[0])
        old = self._corrections.get(kind, Corrections())
        if name is not None:
            old = replace(old, name=name.strip())
        elif unit is not None:
            old = replace(old, unit=unit.strip())
        else:
            old = old.with_value(key, value)
        self._corrections[kind] = old
        self.changed.emit()

    # -- patterns -----------------------------------------------------------------------------------

    def change_pattern(self, change: Callable[[Pattern], Pattern]) -> None:
        """Changes the pattern of the file in hand, for all files of its kind. What is refused becomes a notice."""
        shown = self.shown
        if shown is None or shown.pattern is None:
            return
        try:
            pattern = change(shown.pattern)
        except InputError as error:
            self.noticed.emit(str(error), "problem")
            self.changed.emit()  # the fields show again what stays
            return
        self._change_all({shown.kind: pattern})

    def _change_all(self, patterns: Mapping[Kind, Pattern]) -> None:
        """Other patterns for all files of some kinds; many numbers are left to the background."""
        same = [waiting for kind in patterns for waiting in self._of_kind(kind)]
        numbers = sum(
            len(waiting.table.record) * len(waiting.table.record.channels) for waiting in same if waiting.table
        )

        def work() -> list[Waiting]:
            return [with_pattern(w, w.table, patterns[w.kind]) for w in same if w.table is not None]

        if numbers <= _FEW_NUMBERS:
            self._replace(work())
        else:
            self._start_changing(f"Taking {len(same)} files anew", lambda ticket: work())

    def take_test(self, slug: str, specimen: str, extension: str, off: int | None = None) -> None:
        """Takes the files of the kind in hand as a mechanical test; without a choice of shape or channel those of other
        kinds, too, which may be of the same test and are none yet."""
        from curvesieve.core.intake.applied import with_names
        from curvesieve.core.intake.machine import TESTS, recognised
        from curvesieve.core.intake.testing import as_test

        shown = self.shown
        if shown is None:
            return
        firsts = {waiting.kind: waiting for waiting in reversed(self.files) if waiting.pattern and waiting.table}
        firsts[shown.kind] = shown
        changed: dict[Kind, Pattern] = {}
        for kind, first in firsts.items():
            assert first.table is not None
            assert first.pattern is not None
            record = with_names(first.table.record, first.pattern)
            other = kind != shown.kind
            if other and (specimen or extension or off or first.pattern.test or TESTS[slug] not in recognised(record)):
                continue
            try:
                changed[kind] = as_test(first.pattern, record, slug, specimen, extension, first.own, off)
            except InputError as error:
                self.noticed.emit(str(error), "problem")
        count = sum(len(self._of_kind(kind)) for kind in changed)
        self._change_all(changed)
        if len(changed) > 1:
            self.noticed.emit(f"Taken as {TESTS[slug].label.lower()}: {counted(count, 'file')}.", "word")

    def give(self, place: int, name: str, quantity: Quantity | None, reach: str) -> None:
        """A value typed for a quantity of a computed channel, or none any more.

        `reach` says for what: ``this`` file, all of its kind that have none (``missing``), or ``all``. What each file
        says of itself is never written over but by ``all``.
        """
        from curvesieve.core.intake.pattern import with_quantity

        shown = self.shown
        if shown is None or shown.pattern is None:
            return
        key, many = name.casefold(), quantity is None or reach != "this"
        for_all = quantity is not None and reach == "all"
        this = () if quantity is None or many else (quantity,)

        def typed(waiting: Waiting) -> Waiting:
            if waiting.number != shown.number and not (for_all and waiting.kind == shown.kind):
                return waiting
            kept = tuple(q for q in waiting.own if q.name.casefold() != key)
            return replace(waiting, own=(*kept, *this))

        self.files = tuple(typed(waiting) for waiting in self.files)
        if quantity is not None:
            missing, every = self.touched(name)
            count = {"this": 1, "missing": missing, "all": every}[reach]
            self.noticed.emit(f"{name} = {quantity.written()} for {counted(count, 'file')}.", "word")
        given = quantity.model_copy(update={"everywhere": for_all}) if quantity is not None else None
        self.change_pattern(lambda pattern: with_quantity(pattern, place, name, given) if many else pattern)

    def touched(self, name: str) -> tuple[int, int]:
        """How many files of the kind in hand have no value of their own for a quantity, and how many there are."""
        from curvesieve.core.intake.computed import has_own

        same = self._of_kind(self.shown.kind) if self.shown is not None else []
        own = [waiting for waiting in same if waiting.table and has_own(waiting.table.record, name, waiting.own)]
        return len(same) - len(own), len(same)

    def _of_kind(self, kind: Kind) -> list[Waiting]:
        return [waiting for waiting in self.files if waiting.kind == kind and waiting.table is not None]

    def begin_data_at(self, row: int) -> None:
        """Corrects where the data begin, in the file in hand and in those of its kind that began in the same row."""
        from curvesieve.core.formats import reread

        shown = self.shown
        if shown is not None and shown.text is not None and shown.table is None:
            self._point_at(shown, row)
            return

        self._read_anew(lambda table: reread(table, table.found.layout.with_data_from(row, table.found.lines)))

    def _point_at(self, waiting: Waiting, row: int) -> None:
        """Reads a file that was not understood from a row on."""
        from curvesieve.core.formats.opening import pointed_at
        from curvesieve.core.intake.pattern import guess

        source, found = waiting.source, waiting.text
        assert source is not None
        assert found is not None

        def work(ticket: Ticket) -> list[Waiting]:
            table = pointed_at(source, found, row)
            return [with_pattern(waiting, table, guess(table))]

        self._start_changing(f"Reading {waiting.name} again", work)

    def read_with(self, delimiter: str, decimal: str) -> None:
        """Corrects the delimiter and the decimal mark, in the file in hand and in those of its kind."""
        from curvesieve.core.formats.opening import reread_with

        self._read_anew(lambda table: reread_with(table, delimiter, decimal))

    def _read_anew(self, again: Callable[[Table], Table]) -> None:
        """Reads the tables of the kind in hand in another way. When that of the file in hand fails, nothing changes."""
        from curvesieve.core.intake.pattern import WITH_ROWS, carried, guess

        shown = self.shown
        if shown is None or shown.table is None or shown.table.found.format not in WITH_ROWS:
            return
        first, pattern = shown.table.found.layout.first_row, shown.pattern or guess(shown.table)
        same = [
            waiting
            for waiting in self.files
            if waiting.kind == shown.kind and waiting.table and waiting.table.found.layout.first_row == first
        ]

        def work(ticket: Ticket) -> list[Waiting]:
            made = []
            for waiting in same:
                assert waiting.table is not None
                try:
                    table = again(waiting.table)
                    made.append(with_pattern(waiting, table, carried(pattern, table)))
                except InputError as error:
                    if waiting is shown:
                        raise
                    made.append(replace(waiting, taken=None, problem=str(error)))
            return made

        self._start_changing(f"Reading {shown.name} again", work)

    def _start_changing(self, label: str, work: Callable[[Ticket], list[Waiting]]) -> None:
        self.jobs.start(label, "change the tray", work, self._replace, self._refused)

    def _refused(self, sentence: str) -> None:
        self.noticed.emit(sentence, "problem")
        self.changed.emit()  # the fields show again what stays

    def _replace(self, changed: list[Waiting]) -> None:
        by_number = {waiting.number: waiting for waiting in changed}
        self.files = tuple(by_number.get(waiting.number, waiting) for waiting in self.files)
        self.changed.emit()

    def save_pattern(self, name: str) -> None:
        """Saves the pattern of the file in hand by name, to be applied to the next file of its kind."""
        from curvesieve.core.intake.library import PATTERN_FILES

        shown = self.shown
        if shown is None or shown.pattern is None:
            return
        pattern = shown.pattern.model_copy(update={"name": name.strip()})
        try:
            PATTERN_FILES.save(pattern, pattern.name)
        except InputError as error:
            self.noticed.emit(str(error), "problem")
            return
        self.change_pattern(lambda old: pattern)
        self.noticed.emit(f"Saved the reading pattern “{pattern.name}”. The next such file is read by it.", "word")
