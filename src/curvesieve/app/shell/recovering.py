"""Keeps the recovery copy while the study is worked on, and knows what an earlier run left behind."""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from curvesieve.app.session.session import Session
from curvesieve.app.session.worker import Worker
from curvesieve.core.errors import InputError
from curvesieve.core.folders import state_folder
from curvesieve.core.study import Study
from curvesieve.core.study.recovery import Found, Keeper, left_behind, recovered, remove

log = logging.getLogger(__name__)
_AFTER_MS = 1500
"""From the first edit after a copy to the next copy: however fast edits come, the copy is hardly further behind."""


def recovery_folder() -> Path:
    return state_folder() / "recovery"


class Recovery(QObject):
    """The copy of this sitting, and those that were left behind."""

    offered = pyqtSignal()
    """There is something to recover, or no longer."""

    def __init__(self, session: Session, waiting: Callable[[], list[Path]], parent: QObject) -> None:
        super().__init__(parent)
        self.session, self._waiting = session, waiting
        self.keeper = Keeper(recovery_folder())
        self.worker = Worker("recovery copy", self)
        self.found: list[Found] = []
        self._told = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AFTER_MS)
        self._timer.timeout.connect(self.keep)
        session.changed.connect(lambda old, new: self.wake())
        session.file_changed.connect(self.wake)

    def wake(self) -> None:
        """Something changed: a copy is due."""
        if not self._timer.isActive():
            self._timer.start()

    def keep(self, done: Callable[[], None] | None = None) -> None:
        """Writes the copy on its own thread."""
        self._timer.stop()
        session, waiting = self.session, self._waiting()
        study, path, saved, stamp = session.study, session.path, session.is_saved, session.stamp
        self.worker.do(
            lambda: self.keeper.keep(study, path, saved, waiting, stamp), lambda _, error: self._kept(error, done)
        )

    def _kept(self, error: BaseException | None, done: Callable[[], None] | None) -> None:
        if error is None:
            self._told = False
            if done is not None:
                done()
        elif not self._told:  # a full disk is said once, not every two seconds
            self._told = True
            log.warning("no recovery copy", exc_info=error)
            why = str(error) if isinstance(error, InputError | OSError) else type(error).__name__
            self.session.noticed.emit(f"No recovery copy of your work can be kept: {why} Save the study.", "problem")

    def keep_now(self) -> None:
        """Writes the copy before the program ends: on a signal, at logout."""
        self.keep()
        self.worker.wait(4000)

    def end(self) -> None:
        """A clean end: nothing is left to be offered."""
        self._timer.stop()
        self.worker.do(self.keeper.clear, lambda _, error: None)
        self.worker.wait(4000)
        self.worker.close()

    # -- what was left behind -----------------------------------------------------------------------

    def look(self) -> None:
        """Looks for copies of runs that did not end well."""
        self.found = left_behind(recovery_folder())
        self.offered.emit()

    def recover(self, found: Found, take: Callable[[Study | None, Found], None]) -> None:
        """Reads a copy in the background and hands it over; what was left behind goes when this sitting has its own."""

        def done(study: Study | None) -> None:
            self._forget(found)
            take(study, found)
            self.keep(lambda: remove(found.folder))

        self.session.jobs.start(
            "Recovering", "open", lambda ticket: recovered(found) if found.has_study else None, done,
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )  # fmt: skip

    def throw_away(self, found: Found) -> None:
        self._forget(found)
        self.worker.do(lambda: remove(found.folder), lambda _, error: None)

    def _forget(self, found: Found) -> None:
        self.found = [one for one in self.found if one is not found]
        self.offered.emit()
