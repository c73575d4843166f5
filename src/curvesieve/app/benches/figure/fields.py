"""Editors of single fields: one for each kind of value that a part of a figure has."""

from __future__ import annotations

import types
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QWidget

from curvesieve.app.benches.figure.rows import Row
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.number import NumberField
from curvesieve.app.widgets.swatch import Swatch
from curvesieve.core.figures.markup import GREEK
from curvesieve.core.study.figure_parts import Spot
from curvesieve.core.typed import numbers_in

_NARROW_PX, _SMALL_PX = 74, 44


class Field(QWidget):
    """An editor. `edited` has the values of its fields by their names, `refused` why a text was not taken."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, row: Row) -> None:
        super().__init__()
        self.row = row
        self.line = QHBoxLayout(self)
        self.line.setContentsMargins(0, 0, 0, 0)
        self.line.setSpacing(4)

    def show_value(self, part: BaseModel) -> None:
        """Shows what the part has."""
        raise NotImplementedError


class Numbers(Field):
    """One number, or two side by side."""

    def __init__(self, row: Row, whole: bool, optional: bool) -> None:
        super().__init__(row)
        names = [name for name in (row.field, row.other) if name]
        self.fields: dict[str, NumberField] = {}
        self.line.addStretch(1)
        for place, name in enumerate(names):
            said = f"{row.words} {name}" if row.other else row.words
            field = NumberField(said, row.unit if place == len(names) - 1 else "", whole, optional)
            field.line.setFixedWidth(_SMALL_PX if whole or row.beside else _NARROW_PX)
            field.line.setPlaceholderText(row.empty)
            field.setToolTip(row.tip)
            field.unit.setVisible(bool(field.unit.text()))
            field.edited.connect(lambda value, name=name: self.edited.emit({name: value}))
            field.refused.connect(self.refused)
            if place:
                self.line.addWidget(label("×" if row.unit == "mm" else "–", "muted"))
            self.line.addWidget(field)
            self.fields[name] = field

    def show_value(self, part: BaseModel) -> None:
        for name, field in self.fields.items():
            field.set(getattr(part, name))


class NumberList(Field):
    """Several numbers in one line of text; `pair` takes two of them or none."""

    def __init__(self, row: Row, pair: bool) -> None:
        super().__init__(row)
        self.pair = pair
        self.text = Line()
        self.text.setAccessibleName(row.words)
        self.text.setPlaceholderText(row.empty)
        self.text.setToolTip(row.tip)
        self.text.editingFinished.connect(self._finish)
        self.line.addWidget(self.text, 1)
        self._shown = ""

    def show_value(self, part: BaseModel) -> None:
        value = getattr(part, self.row.field) or ()
        self._shown = " ".join(f"{one:.10g}" for one in value)
        self.text.setText(self._shown)

    def _finish(self) -> None:
        typed = self.text.text().strip()
        if typed == self._shown:
            return
        try:
            numbers = tuple(numbers_in(typed)) if typed else ()
            if self.pair and len(numbers) not in (0, 2):
                raise ValueError(f"{self.row.words}: two numbers are needed, from and to.")
        except ValueError as error:
            self.text.setText(self._shown)
            self.refused.emit(str(error))
            return
        self.edited.emit({self.row.field: numbers if not self.pair else (numbers or None)})


class Words(Field):
    """A line of words, with a palette of letters and of readings where they are marked up."""

    def __init__(self, row: Row, optional: bool, readings: Callable[[], list[tuple[str, str]]] | None = None) -> None:
        super().__init__(row)
        self.optional, self.readings = optional, readings
        self.text = Line()
        self.text.setAccessibleName(row.words)
        self.text.setPlaceholderText(row.empty)
        self.text.setToolTip(row.tip)
        if row.kind == "formula":
            self.text.setProperty("formula", "true")
        self.text.editingFinished.connect(self._finish)
        self.line.addWidget(self.text, 1)
        self._shown = ""
        if row.kind == "words":
            self.palette_button = button("Ω ▾", "bare", "Letters, raised and lowered words, readings")
            self.palette_button.setAccessibleName(f"letters for {row.words}")
            self.palette_button.clicked.connect(self.open_palette)
            self.line.addWidget(self.palette_button)

    def show_value(self, part: BaseModel) -> None:
        self._shown = getattr(part, self.row.field) or ""
        if not (self.text.hasFocus() and self.text.isModified()):
            self.text.setText(self._shown)

    def _finish(self) -> None:
        typed = self.text.text()
        if typed != self._shown:
            self._shown = typed
            self.edited.emit({self.row.field: None if self.optional and not typed.strip() else typed})

    def open_palette(self) -> None:
        menu_of(self, self.palette_rows()).popup(
            self.palette_button.mapToGlobal(QPoint(0, self.palette_button.height()))
        )

    def palette_rows(self) -> list[MenuRow]:
        """What can be put in where the cursor is."""
        signs: list[MenuRow] = [
            ("raised  x^{…}", partial(self.put, "^{}", 1)), ("lowered  x_{…}", partial(self.put, "_{}", 1)),
            ("italic  *…*", partial(self.put, "**", 1)), ("", None),
        ]  # fmt: skip
        signs += [(sign, partial(self.put, sign)) for sign in ("°", "×", "±", "·", "Å", "−", "⁻¹", "²")]
        signs += [("", None), *((letter, partial(self.put, letter)) for letter in list(GREEK.values())[:24])]
        if self.readings is not None:
            found = self.readings()
            signs += [("", None), *((words, partial(self.put, text)) for words, text in found)]
            if not found:
                signs.append(("No curve of this panel has a reading yet", None))
        return signs

    def put(self, text: str, back: int = 0) -> None:
        """Puts letters in at the cursor, which is left before the last `back` of them."""
        self.text.setFocus()
        self.text.insert(text)
        self.text.setModified(True)
        self.text.setCursorPosition(self.text.cursorPosition() - back)
        if not back:
            self._finish()


class Chosen(Field):
    """One of some values; None is one of them where it may be left open."""

    def __init__(self, row: Row, values: Sequence[str], optional: bool) -> None:
        super().__init__(row)
        said = dict(row.choices)
        self.values: list[str | None] = [*([None] if optional else []), *values]
        self.choice = Choice()
        self.choice.setAccessibleName(row.words)
        self.choice.setToolTip(row.tip)
        self.choice.addItems([row.empty or "none" if one is None else said.get(one, one) for one in self.values])
        self.choice.setMinimumContentsLength(8)
        self.choice.activated.connect(lambda place: self.edited.emit({row.field: self.values[place]}))
        self.line.addStretch(1)
        self.line.addWidget(self.choice)

    def show_value(self, part: BaseModel) -> None:
        value = getattr(part, self.row.field)
        if value not in self.values:
            self.values.append(value)
            self.choice.addItem(str(value))
        self.choice.setCurrentIndex(self.values.index(value))

    def offer(self, values: Sequence[str]) -> None:
        """Other values to choose among; what is chosen stays."""
        now = self.values[self.choice.currentIndex()]
        self.values = [*values, *([] if now in values else [now])]
        self.choice.clear()
        self.choice.addItems([str(one) for one in self.values])
        self.choice.setCurrentIndex(self.values.index(now))


class OnOff(Field):
    """Yes or no."""

    def __init__(self, row: Row) -> None:
        super().__init__(row)
        self.box = QCheckBox()
        self.box.setAccessibleName(row.words)
        self.box.setToolTip(row.tip)
        self.box.clicked.connect(lambda on: self.edited.emit({row.field: on}))
        self.line.addStretch(1)
        self.line.addWidget(self.box)

    def show_value(self, part: BaseModel) -> None:
        self.box.setChecked(bool(getattr(part, self.row.field)))


class Colour(Field):
    """A colour: one of the manner's, any other, or as the manner says."""

    def __init__(self, row: Row, optional: bool, palette: Callable[[], Sequence[str]]) -> None:
        super().__init__(row)
        self.swatch = Swatch(row.words, palette, "as the manner says" if optional else "", "manner")
        self.swatch.edited.connect(lambda value: self.edited.emit({self.row.field: value}))
        self.line.addStretch(1)
        self.line.addWidget(self.swatch)

    def show_value(self, part: BaseModel) -> None:
        self.swatch.set(getattr(part, self.row.field))


class SpotField(Field):
    """A place on an axis: typed, or that of a reading, which it follows from then on."""

    def __init__(self, row: Row, readings: Callable[[], list[tuple[str, Spot]]], said: Callable[[Spot], str]) -> None:
        super().__init__(row)
        self.readings, self.said = readings, said
        self.spot = Spot()
        self.text = Line()
        self.text.setAccessibleName(row.words)
        self.text.setPlaceholderText("a number")
        self.text.editingFinished.connect(self._finish)
        self.follow = button("follow ▾", "bare", "A reading that it stands at, and goes with")
        self.follow.clicked.connect(self.open)
        self.line.addWidget(self.text, 1)
        self.line.addWidget(self.follow)

    def show_value(self, part: BaseModel) -> None:
        self.spot = getattr(part, self.row.field)
        self.text.setText(self.said(self.spot))
        self.text.setCursorPosition(0)

    def _finish(self) -> None:
        typed = self.text.text().strip()
        if typed == self.said(self.spot):
            return
        try:
            (at,) = numbers_in(typed)
        except ValueError:
            self.text.setText(self.said(self.spot))
            self.refused.emit(f"{self.row.words}: “{typed}” is not one number; what stood there is kept.")
            return
        self.edited.emit({self.row.field: Spot(at=at)})

    def open(self) -> None:
        menu_of(self, self.rows()).popup(self.follow.mapToGlobal(QPoint(0, self.follow.height())))

    def rows(self) -> list[MenuRow]:
        """The readings that it can follow."""
        found = self.readings()
        if not found:
            return [("No curve of this panel has a reading on this axis yet", None)]
        return [(words, partial(self.edited.emit, {self.row.field: spot})) for words, spot in found]


def field_for(row: Row, part: type[BaseModel], tools: dict[str, Any]) -> Field:
    """The editor of a field, by what its declaration takes. `tools` has what editors of some kinds ask for."""
    info = part.model_fields[row.field]
    kinds, optional = _kinds(info.annotation)
    if row.kind == "colour":
        return Colour(row, optional, tools["palette"])
    if row.kind == "spot":
        return SpotField(row, tools["spots"], tools["said"])
    if row.kind == "numbers":
        return NumberList(row, pair=False)
    if row.kind == "font":
        return Chosen(row, (), False)  # filled when they are known: to look for fonts takes a while
    if row.choices:
        return Chosen(row, [slug for slug, _ in row.choices], optional)
    first = kinds[0]
    if get_origin(first) is Literal:
        return Chosen(row, get_args(first), optional)
    if get_origin(first) is tuple:
        return NumberList(row, pair=True)
    if first is bool:
        return OnOff(row)
    if first in (int, float):
        return Numbers(row, first is int, optional)
    return Words(row, optional, tools["readings"] if row.kind == "words" else None)


def _kinds(annotation: Any) -> tuple[list[Any], bool]:
    """What an annotation takes besides None, and whether it takes None."""
    if get_origin(annotation) in (Union, types.UnionType):
        parts = [one for one in get_args(annotation) if one is not type(None)]
        return parts, type(None) in get_args(annotation)
    return [annotation], False
