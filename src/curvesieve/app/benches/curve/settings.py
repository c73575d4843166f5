"""How the model is fitted: to which points, their weights, loss, what u means. Folded to one line."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.number import NumberField
from curvesieve.core.errors import InputError
from curvesieve.core.models import Model
from curvesieve.core.typed import numbers_in

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
        self._said_gaps = ""
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
        self.low, self.high = self._end("low", "first x of the points in use"), self._end("high", "last x of them")
        self.gaps = Line()
        self.gaps.setAccessibleName("stretches that are left out")
        self.gaps.setPlaceholderText("none: type 3 4; 7 8")
        self.gaps.setToolTip("Stretches of x that the fit leaves out, as pairs; Ctrl+Shift+drag draws one")
        self.gaps.editingFinished.connect(self._set_gaps)
        rows = (("weights", self.weights), ("loss", self.loss), ("uncertainties", self.scaled),
                ("patched points", self.patched), ("points from", self.low), ("points to", self.high),
                ("without", self.gaps))  # fmt: skip
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

    def _end(self, field: str, name: str) -> NumberField:
        """An end of the range in use, for the keyboard; empty: that of the curve."""
        made = NumberField(name, "", whole=False, optional=True)
        made.line.setPlaceholderText("the curve's")
        made.line.setToolTip(f"The {name}; Shift+drag on the plot sets both ends")
        made.edited.connect(lambda value: self._set(field, value, "the range in use"))
        made.refused.connect(lambda sentence: self.session.noticed.emit(sentence, "problem"))
        return made

    def _set_gaps(self) -> None:
        text = self.gaps.text().strip()
        if text == self._said_gaps:
            return
        try:
            ends = numbers_in(text)
            if len(ends) % 2:
                raise InputError("stretches are pairs of x, such as 3 4; 7 8")
        except InputError as error:
            self.session.noticed.emit(f"Stretches left out: {error}; what was there is kept.", "problem")
            self.gaps.setText(self._said_gaps)
            return
        pairs = tuple(sorted((min(a, b), max(a, b)) for a, b in zip(ends[::2], ends[1::2], strict=True)))
        self._set("gaps", pairs, "stretches to leave out")

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
        for end, edge in ((self.low, model.low), (self.high, model.high)):
            if end.value != edge or not end.line.hasFocus():
                end.set(edge)
        self._said_gaps = "; ".join(f"{low:g} {high:g}" for low, high in model.gaps)
        if not self.gaps.hasFocus():
            self.gaps.setText(self._said_gaps)
        weights = WEIGHTS[model.weights] if has_u or model.weights != "u" else "all alike (no u)"
        self.fold.setText(f"weights: {weights} · loss: {model.loss.replace('_', ' ')} ▾")
