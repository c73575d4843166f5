"""Steps that bring a curve to its level: jumps closed, zeros subtracted, scales, baselines taken off."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import model_validator

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.rules import Band, Banded, Mark, RuleField
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step


def in_band(x: Floats, low: float | None, high: float | None, what: str, used: np.ndarray | None = None) -> np.ndarray:
    """The points of a band (an empty end is open) that are used; raises InputError when there is none.

    `x` and `used` have shape (n,), and so has the mask that comes back.
    """
    inside = (x >= (-np.inf if low is None else low)) & (x <= (np.inf if high is None else high))
    inside &= True if used is None else used
    if not inside.any():
        raise InputError(
            f"no point lies in the {what} ({low} to {high}); the curve runs from {x.min():g} to {x.max():g}."
        )
    return inside


def in_kelvin(curve: Curve) -> Curve:
    """The curve with a y on a scale that has a zero of its own (°C, °F) in kelvin: only so has it ratios."""
    if not units.has_own_zero(curve.y_unit):
        return curve
    ratio = units.convert(np.ones(1), curve.y_unit, "K")[0] - units.convert(np.zeros(1), curve.y_unit, "K")[0]
    u = None if curve.u is None else curve.u * ratio
    return replace(curve, y=units.convert(curve.y, curve.y_unit, "K"), u=u, y_unit="K")


class ShiftLevel(Step):
    """Closes a jump of y: all points behind it are moved by an offset, or scaled by a factor.

    The jump is where `at` says, or where the means of the points before and behind differ most against the noise. Its
    size is the gap at the middle between two straight lines through the `window` points on either side. u of the moved
    points takes in the standard error of that size.
    """

    slug = "shift-level"
    label = "Shift level"
    group = "repair"
    left_out = "shifted"
    summary = "Close a jump by an offset or a factor"
    told = "a jump was closed by an {by} ({settings})"
    words = "jump offset discontinuity stitch detector change step"
    handles = (Mark(),)

    at: float | None = RuleField(None, label="at", unit="x", help="x of the jump; empty: the largest one is found.")
    window: int = RuleField(10, label="window", unit="points", ge=2, le=10_000, help="Points used on either side.")
    by: Literal["offset", "factor"] = RuleField("offset", label="close by", help="Add a constant, or multiply by one.")

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


class Zero(Banded, Step):
    """Subtracts a zero from x or y: the first point's value, the mean over a band, or a number.

    As a preload, x is set to zero where y first reaches `value`, and the points before it are dropped.
    """

    slug = "zero"
    label = "Zero"
    group = "level"
    left_out = "by itself"
    summary = "Subtract the first point, a band's mean or a preload"
    told = "{axis} was set to zero ({settings})"
    words = "tare origin offset toe preload subtract"
    handles = (Band(when="by: band"),)

    axis: Literal["x", "y"] = RuleField("y", label="axis", help="Which of the two is zeroed.")
    by: Literal["first point", "band", "value", "preload"] = RuleField(
        "first point", label="by", help="What is subtracted."
    )
    low: float | None = RuleField(None, label="low", unit="x", help="Where the band begins.", when="by: band")
    high: float | None = RuleField(None, label="high", unit="x", help="Where the band ends.", when="by: band")
    value: float = RuleField(0.0, label="value", help="The number, or the preload in y.", when="by: value, preload")

    def apply(self, curve: Curve) -> Passed:
        if self.by == "preload":
            return self._preload(curve)
        zero, inside = self._zero(curve)
        message = f"{self.axis} less {zero:.6g}"
        if self.axis == "x":
            factor, unit = units.of_difference(curve.x_unit)
            return Passed(replace(curve, x=(curve.x - zero) * factor, x_unit=unit), Caught(), message)
        u, flags = curve.u, curve.flags
        if u is not None and self.by != "value":
            u = self._u(u, inside)
            message += "; u is correlated through the common zero"
        if inside.sum() == 1:  # zero by definition: it says nothing, and its u of nothing would outweigh all others
            flags = np.where(inside, flags | Flag.PATCHED, flags).astype(np.uint8)
        line = Line(curve.x, np.full(len(curve), zero), "taken")
        factor, unit = units.of_difference(curve.y_unit)
        u = None if u is None else u * factor
        made = replace(curve.with_y((curve.y - zero) * factor, u, flags), y_unit=unit)
        return Passed(made, Caught(), message, shapes=(line,))

    def _zero(self, curve: Curve) -> tuple[float, np.ndarray]:
        """What is subtracted, and the points that it is made of; those that are left out are never among them."""
        used = (curve.flags & Flag.LEFT_OUT) == 0
        values = curve.x if self.axis == "x" else curve.y
        if self.by == "value":
            return self.value, np.zeros(len(curve), bool)
        if not used.any():
            raise InputError("every point is left out; take some in again.")
        inside = np.zeros(len(curve), bool)
        if self.by == "first point":
            inside[np.flatnonzero(used)[0]] = True
        else:
            inside = in_band(curve.x, self.low, self.high, "band", used)
        return float(values[inside].mean()), inside

    @staticmethod
    def _u(u: Floats, inside: np.ndarray) -> Floats:
        """The zero's own u comes in; a point that is part of the zero is correlated with it."""
        count = int(inside.sum())
        common = float(np.sum(u[inside] ** 2)) / count**2
        total = u**2 + common - np.where(inside, 2 * u**2 / count, 0.0)
        return np.sqrt(total if count > 1 else np.where(inside, u**2 + common, total))

    def _preload(self, curve: Curve) -> Passed:
        used = np.flatnonzero((curve.flags & Flag.LEFT_OUT) == 0)
        reached = used[curve.y[used] >= self.value]
        if not reached.size:
            raise InputError(f"y never reaches the preload of {self.value:g}; its largest value is {curve.y.max():g}.")
        first = int(reached[0])
        at = float(curve.x[first])
        before = used[used < first][-1:]
        if before.size:  # the point before lies below the preload
            last = int(before[0])
            share = (self.value - curve.y[last]) / (curve.y[first] - curve.y[last])
            at = float(curve.x[last] + share * (curve.x[first] - curve.x[last]))
        made = curve.take(slice(first, None))
        gone = np.arange(first)
        message = f"x zero where y reaches {self.value:g}, at {at:.6g}"
        factor, unit = units.of_difference(curve.x_unit)
        made = replace(made, x=(made.x - at) * factor, x_unit=unit)
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), message)

    def digest(self) -> str:
        return f"{self.axis}, {self.by}" + (f" {self.value:g}" if self.by in ("value", "preload") else "")


class Scale(Banded, Step):
    """Multiplies x or y by a factor, converts its unit, or normalises y: to its maximum, its area, a band's mean or a
    reference point. u is scaled with y; the reference is taken as exact."""

    slug = "scale"
    label = "Scale"
    group = "level"
    left_out = "by itself"
    summary = "Factor, other unit, or normalised"
    told = "{axis} was scaled ({settings})"
    words = "normalise normalize convert unit multiply divide factor"
    handles = (Band(when="by: band, area"), Mark(when="by: point"))

    axis: Literal["x", "y"] = RuleField("y", label="axis", help="Which of the two is scaled.")
    by: Literal["factor", "unit", "maximum", "area", "band", "point"] = RuleField(
        "maximum", label="by", help="What becomes of it; maximum, area, band and point become 1."
    )
    factor: float = RuleField(1.0, label="factor", help="The number to multiply by.", when="by: factor")
    unit: str = RuleField("", label="unit", help="The unit to convert to, such as MPa.", when="by: unit")
    low: float | None = RuleField(None, label="low", unit="x", help="Where the band begins.", when="by: band, area")
    high: float | None = RuleField(None, label="high", unit="x", help="Where the band ends.", when="by: band, area")
    at: float | None = RuleField(None, label="at", unit="x", help="x of the reference point.", when="by: point")

    @model_validator(mode="after")
    def _acts(self) -> Scale:
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
            curve = in_kelvin(curve)
            reference = self._reference(curve.used)
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
            low, high = float(curve.x.min()), float(curve.x.max())
            if not low <= self.at <= high:
                raise InputError(f"the reference point at {self.at:g} lies outside the curve ({low:g} to {high:g}).")
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
