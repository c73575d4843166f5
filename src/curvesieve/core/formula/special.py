"""Functions that SymPy cannot differentiate or print for NumPy as we need them: the Voigt profile and scaled erfc.

The Faddeeva function w(a + ib) = K + iL is closed under differentiation, w′ = −2zw + 2i/√π (DLMF 7.10.2 in w), so two
SymPy functions for K and L give every derivative of a Voigt profile exactly.
"""

from __future__ import annotations

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


def voigt(x: Any, sigma: Any, gamma: Any) -> Any:
    """The Voigt profile of area 1: a Gaussian of s. d. sigma folded with a Lorentzian of half width gamma."""
    scale = np.abs(sigma) * np.sqrt(2)
    return wofz_re(x / scale, np.abs(gamma) / scale) / (scale * np.sqrt(np.pi))


def legendre(degree: Any, x: Any) -> Any:
    """The Legendre polynomial of a whole degree; outside −1 … 1, too."""
    from scipy.special import eval_legendre

    return eval_legendre(int(np.asarray(degree).flat[0]), x)


NUMERIC = {"wofz_re": wofz_re, "wofz_im": wofz_im, "legendre": legendre}
"""What compiled formulas call by these names."""


@cache
def kinds() -> tuple[Any, Any, Any, Any]:
    """The SymPy functions K(a, b), L(a, b), erfcx(a) and legendre(n, a), made when SymPy is first needed."""
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

    class K(_Named):
        nargs = 2
        printed = "wofz_re"

        def fdiff(self, argindex: int = 1) -> Any:
            a, b = self.args
            k, imaginary = K(a, b), L(a, b)
            return -2 * (a * k - b * imaginary) if argindex == 1 else 2 * (a * imaginary + b * k) - 2 / sp.sqrt(sp.pi)

    class L(_Named):
        nargs = 2
        printed = "wofz_im"

        def fdiff(self, argindex: int = 1) -> Any:
            a, b = self.args
            k, imaginary = K(a, b), L(a, b)
            return 2 / sp.sqrt(sp.pi) - 2 * (a * imaginary + b * k) if argindex == 1 else -2 * (a * k - b * imaginary)

    class Erfcx(_Named):
        nargs = 1
        printed = "erfcx"

        def fdiff(self, argindex: int = 1) -> Any:
            (a,) = self.args
            return 2 * a * Erfcx(a) - 2 / sp.sqrt(sp.pi)

    class Legendre(_Named):
        nargs = 2
        printed = "legendre"

        def fdiff(self, argindex: int = 1) -> Any:
            degree, a = self.args
            if argindex == 1:
                return sp.Integer(0)  # the parser lets whole numbers through only
            lower = range(int(degree) - 1, -1, -2)  # P′ₙ = Σ (2k + 1)·Pₖ over k = n − 1, n − 3 … (DLMF 18.9)
            return sum(((2 * k + 1) * Legendre(sp.Integer(k), a) for k in lower), sp.Integer(0))

    return K, L, Erfcx, Legendre


def voigt_symbol(x: Any, sigma: Any, gamma: Any) -> Any:
    """`voigt` in SymPy; widths count by their size, so a fit may pass through negative ones."""
    import sympy as sp

    from curvesieve.core.formula.selection import select

    k = kinds()[0]
    width, half = (select("<", a, 0, -a, a) for a in (sigma, gamma))
    scale = width * sp.sqrt(2)
    return k(x / scale, half / scale) / (scale * sp.sqrt(sp.pi))


def erfcx_symbol(a: Any) -> Any:
    """The scaled erfc in SymPy."""
    return kinds()[2](a)


def legendre_symbol(degree: Any, a: Any) -> Any:
    """The Legendre polynomial in SymPy, left as it is: written out, high degrees would lose their digits."""
    return kinds()[3](degree, a)
