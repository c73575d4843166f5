"""The canvas of the Curve bench: main plot, catch strip, and the gestures that become edits."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.canvas.empty import EmptyPage
from curvesieve.app.benches.curve.canvas.family import FamilyLayer
from curvesieve.app.benches.curve.canvas.head import Head
from curvesieve.app.benches.curve.canvas.layers import Layers
from curvesieve.app.benches.curve.canvas.model_view import ModelView
from curvesieve.app.benches.curve.canvas.ranges import frame_of, go_to, is_in_sight, show_part, show_whole
from curvesieve.app.benches.curve.canvas.scene import Scene, scene_of
from curvesieve.app.benches.curve.canvas.strip import CatchStrip
from curvesieve.app.benches.curve.canvas.tools import AskTool, ModelTool, PointTool, ReadTool, StepTool, ViewTool
from curvesieve.app.plotting.handles import RuleHandles
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.plotting.tools import Toolbox
from curvesieve.app.session.desk import MODEL, RECORDED, View
from curvesieve.app.session.session import Session
from curvesieve.core import units
from curvesieve.core.axes_views import PLAIN
from curvesieve.core.measures.base import Measure
from curvesieve.core.measures.straight_axes import straight_in, straight_range
from curvesieve.core.models import PEAKS, TERMS, Model, OwnTerm
from curvesieve.core.rules import Rule
from curvesieve.core.steps import Step
from curvesieve.core.steps.trim import LeaveOut
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import preview

HINTS = {
    RECORDED: "Wheel zooms · drag moves · Ctrl+drag zooms to a box",
    MODEL: "Double-click adds a peak · drag crown or shoulders · Shift+drag: range in use, with Ctrl: left out",
    "candidates": "Click a ghost to keep or drop it · double-click where a peak was not found",
    "points": "Alt+drag around points to leave them out · Shift+drag a band",
    "reading": "Change its fields in the card · drag moves · wheel zooms",
    "step": "Click a caught point in the list below to go there · wheel zooms · drag moves",
}


_MOST_LIVE = 200_000
"""The effort up to which a step is passed again at every move of the hand; see `Step.effort`."""


class Canvas(QWidget):
    """Renders the curve in hand; see `scene` for what is shown at which stage."""

    write_asked = pyqtSignal()
    points_asked = pyqtSignal()
    asked_at = pyqtSignal(float)
    pointer = pyqtSignal(str)
    hint = pyqtSignal(str)
    previewed = pyqtSignal(object)
    """What the measure in hand would read while it is dragged."""
    reading_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.peak: str | OwnTerm = "lorentzian"
        self.first_background: str | None = "line"
        self._scene: Scene | None = None
        self._framed = ""
        self._build()
        self._make_items()
        session.changed.connect(self._on_changed)
        session.view_changed.connect(self._on_view_changed)
        session.sieve_done.connect(self.refresh)
        session.readings.read.connect(self.refresh)
        session.peaks.sought.connect(self.say_hint)

    # -- making -------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.head = head = Head()
        self.title, self.facts, self.against = head.title, head.facts, head.against
        self.x_scale, self.y_scale, self.whole, self.beside = head.x_scale, head.y_scale, head.whole, head.beside
        head.compared.connect(self._compare)
        head.scales_switched.connect(self._switch_scale)
        head.whole_asked.connect(self.show_all)
        head.family_switched.connect(self._switch_family)
        head.axes_turned.connect(self._turn_axes)
        head.straight_asked.connect(self._read_straight)
        head.turn("log-log")
        self.plot = Plot()
        self.strip = CatchStrip(self.plot)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.setChildrenCollapsible(False)
        self.splitter.addWidget(self.plot)
        self.strip.join(self.splitter)
        self.splitter.setSizes([420, 118])
        self.splitter.setStretchFactor(0, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(head)
        layout.addWidget(self.splitter, 1)
        self.empty = EmptyPage()
        layout.addWidget(self.empty, 1)

    def _make_items(self) -> None:
        self.layers = Layers(self.plot)
        self.family = FamilyLayer(self.session, self.plot, self.layers)
        self.family.known.connect(self._family_known)
        self.model = ModelView(self.session, self.plot, self.layers, self)
        self.model.hint.connect(self.hint)
        self.rule_handles = RuleHandles(self.plot)
        self.rule_handles.moving.connect(self._rule_moving)
        self.rule_handles.moved.connect(self._rule_moved)
        scene = self.scene_now
        self.tools = Toolbox(
            self.plot,
            [
                AskTool(scene, self.asked_at.emit),
                ReadTool(self.session, scene, self.reading_asked.emit),
                StepTool(self.rule_handles),
                ModelTool(self.session, scene, self.model, self.add_peak_at, self._peak_name),
                PointTool(self.session, scene, self.plot),
                ViewTool(
                    self.session, scene, self.plot, self.empty.files_asked.emit, self.show_all, self.x_scale.click,
                    self.y_scale.click, self.points_asked.emit, self.write_asked.emit,
                ),
            ],
        )  # fmt: skip
        self.plot.pointer_moved.connect(self._pointer_moved)
        self.strip.plot.pointer_moved.connect(self._pointer_moved)
        self.strip.point_chosen.connect(self._go_to)

    # -- rendering ----------------------------------------------------------------------------------

    def _on_changed(self, old: Study, new: Study) -> None:
        self.refresh()

    def _on_view_changed(self, old: View, new: View) -> None:
        self.refresh()
        if new.reading and self._scene is not None and new.reading.part:
            self._show_around(new.reading.part)

    def refresh(self) -> None:
        """Draws the session's study and view anew; the ranges of the axes stay as long as the curve does."""
        session = self.session
        made = session.sieved()
        measured = (session.readings.outcomes() if made is not None else None) or ()
        self._scene = scene = scene_of(session.study, session.view, made, measured)
        self.splitter.setVisible(scene is not None)
        family = None if scene is None else session.study.family_of(scene.entry.id)
        self.head.show_scene(scene, session.view, len(family.curves) - 1 if family is not None else 0)
        self.empty.setVisible(scene is None)
        if scene is None:
            self._clear()
            return
        after = scene.after
        self._set_axes()
        self.layers.show_curves(scene)
        self.family.show(scene.after)
        self.plot.set_labels(*self.head.view.titles((after.x_label, after.x_unit), (after.y_label, after.y_unit)))
        shown = session.modelling.model_shown() if session.view.stage == MODEL or scene.measure else Model()
        model = shown if scene.measure is None else Model()
        self.model.show(scene, model)
        if scene.trail is not None:
            self.rule_handles.show(scene.trail.slot.rule, scene.trail.before, scene.trail.shapes)
        elif scene.measure is not None and len(scene.after):
            self.rule_handles.show(scene.measure.rule, scene.after, ())
        else:
            self.rule_handles.hide()
        self.strip.show_scene(scene, shown, self.head.view is not PLAIN)
        self.layers.mark_reading(model, self.model.chosen_peak)
        self.say_hint()
        if self._framed != self._frame(scene) or not is_in_sight(self.plot, after):
            self.show_all()
        for plot in (self.plot, self.strip.plot):
            plot.settle()

    def _clear(self) -> None:
        self.layers.clear()
        self.family.show(None)
        self.model.show(None, Model())
        self.rule_handles.hide()
        self.plot.set_labels("", "")
        self.strip.show_caught(np.empty(0), np.empty(0), np.empty(0), "CATCH")
        self.hint.emit("Drop text files on the window, open them, or paste a table")

    def _compare(self, stage: str) -> None:
        self.session.look(replace(self.session.view, against=stage))

    def say_hint(self) -> None:
        """Says what the pointer can do at the stage in hand."""
        if self._scene is None:
            return
        stage = self.session.view.stage
        if self.session.peaks.candidates is not None and stage == MODEL:
            self.hint.emit(HINTS["candidates"])
            return
        step = self._scene.trail.slot.rule if self._scene.trail is not None else None
        if isinstance(step, LeaveOut):
            self.hint.emit(HINTS["points"])
        elif self._scene.measure is not None:
            self.hint.emit(self.rule_handles.hint or HINTS["reading"])
        else:
            self.hint.emit(HINTS[stage] if stage in HINTS else self.rule_handles.hint or HINTS["step"])

    def restyle(self) -> None:
        """Takes on the colours of another scheme."""
        self.plot.restyle()
        self.strip.restyle()
        self.model.band.restyle()
        self.rule_handles.restyle()
        self.model.forget_handles()
        self.refresh()

    def drop_drag(self) -> bool:
        """Lets go of what is being dragged, and draws what is: nothing was changed. Whether anything was dragged."""
        dropped = self.plot.drop_drag() or self.strip.plot.drop_drag()
        if dropped:
            self.model.forget_handles()
            self.refresh()
        return dropped

    # -- ranges -------------------------------------------------------------------------------------

    def show_all(self) -> None:
        """Fits the axes to the curve: all that passed, and the spikes that were ringed."""
        scene = self._scene
        if scene is None:
            return
        self._framed = self._frame(scene)
        show_whole(self.plot, scene, bool(self.model.model.peaks))
        self.family.widen()

    def _show_law(self) -> None:
        """Fits the axes to the part in which the law of the view may be straight; all of it for other views."""
        self.show_all()
        scene = self._scene
        ends = None if scene is None else straight_range(self.head.view, scene.after)
        if ends is not None and scene is not None:
            show_part(self.plot, scene.after, *ends)

    def _show_around(self, number: int) -> None:
        """Brings a peak into view when it is not."""
        if number not in {placed.number for placed in self.model.model.peaks}:
            return
        center = float(self.plot.map_x(self.model.model.term_numbered(number).parameters["center"].start))
        low, high = self.plot.box.viewRange()[0]
        if not low < center < high:
            self.show_all()

    def _go_to(self, x: float) -> None:
        """Centers the view on a caught point."""
        if self._scene is not None:
            go_to(self.plot, (self._scene.before or self._scene.after).x, x)

    def _switch_family(self) -> None:
        self.family.on = self.beside.isChecked()
        self._family_known()
        self.show_all()
        if self.family.left_out:
            self.session.noticed.emit(self.family.left_out, "word")

    def _family_known(self) -> None:
        self.family.show(self._scene.after if self._scene is not None else None)
        self.family.widen()

    def _switch_scale(self) -> None:
        self.refresh()
        self.show_all()

    def _turn_axes(self) -> None:
        self.refresh()
        self._show_law()

    def _set_axes(self) -> None:
        """Logarithms as the buttons say, or the axes of the view that is chosen; the strip shares x alone."""
        view = self.head.view
        logs = view.logs if view is not PLAIN else (self.x_scale.isChecked(), self.y_scale.isChecked())
        self.plot.set_log(*logs, view)
        self.strip.plot.set_log(logs[0], False, replace(view, times=0, form=""))

    def _frame(self, scene: Scene) -> str:
        """What the ranges of the axes belong to: see `frame_of`, and the axes themselves."""
        return f"{frame_of(scene)}|{self.head.view.slug}"

    def _read_straight(self) -> None:
        """Takes the reading of the law that is straight on these axes, its band where the law was found."""
        scene = self._scene
        if scene is not None:
            self.session.readings.take_as(straight_in(self.head.view, scene.after))

    # -- gestures -----------------------------------------------------------------------------------

    def _pointer_moved(self, place: tuple[float, float] | None) -> None:
        scene = self._scene
        if place is None or scene is None:
            self.pointer.emit("")
            return
        curve = scene.after
        x, y = place
        text = f"x {x:.6g} {units.shown(curve.x_unit)}   y {y:.5g} {units.shown(curve.y_unit)}"
        if curve.is_sorted and curve.x[0] <= x <= curve.x[-1]:
            at = int(np.argmin(np.abs(curve.x[max(0, (i := int(np.searchsorted(curve.x, x))) - 1) : i + 1])))
            nearest = max(0, i - 1) + at
            text += f"   nearest point {curve.x[nearest]:.6g}, {curve.y[nearest]:.5g}"
            text += f"   on the straight line between points {np.interp(x, curve.x, curve.y):.5g}"
        self.pointer.emit(text)

    def scene_now(self) -> Scene | None:
        """What is drawn; None while there is no curve."""
        return self._scene

    def _peak_name(self) -> str:
        kind = self.peak
        return TERMS[kind].label if isinstance(kind, str) and kind in PEAKS else getattr(kind, "name", "peak")

    def add_peak_at(self, x: float) -> None:
        """Adds a peak of the kind that is chosen."""
        if self._scene is not None:
            own = self.peak if isinstance(self.peak, OwnTerm) else None
            slug = "own" if own else str(self.peak)
            self.session.modelling.add_peak(slug, x, self.first_background, own)

    def _rule_moving(self, rule: Rule) -> None:
        """A rule is being dragged: what it would do, or read, is drawn at once."""
        scene = self._scene
        if scene is None:
            return
        self.hint.emit(f"{rule.label}: {rule.digest()}")
        if isinstance(rule, Step):
            self._step_moving(scene, rule)
        elif isinstance(rule, Measure) and scene.measure is not None and rule.effort(scene.after) <= _MOST_LIVE:
            made = self.session.readings.preview(scene.measure, rule)
            if made is not None:
                self.layers.show_reading(made)
                self.previewed.emit(made)

    def _step_moving(self, scene: Scene, step: Step) -> None:
        curve_id = self.session.view.curve
        if scene.trail is None or curve_id is None:
            return
        if step.effort(scene.trail.before) <= _MOST_LIVE:
            made = preview(self.session.study, curve_id, scene.trail, step)
            if not made.problem:
                self.layers.show_preview(made.after, made.shapes)

    def _rule_moved(self, rule: Rule) -> None:
        scene, curve_id = self._scene, self.session.view.curve
        if scene is None or curve_id is None:
            return
        if isinstance(rule, Step) and scene.trail is not None and rule != scene.trail.slot.rule:
            self.session.apply(edits.change_step(curve_id, scene.trail.slot.id, rule), f"drag {rule.label}")
        elif isinstance(rule, Measure) and scene.measure is not None and rule != scene.measure.rule:
            self.session.apply(edits.change_measure(curve_id, scene.measure.id, rule), f"drag {rule.label}")
