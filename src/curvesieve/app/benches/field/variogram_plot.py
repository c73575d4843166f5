"""The variogram of the points with its law; range, nugget and sill are dragged."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal

from curvesieve.app.plotting.dots import Dots
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour
from curvesieve.core.fields.points import Names
from curvesieve.core.fields.ways.kriging import Kriged

_HEIGHT_PX = 150


class VariogramPlot(Plot):
    """`dragged` has the name of a field of the way (`range`, `nugget`, `sill`) and where it was dragged to."""

    dragged = pyqtSignal(str, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT_PX)
        self.setAccessibleName("variogram of the points")
        self.setToolTip(
            "Half the mean squared difference of points by their distance; drag the lines of range, nugget and sill"
        )
        self.pairs, self.law = Dots(3), pg.PlotCurveItem()
        self.reach = pg.InfiniteLine(angle=90, movable=True)
        self.nugget, self.sill = (pg.InfiniteLine(angle=0, movable=True) for _ in range(2))
        self._nugget = 0.0
        for item in (self.pairs, self.law, self.reach, self.nugget, self.sill):
            self.addItem(item, ignoreBounds=True)
        for line, name in ((self.reach, "range"), (self.nugget, "nugget"), (self.sill, "sill")):
            line.setZValue(5)
            line.setCursor(Qt.CursorShape.SizeHorCursor if name == "range" else Qt.CursorShape.SizeVerCursor)
            line.sigPositionChangeFinished.connect(lambda line, name=name: self._drag_ended(name, float(line.value())))
        self.leave_room_above(6)

    def show_variogram(self, kriged: Kriged, names: Names) -> None:
        """The points' own variogram and its law."""
        h, gamma, _ = kriged.measured()
        law = kriged.law
        far = 1.05 * max(float(h.max()), min(law.range, 1.6 * float(h.max())))
        place = np.linspace(far / 400, far, 200)
        self.pairs.set(h, gamma, 5.0, colour("ink"), None, None)
        self.law.setData(place, law.at(place))
        self.law.setPen(pen("violet", 2.0))
        self._nugget = law.nugget
        top = law.nugget + law.sill
        for line, value in ((self.reach, law.range), (self.nugget, law.nugget), (self.sill, top)):
            line.setPen(pen("verdigris", 1.4, dashed=True))
            line.setHoverPen(pen("verdigris", 2.4))
            line.blockSignals(True)
            line.setValue(value)
            line.blockSignals(False)
        high = 1.1 * max(float(gamma.max()), float(law.at(np.array([far]))[0]))
        self.set_labels(f"distance ({names.x_unit})" if names.x_unit else "distance", "γ")
        self.box.setRange(xRange=(0, far), yRange=(0, high), padding=0.02)

    def _drag_ended(self, name: str, value: float) -> None:
        value = max(value, 0.0)
        if name == "sill":
            value = max(value - self._nugget, 0.0)
        if name != "range" or value > 0:
            self.dragged.emit(name, float(f"{value:.4g}"))
