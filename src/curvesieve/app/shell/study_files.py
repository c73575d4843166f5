"""The study's file: new, open, save, recover, and the questions that these have to ask."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QPushButton, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.shell.memory import Memory
from curvesieve.app.shell.recovering import Recovery
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core.errors import counted
from curvesieve.core.study import Study
from curvesieve.core.study.recovery import Found, age
from curvesieve.core.study.store import SUFFIX

_PATIENCE_MS = 5000
"""How long a save is waited for before the window goes on: a network disk may never answer."""
STUDIES = f"Studies (*{SUFFIX})"


class StudyFiles(QObject):
    """What the window does with the study as a whole. `folder` is where the file dialogs begin.

    `begun` tells that another study is there to be looked at, `files_found` that files wait which an earlier run had
    on its tray, and `told` carries a notice with what can be done about it.
    """

    begun = pyqtSignal()
    files_found = pyqtSignal(list)
    told = pyqtSignal(str, str, tuple)

    def __init__(self, parent: QWidget, session: Session, memory: Memory, recovery: Recovery, folder: Path) -> None:
        super().__init__(parent)
        self.window_, self.session = parent, session
        self.memory, self.recovery, self.folder = memory, recovery, folder
        self.session.file_changed.connect(self._remember)

    def _remember(self) -> None:
        if self.session.path is not None and self.session.is_saved:
            self.memory.add_recent(self.session.path)

    def menu_rows(self) -> list[MenuRow]:
        """The rows of the study's menu in the header."""
        recent = [path for path in self.memory.recent if path != self.session.path]
        rows: list[MenuRow] = [
            ("New study", self.new), ("Open…", self.ask_open), ("Save", self.save), ("Save as…", self.ask_save_as),
            ("", None),
        ]  # fmt: skip
        rows += [(f"Open {path.name}  ·  {path.parent}", lambda path=path: self.open(path)) for path in recent]  # type: ignore[misc]
        rows += [("", None)] if recent else []
        found = self.recovery.found
        rows += [(f"Recover {_described(one)}", lambda one=one: self.recover(one)) for one in found]  # type: ignore[misc]
        if found:
            rows.append(("Throw away what could be recovered", self.throw_away))
        else:
            rows.append(("Recover: nothing was left behind", None))
        rows += [("", None), ("Look at the demo", self.open_demo)]
        return rows

    # -- new and open -------------------------------------------------------------------------------

    def new(self) -> None:
        if self.may_go():
            self.session.begin(Study())

    def ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.window_, "Open a study", str(self.folder), STUDIES)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        if self.may_go():
            self.session.open(path, self.may_go)
            self.begun.emit()

    def open_demo(self) -> None:
        """Opens the demo study; its files are made in the background where they are not there yet."""
        from curvesieve.app.shell.demonstration import begin_demo, demo_folder, demo_study

        if not self.may_go():
            return
        before = self.session.study

        def done(study: Study) -> None:
            if self.session.study is not before:
                self.session.noticed.emit("The demo is made; it was not opened, as another study was begun.", "word")
                return
            begin_demo(self.session, study)
            self.folder = demo_folder()
            self.begun.emit()

        self.session.jobs.start(
            "Making the demo", "demo", lambda _: demo_study(), done,
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )  # fmt: skip

    # -- save ---------------------------------------------------------------------------------------

    def save(self) -> None:
        path = self.session.path
        if path is None:
            self.ask_save_as()
        elif not self.session.is_saving and self.session.was_changed_outside:
            self._ask_overwrite(path)
        else:
            self.session.save(path)

    def _ask_overwrite(self, path: Path) -> None:
        box, save_as, over, _ = self._box(
            f"{path.name} was changed by another window or program since it was opened here. Saving would replace "
            "those changes.",
            "Save under another name…", "Replace them", "Not now",
        )  # fmt: skip
        box.exec()
        if box.clickedButton() is save_as:
            self.ask_save_as()
        elif box.clickedButton() is over:
            self.session.save(path)

    def ask_save_as(self) -> None:
        title = self.session.study.document.title.replace("/", "-")
        place = self.session.path or self.folder / f"{title}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self.window_, "Save the study", str(place), STUDIES)
        if name:
            self.session.save(Path(name))

    def may_go(self, leaving: str = "") -> bool:
        """Asks what to do with unsaved work, and about what else would be left; True when the study may be left."""
        late = self.session.is_saving and not self.session.saver.wait(_PATIENCE_MS)
        unsaved = "" if self.session.is_saved else "This study has changes that are not saved."
        if late:
            unsaved = "Saving is not done yet; the disk does not answer. What is not written may be lost."
        sentence = "\n".join(part for part in (unsaved, leaving) if part)
        if not sentence:
            return True
        box, save, lose, stay = self._box(
            sentence, "Save" if unsaved else "", "Leave without saving" if unsaved else "Leave them", "Stay here"
        )
        box.setEscapeButton(stay)
        box.exec()
        if unsaved and box.clickedButton() is save:
            self.save()
            return self.session.saver.wait(2 * _PATIENCE_MS) and self.session.is_saved
        return box.clickedButton() is lose

    def _box(self, sentence: str, *words: str) -> tuple[QMessageBox, QPushButton | None, QPushButton, QPushButton]:
        """A question with up to three buttons: to keep the work (may be left out), to lose it, to stay."""
        box = QMessageBox(self.window_)
        box.setWindowTitle("Curve Sieve")
        box.setText(sentence)
        keep = box.addButton(words[0], QMessageBox.ButtonRole.AcceptRole) if words[0] else None
        lose = box.addButton(words[1], QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton(words[2], QMessageBox.ButtonRole.RejectRole)
        assert lose is not None
        assert stay is not None
        box.setDefaultButton(keep or stay)
        return box, keep, lose, stay

    # -- recovery -----------------------------------------------------------------------------------

    def offer_recovery(self) -> None:
        """Says what an earlier run left behind, with the way to it."""
        found = self.recovery.found
        if found:
            more = f" (and {len(found) - 1} more in the study's menu)" if len(found) > 1 else ""
            self.told.emit(
                f"An earlier run ended before its work was saved: {_described(found[0])}{more}.", "problem",
                (("Recover", lambda: self.recover(found[0])),),
            )  # fmt: skip

    def recover(self, found: Found) -> None:
        """Shows what was left behind; the study's own file is not touched until it is saved."""
        if found.has_study and not self.may_go():
            return

        def take(study: Study | None, found: Found) -> None:
            if study is not None:
                self.session.begin(study, found.path, saved=False, seen=found.stamp)
                where = f"{found.path.name} is as it was; Save writes to it." if found.path else "Save it under a name."
                self.session.noticed.emit(f"Recovered, as of {age(found.when, datetime.now())}. {where}", "word")
            files = [path for path in found.waiting if path.exists()]
            gone = len(found.waiting) - len(files)
            if files:
                self.files_found.emit(files)
            if gone:
                self.session.noticed.emit(f"{counted(gone, 'file')} that waited can no longer be found.", "problem")
            if study is not None:
                self.begun.emit()

        self.recovery.recover(found, take)

    def throw_away(self) -> None:
        box, _, lose, _ = self._box(
            f"Throw away what {counted(len(self.recovery.found), 'earlier run')} left behind? This cannot be undone.",
            "", "Throw away", "Keep it",
        )  # fmt: skip
        box.exec()
        if box.clickedButton() is lose:
            for found in list(self.recovery.found):
                self.recovery.throw_away(found)


def _described(found: Found) -> str:
    """``tension.sieve, 12 curves, 5 minutes ago``."""
    parts = []
    if found.has_study:
        parts += [found.path.name if found.path else found.title, counted(found.curves, "curve")]
    if found.waiting:
        parts.append(f"{counted(len(found.waiting), 'file')} on the Intake bench")
    return ", ".join([*parts, age(found.when, datetime.now())])
