"""The shapes of a rule on a plot: lines, points, fills and words, each in the colour of what it stands for."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPen

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.shapes import Fill, Line, Point, Shape, Words

_COLOURS = {"taken": "rust", "construction": "violet", "result": "violet", "aid": "muted"}
_DASHED = ("taken", "aid")
_ABOVE = 12
_LIFTS = (0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5)
"""Where words may stand, in lines above their place, the first that is free."""


class Drawing:
    """What is drawn for a rule. Nothing of it can be taken hold of, and none of it sets the ranges of the axes."""

    def __init__(self, plot: Plot, faint: bool = False) -> None:
        self.plot, self.faint = plot, faint
        plot.box.sigRangeChanged.connect(lambda *_: self._keep_words_apart())
        plot.box.sigResized.connect(lambda *_: self._keep_words_apart())
        self.lines: list[Trace] = []
        self.items: list[Any] = []

    def show(self, shapes: tuple[Shape, ...]) -> None:
        """Draws these shapes in the place of those before."""
        for item in self.items:
            self.plot.removeItem(item)
        lines = [shape for shape in shapes if isinstance(shape, Line)]
        while len(self.lines) < len(lines):
            self.lines.append(Trace(self.plot, _ABOVE))
        for trace in self.lines[len(lines) :]:
            trace.clear()
        for trace, line in zip(self.lines, lines, strict=False):
            trace.set(line.x, line.y, self._pen(line))
        self.items = [self._item(shape) for shape in shapes if not isinstance(shape, Line)]
        for item in self.items:
            item.setZValue(_ABOVE)
            self.plot.addItem(item, ignoreBounds=True)
        self._keep_words_apart()

    def _keep_words_apart(self) -> None:
        """Moves words up or down that would lie on others, as the axes are now; none leaves the plot by that."""
        words = [item for item in self.items if isinstance(item, pg.TextItem)]
        if not words:
            return
        across, up = self.plot.box.viewPixelSize()
        (left, right), (_, top) = self.plot.box.viewRange()
        placed: list[QRectF] = []
        for item in words:
            size, place = item.boundingRect().size(), item.pos()
            x, y = (place.x() - left) / across, -place.y() / up
            beside = 1.0 if x + size.width() > (right - left) / across else 0.0
            box = QRectF(x - beside * size.width(), y - size.height(), size.width(), size.height())
            boxes = {lift: box.translated(0, -lift * size.height()) for lift in _LIFTS}
            inside = {lift: one for lift, one in boxes.items() if one.top() >= -top / up} or boxes
            free = [lift for lift, one in inside.items() if not any(one.intersects(other) for other in placed)]
            lifted = free[0] if free else next(iter(inside))
            placed.append(boxes[lifted])
            item.setAnchor((beside, 1.0 + lifted))

    def _item(self, shape: Point | Fill | Words) -> Any:
        name = _COLOURS[shape.role]
        match shape:
            case Point(x, y):
                place = [[float(v)] for v in self._mapped(x, y)]
                return pg.ScatterPlotItem(
                    *place, size=9, symbol="o", pen=self._pen(shape), brush=pg.mkBrush(colour("card"))
                )
            case Fill(x, low, high):
                edges = [pg.PlotCurveItem(*self._mapped(x, y), pen=None) for y in (low, high)]
                return pg.FillBetweenItem(*edges, brush=pg.mkBrush(colour(name, 24 if self.faint else 40)))
        text = pg.TextItem(shape.text, color=colour(name), anchor=(0, 1))
        text.setFont(font(13))
        text.setPos(*(float(v) for v in self._mapped(shape.x, shape.y)))
        return text

    def _mapped(self, x: Any, y: Any) -> tuple[Any, Any]:
        return np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y, x))

    def _pen(self, shape: Shape) -> QPen:
        return pen(_COLOURS[shape.role], 1.2 if self.faint else 1.8, dashed=shape.role in _DASHED)
