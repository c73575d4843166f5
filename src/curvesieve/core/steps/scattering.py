"""Steps that prepare scattering: a blank, a level at large q, bins even in ln q, ranges merged, an absolute scale."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, Self

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.diffraction import NAMED, axis_of, wavelength_of
from curvesieve.core.errors import InputError, counted
from curvesieve.core.porod import porod_law
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import above_zero, of_decades, whole
from curvesieve.core.shapes import Line
from curvesieve.core.steps.axis import in_units
from curvesieve.core.steps.base import ALONE, Caught, Others, Passed, Step
from curvesieve.core.steps.combine import on_grid
from curvesieve.core.steps.level import in_band


def _donor(named: str, curve: Curve, others: Others, what: str) -> Curve:
    if not named.strip():
        raise InputError(f"no other curve is named; choose {what}.")
    donor = others.curve(named).used
    if len(donor) < 2:
        raise InputError(f"{named} has fewer than two points that are used.")
    return in_units(donor, curve.x_unit, curve.y_unit, named)


def matched(y: Floats, u: Floats | None, other: Floats, other_u: Floats | None) -> tuple[float, float, float]:
    """The factor with which another curve comes nearest to this one, its u, and χ² per degree of freedom.

    All of shape (n,), n two or more. Weighted by the u of both, again at each turn as the factor scales that of the
    other; without u each weighs in proportion to its size, and u follows from the scatter. Raises InputError where the
    other is zero everywhere.
    """
    factor = float(y @ other) / float(other @ other) if other.any() else 0.0
    if not factor:
        raise InputError("the other curve is zero there, so that no factor can be found.")
    known = u is not None and other_u is not None
    for _ in range(6):
        if u is not None and other_u is not None:
            weight = 1 / (u**2 + (factor * other_u) ** 2)
        else:
            weight = 1 / np.maximum(np.abs(other), 1e-6 * float(np.abs(other).max())) ** 2
        factor = float((weight * y) @ other) / float((weight * other) @ other)
    rest = y - factor * other
    chi2 = float((weight * rest) @ rest) / max(y.size - 1, 1)
    return factor, float(np.sqrt((1.0 if known else chi2) / ((weight * other) @ other))), chi2


class Blank(Banded, Step):
    """Takes off a background curve: an empty cell, a solvent, a matrix, scaled first.

    The factor is the ratio of transmissions (sample over blank), of times, a number, or what lets the blank come
    nearest to the curve over a band at large q, where nothing else is left. u takes in that of the blank and of a
    factor that was found. The blank is read between its points along straight lines; points beyond its ends are
    dropped.
    """

    slug = "blank"
    label = "Subtract a blank"
    group = "combine"
    left_out = "by itself"
    summary = "A background curve taken off, scaled by transmission, time or at large q"
    told = "a blank was taken off ({settings})"
    words = "background empty cell solvent buffer matrix transmission subtraction scattering"
    handles = (Band(when="by: matched at large q", opens=(0.8, 1.0)),)

    donor: str = RuleField("", label="blank", donor=True, help="The label of the blank; at the command line, its file.")
    by: Literal["transmissions", "times", "matched at large q", "a factor"] = RuleField(
        "a factor", label="scaled by", help="What the blank is multiplied with before it is taken off."
    )
    own: float = RuleField(
        1.0, label="of the sample", gt=0, when="by: transmissions, times", help="Its transmission, or how long it took."
    )
    of_blank: float = RuleField(
        1.0, label="of the blank", gt=0, when="by: transmissions, times", help="That of the blank."
    )
    low: float | None = RuleField(
        None, label="from", unit="x", when="by: matched at large q", help="Where both should be alike."
    )
    high: float | None = RuleField(None, label="to", unit="x", when="by: matched at large q", help="Where that ends.")
    factor: float = RuleField(1.0, label="factor", when="by: a factor", help="The blank is multiplied by it.")

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        ends = of_decades(curve, 0.85)
        return cls(low=ends[0]) if ends else cls()

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        donor = _donor(self.donor, curve, others, "the blank")
        keep = (curve.x >= donor.x.min()) & (curve.x <= donor.x.max())
        if not keep.any():
            raise InputError(f"{self.donor} does not reach over this curve's x.")
        made = curve.take(keep) if not keep.all() else curve
        other, other_u = on_grid(donor, made.x)
        factor, u_factor, said = self._factor(made, other, other_u)
        parts = [made.u, None if other_u is None else abs(factor) * other_u, u_factor * np.abs(other)]
        u = None
        if made.u is not None or other_u is not None:
            u = np.sqrt(sum(part**2 for part in parts if part is not None))
        y = made.y - factor * other
        gone = np.flatnonzero(~keep)
        below = int((y <= 0).sum())
        said += f"; {counted(below, 'point')} now at or below 0" if below else ""
        said += f"; {counted(gone.size, 'point')} beyond its ends dropped" if gone.size else ""
        caught = Caught(gone, np.full(gone.size, np.nan))
        return Passed(made.with_y(y, u, made.flags), caught, said, (Line(made.x, factor * other, "taken"),))

    def _factor(self, curve: Curve, other: Floats, other_u: Floats | None) -> tuple[float, float, str]:
        if self.by == "a factor":
            return self.factor, 0.0, f"{self.donor} × {self.factor:g} taken off"
        if self.by != "matched at large q":
            ratio = self.own / self.of_blank
            return ratio, 0.0, f"{self.donor} × {ratio:.5g} (ratio of {self.by}) taken off"
        used = (curve.flags & (Flag.LEFT_OUT | Flag.PATCHED)) == 0
        inside = in_band(curve.x, self.low, self.high, "band in which both are alike", used)
        if inside.sum() < 2:
            raise InputError("one point tells no factor; widen the band in which both are alike.")
        u = None if curve.u is None else curve.u[inside]
        made = matched(curve.y[inside], u, other[inside], None if other_u is None else other_u[inside])
        factor, u_factor, _ = made
        return factor, u_factor, f"{self.donor} × {factor:.5g} ± {u_factor:.2g} taken off"

    def takes(self) -> tuple[str, ...]:
        return (self.donor,) if self.donor.strip() else ()

    def digest(self) -> str:
        how = {"a factor": f"× {self.factor:g}", "matched at large q": "matched at large q"}
        return f"{self.donor or 'nothing yet'}, {how.get(self.by, f'× {self.own / self.of_blank:.4g}')}"


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


class Merge(Step):
    """Puts another range of the same sample beside this one, scaled so that both agree where they overlap.

    The factor of the other is that of least squares over the overlap, by the u of both; whether they agree there is
    told by χ². The points of both stay as they are measured, the other's with the u of the factor taken in.
    """

    slug = "merge"
    label = "Merge ranges"
    group = "combine"
    left_out = "dropped"
    summary = "Two ranges of q of one sample as one curve"
    told = "another range of the sample was put beside it ({settings})"
    words = "stitch join overlap ranges saxs waxs usaxs detector distance scattering"

    donor: str = RuleField(
        "", label="other range", donor=True, help="The label of the other curve; at the command line, its file."
    )
    by: Literal["matched", "a factor"] = RuleField(
        "matched", label="scaled by", help="So that both agree where they overlap, or by a number."
    )
    factor: float = RuleField(1.0, label="factor", gt=0, when="by: a factor", help="The other is multiplied by it.")
    overlap: Literal["both", "this", "the other"] = RuleField(
        "both", label="in the overlap", help="Whose points are kept where both ranges are."
    )

    def apply(self, curve: Curve) -> Passed:
        return self.apply_among(curve, ALONE)

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        donor = _donor(self.donor, curve, others, "the other range")
        if not len(curve):
            raise InputError("there is no point to merge with.")
        low, high = max(donor.x.min(), curve.x.min()), min(donor.x.max(), curve.x.max())
        inside = (curve.x >= low) & (curve.x <= high)
        factor, u_factor, said = self.factor, 0.0, f"× {self.factor:g}"
        if self.by == "matched":
            if inside.sum() < 2:
                raise InputError(
                    f"{counted(int(inside.sum()), 'point')} of this curve in the range of {self.donor}: two are needed "
                    "to find a factor. Give one by hand."
                )
            other, other_u = on_grid(donor, curve.x[inside])
            u = None if curve.u is None else curve.u[inside]
            factor, u_factor, chi2 = matched(curve.y[inside], u, other, other_u)
            said = f"× {factor:.5g} ± {u_factor:.2g} by {counted(int(inside.sum()), 'point')} of the overlap"
            if u is not None and other_u is not None:
                said += f", χ² {chi2:.3g} per degree of freedom"
        theirs = np.ones(len(donor), bool) if self.overlap != "this" else (donor.x < low) | (donor.x > high)
        ours = np.ones(len(curve), bool) if self.overlap != "the other" else ~inside
        part = donor.take(theirs)
        u_part = None if part.u is None else np.hypot(factor * part.u, u_factor * part.y)
        x = np.concatenate([curve.x[ours], part.x])
        order = np.argsort(x, kind="stable")
        y = np.concatenate([curve.y[ours], factor * part.y])[order]
        u_all = None
        if curve.u is not None and u_part is not None:
            u_all = np.concatenate([curve.u[ours], u_part])[order]
        elif curve.u is not None or u_part is not None:
            said += "; only one of them has u, so that it is left out"
        flags = np.concatenate([curve.flags[ours], part.flags])[order]
        gone = np.flatnonzero(~ours)
        made = replace(curve, x=x[order], y=y, u=u_all, flags=flags)
        told = f"{counted(len(part), 'point')} of {self.donor} put beside, {said}"
        return Passed(made, Caught(gone, np.full(gone.size, np.nan)), told)

    def takes(self) -> tuple[str, ...]:
        return (self.donor,) if self.donor.strip() else ()

    def digest(self) -> str:
        return f"{self.donor or 'nothing yet'}, {self.by if self.by == 'matched' else f'× {self.factor:g}'}"


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
