"""Steps that prepare scattering: a level at large q, bins even in ln q, q from angles, an absolute scale."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, Self

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag
from curvesieve.core.diffraction import NAMED, axis_of, wavelength_of
from curvesieve.core.errors import InputError, counted
from curvesieve.core.porod import porod_law
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import above_zero, of_decades, whole
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.steps.level import in_band


class LevelAtLargeQ(Banded, Step):
    """Takes off a level that does not depend on q, found at the largest q: by Porod's law K/q⁴ + B, or as the mean.

    u takes in that of the level, which is the same for all points.
    """

    slug = "level-at-large-q"
    label = "Level at large q"
    group = "level"
    left_out = "shifted"
    summary = "A constant background found at large q and taken off"
    told = "a level found at large q was taken off ({settings})"
    words = "incoherent background constant porod scattering flat"
    handles = (Band(opens=(0.8, 1.0)),)

    by: Literal["Porod's law", "the mean"] = RuleField(
        "Porod's law", label="by", help="K/q⁴ + B through the band, or the mean of what is in it."
    )
    low: float | None = RuleField(None, label="from", unit="x", help="Where the band at large q begins.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends; empty: at the end.")

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        ends = of_decades(curve, 0.75)
        return cls(low=ends[0]) if ends else cls()

    def apply(self, curve: Curve) -> Passed:
        points = above_zero(whole(curve))
        inside = in_band(points.x, self.low, self.high, "band at large q")
        part = points.take(inside)
        if len(part) < 3:
            raise InputError(f"{counted(len(part), 'point')} in the band at large q; three are needed.")
        if self.by == "Porod's law":
            law = porod_law(part, True)
            level, u_level = law.level, law.u(1)
            drawn = law.constant / part.x**4 + level
        else:
            weight = np.ones(len(part)) if part.u is None else 1 / part.u**2
            level = float(weight @ part.y / weight.sum())
            spread = float(np.std(part.y, ddof=1)) / len(part) ** 0.5
            u_level = spread if part.u is None else float(weight.sum() ** -0.5)
            drawn = np.full(len(part), level)
        u = None if curve.u is None else np.hypot(curve.u, u_level or 0.0)
        y = curve.y - level
        below = int((y <= 0).sum())
        said = f"level {level:.5g}" + (f" ± {u_level:.2g}" if u_level is not None else "") + " taken off"
        said += f"; {counted(below, 'point')} now at or below 0" if below else ""
        return Passed(curve.with_y(y, u, curve.flags), Caught(), said, (Line(part.x, drawn, "taken"),))

    def digest(self) -> str:
        return f"by {self.by}" + ("" if self.low is None else f", from {self.low:g}")


class LogBins(Step):
    """Averages points in bins that are even in ln q: the mean of q and of I, weighted by u where it is known.

    u of a bin is that of the weighted mean, without u the scatter in the bin over √n; a bin of one point keeps what
    that has. Points at q of zero or below are dropped, and told.
    """

    slug = "log-bins"
    label = "Bins in log q"
    group = "re-axis"
    left_out = "dropped"
    summary = "Fewer points, even in the logarithm of q, with u"
    told = "points were averaged in bins even in log q ({settings})"
    words = "rebin logarithmic average binning decade scattering"
    reference = "weighted mean, JCGM 100:2008, H.3; common practice"

    per_decade: int = RuleField(40, label="bins in a decade", ge=2, le=2000, help="How many bins a decade of q has.")

    def apply(self, curve: Curve) -> Passed:
        above = curve.x > 0
        if not above.any():
            raise InputError("no point has q above zero, and only these have a logarithm.")
        x, y, u = curve.x[above], curve.y[above], None if curve.u is None else curve.u[above]
        place = np.floor(np.log10(x / x.min()) * self.per_decade + 1e-9).astype(np.intp)
        _, number = np.unique(place, return_inverse=True)
        count = np.bincount(number).astype(float)
        weight = np.ones(x.size) if u is None else 1 / u**2
        total = np.bincount(number, weight)
        mean_x, mean = (np.bincount(number, weight * v) / total for v in (x, y))
        made_u = None
        if u is not None:
            made_u = total**-0.5
        elif (count > 1).all():
            rest = np.bincount(number, (y - mean[number]) ** 2)
            made_u = np.sqrt(rest / (count - 1) / count)
            made_u = np.where(made_u > 0, made_u, float(np.median(made_u)) or np.nan)
            made_u = made_u if np.isfinite(made_u).all() and (made_u > 0).all() else None
        flags = np.zeros(mean.size, curve.flags.dtype)
        np.bitwise_or.at(flags, number, curve.flags[above] & Flag.PATCHED)
        gone = np.flatnonzero(~above)
        said = f"{counted(x.size, 'point')} averaged to {mean.size}"
        said += f"; {counted(gone.size, 'point')} with q at or below 0 dropped" if gone.size else ""
        u_made = None if made_u is None else np.asarray(made_u, dtype=np.float64)
        made = replace(curve, x=mean_x, y=mean, u=u_made, flags=flags)
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), said)

    def digest(self) -> str:
        return f"{self.per_decade} in a decade"


class ScatteringVector(Step):
    """x from the angle 2θ between the beams to q = 4π·sin θ/λ, or from one unit of q to another."""

    slug = "scattering-vector"
    label = "Scattering vector q"
    group = "re-axis"
    left_out = "by itself"
    summary = "q from 2θ and the wavelength, in 1/nm or 1/Å"
    told = "x was made the scattering vector q ({settings})"
    words = "two theta angle momentum transfer wavelength convert saxs diffraction"
    reference = "q = 4π·sin θ/λ; Bragg's law"

    to: Literal["1/nm", "1/Å"] = RuleField("1/nm", label="q in", help="The unit of q.")
    wavelength: str = RuleField(
        "Cu Kα", label="wavelength", max_length=60, examples=list(NAMED),
        help="A radiation, a length or an energy, as 0.15406 nm; only where x is an angle.",
    )  # fmt: skip
    x_is: Literal["by its unit", "2θ in degrees", "q in 1/nm", "q in 1/Å"] = RuleField(
        "by its unit", label="x is", help="What an x without a unit of its own is."
    )

    def apply(self, curve: Curve) -> Passed:
        unit = curve.x_unit
        if self.x_is != "by its unit":
            if unit.strip():
                raise InputError(f"x is in {units.shown(unit)} already; let it be by its unit.")
            unit = {"2θ in degrees": "deg", "q in 1/nm": "1/nm", "q in 1/Å": "1/Å"}[self.x_is]
        axis = axis_of(unit)
        factor = 1.0 if self.to == "1/nm" else 0.1
        if axis.kind == "q":
            x, said = curve.x * axis.factor * factor, f"in {self.to}"
        else:
            wave = wavelength_of(self.wavelength).value
            half = curve.x * axis.factor / 2
            if len(curve) and float(np.abs(half).max()) > np.pi / 2:
                raise InputError(f"an angle of {np.abs(curve.x).max():g} is beyond 180°; is x in degrees?")
            x, said = 4 * np.pi / wave * np.sin(half) * factor, f"in {self.to}, λ = {wave:.6g} nm"
        made = replace(curve, x=x, x_label="q", x_unit=self.to)
        return Passed(made, Caught(), f"q from {x.min():.4g} to {x.max():.4g} {said}" if x.size else "no point")

    def digest(self) -> str:
        return f"in {self.to}, λ {self.wavelength}"


class AbsoluteScale(Step):
    """Brings intensities to an absolute scale: times a factor found with a standard, over the thickness of the sample.

    I = factor·y/thickness, in the reciprocal of the thickness's unit where y has none or is in counts.
    """

    slug = "absolute-scale"
    label = "Absolute scale"
    group = "level"
    left_out = "by itself"
    summary = "By the sample's thickness and a standard's factor, in 1/cm"
    told = "it was brought to an absolute scale ({settings})"
    words = "glassy carbon water standard calibration thickness cross section scattering"

    thickness: float = RuleField(0.1, label="thickness/cm", gt=0, help="Of the sample in the beam, in cm.")
    factor: float = RuleField(
        1.0, label="factor", gt=0, help="What the standard is known to scatter over what was measured of it."
    )

    def apply(self, curve: Curve) -> Passed:
        scale = self.factor / self.thickness
        unit = "1/cm" if units.shown(curve.y_unit) in ("", "counts") else units.power_product(curve.y_unit, 1, "cm", -1)
        u = None if curve.u is None else curve.u * scale
        made = replace(curve.with_y(curve.y * scale, u, curve.flags), y_unit=unit)
        return Passed(made, Caught(), f"× {scale:.5g}, in {units.shown(unit)}")

    def digest(self) -> str:
        return f"{self.thickness:g} cm thick, factor {self.factor:g}"
