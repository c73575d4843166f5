"""The Intake bench put together: waiting files, the text or numbers of one, its channels and what will come in."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from curvesieve.app.benches.intake.channels import ChannelsPanel
from curvesieve.app.benches.intake.files import FilesColumn
from curvesieve.app.benches.intake.making import MakingPanel
from curvesieve.app.benches.intake.text_view import TextView
from curvesieve.app.benches.intake.tray import Tray
from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.panels.numbers import NumbersView
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.session.desk import View
from curvesieve.app.session.session import Session
from curvesieve.app.theme import family_colours
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.stepper import Stepper
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.formats.layout import DELIMITER_NAMES
from curvesieve.core.study import Study, edits

if TYPE_CHECKING:
    from curvesieve.core.formats import Table

_MOST_DRAWN = 40
_POINT = "Click the row where the numbers begin, if there are any."
_POINT_AGAIN = "Click the row where the data begin, if it was not found right."


class IntakeBench(QWidget):
    """Renders the tray. Nothing is part of the study until it is brought in."""

    brought_in = pyqtSignal()
    files_asked = pyqtSignal()

    def __init__(self, session: Session, tray: Tray) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.session, self.tray = session, tray
        self.files = FilesColumn(tray)
        self.files.files_asked.connect(self.files_asked)
        self.files.making_asked.connect(self.show_making)
        self.files.bringing_asked.connect(self.bring_in)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self.files)
        row.addWidget(self._make_middle(), 1)
        row.addWidget(self._make_side())
        tray.changed.connect(self.refresh)
        self.refresh()

    def _make_middle(self) -> QWidget:
        self.title, self.details = Elided(role="strong"), Elided(role="muted")
        self.as_text, self.as_numbers = self._make_tab("Text"), self._make_tab("Numbers")
        self.as_text.setChecked(True)
        self.as_text.clicked.connect(lambda: self._show_page(self.text))
        self.as_numbers.clicked.connect(lambda: self._show_page(self.numbers))
        self.save = button("Save pattern…", tip="Keeps delimiter, names, units and roles for the next such file")
        self.save.clicked.connect(self._ask_pattern_name)
        head = QHBoxLayout()
        head.setSpacing(4)
        head.addWidget(self.title, 1)
        for widget in (self.as_text, self.as_numbers, self.save):
            head.addWidget(widget)
        self.problem, self.notes = label(role="problem", wrap=True), label(role="caught", wrap=True)
        self.text = TextView()
        self.text.row_chosen.connect(self.tray.begin_data_at)
        self.numbers = NumbersView(self.session.jobs)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.text)
        self.pages.addWidget(self.numbers)
        self.left_out = Stepper("row left out")
        self.left_out.chosen.connect(self._show_left_out)
        self.foot = label(_POINT_AGAIN, "muted", wrap=True)
        page = QWidget()
        rows = QVBoxLayout(page)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        rows.addLayout(head)
        rows.addLayout(self._make_marks())
        rows.addWidget(self.problem)
        rows.addWidget(self.notes)
        rows.addWidget(self.pages, 1)
        rows.addWidget(self.left_out)
        rows.addWidget(self.foot)
        self.making = MakingPanel()
        self.making.made.connect(self._take_made)
        self.making.closed.connect(lambda: self.middle.setCurrentIndex(0))
        self.middle = QStackedWidget()
        self.middle.addWidget(page)
        self.middle.addWidget(self.making)
        return self.middle

    def _make_marks(self) -> QHBoxLayout:
        """How the text is understood, and two choices to correct it."""
        self.delimiter, self.decimal = Choice(), Choice()
        for mark, name in DELIMITER_NAMES.items():
            self.delimiter.addItem(name, mark)
        self.decimal.addItem("decimal point", ".")
        self.decimal.addItem("decimal comma", ",")
        for choice, name in ((self.delimiter, "between the cells"), (self.decimal, "decimal mark")):
            choice.setAccessibleName(name)
            choice.setProperty("small", "true")
            choice.textActivated.connect(
                lambda _: self.tray.read_with(self.delimiter.currentData(), self.decimal.currentData())
            )
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.details, 1)
        row.addWidget(self.delimiter)
        row.addWidget(self.decimal)
        return row

    def _make_tab(self, text: str) -> QPushButton:
        tab = button(text, "tab")
        tab.setCheckable(True)
        tab.setAutoExclusive(True)
        return tab

    def _make_side(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(368)
        self.channels = ChannelsPanel(self.tray)
        self.what = Elided(role="muted")
        self.what.setAlignment(Qt.AlignmentFlag.AlignRight)
        head = QHBoxLayout()
        head.addWidget(label("WHAT WILL COME IN", "section"))
        head.addWidget(self.what, 1)
        self.plot = Plot()
        self.traces: list[Trace] = []
        rows = QVBoxLayout(side)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(self.channels, 5)
        rows.addLayout(head)
        rows.addWidget(self.plot, 3)
        return side

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        waiting = self.tray.shown
        self.files.refresh()
        self._show_head(waiting)
        self.text.show_text(waiting.found if waiting else None)
        if self.pages.currentWidget() is self.numbers:
            self.numbers.show_record(waiting.record if waiting else None)
        self.making.show_record(waiting.record if waiting else None)
        self.channels.refresh()
        self._show_curves(waiting)

    def _show_page(self, page: QWidget) -> None:
        self.pages.setCurrentWidget(page)
        self.refresh()

    def lay_down(self) -> None:
        """Escape: leaves the form that makes a curve."""
        self.middle.setCurrentIndex(0)

    def show_making(self) -> None:
        self.middle.setCurrentIndex(1)
        self.making.refresh()

    def _show_head(self, waiting: Waiting | None) -> None:
        found = waiting.found if waiting else None
        self.title.set(waiting.name if waiting else "Nothing waits")
        if waiting is None:
            self.details.set("Drop files or a folder anywhere on the window, choose them, or paste a table.")
        elif waiting.table is None or found is None:
            self.details.set("not understood")
        else:
            layout = found.layout
            self.delimiter.setCurrentIndex(self.delimiter.findData(layout.delimiter))
            self.decimal.setCurrentIndex(self.decimal.findData(layout.decimal))
            before = counted(layout.first_row, "row")
            known = (
                f" · read by the pattern “{waiting.pattern.name}”" if waiting.pattern and waiting.pattern.name else ""
            )
            self.details.set(f"{found.encoding} · {before} before the data{known}")
        for choice in (self.delimiter, self.decimal):
            choice.setVisible(
                waiting is not None and waiting.table is not None and waiting.table.found.format == "text"
            )
        problem = waiting.problem if waiting else ""
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        notes = waiting.table.record.notes if waiting and waiting.table else ()
        notes += waiting.taken.told if waiting and waiting.taken else ()
        self.notes.setText("\n".join(f"{note}." for note in notes))
        self.notes.setVisible(bool(notes))
        odd = found.left_out if found else ()
        self.left_out.fill(f"{counted(len(odd), 'row')} left out", [f"row {row + 1:,}: {why}" for row, why in odd])
        self.foot.setVisible(found is not None)
        understood = waiting is not None and waiting.table is not None
        self.foot.setText(_POINT_AGAIN if understood else _POINT)
        self.save.setEnabled(waiting is not None and waiting.pattern is not None)

    def _show_left_out(self, place: int) -> None:
        found = self.tray.shown.found if self.tray.shown else None
        if found is not None:
            self.as_text.setChecked(True)
            self.pages.setCurrentWidget(self.text)
            self.text.show_row(found.left_out[place][0])

    def _show_curves(self, waiting: Waiting | None) -> None:
        self.plot.restyle()
        for trace in self.traces:
            trace.clear()
        if waiting is None or waiting.taken is None:
            self.what.set("nothing yet")
            self.plot.show_nothing()
            return
        taken = waiting.taken
        curves = [chosen.curve(taken.record) for chosen in taken.takes[:_MOST_DRAWN]]
        while len(self.traces) < len(curves):
            self.traces.append(Trace(self.plot))
        first = curves[0]
        self.plot.set_labels(units.labelled(first.x_label, first.x_unit), units.labelled(first.y_label, first.y_unit))
        self.plot.box.setRange(
            xRange=(min(c.x.min() for c in curves), max(c.x.max() for c in curves)),
            yRange=(min(c.y.min() for c in curves), max(c.y.max() for c in curves)),
            padding=0.05,
        )
        for trace, curve, hue in zip(self.traces, curves, family_colours(len(curves)), strict=False):
            drawn = pen("ink", 1.3)
            drawn.setColor(hue)
            trace.set(curve.x, curve.y, drawn)
        odd = f" · {first.oddities[0]}" if first.oddities else ""
        several = f"{counted(len(taken.takes), 'curve')}: " if len(taken.takes) > 1 else ""
        self.what.set(f"{several}{first.y_label} against {first.x_label}, {counted(len(first), 'point')}{odd}")

    # -- edits --------------------------------------------------------------------------------------

    def _ask_pattern_name(self) -> None:
        waiting = self.tray.shown
        if waiting is None or waiting.pattern is None:
            return
        proposed = waiting.pattern.name or waiting.name.split(" · ")[0].rsplit(".", 1)[0]
        name, ok = QInputDialog.getText(self, "Save this reading pattern", "Name", text=proposed)
        if ok:
            self.tray.save_pattern(name)

    def _take_made(self, make: Callable[[], Table]) -> None:
        self.middle.setCurrentIndex(0)
        self.tray.take_made(make)

    def bring_in(self) -> None:
        """Makes a family of the files of each kind that are ready; those with a problem stay waiting."""
        ready, families = self.tray.ready, self.tray.families
        if not ready:
            return

        def edit(study: Study) -> Study:
            for family in families:
                chosen = [(taken.record, take) for taken in family.takens for take in taken.takes]
                condition = family.condition
                about = (condition.name, condition.unit)
                study = edits.add_curves(study, chosen, family.title, family.labels, condition.values, about)
                if test := family.takens[0].test:
                    given = [taken.quantities for taken in family.takens for _ in taken.takes]
                    study = edits.as_tested(study, study.document.families[-1].id, test, given)
            return study

        before = {curve.id for curve in self.session.study.document.curves}
        if not self.session.apply(edit, f"bring in {counted(len(ready), 'file')}"):
            return
        new = next(curve.id for curve in self.session.study.document.curves if curve.id not in before)
        self.session.look(View(new))
        self.tray.remove({waiting.number for waiting in ready})
        self.brought_in.emit()
