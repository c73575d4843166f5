"""The functions a formula may call: one row each, for NumPy and for SymPy."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from curvesieve.core.formula import special
from curvesieve.core.formula.selection import select


@dataclass(frozen=True)
class Function:
    """A known function: how many arguments, its NumPy form, its SymPy form, and a line of help.

    `symbol` is the name of a SymPy function, or a callable on SymPy expressions; a condition comes to it as
    (sign, left, right).
    """

    arity: tuple[int, int]
    value: Callable[..., Any]
    symbol: str | Callable[..., Any]
    help: str
    whole: bool = False
    """Whether the first argument must be a plain whole number, from 0 to `MOST_WHOLE`."""
    order: bool = False
    """Whether the first argument must be a plain number in that range, an order by which nothing is differentiated."""


def _special(name: str) -> Callable[..., Any]:
    """A function of scipy.special, imported at its first call."""

    def call(*arguments: Any) -> Any:
        import scipy.special

        return getattr(scipy.special, name)(*arguments)

    return call


def _fold(function: Callable[[Any, Any], Any]) -> Callable[..., Any]:
    def call(*arguments: Any) -> Any:
        result = arguments[0]
        for argument in arguments[1:]:
            result = function(result, argument)
        return result

    return call


def _where(condition: tuple[str, Any, Any], chosen: Any, other: Any) -> Any:
    sign, left, right = condition
    return select(sign, left, right, chosen, other)


def _log(a: Any, base: int) -> Any:
    import sympy as sp

    return sp.log(a) / sp.log(base)


def _bessel(name: str, order: int, a: Any) -> Any:
    import sympy as sp

    return getattr(sp, name)(order, a)


_ONE, _MANY = (1, 1), (2, 8)
MOST_WHOLE = 60

FUNCTIONS: dict[str, Function] = {
    "exp": Function(_ONE, np.exp, "exp", "e to the power of"),
    "log": Function(_ONE, np.log, "log", "natural logarithm"),
    "log10": Function(_ONE, np.log10, lambda a: _log(a, 10), "decimal logarithm"),
    "sqrt": Function(_ONE, np.sqrt, "sqrt", "square root"),
    "abs": Function(_ONE, np.abs, lambda a: select("<", a, 0, -a, a), "absolute value"),
    "sin": Function(_ONE, np.sin, "sin", "sine, of radians"),
    "cos": Function(_ONE, np.cos, "cos", "cosine, of radians"),
    "tan": Function(_ONE, np.tan, "tan", "tangent, of radians"),
    "asin": Function(_ONE, np.arcsin, "asin", "inverse sine, in radians"),
    "acos": Function(_ONE, np.arccos, "acos", "inverse cosine, in radians"),
    "atan": Function(_ONE, np.arctan, "atan", "inverse tangent, in radians"),
    "sinh": Function(_ONE, np.sinh, "sinh", "hyperbolic sine"),
    "cosh": Function(_ONE, np.cosh, "cosh", "hyperbolic cosine"),
    "tanh": Function(_ONE, np.tanh, "tanh", "hyperbolic tangent"),
    "asinh": Function(_ONE, np.arcsinh, "asinh", "inverse hyperbolic sine"),
    "acosh": Function(_ONE, np.arccosh, "acosh", "inverse hyperbolic cosine"),
    "atanh": Function(_ONE, np.arctanh, "atanh", "inverse hyperbolic tangent"),
    "cot": Function(_ONE, lambda a: 1 / np.tan(a), "cot", "cotangent, of radians"),
    "coth": Function(_ONE, lambda a: 1 / np.tanh(a), "coth", "hyperbolic cotangent"),
    "atan2": Function((2, 2), np.arctan2, "atan2", "atan2(y, x): the angle of a point, in radians"),
    "log2": Function(_ONE, np.log2, lambda a: _log(a, 2), "logarithm to the base 2"),
    "sinc": Function(_ONE, special.sinc, special.sinc_symbol, "sin(a)/a, 1 at 0"),
    "ball": Function(_ONE, special.ball, special.ball_symbol, "3(sin a − a·cos a)/a³, 1 at 0: a sphere's amplitude"),
    "jinc": Function(_ONE, special.jinc, special.jinc_symbol, "2·j1(a)/a, 1 at 0: a disc's amplitude"),
    "sign": Function(
        _ONE, np.sign, lambda a: select("<", a, 0, -1, select(">", a, 0, 1, 0)), "−1 below zero, 0 at it, 1 above"
    ),
    "heaviside": Function(
        _ONE,
        lambda a: np.heaviside(a, 0.5),
        lambda a: select("<", a, 0, 0, select(">", a, 0, 1, 0.5)),
        "0 below zero, 1/2 at it, 1 above",
    ),
    "floor": Function(_ONE, np.floor, special.floor_symbol, "largest whole number not above"),
    "ceil": Function(_ONE, np.ceil, lambda a: -special.floor_symbol(-a), "smallest whole number not below"),
    "erf": Function(_ONE, _special("erf"), "erf", "error function"),
    "erfc": Function(_ONE, _special("erfc"), "erfc", "complementary error function"),
    "gamma": Function(_ONE, _special("gamma"), "gamma", "gamma function"),
    "erfcx": Function(_ONE, _special("erfcx"), special.erfcx_symbol, "erfc(a)·exp(a²), which does not overflow"),
    "j0": Function(
        _ONE, _special("j0"), lambda a: _bessel("besselj", 0, a), "Bessel function of the first kind, order 0"
    ),
    "j1": Function(
        _ONE, _special("j1"), lambda a: _bessel("besselj", 1, a), "Bessel function of the first kind, order 1"
    ),
    "i0": Function(_ONE, _special("i0"), lambda a: _bessel("besseli", 0, a), "modified Bessel function, order 0"),
    "i1": Function(_ONE, _special("i1"), lambda a: _bessel("besseli", 1, a), "modified Bessel function, order 1"),
    "k0": Function(
        _ONE, _special("k0"), lambda a: _bessel("besselk", 0, a), "modified Bessel function of the second kind"
    ),
    "k1": Function(_ONE, _special("k1"), lambda a: _bessel("besselk", 1, a), "the same of order 1"),
    "besselj": Function((2, 2), _special("jv"), "besselj", "besselj(order, a): of the first kind", order=True),
    "bessely": Function((2, 2), _special("yv"), "bessely", "bessely(order, a): of the second kind", order=True),
    "besseli": Function((2, 2), _special("iv"), "besseli", "besseli(order, a): modified", order=True),
    "besselk": Function((2, 2), _special("kv"), "besselk", "besselk(order, a): modified, second kind", order=True),
    "voigt": Function((3, 3), special.voigt, special.voigt_symbol, "voigt(x, sigma, gamma): Voigt profile of area 1"),
    "legendre": Function(
        (2, 2), special.legendre, special.legendre_symbol, "legendre(degree, x): Legendre polynomial", whole=True
    ),
    "min": Function(_MANY, _fold(np.minimum), _fold(lambda a, b: select("<=", a, b, a, b)), "smallest of"),
    "max": Function(_MANY, _fold(np.maximum), _fold(lambda a, b: select("<=", a, b, b, a)), "largest of"),
    "where": Function((3, 3), np.where, _where, "where(condition, if true, if not)"),
}

CONSTANTS: dict[str, float] = {"pi": float(np.pi), "Pi": float(np.pi), "π": float(np.pi), "e": float(np.e)}
ALIASES = {
    "ln": "log", "arctan": "atan", "arcsin": "asin", "arccos": "acos", "arcsinh": "asinh", "arccosh": "acosh",
    "arctanh": "atanh", "arsinh": "asinh", "arcosh": "acosh", "artanh": "atanh", "arctan2": "atan2", "ceiling": "ceil",
    "Heaviside": "heaviside", "sgn": "sign", "Exp": "exp",
}  # fmt: skip
"""Other names under which functions are called."""
