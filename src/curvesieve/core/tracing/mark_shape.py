"""The shape of one mark of a chart, also with lines through it or other marks beside it, and its middle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.inks import Shares
from curvesieve.core.tracing.mark_fit import MarkFit, fitted_mark

REACH_PX = 4.0
"""How far a place snaps, if nothing else is said."""
DRAWN = 0.4
"""Share of the colour from which on a pixel is drawn."""
_WIDEST_HOLE = 50
"""Pixels across of the hole of an open mark, at most."""
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


@dataclass(frozen=True, eq=False)
class MarkShape:
    """A mark in the pixels of its surroundings: its middle (2,), its diameter, which pixels are its, whether open.

    `fit` is the usual shape that it has; None where it has none.
    """

    centre: Floats
    size: float
    shape: NDArray[np.bool_]
    open: bool
    fit: MarkFit | None = None


def closed(part: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A shape with its holes filled, as far as they are small enough to be those of marks; of shape (height, width)."""
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


def mark_shape(share: Shares, at: Floats, click: Floats) -> MarkShape | None:
    """The thick or closed shape around a place; None where there is none, only a line.

    `share` is the ink of the surroundings, of shape (height, width); `at` a pixel of the shape and `click` the place
    that was pointed at, both of shape (2,) in its pixels.
    """
    part = _component(share > DRAWN, at)
    if part is None:
        return None
    filled = closed(part)
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
    edged = np.where(ndimage.binary_erosion(filled), 1.0, share * ndimage.binary_dilation(filled))
    hole = _hole_at(filled & ~part, middle, radius)
    fit = fitted_mark(edged, share, middle + 0.5, max(radius - 0.5, 1.0), hole)
    if fit is not None:
        covered = fit.covers((share.shape[0], share.shape[1])) > 0
        is_open = bool((filled & ~part & covered).any())
        return MarkShape(fit.centre, 2 * (fit.half + fit.stroke), ndimage.binary_dilation(covered), is_open, fit)
    return _by_its_ink(share, part, filled, depth, (xs, ys), deepest, thin)


def _by_its_ink(
    share: Shares,
    part: NDArray[np.bool_],
    filled: NDArray[np.bool_],
    depth: Floats,
    tops: tuple[NDArray[np.int64], NDArray[np.int64]],
    deepest: int,
    thin: float,
) -> MarkShape:
    """A mark of no usual shape: what is left of it without the lines on it, and the middle of that."""
    xs, ys = tops
    radius, middle = float(depth[ys[deepest], xs[deepest]]), np.array([xs[deepest], ys[deepest]])
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
    return MarkShape(centre, size, shape, bool(hole.any()))


def _hole_at(holes: NDArray[np.bool_], middle: Floats, radius: float) -> NDArray[np.bool_] | None:
    """The hole in the middle of a mark, of all holes; None where it is not open."""
    labels, count = ndimage.label(holes)
    ys, xs = np.mgrid[: holes.shape[0], : holes.shape[1]]
    near = np.hypot(xs - middle[0], ys - middle[1]) < 0.6 * radius
    numbers = np.bincount(labels[near & holes], minlength=count + 1)
    return None if numbers[1:].sum() == 0 else np.asarray(labels == int(np.argmax(numbers[1:])) + 1)


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
