"""The points of the curve in hand as a table, and questions to it that need no fit."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.panels.numbers import NumbersView
from curvesieve.app.session.desk import RECORDED
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Elided, button
from curvesieve.app.widgets.line import Line, tab_leaves
from curvesieve.app.widgets.table import plain_table
from curvesieve.core import units
from curvesieve.core.curve import Curve
from curvesieve.core.reading import concise
from curvesieve.core.readings.asked import AtX, OverBand, over, y_at
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.points import FLAG_WORDS, Points, points_of
from curvesieve.core.typed import numbers_in

_ASKING_PX = 330
Row = tuple[str, str, str, str]
"""What is asked, the answer as it is read, the answer with all digits, and what is to be known about it."""


class PointsPage(QWidget):
    """Renders the points at the stage in hand (as recorded, or as they passed); asks the curve as it passed."""

    def __init__(self, session: Session, write: Callable[[], None]) -> None:
        super().__init__()
        self.session = session
        self.points: Points | None = None
        self.answered: list[Row] = []
        self._shown: tuple[str, bool, str] = ("", False, "")
        self.numbers = NumbersView(session.jobs)
        self.what = Elided(role="muted")
        self.copy = button("Copy", tip="Copy the chosen cells, or all rows, with all digits (Ctrl+C)")
        self.copy.clicked.connect(self.copy_points)
        self.write = button("Write…", tip="Write the points to a file, with fit and residual")
        self.write.clicked.connect(write)
        head = QHBoxLayout()
        head.addWidget(self.what, 1)
        head.addWidget(self.copy)
        head.addWidget(self.write)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addLayout(head)
        left.addWidget(self.numbers, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(12)
        layout.addLayout(left, 1)
        layout.addWidget(self._make_asking())
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)
        self.refresh()

    def _make_asking(self) -> QWidget:
        self.place, self.low, self.high = Line(), Line(), Line()
        for line, name in ((self.place, "x to ask about"), (self.low, "from x"), (self.high, "to x")):
            line.setAccessibleName(name)
        self.low.setPlaceholderText("from: start")
        self.high.setPlaceholderText("to: end")
        self.place.setPlaceholderText("ask the curve: an x")
        at, between = button("y at x", "act", "y at this x, by several ways"), button("Between", "act")
        between.setToolTip("Mean, standard deviation and extremes of the points between two x; empty for all")
        for line in (self.place,):
            line.returnPressed.connect(self.ask_at)
        for line in (self.low, self.high):
            line.returnPressed.connect(self.ask_between)
        at.clicked.connect(self.ask_at)
        between.clicked.connect(self.ask_between)
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.place, 1)
        first.addWidget(at)
        second.addWidget(self.low, 1)
        second.addWidget(self.high, 1)
        second.addWidget(between)
        self.answers = plain_table(("asked", "answer", ""))
        tab_leaves(self.answers)
        across = self.answers.horizontalHeader()
        assert across is not None
        across.hide()
        across.setStretchLastSection(True)
        self.copy_answers_button = button("Copy", "bare", "Copy the answers with all digits")
        self.copy_answers_button.clicked.connect(self.copy_answers)
        self.asked = Elided(role="muted")
        made = QWidget()
        made.setFixedWidth(_ASKING_PX)
        rows = QVBoxLayout(made)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        said = QHBoxLayout()
        said.addWidget(self.asked, 1)
        said.addWidget(self.copy_answers_button)
        rows.addLayout(first)
        rows.addLayout(second)
        rows.addLayout(said)
        rows.addWidget(self.answers, 1)
        return made

    # -- the points ---------------------------------------------------------------------------------

    def refresh(self) -> None:
        entry = self.session.entry
        recorded = self.session.view.stage == RECORDED
        made = self.session.sieved() if entry is not None else None
        ready = entry is not None and (recorded or made is not None)
        key = (
            (entry.id, recorded, self.session.study.fit_key(entry.id))
            if entry is not None and ready
            else ("", False, "")
        )
        fitted = bool(entry is not None and self.session.study.fit_is_current(entry.id))
        key = (key[0], key[1], f"{key[2]} {fitted}")
        for widget in (self.copy, self.write):
            widget.setEnabled(ready)
        if key == self._shown:
            return
        if key[0] != self._shown[0]:
            self._show_answers([], "")
        self._shown = key
        if entry is None or not ready:
            self.points = None
            self.numbers.show_record(None)
            self.what.set("" if entry is None else "The curve is still passing through the sieve.")
            return
        self.points = points_of(self.session.study, entry.id, recorded)
        self.numbers.show_record(self.points.record, {self.points.flag_place: FLAG_WORDS}, self.points.summaries)
        out = int(self.points.left_out.sum())
        note = f", {out:,} left out of the summary" if out else ""
        self.what.set(f"{self.points.record.source.name}{note}")

    def copy_points(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self.points is not None:
            clipboard.setText(self.numbers.as_text())
            self.session.noticed.emit("Copied the points with all digits.", "word")

    # -- questions ----------------------------------------------------------------------------------

    def ask_at(self) -> None:
        """y at the x typed, in the background."""
        try:
            asked = numbers_in(self.place.text())
        except ValueError as error:
            asked = []
            self._refused(str(error))
            return
        if len(asked) != 1:
            self._refused("Type one x, such as 12.5.")
            return
        self._ask(f"y at {asked[0]:g}", lambda curve: _rows_at(y_at(curve, asked[0])))

    def ask_at_x(self, x: float) -> None:
        """The same for an x that was pointed at."""
        self.place.setText(f"{x:.6g}")
        self.ask_at()

    def ask_between(self) -> None:
        """Mean and extremes between the x typed; empty fields mean the ends of the curve."""
        ends: list[float | None] = []
        for line in (self.low, self.high):
            try:
                found = numbers_in(line.text())
            except ValueError as error:
                self._refused(str(error))
                return
            if len(found) > 1:
                self._refused("Type one number for each end, or nothing for the end of the curve.")
                return
            ends.append(found[0] if found else None)
        said = " to ".join("end" if end is None else f"{end:g}" for end in ends)
        self._ask(f"points from {said}".replace("from end", "from start"), lambda curve: _rows_over(over(curve, *ends)))

    def _ask(self, title: str, work: Callable[[Curve], list[Row]]) -> None:
        entry, study, still = self.session.entry, self.session.study, self.session.asking()
        if entry is None:
            return

        def run(ticket: Ticket) -> tuple[list[Row], str]:
            curve = sieved_curve(study, entry.id).curve
            note = "" if curve.u is not None else "; u of the points is not known"
            unit = units.shown(curve.y_unit)
            return work(curve), f"{title}{f', in {unit}' if unit else ''}{note}"

        def done(found: tuple[list[Row], str]) -> None:
            if still():
                self._show_answers(*found)

        self.session.jobs.start("Asking the curve", "ask points", run, done, self._refused)

    def _show_answers(self, rows: list[Row], title: str) -> None:
        self.answered = rows
        self.asked.set(title)
        self.answers.setRowCount(len(rows))
        for i, (asked, said, _, about) in enumerate(rows):
            for j, text in enumerate((asked, said, about)):
                item = QTableWidgetItem(text)
                item.setToolTip(about)
                if j == 1:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.answers.setItem(i, j, item)
        self.copy_answers_button.setEnabled(bool(rows))

    def copy_answers(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self.answered:
            lines = [f"{asked}\t{whole}\t{about}" for asked, _, whole, about in self.answered]
            clipboard.setText("\n".join([self.asked.whole_text(), *lines]))

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")


def _rows_at(found: list[AtX]) -> list[Row]:
    made = []
    for one in found:
        if math.isnan(one.y):
            made.append((one.way, "–", "", one.about))
        else:
            spread = "" if one.u is None else f" ± {one.u!r}"
            made.append((one.way, concise(one.y, one.u), f"{one.y!r}{spread}", one.about))
    return made


def _rows_over(found: OverBand) -> list[Row]:
    return [
        ("points", f"{found.n:,}", str(found.n), ""),
        ("mean", concise(found.mean, found.standard_error if found.n > 1 else None), repr(found.mean), "u: s. d. / √n"),
        ("standard deviation", f"{found.sd:.5g}", repr(found.sd), "of one point, n − 1"),
        ("smallest", f"{found.low:.6g}", repr(found.low), f"at {found.low_at:.6g}"),
        ("largest", f"{found.high:.6g}", repr(found.high), f"at {found.high_at:.6g}"),
        ("sum", f"{found.total:.6g}", repr(found.total), ""),
    ]
