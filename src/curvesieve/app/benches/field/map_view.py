"""The field as a map: colours, lines of equal z with their values, points, slices that are dragged."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent

from curvesieve.app.plotting.dots import Dots
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.fields.contours import Line
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.points import Names
from curvesieve.core.fields.slices import SliceSpec

Floats = NDArray[np.float64]
_NEAR_PX = 7.0
_MOST_NAMED = 24
_LEAST_APART = 0.05
"""Values of lines are so far from one another, in shares of the picture."""
_BIG_DOT_PX, _DOT_PX = 4.5, 2.0
_MANY = 2_000
MOST_DRAWN = 3_000
"""Of more points one in two, three … is drawn on the map."""
MOST_COLOURED = 5_000


class FieldMap(Plot):
    """`pointed` has the place under the pointer or None; `slid` a slice's number and where it is dragged to.

    `drawn` has the ends of a line that was drawn with Shift; `picked` a place that was clicked, `taken` a slice.
    """

    pointed = pyqtSignal(object)
    slid = pyqtSignal(int, float, bool)
    drawn = pyqtSignal(float, float, float, float)
    picked = pyqtSignal(float, float)
    taken = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.image = pg.ImageItem()
        self.addItem(self.image, ignoreBounds=True)
        self.lines = pg.PlotCurveItem(connect="finite")
        self.beyond = pg.ImageItem()
        self.halo, self.dots, self.places = Dots(5), Dots(6), Dots(9)
        self.draft = pg.PlotCurveItem()
        self.coloured = pg.ScatterPlotItem()
        for z, item in enumerate(
            (self.lines, self.beyond, self.halo, self.dots, self.places, self.draft, self.coloured), 2
        ):
            item.setZValue(z)
            self.addItem(item, ignoreBounds=True)
        self._words: list[pg.TextItem] = []
        self._slices: list[pg.PlotCurveItem] = []
        self.specs: tuple[SliceSpec, ...] = ()
        self._in_hand = -1
        self._drag: tuple[str, int, QPointF] | None = None
        self._extent: tuple[float, float, float, float] | None = None
        self.pointer_moved.connect(self.pointed)
        self.setAccessibleName("the field as a map")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.leave_room_above(8)

    def show_grid(self, grid: Grid, rgb: NDArray[np.uint8], names: Names) -> None:
        """Draws colours, of shape (rows, columns, 4), that stand in even steps over the grid: see `Grid.evenly`."""
        self.image.setImage(rgb, levels=(0, 255))
        self.image.setRect(_room(grid, rgb))
        self.show_extent(grid.x, grid.y, names)

    def show_extent(self, x: Floats, y: Floats, names: Names) -> None:
        """Labels the axes, and shows all of the field where it extends over other places than before."""
        extent = (float(x.min()), float(x.max()), float(y.min()), float(y.max()))
        self.set_labels(units.labelled(names.x, names.x_unit), units.labelled(names.y, names.y_unit))
        wide, high = extent[1] - extent[0], extent[3] - extent[2]
        alike = names.x_unit == names.y_unit and 0 < max(wide, high) < 5 * min(wide, high)
        self.box.setAspectLocked(alike)
        if extent != self._extent:
            self._extent = extent
            self.show_all()

    def show_all(self) -> None:
        """The whole field."""
        if self._extent is not None:
            x0, x1, y0, y1 = self._extent
            self.box.setRange(xRange=(x0, x1), yRange=(y0, y1), padding=0.03)

    def show_no_grid(self) -> None:
        self.image.clear()
        self.beyond.clear()

    def show_beyond(self, grid: Grid, off: NDArray[np.bool_] | None) -> None:
        """Marks nodes that lie beyond their neighbours; None marks nothing."""
        if off is None or not off.any():
            self.beyond.clear()
            return
        off = grid.evenly(off.astype(np.float64)) >= 0.5
        rgb = np.zeros((*off.shape, 4), np.uint8)
        rgb[off] = (*colour("rust").getRgb()[:3], 255)
        self.beyond.setImage(rgb, levels=(0, 255))
        self.beyond.setRect(_room(grid, rgb))

    def show_lines(self, lines: tuple[Line, ...], named: bool) -> None:
        """Lines of equal z, the longest of each level with its value."""
        for word in self._words:
            self.removeItem(word)
        self._words = []
        gap = np.full((1, 2), np.nan)
        parts = [part for line in lines for part in (line.places, gap)]
        places = np.concatenate(parts) if parts else np.empty((0, 2))
        self.lines.setData(places[:, 0], places[:, 1])
        self.lines.setPen(pen("ink", 1.0, alpha=120))
        longest: dict[float, Line] = {}
        for line in lines:
            if line.level not in longest or len(line.places) > len(longest[line.level].places):
                longest[line.level] = line
        wide, high = (max(abs(b - a), 1e-300) for a, b in self.box.viewRange())
        scale, taken = np.array([wide, high]), np.empty((0, 2))
        for line in list(longest.values())[: _MOST_NAMED if named else 0]:
            # where along the line there is most room from the values that stand already
            tried = line.places[:: max(len(line.places) // 24, 1)] / scale
            off = (
                np.hypot(*(tried[:, None] - taken[None]).transpose(2, 0, 1)).min(axis=1)
                if len(taken)
                else np.zeros(len(tried))
            )
            place = tried[int(off.argmax())] if len(taken) else tried[len(tried) // 3]
            if len(taken) and off.max() < _LEAST_APART:
                continue
            taken = np.concatenate([taken, place[None]])
            word = pg.TextItem(f"{line.level:.10g}", color=colour("ink"), anchor=(0.5, 0.5), fill=colour("card", 190))
            word.setFont(font(12))
            word.textItem.document().setDocumentMargin(1)
            word.setPos(*(place * scale))
            word.setZValue(7)
            self.addItem(word, ignoreBounds=True)
            self._words.append(word)

    def show_points(self, x: Floats, y: Floats) -> None:
        """The measured places: white with a dark edge, so that they are seen on any colour."""
        self.coloured.clear()
        thin = one_in(x.size, MOST_DRAWN)
        x, y = x[::thin], y[::thin]
        many = x.size > _MANY
        self.halo.set(x, y, _DOT_PX if many else _BIG_DOT_PX, colour("ink"), None, None)
        if many:
            self.dots.clear()
        else:
            self.dots.set(x, y, _BIG_DOT_PX - 2, colour("card"), None, None)

    def show_faint(self, x: Floats, y: Floats) -> None:
        """All places, faintly, behind those in colours."""
        self.halo.set(x, y, _DOT_PX, colour("ghost"), None, None)

    def show_coloured(self, x: Floats, y: Floats, rgb: NDArray[np.uint8]) -> None:
        """Points in colours of their own, of shape (n, 4); they stand in the place of the measured ones."""
        brushes = [pg.mkBrush(*(int(part) for part in one)) for one in rgb]
        self.coloured.setData(x, y, brush=brushes, pen=pen("ink", 0.6), size=8)

    def show_places(self, places: Floats | None) -> None:
        """Places that a reading speaks of."""
        if places is None or not len(places):
            self.places.clear()
        else:
            self.places.set(places[:, 0], places[:, 1], 9.0, colour("straw"), None, None)

    def show_slices(self, specs: tuple[SliceSpec, ...], in_hand: int) -> None:
        """Slices as dashed lines; the one in hand is drawn whole."""
        self.specs, self._in_hand = specs, in_hand
        while len(self._slices) > len(specs):
            self.removeItem(self._slices.pop())
        while len(self._slices) < len(specs):
            item = pg.PlotCurveItem()
            item.setZValue(8)
            self.addItem(item, ignoreBounds=True)
            self._slices.append(item)
        for number, (item, spec) in enumerate(zip(self._slices, specs, strict=True)):
            x, y = self._ends(spec)
            item.setData(np.array(x), np.array(y))
            made = pen(
                "straw" if number == in_hand else "card", 2.5 if number == in_hand else 1.6, dashed=number != in_hand
            )
            item.setPen(made)
            item.setShadowPen(pen("ink", made.widthF() + 1.4))

    def _ends(self, spec: SliceSpec) -> tuple[tuple[float, float], tuple[float, float]]:
        x0, x1, y0, y1 = self._extent or (0.0, 1.0, 0.0, 1.0)
        if spec.along == "x":
            return (x0, x1), (spec.at, spec.at)
        if spec.along == "y":
            return (spec.at, spec.at), (y0, y1)
        a, b, c, d = spec.ends
        return (a, c), (b, d)

    # -- the mouse ----------------------------------------------------------------------------------

    def _place(self, event: QMouseEvent) -> QPointF:
        found: QPointF = self.box.mapSceneToView(self.mapToScene(event.position().toPoint()))
        return found

    def _slice_at(self, event: QMouseEvent) -> int:
        """The slice under the pointer; −1: none."""
        here, at = event.position(), self._place(event)
        if not self.box.sceneBoundingRect().contains(self.mapToScene(here.toPoint())):
            return -1
        across, up = (abs(float(step)) or 1.0 for step in self.box.viewPixelSize())
        best, found = _NEAR_PX, -1
        for number, spec in enumerate(self.specs):
            (a, c), (b, d) = self._ends(spec)
            p = np.array([(at.x() - a) / across, (at.y() - b) / up])
            way = np.array([(c - a) / across, (d - b) / up])
            share = float(np.clip(p @ way / max(float(way @ way), 1e-300), 0, 1))
            off = float(np.hypot(*(p - share * way)))
            if off < best:
                best, found = off, number
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            super().mousePressEvent(event)
            return
        self.setFocus()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._drag = ("line", -1, self._place(event))
            event.accept()
            return
        number = self._slice_at(event)
        if number >= 0:
            self._drag = ("slice", number, self._place(event))
            self.taken.emit(number)
            event.accept()
            return
        self._drag = ("click", -1, event.position())
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._drag is None or self._drag[0] == "click":
            if event is not None and event.buttons() == Qt.MouseButton.NoButton:
                near = self._slice_at(event) >= 0
                self.viewport().setCursor(Qt.CursorShape.SizeAllCursor if near else Qt.CursorShape.CrossCursor)
            super().mouseMoveEvent(event)
            return
        here = self._place(event)
        what, number, start = self._drag
        if what == "line":
            self.draft.setData(np.array([start.x(), here.x()]), np.array([start.y(), here.y()]))
            self.draft.setPen(pen("straw", 2.5))
        elif self.specs[number].along != "line":
            self.slid.emit(number, here.y() if self.specs[number].along == "x" else here.x(), False)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if event is None or drag is None:
            super().mouseReleaseEvent(event)
            return
        what, number, start = drag
        here = self._place(event)
        if what == "line":
            self.draft.setData([], [])
            if (here - start).manhattanLength() > 0:
                self.drawn.emit(start.x(), start.y(), here.x(), here.y())
        elif what == "slice":
            if self.specs[number].along != "line" and here != start:
                self.slid.emit(number, here.y() if self.specs[number].along == "x" else here.x(), True)
        else:
            super().mouseReleaseEvent(event)
            if (event.position() - start).manhattanLength() < 4:
                self.picked.emit(here.x(), here.y())


def one_in(count: int, most: int) -> int:
    """Of how many points one is drawn, so that no more than so many are."""
    return max(1, -(-count // most))


def _room(grid: Grid, rgb: NDArray[np.uint8]) -> QRectF:
    """The place of a picture whose outer pixels have their middles at the outer nodes of a grid."""
    wide, high = float(grid.x[-1] - grid.x[0]), float(grid.y[-1] - grid.y[0])
    half_x, half_y = (
        0.5 * span / max(count - 1, 1) for span, count in zip((wide, high), rgb.shape[1::-1], strict=True)
    )
    return QRectF(grid.x[0] - half_x, grid.y[0] - half_y, wide + 2 * half_x, high + 2 * half_y)
