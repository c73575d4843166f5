"""Radial functions about every point, with or without smoothing."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched
from curvesieve.core.rules import RuleField

_WHOLE = 1500
"""Up to so many points all are solved for together; beyond, each place from its neighbours."""
_AROUND = 50
_PIECE = 5_000
Kernel = Literal["linear", "cubic", "quintic", "multiquadric", "inverse_multiquadric", "inverse_quadratic", "gaussian"]
_SHAPED = ("multiquadric", "inverse_multiquadric", "inverse_quadratic", "gaussian")


class _Radial(Filler):
    def __init__(
        self,
        plane: Plane,
        kernel: Kernel | Literal["thin_plate_spline"],
        smoothing: float,
        width: float | None,
        neighbours: int | None,
    ) -> None:
        from scipy.interpolate import RBFInterpolator

        z = plane.points.z
        self._middle, self._extent = float(z.mean()), float(np.ptp(z)) or 1.0
        count = len(plane.points)
        around = neighbours if neighbours is not None else None if count <= _WHOLE else _AROUND
        around = None if around is None or around >= count else max(around, 6)
        epsilon = None
        if kernel in _SHAPED:
            whole = max(plane.scale)
            epsilon = float(whole / width if width else np.sqrt(count))
        plane.check_spread()
        try:
            self._filler = RBFInterpolator(
                plane.xy, (z - self._middle) / self._extent, neighbors=around, smoothing=smoothing, kernel=kernel,
                epsilon=epsilon, degree=2 if kernel in ("cubic", "quintic") else 1,
            )  # fmt: skip
        except np.linalg.LinAlgError as error:
            raise InputError(
                "the points stand so that these functions cannot be told apart; smooth a little, or choose another way."
            ) from error
        except ValueError as error:
            raise InputError(f"there are too few points for these functions: {len(plane.points)}.") from error
        self.told = "all points together" if around is None else f"{around} neighbours a place"

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        made = np.empty(len(xy))
        for first in range(0, len(xy), _PIECE):
            watch(first / len(xy))
            try:
                made[first : first + _PIECE] = self._filler(xy[first : first + _PIECE])
            except np.linalg.LinAlgError as error:
                raise InputError(
                    "some places have neighbours on one line; take more neighbours, or another way."
                ) from error
        return made * self._extent + self._middle, None


class ThinPlate(Way):
    """The surface that bends least: a thin plate through, or near, the points."""

    slug = "thin-plate"
    label = "Thin plate"
    group = "between points"
    summary = "The surface through the points that bends least; smoothing lets it pass beside noisy points"
    words = "spline radial basis rbf minimum curvature"
    reference = "Duchon (1977); Wahba (1990), Spline Models for Observational Data"
    told = "a thin-plate spline, smoothing {smoothing}"

    smoothing: float = RuleField(
        0.0, label="smoothing", help="0 goes through all points; more lets it pass beside them", ge=0, le=1e6
    )
    neighbours: int | None = RuleField(None, label="neighbours", help="points for each place; empty: all up to 1,500",
                                       ge=6, le=2000)  # fmt: skip

    def put_to(self, plane: Plane) -> Filler:
        return _Radial(plane, "thin_plate_spline", self.smoothing, None, self.neighbours)


class Radial(Way):
    """Other radial functions."""

    slug = "radial"
    label = "Radial functions"
    group = "between points"
    summary = "Sums of functions of the distance to every point"
    words = "rbf multiquadric gaussian quintic"
    reference = "Fasshauer (2007), Meshfree Approximation Methods"
    told = "radial functions ({settings})"

    shape: Kernel = RuleField("multiquadric", label="function", help="of the distance r to a point")
    width: float | None = RuleField(
        None, label="width", help="of each function, in the longer axis’ unit; empty: as points are apart", gt=0,
        when="shape: multiquadric, inverse_multiquadric, inverse_quadratic, gaussian",
    )  # fmt: skip
    smoothing: float = RuleField(0.0, label="smoothing", help="0 goes through all points", ge=0, le=1e6)
    neighbours: int | None = RuleField(None, label="neighbours", help="points for each place; empty: all up to 1,500",
                                       ge=6, le=2000)  # fmt: skip

    def put_to(self, plane: Plane) -> Filler:
        return _Radial(plane, self.shape, self.smoothing, self.width, self.neighbours)
