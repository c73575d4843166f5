"""What is drawn on the main plot: curves before and after, rings, the model's lines, the stretch of a reading."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainterPath, QPen
from PyQt6.QtWidgets import QGraphicsPathItem

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.shapes import Drawing
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.theme.tokens import colour, palette
from curvesieve.core.curve import Curve
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.models import Model
from curvesieve.core.models.drawing import ModelLines, width_of
from curvesieve.core.shapes import Shape, Words
from curvesieve.core.study.outcomes import Outcomes

_TRIFLE, _FILL_ALPHA = 0.01, 34
"""A peak is filled where it is above this share of its height, so faintly that the points are seen through it."""
_MOST_RINGS = 40
"""More points than these are marked small, or their rings would hide the curve."""


class Layers:
    """The items of the main plot that the user looks at but does not take hold of."""

    def __init__(self, plot: Plot) -> None:
        self.plot = plot
        self.ghost, self.ink = Trace(plot, 0), Trace(plot, 10)
        self.drawing, self.measured, self.words = Drawing(plot), Drawing(plot, faint=True), Drawing(plot)
        self._said: dict[str, Words] = {}
        """The words at the drawings of measures, by their slots."""
        self.names: tuple[Words, ...] = ()
        """Names of other curves, which keep out of the way of these words."""
        self.background, self.total = Trace(plot, 25), Trace(plot, 30)
        self.peaks: dict[int, Trace] = {}
        self.filled = QGraphicsPathItem()
        self.filled.setZValue(5)
        plot.addItem(self.filled, ignoreBounds=True)
        self.rings = pg.ScatterPlotItem(size=9, symbol="o", pxMode=True)
        self.rings.setZValue(15)
        plot.addItem(self.rings, ignoreBounds=True)
        self.below = pg.ScatterPlotItem(size=9, symbol="t", pxMode=True)
        self.below.setZValue(14)
        self._below_x = np.empty(0)
        plot.addItem(self.below, ignoreBounds=True)
        plot.box.sigRangeChanged.connect(lambda *_: self._place_below())
        self.spot = pg.LinearRegionItem(movable=False)
        self.spot.setZValue(-30)
        self.spot.hide()
        plot.addItem(self.spot, ignoreBounds=True)

    def clear(self) -> None:
        for trace in (self.ghost, self.ink, self.background, self.total, *self.peaks.values()):
            trace.clear()
        self.filled.setPath(QPainterPath())
        self.drawing.show(())
        self.measured.show(())
        self._said, self.names = {}, ()
        self.words.show(())
        self.rings.setData([], [])
        self._below_x = np.empty(0)
        self._place_below()
        self.spot.hide()

    def show_curves(self, scene: Scene) -> None:
        """The curve before in grey, after in ink, and rings around what was caught."""
        if scene.before is None:
            self.ghost.clear()
        else:
            self.ghost.set(scene.before.x, scene.before.y, pen("ghost", 1.3), measured=True)
        self.ink.set(scene.after.x, scene.after.y, pen("ink", 1.3), measured=True, u=scene.after.u)
        after = scene.after
        lost = np.isnan(np.asarray(self.plot.map_y(after.y, after.x), dtype=float))
        self._below_x = np.asarray(self.plot.map_x(after.x[lost]), dtype=float)
        self._place_below()
        self.show_readings(scene.measured, scene.measure.id if scene.measure is not None else "")
        if scene.measure is None:
            self.drawing.show(scene.shapes)
        few = scene.caught_x.size <= _MOST_RINGS
        self.rings.setData(
            size=9 if few else 4,
            x=np.asarray(self.plot.map_x(scene.caught_x)),
            y=np.asarray(self.plot.map_y(scene.caught_y, scene.caught_x)),
            pen=pen("rust", 1.8 if few else 1.0), brush=None,
        )  # fmt: skip

    def _place_below(self) -> None:
        """Points that have no place on the axes, as those at zero on a logarithmic one, stand at the lower edge."""
        x = self._below_x[np.isfinite(self._below_x)]
        if not x.size and not len(self.below.data):
            return
        low, high = self.plot.box.viewRange()[1]
        self.below.setData(x, np.full(x.size, low + 0.015 * (high - low)), pen=pen("rust", 1.2), brush=None)

    def show_readings(self, measured: Outcomes, in_hand: str) -> None:
        """What measures drew, that of the one in hand stronger; each with its first reading in words."""
        self.drawing.show(tuple(shape for one in measured if one.slot.id == in_hand for shape in one.shapes))
        self.measured.show(tuple(shape for one in measured if one.slot.id != in_hand for shape in one.shapes))
        self._said = {one.slot.id: words for one in measured if (words := one.words) is not None}
        self.show_words()

    def show_words(self) -> None:
        """The words of readings and the names of other curves, none on another."""
        self.words.show((*self._said.values(), *self.names))

    def show_reading(self, one: Outcome) -> None:
        """What the measure in hand would draw while it is dragged."""
        self.drawing.show(one.shapes)
        words = one.words
        self._said = {key: said for key, said in self._said.items() if key != one.slot.id}
        self._said |= {one.slot.id: words} if words is not None else {}
        self.show_words()

    def show_preview(self, after: Curve, shapes: tuple[Shape, ...]) -> None:
        """What a step that is being dragged would do."""
        self.ink.set(after.x, after.y, pen("ink", 1.3), measured=True, u=after.u)
        self.drawing.show(shapes)

    def show_model(self, lines: ModelLines | None, chosen: int) -> None:
        """The model's sum, its background and its peaks, the chosen one stronger; None takes them away."""
        numbers = {number for number, _ in lines.peaks} if lines else set()
        for number in set(self.peaks) - numbers:
            self.peaks.pop(number).clear()
        if lines is None:
            self.total.clear()
            self.background.clear()
            self.filled.setPath(QPainterPath())
            return
        for number, y in lines.peaks:
            if number not in self.peaks:
                self.peaks[number] = Trace(self.plot, 24)
            here = number == chosen
            self.peaks[number].set(lines.x, y, pen("violet", 2.4 if here else 1.0, alpha=255 if here else 150))
        self._fill(lines)
        if lines.background is not None:
            self.background.set(lines.x, lines.background, pen("verdigris", 1.6, dashed=True))
        else:
            self.background.clear()
        self.total.set(lines.x, lines.total, pen("violet", 2.0))

    def _fill(self, lines: ModelLines) -> None:
        """Each peak filled down to what it stands on, where it is more than a trifle of its height."""
        base = np.zeros(lines.x.size) if lines.background is None else lines.background
        xs: list[np.ndarray] = []
        ys: list[np.ndarray] = []
        for _, y in lines.peaks:
            with np.errstate(all="ignore"):  # a model at a start beyond all numbers
                over = np.nan_to_num(np.abs(y - base), nan=0.0, posinf=0.0)
            seen = np.flatnonzero(over > _TRIFLE * float(over.max(initial=0.0)))
            if seen.size < 2 or not float(over.max()) > 0:
                continue
            part = slice(int(seen[0]), int(seen[-1]) + 1)
            xs += [lines.x[part], lines.x[part][::-1], np.array([np.nan])]
            ys += [y[part], base[part][::-1], np.array([np.nan])]
        path = QPainterPath()
        if xs:
            all_x, all_y = np.concatenate(xs), np.concatenate(ys)
            x, y = np.asarray(self.plot.map_x(all_x)), np.asarray(self.plot.map_y(all_y, all_x))
            path = pg.arrayToQPath(x, y, connect="finite")
        path.setFillRule(Qt.FillRule.WindingFill)
        self.filled.setPen(QPen(Qt.PenStyle.NoPen))
        self.filled.setBrush(colour("violet", _FILL_ALPHA))
        self.filled.setPath(path)

    def mark_reading(self, model: Model, peak: int) -> None:
        """A straw band over the full width of the peak whose reading is in hand (0: none)."""
        if peak not in {placed.number for placed in model.peaks}:
            self.spot.hide()
            return
        placed = model.term_numbered(peak)
        center, fwhm = placed.parameters["center"].start, width_of(placed)
        edges = (center - fwhm / 2, center + fwhm / 2)
        self.spot.setRegion([float(self.plot.map_x(edge)) for edge in edges])
        self.spot.setBrush(pg.mkBrush(colour("straw", 70 if palette().name == "light" else 36)))
        self.spot.show()
