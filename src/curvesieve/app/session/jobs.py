"""Background work: a callable without Qt goes in, its result comes back to the GUI thread through a signal."""

from __future__ import annotations

import itertools
import logging
from collections.abc import Callable
from dataclasses import dataclass, field
from threading import Event
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal, pyqtSlot

from curvesieve.core.errors import InputError

log = logging.getLogger(__name__)
Work = Callable[["Ticket"], Any]


class Stopped(Exception):
    """The user asked to stop; raised by work that notices."""


@dataclass(eq=False)
class Ticket:
    """What work is given: whether the user asked to stop it, and a way to say how far it is."""

    stopped: Event = field(default_factory=Event)
    tell: Callable[[float], None] = lambda share: None

    def stop_if_asked(self) -> None:
        """Raises Stopped when the user asked to stop."""
        if self.stopped.is_set():
            raise Stopped

    def report(self, share: float) -> None:
        """Says what share is done, from 0 to 1; raises Stopped when the user asked to stop."""
        self.stop_if_asked()
        self.tell(share)


@dataclass(eq=False)
class _Entry:
    label: str
    key: str
    ticket: Ticket
    stoppable: bool
    done: Callable[[Any], None]
    failed: Callable[[str], None]
    percent: int = 0

    @property
    def text(self) -> str:
        return f"{self.label} · {self.percent} %" if self.percent else self.label


class _Relay(QObject):
    finished = pyqtSignal(int, object, object)
    reported = pyqtSignal(int, int)


class _Runnable(QRunnable):
    def __init__(self, number: int, work: Work, ticket: Ticket, relay: _Relay) -> None:
        super().__init__()
        self.number, self.work, self.ticket, self.relay = number, work, ticket, relay

    def run(self) -> None:
        result, error = None, None
        try:
            self.ticket.stop_if_asked()  # what was given up while it waited is not begun
            result = self.work(self.ticket)
        except BaseException as caught:  # whatever happens in a worker travels back as a value
            error = caught
        self.relay.finished.emit(self.number, result, error)


class Jobs(QObject):
    """Runs work off the GUI thread. A job with the key of a running one replaces it: the old result is dropped."""

    busy_changed = pyqtSignal(str)
    defect = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._relay = _Relay()
        self._relay.finished.connect(self._finish)
        self._relay.reported.connect(self._report)
        self._numbers = itertools.count(1)
        self._entries: dict[int, _Entry] = {}
        self._held: list[_Runnable] | None = None

    @property
    def busy(self) -> str:
        """The label of the newest running job with how far it is, or nothing."""
        return next((entry.text for entry in reversed(self._entries.values())), "")

    @property
    def stoppable(self) -> str:
        """The key of the newest running job when it can be stopped, or nothing."""
        entry = next(reversed(self._entries.values()), None)
        return entry.key if entry is not None and entry.stoppable else ""

    def running(self, key: str) -> bool:
        return any(entry.key == key for entry in self._entries.values())

    def start(
        self,
        label: str,
        key: str,
        work: Work,
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        stoppable: bool = False,
    ) -> None:
        """Starts work; `done` gets its result, `failed` the sentence of an InputError, in the GUI thread.

        Work that looks at its ticket often can be offered to the user as `stoppable`.
        """
        self.stop(key)
        number, ticket = next(self._numbers), Ticket()
        ticket.tell = self._teller(number)
        self._entries[number] = _Entry(label, key, ticket, stoppable, done, failed)
        self.busy_changed.emit(self.busy)
        runnable = _Runnable(number, work, ticket, self._relay)
        if self._held is None:
            self._pool.start(runnable)
        else:
            self._held.append(runnable)

    def hold(self) -> None:
        """Lets work wait until `release`: while the window is painted for the first time, it is in the way."""
        self._held = []

    def release(self) -> None:
        """Starts what waited."""
        waiting, self._held = self._held or [], None
        for runnable in waiting:
            self._pool.start(runnable)

    def stop(self, key: str) -> None:
        """Asks jobs of this key to stop and drops their results."""
        for number in [n for n, entry in self._entries.items() if entry.key == key]:
            self._entries.pop(number).ticket.stopped.set()
        self.busy_changed.emit(self.busy)

    def close(self, most_ms: int = 2000) -> bool:
        """Stops everything and waits a while for the workers to end; whether they did.

        Work that does not listen (a network disk that hangs) does not keep the window open.
        """
        for entry in self._entries.values():
            entry.ticket.stopped.set()
        self._entries.clear()
        return self._pool.waitForDone(most_ms)

    def _teller(self, number: int) -> Callable[[float], None]:
        """Sends whole per cents over to the GUI thread, each once."""
        last = [0]

        def tell(share: float) -> None:
            percent = int(100 * share)
            if percent > last[0]:
                last[0] = percent
                self._relay.reported.emit(number, percent)

        return tell

    @pyqtSlot(int, int)
    def _report(self, number: int, percent: int) -> None:
        if number in self._entries:
            self._entries[number].percent = percent
            self.busy_changed.emit(self.busy)

    @pyqtSlot(int, object, object)
    def _finish(self, number: int, result: Any, error: BaseException | None) -> None:
        entry = self._entries.pop(number, None)
        if entry is None:
            return
        try:
            self._deliver(entry, result, error)
        finally:
            self.busy_changed.emit(self.busy)

    def _deliver(self, entry: _Entry, result: Any, error: BaseException | None) -> None:
        if error is None:
            entry.done(result)
        elif isinstance(error, InputError):
            entry.failed(str(error))
        else:
            log.error("%s failed", entry.label, exc_info=error)
            entry.failed(f"{entry.label} failed through a fault of the program. Nothing was changed.")
            self.defect.emit(error)
