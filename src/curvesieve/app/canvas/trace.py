"""A line on a plot that stays quick at a million points: only what is in view is drawn, thinned to the pixels."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QPen

from curvesieve.app.canvas.plot import Plot
from curvesieve.core.envelope import envelope

Floats = NDArray[np.float64]
_FEW = 4000
"""Below this many points a line is handed over whole."""


class Trace(QObject):
    """One line. `set` gives it data coordinates; it redraws itself when the view moves."""

    def __init__(self, plot: Plot, z: float = 0.0) -> None:
        super().__init__(plot)
        self.plot = plot
        self.item = pg.PlotCurveItem(connect="finite", skipFiniteCheck=False)
        self.item.setZValue(z)
        self.item.setSegmentedLineMode("off")
        plot.addItem(self.item, ignoreBounds=True)
        self._x = self._y = np.empty(0)
        self._rising = True
        plot.box.sigXRangeChanged.connect(self._moved)
        plot.box.sigResized.connect(self._moved)

    def set(self, x: Floats, y: Floats, pen: QPen) -> None:
        """New points, in data coordinates, and the pen to draw them with."""
        if x is not self._x:
            self._rising = bool(x.size < 2 or np.all(np.diff(x) >= 0))
        self._x, self._y = x, y
        # A wide antialiased line of many points is slow to paint; where points are dense, nobody sees the difference.
        thin = x.size > _FEW
        if thin:
            pen = QPen(pen)
            pen.setWidthF(1.0)
        self.item.opts["antialias"] = not thin
        self.item.setPen(pen)
        self.redraw()

    def clear(self) -> None:
        self._x = self._y = np.empty(0)
        self.item.setData(self._x, self._y)

    def _moved(self) -> None:
        if self._x.size > _FEW and self._rising:
            self.redraw()

    def redraw(self) -> None:
        x, y = self._x, self._y
        if x.size > _FEW and self._rising:
            low, high = (self.plot.unmap_x(edge) for edge in self.plot.box.viewRange()[0])
            x, y = envelope(x, y, low, high, max(int(self.plot.box.width()), 200))
        self.item.setData(np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y)))
