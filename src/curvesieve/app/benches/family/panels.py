"""Curves of a family side by side in frames of their own: one panel each, or small in a gallery."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFontMetricsF,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QToolTip

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import plain_tip
from curvesieve.core.curve import Floats
from curvesieve.core.envelope import envelope
from curvesieve.core.study.standing import Standing, Stood

_SMALL = QSize(148, 96)
_LARGE = QSize(222, 124)
_GAP, _TOP, _BOTTOM, _LEFT = 8, 22, 20, 52
_MOST_DRAWN, _RINGS = 3000, 200


@dataclass(frozen=True)
class Mark:
    """A word on a curve's state, and whether it is one to worry about."""

    word: str
    bad: bool = False


class Panels(QAbstractScrollArea):
    """Paints only the frames in sight. `taken` has the id of a curve that was clicked, `opened` that of one twice."""

    taken = pyqtSignal(str)
    opened = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.small = False
        self.curves: tuple[Stood, ...] = ()
        self.hues: Mapping[str, QColor] = {}
        self.marks: Mapping[str, Mark] = {}
        self.in_hand = ""
        self.caught: Mapping[str, tuple[Floats, Floats]] = {}
        self.guides: Sequence[tuple[float, str]] = ()
        self._own_y = False
        self._logs = (False, False)
        self._span = (0.0, 1.0, 0.0, 1.0)
        self._lines: dict[tuple[str, bool], QPolygonF] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setAccessibleName("a panel for each curve of the family")
        viewport = self.viewport()
        assert viewport is not None
        viewport.setMouseTracking(True)

    def show_standing(
        self, made: Standing, hues: Mapping[str, QColor], marks: Mapping[str, Mark], in_hand: str, small: bool,
        own_y: bool, logs: tuple[bool, bool], guides: Sequence[tuple[float, str]],
        caught: Mapping[str, tuple[Floats, Floats]],
    ) -> None:  # fmt: skip
        """Shows these curves, in their order; in a gallery those with a word to worry about come first.

        `caught` are points that the sieve took away, by curve.
        """
        self.caught = caught
        curves = made.curves
        if small:
            curves = tuple(sorted(curves, key=lambda one: not marks.get(one.id, Mark("")).bad))
        self.curves, self.hues, self.marks, self.in_hand = curves, hues, marks, in_hand
        self.small, self._own_y, self._logs, self.guides = small, own_y, logs, guides
        self._lines = {}
        spans = [span for one in curves if (span := self._bounds(one)) is not None]
        self._span = _united(spans)
        self._scroll()
        self._update()

    def _update(self) -> None:
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    # -- where frames lie ---------------------------------------------------------------------------

    @property
    def across(self) -> int:
        """How many frames stand beside one another."""
        viewport = self.viewport()
        width = viewport.width() if viewport is not None else 0
        least = _SMALL.width() if self.small else _LARGE.width()
        most = max(1, (width + _GAP) // (least + _GAP))
        return most if self.small else max(1, min(most, len(self.curves)))

    def frame(self, place: int) -> QRect:
        """The frame of a place in the widget, as it is scrolled."""
        viewport, bar = self.viewport(), self.verticalScrollBar()
        width = viewport.width() if viewport is not None else 0
        wide = (width - (self.across - 1) * _GAP) // self.across
        tall = self._tall()
        row, column = divmod(place, self.across)
        down = bar.value() if bar is not None else 0
        return QRect(column * (wide + _GAP), row * (tall + _GAP) - down, wide, tall)

    def _tall(self) -> int:
        if self.small:
            return _SMALL.height()
        viewport = self.viewport()
        rows = -(-len(self.curves) // self.across) if self.curves else 1
        room = (viewport.height() if viewport is not None else 0) - (rows - 1) * _GAP
        return max(_LARGE.height(), room // rows)

    def place_at(self, at: QPointF) -> int:
        """The place of the frame under a point; −1 where there is none."""
        for place in range(len(self.curves)):
            if self.frame(place).contains(at.toPoint()):
                return place
        return -1

    def _scroll(self) -> None:
        viewport, bar = self.viewport(), self.verticalScrollBar()
        if viewport is None or bar is None:
            return
        rows = -(-len(self.curves) // self.across) if self.curves else 0
        whole = rows * (self._tall() + _GAP) - _GAP
        bar.setRange(0, max(0, whole - viewport.height()))
        bar.setPageStep(viewport.height())
        bar.setSingleStep(self._tall() // 3)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._lines = {}
        self._scroll()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._update()

    # -- painting -----------------------------------------------------------------------------------

    def _mapped(self, one: Stood, y: Floats) -> tuple[Floats, Floats]:
        with np.errstate(all="ignore"):
            x = np.log10(one.x) if self._logs[0] else one.x
            y = np.log10(y) if self._logs[1] else y
        good = np.isfinite(x) & np.isfinite(y)
        return x[good], y[good]

    def _bounds(self, one: Stood) -> tuple[float, float, float, float] | None:
        x, y = self._mapped(one, one.y)
        return (float(x.min()), float(x.max()), float(y.min()), float(y.max())) if x.size else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        viewport = self.viewport()
        if viewport is None:
            return
        painter = QPainter(viewport)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for place, one in enumerate(self.curves):
            box = self.frame(place)
            if box.bottom() >= 0 and box.top() <= viewport.height():
                self._paint(painter, QRectF(box), one)
        painter.end()

    def _paint(self, painter: QPainter, box: QRectF, one: Stood) -> None:
        mine = one.id == self.in_hand
        painter.setPen(QPen(colour("verdigris" if mine else "line"), 2.0 if mine else 1.0))
        painter.setBrush(colour("card"))
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        mark = self.marks.get(one.id, Mark(""))
        painter.setFont(font(13, bold=mine))
        metrics = QFontMetricsF(painter.font())
        inner = box.adjusted(8, 3, -8, 0)
        word = metrics.elidedText(mark.word, Qt.TextElideMode.ElideRight, inner.width() * (0.55 if self.small else 0.7))
        used = metrics.horizontalAdvance(word) + 6 if word else 0
        painter.setPen(colour("ink"))
        name = metrics.elidedText(one.label, Qt.TextElideMode.ElideRight, inner.width() - used)
        top = QRectF(inner.left(), inner.top(), inner.width(), _TOP - 4)
        painter.drawText(top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(colour("rust" if mark.bad else "muted"))
        painter.drawText(top, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, word)
        left, bottom = (6, 6) if self.small else (_LEFT, _BOTTOM)
        area = box.adjusted(left, _TOP, -8, -bottom)
        span = self._bounds(one) if self._own_y or self.small else self._span
        if span is None or area.width() < 8 or area.height() < 8:
            return
        x0, x1 = self._span[:2]
        span = (x0, x1, *span[2:])
        if not self.small:
            self._paint_axes(painter, area, span)
        painter.setClipRect(area.adjusted(-1, -1, 1, 1))
        for x, _ in self.guides:
            at = float(np.log10(x)) if self._logs[0] and x > 0 else x
            right = area.left() + (at - span[0]) / ((span[1] - span[0]) or 1.0) * area.width()
            painter.setPen(QPen(colour("muted"), 1.0, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(right, area.top()), QPointF(right, area.bottom()))
        self._paint_line(painter, area, span, one, one.y, False, self.hues.get(one.id, colour("ink")))
        if one.fit is not None:
            self._paint_line(painter, area, span, one, one.fit, True, colour("violet"))
        if one.id in self.caught:
            self._paint_caught(painter, area, span, *self.caught[one.id])
        painter.setClipping(False)

    def _paint_caught(
        self, painter: QPainter, area: QRectF, span: tuple[float, float, float, float], x: Floats, y: Floats
    ) -> None:
        """Rings where points were caught; those beyond the frame lie on its edge."""
        painter.setPen(QPen(colour("rust"), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        with np.errstate(all="ignore"):
            x, y = (np.log10(one) if log else one for one, log in zip((x, y), self._logs, strict=True))
        good = np.isfinite(x) & np.isfinite(y) & (x >= span[0]) & (x <= span[1])
        across = area.left() + (x[good] - span[0]) / ((span[1] - span[0]) or 1.0) * area.width()
        share = np.clip((y[good] - span[2]) / ((span[3] - span[2]) or 1.0), 0.0, 1.0)
        down = area.top() + area.height() * (1 - 0.04 - 0.92 * share)
        for a, b in zip(across[:_RINGS].tolist(), down[:_RINGS].tolist(), strict=True):
            painter.drawEllipse(QPointF(a, b), 2.2, 2.2)

    def _paint_line(
        self, painter: QPainter, area: QRectF, span: tuple[float, float, float, float], one: Stood, y: Floats,
        fit: bool, hue: QColor,
    ) -> None:  # fmt: skip
        line = self._lines.get((one.id, fit))
        if line is None:
            line = self._lines[one.id, fit] = self._line(area.width(), area.height(), span, one, y)
        painter.setPen(QPen(hue, 1.6 if fit else 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line.translated(area.left(), area.top()))

    def _line(
        self, wide: float, tall: float, span: tuple[float, float, float, float], one: Stood, y: Floats
    ) -> QPolygonF:
        """The curve in pixels of its frame, thinned to what can be seen."""
        x, y = self._mapped(one, y)
        if x.size > 4 * wide and bool(np.all(np.diff(x) >= 0)):
            x, y = envelope(x, y, float(x[0]), float(x[-1]), max(int(wide), 40))
        elif x.size > _MOST_DRAWN:
            x, y = x[:: x.size // _MOST_DRAWN], y[:: x.size // _MOST_DRAWN]
        x0, x1, y0, y1 = span
        across = (x - x0) / ((x1 - x0) or 1.0) * wide
        down = tall * (1 - 0.04 - 0.92 * (y - y0) / ((y1 - y0) or 1.0))
        return QPolygonF([QPointF(a, b) for a, b in zip(across.tolist(), down.tolist(), strict=True)])

    def _paint_axes(self, painter: QPainter, area: QRectF, span: tuple[float, float, float, float]) -> None:
        painter.setPen(QPen(colour("muted"), 1.0))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        painter.drawLine(area.topLeft(), area.bottomLeft())
        painter.setFont(font(11))
        x0, x1, y0, y1 = span
        for value in _ticks(x0, x1, 4):
            at = area.left() + (value - x0) / ((x1 - x0) or 1.0) * area.width()
            painter.drawLine(QPointF(at, area.bottom()), QPointF(at, area.bottom() + 3))
            words = _written(value, self._logs[0])
            painter.drawText(
                QRectF(at - 40, area.bottom() + 3, 80, 15), Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop,
                words,
            )  # fmt: skip
        for value in _ticks(y0, y1, 3):
            at = area.top() + area.height() * (1 - 0.04 - 0.92 * (value - y0) / ((y1 - y0) or 1.0))
            painter.drawLine(QPointF(area.left() - 3, at), QPointF(area.left(), at))
            box = QRectF(area.left() - _LEFT + 2, at - 8, _LEFT - 8, 16)
            painter.drawText(
                box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _written(value, self._logs[1])
            )

    # -- gestures -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position()) if event is not None else -1
        if place >= 0:
            self.taken.emit(self.curves[place].id)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position()) if event is not None else -1
        if place >= 0:
            self.opened.emit(self.curves[place].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows walk from frame to frame; Enter goes to the curve."""
        turn = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self.across, Qt.Key.Key_Down: self.across,
        }.get(Qt.Key(event.key()) if event is not None else Qt.Key.Key_unknown)  # fmt: skip
        ids = [one.id for one in self.curves]
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.in_hand in ids:
            self.opened.emit(self.in_hand)
        elif turn is not None and ids:
            here = ids.index(self.in_hand) if self.in_hand in ids else -turn
            there = here + turn
            if 0 <= there < len(ids):
                self.taken.emit(ids[there])
                self._show(there)
        elif event is not None:
            super().keyPressEvent(event)

    def _show(self, place: int) -> None:
        bar, viewport = self.verticalScrollBar(), self.viewport()
        if bar is None or viewport is None:
            return
        box = self.frame(place)
        if box.top() < 0:
            bar.setValue(bar.value() + box.top())
        elif box.bottom() > viewport.height():
            bar.setValue(bar.value() + box.bottom() - viewport.height())

    def viewportEvent(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            place = self.place_at(QPointF(event.pos()))
            if place >= 0:
                one = self.curves[place]
                word = self.marks.get(one.id, Mark("")).word
                QToolTip.showText(event.globalPos(), plain_tip(f"{one.label}\n{word}".strip()), self)
            return True
        return super().viewportEvent(event)  # type: ignore[arg-type]


def _united(spans: Sequence[tuple[float, float, float, float]]) -> tuple[float, float, float, float]:
    if not spans:
        return 0.0, 1.0, 0.0, 1.0
    x0, x1, y0, y1 = zip(*spans, strict=True)
    return min(x0), max(x1), min(y0), max(y1)


def _ticks(low: float, high: float, about: int) -> list[float]:
    """Round numbers between two ends."""
    width = high - low
    if not width > 0 or not np.isfinite(width):
        return [low]
    step = 10.0 ** np.floor(np.log10(width / about))
    step *= next(m for m in (1, 2, 5, 10) if width / (m * step) <= about)
    return [float(one) for one in np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step]


def _written(value: float, log: bool) -> str:
    return f"{10.0**value:.3g}" if log else f"{value + 0.0:.5g}"
