"""The figures of a study, and the parts of the one in hand, as lists."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QListWidget, QListWidgetItem, QTreeWidget, QTreeWidgetItem

from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.line import CarefulDelegate
from curvesieve.core.figures.parts import PartRow
from curvesieve.core.study.figure_parts import FigureSpec

_ID = Qt.ItemDataRole.UserRole


class FigureList(QListWidget):
    """Renders the names of the figures; a double click or F2 types another. Signals carry a figure's id."""

    taken = pyqtSignal(str)
    named = pyqtSignal(str, str)
    menu_asked = pyqtSignal(str, QPoint)
    removal_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("figures")
        self.setItemDelegate(CarefulDelegate(self))
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self._filling = False
        self.currentItemChanged.connect(self._chosen)
        self.itemChanged.connect(self._renamed)

    def fill(self, figures: tuple[FigureSpec, ...], in_hand: str) -> None:
        self._filling = True
        self.clear()
        for one in figures:
            item = QListWidgetItem(one.name)
            item.setData(_ID, one.id)
            item.setToolTip(one.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.addItem(item)
            if one.id == in_hand:
                self.setCurrentItem(item)
        self._filling = False

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is not None and not self._filling:
            self.taken.emit(item.data(_ID))

    def _renamed(self, item: QListWidgetItem) -> None:
        if not self._filling:
            self.named.emit(item.data(_ID), item.text())

    def _menu(self, point: QPoint) -> None:
        item = self.itemAt(point) or self.currentItem()
        if item is not None:
            self.menu_asked.emit(item.data(_ID), self.mapToGlobal(point))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        item = self.currentItem()
        if event is not None and event.key() == Qt.Key.Key_Delete and item is not None:
            self.removal_asked.emit(item.data(_ID))
            return
        super().keyPressEvent(event)


class PartTree(QTreeWidget):
    """Renders the parts of a figure under their panels. `chosen` has the id of one, `removal_asked` of one to go."""

    chosen = pyqtSignal(str)
    removal_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setColumnCount(2)
        self.setHeaderHidden(True)
        self.setIndentation(10)
        self.setRootIsDecorated(False)
        self.setAccessibleName("parts of the figure")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = self.header()
        assert header is not None
        header.setStretchLastSection(True)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self._filling = False
        self._rows: tuple[PartRow, ...] = ()
        self.currentItemChanged.connect(self._choose)

    def fill(self, rows: list[PartRow], part: str) -> None:
        """Lists the parts, with one in hand."""
        self._filling = True
        if tuple(rows) != self._rows:
            self._rows = tuple(rows)
            self.clear()
            panel: QTreeWidgetItem | None = None
            for row in rows:
                parent = panel if row.depth and panel is not None else self.invisibleRootItem()
                item = QTreeWidgetItem(parent, [row.title, row.about])
                item.setData(0, _ID, row.id)
                item.setForeground(1, colour("muted"))
                item.setToolTip(1, row.about)
                if not row.depth:
                    panel = item
            self.expandAll()
        self._show(part)
        self._filling = False

    def _show(self, part: str) -> None:
        kind, *rest = part.split(" ")
        wanted = f"names {rest[0]}" if kind == "name" else part
        for item in self.items():
            if item.data(0, _ID) == wanted:
                self.setCurrentItem(item)
                return
        self.setCurrentItem(None)
        self.clearSelection()

    def items(self) -> list[QTreeWidgetItem]:
        """All rows, from the top."""
        root = self.invisibleRootItem()
        found: list[QTreeWidgetItem] = []
        for k in range(root.childCount() if root is not None else 0):
            panel = root.child(k) if root is not None else None
            if panel is not None:
                found.append(panel)
                found += [one for j in range(panel.childCount()) if (one := panel.child(j)) is not None]
        return found

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        if item is not None and not self._filling:
            self.chosen.emit(item.data(0, _ID))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Delete:
            self.removal_asked.emit()
            return
        super().keyPressEvent(event)
