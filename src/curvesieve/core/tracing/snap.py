"""Places that snap to what is drawn: the middle of a line, of a mark, of a crossing, to parts of a pixel."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.picture import Picture, ink

_REACH_PX = 4
_LEAST = 0.15


def snapped(picture: Picture, place: tuple[float, float], reach: int = _REACH_PX) -> tuple[float, float]:
    """The middle of the line or mark near a place: pixels from the top left corner, centres at halves.

    The colour is that of the darkest difference from the paper within reach. Raises InputError where nothing is drawn
    there, or the place is outside.
    """
    width, height = picture.size
    if not (0 <= place[0] < width and 0 <= place[1] < height):
        raise InputError(
            f"The place {place[0]:.0f}, {place[1]:.0f} is outside the picture of {width} × {height} pixels."
        )
    column, row = int(place[0]), int(place[1])
    top, left = max(row - 3 * reach, 0), max(column - 3 * reach, 0)
    part = picture.pixels[top : row + 3 * reach + 1, left : column + 3 * reach + 1]
    near = picture.pixels[max(row - reach, 0) : row + reach + 1, max(column - reach, 0) : column + reach + 1]
    from curvesieve.core.tracing.picture import paper_of

    paper = paper_of(picture.pixels)
    off = np.abs(near.astype(float) - paper).sum(axis=-1)
    if off.max() < 30:
        raise InputError("Nothing is drawn here; choose a place nearer to a line or a mark.")
    colour = near.reshape(-1, 3)[off.argmax()].astype(float)
    weight = _inked(part, colour, paper)
    at = np.array([place[0] - left, place[1] - top])
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]] + 0.5
    for _ in range(8):  # towards the middle of what is within reach, until it stays
        window = weight * np.exp(-0.5 * ((xs - at[0]) ** 2 + (ys - at[1]) ** 2) / (0.6 * reach) ** 2)
        total = float(window.sum())
        if total < _LEAST:
            raise InputError("Nothing is drawn here; choose a place nearer to a line or a mark.")
        to = np.array([float((window * xs).sum()), float((window * ys).sum())]) / total
        if float(np.hypot(*(to - at))) < 1e-3:
            break
        at = to
    return float(at[0] + left), float(at[1] + top)


def _inked(part: np.ndarray, colour: Floats, paper: Floats) -> Floats:
    way = colour - paper
    share = ((part.astype(float) - paper) @ way) / float(way @ way)
    rest = part.astype(float) - paper - share[..., None] * way
    return np.asarray(np.clip(share, 0, 1) * np.clip(1 - np.sqrt((rest**2).sum(axis=-1)) / 60, 0, 1))


__all__ = ["ink", "snapped"]
