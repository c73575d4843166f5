"""How the model is fitted: weights, loss, what u means, and whether patched points count. Folded to one line."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from curvesieve.app.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.models import Model

WEIGHTS = {"u": "u of the points", "none": "all alike", "counts": "√y, for counts", "proportional": "∝ y"}
LOSSES = {
    "squared": "squared", "absolute": "absolute (robust)", "huber": "Huber (robust)", "soft_l1": "soft L1 (robust)",
    "cauchy": "Cauchy (very robust)",
}  # fmt: skip
SCALED = {True: "scaled by the scatter", False: "u as it is"}
PATCHED = {False: "left out", True: "used"}


class FitSettings(QWidget):
    """A line that says what is in force and unfolds to change it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fold = button("", "bare", "How the points are weighed, and how far ones count")
        self.fold.setProperty("small", "true")
        self.fold.clicked.connect(lambda: self.panel.setVisible(self.panel.isHidden()))
        self.weights = self._choice("weights", WEIGHTS, "weights")
        self.loss = self._choice("loss", LOSSES, "loss")
        self.scaled = self._choice("uncertainties", SCALED, "scaled")
        self.patched = self._choice("patched points", PATCHED, "use_patched")
        self.panel = QWidget()
        grid = QGridLayout(self.panel)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        rows = (("weights", self.weights), ("loss", self.loss), ("uncertainties", self.scaled),
                ("patched points", self.patched))  # fmt: skip
        for i, (text, box) in enumerate(rows):
            grid.addWidget(label(text, "muted"), i, 0)
            grid.addWidget(box, i, 1)
        grid.setColumnStretch(1, 1)
        self.panel.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.fold)
        layout.addWidget(self.panel)

    def _choice(self, name: str, texts: dict, field: str) -> Choice:  # type: ignore[type-arg]
        box = Choice()
        box.setProperty("small", "true")
        box.setAccessibleName(name)
        for value, text in texts.items():
            box.addItem(text, value)
        box.activated.connect(lambda _: self._set(field, box.currentData(), name))
        return box

    def _set(self, field: str, value: object, name: str) -> None:
        model = self.session.modelling.model_in_sight()
        if getattr(model, field) != value:
            self.session.modelling.set_model(model.model_copy(update={field: value}), f"choose {name}")

    def show_model(self, model: Model, has_u: bool) -> None:
        for box, value in (
            (self.weights, model.weights), (self.loss, model.loss), (self.scaled, model.scaled),
            (self.patched, model.use_patched),
        ):  # fmt: skip
            box.setCurrentIndex(box.findData(value))
        weights = WEIGHTS[model.weights] if has_u or model.weights != "u" else "all alike (no u)"
        self.fold.setText(f"weights: {weights} · loss: {model.loss.replace('_', ' ')} ▾")
