"""The line over the plot: which curve, how many points, what it is compared with, scales and what else is drawn."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.session.desk import RECORDED, View
from curvesieve.app.widgets.basics import Elided, button
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.axes_views import PLAIN, VIEWS, AxesView, is_scattering, view_of
from curvesieve.core.errors import counted


class Head(QWidget):
    """Renders the scene in words; its buttons ask."""

    compared = pyqtSignal(str)
    scales_switched = pyqtSignal()
    whole_asked = pyqtSignal()
    family_switched = pyqtSignal()
    axes_turned = pyqtSignal()
    straight_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.title, self.facts = Elided(role="strong"), Elided(role="muted")
        self.x_scale = self._button("x lin", "Linear or logarithmic x axis", self._switch_scale)
        self.y_scale = self._button("y lin", "Linear or logarithmic y axis", self._switch_scale)
        self.whole = self._button("Whole curve", "Show all of the curve (Home)", self.whole_asked.emit)
        self.beside = self._button(
            "Family", "The other curves of the family behind this one", self.family_switched.emit
        )
        self.beside.setProperty("kind", "tab")
        for held in (self.x_scale, self.y_scale, self.beside):
            held.setCheckable(True)
        self.axes = Choice()
        for view in VIEWS:
            self.axes.addItem(view.label, view.slug)
        self.axes.setMinimumContentsLength(10)
        self.axes.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.axes.setAccessibleName("axes on which a law is straight")
        self.axes.textActivated.connect(lambda _: self.axes_turned.emit())
        self.straight = self._button("Read", "", self.straight_asked.emit)
        self.against = Choice()
        self.against.setMinimumContentsLength(9)
        self.against.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.against.setAccessibleName("what the stage in hand is compared with")
        self.against.setToolTip("The grey curve: what the stage in hand is compared with")
        self.against.textActivated.connect(lambda _: self.compared.emit(self.against.currentData()))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.title, 2)
        row.addWidget(self.facts, 1)
        for control in (self.against, self.beside, self.axes, self.straight, self.x_scale, self.y_scale, self.whole):
            row.addWidget(control)

    def _button(self, text: str, tip: str, slot: Callable[[], None]) -> QPushButton:
        made = button(text, tip=tip)
        made.clicked.connect(lambda: slot())
        return made

    def _switch_scale(self) -> None:
        self.x_scale.setText("x log" if self.x_scale.isChecked() else "x lin")
        self.y_scale.setText("y log" if self.y_scale.isChecked() else "y lin")
        self.scales_switched.emit()

    def show_scene(self, scene: Scene | None, view: View, others: int) -> None:
        """Says what is drawn; `others` is how many curves the family has beside this one."""
        for button_ in (self.x_scale, self.y_scale, self.whole):
            button_.setVisible(scene is not None)
        self.beside.setVisible(scene is not None and others > 0)
        if scene is None:
            for widget in (self.against, self.axes, self.straight):
                widget.hide()
            self.title.setMaximumWidth(400)
            self.title.set("No curve yet")
            self.facts.set("")
            return
        self._show_axes(scene)
        caught = sum(len(t.caught) for t in scene.made.trail if t.message.endswith("caught"))
        facts = [counted(len(scene.after), "point")]
        if caught:
            facts.append(f"{caught:,} caught")
        below = int((scene.after.y <= 0).sum()) if self.needs_above_zero else 0
        if below:
            facts.append(f"{below:,} not above 0, at the lower edge")
        label = scene.entry.label
        self.title.setMaximumWidth(self.title.fontMetrics().horizontalAdvance(label) + 16)
        self.title.set(label)
        self.facts.set(" · ".join(facts))
        self._fill_against(scene, view)

    @property
    def view(self) -> AxesView:
        """The axes that are chosen, where they are offered."""
        return view_of(self.axes.currentData()) if not self.axes.isHidden() else PLAIN

    @property
    def needs_above_zero(self) -> bool:
        """Whether points at zero or below have no place on the axes."""
        view = self.view
        return view.logs[1] or view.form == "ln" or (view is PLAIN and self.y_scale.isChecked())

    def _show_axes(self, scene: Scene) -> None:
        """The axes of scattering are offered where x is a q; lin and log by hand where they are as measured."""
        offered = is_scattering(scene.after.x_unit)
        self.axes.setVisible(offered)
        view = self.view
        self.axes.setToolTip(f"{view.about}. Choose the axes on which a law is straight.")
        for scale in (self.x_scale, self.y_scale):
            scale.setVisible(view is PLAIN)
        self.straight.setVisible(offered and bool(view.reads))
        self.straight.setText(f"Read {view.words}")
        self.straight.setToolTip(f"Takes the {view.words} off the part that is straight here, with a band to drag")

    def turn(self, slug: str) -> None:
        """Puts a view in hand without a word to anyone."""
        self.axes.setCurrentIndex(max(self.axes.findData(slug), 0))

    def _fill_against(self, scene: Scene, view: View) -> None:
        """The stages before the one in hand, which it can be compared with."""
        trails = scene.made.trail
        place = next((i for i, trail in enumerate(trails) if trail.slot.id == view.stage), len(trails))
        rows = [("against input", ""), ("against record", RECORDED)]
        rows += [(f"against {t.slot.name or t.slot.rule.label}", t.slot.id) for t in trails[:place]]
        self.against.clear()
        for text, stage in rows:
            self.against.addItem(text, stage)
        self.against.setCurrentIndex(max(self.against.findData(view.against), 0))
        self.against.setVisible(len(trails) > 1 and view.stage != RECORDED)
