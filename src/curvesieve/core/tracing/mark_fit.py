"""Which of the usual shapes a mark has, where its middle is and how large it is, with lines through it or not."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage, optimize

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.inks import Shares

_OUTSIDE = 0.2
"""Weight of ink beside a mark against ink that is lacking in it: lines and other marks hang on it."""
_WINDOW = 1.35
"""How far around a mark its ink is compared, in half its size."""
_COMMON, _BESIDE = 2.2, 0.5
"""How far around the largest circle in a mark, in its radius, shapes are set against each other; the weight there of
ink that a shape leaves out."""
_POOR = 0.17
"""Share of its area that a mark may differ from a shape and still have it."""
_SQRT5, _SQRT3 = 5**0.5, 3**0.5


Sides = tuple[Floats, ...]
"""How far each pixel is outside of each side of a shape (inside: below zero)."""


def _triangle(u: Floats, v: Floats, h: float) -> Sides:
    """As wide as high, its tip towards negative v, its place in the middle of its height, as Matplotlib draws it."""
    return v - h, (2 * u - v - h) / _SQRT5, (-2 * u - v - h) / _SQRT5


def _even_triangle(u: Floats, v: Floats, h: float) -> Sides:
    """Of three equal sides of 2 h."""
    low = h * _SQRT3 / 2
    return v - low, (_SQRT3 * u - v - low) / 2, (-_SQRT3 * u - v - low) / 2


def _rhombus(x: Floats, y: Floats, h: float) -> Sides:
    return tuple((a * x + b * y - h) / 2**0.5 for a, b in ((1, 1), (1, -1), (-1, 1), (-1, -1)))


_SHAPES: Mapping[str, Callable[[Floats, Floats, float], Sides]] = {
    "circle": lambda x, y, h: (np.hypot(x, y) - h,),
    "square": lambda x, y, h: (x - h, -x - h, y - h, -y - h),
    "rhombus": _rhombus,
    "triangle up": _triangle,
    "triangle down": lambda x, y, h: _triangle(x, -y, h),
    "triangle left": lambda x, y, h: _triangle(y, x, h),
    "triangle right": lambda x, y, h: _triangle(y, -x, h),
    "even triangle up": _even_triangle,
    "even triangle down": lambda x, y, h: _even_triangle(x, -y, h),
}
"""The sides of each shape of half-width h about its place."""
_INSCRIBED = {"circle": 1.0, "square": 1.0, "rhombus": 2**-0.5, "even": 3**-0.5, "triangle": 0.618}
"""The radius of the largest circle in each, of h."""


@dataclass(frozen=True, eq=False)
class MarkFit:
    """A shape that a mark has: its name, its middle (2,) in pixels, half its width, how far it differs, of its area."""

    name: str
    centre: Floats
    half: float
    poor: float
    stroke: float = 0.0
    """Half the width of an open mark's stroke, in `half`'s measure: how much further out its ink goes."""

    def covers(self, shape: tuple[int, int]) -> Floats:
        """How much of each pixel, of shape (height, width), the mark covers."""
        return self._covers(shape, self.half + self.stroke)

    def drawn(self, shape: tuple[int, int]) -> Floats:
        """How much of each pixel, of shape (height, width), its ink covers: of an open mark its stroke."""
        inner = self._covers(shape, self.half - self.stroke) if self.stroke > 0 else 0.0
        return np.asarray(self.covers(shape) - inner)

    def _covers(self, shape: tuple[int, int], half: float) -> Floats:
        ys, xs = np.mgrid[: shape[0], : shape[1]] + 0.5
        return _covers(self.name, xs - self.centre[0], ys - self.centre[1], half)


def _covers(name: str, x: Floats, y: Floats, half: float) -> Floats:
    """How much of each pixel is inside all sides: at a corner, what both leave of it."""
    out = np.ones_like(x)
    for off in _SHAPES[name](x, y, half):
        out *= np.clip(0.5 - off, 0, 1)
    return out


def fitted_mark(
    filled: Shares, ink: Shares, middle: Floats, radius: float, hole: NDArray[np.bool_] | None
) -> MarkFit | None:
    """The shape that fits a mark best; None where none fits.

    `ink` is how much of each pixel is drawn, `filled` the same with the hole filled, both of shape (height, width);
    `middle` and `radius` are those of the largest circle in it, in pixels. A `hole` is fitted, too: the place of an
    open mark is that of the middle of its stroke.
    """
    outer = _best(filled, middle, radius)
    if outer is None or hole is None or hole.sum() < 9:
        return outer
    depth = ndimage.distance_transform_edt(np.pad(hole, 1))[1:-1, 1:-1]
    deep = np.unravel_index(np.argmax(depth), depth.shape)
    inside = np.where(ndimage.binary_dilation(hole), 1 - ink, 0.0)
    inner = _fit(outer.name, inside, np.array([deep[1], deep[0]]) + 0.5, float(depth[deep]), 1.0)
    if inner is None or np.hypot(*(inner.centre - outer.centre)) > 0.35 * outer.half:
        return outer
    half = (outer.half + inner.half) / 2
    return MarkFit(outer.name, (outer.centre + inner.centre) / 2, half, outer.poor, outer.half - half)


def _best(filled: Shares, middle: Floats, radius: float) -> MarkFit | None:
    ys, xs = np.mgrid[: filled.shape[0], : filled.shape[1]] + 0.5
    first = []
    for name in _SHAPES:
        half = radius / next(share for key, share in _INSCRIBED.items() if key in name)
        at = middle + _from_circle(name, half)
        near = (np.abs(xs - at[0]) < _WINDOW * half) & (np.abs(ys - at[1]) < _WINDOW * half)
        cover = _covers(name, xs[near] - at[0], ys[near] - at[1], half)
        first.append((_differs(cover, filled[near], _OUTSIDE), name))
    fits = [_fit(name, filled, middle, radius, _OUTSIDE) for _, name in sorted(first)[:3]]
    good = [fit for fit in fits if fit is not None and fit.poor < _POOR]
    within = np.hypot(xs - middle[0], ys - middle[1]) < _COMMON * radius

    def unexplained(fit: MarkFit) -> float:
        off = (fit.covers((filled.shape[0], filled.shape[1])) - filled)[within]
        return float(np.clip(off, 0, None).sum() + _BESIDE * np.clip(-off, 0, None).sum())

    return min(good, key=unexplained) if good else None


def _from_circle(name: str, half: float) -> Floats:
    """From the middle of the largest circle in a shape to its place."""
    if "triangle" not in name:
        return np.zeros(2)
    off = half * (_SQRT3 / 2 - 3**-0.5 if "even" in name else 1 - 0.618)
    ways = {"up": (0, -1), "down": (0, 1), "left": (-1, 0), "right": (1, 0)}
    return off * np.array(ways[name.split()[-1]], float)


def _differs(cover: Floats, ink: Shares, outside: float) -> float:
    """The ink that is lacking, and that is too much, of the area of the shape."""
    off = cover - ink
    return float((np.clip(off, 0, None).sum() + outside * np.clip(-off, 0, None).sum()) / max(cover.sum(), 1.0))


def _fit(name: str, ink: Shares, middle: Floats, radius: float, outside: float) -> MarkFit | None:
    half = max(radius / next(share for key, share in _INSCRIBED.items() if key in name), 1.0)
    start = middle + _from_circle(name, half)
    reach = int(np.ceil(_WINDOW * half + 2))
    left, top = (max(int(c) - reach, 0) for c in start)
    part = ink[top : int(start[1]) + reach + 1, left : int(start[0]) + reach + 1]
    ys, xs = np.mgrid[: part.shape[0], : part.shape[1]] + 0.5

    def differs(p: Floats) -> float:
        x, y, size = p
        if not 0.5 * half < size < 1.6 * half:
            return 9.0
        # squares a little, so that edges that are half a pixel off cost more than a line that hangs on the mark
        off = _covers(name, xs - x, ys - y, size) - part
        lack, much = np.clip(off, 0, None), np.clip(-off, 0, None)
        return float((lack.sum() + outside * much.sum() + 2 * (lack**2).sum()) / half**2)

    begin = np.array([start[0] - left, start[1] - top, half])
    simplex = begin + np.vstack([np.zeros(3), np.diag([1.0, 1.0, 0.1 * half + 0.3])])
    limits: Any = {"initial_simplex": simplex, "xatol": 0.02, "fatol": 1e-4, "maxfev": 80}
    found: Any = optimize.minimize(differs, begin, method="Nelder-Mead", options=limits)
    x, y, size = (float(p) for p in found.x)
    near = (np.abs(xs - x) < _WINDOW * size) & (np.abs(ys - y) < _WINDOW * size)
    if not near.any():
        return None
    poor = _differs(_covers(name, xs[near] - x, ys[near] - y, size), part[near], outside)
    return MarkFit(name, np.array([x + left, y + top]), float(size), poor)
