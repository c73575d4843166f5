"""What a fitted curve says between and beyond its points: values, bands, places, extrema and areas, each with u."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.models import FormulaSum

_GRID = 4001
_PANELS, _NODES = 240, 8


@dataclass(frozen=True, eq=False)
class Found:
    """A place on the fitted curve. `u_x` and `u_y` are standard uncertainties, None where there are none.

    `x_slopes` and `y_slopes` are the slopes of what was found against the free parameters, of shape (free,).
    """

    what: str
    x: float
    y: float
    u_x: float | None = None
    u_y: float | None = None
    x_slopes: Floats | None = None
    y_slopes: Floats | None = None


@dataclass(frozen=True, eq=False)
class Band:
    """The fitted curve with the half widths of its confidence and prediction bands at one level."""

    x: Floats
    y: Floats
    confidence: Floats
    prediction: Floats
    level: float


@dataclass(frozen=True, eq=False)
class Fitted:
    """A sum of formulas at the values that a fit found. `noise` gives the s. d. of a single new point at x."""

    model: FormulaSum
    result: FitResult
    low: float
    high: float
    noise: Callable[[Floats], Floats]

    @property
    def values(self) -> Floats:
        """All parameters in the order of the model, of shape (parameters,)."""
        return np.array([self.result.parameters[name].value for name in self.model.names])

    def y(self, x: Floats) -> Floats:
        """The fitted curve at x of shape (n,), or (variables, n)."""
        with np.errstate(all="ignore"):
            return self.model.evaluate(np.asarray(x, dtype=np.float64), self.values.tolist())

    def gradient(self, x: Floats) -> Floats:
        """∂y/∂(free parameters) at x, of shape (free, n)."""
        rows = np.atleast_2d(np.asarray(x, dtype=np.float64))
        n = rows.shape[1]
        value, jacobian = np.empty(n), np.empty((len(self.model.names), n))
        with np.errstate(all="ignore"):
            self.model.both(list(rows), self.values, value, jacobian)
        jacobian[np.isnan(jacobian) & np.isfinite(value)] = 0.0
        made = np.zeros((len(self.result.free), n))
        for i, name in enumerate(self.model.names):
            if name in self.result.free:
                made[self.result.free.index(name)] += jacobian[i]
            elif name in self.result.spread:
                made += np.outer(self.result.spread[name], jacobian[i])
        return made

    def u(self, x: Floats) -> Floats | None:
        """The standard uncertainty of the fitted curve at x, from the covariance.

        `x` has shape (n,) or (variables, n), the answer (n,), in the unit of y.
        """
        return _spread(self.result, self.gradient(x))

    def band(self, x: Floats, level: float = 0.95) -> Band | None:
        """Confidence and prediction bands; None where the fit gives no covariance.

        `x` and all lines of the band have shape (n,).
        """
        u = self.u(x)
        if u is None:
            return None
        k = coverage(self.result, level)
        return Band(x, self.y(x), k * u, k * np.sqrt(u**2 + self.noise(x) ** 2), level)

    def slope(self, x: Floats) -> Floats:
        """dy/dx at x, exactly. `x` has shape (n,), and so has the answer, in the unit of y by that of x."""
        total = np.zeros(np.shape(x))
        with np.errstate(all="ignore"):
            for piece in self.model.pieces:
                total = total + piece.slope(np.asarray(x), self.values)
        return np.asarray(total)

    # -- questions ----------------------------------------------------------------------------------

    def at_x(self, x: float) -> Found:
        """The fitted y at an x. Raises InputError where the curve has no value."""
        y = float(self.y(np.array([x]))[0])
        if not math.isfinite(y):
            raise InputError(f"The fitted curve has no value at x = {x:g}.")
        slopes = self.gradient(np.array([x]))[:, 0]
        return Found("y at x", x, y, None, self._u(slopes), y_slopes=slopes)

    def _u(self, slopes: Floats) -> float | None:
        u = _spread(self.result, slopes[:, None])
        return None if u is None else float(u[0])

    def at_y(self, y: float, u_y: float = 0.0) -> list[Found]:
        """Every x of the fitted range where the curve has this y; `u_y` adds the uncertainty of y itself.

        Raises InputError when there is none.
        """
        places = self._crossings(lambda x: self.y(x) - y)
        if not places:
            raise InputError(f"The fitted curve does not reach y = {y:g} between x = {self.low:g} and {self.high:g}.")
        found = []
        for x in places:
            slope = float(self.slope(np.array([x]))[0])
            gradient = self.gradient(np.array([x]))[:, 0]
            u = self._u(gradient)
            u_x = None if u is None or slope == 0 else math.hypot(u, u_y) / abs(slope)
            found.append(Found("x at y", x, y, u_x, u_y or None, x_slopes=-gradient / slope if slope else None))
        return found

    def extrema(self) -> list[Found]:
        """Maxima and minima of the fitted curve inside its range."""
        found = []
        for x in self._crossings(self.slope):
            h = 1e-4 * (self.high - self.low)
            at = np.array([x - h, x + h])
            before, after = self.slope(at)
            bend = float(after - before) / (2 * h)
            turned = self.gradient(at)
            y_slopes = self.gradient(np.array([x]))[:, 0]
            # At f′(x) = 0: dx = −(∂f′/∂p)/f″ dp.
            x_slopes = -(turned[:, 1] - turned[:, 0]) / (2 * h * bend) if bend else None
            found.append(
                Found(
                    "maximum" if bend < 0 else "minimum", x, float(self.y(np.array([x]))[0]),
                    None if x_slopes is None else self._u(x_slopes), self._u(y_slopes), x_slopes, y_slopes,
                )
            )  # fmt: skip
        return found

    def integral(self, low: float, high: float) -> tuple[float, float | None]:
        """∫ y dx from `low` to `high` by Gauss–Legendre panels, and its u.

        Raises InputError where the curve has no value between the two.
        """
        area, slopes = self.integral_slopes(low, high)
        return area, self._u(slopes)

    def integral_slopes(self, low: float, high: float) -> tuple[float, Floats]:
        """The same with its slopes against the free parameters, of shape (free,)."""
        nodes, weights = np.polynomial.legendre.leggauss(_NODES)
        edges = np.linspace(low, high, _PANELS + 1)
        half = np.diff(edges) / 2
        x = ((edges[:-1] + edges[1:]) / 2)[:, None] + half[:, None] * nodes
        weight = (half[:, None] * weights).ravel()
        y = self.y(x.ravel())
        if not np.isfinite(y).all():
            raise InputError(f"The fitted curve has no value somewhere between {low:g} and {high:g}.")
        return float(y @ weight), np.asarray(self.gradient(x.ravel()) @ weight)

    def _crossings(self, function: Callable[[Floats], Floats]) -> list[float]:
        from scipy.optimize import brentq

        x = np.linspace(self.low, self.high, _GRID)
        values = function(x)
        zero = values == 0
        found = [float(place) for place in x[zero]] if zero.sum() < _GRID / 100 else []  # a level is no crossing
        signs = np.sign(values)
        good = np.isfinite(values[:-1]) & np.isfinite(values[1:])
        for i in np.flatnonzero((signs[:-1] * signs[1:] < 0) & good):
            root = brentq(
                lambda t: float(function(np.array([t]))[0]), x[i], x[i + 1], xtol=1e-14 * (abs(x[i]) + 1e-280)
            )
            found.append(float(root))
        return sorted(found)


def _spread(result: FitResult, gradient: Floats) -> Floats | None:
    """√(gᵀ C g) for gradients in columns."""
    if result.covariance is None:
        return None
    matrix = np.array(result.covariance)
    return np.asarray(np.sqrt(np.maximum(np.einsum("in,ij,jn->n", gradient, matrix, gradient), 0.0)))


def coverage(result: FitResult, level: float) -> float:
    """The factor k that makes u an interval of this level: Student's t, or the normal's where u is taken as it is."""
    from scipy.special import ndtri, stdtrit

    if not result.scaled:
        return float(ndtri((1 + level) / 2))
    return float(stdtrit(max(result.statistics.dof, 1), (1 + level) / 2))


def fitted(problem: Problem, result: FitResult) -> Fitted:
    """The curve that a fit of this problem found, with the noise of single points that the fit tells."""
    x, s = problem.rows[0], result.statistics.residual_sd or 0.0
    u = problem.u
    order = np.argsort(x, kind="stable")

    def noise(at: Floats) -> Floats:
        first = np.atleast_2d(at)[0]
        if u is None:
            return np.full(first.size, s)
        return np.asarray((s if result.scaled else 1.0) * np.interp(first, x[order], u[order]))

    return Fitted(problem.model, result, float(x.min()), float(x.max()), noise)
