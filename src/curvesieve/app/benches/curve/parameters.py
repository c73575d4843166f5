"""The table of a model's parameters: value ± u, or the start that is to be fitted; a box to hold it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from curvesieve.app.session import Session
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.models import Model, PlacedTerm
from curvesieve.core.reading import plus_minus

NAME, VALUE, HOLD = range(3)
_HEADINGS = ("parameter", "value ± u", "hold")
_SHOWN = {"fwhm": "FWHM"}


@dataclass(frozen=True)
class ParameterRow:
    """One parameter as the table shows it. `u` is None before a fit and for held parameters."""

    placed: PlacedTerm
    name: str
    value: float
    u: float | None
    hold: bool
    fitted: bool
    unit: str

    @property
    def title(self) -> str:
        name = _SHOWN.get(self.name, self.name)
        return f"{self.placed.label} · {name}" if self.placed.number else name


class ParameterTable(QAbstractTableModel):
    """Renders the model in hand; typing a value sets a start."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[ParameterRow] = []
        self.stale = False

    def refresh(self) -> None:
        rows = self._rows_now()
        if len(rows) != len(self.rows):
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()
        else:
            self.rows = rows
            if rows:
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, HOLD))

    def _rows_now(self) -> list[ParameterRow]:
        entry = self.session.entry
        if entry is None:
            return []
        study = self.session.study
        curve = study.recorded(entry.id)
        self.stale = entry.fit is not None and not study.fit_is_current(entry.id)
        rows = []
        for placed in entry.model.terms:
            for parameter in placed.term.parameters:
                state = placed.parameters[parameter.name]
                value, u = state.start, None
                if entry.fit is not None:
                    found = entry.fit.result.parameters[placed.full_name(parameter.name)]
                    value, u = found.value, found.u
                unit = placed.term.unit_text(parameter.name, curve.x_unit, curve.y_unit)
                rows.append(ParameterRow(placed, parameter.name, value, u, state.hold, entry.fit is not None, unit))
        return rows

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(_HEADINGS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return _HEADINGS[section]
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if index.column() == VALUE:
            flags |= Qt.ItemFlag.ItemIsEditable
        if index.column() == HOLD:
            flags |= Qt.ItemFlag.ItemIsUserCheckable
        return flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole and column == NAME:
            return row.title
        if role == Qt.ItemDataRole.DisplayRole and column == VALUE:
            return plus_minus(row.value, row.u) if row.fitted else f"{row.value:.6g}"
        if role == Qt.ItemDataRole.EditRole and column == VALUE:
            return f"{row.value:.10g}"
        if role == Qt.ItemDataRole.CheckStateRole and column == HOLD:
            return Qt.CheckState.Checked if row.hold else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.TextAlignmentRole and column == VALUE:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and column == VALUE and (not row.fitted or self.stale):
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(row)
        return None

    def _tip(self, row: ParameterRow) -> str:
        about = row.placed.term.parameter(row.name).description
        unit = f" in {units.shown(row.unit)}" if row.unit else ""
        state = "held" if row.hold else "from the fit" if row.fitted else "start; type another or drag on the plot"
        return f"{about}{unit}\n{row.value:.10g} ({state})" + (f", u = {row.u:.4g}" if row.u is not None else "")

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid():
            return False
        row = self.rows[index.row()]
        if role == Qt.ItemDataRole.CheckStateRole and index.column() == HOLD:
            self._hold(row, Qt.CheckState(value) == Qt.CheckState.Checked)  # type: ignore[arg-type]
            return True
        if role != Qt.ItemDataRole.EditRole or index.column() != VALUE:
            return False
        text = str(value).strip().replace("−", "-").replace(",", ".")
        try:
            number = float(text)
        except ValueError:
            number = math.nan
        if not math.isfinite(number):
            self.session.noticed.emit(f"{row.title}: “{text}” is not a number; {row.value:.6g} is kept.", "problem")
            return False
        if row.name == "fwhm" and number <= 0:
            self.session.noticed.emit(f"{row.title} must be above zero; {row.value:.6g} is kept.", "problem")
            return False
        if number != row.value:
            model = self.session.model_in_sight()
            placed = model.term_numbered(row.placed.number).with_starts({row.name: number})
            self.session.set_model(model.replaced(placed), f"start of {row.title}")
        return True

    def _hold(self, row: ParameterRow, on: bool) -> None:
        model: Model = self.session.model_in_sight()
        placed = model.term_numbered(row.placed.number)
        state = placed.parameters[row.name].model_copy(update={"hold": on})
        changed = placed.model_copy(update={"parameters": {**placed.parameters, row.name: state}})
        self.session.set_model(model.replaced(changed), f"{'hold' if on else 'free'} {row.title}")
