"""The residuals of all curves, stacked as strips: a law that does not hold shows as the same wave in each."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractScrollArea

from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.core.envelope import envelope
from curvesieve.core.study.standing import Strip

_HIGH, _NAME = 34, 110


class StripsView(QAbstractScrollArea):
    """All strips share x and one scale of y. `taken` has the id of a strip that was clicked."""

    taken = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.strips: list[Strip] = []
        self.in_hand = self.unit = ""
        self.setAccessibleName("residuals of all curves")
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def sizeHint(self) -> QSize:
        return QSize(600, 160)

    def show_strips(self, strips: list[Strip], in_hand: str, unit: str) -> None:
        self.strips, self.in_hand, self.unit = strips, in_hand, unit
        self._scroll()
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    def _scroll(self) -> None:
        viewport, bar = self.viewport(), self.verticalScrollBar()
        if viewport is not None and bar is not None:
            bar.setRange(0, max(0, len(self.strips) * _HIGH + 18 - viewport.height()))
            bar.setPageStep(viewport.height())
            bar.setSingleStep(_HIGH)

    def resizeEvent(self, event: object) -> None:
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._scroll()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        viewport = self.viewport()
        if viewport is not None:
            viewport.update()

    def place_at(self, y: float) -> int:
        """The strip at a height of the widget; −1 below the last."""
        bar = self.verticalScrollBar()
        place = int((y + (bar.value() if bar is not None else 0)) // _HIGH)
        return place if 0 <= place < len(self.strips) else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.place_at(event.position().y()) if event is not None else -1
        if place >= 0:
            self.taken.emit(self.strips[place].id)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        viewport, bar = self.viewport(), self.verticalScrollBar()
        if viewport is None:
            return
        painter = QPainter(viewport)
        painter.fillRect(viewport.rect(), colour("card"))
        painter.setFont(font(13))
        if not self.strips:
            painter.setPen(colour("muted"))
            painter.drawText(
                viewport.rect().adjusted(8, 6, -8, 0), Qt.AlignmentFlag.AlignTop, "No curve is fitted yet."
            )
            painter.end()
            return
        finite = [one for one in self.strips if one.x.size]
        x0 = min(float(one.x.min()) for one in finite)
        x1 = max(float(one.x.max()) for one in finite)
        most = max((float(np.nanmax(np.abs(one.r), initial=0.0)) for one in finite), default=0.0) or 1.0
        down = bar.value() if bar is not None else 0
        for place, one in enumerate(self.strips):
            box = QRectF(0, place * _HIGH - down, viewport.width(), _HIGH)
            if box.bottom() >= 0 and box.top() <= viewport.height():
                self._paint(painter, box, one, (x0, x1), most)
        painter.setPen(colour("muted"))
        unit = "u" if all(one.weighed for one in self.strips) else self.unit
        words = f"x from {x0:.5g} to {x1:.5g}, each strip ± {most:.3g} {unit}"
        painter.drawText(
            QRectF(_NAME, len(self.strips) * _HIGH - down, viewport.width() - _NAME, 18),
            Qt.AlignmentFlag.AlignLeft,
            words,
        )
        painter.end()

    def _paint(self, painter: QPainter, box: QRectF, one: Strip, span: tuple[float, float], most: float) -> None:
        if one.id == self.in_hand:
            painter.fillRect(box, colour("tint"))
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(one.label, Qt.TextElideMode.ElideRight, _NAME - 12)
        painter.drawText(box.adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        area = box.adjusted(_NAME, 2, -8, -2)
        middle = area.center().y()
        painter.setPen(QPen(colour("line"), 1))
        painter.drawLine(QPointF(area.left(), middle), QPointF(area.right(), middle))
        x, r = one.x, one.r
        good = np.isfinite(r)
        x, r = x[good], r[good]
        if x.size > 4 * area.width() and bool(np.all(np.diff(x) >= 0)):
            x, r = envelope(x, r, float(x[0]), float(x[-1]), max(int(area.width()), 40))
        wide = (span[1] - span[0]) or 1.0
        across = area.left() + (x - span[0]) / wide * area.width()
        up = middle - r / most * area.height() / 2
        painter.setPen(QPen(colour("rust"), 1))
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(across.tolist(), up.tolist(), strict=True)]))
