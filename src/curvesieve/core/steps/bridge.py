"""The bridge: a band is replaced by a curve that is fitted to its flanks."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formula import Formula, compile_formula, evaluate, parse
from curvesieve.core.models import is_known, term_of
from curvesieve.core.rules import Band, Banded, Flanks, RuleField
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step

LAWS = ("line", "polynomial", "spline", "pchip", "exponential", "double exponential")
_SINGLE = "offset + amplitude*exp(-(x - begin)/tau)"
_DOUBLE = "offset + amplitude_1*exp(-(x - begin)/tau_1) + amplitude_2*exp(-(x - begin)/tau_2)"
_END_POINTS = 9
_SURE = 3.0


@dataclass(frozen=True)
class _Span:
    """A law fitted to the flanks: its value and standard uncertainty as functions of x, and the count of parameters."""

    value: Callable[[Floats], Floats]
    spread: Callable[[Floats], Floats]
    parameters: int


class Bridge(Banded, Step):
    """Replaces the points between low and high by a law fitted to the flanks on both sides.

    The law is fitted to both flanks at once (weighted by u where it is known), so that its ends meet them within the
    noise without any shifting. With `ends` = value, an end that misses the last points of its flank by more than
    three standard errors is brought there by a straight ramp; with value and slope, by a cubic that takes the flank's
    slope, too. A patched point has u = √(u² of the law, from the covariance of its parameters, + σ²), with σ the
    scatter of the flanks: like a measured one, it stands for a value with noise. Where u is not known, σ becomes the
    u of all other points.
    """

    slug = "bridge"
    label = "Bridge"
    group = "repair"
    left_out = "by itself"
    summary = "Replace a faulty band by a curve fitted to its flanks"
    told = "points {band} were replaced by a {law} through their flanks"
    words = "interpolate gap patch fill repair glitch artefact"
    reference = "least squares and propagation of uncertainty, JCGM 100:2008, 5.2.2"
    handles = (Band(opens=(0.45, 0.55)), Flanks())

    low: float | None = RuleField(None, label="low", unit="x", help="Where the fault begins.")
    high: float | None = RuleField(None, label="high", unit="x", help="Where the fault ends.")
    law: str = RuleField(
        "line", label="law",
        help="line, polynomial, spline, pchip, exponential, double exponential, a library term, or a formula in x.",
        examples=list(LAWS),
    )  # fmt: skip
    flank: float | None = RuleField(
        None, label="flank", unit="x", gt=0, help="Width used on each side; empty: as wide as the fault."
    )
    order: int = RuleField(3, label="order", ge=1, le=9, help="Order of the polynomial.", when="law: polynomial")
    ends: Literal["as fitted", "value", "value and slope"] = RuleField(
        "value", label="ends meet in", help="What must agree with the flanks where the bridge begins and ends."
    )

    def effort(self, curve: Curve) -> float:
        return len(curve) + 5000.0 * (self.law not in ("line", "polynomial"))

    def apply(self, curve: Curve) -> Passed:
        low, high = self._band(curve)
        inside = (curve.x >= low) & (curve.x <= high)
        if not inside.any():
            raise InputError(
                f"no point lies between {low:g} and {high:g}; the curve runs from {curve.x.min():g} to "
                f"{curve.x.max():g}. Drag the band over the fault."
            )
        width = self.flank or (high - low)
        good = ~inside & ((curve.flags & (Flag.PATCHED | Flag.LEFT_OUT)) == 0)
        left = good & (curve.x >= low - width) & (curve.x < low)
        right = good & (curve.x > high) & (curve.x <= high + width)
        flanks = curve.take(left | right)
        span = self._fitted(flanks, low, high)
        if len(flanks) <= span.parameters:
            raise InputError(self._too_few(len(flanks), span.parameters))
        residual = flanks.y - span.value(flanks.x)
        sigma = float(np.sqrt(np.sum(residual**2) / max(len(flanks) - span.parameters, 1)))
        x = curve.x[inside]
        patched = span.value(x) + self._meeting(curve, (left, right), span, x, sigma, (low, high))
        if not np.isfinite(patched).all():
            raise InputError(f"the {self.law} has no value over the band; choose another law.")
        y = curve.y.copy()
        y[inside] = patched
        u = self._u(curve, inside, np.sqrt(span.spread(x) ** 2 + sigma**2), sigma)
        flags = np.where(inside, curve.flags | Flag.PATCHED, curve.flags).astype(np.uint8)
        points = np.flatnonzero(inside)
        said = f"{counted(points.size, 'point')} bridged; flanks of {len(flanks):,} points, residual {sigma:.3g}"
        shown = left | right | inside
        line = Line(curve.x[shown], span.value(curve.x[shown]), "taken")
        return Passed(curve.with_y(y, u, flags), Caught(points, patched), said, shapes=(line,))

    def _band(self, curve: Curve) -> tuple[float, float]:
        if self.low is None or self.high is None:
            raise InputError("the band is not set; drag its edges over the fault, or type low and high.")
        return self.low, self.high

    def _too_few(self, found: int, needed: int) -> str:
        return (
            f"the flanks hold {counted(found, 'point')}, but the {self.law} needs more than {needed}; "
            "widen the flanks or choose a simpler law."
        )

    @staticmethod
    def _u(curve: Curve, inside: np.ndarray, patched_u: Floats, sigma: float) -> Floats | None:
        if curve.u is None:
            if not sigma > 0:
                return None
            return np.where(inside, _filled(inside, patched_u), sigma)
        return np.where(inside, np.maximum(_filled(inside, patched_u), 1e-12 * curve.u.min()), curve.u)

    def digest(self) -> str:
        return self.law if self.low is None or self.high is None else f"{self.law}, {self.low:g} – {self.high:g}"

    # -- laws ---------------------------------------------------------------------------------------

    def _fitted(self, flanks: Curve, low: float, high: float) -> _Span:
        middle, half = (low + high) / 2, max((high - low) / 2, 1e-300)
        weights = np.ones(len(flanks)) if flanks.u is None else 1 / flanks.u
        if self.law in ("line", "polynomial"):
            order = 1 if self.law == "line" else self.order
            return self._linear(flanks, lambda x: np.vander((x - middle) / half, order + 1), order + 1, weights)
        if self.law == "spline":
            knots = np.r_[[flanks.x.min()] * 4, low, high, [flanks.x.max()] * 4] if len(flanks) else np.zeros(10)
            return self._linear(flanks, lambda x: _spline_basis(x, knots), 6, weights)
        if self.law == "pchip":
            return self._pchip(flanks, low, high)
        if self.law in ("exponential", "double exponential"):
            return self._exponential(flanks, float(flanks.x.min()) if len(flanks) else low)
        return self._formula(flanks)

    def _linear(self, flanks: Curve, basis: Callable[[Floats], Floats], parameters: int, weights: Floats) -> _Span:
        if len(flanks) <= parameters:
            raise InputError(self._too_few(len(flanks), parameters))
        design = basis(flanks.x) * weights[:, None]
        values, _, rank, _ = np.linalg.lstsq(design, flanks.y * weights, rcond=1e-12)
        if rank < parameters:
            raise InputError(f"the {self.law} cannot be told from these flanks; widen them on both sides.")
        residual = design @ values - flanks.y * weights
        scale = float(residual @ residual) / (len(flanks) - parameters)
        covariance = np.linalg.inv(design.T @ design) * scale
        spread = lambda x: np.sqrt(np.einsum("ij,jk,ik->i", basis(x), covariance, basis(x)))  # noqa: E731
        return _Span(lambda x: basis(x) @ values, spread, parameters)

    def _pchip(self, flanks: Curve, low: float, high: float) -> _Span:
        """Through the means of three parts of each flank."""
        from scipy.interpolate import PchipInterpolator

        parts = [part for side in (flanks.x < low, flanks.x > high) for part in np.array_split(np.flatnonzero(side), 3)]
        if any(part.size < 2 for part in parts):
            raise InputError(self._too_few(len(flanks), 11))
        x = np.array([flanks.x[part].mean() for part in parts])
        y = np.array([flanks.y[part].mean() for part in parts])
        slopes = [np.polyfit(flanks.x[part] - flanks.x[part].mean(), flanks.y[part], 1) for part in parts]
        rest = [
            flanks.y[p] - np.polyval(s, flanks.x[p] - flanks.x[p].mean()) for p, s in zip(parts, slopes, strict=True)
        ]
        noise = float(np.sqrt(sum(r @ r for r in rest) / max(len(flanks) - 12, 1)))
        u = np.array([noise / np.sqrt(part.size) for part in parts])

        def value(at: Floats) -> Floats:
            return np.asarray(PchipInterpolator(x, y, extrapolate=True)(at))

        def spread(at: Floats) -> Floats:
            moved = [PchipInterpolator(x, y + step, extrapolate=True)(at) for step in np.diag(0.01 * u)]
            return np.asarray(np.sqrt(sum(((m - value(at)) / 0.01) ** 2 for m in moved)), dtype=np.float64)

        return _Span(value, spread, 6)

    def _exponential(self, flanks: Curve, begin: float) -> _Span:
        """The decay times are looked for on a grid, with amplitudes and offset solved for, and then fitted."""
        single = self.law == "exponential"
        needed = 3 if single else 5
        if len(flanks) <= needed:
            raise InputError(self._too_few(len(flanks), needed))
        span = float(np.ptp(flanks.x))
        s = (flanks.x - begin) / span
        times = np.geomspace(0.01, 10, 40 if single else 20)
        times = np.r_[times, -times[times > 0.1]] if single else times
        pairs = [(t,) for t in times] if single else [(a, b) for i, a in enumerate(times) for b in times[i + 1 :]]
        weights = np.ones(s.size) if flanks.u is None else 1 / flanks.u
        best = min(pairs, key=lambda pair: _projected(s, flanks.y, pair, weights)[0])
        linear = _projected(s, flanks.y, best, weights)[1]
        start = {"offset": linear[0], "begin": begin}
        names = ("",) if single else ("_1", "_2")
        for name, time, amplitude in zip(names, best, linear[1:], strict=True):
            start |= {f"tau{name}": float(time * span), f"amplitude{name}": float(amplitude)}
        return self._by_fit(flanks, _SINGLE if single else _DOUBLE, start, ("begin",))

    def _formula(self, flanks: Curve) -> _Span:
        formula = _formula_of(self.law, flanks)
        if len(flanks) <= len(formula.parameters):
            raise InputError(self._too_few(len(flanks), len(formula.parameters)))
        return self._by_fit(flanks, self.law, None, ())

    def _by_fit(self, flanks: Curve, text: str, start: dict[str, float] | None, hold: tuple[str, ...]) -> _Span:
        from curvesieve.core.fitting import fit

        result = fit(text, flanks.x, flanks.y, flanks.u, start=start, hold=hold, variable="x")
        if not result.converged:
            raise InputError(
                f"the {self.law} could not be fitted to the flanks ({result.message}) Choose a simpler law."
            )
        formula = _formula_of(text, flanks)
        values = {name: p.value for name, p in result.parameters.items()}
        places = [formula.parameters.index(name) for name in result.free]
        covariance = np.array(result.covariance) if result.covariance is not None else np.zeros((len(places),) * 2)

        def spread(x: Floats) -> Floats:
            columns = compile_formula(formula).jacobian([x], [values[name] for name in formula.parameters])
            jacobian = np.column_stack([np.broadcast_to(columns[i], x.shape) for i in places])
            return np.asarray(np.sqrt(np.maximum(np.einsum("ij,jk,ik->i", jacobian, covariance, jacobian), 0)))

        def value(x: Floats) -> Floats:
            return np.broadcast_to(evaluate(formula, {**values, "x": x}), x.shape)

        return _Span(value, spread, len(result.free))

    # -- ends ---------------------------------------------------------------------------------------

    def _meeting(
        self, curve: Curve, flanks: tuple[np.ndarray, np.ndarray], span: _Span, x: Floats, sigma: float,
        band: tuple[float, float],
    ) -> Floats:  # fmt: skip
        """What must be added to the law so that its ends meet the flanks."""
        if self.ends == "as fitted":
            return np.zeros(x.size)
        ends = [_end_of(curve, side, span, edge, sigma) for side, edge in zip(flanks, band, strict=True)]
        (miss_low, slope_low), (miss_high, slope_high) = ends
        width = max(band[1] - band[0], 1e-300)
        t = (x - band[0]) / width
        if self.ends == "value":
            return miss_low * (1 - t) + miss_high * t
        h00, h10 = 2 * t**3 - 3 * t**2 + 1, t**3 - 2 * t**2 + t
        h01, h11 = -2 * t**3 + 3 * t**2, t**3 - t**2
        return miss_low * h00 + slope_low * width * h10 + miss_high * h01 + slope_high * width * h11


def _end_of(curve: Curve, side: np.ndarray, span: _Span, edge: float, sigma: float) -> tuple[float, float]:
    """How far the law misses the flank's last points, in value and slope; 0 where that is within the noise."""
    near = np.flatnonzero(side)
    near = near[np.argsort(np.abs(curve.x[near] - edge))][:_END_POINTS]
    if near.size < 2:
        return 0.0, 0.0
    miss = curve.y[near] - span.value(curve.x[near])
    value = float(miss.mean())
    value = value if abs(value) > _SURE * sigma / np.sqrt(near.size) else 0.0
    distance = curve.x[near] - edge
    if near.size < 4 or not np.ptp(distance) > 0:
        return value, 0.0
    slope = float(np.polyfit(distance, miss, 1)[0])
    error = sigma / (np.sqrt(near.size) * float(np.std(distance)))
    return value, slope if abs(slope) > _SURE * error else 0.0


def _filled(inside: np.ndarray, values: Floats) -> Floats:
    full = np.ones(inside.size)
    full[inside] = values
    return full


def _spline_basis(x: Floats, knots: Floats) -> Floats:
    from scipy.interpolate import BSpline

    at = np.clip(x, knots[0], knots[-1])
    return np.asarray(BSpline.design_matrix(at, knots, 3).toarray())


def _projected(s: Floats, y: Floats, times: tuple[float, ...], weights: Floats) -> tuple[float, Floats]:
    """The weighted sum of squares with the linear parameters solved for, and those parameters."""
    columns = np.column_stack([np.ones(s.size), *(np.exp(-s / t) for t in times)]) * weights[:, None]
    values = np.linalg.lstsq(columns, y * weights, rcond=None)[0]
    residual = columns @ values - y * weights
    return float(residual @ residual), np.asarray(values, dtype=np.float64)


def _formula_of(law: str, flanks: Curve) -> Formula:
    """The formula of a law typed or named; a polynomial's basis spans the flanks, as in the fit.

    Raises InputError for one that is no formula alone.
    """
    if not is_known(law):
        return parse(law)
    term = term_of(law, (float(flanks.x.min()), float(flanks.x.max())))
    if term.averaged is not None:
        raise InputError(f"{term.label} is an average, which no gap is bridged by; choose another law.")
    return term.parsed
