"""The unit of a formula's value, worked out from the units of its names, and checked on the way."""

from __future__ import annotations

import ast
import math
from collections.abc import Mapping
from fractions import Fraction

from curvesieve.core import units
from curvesieve.core.errors import FormulaError, InputError
from curvesieve.core.formula.parse import Formula, place_of

Powers = tuple[tuple[str, Fraction], ...]
"""(base symbol, power) pairs, sorted; empty for a plain number."""
_PREFERRED = ("MPa", "GPa", "kPa", "N", "kN", "J", "mJ", "W", "V", "mol/L", "S", "ohm")
"""What a product of units is called instead where it is exactly that: N/mm² is MPa."""
_ALIKE = {"abs", "min", "max", "where"}


def dimension(formula: Formula, names: Mapping[str, Powers], strict: bool = True) -> Powers:
    """The powers of the formula's value, given those of its variables and parameters.

    Raises FormulaError at the place where unlike things are added, or a function is given something with a unit.
    With strict=False, nothing is checked, and a sum has the powers of its first part.
    """
    known = dict(names)
    for name, expression in formula.lets:
        known[name] = _powers(expression, known, strict)
    return _powers(formula.body, known, strict)


def _powers(node: ast.expr, names: Mapping[str, Powers], strict: bool) -> Powers:
    match node:
        case ast.Constant():
            return ()
        case ast.Name(id=name):
            return names.get(name, ())
        case ast.UnaryOp(operand=operand):
            return _powers(operand, names, strict)
        case ast.BinOp(left=left, op=op, right=right):
            one, other = _powers(left, names, strict), _powers(right, names, strict)
            match op:
                case ast.Mult():
                    return _product(one, other, 1)
                case ast.Div():
                    return _product(one, other, -1)
                case ast.Pow():
                    return _power(node, one, other, right, strict)
            return _alike(node, (one, other), (left, right), strict)
        case ast.Compare(left=left, comparators=[right]):
            sides = (_powers(left, names, strict), _powers(right, names, strict))
            return _alike(node, sides, (left, right), strict)
        case ast.Call(func=ast.Name(id=name), args=args):
            return _call(node, name, args, names, strict)
    raise AssertionError(f"the parser lets no {type(node).__name__} through")


def _product(one: Powers, other: Powers, sign: int) -> Powers:
    powers = dict(one)
    for base, power in other:
        powers[base] = powers.get(base, Fraction(0)) + sign * power
    return tuple(sorted((base, power) for base, power in powers.items() if power))


def _power(node: ast.expr, base: Powers, exponent: Powers, right: ast.expr, strict: bool) -> Powers:
    if strict and exponent:
        raise FormulaError(
            f"An exponent is a plain number, but this one has the unit {said(exponent)}.", place_of(right)
        )
    if not base:
        return ()
    if not isinstance(right, ast.Constant):
        if strict:
            raise FormulaError(
                f"Something in {said(base)} is raised to a power that is not a fixed number; divide it by a reference "
                "of the same kind first.",
                place_of(right),
            )
        return base
    power = Fraction(float(right.value)).limit_denominator(1000)  # type: ignore[arg-type]
    return tuple((symbol, exponent * power) for symbol, exponent in base if power)


def _alike(node: ast.expr, powers: tuple[Powers, ...], nodes: tuple[ast.expr, ...], strict: bool) -> Powers:
    """The common powers of things that are added or compared; a plain 0 goes with anything."""
    kept = [p for p, n in zip(powers, nodes, strict=True) if not (isinstance(n, ast.Constant) and n.value == 0)]
    if strict and len(set(kept)) > 1:
        one, other = kept[0], next(p for p in kept if p != kept[0])
        raise FormulaError(f"This joins {said(one)} with {said(other)}: they measure different things.", place_of(node))
    return kept[0] if kept else ()


def _call(node: ast.expr, name: str, args: list[ast.expr], names: Mapping[str, Powers], strict: bool) -> Powers:
    given = [_powers(argument, names, strict) for argument in args]
    if name == "sqrt":
        return tuple((base, power / 2) for base, power in given[0])
    if name in _ALIKE:
        first = 1 if name == "where" else 0
        return _alike(node, tuple(given[first:]), tuple(args[first:]), strict)
    unlike = next((i for i, powers in enumerate(given) if powers), None)
    if strict and unlike is not None:
        raise FormulaError(
            f"{name} takes a plain number, but this has the unit {said(given[unlike])}; divide it by a reference "
            "of the same kind first.",
            place_of(args[unlike]),
        )
    return ()


def result_unit(formula: Formula, unit_of: Mapping[str, str], wanted: str = "") -> str:
    """The unit of a formula's value, by the units of its names: the `wanted` one, else one made of theirs.

    Raises FormulaError where unlike things are joined, InputError when the value is no such thing as `wanted` measures.
    A scale with a zero of its own (°C) is never made: a difference of two of its values would be given that zero.
    """
    powers = dimension(formula, {name: units.in_base(unit).powers for name, unit in unit_of.items()})
    if wanted:
        if units.in_base(wanted).powers != powers:
            raise InputError(f"the formula gives {said(powers)}, which cannot be expressed in {wanted}.")
        return wanted
    if not powers:
        return ""
    own = dimension(formula, {name: _own_powers(unit) for name, unit in unit_of.items()}, strict=False)
    text = " ".join(f"{symbol}{'' if power == 1 else power}" for symbol, power in own)
    if any(power.denominator > 1 for _, power in own) or units.in_base(text).powers != powers:
        text = _base_unit(powers)
    if units.has_own_zero(text):
        text = units.of_difference(text)[1]
    found = units.in_base(text)
    for name in _PREFERRED:
        same = units.in_base(name).powers == powers
        if same and math.isclose(units.in_base(name).factor, found.factor, rel_tol=1e-12):
            return name
    return text


def _own_powers(unit: str) -> Powers:
    parts = units.factors(unit)
    return tuple(sorted((symbol, Fraction(power)) for symbol, power in parts)) if parts else ()


def _base_unit(powers: Powers) -> str:
    return " ".join(f"{symbol}{'' if power == 1 else f'^{power}'}" for symbol, power in powers)


def said(powers: Powers) -> str:
    """The powers in words of base units: ``kg·m⁻¹·s⁻²``, or ``no unit``."""
    symbols = {"kilogram": "kg", "meter": "m", "second": "s", "kelvin": "K", "ampere": "A", "mole": "mol"}
    text = "·".join(
        symbols.get(base, base) + ("" if power == 1 else f"^{power}" if power.denominator > 1 else str(power))
        for base, power in powers
    )
    return units.shown(text) if text else "no unit"
