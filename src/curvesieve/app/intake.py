"""Files on their way in: understood, not yet part of the study."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.jobs import Jobs, Ticket
from curvesieve.core.errors import InputError
from curvesieve.core.formats import Layout, Understanding, understand
from curvesieve.core.formats.reading import load, read_bytes
from curvesieve.core.formats.text import to_record
from curvesieve.core.record import Record, Source


@dataclass(frozen=True, eq=False)
class Waiting:
    """A file that waits: understood, with the roles of its channels, or not understood, with the reason."""

    number: int
    name: str
    source: Source | None = None
    found: Understanding | None = None
    record: Record | None = None
    x: int = 0
    y: int = 1
    u: int | None = None
    problem: str = ""

    @property
    def ready(self) -> bool:
        return self.record is not None and not self.problem


_numbers = itertools.count(1)


def _understood(source: Source, layout: Layout | None = None) -> Waiting:
    """What is found in a source; never raises for what is the file's fault."""
    waiting = Waiting(next(_numbers), source.name, source)
    try:
        if layout is None:
            read_bytes_checked = read_bytes(source)
            waiting = replace(waiting, found=understand(source), record=read_bytes_checked)
        else:
            found = replace(understand(source), layout=layout)
            waiting = replace(waiting, found=found, record=to_record(source, found))
        assert waiting.record is not None
        x, y = waiting.record.guess_xy()
        waiting.record.curve(x + 1, y + 1)
        return replace(waiting, x=x, y=y)
    except InputError as error:
        return replace(waiting, problem=str(error))


def _read(path: Path) -> Waiting:
    try:
        return _understood(load(path))
    except InputError as error:
        return Waiting(next(_numbers), path.name, problem=str(error))


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
            return [_read(path) for path in paths if not ticket.stopped.is_set()]

        name = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self.jobs.start(f"Reading {name}", f"read-{next(_numbers)}", work, self._add, lambda sentence: None)

    def take_text(self, text: str) -> None:
        """Puts a pasted table on the tray."""
        self._add([_understood(Source("pasted table.txt", text.encode("utf-8")))])

    def _add(self, more: list[Waiting]) -> None:
        self.files = (*self.files, *more)
        if more and (self.shown is None or not self.shown.ready):
            self.in_hand = next((w.number for w in more if w.ready), more[0].number)
        self.changed.emit()

    def show(self, number: int) -> None:
        self.in_hand = number
        self.changed.emit()

    def set_role(self, channel: int, role: str) -> None:
        """Makes a channel x, y, u or nothing; the channel that had the role gives it up."""
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
        self._replace(self._checked(replace(waiting, x=x, y=y, u=u)))

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
        if waiting is None or waiting.found is None or waiting.source is None:
            return
        layout = waiting.found.layout.with_data_from(row, waiting.found.lines)
        again = _understood(waiting.source, layout)
        self._replace(replace(again, number=waiting.number))

    def _replace(self, changed: Waiting) -> None:
        self.files = tuple(changed if waiting.number == changed.number else waiting for waiting in self.files)
        self.changed.emit()

    def remove(self, numbers: set[int]) -> None:
        self.files = tuple(waiting for waiting in self.files if waiting.number not in numbers)
        if self.shown is None:
            self.in_hand = self.files[0].number if self.files else None
        self.changed.emit()
