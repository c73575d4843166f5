"""Steps that change units or the way values are counted."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import frozen
from curvesieve.core.errors import InputError
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.steps.base import FieldPassed, FieldStep
from curvesieve.core.rules import RuleField


class Convert(FieldStep):
    """x, y or z in another unit."""

    slug = "convert-field"
    label = "Another unit"
    group = "units"
    summary = "x, y or z in another unit"
    words = "convert scale calibration"
    told = "{axis} was converted to {to}"

    axis: Literal["x", "y", "z", "x and y"] = RuleField("z", label="of", help="what is converted")
    to: str = RuleField("", label="unit", help="such as nm")

    def apply(self, points: Points) -> FieldPassed:
        if not self.to.strip():
            raise InputError("no unit is named; write one such as nm.")
        made = points
        for axis in self.axis.split(" and "):
            unit = getattr(points.names, f"{axis}_unit")
            values = units.convert(getattr(points, axis), unit, self.to.strip())
            u = made.u
            if axis == "z" and u is not None:
                zero = units.convert(np.zeros(1), unit, self.to.strip())
                u = np.abs(units.convert(u, unit, self.to.strip()) - zero)
            made = replace(
                made, **{axis: frozen(values)}, u=u, names=replace(made.names, **{f"{axis}_unit": self.to.strip()})
            )
        return FieldPassed.of(made, f"{self.axis} in {units.shown(self.to.strip())}")


class Factor(FieldStep):
    """z times a number, plus another."""

    slug = "factor-field"
    label = "Factor and offset"
    group = "units"
    summary = "z times a factor, plus an offset; turned over with −1"
    words = "scale multiply invert calibrate"
    told = "z was multiplied by {factor} and {offset} added"

    factor: float = RuleField(1.0, label="factor", help="that z is multiplied by; −1 turns the field over")
    offset: float = RuleField(0.0, label="offset", unit="z", help="added after that")
    unit: str = RuleField("", label="then in", help="the unit of z after that, such as µm; empty: the one it had")

    def apply(self, points: Points) -> FieldPassed:
        if self.factor == 0:
            raise InputError("a factor of 0 leaves nothing.")
        u = None if points.u is None else points.u * abs(self.factor)
        z = points.z * self.factor + self.offset
        if not np.isfinite(z).all():
            raise InputError("the values grow beyond all numbers; take a smaller factor.")
        said = f"times {self.factor:g}" + (f", plus {self.offset:g}" if self.offset else "")
        made = points.with_z(z, u)
        if self.unit.strip():
            made = replace(made, names=replace(made.names, z_unit=self.unit.strip()))
            said += f", in {units.shown(self.unit.strip())}"
        return FieldPassed.of(made, said)
