"""Many lines as one item: painted once into a picture, which a pan only moves."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QGraphicsItem

from curvesieve.app.plotting.plot import Floats, Plot

_CLOSE = 3.0
"""Zoomed in so many times the picture of all would be too large, and little of it is seen: it is painted as it is."""


class Bundle(pg.GraphicsObject):  # type: ignore[misc]
    """Lines in the view's coordinates, one pixel wide and hard."""

    def __init__(self, plot: Plot, z: float) -> None:
        self._bounds = QRectF()
        super().__init__()
        self.plot = plot
        self.lines: list[tuple[QPainterPath, QPen]] = []
        self.setZValue(z)
        plot.addItem(self, ignoreBounds=True)
        plot.box.sigRangeChanged.connect(self._settle)

    def set(self, lines: Sequence[tuple[Floats, Floats, QColor]]) -> None:
        """Other lines: x, y and the colour of each."""
        self.prepareGeometryChange()
        self.lines, spans = [], []
        for x, y, hue in lines:
            good = np.isfinite(x) & np.isfinite(y)
            if not good.any():
                continue
            spans.append((x[good].min(), x[good].max(), y[good].min(), y[good].max()))
            drawn = QPen(hue, 1)
            drawn.setCosmetic(True)
            self.lines.append((pg.arrayToQPath(x, y, connect="finite"), drawn))
        self._bounds = QRectF()
        if spans:
            x0, x1, y0, y1 = (float(one) for one in (
                min(s[0] for s in spans), max(s[1] for s in spans), min(s[2] for s in spans), max(s[3] for s in spans)
            ))  # fmt: skip
            self._bounds = QRectF(x0, y0, (x1 - x0) or 1.0, (y1 - y0) or 1.0)
        self._settle()
        self.update()

    def _settle(self, *_: object) -> None:
        """Keeps a picture while all of it is not much larger than the window."""
        (x0, x1), (y0, y1) = self.plot.box.viewRange()
        close = self._bounds.width() > _CLOSE * (x1 - x0) or self._bounds.height() > _CLOSE * (y1 - y0)
        mode = QGraphicsItem.CacheMode.NoCache if close else QGraphicsItem.CacheMode.DeviceCoordinateCache
        if mode != self.cacheMode():
            self.setCacheMode(mode)

    def boundingRect(self) -> QRectF:
        return self._bounds

    def paint(self, painter: QPainter | None, *_: object) -> None:
        if painter is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        for path, drawn in self.lines:
            painter.setPen(drawn)
            painter.drawPath(path)
