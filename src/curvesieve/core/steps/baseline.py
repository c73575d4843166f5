"""The step that finds a baseline, shows it, and takes it off."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np
from pydantic import model_validator

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.rules import Anchors, Band, Banded, Handle, RuleField
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.steps.level import in_band


class Baseline(Banded, Step):
    """Takes a baseline off, found by one of the methods of pybaselines or drawn through anchors.

    The baseline counts as exact: u stays as it was. `half_window` of snip and rolling ball is in points and should be
    about half the width of the widest peak.
    """

    slug = "baseline"
    label = "Baseline"
    group = "level"
    left_out = "shifted"
    summary = "Take off a constant, polynomial, least-squares or drawn baseline"
    told = "a baseline was subtracted ({settings})"
    words = "background subtract drift fluorescence detrend"
    reference = (
        "ALS: Eilers and Boelens 2005; arPLS: Baek et al., Analyst 140 (2015) 250; airPLS: Zhang et al., Analyst 135 "
        "(2010) 1138; SNIP: Ryan et al., Nucl. Instrum. Methods B 34 (1988) 396 (references from memory); computed by "
        "pybaselines"
    )
    handles = (Band(when="method: constant, polynomial"), Anchors(when="method: anchors, polynomial"))

    method: Literal[
        "constant", "polynomial", "anchors", "als", "arpls", "airpls", "snip", "rolling ball", "rubber band"
    ] = RuleField("arpls", label="method", help="How the baseline is found.")
    stiffness: float = RuleField(
        5.0, label="stiffness", ge=0, le=15, help="log10 of λ: larger is straighter.", when="method: als, arpls, airpls"
    )
    asymmetry: float = RuleField(
        0.01, label="asymmetry", gt=0, lt=1, help="Weight of points above the baseline.", when="method: als"
    )
    half_window: int = RuleField(
        40, label="half window", unit="points", ge=1, le=100_000, help="Half the width of what is kept.",
        when="method: snip, rolling ball",
    )  # fmt: skip
    order: int = RuleField(2, label="order", ge=0, le=12, help="Order of the polynomial.", when="method: polynomial")
    low: float | None = RuleField(
        None, label="low", unit="x", help="Where the range for the level begins.", when="method: constant, polynomial"
    )
    high: float | None = RuleField(
        None, label="high", unit="x", help="Where it ends.", when="method: constant, polynomial"
    )
    anchors: tuple[float, ...] = RuleField(
        (), label="anchors", unit="x", help="x of the anchors: double-click the plot to add or remove, drag to move.",
        when="method: anchors, polynomial",
    )  # fmt: skip
    heights: tuple[float, ...] = RuleField(
        (), label="heights", unit="y", help="y of the anchors; empty: that of the curve around them.",
        when="method: anchors, polynomial",
    )  # fmt: skip

    @model_validator(mode="after")
    def _whole(self) -> Baseline:
        if self.heights and len(self.heights) != len(self.anchors):
            raise ValueError(f"there are {len(self.anchors)} anchors but {len(self.heights)} heights")
        return self

    def apply(self, curve: Curve) -> Passed:
        line = self.line(curve)
        if not np.isfinite(line).all():
            raise InputError(
                f"the {self.method} baseline has no value everywhere; choose another method or other values."
            )
        said = f"baseline of {line.min():.4g} to {line.max():.4g} taken off"
        return Passed(
            curve.with_y(curve.y - line, curve.u, curve.flags), Caught(), said, shapes=(Line(curve.x, line, "taken"),)
        )

    def line(self, curve: Curve) -> Floats:
        """The baseline at the curve's points.

        It has the shape (n,), in the unit of y. Raises InputError where it cannot be found.
        """
        if self.method == "constant":
            inside = in_band(curve.x, self.low, self.high, "range")
            return np.full(len(curve), float(np.median(curve.y[inside])))
        if self.method == "polynomial":
            return self._polynomial(curve)
        if self.method == "anchors":
            return self._through_anchors(curve)
        if not curve.is_sorted:
            raise InputError("x goes back and forth; put Sort and merge before this step.")
        return self._by_library(curve)

    def _by_library(self, curve: Curve) -> Floats:
        from pybaselines import Baseline as Library  # type: ignore[import-untyped]

        if len(curve) < 5:
            raise InputError(f"{len(curve)} points are too few for a baseline; five are needed.")
        library, lam = Library(curve.x, check_finite=False), 10.0**self.stiffness
        calls = {
            "als": lambda: library.asls(curve.y, lam=lam, p=self.asymmetry),
            "arpls": lambda: library.arpls(curve.y, lam=lam),
            "airpls": lambda: library.airpls(curve.y, lam=lam),
            "snip": lambda: library.snip(curve.y, max_half_window=min(self.half_window, (len(curve) - 1) // 2)),
            "rolling ball": lambda: library.rolling_ball(
                curve.y, half_window=min(self.half_window, (len(curve) - 1) // 2)
            ),
            "rubber band": lambda: library.rubberband(curve.y),
        }
        import warnings

        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                return np.asarray(calls[self.method]()[0], dtype=np.float64)
        except (np.linalg.LinAlgError, ValueError, RuntimeError) as error:
            raise InputError(f"{self.method} cannot be computed here ({error}); choose other values.") from error

    def _polynomial(self, curve: Curve) -> Floats:
        if self.anchors:
            x, y = self._anchor_points(curve)
        else:
            inside = in_band(curve.x, self.low, self.high, "range")
            x, y = curve.x[inside], curve.y[inside]
        if np.unique(x).size <= self.order:
            raise InputError(
                f"a polynomial of order {self.order} needs {self.order + 1} different x and has {np.unique(x).size}; "
                "add anchors or lower the order."
            )
        return np.asarray(np.polynomial.Polynomial.fit(x, y, self.order)(curve.x))

    def _through_anchors(self, curve: Curve) -> Floats:
        x, y = self._anchor_points(curve)
        if x.size == 1:
            return np.full(len(curve), float(y[0]))
        if x.size == 2:
            return np.asarray(y[0] + (y[1] - y[0]) * (curve.x - x[0]) / (x[1] - x[0]))
        from scipy.interpolate import CubicSpline

        inner = np.clip(curve.x, x[0], x[-1])
        spline = CubicSpline(x, y, bc_type="natural")
        # Beyond the outer anchors it goes on straight.
        return np.asarray(spline(inner) + spline(inner, 1) * (curve.x - inner))

    def _anchor_points(self, curve: Curve) -> tuple[Floats, Floats]:
        if not self.anchors:
            raise InputError("there are no anchors yet; double-click the plot where the baseline should pass.")
        x = np.array(self.anchors)
        near = max(2, len(curve) // 200)
        around = [np.argsort(np.abs(curve.x - at), kind="stable")[: 2 * near + 1] for at in x]
        y = np.array(self.heights) if self.heights else np.array([np.median(curve.y[place]) for place in around])
        order = np.argsort(x, kind="stable")
        x, y = x[order], y[order]
        fresh = np.concatenate([[True], np.diff(x) > 0])
        return x[fresh], y[fresh]

    def handles_now(self) -> tuple[Handle, ...]:
        """A polynomial goes through a band, or through anchors as soon as there are any."""
        gone = (Band if self.anchors else Anchors) if self.method == "polynomial" else ()
        return tuple(handle for handle in super().handles_now() if not isinstance(handle, gone))

    def digest(self) -> str:
        return self.method

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """Windows in step with the number of points."""
        return cls(half_window=max(5, len(curve) // 20))
