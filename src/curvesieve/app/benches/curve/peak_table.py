"""The table of peaks: a row a peak, of the curve in hand or of its family; cells are typed, tied, held and sorted."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from curvesieve.app.benches.curve.parameters import VALUE, ParameterTable
from curvesieve.app.session.session import Session
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.peaks.shaping import renamed
from curvesieve.core.reading import concise
from curvesieve.core.readings.peak_rows import SHAPE, PeakCell, PeakRow

CURVE, PEAK = "curve", "peak"
NUMBERS = ("center", "height", "FWHM", "area", "share", "signal to noise", SHAPE, "sigma")
_HEADS = {"signal to noise": "S/N"}
_TIPS = {
    "center": "Where the peak is highest", "height": "Over what it stands on", "FWHM": "Full width at half of it",
    "area": "Of the peak alone, over all x", "share": "Its area among those of all peaks of the curve",
    "signal to noise": "Its height over the scatter about the fit beside it",
    SHAPE: "What tells profiles of one kind apart, as the Lorentzian share",
    "sigma": "Standard deviation of a Gaussian",
}  # fmt: skip
Line = tuple[str, str, PeakRow]
"""The id and the label of a curve, and one of its peaks."""


class PeakTable(QAbstractTableModel):
    """Renders rows of peaks. Those of the curve in hand can be edited: a number is a start, ``=`` a tie."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.parameters = ParameterTable(session)
        self.lines: list[Line] = []
        self.whole_family = False
        self._sorted: tuple[str, bool] | None = None

    @property
    def columns(self) -> tuple[str, ...]:
        """The columns by name."""
        return (CURVE, PEAK, *NUMBERS) if self.whole_family else (PEAK, *NUMBERS)

    def show(self, lines: Sequence[Line], whole_family: bool) -> None:
        """Other rows; the order that was asked for stays."""
        same = whole_family == self.whole_family and [(a, r.number) for a, _, r in self._ordered(lines)] == [
            (a, r.number) for a, _, r in self.lines
        ]
        self.parameters.refresh()
        if same:
            self.lines = self._ordered(lines)
            if self.lines:
                self.dataChanged.emit(self.index(0, 0), self.index(len(self.lines) - 1, self.columnCount() - 1))
                self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, self.columnCount() - 1)
            return
        self.beginResetModel()
        self.whole_family = whole_family
        self.lines = self._ordered(lines)
        self.endResetModel()

    def _ordered(self, lines: Sequence[Line]) -> list[Line]:
        if self._sorted is None:
            return list(lines)
        name, falling = self._sorted

        def key(line: Line) -> tuple[bool, float | str, int]:
            if name == CURVE:
                return False, line[1], line[2].number
            if name == PEAK:
                return False, float(line[2].number), 0
            value = line[2].cells[name].value
            return math.isnan(value), -value if falling else value, line[2].number

        made = sorted(lines, key=key)
        return made[::-1] if falling and name in (CURVE, PEAK) else made

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Orders the rows by a column; those without a number come last."""
        self._sorted = None if column < 0 else (self.columns[column], order == Qt.SortOrder.DescendingOrder)
        self.beginResetModel()
        self.lines = self._ordered(self.lines)
        self.endResetModel()

    # -- what Qt asks ---------------------------------------------------------------------------------

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.lines)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        name = self.columns[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return _TIPS.get(name)
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        shown = _HEADS.get(name, name)
        if name == SHAPE and self.lines:
            names = {row.shape_name for _, _, row in self.lines if row.shape_name}
            return names.pop() if len(names) == 1 else shown
        unit = "%" if name == "share" else self._unit(name)
        return f"{shown}\n/{unit}" if unit else shown

    def _unit(self, name: str) -> str:
        found = {row.cells[name].unit for _, _, row in self.lines} if name in NUMBERS else set()
        return units.shown(found.pop()) if len(found) == 1 else ""

    def cell(self, index: QModelIndex) -> PeakCell | None:
        """The number at a place; None for names."""
        name = self.columns[index.column()]
        return self.lines[index.row()][2].cells[name] if name in NUMBERS else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        _, label, row = self.lines[index.row()]
        cell = self.cell(index)
        if role == Qt.ItemDataRole.DisplayRole:
            if cell is None:
                second = "  + second line" if row.second else ""
                return label if self.columns[index.column()] == CURVE else f"{row.label}{second}"
            return _text(cell, self.columns[index.column()], row.fitted)
        if role == Qt.ItemDataRole.EditRole:
            if cell is None:
                return row.label
            return f"={cell.tie}" if cell.tie else f"{cell.value:.10g}"
        if role == Qt.ItemDataRole.TextAlignmentRole and cell is not None:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and cell is not None and not row.fitted:
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(row, cell)
        return None

    def _tip(self, row: PeakRow, cell: PeakCell | None) -> str:
        if cell is None:
            return f"{row.kind}. Type another name; the family's curves may share it."
        if cell.problem:
            return cell.problem
        unit = f" {units.shown(cell.unit)}" if cell.unit else ""
        state = f"tied: {cell.tie}" if cell.tie else "held" if cell.held else "" if row.fitted else "start"
        u = f", u = {cell.u:.4g}" if cell.u is not None else ""
        said = "Type a number, or = and a formula." if cell.parameter else "It follows from others."
        return f"{cell.value:.10g}{unit}{u}{f' ({state})' if state else ''}\n{said}"

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        cell = self.cell(index)
        name = self.columns[index.column()]
        if not self.whole_family and (name == PEAK or (cell is not None and cell.parameter and not cell.problem)):
            flags |= Qt.ItemFlag.ItemIsEditable
        return flags

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid() or role != Qt.ItemDataRole.EditRole:
            return False
        row, cell, text = self.lines[index.row()][2], self.cell(index), str(value).strip()
        if cell is None:
            number = row.number
            name = "" if text == f"P{number}" else text
            return self.session.peaks.say(lambda model: renamed(model, number, name), f"name P{number}")
        place = next(
            (k for k, one in enumerate(self.parameters.rows)
             if (one.placed.number, one.name) == (row.number, cell.parameter)), None,
        )  # fmt: skip
        return place is not None and self.parameters.setData(self.parameters.index(place, VALUE), text)


def _text(cell: PeakCell, name: str, fitted: bool) -> str:
    if math.isnan(cell.value):
        return "–"
    times = 100 if name == "share" else 1
    value, u = times * cell.value, None if cell.u is None else times * cell.u
    text = concise(value, u) if fitted else f"{value:.5g}"
    return f"= {text}" if cell.tie else f"{text}  held" if cell.held else text
