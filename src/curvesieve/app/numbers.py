"""A record's numbers as a table: fast at a million rows, with a summary of each channel and the rows worth a look."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QVBoxLayout, QWidget

from curvesieve.app.jobs import Jobs
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.stepper import Stepper
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.record import Record

if TYPE_CHECKING:
    from curvesieve.core.intake.numbers import Summary, Suspicion

_ROW_PX, _COLUMN_PX, _HEADER_PX = 24, 128, 30
_SUMMARY = ("count", "mean", "s. d.", "smallest", "largest")
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


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

    def fill(self, record: Record | None) -> None:
        self.beginResetModel()
        self.record, self.odd = record, {}
        self.endResetModel()

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
            text = _text(float(self.record.channels[index.column()].values[index.row()]))
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
        self.values = [(s.count, s.mean, s.sd, s.low, s.high) for s in found]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if self.record is None or (parent is not None and parent.isValid()) else len(_SUMMARY)

    def row_title(self, row: int) -> str:
        return _SUMMARY[row]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole and index.isValid():
            if not self.values:
                return "…"  # still being worked out
            value = self.values[index.column()][index.row()]
            return f"{value:,.0f}" if index.row() == 0 else "–" if math.isnan(value) else f"{value:.6g}"
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
        across = self.table.horizontalHeader()
        assert across is not None
        across.hide()
        own, other = self.table.horizontalScrollBar(), self.head.horizontalScrollBar()
        assert own is not None
        assert other is not None
        own.valueChanged.connect(other.setValue)
        self.odd = Stepper("row worth a look")
        self.odd.chosen.connect(self._show_odd)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        rows.addWidget(self.head)
        rows.addWidget(self.table, 1)
        rows.addWidget(self.odd)

    def _make_table(self, model: _Table) -> QTableView:
        table = QTableView()
        table.setModel(model)
        table.setFont(font(14))
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

    def show_record(self, record: Record | None) -> None:
        """Other numbers; what is odd among them follows from the background."""
        if record is self.model.record:
            return
        self.model.fill(record)
        self.summary.fill(record)
        self.odd.fill("", ())
        if record is None:
            return
        from curvesieve.core.intake.numbers import summary, suspicious

        def work(ticket: object) -> tuple[list[Summary], list[Suspicion]]:
            return [summary(channel) for channel in record.channels], suspicious(record)

        def done(found: tuple[list[Summary], list[Suspicion]]) -> None:
            if self.model.record is record:
                self.summary.fill(record, found[0])
                self._show_suspicions(record, found[1])

        self.jobs.start(
            f"Looking at {record.source.name}",
            f"numbers-{id(self)}",
            work,
            done,
            lambda _: None,
        )

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
