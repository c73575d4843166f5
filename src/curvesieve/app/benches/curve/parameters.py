"""The table of a model's parameters: value ± u, or the start that is to be fitted; hold, limits and ties."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt

from curvesieve.app.session.session import Session
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.ties import state_ties
from curvesieve.core.models import ParameterState, PlacedTerm
from curvesieve.core.models.areas import area_at_start, area_of, at_start, size_for_area, tie_of_area, with_areas
from curvesieve.core.reading import plus_minus
from curvesieve.core.readings.fitted import following_readings
from curvesieve.core.study import FitEntry

NAME, VALUE, HOLD, LOW, HIGH = range(5)
_HEADINGS = ("parameter", "value ± u", "hold", "from", "to")
_SHOWN = {"fwhm": "FWHM"}


@dataclass(frozen=True)
class ParameterRow:
    """One parameter as the table shows it. `u` is None before a fit and for held parameters."""

    placed: PlacedTerm
    name: str
    value: float
    u: float | None
    fitted: bool
    unit: str
    is_area: bool = False
    """An area is no parameter: what is said of it is said of the peak's size."""
    about: str = ""
    """What it is, for a number that only follows from the parameters and cannot be set."""

    @property
    def state(self) -> ParameterState:
        shape = self.placed.term.shape
        if self.about:
            return ParameterState(start=self.value)
        return self.placed.parameters[shape.size if self.is_area and shape is not None else self.name]

    @property
    def title(self) -> str:
        name = _SHOWN.get(self.name, self.name)
        return f"{self.placed.label} · {name}" if self.placed.number else name

    @property
    def full_name(self) -> str:
        return self.placed.full_name(self.name)

    @property
    def hold(self) -> bool:
        return self.state.hold

    @property
    def tie(self) -> str:
        return self.state.tie

    @property
    def limits(self) -> tuple[float | None, float | None]:
        return (None, None) if self.is_area else (self.state.lower, self.state.upper)


class ParameterTable(QAbstractTableModel):
    """Renders the model in hand; typing a value sets a start, ``=`` and a formula ties it to others."""

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
                self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, HIGH))

    def _rows_now(self) -> list[ParameterRow]:
        entry = self.session.entry
        if entry is None:
            return []
        study = self.session.study
        axes = self.session.passed_units()
        fit = study.fit(entry.id)
        self.stale = fit is not None and not study.fit_is_current(entry.id)
        rows = []
        for placed in study.model(entry.id).terms:
            for parameter in placed.term.parameters:
                if placed.term.basis and not placed.parameters[parameter.name].said:
                    continue
                value, u = placed.parameters[parameter.name].start, None
                if fit is not None:
                    found = fit.result.parameters[placed.full_name(parameter.name)]
                    value, u = found.value, found.u
                unit = placed.term.unit_text(parameter.name, *axes)
                rows.append(ParameterRow(placed, parameter.name, value, u, fit is not None, unit))
            rows += self._area_row(placed, fit, axes)
            rows += self._following_rows(placed, fit, axes) if placed.term.basis else []
        return rows

    def _area_row(self, placed: PlacedTerm, fit: FitEntry | None, axes: tuple[str, str]) -> list[ParameterRow]:
        """The area of a peak: as the fit read it, or that of the starts."""
        if area_of(placed) is None:
            return []
        readings = fit.readings if fit is not None else ()
        read = next((r for r in readings if (r.part, r.quantity) == (placed.number, "area")), None)
        value, u = (area_at_start(placed), None) if read is None else (read.value, read.u)
        unit = placed.term.unit_text("area", *axes)
        return [ParameterRow(placed, "area", value, u, read is not None, unit, is_area=True)]

    def _following_rows(self, placed: PlacedTerm, fit: FitEntry | None, axes: tuple[str, str]) -> list[ParameterRow]:
        """The coefficients of a polynomial, in place of the weights of the basis that it is fitted in."""
        found = [] if fit is None else following_readings(placed, fit.result, axes)
        values = [(r.value, r.u) for r in found] or [(at_start(placed, d), None) for d in placed.term.derived]
        return [
            ParameterRow(placed, d.name, value, u, bool(found), placed.term.unit_text(d.name, *axes), about=d.reference)
            for d, (value, u) in zip(placed.term.derived, values, strict=True)
        ]

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
        row = self.rows[index.row()]
        is_area = row.is_area
        if row.about:
            return flags
        if index.column() == VALUE or (index.column() in (LOW, HIGH) and not is_area):
            flags |= Qt.ItemFlag.ItemIsEditable
        if index.column() == HOLD and not is_area:
            flags |= Qt.ItemFlag.ItemIsUserCheckable
        return flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row, column)
        if role == Qt.ItemDataRole.EditRole:
            return self._editable(row, column)
        if role == Qt.ItemDataRole.CheckStateRole and column == HOLD and not (row.is_area or row.about):
            return Qt.CheckState.Checked if row.hold or row.tie else Qt.CheckState.Unchecked
        if role == Qt.ItemDataRole.TextAlignmentRole and column in (VALUE, LOW, HIGH):
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.ForegroundRole and column == VALUE and (not row.fitted or self.stale):
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(row)
        return None

    def _text(self, row: ParameterRow, column: int) -> str | None:
        if column == NAME:
            return row.title
        if column == VALUE:
            text = plus_minus(row.value, row.u) if row.fitted else f"{row.value:.6g}"
            return f"= {text}" if row.tie else text
        if column in (LOW, HIGH):
            limit = row.limits[column - LOW]
            return "–" if limit is None else f"{limit:.6g}"
        return None

    def _editable(self, row: ParameterRow, column: int) -> str | None:
        if column == VALUE:
            return f"={row.tie}" if row.tie else f"{row.value:.10g}"
        if column in (LOW, HIGH):
            limit = row.limits[column - LOW]
            return "" if limit is None else f"{limit:.10g}"
        return None

    def _tip(self, row: ParameterRow) -> str:
        said = row.about or ("area of the peak" if row.is_area else row.placed.term.parameter(row.name).description)
        unit = f" in {units.shown(row.unit)}" if row.unit else ""
        held = f"tied: {row.tie}" if row.tie else "held" if row.hold else ""
        state = held or ("from the fit" if row.fitted else "start; type another or drag on the plot")
        u = f", u = {row.u:.4g}" if row.u is not None else ""
        if row.about:
            state = "from the fit" if row.fitted else "from the starts"
            return f"{said}{unit}\n{row.value:.10g} ({state}){u}\nIt follows from others, which are always fitted."
        return (
            f"{said}{unit}\n{row.value:.10g} ({state}){u}\n"
            f"In formulas: {row.full_name}. Type = and a formula in other names to tie it."
        )

    def setData(self, index: QModelIndex, value: object, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if not index.isValid():
            return False
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.CheckStateRole and column == HOLD:
            on = Qt.CheckState(value) == Qt.CheckState.Checked
            self._change(row, f"{'hold' if on else 'free'} {row.title}", hold=on, tie="")
            return True
        if role != Qt.ItemDataRole.EditRole:
            return False
        text = str(value).strip()
        if column == VALUE:
            return self._tie(row, text[1:].strip()) if text.startswith("=") else self._start(row, text)
        return self._limit(row, column, text) if column in (LOW, HIGH) else False

    def _number(self, row: ParameterRow, text: str, kept: str) -> float | None:
        try:
            number = float(text.replace("−", "-").replace(",", "."))
        except ValueError:
            number = math.nan
        if not math.isfinite(number):
            self.session.noticed.emit(f"{row.title}: “{text}” is not a number; {kept} is kept.", "problem")
            return None
        return number

    def _start(self, row: ParameterRow, text: str) -> bool:
        number = self._number(row, text, f"{row.value:.6g}")
        if number is None:
            return False
        if row.is_area:
            if number != row.value:
                placed = self.session.modelling.model_in_sight().term_numbered(row.placed.number)
                try:
                    size, value = size_for_area(placed, number)
                except InputError as error:
                    self.session.noticed.emit(f"{error} What it was before is kept.", "problem")
                    return False
                self._change(row, f"start of {row.title}", size, start=value, tie="")
            return True
        low, high = row.limits
        term = row.placed.term.parameter(row.name)
        if number <= term.lower and row.placed.number and row.name in _widths(row.placed):
            self.session.noticed.emit(f"{row.title} must be above zero; {row.value:.6g} is kept.", "problem")
            return False
        if (low is not None and number < low) or (high is not None and number > high):
            self.session.noticed.emit(
                f"{row.title}: {number:g} lies outside its limits; widen them first. {row.value:.6g} is kept.",
                "problem",
            )
            return False
        if number != row.value or row.tie:
            self._change(row, f"start of {row.title}", start=number, tie="")
        return True

    def _tie(self, row: ParameterRow, text: str) -> bool:
        model = self.session.modelling.model_in_sight()
        name = row.name
        try:
            if not text:
                raise InputError("Type a formula after =, such as = fwhm_1 or = height_1/2.")
            if row.is_area:
                name, text = tie_of_area(model, row.placed.number, text)
            else:
                text = with_areas(model, text)
            tied = row.placed.full_name(name)
            ties = {other: tie for other, tie in model.ties.items() if other != tied}
            state_ties(model.names, {**ties, tied: text})
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return False
        self._change(row, f"tie {row.title}", name, tie=text, hold=False)
        return True

    def _limit(self, row: ParameterRow, column: int, text: str) -> bool:
        side = "lower" if column == LOW else "upper"
        number = None
        if text not in ("", "–", "-"):
            number = self._number(row, text, "the old limit")
            if number is None:
                return False
        low, high = row.limits
        low, high = (number, high) if column == LOW else (low, number)
        if low is not None and high is not None and not low < high:
            self.session.noticed.emit(f"{row.title}: the limits {low:g} and {high:g} are not in order.", "problem")
            return False
        inside = min(max(row.value, -math.inf if low is None else low), math.inf if high is None else high)
        changes: dict[str, object] = {side: number, "start": inside}
        self._change(row, f"limit {row.title}", row.name, **changes)
        return True

    def _change(self, row: ParameterRow, label: str, name: str = "", **changes: object) -> None:
        self.session.modelling.change_state(row.placed.number, name or row.name, label, "", **changes)


def _widths(placed: PlacedTerm) -> set[str]:
    shape = placed.term.shape
    return {name for name, _ in shape.widths} if shape is not None else set()
