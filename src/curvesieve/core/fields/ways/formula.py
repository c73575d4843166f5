"""A law in x and y, fitted to the points: where there is one, it beats any way between points."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched
from curvesieve.core.fitting import FitResult, fit
from curvesieve.core.formula import compile_formula, parse
from curvesieve.core.rules import RuleField


class Fitted(Filler):
    """A formula at the values that a fit to the points found; u is that of the fitted surface (first order)."""

    def __init__(self, plane: Plane, way: Law) -> None:
        points = plane.points
        self.plane = plane
        self.formula = parse(way.formula, ("x", "y"))
        self.result: FitResult = fit(
            way.formula, np.stack([points.x, points.y]), points.z, points.u, starts_in(way.starts), variable=("x", "y")
        )
        told = ", ".join(f"{name} = {one.value:.4g}" for name, one in self.result.parameters.items())
        self.told = told if self.result.converged else f"{told}; {self.result.message}"
        self.u_told = "of the fitted law"

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        """z and u at places of shape (k, 2); see `Filler.at`."""
        places = xy * self.plane.scale + self.plane.middle
        parameters = [self.result.parameters[name].value for name in self.formula.parameters]
        with np.errstate(all="ignore"):
            made = compile_formula(self.formula).both((places[:, 0], places[:, 1]), parameters)
        value, *slopes = (np.broadcast_to(np.asarray(column, dtype=np.float64), (len(places),)) for column in made)
        value = np.where(np.isfinite(value), value, np.nan)
        if self.result.covariance is None:
            return value, None
        covariance = np.array(self.result.covariance)
        free = [slopes[self.formula.parameters.index(name)] for name in self.result.free]
        if not free:
            return value, None
        gradient = np.stack(free, axis=1)
        return value, np.sqrt(np.maximum(np.einsum("ki,ij,kj->k", gradient, covariance, gradient), 0.0))


def starts_in(text: str) -> dict[str, float] | None:
    """The starts of a text such as ``a = 1, tau = 3``; None of an empty one. Raises InputError."""
    made: dict[str, float] = {}
    for part in filter(None, (part.strip() for part in text.replace(";", ",").split(","))):
        name, _, value = (piece.strip() for piece in part.partition("="))
        try:
            made[name] = float(value)
        except ValueError as error:
            raise InputError(f"starts look like a = 1, b = 2.5; {part!r} does not.") from error
    return made or None


class Law(Way):
    """Any formula in x and y."""

    slug = "law"
    label = "A law"
    group = "a law"
    summary = "A formula in x and y, fitted to the points: z = a + b*x + c*y"
    words = "model formula equation fit polynomial"
    told = "the law {formula}, fitted to the points"
    law = True
    finds = True

    formula: str = RuleField("a + b*x + c*y", label="z =", help="a formula in x and y; every other name is a parameter")
    starts: str = RuleField("", label="starts", help="such as a = 1, b = 2; empty: looked for in the points")

    def put_to(self, plane: Plane) -> Filler:
        return Fitted(plane, self)

    def kept(self, filler: Filler) -> Law:
        assert isinstance(filler, Fitted)
        starts = ", ".join(f"{name} = {value!r}" for name, value in filler.result.values.items())
        return self.model_copy(update={"starts": starts})
