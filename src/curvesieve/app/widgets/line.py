"""A line to type in: Escape gives back what stood there, and takes nothing."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QLineEdit, QStyledItemDelegate, QWidget


class Line(QLineEdit):
    """A line edit whose text can be taken back until it is taken; a second Escape goes on to the window."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self._before = text

    def took(self) -> None:
        """What stands there now was taken: Escape comes back to it."""
        self._before = self.text()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self._before = self.text()
        super().focusInEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self._before:
            self.setText(self._before)
            self.selectAll()
            return
        super().keyPressEvent(event)
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.took()


class CarefulDelegate(QStyledItemDelegate):
    """Edits a cell only when something was typed: going through a cell changes nothing. Tab takes it and goes on."""

    def setModelData(self, editor: QWidget | None, model: object, index: object) -> None:
        if not isinstance(editor, QLineEdit) or editor.isModified():
            super().setModelData(editor, model, index)  # type: ignore[arg-type]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        view = self.parent()
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab)
            and isinstance(watched, QWidget)
            and isinstance(view, QAbstractItemView)
        ):
            self.commitData.emit(watched)
            self.closeEditor.emit(watched, QAbstractItemDelegate.EndEditHint.NoHint)
            leave(view, forward=event.key() == Qt.Key.Key_Tab)
            return True
        return super().eventFilter(watched, event)


def leave(widget: QWidget, forward: bool) -> None:
    """Gives the keyboard to what comes after a widget (or before it), as Tab does."""
    step = QWidget.nextInFocusChain if forward else QWidget.previousInFocusChain
    other = step(widget)
    while other is not None and other is not widget:
        takes = other.focusPolicy() & Qt.FocusPolicy.TabFocus
        if takes and other.isVisible() and other.isEnabled() and not widget.isAncestorOf(other):
            other.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
            return
        other = step(other)


def tab_leaves(view: QAbstractItemView) -> None:
    """Makes Tab leave a table or list; the arrows walk in it."""
    view.setTabKeyNavigation(False)
