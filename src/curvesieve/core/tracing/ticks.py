"""The frame of a chart and the ticks on it, found by themselves, for marks of axes to snap to."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, signal

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.lines import StraightLine, brightness, straight_lines

_STEP = 0.25
"""Pixels between the samples along an axis."""
_FAINTEST = 7.0
_SHARE = 0.3
"""Of the plainest tick's contrast that others must have."""
_UNLIKE = 1.35
"""How many times longer ticks with a number are than those between."""
_FEWEST_BETWEEN, _SHORTEST_DECADE, _OFF_DECADE = 6, 20.0, 1.0
"""Ticks of 2 to 9 that tell a decade; its least length, and how far each may lie off its place, in pixels."""
_MOST_NUMBERS = 40
"""More numbers than this have no room beside an axis: such a row is the dashes of a line, or letters."""
_CORNER_PX = 2.5
"""Pixels from the end of its line within which a stroke is the other side of the frame."""
_SHORT_TICK, _REAL = 0.06, 1.5
"""Share of the picture's side that ticks are shorter than; how much more than lines of a grid they are believed."""
_MOSTLY_EVEN = 0.5
"""Share of the longer ticks that must stand evenly for the others not to be ticks with numbers."""
_AS_GOOD = 0.8
"""Of the plainest side's worth that a side looked at earlier must have to be taken."""
_OFF_COMB = 0.2
"""Share of the spacing that a tick may lie off even places and still belong to them."""


@dataclass(frozen=True)
class Tick:
    """A tick on an axis: its pixel on the axis line, its length in pixels, whether it is one of the longer ones."""

    px: float
    py: float
    length: float
    major: bool


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
    lines = straight_lines(pixels)
    lying = [line for line in lines if line.lying]
    standing = [line for line in lines if not line.lying]
    if not lying or not standing:
        return FoundFrame(tuple(lines), np.empty((0, 2)), None, None)
    outer = (_outermost(lying, -1), _outermost(lying, 0), _outermost(standing, 0), _outermost(standing, -1))
    corners = np.array([a.crossing(b) for a in dict.fromkeys(outer[:2]) for b in dict.fromkeys(outer[2:])])
    grey = brightness(pixels)
    x = _axis(grey, list(dict.fromkeys(outer[:2])), standing, outer[2])
    y = _axis(grey, list(dict.fromkeys(outer[2:])), lying, outer[0])
    return FoundFrame(tuple(lines), corners, x, y)


def _outermost(lines: list[StraightLine], place: int) -> StraightLine:
    """The first or last of the longer lines; a shorter one is a bar's edge or words."""
    longest = max(line.length for line in lines)
    return [line for line in lines if line.length > 0.6 * longest][place]


def _axis(grey: Floats, sides: list[StraightLine], across: list[StraightLine], other: StraightLine) -> FoundAxis | None:
    """The side with the plainest ticks: outside or inside of the first, then of the other, else where a grid meets."""
    way = np.array(other.end) - np.array(other.start)
    way = way / np.hypot(*way)
    found: list[FoundAxis] = []
    for number, line in enumerate(sides):
        outward = 1.0 if number == (0 if line.lying else 1) else -1.0
        for sense in (outward, -outward):
            ticks = _without_grid(_ticks_beside(grey, line, way * sense), grey)
            found.append(_told(ticks, line, grey))
    grid = [tuple(line.crossing(sides[0])) for line in across]
    found.append(_told([Tick(px, py, 0.0, True) for px, py in grid], sides[0], grey))
    plain = [_plainness(axis, _SHORT_TICK * min(grey.shape)) for axis in found]
    best = next(axis for axis, worth in zip(found, plain, strict=True) if worth >= _AS_GOOD * max(plain))
    return best if len(best.majors) >= 2 else None


def _plainness(axis: FoundAxis, short: float) -> float:
    """How many of the long ticks stand at even places, times their share of all long ones; more for real ticks.

    Lines that are longer than `short` pixels are a grid, or the edges of bars.
    """
    majors = axis.majors
    at = np.array([_along(tick, axis.line) for tick in majors])
    fits = _even_ones(at).sum() if len(majors) > 2 else len(majors)
    worth = float(fits) ** 2 / len(majors) if 1 < len(majors) <= _MOST_NUMBERS else 0.0
    return worth * (_REAL if majors and 0 < np.median([tick.length for tick in majors]) < short else 1.0)


def _without_grid(ticks: list[Tick], grey: Floats) -> list[Tick]:
    """Ticks without the lines that go on through the chart, where there are real ticks beside them."""
    short = [tick.length for tick in ticks if tick.length < _SHORT_TICK * min(grey.shape)]
    if len(short) < 2:
        return ticks
    return [tick for tick in ticks if tick.length <= 4 * float(np.median(short))]


def _ticks_beside(grey: Floats, line: StraightLine, way: Floats) -> list[Tick]:
    """Short strokes that begin at a line and go one way."""
    along = np.arange(-3.0, line.length + 3.0, _STEP)
    half = max(line.width, 1.0) / 2
    first = half + 0.75
    out = np.r_[np.arange(0, 4, 0.5), np.arange(4, 1.2 * _SHORT_TICK * min(grey.shape))] + first
    strip = _sampled(grey, (line.at(along)[None] + out[:, None, None] * way).reshape(-1, 2)).reshape(out.size, -1)
    reach = max(2, round(max(3.0, min(grey.shape) / 170) / _STEP))
    band = out <= first + max(1.0, line.width)
    shown = np.mean([_thin_along(row, reach) for row in strip[band]], axis=0)
    if np.clip(-shown, 0, None).sum() > np.clip(shown, 0, None).sum():  # darker than the paper, or all are lighter
        shown = -shown
    highest = float(shown.max()) if shown.size else 0.0
    if highest < _FAINTEST:
        return []
    smooth = ndimage.uniform_filter1d(shown, max(2, round(max(line.width, 1.0) / _STEP)))  # one top a tick, not two
    peaks, _ = signal.find_peaks(smooth, height=max(_FAINTEST, _SHARE * highest), distance=max(2, round(2 / _STEP)))
    widest = (3.5 * max(line.width, 1.0) + 2) / _STEP
    spans = signal.peak_widths(smooth, peaks, rel_height=0.5)[0]
    stands_out = np.abs(strip - np.median(strip, axis=1)[:, None])
    ticks: list[Tick] = []
    last = -np.inf
    for peak, span in zip(peaks, spans, strict=True):
        if span > widest:
            continue
        window = slice(max(peak - round(span), 0), peak + round(span) + 1)
        share = np.clip(shown[window] - 0.1 * shown[peak], 0, None)
        middle = float((share * along[window]).sum() / share.sum())
        stroke = stands_out[:, max(peak - 1, 0) : peak + 2].mean(axis=1)
        ends = np.flatnonzero(stroke < 0.5 * shown[peak])
        length = float(out[ends[0]] if ends.size else out[-1])
        if length > first + 0.9 and middle - last > half + 1:
            px, py = (float(p) for p in line.at(np.array([middle]))[0])
            ticks.append(Tick(px, py, length, True))
            last = middle
    return ticks


def _sampled(grey: Floats, places: Floats) -> Floats:
    """The brightness at pixels (n, 2), between the middles of pixels by straight lines."""
    return np.asarray(ndimage.map_coordinates(grey, (places - 0.5).T[::-1], order=1, mode="nearest"))


def _thin_along(values: Floats, reach: int) -> Floats:
    padded = np.pad(values, reach, mode="edge")
    before, after = values - padded[: -2 * reach], values - padded[2 * reach :]
    out = np.where(np.abs(before) < np.abs(after), before, after)
    out[before * after <= 0] = 0
    return np.asarray(out)


def _told(ticks: list[Tick], line: StraightLine, grey: Floats) -> FoundAxis:
    """The same ticks with those that carry numbers told apart: those of decades, else the longer ones."""
    decades = _decades(np.array([_along(tick, line) for tick in ticks]))
    if decades is not None:
        major = decades
    else:
        # lines that go on through the chart are of any length, as bars and curves cover them
        lengths = np.minimum([tick.length for tick in ticks], _SHORT_TICK * min(grey.shape))
        ordered = np.sort(lengths)
        ratios = ordered[1:] / np.maximum(ordered[:-1], 1e-9) if ordered.size > 2 and ordered[0] > 0 else np.ones(1)
        gap = int(np.argmax(ratios))
        major = lengths >= (ordered[gap + 1] if ratios[gap] > _UNLIKE and ordered.size - gap - 1 >= 2 else 0.0)
        if len(ticks) > 3 and major.sum() == 2 and major[0] and major[-1]:  # the other two sides of the frame
            major = ~major
        even = np.zeros(major.size, bool)
        even[np.flatnonzero(major)] = _even_ones(np.array([_along(tick, line) for tick in ticks])[major])
        if even.sum() >= max(3, _MOSTLY_EVEN * major.sum()):  # the others are corners of the frame, or edges of bars
            major = even
        elif major.sum() > 2:
            at = np.array([_along(tick, line) for tick in ticks])
            inner = major & (at > _CORNER_PX) & (at < line.length - _CORNER_PX)
            major = inner if inner.sum() >= 2 else major
    told = tuple(replace(tick, major=bool(is_major)) for tick, is_major in zip(ticks, major, strict=True))
    return FoundAxis(line, told, decades is not None)


def _decades(at: Floats) -> NDArray[np.bool_] | None:
    """Which of some places, of shape (n,), are those of decades, with those of 2 to 9 between; None where none are."""
    within = np.log10(np.arange(2, 10))
    for sense in (1, -1):
        places = np.sort(at * sense)
        best, most = None, _FEWEST_BETWEEN - 1
        for first in range(places.size - 1):
            for second in range(first + 1, min(first + 11, places.size)):
                decade = places[second] - places[first]
                if decade < _SHORTEST_DECADE:
                    continue
                held = np.abs(places[first] + within[:, None] * decade - places).min(axis=1) < _OFF_DECADE
                if held.sum() > most:
                    best, most = (places[first], decade), int(held.sum())
        if best is not None:
            off = (at * sense - best[0]) / best[1]
            return np.asarray(np.abs(off - np.round(off)) * best[1] < _OFF_DECADE)
    return None


def _even_ones(at: Floats) -> NDArray[np.bool_]:
    """Which of some places, of shape (n,), are those of the best row of even steps."""
    best: NDArray[np.bool_] = np.zeros(at.size, bool)
    for first in range(at.size - 1):
        for second in range(first + 1, min(first + 4, at.size)):
            space = at[second] - at[first]
            if space < 4:
                continue
            off = (at - at[first]) / space
            fits = np.abs(off - np.round(off)) * space < max(1.0, _OFF_COMB * 0.1 * space)
            filled = fits.sum() / (abs(off[fits]).max() + 1)
            if fits.sum() > best.sum() and filled > 0.4:
                best = fits
    return best


def _along(tick: Tick, line: StraightLine) -> float:
    way = (np.array(line.end) - np.array(line.start)) / line.length
    return float((np.array([tick.px, tick.py]) - np.array(line.start)) @ way)
