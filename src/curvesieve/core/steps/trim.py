"""Steps that cut away what does not belong."""

from __future__ import annotations

from dataclasses import replace
from typing import Self

import numpy as np

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.steps.base import Caught, Passed, Step


class KeepRange(Banded, Step):
    """Passes the points whose x lies between low and high, both included."""

    slug = "keep-range"
    label = "Keep range"
    group = "trim"
    left_out = "by itself"
    summary = "Keep one stretch of x, drop the rest"
    told = "only points {band} were kept"
    words = "crop cut trim window select region clip truncate limit"
    handles = (Band(),)

    low: float | None = RuleField(None, label="low", unit="x", help="Smallest x that passes; empty: no lower limit.")
    high: float | None = RuleField(None, label="high", unit="x", help="Largest x that passes; empty: no upper limit.")

    def apply(self, curve: Curve) -> Passed:
        keep = np.ones(len(curve), bool)
        if self.low is not None:
            keep &= curve.x >= self.low
        if self.high is not None:
            keep &= curve.x <= self.high
        if not keep.any():
            raise InputError(
                f"no point lies between {self.digest()}; the curve runs from {curve.x.min():g} to {curve.x.max():g}. "
                "Drag the band over the curve."
            )
        points = np.flatnonzero(~keep)
        caught = Caught(points, np.full(points.size, np.nan))
        return Passed(curve.take(keep), caught, f"{counted(len(caught), 'point')} outside the range")

    def digest(self) -> str:
        low = "start" if self.low is None else f"{self.low:g}"
        high = "end" if self.high is None else f"{self.high:g}"
        return f"{low} – {high}"

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The whole curve, so that a new step has edges to drag."""
        return cls(low=float(curve.x.min()), high=float(curve.x.max())) if len(curve) else cls()


class LeaveOut(Banded, Step):
    """Flags points as left out: they stay on the curve, but no fit and no reading uses them.

    Points are told by a band of x, by a rule such as ``y > 50``, or one by one by their x.
    """

    slug = "leave-out"
    label = "Leave out"
    group = "trim"
    left_out = "by itself"
    summary = "Keep points, but use them for nothing"
    told = "points {band} were kept and used for nothing"
    words = "exclude mask ignore omit flag outlier"
    handles = (Band(),)

    low: float | None = RuleField(None, label="low", unit="x", help="Where the band begins; empty with high: no band.")
    high: float | None = RuleField(None, label="high", unit="x", help="Where the band ends.")
    rule: str = RuleField("", label="rule", help="A comparison in x and y: points for which it holds are left out.")
    points: tuple[float, ...] = RuleField(
        (), label="points", unit="x", help="x of single points; Alt+drag around them on the plot."
    )

    def apply(self, curve: Curve) -> Passed:
        out = np.isin(curve.x, np.array(self.points))
        if self.low is not None or self.high is not None:
            low = -np.inf if self.low is None else self.low
            high = np.inf if self.high is None else self.high
            out |= (curve.x >= low) & (curve.x <= high)
        if self.rule.strip():
            out |= _holds(self.rule, curve)
        if not out.any():
            raise InputError("no point is named; give a band, a rule such as y > 50, or single points.")
        if out.all():
            raise InputError("every point would be left out; narrow the band or the rule.")
        flags = np.where(out, curve.flags | Flag.LEFT_OUT, curve.flags).astype(np.uint8)
        points = np.flatnonzero(out)
        caught = Caught(points, curve.y[points])
        return Passed(curve.with_y(curve.y, curve.u, flags), caught, f"{counted(points.size, 'point')} left out")

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The middle twentieth, so that there is a band to drag."""
        middle, span = float(curve.x.min() + np.ptp(curve.x) / 2), float(np.ptp(curve.x))
        return cls(low=middle - span / 40, high=middle + span / 40)


def _holds(rule: str, curve: Curve) -> np.ndarray:
    """Where a comparison in x and y holds; raises FormulaError when the text is none."""
    for sign in ("<=", ">=", "<", ">"):
        if sign in rule:
            break
    else:
        raise InputError(f"the rule “{rule}” compares nothing; write for example  y > 50  or  abs(x - 3) < 0.1")
    formula = parse(f"where({rule}, 1, 0)", ("x", "y"))
    if formula.parameters:
        raise InputError(f"the rule knows x and y, but not {', '.join(formula.parameters)}.")
    return np.broadcast_to(evaluate(formula, {"x": curve.x, "y": curve.y}) > 0, curve.x.shape)


class SortMerge(Step):
    """Puts the points in the order of x, and makes one of those with the same x: their mean.

    With u, the mean is weighted by 1/u² and has u = 1/√Σ(1/u²); otherwise it is the plain mean.
    """

    slug = "sort"
    label = "Sort and merge"
    group = "trim"
    left_out = "by itself"
    summary = "Order by x, average points that share it"
    told = "points were put in the order of x"
    words = "order merge duplicates unique ascending replicate x"

    merge: bool = RuleField(True, label="merge equal x", help="Average the points that share an x.")

    def apply(self, curve: Curve) -> Passed:
        order = np.argsort(curve.x, kind="stable")
        moved = int(np.count_nonzero(order != np.arange(order.size)))
        made = curve.take(order) if moved else curve
        if not self.merge:
            return Passed(made, Caught(), f"{counted(moved, 'point')} moved")
        return self._merged(made, order, moved)

    def _merged(self, made: Curve, order: np.ndarray, moved: int) -> Passed:
        """The ordered curve with one point for each x; points that are left out stay beside the others."""
        out = (made.flags & Flag.LEFT_OUT) != 0
        whole, made, order_used = made, made.used, order[~out]
        x, first, counts = np.unique(made.x, return_index=True, return_counts=True)
        if x.size == made.x.size:
            return Passed(whole, Caught(), f"{counted(moved, 'point')} moved")
        weights = np.ones(made.x.size) if made.u is None else 1 / made.u**2
        sums = np.add.reduceat(weights, first)
        y = np.add.reduceat(weights * made.y, first) / sums
        flags = np.bitwise_or.reduceat(made.flags, first)
        u = None if made.u is None else 1 / np.sqrt(sums)
        merged = replace(made, x=x, y=y, u=u, flags=flags)
        gone = np.sort(order_used[np.isin(made.x, x[counts > 1])])
        extra = made.x.size - x.size
        if out.any():
            merged = _joined(merged, whole.take(out))
        caught = Caught(gone, np.full(gone.size, np.nan))
        return Passed(merged, caught, f"{counted(moved, 'point')} moved, {extra:,} merged into others")

    def digest(self) -> str:
        return "by x, equal x averaged" if self.merge else "by x"


def _joined(one: Curve, other: Curve) -> Curve:
    """The points of two curves of the same kind in the order of x."""
    u = None if one.u is None or other.u is None else np.concatenate([one.u, other.u])
    x = np.concatenate([one.x, other.x])
    whole = replace(
        one, x=x, y=np.concatenate([one.y, other.y]), u=u, flags=np.concatenate([one.flags, other.flags])
    )  # fmt: skip
    return whole.take(np.argsort(x, kind="stable"))
