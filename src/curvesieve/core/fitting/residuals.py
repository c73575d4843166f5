"""Whether residuals look like noise: the runs test, and their histogram beside the normal curve."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats

_SUSPICIOUS = 0.01


@dataclass(frozen=True)
class RunsTest:
    """Signs of the residuals in the order of x: how many runs, how many chance would give, and how likely that is.

    A. Wald and J. Wolfowitz, Ann. Math. Stat. 11 (1940) 147, by the normal approximation (from memory).
    """

    runs: int
    expected: float
    p: float

    @property
    def sentence(self) -> str:
        if math.isnan(self.p):
            return "Too few residuals to test for runs."
        chance = f"{self.runs} runs of sign, {self.expected:.0f} by chance, p {self.p:.2g}"
        if self.p >= _SUSPICIOUS:
            return f"Residuals look like noise: {chance}."
        few = self.runs < self.expected
        return f"Residuals {'follow a trend that the model misses' if few else 'swing too often for noise'}: {chance}."


def runs_test(x: Floats, residuals: Floats) -> RunsTest:
    """The runs test of residuals; zero residuals do not count."""
    signs = np.sign(residuals[np.argsort(x, kind="stable")])
    signs = signs[signs != 0]
    up, down = int((signs > 0).sum()), int((signs < 0).sum())
    n = up + down
    if min(up, down) < 1 or n < 8:
        return RunsTest(int(n > 0), math.nan, math.nan)
    runs = 1 + int((np.diff(signs) != 0).sum())
    expected = 1 + 2 * up * down / n
    variance = (expected - 1) * (expected - 2) / (n - 1)
    z = (runs - expected) / math.sqrt(variance) if variance > 0 else 0.0
    return RunsTest(runs, expected, math.erfc(abs(z) / math.sqrt(2)))


def histogram(residuals: Floats) -> tuple[Floats, Floats, Floats]:
    """Counts of the residuals, the edges of their classes, and what a normal distribution of their s. d. would give."""
    classes = int(np.clip(round(2 * residuals.size ** (1 / 3)), 5, 40))
    reach = float(np.abs(residuals).max()) or 1.0
    counts, edges = np.histogram(residuals, classes, (-reach, reach))
    sd = float(residuals.std()) or 1.0
    at = np.array([math.erf(edge / (sd * math.sqrt(2))) for edge in edges])
    return counts.astype(np.float64), edges, residuals.size * np.diff(at) / 2
