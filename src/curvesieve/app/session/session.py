"""The session: the desk with the study's file, what is done to the model in hand, and what is read off."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.desk import Desk
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.modelling import Modelling
from curvesieve.app.session.peaks import Peaks
from curvesieve.app.session.readings import Readings
from curvesieve.app.session.worker import Worker
from curvesieve.core.errors import InputError
from curvesieve.core.files import remove_left_over_parts, stamp
from curvesieve.core.steps.reference_lines import add_tables
from curvesieve.core.study import Study, load_study, save_study
from curvesieve.core.study.store import SUFFIX


class Session(Desk):
    """The one owner of the study. `file_changed` tells that it was opened, saved, or is being saved."""

    file_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.saver = Worker("saving", self)
        self._sitting = 0
        """Counts the studies that were begun: an answer about one is not taken for one about the next."""
        self.stamp: tuple[int, int, int] | None = None
        """What the study's file was when it was opened or saved here."""
        self.path: Path | None = None
        self.modelling = Modelling(self)
        self.peaks = Peaks(self, self.modelling)
        self.readings = Readings(self)
        self.family_work = FamilyWork(self)

    def add_line_tables(self, folder: Path) -> None:
        """Makes the user's own tables of reference lines known to the step that calibrates x."""
        for problem in add_tables(folder):
            self.noticed.emit(problem, "problem")

    # -- files --------------------------------------------------------------------------------------

    def begin(
        self, study: Study, path: Path | None = None, saved: bool = True, seen: tuple[int, int, int] | None = None
    ) -> None:
        """Starts afresh with a study that was just opened, made or (not `saved`) recovered; its history begins here.

        `seen` is the file's stamp as it was read; None: as it is now.
        """
        self.jobs.stop("fit")
        self._sitting += 1
        self.path = path
        self.stamp = seen or (stamp(path) if path is not None else None)
        self._start_over(study, saved)
        self.file_changed.emit()

    def open(self, path: Path, may_go: Callable[[], bool] = lambda: True) -> None:
        """Opens a study file in the background; when it cannot be read, the study in memory stays.

        Work goes on meanwhile: `may_go` is asked again when there are edits by then that are not saved.
        """
        before = self.study

        def work(ticket: Ticket) -> tuple[Study, tuple[int, int, int] | None]:
            remove_left_over_parts(path)
            seen = stamp(path)
            return load_study(path), seen

        def done(found: tuple[Study, tuple[int, int, int] | None]) -> None:
            if self.study is before or self.is_saved or may_go():
                self.begin(found[0], path, seen=found[1])

        self.jobs.start(f"Opening {path.name}", "open", work, done, self._refused)

    @property
    def was_changed_outside(self) -> bool:
        """Whether the study's file is another than the one that was opened or saved here."""
        now = stamp(self.path) if self.path is not None else None
        return now is not None and now != self.stamp

    @property
    def is_saving(self) -> bool:
        return bool(self.saver.pending)

    def save(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Writes the study as it is now, on a thread of its own, after the saves that were asked for before."""
        study, sitting = self.study, self._sitting
        path = path if path.suffix else path.with_suffix(SUFFIX)

        def work() -> tuple[int, int, int] | None:
            save_study(study, path)
            return stamp(path)

        def done(seen: tuple[int, int, int] | None, error: BaseException | None) -> None:
            if isinstance(error, InputError):
                self._refused(str(error))
            elif error is not None:
                self._refused(f"Saving {path.name} failed through a fault of the program; the file is as it was.")
                self.jobs.defect.emit(error)
            elif sitting == self._sitting:  # a save that ends after another study was opened says nothing of that one
                self.path, self._saved, self.stamp = path, study, seen
                if then is not None:
                    then()
            self.file_changed.emit()

        self.saver.do(work, done)
        self.file_changed.emit()
