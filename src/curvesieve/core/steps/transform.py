"""Steps that make another quantity of the curve: slope, running area, spectrum, any formula."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.formula import compile_formula, evaluate, parse
from curvesieve.core.formula.dimension import dimension
from curvesieve.core.rules import Mark, RuleField
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.steps.carry import carried, positive, spacing_of


def _need_order(curve: Curve, points: int, what: str) -> None:
    if len(curve) < points:
        raise InputError(f"{what} needs {points} points, and the curve has {len(curve)}.")
    if not np.all(np.diff(curve.x) > 0):
        raise InputError("x repeats or goes back; put Sort and merge before this step.")


class Slope(Step):
    """The derivative of y by x, of order 1 to 3: by Savitzky–Golay windows, or by an interpolating cubic spline.

    u is carried for independent points. Savitzky–Golay takes x as evenly spaced; where it is not, the spline is right.
    """

    slug = "slope"
    label = "Slope"
    group = "transform"
    summary = "Derivative of order 1 to 3"
    told = "the derivative of order {order} was taken ({settings})"
    words = "differentiate derivative gradient rate"
    reference = "Savitzky and Golay, Anal. Chem. 36 (1964) 1627"

    order: int = RuleField(1, label="order", ge=1, le=3, help="Order of the derivative.")
    method: Literal["savitzky-golay", "spline"] = RuleField("savitzky-golay", label="method", help="How it is found.")
    window: int = RuleField(
        11, label="window", unit="points", ge=3, le=100_001, help="Points in the window.", when="method: savitzky-golay"
    )
    degree: int = RuleField(
        3, label="degree", ge=1, le=9, help="Degree of the polynomial in the window.", when="method: savitzky-golay"
    )

    def effort(self, curve: Curve) -> float:
        """With u, the derivative is worked out once for every point that it reaches."""
        return len(curve) * (1.0 if curve.u is None else min(2.0 * self.window + 1, len(curve)))

    def apply(self, curve: Curve) -> Passed:
        operator, reach, said = self._operator(curve)
        y, u = operator(curve.y), carried(operator, curve.y, curve.u, reach)
        prefix = "d" if self.order == 1 else f"d{'²³'[self.order - 2]}"
        power = "" if self.order == 1 else "²³"[self.order - 2]
        made = replace(
            curve, y=y, u=u, y_label=f"{prefix}({curve.y_label})/d({curve.x_label}){power}",
            y_unit=units.power_product(curve.x_unit, -self.order, curve.y_unit, 1),
        )  # fmt: skip
        return Passed(made, Caught(), said)

    def _operator(self, curve: Curve) -> tuple[Callable[[Floats], Floats], int, str]:
        if self.method == "spline":
            _need_order(curve, 4, "a cubic spline")
            from scipy.interpolate import CubicSpline

            return lambda y: np.asarray(CubicSpline(curve.x, y)(curve.x, self.order)), 14, "slope by cubic spline"
        window = self.window | 1
        _need_order(curve, window, f"the window of {window} points")
        if not self.order <= self.degree < window:
            raise InputError(f"the degree must lie between the order ({self.order}) and the window ({window}).")
        from scipy.signal import savgol_filter

        delta, even = spacing_of(curve.x)
        said = f"slope over {window} points" + ("" if even else "; x is uneven, better use the spline")
        return lambda y: np.asarray(savgol_filter(y, window, self.degree, self.order, delta)), window, said

    def digest(self) -> str:
        return f"order {self.order}, {self.method}"


class RunningArea(Step):
    """∫y dx from a chosen zero up to each point, by trapezia or by Simpson's rule.

    u is that of a weighted sum of independent points: the weight of a point is the area it stands for.
    """

    slug = "running-area"
    label = "Running area"
    group = "transform"
    summary = "Integral from a chosen zero up to each point"
    told = "the running integral was taken, by the rule {rule}"
    words = "integrate integral cumulative work energy area sum"
    handles = (Mark(at="zero"),)

    rule: Literal["trapezium", "simpson"] = RuleField("trapezium", label="rule", help="How the area is added up.")
    zero: float | None = RuleField(
        None, label="zero at", unit="x", help="x where the area is zero; empty: the first point."
    )

    def apply(self, curve: Curve) -> Passed:
        _need_order(curve, 3 if self.rule == "simpson" else 2, "the running area")
        from scipy.integrate import cumulative_simpson, cumulative_trapezoid

        rule = cumulative_simpson if self.rule == "simpson" else cumulative_trapezoid
        area = np.asarray(rule(curve.y, x=curve.x, initial=0))
        if self.zero is not None:
            if not curve.x[0] <= self.zero <= curve.x[-1]:
                raise InputError(f"zero at {self.zero:g} lies outside the curve ({curve.x[0]:g} to {curve.x[-1]:g}).")
            area = area - np.interp(self.zero, curve.x, area)
        u = None if curve.u is None else self._u(curve)
        made = replace(
            curve,
            y=area,
            u=u,
            flags=self._flags(curve),
            y_label=f"∫{curve.y_label}",
            y_unit=units.power_product(curve.x_unit, 1, curve.y_unit, 1),
        )
        said = f"area from {area.min():.4g} to {area.max():.4g}"
        said += "; u of all points is correlated" if u is not None else ""
        return Passed(made, Caught(), said)

    def _flags(self, curve: Curve) -> NDArray[np.uint8]:
        """The point at the zero is zero by definition: patched, so that no fit takes it for a measured one."""
        at = curve.x == (curve.x[0] if self.zero is None else self.zero)
        return np.where(at, curve.flags | Flag.PATCHED, curve.flags).astype(np.uint8)

    def _u(self, curve: Curve) -> Floats:
        assert curve.u is not None
        steps = np.diff(curve.x)
        n, i = len(curve), np.arange(len(curve))
        inner = np.zeros(n)
        inner[:-1] += steps / 2
        inner[1:] += steps / 2
        # Simpson's weights alternate between 4/3 and 2/3 of the trapezia's: their mean square is 10/9.
        grown = 10 / 9 if self.rule == "simpson" else 1.0
        whole = np.concatenate([[0.0], np.cumsum((inner * curve.u) ** 2) * grown])
        last = np.concatenate([[0.0], steps / 2])
        # The zero lies between the points k and k + 1: its own area has the full weight of every point before k, and
        # these of the two, which the straight line between the areas there gives.
        at = curve.x[0] if self.zero is None else self.zero
        k = int(np.clip(np.searchsorted(curve.x, at, side="right") - 1, 0, n - 2))
        share = (at - curve.x[k]) / steps[k]
        zero = {k: (1 - share) * last[k] + share * inner[k], k + 1: share * last[k + 1]}
        total = np.where(i > k + 1, whole[i] - whole[min(k + 2, n)] + (last * curve.u) ** 2, 0.0)
        total += np.where(i < k, whole[k] - whole[np.minimum(i + 1, n)] + ((last - inner) * curve.u) ** 2, 0.0)
        for j, weight in zero.items():
            own = np.where(i > j, inner[j], np.where(i == j, last[j], 0.0))
            total += ((own - weight) * curve.u[j]) ** 2
        return positive(np.sqrt(total), curve.u * np.mean(steps))

    def digest(self) -> str:
        return self.rule + ("" if self.zero is None else f" from {self.zero:g}")


class Spectrum(Step):
    """Fourier amplitude, phase or power against frequency; one-sided, a sine of amplitude A shows as A.

    Even x: fast Fourier transform, with window, detrending and zero padding; amplitudes are divided by the window's
    mean, power is amplitude²/2 (the mean square of a sine). Uneven x: resampled linearly, or Lomb–Scargle (least
    squares of sine and cosine at each frequency). u is not carried.
    """

    slug = "spectrum"
    label = "Spectrum"
    group = "transform"
    summary = "Fourier amplitude, phase or power against frequency"
    told = "the Fourier {show} was taken ({settings})"
    words = "fft fourier transform frequency periodogram oscillation"
    reference = "Harris, Proc. IEEE 66 (1978) 51 (windows); Scargle, Astrophys. J. 263 (1982) 835 (from memory)"

    show: Literal["amplitude", "phase", "power"] = RuleField("amplitude", label="show", help="What y becomes.")
    window: Literal["none", "hann", "hamming", "blackman", "flattop"] = RuleField(
        "hann", label="window", help="Weights that fall to the ends: less leakage, wider lines."
    )
    detrend: Literal["none", "mean", "line"] = RuleField("mean", label="take off", help="What is taken off first.")
    padding: int = RuleField(
        1, label="padding", ge=1, le=64, help="Length with zeros, as a multiple; a finer grid of frequencies."
    )
    uneven: Literal["resample", "lomb-scargle"] = RuleField(
        "resample", label="uneven x", help="What is done where the steps of x differ."
    )

    def effort(self, curve: Curve) -> float:
        """Least squares at every frequency grows with the square of the points."""
        square = self.uneven == "lomb-scargle" and not spacing_of(curve.x)[1]
        return len(curve) ** 2 * self.padding / 4 if square else float(len(curve) * self.padding)

    def apply(self, curve: Curve) -> Passed:
        _need_order(curve, 8, "a spectrum")
        step, even = spacing_of(curve.x)
        x, y, said = curve.x, curve.y, "Fourier transform"
        if not even and self.uneven == "resample":
            x = np.linspace(curve.x[0], curve.x[-1], len(curve))
            y, said = np.interp(x, curve.x, curve.y), "x is uneven: resampled linearly, then transformed"
        y = self._detrended(x, y)
        weights = self._weights(y.size)
        if not even and self.uneven == "lomb-scargle":
            nyquist = False
            frequency, made = _lomb_scargle(x, y, weights, step, self.padding)
            said = "x is uneven: Lomb–Scargle"
        else:
            n = y.size * self.padding
            nyquist = n % 2 == 0
            frequency = np.asarray(np.fft.rfftfreq(n, step), dtype=np.float64)
            made = np.fft.rfft(y * weights, n) / weights.sum()
            doubled: Floats = np.full(frequency.size, 2.0)
            doubled[0] = 1.0
            if nyquist:
                doubled[-1] = 1.0
            made = made * doubled
        values = {
            "amplitude": np.abs(made), "phase": self._phase(made, frequency, x[0]),
            "power": self._power(made, nyquist),
        }  # fmt: skip
        unit = {"amplitude": curve.y_unit, "phase": "rad", "power": units.power_product("", 0, curve.y_unit, 2)}
        result = Curve(
            frequency, values[self.show], None, x_label="frequency", y_label=f"{self.show} of {curve.y_label}",
            x_unit=_inverse(curve.x_unit), y_unit=unit[self.show],
        )  # fmt: skip
        return Passed(result, Caught(), f"{said}; u is not carried" if curve.u is not None else said)

    def _detrended(self, x: Floats, y: Floats) -> Floats:
        if self.detrend == "none":
            return y
        if self.detrend == "mean":
            return np.asarray(y - y.mean())
        return np.asarray(y - np.polynomial.Polynomial.fit(x, y, 1)(x))

    def _weights(self, n: int) -> Floats:
        if self.window == "none":
            return np.ones(n)
        from scipy.signal import get_window

        return np.asarray(get_window(self.window, n))

    @staticmethod
    def _phase(made: np.ndarray, frequency: Floats, start: float) -> Floats:
        """The phase of a cosine at x = 0, in radians; where there is hardly an amplitude, it means nothing and is 0."""
        phase = np.angle(made * np.exp(-2j * np.pi * frequency * start))
        amplitude = np.abs(made)
        return np.asarray(np.where(amplitude > 1e-9 * amplitude.max(), phase, 0.0))

    @staticmethod
    def _power(made: np.ndarray, nyquist: bool) -> Floats:
        power: Floats = np.abs(made) ** 2 / 2
        power[0] *= 2  # a constant's mean square is its square
        if nyquist:
            power[-1] *= 2  # and so is that of values that change sign at every point
        return power

    def digest(self) -> str:
        return f"{self.show}, window {self.window}"


def _inverse(unit: str) -> str:
    return "Hz" if unit == "s" else units.power_product(unit, -1, "", 0)


def _lomb_scargle(x: Floats, y: Floats, weights: Floats, step: float, padding: int) -> tuple[Floats, np.ndarray]:
    """Amplitudes of the best sine at each frequency, by weighted least squares, as complex as a transform's."""
    frequency = np.arange(1, x.size * padding // 2 + 1) / (x.size * step * padding)
    made = np.empty(frequency.size, dtype=np.complex128)
    for begin in range(0, frequency.size, 256):
        part = frequency[begin : begin + 256, None]
        angle = 2 * np.pi * part * (x[None, :] - x[0])
        c, s = np.cos(angle), np.sin(angle)
        cc, ss, cs = (weights * c * c).sum(1), (weights * s * s).sum(1), (weights * c * s).sum(1)
        yc, ys = (weights * y * c).sum(1), (weights * y * s).sum(1)
        det = cc * ss - cs**2
        det[det <= 1e-12 * cc * ss] = np.inf
        made[begin : begin + 256] = (yc * ss - ys * cs) / det - 1j * (ys * cc - yc * cs) / det
    return frequency, made


class ReExpress(Step):
    """New x and y by formulas in x and y, such as ``log(y)``, ``1/x``, ``x^2*y``; units are worked out.

    u of y becomes |∂y'/∂y|·u, by the exact derivative; that x is shifted by y (a formula of x that names y) is not
    seen in u.
    """

    slug = "re-express"
    label = "Re-express"
    group = "transform"
    left_out = "by itself"
    summary = "New x and y by formulas in x and y"
    told = "x was made {new_x}, and y {new_y}"
    words = "transform logarithm formula compute convert axes true stress"

    new_x: str = RuleField("x", label="new x", help="A formula in x and y.")
    new_y: str = RuleField("y", label="new y", help="A formula in x and y.")

    def apply(self, curve: Curve) -> Passed:
        values = {"x": curve.x, "y": curve.y}
        made: dict[str, Floats] = {}
        for name, text in (("x", self.new_x), ("y", self.new_y)):
            formula = parse(text, ("x", "y"))
            if formula.parameters:
                raise InputError(f"the formula of {name} knows x and y, but not {', '.join(formula.parameters)}.")
            made[name] = np.broadcast_to(evaluate(formula, values), curve.x.shape).astype(np.float64)
        u = curve.u if self.new_y.strip() == "y" else None
        if curve.u is not None and u is None:
            y_as_parameter: Any = [curve.y]  # the exact derivative by y, at every point at once
            with np.errstate(all="ignore"):  # where there is no value, the point is dropped below
                slope = compile_formula(parse(self.new_y, ("x",))).both([curve.x], y_as_parameter)[1:]
            factor = np.broadcast_to(slope[0], curve.x.shape) if slope else np.zeros(len(curve))
            u = np.abs(factor) * curve.u
        keep = np.isfinite(made["x"]) & np.isfinite(made["y"])
        if u is not None:
            keep &= np.isfinite(u)
        if not keep.any():
            raise InputError("the formulas have no value at any point; a logarithm needs numbers above zero.")
        whole = replace(
            curve, x=np.where(keep, made["x"], 0.0), y=np.where(keep, made["y"], 0.0),
            u=None if u is None else positive(np.where(keep, u, 1.0), curve.u),  # type: ignore[arg-type]
            x_label=self._named(self.new_x, curve), y_label=self._named(self.new_y, curve),
            x_unit=self._unit(self.new_x, curve), y_unit=self._unit(self.new_y, curve),
        )  # fmt: skip
        gone = np.flatnonzero(~keep)
        said = f"{gone.size:,} points without a value" if gone.size else "every point has a value"
        return Passed(whole.take(keep), Caught(gone, np.full(gone.size, np.nan)), said)

    @staticmethod
    def _named(text: str, curve: Curve) -> str:
        plain = text.strip()
        if plain in ("x", "y"):
            return curve.x_label if plain == "x" else curve.y_label
        return re.sub(r"\b[xy]\b", lambda m: curve.x_label if m[0] == "x" else curve.y_label, plain)

    @staticmethod
    def _unit(text: str, curve: Curve) -> str:
        """The unit that follows; of a logarithm of something with a unit, none (its number is taken)."""
        if text.strip() in ("x", "y"):
            return curve.x_unit if text.strip() == "x" else curve.y_unit
        powers = {
            name: tuple(sorted((symbol, Fraction(power)) for symbol, power in units.factors(unit) or ()))
            for name, unit in (("x", curve.x_unit), ("y", curve.y_unit))
        }
        found = dimension(parse(text, ("x", "y")), powers, strict=False)
        return "·".join(symbol if power == 1 else f"{symbol}^{power}" for symbol, power in found)

    def digest(self) -> str:
        return f"x: {self.new_x}, y: {self.new_y}"
