"""A plot with our axes and our gestures: wheel zooms, drag pans, Ctrl+drag zooms to a box, Shift+drag sets a band."""

from __future__ import annotations

import html
import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QPainter, QPen
from PyQt6.QtWidgets import QGraphicsGridLayout, QGraphicsRectItem

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.axes_views import PLAIN, AxesView

Floats = NDArray[np.float64]
pg.setConfigOptions(antialias=True, imageAxisOrder="row-major")


class Box(pg.ViewBox):  # type: ignore[misc]
    """The view box with our mouse gestures; positions are in view coordinates (log10 on a log axis)."""

    double_clicked = pyqtSignal(float, float)
    band_dragged = pyqtSignal(float, float, bool)
    gap_dragged = pyqtSignal(float, float, bool)
    user_moved = pyqtSignal()
    lassoed = pyqtSignal(object)
    menu_asked = pyqtSignal(float, float, QPoint)

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self._frame = QGraphicsRectItem()
        self._frame.setZValue(1e6)
        self._frame.hide()
        self.addItem(self._frame, ignoreBounds=True)
        self._lasso = pg.PlotCurveItem()
        self._lasso.setZValue(1e6)
        self.addItem(self._lasso, ignoreBounds=True)
        self._outline: list[tuple[float, float]] = []

    def mouseClickEvent(self, event: Any) -> None:
        place = self.mapSceneToView(event.scenePos())
        if event.double() and event.button() == Qt.MouseButton.LeftButton:
            event.accept()
            self.double_clicked.emit(place.x(), place.y())
        elif event.button() == Qt.MouseButton.RightButton:
            event.accept()
            self.menu_asked.emit(place.x(), place.y(), event.screenPos().toPoint())

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        if event.button() != Qt.MouseButton.LeftButton or axis is not None:
            super().mouseDragEvent(event, axis)
            self.user_moved.emit()
            return
        start, now = self.mapSceneToView(event.buttonDownScenePos()), self.mapSceneToView(event.scenePos())
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            event.accept()
            self._drag_lasso(start, now, event.isStart(), event.isFinish())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            event.accept()
            both = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            signal = self.gap_dragged if both else self.band_dragged
            signal.emit(min(start.x(), now.x()), max(start.x(), now.x()), event.isFinish())
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            event.accept()
            self._drag_box(start, now, event.isFinish())
        else:
            super().mouseDragEvent(event, axis)
            self.user_moved.emit()

    def _drag_lasso(self, start: QPointF, now: QPointF, first: bool, finished: bool) -> None:
        """An outline drawn freely; `lassoed` reports its corners when it is let go."""
        if first:
            self._outline = [(start.x(), start.y())]
        self._outline.append((now.x(), now.y()))
        corners = np.array([*self._outline, self._outline[0]])
        self._lasso.setData(corners[:, 0], corners[:, 1])
        self._lasso.setPen(pg.mkPen(colour("verdigris"), width=1.5))
        if finished:
            self._lasso.setData([], [])
            self.lassoed.emit(self._outline)

    def let_go(self) -> None:
        """Takes away what a drag has drawn so far."""
        self._lasso.setData([], [])
        self._frame.hide()

    def _drag_box(self, start: QPointF, now: QPointF, finished: bool) -> None:
        box = QRectF(start, now).normalized()
        self._frame.setRect(box)
        self._frame.setPen(pg.mkPen(colour("verdigris"), width=1))
        self._frame.setBrush(pg.mkBrush(colour("verdigris", 30)))
        self._frame.setVisible(not finished)
        if finished and box.width() > 0 and box.height() > 0:
            self.setRange(box, padding=0)
            self.user_moved.emit()

    def wheelEvent(self, event: Any, axis: int | None = None) -> None:
        super().wheelEvent(event, axis)
        self.user_moved.emit()


class Axis(pg.AxisItem):  # type: ignore[misc]
    """An axis that writes its unit in its label and never rescales it."""

    def __init__(self, side: str) -> None:
        super().__init__(side)
        self.enableAutoSIPrefix(False)
        self.setStyle(tickFont=font(13), tickLength=-4, autoExpandTextSpace=False)
        if side == "left":
            self.setWidth(64)

    def logTickStrings(self, values: Any, scale: float, spacing: float) -> list[str]:
        """Numbers at the decades and, where a few of these are seen, at twice and five times them: none on another."""
        low, high = self.range
        return [log_number(float(value), high - low) for value in values]

    def restyle(self) -> None:
        self.setPen(pg.mkPen(colour("muted"), width=1))
        self.setTextPen(pg.mkPen(colour("muted")))
        self.setGrid(False)


class Plot(pg.GraphicsView):  # type: ignore[misc]
    """One plot. Items are given in data coordinates; `map_x` and `map_y` take them to the view and back.

    A view box and two axes: the library's own plot widget brings some forty hidden controls with each plot, which take
    longer to make and to style than all that is drawn.
    """

    pointer_moved = pyqtSignal(object)

    def __init__(self) -> None:
        self.box = Box()
        self.axes = {"bottom": Axis("bottom"), "left": Axis("left")}
        super().__init__()
        frame = pg.GraphicsWidget()
        self._grid = grid = QGraphicsGridLayout(frame)
        grid.setContentsMargins(1, 1, 1, 1)
        grid.setHorizontalSpacing(0)
        grid.setVerticalSpacing(0)
        grid.addItem(self.axes["left"], 0, 0)
        grid.addItem(self.box, 0, 1)
        grid.addItem(self.axes["bottom"], 1, 1)
        grid.setRowStretchFactor(0, 1)
        grid.setColumnStretchFactor(1, 1)
        for axis in self.axes.values():
            axis.linkToView(self.box)
            axis.setZValue(0.5)
        self.box.setZValue(-100)
        self.setCentralItem(frame)
        self.log_x = self.log_y = False
        self.view = PLAIN
        self._said = ("", "", "")
        self._blank = False
        self.setFrameShape(pg.QtWidgets.QFrame.Shape.NoFrame)
        self.box.disableAutoRange()
        self.scene().sigMouseMoved.connect(self._moved)
        self.setMouseTracking(True)
        self.setAcceptDrops(False)  # files that are dropped are the window's
        self.restyle()

    def restyle(self) -> None:
        self.setBackground(colour("card"))
        for axis in self.axes.values():
            axis.restyle()

    def addItem(self, item: Any, ignoreBounds: bool = False) -> None:
        """Draws an item in the view's coordinates."""
        self.box.addItem(item, ignoreBounds=ignoreBounds)

    def removeItem(self, item: Any) -> None:
        self.box.removeItem(item)

    def setYRange(self, low: float, high: float, padding: float) -> None:
        self.box.setYRange(low, high, padding=padding)

    def setXLink(self, other: Plot) -> None:
        """Shows the same x as another plot."""
        self.box.setXLink(other.box)

    def leave_room_above(self, pixels: int) -> None:
        """Room over the axes of a low plot, where a number at the top would be cut."""
        self._grid.setContentsMargins(1, pixels, 1, 1)

    def set_labels(self, x: str, y: str) -> None:
        if self._blank:
            self._blank = False
            self._value_axes(True)
        said = (x, y, colour("muted").name())
        if said == self._said:
            return  # the same label again would be laid out again
        self._said = said
        for side, text in (("bottom", x), ("left", y)):
            # The library takes labels for HTML: a name such as T<Tc would lose its end.
            self.axes[side].setLabel(html.escape(text), color=colour("muted").name(), **{"font-size": "14px"})

    def drop_drag(self) -> bool:
        """Lets go of what is being dragged, as if it had not been taken; whether anything was.

        The button may still be down: the moves that follow belong to nothing.
        """
        scene = self.scene()
        item = scene.dragItem
        if item is None:
            return False
        scene.dragItem, scene.lastDrag = None, None
        scene.dragButtons, scene.clickEvents = [], []
        if hasattr(item, "moving"):
            item.moving = False
        self.box.let_go()
        return True

    def contextMenuEvent(self, event: Any) -> None:
        """The menu key asks for the middle of the plot; right clicks come through the view box."""
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            middle = self.box.viewRect().center()
            self.box.menu_asked.emit(middle.x(), middle.y(), self.mapToGlobal(self.rect().center()))
        event.accept()

    def paintEvent(self, event: Any) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            painter = QPainter(self.viewport())
            painter.setPen(QPen(colour("verdigris"), 1))
            painter.drawRect(self.viewport().rect().adjusted(0, 0, -1, -1))

    def focusInEvent(self, event: Any) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: Any) -> None:
        super().focusOutEvent(event)
        self.viewport().update()

    def keyPressEvent(self, event: Any) -> None:
        """Escape is the window's; the library would keep it."""
        if event.key() == Qt.Key.Key_Escape:
            event.ignore()
        else:
            super().keyPressEvent(event)

    def show_nothing(self) -> None:
        """Blank axes: the numbers of what was there before are not those of what comes."""
        self.set_labels("", "")
        self._blank = True
        self._value_axes(False)
        self.box.setRange(xRange=(0, 1), yRange=(0, 1), padding=0)

    def _value_axes(self, on: bool) -> None:
        for axis in self.axes.values():
            axis.setStyle(showValues=on)

    def settle(self) -> None:
        """Works out where things lie now: left to the painting, it would ask for a second one."""
        self.scene().prepareForPaint()

    def set_log(self, x: bool, y: bool, view: AxesView = PLAIN) -> None:
        """Logarithmic axes, or axes on which a law is straight."""
        self.log_x, self.log_y, self.view = x, y, view
        self.axes["bottom"].setLogMode(x=x)
        self.axes["left"].setLogMode(y=y)

    def map_x(self, x: Any) -> Any:
        x = self.view.x(x)
        return _log(x) if self.log_x else x

    def map_y(self, y: Any, x: Any) -> Any:
        """Where a y stands, over its x: on some axes it depends on that."""
        y = self.view.y(y, x)
        return _log(y) if self.log_y else y

    def unmap_x(self, x: float) -> float:
        return self.view.x_back(float(10.0**x) if self.log_x else x)

    def unmap(self, x: float, y: float) -> tuple[float, float]:
        """The x and y of a place in the view."""
        at = self.unmap_x(x)
        return at, self.view.y_back(float(10.0**y) if self.log_y else y, at)

    def _moved(self, place: QPointF) -> None:
        inside = self.box.sceneBoundingRect().contains(place)
        view = self.box.mapSceneToView(place) if inside else None
        self.pointer_moved.emit(None if view is None else self.unmap(view.x(), view.y()))

    def leaveEvent(self, event: Any) -> None:
        super().leaveEvent(event)
        self.pointer_moved.emit(None)


_RAISED = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_FEW_DECADES, _MANY_DECADES = 0.8, 3.5


def log_number(place: float, decades: float) -> str:
    """What is written at a place of a logarithmic axis that shows so many decades; nothing where it is crowded."""
    power = math.floor(place + 1e-9)
    digit = round(10 ** (place - power))
    if digit not in ((1,) if decades > _MANY_DECADES else (1, 2, 5) if decades > _FEW_DECADES else range(1, 10)):
        return ""
    if -4 < power < 5:
        return f"{digit * 10.0**power:g}"
    return f"10{str(power).translate(_RAISED)}" if digit == 1 else f"{digit}·10{str(power).translate(_RAISED)}"


def _log(values: Any) -> Any:
    with np.errstate(divide="ignore", invalid="ignore"):
        logs = np.log10(values)
    return np.where(np.isfinite(logs), logs, np.nan) if isinstance(logs, np.ndarray) else logs


def pen(name: str, width: float = 1.0, dashed: bool = False, alpha: int = 255) -> QPen:
    """A pen in a colour of the scheme."""
    made: QPen = pg.mkPen(
        colour(name, alpha), width=width, style=Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
    )
    return made
