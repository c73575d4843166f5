"""How a row of the shelf is drawn."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from curvesieve.app.panels.shelf.rows import ROW, ShelfRow
from curvesieve.app.session.session import Session
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.curve import Curve
from curvesieve.core.envelope import outline
from curvesieve.core.study.passing import recorded_at_hand

_ROW_PX = 32
_STRETCHES = 52
_MARKS = {"not fitted": "", "out of date": "○", "did not converge": "△", "fitted": "●"}


@lru_cache(maxsize=2048)
def _drawing(curve: Curve) -> QPolygonF:
    """The curve in the unit square, y downwards, by the lowest and highest points of each stretch: no peak is lost."""
    if not len(curve):
        return QPolygonF()
    x, y = outline(curve.x, curve.y, _STRETCHES)
    x = (x - x.min()) / (np.ptp(x) or 1.0)
    y = 1 - (y - y.min()) / (np.ptp(y) or 1.0)
    return QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)])


class ShelfDelegate(QStyledItemDelegate):
    """Draws a heading or a curve's row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(120, _ROW_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row: ShelfRow = index.data(ROW)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("tint"))
            painter.drawRoundedRect(QRectF(option.rect.adjusted(0, 1, 0, -1)), 5, 5)
        if row.curve is None:
            self._paint_heading(painter, option.rect, row)
        else:
            self._paint_curve(painter, option.rect, row)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(colour("verdigris"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(option.rect).adjusted(0.5, 1.5, -0.5, -1.5), 5, 5)
        painter.restore()

    def _paint_heading(self, painter: QPainter, rect: QRect, row: ShelfRow) -> None:
        small = font(12, bold=True)
        small.setLetterSpacing(small.SpacingType.AbsoluteSpacing, 1)
        painter.setFont(small)
        painter.setPen(colour("muted"))
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        mark = "▸" if row.folded else "▾"
        painter.drawText(rect.adjusted(2, 4, 0, 0), left, mark)
        count = f"  {row.count}" if row.folded else ""
        room = rect.width() - 16 - painter.fontMetrics().horizontalAdvance(count)
        text = painter.fontMetrics().elidedText(row.text.upper(), Qt.TextElideMode.ElideRight, room)
        painter.drawText(rect.adjusted(16, 4, 0, 0), left, text + count)

    def _paint_curve(self, painter: QPainter, rect: QRect, row: ShelfRow) -> None:
        assert row.curve is not None
        assert row.colour is not None
        here = row.curve.id == self.session.view.curve
        if here:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("card"))
            painter.drawRoundedRect(QRectF(rect.adjusted(0, 1, 0, -1)), 5, 5)
            painter.setBrush(colour("straw"))
            painter.drawRoundedRect(QRectF(rect.left(), rect.top() + 5, 3, rect.height() - 10), 1.5, 1.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(row.colour)
        painter.drawEllipse(QPointF(rect.left() + 13, rect.center().y() + 0.5), 4.5, 4.5)
        painter.setPen(colour("ink"))
        painter.setFont(font(bold=here))
        room = rect.adjusted(25, 0, -78, 0)
        text = painter.fontMetrics().elidedText(row.text, Qt.TextElideMode.ElideMiddle, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        painter.setPen(colour("verdigris" if row.state == "fitted" else "rust"))
        painter.setFont(font(11))
        mark = QRect(rect.right() - 76, rect.top(), 14, rect.height())
        painter.drawText(mark, Qt.AlignmentFlag.AlignCenter, _MARKS[row.state])
        if row.warning:  # the sieve caught far more here than in the rest of the family, or failed
            painter.setPen(colour("rust"))
            painter.setFont(font(13, bold=True))
            painter.drawText(mark.translated(-14, 0), Qt.AlignmentFlag.AlignCenter, "!")
        frame = QRectF(rect.right() - 58, rect.top() + 7, 52, rect.height() - 14)
        study = self.session.study
        curve = recorded_at_hand(study, row.curve.id)
        if curve is None:
            self.session.readings.look_up(study.members(row.curve.id), "shelf")
            return
        shape = _drawing(curve)
        painter.save()
        painter.translate(frame.topLeft())
        painter.scale(frame.width(), frame.height())
        pen = QPen(row.colour, 1.4)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(shape)
        painter.restore()
