"""Steps that take from other curves: a blank, a reference, replicates."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import RuleField
from curvesieve.core.shapes import Line
from curvesieve.core.steps.axis import in_units, interpolator
from curvesieve.core.steps.base import ALONE, Caught, Others, Passed, Step
from curvesieve.core.steps.carry import carried
from curvesieve.core.steps.level import in_kelvin


class Combine(Step):
    """This curve less, plus, times or divided by another one (a blank, a reference), at this curve's x.

    The other curve is read between its points along straight lines; where it does not reach, points are dropped. u of
    both is combined as for independent curves.
    """

    slug = "combine"
    label = "Combine"
    group = "combine"
    left_out = "by itself"
    summary = "Subtract, add or divide by another curve"
    told = "another curve was combined with it ({settings})"
    words = "blank reference background subtract difference ratio correct"

    operation: Literal["subtract", "add", "multiply", "divide"] = RuleField(
        "subtract", label="operation", help="What is done with the other curve."
    )
    donor: str = RuleField(
        "", label="curve", help="The label of the other curve; at the command line, its file.", donor=True
    )
    factor: float = RuleField(1.0, label="factor", help="The other curve is multiplied by it first.")

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        if not self.donor.strip():
            raise InputError("no other curve is named; choose the blank or reference.")
        donor = others.curve(self.donor).used
        if not len(donor):
            raise InputError(f"every point of {self.donor} is left out.")
        donor = in_units(donor, curve.x_unit, "", self.donor)
        curve, donor = self._on_one_scale(curve, donor)
        if self.operation in ("subtract", "add"):
            donor = in_units(donor, "", curve.y_unit, self.donor)
        keep = (curve.x >= donor.x.min()) & (curve.x <= donor.x.max())
        if not keep.any():
            raise InputError(
                f"{self.donor} does not reach over this curve's x ({curve.x.min():g} to {curve.x.max():g})."
            )
        made = curve.take(keep) if not keep.all() else curve
        other, other_u = on_grid(donor, made.x)
        other = other * self.factor
        other_u = None if other_u is None else other_u * abs(self.factor)
        y, slopes = self._computed(made.y, other)
        finite = np.isfinite(y)
        if not finite.all():
            raise InputError(f"{self.donor} is zero at {int((~finite).sum())} points, by which nothing can be divided.")
        u = _joined(made.u, other_u, slopes)
        unit = curve.y_unit
        if self.operation in ("multiply", "divide"):
            sign = 1 if self.operation == "multiply" else -1
            unit = units.power_product(donor.y_unit, sign, curve.y_unit, 1)
        gone = np.flatnonzero(~keep)
        said = f"{self.operation} {self.donor}" + (
            f"; {counted(gone.size, 'point')} beyond its ends dropped" if gone.size else ""
        )
        shapes = (Line(made.x, other, "taken"),) if self.operation in ("subtract", "add") else ()
        result = replace(made.with_y(y, u, made.flags), y_unit=unit)
        return Passed(result, Caught(gone, np.full(gone.size, np.nan)), said, shapes=shapes)

    def _on_one_scale(self, curve: Curve, donor: Curve) -> tuple[Curve, Curve]:
        """Temperatures in kelvin, before they are combined: °C and °F count from zeros of their own."""
        if not (units.has_own_zero(curve.y_unit) or units.has_own_zero(donor.y_unit)):
            return curve, donor
        if self.operation == "add":
            raise InputError(
                f"temperatures in {curve.y_unit or 'no unit'} and {donor.y_unit or 'no unit'} have no sum; subtract "
                "them, or scale both to K first."
            )
        return in_kelvin(curve), in_kelvin(donor)

    def _computed(self, y: Floats, other: Floats) -> tuple[Floats, tuple[Floats, Floats]]:
        """The result and its slopes by this and by the other curve."""
        one = np.ones(y.size)
        with np.errstate(divide="ignore", invalid="ignore"):
            match self.operation:
                case "subtract":
                    return y - other, (one, one)
                case "add":
                    return y + other, (one, one)
                case "multiply":
                    return y * other, (other, y)
            return y / other, (1 / other, y / other**2)

    def takes(self) -> tuple[str, ...]:
        return (self.donor,) if self.donor.strip() else ()

    def digest(self) -> str:
        return f"{self.operation} {self.donor or 'nothing yet'}"


def on_grid(curve: Curve, x: Floats) -> tuple[Floats, Floats | None]:
    """y and u of a curve at other x, along straight lines between its points.

    `x` has shape (m,), and so have y and u.
    """
    order = np.argsort(curve.x, kind="stable")
    ordered = curve.take(order)
    if np.array_equal(ordered.x, x):
        return ordered.y, ordered.u
    operator = interpolator(ordered.x, "linear")
    return np.asarray(operator(ordered.y)(x)), carried(lambda y: np.asarray(operator(y)(x)), ordered.y, ordered.u, 2)


def _joined(u: Floats | None, other: Floats | None, slopes: tuple[Floats, Floats]) -> Floats | None:
    if u is None and other is None:
        return None
    parts = [0.0 if part is None else (slope * part) ** 2 for part, slope in zip((u, other), slopes, strict=True)]
    total = np.sqrt(parts[0] + parts[1])
    return np.maximum(total, 1e-12 * float(np.max(total)))


_SURE, _BLOCKS, _FREEDOM = 1e-3, 10, 60
"""Chance below which the scatter counts as changing along the curve, blocks that it is judged by, and degrees of
freedom that a pooled variance must rest on: its square root is then known to 9 %."""


def _pooled(variances: Floats, dof: int) -> tuple[Floats, str]:
    """The s. d. at each point from variances of few values, pooled; and over what, in words.

    Whether the variance changes along the curve is asked by Bartlett's test (Proc. R. Soc. A 160 (1937) 268; from
    memory) of ten blocks, without its small-sample correction, which such blocks do not need.
    """
    from scipy.ndimage import uniform_filter1d
    from scipy.special import chdtrc

    n = variances.size
    whole = float(variances.mean())
    window = min(n, max(3, -(-_FREEDOM // dof))) | 1
    blocks = np.array([part.mean() for part in np.array_split(variances, _BLOCKS) if part.size])
    if n < 2 * window or whole <= 0 or not blocks.min() > 0:
        return np.full(n, np.sqrt(whole)), "the curve"
    statistic = dof * n / blocks.size * float(np.sum(np.log(whole) - np.log(blocks)))
    if chdtrc(blocks.size - 1, statistic) > _SURE:
        return np.full(n, np.sqrt(whole)), "the curve"
    return np.sqrt(uniform_filter1d(variances, window, mode="nearest")), f"{window} neighbouring points"


class Average(Step):
    """The mean or median of this curve and its replicates, at this curve's x and where all reach.

    u is the scatter of the replicates: s/√n for the mean, and π/2 times its square for the median (the large-sample
    value for normal noise). A few replicates tell little of s at a single point, and weights made of that would be
    noise: s² is pooled over the whole curve, or, where it changes along the curve, over neighbouring points.
    """

    slug = "average"
    label = "Average"
    group = "combine"
    left_out = "stay"
    summary = "Mean or median of the family's replicates"
    told = "the {by} of the family’s curves was taken"
    words = "mean median replicates repeat combine"

    by: Literal["mean", "median"] = RuleField("mean", label="by", help="The median is not pulled by one bad replicate.")
    donors: tuple[str, ...] = RuleField(
        (), label="curves", help="Labels of the replicates; empty: all others of the family.", donor=True
    )

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        named = [(name, others.curve(name)) for name in self.donors]
        named = named or [("another curve of the family", other) for other in others.family()]
        replicates = [in_units(c.used, curve.x_unit, curve.y_unit, name) for name, c in named if len(c.used)]
        if not replicates:
            raise InputError("there is no other curve to average with; name some, or bring replicates in as a family.")
        low = max(float(c.x.min()) for c in (curve, *replicates))
        high = min(float(c.x.max()) for c in (curve, *replicates))
        keep = (curve.x >= low) & (curve.x <= high)
        if not keep.any():
            raise InputError("the replicates have no x in common.")
        made = curve.take(keep)
        stack = np.array([made.y, *(on_grid(replicate, made.x)[0] for replicate in replicates)])
        y = stack.mean(axis=0) if self.by == "mean" else np.median(stack, axis=0)
        s, over = _pooled(stack.var(axis=0, ddof=1), len(stack) - 1)
        u = s / np.sqrt(len(stack)) * (1.0 if self.by == "mean" else np.sqrt(np.pi / 2))
        if not u.max() > 0:
            raise InputError("the replicates are equal to the last digit; without scatter there is no u.")
        gone = np.flatnonzero(~keep)
        said = f"{self.by} of {len(stack)} curves; u from their scatter, pooled over {over}"
        return Passed(made.with_y(y, u, made.flags), Caught(gone, np.full(gone.size, np.nan)), said)

    def takes(self) -> tuple[str, ...] | None:
        return self.donors or None

    def digest(self) -> str:
        return f"{self.by} of {counted(len(self.donors), 'curve') + ' and this' if self.donors else 'the family'}"
