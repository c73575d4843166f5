"""A button that has a colour: one of a few, any other, or none of its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import QColorDialog, QPushButton

from curvesieve.app.widgets.menu import menu_of


class Swatch(QPushButton):
    """A colour as `#rrggbb`, or None where it has none of its own. `edited` has the one that was chosen.

    `none` are the words of the row that takes a colour's own away (empty: there is no such row), `short` those that
    stand on the button then. A `bare` one has no words, only the colour.
    """

    edited = pyqtSignal(object)

    def __init__(
        self, words: str, palette: Callable[[], Sequence[str]], none: str = "", short: str = "", bare: bool = False
    ) -> None:
        super().__init__()
        self.words, self.palette_now, self.none, self.short, self.bare = words, palette, none, short, bare
        self.value: str | None = None
        self.setProperty("kind", "choice")
        self.setAccessibleName(words)
        self.clicked.connect(self.open)

    def set(self, value: str | None, instead: str = "") -> None:
        """Shows a colour, or the one `instead` that is used where it has none."""
        self.value = value
        self.setText("" if self.bare else value or self.short)
        self.setIcon(icon_of(value or instead) if value or instead else QIcon())

    def open(self) -> None:
        """The menu of colours."""
        menu = menu_of(self, [])
        if self.none:
            menu.addAction(self.none).triggered.connect(lambda: self.edited.emit(None))  # type: ignore[union-attr]
        for one in dict.fromkeys(self.palette_now()):
            action = menu.addAction(icon_of(one), one)
            assert action is not None
            action.triggered.connect(lambda _=False, one=one: self.edited.emit(one))
        menu.addAction("Another…").triggered.connect(self.ask)  # type: ignore[union-attr]
        menu.popup(self.mapToGlobal(QPoint(0, self.height())))
        self.menu_ = menu

    def ask(self) -> None:
        """Asks for any colour."""
        found = QColorDialog.getColor(QColor(self.value or "#000000"), self, self.words)
        if found.isValid():
            self.edited.emit(found.name())


def icon_of(name: str) -> QIcon:
    """A small square of a colour."""
    made = QPixmap(14, 14)
    made.fill(QColor(name))
    return QIcon(made)
