"""A field for one number with its unit."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from curvesieve.app.widgets.line import Line


class NumberField(QWidget):
    """Shows a number; Enter or leaving the field reports another one. Up and down arrows step it.

    `refused` says in words why a text was not taken; the old number comes back.
    """

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, label: str, unit: str, whole: bool, optional: bool, step: float = 1.0) -> None:
        super().__init__()
        self.label, self.whole, self.optional, self.step = label, whole, optional, step
        self.value: float | int | None = None
        self.line = Line()
        self.line.setAccessibleName(label)
        self.line.installEventFilter(self)
        self.line.editingFinished.connect(self._finish)
        self.unit = QLabel(unit)
        self.unit.setTextFormat(Qt.TextFormat.PlainText)
        self.unit.setProperty("role", "muted")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(self.line, 1)
        layout.addWidget(self.unit)

    def set(self, value: float | int | None) -> None:
        self.value = value
        self.line.setText("" if value is None else str(value) if self.whole else f"{value:.10g}")

    def _finish(self) -> None:
        text = self.line.text().strip().replace("−", "-")
        old = "" if self.value is None else str(self.value) if self.whole else f"{self.value:.10g}"
        if text == old:
            return
        if not text and self.optional:
            self.value = None
            self.edited.emit(None)
            return
        try:
            value: float | int = int(text) if self.whole else float(text.replace(",", "."))
        except ValueError:
            value = math.nan
        if not math.isfinite(value):
            self.set(self.value)
            kind = "a whole number" if self.whole else "a number"
            self.refused.emit(f"{self.label}: “{text}” is not {kind}; {old or 'nothing'} is kept.")
            return
        if value == self.value:
            self.set(value)  # the same number, written in another way
            return
        self.value = value
        self.edited.emit(value)

    def eventFilter(self, watched: object, event: object) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QKeyEvent.Type.KeyPress and self.value is not None:
            turn = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
            if turn:
                text = self.line.text()
                try:
                    now = float(text)
                except ValueError:
                    return False
                moved = now + turn * self.step
                self.line.setText(str(int(moved)) if self.whole else f"{moved:.10g}")
                self._finish()
                self.line.took()
                return True
        return False
