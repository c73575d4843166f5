"""The field in which a law is typed: checked at every key, drawn as it stands, taken with Enter."""

from __future__ import annotations

import re

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from curvesieve.app.theme import mono
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import label
from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import Formula, parse, understood_variable
from curvesieve.core.formula.inference import parameter_units

_MOST_LINES = 7
PROMPT = "A*exp(-k*x) + c"


class _Field(QPlainTextEdit):
    """Enter takes the formula, Shift+Enter begins a new line."""

    entered = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        plain = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and plain:
            self.entered.emit()
            return
        super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.entered.emit()


class FormulaEditor(QWidget):
    """`changed` reports every formula that can be read while it is typed, `taken` the one that is meant."""

    changed = pyqtSignal(object)
    taken = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.variable, self.has_units = "x", (True, True)
        self.axis = ""
        """The curve's own name of x, by which a formula may call its variable."""
        self._given = ("", "x")
        self.names = ("x", "y")
        self._shown, self._quiet = "", True
        self.field = _Field()
        self.field.setFont(mono())
        self.field.setProperty("formula", "true")
        self.field.setPlaceholderText(PROMPT)
        self.field.setAccessibleName("formula of the law")
        self.field.setToolTip(
            "Enter takes the formula; Shift+Enter begins a line such as  k = 1/tau  before it.\n"
            "Every unknown name is a parameter; x is the axis; ^ is a power; exp, log, sqrt, erf, where(x < a, b, c) …"
        )
        self.field.setTabChangesFocus(True)
        self.field.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.field.installEventFilter(self)
        self.problem = label(role="problem", wrap=True)
        self.said = label(role="muted", wrap=True)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(3)
        for widget in (self.field, self.problem, self.said):
            rows.addWidget(widget)
        self.field.textChanged.connect(self._check)
        self.field.entered.connect(self._take)
        self._fit_height()
        self._quiet = False

    def show_formula(self, text: str, variable: str = "x") -> None:
        """Another formula from outside, with its variable; what is being typed is left alone."""
        self._given = (text, variable)
        if text != self._shown:
            self._shown = text
            if self.field.toPlainText() != text:
                self._quiet = True
                self.field.setPlainText(text)
                self._quiet = False
        self._check()

    def give_back(self) -> None:
        """What was typed goes; the formula given last is there again."""
        self._quiet = True
        self.field.setPlainText(self._shown)
        self._quiet = False
        self._check()

    def read(self) -> Formula | None:
        """The formula as it stands; None when it cannot be read."""
        try:
            return self._parsed(self.field.toPlainText())
        except FormulaError:
            return None

    def _parsed(self, text: str) -> Formula:
        """The formula of a text; its variable is the one given with it, or what can only be meant."""
        parse(text, ())  # what is wrong with the text comes before the question what varies
        self.variable = self._given[1] if text == self._given[0] else understood_variable(text, self.axis)
        return parse(text, (self.variable,))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize:
            self._fit_height()
        return False

    def _fit_height(self) -> None:
        document = self.field.document()
        lines = int(document.size().height()) if document is not None else 1
        many = lines > _MOST_LINES
        bar = Qt.ScrollBarPolicy.ScrollBarAsNeeded if many else Qt.ScrollBarPolicy.ScrollBarAlwaysOff
        self.field.setVerticalScrollBarPolicy(bar)
        self.field.setFixedHeight(self.field.fontMetrics().lineSpacing() * min(max(lines, 1), _MOST_LINES) + 18)

    def _check(self) -> None:
        """Says what is wrong and where, or which parameters there are and what cannot be of their units."""
        self._fit_height()
        text = self.field.toPlainText()
        try:
            formula = self._parsed(text)
        except FormulaError as error:
            fresh = not text.strip()
            self.problem.setText("" if fresh else str(error))
            self.problem.setVisible(not fresh)
            self.said.setText("Type a law in x; every other name becomes a parameter." if fresh else "")
            self.said.setVisible(fresh)
            self._mark(error.position if not fresh else None, "rust")
            return
        found = parameter_units(formula, self.has_units)
        self.problem.hide()
        listed = ", ".join(formula.parameters) or "none: there is nothing to fit"
        said = [f"Parameters: {listed}"]
        if self.variable != "x":
            axis = f" ({self.axis})" if self.axis else ""
            said.append(f"{self.variable} is the variable{axis}; begin with  y(other) =  to take another.")
        if re.search(r"(?<![\w.])e(?!\w|\s*\()", text):
            said.append("e is the constant 2.718…; a parameter needs another name.")
        if found.problems:
            said.append(f"Units: {found.problems[0][0]}")
        self.said.setText("\n".join(said))
        self.said.show()
        self._mark(found.problems[0][1] if found.problems else None, "straw")
        if not self._quiet and text != self._shown:
            self.changed.emit(formula)

    def _mark(self, place: int | None, name: str) -> None:
        """Underlines the character that a problem is about."""
        marks = []
        text = self.field.toPlainText()
        if place is not None and text:
            at = min(place, len(text) - 1)
            mark = QTextEdit.ExtraSelection()
            cursor = QTextCursor(self.field.document())
            cursor.setPosition(at)
            cursor.setPosition(at + 1, QTextCursor.MoveMode.KeepAnchor)
            style = QTextCharFormat()
            shade = QColor(colour(name))
            shade.setAlpha(90)
            style.setBackground(shade)
            style.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            style.setUnderlineColor(colour("rust"))
            mark.format, mark.cursor = style, cursor
            marks.append(mark)
        self.field.setExtraSelections(marks)
        self.marked = [mark.cursor.selectionStart() for mark in marks]

    def _take(self) -> None:
        text = self.field.toPlainText()
        if text != self._shown and self.read() is not None:
            self._shown = text
            self.taken.emit(text)
