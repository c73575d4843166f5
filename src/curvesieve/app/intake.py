"""Files on their way in: understood, not yet part of the study."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.jobs import Jobs, Ticket
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.record import Record, Source

if TYPE_CHECKING:  # the readers are loaded when the first file comes, not with the window
    from curvesieve.core.formats import Table, Understanding
    from curvesieve.core.formats.condition import Condition


@dataclass(frozen=True, eq=False)
class Waiting:
    """A file that waits: understood, with the roles of its channels, or not understood, with the reason."""

    number: int
    name: str
    table: Table | None = None
    x: int = 0
    y: int = 1
    u: int | None = None
    problem: str = ""

    @property
    def record(self) -> Record | None:
        return self.table.record if self.table else None

    @property
    def found(self) -> Understanding | None:
        return self.table.found if self.table else None

    @property
    def ready(self) -> bool:
        return self.record is not None and not self.problem


@dataclass(frozen=True, eq=False)
class Group:
    """Files of one kind, which come in as one family, and the condition that tells them apart."""

    files: tuple[Waiting, ...]
    condition: Condition

    @property
    def title(self) -> str:
        """``Force against Extension by loading``."""
        first = self.files[0]
        assert first.record is not None
        names = [first.record.channels[i].name for i in (first.y, first.x)]
        return " against ".join(names) + (f" by {self.condition.name}" if self.condition.name else "")

    @property
    def labels(self) -> list[str]:
        """``0.5 wt%`` for each file where the condition tells all apart, the files' names otherwise."""
        values = self.condition.values
        if None in values or len(set(values)) < len(values):
            return [
                waiting.name.rsplit(".", 1)[0] if " · " not in waiting.name else waiting.name for waiting in self.files
            ]
        unit = units.shown(self.condition.unit)
        return [f"{value:g} {unit}" if unit else f"{self.condition.name} {value:g}" for value in values]


_numbers = itertools.count(1)


def _waiting(source: Source) -> list[Waiting]:
    """One for each table found in a source; never raises for what is the file's fault."""
    from curvesieve.core.formats import tables

    try:
        found = tables(source)
        for table in found:  # hashed here, in the worker, so that bringing in does not wait for it
            _ = table.record.source.sha256, [channel.digest for channel in table.record.channels]
        return [_chosen(Waiting(next(_numbers), table.record.source.name), table) for table in found]
    except InputError as error:
        return [Waiting(next(_numbers), source.name, problem=str(error))]


def _chosen(waiting: Waiting, table: Table) -> Waiting:
    """The file with a table and the roles that its channels most likely have."""
    waiting = replace(waiting, table=table, problem="")
    try:
        x, y = table.record.guess_xy()
        table.record.curve(x + 1, y + 1)
        return replace(waiting, x=x, y=y, u=None)
    except InputError as error:
        return replace(waiting, problem=str(error))


def _read(path: Path) -> list[Waiting]:
    from curvesieve.core.formats.reading import load

    try:
        return _waiting(load(path))
    except InputError as error:
        return [Waiting(next(_numbers), path.name, problem=str(error))]


class Tray(QObject):
    """The files that wait to come in, in the order in which they were given."""

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.files: tuple[Waiting, ...] = ()
        self.in_hand: int | None = None

    @property
    def ready(self) -> tuple[Waiting, ...]:
        return tuple(waiting for waiting in self.files if waiting.ready)

    @property
    def shown(self) -> Waiting | None:
        """The file in hand."""
        return next((waiting for waiting in self.files if waiting.number == self.in_hand), None)

    def take(self, paths: list[Path]) -> None:
        """Reads files in the background and puts them on the tray."""

        def work(ticket: Ticket) -> list[Waiting]:
            return [waiting for path in paths if not ticket.stopped.is_set() for waiting in _read(path)]

        name = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self._in_background(name, work)

    def _in_background(self, name: str, work: Callable[[Ticket], list[Waiting]]) -> None:
        def failed(sentence: str) -> None:
            self._add([Waiting(next(_numbers), name, problem=sentence)])

        self.jobs.start(f"Reading {name}", f"read-{next(_numbers)}", work, self._add, failed)

    def take_text(self, text: str) -> None:
        """Puts a pasted table on the tray."""
        source = Source("pasted table.txt", text.encode("utf-8"))
        self._in_background("the pasted table", lambda ticket: _waiting(source))

    def _add(self, more: list[Waiting]) -> None:
        self.files = (*self.files, *more)
        if more and (self.shown is None or not self.shown.ready):
            self.in_hand = next((w.number for w in more if w.ready), more[0].number)
        self.changed.emit()

    def show(self, number: int) -> None:
        self.in_hand = number
        self.changed.emit()

    @property
    def groups(self) -> list[Group]:
        """The files that are ready, files of a kind together, each group with the condition found for it."""
        if not self.files:
            return []
        from curvesieve.core.formats.condition import kind_of, propose

        kinds: dict[object, list[Waiting]] = {}
        for waiting in self.ready:
            assert waiting.record is not None
            kinds.setdefault((kind_of(waiting.record), waiting.x, waiting.y, waiting.u), []).append(waiting)
        return [
            Group(tuple(files), propose([waiting.record for waiting in files if waiting.record is not None]))
            for files in kinds.values()
        ]

    def set_role(self, channel: int, role: str) -> None:
        """Makes a channel x, y, u or nothing, in all files of this kind; the channel that had the role gives it up."""
        waiting = self.shown
        if waiting is None or waiting.record is None:
            return
        roles = {"x": waiting.x, "y": waiting.y, "u": waiting.u}
        old = next((r for r, place in roles.items() if place == channel), "")
        if role == old:
            return
        if role:
            roles[old], roles[role] = roles[role], channel  # the two trade places
        elif old == "u":
            roles["u"] = None
        x, y, u = roles["x"], roles["y"], roles["u"]
        if x is None or y is None:
            self.changed.emit()  # x and y must be somewhere; the boxes show what stays
            return
        from curvesieve.core.formats.condition import kind_of

        kind = kind_of(waiting.record)
        self.files = tuple(
            self._checked(replace(other, x=x, y=y, u=u))
            if other.record is not None and kind_of(other.record) == kind
            else other
            for other in self.files
        )
        self.changed.emit()

    def _checked(self, waiting: Waiting) -> Waiting:
        assert waiting.record is not None
        try:
            waiting.record.curve(waiting.x + 1, waiting.y + 1, None if waiting.u is None else waiting.u + 1)
        except InputError as error:
            return replace(waiting, problem=str(error))
        return replace(waiting, problem="")

    def begin_data_at(self, row: int) -> None:
        """Corrects where the data of the file in hand begin."""
        waiting = self.shown
        if waiting is None or waiting.table is None:
            return
        from curvesieve.core.formats import reread

        table = waiting.table

        def work(ticket: Ticket) -> Waiting:
            found = table.found
            return _chosen(waiting, reread(table, found.layout.with_data_from(row, found.lines)))

        def failed(sentence: str) -> None:
            self._replace(replace(waiting, problem=sentence))

        self.jobs.start(f"Reading {waiting.name} again", f"reread-{waiting.number}", work, self._replace, failed)

    def _replace(self, changed: Waiting) -> None:
        self.files = tuple(changed if waiting.number == changed.number else waiting for waiting in self.files)
        self.changed.emit()

    def remove(self, numbers: set[int]) -> None:
        self.files = tuple(waiting for waiting in self.files if waiting.number not in numbers)
        if self.shown is None:
            self.in_hand = self.files[0].number if self.files else None
        self.changed.emit()
