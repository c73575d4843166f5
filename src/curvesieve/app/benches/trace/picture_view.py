"""The picture with what was read drawn over it: zoomed by the wheel, a lens at the pointer, clicks and drags."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from curvesieve.app.benches.trace.lens import draw_lens
from curvesieve.app.benches.trace.overlay import draw_grid, draw_marks, draw_series, draw_values
from curvesieve.app.benches.trace.placing import Placing
from curvesieve.app.benches.trace.work import Opened, image_of
from curvesieve.app.theme.tokens import colour
from curvesieve.core.reading import concise
from curvesieve.core.tracing.parts import Place

_ROOM, _NEAR = 10, 7
_KEPT_SCALE = 1.5
"""Up to this the picture is kept as large as it is seen; larger ones would fill the memory."""
_ZOOMS = (8, 12, 16, 24, 32)
_SNAP_MS = 50
_KEYS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class PictureView(QWidget):
    """Renders the chart in hand. `placed` has a pixel that was clicked and whether it is to stay where it is.

    While it is `asking` for them, clicks and drags give `cornered`, four pixels, or `boxed`, a box of pixels.
    """

    placed = pyqtSignal(float, float, bool)
    cornered = pyqtSignal(list)
    boxed = pyqtSignal(float, float, float, float)
    drawn = pyqtSignal(list)
    pointed = pyqtSignal(str)

    def __init__(self, placing: Placing, bare: bool = False) -> None:
        super().__init__()
        self.placing, self.work = placing, placing.work
        self.bare = bare
        """Whether the numbers are drawn alone, as a chart with the same axes, without the picture."""
        self.setMouseTracking(not bare)
        self.setEnabled(not bare)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus if bare else Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("the numbers as a chart" if bare else "the chart")
        self.setMinimumSize(240, 200)
        self.grid_shown = True
        self.asking = ""
        """What is asked for: "corners", "a box", or nothing."""
        self._corners: list[Place] = []
        self._drawing: list[Place] = []
        self.gamma = 1.0
        """Above 1 what is dark is shown lighter; numbers are not touched."""
        self._shown_gamma = 1.0
        self.zoom = 16
        """How many times the lens enlarges."""
        self._scale = 0.0
        """Pixels of the screen for one of the picture; 0: as large as there is room."""
        self._off = QPointF()
        self._pixmap: QPixmap | None = None
        self._scaled: tuple[QPixmap, QPixmap] | None = None
        self._of: Opened | None = None
        self._pointer: QPointF | None = None
        self._snapped: tuple[Place, bool] | None = None
        self._said = ""
        self._drag: tuple[str, QPointF] | None = None
        self._snap_timer = QTimer(self)
        self._snap_timer.setSingleShot(True)
        self._snap_timer.timeout.connect(self._snap_now)

    # -- places -------------------------------------------------------------------------------------

    def _fit(self) -> float:
        opened = self.work.opened
        if opened is None:
            return 1.0
        width, height = opened.picture.size
        return max(min((self.width() - 2 * _ROOM) / width, (self.height() - 2 * _ROOM) / height), 0.02)

    @property
    def scale(self) -> float:
        """Pixels of the screen for one of the picture."""
        return self._scale or self._fit()

    def corner(self) -> QPointF:
        """Where the picture's top left corner is in the widget."""
        opened = self.work.opened
        if opened is None:
            return QPointF()
        width, height = opened.picture.size
        middle = QPointF((self.width() - width * self.scale) / 2, (self.height() - height * self.scale) / 2)
        return middle + (self._off if self._scale else QPointF())

    def on_screen(self, px: float, py: float) -> QPointF:
        """Where a pixel of the picture is in the widget."""
        return self.corner() + QPointF(px, py) * self.scale

    def pixel(self, at: QPointF) -> Place:
        """The pixel of the picture at a place of the widget."""
        off = (at - self.corner()) / self.scale
        return off.x(), off.y()

    def whole(self) -> None:
        """Shows the whole picture."""
        self._scale, self._off = 0.0, QPointF()
        self.update()

    def _inside(self, place: Place) -> bool:
        opened = self.work.opened
        return opened is not None and 0 <= place[0] < opened.picture.size[0] and 0 <= place[1] < opened.picture.size[1]

    # -- painting -----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour("line").lighter(104))
        opened = self.work.opened
        if opened is None:
            painter.setPen(colour("muted"))
            how = int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap)
            said = self.work.problem or ("The picture is being opened …" if self.work.chart is not None else "")
            painter.drawText(self.rect().adjusted(40, 40, -40, -40), how, said)
            return
        if self._of is not opened or self._shown_gamma != self.gamma:
            image = opened.image
            if self.gamma != 1.0:
                table = np.round(255 * (np.arange(256) / 255) ** (1 / self.gamma)).astype(np.uint8)
                image = image_of(table[opened.picture.pixels])
            self._pixmap, self._of, self._shown_gamma = QPixmap.fromImage(image), opened, self.gamma
        assert self._pixmap is not None
        size = self._pixmap.size()
        if self.bare:
            page = QRectF(self.corner(), QPointF(size.width(), size.height()) * self.scale + self.corner())
            painter.fillRect(page, QColor("white"))
            draw_grid(painter, self.work, self.on_screen)
            draw_values(painter, self.work, self.on_screen)
            draw_series(painter, self.work, self.on_screen)
            return
        if self.scale <= _KEPT_SCALE:
            painter.drawPixmap(self.corner(), self._shown())
        else:  # enlarged, only what is seen is drawn
            page = QRectF(self.corner(), QPointF(size.width(), size.height()) * self.scale + self.corner())
            painter.drawPixmap(page, self._pixmap, QRectF(self._pixmap.rect()))
        if self.grid_shown:
            draw_grid(painter, self.work, self.on_screen)
        draw_marks(painter, self.work, self.on_screen)
        draw_series(painter, self.work, self.on_screen)
        self._paint_asked(painter)
        self._paint_lens(painter)

    def _shown(self) -> QPixmap:
        """The picture as large as it is seen, kept for as long as it is: the lens moves over it."""
        assert self._pixmap is not None
        size = self._pixmap.size() * self.scale
        if self._scaled is None or self._scaled[0] is not self._pixmap or self._scaled[1].size() != size:
            way = Qt.TransformationMode.SmoothTransformation
            self._scaled = (self._pixmap, self._pixmap.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, way))
        return self._scaled[1]

    def ask(self, what: str) -> None:
        """Asks for four corners or a box; for nothing, what was asked is given up."""
        self.asking, self._corners = what, []
        self.setFocus()
        self.update()

    def _paint_asked(self, painter: QPainter) -> None:
        painter.setPen(QPen(colour("rust"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for place in self._corners:
            painter.drawEllipse(self.on_screen(*place), 6, 6)
        if self._drawing:
            painter.drawPolyline(QPolygonF([self.on_screen(*place) for place in self._drawing]))
        if self._drag is not None and self._drag[0] == "box" and self._pointer is not None:
            painter.drawRect(QRectF(self._drag[1], self._pointer).normalized())

    def _paint_lens(self, painter: QPainter) -> None:
        if self._pointer is None or self._pixmap is None or self._drag is not None:
            return
        place = self.pixel(self._pointer)
        if self._inside(place) and self.work.step != "look back":
            snapped = self._snapped[0] if self._snapped is not None and self._snapped[1] else None
            draw_lens(painter, self.size(), self._pointer, self._pixmap, place, self.zoom, snapped, self._said)

    def numbers(self, place: Place) -> str:
        """The numbers of a pixel with u, as they stand under the lens; its pixels before there are axes."""
        snapped = self._snapped
        at = snapped[0] if snapped is not None and snapped[1] else place
        frame, trace = self.work.frame, self.work.trace
        if frame is None:
            return f"{at[0]:.1f} · {at[1]:.1f} px"
        places = np.array([at])
        (x, y), (u_x, u_y) = frame.values(places)[0].tolist(), frame.u(places, frame.u_px)[0].tolist()
        if not all(math.isfinite(v) for v in (x, y, u_x, u_y)):
            return "beyond the axes"
        return f"{concise(x, u_x)} {trace.x.unit_of_numbers} · {concise(y, u_y)} {trace.y.unit_of_numbers}".replace(
            "  ", " "
        ).strip()

    # -- the mouse ----------------------------------------------------------------------------------

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._drag is not None:
            self._dragged(at)
        self._pointer, self._snapped = at, None
        self._snap_timer.start(_SNAP_MS)  # anew with each move: a mark is fitted when the pointer rests, not on the way
        place = self.pixel(at)
        self._said = self.numbers(place) if self._inside(place) else ""
        self.pointed.emit(self._said)
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.pointed.emit("")
        self.update()

    def _snap_now(self) -> None:
        if self._pointer is None or self.work.opened is None or self.work.step == "look back":
            return
        place = self.pixel(self._pointer)
        if self._inside(place):
            self._snapped = self.placing.snapped(place)
            self._said = self.numbers(place)
            self.pointed.emit(self._said)  # the status line says what the lens does
            self.update()

    def _at(self, at: QPointF) -> tuple[str, int] | None:
        """The series and number of the place that is drawn under a place of the widget."""
        best: tuple[float, str, int] | None = None
        for one in self.work.trace.series:
            if one.kind == "line":
                continue
            for k, place in enumerate(one.places):
                off = at - self.on_screen(*place)
                away = math.hypot(off.x(), off.y())
                if away <= _NEAR and (best is None or away < best[0]):
                    best = (away, one.id, k)
        return (best[1], best[2]) if best is not None else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.work.opened is None:
            return
        self.setFocus()
        at = event.position()
        if event.button() == Qt.MouseButton.MiddleButton or (
            event.button() == Qt.MouseButton.LeftButton and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self._drag = ("hand", at)
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.asking == "a box":
            self._drag = ("box", at)
            return
        if self.work.step == "points" and self.work.tool == "draw over" and not self.asking:
            self._drag, self._drawing = ("draw", at), [self.pixel(at)]
            return
        there = self._at(at) if not self.asking and self.work.step == "points" and self.work.tool == "points" else None
        if there is not None:
            self.work.take_series(*there)
            self._drag = ("place", at)
            return
        self._drag = ("click", at)

    def _dragged(self, at: QPointF) -> None:
        assert self._drag is not None
        what, before = self._drag
        by = at - before
        if what == "hand":
            if not self._scale:
                self._scale = self._fit()
            self._off += by
            self._drag = (what, at)
        elif what == "draw":
            self._drawing.append(self.pixel(at))
        elif what == "place":
            self.placing.nudge(by.x() / self.scale, by.y() / self.scale)
            self._drag = (what, at)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drag, self._drag = self._drag, None
        if event is not None and drag is not None and drag[0] == "box":
            (left, top), (right, bottom) = self.pixel(drag[1]), self.pixel(event.position())
            self.ask("")
            self.boxed.emit(min(left, right), min(top, bottom), max(left, right), max(top, bottom))
        if drag is not None and drag[0] == "draw":
            if len(self._drawing) > 2:
                self.drawn.emit(self._drawing)
            else:
                self.placing.click(self._drawing[0], True)  # says what to do
            self._drawing = []
            self.update()
        if event is None or drag is None or drag[0] != "click":
            return
        off = event.position() - drag[1]
        if math.hypot(off.x(), off.y()) > 4:
            return
        place = self.pixel(event.position())
        if not self._inside(place):
            self.work.noted.emit("This is outside the picture; click on it")
            return
        if self.asking == "corners":
            self._corners.append(place)
            if len(self._corners) == 4:
                corners = self._corners
                self.ask("")
                self.cornered.emit(corners)
            self.update()
            return
        by_hand = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if shift and self.work.step == "points" and self.work.tool in ("bars", "one bar"):
            self.placing.set_whisker(place, by_hand)
            return
        self.placed.emit(place[0], place[1], by_hand)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.work.opened is None:
            return
        turns = event.angleDelta().y() / 120
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            at = _ZOOMS.index(self.zoom) + (1 if turns > 0 else -1)
            self.zoom = _ZOOMS[min(max(at, 0), len(_ZOOMS) - 1)]
        else:
            place = self.pixel(event.position())
            self._scale = min(max(self.scale * 1.25**turns, self._fit()), 40.0)
            if self._scale <= self._fit() * 1.001:
                self.whole()
            else:
                self._off += event.position() - self.on_screen(*place)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        way = _KEYS.get(Qt.Key(event.key()))
        if way is not None:
            step = 1.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.1
            self.placing.nudge(way[0] * step, way[1] * step)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.placing.take_back()
        elif event.key() == Qt.Key.Key_Escape and self.asking:
            self.ask("")
        else:
            super().keyPressEvent(event)
