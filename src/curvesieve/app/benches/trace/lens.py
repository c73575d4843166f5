"""The lens at the pointer: the picture enlarged, with the place that a click would take and its numbers."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPixmap

from curvesieve.app.theme.tokens import colour
from curvesieve.core.tracing.parts import Place

_LENS, _BESIDE, _UNDER = 74, 14, 30
"""Pixels: its radius, how far beside the pointer it stands, and the room its numbers take below."""


def draw_lens(
    painter: QPainter,
    room: QSize,
    pointer: QPointF,
    picture: QPixmap,
    place: Place,
    zoom: int,
    snapped: Place | None,
    said: str,
) -> None:
    """Draws it beside the pointer where there is room: `zoom` times the picture around a pixel of it."""
    side = _LENS + _BESIDE
    right = pointer.x() + 2 * side < room.width()
    below = pointer.y() + 2 * side + _UNDER < room.height()
    middle = pointer + QPointF(side if right else -side, side if below else -side)
    path = QPainterPath()
    path.addEllipse(middle, _LENS, _LENS)
    painter.save()
    painter.setClipPath(path)
    painter.fillPath(path, Qt.GlobalColor.white)
    reach = _LENS / zoom
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    target = QRectF(middle.x() - _LENS, middle.y() - _LENS, 2 * _LENS, 2 * _LENS)
    painter.drawPixmap(target, picture, QRectF(place[0] - reach, place[1] - reach, 2 * reach, 2 * reach))
    painter.setPen(QPen(colour("verdigris"), 1))
    painter.drawLine(middle - QPointF(_LENS, 0), middle + QPointF(_LENS, 0))
    painter.drawLine(middle - QPointF(0, _LENS), middle + QPointF(0, _LENS))
    if snapped is not None:
        at = middle + QPointF(snapped[0] - place[0], snapped[1] - place[1]) * zoom
        painter.setPen(QPen(colour("rust"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 5, 5)
    painter.restore()
    painter.setPen(QPen(colour("ink"), 2.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawEllipse(middle, _LENS, _LENS)
    _draw_numbers(painter, middle + QPointF(0, _LENS + 16), said)


def _draw_numbers(painter: QPainter, middle: QPointF, text: str) -> None:
    if not text:
        return
    wide = painter.fontMetrics().horizontalAdvance(text) + 20
    box = QRectF(middle.x() - wide / 2, middle.y() - 10, wide, 21)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("header"))
    painter.drawRoundedRect(box, 9, 9)
    painter.setPen(colour("header_ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
