"""A record's numbers as a table: fast at a million rows, with a summary of each channel and the rows worth a look."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QVBoxLayout, QWidget

from curvesieve.app.session.jobs import Jobs
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Elided
from curvesieve.app.widgets.line import tab_leaves
from curvesieve.app.widgets.stepper import Stepper
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.record import Record

if TYPE_CHECKING:
    from curvesieve.core.intake.summary import Summary, Suspicion

_ROW_PX, _COLUMN_PX, _HEADER_PX = 24, 128, 30
_LEAST_ROWS = 5
_SUMMARY = ("count", "mean", "s. d.", "smallest", "largest", "sum")
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


Words = Mapping[int, Mapping[int, str]]
"""Columns whose numbers stand for words."""


def _text(value: float) -> str:
    return "–" if math.isnan(value) else f"{value:.10g}"


class _Table(QAbstractTableModel):
    """Channels across; their titles at the top."""

    def __init__(self) -> None:
        super().__init__()
        self.record: Record | None = None

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if self.record is None or (parent is not None and parent.isValid()) else len(self.record.channels)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.record is None or role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            channel = self.record.channels[section]
            return units.labelled(channel.name, channel.unit)
        return self.row_title(section)

    def row_title(self, row: int) -> str:
        return f"{row + 1:,}"


class NumbersModel(_Table):
    """The numbers; a cell's text is made when it is seen."""

    def __init__(self) -> None:
        super().__init__()
        self.odd: dict[tuple[int, int], str] = {}
        self.words: Words = {}

    def fill(self, record: Record | None, words: Words | None = None) -> None:
        self.beginResetModel()
        self.record, self.odd, self.words = record, {}, words or {}
        self.endResetModel()

    def text(self, row: int, column: int, whole: bool = False) -> str:
        """A cell as it is read, or with all its digits."""
        assert self.record is not None
        value = float(self.record.channels[column].values[row])
        if column in self.words:
            return self.words[column].get(int(value), "")
        return ("" if math.isnan(value) else repr(value)) if whole else _text(value)

    def mark(self, odd: dict[tuple[int, int], str]) -> None:
        self.odd = odd
        self.layoutChanged.emit()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if self.record is None or (parent is not None and parent.isValid()) else len(self.record)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.record is None or not index.isValid():
            return None
        reason = self.odd.get((index.row(), index.column()))
        if role == Qt.ItemDataRole.DisplayRole:
            text = self.text(index.row(), index.column())
            return f"▸ {text}" if reason else text
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _RIGHT
        if role == Qt.ItemDataRole.ForegroundRole and reason:
            return colour("rust")
        return reason if role == Qt.ItemDataRole.ToolTipRole else None


class SummaryModel(_Table):
    """Count, mean, standard deviation, smallest and largest of each channel."""

    def __init__(self) -> None:
        super().__init__()
        self.values: list[tuple[float, ...]] = []

    def fill(self, record: Record | None, found: Sequence[Summary] = ()) -> None:
        self.beginResetModel()
        self.record = record
        self.values = [(s.count, s.mean, s.sd, s.low, s.high, s.total) for s in found]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if self.record is None or (parent is not None and parent.isValid()) else len(_SUMMARY)

    def row_title(self, row: int) -> str:
        return _SUMMARY[row]

    def text(self, row: int, column: int) -> str:
        if not self.values:
            return "…"  # still being worked out
        value = self.values[column][row]
        if not self.values[column][0] or math.isnan(value):
            return "–"  # words, or nothing
        return f"{value:,.0f}" if row == 0 else f"{value:.6g}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole and index.isValid():
            return self.text(index.row(), index.column())
        return _RIGHT if role == Qt.ItemDataRole.TextAlignmentRole else None


class NumbersView(QWidget):
    """The summary over the numbers, and a stepper through the rows worth a look."""

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self.jobs = jobs
        self.model, self.summary = NumbersModel(), SummaryModel()
        self.table, self.head = self._make_table(self.model), self._make_table(self.summary)
        self.head.setFixedHeight(_ROW_PX * len(_SUMMARY) + _HEADER_PX + 2)
        self.head.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.head.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        own, other = self.table.horizontalScrollBar(), self.head.horizontalScrollBar()
        assert own is not None
        assert other is not None
        own.valueChanged.connect(other.setValue)
        self.line = Elided(role="muted")
        """Where the view is too low for the summary over the table: that of the column in hand, in one line."""
        selection = self.table.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda index, old: self._say_column(index.column()))
        self.odd = Stepper("row worth a look")
        self.odd.chosen.connect(self._show_odd)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        rows.addWidget(self.head)
        rows.addWidget(self.table, 1)
        rows.addWidget(self.line)
        rows.addWidget(self.odd)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._settle()

    def _settle(self) -> None:
        """The summary stands over the table where there is room for both."""
        roomy = self.height() > self.head.height() + _LEAST_ROWS * _ROW_PX
        self.head.setVisible(roomy)
        self.line.setVisible(not roomy and self.model.record is not None)
        across = self.table.horizontalHeader()
        if across is not None:
            across.setVisible(not roomy)

    def _say_column(self, column: int) -> None:
        record, values = self.model.record, self.summary.values
        if record is None or not 0 <= column < len(values):
            self.line.set("")
            return
        said = (f"{name} {self.summary.text(row, column)}" for row, name in enumerate(_SUMMARY))
        self.line.set(f"{record.channels[column].name}: {' · '.join(said)}")

    def _make_table(self, model: _Table) -> QTableView:
        table = QTableView()
        table.setModel(model)
        table.setFont(font(14))
        tab_leaves(table)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        down, across = table.verticalHeader(), table.horizontalHeader()
        assert down is not None
        assert across is not None
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        down.setMinimumSectionSize(_ROW_PX)
        down.setDefaultSectionSize(_ROW_PX)
        down.setFixedWidth(84)
        down.setDefaultAlignment(_RIGHT)
        across.setDefaultSectionSize(_COLUMN_PX)
        across.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        across.setHighlightSections(False)
        across.setFixedHeight(_HEADER_PX)
        return table

    def show_record(
        self, record: Record | None, words: Words | None = None, known: Sequence[Summary] | None = None
    ) -> None:
        """Other numbers, some columns of them shown as words.

        What is odd among them, and their summaries unless these are `known`, follow from the background.
        """
        if record is self.model.record:
            return
        self.model.fill(record, words)
        self.summary.fill(record, known or ())
        self._say_column(min(1, self.model.columnCount() - 1))
        self._settle()
        self.odd.fill("", ())
        if record is None or known is not None:
            return
        from curvesieve.core.intake.summary import summary, suspicious

        def work(ticket: object) -> tuple[list[Summary], list[Suspicion]]:
            return [summary(channel) for channel in record.channels], suspicious(record)

        def done(found: tuple[list[Summary], list[Suspicion]]) -> None:
            if self.model.record is record:
                self.summary.fill(record, found[0])
                self._say_column(max(self.table.currentIndex().column(), 0))
                self._show_suspicions(record, found[1])

        self.jobs.start(
            f"Looking at {record.source.name}",
            f"numbers-{id(self)}",
            work,
            done,
            lambda _: None,
        )

    def as_text(self) -> str:
        """The chosen cells, or all, with their titles and all digits, as spreadsheets take them from the clipboard."""
        model, selection = self.model, self.table.selectionModel()
        chosen = selection.selectedIndexes() if selection is not None else []
        rows = sorted({index.row() for index in chosen}) if len(chosen) > 1 else list(range(model.rowCount()))
        columns = sorted({index.column() for index in chosen}) if len(chosen) > 1 else list(range(model.columnCount()))
        titles = [str(model.headerData(column, Qt.Orientation.Horizontal)) for column in columns]
        lines = ["\t".join(model.text(row, column, whole=True) for column in columns) for row in rows]
        return "\n".join(["\t".join(titles), *lines]) + "\n"

    def _show_suspicions(self, record: Record, found: list[Suspicion]) -> None:
        self.model.mark({(s.row, s.channel): s.reason for s in found})
        self.places = [(s.row, s.channel) for s in found]
        self.odd.fill(
            f"{counted(len(found), 'number')} worth a look",
            [f"row {s.row + 1:,}, {record.channels[s.channel].name}: {s.reason}" for s in found],
        )

    def _show_odd(self, place: int) -> None:
        index = self.model.index(*self.places[place])
        self.table.setCurrentIndex(index)
        self.table.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)
