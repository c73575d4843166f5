"""The whisker of a bar: how far its stroke goes from the end of the bar both ways, and the middles of its caps."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.bar_ends import crossing
from curvesieve.core.tracing.inks import Ink

_STROKE = 0.45
"""Share of the contrast of a whisker that its pixels must have."""
_FAINTEST = 30.0
"""Contrast, of 441 from black to white, below which nothing is a stroke."""


def whisker_of(
    pixels: NDArray[np.uint8], ink: Ink, x: float, end: float, outward: int, wide: float
) -> tuple[float, float] | None:
    """The ends of a whisker, the lower and the upper as rows; None where none goes on from the end of the bar.

    `pixels` have the shape (height, width, 3); `x` and `end` are the middle of the bar and its end, `wide` its width.
    """
    outer = _stroke_end(pixels, ink.paper, x, end, outward, wide)
    if outer is None:
        return None
    inner = _stroke_end(pixels, ink.colour, x, end, -outward, wide)
    both = (outer, end if inner is None else inner)
    return max(both), min(both)


def _stroke_end(
    pixels: NDArray[np.uint8], ground: Floats, x: float, top: float, sense: int, wide: float
) -> float | None:
    """How far a stroke goes from the end of a bar, up (-1) or down (+1), over paper or bar: the middle of its cap."""
    height, width = pixels.shape[:2]
    column = int(x)
    reach = np.arange(max(column - 1, 0), min(column + 2, width))
    start = round(top + sense * 3)
    rows = np.arange(start, height if sense > 0 else -1, sense)
    rows = rows[(rows >= 0) & (rows < height)]
    if rows.size < 2:
        return None
    off = _off(pixels, ground, rows, reach)
    line = off.max(axis=1)
    plain = float(np.median(line[: max(3, min(6, line.size))]))
    if plain < _FAINTEST or _is_wide(pixels, ground, x, rows[:3], wide, plain):
        return None
    ends = np.flatnonzero(line < _STROKE * plain)
    if ends.size == 0:
        return None
    k = int(ends[0])
    if k < 1:
        return None
    end = crossing(line[: k + 1], 0.5 * plain)
    stop = start + 0.5 + sense * (end if end is not None else k - 0.5)
    return _cap(pixels, ground, x, stop, sense, plain)


def _is_wide(
    pixels: NDArray[np.uint8], ground: Floats, x: float, rows: NDArray[np.int64], wide: float, plain: float
) -> bool:
    """Whether what goes on from a bar is as wide as a bar: another one that is stacked on it, and no whisker."""
    columns = np.clip([int(x - 0.3 * wide), int(x + 0.3 * wide)], 0, pixels.shape[1] - 1)
    return bool((_off(pixels, ground, rows, columns) > _STROKE * plain).all())


def _off(
    pixels: NDArray[np.uint8], ground: Floats, rows: NDArray[np.int64], columns: NDArray[np.int64]
) -> NDArray[np.float32]:
    """How far pixels are off a colour, of shape (rows, columns), of 441 from black to white."""
    part = pixels[np.ix_(rows, columns)].astype(np.float32)
    return np.asarray(np.sqrt(((part - np.asarray(ground, np.float32)) ** 2).sum(axis=-1)))


def _cap(pixels: NDArray[np.uint8], ground: Floats, x: float, stop: float, sense: int, plain: float) -> float:
    """The middle of the cap at the end of a stroke, or that end where there is no cap."""
    height, width = pixels.shape[:2]
    side = max(4, round(min(pixels.shape[:2]) / 60))
    rows = np.arange(max(int(stop) - side // 2 - 2, 0), min(int(stop) + side // 2 + 3, height))
    columns = np.arange(max(int(x) - side, 0), min(int(x) + side + 1, width))
    off = np.sqrt(
        ((pixels[np.ix_(rows, columns)].astype(np.float32) - np.asarray(ground, np.float32)) ** 2).sum(axis=-1)
    )
    back = (rows - stop) * sense < -2.0 - side / 4  # rows of the stroke before its end
    stroke = np.median(off[back], axis=0) if back.any() else off[0 if sense > 0 else -1]
    half = float(np.clip(stroke / plain, 0, 1).sum()) / 2
    away = np.abs(columns + 0.5 - x)
    near = (away >= half + 0.8) & (away <= half + 2.4)
    drawn = np.clip((off - stroke)[:, near] / plain, 0, 1).mean(axis=1) if near.any() else np.zeros(1)
    if drawn.max() < 0.4:
        return float(stop)
    peak = int(np.argmax(drawn))
    low = high = peak
    while low > 0 and drawn[low - 1] > 0.15 * drawn[peak]:
        low -= 1
    while high + 1 < drawn.size and drawn[high + 1] > 0.15 * drawn[peak]:
        high += 1
    window = slice(low, high + 1)
    weight = drawn[window]
    return float((weight * (rows[window] + 0.5)).sum() / weight.sum())
