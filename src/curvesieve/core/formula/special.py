"""Functions that SymPy cannot differentiate or print for NumPy as we need them: the Voigt profile and scaled erfc.

The Faddeeva function w(a + ib) = K + iL is closed under differentiation, w′ = −2zw + 2i/√π (DLMF 7.10.2 in w), so
SymPy functions for K and L and their slopes give every derivative of a Voigt profile exactly.
"""

from __future__ import annotations

import math
from functools import cache
from typing import Any

import numpy as np


def wofz_re(a: Any, b: Any) -> Any:
    """The real part K of the Faddeeva function of a + ib."""
    from scipy.special import wofz

    return wofz(np.asarray(a) + 1j * np.asarray(b)).real


def wofz_im(a: Any, b: Any) -> Any:
    """The imaginary part L of the Faddeeva function of a + ib."""
    from scipy.special import wofz

    return wofz(np.asarray(a) + 1j * np.asarray(b)).imag


_LEAST_SIGMA = 1e-4
_FAR = 15.0
_FAR_TERMS = tuple((2 * k + 1) * math.prod(j + 0.5 for j in range(k)) for k in range(11))
"""(2k + 1)·(1/2)ₖ: w′ far out is −i/√π·Σ of these over z^(2k + 2) (DLMF 7.12.1, differentiated)."""


def _wofz_slope(a: Any, b: Any) -> Any:
    """w′(a + ib) for b ≥ 0; far out by its series, where −2zw + 2i/√π would leave no digits."""
    from scipy.special import wofz

    z = np.asarray(a, dtype=np.float64) + 1j * np.asarray(b, dtype=np.float64)
    far = np.abs(z) > _FAR
    made = -2 * z * wofz(z) + 2j / np.sqrt(np.pi)
    if not np.any(far):
        return made
    step = 1 / np.where(far, z, _FAR) ** 2
    total = np.zeros_like(step)
    for factor in reversed(_FAR_TERMS):
        total = total * step + factor
    return np.where(far, -1j / np.sqrt(np.pi) * total * step, made)


def wofz_slope_re(a: Any, b: Any) -> Any:
    """The real part of w′ at a + ib."""
    return _wofz_slope(a, b).real


def wofz_slope_im(a: Any, b: Any) -> Any:
    """The imaginary part of w′ at a + ib."""
    return _wofz_slope(a, b).imag


def voigt(x: Any, sigma: Any, gamma: Any) -> Any:
    """The Voigt profile of area 1: a Gaussian of s. d. sigma folded with a Lorentzian of half width gamma.

    A sigma below `_LEAST_SIGMA` of gamma, zero too, counts as that: the profile is the Lorentzian to some 1e-8.
    """
    scale = np.maximum(np.abs(sigma), _LEAST_SIGMA * np.abs(gamma)) * np.sqrt(2)
    return wofz_re(x / scale, np.abs(gamma) / scale) / (scale * np.sqrt(np.pi))


def legendre(degree: Any, x: Any) -> Any:
    """The Legendre polynomial of a whole degree; outside −1 … 1, too."""
    from scipy.special import eval_legendre

    return eval_legendre(int(np.asarray(degree).flat[0]), x)


def sinc(a: Any) -> Any:
    """sin(a)/a, 1 at 0."""
    return np.sinc(np.asarray(a) / np.pi)


def sinc_slope(a: Any) -> Any:
    """The derivative of `sinc`: (cos a − sinc a)/a, by its series −a/3 + a³/30 near 0."""
    a = np.asarray(a, dtype=np.float64)
    near = np.abs(a) < 1e-2
    safe = np.where(near, 1.0, a)
    return np.where(near, -a / 3 + a**3 / 30 - a**5 / 840, (np.cos(safe) - np.sinc(safe / np.pi)) / safe)


_NEAR_BALL, _NEAR_JINC = 0.8, 0.5
_BALL = tuple((-1) ** k * 3 / (2**k * math.factorial(k) * math.prod(range(2 * k + 3, 0, -2))) for k in range(9))
_BALL_SLOPE = tuple((-1) ** k / (2**k * math.factorial(k) * math.prod(range(2 * k + 5, 0, -2))) for k in range(9))
_JINC = tuple((-1) ** k / (4**k * math.factorial(k) * math.factorial(k + 1)) for k in range(9))
_JINC_SLOPE = tuple((-1) ** k / (4**k * math.factorial(k) * math.factorial(k + 2)) for k in range(9))
"""Power series in a² of 3·j₁(a)/a, j₂(a)/a², 2·J₁(a)/a and 4·J₂(a)/a² (DLMF 10.2.2 and 10.53.1)."""


def _near(a: Any, limit: float, series: tuple[float, ...], far: Any) -> Any:
    """The series in a² below the limit, where the closed form would leave few digits, and that above."""
    a = np.asarray(a, dtype=np.float64)
    with np.errstate(all="ignore"):
        made = np.asarray(far(a))
    near = np.abs(a) < limit
    if near.any():
        square = a[near] ** 2
        total = np.full(square.shape, series[-1])
        for factor in reversed(series[:-1]):
            total = total * square + factor
        made[near] = total
    return made


def _ball_far(a: Any) -> Any:
    return 3 * (np.sin(a) - a * np.cos(a)) / (a * a * a)


def _ball_slope_far(a: Any) -> Any:
    square = a * a
    return ((3 - square) * np.sin(a) - 3 * a * np.cos(a)) / (square * square * a)


def _jinc_far(a: Any) -> Any:
    from scipy.special import j1

    return 2 * j1(a) / a


def _jinc_slope_far(a: Any) -> Any:
    from scipy.special import j0, j1

    return (8 * j1(a) / a - 4 * j0(a)) / (a * a)


def ball(a: Any) -> Any:
    """3·(sin a − a·cos a)/a³, 1 at 0: the Fourier transform of a sphere, with a = q·R (Lord Rayleigh 1911)."""
    return _near(a, _NEAR_BALL, _BALL, _ball_far)


def ball_slope(a: Any) -> Any:
    """The derivative of `ball`, −3·j₂(a)/a."""
    return -3 * np.asarray(a) * _near(a, _NEAR_BALL, _BALL_SLOPE, _ball_slope_far)


def jinc(a: Any) -> Any:
    """2·J₁(a)/a, 1 at 0: the Fourier transform of a disc."""
    return _near(a, _NEAR_JINC, _JINC, _jinc_far)


def jinc_slope(a: Any) -> Any:
    """The derivative of `jinc`, −2·J₂(a)/a."""
    return -0.5 * np.asarray(a) * _near(a, _NEAR_JINC, _JINC_SLOPE, _jinc_slope_far)


NUMERIC = {
    "ball_": ball, "ball_slope": ball_slope, "jinc_": jinc, "jinc_slope": jinc_slope,
    "wofz_re": wofz_re, "wofz_im": wofz_im, "legendre": legendre, "sinc_": sinc, "sinc_slope": sinc_slope,
    "floor_": np.floor, "wofz_slope_re": wofz_slope_re, "wofz_slope_im": wofz_slope_im,
}  # fmt: skip
"""What compiled formulas call by these names."""


@cache
def _named() -> Any:
    """The base of functions that are printed by a name of ours and never worked out beforehand."""
    import sympy as sp

    class _Named(sp.Function):  # type: ignore[misc]  # SymPy has no types
        printed = ""

        @classmethod
        def eval(cls, *arguments: Any) -> None:
            """Nothing is worked out beforehand."""

        def _eval_is_extended_real(self) -> bool:
            return True

        def _numpycode(self, printer: Any) -> str:
            name = self.printed
            if name == "erfcx":
                name = printer._module_format("scipy.special.erfcx")
            return f"{name}({', '.join(printer._print(argument) for argument in self.args)})"

        _scipycode = _numpycode

    return _Named


@cache
def kinds() -> tuple[Any, Any, Any, Any]:
    """The SymPy functions K(a, b), L(a, b), erfcx(a) and legendre(n, a), made when SymPy is first needed."""
    import sympy as sp

    named: Any = _named()

    class K(named):  # type: ignore[misc]
        nargs = 2
        printed = "wofz_re"

        def fdiff(self, argindex: int = 1) -> Any:  # of an analytic function: K_a = Re w′, K_b = −Im w′
            return SlopeK(*self.args) if argindex == 1 else -SlopeL(*self.args)

    class L(named):  # type: ignore[misc]
        nargs = 2
        printed = "wofz_im"

        def fdiff(self, argindex: int = 1) -> Any:
            return SlopeL(*self.args) if argindex == 1 else SlopeK(*self.args)

    class SlopeK(named):  # type: ignore[misc]
        nargs = 2
        printed = "wofz_slope_re"

        def fdiff(self, argindex: int = 1) -> Any:
            return _bend(self.args)[0] if argindex == 1 else -_bend(self.args)[1]

    class SlopeL(named):  # type: ignore[misc]
        nargs = 2
        printed = "wofz_slope_im"

        def fdiff(self, argindex: int = 1) -> Any:
            return _bend(self.args)[1] if argindex == 1 else _bend(self.args)[0]

    def _bend(at: Any) -> tuple[Any, Any]:
        """Real and imaginary part of w″ = −2w − 2zw′."""
        a, b = at
        real, imaginary = SlopeK(a, b), SlopeL(a, b)
        return -2 * K(a, b) - 2 * (a * real - b * imaginary), -2 * L(a, b) - 2 * (a * imaginary + b * real)

    class Erfcx(named):  # type: ignore[misc]
        nargs = 1
        printed = "erfcx"

        def fdiff(self, argindex: int = 1) -> Any:
            (a,) = self.args
            return 2 * a * Erfcx(a) - 2 / sp.sqrt(sp.pi)

    class Legendre(named):  # type: ignore[misc]
        nargs = 2
        printed = "legendre"

        def fdiff(self, argindex: int = 1) -> Any:
            degree, a = self.args
            if argindex == 1:
                return sp.Integer(0)  # the parser lets whole numbers through only
            lower = range(int(degree) - 1, -1, -2)  # P′ₙ = Σ (2k + 1)·Pₖ over k = n − 1, n − 3 … (DLMF 18.9)
            return sum(((2 * k + 1) * Legendre(sp.Integer(k), a) for k in lower), sp.Integer(0))

    return K, L, Erfcx, Legendre


@cache
def plain_kinds() -> tuple[Any, Any]:
    """The SymPy functions sinc(a) and floor(a)."""
    import sympy as sp

    named: Any = _named()

    class Sinc(named):  # type: ignore[misc]
        nargs = 1
        printed = "sinc_"

        def fdiff(self, argindex: int = 1) -> Any:
            return SincSlope(self.args[0])

    class SincSlope(named):  # type: ignore[misc]
        nargs = 1
        printed = "sinc_slope"

        def fdiff(self, argindex: int = 1) -> Any:
            (a,) = self.args
            return -Sinc(a) - 2 * SincSlope(a) / a

    class Floor(named):  # type: ignore[misc]
        nargs = 1
        printed = "floor_"

        def fdiff(self, argindex: int = 1) -> Any:
            return sp.Integer(0)

    return Sinc, Floor


@cache
def shape_kinds() -> tuple[Any, Any]:
    """The SymPy functions ball(a) and jinc(a); each twice differentiated is a sum of itself and its slope."""
    named: Any = _named()

    def pair(name: str, over: int) -> Any:
        class Slope(named):  # type: ignore[misc]
            nargs = 1
            printed = f"{name}_slope"

            def fdiff(self, argindex: int = 1) -> Any:
                (a,) = self.args
                return -Value(a) - over * Slope(a) / a

        class Value(named):  # type: ignore[misc]
            nargs = 1
            printed = f"{name}_"

            def fdiff(self, argindex: int = 1) -> Any:
                return Slope(self.args[0])

        Slope.__name__, Value.__name__ = f"{name}_slope", name
        return Value

    return pair("ball", 4), pair("jinc", 3)


def ball_symbol(a: Any) -> Any:
    """`ball` in SymPy."""
    return shape_kinds()[0](a)


def jinc_symbol(a: Any) -> Any:
    """`jinc` in SymPy."""
    return shape_kinds()[1](a)


def voigt_symbol(x: Any, sigma: Any, gamma: Any) -> Any:
    """`voigt` in SymPy; widths count by their size, so a fit may pass through negative ones."""
    import sympy as sp

    from curvesieve.core.formula.selection import select

    k = kinds()[0]
    width, half = (select("<", a, 0, -a, a) for a in (sigma, gamma))
    least = _LEAST_SIGMA * half
    scale = select("<", width, least, least, width) * sp.sqrt(2)
    return k(x / scale, half / scale) / (scale * sp.sqrt(sp.pi))


def sinc_symbol(a: Any) -> Any:
    """`sinc` in SymPy, whose slope is known at 0, too."""
    return plain_kinds()[0](a)


def floor_symbol(a: Any) -> Any:
    """The largest whole number not above, in SymPy; its slope is 0."""
    return plain_kinds()[1](a)


def erfcx_symbol(a: Any) -> Any:
    """The scaled erfc in SymPy."""
    return kinds()[2](a)


def legendre_symbol(degree: Any, a: Any) -> Any:
    """The Legendre polynomial in SymPy, left as it is: written out, high degrees would lose their digits."""
    return kinds()[3](degree, a)
