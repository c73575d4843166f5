"""Steps that take a plane, a bent surface or a level a line out of a field."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.polynomial import legendre

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.steps.base import FieldPassed, FieldStep, in_unit
from curvesieve.core.fields.ways.lattice import rows_of
from curvesieve.core.rules import RuleField

_TURNS, _TUKEY = 30, 4.685


def basis(points: Points, degree: int) -> Floats:
    """Products of Legendre polynomials in x and y over their extents, up to a total degree: shape (n, terms)."""
    x, y = (_unit(values) for values in (points.x, points.y))
    px, py = legendre.legvander(x, degree), legendre.legvander(y, degree)
    return np.stack([px[:, i] * py[:, j] for i in range(degree + 1) for j in range(degree + 1 - i)], axis=1)


def _unit(values: Floats) -> Floats:
    low, high = float(values.min()), float(values.max())
    return (2 * values - low - high) / (high - low) if high > low else np.zeros_like(values)


class Level(FieldStep):
    """Takes out the plane, or the polynomial surface, that fits best."""

    slug = "level-field"
    label = "Level"
    group = "level"
    summary = "Take out a plane or a bent surface"
    words = "plane tilt slope polynomial detrend form removal background"
    told = "a polynomial surface of degree {degree} was taken out"

    degree: int = RuleField(1, label="degree", help="1 is a plane, 2 a bowl", ge=0, le=8)
    robust: bool = RuleField(False, label="peaks aside", help="so that peaks and pits do not pull the surface")
    keep_mean: bool = RuleField(False, label="keep the mean", help="only the shape is taken out")

    def apply(self, points: Points) -> FieldPassed:
        columns = basis(points, self.degree)
        if len(points) < columns.shape[1]:
            raise InputError(
                f"a surface of degree {self.degree} needs {columns.shape[1]} points, and there are {len(points)}."
            )
        weights = np.ones(len(points)) if points.u is None else points.u.min() / points.u
        z = points.z
        fitted = _fitted(columns, z, weights)
        for _ in range(_TURNS if self.robust else 0):
            off = (z - fitted) * weights
            scale = 1.4826 * float(np.median(np.abs(off)))
            if scale <= 1e-14 * float(np.ptp(z)):
                break
            share = np.clip(1 - (off / (_TUKEY * scale)) ** 2, 0.0, None)
            newer = _fitted(columns, z, weights * share)
            done = np.abs(newer - fitted).max() <= 1e-10 * (np.ptp(z) or 1.0)
            fitted = newer
            if done:
                break
        left = z - fitted + (z.mean() if self.keep_mean else 0.0)
        return FieldPassed.of(points.with_z(left, points.u), self._said(points, fitted))

    def _said(self, points: Points, fitted: Floats) -> str:
        names = points.names
        if self.degree != 1:
            return f"{in_unit(float(np.ptp(fitted)), names.z_unit)} from lowest to highest taken out"
        sx, sy = points.spans
        terms = np.linalg.lstsq(basis(points, 1), fitted, rcond=None)[0]
        slopes = (2 * terms[2] / sx if sx else 0.0, 2 * terms[1] / sy if sy else 0.0)
        per = [f"{names.z_unit}/{unit}" if unit else names.z_unit for unit in (names.x_unit, names.y_unit)]
        return f"slopes {in_unit(slopes[0], per[0])} along x, {in_unit(slopes[1], per[1])} along y"


def _fitted(columns: Floats, z: Floats, weights: Floats) -> Floats:
    made, *_ = np.linalg.lstsq(columns * weights[:, None], z * weights, rcond=None)
    return np.asarray(columns @ made)


class LevelLines(FieldStep):
    """Takes each line's own level out: of scans whose lines are shifted against one another."""

    slug = "level-lines"
    label = "Level line by line"
    group = "level"
    summary = "Take the level, or the slope, of each line out"
    words = "scan lines rows destripe flatten stripes"
    told = "the {by} of each line along {along} was taken out"

    along: Literal["x", "y"] = RuleField("x", label="lines along", help="the direction in which lines were scanned")
    by: Literal["median", "mean", "slope"] = RuleField(
        "median", label="take out", help="each line’s median, mean, or straight line"
    )

    def apply(self, points: Points) -> FieldPassed:
        lattice = rows_of(points)
        table = lattice.spread(points.z)
        lines = table if self.along == "x" else table.T
        place = lattice.x if self.along == "x" else lattice.y
        known = np.isfinite(lines)
        if not known.any(axis=1).all():
            raise InputError("some lines have no point.")
        middle = np.nanmean(table)
        if self.by == "slope":
            taken = _lines(place, lines)
        else:
            taken = np.repeat(
                (np.nanmedian if self.by == "median" else np.nanmean)(lines, axis=1)[:, None], place.size, axis=1
            )
        left = lines - taken + middle
        made = lattice.gathered(left if self.along == "x" else left.T)
        levels = np.nanmean(taken, axis=1)
        said = (
            f"{counted(len(lines), 'line')}, levels {in_unit(float(np.ptp(levels)), points.names.z_unit)} apart at most"
        )
        return FieldPassed.of(points.with_z(made, points.u), said)


def _lines(x: Floats, lines: Floats) -> Floats:
    """The straight line through each row of shape (m,), gaps left out: shape (rows, m)."""
    known = np.isfinite(lines)
    count = known.sum(axis=1, keepdims=True)
    values = np.where(known, lines, 0.0)
    unit = _unit(x)[None, :]
    mean_x = (unit * known).sum(axis=1, keepdims=True) / count
    mean = values.sum(axis=1, keepdims=True) / count
    off = (unit - mean_x) * known
    wide = (off**2).sum(axis=1, keepdims=True)
    slope = np.where(wide > 0, (off * values).sum(axis=1, keepdims=True) / np.where(wide > 0, wide, 1.0), 0.0)
    return np.asarray(mean + slope * (unit - mean_x))
