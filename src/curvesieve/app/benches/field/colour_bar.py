"""The colours of a field with their values, as high as the room it stands in."""

from __future__ import annotations

from itertools import pairwise

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from curvesieve.app.benches.field.colours import Scale
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.fields.contours import round_step

_WIDTH_PX, _BAR_PX, _LEAST_PX = 84, 16, 18


class FieldBar(QWidget):
    """Colours from low to high; in bands, the numbers stand at their ends."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(_WIDTH_PX)
        self.scale: Scale | None = None
        self.title = ""

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH_PX, 200)

    def show_scale(self, scale: Scale | None, title: str) -> None:
        """Other colours, and what they are of."""
        self.scale, self.title = scale, title
        self.setAccessibleName(f"colours of {title}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), colour("card"))
        scale = self.scale
        if scale is None:
            painter.end()
            return
        box = QRectF(8, 60, _BAR_PX, self.height() - 86)
        painter.setFont(font(13))
        painter.setPen(colour("muted"))
        words = QRectF(4, 2, self.width() - 6, 54)
        painter.drawText(
            words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap, self.title
        )
        if scale.levels is not None:
            ends = scale.ends
            for low, high in pairwise(ends.tolist()):
                top, bottom = self._at(high, box), self._at(low, box)
                painter.fillRect(QRectF(box.left(), top, box.width(), bottom - top), scale.colour(0.5 * (low + high)))
        else:
            fill = QLinearGradient(box.bottomLeft(), box.topLeft())
            for k in range(17):
                fill.setColorAt(k / 16, scale.colour(scale.low + (scale.high - scale.low) * k / 16))
            painter.fillRect(box, fill)
        self._numbers(painter, box, scale)
        painter.end()

    def _at(self, value: float, box: QRectF) -> float:
        assert self.scale is not None
        span = self.scale.high - self.scale.low
        return box.bottom() - box.height() * ((value - self.scale.low) / span if span > 0 else 0.0)

    def _numbers(self, painter: QPainter, box: QRectF, scale: Scale) -> None:
        painter.setFont(font(12))
        painter.setPen(colour("ink"))
        if scale.levels is not None and scale.ends.size > 2:
            values = [float(value) for value in scale.ends[1:-1]]
        else:
            values = _round_values(scale.low, scale.high)
        last = 1e9
        for value in values:
            y = self._at(value, box)
            if last - y < _LEAST_PX:
                continue
            last = y
            place = QRectF(box.right() + 5, y - 9, self.width() - box.right() - 6, 18)
            painter.drawLine(int(box.right()), int(y), int(box.right()) + 3, int(y))
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, f"{value:.7g}")


def _round_values(low: float, high: float) -> list[float]:
    if not high > low:
        return [low]
    step = round_step((high - low) / 6)
    first = -(-low // step)
    count = int((high - first * step) // step) + 1
    return [(first + k) * step for k in range(max(count, 0))]
