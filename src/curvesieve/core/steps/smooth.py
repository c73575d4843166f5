"""Steps that take noise away, and say when they may have taken more."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.rules import RuleField
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.steps.carry import carried, drawn_u, spacing_of
from curvesieve.core.steps.repair import typical_noise
from curvesieve.core.steps.running import running_median

_TOO_MUCH = 1.3


class Smooth(Step):
    """Smooths y by a filter over a window, by Whittaker's penalised least squares, or by a smoothing spline.

    u is carried through the filter for independent points; the median's is the s. d. over 500 draws of normal noise.
    The smoothed points are then correlated, which later fits do not know. What is taken away is compared with the noise
    (see `typical_noise`).
    """

    slug = "smooth"
    label = "Smooth"
    group = "smooth"
    left_out = "stay"
    summary = "Savitzky–Golay, moving mean or median, Gaussian, Whittaker, spline"
    told = "noise was smoothed ({settings})"
    words = "filter noise denoise average lowpass running"
    reference = (
        "Savitzky and Golay, Anal. Chem. 36 (1964) 1627; Eilers, Anal. Chem. 75 (2003) 3631 (Whittaker; from memory)"
    )

    method: Literal["savitzky-golay", "moving mean", "moving median", "gaussian", "whittaker", "spline"] = RuleField(
        "savitzky-golay", label="method", help="How y is smoothed."
    )
    window: int = RuleField(
        11, label="window", unit="points", ge=3, le=100_001, help="Points in the window; an even number becomes odd.",
        when="method: savitzky-golay, moving mean, moving median",
    )  # fmt: skip
    order: int = RuleField(
        2, label="order", ge=0, le=9, help="Order of the polynomial in the window.", when="method: savitzky-golay"
    )
    width: float = RuleField(
        3.0, label="width", unit="points", gt=0, le=100_000, help="Standard deviation of the Gaussian.",
        when="method: gaussian",
    )  # fmt: skip
    strength: float = RuleField(
        2.0, label="strength", ge=-6, le=12, help="log10 of the penalty λ: larger is smoother.",
        when="method: whittaker, spline",
    )  # fmt: skip

    def effort(self, curve: Curve) -> float:
        """With u, the filter runs once for every point that it reaches."""
        reach = {"gaussian": 5 * self.width, "whittaker": 8 * 10 ** (self.strength / 4), "spline": 40.0}
        runs = 1.0 if curve.u is None else min(2 * reach.get(self.method, self.window) + 1, len(curve))
        if self.method == "moving median" and curve.u is not None:
            runs = 500.0
        return len(curve) * runs * (5 if self.method == "spline" else 1)

    def apply(self, curve: Curve) -> Passed:
        n, window = len(curve), self.window | 1
        windowed = self.method in ("savitzky-golay", "moving mean", "moving median")
        if windowed and n < window:
            raise InputError(
                f"the window of {window} points is wider than the curve, which has {n}; choose a smaller one."
            )
        if self.method == "savitzky-golay" and self.order >= window:
            raise InputError(f"the order {self.order} needs a window of more than {self.order} points.")
        if not windowed and n < 5:
            raise InputError(f"{n} points are too few to smooth; five are needed.")
        operator, reach = self._operator(curve)
        y = operator(curve.y)
        if self.method == "moving median":
            u = drawn_u(operator, curve.y, curve.u)
        else:
            u = carried(operator, curve.y, curve.u, min(reach, n))
        return Passed(
            curve.with_y(y, u, curve.flags), Caught(), self._said(curve, y), shapes=(Line(curve.x, y, "taken"),)
        )

    def _said(self, curve: Curve, y: Floats) -> str:
        noise = typical_noise(curve.y)
        taken = float(np.sqrt(np.mean((curve.y - y) ** 2)))
        share = f"{taken / noise:.2f} × the noise" if noise > 0 else f"{taken:.3g}"
        said = f"took away {share}"
        if noise > 0 and taken > _TOO_MUCH * noise:
            said += ": more than noise, signal may go with it"
        if curve.u is not None:
            said += "; u of neighbours is correlated"
        if self.method != "spline" and not spacing_of(curve.x)[1]:
            said += "; x is uneven, points are taken as even"
        return said

    def _operator(self, curve: Curve) -> tuple[Callable[[Floats], Floats], int]:
        """The filter, and how many points away it reaches."""
        window = self.window | 1
        match self.method:
            case "savitzky-golay":
                from scipy.signal import savgol_filter

                return lambda y: np.asarray(savgol_filter(y, window, self.order)), window
            case "moving mean":
                from scipy.ndimage import uniform_filter1d

                return lambda y: np.asarray(uniform_filter1d(y, window, mode="mirror")), window
            case "moving median":
                return lambda y: running_median(y, window), window
            case "gaussian":
                from scipy.ndimage import gaussian_filter1d

                return lambda y: np.asarray(gaussian_filter1d(y, self.width, mode="mirror")), int(5 * self.width) + 1
            case "whittaker":
                # The response falls off over some λ^(1/4) points.
                return _whittaker(len(curve), 10.0**self.strength), int(8 * 10 ** (self.strength / 4)) + 4
        return self._spline(curve)

    def _spline(self, curve: Curve) -> tuple[Callable[[Floats], Floats], int]:
        from scipy.interpolate import make_smoothing_spline

        if not np.all(np.diff(curve.x) > 0):
            raise InputError("x repeats or goes back; put Sort and merge before this step.")
        # In units of the mean step, so that the strength means the same whatever the unit of x.
        x = (curve.x - curve.x[0]) / spacing_of(curve.x)[0]
        lam = 10.0**self.strength
        reach = int(8 * 10 ** (max(self.strength, 0) / 4)) + 8
        return lambda y: np.asarray(make_smoothing_spline(x, y, lam=lam)(x)), reach

    def digest(self) -> str:
        detail = {
            "gaussian": f"{self.width:g} points",
            "whittaker": f"λ 1e{self.strength:g}",
            "spline": f"λ 1e{self.strength:g}",
        }
        return f"{self.method}, {detail.get(self.method, f'{self.window | 1} points')}"


def _whittaker(n: int, lam: float) -> Callable[[Floats], Floats]:
    """(I + λ D₂ᵀD₂)⁻¹ y, by the Cholesky factor of a matrix of five bands."""
    from scipy.linalg import cho_solve_banded, cholesky_banded, solveh_banded

    main = np.full(n, 6.0)
    main[[0, -1]], main[[1, -2]] = 1.0, 5.0
    near = np.full(n, -4.0)
    near[[1, -1]] = -2.0
    bands = np.zeros((3, n))
    bands[0, 2:], bands[1, 1:], bands[2] = lam, lam * near[1:], 1 + lam * main
    if n == 5:
        bands[2, 2] = 1 + 6 * lam
    kept: list[Floats] = []

    def solve(y: Floats) -> Floats:
        """The first time at once; for many (carrying u), the factor is worth having."""
        if not kept:
            kept.append(np.empty(0))
            return np.asarray(solveh_banded(bands, y, check_finite=False))
        if not kept[0].size:
            kept[0] = np.asarray(cholesky_banded(bands, check_finite=False))
        return np.asarray(cho_solve_banded((kept[0], False), y, check_finite=False))

    return solve
