"""The core's ledger as a table: curve, peak, group, readings, state; under them the groups with mean and s."""

from __future__ import annotations

import math

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QFont

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.reading import concise
from curvesieve.core.study import ledger as core

GROUP_LINES = 3
"""Lines under the rows for each group: mean and s, 95 % interval, n."""
_TIPS = (
    "Mean of the rows; the digits in brackets are their standard deviation s",
    "Half of the 95 % interval of the mean, by Student's t",
    "How many rows have it",
)


class LedgerModel(QAbstractTableModel):
    """`means` tells whether the groups stand under the rows, also where all rows are one group."""

    def __init__(self) -> None:
        super().__init__()
        self.ledger = core.Ledger("", ("", ""), (), ())
        self.groups: list[core.Group] = []
        self.in_hand: str | None = None
        self.means = False
        self._lead: tuple[str, ...] = ("curve",)

    def fill(self, made: core.Ledger, in_hand: str | None, means: bool = False) -> list[int]:
        """Takes another ledger; only the rows that changed are drawn again. Returns the rows with other texts."""
        before, was_in_hand, had_groups = self.ledger, self.in_hand, self.groups
        means = means or made.is_grouped
        groups = had_groups if made is before and means == self.means else made.groups() if means else []
        if groups and made.columns and made.by == "curve" and not made.is_grouped:
            groups = groups[-1:]
        if not made.columns or made.by == "peak":
            groups = []
        lead = ("curve", *(("peak",) if made.by == "peak" else ()), *(("group",) if made.is_grouped else ()))
        same = before.columns == made.columns and before.condition == made.condition and lead == self._lead
        same = same and len(groups) == len(had_groups)
        keys = [(r.curve.id, r.part) for r in made.rows]
        if not same or [(r.curve.id, r.part) for r in before.rows] != keys:
            self.beginResetModel()
            self.ledger, self.in_hand, self.groups, self._lead, self.means = made, in_hand, groups, lead, means
            self.endResetModel()
            return list(range(self.rowCount()))
        self.ledger, self.in_hand, self.groups, self.means = made, in_hand, groups, means
        changed = [i for i, (new, old) in enumerate(zip(made.rows, before.rows, strict=True)) if new is not old]
        turned = [i for i, row in enumerate(made.rows) if row.curve.id in (in_hand, was_in_hand)]
        if groups and changed:
            changed += range(len(made.rows), self.rowCount())
        for i in {*changed, *(turned if in_hand != was_in_hand else ())}:
            self.dataChanged.emit(self.index(i, 0), self.index(i, self.columnCount() - 1))
        return changed

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        below = GROUP_LINES * len(self.groups)
        return 0 if parent is not None and parent.isValid() else len(self.ledger.rows) + below

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        count = len(self._lead) + len(self.ledger.columns) + 1
        return 0 if parent is not None and parent.isValid() else count

    @property
    def first_reading(self) -> int:
        """The section of the first column of readings."""
        return len(self._lead)

    def row(self, place: int) -> core.Row | None:
        """The row of a curve; None for the lines of groups."""
        return self.ledger.rows[place] if 0 <= place < len(self.ledger.rows) else None

    def column(self, section: int) -> core.Column | None:
        """The reading's column, or None for the curve's name, its group and its state."""
        place = section - len(self._lead)
        return self.ledger.columns[place] if 0 <= place < len(self.ledger.columns) else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if orientation != Qt.Orientation.Horizontal:
            return None
        column = self.column(section)
        if role == Qt.ItemDataRole.ToolTipRole and column is not None:
            return "Click for what can be done with this column; drag it to another place"
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if section == 0:
            name, unit = self.ledger.condition
            return units.labelled(name, unit) if name else "curve"
        if section < len(self._lead):
            return self._lead[section]
        return "state" if column is None else column.heading

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if index.column() == 0 else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        row, column = self.row(index.row()), self.column(index.column())
        if row is None:
            return self._of_group(index.row() - len(self.ledger.rows), index.column(), role)
        here = row.curve.id == self.in_hand
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row, column, index.column())
        if role == Qt.ItemDataRole.BackgroundRole and here:
            return colour("tint")
        if role == Qt.ItemDataRole.FontRole and here and index.column() == 0:
            bold: QFont = font(bold=True)
            return bold
        if role == Qt.ItemDataRole.ForegroundRole and not row.settled:
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole and column is not None:
            cell = row.cell(column)
            if cell is not None:
                u = "" if cell.u is None else f" ± {cell.u:.3g}"
                return f"{cell.value:.8g}{u} {units.shown(cell.unit)}\n{cell.how}\n{cell.reference}".strip()
        return None

    def _text(self, row: core.Row, column: core.Column | None, place: int) -> str:
        if place == 0:
            return row.curve.label
        if place < len(self._lead):
            return str(row.part) if self._lead[place] == "peak" else row.curve.group or "–"
        if column is None:
            return row.state
        cell = row.cell(column)
        if cell is None:
            return "–"
        said = f"{cell.value:.5f}" if column.key.quantity == "r2" else concise(cell.value, cell.u)
        return f"⚠ {said}" if cell.doubt else said

    def _of_group(self, line: int, section: int, role: int) -> object:
        """A line under the rows: mean with s in brackets, half of the 95 % interval, how many."""
        group, which = self.groups[line // GROUP_LINES], line % GROUP_LINES
        if role == Qt.ItemDataRole.BackgroundRole:
            return colour("sunk")
        if role == Qt.ItemDataRole.FontRole and which == 0:
            return font(bold=True)
        if role == Qt.ItemDataRole.ForegroundRole and which:
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole:
            return _TIPS[which]
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        place = section - len(self._lead)
        if section == 0:
            return (f"{group.name or 'all'}: mean(s)", "95 % interval ±", "n")[which]
        if not 0 <= place < len(group.columns):
            return ""
        found = group.columns[place]
        if found is None:
            return "–"
        half = "–" if math.isnan(found.half) else f"{found.half:.2g}"
        mean = f"{'⚠ ' * bool(found.doubtful)}{concise(found.mean, found.s)}"
        return (mean, half, str(found.n))[which]
