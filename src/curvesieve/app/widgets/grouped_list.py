"""A searchable list in groups over the window: one click or Enter chooses."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.popup import WORST_RANK, Popup, matches, rank

_SIZE = (560, 620)


@dataclass(frozen=True)
class Choosable:
    """A row: its group, its label, a line about it, words it is also found by, and what choosing it hands over."""

    group: str
    label: str
    about: str
    value: Any
    words: str = ""


class GroupedList(Popup):
    """A field over the list. `chosen` reports the value of the row; subclasses give the rows."""

    chosen = pyqtSignal(object)
    nothing = "Nothing has these words"

    def __init__(self, window: QWidget, prompt: str, label_px: int = 176) -> None:
        super().__init__(window, prompt)
        self.tree = QTreeWidget()
        self.tree.setColumnCount(2)
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.tree.setColumnWidth(0, label_px)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.itemClicked.connect(lambda item, _: self._choose(item))
        rows = QVBoxLayout(self)
        rows.setContentsMargins(10, 10, 10, 10)
        rows.addWidget(self.field)
        rows.addWidget(self.tree, 1)

    def rows_now(self) -> Iterable[Choosable]:
        """All rows, in the order of their groups."""
        raise NotImplementedError

    def open(self, corner: QPoint) -> None:
        """Opens with its top right corner at a place of the window, as far as it fits."""
        window = self.parentWidget()
        assert window is not None
        width, height = _SIZE[0], min(_SIZE[1], window.height() - 80)
        top = max(50, min(corner.y(), window.height() - height - 30))
        self.setGeometry(max(10, corner.x() - width), top, width, height)
        self.present()

    def fill(self, wanted: str) -> None:
        self.tree.clear()
        group = ""
        best: tuple[int, QTreeWidgetItem | None] = (WORST_RANK, None)
        for row in self.rows_now():
            if not matches(f"{row.group} {row.label} {row.about} {row.words}", wanted):
                continue
            if row.group != group:
                group = row.group
                heading = QTreeWidgetItem([group, ""])
                heading.setFlags(Qt.ItemFlag.NoItemFlags)
                heading.setFont(0, font(13, bold=True))
                self.tree.addTopLevelItem(heading)
            item = QTreeWidgetItem([f"  {row.label}", row.about])
            item.setForeground(1, colour("muted"))
            item.setFont(1, font(13))
            item.setToolTip(1, row.about)
            item.setData(0, Qt.ItemDataRole.UserRole, (row.value,))
            self.tree.addTopLevelItem(item)
            if (well := rank(row.label, wanted)) < best[0]:
                best = (well, item)
        if not self.tree.topLevelItemCount():
            nothing = QTreeWidgetItem([self.nothing, ""])
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            nothing.setFirstColumnSpanned(True)
            self.tree.addTopLevelItem(nothing)
        self.tree.setCurrentItem(best[1])

    def _items(self) -> list[QTreeWidgetItem]:
        items = (self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount()))
        return [item for item in items if item is not None and item.data(0, Qt.ItemDataRole.UserRole) is not None]

    def walk(self, by: int) -> None:
        items, now = self._items(), self.tree.currentItem()
        if items:
            at = next((i for i, item in enumerate(items) if item is now), -by if by else 0)
            self.tree.setCurrentItem(items[(at + by) % len(items)])

    def choose_current(self) -> None:
        self._choose(self.tree.currentItem())

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        data = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if data is not None:
            self.hide()
            self.chosen.emit(data[0])
