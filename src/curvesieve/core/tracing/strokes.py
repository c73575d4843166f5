"""Short strokes beside a line, as the ticks of an axis are, with their middles to parts of a pixel."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import ndimage, signal

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.lines import StraightLine

SHORT = 0.06
"""Share of the picture's side that ticks are shorter than."""
_STEP = 0.25
"""Pixels between the samples along an axis."""
_SPREAD, _CLEAR = 7, 0.1
"""Samples that a stroke spreads beyond its half width when it falls between pixels; what of its top is no stroke."""
_MANY_ROWS = 12
"""Pixels of a stroke beyond which curves may run into some: their median is its own."""
_FAINTEST = 7.0
_SHARE = 0.3
"""Of the plainest tick's contrast that others must have."""


@dataclass(frozen=True)
class Tick:
    """A tick on an axis: its pixel on the axis line, its length in pixels, whether it is one of the longer ones."""

    px: float
    py: float
    length: float
    major: bool


def along(ticks: Sequence[Tick], line: StraightLine) -> Floats:
    """How many pixels from the start of a line some ticks stand, of shape (n,)."""
    return line.along(np.array([(tick.px, tick.py) for tick in ticks]).reshape(-1, 2))


def strokes_beside(grey: Floats, line: StraightLine, way: Floats) -> list[Tick]:
    """Short strokes that begin at a line and go one `way`, a unit vector of shape (2,), in the order of the line.

    `grey` is the brightness of the picture, of shape (height, width).
    """
    places = np.arange(-3.0, line.length + 3.0, _STEP)
    half = max(line.width, 1.0) / 2
    first = half + 0.75
    out = np.r_[np.arange(0, 4, 0.5), np.arange(4, 1.2 * SHORT * min(grey.shape))] + first
    strip = _sampled(grey, (line.at(places)[None] + out[:, None, None] * way).reshape(-1, 2)).reshape(out.size, -1)
    reach = max(2, round(max(3.0, min(grey.shape) / 170) / _STEP))
    band = out <= first + max(1.0, line.width)
    thin = _thin_along(strip, reach)
    shown = thin[band].mean(axis=0)
    if np.clip(-shown, 0, None).sum() > np.clip(shown, 0, None).sum():  # darker than the paper, or all are lighter
        shown, thin = -shown, -thin
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
        stroke = stands_out[:, max(peak - 1, 0) : peak + 2].mean(axis=1)
        ends = np.flatnonzero(stroke < 0.5 * shown[peak])
        length = float(out[ends[0]] if ends.size else out[-1])
        apart = np.abs(peaks - peak).astype(float)
        near = min(max(span, half / _STEP + _SPREAD), apart[apart > 0].min(initial=np.inf) / 2) * _STEP
        rows = thin[band | (out < length - 1)]  # of a long one the middle row: curves run into some
        middle = _middle(
            np.median(rows, axis=0) if len(rows) > _MANY_ROWS else rows.mean(axis=0), places, int(peak), near
        )
        if length > first + 0.9 and middle - last > half + 1:
            px, py = (float(p) for p in line.at(np.array([middle]))[0])
            ticks.append(Tick(px, py, length, True))
            last = middle
    return ticks


def _middle(shown: Floats, along: Floats, peak: int, reach: float) -> float:
    """Where what is shown within `reach` pixels of a peak has its middle: the window follows, or it would pull."""
    middle = float(along[peak])
    for _ in range(3):
        near = slice(*np.searchsorted(along, (middle - reach - 1e-9, middle + reach + 1e-9)))
        share = np.clip(shown[near] - _CLEAR * shown[peak], 0, None)
        if not share.any():
            break
        middle = float((share * along[near]).sum() / share.sum())
    return middle


def _sampled(grey: Floats, places: Floats) -> Floats:
    """The brightness at pixels (n, 2), between the middles of pixels by straight lines."""
    return np.asarray(ndimage.map_coordinates(grey, (places - 0.5).T[::-1], order=1, mode="nearest"))


def _thin_along(values: Floats, reach: int) -> Floats:
    """How much places in rows, of shape (rows, n), stand out from those before and after: lighter is above 0."""
    padded = np.pad(values, ((0, 0), (reach, reach)), mode="edge")
    before, after = values - padded[:, : -2 * reach], values - padded[:, 2 * reach :]
    out = np.where(np.abs(before) < np.abs(after), before, after)
    out[before * after <= 0] = 0
    return np.asarray(out)
