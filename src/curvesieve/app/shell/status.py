"""The status line: the pointer's x and y with units, one hint, and what is being worked on."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from curvesieve.app.widgets.basics import Elided, button, label


class StatusLine(QWidget):
    """Renders three texts side by side, and offers to stop what can be stopped."""

    stop_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("status")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(25)
        self.pointer = label()
        self.pointer.hide()
        self.hint = Elided()
        self.busy = label()
        self.stop = button("Stop", "bare", "Stops this work; what was there before stays")
        self.stop.hide()
        self.stop.clicked.connect(self.stop_asked)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(24)
        row.addWidget(self.pointer)
        row.addWidget(self.hint, 1)
        row.addWidget(self.busy)
        row.addWidget(self.stop)

    def show_pointer(self, text: str) -> None:
        self.pointer.setText(text)
        self.pointer.setVisible(bool(text))

    def show_busy(self, text: str, stoppable: bool = False) -> None:
        self.busy.setText(f"{text} …" if text else "")
        self.stop.setVisible(bool(text) and stoppable)
