"""A list over the window with a field to search it: Enter chooses, the arrows walk, Esc and a click elsewhere leave."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QWidget


def matches(text: str, wanted: str) -> bool:
    """Whether every word asked for begins, or stands in, the text."""
    return all(word in text.casefold() for word in wanted.casefold().split())


WORST_RANK = 4


def rank(name: str, wanted: str) -> int:
    """How well a name is what is typed: its whole, its beginning, a part of it, or only a word about it."""
    name, wanted = name.casefold(), wanted.strip().casefold()
    return 0 if name == wanted else 1 if name.startswith(wanted) else 2 if wanted in name else 3


class Popup(QFrame):
    """The field and its keys. Subclasses fill a list, walk it, and do what is chosen."""

    def __init__(self, window: QWidget, prompt: str) -> None:
        super().__init__(window)
        self.setObjectName("popup")
        self.field = QLineEdit()
        self.field.setPlaceholderText(prompt)
        self.field.textChanged.connect(self.fill)
        self.field.installEventFilter(self)
        self.hide()

    def fill(self, wanted: str) -> None:
        """Lists what has all the words."""
        raise NotImplementedError

    def walk(self, by: int) -> None:
        """Goes up or down the list; 0 begins anew."""
        raise NotImplementedError

    def choose_current(self) -> None:
        """Does what the row in hand says."""
        raise NotImplementedError

    def present(self) -> None:
        """Shows everything, ready to be searched."""
        self.field.clear()
        self.fill("")
        self.show()
        self.raise_()
        self.field.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self.hide()
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return False
        match event.key():
            case Qt.Key.Key_Down:
                self.walk(1)
            case Qt.Key.Key_Up:
                self.walk(-1)
            case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self.choose_current()
            case Qt.Key.Key_Escape:
                self.hide()
            case _:
                return False
        return True
