"""Least squares inside bounds: trust region from afar, then projected Levenberg–Marquardt steps onto the bounds.

The trust region stays strictly inside, so it only comes near a bound. The steps after it leave out the parameters that
lie on a bound and would go beyond it, solve for the others, and cut what they overshoot: bounds hold exactly, and a
parameter is on its bound when it is equal to it (projected Levenberg–Marquardt: C. Kanzow, N. Yamashita and M.
Fukushima, J. Comput. Appl. Math. 172 (2004) 375; from memory). All is done with residuals of size one, so that no
tolerance means anything else for a y in metres than for one in picometres.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.fitting.problem import Problem

Floats = NDArray[np.float64]
_MOST_STEPS = 200
_MOST_DAMPING = 1e14
_GAIN, _STEP = 1e-15, 1e-13
"""The steps end when one promises, or is, this small against the sum and the parameters."""
_NEAR = 1e-5
"""A parameter is put on a bound when the way to it changes the residual by no more than this share."""
_RIGHT_ANGLE = 1e-6
"""Largest cosine between residual and a Jacobian column that still counts as a minimum."""
MOST_EVALUATIONS = 400
"""Of the model, for each parameter and one more, after which a fit has not converged."""
ROUNDING_RESIDUAL = 1e-11
"""A residual this small against the data leaves no direction to speak of."""
_EPS = float(np.finfo(np.float64).eps)


@dataclass(frozen=True)
class Rule:
    """A loss with the scale beyond which residuals count as large, in units of the weighted residual."""

    loss: str = "squared"
    scale: float = 1.0

    def sizes(self, r: Floats) -> tuple[Floats, Floats, Floats]:
        """ρ(z), ρ′(z) and ρ″(z) at z = (r/scale)², as `scipy.optimize.least_squares` defines its losses.

        All of the shape of `r`, (n,).
        """
        z = (r / self.scale) ** 2
        match self.loss:
            case "squared":
                return z, np.ones_like(z), np.zeros_like(z)
            case "soft_l1":
                t = 1 + z
                return 2 * (np.sqrt(t) - 1), t**-0.5, -0.5 * t**-1.5
            case "cauchy":
                t = 1 + z
                return np.log1p(z), 1 / t, -1 / t**2
        near = z <= 1
        root = np.sqrt(np.where(near, 1.0, z))
        return np.where(near, z, 2 * root - 1), 1 / root, np.where(near, 0.0, -0.5 / root**3)

    def cost(self, r: Floats) -> float:
        """The sum that is made least; infinite where a residual is no number.

        `r` are weighted residuals of shape (n,).
        """
        total = r @ r if self.loss == "squared" else self.scale**2 * self.sizes(r)[0].sum()
        return float(total) if math.isfinite(total) else math.inf

    def turned(self, r: Floats, jacobian: Floats) -> tuple[Floats, Floats]:
        """Residuals and Jacobian (free, n) whose least squares take the step that the loss asks for (Triggs 2000).

        `r` has shape (n,); both come back in the shapes they had.
        """
        if self.loss == "squared":
            return r, jacobian
        _, first, second = self.sizes(r)
        stretch = np.sqrt(np.maximum(first + 2 * second * (r / self.scale) ** 2, _EPS))
        return r * first / stretch, jacobian * stretch


@dataclass(frozen=True, eq=False)
class Ended:
    """Values that lie inside the bounds, whether they are a minimum there, and how many Jacobians it took."""

    values: Floats
    converged: bool
    iterations: int


def beyond_all_numbers() -> InputError:
    """What is said where sums or slopes are larger, or smaller, than any float."""
    return InputError(
        "The fit ran away beyond all numbers; choose other starts, limit its parameters, or another unit of y."
    )


def inside_bounds(
    problem: Problem, p: Floats, rule: Rule, watch: Callable[[Floats], None] | None, most: int = MOST_EVALUATIONS
) -> Ended:
    """The least sum inside the bounds, from a start inside them where the model has a finite value.

    `p` has shape (free,), as have the values that it ends at. Raises InputError where sums lie beyond all floats.
    """
    from scipy.optimize import least_squares

    unit = math.sqrt(float(np.mean(problem.residuals(p) ** 2))) or 1.0

    def residuals(q: Floats) -> Floats:
        r = problem.residuals(q) / unit
        return r if math.isfinite(r @ r) else np.full(r.size, 1e150)

    def jacobian(q: Floats) -> Floats:
        if watch is not None:
            watch(q)
        slopes = problem.both(q)[1].T / unit
        return slopes if math.isfinite(np.add.reduce(slopes, axis=None)) else np.nan_to_num(slopes, posinf=0, neginf=0)

    try:
        result = least_squares(
            residuals, p, jac=jacobian, bounds=(problem.lower, problem.upper), method="trf", x_scale="jac",
            loss="linear" if rule.loss == "squared" else rule.loss,  # type: ignore[arg-type]  # one of LOSSES
            f_scale=rule.scale / unit, ftol=1e-15, xtol=1e-15, gtol=None, max_nfev=most * (p.size + 1),
        )  # fmt: skip
    except InputError:
        raise
    except ValueError as error:  # SciPy's word for sums beyond all floats
        raise beyond_all_numbers() from error
    came = np.clip(np.asarray(result.x), problem.lower, problem.upper)
    ended = projected(problem, came, rule, watch, min(most, _MOST_STEPS))
    smooth = rule.loss in ("squared", "huber", "cauchy")
    converged = ended.converged or (not smooth and result.status > 0)
    return Ended(ended.values, bool(converged), int(result.njev or 0) + ended.iterations)


def projected(
    problem: Problem, p: Floats, rule: Rule, watch: Callable[[Floats], None] | None = None, most: int = _MOST_STEPS
) -> Ended:
    """Projected steps from a place inside the bounds until none helps, at the most `most`.

    `p` has shape (free,), as have the values that it ends at.
    """
    lower, upper = problem.lower, problem.upper
    p = _settled(problem, p, rule)
    r, jacobian = problem.both(p)
    cost, damping = rule.cost(r), 1e-6
    for iteration in range(1, most + 1):
        if watch is not None:
            watch(p)
        residual, columns = rule.turned(r, jacobian)
        lengths = np.sqrt(np.einsum("kn,kn->k", columns, columns))
        if not math.isfinite(np.add.reduce(lengths)):
            return Ended(p, False, iteration)
        pull = columns @ residual
        goes = ~(((p <= lower) & (pull >= 0)) | ((p >= upper) & (pull <= 0)) | (lengths == 0))
        norm = math.sqrt(residual @ residual)
        if not goes.any() or norm == 0:
            return Ended(p, True, iteration)
        met = bool((np.abs(pull[goes]) <= _RIGHT_ANGLE * lengths[goes] * norm).all())
        factors = np.linalg.qr((columns[goes] / lengths[goes, None]).T)
        side = factors.Q.T @ residual
        while True:
            damped = np.concatenate([factors.R, math.sqrt(damping) * np.eye(side.size)])
            scaled = np.linalg.lstsq(damped, np.concatenate([side, np.zeros(side.size)]), rcond=None)[0]
            moved = p.copy()
            moved[goes] = np.clip(p[goes] - scaled / lengths[goes], lower[goes], upper[goes])
            step = moved - p
            ahead = residual + step @ columns
            promised = norm**2 - float(ahead @ ahead)
            new_r = problem.residuals(moved)
            new_cost = rule.cost(new_r)
            # A step that is cut may promise less than nothing: that is no end, but asks for a shorter one.
            small = abs(promised) <= _GAIN * norm**2 or bool((np.abs(step) <= _STEP * np.abs(p)).all())
            if small:
                break
            if new_cost < cost:
                ahead_r, ahead_columns = problem.both(moved)
                if math.isfinite(np.add.reduce(ahead_columns, axis=None)):  # not where a width is zero
                    break
            damping *= 8
            if damping > _MOST_DAMPING:
                return Ended(p, met, iteration)
        if new_cost <= cost:
            p, cost = moved, new_cost
            r, jacobian = problem.both(p) if small else (ahead_r, ahead_columns)
            damping = max(damping / 20, 1e-14)
        if small:
            return Ended(p, met or _vanished(problem, r), iteration)
    return Ended(p, False, most)


def _settled(problem: Problem, p: Floats, rule: Rule) -> Floats:
    """The place with those parameters on a bound that lie so near to it that the residuals hardly feel the way left.

    A step that finds them on the wrong side of their bound leads them away again.
    """
    r, jacobian = problem.both(p)
    reach = _NEAR * math.sqrt(r @ r) / np.maximum(np.sqrt(np.einsum("kn,kn->k", jacobian, jacobian)), 1e-300)
    settled = np.where(p - problem.lower <= reach, problem.lower, p)
    settled = np.where(problem.upper - p <= reach, problem.upper, settled)
    return settled if math.isfinite(rule.cost(problem.residuals(settled))) else p


def _vanished(problem: Problem, r: Floats) -> bool:
    """Whether the residual is nothing but rounding of the data."""
    scaled = problem.y if problem.u is None else problem.y / problem.u
    return bool(math.sqrt(r @ r) <= ROUNDING_RESIDUAL * math.sqrt(scaled @ scaled))
