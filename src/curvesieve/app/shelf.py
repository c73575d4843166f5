"""The shelf: families and their curves, each with colour, label, a tiny drawing, and its state."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from types import MappingProxyType

import numpy as np
from PyQt6.QtCore import QAbstractListModel, QModelIndex, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QInputDialog,
    QLineEdit,
    QListView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.session import Session, View
from curvesieve.app.theme import family_colours, font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import button
from curvesieve.core.curve import Curve
from curvesieve.core.study import CurveEntry, Family, Study, edits

_ROW = Qt.ItemDataRole.UserRole
_DRAWN_POINTS = 44


@dataclass(frozen=True)
class ShelfRow:
    """A family's heading (no curve) or a curve with the state of its fit."""

    text: str
    curve: CurveEntry | None = None
    colour: QColor | None = None
    state: str = ""
    warning: str = ""


def shelf_rows(study: Study, wanted: str, unusual: Mapping[str, str] = MappingProxyType({})) -> list[ShelfRow]:
    """Headings and curves in order; with a filter, only the curves whose label or family has the words."""
    rows: list[ShelfRow] = []
    seen: set[str] = set()
    loose = Family(id="", label="single curves")
    families = [*study.document.families, loose]
    for family in families:
        seen |= set(family.curves)
        curves = [study.entry(id_) for id_ in family.curves]
        if family is loose:
            curves = [curve for curve in study.document.curves if curve.id not in seen]
        curves.sort(key=lambda curve: (curve.condition is None, curve.condition or 0.0))
        colours = family_colours(max(len(curves), 1))
        found = [
            ShelfRow(curve.label, curve, hue, study.fit_state(curve.id), unusual.get(curve.id, ""))
            for curve, hue in zip(curves, colours, strict=False)
            if wanted.casefold() in f"{family.label} {curve.label}".casefold()
        ]
        if found:
            rows += [ShelfRow(family.label), *found]
    return rows


_MARKS = {"not fitted": "", "out of date": "○", "did not converge": "△", "fitted": "●"}


@lru_cache(maxsize=2048)
def _drawing(curve: Curve) -> QPolygonF:
    """The curve in the unit square, y downwards, thinned by taking every so many points."""
    pick = np.linspace(0, len(curve) - 1, min(_DRAWN_POINTS, len(curve))).astype(int)
    x, y = curve.x[pick], curve.y[pick]
    low, high = np.quantile(y, [0.0, 0.97]) if y.size > 20 else (y.min(), y.max())
    x = (x - x.min()) / (np.ptp(x) or 1.0)
    y = 1 - np.clip((y - low) / ((high - low) or 1.0), 0, 1.15) / 1.15
    return QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)])


class ShelfModel(QAbstractListModel):
    """The rows of the shelf."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: list[ShelfRow] = []
        self.wanted = ""

    def refresh(self) -> None:
        rows = shelf_rows(self.session.study, self.wanted, self.session.unusual)
        if rows != self.rows:
            self.beginResetModel()
            self.rows = rows
            self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        heading = not index.isValid() or self.rows[index.row()].curve is None
        return Qt.ItemFlag.NoItemFlags if heading else Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row = self.rows[index.row()]
        if role == _ROW:
            return row
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return row.text
        if role == Qt.ItemDataRole.ToolTipRole and row.curve is not None:
            file_name = self.session.study.record_entry(row.curve.record).file_name
            return f"{row.text}\n{file_name}\n{row.state}" + (f"\nunusual: {row.warning}" if row.warning else "")
        return None


class ShelfDelegate(QStyledItemDelegate):
    """Draws a heading or a curve's row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(120, 32 if index.data(_ROW).curve is not None else 30)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row: ShelfRow = index.data(_ROW)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if row.curve is None:
            self._paint_heading(painter, option.rect, row)
        else:
            self._paint_curve(painter, option.rect, row)
        painter.restore()

    def _paint_heading(self, painter: QPainter, rect: QRect, row: ShelfRow) -> None:
        small = font(12, bold=True)
        small.setLetterSpacing(small.SpacingType.AbsoluteSpacing, 1)
        painter.setFont(small)
        painter.setPen(colour("muted"))
        text = painter.fontMetrics().elidedText(row.text.upper(), Qt.TextElideMode.ElideRight, rect.width())
        painter.drawText(rect.adjusted(0, 4, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _paint_curve(self, painter: QPainter, rect: QRect, row: ShelfRow) -> None:
        assert row.curve is not None
        assert row.colour is not None
        here = row.curve.id == self.session.view.curve
        if here:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("card"))
            painter.drawRoundedRect(QRectF(rect.adjusted(0, 1, 0, -1)), 5, 5)
            painter.setBrush(colour("straw"))
            painter.drawRoundedRect(QRectF(rect.left(), rect.top() + 5, 3, rect.height() - 10), 1.5, 1.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(row.colour)
        painter.drawEllipse(QPointF(rect.left() + 13, rect.center().y() + 0.5), 4.5, 4.5)
        painter.setPen(colour("ink"))
        painter.setFont(font(bold=here))
        room = rect.adjusted(25, 0, -78, 0)
        text = painter.fontMetrics().elidedText(row.text, Qt.TextElideMode.ElideMiddle, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        painter.setPen(colour("verdigris" if row.state == "fitted" else "rust"))
        painter.setFont(font(11))
        mark = QRect(rect.right() - 76, rect.top(), 14, rect.height())
        painter.drawText(mark, Qt.AlignmentFlag.AlignCenter, _MARKS[row.state])
        if row.warning:  # the sieve caught far more here than in the rest of the family, or failed
            painter.setPen(colour("rust"))
            painter.setFont(font(13, bold=True))
            painter.drawText(mark.translated(-14, 0), Qt.AlignmentFlag.AlignCenter, "!")
        frame = QRectF(rect.right() - 58, rect.top() + 7, 52, rect.height() - 14)
        shape = _drawing(self.session.study.recorded(row.curve.id))
        painter.translate(frame.topLeft())
        painter.scale(frame.width(), frame.height())
        pen = QPen(row.colour, 1.4)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(shape)


class _List(QListView):
    removal_asked = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Delete:
            self.removal_asked.emit()
            return
        super().keyPressEvent(event)


class Shelf(QWidget):
    """The filter, the list, and the place to drop files."""

    files_asked = pyqtSignal()
    looked_at_curve = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.menu_rows: list[tuple[str, Callable[[], None]]] = []
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter the shelf")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._filter_changed)
        self.model = ShelfModel(session)
        self.list = _List()
        self.list.setObjectName("shelf")
        self.list.setModel(self.model)
        self.delegate = ShelfDelegate(session)
        self.list.setItemDelegate(self.delegate)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.list.setMouseTracking(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.list.clicked.connect(lambda index: self._look(index))
        self.list.removal_asked.connect(self.remove_in_hand)
        self.drop = button("Drop files here\nor paste a table", "drop", "Click to choose files (Ctrl+I)")
        self.drop.setMinimumHeight(60)
        self.drop.clicked.connect(self.files_asked)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.filter)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.drop)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.marks_changed.connect(self.refresh)
        selection = self.list.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda index, old: self._look(index))

    def refresh(self) -> None:
        self.model.refresh()
        place = next(
            (i for i, row in enumerate(self.model.rows) if row.curve and row.curve.id == self.session.view.curve), None
        )
        selection = self.list.selectionModel()
        assert selection is not None
        if place is not None and self.list.currentIndex().row() != place:
            selection.blockSignals(True)
            self.list.setCurrentIndex(self.model.index(place))
            selection.blockSignals(False)
        viewport = self.list.viewport()
        if viewport is not None:
            viewport.update()

    def _filter_changed(self, text: str) -> None:
        self.model.wanted = text.strip()
        self.refresh()

    def _look(self, index: QModelIndex) -> None:
        row = self.model.rows[index.row()] if index.isValid() else None
        if row is not None and row.curve is not None:
            if row.curve.id != self.session.view.curve:
                self.session.look(View(row.curve.id))
            self.looked_at_curve.emit()

    def _open_menu(self, place: QPoint) -> None:
        index = self.list.indexAt(place)
        viewport = self.list.viewport()
        if not index.isValid() or self.model.rows[index.row()].curve is None or viewport is None:
            return
        self._look(index)
        menu = QMenu(self)
        own = [("Rename…", self.rename_in_hand), ("Remove from the study", self.remove_in_hand)]
        for text, slot in (*self.menu_rows, *own):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, slot=slot: slot())
        menu.popup(viewport.mapToGlobal(place))

    def rename_in_hand(self) -> None:
        entry = self.session.entry
        if entry is None:
            return
        text, ok = QInputDialog.getText(self, "Rename the curve", "Name", text=entry.label)
        if ok and text != entry.label:
            self.session.apply(lambda study: edits.rename_curve(entry.id, text)(study), f"rename {entry.label}")

    def remove_in_hand(self) -> None:
        entry = self.session.entry
        if entry is not None and self.session.apply(edits.remove_curve(entry.id), f"remove {entry.label}"):
            self.session.noticed.emit(f"Removed {entry.label}. Ctrl+Z brings it back.", "word")
