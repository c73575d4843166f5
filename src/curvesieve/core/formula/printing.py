"""A parsed formula written out again: typeset as LaTeX, and as Python for a script of its own."""

from __future__ import annotations

import ast
import re

from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.parse import Formula, written_as

_GREEK = {
    "α": "alpha", "β": "beta", "γ": "gamma", "δ": "delta", "ε": "epsilon", "ζ": "zeta", "η": "eta", "θ": "theta",
    "ι": "iota", "κ": "kappa", "λ": "lambda", "μ": "mu", "µ": "mu", "ν": "nu", "ξ": "xi", "π": "pi", "ρ": "rho",
    "σ": "sigma", "τ": "tau", "υ": "upsilon", "φ": "phi", "χ": "chi", "ψ": "psi", "ω": "omega", "Γ": "Gamma",
    "Δ": "Delta", "Θ": "Theta", "Λ": "Lambda", "Ξ": "Xi", "Π": "Pi", "Σ": "Sigma", "Φ": "Phi", "Ψ": "Psi",
    "Ω": "Omega",
}  # fmt: skip
_GREEK_NAMES = {name: f"\\{name}" for name in _GREEK.values()}
_SUM, _PRODUCT, _SIGN, _POWER, _ATOM = range(1, 6)
_LATEX_FUNCTIONS = {"log": r"\ln", "log10": r"\log_{10}", "min": r"\min", "max": r"\max"} | {
    name: rf"\{name}" for name in ("sin", "cos", "tan", "sinh", "cosh", "tanh")
}
_NUMPY = {
    "asin": "arcsin", "acos": "arccos", "atan": "arctan", "asinh": "arcsinh", "acosh": "arccosh", "atanh": "arctanh",
    "min": "minimum", "max": "maximum",
}  # fmt: skip
_SCIPY = {"erf", "erfc", "erfcx", "gamma", "j0", "j1", "i0", "i1", "k0", "k1"}
_WRITTEN_OUT = {
    "sinc": "np.sinc(({0})/np.pi)", "ball": "(3.0*special.spherical_jn(1, {0})/({0}))",  # NumPy's sinc is sin(πa)/(πa)
    "jinc": "(2.0*special.j1({0})/({0}))", "cot": "(1.0/np.tan({0}))", "coth": "(1.0/np.tanh({0}))",
    "heaviside": "np.heaviside({0}, 0.5)", "besselj": "special.jv({0}, {1})", "bessely": "special.yv({0}, {1})",
    "besseli": "special.iv({0}, {1})", "besselk": "special.kv({0}, {1})",
    "voigt": "special.voigt_profile({0}, abs({1}), abs({2}))",
}  # fmt: skip
"""Functions that neither NumPy nor SciPy has by one name and one argument."""
_COMPARED = {ast.Lt: ("<", "<"), ast.LtE: (r"\leq", "<="), ast.Gt: (">", ">"), ast.GtE: (r"\geq", ">=")}


def latex(formula: Formula, left: str = "") -> tuple[str, ...]:
    """The lines of a formula as LaTeX mathematics, without dollar signs; `left` stands before the last one's ``=``."""
    lines = [f"{name_latex(name)} = {_latex(expression)[0]}" for name, expression in formula.lets]
    last = _latex(formula.body)[0]
    return (*lines, f"{left} = {last}" if left else last)


def name_latex(name: str) -> str:
    """``tau_1`` → ``\\tau_{1}``, ``b2`` → ``b_{2}``, ``fwhm`` → ``\\mathrm{fwhm}``."""
    stem, _, sub = name.partition("_")
    if not sub:
        numbered = re.fullmatch(r"(\D+)(\d+)", stem)
        if numbered:
            stem, sub = numbered[1], numbered[2]
    stem = _GREEK.get(stem, stem)
    plain = stem if len(stem) == 1 else rf"\mathrm{{{stem}}}"
    set_stem = _GREEK_NAMES.get(stem, plain)
    return set_stem + (rf"_{{\mathrm{{{_plain(sub)}}}}}" if sub else "")


def _plain(text: str) -> str:
    return text.replace("_", ",")


def number_latex(value: float) -> str:
    """``2.5e-07`` → ``2.5 \\times 10^{-7}``."""
    mantissa, e, exponent = f"{value:.6g}".partition("e")
    return rf"{mantissa} \times 10^{{{int(exponent)}}}" if e else mantissa


def _latex(node: ast.expr, raised: bool = False) -> tuple[str, int]:
    """The LaTeX of a node and how strongly it holds together.

    A fraction of single things in an exponent is written with a slash: raised, its parts would be too small to read.
    """
    node = written_as(node)
    match node:
        case ast.Constant(value=value):
            text = number_latex(float(value))  # type: ignore[arg-type]
            return text, _PRODUCT if "times" in text else _ATOM
        case ast.Name(id=name):
            return name_latex(name), _ATOM
        case ast.UnaryOp(op=op, operand=operand):
            sign = "-" if isinstance(op, ast.USub) else ""
            return sign + _inside(operand, _PRODUCT, raised), _SIGN if sign else _PRODUCT
        case ast.BinOp(left=left, op=op, right=right):
            return _latex_operation(left, op, right, raised)
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return f"{_latex(left)[0]} {_COMPARED[type(op)][0]} {_latex(right)[0]}", _SUM
        case ast.Call(func=ast.Name(id=name), args=args):
            return _latex_call(name, args)
    raise AssertionError(f"the parser lets no {type(node).__name__} through")


def _latex_operation(left: ast.expr, op: ast.operator, right: ast.expr, raised: bool) -> tuple[str, int]:
    match op:
        case ast.Add():
            return f"{_latex(left, raised)[0]} + {_inside(right, _SUM, raised)}", _SUM
        case ast.Sub():
            return f"{_latex(left, raised)[0]} - {_inside(right, _PRODUCT, raised)}", _SUM
        case ast.Mult():
            a, strength = _latex(left, raised)
            a, b = a if strength >= _PRODUCT else _bracketed(a), _inside(right, _PRODUCT, raised)
            joint = r" \cdot " if b[:1].isdigit() else r"\,"
            return f"{a}{joint}{b}", _SIGN if strength == _SIGN else _PRODUCT
        case ast.Div():
            (above, strength), (below, under) = _latex(left, raised), _latex(right, raised)
            sign = "-" if strength == _SIGN else ""  # it goes before the fraction
            above = above.removeprefix(sign)
            flat = raised and under == _ATOM and (strength == _ATOM or (sign and above.isalnum()))
            made = f"{above}/{below}" if flat else rf"\frac{{{above}}}{{{below}}}"
            return sign + made, _SIGN if sign else _PRODUCT
    base, strength = _latex(left, raised)
    is_tall = strength < _ATOM or base.startswith((r"\frac", "e^"))
    return rf"{_bracketed(base) if is_tall else base}^{{{_latex(right, True)[0]}}}", _POWER


def _latex_call(name: str, args: list[ast.expr]) -> tuple[str, int]:
    inner = [_latex(argument, name == "exp")[0] for argument in args]
    if name == "exp":
        return rf"e^{{{inner[0]}}}", _POWER
    if name == "legendre":
        return rf"P_{{{inner[0]}}}" + _bracketed(inner[1]), _ATOM
    if name == "sqrt":
        return rf"\sqrt{{{inner[0]}}}", _ATOM
    if name == "abs":
        return rf"\left|{inner[0]}\right|", _ATOM
    called = _LATEX_FUNCTIONS.get(name, rf"\mathrm{{{name}}}")
    return called + _bracketed(r",\, ".join(inner)), _ATOM


def _inside(node: ast.expr, needed: int, raised: bool = False) -> str:
    """The LaTeX of a part, in brackets where it holds together less than it must."""
    text, strength = _latex(node, raised)
    weak = strength < needed or (strength == _SIGN and needed >= _SUM)
    return _bracketed(text) if weak else text


def _bracketed(text: str) -> str:
    return rf"\left({text}\right)"


def python(formula: Formula) -> tuple[str, ...]:
    """The lines of a formula as Python on NumPy (``np``) and scipy.special (``special``); the last is the value."""
    lines = [f"{name} = {_python(expression)}" for name, expression in formula.lets]
    return (*lines, _python(formula.body))


def _python(node: ast.expr) -> str:
    node = written_as(node)
    match node:
        case ast.Constant(value=value):
            return repr(float(value))  # type: ignore[arg-type]
        case ast.Name(id="pi"):
            return "np.pi"
        case ast.Name(id=name):
            return name
        case ast.UnaryOp(op=op, operand=operand):
            return f"({'-' if isinstance(op, ast.USub) else ''}{_python(operand)})"
        case ast.BinOp(left=left, op=op, right=right):
            sign = {ast.Add: "+", ast.Sub: "-", ast.Mult: "*", ast.Div: "/", ast.Pow: "**"}[type(op)]
            return f"({_python(left)} {sign} {_python(right)})"
        case ast.Compare(left=left, ops=[op], comparators=[right]):
            return f"({_python(left)} {_COMPARED[type(op)][1]} {_python(right)})"
        case ast.Call(func=ast.Name(id=name), args=args):
            return _python_call(name, [_python(argument) for argument in args])
    raise AssertionError(f"the parser lets no {type(node).__name__} through")


def _python_call(name: str, args: list[str]) -> str:
    if name == "legendre":
        return f"special.eval_legendre({int(float(args[0]))}, {args[1]})"
    if name in _WRITTEN_OUT:
        return _WRITTEN_OUT[name].format(*args)
    if name in ("min", "max"):
        nested = args[0]
        for argument in args[1:]:
            nested = f"np.{_NUMPY[name]}({nested}, {argument})"
        return nested
    assert name in FUNCTIONS
    room = "special" if name in _SCIPY else "np"
    return f"{room}.{_NUMPY.get(name, name)}({', '.join(args)})"
