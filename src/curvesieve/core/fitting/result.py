"""What a fit says: values with uncertainties, statistics, and an honest word on whether to believe them."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class FittedParameter(BaseModel):
    """A parameter's value and standard uncertainty; u is None when it was held or could not be found."""

    model_config = ConfigDict(frozen=True)

    value: float
    u: float | None
    held: bool = False


class Statistics(BaseModel):
    """Goodness of fit. `rss` is weighted when u is known; the reduced χ² exists only then.

    r2 = 1 − rss/(sum of squares about the mean); rmse = √(mean squared residual) in the unit of y. AICc and BIC
    count the noise variance as a parameter (Burnham and Anderson 2002, from memory).
    """

    model_config = ConfigDict(frozen=True)

    n: int
    dof: int
    rss: float
    rmse: float
    r2: float | None
    adjusted_r2: float | None
    residual_sd: float | None
    reduced_chi2: float | None
    aicc: float | None
    bic: float | None


class FitResult(BaseModel):
    """The result of one fit. `covariance` is that of the free parameters, in the order of `free`.

    `scaled` tells whether the covariance was multiplied by the residual variance (always, unless u was given and
    asked to be taken as absolute). `warnings` name what to be careful with: a bound reached, parameters that
    cannot be told apart.
    """

    model_config = ConfigDict(frozen=True)

    formula: str
    parameters: dict[str, FittedParameter]
    free: tuple[str, ...]
    covariance: tuple[tuple[float, ...], ...] | None
    scaled: bool
    statistics: Statistics
    converged: bool
    message: str
    iterations: int
    loss: str = "squared"
    warnings: tuple[str, ...] = ()
