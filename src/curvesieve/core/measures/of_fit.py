"""Measures of the fit: what the fitted curve and its parameters say, with u through the covariance."""

from __future__ import annotations

import re
from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.fitting.following import quantity_slopes
from curvesieve.core.fitting.prediction import Found as Place
from curvesieve.core.formula import parse
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.trace import Trace
from curvesieve.core.models.areas import written_out
from curvesieve.core.models.units import unit_in
from curvesieve.core.rules import Band, Banded, Mark, RuleField
from curvesieve.core.shapes import Fill, Line, Point, Shape

FIT = -2_000_000
"""The cause of the u of a fit's first column; see `Trace`."""
_LINE_POINTS = 400


class OfFit(Measure):
    """A measure of the current fit of the curve."""

    group = "of the fit"
    of_fit = True
    reference = "JCGM 100:2008, 5.2.2"

    def _fit(self, seen: Seen) -> FitSeen:
        if seen.fit is None:
            raise InputError("the curve has no fit that is current; fit its model, then this is read off.")
        return seen.fit

    def _taken(self, seen: Seen, found: tuple[Found, ...], said: str, *places: Place) -> Taken:
        fit = self._fit(seen)
        used = seen.whole.take(fit.model.points_in_use(fit.curve)[seen.whole.rows])
        t = np.linspace(fit.on.low, fit.on.high, _LINE_POINTS)
        shapes: tuple[Shape, ...] = (Line(t, fit.on.y(t)), *(Point(one.x, one.y) for one in places))
        how = "u from the covariance of the fit" if fit.factor is not None else "no u: the fit has none"
        return Taken(found, said, used, shapes, how)


def _found(fit: FitSeen, quantity: str, value: float, slopes: Floats | None, unit: str | None = None) -> Found:
    """A reading with its slopes against the free parameters, of shape (free,)."""
    factor = fit.factor
    if factor is None or slopes is None:
        return Found(quantity, value, unit=unit)
    trace = Trace(FIT - np.arange(factor.shape[1]), slopes @ factor)
    return Found(quantity, value, u=trace.u, unit=unit, trace=trace)


class FittedValue(OfFit):
    """The y of the fitted curve at an x."""

    slug = "fitted-value"
    label = "Fit at x"
    summary = "y of the fitted curve at an x"
    words = "predict prediction interpolate calibration response"
    handles = (Mark(),)
    yields = (Yield("fitted-y", "y", 0, 1),)

    at: float | None = RuleField(None, label="x", unit="x", help="Where the fitted curve is read; drag the mark.")

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        if self.at is None:
            raise InputError("x is not set; drag the mark, or type one.")
        place = fit.on.at_x(self.at)
        found = (_found(fit, "fitted-y", place.y, place.y_slopes),)
        beyond = "" if fit.on.low <= self.at <= fit.on.high else ", beyond the points that were fitted"
        return self._taken(seen, found, f"at {self.at:.6g}{beyond}", place)


class FittedPlace(OfFit):
    """The x at which the fitted curve has a y, within the range of the fit; a root where that is 0."""

    slug = "fitted-place"
    label = "x where the fit has a value"
    summary = "Where the fitted curve crosses a y: a root, a threshold"
    words = "root zero inverse prediction crossing threshold intersection calibration"
    handles = ()
    yields = (Yield("fitted-x", "x", 1, 0),)

    y: float = RuleField(0.0, label="y", unit="y", help="The y that is crossed.")
    which: Literal["first", "last", "nth"] = RuleField("first", label="crossing", help="Which of several crossings.")
    n: int = RuleField(2, label="n", ge=1, le=1_000_000, help="The number of the crossing, from 1.", when="which: nth")

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        places = fit.on.at_y(self.y)
        place = _chosen(places, self.which, self.n, f"places where the fitted curve is {self.y:g}")
        many = f", {len(places)} crossings" if len(places) > 1 else ""
        found = (_found(fit, "fitted-x", place.x, place.x_slopes),)
        return self._taken(seen, found, f"where the fit is {self.y:g}{many}", place)


def _chosen(places: list[Place], which: str, n: int, what: str) -> Place:
    wanted = {"first": 0, "last": len(places) - 1, "nth": n - 1}[which]
    if not 0 <= wanted < len(places):
        raise InputError(f"there are {len(places)} {what}, and number {n} is asked for.")
    return places[wanted]


class FittedExtremum(Banded, OfFit):
    """A maximum or minimum of the fitted curve inside a band: where its slope is 0."""

    slug = "fitted-extremum"
    label = "Extreme of the fit"
    summary = "A maximum or a minimum of the fitted curve, and where it is"
    words = "maximum minimum peak extreme optimum vertex valley"
    handles = (Band(),)
    yields = (Yield("top-y", "y", 0, 1), Yield("top-x", "x", 1, 0))

    look_for: Literal["maximum", "minimum"] = RuleField("maximum", label="look for", help="A maximum, or a minimum.")
    which: Literal["outermost", "first", "last", "nth"] = RuleField(
        "outermost", label="which", help="The highest maximum (or the lowest minimum), or one by its place."
    )
    n: int = RuleField(2, label="n", ge=1, le=1_000_000, help="Its number, from 1.", when="which: nth")
    low: float | None = RuleField(None, label="from", unit="x", help="Where to begin looking; empty: at the start.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where to stop; empty: at the end.")

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        low = -np.inf if self.low is None else self.low
        high = np.inf if self.high is None else self.high
        places = [one for one in fit.on.extrema() if one.what == self.look_for and low <= one.x <= high]
        if not places:
            ends = f"{max(low, fit.on.low):g} and {min(high, fit.on.high):g}"
            raise InputError(f"the fitted curve has no {self.look_for} between {ends}.")
        if self.which == "outermost":
            place = (max if self.look_for == "maximum" else min)(places, key=lambda one: one.y)
        else:
            many = {"maximum": "maxima", "minimum": "minima"}[self.look_for]
            place = _chosen(places, self.which, self.n, f"{many} of the fitted curve")
        found = (
            _found(fit, "top-y", place.y, place.y_slopes),
            _found(fit, "top-x", place.x, place.x_slopes),
        )
        return self._taken(seen, found, f"{self.look_for} of the fit at {place.x:.6g}", place)


class FittedArea(Banded, OfFit):
    """The area under the fitted curve between two x."""

    slug = "fitted-area"
    label = "Area under the fit"
    summary = "The area under the fitted curve between two x"
    words = "integral integrate energy"
    reference = "Gauss–Legendre quadrature; JCGM 100:2008, 5.2.2"
    handles = (Band(),)
    yields = (Yield("fitted-area", "area", 1, 1),)

    low: float | None = RuleField(None, label="from", unit="x", help="Where to begin; empty: at the first point used.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where to end; empty: at the last point used.")

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        low = fit.on.low if self.low is None else self.low
        high = fit.on.high if self.high is None else self.high
        area, slopes = fit.on.integral_slopes(low, high)
        made = self._taken(seen, (_found(fit, "fitted-area", area, slopes),), f"from {low:.6g} to {high:.6g}")
        t = np.linspace(low, high, _LINE_POINTS)
        return Taken(made.found, made.sentence, made.used, (Fill(t, np.zeros(t.size), fit.on.y(t)),), made.said_u)

    def digest(self) -> str:
        return said_band(self.low, self.high)


class FittedQuantity(OfFit):
    """A parameter of the fit, or a formula in its parameters: ``k``, ``log(2)/k``, ``area_2/area_1``."""

    slug = "fitted-quantity"
    label = "Parameter, or formula in them"
    summary = "A parameter of the fit, or what follows from several: log(2)/k"
    words = "parameter derived quantity half-life ratio"
    handles = ()
    yields = (Yield("quantity", "q"),)

    formula: str = RuleField(
        "", label="formula", max_length=2000, help="In the parameters of the fit, such as log(2)/k."
    )

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        known = [*fit.model.names, *fit.model.following]
        text = self.formula.strip()
        if not text:
            raise InputError(f"the formula is empty; the parameters of this fit are {', '.join(known)}.")
        stray = [name for name in parse(text, ()).parameters if name not in known]
        if stray:
            raise InputError(
                f"there is no parameter {stray[0]!r} in this fit; it has {', '.join(known)}{nearest(stray[0], known)}"
            )
        value, slopes = quantity_slopes(fit.result, written_out(fit.model, text))
        unit = unit_in(fit.model, text, (seen.curve.x_unit, seen.curve.y_unit))
        found = _found(fit, "quantity", value, fit.result.gradient(slopes), unit)
        if re.fullmatch(r"\w+", text) and text in fit.result.parameters and fit.result.parameters[text].u is None:
            found = Found("quantity", value, unit=unit)  # held, or on its bound
        made = self._taken(seen, (found,), f"{text} of the fit")
        return Taken(made.found, made.sentence, made.used, (), made.said_u)

    def digest(self) -> str:
        return self.formula
