"""The page as it prints: parts clicked and dragged on it, contents dropped into it, a ruler in mm along it."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QScrollArea, QWidget

from curvesieve.app.benches.figure.put_in import PIECE
from curvesieve.app.benches.figure.work import FigureWork, Seen
from curvesieve.app.theme.tokens import colour
from curvesieve.core.figures.parts import lifted, lifts, moved, value_of, with_part
from curvesieve.core.study.figure_parts import BandMark, FigureSpec, GuideMark, LineSpec

_ROOM_PX, _RULER_PX, _DRAG_PX = 24, 30, 4
_NUDGE_PT = 1.0
_KEYS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
}  # fmt: skip


class Paper(QWidget):
    """Renders the drawn page and says what is clicked on it. `hovered` has words for the status line."""

    hovered = pyqtSignal(str)

    def __init__(self, work: FigureWork) -> None:
        super().__init__()
        self.work = work
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("the page")
        self._pressed: QPointF | None = None
        self._by = QPointF()
        self._drop_at = -1

    @property
    def seen(self) -> Seen | None:
        return self.work.seen

    def size_of_page(self) -> QSize:
        """The page in pixels of the screen."""
        seen = self.seen
        if seen is None:
            return QSize(0, 0)
        ratio = self.devicePixelRatioF()
        height, width = seen.picture.pixels.shape[:2]
        return QSize(round(width / ratio), round(height / ratio))

    def corner(self) -> QPointF:
        """The page's top left corner in the widget."""
        size = self.size_of_page()
        left = max((self.width() - size.width()) // 2, _ROOM_PX)
        top = max((self.height() - _RULER_PX - size.height()) // 2, _ROOM_PX)
        return QPointF(left, top)

    def settle(self) -> None:
        """Takes the size that the page needs."""
        size = self.size_of_page()
        self.setMinimumSize(size.width() + 2 * _ROOM_PX, size.height() + 2 * _ROOM_PX + _RULER_PX)
        self.update()

    # -- painting -----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), colour("line").lighter(104))
        seen = self.seen
        if seen is None:
            self._paint_words(painter)
            return
        pixels = seen.picture.pixels
        image = QImage(
            pixels.data.tobytes(), pixels.shape[1], pixels.shape[0], 4 * pixels.shape[1], QImage.Format.Format_RGBA8888
        )
        at, size = self.corner(), self.size_of_page()
        page = QRectF(at.x(), at.y(), size.width(), size.height())
        shadow = colour("muted")
        shadow.setAlpha(60)
        painter.fillRect(page.translated(2, 3), shadow)
        painter.drawImage(page, image)
        self._paint_part(painter, seen)
        self._paint_ruler(painter, page, seen.spec)
        if self._drop_at >= 0:
            self._outline(painter, self._box(seen, f"panel {self._drop_at}"), solid=True)

    def _paint_words(self, painter: QPainter) -> None:
        painter.setPen(colour("muted"))
        text = self.work.problem or (
            "The page is being drawn …" if self.work.spec is not None else ""
        )  # fmt: skip
        how = int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap)
        painter.drawText(self.rect().adjusted(40, 40, -40, -40), how, text)

    def _paint_part(self, painter: QPainter, seen: Seen) -> None:
        part = self.work.part
        trace = seen.picture.traces.get(part)
        if trace is not None:
            corner, ratio = self.corner(), self.devicePixelRatioF()
            by = self._by if self._pressed is not None else QPointF()
            points = [
                QPointF(x / ratio, y / ratio) + corner + QPointF(0, by.y())
                for x, y in trace.tolist()
                if x == x and y == y
            ]
            painter.setPen(QPen(colour("verdigris"), 1.4, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(points))
        elif part in seen.picture.boxes:
            self._outline(
                painter, self._box(seen, part).translated(self._by if self._pressed is not None else QPointF())
            )

    def _outline(self, painter: QPainter, box: QRectF, solid: bool = False) -> None:
        painter.setPen(QPen(colour("verdigris"), 1.2, Qt.PenStyle.SolidLine if solid else Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 3, 3)

    def _box(self, seen: Seen, part: str) -> QRectF:
        left, top, right, bottom = seen.picture.boxes.get(part, (0, 0, 0, 0))
        ratio = self.devicePixelRatioF()
        return QRectF(left / ratio, top / ratio, (right - left) / ratio, (bottom - top) / ratio).translated(
            self.corner()
        )

    def _paint_ruler(self, painter: QPainter, page: QRectF, spec: FigureSpec) -> None:
        painter.setPen(colour("muted"))
        step = 10 if page.width() / spec.width * 10 > 28 else 50
        y = page.bottom() + 10
        for mm in range(0, int(spec.width) + 1, step):
            x = page.left() + page.width() * mm / spec.width
            painter.drawLine(QPointF(x, y - 4), QPointF(x, y))
            painter.drawText(QRectF(x - 20, y, 40, 18), int(Qt.AlignmentFlag.AlignHCenter), str(mm) if mm else "0 mm")

    # -- the mouse ----------------------------------------------------------------------------------

    def _pixel(self, point: QPointF) -> tuple[float, float]:
        """A point of the widget in pixels of the picture."""
        there, ratio = point - self.corner(), self.devicePixelRatioF()
        return there.x() * ratio, there.y() * ratio

    def part_at(self, point: QPointF) -> str:
        """The part under a point of the widget."""
        return self.seen.picture.part_at(*self._pixel(point)) if self.seen is not None else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        self.work.choose(self.part_at(event.position()))
        self._pressed, self._by = event.position(), QPointF()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._pressed is not None and self._can_move():
            self._by = event.position() - self._pressed
            self.update()
            return
        part = self.part_at(event.position())
        hand = part.split(" ")[0] in ("name", "mark", "inset") or self._lifts(part)
        self.setCursor(Qt.CursorShape.OpenHandCursor if hand else Qt.CursorShape.ArrowCursor)
        self.hovered.emit(_SAID.get("lifted" if self._lifts(part) else part.split(" ")[0], ""))

    def _lifts(self, part: str) -> bool:
        return self.seen is not None and part.startswith("line") and lifts(self.seen.spec, part)

    def _can_move(self) -> bool:
        part = self.work.part
        return part.split(" ")[0] in ("name", "mark", "inset") or self._lifts(part)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        pressed, self._pressed = self._pressed, None
        if event is None or pressed is None:
            return
        by, self._by = event.position() - pressed, QPointF()
        if self._can_move() and by.manhattanLength() > _DRAG_PX:
            self.move_part(pressed, event.position())
        self.update()

    def lay_down(self) -> None:
        """Escape: what is being dragged falls back; else the page itself is in hand."""
        if self._pressed is not None:
            self._pressed = None
            self.update()
        else:
            self.work.choose("")
            self.update()

    def move_part(self, begin: QPointF, end: QPointF, merge: str = "") -> None:
        """Moves the part in hand by what lies between two points of the widget; moves of one `merge` are one edit.

        Where things lie is told by the page that is seen, what is moved by the figure as it is by now.
        """
        seen, spec, part = self.seen, self.work.spec, self.work.part
        if seen is None or spec is None:
            return
        kind, place = part.split(" ")[0], int(part.split(" ")[1])
        scales = seen.picture.panels.get(place)
        value = value_of(spec, part)
        if scales is None or value is None:
            return
        a, b = self._pixel(begin), self._pixel(end)
        if kind == "line":
            y0, y1 = scales.place(*a)[1], scales.place(*b)[1]
            by = math.log10(y1 / y0) if scales.y_log and y0 > 0 and y1 > 0 else y1 - y0
            self.work.change(lifted(spec, part, by), "lift a curve", merge)
        elif isinstance(value, LineSpec):
            pt = 72 / seen.picture.dpi
            shift = (value.shift[0] + (b[0] - a[0]) * pt, value.shift[1] - (b[1] - a[1]) * pt)
            self.work.change(with_part(part, shift=shift), "move a name", merge)
        elif isinstance(value, GuideMark | BandMark):
            which = 1 if value.level else 0
            log = scales.y_log if value.level else scales.x_log
            self._move_spots(part, value, (scales.place(*a)[which], scales.place(*b)[which]), log, merge)
        else:
            (sx0, sy0), (sx1, sy1) = scales.share(*a), scales.share(*b)
            self.work.change(with_part(part, **moved(value, sx1 - sx0, sy1 - sy0)), f"move a {kind}", merge)

    def _move_spots(
        self, part: str, value: GuideMark | BandMark, ends: tuple[float, float], log: bool, merge: str
    ) -> None:
        """Moves typed places; those that follow a reading stay with it, and uneven axes have theirs typed, which is
        said.
        """
        spec = self.work.spec
        assert spec is not None
        panel = spec.panels[int(part.split(" ")[1])]
        axis = panel.y if value.level else panel.x
        spots = {"spot": value.spot} if isinstance(value, GuideMark) else {"low": value.low, "high": value.high}
        typed = {name: spot for name, spot in spots.items() if spot.at is not None}
        if not typed:
            sentence = f"This {value.kind} follows a reading; type a place to move it."
        elif axis.scale == "reciprocal" or axis.cut is not None:
            sentence = f"On this axis a {value.kind} is moved by typing its place."
        else:
            made = {}
            for name, spot in typed.items():
                at = float(spot.at or 0.0)
                to = at * ends[1] / ends[0] if log and ends[0] > 0 else at + ends[1] - ends[0]
                made[name] = spot.model_copy(update={"at": to})
            self.work.change(with_part(part, **made), f"move a {value.kind}", merge)
            return
        self.work.session.noticed.emit(sentence, "problem")

    # -- the keyboard -------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows move the part in hand by 1 pt, with Shift by 10; Delete takes it out."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.work.remove_part()
            return
        turn = _KEYS.get(Qt.Key(event.key()))
        if turn is None or self.seen is None or not self._can_move():
            super().keyPressEvent(event)
            return
        many = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        by = _NUDGE_PT * many * self.seen.picture.dpi / 72 / self.devicePixelRatioF()
        begin = self.corner() + QPointF(self.size_of_page().width() / 2, self.size_of_page().height() / 2)
        self.move_part(begin, begin + QPointF(turn[0] * by, turn[1] * by), f"nudge {self.work.part}")

    # -- what is dropped ----------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(PIECE):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: object) -> None:
        assert isinstance(event, QDropEvent)
        part = self.part_at(event.position())
        self._drop_at = int(part.split(" ")[1]) if part else -1
        event.acceptProposedAction()
        self.update()

    def dragLeaveEvent(self, event: object) -> None:
        self._drop_at = -1
        self.update()

    def dropEvent(self, event: QDropEvent | None) -> None:
        at, self._drop_at = self._drop_at, -1
        data = event.mimeData() if event is not None else None
        if event is None or data is None or not data.hasFormat(PIECE):
            return
        event.acceptProposedAction()
        self.dropped(bytes(data.data(PIECE).data()).decode(), at if at >= 0 else None)

    def dropped(self, number: str, place: int | None) -> None:
        """Puts the piece of a number, as they are listed, into a panel."""
        from curvesieve.core.figures.offers import pieces

        found = pieces(self.work.session.study)
        if number.isdigit() and int(number) < len(found):
            self.work.put_in(found[int(number)].content, place)


_SAID = {
    "lifted": "Click to style this curve, drag it to lift it", "line": "Click to style this line",
    "name": "Drag this name, or click to change it", "mark": "Drag this mark, or click to change it",
    "x": "Click to change the x axis", "y": "Click to change the y axis", "right": "Click to change the right axis",
    "inset": "Drag what is magnified to another place", "names": "Click to change the key",
    "panel": "Click to change this panel",
}  # fmt: skip


class PageView(QScrollArea):
    """The paper, as large as fits or as it prints. `resized` asks for a page of another size."""

    def __init__(self, work: FigureWork) -> None:
        super().__init__()
        self.work = work
        self.paper = Paper(work)
        self.setWidget(self.paper)
        self.setWidgetResizable(True)
        self.fits = True
        work.drawn.connect(self.paper.settle)
        work.chosen.connect(self.paper.update)

    def draw(self) -> None:
        """Has the page drawn at the size that it is to be seen at."""
        self.work.draw(self.dpi())

    def dpi(self) -> float:
        """Pixels an inch of the page: of the screen, or so many that it fits."""
        ratio = self.devicePixelRatioF()
        spec = self.work.spec
        if not self.fits or spec is None:
            return self.logicalDpiX() * ratio
        width = max(self.width() - 2 * _ROOM_PX - 12, 60)
        height = max(self.height() - 2 * _ROOM_PX - _RULER_PX - 4, 60)
        return round(min(width / spec.width, height / spec.height) * 25.4, 1) * ratio

    def fit(self, on: bool) -> None:
        """Fits the page into its room, or shows it as large as it prints."""
        self.fits = on
        self.draw()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.isVisible():
            self.draw()
