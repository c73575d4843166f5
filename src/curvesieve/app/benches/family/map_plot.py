"""The family as a map: x to the right, the condition upwards, y as colour."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QLinearGradient, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour, family_colours
from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.family.lifting import as_map
from curvesieve.core.study.standing import Standing, Stood

_ROWS = 400
_BAR_PX = 84


class MapPlot(Plot):
    """Draws a `Standing` as an image; a row reaches half way to its neighbours. `taken` has the id of a clicked row."""

    taken = pyqtSignal(str)
    told = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.image = pg.ImageItem()
        self.ends = (0.0, 1.0)
        """The least and the greatest y; of a logarithmic scale, their logarithms."""
        self._guides: list[object] = []
        self.ids: tuple[str, ...] = ()
        self.labels: tuple[str, ...] = ()
        self.places: Floats = np.empty(0)
        self.rows: Floats = np.empty((0, 0))
        self.addItem(self.image, ignoreBounds=True)
        self.setAccessibleName("the family as a map")
        self.leave_room_above(8)

    def show_standing(
        self, made: Standing, conditions: Sequence[float | None], name: str, logs: tuple[bool, bool], fresh: bool
    ) -> None:
        """Draws the curves; by their order where a condition is missing or doubled. A logarithmic y colours by log.

        On a logarithmic x the grid is even in its logarithm.
        """
        if logs[0] != self.log_x:
            self.set_log(logs[0], False)
            fresh = True
        order = list(range(len(made.curves)))
        known = [one for one in conditions if one is not None]
        by_order = len(known) < len(order) or len(set(known)) < len(known)
        places = np.array(order if by_order else known, dtype=float)
        try:
            grid, rows = as_map([self._drawn(one) for one in made.curves])
        except InputError:
            self.ids = ()
            self.image.clear()
            self.show_nothing()
            return
        self.ids, self.labels = tuple(one.id for one in made.curves), tuple(one.label for one in made.curves)
        self.places, self.rows = places, rows
        edges = _edges(places)
        at = np.linspace(edges[0], edges[-1], _ROWS, endpoint=False) + (edges[-1] - edges[0]) / (2 * _ROWS)
        row_of = np.clip(np.searchsorted(edges, at) - 1, 0, len(places) - 1)
        with np.errstate(all="ignore"):
            shown = np.log10(rows) if logs[1] else rows
        shown = np.where(np.isfinite(shown), shown, np.nan)
        low, high = (float(np.nanmin(shown)), float(np.nanmax(shown))) if np.isfinite(shown).any() else (0.0, 1.0)
        self.ends = (low, high)
        self.image.setImage(shown[row_of], levels=(low, high if high > low else low + 1.0))
        self.image.setLookupTable(_table())
        self.image.setRect(QRectF(grid[0], edges[0], grid[-1] - grid[0] or 1.0, edges[-1] - edges[0]))
        self.set_labels(
            units.labelled(made.x[0] or "x", made.x[1]), "curve, in order" if by_order else name or "condition"
        )
        if fresh:
            self.box.setRange(xRange=(float(grid[0]), float(grid[-1])), yRange=(edges[0], edges[-1]), padding=0.01)

    def _drawn(self, one: Stood) -> Curve:
        x = np.asarray(self.map_x(one.x))
        good = np.isfinite(x) & np.isfinite(one.y)
        return Curve(x[good], one.y[good])

    def show_guides(self, guides: Sequence[tuple[float, str]]) -> None:
        """Upright lines at x."""
        for item in self._guides:
            self.removeItem(item)
        self._guides = []
        for x, _ in guides:
            if self.log_x and x <= 0:
                continue
            line = pg.InfiniteLine(float(self.map_x(x)), angle=90, pen=pen("ink", 1.2, dashed=True))
            line.setZValue(4)
            self.addItem(line, ignoreBounds=True)
            self._guides.append(line)

    def row_at(self, y: float) -> int:
        """The row of a place on the condition; −1 outside."""
        edges = _edges(self.places) if self.places.size else np.empty(0)
        if not edges.size or not edges[0] <= y <= edges[-1]:
            return -1
        return int(np.clip(np.searchsorted(edges, y) - 1, 0, self.places.size - 1))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        moved = self.scene().dragItem is not None
        super().mouseReleaseEvent(event)
        if event is None or moved or event.button() != Qt.MouseButton.LeftButton:
            return
        view = self.box.mapSceneToView(self.mapToScene(event.position().toPoint()))
        row = self.row_at(view.y())
        if row >= 0:
            self.taken.emit(self.ids[row])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or event.buttons() != Qt.MouseButton.NoButton:
            return
        row = self.row_at(self.box.mapSceneToView(self.mapToScene(event.position().toPoint())).y())
        if row >= 0:
            QToolTip.showText(event.globalPosition().toPoint(), self.labels[row], self)
        self.told.emit(f"{self.labels[row]} · click takes it in hand" if row >= 0 else "")


class ColourBar(QWidget):
    """The colours of the map with the y at their ends."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(_BAR_PX)
        self.words = ("", "")

    def show_ends(self, low: float, high: float, unit: str, log: bool) -> None:
        """The y of the first and the last colour."""
        numbers = (10.0**low, 10.0**high) if log else (low, high)
        self.words = (f"{numbers[0]:.4g}", f"{numbers[1]:.4g} {unit}".strip())
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("card"))
        box = QRectF(8, 24, 14, self.height() - 84)
        fill = QLinearGradient(box.bottomLeft(), box.topLeft())
        for k, hue in enumerate(family_colours(16)):
            fill.setColorAt(k / 15, hue)
        painter.fillRect(box, fill)
        painter.setFont(font(13))
        painter.setPen(colour("ink"))
        painter.drawText(QRectF(4, 2, self.width() - 4, 20), Qt.AlignmentFlag.AlignVCenter, self.words[1])
        painter.drawText(
            QRectF(4, box.bottom() + 2, self.width() - 4, 20), Qt.AlignmentFlag.AlignVCenter, self.words[0]
        )
        painter.end()


def _edges(places: Floats) -> Floats:
    """Where rows end: half way to their neighbours."""
    if places.size == 1:
        return np.array([places[0] - 0.5, places[0] + 0.5])
    middle = (places[1:] + places[:-1]) / 2
    return np.concatenate([[2 * places[0] - middle[0]], middle, [2 * places[-1] - middle[-1]]])


def _table() -> np.ndarray:
    """The even walk of the family's colours, as a table of 256."""
    return np.array([one.getRgb()[:3] for one in family_colours(256)], dtype=np.ubyte)
