"""The measure of the law that is straight on some axes, with its band where that was found."""

from __future__ import annotations

import math
from collections.abc import Callable

from curvesieve.core.axes_views import AxesView
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.guinier import LEAST, REACH, found_fall, guinier_radius
from curvesieve.core.measures.base import Measure, parse_measure
from curvesieve.core.measures.scattering import Guinier
from curvesieve.core.scatter import whole

_LOOKED_AT = 10_000
"""Where a band begins to be dragged from is found in so many points at the most, as a button waits for it."""


def straight_in(view: AxesView, curve: Curve) -> Measure:
    """The measure that a view reads, its band over the stretch where its law holds, to be dragged from there.

    Raises InputError for a view that reads nothing.
    """
    if not view.reads:
        raise InputError(f"No law is read on the axes {view.label}.")
    measure = parse_measure({"measure": view.reads, **dict(view.asked)})
    if not isinstance(measure, Guinier):
        return type(measure).fitted_to(curve)
    try:
        points = whole(curve)
        some = points.take(slice(None, None, 1 + len(points) // _LOOKED_AT))
        points = found_fall(some, measure.form, measure.most).fall.points
    except InputError:
        x = curve.used.x
        x = x[x > 0]
        if not x.size:
            return measure
        low, high = float(x.min()), float(x.min()) * (float(x.max()) / float(x.min())) ** 0.25
    else:
        low, high = float(points.x[0]), float(points.x[-1])
    return measure.changed(by="band", low=_outward(low, math.floor), high=_outward(high, math.ceil))


def straight_range(view: AxesView, curve: Curve) -> tuple[float, float] | None:
    """The q from 0 to twice that at which Guinier's law ends, on axes for the smallest q; None for other axes."""
    points = whole(curve)
    good = points.take((points.x > 0) & (points.y > 0))
    if view.across != 2 or len(good) < LEAST:
        return None
    end = 2 * REACH / guinier_radius(good.x, good.y)
    return (0.0, end) if (good.x <= end).sum() >= LEAST else None


def _outward(value: float, way: Callable[[float], int]) -> float:
    """Four digits of a number, rounded so that a band keeps the point at its end."""
    step = 10.0 ** (math.floor(math.log10(value)) - 3)
    return float(f"{way(value / step) * step:.4g}")


def same_law(one: Measure, other: Measure) -> bool:
    """Whether two measures read the same law, of the same form."""
    return one.slug == other.slug and getattr(one, "form", None) == getattr(other, "form", None)
