"""Gestures on a plot are offered to tools, one after the other, until one takes them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QObject, QPoint

from curvesieve.app.plotting.plot import Plot
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.curve import Floats


class Tool:
    """What a part of a bench does with gestures. All places are in data coordinates; True says that it was taken."""

    def double_click(self, x: float, y: float) -> bool:
        return False

    def band(self, low: float, high: float, finished: bool) -> bool:
        """Shift+drag over a stretch of x."""
        return False

    def gap(self, low: float, high: float, finished: bool) -> bool:
        """Ctrl+Shift+drag over a stretch of x."""
        return False

    def lasso(self, x: Floats, y: Floats) -> bool:
        """Alt+drag around something: the corners of the outline."""
        return False

    def menu(self, x: float, y: float) -> list[MenuRow]:
        """What a right click there offers."""
        return []


class Toolbox(QObject):
    """The tools of a plot in the order in which they are asked; the menu has the rows of all."""

    def __init__(self, plot: Plot, tools: Sequence[Tool]) -> None:
        super().__init__(plot)
        self.plot, self.tools = plot, tuple(tools)
        box = plot.box
        box.double_clicked.connect(self._double_clicked)
        box.band_dragged.connect(self._band_dragged)
        box.gap_dragged.connect(self._gap_dragged)
        box.lassoed.connect(self._lassoed)
        box.menu_asked.connect(self._open_menu)

    def _double_clicked(self, x: float, y: float) -> None:
        place = self.plot.unmap(x, y)
        any(tool.double_click(*place) for tool in self.tools)

    def _band_dragged(self, low: float, high: float, finished: bool) -> None:
        ends = self.plot.unmap_x(low), self.plot.unmap_x(high)
        any(tool.band(*ends, finished) for tool in self.tools)

    def _gap_dragged(self, low: float, high: float, finished: bool) -> None:
        ends = self.plot.unmap_x(low), self.plot.unmap_x(high)
        any(tool.gap(*ends, finished) for tool in self.tools)

    def _lassoed(self, outline: list[tuple[float, float]]) -> None:
        corners = np.array([self.plot.unmap(x, y) for x, y in outline])
        any(tool.lasso(corners[:, 0], corners[:, 1]) for tool in self.tools)

    def _open_menu(self, x: float, y: float, at: QPoint) -> None:
        place = self.plot.unmap(x, y)
        menu_of(self.plot, [row for tool in self.tools for row in tool.menu(*place)]).popup(at)
