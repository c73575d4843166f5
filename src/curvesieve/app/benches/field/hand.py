"""What the mouse does on the map, the surface and the slices of a field."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.benches.field.map_view import FieldMap
from curvesieve.app.benches.field.shown import Shown
from curvesieve.app.benches.field.slices_plot import SlicesPlot
from curvesieve.app.benches.field.turned_view import TurnedView
from curvesieve.app.benches.field.work import FieldWork, line_spec
from curvesieve.app.plotting.plot import Plot
from curvesieve.core.reading import concise
from curvesieve.core.study import edits
from curvesieve.core.typed import placed, rounded

HINT = "Drag a slice · Shift and drag draws one anywhere · the wheel enlarges · click reads the value"
TURN_HINT = "Drag turns the surface · the wheel makes it higher · arrow keys turn it by 5°"
_NEAR_PX = 12


class Hand(QObject):
    """Reads values under the pointer, moves and draws slices, gives caught points back. `told` has the status line."""

    told = pyqtSignal(str)

    def __init__(self, work: FieldWork, plot: FieldMap, surface: TurnedView, profile: SlicesPlot) -> None:
        super().__init__(plot)
        self.work, self.map, self.profile = work, plot, profile
        plot.pointed.connect(lambda place: self._pointed(place, HINT))
        plot.slid.connect(self._slide)
        plot.drawn.connect(self._draw)
        plot.picked.connect(self._pick)
        surface.pointed.connect(lambda place: self._pointed(place, TURN_HINT))
        profile.pointed.connect(self._pointed_slice)

    def _pointed(self, place: tuple[float, float] | None, hint: str) -> None:
        shown = self.work.shown_now
        if place is None or shown is None or shown.filled is None:
            self.told.emit(hint)
            return
        names, (x, y) = shown.prepared.points.names, self._placed(*place)
        said = f"{names.x} {x} {names.x_unit}   {names.y} {y} {names.y_unit}"
        self.told.emit(f"{said}   {names.z} {_value(shown, *place)}")

    def _pointed_slice(self, place: tuple[float, float] | None) -> None:
        shown = self.work.shown_now
        if place is not None and shown is not None and shown.slices:
            names, (name, unit) = shown.slices[0].names, shown.slices[0].axis
            along, z = (placed(one, span) for one, span in zip(place, self._spans(self.profile), strict=True))
            self.told.emit(f"{name} {along} {unit}   {names.z} {z} {names.z_unit}")

    def _slide(self, number: int, at: float, done: bool) -> None:
        """A slice was dragged: the first and the last move the ends, one between them moves all."""
        field, shown = self.work.field, self.work.shown_now
        if field is None or shown is None or number >= field.slices.count:
            return
        specs = list(field.slices.specs(shown.prepared.points)[: field.slices.count])
        spans = shown.prepared.points.spans
        (at,) = rounded((at,), spans[1] if field.slices.along == "x" else spans[0])
        first, last = specs[0].at, specs[-1].at
        if len(specs) == 1:
            ends = (at, at)
        elif number == 0:
            ends = (at, last)
        elif number == len(specs) - 1:
            ends = (first, at)
        else:
            moved = at - specs[number].at
            ends = (first + moved, last + moved)
        self.work.changed_part("slices", "drag a slice", "drag a slice", first=ends[0], last=ends[1])

    def _draw(self, x0: float, y0: float, x1: float, y1: float) -> None:
        field = self.work.field
        if field is not None:
            across, up = self._spans(self.map)
            (x0, x1), (y0, y1) = rounded((x0, x1), across), rounded((y0, y1), up)
            line = line_spec((x0, y0, x1, y1), field.slices.width)
            self.work.changed_part("slices", "draw a slice", lines=(*field.slices.lines, line))

    def _pick(self, x: float, y: float) -> None:
        """A click reads the value there; on a spike that was caught it gives the point back, or takes it again."""
        shown = self.work.shown_now
        given = self.work.view == "caught" and self._give_back(x, y)
        if not given and shown is not None and shown.filled is not None:
            where = ", ".join(self._placed(x, y))
            said = _value(shown, x, y)
            self.work.session.noticed.emit(f"{shown.prepared.points.names.z} at ({where}): {said}", "note")

    def _placed(self, x: float, y: float) -> tuple[str, str]:
        """A place on the map to about a pixel."""
        across, up = self._spans(self.map)
        return placed(x, across), placed(y, up)

    def _spans(self, plot: Plot) -> tuple[float, float]:
        """What is seen of x and y."""
        (x0, x1), (y0, y1) = plot.box.viewRange()
        return x1 - x0, y1 - y0

    def _give_back(self, x: float, y: float) -> bool:
        from curvesieve.core.fields.steps.spikes import Despike

        field, trail = self.work.field, self.work.step_seen
        if field is None or trail is None or not isinstance(trail.slot.rule, Despike):
            return False
        cx, cy, _ = trail.caught
        back = trail.passed.given_back
        px = np.concatenate([cx, trail.before.x[back]])
        py = np.concatenate([cy, trail.before.y[back]])
        across, up = (abs(float(step)) or 1.0 for step in self.map.box.viewPixelSize())
        if not px.size:
            return False
        off = np.hypot((px - x) / across, (py - y) / up)
        nearest = int(off.argmin())
        if off[nearest] > _NEAR_PX:
            return False
        place = (float(px[nearest]), float(py[nearest]))
        kept = tuple(one for one in trail.slot.rule.kept if one != place)
        kept = (*kept, place) if len(kept) == len(trail.slot.rule.kept) else kept
        made = trail.slot.rule.changed(kept=kept)
        self.work.session.apply(edits.field_step(field.id, made, trail.slot.id), "give a point back")
        return True


def _value(shown: Shown, x: float, y: float) -> str:
    """z ± u of the grid under the pointer: at its nearest node."""
    assert shown.filled is not None
    grid = shown.filled.grid
    column, row = int(np.abs(grid.x - x).argmin()), int(np.abs(grid.y - y).argmin())
    inside = grid.x[0] <= x <= grid.x[-1] and grid.y[0] <= y <= grid.y[-1]
    z = float(grid.z[row, column]) if inside else np.nan
    if not np.isfinite(z):
        return "not known here"
    u = float(grid.u[row, column]) if grid.u is not None else None
    return f"{concise(z, u if u is not None and u > 0 else None)} {shown.prepared.points.names.z_unit}".strip()
