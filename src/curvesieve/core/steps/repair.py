"""Steps that mend faults of a detector or of a machine."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import RuleField
from curvesieve.core.steps import spikes
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.steps.running import running_median
from curvesieve.core.steps.templates import REACH, SIDE

_MAD_TO_SIGMA = 1.4826
"""Standard deviation over median absolute deviation for normal noise, 1/Φ⁻¹(3/4)."""
_INFLATED, _CAREFUL = 1.3, 1.1
"""By so much second differences must exceed what lines leave over, to be taken for lines and not for noise; the latter
is then made a little larger, as it scatters."""
_LINE, _FEW = 4.0, 0.2
"""Lines narrower than so many points are taken for spikes where they are no more than this share of those found."""


class Despike(Step):
    """Patches points that no line of a detector's own width could explain.

    Candidates stand out from the middle of two points one, two or three places away by more than threshold · σ: so
    neither a slope nor a broad peak hides them. σ is the robust size of the second differences of y around the point
    (see `running_noise`), or, where narrow lines make those large, what lines leave over (`noise_between_lines`); for
    whole numbers that count something it is at least √counts. A candidate and up to two neighbours are a spike when
    they rise sharply from both sides, and lines no narrower than `narrowest`, or a step, leave clearly more over than
    the same lines without these points (see `spikes`). The rule is applied to the patched curve until it finds nothing
    new. Where lines narrower than four points are few against the spikes found, they count as spikes, too. The y of a
    caught point is drawn straight between its good neighbours and flagged `patched`; where u is known, its u becomes at
    least σ.
    """

    slug = "despike"
    label = "Despike"
    group = "repair"
    left_out = "by itself"
    summary = "Find spikes that no line could be, and patch them"
    told = "spikes above {threshold} times the noise were patched, in a window of {window} points"
    words = "cosmic ray spike outlier glitch remove hot pixel noise"
    reference = "own rule; second differences and lines as told in its help"

    window: int = RuleField(
        11, label="window", unit="points", ge=3, le=1001,
        help="The noise around a point is judged over ten such windows. Wider where it hardly changes along the curve.",
    )  # fmt: skip
    threshold: float = RuleField(
        5.0, label="threshold", unit="σ", gt=0, le=1000,
        help="How many times the noise a point must stand out. Larger catches less; 4 to 8 is usual.",
    )  # fmt: skip
    narrowest: float = RuleField(
        2.0, label="narrowest line", unit="points", ge=2, le=10,
        help="Full width of the narrowest true line. What is at least as wide is never cut; wider finds more spikes.",
    )  # fmt: skip

    _MAX_ROUNDS: ClassVar[int] = 10

    def effort(self, curve: Curve) -> float:
        """Lines are held against every window, up to some number; and once against pure noise, before the first use."""
        return 10.0 * len(curve) + (0.0 if spikes.is_prepared(self.narrowest) else 100_000.0)

    def apply(self, curve: Curve) -> Passed:
        used = np.flatnonzero((curve.flags & Flag.LEFT_OUT) == 0)
        n = used.size
        needed = max(self.window, SIDE)
        if n < needed:
            raise InputError(f"a window of {self.window} points needs {needed} points, and the curve has {n} to use.")
        y = curve.y[used].copy()
        caught, sigma = self._found(y, None if curve.u is None else curve.u[used])
        points = used[caught]
        whole = curve.y.copy()
        whole[points] = y[caught]
        u = curve.u
        if u is not None and points.size:
            u = u.copy()
            u[points] = np.maximum(sigma[caught], u[points])
        flags = curve.flags.copy()
        flags[points] |= np.uint8(Flag.PATCHED)
        passed = curve.with_y(whole, u, flags) if points.size else curve
        return Passed(passed, Caught(points, whole[points]), f"{counted(points.size, 'point')} caught")

    def _found(self, y: NDArray[np.float64], u: NDArray[np.float64] | None) -> tuple[NDArray[np.bool_], NDArray[Any]]:
        """Which points are caught, and the noise; y is patched in place."""
        caught = np.zeros(y.size, bool)
        sigma, between = self._noise(y, u)
        count = self._rounds(y, sigma, caught, self.narrowest)
        if count:  # spikes make the noise look larger
            sigma, _ = self._noise(y, u, between)
            count += self._rounds(y, sigma, caught, self.narrowest)
        if count and self.narrowest < _LINE:
            left = np.flatnonzero((self._stands_out(y, sigma) > 0) & ~caught)
            narrow = left[~spikes.judge(y, left, sigma[left], self.threshold, _LINE).lines]
            lines = np.count_nonzero(np.diff(narrow) > REACH) + bool(narrow.size)
            if lines <= _FEW * count:
                self._rounds(y, sigma, caught, _LINE)
        return caught, sigma

    def _noise(
        self, y: NDArray[np.float64], u: NDArray[np.float64] | None, before: spikes.Between | None = None
    ) -> tuple[NDArray[np.float64], spikes.Between]:
        sigma = running_noise(y, 10 * self.window)
        between = spikes.noise_between_lines(y, 30 * self.window, self.narrowest, before)
        small = between.sigma
        sigma = np.where(sigma > _INFLATED * small, _CAREFUL * small, np.maximum(sigma, small))
        sigma = np.maximum(sigma, _grain(y))
        if u is not None:
            sigma = np.maximum(sigma, u)
        if (y >= 0).all() and (y == np.rint(y)).all():
            level = np.convolve(np.pad(y, 3, mode="edge"), np.full(7, 1 / 7), mode="valid")
            sigma = np.maximum(sigma, np.sqrt(np.maximum(level, 1.0)))
        return sigma, between

    def _stands_out(self, y: NDArray[np.float64], sigma: NDArray[np.float64]) -> NDArray[np.float64]:
        """How far points lie from the middle of two others, at one of three distances, against the noise.

        Zero where their own neighbours lie farther on the same side, or where it is not more than the threshold.
        """
        apart = np.zeros(y.size)
        for k in (1, 2, 3):
            wide = np.pad(y, k, mode="edge")
            one = y - (wide[: -2 * k] + wide[2 * k :]) / 2
            apart = np.where(np.abs(one) > np.abs(apart), one, apart)
        for end in (slice(0, 3), slice(-3, None)):
            around = y[:7] if end.start == 0 else y[-7:]
            apart[end] = y[end] - np.median(around)
        sides = np.pad(apart, 1)
        high = (apart >= sides[:-2]) & (apart >= sides[2:]) & (apart > self.threshold * sigma)
        low = (apart <= sides[:-2]) & (apart <= sides[2:]) & (apart < -self.threshold * sigma)
        return np.asarray(np.where(high | low, np.abs(apart) / np.where(sigma > 0, sigma, 1e-300), 0.0))

    def _rounds(
        self, y: NDArray[np.float64], sigma: NDArray[np.float64], caught: NDArray[np.bool_], narrowest: float
    ) -> int:
        """Catches and patches, in place, until nothing new is found; how many spikes were found."""
        count = 0
        settled = np.zeros(y.size, bool)
        for _ in range(self._MAX_ROUNDS):
            size = self._stands_out(y, sigma)
            at = np.flatnonzero((size > 0) & ~caught & ~settled)
            judged = spikes.judge(y, at, sigma[at], self.threshold, narrowest)
            fresh, found = _strongest(at, size, judged.points, y.size)
            fresh &= ~caught
            if not fresh.any():
                break
            count += found
            caught |= fresh
            if caught.all():
                raise InputError("every point stands out from its neighbours; raise the threshold.")
            y[caught] = np.interp(np.flatnonzero(caught), np.flatnonzero(~caught), y[~caught])
            settled[at] = True
            near = np.convolve(fresh, np.ones(2 * REACH + 3))[REACH + 1 :][: y.size]  # also of fewer points than that
            settled &= near == 0
        return count

    def digest(self) -> str:
        return f"{self.threshold:g} σ"


def _strongest(
    at: NDArray[np.intp], size: NDArray[np.float64], points: Sequence[NDArray[np.intp]], n: int
) -> tuple[NDArray[np.bool_], int]:
    """The points of the spikes found and their number, of those within three places of one another only the strongest.

    The points beside a spike stand out as well, the other way, and are looked at again when it is patched.
    """
    fresh, near, found = np.zeros(n, bool), np.zeros(n, bool), 0
    for i in sorted((i for i in range(at.size) if points[i].size), key=lambda i: -size[at[i]]):
        if not near[at[i]]:
            fresh[points[i]] = True
            near[max(at[i] - 3, 0) : at[i] + 4] = True
            found += 1
    return fresh, found


class DespikeDifferences(Step):
    """Patches single-channel spikes: points at which the first difference of y stands out.

    The rule of Whitaker and Hayes (Chemom. Intell. Lab. Syst. 179 (2018) 82; from memory): the modified z score of the
    differences, 0.6745 (∇y − median)/MAD, above the threshold. Each caught point becomes the mean of its good
    neighbours within `reach`.
    """

    slug = "despike-differences"
    label = "Despike by differences"
    group = "repair"
    left_out = "stay"
    summary = "Find one-channel spikes by the steps between neighbours"
    told = "spikes of a few points, with steps above {threshold} times the noise, were patched"
    words = "cosmic ray spike outlier glitch remove"
    reference = "Whitaker and Hayes, Chemom. Intell. Lab. Syst. 179 (2018) 82"

    threshold: float = RuleField(
        8.0, label="threshold", gt=0, le=1000, help="Modified z score of a difference above which it is a spike."
    )
    reach: int = RuleField(
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


def running_noise(y: NDArray[np.float64], window: int) -> NDArray[np.float64]:
    """The standard deviation of the noise around each point, blind to level and slope.

    1.4826 times the running median of |y₋₁ − 2y₀ + y₊₁|, over √6: for independent noise the variance of a second
    difference is 1 + 4 + 1 times that of a point.
    `y` has shape (n,), and so has the answer, in the unit of y.
    """
    second = np.abs(np.diff(y, 2))
    sigma: NDArray[np.float64] = (
        _MAD_TO_SIGMA / np.sqrt(6.0) * running_median(np.pad(second, 1, mode="edge"), min(window, y.size))
    )
    return sigma


def typical_noise(y: NDArray[np.float64]) -> float:
    """The standard deviation of the noise over the whole curve, by the same rule as `running_noise`.

    `y` has shape (n,); 0 for fewer than five points.
    """
    if y.size < 5:
        return 0.0
    return float(_MAD_TO_SIGMA * np.median(np.abs(np.diff(y, 2))) / np.sqrt(6.0))


def _grain(y: NDArray[np.float64]) -> float:
    """The smallest step between neighbours that is not zero: noise below a digitiser's grain cannot be seen."""
    steps = np.abs(np.diff(y))
    steps = steps[steps > 0]
    return float(steps.min()) if steps.size else 0.0
