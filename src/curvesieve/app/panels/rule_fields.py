"""The editor of one field of a rule, made from its declaration: a number, a choice, a switch, numbers, a text."""

from __future__ import annotations

from typing import Any, Literal, get_args, get_origin

from pydantic.fields import FieldInfo
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.number import NumberField
from curvesieve.app.widgets.switch import Switch
from curvesieve.core import units
from curvesieve.core.typed import numbers_in


class Field(QObject):
    """One editor. `edited` reports another value, `refused` why a text was not taken."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, widget: QWidget, title: str) -> None:
        super().__init__(widget)
        self.widget, self.title = widget, title

    def set(self, value: Any) -> None:
        raise NotImplementedError

    @property
    def line(self) -> Any:
        """What the keyboard goes to."""
        return self.widget


class _Number(Field):
    def __init__(self, title: str, unit: str, whole: bool, optional: bool) -> None:
        self.field = NumberField(title, unit, whole, optional, 2 if whole else 0.5)
        super().__init__(self.field, title)
        self.field.edited.connect(lambda value: self.edited.emit(value))
        self.field.refused.connect(self.refused)

    def set(self, value: Any) -> None:
        if self.field.value != value or not self.field.line.hasFocus():
            self.field.set(value)

    @property
    def line(self) -> Any:
        return self.field.line


class _Choice(Field):
    def __init__(self, title: str, values: tuple[str, ...], free: bool) -> None:
        self.choice = Choice()
        self.choice.addItems([str(value) for value in values])
        self.choice.setEditable(free)
        if free:
            self.choice.setLineEdit(Line())
        self.choice.setAccessibleName(title)
        super().__init__(self.choice, title)
        self.shown = ""
        self.choice.textActivated.connect(self._finish)
        edit = self.choice.lineEdit()
        if edit is not None:
            # A method, never a lambda that holds `edit`: Qt owns the line edit, so the lambda and Python's handle of it
            # would hold one another and nothing else, and be collected as garbage while Qt still calls the lambda.
            edit.editingFinished.connect(self._finish_typing)

    def set(self, value: Any) -> None:
        self.shown = str(value)
        self.choice.setCurrentText(self.shown)

    def _finish_typing(self) -> None:
        self._finish(self.choice.currentText())

    def _finish(self, text: str) -> None:
        if text.strip() != self.shown:
            self.edited.emit(text.strip())


class _Bool(Field):
    def __init__(self, title: str) -> None:
        self.switch = Switch()
        self.switch.setAccessibleName(title)
        super().__init__(self.switch, title)
        self.switch.clicked.connect(lambda on: self.edited.emit(on))

    def set(self, value: Any) -> None:
        self.switch.setChecked(bool(value))


class _Text(Field):
    def __init__(self, title: str) -> None:
        self.edit = Line()
        self.edit.setAccessibleName(title)
        super().__init__(self.edit, title)
        self.edit.editingFinished.connect(self._finish)
        self.shown = ""

    def set(self, value: Any) -> None:
        self.shown = self.text_of(value)
        if not self.edit.hasFocus() or self.edit.text() != self.shown:
            self.edit.setText(self.shown)

    def text_of(self, value: Any) -> str:
        return str(value)

    def value_of(self, text: str) -> Any:
        return text

    def _finish(self) -> None:
        text = self.edit.text().strip()
        if text == self.shown:
            return
        try:
            value = self.value_of(text)
        except ValueError as error:
            self.edit.setText(self.shown)
            self.refused.emit(f"{self.title}: {error}; {self.shown or 'nothing'} is kept.")
            return
        self.edited.emit(value)


class _Numbers(_Text):
    """Numbers with blanks, semicolons or commas between them; pasted columns will do."""

    def text_of(self, value: Any) -> str:
        return "  ".join(f"{number:.8g}" for number in value)

    def value_of(self, text: str) -> Any:
        return numbers_in(text)


class _Places(_Text):
    """Pairs of numbers with semicolons between them: ``1 2; 3 4``."""

    def text_of(self, value: Any) -> str:
        return "; ".join(f"{x:.8g} {y:.8g}" for x, y in value)

    def value_of(self, text: str) -> Any:
        pairs = [numbers_in(part) for part in text.split(";") if part.strip()]
        if any(len(pair) != 2 for pair in pairs):
            raise ValueError("places are pairs of x and y, such as 1 2; 3 4")
        return pairs


class _Texts(_Text):
    """Names with semicolons between them."""

    def text_of(self, value: Any) -> str:
        return "; ".join(value)

    def value_of(self, text: str) -> Any:
        return [word.strip() for word in text.split(";") if word.strip()]


def field_for(name: str, info: FieldInfo, axis_units: dict[str, str]) -> Field:
    """The editor that a field's type asks for; units ``x`` and ``y`` stand for those of the curve."""
    extra: Any = info.json_schema_extra or {}
    title, kind = info.title or name, info.annotation
    unit = units.shown(axis_units.get(extra.get("unit", ""), extra.get("unit", "")))
    made: Field
    if get_origin(kind) is Literal:
        made = _Choice(title, get_args(kind), free=False)
    elif kind is bool:
        made = _Bool(title)
    elif kind is str:
        made = _Choice(title, tuple(info.examples), free=True) if info.examples else _Text(title)
    elif get_origin(kind) is tuple:
        inner = get_args(kind)[0]
        made = _Numbers(title) if inner is float else _Places(title) if get_origin(inner) is tuple else _Texts(title)
    else:
        made = _Number(title, unit, kind is int, "None" in str(kind))
    made.line.setToolTip(info.description or "")
    return made
