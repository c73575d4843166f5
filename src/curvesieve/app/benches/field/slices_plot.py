"""Slices as profiles: each in its colour with its u as a band, and the measured points near it."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal

from curvesieve.app.benches.field.map_view import one_in
from curvesieve.app.plotting.dots import Dots
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import family_colours
from curvesieve.core import units
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.slices import Slice, beside

_NAMED = 12
_MOST_BESIDE = 150
_NEAR_SHARE = 0.025
"""Measured points within this share of the extent stand beside a slice."""


class SlicesPlot(Plot):
    """`pointed` has along and z under the pointer, or None."""

    pointed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._items: list[object] = []
        self._state: object = None
        self.pointer_moved.connect(self.pointed)
        self.setAccessibleName("slices of the field")
        self.leave_room_above(8)

    def show_slices(
        self, slices: tuple[Slice, ...], points: Points | None, in_hand: int, with_points: bool = True
    ) -> None:
        """Draws the slices; points near the one in hand, or near all where none is."""
        for item in self._items:
            self.removeItem(item)
        self._items = []
        if not slices or points is None:
            self.show_nothing()
            self._state = None
            return
        name, unit = slices[0].axis
        along = units.labelled(name, unit)
        if any(one.spec.along == "line" for one in slices) and slices[0].spec.along != "line":
            along += "; of drawn lines: distance from where they begin"
        self.set_labels(along, units.labelled(slices[0].names.z, slices[0].names.z_unit))
        colours = family_colours(len(slices))
        for number, one in enumerate(slices):
            if in_hand < 0 or number == in_hand or len(slices) <= _NAMED:
                near = with_points and (in_hand < 0 or number == in_hand)
                self._draw(one, colours[number], number == in_hand, near, points)
        if len(slices) <= _NAMED:
            self._name(slices, colours)
        known = [one for one in slices if np.isfinite(one.z).any()]
        state = tuple((one.spec, one.along[0], one.along[-1]) for one in slices), len(points)
        if known and state != self._state:
            self._state = state
            self._show_all(known)

    def _show_all(self, slices: list[Slice]) -> None:
        low = min(float(np.nanmin(one.z)) for one in slices)
        high = max(float(np.nanmax(one.z)) for one in slices)
        first = min(float(one.along.min()) for one in slices)
        last = max(float(one.along.max()) for one in slices)
        room = 0.08 * (high - low) or 1.0
        self.box.setRange(xRange=(first, last + 0.14 * (last - first)), yRange=(low - room, high + room), padding=0.02)

    def _draw(self, one: Slice, hue: object, mine: bool, with_points: bool, points: Points) -> None:
        known = np.isfinite(one.z)
        if not known.any():
            return
        if one.u is not None and np.isfinite(one.u[known]).any() and (mine or with_points):
            low, high = (
                pg.PlotCurveItem(one.along, one.z + sign * one.u, connect="finite", pen=None) for sign in (-1, 1)
            )
            faint = pg.mkColor(hue)
            faint.setAlpha(45)
            band = pg.FillBetweenItem(low, high, brush=faint)
            for item in (low, high, band):
                self._add(item, 1)
        line = pg.PlotCurveItem(one.along, one.z, connect="finite", pen=pg.mkPen(hue, width=2.4 if mine else 1.5))
        self._add(line, 3)
        if with_points:
            reach = _NEAR_SHARE * max(points.spans)
            along, z = beside(points, one.spec, max(reach, 0.5 * one.spec.width))
            dots, thin = Dots(4), one_in(along.size, _MOST_BESIDE)
            along, z = along[::thin], z[::thin]
            dots.set(along, z, 4.5, pg.mkColor(hue), None, None)
            self._add(dots, 4)

    def _add(self, item: object, z: float) -> None:
        item.setZValue(z)  # type: ignore[attr-defined]
        self.addItem(item, ignoreBounds=True)
        self._items.append(item)

    def _name(self, slices: tuple[Slice, ...], colours: tuple[object, ...]) -> None:
        """Names at the ends, set apart so that none lies on another."""
        ends = []
        for number, one in enumerate(slices):
            known = np.flatnonzero(np.isfinite(one.z))
            if known.size:
                ends.append((float(one.z[known[-1]]), float(one.along[known[-1]]), number))
        ends.sort()
        values = np.concatenate([one.z[np.isfinite(one.z)] for one in slices])
        gap = 0.11 * float(np.ptp(values)) if values.size else 1.0
        last = -np.inf
        for value, along, number in ends:
            place = max(value, last + gap)
            last = place
            spec = slices[number].spec
            unit = slices[number].names.y_unit if spec.along == "x" else slices[number].names.x_unit
            text = f"{spec.at:.10g} {unit}".strip() if spec.along != "line" else f"line {number + 1}"
            word = pg.TextItem(text, color=pg.mkColor(colours[number]), anchor=(0, 0.5))
            word.setFont(font(12))
            word.setPos(along, place)
            self._add(word, 6)
