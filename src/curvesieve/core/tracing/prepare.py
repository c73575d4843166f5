"""A picture made ready before it is traced: pulled straight, turned, cropped; what was traced goes along."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.inks import paper_of
from curvesieve.core.tracing.parts import AxisSpec, BarSpec, Place, Prepared, SeriesSpec, TraceSpec
from curvesieve.core.tracing.picture import MAX_PIXELS, MIN_SIDE, Picture

_MARGIN = 0.2
"""Share of its size that is kept around what was pulled straight: words beside the axes stand there."""

Size = tuple[int, int]


def way_of(prepared: Prepared, size: Size) -> tuple[Floats, Size]:
    """The projective map from pixels as recorded to pixels as prepared, of shape (3, 3), and the new width and height.

    `size` is the width and height of the picture as it was opened. Raises InputError for corners that make no
    four-sided shape, and for a crop that leaves too little.
    """
    way, (width, height) = np.eye(3), (float(size[0]), float(size[1]))
    if prepared.corners is not None:
        pulled, (width, height) = _pulled_straight(np.array(prepared.corners))
        way = pulled @ way
    if prepared.turn:
        turned, (width, height) = _turned(prepared.turn, width, height)
        way = turned @ way
    if prepared.crop is not None:
        left, top, right, bottom = prepared.crop
        left, top = max(left, 0.0), max(top, 0.0)
        right, bottom = min(right, width), min(bottom, height)
        if right - left < MIN_SIDE or bottom - top < MIN_SIDE:
            raise InputError(f"What is cut out must be {MIN_SIDE} pixels each way at the least; draw a larger box.")
        way = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]]) @ way
        width, height = right - left, bottom - top
    whole = round(width), round(height)
    if whole[0] * whole[1] > MAX_PIXELS:
        raise InputError("This would make a picture of more than 100 million pixels; cut out the chart first.")
    return way, whole


def _pulled_straight(corners: Floats) -> tuple[Floats, tuple[float, float]]:
    """The map that makes a rectangle of four corners, from the top left clockwise, as large as its sides on average."""
    sides = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
    ways = np.roll(corners, -1, axis=0) - corners
    turns = ways[:, 0] * np.roll(ways[:, 1], -1) - ways[:, 1] * np.roll(ways[:, 0], -1)
    if sides.min() < MIN_SIDE or not (turns > 0).all():
        raise InputError(
            "The four corners must be those of the frame, from the top left clockwise, and no three on a line."
        )
    width, height = (sides[0] + sides[2]) / 2, (sides[1] + sides[3]) / 2
    x, y = _MARGIN * width, _MARGIN * height
    to = np.array([(x, y), (x + width, y), (x + width, y + height), (x, y + height)])
    rows, wanted = [], []
    for (a, b), (u, v) in zip(corners, to, strict=True):
        rows += [[a, b, 1, 0, 0, 0, -u * a, -u * b], [0, 0, 0, a, b, 1, -v * a, -v * b]]
        wanted += [u, v]
    found = np.linalg.solve(np.array(rows), np.array(wanted))
    return np.append(found, 1.0).reshape(3, 3), (width + 2 * x, height + 2 * y)


def _turned(degrees: float, width: float, height: float) -> tuple[Floats, tuple[float, float]]:
    """Turned clockwise about its middle, on a sheet that holds all of it."""
    cosine, sine = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    turn = np.array([[cosine, -sine], [sine, cosine]])
    wide = abs(cosine) * width + abs(sine) * height
    high = abs(sine) * width + abs(cosine) * height
    shift = np.array([wide, high]) / 2 - turn @ np.array([width, height]) / 2
    way = np.eye(3)
    way[:2, :2], way[:2, 2] = turn, shift
    return way, (wide, high)


def prepared_picture(picture: Picture, prepared: Prepared) -> Picture:
    """The picture as it is prepared; the same where nothing is to be done. Raises InputError as `way_of`."""
    if prepared == Prepared():
        return picture
    from scipy import ndimage

    way, (width, height) = way_of(prepared, picture.size)
    ys, xs = np.mgrid[:height, :width] + 0.5
    at = mapped(np.stack([xs.ravel(), ys.ravel()], axis=1), np.linalg.inv(way)) - 0.5
    paper = paper_of(picture.pixels)
    pixels = np.empty((height, width, 3), np.uint8)
    for channel in range(3):
        found = ndimage.map_coordinates(
            picture.pixels[..., channel], at.T[::-1], output=np.float32, order=1, cval=float(paper[channel])
        )
        pixels[..., channel] = np.round(found).reshape(height, width)
    return replace(picture, pixels=pixels)


def mapped(places: NDArray[np.floating[Any]], way: NDArray[np.floating[Any]]) -> Floats:
    """Pixels of shape (n, 2) through a projective map of shape (3, 3)."""
    through = np.column_stack([places, np.ones(len(places))]) @ way.T
    return np.asarray(through[:, :2] / through[:, 2:])


def recorded_places(places: Sequence[Place], prepared: Prepared, size: Size) -> tuple[Place, ...]:
    """Pixels of a prepared picture as those of the picture as it was opened, whose width and height are `size`."""
    way = np.linalg.inv(way_of(prepared, size)[0])
    return tuple((float(x), float(y)) for x, y in mapped(np.array(places, float), way))


def carried(trace: TraceSpec, old: Prepared, new: Prepared, size: Size) -> TraceSpec:
    """A trace whose pixels go along when its picture is prepared in another way: all of its places.

    `size` is the width and height of the picture as it was opened. Raises InputError as `way_of`.
    """
    way = way_of(new, size)[0] @ np.linalg.inv(way_of(old, size)[0])

    def go(place: Place) -> Place:
        x, y = mapped(np.array([place]), way)[0]
        return float(x), float(y)

    return trace.model_copy(
        update={
            "x": _axis(trace.x, go), "y": _axis(trace.y, go), "series": tuple(_series(one, go) for one in trace.series),
        }
    )  # fmt: skip


def _axis(axis: AxisSpec, go: Callable[[Place], Place]) -> AxisSpec:
    marks = []
    for mark in axis.marks:
        px, py = go((mark.px, mark.py))
        marks.append(mark.model_copy(update={"px": px, "py": py}))
    return axis.model_copy(update={"marks": tuple(marks)})


def _series(series: SeriesSpec, go: Callable[[Place], Place]) -> SeriesSpec:
    bars = tuple(_bar(bar, go) for bar in series.bars)
    return series.model_copy(update={"places": tuple(go(place) for place in series.places), "bars": bars})


def _bar(bar: BarSpec, go: Callable[[Place], Place]) -> BarSpec:
    ends = {name: go(end) for name in ("base", "top", "lower", "upper") if (end := getattr(bar, name)) is not None}
    return bar.model_copy(update=ends)
