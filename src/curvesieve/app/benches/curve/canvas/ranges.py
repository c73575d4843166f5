"""What stretch of its axes a plot shows."""

from __future__ import annotations

import numpy as np

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.plotting.trace import MOST_MARKS
from curvesieve.core.curve import Curve, Floats

_LABEL_PX = 34
"""Room over the highest point for a crown and its label."""
_IN_SIGHT = 0.4
"""Share of the points across the view that it must show up and down, or it has lost the curve."""


def frame_of(scene: Scene) -> str:
    """What the ranges of the axes belong to: a curve, and the quantities on the axes."""
    curve = scene.after
    return "|".join([scene.entry.id, curve.x_label, curve.x_unit, curve.y_label, curve.y_unit])


def is_in_sight(plot: Plot, curve: Curve) -> bool:
    """Whether the view still shows a good part of the curve where it looks; a step may have moved it away."""
    (x0, x1), (y0, y1) = plot.box.viewRange()
    x, y = np.asarray(plot.map_x(curve.x)), np.asarray(plot.map_y(curve.y, curve.x))
    across = (x >= x0) & (x <= x1)
    seen = across & (y >= y0) & (y <= y1)
    return int(seen.sum()) >= _IN_SIGHT * int(across.sum()) > 0


def show_whole(plot: Plot, scene: Scene, labelled: bool) -> None:
    """Fits the axes to the curve: all that passed, ringed spikes, bars that are drawn, room for labels."""
    curves = [scene.after] + ([scene.before] if scene.trail is not None and scene.before is not None else [])
    ys = [(c.y, c.x) for c in curves] + [(scene.caught_y, scene.caught_x)]
    if scene.after.u is not None and len(scene.after) <= MOST_MARKS:
        ys += [(scene.after.y + sign * scene.after.u, scene.after.x) for sign in (-1, 1)]
    x = _ends(np.concatenate([np.asarray(plot.map_x(c.x)) for c in curves]))
    y = _ends(np.concatenate([np.asarray(plot.map_y(*one)) for one in ys]))
    if x is None or y is None:
        return
    above = _LABEL_PX / max(plot.box.height() - _LABEL_PX, _LABEL_PX) if labelled else 0.05
    plot.box.setRange(xRange=x, yRange=(y[0], y[1] + above * (y[1] - y[0])), padding=0.04)


def show_part(plot: Plot, curve: Curve, low: float, high: float) -> None:
    """Fits the axes to the points of a stretch of x."""
    inside = (curve.x >= low) & (curve.x <= high)
    y = _ends(np.asarray(plot.map_y(curve.y[inside], curve.x[inside])))
    if y is not None:
        plot.box.setRange(xRange=(float(plot.map_x(low)), float(plot.map_x(high))), yRange=y, padding=0.04)


def _ends(values: Floats) -> tuple[float, float] | None:
    """The smallest and the largest number, made apart where they are one; None where there is none."""
    finite = values[np.isfinite(values)]
    if not finite.size:
        return None
    low, high = float(finite.min()), float(finite.max())
    half = 0.1 * abs(low) or 1.0
    return (low - half, high + half) if low == high else (low, high)


def go_to(plot: Plot, xs: Floats, x: float) -> None:
    """Centers the view on an x, a tenth of the curve wide."""
    mapped = np.asarray(plot.map_x(xs))
    half, place = float(np.nanmax(mapped) - np.nanmin(mapped)) / 20, float(plot.map_x(x))
    plot.box.setXRange(place - half, place + half, padding=0)
