"""A curve seen at many widths at once: how much of a peak of each width it has at each place, against the noise.

The response at one width is the second derivative of a Gaussian of that width laid over the curve (upside down), over
what noise alone gives: blind to level and slope, and to a background that bends over much longer ways. Each octave of
widths works on half of the points of the one before, so that all of them cost little more than the first.
(Scale space: T. Lindeberg, Int. J. Comput. Vision 30 (1998) 79; from memory.)
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from curvesieve.core.curve import Floats

SIGMA = 2 * math.sqrt(2 * math.log(2))
"""FWHM of a Gaussian over its standard deviation."""
_HALVES = (3.0, 3.0 * math.sqrt(2))
"""Widths of the two kernels of an octave, as FWHM in points of that octave."""
_SMOOTH = np.array([1.0, 4.0, 6.0, 4.0, 1.0]) / 16
_REACH = 4.0
_SLOW = 2e-3
"""A variance that changes by no more of itself from point to point is the same under all of a kernel."""
BEST = 2.2
"""Width of the kernel that a Gaussian stands out with most, over its own width."""


@dataclass(frozen=True, eq=False)
class Response:
    """How much the curve stands out at one width: `value` in standard deviations, at every so many points of it.

    `fwhm` is the width in points of the curve; `value` has the shape (points/every,).
    """

    every: int
    fwhm: float
    value: Floats


@lru_cache(maxsize=8)
def _kernel(fwhm: float) -> Floats:
    """Minus the second derivative of a Gaussian, with a sum of zero and a length of one."""
    s = fwhm / SIGMA
    half = math.ceil(_REACH * s)
    t = np.arange(-half, half + 1) / s
    bell = np.exp(-(t**2) / 2)
    hat = (1 - t**2) * bell
    hat -= bell * hat.sum() / bell.sum()
    return np.asarray(hat / math.sqrt(float(hat @ hat)))


@lru_cache(maxsize=64)
def _noise_gain(octave: int, fwhm: float) -> float:
    """The standard deviation of a response to noise of one, after the smoothing and thinning of its octave."""
    made = _kernel(fwhm)
    for _ in range(octave):  # what the kernel is in points of the curve
        wide = np.zeros(2 * made.size - 1)
        wide[::2] = made
        made = np.convolve(wide, _SMOOTH)
    return math.sqrt(float(made @ made))


def _width(octave: int, fwhm: float) -> float:
    """The FWHM of a kernel in points of the curve: each smoothing before it adds its variance, of one point there."""
    return SIGMA * math.sqrt((fwhm / SIGMA) ** 2 * 4**octave + (4**octave - 1) / 3)


def _halved(values: Floats) -> Floats:
    return np.convolve(_padded(values, 2), _SMOOTH, "valid")[::2]


def _padded(values: Floats, by: int) -> Floats:
    """The values turned about their ends, so that a slope goes on and no edge is a peak."""
    there = min(by, values.size - 1)
    left, right = 2 * values[0] - values[there:0:-1], 2 * values[-1] - values[-2 : -2 - there : -1]
    made = np.concatenate([left, values, right])
    return edged(made, by - there) if by > there else made


def edged(values: Floats, by: int) -> Floats:
    """The values with the first and the last of them repeated so often. Of shape (n + 2·by,)."""
    return np.concatenate([np.full(by, values[0]), values, np.full(by, values[-1])])  # np.pad takes ten times as long


def responses(y: Floats, noise: Floats, widest: float) -> Iterator[Response]:
    """The responses of a curve at widths from 3 points to those that a peak of the widest FWHM stands out with.

    `y` and `noise`, its standard deviation, have shape (n,); the narrowest come first.
    """
    octave, variance = 0, noise**2
    slow = bool((np.abs(np.diff(variance)) <= _SLOW * variance[1:]).all())
    while y.size >= 2 * math.ceil(_REACH * _HALVES[0] / SIGMA) + 1:
        root = np.sqrt(variance)
        for fwhm in _HALVES:
            if fwhm * 2**octave > BEST * widest:
                return
            kernel = _kernel(fwhm)
            seen = np.convolve(_padded(y, kernel.size // 2), kernel, "valid")
            near = root if slow else np.sqrt(np.convolve(edged(variance, kernel.size // 2), kernel**2, "valid"))
            yield Response(2**octave, _width(octave, fwhm), seen / near / _noise_gain(octave, fwhm))
        y, octave = _halved(y), octave + 1
        variance = variance[::2] if slow else np.convolve(edged(variance, 2), _SMOOTH, "valid")[::2]


@lru_cache(maxsize=4096)
def response_to_gaussian(width: float, fwhm: float) -> float:
    """What a Gaussian of height one, in units of the noise, and a FWHM in points gives at its center at one width."""
    s, own = fwhm / SIGMA, width / SIGMA
    both = s * s + own * own
    # ∫ of (1 − t²/s²)·exp(−t²/2s²) with the Gaussian, over the length of the first: closed forms of Gaussian integrals.
    overlap = math.sqrt(2 * math.pi) * s**3 * own / both**1.5
    return float(overlap / math.sqrt(0.75 * math.sqrt(math.pi) * s))
