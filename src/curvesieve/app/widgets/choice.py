"""A drop-down choice with an arrow in the scheme's own colour."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QComboBox

from curvesieve.app.theme.tokens import colour


class Choice(QComboBox):
    """A combo box; the wheel scrolls the page it stands on and never changes the choice unseen."""

    def offer(self, words: list[str]) -> None:
        """Offers these, and nothing else; the same as before are left alone, as their list may be open."""
        if words != [self.itemText(k) for k in range(self.count())]:
            self.clear()
            self.addItems(words)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("muted"))
        x, y = self.width() - 13.0, self.height() / 2 + 0.5
        painter.drawPolygon(QPolygonF([QPointF(x - 4, y - 2), QPointF(x + 4, y - 2), QPointF(x, y + 3)]))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()
