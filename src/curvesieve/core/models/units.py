"""The unit of a formula in a model's parameters."""

from __future__ import annotations

from fractions import Fraction

from curvesieve.core import units
from curvesieve.core.formula import parse
from curvesieve.core.formula.dimension import dimension
from curvesieve.core.models.model import Model
from curvesieve.core.models.term import Powers


def unit_in(model: Model, text: str, axes: tuple[str, str]) -> str:
    """The unit of a formula in a model's parameters; nothing where it is open."""
    formula = parse(text, ())
    known: dict[str, Powers | None] = {
        placed.full_name(p.name): placed.term.unit(p.name) for placed in model.terms for p in placed.term.parameters
    }
    known |= {name: placed.term.unit(derived.name) for name, (placed, derived) in model.following.items()}
    powers = {}
    for name in formula.parameters:
        found = known.get(name)
        if found is None:
            return ""
        powers[name] = tuple((axis, Fraction(p)) for axis, p in zip("xy", found, strict=True) if p)
    made = dict(dimension(formula, powers, strict=False))
    return units.power_product(axes[0], made.get("x", 0), axes[1], made.get("y", 0))
