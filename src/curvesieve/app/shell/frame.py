"""The frame of the window: there, and painted, before what is in it has been loaded."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QCloseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QMainWindow

from curvesieve.app.shell.memory import Memory
from curvesieve.app.shell.screen import fit_to_screen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour

HEADER_PX = 44


class Frame(QMainWindow):
    """A top-level window that shows the header's band and a word until its content comes; the content decides whether
    it may be closed."""

    def __init__(self, opening: str) -> None:
        super().__init__()
        self.opening = opening
        memory = Memory()
        self.setWindowTitle("Curve Sieve")
        self.setMinimumSize(900, 560)
        fit_to_screen(self, memory.size)
        if memory.whole_screen:
            self.setWindowState(Qt.WindowState.WindowMaximized)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.centralWidget() is not None:
            return
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("paper"))
        band = QRect(0, 0, self.width(), HEADER_PX)
        painter.fillRect(band, colour("header"))
        painter.setFont(font(bold=True))
        painter.setPen(colour("header_ink"))
        painter.drawText(band.adjusted(14, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "Curve Sieve")
        painter.setFont(font())
        painter.setPen(colour("muted"))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.opening)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        content = self.centralWidget()
        if event is not None:
            event.setAccepted(content is None or content.close())
