"""Real mouse and key events on the canvas, given in data coordinates."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QContextMenuEvent, QDragEnterEvent, QDropEvent, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QWidget

from curvesieve.app.plotting.plot import Plot

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
PLAIN, SHIFT, CTRL = (
    Qt.KeyboardModifier.NoModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.ControlModifier,
)


def place(plot: Plot, x: float, y: float) -> QPoint:
    """Where a data point lies in the plot's viewport."""
    scene = plot.box.mapViewToScene(QPointF(float(plot.map_x(x)), float(plot.map_y(y, x))))
    return plot.mapFromScene(scene)


def _send(plot: Plot, kind: QEvent.Type, at: QPoint, button, buttons, keys=PLAIN) -> None:
    viewport = plot.viewport()
    event = QMouseEvent(kind, QPointF(at), QPointF(viewport.mapToGlobal(at)), button, buttons, keys)
    QApplication.sendEvent(viewport, event)
    QApplication.processEvents()


def move(plot: Plot, x: float, y: float) -> None:
    _send(plot, QEvent.Type.MouseMove, place(plot, x, y), NONE, NONE)


def drag(
    plot: Plot, start: tuple[float, float], end: tuple[float, float], keys=PLAIN, steps: int = 8, on_step=lambda i: None
) -> None:
    """Presses at one data point, moves in steps and lets go at another. `on_step` is called between the moves."""
    a, b = place(plot, *start), place(plot, *end)
    QTest.qWait(30)  # pyqtgraph ignores moves that follow a hover too soon
    _send(plot, QEvent.Type.MouseMove, a, NONE, NONE, keys)
    _send(plot, QEvent.Type.MouseButtonPress, a, LEFT, LEFT, keys)
    for i in range(1, steps + 1):
        at = a + (b - a) * i / steps
        _send(plot, QEvent.Type.MouseMove, at, NONE, LEFT, keys)
        QTest.qWait(25)
        on_step(i)
    _send(plot, QEvent.Type.MouseButtonRelease, b, LEFT, NONE, keys)


def double_click(plot: Plot, x: float, y: float) -> None:
    at = place(plot, x, y)
    _send(plot, QEvent.Type.MouseMove, at, NONE, NONE)
    for kind, buttons in (
        (QEvent.Type.MouseButtonPress, LEFT),
        (QEvent.Type.MouseButtonRelease, NONE),
        (QEvent.Type.MouseButtonDblClick, LEFT),
        (QEvent.Type.MouseButtonRelease, NONE),
    ):
        _send(plot, kind, at, LEFT, buttons)


def click(widget: QWidget, at: QPoint | None = None, keys=PLAIN) -> None:
    QTest.mouseClick(widget, LEFT, keys, at if at is not None else widget.rect().center())


def click_cell(view, row: int, column: int, keys=PLAIN) -> None:
    """A click on a cell of a table or a row of a list."""
    index = view.model().index(row, column)
    view.scrollTo(index)
    click(view.viewport(), view.visualRect(index).center(), keys)


def type_text(line: QWidget, text: str) -> None:
    """Types a text; what is not ASCII, which key events of tests do not know, is put in as a paste does."""
    if text.isascii():
        QTest.keyClicks(line, text)
    else:
        line.insert(text)


def type_into(line: QWidget, text: str) -> None:
    """Replaces a field's text by key presses and presses Enter."""
    line.setFocus()
    line.selectAll()
    type_text(line, text)
    QTest.keyClick(line, Qt.Key.Key_Return)


def drop_files(window: QWidget, paths: list[Path]) -> None:
    """Drops files on the window, as a file manager does."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    at, action = QPointF(window.rect().center()), Qt.DropAction.CopyAction
    QApplication.sendEvent(window, QDragEnterEvent(at.toPoint(), action, data, LEFT, PLAIN))
    QApplication.sendEvent(window, QDropEvent(at, action, data, LEFT, PLAIN))


def choose_term(window, words: str) -> None:  # type: ignore[no-untyped-def]
    """Chooses a background or a law as a user does: the button, a few letters, Enter."""
    model = window.curve_bench.model
    click(model.background)
    type_text(model.term_list.field, words)
    QTest.keyClick(model.term_list.field, Qt.Key.Key_Return)
    QApplication.processEvents()


def add_step(window, words: str) -> None:  # type: ignore[no-untyped-def]
    """Adds a step as a user does: the button, a few letters, Enter."""
    click(window.curve_bench.sieve.add)
    type_text(window.curve_bench.sieve.step_list.field, words)
    QTest.keyClick(window.curve_bench.sieve.step_list.field, Qt.Key.Key_Return)
    QApplication.processEvents()


def press(widget: QWidget, key: Qt.Key, keys: Qt.KeyboardModifier = PLAIN) -> None:
    QTest.keyClick(widget, key, keys)
    QApplication.processEvents()


def open_menu(widget: QWidget, at: QPoint) -> QMenu:
    """The menu that a right click brings."""
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, event)
    QApplication.processEvents()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def take(menu: QMenu, words: str) -> None:
    """Clicks a row of a menu by the words that it begins with."""
    action = next(action for action in menu.actions() if action.text().startswith(words))
    QTest.mouseClick(menu, LEFT, PLAIN, menu.actionGeometry(action).center())
    QApplication.processEvents()


def menu_behind(button: QWidget) -> QMenu:
    """The menu that a click on a button brings."""
    click(button)
    QApplication.processEvents()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu
