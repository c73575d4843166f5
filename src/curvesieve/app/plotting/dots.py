"""Points drawn as marks, with their uncertainty as bars: one call to the painter for all of them."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QStyleOptionGraphicsItem, QWidget

Floats = NDArray[np.float64]

_MOST_ROUND = 400
"""Above so many marks they are square: round ones take twenty times as long to paint."""


class Dots(pg.GraphicsObject):  # type: ignore[misc]
    """Marks in view coordinates (log10 on a log axis)."""

    def __init__(self, z: float = 0.0) -> None:
        super().__init__()
        self.setZValue(z)
        self._points, self._bars = QPolygonF(), [QLineF()][:0]
        self._bounds = QRectF()
        self._pen, self._bar_pen = QPen(), QPen()
        self.x = self.y = np.empty(0)

    def set(self, x: Floats, y: Floats, size: float, colour: QColor, low: Floats | None, high: Floats | None) -> None:
        """Points, the width of their marks in pixels, and the ends of their bars (None: no bars)."""
        good = np.isfinite(x) & np.isfinite(y) & (np.abs(y) < 1e300)
        self.x, self.y = x[good], y[good]
        self.prepareGeometryChange()
        self._points = pg.functions.arrayToQPolygonF(self.x, self.y)
        cap = Qt.PenCapStyle.RoundCap if self.x.size <= _MOST_ROUND else Qt.PenCapStyle.SquareCap
        self._pen = QPen(colour, size, Qt.PenStyle.SolidLine, cap)
        self._bar_pen = QPen(colour, 1.1)
        for pen in (self._pen, self._bar_pen):
            pen.setCosmetic(True)
        self._bars = []
        lowest, highest = self.y, self.y
        if low is not None and high is not None:
            lowest, highest = low[good], high[good]
            ends = zip(self.x.tolist(), lowest.tolist(), highest.tolist(), strict=True)
            self._bars = [QLineF(a, b, a, c) for a, b, c in ends if np.isfinite(b) and np.isfinite(c)]
        self._bounds = QRectF()
        if self.x.size:
            bottom, top = float(np.nanmin(lowest)), float(np.nanmax(highest))
            left, right = float(self.x.min()), float(self.x.max())
            self._bounds = QRectF(left, bottom, right - left, top - bottom)
        self.update()

    def clear(self) -> None:
        self.set(np.empty(0), np.empty(0), 1, QColor(), None, None)

    def boundingRect(self) -> QRectF:
        across, up = self.pixelVectors()
        wide = self._pen.widthF() / 2 + 1
        dx = wide * across.length() if across is not None else 0.0
        dy = wide * up.length() if up is not None else 0.0
        return self._bounds.adjusted(-dx, -dy, dx, dy)

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, self.x.size <= _MOST_ROUND)
        if self._bars:
            painter.setPen(self._bar_pen)
            painter.drawLines(self._bars)  # type: ignore[call-overload]  # a list is taken, too
        if self.x.size > _MOST_ROUND:
            painter.setPen(self._pen)
            painter.drawPoints(self._points)
            return
        places, half = painter.transform().map(self._points), self._pen.widthF() / 2
        painter.resetTransform()  # in pixels: round ones stay round whatever the axes do
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(self._pen.color())
        for place in places:  # type: ignore[attr-defined]  # a polygon is a list of points
            painter.drawEllipse(place, half, half)
