"""Steps that smooth a field: a Gaussian mean, and running medians."""

from __future__ import annotations

from typing import Self

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.steps.base import FieldPassed, FieldStep, in_unit
from curvesieve.core.fields.steps.spikes import local_medians
from curvesieve.core.rules import RuleField

_REACH = 4.0
_MOST_PAIRS = 4_000_000
_MEDIAN_LOSS = 1.2533


class Gaussian(FieldStep):
    """Means weighted by a Gaussian of the distance."""

    slug = "gaussian-field"
    label = "Gaussian smoothing"
    group = "smooth"
    summary = "Means of the neighbours by a Gaussian of their distance"
    words = "blur low pass filter kernel"
    told = "smoothed by a Gaussian of σ = {sigma}"

    sigma: float = RuleField(
        1.0,
        label="σ",
        unit="x",
        help="of the Gaussian, in x’s unit; along y in shares of the extents where x and y are unlike",
        gt=0,
    )

    def apply(self, points: Points) -> FieldPassed:
        lattice = points.lattice
        if lattice is not None and lattice.even:
            z, u = _filtered(points, self.sigma)
        else:
            z, u = _weighted(points, self.sigma)
        left = float(np.sqrt(np.mean((points.z - z) ** 2)))
        return FieldPassed.of(points.with_z(z, u), f"took out {in_unit(left, points.names.z_unit)} (root mean square)")

    @classmethod
    def for_points(cls, points: Points) -> Self:
        sx, _ = points.spans
        return cls(sigma=float(f"{(sx or 1.0) / np.sqrt(len(points)):.2g}"))


def _sigmas(points: Points, sigma: float) -> tuple[float, float]:
    sx, sy = points.spans
    return sigma, sigma * (sy / sx) if points.unlike_axes and sx > 0 and sy > 0 else sigma


def _filtered(points: Points, sigma: float) -> tuple[Floats, Floats | None]:
    from scipy.ndimage import gaussian_filter

    lattice = points.lattice
    assert lattice is not None
    steps = [float(axis[-1] - axis[0]) / (axis.size - 1) for axis in (lattice.y, lattice.x)]
    wide = [s / step for s, step in zip(reversed(_sigmas(points, sigma)), steps, strict=True)]
    table = lattice.spread(points.z)
    known = np.isfinite(table)

    def through(values: Floats, part: float = 1.0) -> Floats:
        return np.asarray(gaussian_filter(values, [w * part for w in wide], mode="constant", truncate=_REACH))

    weight = through(known.astype(float))
    z = lattice.gathered(through(np.where(known, table, 0.0)) / weight)
    if points.u is None:
        return z, None
    # the square of a Gaussian is one of 1/√2 the width: its weights sum to 1/(4πσ²) in steps
    squares = _sum_of_squares(np.where(known, lattice.spread(points.u), 0.0) ** 2, wide)
    return z, np.sqrt(lattice.gathered(squares)) / lattice.gathered(weight)


def _sum_of_squares(values: Floats, wide: list[float]) -> Floats:
    from scipy.ndimage import correlate1d

    made = values
    for axis, sigma in enumerate(wide):
        reach = int(_REACH * sigma + 0.5)
        kernel = np.exp(-0.5 * (np.arange(-reach, reach + 1) / sigma) ** 2)
        kernel /= kernel.sum()
        made = correlate1d(made, kernel**2, axis=axis, mode="constant")
    return np.asarray(made)


def _weighted(points: Points, sigma: float) -> tuple[Floats, Floats | None]:
    across, up = _sigmas(points, sigma)
    scaled = np.column_stack([points.x / across, points.y / up])
    tree = Plane(points, False).tree.__class__(scaled)
    counts = tree.query_ball_point(scaled, _REACH, return_length=True)
    z = np.empty(len(points))
    u = None if points.u is None else np.empty(len(points))
    if int(counts.max()) > _MOST_PAIRS:
        raise InputError("σ is so wide that all points are neighbours of one another; make it narrower.")
    edges = np.flatnonzero(np.diff(np.cumsum(counts) // _MOST_PAIRS)) + 1
    for part in np.split(np.arange(len(points)), edges):
        lists = tree.query_ball_point(scaled[part], _REACH)
        length = np.array([len(one) for one in lists])
        near = np.concatenate([np.asarray(one, dtype=np.intp) for one in lists])
        start = np.concatenate([[0], np.cumsum(length)[:-1]])
        off = scaled[near] - np.repeat(scaled[part], length, axis=0)
        weights = np.exp(-0.5 * (off**2).sum(axis=1))
        total = np.add.reduceat(weights, start)
        z[part] = np.add.reduceat(weights * points.z[near], start) / total
        if u is not None and points.u is not None:
            u[part] = np.sqrt(np.add.reduceat((weights * points.u[near]) ** 2, start)) / total
    return z, u


class Median(FieldStep):
    """Running medians."""

    slug = "median-field"
    label = "Median smoothing"
    group = "smooth"
    summary = "The median of each point and its neighbours: steps stay sharp"
    words = "rank filter running median"
    reference = "Tukey (1977), Exploratory Data Analysis"
    told = "smoothed by medians of {neighbours} neighbours"

    neighbours: int = RuleField(8, label="neighbours", help="points around each that count beside it", ge=2, le=400)

    def apply(self, points: Points) -> FieldPassed:
        z = local_medians(points, self.neighbours, own=True)
        u = None if points.u is None else points.u * _MEDIAN_LOSS / np.sqrt(self.neighbours + 1)
        left = float(np.sqrt(np.mean((points.z - z) ** 2)))
        return FieldPassed.of(points.with_z(z, u), f"took out {in_unit(left, points.names.z_unit)} (root mean square)")
