"""Asks for the value at a place of an axis: one field an axis, beside the place that was clicked."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QWidget

from curvesieve.app.widgets.basics import label
from curvesieve.app.widgets.line import Line


class MarkPopup(QFrame):
    """Two fields, of which one or both are filled in; Enter takes them, Escape goes away. `typed` has both texts."""

    typed = pyqtSignal(str, str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setProperty("card", "true")
        self.setProperty("inhand", "true")
        self.fields = {"x": Line(), "y": Line()}
        rows = QGridLayout(self)
        rows.setContentsMargins(10, 8, 10, 8)
        for number, (name, line) in enumerate(self.fields.items()):
            line.setAccessibleName(f"{name} here")
            line.setPlaceholderText("its value, if this is a place of it")
            line.setMinimumWidth(190)
            line.returnPressed.connect(self._take)
            rows.addWidget(label(f"{name} here", "muted"), number, 0)
            rows.addWidget(line, number, 1)
        rows.addWidget(label("Enter takes it · Esc leaves it", "muted"), 2, 1)
        self.hide()

    def ask(self, at: QPoint, first: str) -> None:
        """Opens beside a place of the parent, the keyboard in the field of an axis."""
        for line in self.fields.values():
            line.clear()
        self.adjustSize()
        parent = self.parentWidget()
        if parent is not None:
            x = min(max(at.x() + 16, 0), parent.width() - self.width())
            y = min(max(at.y() + 16, 0), parent.height() - self.height())
            self.move(x, y)
        self.show()
        self.raise_()
        self.fields[first].setFocus()

    def _take(self) -> None:
        texts = [line.text().strip() for line in self.fields.values()]
        if any(texts):
            self.hide()
            self.typed.emit(*texts)
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()
            parent = self.parentWidget()
            if parent is not None:
                parent.setFocus()
        else:
            super().keyPressEvent(event)
