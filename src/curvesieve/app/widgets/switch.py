"""A switch: on or off, by click, Space or Enter."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractButton, QWidget

from curvesieve.app.theme.tokens import colour


class Switch(QAbstractButton):
    """A checkable button drawn as a sliding knob; off is told by the knob's place, not by colour alone."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setCheckable(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(30, 18)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        track = QRectF(1, 2, self.width() - 2, self.height() - 4)
        on = self.isChecked()
        painter.setPen(colour("ink") if self.hasFocus() else colour("verdigris" if on else "ghost"))
        painter.setBrush(colour("verdigris") if on else colour("paper"))
        painter.drawRoundedRect(track, track.height() / 2, track.height() / 2)
        knob = track.height() - 4
        left = track.right() - knob - 2 if on else track.left() + 2
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("card") if on else colour("muted"))
        painter.drawEllipse(QRectF(left, track.top() + 2, knob, knob))
