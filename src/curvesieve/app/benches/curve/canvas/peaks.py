"""Handles on the peaks of a model: a crown for center and height, two shoulders for the width."""

from __future__ import annotations

from dataclasses import dataclass

import pyqtgraph as pg
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour

_OVER, _BESIDE = (0.5, 1.3), -0.2
"""Where a label hangs on its crown, in shares of its own size: over it, or so far to its right."""
_LABEL_PX = 30


@dataclass(frozen=True)
class Shape:
    """What the handles show of a peak: `base` is the rest of the model under its crown."""

    number: int
    center: float
    height: float
    fwhm: float
    base: float


class PeakHandles(QObject):
    """The three handles and the label of one peak. Signals carry the new (center, height, fwhm)."""

    dragged = pyqtSignal(int, float, float, float)
    finished = pyqtSignal(int, float, float, float)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self.plot = plot
        self.shape = Shape(0, 0.0, 0.0, 1.0, 0.0)
        self.crown = self._handle("o", 13)
        self.shoulders = (self._handle("d", 12), self._handle("d", 12))
        self.label = pg.TextItem(anchor=_OVER)
        self.label.setFont(font(14))
        plot.addItem(self.label, ignoreBounds=True)
        for moved in (plot.box.sigRangeChanged, plot.box.sigResized):
            moved.connect(self._place_label)
        self.crown.sigPositionChanged.connect(self._crown_moved)
        for shoulder in self.shoulders:
            shoulder.sigPositionChanged.connect(self._shoulder_moved)
        for handle in self._all():
            handle.sigPositionChangeFinished.connect(self._released)

    def _handle(self, symbol: str, size: int) -> pg.TargetItem:
        handle = pg.TargetItem(
            size=size, symbol=symbol, movable=True, pen=pen("violet", 1.6), hoverPen=pen("violet", 2.5),
            brush=pg.mkBrush(colour("card")), hoverBrush=pg.mkBrush(colour("straw")),
        )  # fmt: skip
        handle.setZValue(60)
        handle.setCursor(Qt.CursorShape.SizeAllCursor if symbol == "o" else Qt.CursorShape.SizeHorCursor)
        self.plot.addItem(handle, ignoreBounds=True)
        return handle

    def _all(self) -> tuple[pg.TargetItem, ...]:
        return (self.crown, *self.shoulders)

    def show(self, shape: Shape) -> None:
        """Places handles and label without reporting a drag."""
        self.shape = shape
        half = shape.base + shape.height / 2
        places = (
            (shape.center, shape.base + shape.height),
            (shape.center - shape.fwhm / 2, half),
            (shape.center + shape.fwhm / 2, half),
        )
        for handle, (x, y) in zip(self._all(), places, strict=True):
            handle.blockSignals(True)
            handle.setPos(float(self.plot.map_x(x)), float(self.plot.map_y(y, x)))
            handle.blockSignals(False)
        top = max(shape.base + shape.height, shape.base)
        self.label.setText(f"{shape.center:.5g}", color=colour("violet"))
        self.label.setPos(float(self.plot.map_x(shape.center)), float(self.plot.map_y(top, shape.center)))
        self._place_label()

    def _place_label(self) -> None:
        """Over the crown; beside it where the picture ends, or the number would be cut off."""
        box = self.plot.box
        above = box.mapViewToScene(self.label.pos()).y() - box.sceneBoundingRect().top()
        high = max(self.label.boundingRect().height(), 1.0)
        self.label.setAnchor((_BESIDE, min(0.5, above / high)) if 0 <= above < _LABEL_PX else _OVER)

    def remove(self) -> None:
        for moved in (self.plot.box.sigRangeChanged, self.plot.box.sigResized):
            moved.disconnect(self._place_label)
        for item in (*self._all(), self.label):
            self.plot.removeItem(item)
        self.deleteLater()

    def _place(self, handle: pg.TargetItem) -> tuple[float, float]:
        place = handle.pos()
        return self.plot.unmap(place.x(), place.y())

    def _crown_moved(self) -> None:
        x, y = self._place(self.crown)
        self._report(x, y - self.shape.base, self.shape.fwhm)

    def _shoulder_moved(self, handle: pg.TargetItem) -> None:
        x, _ = self._place(handle)
        self._report(self.shape.center, self.shape.height, max(2 * abs(x - self.shape.center), 1e-12))

    def _report(self, center: float, height: float, fwhm: float) -> None:
        self.show(Shape(self.shape.number, center, height, fwhm, self.shape.base))
        self.dragged.emit(self.shape.number, center, height, fwhm)

    def _released(self) -> None:
        s = self.shape
        self.finished.emit(s.number, s.center, s.height, s.fwhm)
