"""What is drawn over a picture: the grid of its axes, marks, places of series, bars; all in pixels of the picture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.app.theme.tokens import colour, family_colours
from curvesieve.core.tracing.parts import AxisSpec, SeriesSpec
from curvesieve.core.tracing.typed import said
from curvesieve.core.tracing.values import axis_of

ToScreen = Callable[[float, float], QPointF]
_MARK_PX, _DOT_PX = 9, 4.5
_WORDS_PX = 13
_GRID_STEPS = 24
SERIES_COLOURS = ("rust", "violet", "verdigris", "ink")
"""Those of the scheme that series are drawn in, in their order."""


def series_colour(work: TraceWork, number: int) -> QColor:
    """The colour that a series is drawn in over the picture: its own, else by its number."""
    count = len(work.trace.series)
    if work.trace.series[number].colour:
        return QColor(work.trace.series[number].colour)
    return colour(SERIES_COLOURS[number]) if count <= len(SERIES_COLOURS) else family_colours(count)[number]


def draw_grid(painter: QPainter, work: TraceWork, screen: ToScreen) -> None:
    """The lines of all marked values of both axes, through the whole of the other axis."""
    frame, trace = work.frame, work.trace
    if frame is None:
        return
    painter.setPen(QPen(colour("verdigris", 90), 1))
    for name, other in (("x", trace.y), ("y", trace.x)):
        axis: AxisSpec = getattr(trace, name)
        ends = sorted(mark.value for mark in other.counted())
        even = _between(ends[0], ends[-1], other.scale)
        for value in sorted({mark.value for mark in axis.counted()}):
            fixed = np.full(even.size, value)
            values = np.stack([fixed, even] if name == "x" else [even, fixed], axis=1)
            places = frame.pixels(values)
            painter.drawPolyline(QPolygonF([screen(x, y) for x, y in places.tolist() if np.isfinite(x + y)]))


def _between(low: float, high: float, scale: str) -> np.ndarray:
    if scale in ("log10", "ln") and low > 0:
        return np.geomspace(low, high, _GRID_STEPS)
    return np.linspace(low, high, _GRID_STEPS)


def draw_marks(painter: QPainter, work: TraceWork, screen: ToScreen) -> None:
    """The typed marks with their values, and the ticks that were found as small strokes."""
    opened = work.opened
    if work.step == "axes" and opened is not None:
        painter.setPen(QPen(colour("straw"), 2))
        for px, py in opened.found.places().tolist():
            at = screen(px, py)
            painter.drawLine(at - QPointF(0, 4), at + QPointF(0, 4))
            painter.drawLine(at - QPointF(4, 0), at + QPointF(4, 0))
    words: dict[tuple[int, int], list[str]] = {}
    for axis in (work.trace.x, work.trace.y):
        for mark in axis.marks:
            if mark.typed:
                words.setdefault((round(mark.px), round(mark.py)), []).append(said(mark.value, axis.scale))
    painter.setPen(QPen(colour("verdigris"), 2))
    font = painter.font()
    font.setPixelSize(_WORDS_PX)
    painter.setFont(font)
    for (px, py), values in words.items():
        at = screen(px, py)
        painter.drawLine(at - QPointF(_MARK_PX, 0), at + QPointF(_MARK_PX, 0))
        painter.drawLine(at - QPointF(0, _MARK_PX), at + QPointF(0, _MARK_PX))
        painter.drawText(at + QPointF(8, -8), " · ".join(values))


def draw_values(painter: QPainter, work: TraceWork, screen: ToScreen) -> None:
    """The values of all marks beside their places, and the names of both axes: those of a chart drawn anew."""
    painter.setPen(QColor("#22302F"))  # on white paper in any scheme
    font = painter.font()
    font.setPixelSize(_WORDS_PX)
    painter.setFont(font)
    metrics = painter.fontMetrics()
    for name, axis in (("x", work.trace.x), ("y", work.trace.y)):
        for mark in axis.marks:
            at, text = screen(mark.px, mark.py), said(float(f"{mark.value:.6g}"), axis.scale)
            wide = metrics.horizontalAdvance(text)
            by = QPointF(-wide / 2, 16) if name == "x" else QPointF(-wide - 6, 5)
            painter.drawText(at + by, text)
        if axis.marks:
            middle = screen(
                sum(mark.px for mark in axis.marks) / len(axis.marks),
                sum(mark.py for mark in axis.marks) / len(axis.marks),
            )
            words = f"{axis.label or name} ({axis.unit})" if axis.unit else axis.label or name
            wide = metrics.horizontalAdvance(words)
            painter.save()
            painter.translate(middle + (QPointF(0, 34) if name == "x" else QPointF(-38, 0)))
            painter.rotate(0 if name == "x" else -90)
            painter.drawText(QPointF(-wide / 2, 0), words)
            painter.restore()


def draw_series(painter: QPainter, work: TraceWork, screen: ToScreen) -> None:
    """Places as circles with white inside, lines as strokes, bars as boxes; the place in hand is filled."""
    series = work.series
    for number, one in enumerate(work.trace.series):
        in_hand = series is not None and one.id == series.id
        tone = series_colour(work, number)
        tone.setAlpha(255 if in_hand else 130)
        if one.kind == "line":
            painter.setPen(QPen(tone, 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF([screen(*place) for place in one.places]))
        for k, place in enumerate(one.places):
            chosen = in_hand and k == work.number
            painter.setPen(QPen(tone, 1.4))
            painter.setBrush(tone if chosen else QColor("white"))
            if one.kind != "line":
                painter.drawEllipse(screen(*place), _DOT_PX, _DOT_PX)
            elif in_hand:
                painter.drawEllipse(screen(*place), 1.8, 1.8)
        _draw_bars(painter, one, tone, screen, work.number if in_hand else -1)


def _draw_bars(painter: QPainter, series: SeriesSpec, tone: QColor, screen: ToScreen, chosen: int) -> None:
    lies = axis_of(series) == 0
    across = QPointF(0, 7) if lies else QPointF(7, 0)
    for number, bar in enumerate(series.bars):
        base, top = screen(*bar.base), screen(*bar.top)
        painter.setPen(QPen(tone, 2))
        painter.setBrush(tone if number == chosen else Qt.BrushStyle.NoBrush)
        painter.drawLine(base, top)
        painter.drawEllipse(top, _DOT_PX, _DOT_PX)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(base - QPointF(3, 3), base + QPointF(3, 3)))
        painter.setPen(QPen(colour("verdigris"), 2))
        for end in (bar.lower, bar.upper):
            if end is not None:
                at = screen(*end)
                painter.drawLine(at - across, at + across)
