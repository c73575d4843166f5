"""The catch strip: what the step in hand held back, or the residual of the model, under the main plot."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QAbstractListModel, QModelIndex, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QListView, QSizePolicy, QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.dots import Dots
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.fold import FoldButton, Pane
from curvesieve.core.models import Model
from curvesieve.core.models.drawing import residual
from curvesieve.core.steps import Trail

Floats = NDArray[np.float64]
_MOST_Y = 1e300
_MAX_DOTS = 20_000
_LEAST_PX = 84
_MAX_LISTED = 2000
"""Nobody walks further than this along a list; the strip's title counts them all."""


class CatchList(QAbstractListModel):
    """The caught points, one row each, made as text only when a row is looked at."""

    def __init__(self) -> None:
        super().__init__()
        self.x = self.y = np.empty(0)

    def fill(self, x: Floats, y: Floats) -> None:
        self.beginResetModel()
        self.x, self.y = x[:_MAX_LISTED], y[:_MAX_LISTED]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else int(self.x.size)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role == Qt.ItemDataRole.DisplayRole and index.isValid():
            return f" {self.x[index.row()]:.6g},  {self.y[index.row()]:.5g}  "
        return None


def _same_x(trail: Trail) -> bool:
    same = (trail.before.y_unit, trail.before.y_label) == (trail.after.y_unit, trail.after.y_label)
    return same and bool(np.array_equal(trail.before.x, trail.after.x))


class CatchStrip(QWidget):
    """A title, a plot that shares the main plot's x axis, and the list of what was caught."""

    point_chosen = pyqtSignal(float)

    def __init__(self, main: Plot) -> None:
        super().__init__()
        self.title = FoldButton("CATCH", "the catch strip")
        self.title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.title.turned.connect(lambda folded: self._settle())
        self._empty = False
        self.plot = Plot()
        self.plot.setXLink(main)
        self.plot.axes["bottom"].setStyle(showValues=False)
        self.plot.axes["bottom"].setHeight(8)
        self.plot.box.setMouseEnabled(x=True, y=False)
        self.zero = pg.InfiniteLine(pos=0, angle=0)
        self.plot.addItem(self.zero, ignoreBounds=True)
        self.stems = pg.PlotCurveItem(connect="pairs")
        self.line = Trace(self.plot)
        self.dots = Dots()
        self.plot.addItem(self.stems, ignoreBounds=True)
        self.plot.addItem(self.dots, ignoreBounds=True)
        self.list_model = CatchList()
        self.list = QListView()
        self.list.setModel(self.list_model)
        self.list.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.list.setFlow(QListView.Flow.LeftToRight)
        self.list.setFixedHeight(40)
        self.list.setHorizontalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setToolTip("What was caught: x and y. Click one to go there.")
        for chosen in (self.list.clicked, self.list.activated):
            chosen.connect(lambda index: self.point_chosen.emit(float(self.list_model.x[index.row()])))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.title)
        self.body = QWidget()
        inside = QVBoxLayout(self.body)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.plot, 1)  # as wide as the main plot, so that x stands under x
        inside.addWidget(self.list)
        layout.addWidget(self.body, 1)
        self.pane: Pane | None = None
        self.restyle()

    def join(self, splitter: QSplitter) -> None:
        """Takes its place in the canvas, where it can fold to its title."""
        splitter.addWidget(self)
        self.pane = Pane(splitter, self, (self.body,), _LEAST_PX)

    def _settle(self) -> None:
        """Folds to the title when the user wants it, and when there is nothing to show."""
        if self.pane is not None:
            self.pane.fold(self.title.folded or self._empty)

    def restyle(self) -> None:
        self.plot.restyle()
        self.zero.setPen(pen("muted"))

    def show_scene(self, scene: Scene, model: Model, over_u: bool = False) -> None:
        """What the step in hand caught; the residual when the model is; else all that was caught on the way.

        `over_u`: residuals over the u of their points, as where these run over decades.
        """
        trail = scene.trail
        if trail is not None:
            points = trail.caught.points
            x, y = trail.before.x[points], trail.before.y[points]
            title = f"CATCH  ·  {trail.slot.rule.label}: {trail.message}"
            if not points.size and trail.after.x.size == trail.before.x.size and _same_x(trail):
                self.show_taken(trail.before.x, trail.before.y - trail.after.y, title)
            else:
                self.show_caught(x, y, y - trail.caught.passed_y, title)
        elif model.terms:
            over_u = over_u and scene.made.curve.u is not None
            x, r = residual(model, scene.made.curve, over_u=over_u)
            of = "model" if scene.fit is not None else "start"
            self.show_residual(x, r, f"CATCH  ·  residual of the {of}" + (", over u" if over_u else ""))
        elif scene.caught_x.size:
            self.show_caught(scene.caught_x, scene.caught_y, np.full(scene.caught_x.size, np.nan), "CATCH")
        else:
            self.show_caught(np.empty(0), np.empty(0), np.empty(0), "CATCH  ·  nothing caught here")
        self._empty = not (self.dots.x.size or self.line.size)
        self._settle()

    def show_taken(self, x: Floats, taken: Floats, title: str) -> None:
        """What a step took away from every point, as a line."""
        self.title.set_words(title)
        self.list.hide()
        self.stems.setData([], [])
        self._dots(np.empty(0), np.empty(0), 3.5)
        self.line.set(x, taken, pen("rust", 1.3))
        self._fit_y(taken, symmetric=False)

    def _width_of_rows(self) -> int:
        """That of the widest of some hundred rows, so that long numbers do not run into one another."""
        count = self.list_model.rowCount()
        metrics = self.list.fontMetrics()
        some = {round(row) for row in np.linspace(0, count - 1, min(count, 300))}
        texts = (str(self.list_model.data(self.list_model.index(row))) for row in some)
        return max((metrics.horizontalAdvance(text) for text in texts), default=0) + 14

    def show_residual(self, x: Floats, residual: Floats, title: str) -> None:
        """The residual of the model at its points, as dots about zero."""
        self.title.set_words(title)
        self.line.clear()
        self.list.hide()
        self.stems.setData([], [])
        stride = max(1, x.size // _MAX_DOTS)
        self._dots(x[::stride], residual[::stride], 3.5)
        self._fit_y(residual, symmetric=True)

    def show_caught(self, x: Floats, y: Floats, excess: Floats, title: str) -> None:
        """Caught points: how far each stood from what passed (a stem), or just where it was (a dot)."""
        self.title.set_words(title)
        self.line.clear()
        self.list_model.fill(x, y)
        self.list.setGridSize(QSize(self._width_of_rows(), 24))
        self.list.setVisible(bool(x.size))
        heights = np.where(np.isfinite(excess), excess, y)
        mapped = np.asarray(self.plot.map_x(x))
        few = x.size <= _MAX_DOTS
        stems = np.isfinite(excess).all() and x.size and few
        self.stems.setData(
            *((np.repeat(mapped, 2), np.column_stack([np.zeros(x.size), heights]).ravel()) if stems else ([], []))
        )
        self.stems.setPen(pen("rust", 1.2))
        stride = max(1, x.size // _MAX_DOTS)
        self._dots(x[::stride], heights[::stride], 7 if stems else 4)
        self._fit_y(heights, symmetric=False)

    def _dots(self, x: Floats, y: Floats, size: float) -> None:
        good = np.abs(y) < _MOST_Y  # a wild start has residuals that no picture can hold
        self.dots.set(np.asarray(self.plot.map_x(x))[good], y[good], size, colour("rust"), None, None)

    def _fit_y(self, y: Floats, symmetric: bool) -> None:
        finite = y[np.isfinite(y)]
        if not finite.size:
            self.plot.setYRange(-1, 1, padding=0.1)
            return
        low, high = min(float(finite.min()), 0.0), max(float(finite.max()), 0.0)
        if symmetric:
            high = max(-low, high)
            low = -high
        if low == high:
            low, high = low - 1, high + 1
        self.plot.setYRange(low, high, padding=0.12)
