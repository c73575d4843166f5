"""What kind of quantity each parameter is, by its unit and by where it stands: what a search for starts draws from."""

from __future__ import annotations

import ast
from dataclasses import dataclass

from curvesieve.core.formula import Formula
from curvesieve.core.formula.inference import parameter_units
from curvesieve.core.models import FormulaSum


@dataclass(frozen=True)
class Kind:
    """`what` is place, length, power, plain or unknown, along variable number `row`.

    A place stands in a difference with the variable; `sign` is −1 where it is added to it. `power` is that of a unit
    in x, such as −1 for a rate.
    """

    what: str
    row: int = 0
    sign: int = 1
    power: float = 1.0


def kinds_of(model: FormulaSum) -> dict[str, Kind]:
    """The kind of each parameter of a sum of formulas; a parameter of several pieces takes that of the first."""
    found: dict[str, Kind] = {}
    for piece in model.pieces:
        of_formula = _of_formula(piece.formula)
        for name, place in zip(piece.names, piece.places, strict=True):  # a spread stands in no formula
            found.setdefault(model.names[place], of_formula.get(name, Kind("plain")))
    return found


def _of_formula(formula: Formula) -> dict[str, Kind]:
    units = parameter_units(formula, (True,) * (len(formula.variables) + 1)).powers
    places = _places(formula)
    kinds: dict[str, Kind] = {}
    for name in formula.parameters:
        powers = units[name]
        if name in places:
            kinds[name] = places[name]
        elif powers is None or powers[-1] != 0:
            kinds[name] = Kind("unknown")
        elif not any(powers):
            kinds[name] = Kind("plain")
        else:
            row = next(i for i, power in enumerate(powers) if power)
            power = float(powers[row])
            kinds[name] = Kind("length", row) if power == 1 else Kind("power", row, 1, power)
    return kinds


def _places(formula: Formula) -> dict[str, Kind]:
    """Parameters that are added to or subtracted from a variable directly."""
    found: dict[str, Kind] = {}
    rows = {name: i for i, name in enumerate(formula.variables)}
    for node in (n for expression in (*(e for _, e in formula.lets), formula.body) for n in ast.walk(expression)):
        if not (isinstance(node, ast.BinOp) and isinstance(node.op, (ast.Add, ast.Sub))):
            continue
        match node.left, node.right:
            case ast.Name(id=one), ast.Name(id=other):
                variable, name = (one, other) if one in rows else (other, one)
                if variable in rows and name in formula.parameters:
                    found.setdefault(name, Kind("place", rows[variable], 1 if isinstance(node.op, ast.Sub) else -1))
    return found
