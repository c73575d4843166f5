"""Laws made straight: u(x) and v(y) that turn a law into a line, the line's parameters carried back to the law's own,
and the direct fit beside them, because a transformed axis weighs the points differently."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import FormulaError, InputError, counted
from curvesieve.core.fitting.fits import fit
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.formula import Formula, compile_formula, derivative, evaluate, parse

INTERCEPT, SLOPE = "intercept", "slope"
_FEWEST = 3
_NEWTON_STEPS = 60
_STRAIGHT = 1e-6
"""Share of its extent by which a law may miss the line that it is said to be."""


@dataclass(frozen=True)
class Straightening:
    """Axes on which a law is a line. `law` is the law in x; `back` gives its parameters by those of the line.

    Axes of one's own come without `back`: the parameters of their law are solved for, and without a law the line's own
    are compared, through the inverse of v.
    """

    slug: str
    label: str
    u: str
    v: str
    law: str = ""
    back: tuple[tuple[str, str], ...] = ()
    about: str = ""


STRAIGHTENINGS: dict[str, Straightening] = {
    one.slug: one
    for one in (
        Straightening(
            "exponential", "ln y against x", "x", "log(y)", "amplitude*exp(-rate*x)",
            (("amplitude", "exp(intercept)"), ("rate", "-slope")), "an exponential from or to zero",
        ),
        Straightening(
            "power", "ln y against ln x", "log(x)", "log(y)", "factor*x^exponent",
            (("factor", "exp(intercept)"), ("exponent", "slope")), "a power law",
        ),
        Straightening(
            "arrhenius", "ln y against 1/x", "1/x", "log(y)", "prefactor*exp(-activation/x)",
            (("prefactor", "exp(intercept)"), ("activation", "-slope")), "Arrhenius, with x in K",
        ),
        Straightening(
            "hyperbola", "y against 1/x", "1/x", "y", "limit + rise/x", (("limit", "intercept"), ("rise", "slope")),
            "a hyperbola",
        ),
        Straightening(
            "saturation", "1/y against 1/x", "1/x", "1/y", "limit*x/(half + x)",
            (("limit", "1/intercept"), ("half", "slope/intercept")), "saturation (Langmuir, Michaelis–Menten)",
        ),
        Straightening(
            "second-order", "1/y against x", "x", "1/y", "initial/(1 + initial*rate*x)",
            (("initial", "1/intercept"), ("rate", "slope")), "a second-order reaction",
        ),
        Straightening(
            "root", "√y against 1/√x", "1/sqrt(x)", "sqrt(y)", "(root + rise/sqrt(x))^2",
            (("root", "intercept"), ("rise", "slope")), "a square of a + b/√x",
        ),
        Straightening(
            "square-root", "y against √x", "sqrt(x)", "y", "offset + factor*sqrt(x)",
            (("offset", "intercept"), ("factor", "slope")), "diffusion at short times",
        ),
    )
}  # fmt: skip


@dataclass(frozen=True)
class Carried:
    """A parameter of the law by the straight line and by the direct fit, each with its u."""

    name: str
    straight: float
    straight_u: float | None
    direct: float | None
    direct_u: float | None

    @property
    def apart(self) -> float | None:
        """How many of the larger u the two are apart."""
        us = [u for u in (self.straight_u, self.direct_u) if u]
        return None if self.direct is None or not us else abs(self.straight - self.direct) / max(us)


@dataclass(frozen=True, eq=False)
class Straight:
    """The points on the straight axes, the line through them, and the law's parameters by both ways."""

    way: Straightening
    u: Floats
    v: Floats
    line: FitResult
    parameters: tuple[Carried, ...]
    direct: FitResult | None
    sentence: str
    left_out: int = 0
    problem: str = field(default="")


def own_axes(u: str, v: str, law: str = "") -> Straightening:
    """Axes typed by the user: u in x, v in y, and, where one is given, the law in x that is a line on them.

    Raises FormulaError for an axis with anything else in it, and for a law with no parameter or more than two.
    """
    for text, variable in ((u, "x"), (v, "y")):
        formula = parse(text, (variable,))
        if formula.parameters:
            raise FormulaError(f"This axis may name {variable} only, not {formula.parameters[0]}.", 0)
    if law.strip():
        formula = parse(law, ("x",))
        if not 1 <= len(formula.parameters) <= 2:
            named = ", ".join(formula.parameters) or "none"
            raise FormulaError(f"A straight line tells two parameters at most; this law has {named}.", 0)
    return Straightening("own", f"{v} against {u}", u, v, law.strip())


def straighten(curve: Curve, way: Straightening) -> Straight:
    """The line on the straight axes by plain least squares, and the law fitted directly to the same points.

    Points at which an axis has no value are left out and counted. Raises InputError when fewer than three are left.
    """
    vertical = parse(way.v, ("y",))
    u = np.broadcast_to(evaluate(parse(way.u), {"x": curve.x}), curve.x.shape)
    v = np.broadcast_to(evaluate(vertical, {"y": curve.y}), curve.y.shape)
    good = np.isfinite(u) & np.isfinite(v)
    if good.sum() < _FEWEST:
        raise InputError(
            f"{way.label} has a value at {counted(int(good.sum()), 'point')} only; at least {_FEWEST} are needed."
        )
    if np.ptp(u[good]) == 0:
        raise InputError(f"All points have the same {way.u}: there is no line to draw.")
    used = curve.take(good)
    line = fit(f"{INTERCEPT} + {SLOPE}*x", u[good], v[good], start={INTERCEPT: 0.0, SLOPE: 0.0}, variable="x")
    problem, bent, direct = "", "", None
    try:
        direct = _direct(used, u[good], line, way, vertical)
    except InputError as error:
        problem = str(error)
    if way.law and not way.back:
        parameters, bent = _solved(used, u[good], line, direct, way, vertical)
    else:
        parameters = tuple(_carried(name, text, line, direct) for name, text in way.back or _OWN)
    sentence = bent or _reason(parameters, used, vertical, problem)
    return Straight(way, u[good], v[good], line, parameters, direct, sentence, int((~good).sum()), problem)


_OWN = ((INTERCEPT, INTERCEPT), (SLOPE, SLOPE))


def _carried(name: str, text: str, line: FitResult, direct: FitResult | None) -> Carried:
    compiled = compile_formula(parse(text, ()))
    names = compiled.formula.parameters
    values = [np.float64(line.parameters[n].value) for n in names]
    with np.errstate(all="ignore"):
        value = float(compiled.value((), values))
        slopes = dict(zip(names, (float(s) for s in compiled.jacobian((), values)), strict=True))
    found = direct.parameters[name] if direct is not None else None
    return Carried(
        name, value, line.propagated(slopes), found.value if found else None, found.u if found else None
    )  # fmt: skip


def _direct(curve: Curve, u: Floats, line: FitResult, way: Straightening, vertical: Formula) -> FitResult:
    """The law fitted to y itself, from what the line says."""
    if not way.law:
        return _through_inverse(curve, u, line, vertical)
    if not way.back:
        return fit(way.law, curve.x, curve.y, curve.u, variable="x")
    start = {name: _carried(name, text, line, None).straight for name, text in way.back}
    if not all(math.isfinite(value) for value in start.values()):
        raise InputError("The line gives no finite parameters of the law to begin the direct fit from.")
    return fit(way.law, curve.x, curve.y, curve.u, start=start, variable="x")


def _solved(
    curve: Curve, u: Floats, line: FitResult, direct: FitResult | None, way: Straightening, vertical: Formula
) -> tuple[tuple[Carried, ...], str]:
    """The parameters with which v of the law is the line, with the line's u carried through; and why there are none.

    v(f(x; p)) = intercept + slope·u is solved for p by least squares over the points, from the direct fit; u follows
    from the derivative of the implicit function.
    """
    from scipy.optimize import least_squares

    if direct is None:
        return (), ""
    compiled = compile_formula(parse(way.law, ("x",)))
    steep = derivative(vertical)
    names = compiled.formula.parameters
    target = line.parameters[INTERCEPT].value + line.parameters[SLOPE].value * u

    def away(p: Floats) -> Floats:
        y = np.broadcast_to(compiled.value((curve.x,), list(p)), u.shape)
        return np.asarray(np.broadcast_to(evaluate(vertical, {"y": y}), u.shape) - target)

    def slopes(p: Floats) -> Floats:
        y = np.broadcast_to(compiled.value((curve.x,), list(p)), u.shape)
        bend = np.broadcast_to(steep((y,), ()), u.shape)
        columns = compiled.jacobian((curve.x,), list(p))
        return np.column_stack([np.broadcast_to(c, u.shape) * bend for c in columns])

    start = np.array([direct.parameters[name].value for name in names])
    with np.errstate(all="ignore"):
        try:
            found = least_squares(away, start, jac=slopes, x_scale="jac", xtol=1e-14, ftol=1e-15, gtol=1e-15)
        except ValueError:
            return (), "The law has no value on these axes at the points."
    extent = float(np.ptp(target)) or float(np.abs(target).max()) or 1.0
    if not np.abs(found.fun).max() <= _STRAIGHT * extent:
        return (), "On these axes this law is no straight line, so that the line tells nothing of its parameters."
    carried = np.linalg.pinv(np.asarray(found.jac)) @ np.column_stack([np.ones_like(u), u])
    made = []
    for k, name in enumerate(names):
        told = line.propagated({INTERCEPT: float(carried[k, 0]), SLOPE: float(carried[k, 1])})
        made.append(Carried(name, float(found.x[k]), told, direct.parameters[name].value, direct.parameters[name].u))
    return tuple(made), ""


def _through_inverse(curve: Curve, u: Floats, line: FitResult, vertical: Formula) -> FitResult:
    """Fits y = v⁻¹(intercept + slope·u) with v inverted point by point by Newton's method."""
    from scipy.optimize import least_squares

    steep = derivative(vertical)
    weight = 1.0 if curve.u is None else 1 / curve.u

    def inverse(p: Floats) -> Floats:
        z, y = p[0] + p[1] * u, curve.y.copy()
        for _ in range(_NEWTON_STEPS):
            step = (evaluate(vertical, {"y": y}) - z) / np.broadcast_to(steep((y,), ()), y.shape)
            y = y - np.where(np.isfinite(step), step, 0.0)
            if np.abs(step).max() <= 1e-14 * np.abs(y).max():
                break
        return y

    def slopes(p: Floats) -> Floats:
        bend = 1 / np.broadcast_to(steep((inverse(p),), ()), u.shape) * weight
        return np.column_stack([bend, bend * u])

    start = np.array([line.parameters[INTERCEPT].value, line.parameters[SLOPE].value])

    def residuals(p: Floats) -> Floats:
        return np.asarray((inverse(p) - curve.y) * weight)

    with np.errstate(all="ignore"):
        try:
            found = least_squares(residuals, start, jac=slopes, x_scale="jac", xtol=1e-13, ftol=1e-15)
        except ValueError as error:
            raise InputError("The direct fit has no value near the line; y cannot be worked back there.") from error
    dof = curve.y.size - 2
    rss = 2 * float(found.cost)
    jacobian = np.asarray(found.jac)
    matrix = np.linalg.pinv(jacobian.T @ jacobian) * (rss / dof if dof > 0 else math.nan)
    parameters = {}
    for i, name in enumerate((INTERCEPT, SLOPE)):
        u_value = float(np.sqrt(matrix[i, i]))
        parameters[name] = replace(line.parameters[name], value=float(found.x[i]), u=u_value)
    return line.model_copy(
        update={"parameters": parameters, "covariance": tuple(map(tuple, matrix.tolist())), "converged": found.success}
    )


def _reason(parameters: tuple[Carried, ...], curve: Curve, vertical: Formula, problem: str) -> str:
    """Why the two ways differ: the slope of v gives each point another weight."""
    if problem:
        return f"There is no direct fit to compare with: {problem}"
    with np.errstate(all="ignore"):
        weights = np.abs(np.broadcast_to(derivative(vertical)((curve.y,), ()), curve.y.shape)) ** -2.0
    weights = weights[np.isfinite(weights) & (weights > 0)]
    if not weights.size or weights.max() <= weights.min() * (1 + 1e-9):
        return "Both ways weigh the points alike, so they agree."
    ratio = float(weights.max() / weights.min())
    worst = max((c for c in parameters if c.apart is not None), key=lambda c: c.apart or 0.0, default=None)
    said = "" if worst is None else f" {worst.name} differs by {worst.apart:.1f} u."
    return (
        f"The straight axes weigh all points alike after the transformation; judged by y itself, the largest y should "
        f"weigh {ratio:.3g} times the smallest.{said} The direct fit is the one to report when the noise of y is even."
    )
