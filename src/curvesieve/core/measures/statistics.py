"""Measures of a stretch as a whole: mean and scatter, signal to noise, periods."""

from __future__ import annotations

import math

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.in_band import InBand
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.shapes import Line

_MEDIAN = math.sqrt(math.pi / 2)
"""The u of a median over that of a mean, for normal noise and many points."""


class MeanAndScatter(InBand):
    """What the points of a band hold: mean, standard deviation, median, extent.

    The u of the mean is s/√n, that of the median √(π/2) times as much (many points, normal noise), that of s
    s/√(2(n − 1)): the scatter of the points, not their u, as the band may hold more than noise.
    """

    slug = "mean-and-scatter"
    label = "Mean and scatter"
    group = "statistics"
    summary = "Mean, standard deviation, median and extent of a band"
    words = "average mean sd standard error median range plateau"
    reference = "JCGM 100:2008, 4.2"
    yields = (Yield("mean", "mean", 0, 1), Yield("deviation", "s", 0, 1, gap=True), Yield("median", "median", 0, 1),
              Yield("extent", "range", 0, 1, gap=True))  # fmt: skip

    def take(self, seen: Seen) -> Taken:
        points = self.stretch(seen)
        y, n = points.y, len(points)
        mean, median = float(np.mean(y)), float(np.median(y))
        ends = np.array([points.x[0], points.x[-1]])
        shapes = (Line(ends, np.full(2, mean)),)
        if n < 2:
            return Taken(
                (Found("mean", mean), Found("median", median)), "one point: no scatter and no u", points, shapes
            )
        s = float(np.std(y, ddof=1))
        error = s / math.sqrt(n)
        found = (
            Found("mean", mean, np.full(n, 1 / n), error),
            Found("deviation", s, u=s / math.sqrt(2 * (n - 1))),
            Found("median", median, u=_MEDIAN * error), Found("extent", float(np.ptp(y))),
        )  # fmt: skip
        return Taken(found, counted(n, "point"), points, shapes, "u from their scatter, none of the extent")

    def digest(self) -> str:
        return self.said_band()


class SignalToNoise(Banded, Measure):
    """How high the highest point of a band stands over the mean of another, in standard deviations of that one."""

    slug = "signal-to-noise"
    label = "Signal to noise"
    group = "statistics"
    summary = "Height of a band's maximum over the noise of another"
    words = "snr s/n detection noise"
    reference = "common practice"
    handles = (Band(opens=(0.3, 0.7)), Band(low="noise_low", high="noise_high", opens=(0.9, 1.0)))
    yields = (Yield("ratio", "S/N"), Yield("noise", "σ", 0, 1, True, gap=True))

    low: float | None = RuleField(None, label="from", unit="x", help="Where the signal's band begins.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends.")
    noise_low: float | None = RuleField(None, label="noise from", unit="x", help="Where the band of noise begins.")
    noise_high: float | None = RuleField(None, label="noise to", unit="x", help="Where the band of noise ends.")

    def take(self, seen: Seen) -> Taken:
        if self.noise_low is None or self.noise_high is None:
            raise InputError("the band of noise is not set; type where it begins and ends.")
        signal = seen.band(self.low, self.high)
        noise = seen.band(self.noise_low, self.noise_high, 3)
        s, m = float(np.std(noise.y, ddof=1)), len(noise)
        if not s > 0:
            raise InputError("all points of the band of noise are equal; it tells no noise.")
        ratio = (float(signal.y.max()) - float(noise.y.mean())) / s
        u = math.sqrt(1 + 1 / m + ratio**2 / (2 * (m - 1)))
        said = f"noise of {counted(m, 'point')} from {self.noise_low:g} to {self.noise_high:g}"
        level = Line(np.array([noise.x[0], noise.x[-1]]), np.full(2, float(noise.y.mean())))
        found = (Found("ratio", ratio, u=u), Found("noise", s, u=s / math.sqrt(2 * (m - 1))))
        return Taken(found, said, signal, (level,), "u from the scatter of the noise")


class PeriodAndAmplitude(InBand):
    """Period and amplitude of a signal: a sine with an offset by least squares, begun at the spectrum's strongest line.

    The strongest line is looked for by least squares, too, so that x need not be even (N. R. Lomb, Astrophys. Space
    Sci. 39 (1976) 447; from memory). The uncertainties follow from the scatter about the sine.
    """

    slug = "period"
    label = "Period and amplitude"
    group = "statistics"
    summary = "Period and amplitude of an oscillation"
    words = "frequency oscillation sine wave fourier fringes spacing"
    reference = "least squares, JCGM 100:2008, H.3; Lomb 1976"
    yields = (Yield("period", "T", 1, 0, gap=True), Yield("amplitude", "A", 0, 1, gap=True))

    def take(self, seen: Seen) -> Taken:
        points = self.stretch(seen, 8)
        span = float(np.ptp(points.x))
        if span == 0:
            raise InputError("all points have the same x; nothing oscillates.")
        t = (points.x - points.x[0]) / span
        size = float(np.std(points.y))
        if not size > 0:
            raise InputError("y is the same everywhere; nothing oscillates.")
        y = (points.y - points.y.mean()) / size
        cycles = _strongest(t, y)
        values, covariance = _sine(t, y, cycles)
        cycles, a, b = float(values[0]), float(values[1]), float(values[2])
        amplitude = math.hypot(a, b)
        if cycles <= 0 or amplitude == 0:
            raise InputError("no oscillation was found in this band.")
        toward = np.array([0.0, a, b, 0.0]) / amplitude
        u_cycles = math.sqrt(float(covariance[0, 0]))
        u_amplitude = math.sqrt(float(toward @ covariance @ toward))
        found = (
            Found("period", span / cycles, u=span / cycles**2 * u_cycles),
            Found("amplitude", size * amplitude, u=size * u_amplitude),
        )
        fine = np.linspace(0, 1, min(20 * math.ceil(cycles) + 2, 4000))
        wave = values[3] + a * np.cos(2 * np.pi * cycles * fine) + b * np.sin(2 * np.pi * cycles * fine)
        drawn = Line(points.x[0] + span * fine, points.y.mean() + size * wave)
        said = f"{cycles:.3g} periods in {counted(len(points), 'point')}"
        return Taken(found, said, points, (drawn,), "u from the scatter about the sine")


def _strongest(t: Floats, y: Floats) -> float:
    """The number of cycles over t from 0 to 1 that takes most of the squares of y; both of shape (n,)."""
    most = min((t.size - 1) / 2, 2000.0)
    steps = np.diff(t)
    if np.ptp(steps) < 1e-6 * steps.mean():  # even: all at once
        size = 1 << (16 * t.size - 1).bit_length()
        spectrum = np.abs(np.fft.rfft(y, size))
        cycles = np.arange(spectrum.size) * (t.size - 1) / size
        return float(cycles[np.argmax(np.where((cycles >= 0.5) & (cycles <= most), spectrum, -1.0))])
    trial = np.arange(0.5, most + 0.05, 0.1)
    best, found = -1.0, 1.0
    for part in np.array_split(trial, max(1, trial.size * t.size // 2_000_000)):
        phase = 2 * np.pi * np.outer(part, t)
        c, s = np.cos(phase), np.sin(phase)
        c -= c.mean(axis=1, keepdims=True)
        s -= s.mean(axis=1, keepdims=True)
        cc, ss, cs = (c * c).sum(1), (s * s).sum(1), (c * s).sum(1)
        yc, ys = c @ y, s @ y
        det = cc * ss - cs**2
        power = np.where(det > 1e-9 * cc * ss, (ss * yc**2 - 2 * cs * yc * ys + cc * ys**2) / det, -1.0)
        k = int(np.argmax(power))
        if power[k] > best:
            best, found = float(power[k]), float(part[k])
    return found


def _sine(t: Floats, y: Floats, cycles: float) -> tuple[Floats, Floats]:
    """Cycles, cosine, sine and offset by Gauss–Newton from a start, of shape (4,), and their covariance (4, 4)."""

    def design(f: float) -> Floats:
        return np.array([np.cos(2 * np.pi * f * t), np.sin(2 * np.pi * f * t), np.ones(t.size)])

    linear = np.linalg.lstsq(design(cycles).T, y, rcond=None)[0]
    values = np.array([cycles, *linear])
    for _ in range(30):
        c, s, one = design(float(values[0]))
        by_cycles = 2 * np.pi * t * (values[2] * c - values[1] * s)
        jacobian = np.array([by_cycles, c, s, one])
        residual = y - (values[1] * c + values[2] * s + values[3])
        step = np.linalg.lstsq(jacobian.T, residual, rcond=None)[0]
        values = values + step
        if abs(step[0]) < 1e-12 * abs(values[0]) + 1e-14:
            break
    scatter = float(residual @ residual) / max(t.size - 4, 1)
    return values, np.linalg.pinv(jacobian @ jacobian.T) * scatter
