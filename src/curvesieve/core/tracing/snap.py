"""Places that snap to what is drawn: the middle of a mark, or of a line, to parts of a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.inks import NOTHING_HERE, Ink, Shares, ink_at
from curvesieve.core.tracing.mark_shape import DRAWN, REACH_PX, MarkShape, closed, mark_shape
from curvesieve.core.tracing.picture import Picture

_WINDOW = 44
"""Pixels around a place in which a mark must lie whole."""


@dataclass(frozen=True)
class Snapped:
    """A place on what is drawn: pixels from the top left corner, whether it is on a mark, its size, its colour.

    `shape` is that of a mark, in pixels of its own surroundings.
    """

    px: float
    py: float
    mark: bool
    size: float
    ink: Ink
    shape: MarkShape | None = None

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
    shape = mark_shape(share, at, click)
    if shape is not None:
        return Snapped(float(shape.centre[0] + left), float(shape.centre[1] + top), True, shape.size, ink, shape)
    found = _line(share, at, click)
    if found is None:
        raise InputError(NOTHING_HERE)
    return Snapped(found[0] + left, found[1] + top, False, found[2], ink)


def _ink_around(picture: Picture, place: tuple[float, float], reach: float) -> tuple[Ink, tuple[float, float]]:
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
            if closed(share > DRAWN)[int(place[1]) - top, int(place[0]) - left]:
                return ink, near
            break
        raise refused


def _line(share: Shares, at: Floats, click: Floats) -> tuple[float, float, float] | None:
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
    return float(start[0]), float(start[1]), width


def direction(share: Shares, at: Floats, radius: float = 6.0) -> Floats:
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


def middle_across(share: Shares, at: Floats, across: Floats, reach: float) -> tuple[float, float] | None:
    """How far off a place the middle of the line is, along `across`, and the line's width; None without a line.

    `share` is the ink, of shape (height, width); `at` and `across` have the shape (2,), in pixels and of length 1.
    """
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
