"""Curves made without a file: a formula simulated with noise, or a channel counted into a histogram."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.plotting.trace import Trace
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.number import NumberField
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.made import BIN_RULES, NOISES, Histogram, Simulation, histogram, simulate
from curvesieve.core.models import TERMS
from curvesieve.core.record import Record

if TYPE_CHECKING:
    from curvesieve.core.formats import Table

_STARTS = {"center": 5.0, "height": 1.0, "fwhm": 2.0, "offset": 0.0, "slope": 0.1}
_FORMULA = "a formula of your own"
_LIVE_POINTS, _LIVE_NUMBERS = 20_000, 200_000


class MakingPanel(QWidget):
    """What is to be made at the left, how it looks at the right. `made` hands over the table."""

    made = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.record: Record | None = None
        self.parameters: dict[str, float] = {}
        self.what = Choice()
        self.what.addItems(["simulated curve", "histogram of a channel"])
        self.what.setAccessibleName("what is made")
        self.what.currentIndexChanged.connect(lambda _: self._show_fields())
        self.card = Card()
        self.simulated, self.counted = self._make_simulation(), self._make_histogram()
        self.card.rows.addWidget(self.simulated)
        self.card.rows.addWidget(self.counted)
        self.problem = label(role="problem", wrap=True)
        self.put = button("Put it with the files", "act", "It waits with the files until it is brought in")
        self.put.clicked.connect(self._finish)
        back = button("Back to the files")
        back.clicked.connect(self.closed)
        head = QHBoxLayout()
        head.addWidget(label("MAKE A CURVE", "section"))
        head.addWidget(self.what, 1)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 6, 0)
        column.addWidget(self.card)
        column.addWidget(self.problem)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.plot = Plot()
        self.plot.setMinimumHeight(180)
        self.true, self.trace = Trace(self.plot, z=2), Trace(self.plot, z=1)
        buttons = QHBoxLayout()
        buttons.addWidget(back)
        buttons.addWidget(self.put, 1)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addLayout(head)
        rows.addWidget(self.plot, 2)
        rows.addWidget(scroll, 3)
        rows.addLayout(buttons)
        self._show_fields()

    # -- fields -------------------------------------------------------------------------------------

    def _make_simulation(self) -> QWidget:
        self.model = Choice()
        for slug, term in TERMS.items():
            if term.over_peaks:
                continue  # without peaks there is nothing to follow
            self.model.addItem(term.label, slug)
        self.model.addItem(_FORMULA, "")
        self.model.setAccessibleName("model")
        self.model.currentIndexChanged.connect(lambda _: self._model_changed())
        self.formula = Line("amplitude*exp(-x/tau) + offset")
        self.formula.setProperty("formula", "true")
        self.formula.setAccessibleName("formula")
        self.formula.textEdited.connect(lambda _: self._model_changed())
        self.low, self.high = self._number("x from", 0.0), self._number("to", 10.0)
        self.points = self._number("points", 201, whole=True)
        self.spacing = Choice()
        self.spacing.addItems(["equal steps of x", "equal steps of log x"])
        self.spacing.setAccessibleName("spacing of x")
        self.noise = Choice()
        self.noise.addItems(NOISES)
        self.noise.setCurrentText("normal")
        self.noise.setAccessibleName("noise")
        self.noise_size = self._number("size of the noise", 0.02)
        self.seed = self._number("seed", 1, whole=True)
        self.x_unit, self.y_unit = Line(), Line()
        for line, name in ((self.x_unit, "unit of x"), (self.y_unit, "unit of y")):
            line.setPlaceholderText(name)
            line.setAccessibleName(name)
            line.editingFinished.connect(self.refresh)
        for choice in (self.spacing, self.noise):
            choice.currentIndexChanged.connect(lambda _: self.refresh())
        page = QWidget()
        form = QFormLayout(page)
        form.setContentsMargins(0, 0, 0, 0)
        form.addRow("Model", self.model)
        form.addRow("", self.formula)
        self.values = QWidget()
        self.value_rows = QFormLayout(self.values)
        self.value_rows.setContentsMargins(0, 0, 0, 0)
        form.addRow("Parameters", self.values)
        form.addRow("x from", _side_by_side(self.low, label("to", "muted"), self.high, self.x_unit))
        form.addRow("Points", _side_by_side(self.points, self.spacing))
        form.addRow("Noise", _side_by_side(self.noise, self.noise_size, label("seed", "muted"), self.seed))
        form.addRow("Unit of y", self.y_unit)
        self._fill_parameters()
        return page

    def _make_histogram(self) -> QWidget:
        self.channel = Choice()
        self.channel.setAccessibleName("channel")
        self.rule = Choice()
        for slug, name in BIN_RULES.items():
            self.rule.addItem(f"rule of {name}", slug)
        self.rule.setAccessibleName("rule for the bins")
        self.bins = self._number("number of bins", None, whole=True, optional=True)
        self.bins.line.setPlaceholderText("by the rule")
        for choice in (self.channel, self.rule):
            choice.currentIndexChanged.connect(lambda _: self.refresh())
        page = QWidget()
        form = QFormLayout(page)
        form.setContentsMargins(0, 0, 0, 0)
        form.addRow("Channel", self.channel)
        form.addRow("Bins", _side_by_side(self.bins, self.rule))
        return page

    def _number(self, name: str, value: float | None, whole: bool = False, optional: bool = False) -> NumberField:
        field = NumberField(name, "", whole, optional)
        field.set(value)
        field.edited.connect(lambda _: self.refresh())
        field.refused.connect(self.problem_said)
        return field

    def problem_said(self, text: str) -> None:
        self.problem.setText(text)
        self.problem.show()

    def _model_changed(self) -> None:
        self._fill_parameters()
        self.refresh()

    def _fill_parameters(self) -> None:
        """A field for each parameter of the model; values that were given stay."""
        own = not self.model.currentData()
        self.formula.setVisible(own)
        try:
            names = self._recipe().summed.names
        except InputError:
            return
        while self.value_rows.rowCount():
            self.value_rows.removeRow(0)
        for name in names:
            self.parameters.setdefault(name, _STARTS.get(name, 1.0))
            field = NumberField(name, "", False, False, 0.1)
            field.set(self.parameters[name])
            field.edited.connect(self._setter(name))
            field.refused.connect(self.problem_said)
            self.value_rows.addRow(name, field)

    def _setter(self, name: str) -> Callable[[Any], None]:
        def put(value: Any) -> None:
            self.parameters[name] = float(value)
            self.refresh()

        return put

    # -- what comes of it ---------------------------------------------------------------------------

    def show_record(self, record: Record | None) -> None:
        """The record whose channels can be counted."""
        self.record = record
        names = [channel.name for channel in record.channels] if record else []
        if names != [self.channel.itemText(i) for i in range(self.channel.count())]:
            self.channel.blockSignals(True)
            self.channel.clear()
            self.channel.addItems(names)
            self.channel.blockSignals(False)

    def _show_fields(self) -> None:
        simulating = self.what.currentIndex() == 0
        self.simulated.setVisible(simulating)
        self.counted.setVisible(not simulating)
        self.refresh()

    def _recipe(self) -> Simulation:
        return Simulation(
            model=self.model.currentData() or self.formula.text(), parameters=self.parameters,
            low=self.low.value or 0.0, high=self.high.value or 0.0, points=int(self.points.value or 0),
            logarithmic=self.spacing.currentIndex() == 1, noise=self.noise.currentText(),  # type: ignore[arg-type]
            size=self.noise_size.value or 0.0, seed=int(self.seed.value or 0), x_unit=self.x_unit.text().strip(),
            y_unit=self.y_unit.text().strip(),
        )  # fmt: skip

    def maker(self, live: bool = False) -> Callable[[], Table]:
        """Makes what the fields describe, also in another thread; from fewer numbers while it is only looked at."""
        try:
            if self.what.currentIndex() == 0:
                recipe = self._recipe()
                if live and recipe.points > _LIVE_POINTS:
                    recipe = recipe.model_copy(update={"points": _LIVE_POINTS})
                return partial(simulate, recipe)
            if self.record is None or not self.channel.currentText():
                raise InputError("Choose a file on the left first; its channels can be counted into a histogram.")
            how = Histogram(rule=self.rule.currentData(), bins=int(self.bins.value or 0))
            channel = self.record[self.channel.currentText()]
            if live and channel.values.size > _LIVE_NUMBERS:
                channel = replace(channel, values=channel.values[:: channel.values.size // _LIVE_NUMBERS])
            return partial(histogram, channel, self.record.source, how)
        except ValidationError as error:
            fault = error.errors()[0]
            raise InputError(f"{fault['loc'][0]}: {fault['msg'].lower()}.") from error

    def refresh(self) -> None:
        if not hasattr(self, "plot"):
            return
        self.noise_size.setVisible(self.noise.currentText() in ("normal", "proportional"))
        self.plot.restyle()
        try:
            record = self.maker(live=True)().record
        except InputError as error:
            self.problem_said(str(error))
            self.put.setEnabled(False)
            return
        self.problem.hide()
        self.put.setEnabled(True)
        x, y = record.channels[0], record.channels[1]
        self.trace.set(x.values, y.values, pen("ink", 1.2))
        if record.channels[-1].name == "true y":
            self.true.set(x.values, record.channels[-1].values, pen("violet", 1.4))
        else:
            self.true.clear()
        self.plot.set_labels(units.labelled(x.name, x.unit), units.labelled(y.name, y.unit))
        self.plot.box.setRange(
            xRange=(x.values.min(), x.values.max()), yRange=(y.values.min(), y.values.max()), padding=0.05
        )
        self.trace.redraw()
        self.true.redraw()

    def _finish(self) -> None:
        try:
            self.made.emit(self.maker())
        except InputError as error:
            self.problem_said(str(error))


def _side_by_side(*widgets: QWidget) -> QWidget:
    page = QWidget()
    row = QHBoxLayout(page)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(6)
    for widget in widgets:
        row.addWidget(widget)
    return page
