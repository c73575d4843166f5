"""Labels, buttons and cards with the roles that the style sheet knows."""

from __future__ import annotations

import html

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QLabel, QLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget


def label(text: str = "", role: str = "", wrap: bool = False) -> QLabel:
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def button(text: str, kind: str = "", tip: str = "") -> QPushButton:
    made = QPushButton(text)
    if kind:
        made.setProperty("kind", kind)
    if tip:
        made.setToolTip(tip)
    return made


def plain_tip(text: str) -> str:
    """A tip that Qt shows as it is: what looks like HTML to it is written as HTML."""
    if not Qt.mightBeRichText(text):  # type: ignore[attr-defined]  # the stubs lack it
        return text
    return "<qt>" + html.escape(text).replace("\n", "<br>") + "</qt>"


class Elided(QLabel):
    """A label that shortens a long text with … and shows all of it as its tip."""

    def __init__(self, text: str = "", role: str = "") -> None:
        super().__init__()
        self._whole = ""
        if role:
            self.setProperty("role", role)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.set(text)

    def set(self, text: str) -> None:
        self._whole = text
        self._elide()

    def whole_text(self) -> str:
        return self._whole

    def _elide(self) -> None:
        shown = QFontMetrics(self.font()).elidedText(self._whole, Qt.TextElideMode.ElideRight, max(self.width(), 1))
        self.setText(shown)
        self.setToolTip(plain_tip(self._whole) if shown != self._whole else "")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._elide()


_PRESS_KEYS = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class Card(QFrame):
    """A framed card; a click anywhere on it takes it in hand."""

    clicked = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("card", "true")
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(10, 7, 10, 7)
        self.rows.setSpacing(4)

    def set_in_hand(self, on: bool) -> None:
        if self.property("inhand") != ("true" if on else "false"):
            self.setProperty("inhand", "true" if on else "false")
            restyle(self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space or Enter takes the card in hand, as a click does, when the card itself has the keyboard."""
        if event is not None and event.key() in _PRESS_KEYS and self.hasFocus():
            self.clicked.emit()
        else:
            super().keyPressEvent(event)


def empty(layout: QLayout) -> None:
    """Takes all widgets out of a layout, unseen at once: they live on until the events that they are in are done."""
    while (item := layout.takeAt(0)) is not None:
        old = item.widget()
        if old is not None:
            old.hide()
            old.deleteLater()


def restyle(widget: QWidget) -> None:
    """Makes a changed property show in the style; a widget that was never styled will be, as it is by then."""
    if not widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
        return
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)
