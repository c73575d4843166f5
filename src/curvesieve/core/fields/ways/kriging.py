"""Ordinary kriging: the best linear unbiased mean of the points by their variogram, with its own u."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.variogram import SHAPES, Measured, Settled, Shape, Variogram, likeliest, measured, settle
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched
from curvesieve.core.rules import RuleField

_WHOLE = 600
"""Up to so many points all are solved for together; beyond, each place from its neighbours."""
_AROUND = 64
_MOST_DRAWN = 1500
_STEADY = 1e-11
"""Added to the likeness of a point with itself, in sills: smooth variograms make systems that rounding would upset."""


class Kriged(Filler):
    """A field kriged from its points. `law` is in units of the plane, its `range` in those of the longer axis."""

    def __init__(self, plane: Plane, way: Kriging) -> None:
        plane.check_spread()
        self.plane = plane
        self.whole = float(max(plane.scale))
        z = plane.points.z
        self._extent = float(np.ptp(z)) or 1.0
        shapes = SHAPES if way.shape == "likeliest" else (way.shape,)
        turned = Variogram(shapes[0], 0.0, 0.0, 1.0, way.smoothness, way.angle, way.ratio)
        self.xy = turned.turned(plane.xy)
        self.found: Measured = measured(self.xy, (z - z.mean()) / self._extent)
        square = self._extent**2
        nugget, sill = (None if v is None else v / square for v in (way.nugget, way.sill))
        reach = None if way.range is None else way.range / self.whole
        own = np.broadcast_to(0.0 if plane.points.u is None else (plane.points.u / self._extent) ** 2, z.shape)
        self.z, self.middle = (z - z.mean()) / self._extent, float(z.mean())

        def fitted(shape: Shape) -> Settled:
            begun = settle(self.found, replace(turned, shape=shape), nugget, sill, reach)
            if way.by == "variogram":
                return begun
            return likeliest(self.xy, self.z, own, begun.law, nugget, sill, reach, self.found.widest)

        settled = min((fitted(shape) for shape in shapes), key=lambda one: one.cost)
        self.unit_law = settled.law
        self.doubt = settled.doubt
        noise = self.unit_law.nugget
        if way.nugget is None and way.by == "variogram":  # it has the points' own u in it
            noise = max(noise - float(np.mean(own)), 0.0)
        least = _STEADY * (self.unit_law.sill + noise or 1.0)
        self.noise = np.broadcast_to(noise + own + least, z.shape)
        wanted = way.neighbours if way.neighbours is not None else len(z) if len(z) <= _WHOLE else _AROUND
        self.around = min(max(wanted, 2), len(z))
        law, name = self.law, self.law.shape.replace("matern", "Matérn")
        self.told = f"{name}, range {law.range:.3g}, sill {law.sill:.3g}, nugget {law.nugget:.3g}"
        self.u_told = "of the kriging"

    @property
    def law(self) -> Variogram:
        """The variogram in the units of the points."""
        one = self.unit_law
        square = self._extent**2
        return replace(one, nugget=one.nugget * square, sill=one.sill * square, range=one.range * self.whole)

    def measured(self) -> tuple[Floats, Floats, Floats]:
        """Distance, γ and pairs of the points' own variogram, each of shape (k,), in the units of the points."""
        return self.found.h * self.whole, self.found.gamma * self._extent**2, self.found.pairs

    def like(self, a: Floats, b: Floats) -> Floats:
        """The covariance of what is without noise between turned places of shape (…, i, 2) and (…, j, 2)."""
        apart = a[..., :, None, 0] - b[..., None, :, 0]
        apart *= apart
        up = a[..., :, None, 1] - b[..., None, :, 1]
        up *= up
        apart += up
        made = self.unit_law.likeness(np.sqrt(apart, out=apart))
        made *= self.unit_law.sill
        return made

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        """z and u at places of shape (k, 2); see `Filler.at`."""
        places = self.unit_law.turned(xy)
        if self.around == len(self.z):
            z, variance = self._together(places, watch)
        else:
            z, variance = self._by_neighbours(places, watch)
        return z * self._extent + self.middle, np.sqrt(np.maximum(variance, 0.0)) * self._extent

    @cached_property
    def _system(self) -> tuple[Floats, Floats, float, float]:
        """The factor of the points' covariance, its inverse times ones, the sum of that, and the mean."""
        from scipy.linalg import cho_solve

        factor = _factored(self.like(self.xy, self.xy), self.noise, self.unit_law)
        ones = cho_solve((factor, True), np.ones(len(self.z)))
        total = float(ones.sum())
        return factor, ones, total, float(ones @ self.z) / total

    def _together(self, places: Floats, watch: Stop) -> tuple[Floats, Floats]:
        from scipy.linalg import cho_solve, solve_triangular

        factor, ones, total, mean = self._system
        weights = cho_solve((factor, True), self.z - mean)
        z, variance = np.empty(len(places)), np.empty(len(places))
        piece = max(2_000_000 // len(self.z), 100)
        for first in range(0, len(places), piece):
            watch(first / len(places))
            part = slice(first, first + piece)
            toward = self.like(places[part], self.xy)
            z[part] = mean + toward @ weights
            seen = solve_triangular(factor, toward.T, lower=True)
            variance[part] = self.unit_law.sill - np.einsum("ij,ij->j", seen, seen) + (1 - toward @ ones) ** 2 / total
        return z, variance

    def _by_neighbours(self, places: Floats, watch: Stop) -> tuple[Floats, Floats]:
        from scipy.spatial import cKDTree

        which = np.asarray(cKDTree(self.xy).query(places, self.around)[1])
        z, variance = np.empty(len(places)), np.empty(len(places))
        piece = max(2_000_000 // self.around**2, 20)
        firsts = range(0, len(places), piece)

        def some(first: int) -> int:
            part = slice(first, first + piece)
            z[part], variance[part] = self._solved(places[part], which[part])
            return first

        with ThreadPoolExecutor(min(len(os.sched_getaffinity(0)), 4)) as pool:  # what takes the time is NumPy's own
            try:
                for first in pool.map(some, firsts):
                    watch(first / len(places))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        return z, variance

    def _solved(self, places: Floats, near: NDArray[np.intp]) -> tuple[Floats, Floats]:
        """z and variance at places of shape (k, 2) from their neighbours, of shape (k, around)."""
        steady = np.arange(self.around)
        around = self.xy[near]
        inner = self.like(around, around)
        inner[:, steady, steady] += self.noise[near]
        toward = self.like(places[:, None, :], around)[:, 0, :]
        right = np.stack([toward, np.ones_like(toward)], axis=2)
        try:
            found = np.linalg.solve(inner, right)
        except np.linalg.LinAlgError:
            inner[:, steady, steady] += 1e-8 * (self.unit_law.sill or 1.0)
            found = np.linalg.solve(inner, right)
        simple, ones = found[:, :, 0], found[:, :, 1]
        total = ones.sum(axis=1)
        lack = 1.0 - simple.sum(axis=1)
        weights = simple + ones * (lack / total)[:, None]
        variance = self.unit_law.sill - np.einsum("ij,ij->i", simple, toward) + lack**2 / total
        return np.einsum("ij,ij->i", weights, self.z[near]), variance

    def drawn(self, xy: Floats, count: int, seed: int = 11) -> Floats:
        """Surfaces that the points leave possible, drawn at places of shape (k, 2): of shape (count, k).

        Of more than 1,500 points so many are taken: the spread is then a little too wide.
        """
        from scipy.linalg import solve_triangular

        rng = np.random.default_rng(seed)
        places, known, z, noise = self.unit_law.turned(xy), self.xy, self.z, self.noise
        if len(z) > _MOST_DRAWN:
            taken = rng.choice(len(z), _MOST_DRAWN, replace=False)
            known, z, noise = known[taken], z[taken], noise[taken]
        factor = _factored(self.like(known, known), noise, self.unit_law)
        toward, ones = solve_triangular(factor, self.like(known, places), lower=True), np.ones(len(z))
        left = solve_triangular(factor, np.column_stack([ones, z]), lower=True)
        total = float(left[:, 0] @ left[:, 0])
        mean = float(left[:, 0] @ left[:, 1]) / total
        lack = 1.0 - toward.T @ left[:, 0]
        middle = mean + toward.T @ (left[:, 1] - mean * left[:, 0])
        spread = self.like(places, places) - toward.T @ toward + np.outer(lack, lack) / total
        values, vectors = np.linalg.eigh(spread)
        made = vectors * np.sqrt(np.maximum(values, 0.0))
        drawn = middle + (made @ rng.standard_normal((len(places), count))).T
        return np.asarray(drawn * self._extent + self.middle)


def _factored(inner: Floats, noise: Floats, law: Variogram) -> Floats:
    """The lower Cholesky factor of a covariance with the points' noise on it."""
    made = inner.copy()
    place = np.arange(len(made))
    for more in (0.0, 1e-10, 1e-8, 1e-6):
        made[place, place] = inner[place, place] + noise + more * (law.sill or 1.0)
        try:
            return np.asarray(np.linalg.cholesky(made), dtype=np.float64)
        except np.linalg.LinAlgError:
            continue
    raise InputError("points stand so near to one another that kriging cannot tell them apart; give it a nugget.")


class Kriging(Way):
    """Ordinary kriging with a variogram that is fitted or set."""

    slug = "kriging"
    label = "Kriging"
    group = "between points"
    summary = "The best mean of the points by how alike values are at a distance; the one way with a u of its own"
    words = "variogram geostatistics gaussian process covariance"
    reference = "Matheron (1963), Econ. Geol. 58, 1246; Cressie (1985), Math. Geol. 17, 563"
    told = "ordinary kriging ({settings})"
    finds = True

    shape: Literal["likeliest", "spherical", "exponential", "gaussian", "matern"] = RuleField(
        "likeliest",
        label="variogram",
        help="how likeness falls with the distance; the likeliest is looked for among all but the Gaussian one",
    )
    by: Literal["likelihood", "variogram"] = RuleField(
        "likelihood", label="fitted by", help="how likely the values are under it, or the variogram of pairs"
    )
    smoothness: float = RuleField(
        1.5, label="smoothness", help="of Matérn’s law: 0.5 is rough", ge=0.3, le=5, when="shape: matern, likeliest"
    )  # fmt: skip
    range: float | None = RuleField(
        None, label="range", help="where likeness ends, in the longer axis’ unit; empty: fitted", gt=0
    )
    sill: float | None = RuleField(
        None, label="sill", help="the variance that distance adds, in z’s unit²; empty: fitted", ge=0
    )
    nugget: float | None = RuleField(
        None,
        label="nugget",
        help="the variance of a repeated point, in z’s unit²; empty: fitted; 0: through points",
        ge=0,
    )
    angle: float = RuleField(
        0.0, label="angle", help="of the direction of that range, in ° from x towards y", ge=-180, le=180
    )
    ratio: float = RuleField(
        1.0, label="ratio", help="of the range across that direction to the one along it", ge=0.01, le=100
    )
    neighbours: int | None = RuleField(
        None, label="neighbours", help="points for each place; empty: all up to 600, beyond that 64", ge=2, le=600
    )

    def put_to(self, plane: Plane) -> Filler:
        return Kriged(plane, self)

    def kept(self, filler: Filler) -> Kriging:
        assert isinstance(filler, Kriged)
        law = filler.law
        return self.model_copy(update={"shape": law.shape, "range": law.range, "sill": law.sill, "nugget": law.nugget})
