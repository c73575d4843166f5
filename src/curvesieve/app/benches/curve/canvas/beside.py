"""What stands beside the model on the main plot: bands of its uncertainty, and other models to compare it with."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPen

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.session.modelling import Overlay
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.fitting.prediction import Band

_COLOURS = ("verdigris", "rust", "muted", "ink", "violet")
_DASHES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


def overlay_pen(place: int) -> QPen:
    """The pen of a line by its place: colour and dash together, so that neither carries the meaning alone."""
    made = pen(_COLOURS[place % len(_COLOURS)], 1.8)
    made.setStyle(_DASHES[place % len(_DASHES)])
    return made


def letter(place: int) -> str:
    """``A``, ``B`` …: what a line is called on the plot and in the table."""
    return chr(ord("A") + place % 26)


class Beside:
    """The items; nothing of them can be taken hold of."""

    def __init__(self, plot: Plot) -> None:
        self.plot = plot
        self.edges = [pg.PlotCurveItem() for _ in range(4)]
        self.fill = pg.FillBetweenItem(self.edges[0], self.edges[1])
        self.fill.setZValue(20)
        plot.addItem(self.fill, ignoreBounds=True)
        for edge in self.edges:
            edge.setZValue(21)
            plot.addItem(edge, ignoreBounds=True)
        self.lines: list[Trace] = []
        self.letters: list[pg.TextItem] = []
        self.band: Band | None = None

    def show_band(self, band: Band | None) -> None:
        """The confidence band filled, the prediction band as dashed edges; None takes both away."""
        self.band = band
        self.fill.setVisible(band is not None)
        for edge in self.edges:
            edge.setVisible(band is not None)
        if band is None:
            return
        x = np.asarray(self.plot.map_x(band.x))
        halves = (-band.confidence, band.confidence, -band.prediction, band.prediction)
        for i, (edge, half) in enumerate(zip(self.edges, halves, strict=True)):
            edge.setData(x, np.asarray(self.plot.map_y(band.y + half, band.x)))
            edge.setPen(pen("violet", 1.0, dashed=i > 1, alpha=90 if i < 2 else 160))
        self.fill.setBrush(pg.mkBrush(colour("violet", 46)))

    def show_overlays(self, overlays: Sequence[Overlay]) -> None:
        """Lines with their letters at the right end."""
        for text in self.letters:
            self.plot.removeItem(text)
        self.letters = []
        while len(self.lines) < len(overlays):
            self.lines.append(Trace(self.plot, 32))
        for line in self.lines[len(overlays) :]:
            line.clear()
        for line, overlay in zip(self.lines, overlays, strict=False):
            line.set(overlay.x, overlay.y, overlay_pen(overlay.place))
            at = int(0.04 * (overlay.place + 1) * overlay.x.size)  # one beside the other, or they would hide each other
            text = pg.TextItem(
                letter(overlay.place), color=colour(_COLOURS[overlay.place % len(_COLOURS)]), anchor=(0.5, 1.1)
            )
            text.setFont(font(14, bold=True))
            text.setPos(float(self.plot.map_x(overlay.x[at])), float(self.plot.map_y(overlay.y[at], overlay.x[at])))
            text.setZValue(33)
            self.plot.addItem(text, ignoreBounds=True)
            self.letters.append(text)
