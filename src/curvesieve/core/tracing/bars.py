"""Bars of a chart, one or all alike, with the ends of their whiskers, to parts of a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.bar_ends import OUTLINE_PX, edge_of, side_of
from curvesieve.core.tracing.inks import Ink, paper_of
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.whiskers import whisker_of

_ONE_LEVEL_PX = 3
"""Pixels within which ends of bars are on one line."""
_LEAST_SIDE, _LEAST_LENGTH = 5, 3
"""Pixels that a bar must be wide and long."""
_ALIKE_WIDTH = 0.15
"""Share of its width that another bar may differ by and still be one of them."""
_OWN = 0.13
"""Share of its contrast to the paper that a bar's pixels may be off its colour."""
_FAINTEST = 30.0


@dataclass(frozen=True)
class Bar:
    """One bar: pixels of the middle of its base and of its top, of its whisker's ends where it has them, its width."""

    base: tuple[float, float]
    top: tuple[float, float]
    lower: tuple[float, float] | None
    upper: tuple[float, float] | None
    width: float


@dataclass(frozen=True, eq=False)
class _Straight:
    """A picture turned so that its bars stand upright, and the way back."""

    pixels: NDArray[np.uint8]
    across: Floats
    up: Floats
    origin: Floats

    def back(self, x: float, y: float) -> tuple[float, float]:
        """The pixel of the picture of one of the upright one."""
        at = self.origin + x * self.across - y * self.up
        return float(at[0]), float(at[1])

    def forth(self, place: tuple[float, float]) -> tuple[float, float]:
        """The pixel of the upright picture of one of the picture."""
        off = np.array(place) - self.origin
        ways = np.stack([self.across, -self.up], axis=1)
        x, y = np.linalg.solve(ways, off)
        return float(x), float(y)


def bars_alike(
    picture: Picture,
    place: tuple[float, float],
    up: tuple[float, float] = (0.0, -1.0),
    across: tuple[float, float] | None = None,
    alone: bool = False,
) -> tuple[Bar, ...]:
    """The bars of the colour and width of the one at a place, from the left; with `alone` only that one.

    `up` is the way in pixels that the bars grow in, `across` the way of their base line (at a right angle if not
    given): those of the axes. Whiskers are looked for along the middle of each bar, from its top both ways. Raises
    InputError outside the picture, on the paper, and where no bar is.
    """
    width, height = picture.size
    if not (0 <= place[0] < width and 0 <= place[1] < height):
        raise InputError(
            f"The place {place[0]:.0f}, {place[1]:.0f} is outside the picture of {width} × {height} pixels."
        )
    straight = _straightened(picture, up, across)
    x, y = straight.forth(place)
    ink = _fill_of(straight.pixels, x, y)
    off = np.sqrt(((straight.pixels.astype(np.float32) - ink.colour.astype(np.float32)) ** 2).sum(axis=-1))
    boxes = _boxes(off < max(_OWN * ink.contrast, _FAINTEST))
    own = next((box for box in boxes if box[0] - 1 <= x <= box[2] + 1 and box[1] - 1 <= y <= box[3] + 1), None)
    if own is None:
        raise InputError("No bar is here; click inside a bar, beside its whisker.")
    wide = own[2] - own[0]
    alike = [own] if alone else [box for box in boxes if abs(box[2] - box[0] - wide) <= max(2, _ALIKE_WIDTH * wide)]
    level = _base_level(alike)
    found = [_bar(straight, ink, box, level is not None and abs(box[1] - level) < abs(box[3] - level)) for box in alike]
    return tuple(sorted(found, key=lambda bar: straight.forth(bar.top)[0]))


def _straightened(picture: Picture, up: tuple[float, float], across: tuple[float, float] | None) -> _Straight:
    ahead = np.array(up, float) / np.hypot(*up)
    aside = np.array(across if across is not None else (-ahead[1], ahead[0]), float)
    aside = aside / np.hypot(*aside)
    if abs(ahead[0]) < 1e-3 and abs(aside[1]) < 1e-3 and ahead[1] < 0 < aside[0]:
        return _Straight(picture.pixels, np.array([1.0, 0]), np.array([0, -1.0]), np.zeros(2))
    width, height = picture.size
    corners = np.array([(0, 0), (width, 0), (0, height), (width, height)], float)
    turned = np.linalg.solve(np.stack([aside, -ahead], axis=1), corners.T).T
    low, high = np.floor(turned.min(axis=0)), np.ceil(turned.max(axis=0))
    origin = low[0] * aside - low[1] * ahead
    xs, ys = np.arange(high[0] - low[0]) + 0.5, np.arange(high[1] - low[1]) + 0.5
    at = origin + xs[None, :, None] * aside - ys[:, None, None] * ahead - 0.5
    pixels = np.empty((ys.size, xs.size, 3), np.uint8)
    for channel in range(3):
        paper = float(np.median(picture.pixels[..., channel]))
        pixels[..., channel] = np.round(
            ndimage.map_coordinates(
                picture.pixels[..., channel].astype(np.float32), [at[..., 1], at[..., 0]], order=1, cval=paper
            )
        )
    return _Straight(pixels, aside, ahead, origin)


def _fill_of(pixels: NDArray[np.uint8], x: float, y: float) -> Ink:
    """The colour that a bar is filled with at a place."""
    column, row = int(np.clip(x, 1, pixels.shape[1] - 2)), int(np.clip(y, 1, pixels.shape[0] - 2))
    colour = np.median(pixels[row - 1 : row + 2, column - 1 : column + 2].reshape(-1, 3), axis=0)
    paper = paper_of(pixels)
    ink = Ink(colour, paper)
    if ink.contrast < _FAINTEST:
        raise InputError("This is the colour of the paper; click inside a bar that is filled.")
    return ink


def _boxes(mask: NDArray[np.bool_]) -> list[tuple[int, int, int, int]]:
    """Left, top, right, bottom of the parts of a colour that are bars; strokes through them do not part them."""
    side = max(5, round(min(mask.shape) / 60)) | 1
    joined = ndimage.binary_closing(np.pad(mask, side), np.ones((1, side), bool))[side:-side, side:-side]
    joined = ndimage.binary_opening(joined, np.ones((3, _LEAST_SIDE), bool))
    labels, _ = ndimage.label(joined)
    out = []
    for number, (rows, columns) in enumerate(ndimage.find_objects(labels), start=1):
        wide, long_ = columns.stop - columns.start, rows.stop - rows.start
        filled = (labels[rows, columns] == number).mean()
        if wide >= _LEAST_SIDE and long_ >= _LEAST_LENGTH and filled > 0.75:
            out.append((columns.start, rows.start, columns.stop, rows.stop))
    return _joined(out)


def _joined(boxes: list[tuple[int, int, int, int]]) -> list[tuple[int, int, int, int]]:
    """Pieces above one another made one: the cap of a whisker had parted them."""
    out: list[tuple[int, int, int, int]] = []
    for box in sorted(boxes, key=lambda one: one[1]):
        slack = max(2.0, _ALIKE_WIDTH * (box[2] - box[0]))
        for k, other in enumerate(out):
            same = abs(other[0] - box[0]) <= slack and abs(other[2] - box[2]) <= slack
            if same and box[1] - other[3] <= OUTLINE_PX:
                out[k] = (min(other[0], box[0]), other[1], max(other[2], box[2]), box[3])
                break
        else:
            out.append(box)
    return out


def _base_level(boxes: list[tuple[int, int, int, int]]) -> int | None:
    """The row at which most bars have an end; None where fewer than half, or only one, meet: they are stacked."""
    ends = np.array([box[3] for box in boxes] + [box[1] for box in boxes])
    meeting = (np.abs(ends[:, None] - ends) <= _ONE_LEVEL_PX).sum(axis=0)
    best = int(np.argmax(meeting))
    return int(ends[best]) if meeting[best] >= max(2, len(boxes) / 2) else None


def _bar(straight: _Straight, fill: Ink, box: tuple[int, int, int, int], hangs: bool) -> Bar:
    """The bar in a box; one that `hangs` goes down from the base line."""
    left, top, right, bottom = box
    height = straight.pixels.shape[0]
    beyond = slice(bottom + 3, bottom + height // 4) if hangs else slice(max(top - height // 4, 0), max(top - 3, 1))
    ground = straight.pixels[beyond, left:right]
    # the ground of a plot may be another than that of the page
    ink = Ink(fill.colour, paper_of(ground)) if ground.size else fill
    if ink.contrast < _FAINTEST:
        ink = fill
    margin = max(1, (right - left) // 8)
    columns = np.arange(left + margin, right - margin)
    middle_column = (left + right) / 2
    clear = columns[np.abs(columns + 0.5 - middle_column) > max(2.5, 0.12 * (right - left))]
    columns = clear if clear.size >= 2 else columns
    upper = edge_of(straight.pixels, ink, columns, top, -1)
    lower = edge_of(straight.pixels, ink, columns, bottom, +1)
    rows = np.arange(top + max(1, (bottom - top) // 8), max(bottom - max(1, (bottom - top) // 8), top + 2))
    turned = np.swapaxes(straight.pixels, 0, 1)
    sides = [side_of(turned, ink, rows, edge, sense) for edge, sense in ((left, -1), (right, +1))]
    x = (sides[0] + sides[1]) / 2
    end, base = (lower, upper) if hangs else (upper, lower)
    ends = whisker_of(straight.pixels, ink, x, end, 1 if hangs else -1, sides[1] - sides[0])
    return Bar(
        straight.back(x, base),
        straight.back(x, end),
        straight.back(x, ends[0]) if ends else None,
        straight.back(x, ends[1]) if ends else None,
        sides[1] - sides[0],
    )
