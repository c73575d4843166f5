"""Distributions of a size: each by the mean and the relative standard deviation of the number of particles.

A distribution with a density keeps its nodes where they are while the parameters move a little (a *frame*): what is
integrated is then worked out once, and the slopes against mean and spread are those of the density alone. That of a
box has edges, and its nodes move with them.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
LEAST_SPREAD = 1e-4
"""A spread below this counts as this: nothing measured tells them apart."""
_MOST_POWER = 6
"""The highest power of a size that intensities grow with: the square of a volume."""
_BELOW, _ABOVE = 7.0, 7.5
"""How many standard deviations the nodes reach from the middle of the density, and from that weighed by r⁶."""


@dataclass(frozen=True)
class Frame:
    """A range of sizes, evenly filled by nodes in r, or in ln r."""

    low: float
    high: float
    logarithmic: bool = False

    @property
    def reach(self) -> float:
        """How far a phase of one radian per length turns through the range, at its fastest."""
        if self.logarithmic:
            return self.high * math.log(self.high / self.low)
        return self.high - self.low

    def placed(self, t: Floats, weights: Floats) -> tuple[Floats, Floats]:
        """Sizes and weights (in r) from nodes over 0 … 1; all of shape (k,)."""
        if self.logarithmic:
            width = math.log(self.high / self.low)
            r = self.low * np.exp(width * t)
            return r, weights * width * r
        return self.low + (self.high - self.low) * t, weights * (self.high - self.low)


class Distribution(ABC):
    """A density of the number of particles over their size; `moves` says that its nodes follow the parameters."""

    slug = ""
    label = ""
    reference = ""
    moves = False

    @abstractmethod
    def frame(self, mean: float, spread: float) -> Frame:
        """The range that holds all that counts, by steps, so that it stays while the parameters move a little."""

    @abstractmethod
    def density(self, r: Floats, mean: float, spread: float) -> tuple[Floats, Floats, Floats]:
        """The density at r and its slopes against mean and spread, each of shape (k,), per length of r."""

    @abstractmethod
    def moment(self, order: int) -> str:
        """⟨r^order⟩ over mean^order as a formula in `spread`."""


def _stepped(low: float, high: float) -> tuple[float, float]:
    """A range made wider to whole steps of a power of two, some sixth of it."""
    step = 2.0 ** math.floor(math.log2((high - low) / 6))
    return math.floor(low / step) * step, math.ceil(high / step) * step


class Gaussian(Distribution):
    """Sizes about a mean; cut off at size 0, so that wide ones have another mean and spread than said."""

    slug, label = "gaussian", "Gaussian"
    reference = "normal density of the number of particles, cut off at size 0"

    def frame(self, mean: float, spread: float) -> Frame:
        s = mean * spread
        top = mean / 2 + math.sqrt(mean**2 / 4 + _MOST_POWER * s**2)
        return Frame(*_stepped(max(mean - _BELOW * s, 0.0), top + _ABOVE * s))

    def density(self, r: Floats, mean: float, spread: float) -> tuple[Floats, Floats, Floats]:
        """Normal, with the slopes; all of shape (k,)."""
        s = mean * spread
        z = (r - mean) / s
        p = np.exp(-0.5 * z * z) / (s * math.sqrt(2 * math.pi))
        by_s = p * (z * z - 1) / s
        return p, p * z / s + by_s * spread, by_s * mean

    def moment(self, order: int) -> str:
        total = [
            f"{math.comb(order, 2 * k) * math.prod(range(1, 2 * k, 2))}*spread^{2 * k}"
            for k in range(1, order // 2 + 1)
        ]
        return "(1" + "".join(f" + {one}" for one in total) + ")"


class LogNormal(Distribution):
    """Sizes whose logarithm is normal: none below 0, a tail of large ones."""

    slug, label = "log-normal", "log-normal"
    reference = "normal density of ln r; mean and s. d. are those of r itself"

    def frame(self, mean: float, spread: float) -> Frame:
        sigma = math.sqrt(math.log1p(spread**2))
        middle = math.log(mean) - sigma**2 / 2
        low, high = _stepped(middle - _BELOW * sigma, middle + _MOST_POWER * sigma**2 + _ABOVE * sigma)
        return Frame(math.exp(low), math.exp(high), True)

    def density(self, r: Floats, mean: float, spread: float) -> tuple[Floats, Floats, Floats]:
        """Normal in ln r, with the slopes; all of shape (k,)."""
        square = math.log1p(spread**2)
        sigma = math.sqrt(square)
        z = (np.log(r / mean) + square / 2) / sigma
        p = np.exp(-0.5 * z * z) / (r * sigma * math.sqrt(2 * math.pi))
        by_sigma = p * ((z * z - 1) / sigma - z)  # dz/dσ = 1 − z/σ
        return p, p * z / (sigma * mean), by_sigma * spread / ((1 + spread**2) * sigma)

    def moment(self, order: int) -> str:
        return f"(1 + spread^2)^{order * (order - 1) // 2}"


class Schulz(Distribution):
    """A gamma density: between the normal and the log-normal one."""

    slug, label = "schulz", "Schulz"
    reference = "G. V. Schulz 1939; B. H. Zimm 1948: a gamma density of the number of particles (from memory)"

    def frame(self, mean: float, spread: float) -> Frame:
        shape, scale = 1 / spread**2, mean * spread**2
        low = max((shape - (_BELOW + 1) * math.sqrt(shape)) * scale, 0.0)
        upper = shape + _MOST_POWER
        return Frame(*_stepped(low, (upper + _ABOVE * math.sqrt(upper) + 20) * scale))

    def density(self, r: Floats, mean: float, spread: float) -> tuple[Floats, Floats, Floats]:
        """The gamma density, with the slopes; all of shape (k,)."""
        from scipy.special import digamma, gammaln

        shape = 1 / spread**2
        scale = mean * spread**2
        t = r / scale
        log_t = np.log(t)
        p = np.exp((shape - 1) * log_t - t - gammaln(shape)) / scale
        by_scale = p * (t - shape) / scale
        by_shape = p * (log_t - digamma(shape))
        return p, by_scale * spread**2, by_scale * 2 * mean * spread - by_shape * 2 / spread**3

    def moment(self, order: int) -> str:
        return "(" + "*".join(f"(1 + {k}*spread^2)" for k in range(1, order)) + ")" if order > 1 else "1"


class Box(Distribution):
    """All sizes between two ends."""

    slug, label = "boxcar", "boxcar"
    reference = "all sizes between two ends alike: mean ± √3 standard deviations"
    moves = True

    def frame(self, mean: float, spread: float) -> Frame:
        half = math.sqrt(3) * min(spread, 1 / math.sqrt(3)) * mean
        return Frame(max(mean - half, 0.0), mean + half)

    def density(self, r: Floats, mean: float, spread: float) -> tuple[Floats, Floats, Floats]:
        """Against nodes that move with the ends: a share of particles each, which stays; all of shape (k,)."""
        frame = self.frame(mean, spread)
        p = np.full(r.shape, 1 / (frame.high - frame.low))
        return p, np.zeros(r.shape), np.zeros(r.shape)

    def moment(self, order: int) -> str:
        total = [f"{math.comb(order, 2 * k) * 3**k}/{2 * k + 1}*spread^{2 * k}" for k in range(1, order // 2 + 1)]
        return "(1" + "".join(f" + {one}" for one in total) + ")"


DISTRIBUTIONS: dict[str, Distribution] = {one.slug: one for one in (Gaussian(), LogNormal(), Schulz(), Box())}
