"""The window: header, shelf, bench, status; files dropped on it; the questions it has to ask."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.curve.bench import CurveBench
from curvesieve.app.benches.intake.tray import Tray
from curvesieve.app.panels.exports import Exports
from curvesieve.app.panels.shelf import Shelf
from curvesieve.app.session.session import Session
from curvesieve.app.shell.actions import study_rows, window_rows
from curvesieve.app.shell.finder import Finder
from curvesieve.app.shell.header import Header
from curvesieve.app.shell.memory import Memory
from curvesieve.app.shell.notices import NoticeBar
from curvesieve.app.shell.recovering import Recovery
from curvesieve.app.shell.screen import fit_to_screen
from curvesieve.app.shell.status import StatusLine
from curvesieve.app.shell.study_files import StudyFiles
from curvesieve.app.theme import apply_theme
from curvesieve.app.widgets.actions import ActionRow, Actions
from curvesieve.core.errors import counted
from curvesieve.core.folders import application_folder
from curvesieve.core.study.store import SUFFIX

if TYPE_CHECKING:
    from curvesieve.app.benches.family.bench import FamilyBench
    from curvesieve.app.benches.field.bench import FieldBench
    from curvesieve.app.benches.figure.bench import FigureBench
    from curvesieve.app.benches.intake.bench import IntakeBench
    from curvesieve.app.benches.trace.bench import TraceBench
    from curvesieve.app.shell.defects import DefectKeeper
    from curvesieve.app.shell.frame import Frame

_SHELF_PX = 212

BENCHES = ("Intake", "Curve", "Family", "Field", "Trace", "Figure")
_PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp", ".webp", ".svg", ".pdf")
"""Files that are charts to be traced."""
_DATA_FILES = (
    "Measured data (*.csv *.txt *.dat *.tsv *.xy *.xye *.asc *.jdx *.dx *.xlsx *.ods *.h5 *.hdf5 *.nxs *.xml *.npy"
    " *.npz *.gz);;All files (*)"
)


def _files_of(path: Path) -> list[Path]:
    """The path itself, or the files of a folder that are not hidden, in the order of their names."""
    if not path.is_dir():
        return [path]
    try:
        return sorted(file for file in path.iterdir() if file.is_file() and not file.name.startswith("."))
    except OSError:
        return [path]  # reading it says what is wrong


class Window(QMainWindow):
    """The main window over one session. `data_folder` is where the file dialogs begin."""

    bench_changed = pyqtSignal()

    def __init__(self, session: Session | None = None, data_folder: Path | None = None) -> None:
        super().__init__()
        self.session = session or Session()
        self.session.setParent(self)
        self.keeper: DefectKeeper | None = None
        self.frame: Frame | None = None
        """What it stands in, when it is not a window by itself."""
        self.bench = ""
        """The bench that is shown."""
        self.memory = Memory()
        self.tray = Tray(self.session.jobs, self)
        self.recovery = Recovery(self.session, self.tray.sources, self)
        self.tray.changed.connect(self.recovery.wake)
        self.study_files = StudyFiles(self, self.session, self.memory, self.recovery, data_folder or Path.home())
        self.exports = Exports(self.session, self)
        self._build()
        self._make_actions()
        self._connect()
        self.setAcceptDrops(True)
        self.setWindowTitle("Curve Sieve")
        self.setMinimumSize(900, 560)
        fit_to_screen(self, self.memory.size)
        self.session.add_line_tables(application_folder("lines"))
        self.show_bench("Curve")
        self.refresh()

    def _build(self) -> None:
        self.header = Header(self.session, BENCHES, self.study_files.menu_rows)
        self.shelf = Shelf(self.session)
        self.shelf.setMinimumWidth(_SHELF_PX)
        self.curve_bench = CurveBench(self.session)
        self.status = StatusLine()
        self.benches = QStackedWidget()
        self.benches.addWidget(self.curve_bench)
        middle = QHBoxLayout()
        middle.setContentsMargins(10, 10, 10, 8)
        middle.setSpacing(10)
        self.sides = QSplitter()  # the shelf is as wide as its names need
        self.sides.setChildrenCollapsible(False)
        self.sides.setHandleWidth(10)
        self.sides.addWidget(self.shelf)
        self.sides.addWidget(self.benches)
        self.sides.setStretchFactor(0, 0)
        self.sides.setStretchFactor(1, 1)
        self.sides.setSizes([_SHELF_PX, 4000])
        middle.addWidget(self.sides)
        body = QWidget()
        body.setObjectName("bench")
        rows = QVBoxLayout(body)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(0)
        rows.addWidget(self.header)
        rows.addLayout(middle, 1)
        rows.addWidget(self.status)
        self.setCentralWidget(body)
        self.notice = NoticeBar(self.benches, self._kept_clear)

    def _connect(self) -> None:
        session, canvas = self.session, self.curve_bench.canvas
        self.header.bench_asked.connect(self.show_bench)
        self.header.finder_asked.connect(self.finder.open)

        QShortcut(QKeySequence("Ctrl+K"), self).activated.connect(self.finder.open)
        session.noticed.connect(self.notice.show_notice)
        session.figure_asked.connect(self.make_figure)
        self.tray.noticed.connect(self.notice.show_notice)
        files = self.study_files
        files.told.connect(self.notice.show_notice)
        files.begun.connect(lambda: self.show_bench("Curve"))
        files.files_found.connect(self.take_files)
        session.jobs.busy_changed.connect(lambda text: self.status.show_busy(text, bool(session.jobs.stoppable)))
        self.status.stop_asked.connect(self._stop_work)
        canvas.pointer.connect(self.status.show_pointer)
        canvas.hint.connect(lambda text: self.status.hint.set(text) if self.bench == "Curve" else None)
        canvas.write_asked.connect(self.exports.ask_curve)
        empty = canvas.empty
        for part in (self.shelf, empty):
            part.files_asked.connect(self.ask_files)
        empty.study_asked.connect(self.study_files.ask_open)
        empty.demo_asked.connect(self.study_files.open_demo)
        empty.recent_asked.connect(self.study_files.open)
        empty.show_recent(self.memory.recent)
        session.file_changed.connect(lambda: empty.show_recent(self.memory.recent))
        for name, fold in self.curve_bench.folds.items():
            fold.fold(self.memory.folded(name))
            fold.clicked.connect(lambda _, name=name, fold=fold: self.memory.fold(name, fold.folded))  # by hand
        self.shelf.list.files_dropped.connect(self.dropEvent)
        self.curve_bench.sieve.files_dropped.connect(self.dropEvent)
        self.curve_bench.drawer.write_asked.connect(self.exports.ask_curve)
        self.shelf.looked_at_curve.connect(lambda: self.show_bench("Family" if self.bench == "Family" else "Curve"))
        session.family_work.opened.connect(lambda _: self.show_bench("Curve"))
        self.shelf.menu_rows = [
            ("Look at the record's numbers", self.exports.show_numbers),
            ("Write the curve as a file…", self.exports.ask_curve),
            ("Write the record as a file…", self.exports.ask_record),
        ]

    def _make_actions(self) -> None:
        """All actions, in the order in which the finder lists them; those of steps when it is first opened."""
        session, bench = self.session, self.curve_bench
        self.actions_ = actions = Actions(self, lambda: self.bench)
        made = actions.add(
            [
                *study_rows(self.study_files, session, self.header.open_menu, self.ask_files, self.paste),
                *bench.action_rows(self.show_plot_alone),
                *self.shelf.action_rows(),
                *self.exports.action_rows(),
                ActionRow("Make a figure of what is in hand", "Ctrl+G", self.make_figure, words="page print plot"),
                ActionRow("Simulate a curve, or make a histogram…", "", self.show_making),
                *window_rows(BENCHES, self.show_bench, self.use_scheme, lambda: (self.window() or self).close()),
            ]
        )
        self.finder = Finder(
            self,
            made,
            lambda: [
                *actions.add(bench.rule_rows()),
                *self._family_actions,
                *self._field_actions,
                *self._figure_actions,
                *self._trace_actions,
            ],
        )
        session.changed.connect(lambda old, new: actions.refresh())
        session.view_changed.connect(lambda old, new: actions.refresh())
        self.bench_changed.connect(actions.refresh)

    @cached_property
    def intake_bench(self) -> IntakeBench:
        """Made when it is first gone to: most sessions begin with a study, and the window should be there at once."""
        from curvesieve.app.benches.intake.bench import IntakeBench

        bench = IntakeBench(self.session, self.tray)
        bench.files_asked.connect(self.ask_files)
        bench.brought_in.connect(lambda: self.show_bench("Curve"))
        self.benches.addWidget(bench)
        return bench

    @cached_property
    def family_bench(self) -> FamilyBench:
        """Made when it is first gone to, as the Intake bench is."""
        from curvesieve.app.benches.family.bench import FamilyBench

        bench = FamilyBench(self.session)
        bench.told.connect(self.status.hint.set)
        self.benches.addWidget(bench)
        return bench

    @cached_property
    def field_bench(self) -> FieldBench:
        """Made when it is first gone to, as the others are."""
        from curvesieve.app.benches.field.bench import FieldBench

        bench = FieldBench(self.session)
        bench.told.connect(self.status.hint.set)
        self.benches.addWidget(bench)
        return bench

    @cached_property
    def figure_bench(self) -> FigureBench:
        """Made when it is first gone to, as the others are."""
        from curvesieve.app.benches.figure.bench import FigureBench

        bench = FigureBench(self.session)
        bench.told.connect(self.status.hint.set)
        self.benches.addWidget(bench)
        return bench

    @cached_property
    def trace_bench(self) -> TraceBench:
        """Made when it is first gone to, as the others are."""
        from curvesieve.app.benches.trace.bench import TraceBench

        bench = TraceBench(self.session)
        bench.told.connect(self.status.hint.set)
        self.benches.addWidget(bench)
        return bench

    @cached_property
    def _trace_actions(self) -> list[QAction]:
        return self.actions_.add(self.trace_bench.action_rows())

    @cached_property
    def _field_actions(self) -> list[QAction]:
        return self.actions_.add(self.field_bench.action_rows())

    @cached_property
    def _figure_actions(self) -> list[QAction]:
        return self.actions_.add(self.figure_bench.action_rows())

    @cached_property
    def _family_actions(self) -> list[QAction]:
        return self.actions_.add(self.family_bench.action_rows())

    def _kept_clear(self) -> int:
        """The width of the column with the main button, where it is shown."""
        sides: dict[str, Callable[[], QWidget]] = {
            "Family": lambda: self.family_bench.side, "Figure": lambda: self.figure_bench.side,
            "Trace": lambda: self.trace_bench.side, "Field": lambda: self.field_bench.side,
        }  # fmt: skip
        side = sides.get(self.bench, lambda: self.curve_bench.side)()
        return side.width() + 10 if side.isVisible() else 0

    def refresh(self) -> None:
        """Renders everything anew."""
        self.shelf.restyle()
        self.curve_bench.refresh()
        if "intake_bench" in vars(self):
            self.intake_bench.refresh()
        if "family_bench" in vars(self):
            self.family_bench.restyle()
        if "field_bench" in vars(self):
            self.field_bench.restyle()
        if "figure_bench" in vars(self):
            self.figure_bench.restyle()
        if "trace_bench" in vars(self):
            self.trace_bench.refresh()

    def show_bench(self, name: str) -> None:
        shown: QWidget = self.curve_bench
        if name != "Curve":
            shown = getattr(self, f"{name.lower()}_bench")
        self.benches.setCurrentWidget(shown)
        self.header.show_bench(name)
        self.notice.raise_()  # a bench that comes up would lie over it
        self.bench = name
        self.bench_changed.emit()
        # On Intake the waiting files stand in its place; a plot that was given all room keeps it.
        self.shelf.setVisible(
            name not in ("Intake", "Field", "Figure", "Trace") and not self.curve_bench.side.isHidden()
        )
        if name == "Intake":
            self.status.hint.set("Nothing is part of the study until you bring it in")
        elif name == "Family":
            self.status.hint.set(self.family_bench.hint)
            self._family_actions  # noqa: B018  made with the bench, for its keys
        elif name == "Field":
            self.status.hint.set(self.field_bench.hint)
            self._field_actions  # noqa: B018
        elif name == "Figure":
            self.status.hint.set(self.figure_bench.hint)
            self._figure_actions  # noqa: B018
        elif name == "Trace":
            self.status.hint.set(self.trace_bench.hint)
            self._trace_actions  # noqa: B018
        else:
            self.curve_bench.canvas.say_hint()

    def show_plot_alone(self) -> None:
        """Gives the plot the room of all that stands around it, or gives the room back."""
        parts = (self.shelf, self.curve_bench.side)
        alone = not self.curve_bench.side.isVisible()
        for part in parts:
            part.setVisible(alone)
        for fold in (self.curve_bench.drawer.heading, self.curve_bench.canvas.strip.title):
            fold.fold(not alone)

    def make_figure(self) -> None:
        """A figure of what is in hand, on the Figure bench."""
        field = self.field_bench.work.field if self.bench == "Field" else None
        if field is not None:
            self.show_bench("Figure")
            self.figure_bench.make_of_field(field.id)
            return
        of_curve = self.bench == "Curve"
        self.show_bench("Figure")
        self.figure_bench.make_first(of_curve)

    def show_making(self) -> None:
        self.show_bench("Intake")
        self.intake_bench.show_making()

    def use_scheme(self, scheme: str, remember: bool = True) -> None:
        if remember:
            self.memory.scheme = scheme
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app, scheme)
        self.refresh()

    # -- files coming in ----------------------------------------------------------------------------

    def take_files(self, paths: list[Path]) -> None:
        """Opens a study, or puts data files on the tray and shows how they are understood."""
        studies = [path for path in paths if path.suffix == SUFFIX]
        # pictures in a folder of data are photographs more often than charts: only those that were given are taken
        pictures = [path for path in paths if path.suffix.lower() in _PICTURES and path.is_file()]
        others = [path for path in paths if path.suffix != SUFFIX and path not in pictures]
        files = [file for path in others for file in _files_of(path)]
        if self.bench == "Field" and [*pictures, *files]:
            for path in (*pictures, *files):
                self.field_bench.bring_in(path)
            return
        if pictures:
            self.show_bench("Trace")
            for path in pictures:
                self.trace_bench.bring_in(path)
        if studies:
            self.study_files.open(studies[0])
        if not studies and not files and not pictures:
            self.session.noticed.emit(f"{paths[0].name} is an empty folder; there is nothing to bring in.", "problem")
        if files:
            self.study_files.folder = files[0].parent
            self.tray.take(files)
            self.show_bench("Intake")

    def ask_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self,
            "Bring in files",
            str(self.study_files.folder),
            _DATA_FILES,
        )
        if names:
            self.take_files([Path(name) for name in names])

    def paste(self) -> None:
        clipboard = QGuiApplication.clipboard()
        text = clipboard.text() if clipboard is not None else ""
        if not text.strip() and clipboard is not None and not clipboard.image().isNull():
            self.show_bench("Trace")
            self.trace_bench.paste()
            return
        if not text.strip():
            said = "The clipboard holds neither text nor a picture. Copy a table or a chart first, then paste it."
            self.session.noticed.emit(said, "problem")
            return
        self.tray.take_text(text)
        self.show_bench("Intake")

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
        event.acceptProposedAction()
        if paths:
            self.take_files(paths)
        else:
            self.session.noticed.emit("Only files of this computer can be dropped here.", "problem")

    # -- the keyboard -------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.lay_down()
        elif event is not None and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab):
            self.focusNextPrevChild(event.key() == Qt.Key.Key_Tab)  # with Ctrl: out of whatever keeps Tab to itself
        else:
            super().keyPressEvent(event)

    def lay_down(self) -> None:
        """Escape: lays down the last thing that was taken up, and changes nothing."""
        if self.notice.isVisible():
            self.notice.lay_down()
        elif self.bench == "Curve":
            self.curve_bench.lay_down()
        elif self.bench == "Intake":
            self.intake_bench.lay_down()
        elif self.bench == "Family":
            self.family_bench.lay_down()
        elif self.bench == "Figure":
            self.figure_bench.lay_down()

    # -- the end ------------------------------------------------------------------------------------

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        waiting = len(self.tray.files)
        verb = "waits" if waiting == 1 else "wait"
        leaving = f"{counted(waiting, 'file')} still {verb} on the Intake bench, not part of the study."
        if not self.study_files.may_go(leaving if waiting else ""):
            event.ignore()
            return
        frame = self.window() or self
        self.memory.keep_size(frame.size(), frame.isMaximized())
        self.session.jobs.close(0)  # a worker that does not listen is left behind; see `main.run`
        self.recovery.end()
        self.session.saver.close()
        event.accept()

    def _stop_work(self) -> None:
        label, key = self.session.jobs.busy, self.session.jobs.stoppable
        if key:
            self.session.jobs.stop(key)
            self.session.noticed.emit(f"Stopped: {label}. Nothing was changed.", "word")
