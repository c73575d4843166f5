"""What can be taken hold of while a rule is in hand, as the rule declares: a band's edges, flanks, a mark, anchors."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, TypeVar

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from curvesieve.app.plotting.band import Band
from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour
from curvesieve.core import rules
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.rules import Handle, Rule
from curvesieve.core.shapes import Line, Shape
from curvesieve.core.typed import rounded

_NEAR_PX = 12.0
H = TypeVar("H", bound=Handle)


class RuleHandles(QObject):
    """Handles for the fields of the rule in hand. `moving` gives the rule while it is dragged, `moved` when let go."""

    moving = pyqtSignal(object)
    moved = pyqtSignal(object)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self.plot = plot
        self.rule: Rule | None = None
        self.shapes: tuple[Shape, ...] = ()
        self.curve: Curve | None = None
        self.flanks, self.band = Band(plot), Band(plot)
        self.flanks.item.setZValue(-21)
        self.bands = [self.band]
        """A band for each that the rule declares; the first is that of most rules."""
        self._connect(self.band, partial(self._band_moved, 0))
        self._connect(self.flanks, self._flanks_moved)
        self.mark = pg.InfiniteLine(angle=90, movable=True)
        self.mark.addMarker("<|>", 0.5, 7.0)
        plot.addItem(self.mark, ignoreBounds=True)
        self.mark.sigDragged.connect(lambda: self._tell(self._mark_moved(), self.moving))
        self.mark.sigPositionChangeFinished.connect(lambda: self._tell(self._mark_moved(), self.moved))
        self.anchors: list[Any] = []
        self.restyle()
        self.hide()

    def _connect(self, band: Band, taken: Callable[[float, float], dict[str, Any]]) -> None:
        band.dragged.connect(lambda low, high: self._tell(taken(low, high), self.moving))
        band.finished.connect(lambda low, high: self._tell(taken(low, high), self.moved))

    def restyle(self) -> None:
        for band in (*self.bands, self.flanks):
            band.restyle()
        self.mark.setPen(pen("verdigris", 1.5))
        self.mark.setHoverPen(pen("verdigris", 3))

    def hide(self) -> None:
        self.rule = self.curve = None
        for band in (*self.bands, self.flanks):
            band.hide()
        self.mark.hide()
        self._clear_anchors()

    def _all(self, kind: type[H]) -> list[H]:
        """The handles of a kind that the rule has with its choices as they are."""
        found = self.rule.handles_now() if self.rule is not None else ()
        return [handle for handle in found if isinstance(handle, kind)]

    def _has(self, kind: type[H]) -> H | None:
        """The first handle of a kind."""
        return next(iter(self._all(kind)), None)

    @property
    def hint(self) -> str:
        """What the pointer can do with the rule in hand; empty when nothing can be dragged."""
        if self._has(rules.Flanks):
            return "Drag the band's edges, or the outer lines for the flanks · Shift+drag a new band"
        if self._has(rules.Anchors):
            return "Double-click to add an anchor, or on one to remove it · drag anchors"
        if self._has(rules.Band):
            several = len(self._all(rules.Band)) > 1
            return f"Drag an edge of {'a' if several else 'the'} band, or Shift+drag a new one"
        return "Drag the mark, or double-click where it should be" if self._has(rules.Mark) else ""

    def show(self, rule: Rule, curve: Curve, shapes: tuple[Shape, ...]) -> None:
        """Places the handles of a rule on the curve that it works on; `shapes` is what it drew there."""
        self.rule, self.curve, self.shapes = rule, curve, shapes
        band, flanks, mark = self._has(rules.Band), self._has(rules.Flanks), self._has(rules.Mark)
        self._place_bands()
        low, high = self._edges(band) if band else (0.0, 0.0)
        if band and flanks and getattr(rule, band.low) is not None:
            width = getattr(rule, flanks.width) or high - low
            self.flanks.show(low - width, high + width)
        else:
            self.flanks.hide()
        self.mark.setVisible(mark is not None)
        if mark:
            at = getattr(rule, mark.at)
            self.mark.blockSignals(True)
            self.mark.setPos(float(self.plot.map_x(float(np.median(curve.x)) if at is None else at)))
            self.mark.blockSignals(False)
        self._place_anchors()

    def _place_bands(self) -> None:
        wanted = self._all(rules.Band)
        while len(self.bands) < len(wanted):
            self.bands.append(Band(self.plot))
            self._connect(self.bands[-1], partial(self._band_moved, len(self.bands) - 1))
        for place, shown in enumerate(self.bands):
            if place < len(wanted):
                shown.show(*self._edges(wanted[place]))
            else:
                shown.hide()

    def _edges(self, band: rules.Band) -> tuple[float, float]:
        """Where a band stands: an empty edge is the curve's end, two empty ones are where the band opens."""
        assert self.curve is not None
        first, last = float(self.curve.x.min()), float(self.curve.x.max())
        low, high = getattr(self.rule, band.low), getattr(self.rule, band.high)
        if low is None and high is None:
            return tuple(first + share * (last - first) for share in band.opens)  # type: ignore[return-value]
        return first if low is None else low, last if high is None else high

    # -- dragging -----------------------------------------------------------------------------------

    def _tell(self, changes: dict[str, Any], signal: Any) -> None:
        if self.rule is None or not changes:
            return
        try:
            signal.emit(self.rule.changed(**changes))
        except InputError:
            return  # an edge past the other: nothing is said while the hand is on it

    def draw_band(self, low: float, high: float, finished: bool) -> bool:
        """A band drawn afresh: of several the nearest; False when the rule in hand has none."""
        bands = self._all(rules.Band)
        if not bands:
            return False
        middles = [sum(self._edges(band)) / 2 for band in bands]
        place = int(np.argmin(np.abs(np.array(middles) - (low + high) / 2)))
        self.bands[place].show(low, high)
        self._tell(self._band_moved(place, low, high), self.moved if finished else self.moving)
        return True

    def _band_moved(self, place: int, low: float, high: float) -> dict[str, Any]:
        bands = self._all(rules.Band)
        if place >= len(bands):
            return {}
        low, high = rounded((low, high), high - low)
        return {bands[place].low: low, bands[place].high: high}

    def _flanks_moved(self, low: float, high: float) -> dict[str, Any]:
        band, flanks = self._has(rules.Band), self._has(rules.Flanks)
        if band is None or flanks is None:
            return {}
        inner_low, inner_high = getattr(self.rule, band.low), getattr(self.rule, band.high)
        if inner_low is None or inner_high is None:
            return {}
        old = getattr(self.rule, flanks.width) or inner_high - inner_low
        width = max((inner_low - low, high - inner_high), key=lambda side: abs(side - old))
        return {flanks.width: rounded((width,), width)[0]} if width > 0 else {}

    def _mark_moved(self) -> dict[str, Any]:
        mark = self._has(rules.Mark)
        span = float(np.ptp(self.curve.x)) if self.curve is not None else 0.0
        return {mark.at: rounded((self.plot.unmap_x(float(self.mark.value())),), span)[0]} if mark else {}

    # -- anchors ------------------------------------------------------------------------------------

    def _clear_anchors(self) -> None:
        for anchor in self.anchors:
            self.plot.removeItem(anchor)
        self.anchors = []

    def _place_anchors(self) -> None:
        self._clear_anchors()
        anchors = self._has(rules.Anchors)
        if self.curve is None or anchors is None:
            return
        at = getattr(self.rule, anchors.at)
        heights = getattr(self.rule, anchors.heights) or self._on_line(at)
        for x, y in zip(at, heights, strict=False):
            place = (float(self.plot.map_x(x)), float(self.plot.map_y(y, x)))
            anchor = pg.TargetItem(
                place, size=11, symbol="s", pen=pen("verdigris", 2), brush=pg.mkBrush(colour("card")),
                hoverPen=pen("verdigris", 3), movable=True,
            )  # fmt: skip
            anchor.setZValue(40)
            anchor.setCursor(Qt.CursorShape.SizeAllCursor)
            anchor.sigPositionChanged.connect(lambda _: self._tell(self._anchors_moved(), self.moving))
            anchor.sigPositionChangeFinished.connect(lambda _: self._tell(self._anchors_moved(), self.moved))
            self.plot.addItem(anchor, ignoreBounds=True)
            self.anchors.append(anchor)

    def _on_line(self, at: tuple[float, ...]) -> tuple[float, ...]:
        curve = self.curve
        assert curve is not None
        on = next((shape for shape in self.shapes if isinstance(shape, Line)), Line(curve.x, curve.y))
        order = np.argsort(on.x, kind="stable")
        return tuple(float(v) for v in np.interp(at, on.x[order], on.y[order]))

    def _anchors_moved(self) -> dict[str, Any]:
        curve, anchors = self.curve, self._has(rules.Anchors)
        if curve is None or anchors is None:
            return {}
        places = [anchor.pos() for anchor in self.anchors]
        at = [self.plot.unmap(float(p.x()), float(p.y())) for p in places]
        x = rounded(tuple(one for one, _ in at), float(np.ptp(curve.x)))
        y = rounded(tuple(one for _, one in at), float(np.ptp(curve.y)))
        return {anchors.at: list(x), anchors.heights: list(y)}

    def double_click(self, x: float, y: float) -> bool:
        """Puts the mark at a place; adds an anchor, or removes the one that is there. False for rules without both."""
        anchors, mark = self._has(rules.Anchors), self._has(rules.Mark)
        if mark is not None and self.curve is not None:
            self._tell({mark.at: rounded((x,), float(np.ptp(self.curve.x)))[0]}, self.moved)
            return True
        if anchors is None or self.curve is None:
            return False
        width, height = self.plot.box.viewPixelSize()
        at_x, at_y = float(self.plot.map_x(x)), float(self.plot.map_y(y, x))
        near = [
            i
            for i, anchor in enumerate(self.anchors)
            if np.hypot((anchor.pos().x() - at_x) / width, (anchor.pos().y() - at_y) / height) < _NEAR_PX
        ]
        now = self._anchors_moved()
        if near:
            now = {key: [v for i, v in enumerate(values) if i != near[0]] for key, values in now.items()}
        else:
            new_x = rounded((x,), float(np.ptp(self.curve.x)))[0]
            new_y = rounded((y,), float(np.ptp(self.curve.y)))[0]
            now = {anchors.at: [*now[anchors.at], new_x], anchors.heights: [*now[anchors.heights], new_y]}
        self._tell(now, self.moved)
        return True
