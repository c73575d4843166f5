"""The step from engineering to true stress and strain."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import RuleField
from curvesieve.core.steps.base import Caught, Passed, Step


class TrueStress(Step):
    """Engineering stress and strain to true ones, for a volume that stays: ln(1 + ε) and σ(1 + ε).

    They hold while the specimen is uniform, which in tension is up to the highest stress: behind it the specimen necks,
    and its points are dropped. u of the stress goes with it; strain is taken as exact. Compression, where strain is
    below zero, follows the same formulas. ISO 10275 and ASTM E646; from memory.
    """

    slug = "true-stress"
    label = "True stress and strain"
    group = "transform"
    left_out = "by itself"
    summary = "Engineering to true, up to the highest stress"
    told = "engineering stress and strain were made true ones, up to {until}"
    words = "necking logarithmic hencky strain hardening tension"

    until: Literal["the highest stress", "the end"] = RuleField(
        "the highest stress",
        label="until",
        help="Where the specimen stops being uniform; points behind it are dropped.",
    )

    def apply(self, curve: Curve) -> Passed:
        base = units.in_base(curve.x_unit)
        if base.powers:
            raise InputError(
                f"x is in {units.shown(curve.x_unit)}, and a true strain is made of a strain; compute the strain when "
                "the file is brought in."
            )
        used = (curve.flags & Flag.LEFT_OUT) == 0
        if not used.any():
            raise InputError("every point is left out; take some in again.")
        strain = curve.x * base.factor
        kept = np.ones(len(curve), bool)
        if self.until == "the highest stress":
            own = np.flatnonzero(used)
            top = own[np.argmax(np.abs(curve.y[own]))]
            kept = np.abs(curve.x) <= abs(curve.x[top])
        if strain[kept].min() <= -1:
            raise InputError(
                f"the strain goes to {strain[kept].min():.4g}, and a specimen cannot lose all of its length. Is x in "
                "percent without saying so?"
            )
        stretch = 1 + strain[kept]
        made = curve.take(np.flatnonzero(kept))
        u = None if made.u is None else made.u * stretch
        made = replace(made.with_y(made.y * stretch, u, made.flags), x=np.log(stretch) / base.factor)
        gone = np.flatnonzero(~kept)
        last = made.x[np.argmax(np.abs(made.x))]
        said = f"true strain to {last:.6g}"
        if gone.size:
            said += f"; {counted(gone.size, 'point')} behind the highest stress dropped"
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), said)

    def digest(self) -> str:
        return f"until {self.until}"
