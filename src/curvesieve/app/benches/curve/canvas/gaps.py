"""Stretches that the fit leaves out: drawn with Ctrl+Shift+drag, taken in again by drawing over them."""

from __future__ import annotations

from collections.abc import Sequence

import pyqtgraph as pg

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour

Gaps = tuple[tuple[float, float], ...]


def redrawn(gaps: Gaps, low: float, high: float) -> Gaps:
    """The gaps with a new one; where it touches old ones, those are taken in again instead."""
    kept = tuple(gap for gap in gaps if gap[1] < low or gap[0] > high)
    return kept if len(kept) < len(gaps) else tuple(sorted((*gaps, (low, high))))


class GapMarks:
    """Grey stretches over the plot."""

    def __init__(self, plot: Plot) -> None:
        self.plot = plot
        self.items: list[pg.LinearRegionItem] = []

    def show(self, gaps: Sequence[tuple[float, float]]) -> None:
        while len(self.items) < len(gaps):
            item = pg.LinearRegionItem(movable=False)
            item.setZValue(-25)
            self.plot.addItem(item, ignoreBounds=True)
            self.items.append(item)
        for item, gap in zip(self.items, gaps, strict=False):
            item.setRegion([float(self.plot.map_x(edge)) for edge in gap])
            item.setBrush(pg.mkBrush(colour("ghost", 90)))
            for line in item.lines:
                line.setPen(pen("ghost", 1.0))
            item.show()
        for item in self.items[len(gaps) :]:
            item.hide()
