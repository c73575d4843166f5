"""What can be put into a panel: dragged onto the page, or put in by a double click or Enter."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QMimeData, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem

from curvesieve.core.figures.offers import Piece

PIECE = "application/x-curve-sieve-piece"
_NUMBER = Qt.ItemDataRole.UserRole


class PieceTree(QTreeWidget):
    """Renders the pieces of a study in their groups. `asked` has the number of the one that is to be put in."""

    asked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setHeaderHidden(True)
        self.setIndentation(12)
        self.setDragEnabled(True)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)  # how a family stands is at the end
        self.setAccessibleName("what can be put in")
        self.setToolTip("Drag one onto the page, or double click: it goes into the panel in hand")
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.itemDoubleClicked.connect(lambda item, _: self._ask(item))
        self._shown: tuple[tuple[str, str], ...] = ()

    def fill(self, pieces: list[Piece]) -> None:
        """Lists the pieces; what was open stays open."""
        now = tuple((piece.group, piece.words) for piece in pieces)
        if now == self._shown:
            return
        root = self.invisibleRootItem()
        groups = [root.child(k) for k in range(root.childCount())] if root is not None else []
        opened = {one.text(0) for one in groups if one is not None and one.isExpanded()} or {"Families"}
        self._shown = now
        self.clear()
        made: dict[str, QTreeWidgetItem] = {}
        for number, piece in enumerate(pieces):
            group = made.get(piece.group)
            if group is None:
                group = made[piece.group] = QTreeWidgetItem(self, [piece.group])
                group.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            row = QTreeWidgetItem(group, [piece.words])
            row.setData(0, _NUMBER, number)
            row.setToolTip(0, piece.words)
        for name, group in made.items():
            group.setExpanded(name in opened)

    def _ask(self, item: QTreeWidgetItem | None) -> None:
        number = item.data(0, _NUMBER) if item is not None else None
        if isinstance(number, int):
            self.asked.emit(number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._ask(self.currentItem())
            return
        super().keyPressEvent(event)

    def mimeTypes(self) -> list[str]:
        return [PIECE]

    def mimeData(self, items: object) -> QMimeData:
        data = QMimeData()
        item = self.currentItem()
        number = item.data(0, _NUMBER) if item is not None else None
        if isinstance(number, int):
            data.setData(PIECE, QByteArray(str(number).encode()))
        return data
