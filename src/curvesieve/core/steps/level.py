"""Steps that bring a curve to its level: jumps closed, zeros subtracted, scales, baselines taken off."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import model_validator

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.steps.base import Caught, Passed, Step, StepField
from curvesieve.core.steps.trim import check_order


def in_band(x: Floats, low: float | None, high: float | None, what: str) -> np.ndarray:
    """The points of a band (an empty end is open); raises InputError when there is none."""
    inside = (x >= (-np.inf if low is None else low)) & (x <= (np.inf if high is None else high))
    if not inside.any():
        raise InputError(
            f"no point lies in the {what} ({low} to {high}); the curve runs from {x.min():g} to {x.max():g}."
        )
    return inside


class ShiftLevel(Step):
    """Closes a jump of y: all points behind it are moved by an offset, or scaled by a factor.

    The jump is where `at` says, or where the means of the points before and behind differ most against the noise. Its
    size is the gap at the middle between two straight lines through the `window` points on either side. u of the moved
    points takes in the standard error of that size.
    """

    slug = "shift-level"
    label = "Shift level"
    intent = "repair"
    summary = "Close a jump by an offset or a factor"

    at: float | None = StepField(None, label="at", unit="x", help="x of the jump; empty: the largest one is found.")
    window: int = StepField(10, label="window", unit="points", ge=2, le=10_000, help="Points used on either side.")
    by: Literal["offset", "factor"] = StepField("offset", label="close by", help="Add a constant, or multiply by one.")

    def apply(self, curve: Curve) -> Passed:
        if len(curve) < 2 * self.window or not curve.is_sorted:
            raise InputError(
                f"the window needs {2 * self.window} points in order of x, and the curve has {len(curve)}; choose a "
                "smaller window, or sort the points first."
            )
        place = self._place(curve)
        if not self.window <= place <= len(curve) - self.window:
            raise InputError(
                f"the jump at {self.at:g} is nearer to the end than the window; move it, or narrow the window."
            )
        before, behind = (slice(place - self.window, place), slice(place, place + self.window))
        middle = float(curve.x[place - 1] + curve.x[place]) / 2
        (a, ua), (b, ub) = (_level_at(curve.x[part], curve.y[part], middle) for part in (before, behind))
        y, u = curve.y.copy(), None if curve.u is None else curve.u.copy()
        if self.by == "offset":
            gap, gap_u = a - b, float(np.hypot(ua, ub))
            y[place:] += gap
            if u is not None:
                u[place:] = np.hypot(u[place:], gap_u)
            said = f"{gap:+.4g}"
        else:
            if a == 0 or b == 0 or a * b < 0:
                raise InputError("the levels at the jump have no common sign; close it by an offset instead.")
            factor = a / b
            y[place:] *= factor
            if u is not None:
                relative = np.hypot(ua / a, ub / b)
                u[place:] = np.hypot(u[place:] * factor, y[place:] * relative)
            said = f"× {factor:.6g}"
        points = np.arange(place, len(curve))
        message = f"jump at {middle:.6g} closed by {said}"
        return Passed(curve.with_y(y, u, curve.flags), Caught(points, y[points]), message)

    def _place(self, curve: Curve) -> int:
        if self.at is not None:
            return int(np.searchsorted(curve.x, self.at))
        n, w = len(curve), self.window
        sums = np.concatenate([[0.0], np.cumsum(curve.y)])
        places = np.arange(w, n - w + 1)
        gaps = np.abs((sums[places + w] - sums[places]) - (sums[places] - sums[places - w])) / w
        slopes = np.abs(np.diff(curve.y))[places[:-1] - 1] if places.size > 1 else np.zeros(0)
        # A jump is one large step between neighbours; a slope or a peak spreads over many.
        score = gaps[:-1] * slopes if slopes.size else gaps
        return int(places[int(np.argmax(score))])

    def digest(self) -> str:
        return f"{'largest jump' if self.at is None else f'at {self.at:g}'}, by {self.by}"


def _level_at(x: Floats, y: Floats, middle: float) -> tuple[float, float]:
    """The value at a place of the straight line through points, and its standard uncertainty."""
    if x.size < 4 or not np.ptp(x) > 0:
        return float(y.mean()), float(y.std(ddof=1) / np.sqrt(y.size)) if y.size > 1 else 0.0
    design = np.column_stack([np.ones(x.size), x - middle])
    values, *_ = np.linalg.lstsq(design, y, rcond=None)
    residual = y - design @ values
    scale = float(residual @ residual) / (x.size - 2)
    return float(values[0]), float(np.sqrt(scale * np.linalg.inv(design.T @ design)[0, 0]))


class Zero(Step):
    """Subtracts a zero from x or y: the first point's value, the mean over a band, or a number.

    As a preload, x is set to zero where y first reaches `value`, and the points before it are dropped.
    """

    slug = "zero"
    label = "Zero"
    intent = "level"
    summary = "Subtract the first point, a band's mean or a preload"

    axis: Literal["x", "y"] = StepField("y", label="axis", help="Which of the two is zeroed.")
    by: Literal["first point", "band", "value", "preload"] = StepField(
        "first point", label="by", help="What is subtracted."
    )
    low: float | None = StepField(None, label="low", unit="x", help="Where the band begins.", when="by: band")
    high: float | None = StepField(None, label="high", unit="x", help="Where the band ends.", when="by: band")
    value: float = StepField(0.0, label="value", help="The number, or the preload in y.", when="by: value, preload")

    @model_validator(mode="after")
    def _in_order(self) -> Zero:
        check_order(self.low, self.high)
        return self

    def apply(self, curve: Curve) -> Passed:
        if self.by == "preload":
            return self._preload(curve)
        values = curve.x if self.axis == "x" else curve.y
        zero, spread = self.value, 0.0
        if self.by == "first point":
            zero, spread = float(values[0]), 0.0 if curve.u is None else float(curve.u[0])
        elif self.by == "band":
            inside = in_band(curve.x, self.low, self.high, "band")
            zero = float(values[inside].mean())
            spread = 0.0 if curve.u is None else float(np.sqrt(np.sum(curve.u[inside] ** 2)) / inside.sum())
        message = f"{self.axis} less {zero:.6g}"
        if self.axis == "x":
            return Passed(replace(curve, x=curve.x - zero), Caught(), message)
        u = None if curve.u is None else self._u(curve.u, spread, curve.x)
        drawn = np.full(len(curve), zero)
        return Passed(curve.with_y(curve.y - zero, u, curve.flags), Caught(), message, drawn=drawn)

    def _u(self, u: Floats, spread: float, x: Floats) -> Floats:
        """The zero's own u comes in; a point that is part of the zero is correlated with it."""
        if self.by == "value":
            return u
        if self.by == "first point":
            made = np.hypot(u, spread)
            made[0] = 1e-12 * u[0]
            return made
        inside = in_band(x, self.low, self.high, "band")
        total = u**2 + spread**2 - np.where(inside, 2 * u**2 / inside.sum(), 0.0)
        return np.sqrt(np.maximum(total, (1e-12 * u) ** 2))

    def _preload(self, curve: Curve) -> Passed:
        reached = np.flatnonzero(curve.y >= self.value)
        if not reached.size:
            raise InputError(f"y never reaches the preload of {self.value:g}; its largest value is {curve.y.max():g}.")
        first = int(reached[0])
        at = float(curve.x[first])
        if first and curve.y[first] > curve.y[first - 1]:
            share = (self.value - curve.y[first - 1]) / (curve.y[first] - curve.y[first - 1])
            at = float(curve.x[first - 1] + share * (curve.x[first] - curve.x[first - 1]))
        made = curve.take(slice(first, None))
        gone = np.arange(first)
        message = f"x zero where y reaches {self.value:g}, at {at:.6g}"
        return Passed(replace(made, x=made.x - at), Caught(gone, np.full(gone.size, np.nan)), message)

    def digest(self) -> str:
        return f"{self.axis}, {self.by}" + (f" {self.value:g}" if self.by in ("value", "preload") else "")


class Scale(Step):
    """Multiplies x or y by a factor, converts its unit, or normalises y: to its maximum, its area, a band's mean or a
    reference point. u is scaled with y; the reference is taken as exact."""

    slug = "scale"
    label = "Scale"
    intent = "level"
    summary = "Factor, other unit, or normalised"

    axis: Literal["x", "y"] = StepField("y", label="axis", help="Which of the two is scaled.")
    by: Literal["factor", "unit", "maximum", "area", "band", "point"] = StepField(
        "maximum", label="by", help="What becomes of it; maximum, area, band and point become 1."
    )
    factor: float = StepField(1.0, label="factor", help="The number to multiply by.", when="by: factor")
    unit: str = StepField("", label="unit", help="The unit to convert to, such as MPa.", when="by: unit")
    low: float | None = StepField(None, label="low", unit="x", help="Where the band begins.", when="by: band, area")
    high: float | None = StepField(None, label="high", unit="x", help="Where the band ends.", when="by: band, area")
    at: float | None = StepField(None, label="at", unit="x", help="x of the reference point.", when="by: point")

    @model_validator(mode="after")
    def _in_order(self) -> Scale:
        check_order(self.low, self.high)
        if self.factor == 0:
            raise ValueError("factor must not be zero")
        return self

    def apply(self, curve: Curve) -> Passed:
        if self.by == "unit":
            return self._convert(curve)
        if self.by == "factor":
            factor, said, unit = self.factor, f"× {self.factor:g}", curve.x_unit if self.axis == "x" else curve.y_unit
        elif self.axis == "x":
            raise InputError(f"x cannot be normalised to its {self.by}; choose y, a factor or a unit.")
        else:
            reference = self._reference(curve)
            if reference == 0 or not np.isfinite(reference):
                raise InputError(
                    f"the {self.by} is {reference:g}, by which nothing can be divided; choose another reference."
                )
            factor, said, unit = 1 / reference, f"divided by {reference:.6g}", ""
        if self.axis == "x":
            return Passed(replace(curve, x=curve.x * factor, x_unit=unit), Caught(), said)
        u = None if curve.u is None else curve.u * abs(factor)
        return Passed(replace(curve, y=curve.y * factor, u=u, y_unit=unit), Caught(), said)

    def _reference(self, curve: Curve) -> float:
        if self.by == "maximum":
            return float(curve.y.max())
        if self.by == "point":
            if self.at is None:
                raise InputError("the reference point is not set; give its x.")
            in_band(curve.x, min(self.at, curve.x.max()), max(self.at, curve.x.min()), "reference")
            return float(curve.y[np.argmin(np.abs(curve.x - self.at))])
        inside = in_band(curve.x, self.low, self.high, "band")
        if self.by == "band":
            return float(curve.y[inside].mean())
        return float(np.trapezoid(curve.y[inside], curve.x[inside]))

    def _convert(self, curve: Curve) -> Passed:
        old = curve.x_unit if self.axis == "x" else curve.y_unit
        target = self.unit.strip()
        if not target:
            raise InputError("the unit is empty; write the one to convert to, such as MPa.")
        said = f"{units.shown(old) or 'no unit'} → {units.shown(target)}"
        if self.axis == "x":
            return Passed(replace(curve, x=units.convert(curve.x, old, target), x_unit=target), Caught(), said)
        u = curve.u
        if u is not None:
            u = units.convert(u, old, target) - units.convert(np.zeros(1), old, target)
        return Passed(replace(curve, y=units.convert(curve.y, old, target), u=u, y_unit=target), Caught(), said)

    def digest(self) -> str:
        extra = {"factor": f" {self.factor:g}", "unit": f" {self.unit}"}
        return f"{self.axis}, {self.by}{extra.get(self.by, '')}"


class Baseline(Step):
    """Takes a baseline off, found by one of the methods of pybaselines or drawn through anchors.

    The baseline counts as exact: u stays as it was. `half_window` of snip and rolling ball is in points and should be
    about half the width of the widest peak.
    """

    slug = "baseline"
    label = "Baseline"
    intent = "level"
    summary = "Take off a constant, polynomial, least-squares or drawn baseline"
    reference = (
        "ALS: Eilers and Boelens 2005; arPLS: Baek et al., Analyst 140 (2015) 250; airPLS: Zhang et al., Analyst 135 "
        "(2010) 1138; SNIP: Ryan et al., Nucl. Instrum. Methods B 34 (1988) 396 (references from memory); computed by "
        "pybaselines"
    )

    method: Literal[
        "constant", "polynomial", "anchors", "als", "arpls", "airpls", "snip", "rolling ball", "rubber band"
    ] = StepField("arpls", label="method", help="How the baseline is found.")
    stiffness: float = StepField(
        5.0, label="stiffness", ge=0, le=15, help="log10 of λ: larger is straighter.", when="method: als, arpls, airpls"
    )
    asymmetry: float = StepField(
        0.01, label="asymmetry", gt=0, lt=1, help="Weight of points above the baseline.", when="method: als"
    )
    half_window: int = StepField(
        40, label="half window", unit="points", ge=1, le=100_000, help="Half the width of what is kept.",
        when="method: snip, rolling ball",
    )  # fmt: skip
    order: int = StepField(2, label="order", ge=0, le=12, help="Order of the polynomial.", when="method: polynomial")
    low: float | None = StepField(
        None, label="low", unit="x", help="Where the range for the level begins.", when="method: constant, polynomial"
    )
    high: float | None = StepField(
        None, label="high", unit="x", help="Where it ends.", when="method: constant, polynomial"
    )
    anchors: tuple[float, ...] = StepField(
        (), label="anchors", unit="x", help="x of the anchors: double-click the plot to add or remove, drag to move.",
        when="method: anchors, polynomial",
    )  # fmt: skip
    heights: tuple[float, ...] = StepField(
        (), label="heights", unit="y", help="y of the anchors; empty: that of the curve around them.",
        when="method: anchors, polynomial",
    )  # fmt: skip

    @model_validator(mode="after")
    def _whole(self) -> Baseline:
        check_order(self.low, self.high)
        if self.heights and len(self.heights) != len(self.anchors):
            raise ValueError(f"there are {len(self.anchors)} anchors but {len(self.heights)} heights")
        return self

    def apply(self, curve: Curve) -> Passed:
        line = self.line(curve)
        if not np.isfinite(line).all():
            raise InputError(
                f"the {self.method} baseline has no value everywhere; choose another method or other values."
            )
        said = f"baseline of {line.min():.4g} to {line.max():.4g} taken off"
        return Passed(curve.with_y(curve.y - line, curve.u, curve.flags), Caught(), said, drawn=line)

    def line(self, curve: Curve) -> Floats:
        """The baseline at the curve's points."""
        if self.method == "constant":
            inside = in_band(curve.x, self.low, self.high, "range")
            return np.full(len(curve), float(np.median(curve.y[inside])))
        if self.method == "polynomial":
            return self._polynomial(curve)
        if self.method == "anchors":
            return self._through_anchors(curve)
        if not curve.is_sorted:
            raise InputError("x goes back and forth; put Sort and merge before this step.")
        return self._by_library(curve)

    def _by_library(self, curve: Curve) -> Floats:
        from pybaselines import Baseline as Library  # type: ignore[import-untyped]

        if len(curve) < 5:
            raise InputError(f"{len(curve)} points are too few for a baseline; five are needed.")
        library, lam = Library(curve.x, check_finite=False), 10.0**self.stiffness
        calls = {
            "als": lambda: library.asls(curve.y, lam=lam, p=self.asymmetry),
            "arpls": lambda: library.arpls(curve.y, lam=lam),
            "airpls": lambda: library.airpls(curve.y, lam=lam),
            "snip": lambda: library.snip(curve.y, max_half_window=min(self.half_window, (len(curve) - 1) // 2)),
            "rolling ball": lambda: library.rolling_ball(
                curve.y, half_window=min(self.half_window, (len(curve) - 1) // 2)
            ),
            "rubber band": lambda: library.rubberband(curve.y),
        }
        import warnings

        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                return np.asarray(calls[self.method]()[0], dtype=np.float64)
        except (np.linalg.LinAlgError, ValueError, RuntimeError) as error:
            raise InputError(f"{self.method} cannot be computed here ({error}); choose other values.") from error

    def _polynomial(self, curve: Curve) -> Floats:
        if self.anchors:
            x, y = self._anchor_points(curve)
        else:
            inside = in_band(curve.x, self.low, self.high, "range")
            x, y = curve.x[inside], curve.y[inside]
        if np.unique(x).size <= self.order:
            raise InputError(
                f"a polynomial of order {self.order} needs {self.order + 1} different x and has {np.unique(x).size}; "
                "add anchors or lower the order."
            )
        return np.asarray(np.polynomial.Polynomial.fit(x, y, self.order)(curve.x))

    def _through_anchors(self, curve: Curve) -> Floats:
        x, y = self._anchor_points(curve)
        if x.size == 1:
            return np.full(len(curve), float(y[0]))
        if x.size == 2:
            return np.asarray(y[0] + (y[1] - y[0]) * (curve.x - x[0]) / (x[1] - x[0]))
        from scipy.interpolate import CubicSpline

        inner = np.clip(curve.x, x[0], x[-1])
        spline = CubicSpline(x, y, bc_type="natural")
        # Beyond the outer anchors it goes on straight.
        return np.asarray(spline(inner) + spline(inner, 1) * (curve.x - inner))

    def _anchor_points(self, curve: Curve) -> tuple[Floats, Floats]:
        if not self.anchors:
            raise InputError("there are no anchors yet; double-click the plot where the baseline should pass.")
        x = np.array(self.anchors)
        near = max(2, len(curve) // 200)
        around = [np.argsort(np.abs(curve.x - at), kind="stable")[: 2 * near + 1] for at in x]
        y = np.array(self.heights) if self.heights else np.array([np.median(curve.y[place]) for place in around])
        order = np.argsort(x, kind="stable")
        x, y = x[order], y[order]
        fresh = np.concatenate([[True], np.diff(x) > 0])
        return x[fresh], y[fresh]

    def digest(self) -> str:
        return self.method

    @classmethod
    def fitted_to(cls, curve: Curve) -> Step:
        """Windows in step with the number of points."""
        return cls(half_window=max(5, len(curve) // 20))
