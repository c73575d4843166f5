"""Steps that leave points out: by place, by a shape over the map, by value."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np
from pydantic import model_validator

from curvesieve.core.fields.points import Points
from curvesieve.core.fields.steps.base import FieldPassed, FieldStep, taken_out
from curvesieve.core.rules import RuleField


def _ascending(pairs: tuple[tuple[str, float | None, float | None], ...]) -> None:
    for name, low, high in pairs:
        if low is not None and high is not None and low > high:
            raise ValueError(f"the limits of {name} must ascend, but are {low:g} and {high:g}")


class Crop(FieldStep):
    """Keeps a rectangle."""

    slug = "crop"
    label = "Crop"
    group = "trim"
    summary = "Keep a rectangle of the map"
    words = "cut range region limits"
    told = "only x from {x_low} to {x_high} and y from {y_low} to {y_high} was kept"

    x_low: float | None = RuleField(None, label="x from", unit="x", help="empty: no limit")
    x_high: float | None = RuleField(None, label="x to", unit="x", help="empty: no limit")
    y_low: float | None = RuleField(None, label="y from", unit="y", help="empty: no limit")
    y_high: float | None = RuleField(None, label="y to", unit="y", help="empty: no limit")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        _ascending((("x", self.x_low, self.x_high), ("y", self.y_low, self.y_high)))
        return self

    def apply(self, points: Points) -> FieldPassed:
        gone = np.zeros(len(points), dtype=bool)
        for values, low, high in ((points.x, self.x_low, self.x_high), (points.y, self.y_low, self.y_high)):
            gone |= (values < (-np.inf if low is None else low)) | (values > (np.inf if high is None else high))
        return taken_out(points, gone, "outside")


class Mask(FieldStep):
    """Leaves out what lies in a rectangle or an ellipse, or all but that."""

    slug = "mask"
    label = "Mask"
    group = "trim"
    summary = "Leave out what lies in a rectangle or an ellipse, or all but that"
    words = "exclude region circle hole"
    told = "points {out} a {shape} about ({x}, {y}) were left out"

    shape: Literal["rectangle", "ellipse"] = RuleField("ellipse", label="shape", help="of the mask")
    x: float = RuleField(0.0, label="middle x", unit="x", help="of the shape")
    y: float = RuleField(0.0, label="middle y", unit="y", help="of the shape")
    width: float = RuleField(1.0, label="width", unit="x", help="the whole of it, along x", gt=0)
    height: float = RuleField(1.0, label="height", unit="y", help="the whole of it, along y", gt=0)
    out: Literal["inside", "outside"] = RuleField("inside", label="leave out", help="what lies inside, or outside")

    def apply(self, points: Points) -> FieldPassed:
        across, up = 2 * (points.x - self.x) / self.width, 2 * (points.y - self.y) / self.height
        inside = np.maximum(abs(across), abs(up)) <= 1 if self.shape == "rectangle" else across**2 + up**2 <= 1
        return taken_out(points, inside if self.out == "inside" else ~inside, f"{self.out} the {self.shape}")


class Between(FieldStep):
    """Keeps values between two limits."""

    slug = "between"
    label = "Values between"
    group = "trim"
    summary = "Leave out values below or above a limit"
    words = "threshold clip range saturation"
    told = "only values from {low} to {high} were kept"

    low: float | None = RuleField(None, label="from", unit="z", help="empty: no limit")
    high: float | None = RuleField(None, label="to", unit="z", help="empty: no limit")

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        _ascending((("z", self.low, self.high),))
        return self

    def apply(self, points: Points) -> FieldPassed:
        low, high = -np.inf if self.low is None else self.low, np.inf if self.high is None else self.high
        return taken_out(points, (points.z < low) | (points.z > high), "beyond the limits")
