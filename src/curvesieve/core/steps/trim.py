"""Steps that cut away what does not belong."""

from __future__ import annotations

import numpy as np
from pydantic import model_validator

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.steps.base import Caught, Passed, Step, StepField


class KeepRange(Step):
    """Passes the points whose x lies between low and high, both included."""

    slug = "keep-range"
    label = "Keep range"
    intent = "trim"
    summary = "Keep one stretch of x, drop the rest"

    low: float | None = StepField(None, label="low", unit="x", help="Smallest x that passes; empty: no lower limit.")
    high: float | None = StepField(None, label="high", unit="x", help="Largest x that passes; empty: no upper limit.")

    @model_validator(mode="after")
    def _in_order(self) -> KeepRange:
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError(f"low ({self.low:g}) must not be above high ({self.high:g})")
        return self

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
    def fitted_to(cls, curve: Curve) -> Step:
        """The whole curve, so that a new step has edges to drag."""
        return cls(low=float(curve.x.min()), high=float(curve.x.max())) if len(curve) else cls()
