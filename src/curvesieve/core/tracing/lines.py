"""Long straight lines and edges of a picture: frames, axes, grids and grounds, also when the page lay askew."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.inks import Shares

MOST_TURN = 5.0
"""Degrees that a picture may be turned by for its frame to be found."""
_COARSE, _FINE = 0.25, 0.02
_FAINTEST, _FULL = 6.0, 40.0
"""Steps in brightness (0 to 255) below which nothing is a line, and above which all lines weigh the same."""
_SHORTEST = 0.3
"""Share of the picture's side that a line must have."""
_EVENLY_DRAWN = 0.7
"""Share of a line's plain columns that its middle ones must have: words in a row are plain here and there only."""
_BELIEVED = (1.5, 0.6, 0.4)
"""Pixels off the line that a column may lie to be fitted, from round to round."""
_MOST_ROUGH = 0.3
"""Pixels that the columns of a line lie off it, in the middle: those of a row of words lie further off."""
_NEIGHBOURS = 25
"""Columns of which the plainer ones tell how much a line stands out where it fills its pixels."""
_LEAST_COVERED, _EDGE_COVERED = 0.5, 0.8
"""Share of its own length that must be drawn: dashes are, words in a row are not. The edge of an area has no gaps."""


@dataclass(frozen=True)
class StraightLine:
    """A line from `start` to `end` in pixels; `lying` is one that goes across, `width` its width in pixels."""

    lying: bool
    start: tuple[float, float]
    end: tuple[float, float]
    width: float

    @property
    def length(self) -> float:
        """In pixels."""
        return float(np.hypot(self.end[0] - self.start[0], self.end[1] - self.start[1]))

    @property
    def middle(self) -> tuple[float, float]:
        """The place half way."""
        return (self.start[0] + self.end[0]) / 2, (self.start[1] + self.end[1]) / 2

    def at(self, along: Floats) -> Floats:
        """Places of shape (n, 2) at so many pixels from the start."""
        start, end = np.array(self.start), np.array(self.end)
        return np.asarray(start + np.asarray(along)[:, None] * (end - start) / self.length)

    def along(self, places: Floats) -> Floats:
        """How many pixels from the start places of shape (n, 2) stand, of shape (n,)."""
        return np.asarray((places - np.array(self.start)) @ (np.array(self.end) - np.array(self.start)) / self.length)

    def away(self, place: tuple[float, float]) -> float:
        """How many pixels a place is off the line, made longer."""
        (x, y), (x_end, y_end) = self.start, self.end
        return abs((x_end - x) * (place[1] - y) - (y_end - y) * (place[0] - x)) / self.length

    def crossing(self, other: StraightLine) -> Floats:
        """The pixel where both, made longer, meet, of shape (2,)."""
        a, b = np.array(self.start), np.array(other.start)
        ways = np.stack([np.array(self.end) - a, b - np.array(other.end)], axis=1)
        return np.asarray(a + np.linalg.solve(ways, b - a)[0] * ways[:, 0])


def brightness(pixels: NDArray[np.uint8]) -> Floats:
    """Of the shape of the picture (height, width), 0 to 255, by the weights of Rec. ITU-R BT.601."""
    return np.asarray(pixels.astype(np.float32) @ np.array([0.299, 0.587, 0.114], np.float32))


def straight_lines(pixels: NDArray[np.uint8]) -> list[StraightLine]:
    """The long lines that lie or stand, within 5°, from the top and from the left; empty where there are none.

    `pixels` have the shape (height, width, 3), in 0 to 255.
    """
    return _both_ways(pixels, _thin, _LEAST_COVERED)


def straight_edges(pixels: NDArray[np.uint8]) -> list[StraightLine]:
    """The same of the long edges of areas: a ground without a frame has no more. Edges of a line are one, its middle.

    `pixels` have the shape (height, width, 3), in 0 to 255.
    """
    return _both_ways(pixels, _steep, _EDGE_COVERED)


def _both_ways(pixels: NDArray[np.uint8], shown: Callable[[Floats], Floats], covered: float) -> list[StraightLine]:
    grey = brightness(pixels)
    standing = [
        StraightLine(False, line.start[::-1], line.end[::-1], line.width)
        for line in _lying(np.ascontiguousarray(grey.T), shown, covered)
    ]
    return [*_lying(grey, shown, covered), *standing]


def _thin(grey: Floats) -> Floats:
    """How much each pixel stands out from those above and below: that of lines, not that of edges of areas."""
    reach = _reach(grey)
    padded = np.pad(grey, ((reach, reach), (0, 0)), mode="edge")
    above, below = grey - padded[: -2 * reach], grey - padded[2 * reach :]
    out = np.minimum(np.abs(above), np.abs(below))
    out[above * below <= 0] = 0
    return np.asarray(out)


def _steep(grey: Floats) -> Floats:
    """How much the brightness changes across each pixel, down the picture."""
    padded = np.pad(grey, ((1, 1), (0, 0)), mode="edge")
    return np.asarray(np.abs(padded[2:] - padded[:-2]) / 2)


def _lying(grey: Floats, shown: Callable[[Floats], Floats], covered: float) -> list[StraightLine]:
    width = grey.shape[1]
    thin = shown(grey)
    rows, columns = np.nonzero(thin > _FAINTEST)
    if rows.size == 0:
        return []
    weight = np.minimum(thin[rows, columns], _FULL)
    x, y = columns - width / 2, rows + 0.0
    slope = _best_slope(x, y, weight)
    along = y - slope * x
    low = float(along.min())
    profile = np.bincount(np.round(along - low).astype(int), weight)
    drawn = np.bincount(np.round(along - low).astype(int))
    enough = (drawn[:-2] + drawn[1:-1] + drawn[2:]) if drawn.size > 2 else drawn
    out: list[StraightLine] = []
    candidates = np.argsort(profile)[::-1]
    taken = np.zeros(profile.size, bool)
    for place in candidates[:200]:
        if taken[max(place - 3, 0) : place + 4].any():
            continue
        if enough[np.clip(place - 1, 0, enough.size - 1)] < _SHORTEST * width * covered:
            continue
        line = _fitted(grey, thin, x, along, low + place, slope, covered)
        if line is not None:
            taken[max(place - 3, 0) : place + 4] = True
            out.append(line)
    return sorted(out, key=lambda line: line.start[1])


def _best_slope(x: Shares, y: Shares, weight: Shares) -> float:
    """The slope at which rows are most unlike each other: lines in them then lie in single rows."""

    def unlike(angle: float) -> float:
        rows = y - np.tan(np.radians(angle)) * x
        profile = np.bincount(np.round(rows - rows.min()).astype(int), weight)
        return float((profile**2).sum())

    if x.size > 120_000:  # the angle shows in a share of them
        pick = np.random.default_rng(0).choice(x.size, 120_000, replace=False)
        x, y, weight = x[pick], y[pick], weight[pick]
    coarse = np.arange(-MOST_TURN, MOST_TURN + _COARSE / 2, _COARSE)
    best = coarse[int(np.argmax([unlike(a) for a in coarse]))]
    fine = np.arange(best - _COARSE, best + _COARSE + _FINE / 2, _FINE)
    return float(np.tan(np.radians(fine[int(np.argmax([unlike(a) for a in fine]))])))


def _fitted(
    grey: Floats, thin: Floats, x: Floats, along: Floats, place: float, slope: float, covered: float
) -> StraightLine | None:
    """The line at a place of the profile, through the middles of its columns by least squares."""
    height, width = grey.shape
    near = np.abs(along - place) <= 1.5
    columns = np.unique((x[near] + width / 2).astype(int))
    begin, end = _without_ends(columns, *_longest_run(columns, gap=max(12, width // 25)), width)
    if end - begin < _SHORTEST * width:
        return None
    held = columns[(columns >= begin) & (columns <= end)]
    if held.size < covered * (end - begin):
        return None
    reach = np.arange(-3, 4)
    line = place + slope * (held - width / 2)
    for believed in _BELIEVED:
        at = np.clip(np.round(line[:, None]).astype(int) + reach, 0, height - 1)
        share = np.minimum(thin[at, held[:, None]], 255)
        total = share.sum(axis=1)
        good = total > _FAINTEST
        middle = (share * (at + 0.5)).sum(axis=1)[good] / total[good]
        off = middle - line[good] - 0.5
        off = np.abs(off - np.median(off))
        kept = off < believed
        if kept.sum() < 10 or np.median(off) > _MOST_ROUGH:
            return None
        b, a = np.polyfit(held[good][kept] + 0.5, middle[kept], 1)
        line = a + b * (held + 0.5) - 0.5
    plain = _against_either_side(grey, at[np.arange(held.size), share.argmax(axis=1)], held)
    if covered < _EDGE_COVERED and np.median(plain) < _EVENLY_DRAWN * np.percentile(plain, 75):
        return None
    around = ndimage.percentile_filter(share.max(axis=1), 75, size=_NEIGHBOURS)
    wide = float(np.median(total[good] / around[good])) if (around[good] > 0).all() else 1.0
    return StraightLine(True, (float(begin), float(a + b * begin)), (float(end + 1), float(a + b * (end + 1))), wide)


def _against_either_side(grey: Floats, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Floats:
    """How much some pixels stand out from the plainer of their sides: a bar that stands on a line dims one of them."""
    reach, last = _reach(grey), grey.shape[0] - 1
    sides = [grey[np.clip(rows + way, 0, last), columns] for way in (-reach, reach)]
    return np.asarray(np.max([np.abs(grey[rows, columns] - side) for side in sides], axis=0))


def _reach(grey: Floats) -> int:
    """How many pixels aside of a thin line its ground is looked at."""
    return int(max(3, min(grey.shape) / 170 + 0.5))


def _without_ends(columns: NDArray[np.int64], begin: int, end: int, width: int) -> tuple[int, int]:
    """A run without the short pieces at its ends: there a line would reach into the words beside the chart."""
    held = columns[(columns >= begin) & (columns <= end)]
    breaks = np.flatnonzero(np.diff(held) > max(4, width // 120))
    starts, ends = held[np.r_[0, breaks + 1]], held[np.r_[breaks, held.size - 1]]
    long_ = np.flatnonzero(ends - starts > width // 12)
    return (int(starts[long_[0]]), int(ends[long_[-1]])) if long_.size else (begin, end)


def _longest_run(columns: NDArray[np.int64], gap: int) -> tuple[int, int]:
    """First and last of the longest run of columns without a gap."""
    breaks = np.flatnonzero(np.diff(columns) > gap)
    starts, ends = columns[np.r_[0, breaks + 1]], columns[np.r_[breaks, columns.size - 1]]
    longest = int(np.argmax(ends - starts))
    return int(starts[longest]), int(ends[longest])
