"""The series that were traced: a card each, the numbers of the one in hand with u, and the way into the study."""

from __future__ import annotations

import csv
import io
from functools import partial
from pathlib import Path
from typing import Literal, get_args

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.app.widgets.basics import Card, button, empty, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.seen import side_column
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core.errors import InputError, counted
from curvesieve.core.files import write_bytes, write_text
from curvesieve.core.formats.writing import book_of_tables
from curvesieve.core.reading import concise
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import SeriesSpec, Spread
from curvesieve.core.tracing.saved import written
from curvesieve.core.tracing.table import rows_of
from curvesieve.core.tracing.values import between, traced, traced_bars

_SPREADS: tuple[Spread, ...] = get_args(Spread)
_ORDERS: tuple[Literal["x", "as placed"], ...] = ("x", "as placed")
_UNCERTAIN = "u from how well the ticks are drawn, and the marks of both axes"
_SIDE_PX = 332


class SeriesCard(Card):
    """One series: its name, its condition, how many points; what whiskers are, for bars."""

    def __init__(self, work: TraceWork, series: SeriesSpec, number: int) -> None:
        super().__init__()
        self.work, self.id = work, series.id
        count = len(series.bars) if series.kind == "bars" else len(series.places)
        head = QHBoxLayout()
        self.name = Line(series.name)
        self.name.setPlaceholderText(f"series {number + 1}")
        self.name.setAccessibleName(f"name of series {number + 1}")
        self.name.editingFinished.connect(lambda: self._set("name", self.name.text().strip(), series.name))
        head.addWidget(self.name, 1)
        head.addWidget(label(counted(count, "bar" if series.kind == "bars" else "point"), "muted"))
        remove = button("×", "bare", "Take this series out")
        remove.setAccessibleName(f"take out series {number + 1}")
        remove.clicked.connect(lambda: work.change(changes.remove_series(series.id), "take out a series"))
        head.addWidget(remove)
        self.rows.addLayout(head)
        fields = QGridLayout()
        self.condition = Line("" if series.condition is None else f"{series.condition:g}")
        self.condition.setAccessibleName(f"condition of series {number + 1}")
        self.condition.setPlaceholderText("a number, such as a loading")
        self.condition.editingFinished.connect(partial(self._condition, series))
        fields.addWidget(label("condition", "muted"), 0, 0)
        fields.addWidget(self.condition, 0, 1)
        if series.kind in ("points", "marks"):
            self.order = Choice()
            self.order.setAccessibleName(f"order of series {number + 1}")
            self.order.addItems([f"points by {one}" if one == "x" else f"points {one}" for one in _ORDERS])
            self.order.setCurrentIndex(_ORDERS.index(series.order))
            self.order.activated.connect(lambda at: self._set("order", _ORDERS[at], series.order))
            fields.addWidget(label("order", "muted"), 1, 0)
            fields.addWidget(self.order, 1, 1)
        if series.kind == "bars":
            self.spread = Choice()
            self.spread.setAccessibleName(f"whiskers of series {number + 1}")
            self.spread.addItems(["not said", *_SPREADS[1:]])
            self.spread.setCurrentIndex(_SPREADS.index(series.spread))
            self.spread.activated.connect(lambda at: self._set("spread", _SPREADS[at], series.spread))
            self.count = Line("" if series.count is None else str(series.count))
            self.count.setAccessibleName(f"n of series {number + 1}")
            self.count.setPlaceholderText("n")
            self.count.setFixedWidth(46)
            self.count.editingFinished.connect(partial(self._count, series))
            fields.addWidget(label("whiskers", "muted"), 1, 0)
            fields.addWidget(self.spread, 1, 1)
            fields.addWidget(self.count, 1, 2)
        fields.setColumnStretch(1, 1)
        self.rows.addLayout(fields)
        self.clicked.connect(lambda: work.take_series(series.id))

    def _set(self, field: str, value: object, old: object) -> None:
        if value != old:
            self.work.change(changes.change_series(self.id, **{field: value}), f"{field} of a series")

    def _condition(self, series: SeriesSpec) -> None:
        text = self.condition.text().strip().replace(",", ".")
        try:
            value = float(text) if text else None
        except ValueError:
            self.work.session.noticed.emit(f"“{text}” is not a number; a condition is one.", "problem")
            self.condition.setText("" if series.condition is None else f"{series.condition:g}")
            return
        self._set("condition", value, series.condition)

    def _count(self, series: SeriesSpec) -> None:
        text = self.count.text().strip()
        try:
            value = int(text) if text else None
        except ValueError:
            self.work.session.noticed.emit(f"“{text}” is not a whole number; n is the count of values.", "problem")
            self.count.setText("" if series.count is None else str(series.count))
            return
        self._set("count", value, series.count)


class SeriesSide(QWidget):
    """All series and the numbers of the one in hand."""

    def __init__(self, work: TraceWork) -> None:
        super().__init__()
        self.work = work
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
        self.back.clicked.connect(work.take_back)
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
        if frame is None or series is None or not 0 <= number < len(series.places):
            return ""
        x, y = frame.values(np.array([series.places[number]]))[0].tolist()
        return f"In hand: x {between(trace.x, x)}, y {between(trace.y, y)} on the axes"

    def _clicked(self, row: int, column: int) -> None:
        """Takes the place of a row in hand: rows stand in the order of x, places as they were placed."""
        series, frame = self.work.series, self.work.frame
        if series is None or frame is None or not series.places:
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
            ("Copy all numbers", self.copy_numbers),
            ("Write them as a file…", self._ask_numbers),
            ("Write the trace and its picture…", self._ask_trace),
        ]
        menu_of(self, rows).popup(self.numbers.mapToGlobal(self.numbers.rect().topLeft()))

    def _rows(self) -> list[list[str]] | None:
        try:
            return rows_of(self.work.trace)
        except InputError as error:
            self.work.session.noticed.emit(str(error), "problem")
            return None

    def copy_numbers(self) -> None:
        """Puts all numbers of the chart into the clipboard, as cells for a spreadsheet."""
        rows, board = self._rows(), QGuiApplication.clipboard()
        if rows is not None and board is not None:
            board.setText("\n".join("\t".join(row) for row in rows))
            self.work.noted.emit(f"{counted(len(rows) - 1, 'row')} copied")

    def _ask_numbers(self) -> None:
        path, _ = QFileDialog.getSaveFileName(
            self, "Write the numbers of the chart", "", "Table (*.csv);;Book (*.xlsx)"
        )
        if path:
            self.write_numbers(Path(path))

    def write_numbers(self, path: Path) -> None:
        """Writes all numbers of the chart as a file, with where they are from in its first line."""
        rows = self._rows()
        if rows is None:
            return
        path = path if path.suffix else path.with_suffix(".csv")
        chart = self.work.chart
        origin = (
            f"# {chart.name}: {self.work.trace.origin or 'origin not said'}; SHA-256 {chart.picture}" if chart else ""
        )
        try:
            if path.suffix.lower() == ".xlsx":
                write_bytes(path, book_of_tables({"numbers": [[origin], *rows]}))
            else:
                text = io.StringIO()
                text.write(f"{origin}\n")
                csv.writer(text, lineterminator="\n").writerows(rows)
                write_text(path, text.getvalue())
        except (InputError, OSError) as error:
            self.work.session.noticed.emit(f"{path.name} cannot be written: {error}", "problem")
            return
        self.work.noted.emit(f"{path.name} written: {counted(len(rows) - 1, 'row')}")

    def _ask_trace(self) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Write the trace; its picture goes beside it", "", "Trace (*.json)")
        if path:
            self.write_trace(Path(path))

    def write_trace(self, path: Path) -> None:
        """Writes the trace as JSON with its picture beside it, as `curvesieve trace` reads them."""
        chart = self.work.chart
        if chart is None:
            return
        path = path if path.suffix else path.with_suffix(".json")
        suffix = Path(chart.name).suffix.lower()
        suffix = suffix if suffix in (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp", ".webp") else ".png"
        picture = path.with_name(f"{path.stem}{suffix}")
        try:
            write_bytes(picture, self.work.session.study.sources[chart.picture])
            write_text(path, written(chart.trace, picture.name, chart.picture, chart.prepared))
        except (InputError, OSError) as error:
            self.work.session.noticed.emit(f"{path.name} cannot be written: {error}", "problem")
            return
        self.work.noted.emit(f"{path.name} and {picture.name} written")

    def _bring_in(self) -> None:
        ready = [one.id for one in self.work.trace.series if one.places or one.bars]
        self.work.bring_in_curves(ready)


def _heading(name: str, text: str, unit: str) -> str:
    return f"{text or name} ({unit})" if unit else text or name
