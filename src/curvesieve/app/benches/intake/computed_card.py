"""The card of a computed channel: name, unit, role, formula, and the quantities that the formula names."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit

from curvesieve.app.benches.intake.cards import ChannelCard
from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.applied import with_names
from curvesieve.core.intake.computed import ComputedChannel, compute, name_in_formula, needed
from curvesieve.core.intake.pattern import ComputedRule
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Record


class ComputedRow(ChannelCard):
    """A computed channel: name, unit, role, formula, and the quantities that the formula names."""

    edited = pyqtSignal(object)
    given = pyqtSignal(str, object, str)
    """A quantity's name, its value (None for none any more), and for which files it was typed."""
    removed = pyqtSignal()
    said_something = pyqtSignal()

    def __init__(
        self, waiting: Waiting, rule: ComputedRule | None, touched: Callable[[str], tuple[int, int]]
    ) -> None:  # fmt: skip
        super().__init__()
        self.waiting, self.touched = waiting, touched
        self.channel = rule.channel if rule else ComputedChannel(name=self._free_name(waiting), formula="")
        role = rule.role if rule else "leave"
        self.name = self._line(self.channel.name, "name", flat=True)
        self.unit = self._line(self.channel.unit, "unit of the result")
        self.unit.setPlaceholderText(self._found_unit() or "worked out")
        self.unit.setFixedWidth(84)
        self.unit.setToolTip("Empty: the unit that follows from the formula. Another one of the same kind converts.")
        self.badge = self.make_badge(role)
        self.roles = self.make_role(self.channel.name, role)
        top = QHBoxLayout()
        top.setSpacing(6)
        for widget in (self.badge, self.name, self.unit, self.roles):
            top.addWidget(widget, 1 if widget is self.name else 0)
        self.formula = self._line(self.channel.formula, "formula")
        self.formula.setProperty("formula", "true")
        self.formula.setPlaceholderText("Force / (width*thickness)")
        self.formula.textEdited.connect(self._check)
        remove = button("×", "bare", "Removes this computed channel")
        remove.setAccessibleName(f"remove {self.channel.name}")
        remove.clicked.connect(self.removed)
        middle = QHBoxLayout()
        middle.setSpacing(4)
        middle.addWidget(self.formula, 1)
        middle.addWidget(remove)
        self.said = label(role="note", wrap=True)
        self.rows.setContentsMargins(7, 5, 8, 6)
        self.rows.addLayout(top)
        self.rows.addLayout(middle)
        self.fields: dict[str, QLineEdit] = {}
        self.reaches: dict[str, Choice] = {}
        self.values: dict[str, Quantity] = {}
        self._add_quantities()
        self.rows.addWidget(self.said)
        self._check(self.formula.text())

    def _line(self, text: str, what: str, flat: bool = False) -> QLineEdit:
        line = Line(text)
        line.setCursorPosition(0)
        line.setAccessibleName(f"{what} of {self.channel.name}")
        if flat:
            line.setProperty("flat", "true")
        line.editingFinished.connect(self._finish)
        return line

    @staticmethod
    def _free_name(waiting: Waiting) -> str:
        taken = {rule.name for rule in waiting.pattern.channels} if waiting.pattern else set()
        taken |= {rule.channel.name for rule in waiting.pattern.computed} if waiting.pattern else set()
        return next(name for i in range(1, 999) if (name := f"computed {i}" if i > 1 else "computed") not in taken)

    def _found_unit(self) -> str:
        made = self.waiting.taken.computed if self.waiting.taken else ()
        unit = next((c.channel.unit for c in made if c.channel.name == self.channel.name), "")
        return units.shown(unit)

    def _add_quantities(self) -> None:
        """A field for each quantity, with the value that the file's own preamble gives, if it does."""
        assert self.waiting.table is not None
        try:
            record, own = self.waiting.table.record, self.waiting.own
            quantities = needed(record, self.channel, own) if self.channel.formula.strip() else []
        except InputError:
            return
        grid = QGridLayout()
        grid.setContentsMargins(28, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        for i, quantity in enumerate(quantities):
            name = quantity if isinstance(quantity, str) else quantity.name
            line = Line("" if isinstance(quantity, str) else quantity.written())
            line.setAccessibleName(f"{name} of {self.channel.name}")
            line.editingFinished.connect(lambda name=name: self._give(name))
            line.setPlaceholderText("12.70(2) mm")
            line.setToolTip("Value, uncertainty and unit: 12.70(2) mm or 12.7 ± 0.2 mm")
            grid.addWidget(label(name, "muted"), i, 0)
            grid.addWidget(line, i, 1)
            if isinstance(quantity, Quantity):
                self.values[name] = quantity
            self.fields[name], self.reaches[name] = line, self._reach(name, isinstance(quantity, str))
            grid.addWidget(self.reaches[name], i, 2)
        self.rows.addLayout(grid)

    def _reach(self, name: str, is_unknown: bool) -> Choice:
        """For which files the value is: with how many each choice touches."""
        missing, every = self.touched(name)
        own = {quantity.name.casefold() for quantity in self.waiting.own}
        many = {quantity.name.casefold(): quantity.everywhere for quantity in self.channel.quantities}
        made, key = Choice(), name.casefold()
        made.setAccessibleName(f"files for which {name} is")
        made.setToolTip("What each file says of itself is kept, unless the value is for all files")
        if many.get(key) or (not is_unknown and key not in own and key not in many):
            made.addItem("of each file", "")
        made.addItem("this file", "this")
        if missing or key in many:
            made.addItem(f"the {missing} without one", "missing")
        made.addItem(f"all {every}", "all")
        at = "all" if many.get(key) else "this" if key in own or is_unknown else "missing" if key in many else ""
        made.setCurrentIndex(max(made.findData(at), 0))
        made.setVisible(every > 1)
        made.activated.connect(lambda _: self._give(name, moved=True))
        return made

    def _give(self, name: str, moved: bool = False) -> None:
        """Hands on a quantity's value when it was typed, or is meant for other files."""
        line, reach = self.fields[name], self.reaches[name].currentData()
        if not (line.isModified() or moved):
            return
        typed, text = line.isModified(), line.text().strip()
        line.setModified(False)
        if moved and not text:
            return
        try:
            quantity = self.values.get(name) if not typed else Quantity.read(name, text) if text else None
        except InputError as error:
            self._say(str(error), wrong=True)
            return
        self.given.emit(name, None if moved and reach == "" else quantity, reach or "this")

    def _say(self, text: str, wrong: bool) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))
        self.said.setProperty("role", "problem" if wrong else "note")
        style = self.said.style()
        if style is not None:
            style.polish(self.said)
        self.said_something.emit()

    def _check(self, text: str) -> None:
        """Says at once, while typing, what is wrong with the formula and where."""
        assert self.waiting.table is not None
        if not text.strip():
            names = ", ".join(self._usable_names())
            self._say(f"Type a formula; it may use {names}, and names of your own.", wrong=False)
            return
        try:
            compute(self._record(), self.channel.model_copy(update={"formula": text}), self.waiting.own)
        except InputError as error:
            place = getattr(error, "position", None)
            marked = f"\n{text[:place]}▸{text[place:]}" if place is not None and "\n" not in text else ""
            self._say(f"{error}{marked}", wrong=True)
        else:
            self._say("", wrong=False)

    def _record(self) -> Record:
        """The record as the formula sees it: with the names and units that were given."""
        assert self.waiting.table is not None
        assert self.waiting.pattern is not None
        record = with_names(self.waiting.table.record, self.waiting.pattern)
        made = self.waiting.taken.computed if self.waiting.taken else ()
        before = itertools.takewhile(lambda one: one.channel.name != self.channel.name, made)
        return replace(record, channels=(*record.channels, *(one.channel for one in before)))

    def _usable_names(self) -> list[str]:
        return [name_in_formula(channel.name) for channel in self._record().channels][:8]

    def _finish(self) -> None:
        """Hands on what the fields say, once it differs."""
        changed = ComputedChannel(
            name=self.name.text().strip() or self.channel.name, formula=self.formula.text().strip(),
            unit=self.unit.text().strip(), quantities=self.channel.quantities,
        )  # fmt: skip
        if changed != self.channel and changed.formula:
            self.channel = changed
            self.edited.emit(changed)
