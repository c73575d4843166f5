"""The fit of a curve as measures see it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.fitting import FitResult
from curvesieve.core.fitting.prediction import Fitted, fitted
from curvesieve.core.models import Model


@dataclass(frozen=True, eq=False)
class FitSeen:
    """A model, what its fit to a curve found, and that curve as it passed."""

    model: Model
    result: FitResult
    curve: Curve

    @cached_property
    def on(self) -> Fitted:
        """The fitted curve, which can be asked."""
        from curvesieve.core.fitting.fits import limited, stated

        problem, said = stated(self.model, self.curve)
        return fitted(limited(problem, said.limits), self.result)

    @cached_property
    def factor(self) -> Floats | None:
        """That of `factor_of` for its result."""
        return factor_of(self.result)


def factor_of(result: FitResult) -> Floats | None:
    """F with F·Fᵀ = the covariance of the free parameters, of shape (free, free); None where there is none.

    Its columns are independent causes, so that readings of one fit have the correlation that it gives them.
    """
    if result.covariance is None:
        return None
    covariance = np.array(result.covariance)
    size = np.sqrt(np.diag(covariance))  # parameters may be of very different sizes
    nonzero = np.where(size > 0, size, 1.0)
    values, vectors = np.linalg.eigh(covariance / np.outer(nonzero, nonzero))
    return np.asarray(size[:, None] * vectors * np.sqrt(np.maximum(values, 0.0)))
