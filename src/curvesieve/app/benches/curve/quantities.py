"""The card of the quantities: named numbers that formulas of measures may use, such as a width from the preamble."""

from __future__ import annotations

import re
from functools import partial
from itertools import islice

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Card, Elided, button, empty, label
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import InputError
from curvesieve.core.intake.computed import PREAMBLE
from curvesieve.core.quantity import Quantity
from curvesieve.core.study import Study, edits
from curvesieve.core.study.given import column_quantities

_NAME_PX = 108
_MOST_OF_PREAMBLE, _MOST_OFFERED = 8, 20
CURVE, FAMILY, FILE = "this curve", "the family", "the file's preamble"


class QuantitiesCard(Card):
    """Closed, it is a line that names them; open, each can be typed, taken from the files, or taken away."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.is_open = False
        self.setAccessibleName("the quantities of the curve")
        self.said = Elided(role="muted")
        self.add = button("+", "bare", "Give this curve or its family a named quantity, such as a width")
        self.add.setAccessibleName("give a quantity")
        self.add.clicked.connect(self._open_menu)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(label("Quantities", "strong"))
        top.addWidget(self.said, 1)
        top.addWidget(self.add)
        self.rows.addLayout(top)
        self.form = QWidget()
        self.grid = QGridLayout(self.form)
        self.grid.setContentsMargins(0, 2, 0, 0)
        self.grid.setVerticalSpacing(4)
        self.grid.setColumnStretch(1, 1)
        self.rows.addWidget(self.form)
        self.lines: dict[str, Line] = {}
        self._built: tuple[tuple[str, str], ...] = ()
        self.new_name, self.new_value = Line(), Line()
        self.new_name.setPlaceholderText("name")
        self.new_name.setAccessibleName("name of a new quantity")
        self.new_value.setPlaceholderText("12.70(2) mm")
        self.new_value.setAccessibleName("value of a new quantity")
        self.new_value.returnPressed.connect(self._give)
        self.give = button("Give", tip="Give this curve the quantity")
        self.give.clicked.connect(self._give)
        last = QHBoxLayout()
        last.setContentsMargins(0, 2, 0, 0)
        last.addWidget(self.new_name, 2)
        last.addWidget(self.new_value, 3)
        last.addWidget(self.give)
        self.new = QWidget()
        self.new.setLayout(last)
        self.rows.addWidget(self.new)
        self.clicked.connect(self._turn)
        self._show_form()

    def _turn(self) -> None:
        self.open(not self.is_open)

    def open(self, on: bool) -> None:
        """Shows the fields, or the line alone."""
        self.is_open = on
        self.set_in_hand(on)
        self.refresh()

    def _show_form(self) -> None:
        self.form.setVisible(self.is_open and bool(self._built))
        self.new.setVisible(self.is_open)

    def refresh(self) -> None:
        """Renders the quantities in force for the curve in hand."""
        entry = self.session.entry
        quantities = self._shown() if entry is not None else ()
        said = " · ".join(f"{q.name.replace('_', ' ')} {q.written()}" for q in quantities)
        self.said.set(said or ("none" if self.is_open else "none yet: a width, a mass …"))
        wanted = tuple((q.name, self._whose(q)) for q in quantities)
        if wanted != self._built:
            self._rebuild(wanted)
            self._built = wanted
        for q in quantities:
            line = self.lines[q.name]
            if not line.hasFocus() or line.text() != q.written():
                line.setText(q.written())
        self._show_form()

    def _shown(self) -> tuple[Quantity, ...]:
        """Those given by hand, and of the preamble all, or, where it has many, those that formulas name."""
        study, slots = self.session.study, self.session.readings.slots
        found = study.quantities(self._curve_id())
        if sum(q.origin == PREAMBLE for q in found) <= _MOST_OF_PREAMBLE:
            return found
        said = {word for slot in slots for word in re.findall(r"[^\W\d]\w*", getattr(slot.rule, "formula", ""))}
        return tuple(q for q in found if self._whose(q) != FILE or q.name in said)

    def _whose(self, quantity: Quantity) -> str:
        entry = self.session.entry
        family = self.session.study.family_of(entry.id) if entry is not None else None
        if entry is not None and quantity in entry.quantities:
            return CURVE
        return FAMILY if family is not None and quantity in family.quantities else FILE

    def _rebuild(self, wanted: tuple[tuple[str, str], ...]) -> None:
        empty(self.grid)
        self.lines = {}
        for row, (name, whose) in enumerate(wanted):
            title = label(name.replace("_", " "), "muted")
            title.setFixedWidth(_NAME_PX)
            line = Line()
            line.setAccessibleName(f"quantity {name}")
            line.editingFinished.connect(partial(self._edited, name, whose == FAMILY))
            for widget in (title, line):
                widget.setToolTip(f"{name}: of {whose}; type to change it for {FAMILY if whose == FAMILY else CURVE}")
            self.grid.addWidget(title, row, 0)
            self.grid.addWidget(line, row, 1)
            if whose != FILE:
                gone = button("×", "bare", f"Take {name} away from {whose}")
                gone.setAccessibleName(f"take {name} away")
                gone.clicked.connect(partial(self._remove, name))
                self.grid.addWidget(gone, row, 2)
            self.lines[name] = line

    # -- edits --------------------------------------------------------------------------------------

    def _edited(self, name: str, of_family: bool) -> None:
        entry, line = self.session.entry, self.lines.get(name)
        if entry is None or line is None:
            return
        now = next((q for q in self.session.study.quantities(entry.id) if q.name == name), None)
        if now is None or line.text().strip() == now.written():
            return
        try:
            made = Quantity.read(name, line.text())
        except InputError as error:
            line.setText(now.written())
            self.session.noticed.emit(f"{error} {now.written()} is kept.", "problem")
            return
        self.session.apply(edits.set_quantity(entry.id, made, of_family), f"change {name}")

    def _give(self) -> None:
        entry, name, text = self.session.entry, self.new_name.text().strip(), self.new_value.text().strip()
        if entry is None or not (name or text):
            return
        if not name or not text:
            self.session.noticed.emit("A quantity needs a name and a value, such as width and 12.70(2) mm.", "problem")
            return
        try:
            made = Quantity.read(name.replace(" ", "_"), text)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        if self.session.apply(edits.set_quantity(entry.id, made), f"give {made.name}"):
            self.new_name.clear()
            self.new_value.clear()
            self.new_name.setFocus()

    def _remove(self, name: str) -> None:
        entry = self.session.entry
        if entry is not None:
            self.session.apply(edits.remove_quantity(entry.id, name), f"take {name} away")

    def _open_menu(self) -> None:
        menu_of(self, self.menu_rows()).popup(self.add.mapToGlobal(QPoint(0, self.add.height())))

    def menu_rows(self) -> list[MenuRow]:
        """Where quantities can be taken from."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return []
        family = study.family_of(entry.id)
        rows: list[MenuRow] = [("Type one…", self._type_one)]
        unseen = [q for q in study.quantities(entry.id) if q not in self._shown()][:_MOST_OFFERED]
        rows += [("", None)] if unseen else []
        rows += [(f"{q.name} of the file's preamble: {q.written()}", partial(self._take, q)) for q in unseen]
        columns = list(islice(column_quantities(study, entry.id), _MOST_OFFERED))
        rows += [("", None)] if columns else []
        rows += [(f"Mean of the column {q.name}: {q.written()}", partial(self._take, q)) for q in columns]
        shared = entry.quantities if family is not None and len(family.curves) > 1 else ()
        rows += [("", None)] if shared else []
        return [*rows, *((f"{q.name} is that of the whole family", partial(self._to_family, q)) for q in shared)]

    def _type_one(self) -> None:
        self.open(True)
        self.new_name.setFocus()

    def _take(self, quantity: Quantity) -> None:
        if self.session.apply(edits.set_quantity(self._curve_id(), quantity), f"take {quantity.name}"):
            self.open(True)

    def _to_family(self, quantity: Quantity) -> None:
        given = quantity.model_copy(update={"origin": ""})
        curve_id = self._curve_id()

        def edit(study: Study) -> Study:
            return edits.set_quantity(curve_id, given, True)(edits.remove_quantity(curve_id, given.name)(study))

        self.session.apply(edit, f"share {quantity.name}")

    def _curve_id(self) -> str:
        assert self.session.view.curve is not None
        return self.session.view.curve
