"""The band on the canvas: a stretch of x with two edges to drag."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour


class Band(QObject):
    """Edges in data coordinates. `dragged` fires while an edge moves, `finished` when it is let go."""

    dragged = pyqtSignal(float, float)
    finished = pyqtSignal(float, float)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self.plot = plot
        self.item = pg.LinearRegionItem(swapMode="sort")
        self.item.setZValue(-20)
        for line in self.item.lines:
            line.addMarker("<|>", 0.5, 7.0)
        plot.addItem(self.item, ignoreBounds=True)
        self.item.sigRegionChanged.connect(lambda: self.dragged.emit(*self.edges()))
        self.item.sigRegionChangeFinished.connect(lambda: self.finished.emit(*self.edges()))
        self.item.setMovable(True)
        # Dragging inside the band pans the plot as everywhere else; only the edges are taken hold of.
        self.item.mouseDragEvent = lambda event: event.ignore()
        self.item.hoverEvent = lambda event: None
        self.restyle()
        self.hide()

    def restyle(self) -> None:
        self.item.setBrush(pg.mkBrush(colour("verdigris", 13)))
        for line in self.item.lines:
            line.setPen(pen("muted"))
            line.setHoverPen(pen("verdigris", 3))

    def edges(self) -> tuple[float, float]:
        low, high = self.item.getRegion()
        return self.plot.unmap_x(low), self.plot.unmap_x(high)

    def show(self, low: float, high: float) -> None:
        """Draws the band without reporting it as dragged."""
        self.item.blockSignals(True)
        self.item.setRegion((float(self.plot.map_x(low)), float(self.plot.map_x(high))))
        self.item.blockSignals(False)
        self.item.setVisible(True)

    def hide(self) -> None:
        self.item.setVisible(False)
