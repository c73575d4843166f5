"""The rows of the shelf: families' headings and their curves, and the list model that Qt shows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from PyQt6.QtCore import QAbstractListModel, QMimeData, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QColor

from curvesieve.app.session.session import Session
from curvesieve.app.theme import family_colours
from curvesieve.core.study import CurveEntry, Family, Study

ROW = Qt.ItemDataRole.UserRole
CURVES_TYPE = "application/x-curvesieve-curves"
_LOOSE = Family(id="", label="single curves")


@dataclass(frozen=True)
class ShelfRow:
    """A family's heading (no curve) or a curve with the state of its fit."""

    text: str
    family: str = ""
    curve: CurveEntry | None = None
    colour: QColor | None = None
    state: str = ""
    warning: str = ""
    count: int = 0
    """Of a heading: how many curves stand under it."""
    folded: bool = False

    @property
    def key(self) -> str:
        """What stays the same while the row's contents change."""
        return f"family {self.family}" if self.curve is None else self.curve.id


def shelf_rows(
    study: Study,
    wanted: str,
    unusual: Mapping[str, str] = MappingProxyType({}),
    folded: frozenset[str] = frozenset(),
) -> list[ShelfRow]:
    """Headings and curves in order; with a filter, only the curves whose label or family has the words."""
    rows: list[ShelfRow] = []
    placed = {id_ for family in study.document.families for id_ in family.curves}
    wanted = wanted.casefold()
    for family in (*study.document.families, _LOOSE):
        curves = [study.entry(id_) for id_ in family.curves]
        if family is _LOOSE:
            curves = [curve for curve in study.document.curves if curve.id not in placed]
        curves.sort(key=lambda curve: (curve.condition is None, curve.condition or 0.0))
        chosen = [
            (curve, hue)
            for curve, hue in zip(curves, family_colours(max(len(curves), 1)), strict=False)
            if not wanted or wanted in f"{family.label} {curve.label}".casefold()
        ]
        if chosen:
            closed = family.id in folded and not wanted
            rows.append(ShelfRow(family.label, family.id, count=len(chosen), folded=closed))
        if chosen and not closed:
            rows += [
                ShelfRow(curve.label, family.id, curve, hue, study.fit_state(curve.id), unusual.get(curve.id, ""))
                for curve, hue in chosen
            ]
    return rows


class ShelfModel(QAbstractListModel):
    """The rows of the shelf; curves can be dragged from family to family."""

    moved = pyqtSignal(list, str)
    """The ids of curves, and the family that they were dropped on (empty: none)."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[ShelfRow] = []
        self.wanted = ""
        self.folded: frozenset[str] = frozenset()
        self._made_of: tuple[object, ...] = ()

    def refresh(self) -> tuple[bool, list[int]]:
        """Brings the rows up to date. Returns whether rows came, went or moved, and else which are to be drawn again.

        These are not told through the model: a list view lays out all its rows anew when it hears of one.
        """
        made_of = (self.session.study.document, self.session.unusual, self.wanted, self.folded)
        if all(a is b for a, b in zip(made_of, self._made_of, strict=False)) and self._made_of:
            return False, []
        self._made_of = made_of
        rows = shelf_rows(self.session.study, self.wanted, self.session.unusual, self.folded)
        if [row.key for row in rows] == [row.key for row in self.rows]:
            changed = [i for i, (new, old) in enumerate(zip(rows, self.rows, strict=True)) if new != old]
            self.rows = rows
            return False, changed
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()
        return True, []

    def forget_colours(self) -> None:
        """Makes the rows anew at the next refresh, in the colours of another scheme."""
        self._made_of = ()

    def place(self, key: str | None) -> int | None:
        """Where the row of that key stands."""
        return next((i for i, row in enumerate(self.rows) if row.key == key), None)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.ItemIsDropEnabled
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDropEnabled
        if self.rows[index.row()].curve is not None:
            flags |= Qt.ItemFlag.ItemIsDragEnabled
        return flags

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role == ROW:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return row.text
        if role == Qt.ItemDataRole.ToolTipRole and row.curve is not None:
            file_name = self.session.study.origin(row.curve.id)
            return f"{row.text}\n{file_name}\n{row.state}" + (f"\nunusual: {row.warning}" if row.warning else "")
        if role == Qt.ItemDataRole.ToolTipRole and row.family:
            return "Drop files here: they join the family, and are done as its last ones were"
        return None

    # -- dragging -----------------------------------------------------------------------------------

    def mimeTypes(self) -> list[str]:
        return [CURVES_TYPE]

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.MoveAction

    def mimeData(self, indexes: Iterable[QModelIndex]) -> QMimeData:
        ids = [row.curve.id for index in indexes if (row := self.rows[index.row()]).curve is not None]
        data = QMimeData()
        data.setData(CURVES_TYPE, "\n".join(ids).encode())
        return data

    def dropMimeData(
        self, data: QMimeData | None, action: Qt.DropAction, row: int, column: int, parent: QModelIndex
    ) -> bool:
        """Curves dropped on a heading, on a curve, or between rows go to the family that stands there."""
        place = parent.row() if parent.isValid() else min(row, len(self.rows)) - 1
        if data is None or not data.hasFormat(CURVES_TYPE) or not self.rows:
            return False
        ids = data.data(CURVES_TYPE).data().decode().split("\n")
        self.moved.emit(ids, self.rows[place].family if place >= 0 else self.rows[0].family)
        return False  # the rows follow from the study; Qt is not to take any away
