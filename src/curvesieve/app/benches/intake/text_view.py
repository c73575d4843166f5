"""A file's own text with the understanding painted on it; clicking a row says where the data begin."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyledItemDelegate, QStyleOptionViewItem

from curvesieve.app.theme import font, mono
from curvesieve.app.theme.tokens import colour
from curvesieve.core.formats import Understanding

_ROW_PX = 22
_MARGIN_PX = 84
_LONGEST_LINE = 400
_GROUNDS = {"left out": "hover", "names": "straw", "units": "tint"}


class _Lines(QAbstractListModel):
    """The file's lines; a row's text and kind are worked out when it is painted."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Understanding | None = None

    def fill(self, found: Understanding | None) -> None:
        self.beginResetModel()
        self.found = found
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.found.lines) if self.found else 0

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if self.found is not None and index.isValid() and role == Qt.ItemDataRole.DisplayRole:
            return self.found.lines[index.row()][:_LONGEST_LINE].replace("\t", " → ")
        return None


class _Painter(QStyledItemDelegate):
    marked = -1

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, _ROW_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model = index.model()
        assert painter is not None
        assert isinstance(model, _Lines)
        assert model.found is not None
        kind = model.found.row_kind(index.row())
        painter.save()
        rect = option.rect
        if kind in _GROUNDS:
            painter.fillRect(rect, colour(_GROUNDS[kind], 70 if kind == "names" else 255))
        if index.row() == self.marked:
            painter.setPen(colour("rust"))
            painter.drawRect(rect.adjusted(0, 0, -1, -1))
        mark = str(index.row() - model.found.layout.first_row + 1) if kind == "data" else kind
        painter.setPen(colour("verdigris" if kind in ("units", "names") else "muted"))
        painter.setFont(font(13))
        side = QRect(rect.left(), rect.top(), _MARGIN_PX - 12, rect.height())
        painter.drawText(side, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, mark)
        painter.setPen(colour("muted" if kind == "left out" else "ink"))
        painter.setFont(mono())
        text = rect.adjusted(_MARGIN_PX, 0, 0, 0)
        painter.drawText(text, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, index.data())
        painter.restore()


class TextView(QListView):
    """The painted text. `row_chosen` reports the row that was clicked, from 0."""

    row_chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.lines = _Lines()
        self.painter = _Painter()
        self.setModel(self.lines)
        self.setItemDelegate(self.painter)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.clicked.connect(lambda index: self.row_chosen.emit(index.row()))
        self.activated.connect(lambda index: self.row_chosen.emit(index.row()))
        self.setAccessibleName("the file's text; Enter on a row says that the data begin there")

    def show_row(self, row: int) -> None:
        """Brings a row to the middle and marks it."""
        index = self.lines.index(row)
        self.scrollTo(index, QAbstractItemView.ScrollHint.PositionAtCenter)
        self.painter.marked = row
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    def show_text(self, found: Understanding | None) -> None:
        if found is self.lines.found:
            return
        self.lines.fill(found)
        self.painter.marked = -1
        if found is not None:
            top = max(found.layout.first_row - 12, 0)
            self.scrollTo(self.lines.index(top), QAbstractItemView.ScrollHint.PositionAtTop)
