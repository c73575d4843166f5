"""Candidates for peaks on the main plot: bells drawn faintly, with a mark each that is clicked to keep or drop it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour
from curvesieve.core.curve import Curve

if TYPE_CHECKING:
    from curvesieve.core.peaks.candidates import Candidates

_SIZE_PX, _NEAR_PX = 13, 12.0


class Ghosts(QObject):
    """Kept candidates have a filled mark, dropped ones an open cross. `chosen` tells the place of the one clicked."""

    chosen = pyqtSignal(int)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self.plot = plot
        self.kept, self.dropped = pg.PlotCurveItem(), pg.PlotCurveItem()
        self.marks = pg.ScatterPlotItem(pxMode=True)
        for item, height in ((self.kept, 40), (self.dropped, 39), (self.marks, 62)):
            item.setZValue(height)
            plot.addItem(item, ignoreBounds=True)
        self.marks.sigClicked.connect(self._clicked)
        self._places: list[tuple[float, float]] = []

    def show(self, found: Candidates | None, curve: Curve | None) -> None:
        """Draws the candidates over a curve; none takes them away."""
        if not self._places and found is None:
            return  # nothing there, and nothing to come: the canvas asks at every refresh
        self._places = []
        if found is None or curve is None or not len(curve):
            self.kept.setData([], [])
            self.dropped.setData([], [])
            self.marks.setData([])
            return
        for item, kept in ((self.kept, True), (self.dropped, False)):
            x, y = found.outlines(curve, kept)
            item.setData(np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y, x)), connect="finite")
            item.setPen(pen("violet" if kept else "muted", 1.6 if kept else 1.0, dashed=not kept))
        order = np.argsort(curve.x, kind="stable")
        spots: list[dict[str, Any]] = []
        for place, one in enumerate(found.peaks):
            level = float(np.interp(one.center, curve.x[order], curve.y[order]))
            at = float(self.plot.map_x(one.center)), float(self.plot.map_y(level, one.center))
            self._places.append(at)
            kept = found.is_kept(place)
            spots.append(
                {
                    "pos": at, "data": place, "size": _SIZE_PX, "symbol": "t" if kept else "x",
                    "pen": pen("violet" if kept else "muted", 1.4),
                    "brush": pg.mkBrush(colour("violet" if kept else "card")),
                }
            )  # fmt: skip
        self.marks.setData(spots)

    def at(self, x: float, y: float) -> bool:
        """Whether a mark is under the pointer there, in data coordinates."""
        across, up = self.plot.box.viewPixelSize()
        u, v = float(self.plot.map_x(x)), float(self.plot.map_y(y, x))
        return any(np.hypot((u - a) / across, (v - b) / up) <= _NEAR_PX for a, b in self._places)

    def _clicked(self, item: Any, points: Any, event: Any) -> None:
        if len(points):
            self.chosen.emit(int(points[0].data()))
