"""Measures of indentation: force against depth, in and out again."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import Stretch
from curvesieve.core.shapes import Line, Point

_LEAST = 8
_INTERCEPT = 0.75
"""ε of the contact depth for a paraboloid of revolution."""


class Unloading(Measure):
    """Contact stiffness from the slope at the beginning of unloading, and hardness and reduced modulus by it.

    The unloading points between two shares of the largest force follow F = B·(h − hf)^m, fitted by least squares;
    S = dF/dh at the largest depth, contact depth hc = hmax − 0.75·Fmax/S, contact area A = c·hc², hardness H = Fmax/A,
    reduced modulus Er = √π·S/(2β·√A). u follows from the scatter about the fit. W. C. Oliver and G. M. Pharr, J. Mater.
    Res. 7 (1992) 1564; from memory.
    """

    slug = "unloading"
    label = "Unloading slope"
    group = "mechanics"
    summary = "Contact stiffness, hardness and modulus of an indentation"
    words = "indentation nanoindentation hardness reduced modulus stiffness contact berkovich"
    reference = "W. C. Oliver and G. M. Pharr, J. Mater. Res. 7 (1992) 1564"
    handles = ()
    leads = False
    yields = (
        Yield("hardness", "H", -2, 1),
        Yield("reduced-modulus", "Er", -2, 1),
        Yield("stiffness", "S", -1, 1),
        Yield("contact-depth", "hc", 1, 0),
        Yield("largest-force", "Fmax", 0, 1, True),
        Yield("largest-depth", "hmax", 1, 0, True),
    )

    upper: float = RuleField(0.95, label="from", gt=0, le=1, help="The fit begins at this share of the largest force.")
    lower: float = RuleField(0.4, label="to", ge=0, lt=1, help="And ends at this share of it.")
    area: float = RuleField(
        24.5, label="area factor", gt=0, help="Contact area over contact depth squared; 24.5 for the sharp pyramid."
    )
    shape: float = RuleField(1.0, label="shape factor", gt=0, help="β: 1 for a cone, 1.034 for the pyramid.")

    def take(self, seen: Seen) -> Taken:
        if self.lower >= self.upper:
            raise InputError("the fit ends above where it begins; its upper share must be the larger.")
        part, deepest = self._part(seen)
        h_max = float(deepest.x[0])
        values, covariance, fitted = _power_law(part, h_max)
        f_max = _force(values, h_max)
        made = self._all(values, h_max)
        gradient = _gradient(lambda v: self._all(v, h_max), values)
        u = np.sqrt(np.einsum("qi,ij,qj->q", gradient, covariance, gradient)) if covariance is not None else None
        names = ("hardness", "reduced-modulus", "stiffness", "contact-depth")
        found = [
            Found(name, float(one), u=None if u is None else float(u[k]))
            for k, (name, one) in enumerate(zip(names, made, strict=True))
        ]
        found += [Found("largest-force", float(deepest.y[0])), Found("largest-depth", h_max)]
        stiffness = float(made[2])
        foot = np.array([h_max - f_max / stiffness, h_max])
        order = np.argsort(part.x)
        shapes = (Line(part.x[order], fitted[order]), Line(foot, stiffness * (foot - foot[0]), "aid"),
                  Point(h_max, f_max))  # fmt: skip
        said = f"{counted(len(part), 'point')} of the unloading, exponent {values[2]:.3f}"
        how = "u from the scatter about the fit" if u is not None else "no u: as many parameters as points"
        doubt = (
            "" if 1.0 <= values[2] <= 2.0 else f"the exponent {values[2]:.3g} is not between 1 and 2, as it should be"
        )
        return Taken(tuple(found), said, part, shapes, how, doubt)

    def _part(self, seen: Seen) -> tuple[Stretch, Stretch]:
        """The points of the unloading that are fitted, and the deepest point, where unloading begins."""
        points = seen.whole.take(np.argsort(seen.whole.rows, kind="stable"))
        top = int(np.argmax(points.y))
        after = np.flatnonzero(points.y[top:] >= self.upper * points.y[top])
        begin = top + int(np.argmax(points.x[top : top + int(after[-1]) + 1]))  # after a hold, the deepest
        behind = points.take(slice(begin, len(points)))
        if len(behind) < _LEAST or behind.y.min() > 0.9 * points.y[top]:
            raise InputError("there is no unloading behind the largest force; the record ends too early.")
        inside = (behind.y <= self.upper * points.y[top]) & (behind.y >= self.lower * points.y[top])
        first_low = np.flatnonzero(behind.y < self.lower * points.y[top])
        if first_low.size:
            inside[first_low[0] :] = False
        if inside.sum() < _LEAST:
            raise InputError(
                f"{counted(int(inside.sum()), 'point')} of the unloading lie between the two shares of the force, and "
                f"{_LEAST} are needed; widen them."
            )
        return behind.take(inside), points.take(slice(begin, begin + 1))

    def _all(self, values: Floats, h_max: float) -> Floats:
        """Hardness, reduced modulus, stiffness, contact depth."""
        _, end, exponent = values
        force = _force(values, h_max)
        stiffness = exponent * force / (h_max - end) if h_max > end else math.inf
        depth = h_max - _INTERCEPT * force / stiffness
        if not depth > 0:
            raise InputError("the contact depth comes out below zero: the slope of the unloading is too small for it.")
        area = self.area * depth**2
        modulus = math.sqrt(math.pi) * stiffness / (2 * self.shape * math.sqrt(area))
        return np.array([force / area, modulus, stiffness, depth])

    def digest(self) -> str:
        return f"{self.upper:g} to {self.lower:g} of the largest force, area {self.area:g}·hc²"


def _force(values: Floats, depth: float) -> float:
    factor, end, exponent = values
    return float(factor * max(depth - end, 0.0) ** exponent)


def _power_law(part: Stretch, h_max: float) -> tuple[Floats, Floats | None, Floats]:
    """B, hf and m of F = B·(h − hf)^m, their covariance, and the fitted forces; scaled for the search."""
    from scipy.optimize import least_squares

    f_scale, h_scale = float(part.y.max()), h_max if h_max else 1.0
    h, f = part.x / h_scale, part.y / f_scale
    slope, level = np.polyfit(h, f, 1)
    if not slope > 0:
        raise InputError("the force does not fall while the depth goes back: this is no unloading.")
    start_end = min(1 + 1.5 * (-level / slope - 1), float(h.min()) - 1e-6)

    def curve(p: Floats) -> Floats:
        return np.asarray(np.exp(p[0]) * np.maximum((h - p[1]) / (1 - p[1]), 1e-12) ** p[2])

    def missed(p: Floats) -> Floats:
        return curve(p) - f

    found = least_squares(
        missed, [0.0, start_end, 1.5], bounds=([-5, -10, 0.5], [5, float(h.min()) - 1e-9, 10]),
        x_scale=[0.1, 0.1, 0.3], xtol=1e-14, ftol=1e-14, gtol=1e-14,
    )  # fmt: skip

    def unscaled(p: Floats) -> Floats:
        factor = np.exp(p[0]) * f_scale / ((1 - p[1]) * h_scale) ** p[2]
        return np.array([factor, p[1] * h_scale, p[2]])

    p = np.asarray(found.x)
    values = unscaled(p)
    dof = f.size - 3
    covariance = None
    if dof > 0:
        jacobian = np.asarray(found.jac)
        inverse = np.linalg.pinv(jacobian.T @ jacobian) * (2 * found.cost / dof)
        turn = _gradient(unscaled, p)
        covariance = turn @ inverse @ turn.T
    return values, covariance, curve(p) * f_scale


def _gradient(f: Callable[[Floats], Floats], values: Floats) -> Floats:
    """Slopes of some numbers against others by central differences, of shape (numbers, values)."""
    columns = []
    for k, value in enumerate(values):
        step = 1e-6 * (abs(value) or 1.0)
        up, down = values.copy(), values.copy()
        up[k], down[k] = value + step, value - step
        columns.append((f(up) - f(down)) / (2 * step))
    return np.array(columns).T
