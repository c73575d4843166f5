"""The line over the plot: which curve, how many points, what it is compared with, scales and what else is drawn."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.session.desk import RECORDED, View
from curvesieve.app.widgets.basics import Elided, button
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.errors import counted


class Head(QWidget):
    """Renders the scene in words; its buttons ask."""

    compared = pyqtSignal(str)
    scales_switched = pyqtSignal()
    whole_asked = pyqtSignal()
    family_switched = pyqtSignal()

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
        for control in (self.against, self.beside, self.x_scale, self.y_scale, self.whole):
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
        for widget in (self.x_scale, self.y_scale, self.whole):
            widget.setVisible(scene is not None)
        self.beside.setVisible(scene is not None and others > 0)
        if scene is None:
            self.against.hide()
            self.title.setMaximumWidth(400)
            self.title.set("No curve yet")
            self.facts.set("")
            return
        caught = sum(len(t.caught) for t in scene.made.trail if t.message.endswith("caught"))
        facts = [counted(len(scene.after), "point")]
        if caught:
            facts.append(f"{caught:,} caught")
        label = scene.entry.label
        self.title.setMaximumWidth(self.title.fontMetrics().horizontalAdvance(label) + 16)
        self.title.set(label)
        self.facts.set(" · ".join(facts))
        self._fill_against(scene, view)

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
