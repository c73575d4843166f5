"""The shapes of a rule on a plot: lines, points, fills and words, each in the colour of what it stands for."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtGui import QPen

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.shapes import Fill, Line, Point, Shape, Words

_COLOURS = {"taken": "rust", "construction": "violet", "result": "violet", "aid": "muted"}
_DASHED = ("taken", "aid")
_ABOVE = 12


class Drawing:
    """What is drawn for a rule. Nothing of it can be taken hold of, and none of it sets the ranges of the axes."""

    def __init__(self, plot: Plot) -> None:
        self.plot = plot
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
            trace.set(line.x, line.y, _pen(line))
        self.items = [self._item(shape) for shape in shapes if not isinstance(shape, Line)]
        for item in self.items:
            item.setZValue(_ABOVE)
            self.plot.addItem(item, ignoreBounds=True)

    def _item(self, shape: Point | Fill | Words) -> Any:
        name = _COLOURS[shape.role]
        match shape:
            case Point(x, y):
                place = [[float(v)] for v in self._mapped(x, y)]
                return pg.ScatterPlotItem(*place, size=9, symbol="o", pen=_pen(shape), brush=pg.mkBrush(colour("card")))
            case Fill(x, low, high):
                edges = [pg.PlotCurveItem(*self._mapped(x, y), pen=None) for y in (low, high)]
                return pg.FillBetweenItem(*edges, brush=pg.mkBrush(colour(name, 40)))
        text = pg.TextItem(shape.text, color=colour(name), anchor=(0, 1))
        text.setFont(font(13))
        text.setPos(*(float(v) for v in self._mapped(shape.x, shape.y)))
        return text

    def _mapped(self, x: Any, y: Any) -> tuple[Any, Any]:
        return np.asarray(self.plot.map_x(x)), np.asarray(self.plot.map_y(y))


def _pen(shape: Shape) -> QPen:
    return pen(_COLOURS[shape.role], 1.8, dashed=shape.role in _DASHED)
