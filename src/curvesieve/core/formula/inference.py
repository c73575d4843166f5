"""Units of parameters worked out from those of x and y: each sum and each function call is an equation.

In ``A*exp(-k*x)`` the argument of exp is a plain number, so k is in 1/[x], and the value is in [y], so A is, too. The
powers of the parameters' units are unknowns of linear equations over fractions, solved as the formula is walked, so
that the place is known where one contradicts those before it.
"""

from __future__ import annotations

import ast
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from curvesieve.core.formula.parse import Formula, place_of

Vector = tuple[Fraction, ...]
"""Powers of the units of the variables, in their order, and of y."""
_ALIKE = {"abs", "min", "max", "where", "voigt"}


@dataclass(frozen=True)
class ParameterUnits:
    """The powers of each parameter's unit (None where the formula leaves it open), and what cannot be.

    `problems` are sentences with the character, from 0, that they are about.
    """

    powers: Mapping[str, Vector | None]
    problems: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class _Form:
    """A unit: known powers and parameters' unknown ones; `zero` is the number 0, which fits anything."""

    known: Vector
    unknown: Mapping[str, Fraction] = field(default_factory=dict)
    zero: bool = False

    def plus(self, other: _Form, factor: Fraction | int = 1) -> _Form:
        unknown = dict(self.unknown)
        for name, power in other.unknown.items():
            unknown[name] = unknown.get(name, Fraction(0)) + power * factor
        known = tuple(a + b * factor for a, b in zip(self.known, other.known, strict=True))
        return _Form(known, {name: power for name, power in unknown.items() if power})

    def times(self, factor: Fraction) -> _Form:
        return _Form(tuple(Fraction(0) for _ in self.known)).plus(self, factor)


def parameter_units(formula: Formula, has_unit: tuple[bool, ...]) -> ParameterUnits:
    """The units of a formula's parameters as powers of those of its variables and of y.

    `has_unit` tells for each variable and for y whether it has a unit at all; one without fits anywhere.
    """
    walker = _Walker(formula, has_unit)
    return ParameterUnits({name: walker.solved(name) for name in formula.parameters}, tuple(walker.problems))


class _Walker:
    def __init__(self, formula: Formula, has_unit: tuple[bool, ...]) -> None:
        size = len(formula.variables) + 1
        self.plain = _Form((Fraction(0),) * size)
        self.rows: list[tuple[str, _Form]] = []
        self.problems: list[tuple[str, int]] = []
        axes = [
            _Form(tuple(Fraction(int(i == j and has_unit[i])) for j in range(size))) for i in range(size)
        ]  # fmt: skip
        self.names = dict(zip(formula.variables, axes, strict=False))
        self.names |= {name: _Form(self.plain.known, {name: Fraction(1)}) for name in formula.parameters}
        for name, expression in formula.lets:
            self.names[name] = self.form(expression)
        value = self.form(formula.body)
        if not value.zero:
            self.equal(value, axes[-1], formula.body, "The value of the formula has another unit than y.")

    def solved(self, name: str) -> Vector | None:
        form = self.reduced(_Form(self.plain.known, {name: Fraction(1)}))
        return None if form.unknown else form.known

    def reduced(self, form: _Form) -> _Form:
        """The form with every parameter that has an equation put in by it."""
        for name, row in self.rows:  # each row: name's powers are the row's
            power = form.unknown.get(name)
            if power:
                rest = {other: p for other, p in form.unknown.items() if other != name}
                form = _Form(form.known, rest).plus(row, power)
        return form

    def equal(self, one: _Form, other: _Form, node: ast.expr, sentence: str) -> None:
        """An equation: kept when it says something new, a problem when it contradicts the ones before."""
        left = self.reduced(one.plus(other, -1))
        if not left.unknown:
            if any(left.known) and all(place != place_of(node) for _, place in self.problems):
                self.problems.append((sentence, place_of(node)))
            return
        name, power = next(iter(left.unknown.items()))
        rest = _Form(left.known, {n: p for n, p in left.unknown.items() if n != name}).times(-1 / power)
        self.rows = [(n, _substituted(row, name, rest)) for n, row in self.rows]
        self.rows.append((name, rest))

    def form(self, node: ast.expr) -> _Form:
        match node:
            case ast.Constant(value=value):
                return _Form(self.plain.known, zero=value == 0)
            case ast.Name(id=name):
                return self.names[name]
            case ast.UnaryOp(operand=operand):
                return self.form(operand)
            case ast.BinOp(left=left, op=op, right=right):
                return self.operation(node, left, op, right)
            case ast.Compare(left=left, comparators=[right]):
                return self.alike(node, [left, right])
            case ast.Call(func=ast.Name(id=name), args=args):
                return self.call(name, args)
        raise AssertionError(f"the parser lets no {type(node).__name__} through")

    def operation(self, node: ast.expr, left: ast.expr, op: ast.operator, right: ast.expr) -> _Form:
        match op:
            case ast.Add() | ast.Sub():
                return self.alike(node, [left, right])
            case ast.Mult():
                return self.form(left).plus(self.form(right))
            case ast.Div():
                return self.form(left).plus(self.form(right), -1)
        base = self.form(left)
        if isinstance(right, ast.Constant):
            return base.times(Fraction(float(right.value)).limit_denominator(1000))  # type: ignore[arg-type]
        self.plain_number(right, "An exponent is a plain number.")
        self.equal(
            base, self.plain, left,
            "This is raised to a power that the fit finds, so its unit depends on the result; "
            "divide by a reference first.",
        )  # fmt: skip
        return self.plain

    def alike(self, node: ast.expr, parts: list[ast.expr]) -> _Form:
        forms = [self.form(part) for part in parts]
        kept = [form for form in forms if not form.zero]
        for form in kept[1:]:
            self.equal(kept[0], form, node, "What is added or compared here has different units.")
        return kept[0] if kept else forms[0]

    def plain_number(self, node: ast.expr, sentence: str) -> None:
        self.equal(self.form(node), self.plain, node, sentence)

    def call(self, name: str, args: list[ast.expr]) -> _Form:
        if name == "sqrt":
            return self.form(args[0]).times(Fraction(1, 2))
        if name in _ALIKE:
            if name == "where":
                self.form(args[0])
                args = args[1:]
            form = self.alike(args[0], args)
            return form.times(Fraction(-1)) if name == "voigt" else form
        for argument in args:
            self.plain_number(argument, f"{name} takes a plain number; divide by a reference of the same kind first.")
        return self.plain


def _substituted(row: _Form, name: str, rest: _Form) -> _Form:
    power = row.unknown.get(name)
    if not power:
        return row
    return _Form(row.known, {n: p for n, p in row.unknown.items() if n != name}).plus(rest, power)
