"""The series that were traced: a card each, the numbers of the one in hand with u, and the way into the study."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.trace.numbers_out import NumbersOut
from curvesieve.app.benches.trace.placing import Placing
from curvesieve.app.benches.trace.series_card import SeriesCard
from curvesieve.app.widgets.basics import button, empty, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.seen import side_column
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core.errors import InputError
from curvesieve.core.reading import concise
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import SeriesSpec
from curvesieve.core.tracing.values import axis_of, between, traced, traced_bars

_UNCERTAIN = "u from how well the ticks are drawn, and the marks of both axes"
_SIDE_PX = 332


class SeriesSide(QWidget):
    """All series and the numbers of the one in hand."""

    def __init__(self, placing: Placing) -> None:
        super().__init__()
        self.work = work = placing.work
        self.out = NumbersOut(self, work)
        self.another = button("+ another", "bare", "A series more: what is placed next goes into it")
        self.another.clicked.connect(lambda: work.new_series())
        self.cards = QVBoxLayout()
        self.cards.setSpacing(6)
        self.table = plain_table(["#", "x", "y"])
        self.table.setAccessibleName("numbers of the series")
        stretch(self.table, (1, 2), 60)
        self.table.cellClicked.connect(self._clicked)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.table.itemChanged.connect(self._named)
        self._filling = False
        self.problem = label(role="problem", wrap=True)
        self.foot_words = label(_UNCERTAIN, "muted", wrap=True)
        self.back = button("Take back", tip="The last one, or the one in hand (Backspace on the picture)")
        self.back.clicked.connect(placing.take_back)
        self.into = button("Bring in", "act", "As curves that follow the chart, ready for fits; several as a family")
        self.into.clicked.connect(self._bring_in)
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(label("SERIES", "section"))
        top.addStretch(1)
        top.addWidget(self.another)
        rows.addLayout(top)
        rows.addLayout(self.cards)
        rows.addWidget(self.table, 1)
        rows.addWidget(self.problem)
        rows.addWidget(self.foot_words)
        self.numbers = button("Numbers ▾", tip="All numbers of the chart, copied or as a file")
        self.numbers.clicked.connect(self.open_numbers)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        foot.addWidget(self.back)
        foot.addWidget(self.numbers)
        foot.addStretch(1)
        foot.addWidget(self.into)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(side_column(column, _SIDE_PX, foot))
        self._shown: object = None

    def refresh(self) -> None:
        """Renders the series of the trace in hand."""
        work = self.work
        trace, series = work.trace, work.series
        state = (trace.series, series.id if series is not None else "")
        if state != self._shown:
            self._shown = state
            empty(self.cards)
            for number, one in enumerate(trace.series):
                card = SeriesCard(work, one, number)
                card.set_in_hand(series is not None and one.id == series.id)
                self.cards.addWidget(card)
        self._fill(series)
        self.foot_words.setText(self._check(series) or _UNCERTAIN)
        count = len([one for one in trace.series if one.places or one.bars])
        self.numbers.setEnabled(work.frame is not None and count > 0)
        self.into.setEnabled(work.frame is not None and count > 0)
        self.back.setEnabled(series is not None and bool(series.places or series.bars))

    def _fill(self, series: SeriesSpec | None) -> None:
        frame, trace = self.work.frame, self.work.trace
        self.problem.setText("")
        rows: list[list[str]] = []
        headings = [
            "#",
            _heading("x", trace.x.label, trace.x.unit_of_numbers),
            _heading("y", trace.y.label, trace.y.unit_of_numbers),
        ]
        if frame is not None and series is not None:
            try:
                if series.kind == "bars":
                    headings = ["#", _heading("value", trace.y.label, trace.y.unit_of_numbers), "half-length"]
                    rows = [
                        [bar.name or f"bar {k}", concise(*bar.amount),
                         "" if bar.half is None else concise(bar.half, bar.u_half)]
                        for k, bar in enumerate(traced_bars(frame, series), 1)
                    ]  # fmt: skip
                elif series.places:
                    found = traced(frame, series)
                    rows = [
                        [str(k), concise(x, u_x), concise(y, u_y)]
                        for k, (x, u_x, y, u_y) in enumerate(
                            zip(found.x, found.u_x, found.y, found.u_y, strict=True), 1
                        )
                    ]
            except InputError as error:
                self.problem.setText(str(error))
        self.problem.setVisible(bool(self.problem.text()))
        self._filling = True
        bars = series is not None and series.kind == "bars"
        self.table.setHorizontalHeaderLabels(["name" if bars else "#", *headings[1:]])
        self.table.setRowCount(len(rows))
        for r, row in enumerate(rows):
            for c, text in enumerate(row):
                cell = QTableWidgetItem(text)
                if c or not bars:
                    cell.setFlags(cell.flags() & ~Qt.ItemFlag.ItemIsEditable)
                else:
                    cell.setToolTip("Double click names the bar; names that are numbers become x of the curve")
                if c:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(r, c, cell)
        self._filling = False

    def _check(self, series: SeriesSpec | None) -> str:
        """Where the place in hand is on the axes, in words, to be checked by eye."""
        frame, trace, number = self.work.frame, self.work.trace, self.work.number
        if frame is None or series is None or not 0 <= number < len(series.places) + len(series.bars):
            return ""
        if series.kind == "bars":
            try:
                bar = traced_bars(frame, series)[number]
            except InputError:
                return ""  # said above the table
            axis = (trace.x, trace.y)[axis_of(series)]
            return f"In hand: {bar.name or f'bar {number + 1}'} ends {between(axis, bar.value)} on the axis"
        x, y = frame.values(np.array([series.places[number]]))[0].tolist()
        return f"In hand: x {between(trace.x, x)}, y {between(trace.y, y)} on the axes"

    def _clicked(self, row: int, column: int) -> None:
        """Takes the place of a row in hand: rows stand in the order of x, places as they were placed."""
        series, frame = self.work.series, self.work.frame
        if series is None or frame is None:
            return
        if series.kind == "bars":
            self.work.take_series(series.id, row)
            return
        values = frame.values(np.array(series.places))[:, 0]
        order = np.argsort(values, kind="stable") if series.order == "x" else np.arange(len(values))
        if 0 <= row < len(order):
            self.work.take_series(series.id, int(order[row]))

    def _named(self, cell: QTableWidgetItem) -> None:
        """Takes what was typed as the name of a bar."""
        series = self.work.series
        if self._filling or series is None or cell.column() != 0 or not 0 <= cell.row() < len(series.bars):
            return
        name = cell.text().strip()
        if name != series.bars[cell.row()].name:
            self.work.change(changes.name_bar(series.id, cell.row(), name), "name a bar")

    def open_numbers(self) -> None:
        """The menu of ways out for all numbers of the chart."""
        rows: list[MenuRow] = [
            ("Copy all numbers", self.out.copy_numbers),
            ("Write them as a file…", self.out.ask_numbers),
            ("Write the trace and its picture…", self.out.ask_trace),
        ]
        menu_of(self, rows).popup(self.numbers.mapToGlobal(self.numbers.rect().topLeft()))

    def _bring_in(self) -> None:
        ready = [one.id for one in self.work.trace.series if one.places or one.bars]
        self.work.bring_in_curves(ready)


def _heading(name: str, text: str, unit: str) -> str:
    return f"{text or name} ({unit})" if unit else text or name
