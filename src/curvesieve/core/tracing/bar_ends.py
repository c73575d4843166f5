"""Where a bar ends, to parts of a pixel: the middle of its outline, where it has one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.tracing.inks import Ink

_WITHIN_PX = 4
"""Pixels of a bar beside its end that are looked at."""
OUTLINE_PX = 8.0
"""The widest outline of a bar."""
_GROUND = 0.1
"""Share of a bar's contrast below which a pixel is paper."""
_COARSE = 0.25
"""Pixels between the places of edges that are tried first."""
_SEEN = 0.28
"""Share of its contrast that a plain edge must leave for an outline to be plain: compressed pictures leave less."""
_OUTLINED = ((2.0, 1.0), (8.0, 0.1))
"""How many times better an outline must explain the end of a bar than a plain edge does, and by how much of that:
where a picture is clean, a pale one is told too."""
_SOFT = (1.0, 1.8)
"""Pixels over which edges go from one colour to the next: as drawn, and after a picture was turned."""


def edge_of(pixels: NDArray[np.uint8], ink: Ink, columns: NDArray[np.int64], edge: int, sense: int) -> float:
    """Where a bar ends up (sense -1) or down (+1) in some columns: the middle of its outline, where it has one.

    `pixels` have the shape (height, width, 3), `columns` (n,); `edge` is the row that it is known to end at.
    """
    profile, first = _profile(pixels, columns, edge, sense)
    return float(first + sense * _change(profile, ink))


def side_of(pixels: NDArray[np.uint8], ink: Ink, rows: NDArray[np.int64], edge: int, sense: int) -> float:
    """Where a bar's own colour ends to a side: other bars may stand close by.

    `pixels`, turned so that the side is up or down, have the shape (width, height, 3), `rows` (n,).
    """
    profile, first = _profile(pixels, rows, edge, sense)
    own, paper = np.asarray(ink.colour, float), np.asarray(ink.paper, float)
    there = crossing((profile - paper) @ (own - paper) / ink.contrast**2, 0.5)
    return float(edge) if there is None else float(first + sense * there)


def _profile(pixels: NDArray[np.uint8], columns: NDArray[np.int64], edge: int, sense: int) -> tuple[Floats, float]:
    """The colours out of a bar in the middle of some columns, of shape (n, 3), and the row of the first."""
    steps = np.arange(-_WITHIN_PX, int(OUTLINE_PX) + 3)
    start = edge if sense > 0 else edge - 1
    rows = np.clip(start + sense * steps, 0, pixels.shape[0] - 1)
    return np.median(pixels[np.ix_(rows, columns)].astype(float), axis=1), start + 0.5 - sense * _WITHIN_PX


def _change(profile: Floats, ink: Ink) -> float:
    """Where colours, of shape (n, 3), go from a bar's to its paper's: the middle of a third one between, if one is.

    Each is a mixture of what its pixel covers, or what two neighbours did before the picture was turned. Of all places
    of two edges, with the best colour between them, those are taken that explain the colours best.
    """
    away = np.sqrt(((profile - np.asarray(ink.paper, float)) ** 2).sum(axis=1))
    ground = np.flatnonzero((away < _GROUND * ink.contrast) & (np.arange(len(profile)) >= _WITHIN_PX))
    if ground.size:
        profile = profile[: ground[0] + 2]  # what comes after the ground is something else
    else:  # another bar follows
        ink = Ink(ink.colour, np.median(profile[-3:], axis=0))
    starts, wide = np.arange(0, len(profile) - 1, _COARSE), np.arange(0, OUTLINE_PX, _COARSE)
    pairs = tuple(grid.ravel() for grid in np.meshgrid(starts, wide, indexing="ij"))
    plain = min(_finest(profile, ink, soft, starts, starts) for soft in _SOFT)
    outlined = min(_finest(profile, ink, soft, pairs[0], pairs[0] + pairs[1]) for soft in _SOFT)
    seen, gain = (_SEEN * ink.contrast) ** 2, plain[0] - outlined[0]
    told = any(plain[0] > times * outlined[0] and gain > share * seen for times, share in _OUTLINED)
    return outlined[1] if told else plain[1]


def _finest(profile: Floats, ink: Ink, soft: float, inner: Floats, outer: Floats) -> tuple[float, float]:
    """What the best pair of edges leaves, and the middle between them; only plain edges where all of them are."""
    best = int(np.argmin(_misfit(profile, ink, soft, inner, outer)))
    fine = np.arange(-_COARSE, _COARSE + 1e-9, 0.1 * _COARSE)
    if inner is outer:
        inner = outer = inner[best] + fine
    else:
        first, last = (grid.ravel() for grid in np.meshgrid(inner[best] + fine, outer[best] + fine, indexing="ij"))
        inner, outer = np.minimum(first, last), np.maximum(first, last)
    miss = _misfit(profile, ink, soft, inner, outer)
    best = int(np.argmin(miss))
    return float(miss[best]), float(inner[best] + outer[best]) / 2


def _misfit(profile: Floats, ink: Ink, soft: float, inner: Floats, outer: Floats) -> Floats:
    """What is left, squared, of colours with edges, `soft` pixels wide, at some pairs of places of shape (m,)."""
    at = np.arange(len(profile), dtype=float)
    own = np.clip((inner[:, None] - at) / soft + 0.5, 0, 1)
    between = np.clip((outer[:, None] - at) / soft + 0.5, 0, 1) - own
    rest = profile - own[..., None] * np.asarray(ink.colour, float)
    rest -= (1 - own - between)[..., None] * np.asarray(ink.paper, float)
    total = (between**2).sum(axis=1)
    third = np.clip((between[..., None] * rest).sum(axis=1) / np.maximum(total, 1e-9)[:, None], 0, 255)
    return np.asarray(((rest - between[..., None] * third[:, None]) ** 2).sum(axis=(1, 2)))


def crossing(values: Floats, level: float) -> float | None:
    """The place where values, of shape (n,), fall below a level for the first time, between two by a straight line."""
    below = np.flatnonzero(values < level)
    if below.size == 0 or below[0] == 0:
        return None
    k = int(below[0])
    return float(k - 1 + (values[k - 1] - level) / max(values[k - 1] - values[k], 1e-9))
