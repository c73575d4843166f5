"""A measure's card: what it read, each number with its unit, and the sentence on how."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from curvesieve.app.panels.rule_card import RuleCard
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core import units
from curvesieve.core.measures.base import MeasureSlot
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.taking import plain_name
from curvesieve.core.reading import Reading, concise
from curvesieve.core.rules import Rule, Slot

READING = "reading …"


class Numbers(QWidget):
    """All readings of a measure, a row each: name, value, and the unit as a button that offers others."""

    unit_asked = pyqtSignal(str, QPoint)

    def __init__(self) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 4, 0, 0)
        self.grid.setVerticalSpacing(1)
        self.grid.setColumnStretch(0, 1)
        self.values: list[QLabel] = []
        self.names: list[Elided] = []
        self.units: list[QPushButton] = []
        self._readings: tuple[Reading, ...] = ()

    def show_readings(self, readings: Sequence[Reading]) -> None:
        """Renders the numbers; the rows stay while there are as many."""
        self._readings = tuple(readings)
        while len(self.names) < len(readings):
            self._add_row(len(self.names))
        for place, (name, value, unit) in enumerate(zip(self.names, self.values, self.units, strict=True)):
            there = place < len(readings)
            for widget in (name, value, unit):
                widget.setVisible(there)
            if there:
                reading = readings[place]
                of = f" {reading.part}" if reading.part else ""  # of which peak, or loop
                name.set(f"{plain_name(reading.quantity)}{of}")
                value.setText(concise(reading.value, reading.u))
                value.setAccessibleName(f"{reading.name} value")
                unit.setText(units.shown(reading.unit) or "no unit")
                unit.setAccessibleName(f"unit of {reading.name}")

    def _add_row(self, place: int) -> None:
        name, value = Elided(role="muted"), label(role="reading")
        value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        unit = button("", "bare", "Show it in another unit")
        unit.setProperty("small", "true")
        unit.setMinimumWidth(66)
        unit.clicked.connect(lambda: self._ask(place))
        for column, widget in enumerate((name, value, unit)):
            self.grid.addWidget(widget, place, column)
        self.names.append(name)
        self.values.append(value)
        self.units.append(unit)

    def _ask(self, place: int) -> None:
        at = self.units[place].mapToGlobal(QPoint(0, self.units[place].height()))
        self.unit_asked.emit(self._readings[place].quantity, at)


class MeasureCard(RuleCard):
    """One measure. `unit_asked` names the quantity that is to be shown in another unit."""

    unit_asked = pyqtSignal(str, QPoint)
    giving_asked = pyqtSignal()

    def __init__(self, slot_id: str) -> None:
        self.value = label(role="reading")
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        super().__init__(slot_id, "reading", self.value)
        self.said = label(role="muted", wrap=True)
        self.rows.insertWidget(1, self.said)
        self.warning = label(role="caught", wrap=True)
        self.rows.insertWidget(2, self.warning)
        self.numbers: Numbers | None = None
        self.outcome: Outcome | None = None

    def show_outcome(
        self, slot: MeasureSlot, outcome: Outcome | None, units_of_axes: tuple[str, str], in_hand: bool
    ) -> None:
        """Renders the measure with what it read; None while that is being worked out."""
        problem = outcome.problem if outcome is not None and not outcome.absent else ""
        self.show_slot(slot, units_of_axes, problem, in_hand)
        self.show_numbers(slot, outcome)

    def show_numbers(self, slot: Slot[Any], outcome: Outcome | None) -> None:
        """The numbers alone, as while a band is dragged."""
        self.outcome = outcome
        readings = outcome.readings if outcome is not None else ()
        first = readings[0] if readings else None
        absent = outcome is not None and outcome.absent
        self.value.setText("–" if absent else "" if first is None else first.written)
        said = "" if outcome is None else outcome.problem if absent else outcome.sentence
        if not slot.on:
            said = f"switched off · {slot.rule.digest()}".rstrip(" ·")
        elif outcome is None:
            said = READING
        elif not said and not outcome.problem:
            said = slot.rule.digest()
        self.said.setText(said)
        self.said.setVisible(bool(said))
        warning = outcome.warning if outcome is not None else ""
        self.warning.setText(f"⚠ {warning}" if warning else "")
        self.warning.setVisible(bool(warning))
        if self.numbers is not None:
            self.numbers.show_readings(readings)

    def _foot(self, rule: Rule) -> QWidget:
        self.numbers = Numbers()
        self.numbers.unit_asked.connect(self.unit_asked)
        foot = QWidget()
        rows = QVBoxLayout(foot)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addWidget(self.numbers)
        rows.addWidget(label(rule.reference, "muted", wrap=True))
        return foot

    def menu_rows(self) -> list[MenuRow]:
        readings = self.outcome.readings if self.outcome is not None else ()
        copying: list[MenuRow] = [
            (f"Copy {reading.name} with its u, all digits", partial(_copy, reading)) for reading in readings
        ]
        if readings:
            copying.append(("Give to a family as quantities…", self.giving_asked.emit))
        return [*copying, *([("", None)] if copying else []), *super().menu_rows()]


def _copy(reading: Reading) -> None:
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(repr(reading.value) if reading.u is None else f"{reading.value!r}\t{reading.u!r}")
