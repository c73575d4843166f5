"""What the canvas shows for a study and a view, worked out without widgets."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.app.session.desk import MODEL, RECORDED, View
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.measures.base import MeasureSlot
from curvesieve.core.shapes import Shape
from curvesieve.core.steps import Trail
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study import CurveEntry, FitEntry, Study
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.passing import NOTHING, recorded_at_hand


@dataclass(frozen=True, eq=False)
class Scene:
    """Before and after of the stage in hand, and all that was caught on the way to it."""

    entry: CurveEntry
    fit: FitEntry | None
    made: Sieved
    before: Curve | None
    after: Curve
    trail: Trail | None
    shapes: tuple[Shape, ...]
    """What the step in hand drew over the points before, such as the baseline that was taken off."""
    measured: Outcomes
    """What the measures read and drew on the curve as it passed; empty at the stages of the sieve."""
    measure: MeasureSlot | None
    """The measure in hand."""
    caught_x: Floats
    caught_y: Floats


def scene_of(study: Study, view: View, made: Sieved | None, measured: Outcomes = ()) -> Scene | None:
    """The scene of the view; None when no curve is in hand. While `made` is not there yet, the record is shown."""
    if view.curve is None or not study.has(view.curve):
        return None
    entry, fit = study.entry(view.curve), study.fit(view.curve)
    made = made or Sieved(recorded_at_hand(study, view.curve) or NOTHING, ())
    if view.stage == RECORDED:
        return Scene(entry, fit, made, None, made.recorded, None, (), (), None, np.empty(0), np.empty(0))
    shown = made.trail
    trail = next((t for t in made.trail if t.slot.id == view.stage), None)
    before: Curve | None = made.recorded if made.trail else None
    after = made.curve
    if trail is not None:
        shown, before, after = (trail,), trail.before, trail.after
    measure = next((slot for slot in study.measures(view.curve) if slot.id == view.stage), None)
    if trail is None and view.stage != MODEL and measure is None:
        shown = ()
    if trail is not None:
        measured = ()
    if view.against:
        before = _stage(made, view.against)
    if before is not None and not _same_axes(before, after):
        before = None  # another quantity: it has no place on these axes
    shapes = trail.shapes if trail is not None and before is trail.before else ()
    # Points outside a kept range are no faults; only patched ones are ringed.
    rings = [(t.before.x[t.caught.points], t.before.y[t.caught.points]) for t in shown if _is_patch(t)]
    x = np.concatenate([r[0] for r in rings]) if rings else np.empty(0)
    y = np.concatenate([r[1] for r in rings]) if rings else np.empty(0)
    if after.x.size and before is None:
        x = y = np.empty(0)
    return Scene(entry, fit, made, before, after, trail, shapes, measured, measure, x, y)


def _stage(made: Sieved, stage: str) -> Curve:
    """The curve as it left a stage."""
    return next((trail.after for trail in made.trail if trail.slot.id == stage), made.recorded)


def _same_axes(one: Curve, other: Curve) -> bool:
    return (one.x_label, one.x_unit, one.y_label, one.y_unit) == (
        other.x_label,
        other.x_unit,
        other.y_label,
        other.y_unit,
    )


def _is_patch(trail: Trail) -> bool:
    return bool(len(trail.caught)) and bool(np.isfinite(trail.caught.passed_y).all())
