"""Steps that mend faults of a detector or of a machine."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.steps.base import Caught, Passed, Step, StepField

_MAD_TO_SIGMA = 1.4826
"""Standard deviation over median absolute deviation for normal noise, 1/Φ⁻¹(3/4)."""


_SHARP = 0.7


class Despike(Step):
    """Patches points that stand out from their running median by many times the noise.

    A point is caught when |y − median of its window| > threshold · σ (the rule of Hampel, J. Am. Stat. Assoc. 69
    (1974) 383; from memory). The noise σ is not taken from those distances, which vanish on a slope, where the
    point is its own median; it is the robust size of the second differences of y over a window ten times as wide
    (see `running_noise`), which slopes do not touch. So that a true narrow peak survives, the second difference at
    the point or at one beside it must be large, too: more than 0.7 of the distance, and its own noise √6 σ on top. (A
    spike of one channel has twice its height there, a Gaussian peak of FWHM w points 5.5/w² of it.) The rule is
    applied again to the patched curve until it catches nothing new, so that clusters are found whole. The y of a
    caught point is drawn straight between its good neighbours and flagged `patched`; where u is known, its u becomes
    at least σ.
    """

    slug = "despike"
    label = "Despike"
    intent = "repair"
    summary = "Find spikes by a running median and patch them"
    reference = "Hampel, J. Am. Stat. Assoc. 69 (1974) 383"

    window: int = StepField(
        11, label="window", unit="points", ge=3, le=1001,
        help="Points in the running median. It catches spikes narrower than half of it; stay below true peaks' width.",
    )  # fmt: skip
    threshold: float = StepField(
        5.0, label="threshold", unit="σ", gt=0, le=1000,
        help="How many times the noise a point must stand out. Larger catches less; 4 to 8 is usual.",
    )  # fmt: skip

    _MAX_ROUNDS = 10

    def apply(self, curve: Curve) -> Passed:
        n = len(curve)
        if n < self.window:
            raise InputError(
                f"the window of {self.window} points is wider than the curve, which has {n}; choose a smaller window."
            )
        y = curve.y.copy()
        caught = np.zeros(n, bool)
        scale = np.maximum(running_noise(y, 10 * self.window), _grain(y))
        distance = np.abs(y - running_median(y, self.window))
        for _ in range(self._MAX_ROUNDS):
            fresh = (distance > self.threshold * scale) & ~caught
            fresh &= _beside(fresh & _is_sharp(y, distance, scale))
            if not fresh.any():
                break
            caught |= fresh
            if caught.all():
                raise InputError("every point stands out from its neighbours; raise the threshold.")
            y[caught] = np.interp(np.flatnonzero(caught), np.flatnonzero(~caught), y[~caught])
            distance = np.abs(y - running_median(y, self.window))
        points = np.flatnonzero(caught)
        u = curve.u
        if u is not None and points.size:
            u = u.copy()
            u[points] = np.maximum(scale[points], u[points])
        flags = np.where(caught, curve.flags | Flag.PATCHED, curve.flags).astype(np.uint8)
        passed = curve.with_y(y, u, flags) if points.size else curve
        return Passed(passed, Caught(points, y[points]), f"{counted(points.size, 'point')} caught")

    def digest(self) -> str:
        return "running median"


class DespikeDifferences(Step):
    """Patches single-channel spikes: points at which the first difference of y stands out.

    The rule of Whitaker and Hayes (Chemom. Intell. Lab. Syst. 179 (2018) 82; from memory): the modified z score of the
    differences, 0.6745 (∇y − median)/MAD, above the threshold. Each caught point becomes the mean of its good
    neighbours within `reach`.
    """

    slug = "despike-differences"
    label = "Despike by differences"
    intent = "repair"
    summary = "Find one-channel spikes by the steps between neighbours"
    reference = "Whitaker and Hayes, Chemom. Intell. Lab. Syst. 179 (2018) 82"

    threshold: float = StepField(
        8.0, label="threshold", gt=0, le=1000, help="Modified z score of a difference above which it is a spike."
    )
    reach: int = StepField(
        3, label="reach", unit="points", ge=1, le=100, help="Neighbours on each side that the patch is made of."
    )

    def apply(self, curve: Curve) -> Passed:
        n = len(curve)
        if n < 2 * self.reach + 3:
            raise InputError(f"a reach of {self.reach} needs {2 * self.reach + 3} points, and the curve has {n}.")
        steps = np.diff(curve.y)
        scale = _MAD_TO_SIGMA * float(np.median(np.abs(steps - np.median(steps)))) or _grain(curve.y)
        score = np.abs(steps - np.median(steps)) / scale if scale > 0 else np.zeros(n - 1)
        jump = score > self.threshold
        # A spike of one channel is a large step up and one down right after it (or the other way round).
        signs = np.sign(steps - np.median(steps))
        caught = np.zeros(n, bool)
        caught[1:-1] = jump[:-1] & jump[1:] & (signs[:-1] != signs[1:])
        points = np.flatnonzero(caught)
        y = curve.y.copy()
        for point in points.tolist():
            near = np.arange(max(point - self.reach, 0), min(point + self.reach + 1, n))
            y[point] = curve.y[near[~caught[near]]].mean()
        u = curve.u
        if u is not None and points.size:
            u = u.copy()
            u[points] = np.maximum(u[points], scale / np.sqrt(2))
        flags = np.where(caught, curve.flags | Flag.PATCHED, curve.flags).astype(np.uint8)
        passed = curve.with_y(y, u, flags) if points.size else curve
        return Passed(passed, Caught(points, y[points]), f"{counted(points.size, 'point')} caught")


def _is_sharp(y: NDArray[np.float64], distance: NDArray[np.float64], scale: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Where the second difference is that of a spike of such a height."""
    second = np.abs(np.diff(np.pad(y, 1, mode="reflect"), 2))
    return np.asarray(second >= _SHARP * distance + np.sqrt(6.0) * scale)


def _beside(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The points of a mask and their neighbours."""
    wide = mask.copy()
    wide[1:] |= mask[:-1]
    wide[:-1] |= mask[1:]
    return wide


def running_noise(y: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """The standard deviation of the noise around each point, blind to level and slope.

    1.4826 times the running median of |y₋₁ − 2y₀ + y₊₁|, over √6: for independent noise the variance of a second
    difference is 1 + 4 + 1 times that of a point.
    """
    second = np.abs(np.diff(y, 2))
    sigma: NDArray[np.float64] = (
        _MAD_TO_SIGMA / np.sqrt(6.0) * running_median(np.pad(second, 1, mode="edge"), min(window, y.size))
    )
    return sigma


def typical_noise(y: NDArray[np.float64]) -> float:
    """The standard deviation of the noise over the whole curve, by the same rule as `running_noise`."""
    if y.size < 5:
        return 0.0
    return float(_MAD_TO_SIGMA * np.median(np.abs(np.diff(y, 2))) / np.sqrt(6.0))


def _grain(y: NDArray[np.float64]) -> float:
    """The smallest step between neighbours that is not zero: noise below a digitiser's grain cannot be seen."""
    steps = np.abs(np.diff(y))
    steps = steps[steps > 0]
    return float(steps.min()) if steps.size else 0.0


_FEW_VALUES = 250_000
"""Up to so many window values NumPy sorts the windows themselves: quicker than loading SciPy's filter."""


def running_median(y: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """The median of the window around each point (an even window is made odd); ends are mirrored."""
    window |= 1
    half = window // 2
    if y.size * window <= _FEW_VALUES and half < y.size:
        padded = np.pad(y, half, mode="reflect")
        windows = np.lib.stride_tricks.sliding_window_view(padded, window)
        return np.ascontiguousarray(np.partition(windows, half, axis=1)[:, half])
    from scipy.ndimage import median_filter

    return np.asarray(median_filter(y, size=window, mode="mirror"), dtype=np.float64)
