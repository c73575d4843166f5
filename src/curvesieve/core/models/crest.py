"""Where a profile that is not symmetric is highest, and how wide it is at half of that: by its formula alone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.formula import evaluate
from curvesieve.core.models.term import Term

_SAMPLES, _WIDEST, _DEGREE = 4001, 24, 20
"""Places that are looked at, times that the range is doubled, and the degree of the polynomial about the top."""
_NEAR, _ZOOMS = 3, 2
"""The top is within so many samples of the highest one; how often it is looked at closer."""


@dataclass(frozen=True)
class Crest:
    """The highest place of a profile over what it stands on, and its full width at half of that height."""

    x: float
    height: float
    fwhm: float


def crest_of(term: Term, values: dict[str, float]) -> Crest:
    """The crest of a peak of the library at values of its parameters; of a dip its lowest place.

    The top is that of a polynomial in Chebyshev's points about the highest of many samples, the width from the places
    where the profile is half as high. Raises InputError where it falls to half on one side only, or has no size.
    """
    shape = term.shape
    if shape is None or "center" not in values:
        raise InputError(f"{term.label} is no peak.")
    formula, center = term.parsed, values["center"]
    sign = np.sign(values[shape.size]) or 1.0

    def at(x: Floats) -> Floats:
        with np.errstate(all="ignore"):
            named = {name: np.float64(values[name]) for name in formula.parameters}
            made = sign * np.asarray(evaluate(formula, {term.variable: x, **named}), dtype=float)
        return np.broadcast_to(made, x.shape)

    reach = 4 * max(abs(values[name]) for name, _ in shape.widths)
    for _ in range(_WIDEST):
        x = center + reach * np.linspace(-1, 1, _SAMPLES)
        y = at(x)
        if not np.isfinite(y).all():
            break
        top = int(np.argmax(y))
        if 0 < top < x.size - 1 and y[top] > 0 and max(y[0], y[-1]) < y[top] / 2:
            return _refined(at, x, y, top, float(sign))
        reach *= 2
    raise InputError(f"{term.label} does not fall to half of its height on both sides, and has no width at half of it.")


def _refined(at: Callable[[Floats], Floats], x: Floats, y: Floats, top: int, sign: float) -> Crest:
    low, high = float(x[max(top - _NEAR, 0)]), float(x[min(top + _NEAR, x.size - 1)])
    for _ in range(_ZOOMS):
        near = np.linspace(low, high, 10 * _NEAR + 1)
        k = int(np.argmax(at(near)))
        low, high = float(near[max(k - _NEAR, 0)]), float(near[min(k + _NEAR, near.size - 1)])
    local = np.polynomial.Chebyshev.interpolate(at, _DEGREE, domain=[low, high])
    roots = local.deriv().roots()
    inside = roots[(np.abs(roots.imag) < 1e-9 * (high - low)) & (roots.real > low) & (roots.real < high)].real
    places = inside if inside.size else np.linspace(low, high, 2 * _NEAR + 1)
    heights = np.asarray(at(places))
    best = int(np.argmax(heights))
    place, height = float(places[best]), float(heights[best])
    sides = [_half(at, x, y, top, step, height / 2) for step in (-1, 1)]
    return Crest(place, sign * height, sides[1] - sides[0])


def _half(at: Callable[[Floats], Floats], x: Floats, y: Floats, top: int, step: int, level: float) -> float:
    """The first place on one side of the top where the profile is at a level."""
    from scipy.optimize import brentq

    k = top
    while y[k] > level:
        k += step
    low, high = sorted((float(x[k]), float(x[k - step])))
    return float(brentq(lambda place: float(at(np.array([place]))[0]) - level, low, high, xtol=1e-15 * (high - low)))
