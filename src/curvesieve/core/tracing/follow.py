"""A drawn line is followed both ways from a click: straight on across gaps and crossings, to parts of a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.inks import Ink
from curvesieve.core.tracing.mark_shape import REACH_PX
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.snap import direction, snapped

_TURNS = np.radians(np.arange(-165, 166, 5))
"""The ways that are looked along from each place, from straight on."""
_TURN_COSTS = 0.25
"""How much ink, of 1, a turn by a right angle must bring in."""
_DRAWN = 0.35
"""Mean share of the colour along a way that is a line."""
_BARE = 0.3
"""Share of the colour below which a line is not drawn at a place that it passes."""
_SHARP = np.radians(35)
"""A turn sharper than this is only taken where nothing goes straight on beyond a gap: a line passes behind marks."""
_BACKWARD = np.radians(60)
"""Turns from here on look at what was passed already."""
_SIDE = np.abs(_TURNS) > _BACKWARD
_COSTS = _TURN_COSTS * (np.abs(_TURNS) / (np.pi / 2)) ** 1.5
_NARROW = np.radians(15)
_GAP_WIDTHS, _GAP_PX = 9.0, 14.0
"""The widest gap that is crossed: so many widths of the line and so many pixels more."""
_MOST_STEPS = 20_000


@dataclass(frozen=True, eq=False)
class Followed:
    """A line as it was followed: `places` of shape (n, 2) in pixels from one end to the other, its width and ink.

    `stops` say how it ended at its first and last place, `gaps` along how many pixels it was not drawn, `beside` is the
    share of the ink of its colour along its way that it did not pass: a narrow peak, or another line.
    """

    places: Floats
    width: float
    ink: Ink
    stops: tuple[str, str]
    gaps: float
    beside: float


@dataclass(frozen=True, eq=False)
class Sheet:
    """The ink of a picture, and how it is read between pixels."""

    share: NDArray[np.float32]
    box: tuple[float, float, float, float]

    def at(self, xs: Floats, ys: Floats) -> Floats:
        """The share at pixels of any shape, 0 outside the picture, between the middles of pixels by straight lines."""
        places = np.stack([np.ravel(ys), np.ravel(xs)]) - 0.5
        ink = ndimage.map_coordinates(self.share, places, output=np.float64, order=1, mode="constant", prefilter=False)
        return np.asarray(ink.reshape(np.shape(xs)))

    def holds(self, x: float, y: float) -> bool:
        """Whether a pixel is within the box that is followed in."""
        left, top, right, bottom = self.box
        return left <= x <= right and top <= y <= bottom


def follow(
    picture: Picture,
    place: tuple[float, float],
    box: tuple[float, float, float, float] | None = None,
    share: NDArray[np.float32] | None = None,
    reach: float = REACH_PX,
) -> Followed:
    """The line near a place, followed both ways.

    `box` is left, top, right, bottom in pixels: the inside of the frame, so that a line of the colour of the axes does
    not go on along them. `share` is the ink map of shape (height, width) where it is known already. At a crossing the
    line goes straight on; it crosses gaps of dashes, and of marks and lines that lie over it. Raises InputError outside
    the picture, where nothing is drawn, and where no line goes on from the place.
    """
    begin = snapped(picture, place, reach)
    width, height = picture.size
    box = box or (0.0, 0.0, float(width), float(height))
    if share is None:
        share = np.zeros((height, width), np.float32)
        part = (slice(max(int(box[1]), 0), int(box[3]) + 1), slice(max(int(box[0]), 0), int(box[2]) + 1))
        share[part] = begin.ink.share(picture.pixels[part])
    sheet = Sheet(share, box)
    thick = min(begin.size, 12.0) if not begin.mark else 2.0
    at = np.array(begin.place)
    ahead = direction(share, at, max(6.0, 1.5 * thick))
    back, told_back = _walk(sheet, at, -ahead, thick)
    forth, told_forth = _walk(sheet, at, ahead, thick)
    places = np.concatenate([back[:0:-1], forth]) if len(back) > 1 else forth
    if len(places) < 4 or np.hypot(*(places[-1] - places[0])) + len(places) < 12:
        raise InputError("No line goes on from here; click on a line, away from marks and crossings.")
    if places[0, 0] > places[-1, 0]:
        places, told_back, told_forth = places[::-1], told_forth, told_back
    places, thick = _refined(sheet, places, thick)
    beside = _beside(sheet, places, thick)
    bare = int((sheet.at(places[:, 0], places[:, 1]) < _BARE).sum())
    return Followed(places, thick, begin.ink, (told_back, told_forth), float(bare), beside)


def _walk(sheet: Sheet, at: Floats, way: Floats, thick: float) -> tuple[Floats, str]:
    """Step by step from a place one way: the places from it on, and how it ended."""
    step = max(2.0, 0.8 * thick)
    look = max(7.0, 2.5 * thick)
    path = [at]
    told = "the line ends"
    passed: dict[tuple[int, int], int] = {}
    for count in range(_MOST_STEPS):
        here = path[-1]
        turn, worth = _best_turn(sheet, here, way, look, thick, np.array(path[-40:]))
        if worth < _DRAWN or abs(turn) > _SHARP:
            beyond = _beyond_gap(sheet, here, way, thick, look if worth < _DRAWN else 0.6 * look)
            if beyond is not None:
                path.append(_centred(sheet, beyond, way, thick))
                way = _way_of(path, way, thick)
                continue
            if worth < _DRAWN:
                end = _last_drawn(sheet, here, way, look)
                if end > 0.5:
                    path.append(here + end * way)
                break
        cosine, sine = np.cos(turn), np.sin(turn)
        turned = np.array([cosine * way[0] - sine * way[1], sine * way[0] + cosine * way[1]])
        to = _centred(sheet, here + step * turned, turned, thick)
        if not sheet.holds(*to):
            told = "the frame is reached"
            break
        key = (int(to[0]), int(to[1]))
        if count - passed.get(key, count) > 12:
            told = "the line comes back to itself"
            break
        passed[key] = count
        path.append(to)
        way = turned if abs(turn) > _SHARP else _way_of(path, turned, thick)
    else:
        told = "the line does not come to an end"
    return np.array(path), told


def _best_turn(sheet: Sheet, at: Floats, way: Floats, look: float, thick: float, behind: Floats) -> tuple[float, float]:
    """The turn from a way along which most ink lies, and how much: turning back costs; ink `behind` does not count."""
    heading = np.arctan2(way[1], way[0]) + _TURNS
    far = np.arange(1.5 + 0.5 * thick, look + 1.6, 1.0)
    xs, ys = at[0] + np.cos(heading)[:, None] * far, at[1] + np.sin(heading)[:, None] * far
    ink = sheet.at(xs, ys)
    drawn = ink.mean(axis=1)
    best = int(np.argmax(drawn - _COSTS))
    if abs(_TURNS[best]) > _BACKWARD:
        away = np.hypot(xs[_SIDE, :, None] - behind[:, 0], ys[_SIDE, :, None] - behind[:, 1]).min(axis=2)
        ink[_SIDE] = np.where(away < 0.5 * thick + 1.5, 0, ink[_SIDE])
        drawn = ink.mean(axis=1)
        best = int(np.argmax(drawn - _COSTS))
    return float(_TURNS[best]), float(drawn[best])


def _beyond_gap(sheet: Sheet, at: Floats, way: Floats, thick: float, nearest: float) -> Floats | None:
    """The place straight ahead where the line goes on beyond a gap, or None."""
    turns = np.linspace(-_NARROW, _NARROW, 13)
    heading = np.arctan2(way[1], way[0]) + turns
    far = np.arange(nearest, _GAP_PX + _GAP_WIDTHS * thick, 0.75)
    xs, ys = at[0] + np.cos(heading)[:, None] * far, at[1] + np.sin(heading)[:, None] * far
    ink = sheet.at(xs, ys)
    run = max(3, round(max(4.0, 1.5 * thick) / 0.75))
    going = np.lib.stride_tricks.sliding_window_view(ink, run, axis=1).mean(axis=2) if far.size > run else ink[:, :0]
    worth = going - 0.3 * np.abs(turns)[:, None] / _NARROW - 0.004 * far[: going.shape[1]]
    if going.size == 0 or going.max() < 0.6:
        return None
    best = np.unravel_index(np.argmax(np.where(going > 0.6, worth, -9)), worth.shape)
    return np.array([xs[best], ys[best]])


def _last_drawn(sheet: Sheet, at: Floats, way: Floats, look: float) -> float:
    """How far the line is still drawn straight ahead."""
    far = np.arange(0.25, look + 0.01, 0.25)
    ink = sheet.at(at[0] + way[0] * far, at[1] + way[1] * far)
    ends = np.flatnonzero(ink < 0.5)
    return float(far[ends[0]] if ends.size else far[-1])


def _way_of(path: list[Floats], way: Floats, thick: float) -> Floats:
    """The way that the last places of a path went, over some widths of the line."""
    back = max(4, round(4 + thick))
    if len(path) < 3:
        return way
    to = path[-1] - path[-min(back, len(path))]
    long_ = float(np.hypot(*to))
    if long_ < 1e-6:
        return way
    mixed = 0.5 * to / long_ + 0.5 * way
    return np.asarray(mixed / np.hypot(*mixed))


def across(sheet: Sheet, places: Floats, ways: Floats, thick: float) -> tuple[Floats, Floats]:
    """How far off each place the middle of the line is, and its width there, of shape (n,); no number at crossings.

    `places` and `ways` have shape (n, 2), in pixels and of length 1; `thick` is about how wide the line is.
    """
    reach = 0.5 * thick + 2.5
    off = np.arange(-reach, reach + 0.01, 0.25)
    aside = np.stack([-ways[:, 1], ways[:, 0]], axis=1)
    ink = sheet.at(places[:, :1] + aside[:, :1] * off, places[:, 1:] + aside[:, 1:] * off)
    near = np.abs(off) <= 0.5 * thick + 1.0
    top = np.argmax(np.where(near, ink - 0.01 * np.abs(off), -1), axis=1)
    rows = np.arange(len(places))
    floor = 0.15 * ink[rows, top]
    low_gap = (ink < floor[:, None]) & (np.arange(off.size) < top[:, None])
    high_gap = (ink < floor[:, None]) & (np.arange(off.size) > top[:, None])
    low = np.where(low_gap.any(axis=1), off.size - np.argmax(low_gap[:, ::-1], axis=1), 0)
    high = np.where(high_gap.any(axis=1), np.argmax(high_gap, axis=1), off.size)
    held = (np.arange(off.size) >= low[:, None]) & (np.arange(off.size) < high[:, None])
    weight = ink * held
    total = weight.sum(axis=1)
    with np.errstate(invalid="ignore", divide="ignore"):
        middle = (weight * off).sum(axis=1) / total
    width = total * 0.25
    bounded = low_gap.any(axis=1) & high_gap.any(axis=1)
    middle[(ink[rows, top] < 0.3) | (width > 1.5 * thick + 1.0) | ~bounded] = np.nan
    return middle, width


def _centred(sheet: Sheet, at: Floats, way: Floats, thick: float) -> Floats:
    """A place moved onto the middle of the line, by a pixel at most; not where lines cross. As `across`, for one."""
    reach = 0.5 * thick + 2.5
    off = np.arange(-reach, reach + 0.01, 0.5)
    ink = sheet.at(at[0] - way[1] * off, at[1] + way[0] * off).tolist()
    top = max(range(len(ink)), key=lambda k: ink[k] - 0.02 * abs(off[k]))
    low = high = top
    floor = 0.15 * ink[top]
    while low > 0 and ink[low - 1] > floor:
        low -= 1
    while high + 1 < len(ink) and ink[high + 1] > floor:
        high += 1
    total = sum(ink[low : high + 1])
    if ink[top] < 0.3 or 0.5 * total > 1.5 * thick + 1.0 or low == 0 or high + 1 == len(ink):
        return at
    middle = sum(ink[k] * float(off[k]) for k in range(low, high + 1)) / total
    return np.asarray(at + min(max(middle, -1.0), 1.0) * np.array([-way[1], way[0]]))


def _refined(sheet: Sheet, places: Floats, thick: float) -> tuple[Floats, float]:
    """The path about each pixel, on the middle of the line; between where it cannot be told. And the line's width."""
    steps = np.hypot(*np.diff(places, axis=0).T)
    places = places[np.r_[True, steps > 1e-6]]
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(places, axis=0).T))]
    even = np.linspace(0, along[-1], max(4, round(along[-1]) + 1))
    out = np.stack([np.interp(even, along, places[:, k]) for k in (0, 1)], axis=1)
    widths = np.array([thick])
    for _ in range(2):
        ways = np.gradient(out, axis=0)
        span = max(1, round(1 + thick / 2))
        ways = np.stack([np.convolve(np.pad(ways[:, k], span, mode="edge"), np.ones(2 * span + 1), "valid")
                         for k in (0, 1)], axis=1)  # fmt: skip
        ways /= np.maximum(np.hypot(*ways.T), 1e-9)[:, None]
        off, wide = across(sheet, out, ways, thick)
        known = np.isfinite(off)
        if known.sum() < 2:
            break
        widths = wide[known]
        usual = float(np.median(widths))
        known &= np.abs(wide - usual) < max(0.3 * usual, 0.6)  # a line that lies over it takes a side of it away
        off = np.interp(even, even[known], np.clip(off[known], -1.5, 1.5))
        out = out + off[:, None] * np.stack([-ways[:, 1], ways[:, 0]], axis=1)
    return out, float(np.median(widths))


def _beside(sheet: Sheet, places: Floats, thick: float) -> float:
    """The share of the ink in the columns that a line passes which is joined to it and was not passed."""
    low, high = places.min(axis=0).astype(int), places.max(axis=0).astype(int) + 1
    left, right = max(low[0], 0), min(high[0] + 1, sheet.share.shape[1])
    drawn = sheet.share[:, left:right] > 0.5
    passed = np.zeros_like(drawn)
    rows = np.clip(places[:, 1].astype(int), 0, drawn.shape[0] - 1)
    passed[rows, np.clip(places[:, 0].astype(int) - left, 0, drawn.shape[1] - 1)] = True
    near = ndimage.maximum_filter(passed, 2 * round(0.5 * thick + 2.5) + 1)
    labels, _ = ndimage.label(drawn, np.ones((3, 3)))
    own = np.unique(labels[near & drawn])
    joined = np.isin(labels, own[own > 0])
    return float((joined & ~near).sum() / max(joined.sum(), 1))
