"""What can be taken hold of while a step is in hand: a band's edges, flanks, a mark, a baseline's anchors."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QObject, Qt, pyqtSignal

from curvesieve.app.canvas.band import Band
from curvesieve.app.canvas.plot import Plot, pen
from curvesieve.app.theme.tokens import colour
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.steps import Step, Trail, parse_step

_MARKS = ("at", "zero")
_NEAR_PX = 12.0


def rounded(values: tuple[float, ...], span: float) -> tuple[float, ...]:
    """Numbers to about a thousandth of a span: what a hand can place, without endless digits."""
    if not span > 0 or not np.isfinite(span):
        return values
    places = int(np.ceil(3 - np.log10(span)))
    return tuple(round(value, places) for value in values)


class StepHandles(QObject):
    """Handles for the fields of the step in hand. `moving` gives the step while it is dragged, `moved` when let go."""

    moving = pyqtSignal(object)
    moved = pyqtSignal(object)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self.plot = plot
        self.step: Step | None = None
        self.line: Floats | None = None
        self.curve: Curve | None = None
        self.flanks, self.band = Band(plot), Band(plot)
        self.flanks.item.setZValue(-21)
        for band, taken in ((self.band, self._band_moved), (self.flanks, self._flanks_moved)):
            band.dragged.connect(lambda low, high, taken=taken: self._tell(taken(low, high), self.moving))
            band.finished.connect(lambda low, high, taken=taken: self._tell(taken(low, high), self.moved))
        self.mark = pg.InfiniteLine(angle=90, movable=True)
        self.mark.addMarker("<|>", 0.5, 7.0)
        plot.addItem(self.mark, ignoreBounds=True)
        self.mark.sigDragged.connect(lambda: self._tell(self._mark_moved(), self.moving))
        self.mark.sigPositionChangeFinished.connect(lambda: self._tell(self._mark_moved(), self.moved))
        self.anchors: list[Any] = []
        self.restyle()
        self.hide()

    def restyle(self) -> None:
        self.band.restyle()
        self.flanks.restyle()
        self.mark.setPen(pen("verdigris", 1.5))
        self.mark.setHoverPen(pen("verdigris", 3))

    def hide(self) -> None:
        self.step = self.curve = self.line = None
        self.band.hide()
        self.flanks.hide()
        self.mark.hide()
        self._clear_anchors()

    @property
    def hint(self) -> str:
        """What the pointer can do with the step in hand; empty when nothing can be dragged."""
        if self._is_bridge():
            return "Drag the fault's edges, or the outer lines for the flanks · Shift+drag a new band"
        if self._has_anchors():
            return "Double-click to add an anchor, or on one to remove it · drag anchors"
        if self._has_band():
            return "Drag an edge of the band, or Shift+drag a new one"
        return "Drag the mark to another place" if self._mark_field() else ""

    def show(self, trail: Trail) -> None:
        """Places the handles of a step on the curve that went into it."""
        self.step, self.curve, self.line = trail.slot.step, trail.before, trail.drawn
        x = trail.before.x
        low, high = self._edges(float(x.min()), float(x.max()))
        (self.band.show(low, high) if self._has_band() else self.band.hide())
        if self._is_bridge() and getattr(self.step, "low", None) is not None:
            width = getattr(self.step, "flank", None) or high - low
            self.flanks.show(low - width, high + width)
        else:
            self.flanks.hide()
        field = self._mark_field()
        self.mark.setVisible(bool(field))
        if field:
            at = getattr(self.step, field)
            self.mark.blockSignals(True)
            self.mark.setPos(float(self.plot.map_x(float(np.median(x)) if at is None else at)))
            self.mark.blockSignals(False)
        self._place_anchors()

    # -- which handles a step has -------------------------------------------------------------------

    def _has_band(self) -> bool:
        fields = type(self.step).model_fields if self.step is not None else {}
        if not {"low", "high"} <= set(fields) or self._has_anchors():
            return False
        by = getattr(self.step, "by", "band")
        return by in ("band", "area") and getattr(self.step, "method", "constant") in (
            "constant",
            "polynomial",
            "linear",
        )

    def _is_bridge(self) -> bool:
        return self.step is not None and "flank" in type(self.step).model_fields

    def _has_anchors(self) -> bool:
        method, anchors = getattr(self.step, "method", ""), getattr(self.step, "anchors", None)
        return anchors is not None and (method == "anchors" or bool(method == "polynomial" and anchors))

    def _mark_field(self) -> str:
        fields = type(self.step).model_fields if self.step is not None else {}
        shown = getattr(self.step, "by", "point") in ("point", "offset", "factor")
        return next((name for name in _MARKS if name in fields and shown), "")

    def _edges(self, first: float, last: float) -> tuple[float, float]:
        low, high = getattr(self.step, "low", None), getattr(self.step, "high", None)
        if low is None and high is None and self._is_bridge():
            return first + 0.45 * (last - first), first + 0.55 * (last - first)
        return first if low is None else low, last if high is None else high

    # -- dragging -----------------------------------------------------------------------------------

    def _tell(self, changes: dict[str, Any], signal: Any) -> None:
        if self.step is None or not changes:
            return
        try:
            signal.emit(parse_step({**self.step.to_json(), **changes}))
        except InputError:
            return  # an edge past the other: nothing is said while the hand is on it

    def draw_band(self, low: float, high: float, finished: bool) -> bool:
        """A band drawn afresh; False when the step in hand has none."""
        if not self._has_band():
            return False
        self.band.show(low, high)
        self._tell(self._band_moved(low, high), self.moved if finished else self.moving)
        return True

    def _band_moved(self, low: float, high: float) -> dict[str, Any]:
        low, high = rounded((low, high), high - low)
        return {"low": low, "high": high}

    def _flanks_moved(self, low: float, high: float) -> dict[str, Any]:
        inner_low, inner_high = getattr(self.step, "low", None), getattr(self.step, "high", None)
        if inner_low is None or inner_high is None:
            return {}
        old = getattr(self.step, "flank", None) or inner_high - inner_low
        width = max((inner_low - low, high - inner_high), key=lambda side: abs(side - old))
        return {"flank": rounded((width,), width)[0]} if width > 0 else {}

    def _mark_moved(self) -> dict[str, Any]:
        span = float(np.ptp(self.curve.x)) if self.curve is not None else 0.0
        return {self._mark_field(): rounded((self.plot.unmap_x(float(self.mark.value())),), span)[0]}

    # -- anchors ------------------------------------------------------------------------------------

    def _clear_anchors(self) -> None:
        for anchor in self.anchors:
            self.plot.removeItem(anchor)
        self.anchors = []

    def _place_anchors(self) -> None:
        self._clear_anchors()
        if self.curve is None or not self._has_anchors():
            return
        at = getattr(self.step, "anchors", ())
        heights = getattr(self.step, "heights", ()) or self._on_line(at)
        for x, y in zip(at, heights, strict=False):
            place = (float(self.plot.map_x(x)), float(self.plot.map_y(y)))
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
        order = np.argsort(curve.x, kind="stable")
        y = self.line if self.line is not None else curve.y
        return tuple(float(v) for v in np.interp(at, curve.x[order], y[order]))

    def _anchors_moved(self) -> dict[str, Any]:
        curve = self.curve
        if curve is None:
            return {}
        places = [anchor.pos() for anchor in self.anchors]
        x = rounded(tuple(self.plot.unmap_x(float(p.x())) for p in places), float(np.ptp(curve.x)))
        y = rounded(tuple(self.plot.unmap_y(float(p.y())) for p in places), float(np.ptp(curve.y)))
        return {"anchors": list(x), "heights": list(y)}

    def double_click(self, x: float, y: float) -> bool:
        """Adds an anchor at a place in the view, or removes the one that is there; False when there are no anchors."""
        if not self._has_anchors() or self.curve is None:
            return False
        width, height = self.plot.box.viewPixelSize()
        near = [
            i
            for i, anchor in enumerate(self.anchors)
            if np.hypot((anchor.pos().x() - x) / width, (anchor.pos().y() - y) / height) < _NEAR_PX
        ]
        now = self._anchors_moved() if self.anchors else {"anchors": [], "heights": []}
        if near:
            now = {key: [v for i, v in enumerate(values) if i != near[0]] for key, values in now.items()}
        else:
            new_x = rounded((self.plot.unmap_x(x),), float(np.ptp(self.curve.x)))[0]
            new_y = rounded((self.plot.unmap_y(y),), float(np.ptp(self.curve.y)))[0]
            now = {"anchors": [*now["anchors"], new_x], "heights": [*now["heights"], new_y]}
        self._tell(now, self.moved)
        return True
