"""Marks like one that was shown: found all over a chart, also where lines pass through them or others overlap."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy import fft, ndimage

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.inks import Ink
from curvesieve.core.tracing.mark_shape import DRAWN, REACH_PX, MarkShape, mark_shape
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.snap import snapped

Pixels = NDArray[np.int64]
_ALIKE = 0.52
"""Correlation from which on a place is a mark like the one shown."""
_COVERED, _EMPTY = 0.6, 0.45
"""Share of a mark's ink that must be drawn, and of its hole that may be: lines pass through it."""
_THIN = 0.5
"""Half the width of a stroke, in pixels, below which its ink is not believed."""
_APART = 0.4
"""Share of a mark's size that two must be apart to be two."""
_MAYBE = 0.25
"""Likeness to the one that was shown from which on a place is looked at again with the mean of all."""
_ABOUT = 5
"""Pixels about such a place, which is looked at with an unclean model first."""
_MOST = 3000
_RIM = 2
"""Pixels around a mark that must be empty for most of their length."""
_FLAT = 1e-3
"""Variance of the ink below which nothing is drawn."""
_WIDEST = 128
"""Pixels across of a mark, at most."""


@dataclass(frozen=True, eq=False)
class Alike:
    """Marks that look alike: their middles of shape (n, 2) in pixels from the left, how alike each is, size and ink."""

    places: Floats
    likeness: Floats
    size: float
    ink: Ink


def marks_alike(
    picture: Picture,
    place: tuple[float, float],
    box: tuple[float, float, float, float] | None = None,
    reach: float = REACH_PX,
) -> Alike:
    """All marks like the one near a place, from left to right, that one among them.

    `box` is left, top, right, bottom in pixels: where they are looked for. Raises InputError outside the picture, where
    nothing is drawn, and where there is a line and no mark.
    """
    shown = snapped(picture, place, reach)
    if not shown.mark:
        raise InputError("This is a line, not a mark; click in the middle of a mark that stands by itself.")
    width, height = picture.size
    left, top, right, bottom = (round(b) for b in box or (0, 0, width, height))
    half = int(np.ceil(0.5 * shown.size)) + 2
    left, top = max(left - half, 0), max(top - half, 0)
    share = shown.ink.share(picture.pixels[top : bottom + half, left : right + half])
    at = np.array(shown.place) - (left, top)
    model = _own(_patch(share, at, half), half, shown.shape, np.full(2, half + 0.5))
    sheet = _Sheet(share)
    found, likeness, maybe = _found(sheet, model)
    if len(found) > 2:  # the mean of all is cleaner than the one that was shown: lines through them go their ways
        mean = np.median([_patch(share, one, half) for one in found[:60]], axis=0)
        again = _shape_in(mean, half)
        if again is not None:  # else most of what was found is a line
            model = _own(mean, half, again, again.centre)
            found, likeness, _ = _found(sheet, model, maybe)
    off = _off_centre(model, half)
    if len(found) == 0:
        found, likeness, off = at[None], np.ones(1), np.zeros(2)
    places = found + off + (left, top)
    order = np.argsort(places[:, 0], kind="stable")
    return Alike(places[order], likeness[order], shown.size, shown.ink)


def _patch(share: NDArray[np.float32], at: Floats, half: int) -> Floats:
    """The ink around a place, which lies in the middle of the middle pixel, of shape (2 half + 1, 2 half + 1)."""
    ys, xs = np.mgrid[-half : half + 1, -half : half + 1]
    return np.asarray(
        ndimage.map_coordinates(share, [ys + at[1] - 0.5, xs + at[0] - 0.5], order=1, mode="constant"), dtype=float
    )


def _own(patch: Floats, half: int, shape: MarkShape | None, centre: Floats) -> Floats:
    """The mark in the middle of a patch, its `centre` there, without what is around it and drawn through it.

    What is drawn through a mark can be told from it where it has a usual shape, and a stroke that is not too thin.
    """
    if shape is None:
        return patch
    if shape.fit is not None and (shape.fit.stroke > _THIN if shape.open else shape.fit.stroke == 0):
        return replace(shape.fit, centre=centre).drawn((2 * half + 1, 2 * half + 1))
    own = _patch(ndimage.binary_dilation(shape.shape).astype(np.float32), shape.centre + half + 0.5 - centre, half)
    return patch * (own > 0.5)


def _off_centre(model: Floats, half: int) -> Floats:
    """How far the middle of the mark in a model is off the middle of the model, of shape (2,)."""
    shape = _shape_in(model, half)
    off = shape.centre - half - 0.5 if shape is not None else np.zeros(2)
    return off if float(np.abs(off).max()) < 1.5 else np.zeros(2)


def _shape_in(patch: Floats, half: int) -> MarkShape | None:
    """The shape of the mark in the middle of a patch; the middle of an open one is not drawn."""
    middle = np.full(2, half + 0.5)
    drawn = np.argwhere(patch > DRAWN)[:, ::-1] + 0.5
    if len(drawn) == 0:
        return None
    return mark_shape(patch, drawn[np.argmin(np.hypot(*(drawn - middle).T))], middle)


@dataclass(frozen=True, eq=False)
class _Sheet:
    """The ink of a picture and what is needed to compare a mark with all its places at once."""

    share: NDArray[np.float32]

    @cached_property
    def _shape(self) -> tuple[int, int]:
        height, width = self.share.shape
        return fft.next_fast_len(height + _WIDEST, True), fft.next_fast_len(width + _WIDEST, True)

    @cached_property
    def _spectra(self) -> tuple[NDArray[np.complex64], NDArray[np.complex64]]:
        return fft.rfft2(self.share, self._shape, workers=-1), fft.rfft2(self.share**2, self._shape, workers=-1)

    def likeness(self, model: Floats, mask: NDArray[np.bool_]) -> NDArray[np.float32]:
        """The correlation of a model with the ink around each pixel, within a mask, of the shape of the picture.

        Pearson's coefficient over the pixels of the mask only, so that what lies beside a mark does not matter.
        """
        n = int(mask.sum())
        turned = ((model - model[mask].mean()) * mask).astype(np.float32)
        half = model.shape[0] // 2

        def over(kernel: NDArray[np.float32], spectrum: NDArray[np.complex64]) -> NDArray[np.float32]:
            other = fft.rfft2(kernel[::-1, ::-1], self._shape, workers=-1)
            whole = fft.irfft2(spectrum * other, self._shape, workers=-1)
            height, width = self.share.shape
            return np.asarray(whole[half : half + height, half : half + width])

        flat = mask.astype(np.float32)
        mean = over(flat, self._spectra[0]) / n
        spread = over(flat, self._spectra[1]) / n - mean**2
        likeness = over(turned, self._spectra[0]) / n
        own = float(np.sqrt((turned[mask] ** 2).mean()))
        return np.asarray(np.where(spread > _FLAT, likeness / np.sqrt(np.maximum(spread, _FLAT)) / own, 0))

    def likeness_about(self, model: Floats, mask: NDArray[np.bool_], near: Pixels) -> NDArray[np.float32]:
        """The same within some pixels of some rows and columns, of shape (n, 2), and zero elsewhere."""
        half = model.shape[0] // 2
        turned = model[mask] - model[mask].mean()
        own = float(np.sqrt((turned**2).mean()))
        padded = np.pad(self.share, half + _ABOUT)
        out = np.zeros_like(padded)
        for row, column in near:
            block = padded[row : row + 2 * (half + _ABOUT) + 1, column : column + 2 * (half + _ABOUT) + 1]
            windows = np.lib.stride_tricks.sliding_window_view(block, model.shape)[..., mask]
            spread = windows.var(axis=-1)
            like = np.where(
                spread > _FLAT, windows @ turned / turned.size / np.sqrt(np.maximum(spread, _FLAT)) / own, 0
            )
            at = (slice(row + half, row + half + 2 * _ABOUT + 1), slice(column + half, column + half + 2 * _ABOUT + 1))
            out[at] = np.maximum(out[at], like)
        inside = slice(half + _ABOUT, -half - _ABOUT)
        return out[inside, inside]


def _found(sheet: _Sheet, model: Floats, near: Pixels | None = None) -> tuple[Floats, Floats, Pixels]:
    """Where a model is found, best first: places of shape (n, 2) in pixels, their likeness, and where it may be.

    `near` are rows and columns, of shape (n, 2), about which it is looked for; everywhere if not given.
    """
    share = sheet.share
    filled = model > 0.5
    mask = ndimage.binary_dilation(ndimage.binary_fill_holes(filled), iterations=_RIM)
    if min(share.shape) < model.shape[0] or mask.all() or not filled.any():
        return np.empty((0, 2)), np.empty(0), np.empty((0, 2), int)
    likeness = sheet.likeness(model, mask) if near is None else sheet.likeness_about(model, mask, near)
    reach = max(1, int(_APART * model.shape[0] / 2))
    tops = np.argwhere((likeness > _MAYBE) & (likeness == ndimage.maximum_filter(likeness, 2 * reach + 1)))
    tops = tops[np.argsort(likeness[*tops.T])[::-1]][:_MOST]
    alike = tops[likeness[*tops.T] > _ALIKE]
    hole = ndimage.binary_erosion(ndimage.binary_fill_holes(filled) & ~filled)
    places, worth = [], []
    half = model.shape[0] // 2
    for y, x in alike:
        patch = _patch(share, np.array([x, y]) + 0.5, half)
        if patch[filled].mean() < _COVERED * model[filled].mean() or (hole.any() and patch[hole].mean() > _EMPTY):
            continue
        places.append(np.array([x, y]) + 0.5 + _between(likeness, y, x))
        worth.append(float(likeness[y, x]))
    return np.array(places).reshape(-1, 2), np.array(worth), tops


def _between(likeness: NDArray[np.float32], y: int, x: int) -> Floats:
    """The top of the parabola through a place and its neighbours, across and down, of shape (2,) in pixels."""
    out = np.zeros(2)
    for axis, (dy, dx) in enumerate(((0, 1), (1, 0))):
        if not (dy <= y < likeness.shape[0] - dy and dx <= x < likeness.shape[1] - dx):
            continue
        before, here, after = (float(likeness[y + k * dy, x + k * dx]) for k in (-1, 0, 1))
        bend = before - 2 * here + after
        out[axis] = np.clip(0.5 * (before - after) / bend, -0.5, 0.5) if bend < 0 else 0.0
    return out
