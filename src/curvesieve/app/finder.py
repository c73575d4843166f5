"""The action finder: any action by a few letters of its name."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

_MOST_ROWS = 14


def matches(text: str, wanted: str) -> bool:
    """Whether every word asked for begins, or stands in, the action's name."""
    return all(word in text.casefold() for word in wanted.casefold().split())


class Finder(QFrame):
    """A field and a list over the window; Enter does the chosen action, Esc leaves."""

    def __init__(self, window: QWidget, actions: list[QAction], more: Callable[[], list[QAction]] = lambda: []) -> None:
        super().__init__(window)
        self.setObjectName("popup")
        self.actions_, self._more = actions, more
        self.field = QLineEdit()
        self.field.setPlaceholderText("What do you want to do?")
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(self._do)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.hide()

    def open(self) -> None:
        window = self.parentWidget()
        assert window is not None
        self.actions_ = [*self.actions_, *self._more()]
        self._more = lambda: []
        width = min(520, window.width() - 40)
        self.setGeometry((window.width() - width) // 2, 52, width, 60)
        self.field.clear()
        self._fill("")
        self.show()
        self.raise_()
        self.field.setFocus()

    def _fill(self, wanted: str) -> None:
        self.list.clear()
        for action in self.actions_:
            name = action.text().replace("&", "")
            if not matches(name, wanted):
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
        self._move(0)

    def _move(self, by: int) -> None:
        rows = [i for i in range(self.list.count()) if self._enabled(i)]
        if rows:
            now = self.list.currentRow()
            place = rows.index(now) if now in rows and by else 0
            self.list.setCurrentRow(rows[(place + by) % len(rows)])

    def _enabled(self, row: int) -> bool:
        item = self.list.item(row)
        return item is not None and bool(item.flags() & Qt.ItemFlag.ItemIsEnabled)

    def _do(self, item: QListWidgetItem | None) -> None:
        if item is not None and item.flags() & Qt.ItemFlag.ItemIsEnabled:
            action: QAction = item.data(Qt.ItemDataRole.UserRole)
            self.hide()
            action.trigger()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self.hide()
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        match event.key():
            case Qt.Key.Key_Down:
                self._move(1)
            case Qt.Key.Key_Up:
                self._move(-1)
            case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self._do(self.list.currentItem())
            case Qt.Key.Key_Escape:
                self.hide()
            case _:
                return False
        return True
