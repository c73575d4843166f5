"""A curve on a plot: as marks while its points can be told apart, as a line above that, thinned to the pixels.

It stays quick at a million points: only what is in view is drawn.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QObject
from PyQt6.QtGui import QPen

from curvesieve.app.plotting.dots import Dots
from curvesieve.app.plotting.plot import Plot
from curvesieve.core.envelope import envelope

Floats = NDArray[np.float64]
_FEW = 4000
"""Below this many points a line is handed over whole."""
_DENSE = 600
"""Above so many measured points their line is drawn thin."""
_TANGLED = 100
"""A line that turns back so often is a thicket: smooth edges would take Qt a fifth of a second."""
MOST_MARKS = 200
"""So many points in sight can be told apart."""
_MARK_PX = 5.0


class Trace(QObject):
    """One line. `set` gives it data coordinates; it redraws itself when the view moves."""

    def __init__(self, plot: Plot, z: float = 0.0) -> None:
        super().__init__(plot)
        self.plot = plot
        self.item = pg.PlotCurveItem(connect="finite", skipFiniteCheck=False)
        self.item.setZValue(z)
        self.item.setSegmentedLineMode("off")
        plot.addItem(self.item, ignoreBounds=True)
        self.dots: Dots | None = None
        self._x = self._y = np.empty(0)
        self._u: Floats | None = None
        self._rising = True
        self._tangled = False
        self._measured = False
        self._pen = QPen()
        plot.box.sigXRangeChanged.connect(self._moved)
        plot.box.sigResized.connect(self._moved)

    def set(self, x: Floats, y: Floats, pen: QPen, measured: bool = False, u: Floats | None = None) -> None:
        """New points, in data coordinates, and the pen to draw them with.

        Measured ones are drawn as marks, with bars of length u to both sides, while they are few.
        """
        if x is not self._x:
            steps = np.diff(x)
            self._rising = bool(x.size < 2 or np.all(steps >= 0))
            turns = 0 if self._rising else int(np.count_nonzero(steps[1:] * steps[:-1] < 0))
            self._tangled = turns > _TANGLED
        self._x, self._y, self._u, self._measured = x, y, u, measured
        # Qt paints a line of width one thirty times sooner than a wider one; where points are dense, nobody sees it.
        self._pen = QPen(pen)
        if x.size > (_DENSE if measured else _FEW):
            self._pen.setWidthF(1.0)
        self.item.opts["antialias"] = x.size <= _FEW and not self._tangled
        self.item.setPen(self._pen)
        self.redraw()

    def clear(self) -> None:
        self.set(np.empty(0), np.empty(0), self._pen)

    @property
    def size(self) -> int:
        """How many points it has."""
        return int(self._x.size)

    @property
    def as_marks(self) -> bool:
        """Whether the points are drawn one by one at the moment."""
        return self.dots is not None and self.dots.x.size > 0

    def _moved(self) -> None:
        if self._rising and (self._x.size > _FEW or (self._measured and self._x.size > MOST_MARKS)):
            self.redraw()

    def redraw(self) -> None:
        x, y, u = self._x, self._y, self._u
        if self._measured and x.size:
            seen = self._seen()
            if seen.stop - seen.start <= MOST_MARKS:
                self.item.setData([], [])
                self._mark(x[seen], y[seen], None if u is None else u[seen])
                return
        if self.dots is not None:
            self.dots.clear()
        if x.size > _FEW and self._rising:
            low, high = (self.plot.unmap_x(edge) for edge in self.plot.box.viewRange()[0])
            x, y = envelope(x, y, low, high, max(int(self.plot.box.width()), 200))
        self.item.setData(np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y, x)))

    def _seen(self) -> slice:
        """The points between the edges of the picture; all, where x turns back or few are there anyway."""
        if not self._rising or self._x.size <= MOST_MARKS:
            return slice(0, self._x.size)
        low, high = (self.plot.unmap_x(edge) for edge in self.plot.box.viewRange()[0])
        return slice(int(np.searchsorted(self._x, low)), int(np.searchsorted(self._x, high, side="right")))

    def _mark(self, x: Floats, y: Floats, u: Floats | None) -> None:
        if self.dots is None:
            self.dots = Dots(self.item.zValue())
            self.plot.addItem(self.dots, ignoreBounds=True)
        ends = (None, None) if u is None else (self.plot.map_y(y - u, x), self.plot.map_y(y + u, x))
        place = np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y, x))
        self.dots.set(*place, _MARK_PX, self._pen.color(), *ends)
