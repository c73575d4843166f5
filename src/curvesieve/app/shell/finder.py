"""The action finder: any action by a few letters of its name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.widgets.popup import Popup, matches, rank

_MOST_ROWS = 14


class Finder(Popup):
    """A field and a list over the window; Enter does the chosen action, Esc leaves."""

    def __init__(self, window: QWidget, actions: list[QAction], more: Callable[[], list[QAction]] = lambda: []) -> None:
        super().__init__(window, "What do you want to do?")
        self.actions_, self._more = actions, more
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(self._do)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(self.field)
        layout.addWidget(self.list)

    def open(self) -> None:
        window = self.parentWidget()
        assert window is not None
        self.actions_ = [*self.actions_, *self._more()]
        self._more = lambda: []
        width = min(520, window.width() - 40)
        self.setGeometry((window.width() - width) // 2, 52, width, 60)
        self.present()

    def fill(self, wanted: str) -> None:
        self.list.clear()
        for action in self.actions_:
            name = action.text().replace("&", "")
            if not matches(f"{name} {action.data() or ''}", wanted):
                continue
            keys = action.shortcut().toString()
            item = QListWidgetItem(f"{name}     {keys}" if keys else name)
            item.setData(Qt.ItemDataRole.UserRole, action)
            if not action.isEnabled():
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        if not self.list.count():
            nothing = QListWidgetItem("No action has these words")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(nothing)
        height = min(self.list.count(), _MOST_ROWS) * self.list.sizeHintForRow(0) + 6
        self.list.setFixedHeight(height)
        self.resize(self.width(), height + self.field.sizeHint().height() + 28)
        rows = [i for i in range(self.list.count()) if self._enabled(i)]
        if rows:  # by its name rather than by a word about it
            self.list.setCurrentRow(min(rows, key=lambda i: rank(self._name(i), wanted)))

    def _name(self, row: int) -> str:
        item = self.list.item(row)
        action = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        return action.text().replace("&", "").removeprefix("Add a step: ") if action is not None else ""

    def walk(self, by: int) -> None:
        rows = [i for i in range(self.list.count()) if self._enabled(i)]
        if rows:
            now = self.list.currentRow()
            place = rows.index(now) if now in rows and by else 0
            self.list.setCurrentRow(rows[(place + by) % len(rows)])

    def _enabled(self, row: int) -> bool:
        item = self.list.item(row)
        return item is not None and bool(item.flags() & Qt.ItemFlag.ItemIsEnabled)

    def choose_current(self) -> None:
        self._do(self.list.currentItem())

    def _do(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            action: QAction = item.data(Qt.ItemDataRole.UserRole)
            self.hide()
            action.trigger()
