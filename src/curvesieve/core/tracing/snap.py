"""Places that snap to what is drawn: the middle of a mark, or of a line, to parts of a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.inks import NOTHING_HERE, Ink, ink_at
from curvesieve.core.tracing.picture import Picture

REACH_PX = 4.0
"""How far a place snaps, if nothing else is said."""
_DRAWN = 0.4
"""Share of the colour from which on a pixel is drawn."""
_WIDEST_HOLE = 50
"""Pixels across of the hole of an open mark, at most."""
_WINDOW = 44
"""Pixels around a place in which a mark must lie whole."""
_ROUND = 1.5
"""How many times thicker than its line a mark is, to be one."""
_TIPS = 0.15
"""Share of a shape that may be cut off with the lines beside it before it is one with lines."""
_COMPACT = 2.3
"""Of the largest circle in it, how wide a mark is at most."""
_CORNERS = 1.45
"""Of the largest circle in a square or a rhombus, how far its corners are."""
_HALF = (0.4, 0.74)
"""Share of its bounds that a triangle with its stroke fills."""
_LOPSIDED = 0.08
"""Share of a mark's size that its middle may lie off the middle of its bounds; a triangle's lies further off."""


@dataclass(frozen=True)
class Snapped:
    """A place on what is drawn: pixels from the top left corner, whether it is on a mark, its size, its colour."""

    px: float
    py: float
    mark: bool
    size: float
    ink: Ink

    @property
    def place(self) -> tuple[float, float]:
        """Both pixels."""
        return self.px, self.py


def snapped(picture: Picture, place: tuple[float, float], reach: float = REACH_PX) -> Snapped:
    """The middle of the mark or line near a place: pixels from the top left corner, centres at halves.

    `size` is the diameter of a mark, or the width of a line. Of a triangle, whose ink is not around its middle, the
    middle of its bounds is taken, as most programs draw it (common practice). Raises InputError outside the picture,
    and where nothing is drawn within `reach` pixels.
    """
    ink, near = _ink_around(picture, place, reach)
    left, top = max(int(near[0]) - _WINDOW, 0), max(int(near[1]) - _WINDOW, 0)
    part = picture.pixels[top : int(near[1]) + _WINDOW + 1, left : int(near[0]) + _WINDOW + 1]
    share = ink.share(part)
    at = np.array(near) - (left, top)
    click = np.array(place) - (left, top)
    found = _mark(share, at, click) or _line(share, at, click)
    if found is None:
        raise InputError(NOTHING_HERE)
    px, py, size, mark = found
    return Snapped(px + left, py + top, mark, size, ink)


def _ink_around(
    picture: Picture, place: tuple[float, float], reach: float
) -> tuple[Ink, tuple[float, float]]:
    """The ink within reach, else that of an open mark which the place is in."""
    try:
        return ink_at(picture, place, reach)
    except InputError as refused:
        for wider in range(int(reach) + 2, _WINDOW, 3):
            try:
                ink, near = ink_at(picture, place, wider)
            except InputError:
                continue
            left, top = max(int(place[0]) - _WINDOW, 0), max(int(place[1]) - _WINDOW, 0)
            share = ink.share(picture.pixels[top : top + 2 * _WINDOW + 1, left : left + 2 * _WINDOW + 1])
            if _closed(share > _DRAWN)[int(place[1]) - top, int(place[0]) - left]:
                return ink, near
            break
        raise refused


def _closed(part: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A shape with its holes filled, as far as they are small enough to be those of marks."""
    holes, count = ndimage.label(ndimage.binary_fill_holes(part) & ~part)
    small = [max(span.stop - span.start for span in spans) <= _WIDEST_HOLE for spans in ndimage.find_objects(holes)]
    return np.asarray(part | np.isin(holes, 1 + np.flatnonzero(small))) if count else part


def _component(mask: NDArray[np.bool_], at: Floats) -> NDArray[np.bool_] | None:
    """The connected part of a mask that is nearest to a place, if it is within two pixels."""
    labels, count = ndimage.label(mask, np.ones((3, 3)))
    if count == 0:
        return None
    ys, xs = np.nonzero(mask)
    away = np.hypot(xs + 0.5 - at[0], ys + 0.5 - at[1])
    nearest = int(np.argmin(away))
    return None if away[nearest] > 2 else np.asarray(labels == labels[ys[nearest], xs[nearest]])


def _mark(share: Floats, at: Floats, click: Floats) -> tuple[float, float, float, bool] | None:
    """The middle of a thick or closed shape around a place, and its size; None where there is none, only a line."""
    part = _component(share > _DRAWN, at)
    if part is None:
        return None
    filled = _closed(part)
    depth = ndimage.distance_transform_edt(np.pad(filled, 1))[1:-1, 1:-1]
    ys, xs = np.nonzero((depth == ndimage.maximum_filter(depth, 3)) & (depth > 0))
    away = np.hypot(xs + 0.5 - click[0], ys + 0.5 - click[1])
    reachable = away <= np.maximum(depth[ys, xs] + 1.5, REACH_PX + 1.0)
    if not reachable.any():
        return None
    deepest = int(np.argmax(np.where(reachable, depth[ys, xs], 0)))
    radius = float(depth[ys[deepest], xs[deepest]])
    middle = np.array([xs[deepest], ys[deepest]])
    off = np.hypot(xs - middle[0], ys - middle[1])
    beyond = off > 1.5 * radius + 1
    if beyond.sum() < 3:
        beyond = (off > radius + 1) & (depth[ys, xs] < 0.5 * radius)
    thin = float(np.median(depth[ys, xs][beyond])) if beyond.sum() >= 2 else 0.0
    if radius < max(_ROUND * thin, 1.6):
        return None
    if thin == 0.0 and np.ptp(np.argwhere(filled), axis=0).max() + 1 > _COMPACT * 2 * radius:
        return None  # long and even: a piece of a line
    cut = thin + 0.8 if thin > 0 else 0.0  # as deep as the line is, so that what is left is the mark
    labels, _ = ndimage.label(depth > cut)
    own = labels == labels[middle[1], middle[0]]
    rivals = (depth[ys, xs] > 0.8 * radius) & (np.hypot(xs - middle[0], ys - middle[1]) > 0.9 * radius)
    grown = ndimage.distance_transform_edt(~own) <= cut + 0.8
    shape = grown & ndimage.binary_dilation(filled)
    if rivals.any():  # another mark touches this one: each pixel belongs to the nearer
        grid_y, grid_x = np.mgrid[: share.shape[0], : share.shape[1]]
        mine = np.hypot(grid_x - middle[0], grid_y - middle[1])
        for x, y in zip(xs[rivals], ys[rivals], strict=True):
            shape &= mine <= np.hypot(grid_x - x, grid_y - y)
    if filled.sum() - (shape & filled).sum() < _TIPS * filled.sum():
        shape = ndimage.binary_dilation(filled)  # no line goes on from here: all of it is the mark
    weight = np.where(ndimage.binary_erosion(filled), 1.0, share) * shape
    if _lopsided(weight) and not _triangle(weight):  # something else hangs on it: only what is around its middle
        grid_y, grid_x = np.mgrid[: share.shape[0], : share.shape[1]]
        weight = weight * (np.hypot(grid_x - middle[0], grid_y - middle[1]) <= _CORNERS * radius)
    centre, size = _middle(weight)
    hole = filled & ~part & shape
    if hole.any() and _triangle(weight):  # a stroke makes a triangle larger outside and smaller inside by as much
        centre = (centre + _middle(np.where(ndimage.binary_dilation(hole), 1 - share, 0.0))[0]) / 2
    return float(centre[0]), float(centre[1]), size, True


def _moments(weight: Floats) -> tuple[Floats, Floats, Floats]:
    """Centroid and both bounds of a shape, of shape (2,)."""
    ys, xs = np.mgrid[: weight.shape[0], : weight.shape[1]] + 0.5
    return np.array([(weight * xs).sum(), (weight * ys).sum()]) / weight.sum(), *_bounds(weight)


def _lopsided(weight: Floats) -> bool:
    centre, low, high = _moments(weight)
    return bool(np.abs(centre - (low + high) / 2).max() > _LOPSIDED * float((high - low).mean()))


def _triangle(weight: Floats) -> bool:
    """Whether a shape fills half of its bounds and has its ink to one side."""
    _, low, high = _moments(weight)
    return _lopsided(weight) and _HALF[0] < float(weight.sum() / np.prod(high - low)) < _HALF[1]


def _middle(weight: Floats) -> tuple[Floats, float]:
    """The middle of a shape, of shape (2,), and its size: of a triangle, a sixth of its height from its centroid."""
    centre, low, high = _moments(weight)
    size = float((high - low).mean())
    off = (low + high) / 2 - centre
    longest = int(np.argmax(np.abs(off)))
    if _triangle(weight):
        centre[longest] += np.sign(off[longest]) * (high - low)[longest] / 6
    return centre, size


def _bounds(weight: Floats) -> tuple[Floats, Floats]:
    """Lower and upper edges of a shape along x and y, of shape (2,), to parts of a pixel by how full its edges are."""
    low, high = np.empty(2), np.empty(2)
    for axis in (0, 1):
        across = weight.max(axis=axis)
        held = np.flatnonzero(across > 0.5)
        first, last = (held[0], held[-1]) if held.size else (0, across.size - 1)
        before = across[first - 1] if first > 0 else 0.0
        after = across[last + 1] if last + 1 < across.size else 0.0
        low[axis] = first + 1 - across[first] - before
        high[axis] = last + across[last] + after
    return low, high


def _line(share: Floats, at: Floats, click: Floats) -> tuple[float, float, float, bool] | None:
    """The middle of a line across its way, at the foot of the place, and its width."""
    way = direction(share, at)
    across = np.array([-way[1], way[0]])
    start = at + way * float((click - at) @ way)  # the foot of the place on the line
    for _ in range(3):
        found = middle_across(share, start, across, 8.0)
        if found is None:
            return None
        offset, width = found
        start = start + across * offset
        if abs(offset) < 0.01:
            break
    return float(start[0]), float(start[1]), width, False


def direction(share: Floats, at: Floats, radius: float = 6.0) -> Floats:
    """The way of a line at a place, of shape (2,) and length 1: along which its ink is spread most."""
    size = int(radius) + 1
    row, column = int(at[1]), int(at[0])
    top, left = max(row - size, 0), max(column - size, 0)
    part = share[top : row + size + 1, left : column + size + 1]
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]] + 0.5
    dx, dy = xs + left - at[0], ys + top - at[1]
    weight = part * (np.hypot(dx, dy) <= radius)
    total = max(float(weight.sum()), 1e-9)
    dx, dy = dx - (weight * dx).sum() / total, dy - (weight * dy).sum() / total
    spread = np.array([[(weight * dx * dx).sum(), (weight * dx * dy).sum()], [0, (weight * dy * dy).sum()]])
    spread[1, 0] = spread[0, 1]
    return np.asarray(np.linalg.eigh(spread)[1][:, 1])


def middle_across(share: Floats, at: Floats, across: Floats, reach: float) -> tuple[float, float] | None:
    """How far off a place the middle of the line is, along `across`, and the line's width; None without a line."""
    steps = np.arange(-reach, reach + 0.01, 0.25)
    places = at + steps[:, None] * across
    ink = ndimage.map_coordinates(share, (places - 0.5).T[::-1], order=1, mode="nearest")
    near = np.abs(steps) <= 2.5
    top = int(np.argmax(np.where(near, ink - 0.02 * np.abs(steps), 0)))
    if ink[top] < 0.2:
        return None
    low = high = top
    floor = 0.1 * ink[top]
    while low > 0 and ink[low - 1] > floor:
        low -= 1
    while high + 1 < ink.size and ink[high + 1] > floor:
        high += 1
    held = ink[low : high + 1]
    return float((held * steps[low : high + 1]).sum() / held.sum()), float(held.sum() * 0.25)
