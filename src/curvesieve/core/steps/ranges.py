"""Steps that take from other curves of the same sample: a blank taken off, ranges of q merged."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, Self

import numpy as np

from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import of_decades
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
