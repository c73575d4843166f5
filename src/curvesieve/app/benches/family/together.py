"""Curves of a family on one plot, laid over or lifted: hover names one, a click takes it in hand, a drag lifts it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QToolTip

from curvesieve.app.plotting.bundle import Bundle
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.curve import Floats
from curvesieve.core.envelope import envelope
from curvesieve.core.study.standing import Standing, Stood

_NEAR_PX, _DRAG_PX = 9.0, 4.0
_NAMED = 40
"""So many curves have their names at their ends."""
_MANY = 60
"""Above so many curves lines are drawn thin and hard, which is many times quicker."""
_PIXELS, _FEW = 700, 4000
_NAME_PX = 110.0


class TogetherPlot(Plot):
    """Draws a `Standing`. `taken` has the id of a clicked curve; `lifted` what a curve was dragged by, and whether the
    drag has ended."""

    taken = pyqtSignal(str)
    opened = pyqtSignal(str)
    lifted = pyqtSignal(str, float, bool)
    told = pyqtSignal(str)
    _by_user = True
    """Whether the user chose what is in view (or nothing is there yet); else all is, in a window of any size."""

    def __init__(self) -> None:
        super().__init__()
        self.standing = Standing()
        self.apart = False
        self.in_hand = ""
        self.bundle = Bundle(self, 1.0)
        self.mine, self.lit = pg.PlotCurveItem(), pg.PlotCurveItem()
        for item in (self.mine, self.lit):
            item.setZValue(2.5)
            self.addItem(item, ignoreBounds=True)
        self._items: list[pg.PlotCurveItem] = []
        self._fits: list[pg.PlotCurveItem] = []
        self._names: list[pg.TextItem] = []
        self._guides: list[object] = []
        self._hues: Sequence[QColor] = ()
        self._over = -1
        self._press: tuple[QPointF, int, float] | None = None
        self._dragging = False
        self._by_user = False
        self.box.user_moved.connect(self._user_moved)
        self.setAccessibleName("the curves of the family")
        self.leave_room_above(8)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    # -- drawing ------------------------------------------------------------------------------------

    def show_standing(
        self, made: Standing, hues: Sequence[QColor], in_hand: str, apart: bool, logs: tuple[bool, bool], fresh: bool
    ) -> None:
        """Draws the curves; where it is `fresh`, all of them come into view."""
        if logs != (self.log_x, self.log_y):
            self.set_log(*logs)
            fresh = True
        self.standing, self._hues, self.in_hand, self.apart = made, hues, in_hand, apart
        self._over = -1
        many = len(made.curves) > _MANY
        shown = () if many else made.curves
        self._fill(self._items, len(shown), 1.0)
        fits = [one for one in shown if one.fit is not None]
        self._fill(self._fits, len(fits), 2.0)
        for place, one in enumerate(shown):
            self._set(self._items[place], one, one.y, self._pen(place))
        for item, one in zip(self._fits, fits, strict=True):
            assert one.fit is not None
            self._set(item, one, one.fit, pen("violet", 1.6))
        self._show_many(made.curves if many else ())
        self.set_labels(*_labels(made, apart))
        if fresh:
            self.show_all()
        self._show_names()

    def _show_many(self, curves: Sequence[Stood]) -> None:
        """Many curves are one picture; the one in hand, and the one under the pointer, lie above it."""
        lines = [
            (np.asarray(self.map_x(one.x)), np.asarray(self.map_y(one.y, one.x)), self._hue(place))
            for place, one in enumerate(curves)
        ]
        lines += [
            (np.asarray(self.map_x(one.x)), np.asarray(self.map_y(one.fit, one.x)), colour("violet"))
            for one in curves
            if one.fit is not None
        ]
        self.bundle.set(lines)
        mine = next((place for place, one in enumerate(curves) if one.id == self.in_hand), -1)
        for item, place in ((self.mine, mine), (self.lit, -1)):
            if place < 0:
                item.setData([], [])
            else:
                self._set(item, curves[place], curves[place].y, self._pen(place))

    def _hue(self, place: int) -> QColor:
        return self._hues[place] if place < len(self._hues) else colour("ink")

    def _fill(self, items: list[pg.PlotCurveItem], count: int, z: float) -> None:
        while len(items) < count:
            item = pg.PlotCurveItem(connect="finite", skipFiniteCheck=False)
            item.setZValue(z)
            item.setSegmentedLineMode("off")
            self.addItem(item, ignoreBounds=True)
            items.append(item)
        while len(items) > count:
            self.removeItem(items.pop())

    def _set(self, item: pg.PlotCurveItem, one: Stood, y: Floats, drawn: QPen) -> None:
        x = one.x
        rising = bool(x.size < 2 or np.all(np.diff(x) >= 0))
        if x.size > _FEW and rising:
            good = np.isfinite(y)
            x, y = envelope(x[good], y[good], float(x[0]), float(x[-1]), _PIXELS)
        item.opts["antialias"] = x.size <= _FEW
        item.setPen(drawn)
        item.setData(np.asarray(self.map_x(x)), np.asarray(self.map_y(y, x)))

    def _pen(self, place: int) -> QPen:
        made = QPen(pen("ink", 1.0))
        made.setColor(self._hue(place))
        mine = self.standing.curves[place].id == self.in_hand
        made.setWidthF(2.6 if place == self._over else 2.0 if mine else 1.3)
        return made

    def _show_names(self) -> None:
        for item in self._names:
            self.removeItem(item)
        self._names = []
        curves = self.standing.curves
        if len(curves) > _NAMED:
            return
        for place, one in enumerate(curves):
            good = np.flatnonzero(np.isfinite(np.asarray(self.map_y(one.y, one.x))))
            if not good.size:
                continue
            last = int(good[np.argmax(one.x[good])])
            item = pg.TextItem(_short(one.label), color=self._hue(place), anchor=(0, 0.5))
            item.setFont(font(13))
            item.setPos(float(self.map_x(one.x[last])), float(self.map_y(one.y[last], one.x[last])))
            item.setZValue(5)
            self.addItem(item, ignoreBounds=True)
            self._names.append(item)

    def show_guides(self, guides: Sequence[tuple[float, str]]) -> None:
        """Upright lines with their words."""
        for item in self._guides:
            self.removeItem(item)
        self._guides = []
        for x, words in guides:
            if self.log_x and x <= 0:
                continue
            line = pg.InfiniteLine(float(self.map_x(x)), angle=90, pen=pen("muted", 1.2, dashed=True))
            line.setZValue(3)
            text = pg.InfLineLabel(line, words, position=0.965, anchors=[(0, 0), (0, 0)], color=colour("muted"))
            text.setFont(font(13))
            text.fill = pg.mkBrush(colour("card", 215))  # it may lie over a curve
            self.addItem(line, ignoreBounds=True)
            self._guides.append(line)

    def bounds(self) -> tuple[float, float, float, float] | None:
        """The ends of x and y of all that is drawn, in the view's coordinates."""
        xs, ys = [], []
        for one in self.standing.curves:
            x, y = np.asarray(self.map_x(one.x)), np.asarray(self.map_y(one.y, one.x))
            good = np.isfinite(x) & np.isfinite(y)
            if good.any():
                xs += [x[good].min(), x[good].max()]
                ys += [y[good].min(), y[good].max()]
        return (min(xs), max(xs), min(ys), max(ys)) if xs else None

    def _user_moved(self) -> None:
        self._by_user = True

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if not self._by_user and self.standing.curves:
            self.show_all()

    def show_all(self) -> None:
        """Brings all curves into view, with room for their names at the right."""
        self._by_user = False
        found = self.bounds()
        if found is None:
            self.show_nothing()
            return
        x0, x1, y0, y1 = (float(one) for one in found)
        wide, tall = (x1 - x0) or abs(x0) or 1.0, (y1 - y0) or abs(y0) or 1.0
        room = 0.02
        if len(self.standing.curves) <= _NAMED:  # for the names, of the pixels that are left for the curves
            metrics = QFontMetricsF(font(13))
            names = max(metrics.horizontalAdvance(_short(one.label)) for one in self.standing.curves) + 14
            share = min(names / max(float(self.box.width()), 100.0), 0.4)
            room = max(room, share / (1 - share))
        self.box.setRange(
            xRange=(x0 - 0.01 * wide, x1 + room * wide), yRange=(y0 - 0.04 * tall, y1 + 0.06 * tall), padding=0
        )

    # -- the mouse ----------------------------------------------------------------------------------

    def nearest(self, at: QPointF) -> int:
        """The place of the curve that passes near a point of the widget; −1 where none does."""
        if not self.box.sceneBoundingRect().contains(self.mapToScene(at.toPoint())):
            return -1
        view = self.box.mapSceneToView(self.mapToScene(at.toPoint()))
        wide, tall = self.box.viewPixelSize()
        best, found = _NEAR_PX, -1
        for place, one in enumerate(self.standing.curves):
            far = _far(np.asarray(self.map_x(one.x)), np.asarray(self.map_y(one.y, one.x)), view, wide, tall)
            if far < best:
                best, found = far, place
        return found

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        plain = event is not None and event.modifiers() == Qt.KeyboardModifier.NoModifier
        if event is not None and plain and event.button() == Qt.MouseButton.LeftButton:
            place = self.nearest(event.position())
            if place >= 0:
                self._press = (event.position(), place, 0.0)
                self._dragging = False
                self.setFocus()
                return
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._press is not None:
            self._drag(event.position())
            return
        super().mouseMoveEvent(event)
        if event.buttons() == Qt.MouseButton.NoButton:
            self._hover(self.nearest(event.position()), event)

    def _drag(self, at: QPointF) -> None:
        assert self._press is not None
        start, place, _ = self._press
        if not self.apart or (not self._dragging and abs(at.y() - start.y()) < _DRAG_PX):
            return
        self._dragging = True
        here, there = (self.box.mapSceneToView(self.mapToScene(one.toPoint())).y() for one in (at, start))
        by = float(here - there)
        self._press = (start, place, by)
        one = self.standing.curves[place]
        own = self._items[place] if self._items else self.lit
        for item, y in ((own, one.y), (self._fit_item(place), one.fit)):
            if item is not None and y is not None:
                item.setData(np.asarray(self.map_x(one.x)), np.asarray(self.map_y(y, one.x)) + by)
        self.lifted.emit(one.id, by, False)

    def _fit_item(self, place: int) -> pg.PlotCurveItem | None:
        if self.standing.curves[place].fit is None or not self._fits:
            return None
        before = sum(one.fit is not None for one in self.standing.curves[:place])
        return self._fits[before]

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._press is None:
            super().mouseReleaseEvent(event)
            return
        _, place, by = self._press
        dragged, self._press, self._dragging = self._dragging, None, False
        one = self.standing.curves[place]
        if dragged:
            self.lifted.emit(one.id, by, True)
        else:
            self.taken.emit(one.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A second click on a curve goes to it on its own bench."""
        place = self.nearest(event.position()) if event is not None else -1
        if place >= 0:
            self.opened.emit(self.standing.curves[place].id)
        else:
            super().mouseDoubleClickEvent(event)

    def drop_drag(self) -> bool:
        """Escape: a curve that is being lifted falls back."""
        if self._press is not None and self._dragging:
            place = self._press[1]
            self._press, self._dragging = None, False
            one = self.standing.curves[place]
            self._set(self._items[place] if self._items else self.lit, one, one.y, self._pen(place))
            return True
        return super().drop_drag()

    def _hover(self, place: int, event: QMouseEvent) -> None:
        if place == self._over:
            return
        before, self._over = self._over, place
        for one in (before, place):
            if 0 <= one < len(self._items):
                self._items[one].setPen(self._pen(one))
        if not self._items and place >= 0:
            lit = self.standing.curves[place]
            self._set(self.lit, lit, lit.y, self._pen(place))
        elif not self._items:
            self.lit.setData([], [])
        self.setCursor(Qt.CursorShape.PointingHandCursor if place >= 0 else Qt.CursorShape.ArrowCursor)
        if place >= 0:
            name = self.standing.curves[place].label
            QToolTip.showText(event.globalPosition().toPoint(), name, self)
            self.told.emit(f"{name} · click takes it in hand" + (", a drag lifts it alone" if self.apart else ""))
        else:
            self.told.emit("")


def _far(x: Floats, y: Floats, at: QPointF, wide: float, tall: float) -> float:
    """How far a curve passes from a place, in pixels of these sizes: from its points near there, or from its line."""
    near = np.abs(x - at.x()) < _NEAR_PX * wide
    far = float(np.nanmin(np.hypot((x[near] - at.x()) / wide, (y[near] - at.y()) / tall), initial=np.inf))
    if x.size > 1 and x[0] <= at.x() <= x[-1] and bool(np.all(np.diff(x) > 0)):
        far = min(far, abs(float(np.interp(at.x(), x, y)) - at.y()) / tall)
    return far


def _short(name: str) -> str:
    """A name that leaves the curves their room; the pointer shows all of it."""
    return QFontMetricsF(font(13)).elidedText(name, Qt.TextElideMode.ElideMiddle, _NAME_PX)


def _labels(made: Standing, apart: bool) -> tuple[str, str]:
    from curvesieve.core import units

    x = units.labelled(made.x[0] or "x", made.x[1])
    y = f"{made.y[0] or 'y'}, made alike" if made.alike else units.labelled(made.y[0] or "y", made.y[1])
    return x, f"{y}, lifted" if apart and made.lift else y
