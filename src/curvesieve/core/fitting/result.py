"""What a fit says: values with uncertainties, statistics, and an honest word on whether to believe them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field


@dataclass(frozen=True, slots=True)
class FittedParameter:
    """A parameter's value and standard uncertainty; u is None when it was held, on its bound, or could not be found."""

    value: float
    u: float | None
    held: bool = False
    tied: bool = False
    on_bound: bool = False

    @property
    def state(self) -> str:
        """Why the fit did not move it freely, in a word or two; empty when it did."""
        return "held" if self.held else "tied" if self.tied else "on its bound" if self.on_bound else ""


@dataclass(frozen=True, slots=True)
class Followed:
    """A quantity that follows from the parameters, and its standard uncertainty."""

    value: float
    u: float | None


@dataclass(frozen=True, slots=True)
class Statistics:
    """Goodness of fit: `rss` is Σ(y − fit)², `rmse` = √(rss/n), both in the units of y whatever the weights.

    `chi2` is Σ((y − fit)/w)² with w the uncertainties that the points were weighed by; None where all weigh the same.
    R² = 1 − sum/(sum about the mean) with whichever of the two sums the fit made least. `residual_sd` is the s. d. of a
    point about the fit, in units of w where there are weights, else in those of y; for a robust loss, its scale.
    `reduced_chi2` is there where w is a known u. AICc and BIC count the noise variance as a parameter (Burnham and
    Anderson 2002, from memory). What rests on least squares (adjusted R², reduced χ², AICc, BIC) is None for other
    losses.
    """

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
    chi2: float | None = None

    @property
    def least(self) -> float:
        """The sum of squares that a squared loss makes least: χ² where points are weighed, else RSS."""
        return self.rss if self.chi2 is None else self.chi2


class FitResult(BaseModel):
    """The result of one fit. `covariance` is that of the free parameters, in the order of `free`.

    `spread` holds the slopes of tied parameters against the free ones. `scaled` tells whether the covariance was
    multiplied by the scatter found, or the u of the points was taken as it is. `warnings` name what to be careful
    with: a bound reached, parameters that cannot be told apart. `follows` has what a term that was fitted by its name
    says beyond its parameters, such as the coefficients of a polynomial's powers.
    """

    model_config = ConfigDict(frozen=True, defer_build=True)

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
    weights: str = "u"
    scale: float = 1.0
    """The noise that a robust loss was set by, in units of the weighted residual."""
    warnings: tuple[str, ...] = ()
    spread: dict[str, tuple[float, ...]] = Field(default_factory=dict)
    follows: dict[str, Followed] = Field(default_factory=dict)

    @property
    def values(self) -> dict[str, float]:
        """What was found, by name."""
        return {name: parameter.value for name, parameter in self.parameters.items()}

    def gradient(self, slopes: Mapping[str, float]) -> NDArray[np.float64]:
        """Slopes against parameters by name turned into slopes against the free ones.

        The answer has shape (free,).
        """
        made = np.zeros(len(self.free))
        for name, slope in slopes.items():
            if name in self.free:
                made[self.free.index(name)] += slope
            elif name in self.spread:
                made += slope * np.array(self.spread[name])
        return made

    def propagated(self, slopes: Mapping[str, float]) -> float | None:
        """√(gᵀ C g): the u of a quantity with these slopes (law of propagation, JCGM 100:2008, 5.2.2)."""
        return self.u_along(self.gradient(slopes))

    def u_along(self, gradient: NDArray[np.float64]) -> float | None:
        """The same for slopes against the free parameters, of any size.

        `gradient` has shape (free,). None where there is no covariance.
        """
        size = float(np.abs(gradient).max(initial=0.0))
        if self.covariance is None or not 0 < size < np.inf:
            return None if self.covariance is None or size else 0.0
        g = gradient / size
        return size * float(np.sqrt(max(g @ np.array(self.covariance) @ g, 0.0)))

    def correlation(self) -> NDArray[np.float64] | None:
        """The correlation matrix of the free parameters, in the order of `free`.

        Of shape (free, free); None where there is no covariance.
        """
        return None if self.covariance is None else correlation(np.array(self.covariance))


def correlation(covariance: NDArray[np.float64]) -> NDArray[np.float64]:
    """A covariance matrix as correlations; 0 where one has no spread. Both of shape (k, k)."""
    sd = np.sqrt(np.diag(covariance))
    with np.errstate(all="ignore"):
        return np.asarray(np.nan_to_num(covariance / np.outer(sd, sd)))
