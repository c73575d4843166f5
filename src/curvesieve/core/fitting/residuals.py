"""Whether residuals look like noise: the runs test of their signs, a test of their sizes, and their histogram."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats

_SUSPICIOUS = 0.01
_MOST_OUTLYING, _ROUNDING = 50, 1e-9


@dataclass(frozen=True)
class ResidualCheck:
    """Signs of the residuals in the order of x: how many runs, how many chance would give, and how likely that is.

    And their sizes: how many are too large for normal noise, the largest against the s. d. of the others, and its x.
    `p` is NaN where there are too few to tell.
    """

    runs: int
    expected: float
    p: float
    too_large: int = 0
    largest: float = 0.0
    at: float = 0.0

    @property
    def sentence(self) -> str:
        """What both tests say."""
        if math.isnan(self.p):
            return "Too few residuals to test for runs."
        chance = f"{self.runs} runs of sign, {self.expected:.0f} by chance, p {self.p:.2g}"
        few = self.runs < self.expected
        trend = f"Residuals {'follow a trend that the model misses' if few else 'swing too often for noise'}: {chance}."
        if not self.too_large:
            return f"Residuals look like noise: {chance}." if self.p >= _SUSPICIOUS else trend
        many = "One residual is" if self.too_large == 1 else f"{self.too_large} residuals are"
        size = f"{many} too large for noise, the largest {self.largest:.3g} s. d. of the others, at x = {self.at:.6g}."
        return size if self.p >= _SUSPICIOUS else f"{size} {trend}"


def residual_check(x: Floats, residuals: Floats) -> ResidualCheck:
    """Both tests of residuals against x.

    Signs: A. Wald and J. Wolfowitz, Ann. Math. Stat. 11 (1940) 147, by the normal approximation; zero residuals do not
    count. Sizes: `outlying`. Both from memory.
    `x` and `residuals` have shape (n,).
    """
    order = np.argsort(x, kind="stable")
    signs = np.sign(residuals[order])
    signs = signs[signs != 0]
    up, down = int((signs > 0).sum()), int((signs < 0).sum())
    n = up + down
    if n < 8:
        return ResidualCheck(int(n > 0), math.nan, math.nan)
    if min(up, down) < 1:  # all on one side: as likely as so many tosses of a coin
        return ResidualCheck(1, (n + 1) / 2, 0.5 ** (n - 1))
    runs = 1 + int((np.diff(signs) != 0).sum())
    expected = 1 + 2 * up * down / n
    variance = (expected - 1) * (expected - 2) / (n - 1)
    z = (runs - expected) / math.sqrt(variance) if variance > 0 else 0.0
    p = math.erfc(abs(z) / math.sqrt(2))
    far = outlying(residuals)
    if not far.size:
        return ResidualCheck(runs, expected, p)
    others = np.delete(residuals, far)
    largest = int(far[0])
    away = abs(residuals[largest] - others.mean()) / (others.std(ddof=1) or math.inf)
    return ResidualCheck(runs, expected, p, far.size, float(away), float(x[largest]))


def outlying(residuals: Floats, level: float = _SUSPICIOUS) -> NDArray[np.intp]:
    """The places of residuals too large for normal noise, the largest first.

    The generalised extreme Studentised deviate (B. Rosner, Technometrics 25 (1983) 165; from memory): the farthest from
    the mean is taken out again and again, up to a tenth of all and at the most 50; the last that is beyond its limit
    tells how many there are, so that two do not hide one another.
    Residuals have shape (n,); the places count from 0.
    """
    from scipy.special import stdtrit

    left = np.arange(residuals.size)
    taken: list[int] = []
    count = 0
    for step in range(1, min(max(2, residuals.size // 10), _MOST_OUTLYING) + 1):
        values = residuals[left]
        sd = float(values.std(ddof=1)) if values.size > 2 else 0.0
        if sd <= _ROUNDING * float(np.abs(residuals).max()):
            break
        apart = np.abs(values - values.mean())
        far = int(np.argmax(apart))
        n = values.size
        t = float(stdtrit(n - 2, 1 - level / (2 * n)))
        limit = (n - 1) * t / math.sqrt((n - 2 + t**2) * n)
        taken.append(int(left[far]))
        if apart[far] / sd > limit:
            count = step
        left = np.delete(left, far)
    return np.array(taken[:count], dtype=np.intp)


def histogram(residuals: Floats) -> tuple[Floats, Floats, Floats]:
    """Counts of the residuals, the edges of their classes, and what a normal distribution of their s. d. would give.

    `residuals` has shape (n,); counts and normal counts have shape (classes,), edges (classes + 1,).
    """
    classes = int(np.clip(round(2 * residuals.size ** (1 / 3)), 5, 40))
    reach = float(np.abs(residuals).max()) or 1.0
    counts, edges = np.histogram(residuals, classes, (-reach, reach))
    sd = float(residuals.std()) or 1.0
    at = np.array([math.erf(edge / (sd * math.sqrt(2))) for edge in edges])
    return counts.astype(np.float64), edges, residuals.size * np.diff(at) / 2
