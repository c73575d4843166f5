"""What a right click on the canvas offers, at the place where it was."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from curvesieve.app.canvas.lasso import leave_out_points
from curvesieve.app.canvas.rule_handles import rounded
from curvesieve.app.session import MODEL, RECORDED
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core import units
from curvesieve.core.models import PEAKS, TERMS

if TYPE_CHECKING:
    from curvesieve.app.canvas.canvas import Canvas


def rows_at(canvas: Canvas, x: float, y: float) -> list[MenuRow]:
    """The rows for a place in data coordinates."""
    scene, session = canvas.scene, canvas.session
    if scene is None:
        return [("Bring in files…", canvas.empty.files_asked.emit)]
    curve = scene.after
    unit = units.shown(curve.x_unit)
    here = f"{x:.5g} {unit}".strip()
    rows: list[MenuRow] = [(f"y of the curve at {here}", lambda: canvas.asked_at.emit(x))]
    if session.view.stage == MODEL:
        kind = canvas.peak
        words = TERMS[kind].label if isinstance(kind, str) and kind in PEAKS else getattr(kind, "name", "peak")
        rows.append((f"Add a peak at {here} ({words})", lambda: canvas.add_peak_at(x)))
        low, high = session.modelling.model_in_sight().low, session.modelling.model_in_sight().high
        rows += [
            (f"Fit from {here} on", lambda: canvas.model.take_band(x, _end(high, curve.x, max))),
            (f"Fit up to {here}", lambda: canvas.model.take_band(_end(low, curve.x, min), x)),
        ]
        if low is not None or high is not None:
            rows.append(("Fit the whole curve", lambda: canvas.model.take_all()))
    if session.view.stage != RECORDED and curve.x.size:
        nearest = canvas.nearest_point(x, y)
        rows.append(
            (
                f"Leave out the point at {nearest:.6g} {unit}".strip(),
                lambda: leave_out_points(session, scene, {nearest}),
            )
        )
    rows += [
        ("", None),
        ("Show the whole curve", canvas.show_all),
        ("x axis: linear" if canvas.plot.log_x else "x axis: logarithmic", canvas.x_scale.click),
        ("y axis: linear" if canvas.plot.log_y else "y axis: logarithmic", canvas.y_scale.click),
        ("", None),
        ("The numbers of the curve", canvas.points_asked.emit),
        ("Write the curve as a file…", canvas.write_asked.emit),
    ]
    if session.view.stage != MODEL:
        rows.append(("Back to the model", lambda: session.look(replace(session.view, stage=MODEL, against=""))))
    return rows


def _end(given: float | None, x: np.ndarray, end: Callable[[np.ndarray], float]) -> float:
    return given if given is not None else rounded((float(end(x)),), float(np.ptp(x)))[0]
