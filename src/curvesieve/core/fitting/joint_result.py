"""What a joint fit says: a result a curve, what the curves share, with u from the whole problem."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.curve import Floats
from curvesieve.core.fitting.result import FitResult, FittedParameter, Statistics, correlation


class JointResult(BaseModel):
    """What a joint fit found: a result a curve, the shared parameters, the parameters of laws by the name of what they
    rule. `covariance` is that of `border` (shared ones, then those of laws), (b, b); None where there is none.

    u of every number is from the whole problem. `statistics` are those of all curves together.
    """

    model_config = ConfigDict(frozen=True, defer_build=True)

    curves: tuple[FitResult, ...] = ()
    shared: dict[str, FittedParameter] = Field(default_factory=dict)
    laws: dict[str, dict[str, FittedParameter]] = Field(default_factory=dict)
    border: tuple[str, ...] = ()
    covariance: tuple[tuple[float, ...], ...] | None = None
    statistics: Statistics
    count: int
    """How many numbers were fitted in all."""
    converged: bool
    message: str
    iterations: int
    warnings: tuple[str, ...] = ()

    def correlation(self) -> Floats | None:
        """The correlations between what the curves share, of shape (b, b); None where there is no covariance."""
        return correlation(np.array(self.covariance)) if self.covariance and self.border else None
