"""Straight lines through points, by least squares and robust, with what each y does to them."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.scatter import Stretch

_HUBER, _TURNS = 1.345, 100
"""Residuals count fully up to so many of their robust size (95 % efficiency for normal noise); turns at the most."""


@dataclass(frozen=True, eq=False)
class FittedLine:
    """y = intercept + slope·(x − origin), the covariance of the two, and R²."""

    slope: float
    intercept: float
    slopes: Floats
    """Of intercept and slope against each y, of shape (2, n)."""
    covariance: Floats | None
    r2: float
    origin: float

    def at(self, x: Floats) -> Floats:
        """The y of the line at x, both of shape (n,)."""
        return self.intercept + self.slope * (x - self.origin)


def fitted_line(points: Stretch, free: bool) -> FittedLine:
    """The line of least squares through points, weighted by their u where they have one; `free`, or through zero.

    The covariance follows from u, else from the scatter about the line; None for as many points as numbers (JCGM
    100:2008, H.3). Raises InputError where all points have the same x.
    """
    if np.ptp(points.x) == 0:
        raise InputError(f"all points have the same x, {points.x[0]:g}; no line is told by them.")
    weights = np.ones(len(points)) if points.u is None else 1 / points.u**2
    origin = float(np.average(points.x, weights=weights)) if free else 0.0
    x, y = points.x - origin, points.y
    columns = [np.ones(x.size), x] if free else [x]
    size = [float(np.sqrt(np.sum(weights * c * c))) for c in columns]
    design = np.array([c / s for c, s in zip(columns, size, strict=True)])
    normal = (design * weights) @ design.T
    against = np.linalg.solve(normal, design * weights) / np.array(size)[:, None]
    values = against @ y
    slopes = against if free else np.array([np.zeros(x.size), against[0]])
    fitted = np.array(values) @ np.array(columns)
    residual = y - fitted
    dof = x.size - len(columns)
    covariance = None
    if points.u is not None or dof > 0:
        scale = 1.0 if points.u is not None else float(residual @ residual) / dof
        inverse = np.linalg.inv(normal) / np.outer(size, size) * scale
        covariance = inverse if free else np.array([[0.0, 0.0], [0.0, inverse[0, 0]]])
    about = y - np.average(y, weights=weights) if free else y
    total = float(np.sum(weights * about**2))
    r2 = 1 - float(np.sum(weights * residual**2)) / total if total > 0 else math.nan
    intercept, slope = (float(values[0]), float(values[1])) if free else (0.0, float(values[0]))
    return FittedLine(slope, intercept, slopes, covariance, r2, origin)


def robust_line(points: Stretch, free: bool) -> FittedLine:
    """The line of Huber's M-estimate; shapes and errors are those of `fitted_line`.

    The scale is the median absolute residual over 0.6745, again at each turn. Its covariance is that of 7.6 in Huber:
    κ²·[Σψ²/(n − p)]/(mean ψ′)²·(XᵀX)⁻¹ with κ = 1 + p/n·var(ψ′)/(mean ψ′)².
    """
    line = fitted_line(points, free)
    sizes = np.ones(len(points)) if points.u is None else points.u
    count = 2 if free else 1
    if len(points) <= count + 1:
        return line
    for _ in range(_TURNS):
        residual = (points.y - line.at(points.x)) / sizes
        scale = float(np.median(np.abs(residual))) / 0.6745
        if not scale > 0:
            return line  # half of the points or more lie on it
        weight = np.minimum(1.0, _HUBER * scale / np.maximum(np.abs(residual), 1e-300))
        bent = replace(points, u=sizes / np.sqrt(weight))
        new = fitted_line(bent, free)
        moved = max(abs(new.slope - line.slope) * float(np.ptp(points.x)), abs(new.intercept - line.intercept))
        line = new
        if moved <= 1e-12 * float(np.abs(points.y).max()):
            break
    residual = (points.y - line.at(points.x)) / (sizes * scale)
    inside = np.abs(residual) <= _HUBER
    share, n = float(inside.mean()), len(points)
    psi2 = float(np.sum(np.clip(residual, -_HUBER, _HUBER) ** 2)) / (n - count) * scale**2
    kappa = 1 + count / n * share * (1 - share) / share**2
    plain = fitted_line(replace(points, u=sizes), free)
    assert plain.covariance is not None
    slopes = plain.slopes * inside / share
    covariance = plain.covariance * kappa**2 * psi2 / share**2
    return replace(line, covariance=covariance, slopes=slopes, r2=math.nan)  # no share of a sum of squares
