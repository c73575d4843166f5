"""Steps for what a test machine does to a curve: its own compliance, and what is before and after the test."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core.breaking import DROP, WITHIN, break_of
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import noise_along, whole
from curvesieve.core.steps.axis import in_units
from curvesieve.core.steps.base import ALONE, Caught, Others, Passed, Step


class Compliance(Step):
    """Takes off x what the machine itself gave under the load: y over a stiffness, or what a run without specimen says.

    x of force against extension, or of stress against strain with a stiffness in these units. The reference run is
    read along straight lines, its x at a y; below its first y it is prolonged to zero, beyond its last y it says
    nothing and the points are dropped. Noise of y goes into x and has no u there. Common practice.
    """

    slug = "compliance"
    label = "Machine compliance"
    group = "re-axis"
    left_out = "by itself"
    summary = "The machine's own give, taken off x"
    told = "the machine’s own give was taken off x ({settings})"
    words = "compliance stiffness crosshead machine frame correction extension deflection"

    by: Literal["a stiffness", "a reference run"] = RuleField(
        "a stiffness", label="by", help="A stiffness, or a curve of the machine without a specimen."
    )
    stiffness: float | None = RuleField(
        None, label="stiffness", gt=0, when="by: a stiffness", help="Of the machine, in the unit of y over that of x."
    )
    donor: str = RuleField(
        "", label="curve", donor=True, when="by: a reference run",
        help="The run without a specimen; at the command line, its file.",
    )  # fmt: skip

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        if self.by == "a stiffness":
            if self.stiffness is None:
                raise InputError("the stiffness of the machine is not set; type it, in the unit of y over that of x.")
            given = curve.y / self.stiffness
            said = f"x less y/{self.stiffness:g}, up to {np.abs(given).max():.4g}"
            return Passed(replace(curve, x=curve.x - given), Caught(), said)
        if not self.donor.strip():
            raise InputError("no other curve is named; choose the run without a specimen.")
        given, keep = self._given(curve, others)
        made = replace(curve, x=curve.x - np.where(keep, given, 0.0)).take(np.flatnonzero(keep))
        gone = np.flatnonzero(~keep)
        said = f"x less what {self.donor} gave, up to {np.abs(given[keep]).max():.4g}"
        said += f"; {counted(gone.size, 'point')} above its largest y dropped" if gone.size else ""
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), said)

    def _given(self, curve: Curve, others: Others) -> tuple[Floats, np.ndarray]:
        """What the machine gave at each point of the curve, of shape (n,), and where the reference run tells it."""
        run = in_units(others.curve(self.donor).used, curve.x_unit, curve.y_unit, self.donor)
        order = np.argsort(run.y, kind="stable")
        x, y = run.x[order], run.y[order]
        if len(run) < 2 or y[-1] <= 0:
            raise InputError(f"{self.donor} has no load above zero; it cannot tell what the machine gives.")
        zero = float(np.interp(0.0, y, x))
        x, y = np.append(0.0, x[y > 0] - zero), np.append(0.0, y[y > 0])
        keep = np.abs(curve.y) <= y[-1]
        if not keep.any():
            raise InputError(f"all loads lie above the largest of {self.donor}, {y[-1]:.6g}.")
        return np.sign(curve.y) * np.interp(np.abs(curve.y), y, x), keep

    def takes(self) -> tuple[str, ...]:
        return (self.donor,) if self.by == "a reference run" and self.donor.strip() else ()

    def digest(self) -> str:
        if self.by == "a stiffness":
            return f"stiffness {self.stiffness:g}" if self.stiffness is not None else "no stiffness yet"
        return f"by {self.donor or 'no run yet'}"


class KeepTest(Step):
    """Keeps the test itself: from where y has risen to a share of its largest, to the break or the largest y.

    The start is the first point from which on y stays above the share until its top; with *zero there* x counts from
    it, so that slack of the grips is gone. The break is that of the reading *Break*. Common practice.
    """

    slug = "test-part"
    label = "Start and end of test"
    group = "trim"
    left_out = "by itself"
    summary = "Drops slack before the load and what follows the break"
    told = "the test was taken from a load of {start} to {end}"
    words = "slack preload start end break fracture crop test tension grip"

    start: float = RuleField(
        0.0,
        label="start at",
        unit="%",
        ge=0,
        lt=100,
        help="The share of the largest y at which the test begins; 0: all.",
    )
    zero: bool = RuleField(False, label="zero there", help="Whether x counts from the first point that is kept.")
    end: Literal["the break", "the largest y", "the end"] = RuleField(
        "the break", label="end at", help="The last point before y falls, the largest y, or the end of the record."
    )
    drop: float = RuleField(
        DROP, label="fall by", gt=0, lt=1, when="end: the break",
        help="The share of the largest y so far that y loses at the break.",
    )  # fmt: skip
    within: int = RuleField(
        WITHIN,
        label="within",
        unit="points",
        ge=1,
        le=1000,
        when="end: the break",
        help="Over how many points it falls.",
    )

    def apply(self, curve: Curve) -> Passed:
        points = whole(curve)
        if len(points) < 2:
            raise InputError("fewer than two points are used; take some in again.")
        top = int(np.argmax(points.y))
        last = len(points) - 1
        if self.end == "the largest y":
            last = top
        elif self.end == "the break":
            noise = noise_along(points.x, points.y) if points.u is None else float(np.median(points.u))
            last, _ = break_of(points, noise if np.isfinite(noise) else 0.0, self.drop, self.within)
        level = self.start / 100 * float(points.y[top])
        below = np.flatnonzero(points.y[: top + 1] < level)
        first = int(below[-1]) + 1 if below.size and self.start > 0 else 0
        if first > last:
            raise InputError(
                f"y stays below {self.start:g} % of its largest until the end of the test; lower the share."
            )
        low, high = float(points.x[first]), float(points.x[last])
        keep = (curve.x >= low) & (curve.x <= high)
        gone = np.flatnonzero(~keep)
        made = curve.take(np.flatnonzero(keep))
        if self.zero:
            made = replace(made, x=made.x - low)
        used_gone = int(np.sum((curve.flags[gone] & Flag.LEFT_OUT) == 0))
        said = f"kept from {low:.6g} to {high:.6g}; {counted(used_gone, 'point')} dropped"
        said += f", x less {low:.6g}" if self.zero else ""
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), said)

    def digest(self) -> str:
        start = f"from {self.start:g} %" if self.start else "from the first point"
        return f"{start} to {self.end}" + (", zero there" if self.zero else "")
