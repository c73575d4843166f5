"""The frame of a chart and the ticks on it, found by themselves, for marks of axes to snap to."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.lines import StraightLine, brightness, straight_edges, straight_lines
from curvesieve.core.tracing.rows import decades, even_ones
from curvesieve.core.tracing.strokes import SHORT, Tick, along, strokes_beside

_UNLIKE = 1.35
"""How many times longer ticks with a number are than those between."""
_MOST_NUMBERS = 40
"""More numbers than this have no room beside an axis: such a row is the dashes of a line, or letters."""
_CORNER_PX = 2.5
"""Pixels from the end of its line within which a stroke is the other side of the frame."""
_REAL = 1.5
"""How much more than lines of a grid real ticks are believed."""
_MOSTLY_EVEN = 0.5
"""Share of the longer ticks that must stand evenly for the others not to be ticks with numbers."""
_MOST_PX = 6_000_000
"""Pixels of a picture in which a frame is looked for; larger ones are made smaller for it."""
_AS_GOOD = 0.8
"""Of the plainest side's worth that a side looked at earlier must have to be taken."""
_EDGE_OF_LINE_PX = 5.0
"""Pixels from a line within which an edge is its own."""
_MOST_OF_LINE = 0.6
"""Share of an axis that must be between two lines across for these to be the ends of the chart."""


@dataclass(frozen=True)
class FoundAxis:
    """The line of an axis with its ticks in the order of the line: from the left, or from the top.

    `crowding` tells that the short ticks crowd together between the long ones, as on a logarithmic axis.
    """

    line: StraightLine
    ticks: tuple[Tick, ...]
    crowding: bool = False

    @property
    def majors(self) -> tuple[Tick, ...]:
        """The longer ticks: those with numbers, as common practice has it."""
        return tuple(tick for tick in self.ticks if tick.major)


@dataclass(frozen=True)
class FoundFrame:
    """What was found of a frame: its lines, corners (n, 2) in pixels, and both axes; None where none was found."""

    lines: tuple[StraightLine, ...]
    corners: Floats
    x: FoundAxis | None
    y: FoundAxis | None

    def places(self) -> Floats:
        """All that a mark of an axis may snap to, of shape (n, 2)."""
        ticks = [(tick.px, tick.py) for axis in (self.x, self.y) if axis for tick in axis.ticks]
        return np.concatenate([self.corners.reshape(-1, 2), np.array(ticks, float).reshape(-1, 2)])


def found_frame(pixels: NDArray[np.uint8]) -> FoundFrame:
    """The frame and the ticks of a chart, of the outermost lines that lie and stand.

    `pixels` have the shape (height, width, 3), in 0 to 255.
    """
    smaller = math.ceil(math.sqrt(pixels.shape[0] * pixels.shape[1] / _MOST_PX))
    if smaller > 1:  # a frame is as plain in a smaller picture, and found in a few seconds
        from PIL import Image

        return _enlarged(found_frame(np.asarray(Image.fromarray(pixels).reduce(smaller))), smaller)
    lines, grey = straight_lines(pixels), brightness(pixels)
    frame = _framed(lines, (), grey)
    if all(axis is not None and _has_ticks(axis, grey) for axis in (frame.x, frame.y)):
        return frame
    return _framed(lines, straight_edges(pixels), grey)


def _enlarged(frame: FoundFrame, times: int) -> FoundFrame:
    """The same frame in a picture so many times as large."""

    def line(one: StraightLine) -> StraightLine:
        (x, y), (x_end, y_end) = one.start, one.end
        return StraightLine(one.lying, (x * times, y * times), (x_end * times, y_end * times), one.width * times)

    def axis(one: FoundAxis | None) -> FoundAxis | None:
        if one is None:
            return None
        ticks = (Tick(t.px * times, t.py * times, t.length * times, t.major) for t in one.ticks)
        return replace(one, line=line(one.line), ticks=tuple(ticks))

    return FoundFrame(tuple(map(line, frame.lines)), frame.corners * times, axis(frame.x), axis(frame.y))


def _framed(lines: Sequence[StraightLine], edges: Sequence[StraightLine], grey: Floats) -> FoundFrame:
    """The frame of the outermost lines, then edges: a ground may have no frame, or bars hide its light lower side."""
    lying, standing = (_sides(lines, edges, way) for way in (True, False))
    if not lying or not standing:
        return FoundFrame(tuple(lines), np.empty((0, 2)), None, None)
    corners = np.array([a.crossing(b) for a in dict.fromkeys(lying) for b in dict.fromkeys(standing)])
    x = _axis(grey, lying, [line for line in lines if not line.lying], standing)
    y = _axis(grey, standing, [line for line in lines if line.lying], lying)
    return FoundFrame(tuple(lines), corners, x, y)


def _sides(lines: Sequence[StraightLine], edges: Sequence[StraightLine], lying: bool) -> list[StraightLine]:
    """The outermost lines of one way, then the outermost edges that are none of these lines'."""
    outer = _outermost([one for one in lines if one.lying is lying])
    rest = _outermost([one for one in edges if one.lying is lying])
    return [*outer, *(one for one in rest if all(line.away(one.middle) > _EDGE_OF_LINE_PX for line in outer))]


def _outermost(lines: list[StraightLine]) -> list[StraightLine]:
    """First the lower or left side of the longer lines, then the other; a shorter one is a bar's edge or words."""
    longest = max((line.length for line in lines), default=0.0)
    long_ = [line for line in lines if line.length > 0.6 * longest]
    return ([long_[-1], long_[0]] if long_[0].lying else [long_[0], long_[-1]]) if long_ else []


def _axis(
    grey: Floats, sides: Sequence[StraightLine], across: Sequence[StraightLine], others: Sequence[StraightLine]
) -> FoundAxis | None:
    """The side with the plainest ticks: outside or inside of the first, then of others, else where a grid meets.

    `across` are all lines that cross it, `others` the sides among them.
    """
    way = np.array(others[0].end) - np.array(others[0].start)
    way = way / np.hypot(*way)
    found: list[FoundAxis] = []
    for number, line in enumerate(sides):
        outward = 1.0 if number % 2 == (0 if line.lying else 1) else -1.0
        for sense in (outward, -outward):
            ticks = _without_grid(_between(strokes_beside(grey, line, way * sense), line, others), grey)
            found.append(_told(ticks, line, grey))
    grid = [tuple(line.crossing(sides[0])) for line in across]
    found.append(_told([Tick(px, py, 0.0, True) for px, py in grid], sides[0], grey))
    plain = [_plainness(axis, SHORT * min(grey.shape)) for axis in found]
    best = next(axis for axis, worth in zip(found, plain, strict=True) if worth >= _AS_GOOD * max(plain))
    return best if len(best.majors) >= 2 else None


def _between(ticks: list[Tick], line: StraightLine, others: Sequence[StraightLine]) -> list[Tick]:
    """Ticks without those beyond the sides across, as far as these are two: where a grid's line runs into words."""
    ends = line.along(np.array([other.crossing(line) for other in others]))
    low, high = ends.min() - _CORNER_PX, ends.max() + _CORNER_PX
    if high - low < _MOST_OF_LINE * line.length:
        return ticks
    return [tick for tick, at in zip(ticks, along(ticks, line), strict=True) if low < at < high]


def _has_ticks(axis: FoundAxis, grey: Floats) -> bool:
    """Whether the long ones are ticks, three or more, and not where a grid or the edges of bars meet the axis."""
    lengths = [tick.length for tick in axis.majors]
    return len(lengths) > 2 and 0 < float(np.median(lengths)) < SHORT * min(grey.shape)


def _plainness(axis: FoundAxis, short: float) -> float:
    """How many of the long ticks stand at even places, times their share of all long ones; more for real ticks.

    Lines that are longer than `short` pixels are a grid, or the edges of bars.
    """
    majors = axis.majors
    fits = even_ones(along(majors, axis.line)).sum() if len(majors) > 2 else len(majors)
    worth = float(fits) ** 2 / len(majors) if 1 < len(majors) <= _MOST_NUMBERS else 0.0
    return worth * (_REAL if majors and 0 < np.median([tick.length for tick in majors]) < short else 1.0)


def _without_grid(ticks: list[Tick], grey: Floats) -> list[Tick]:
    """Ticks without the lines that go on through the chart, where there are real ticks beside them."""
    short = [tick.length for tick in ticks if tick.length < SHORT * min(grey.shape)]
    if len(short) < 2:
        return ticks
    return [tick for tick in ticks if tick.length <= 4 * float(np.median(short))]


def _told(ticks: list[Tick], line: StraightLine, grey: Floats) -> FoundAxis:
    """The same ticks with those that carry numbers told apart: those of decades, else the longer ones."""
    at = along(ticks, line)
    by_decades = decades(at)
    if by_decades is not None:
        major = by_decades
    else:
        # lines that go on through the chart are of any length, as bars and curves cover them
        lengths = np.minimum([tick.length for tick in ticks], SHORT * min(grey.shape))
        ordered = np.sort(lengths)
        ratios = ordered[1:] / np.maximum(ordered[:-1], 1e-9) if ordered.size > 2 and ordered[0] > 0 else np.ones(1)
        gap = int(np.argmax(ratios))
        major = lengths >= (ordered[gap + 1] if ratios[gap] > _UNLIKE and ordered.size - gap - 1 >= 2 else 0.0)
        if len(ticks) > 3 and major.sum() == 2 and major[0] and major[-1]:  # the other two sides of the frame
            major = ~major
        even = np.zeros(major.size, bool)
        even[np.flatnonzero(major)] = even_ones(at[major])
        if even.sum() >= max(3, _MOSTLY_EVEN * major.sum()):  # the others are corners of the frame, or edges of bars
            major = even
        elif major.sum() > 2:
            inner = major & (at > _CORNER_PX) & (at < line.length - _CORNER_PX)
            major = inner if inner.sum() >= 2 else major
    told = tuple(replace(tick, major=bool(is_major)) for tick, is_major in zip(ticks, major, strict=True))
    return FoundAxis(line, told, by_decades is not None)
