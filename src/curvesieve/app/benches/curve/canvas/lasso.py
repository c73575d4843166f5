"""Alt+drag around points: they are left out, or taken in again."""

from __future__ import annotations

import numpy as np

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.session.session import Session
from curvesieve.core.curve import Floats
from curvesieve.core.steps.trim import LeaveOut
from curvesieve.core.study import edits


def leave_out(session: Session, scene: Scene, plot: Plot, x: Floats, y: Floats) -> None:
    """Hands the points within an outline with these corners to the Leave out step in hand, or to a new one."""
    trail = scene.trail if scene.trail and isinstance(scene.trail.slot.rule, LeaveOut) else None
    curve = trail.before if trail is not None else scene.after
    corners = np.column_stack([plot.map_x(x), plot.map_y(y, x)])
    inside = within(corners, plot.map_x(curve.x), plot.map_y(curve.y, curve.x))
    if not inside.any():
        session.noticed.emit("No point lies within what was drawn.", "word")
        return
    leave_out_points(session, scene, set(np.unique(curve.x[inside]).tolist()))


def leave_out_points(session: Session, scene: Scene, chosen: set[float]) -> None:
    """Hands points, given by their x, to the Leave out step in hand, or to a new one."""
    trail = scene.trail if scene.trail and isinstance(scene.trail.slot.rule, LeaveOut) else None
    if trail is not None:
        step = trail.slot.rule
        assert isinstance(step, LeaveOut)
        changed = step.model_copy(update={"points": tuple(sorted(set(step.points) ^ chosen))})
        session.apply(edits.change_step(scene.entry.id, trail.slot.id, changed), "leave points out")
        return
    slot_id = edits.new_id("step")
    new = LeaveOut(points=tuple(sorted(chosen)))
    if session.apply(edits.add_step(scene.entry.id, new, slot_id), "leave points out"):
        session.look_at_stage(slot_id)


def within(outline: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The points inside a closed outline, by the parity of crossings; all in view coordinates."""
    inside = np.zeros(np.shape(x), bool)
    if len(outline) < 3:
        return inside
    for (x0, y0), (x1, y1) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        crosses = (y0 > y) != (y1 > y)
        with np.errstate(divide="ignore", invalid="ignore"):
            inside ^= crosses & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return inside
