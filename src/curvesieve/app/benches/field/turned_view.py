"""The surface, turned with the mouse: worked out pixel by pixel, without a graphics card's help."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPolygonF, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from curvesieve.app.benches.field.colours import Scale
from curvesieve.app.plotting.plot import pen
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.turned import Eye, Turned, turned
from curvesieve.core.typed import placed

_MESH = 24
_STILL_MS = 160
_DEGREES_PER_PX = 0.4
_MOST_DOTS = 3_000


class TurnedView(QWidget):
    """A surface seen from a side. `turned_to` tells turn and tilt when it comes to rest, `pointed` x, y, z or None."""

    turned_to = pyqtSignal(float, float)
    height_asked = pyqtSignal(float)
    pointed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.grid: Grid | None = None
        self.points: Points | None = None
        self.scale: Scale | None = None
        self.eye = Eye()
        self.through = self.mesh = False
        self.frames = 0
        """How often it was worked out: for measuring."""
        self._image: QImage | None = None
        self._made: Turned | None = None
        self._coarse = False
        self._press: tuple[QPointF, Eye] | None = None
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.timeout.connect(self._rest)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("the field as a surface")
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(400, 300)

    def show_surface(
        self, grid: Grid | None, points: Points | None, scale: Scale | None, eye: Eye, through: bool
    ) -> None:
        """Another surface, or other points on it, or from elsewhere."""
        self.grid, self.points, self.scale, self.through = grid, points, scale, through
        self.eye = eye if self._press is None else self.eye
        self._coarse = False
        self._forget()

    def _forget(self) -> None:
        self._image = self._made = None
        self.update()

    def _rest(self) -> None:
        self._coarse = False
        self._forget()
        self.turned_to.emit(self.eye.turn, self.eye.tilt)

    def _turn(self, turn: float, tilt: float) -> None:
        self.eye = Eye((turn + 180) % 360 - 180, float(np.clip(tilt, 2, 90)), self.eye.height)
        self._coarse = True
        self._forget()
        self._still.start(_STILL_MS)

    # -- painting -----------------------------------------------------------------------------------

    def _work_out(self) -> None:
        if self.grid is None or self.scale is None or not self.grid.known.any():
            return
        share = 0.5 if self._coarse else 1.0
        width, height = max(int(self.width() * share), 40), max(int((self.height() - 30) * share), 40)
        made = turned(self.grid, self.eye, width, height)
        rgb = self.scale.rgb(np.where(made.seen, made.z, np.nan))
        shade = _mesh(made, self.grid)
        rgb[..., :3] = np.where(shade[..., None], (0.72 * rgb[..., :3]).astype(np.uint8), rgb[..., :3])
        if self.through:
            rgb[..., 3] = np.where(made.seen, np.where(shade, 200, 110), 0)
        image = QImage(rgb.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBA8888)
        self._image, self._made = image.copy(), made
        self.frames += 1

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("card"))
        if self._image is None:
            self._work_out()
        if self._image is None or self._made is None or self.grid is None:
            painter.end()
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        share = self._image.width() / self.width()
        self._floor(painter, share)
        painter.drawImage(QRectF(0, 0, self.width(), self._image.height() / share), self._image)
        self._dots(painter, share)
        painter.end()

    def _on_screen(self, x: Floats, y: Floats, z: Floats, share: float) -> tuple[Floats, Floats]:
        assert self._made is not None
        across, down = self._made.project(x, y, z)
        return across / share, down / share

    def _floor(self, painter: QPainter, share: float) -> None:
        """The frame of the plane at the lowest value, with the names of its sides."""
        grid = self.grid
        assert grid is not None
        low = float(grid.values.min())
        x = np.array([grid.x[0], grid.x[-1], grid.x[-1], grid.x[0]])
        y = np.array([grid.y[0], grid.y[0], grid.y[-1], grid.y[-1]])
        across, down = self._on_screen(x, y, np.full(4, low), share)
        painter.setPen(pen("ghost", 1.0))
        painter.drawPolygon(QPolygonF([QPointF(a, b) for a, b in zip(across, down, strict=True)]))
        painter.setFont(font(13))
        painter.setPen(colour("muted"))
        names, middle = grid.names, across.mean()
        sides = (
            ((0, 1), (3, 2), units.labelled(names.x, names.x_unit), grid.x),
            ((1, 2), (0, 3), units.labelled(names.y, names.y_unit), grid.y),
        )
        for one, other, text, axis in sides:
            in_front = down[list(one)].sum() >= down[list(other)].sum()
            i, j = one if in_front else other
            ends = [placed(float(axis[k]), float(axis[-1] - axis[0])) for k in (0, -1)]
            for share_of, word in ((0.1, ends[0]), (0.5, text), (0.9, ends[1])):
                px = across[i] + share_of * (across[j] - across[i])
                py = down[i] + share_of * (down[j] - down[i])
                wide = painter.fontMetrics().horizontalAdvance(word)
                left = px - wide - 8 if px < middle else px + 8
                inside = min(max(left, 2), self.width() - wide - 2)
                painter.drawText(QPointF(inside, min(py + 16, self.height() - 5)), word)

    def _dots(self, painter: QPainter, share: float) -> None:
        points = self.points
        if points is None or not len(points) or len(points) > _MOST_DOTS:
            return
        across, down = self._on_screen(points.x, points.y, points.z, share)
        painter.setPen(pen("ink", 1.0))
        painter.setBrush(colour("card"))
        for a, b in zip(across.tolist(), down.tolist(), strict=True):
            painter.drawEllipse(QPointF(a, b), 2.2, 2.2)

    # -- mouse and keys -----------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._forget()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._press = (event.position(), self.eye)
            self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._press is not None:
            start, eye = self._press
            moved = event.position() - start
            self._turn(eye.turn + _DEGREES_PER_PX * moved.x(), eye.tilt + _DEGREES_PER_PX * moved.y())
            return
        made = self._made
        if made is None:
            return
        share = made.seen.shape[1] / max(self.width(), 1)
        row, column = int(event.position().y() * share), int(event.position().x() * share)
        inside = 0 <= row < made.seen.shape[0] and 0 <= column < made.seen.shape[1] and made.seen[row, column]
        self.pointed.emit((float(made.x[row, column]), float(made.y[row, column])) if inside else None)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._press = None
        self.setCursor(Qt.CursorShape.OpenHandCursor)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            self.height_asked.emit(1.1 ** (event.angleDelta().y() / 120))
            event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows turn it by 5°, plus and minus make it higher or lower."""
        turns = {Qt.Key.Key_Left: (-5, 0), Qt.Key.Key_Right: (5, 0), Qt.Key.Key_Up: (0, 5), Qt.Key.Key_Down: (0, -5)}
        if event is not None and Qt.Key(event.key()) in turns:
            turn, tilt = turns[Qt.Key(event.key())]
            self._turn(self.eye.turn + turn, self.eye.tilt + tilt)
        elif event is not None and event.text() in ("+", "-"):
            self.height_asked.emit(1.1 if event.text() == "+" else 1 / 1.1)
        else:
            super().keyPressEvent(event)


def _mesh(made: Turned, grid: Grid) -> np.ndarray:
    """Where lines of the mesh are seen: between pixels of different meshes, of shape (rows, columns)."""
    with np.errstate(invalid="ignore"):
        column = np.floor((made.x - grid.x[0]) / max(float(grid.x[-1] - grid.x[0]), 1e-300) * _MESH)
        row = np.floor((made.y - grid.y[0]) / max(float(grid.y[-1] - grid.y[0]), 1e-300) * _MESH)
    edge = np.zeros(made.seen.shape, dtype=bool)
    for cells in (column, row):
        edge[:, 1:] |= cells[:, 1:] != cells[:, :-1]
        edge[1:] |= cells[1:] != cells[:-1]
    return edge & made.seen
