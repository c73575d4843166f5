"""A figure on its way out: its format, its dots, what goes with it; written or copied in the background."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QGuiApplication, QImage
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QFileDialog, QHBoxLayout, QPushButton

from curvesieve.app.benches.figure.work import FigureWork
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.number import NumberField
from curvesieve.core.figures.writing import DPI, SUFFIXES
from curvesieve.core.files import write_bytes

_TIPS = {
    ".png": "Pixels, for screens and most journals", ".tiff": "Pixels, for journals that ask for it",
    ".svg": "Lines and letters, to be worked on", ".pdf": "Lines with their fonts, for print",
}  # fmt: skip


class OutCard(Card):
    """Asks for a file and writes the figure in hand."""

    told = pyqtSignal(str, str)

    def __init__(self, work: FigureWork) -> None:
        super().__init__()
        self.work = work
        self.formats: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        top = QHBoxLayout()
        top.setSpacing(4)
        for suffix, name in SUFFIXES.items():
            made = button(name, "tab", _TIPS[suffix])
            made.setCheckable(True)
            made.clicked.connect(self._refresh)
            group.addButton(made)
            top.addWidget(made)
            self.formats[suffix] = made
        top.addStretch(1)
        self.rows.addLayout(top)
        self.dpi = NumberField("dots per inch", "", True, False, 100)
        self.dpi.set(600)
        self.dpi.line.setFixedWidth(64)
        self.dpi.edited.connect(self._checked)
        self.dpi.refused.connect(lambda sentence: self.told.emit(sentence, "problem"))
        self.paths = QCheckBox("letters as paths")
        self.paths.setToolTip("Else as text, which other programs set in a font that they have")
        second = QHBoxLayout()
        self.dots = label("dots per inch", "muted")
        second.addWidget(self.dots)
        second.addWidget(self.dpi)
        second.addWidget(self.paths)
        second.addStretch(1)
        self.rows.addLayout(second)
        self.data = QCheckBox("data as CSV")
        self.data.setToolTip("All that is drawn, all digits, in a file beside it")
        self.script = QCheckBox("script")
        self.script.setToolTip("A Python script beside it that draws the same from the CSV, with Matplotlib alone")
        self.script.clicked.connect(lambda on: self.data.setChecked(on or self.data.isChecked()))
        self.data.clicked.connect(lambda on: self.script.setChecked(on and self.script.isChecked()))
        third = QHBoxLayout()
        third.addWidget(label("with it", "muted"))
        third.addWidget(self.data)
        third.addWidget(self.script)
        third.addStretch(1)
        self.rows.addLayout(third)
        self.copy = button("Copy picture", tip="Puts the page on the clipboard, to be pasted elsewhere")
        self.copy.clicked.connect(self.copy_picture)
        self.write_button = button("Write figure…", "act", "Writes the figure as a file")
        self.write_button.clicked.connect(self.ask)
        self.formats[".pdf"].setChecked(True)
        self._refresh()

    @property
    def suffix(self) -> str:
        """The format that is chosen."""
        return next(suffix for suffix, made in self.formats.items() if made.isChecked())

    def _refresh(self) -> None:
        dotted = self.suffix in (".png", ".tiff")
        for part in (self.dots, self.dpi):
            part.setVisible(dotted)
        self.paths.setVisible(self.suffix == ".svg")

    def _checked(self, value: object) -> None:
        if not isinstance(value, int) or not DPI[0] <= value <= DPI[1]:
            self.dpi.set(600)
            self.told.emit(
                f"Between {DPI[0]} and {DPI[1]} dots per inch can be written, not {value}; 600 are.", "problem"
            )

    def ask(self) -> None:
        """Asks for a file, and writes the figure as it is now."""
        spec = self.work.spec
        if spec is None:
            return
        name = spec.name.replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Write the figure", f"{name}{self.suffix}", f"{SUFFIXES[self.suffix]} (*{self.suffix})"
        )
        if chosen:
            path = Path(chosen)
            self.write(path if path.suffix else path.with_suffix(self.suffix))

    def write(self, path: Path) -> None:
        """Writes the figure in hand, with its data and script beside it where they are wanted, in the background."""
        spec, study = self.work.spec, self.work.session.study
        if spec is None:
            return
        dpi = int(self.dpi.value or 600)
        paths, data, script = self.paths.isChecked(), self.data.isChecked(), self.script.isChecked()

        def work(ticket: Ticket) -> list[str]:
            from curvesieve.core.figures.writing import beside, checked, page_of, save

            suffix = checked(path.suffix, dpi)
            page = page_of(study, spec, suffix)
            more = beside(page, spec.name, path.with_suffix(".csv"), dpi, script) if data else {}
            write_bytes(path, save(page, suffix, dpi, paths))
            for one, content in more.items():
                write_bytes(one, content)
            return [path.name, *(one.name for one in more)]

        self.work.session.jobs.start(
            f"Writing {path.name}", "write figure", work,
            lambda made: self.told.emit(f"Wrote {', '.join(made)} to {path.parent}.", "word"),
            lambda sentence: self.told.emit(sentence, "problem"),
        )  # fmt: skip

    def copy_picture(self) -> None:
        """Puts the page on the clipboard at 300 dots per inch."""
        spec, study = self.work.spec, self.work.session.study
        if spec is None:
            return

        def work(ticket: Ticket) -> bytes:
            from curvesieve.core.figures.writing import written

            return written(study, spec, ".png", 300)

        def done(data: bytes) -> None:
            clipboard = QGuiApplication.clipboard()
            if clipboard is not None:
                clipboard.setImage(QImage.fromData(data))
                self.told.emit(f"Copied {spec.name} as a picture.", "word")

        self.work.session.jobs.start(
            "Copying the picture", "copy figure", work, done, lambda sentence: self.told.emit(sentence, "problem")
        )
