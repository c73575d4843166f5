"""Steps that change x: calibration by reference lines, and resampling."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, Literal

import numpy as np
from pydantic import model_validator

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import Band, RuleField
from curvesieve.core.steps.base import ALONE, Caught, Others, Passed, Step
from curvesieve.core.steps.carry import carried, drawn_u
from curvesieve.core.steps.reference_lines import TABLES, TakesTable, nearest_lines


def in_units(other: Curve, x_unit: str, y_unit: str, name: str) -> Curve:
    """Another curve with its numbers in these units; a unit that one of both does not say is taken to be the same.

    Raises InputError where they measure different things.
    """
    made: dict[str, Any] = {}
    for axis, here in (("x", x_unit), ("y", y_unit)):
        there = getattr(other, f"{axis}_unit")
        if not here or not there or here == there:
            continue
        values = getattr(other, axis)
        try:
            made[axis] = units.convert(values, there, here)
        except InputError:
            raise InputError(f"{axis} of {name} is in {there}, here in {here}; they do not match.") from None
        made[f"{axis}_unit"] = here
        if axis == "y" and other.u is not None:
            one, zero = (float(units.convert(np.array([value]), there, here)[0]) for value in (1.0, 0.0))
            made["u"] = other.u * (one - zero)
    return replace(other, **made) if made else other


class CalibrateX(TakesTable, Step):
    """Moves x so that measured line positions fall on reference lines: by a shift, or by a polynomial of x.

    `measured` are positions on this curve. `references` are where they belong; left empty, they are the nearest lines
    of the table. The residuals of the calibration are reported.
    """

    slug = "calibrate-x"
    label = "Calibrate x"
    group = "re-axis"
    left_out = "by itself"
    summary = "Bring measured lines to their reference positions"
    told = "x was calibrated by known lines"
    words = "calibration standard shift axis correct wavelength"
    reference = "reference lines: see `reference_lines`"

    measured: tuple[float, ...] = RuleField((), label="measured lines", unit="x", help="Positions found on this curve.")
    references: tuple[float, ...] = RuleField(
        (), label="reference lines", unit="x", help="Where they belong; empty: the nearest lines of the table."
    )
    table: str = RuleField("none", label="table", help="Lines to take the nearest from.", examples=list(TABLES))
    order: int = RuleField(0, label="order", ge=0, le=5, help="0 shifts, 1 shifts and stretches, 2 and more bend.")

    carried: tuple[str, tuple[float, ...]] | None = RuleField(
        None, label="carried lines", carried=True, help="Name and positions of a table of one's own that is in use."
    )

    @model_validator(mode="after")
    def _whole(self) -> CalibrateX:
        if self.references and len(self.references) != len(self.measured):
            raise ValueError(f"there are {len(self.measured)} measured but {len(self.references)} reference lines")
        return self

    def apply(self, curve: Curve) -> Passed:
        measured = np.array(self.measured)
        if not measured.size:
            raise InputError("no measured line is given; type the positions of lines that you know.")
        wanted = np.array(self.references) if self.references else self._nearest(measured)
        if measured.size <= self.order:
            raise InputError(f"order {self.order} needs {self.order + 1} lines, and {measured.size} are given.")
        if np.unique(measured).size < measured.size:
            raise InputError("two measured lines have the same position; remove one.")
        correction = np.polynomial.Polynomial.fit(measured, wanted - measured, self.order)
        x = curve.x + correction(curve.x)
        if not (np.all(np.diff(x[np.argsort(curve.x, kind="stable")]) >= 0)):
            raise InputError("the calibration would fold x over itself; lower the order or check the lines.")
        residual = wanted - measured - correction(measured)
        dof = measured.size - self.order - 1
        rms = float(np.sqrt(residual @ residual / dof)) if dof > 0 else 0.0
        rounding = 1e-12 * float(np.abs(wanted).max())
        worst = ", ".join(f"{0.0 if abs(r) <= rounding else r:+.3g}" for r in residual)
        said = f"{counted(measured.size, 'line')}, residuals {worst}" + (
            f"; standard deviation {rms:.3g}" if dof else ""
        )
        return Passed(replace(curve, x=x), Caught(), said)

    def _nearest(self, measured: Floats) -> Floats:
        return nearest_lines(self.table, self.lines_known(), measured)

    def digest(self) -> str:
        return f"{counted(len(self.measured), 'line')}, order {self.order}"


Between = Literal["nearest", "previous", "linear", "quadratic", "cubic spline", "pchip", "akima"]


class Resample(Step):
    """Values of the curve at other x: a regular grid, another curve's x, or given ones. Made points are flagged.

    u is carried by the slopes of the interpolation. Beyond the curve's ends nothing is made unless asked.
    """

    slug = "resample"
    label = "Resample"
    group = "re-axis"
    summary = "Onto a regular grid, another curve's x, or given x"
    told = "the curve was resampled ({settings})"
    words = "interpolate grid regrid rebin even spacing common x align"
    handles = (Band(when="onto: grid"),)

    onto: Literal["grid", "another curve", "given x"] = RuleField("grid", label="onto", help="Which x the points get.")
    method: Between = RuleField("linear", label="method", help="How values between points are found.")
    spacing: float | None = RuleField(
        None,
        label="step",
        unit="x",
        gt=0,
        help="Distance of the grid; empty: as many points as now.",
        when="onto: grid",
    )
    low: float | None = RuleField(
        None, label="low", unit="x", help="First x of the grid; empty: the curve's.", when="onto: grid"
    )
    high: float | None = RuleField(
        None, label="high", unit="x", help="Last x of the grid; empty: the curve's.", when="onto: grid"
    )
    donor: str = RuleField(
        "", label="curve", help="The label of the curve whose x is used.", when="onto: another curve", donor=True
    )
    values: tuple[float, ...] = RuleField(
        (), label="x values", unit="x", help="The x to make points at.", when="onto: given x"
    )
    beyond: bool = RuleField(False, label="beyond the ends", help="Go on beyond the measured x (a guess, not a value).")

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        x = self._wanted(curve, others)
        first, last = float(curve.x.min()), float(curve.x.max())
        rounding = 1e-9 * (last - first)  # 3 · 0.1 is a little more than 0.3
        inside = (x >= first - rounding) & (x <= last + rounding)
        x = np.where(inside, np.clip(x, first, last), x)
        outside = int(np.count_nonzero(~inside))
        if not self.beyond:
            x = x[inside]
        if not x.size:
            raise InputError(f"none of the wanted x lies on the curve, from {curve.x.min():g} to {curve.x.max():g}.")
        operator = interpolator(curve.x, self.method)
        if self.method in ("akima", "pchip"):
            u = drawn_u(lambda y: operator(y)(x), curve.y, curve.u)
        else:
            u = carried(lambda y: operator(y)(x), curve.y, curve.u, 12)
        kept = np.isin(x, curve.x)
        nearest = np.clip(np.searchsorted(curve.x, x), 0, len(curve) - 1)
        flags = np.where(kept, curve.flags[nearest], Flag.PATCHED).astype(np.uint8)
        made = replace(curve, x=x, y=operator(curve.y)(x), u=u, flags=flags)
        said = f"{counted(x.size, 'point')}, {int(np.count_nonzero(~kept)):,} of them made ({self.method})"
        if u is not None:
            said += "; u of neighbours is correlated"
        if outside:
            said += f"; {outside:,} beyond the ends {'guessed' if self.beyond else 'not made'}"
        return Passed(made, Caught(), said)

    def takes(self) -> tuple[str, ...]:
        return (self.donor,) if self.onto == "another curve" and self.donor.strip() else ()

    def _wanted(self, curve: Curve, others: Others) -> Floats:
        if self.onto == "another curve":
            if not self.donor.strip():
                raise InputError("no curve is named whose x should be used; choose one.")
            return np.unique(in_units(others.curve(self.donor).used, curve.x_unit, "", self.donor).x)
        if self.onto == "given x":
            if not self.values:
                raise InputError("no x values are given; paste or type them.")
            return np.unique(np.array(self.values))
        low = float(curve.x.min()) if self.low is None else self.low
        high = float(curve.x.max()) if self.high is None else self.high
        if not low < high:
            raise InputError(f"the grid must run from a smaller to a larger x, not from {low:g} to {high:g}.")
        if self.spacing is None:
            return np.asarray(np.linspace(low, high, len(curve)), dtype=np.float64)
        count = int(np.floor((high - low) / self.spacing * (1 + 1e-12))) + 1
        if count > 20_000_000:
            raise InputError(f"a spacing of {self.spacing:g} makes {count:,} points; choose a larger one.")
        return np.asarray(low + self.spacing * np.arange(count), dtype=np.float64)

    def digest(self) -> str:
        return f"{self.onto}, {self.method}"


def interpolator(x: Floats, method: str) -> Callable[[Floats], Callable[[Floats], Floats]]:
    """From y to a function of x, by the method's name; raises InputError for x out of order or too few points.

    `x` has shape (n,), and so has the y that it is given; the function takes any shape of x.
    """
    from scipy import interpolate

    needed = {"quadratic": 3, "cubic spline": 3, "pchip": 2, "akima": 3}.get(method, 2)
    if not np.all(np.diff(x) > 0):
        raise InputError("x repeats or goes back; put Sort and merge before this step.")
    if x.size < needed:
        raise InputError(f"{method} needs {needed} points, and the curve has {x.size}.")
    match method:
        case "cubic spline":
            return lambda y: interpolate.CubicSpline(x, y)
        case "pchip":
            return lambda y: interpolate.PchipInterpolator(x, y, extrapolate=True)
        case "akima":
            return lambda y: interpolate.Akima1DInterpolator(x, y, extrapolate=True)
        case "quadratic":
            return lambda y: interpolate.make_interp_spline(x, y, k=2)
        case "linear":
            return lambda y: interpolate.make_interp_spline(x, y, k=1)
        case "nearest":
            edges = (x[1:] + x[:-1]) / 2
            return lambda y: lambda at: y[np.searchsorted(edges, at)]
    return lambda y: lambda at: y[np.maximum(np.searchsorted(x, at, side="right") - 1, 0)]
