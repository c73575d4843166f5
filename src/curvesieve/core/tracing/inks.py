"""How much of a pixel is of a colour: lines and marks of one series, told from paper, grid and other series."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.picture import Picture

Shares = NDArray[np.floating[Any]]
"""How much each pixel is of a colour, 0 to 1, of the shape of the picture (height, width)."""
NOTHING_HERE = "Nothing is drawn here; choose a place nearer to a line or a mark."
_FAINTEST = 24.0
"""Steps between a colour and the paper (of 441 from black to white) below which nothing is drawn."""
_BESIDE, _RINGING = 8, 0.3
"""Pixels beside the reach, and the share of what is drawn there below which the shadows of a JPEG are not drawn."""
_PURE = 0.85
"""Share of the purest pixel's contrast that others must have to be of the same colour."""
_NEAR = 0.5
"""Share of the plainest contrast within reach that a pixel must have to be drawn."""
_LOCAL = 40
"""Pixels around a place in which the paper's colour is looked for: a plot's ground may differ from the page's."""


@dataclass(frozen=True, eq=False)
class Ink:
    """The colour of one series on its paper, both of shape (3,) in 0 to 255."""

    colour: Floats
    paper: Floats

    @cached_property
    def _way(self) -> Floats:
        return np.asarray(self.colour - self.paper, np.float32)

    @property
    def contrast(self) -> float:
        """How far the colour is from the paper, of 441 from black to white."""
        return float(np.sqrt(self._way @ self._way))

    def share(self, pixels: NDArray[np.uint8]) -> NDArray[np.float32]:
        """How much of each pixel is of the colour, 0 to 1, of the shape of the picture (height, width).

        Measured along the way from paper to colour, so that a pixel half covered by a line is half of it; pixels off
        that way, of other colours, fall away.
        """
        off = pixels.astype(np.float32) - np.asarray(self.paper, np.float32)
        share = (off @ self._way) / np.float32(self.contrast**2)
        rest = (off**2).sum(axis=-1) - share**2 * np.float32(self.contrast**2)
        away = np.sqrt(np.maximum(rest, 0)) / np.float32(max(0.25 * self.contrast, 30.0))
        # between two colours the share of a third on its way is not believed: it falls away from half the distance on
        return np.asarray(np.clip(share, 0, 1) * np.clip(1.6 - 1.6 * away, 0, 1))


def ink_at(picture: Picture, place: tuple[float, float], reach: float = 4.0) -> tuple[Ink, tuple[float, float]]:
    """The colour that is drawn nearest to a place, and where: pixels from the top left corner, centres at halves.

    Raises InputError outside the picture, and where nothing is drawn within `reach` pixels.
    """
    width, height = picture.size
    if not (0 <= place[0] < width and 0 <= place[1] < height):
        raise InputError(
            f"The place {place[0]:.0f}, {place[1]:.0f} is outside the picture of {width} × {height} pixels."
        )
    column, row, side = int(place[0]), int(place[1]), int(np.ceil(reach)) + 3
    paper = paper_near(picture.pixels, place)
    wide = side - 3 + _BESIDE
    beside = picture.pixels[max(row - wide, 0) : row + wide + 1, max(column - wide, 0) : column + wide + 1]
    plainest = float(np.sqrt(((beside.astype(float) - paper) ** 2).sum(axis=-1)).max())
    least = max(_FAINTEST, _RINGING * plainest)
    left, top = max(column - side, 0), max(row - side, 0)
    near = picture.pixels[top : row + side + 1, left : column + side + 1].astype(float)
    off = np.sqrt(((near - paper) ** 2).sum(axis=-1))
    ys, xs = np.mgrid[: near.shape[0], : near.shape[1]] + 0.5
    away = np.hypot(xs + left - place[0], ys + top - place[1])
    within = np.where(away <= reach + 0.5, off, 0)
    if within.max() < least:
        raise InputError(NOTHING_HERE)
    drawn = within > max(_NEAR * within.max(), least)
    at = np.unravel_index(np.argmin(np.where(drawn, away, np.inf)), off.shape)
    close = np.hypot(xs - xs[at], ys - ys[at]) <= 2.5  # the purest pixel there: others are mixed with the paper
    best = np.unravel_index(np.argmax(np.where(close, off, 0)), off.shape)
    pure = near[close & (off > _PURE * off[best])]  # the middle of them: single pixels of a JPEG are off
    return Ink(np.median(pure, axis=0), paper), (float(xs[best] + left), float(ys[best] + top))


def paper_near(pixels: NDArray[np.uint8], place: tuple[float, float]) -> Floats:
    """The commonest colour around a place, of shape (3,)."""
    column, row = int(place[0]), int(place[1])
    part = pixels[max(row - _LOCAL, 0) : row + _LOCAL + 1, max(column - _LOCAL, 0) : column + _LOCAL + 1]
    return paper_of(part)


def paper_of(pixels: NDArray[np.uint8]) -> Floats:
    """The commonest colour of a picture, of shape (3,)."""
    coarse = (pixels >> 3).astype(np.uint32)
    codes = (coarse[..., 0] << 10) | (coarse[..., 1] << 5) | coarse[..., 2]
    commonest = np.bincount(codes.ravel()).argmax()
    return np.asarray(np.median(pixels[codes == commonest], axis=0), dtype=float)
