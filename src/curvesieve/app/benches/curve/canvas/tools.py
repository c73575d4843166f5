"""The tools of the canvas: the step in hand, the model, the points, and the view itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.app.benches.curve.canvas.lasso import leave_out, leave_out_points
from curvesieve.app.benches.curve.canvas.model_view import ModelView
from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.handles import RuleHandles
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.plotting.tools import Tool
from curvesieve.app.session.desk import MODEL, RECORDED
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.measures.base import parse_measure
from curvesieve.core.typed import rounded

SceneNow = Callable[[], Scene | None]
Do = Callable[[], object]


@dataclass
class AskTool(Tool):
    """Asks for y at an x."""

    scene: SceneNow
    ask: Callable[[float], object]

    def menu(self, x: float, y: float) -> list[MenuRow]:
        scene = self.scene()
        return [] if scene is None else [(f"y of the curve at {place_of(scene, x)}", lambda: self.ask(x))]


@dataclass
class ReadTool(Tool):
    """Takes readings, and changes nothing else by a double click while one is in hand."""

    session: Session
    scene: SceneNow
    ask_list: Do

    def menu(self, x: float, y: float) -> list[MenuRow]:
        scene = self.scene()
        if scene is None or scene.trail is not None or self.session.view.stage == RECORDED:
            return []
        at = rounded((x,), float(np.ptp(scene.after.x)) if len(scene.after) else 0.0)[0]
        here = place_of(scene, x)
        return [
            (f"Keep y at {here} as a reading", lambda: self._take("value-at", at=at)),
            ("Take a reading…", self.ask_list),
        ]

    def _take(self, slug: str, **fields: float) -> None:
        self.session.readings.take(parse_measure({"measure": slug, **fields}))


@dataclass
class StepTool(Tool):
    """The handles of the step or the measure in hand."""

    handles: RuleHandles

    def double_click(self, x: float, y: float) -> bool:
        return self.handles.double_click(x, y)

    def band(self, low: float, high: float, finished: bool) -> bool:
        return self.handles.draw_band(low, high, finished)


@dataclass
class ModelTool(Tool):
    """Peaks, the range in use and the stretches that the fit leaves out."""

    session: Session
    scene: SceneNow
    view: ModelView
    add_peak: Callable[[float], object]
    kind: Callable[[], str]
    """The name of the peak that a double click adds."""

    def double_click(self, x: float, y: float) -> bool:
        if self.session.peaks.candidates is not None:
            if not self.view.ghosts.at(x, y):  # its two clicks were for the candidate there
                self.session.peaks.add_at(x)
        elif self.session.readings.in_hand is None:
            self.add_peak(x)
        return True

    def band(self, low: float, high: float, finished: bool) -> bool:
        if self.scene() is None:
            return False
        if self.session.view.stage != MODEL:
            self.session.look_at_stage(MODEL)
        self.view.band.show(low, high)
        (self.view.take_band if finished else self.view.say_band)(low, high)
        return True

    def gap(self, low: float, high: float, finished: bool) -> bool:
        return self.view.draw_gap(low, high, finished)

    def menu(self, x: float, y: float) -> list[MenuRow]:
        scene = self.scene()
        if scene is None or self.session.view.stage != MODEL:
            return []
        here, curve, model = place_of(scene, x), scene.after, self.session.modelling.model_in_sight()
        low, high = model.low, model.high
        rows: list[MenuRow] = [
            (f"Add a peak at {here} ({self.kind()})", lambda: self.add_peak(x)),
            (f"Fit from {here} on", lambda: self.view.take_band(x, _end(high, curve.x, max))),
            (f"Fit up to {here}", lambda: self.view.take_band(_end(low, curve.x, min), x)),
        ]
        if low is not None or high is not None:
            rows.append(("Fit the whole curve", self.view.take_all))
        return rows


@dataclass
class PointTool(Tool):
    """Leaves points out: those within an outline, or the one that is nearest to the pointer."""

    session: Session
    scene: SceneNow
    plot: Plot

    def lasso(self, x: Floats, y: Floats) -> bool:
        scene = self.scene()
        if scene is not None:
            leave_out(self.session, scene, self.plot, x, y)
        return scene is not None

    def menu(self, x: float, y: float) -> list[MenuRow]:
        scene = self.scene()
        if scene is None or self.session.view.stage == RECORDED or not scene.after.x.size:
            return []
        nearest = self.nearest_point(scene, x, y)
        said = f"Leave out the point at {nearest:.6g} {units.shown(scene.after.x_unit)}".strip()
        return [(said, lambda: leave_out_points(self.session, scene, {nearest}))]

    def nearest_point(self, scene: Scene, x: float, y: float) -> float:
        """The x of the point that is drawn nearest to a place."""
        curve, plot = scene.after, self.plot
        across, up = plot.box.viewPixelSize()
        dx = (np.asarray(plot.map_x(curve.x)) - float(plot.map_x(x))) / across
        dy = (np.asarray(plot.map_y(curve.y, curve.x)) - float(plot.map_y(y, x))) / up
        far = np.hypot(dx, dy)
        return float(curve.x[int(np.nanargmin(far))]) if np.isfinite(far).any() else float(curve.x[0])


@dataclass
class ViewTool(Tool):
    """What is seen: ranges, axes, the numbers behind the picture."""

    session: Session
    scene: SceneNow
    plot: Plot
    bring_in: Do
    show_all: Do
    switch_x: Do
    switch_y: Do
    show_points: Do
    write: Do

    def menu(self, x: float, y: float) -> list[MenuRow]:
        if self.scene() is None:
            return [("Bring in files…", self.bring_in)]
        rows: list[MenuRow] = [
            ("", None),
            ("Show the whole curve", self.show_all),
            ("x axis: linear" if self.plot.log_x else "x axis: logarithmic", self.switch_x),
            ("y axis: linear" if self.plot.log_y else "y axis: logarithmic", self.switch_y),
            ("", None),
            ("The numbers of the curve", self.show_points),
            ("A figure of this for print", self.session.figure_asked.emit),
            ("Write the curve as a file…", self.write),
        ]
        if self.session.view.stage != MODEL:
            rows.append(("Back to the model", self._back))
        return rows

    def _back(self) -> None:
        self.session.look(replace(self.session.view, stage=MODEL, against=""))


def place_of(scene: Scene, x: float) -> str:
    """An x with its unit, as a menu says it."""
    return f"{x:.5g} {units.shown(scene.after.x_unit)}".strip()


def _end(given: float | None, x: np.ndarray, end: Callable[[np.ndarray], float]) -> float:
    return given if given is not None else rounded((float(end(x)),), float(np.ptp(x)))[0]
