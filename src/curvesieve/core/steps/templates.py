"""What lines could do in the eleven points around one: the best few of many templates, and what they leave over.

Templates stand on a grid of centers and widths; the best few are taken one after the other (orthogonal matching
pursuit: Y. C. Pati, R. Rezaiifar and P. S. Krishnaprasad 1993; from memory). Every parameter costs a little, as in
Akaike's criterion, so that two lines do not explain what is noise.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
REACH = 5
SIDE = 2 * REACH + 1
"""Points of the window around a candidate."""
_WIDTHS = np.array([2, 2.2, 2.45, 2.75, 3.1, 3.5, 4, 4.7, 5.6, 7, 9, 12])
_APART = 1.8
"""Two lines of a window are this many FWHM apart at least, or they are one of mixed shape: closer ones, summed with
their weights, would be sharper than a line can be."""
_COST = (3.0, 8.0, 13.0)
"""What one, two and three lines must earn, in units of the variance of the noise; and a point that is left out: 1."""


@dataclass(frozen=True, eq=False)
class Templates:
    """Lines and steps over a window with some points left out: orthogonal to the base and of length one.

    `keep` (SIDE,) are the points that count, `base` an orthonormal basis (points, 2 or 3) of what lines stand on and
    `lines` (k, points) the templates; `base_all` and `lines_all` go on over the points left out. `together` (k, k)
    tells which templates may stand side by side.
    """

    keep: NDArray[np.bool_]
    base: Floats
    lines: Floats
    base_all: Floats
    lines_all: Floats
    together: NDArray[np.bool_]
    beside: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    """For the templates of whole windows, which are used most: what two share (k, k), and 1/√(1 − share²), which turns
    what is seen of a second line beside a first into what it explains; 0 where the two may not stand together."""


@lru_cache(maxsize=64)
def _raw(first: bool, last: bool, narrowest: float) -> tuple[Floats, NDArray[np.bool_]]:
    """All templates (k, SIDE) of a window at the first points, at the last, or anywhere; and which go together."""
    x = np.arange(SIDE)
    shapes, centers, widths = [], [], []
    for width in (narrowest, *(width for width in _WIDTHS if width > narrowest)):
        step = 0.125 if width < 2.9 else 0.25 if width < 4.5 else 0.5 if width < 7 else 1.0
        low = 0.0 if first else -1 - 0.35 * width  # beyond the ends of the data nothing is known of a line
        high = SIDE - 1.0 if last else SIDE + 0.35 * width
        center = np.arange(low, high + 0.01, step)
        t = (x - center[:, None]) / width
        shapes += [np.exp(-4 * np.log(2) * t * t), 1 / (1 + 4 * t * t)]
        centers += [center, center]
        widths += [np.full(center.size, width)] * 2
    edge = np.arange(4 if first else 1, SIDE - 3 if last else SIDE)
    shapes += [(x >= edge[:, None]).astype(np.float64), (x < edge[:, None]).astype(np.float64)]
    centers += [edge - 0.5] * 2
    widths += [np.full(edge.size, 2.0)] * 2
    center, width = np.concatenate(centers), np.concatenate(widths)
    gap = np.abs(center[:, None] - center)
    mixed = (gap <= 0.3) & (np.abs(np.log(width[:, None] / width)) < 0.5)
    return np.concatenate(shapes), mixed | (gap >= _APART * np.minimum(width[:, None], width))


@lru_cache(maxsize=128)
def templates_of(left_out: tuple[int, ...], first: bool, last: bool, narrowest: float) -> Templates:
    """The templates of a window without some of its points, at the first or the last end of a curve or inside it."""
    keep = np.ones(SIDE, bool)
    keep[list(left_out)] = False
    x = (np.arange(SIDE) - REACH) / REACH
    powers = np.stack([np.ones(SIDE), x, x * x][: 2 if first or last else 3], axis=1)
    base, triangle = np.linalg.qr(powers[keep])
    base_all = powers @ np.linalg.inv(triangle)
    raw, together = _raw(first, last, narrowest)
    kept = raw[:, keep]
    bent = kept - (kept @ base) @ base.T
    length = np.linalg.norm(bent, axis=1)
    good = length > 0.02 * np.maximum(np.linalg.norm(kept, axis=1), 1e-9)
    lines_all = (raw - (kept @ base) @ base_all.T)[good] / length[good, None]
    lines, together = lines_all[:, keep], together[np.ix_(good, good)]
    return Templates(keep, base, lines, base_all, lines_all, together, None if left_out else _beside(lines, together))


def _beside(lines: Floats, together: NDArray[np.bool_]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    share = lines @ lines.T
    over = together / np.sqrt(np.maximum(1 - share**2, 1e-6))
    return share.astype(np.float32), over.astype(np.float32)


def left_over(windows: Floats, templates: Templates, variance: Floats, most: int = 2) -> tuple[Floats, Floats]:
    """What the best of no line to `most` lines leave over (n,), costs included, and their values (n, SIDE).

    `variance` (n,) is that of the noise, in which the cost of a line is counted.
    """
    row = np.arange(len(windows))
    kept = windows[:, templates.keep]
    on_base = kept @ templates.base
    rest = kept - on_base @ templates.base.T
    left = np.einsum("nk,nk->n", rest, rest)
    ground = on_base @ templates.base_all.T
    best, drawn = left.copy(), ground
    seen = rest @ templates.lines.T
    for sign in (1.0, -1.0):
        along = sign * seen
        one = along.argmax(axis=1)
        height = np.maximum(along[row, one], 0.0)
        two = _second(along, one, height, templates)
        share = np.einsum("nk,nk->n", templates.lines[one], templates.lines[two])
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        more = (along[row, two] - height * share) / across
        more = np.where(_upright(templates.together[one, two], height, share, across, more), more, 0.0)
        after_one, after_two = left - height**2, left - height**2 - more**2
        score, pair = after_one + _COST[0] * variance, after_two + _COST[1] * variance
        takes_two = pair < score
        score = np.minimum(score, pair)
        if most > 2:
            shares = templates.lines[one] @ templates.lines.T
            beside = templates.lines[two] - share[:, None] * templates.lines[one]
            shared = (beside / across[:, None]) @ templates.lines.T
            third = along - height[:, None] * shares - more[:, None] * shared
            third = third / np.sqrt(np.maximum(1 - shares**2 - shared**2, 1e-4))
            free = templates.together[one] & templates.together[two] & (third > 0)
            score = np.minimum(score, after_two - np.where(free, third, 0.0).max(axis=1) ** 2 + _COST[2] * variance)
        second_height = np.where(takes_two, more / across, 0.0)
        first_height = height - share * second_height
        lines = first_height[:, None] * templates.lines_all[one] + second_height[:, None] * templates.lines_all[two]
        drawn = np.where((score < best)[:, None], ground + sign * lines, drawn)
        best = np.minimum(best, score)
    return best, drawn


def _upright(together: Any, height: Floats, share: Floats, across: Floats, more: Floats) -> NDArray[np.bool_]:
    """Whether two lines may stand side by side, both of the sign that is looked for."""
    return np.asarray(together & (more > 0) & (height * across >= share * more))


def _second(along: Floats, one: Ints, height: Floats, templates: Templates) -> Ints:
    """The line (n,) that explains most beside line `one` of that height, upright and far enough from it.

    With `beside` at hand the choice is made in single precision, and where it is not upright, once more in full.
    """
    row = np.arange(one.size)
    doubtful = row
    two = np.zeros(one.size, np.intp)
    if templates.beside is not None:
        shares, over = templates.beside
        fast = along.astype(np.float32)
        fast -= height.astype(np.float32)[:, None] * shares[one]
        fast *= over[one]
        two = fast.argmax(axis=1)
        share = shares[one, two].astype(np.float64)
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        more = (along[row, two] - height * share) / across
        doubtful = np.flatnonzero((more > 0) & (height * across < share * more))
    if doubtful.size:
        share = templates.lines[one[doubtful]] @ templates.lines.T
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        size = height[doubtful, None]
        more = (along[doubtful] - size * share) / across
        upright = _upright(templates.together[one[doubtful]], size, share, across, more)
        two[doubtful] = np.where(upright, more, 0.0).argmax(axis=1)
    return two
