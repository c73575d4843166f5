"""Small pictures of a fit: the correlations of its parameters, and the histogram of its residuals."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QToolTip, QWidget

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour

_SIDE_PX, _NAMES_PX = 104, 74
_FEW = 4
"""Up to so many parameters have their numbers written in the cells."""


class Matrix(QWidget):
    """The lower triangle of a correlation matrix: rust for −, verdigris for +, the number in the cell or its tip."""

    def __init__(self) -> None:
        super().__init__()
        self.names: tuple[str, ...] = ()
        self.values: NDArray[np.float64] | None = None
        self.setFixedSize(QSize(_SIDE_PX + _NAMES_PX - 14, _SIDE_PX))
        self.setAccessibleName("correlations of the parameters")

    def show_matrix(self, names: tuple[str, ...], values: NDArray[np.float64] | None) -> None:
        self.names, self.values = names, values
        self.update()

    def _cell(self) -> float:
        return _SIDE_PX / max(len(self.names), 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setFont(font(11))
        if self.values is None or len(self.names) < 2:
            painter.setPen(colour("muted"))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, "Nothing to correlate."
            )
            painter.end()
            return
        cell = self._cell()
        for i in range(len(self.names)):
            for j in range(i + 1):
                value = float(self.values[i, j])
                box = QRectF(j * cell, i * cell, cell - 1, cell - 1)
                shade = colour("verdigris" if value >= 0 else "rust", int(25 + 200 * min(abs(value), 1.0)))
                painter.fillRect(box, colour("line", 90) if i == j else shade)
                if len(self.names) <= _FEW and i != j:
                    painter.setPen(colour("card") if abs(value) > 0.75 else colour("ink"))
                    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{value:.2f}")
            if len(self.names) <= 9:
                painter.setPen(colour("muted"))
                place = QRectF((i + 1) * cell + 2, i * cell, 200, cell)
                painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self.names[i])
        painter.end()

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent) and self.values is not None:
            cell = self._cell()
            i, j = int(event.pos().y() // cell), int(event.pos().x() // cell)
            if 0 <= j <= i < len(self.names):
                QToolTip.showText(event.globalPos(), f"{self.names[i]}, {self.names[j]}: {self.values[i, j]:.4f}", self)
            return True
        return super().event(event)  # type: ignore[arg-type]


class Histogram(QWidget):
    """Bars of the residuals with the normal curve of their spread."""

    def __init__(self) -> None:
        super().__init__()
        self.counts = self.normal = np.empty(0)
        self.setFixedSize(QSize(_SIDE_PX + _NAMES_PX - 14, 40))
        self.setAccessibleName("histogram of the residuals")

    def show_counts(self, counts: NDArray[np.float64], edges: NDArray[np.float64], normal: NDArray[np.float64]) -> None:
        self.counts, self.normal = counts, normal
        self.setToolTip(f"Residuals from {edges[0]:.3g} to {edges[-1]:.3g}, with the normal curve of their spread")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.counts.size:
            top = float(max(self.counts.max(), self.normal.max(), 1.0))
            step, height = self.width() / self.counts.size, self.height() - 3.0
            for i, count in enumerate(self.counts.tolist()):
                tall = height * count / top
                painter.fillRect(QRectF(i * step, height - tall + 1, step - 1, tall), colour("rust", 150))
            painter.setPen(QPen(colour("ink"), 1.3))
            curve = [
                QPointF((i + 0.5) * step, height - height * v / top + 1) for i, v in enumerate(self.normal.tolist())
            ]
            painter.drawPolyline(QPolygonF(curve))
            painter.setPen(QPen(colour("line"), 1))
            painter.drawLine(QPointF(0, height + 1.5), QPointF(self.width(), height + 1.5))
        painter.end()
