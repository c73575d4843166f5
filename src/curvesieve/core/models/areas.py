"""Areas of peaks as if they were parameters: typed as a start, and tied to those of others.

An area is proportional to the size of its peak, so that ``area_2 = area_1/2`` is a tie of ``height_2``.
"""

from __future__ import annotations

import math
import re

from curvesieve.core.errors import FormulaError, InputError
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.models.model import Model
from curvesieve.core.models.placed import PlacedTerm
from curvesieve.core.models.term import Derived


def area_of(placed: PlacedTerm) -> Derived | None:
    """The derived area of a peak whose size is not the area itself; None for other terms."""
    term = placed.term
    if term.shape is None or term.shape.size == "area":
        return None
    return next((derived for derived in term.derived if derived.name == "area"), None)


def area_at_start(placed: PlacedTerm) -> float:
    """The area of a placed peak at its starts."""
    area = area_of(placed)
    assert area is not None
    return at_start(placed, area)


def at_start(placed: PlacedTerm, derived: Derived) -> float:
    """What follows from a placed term's parameters, at their starts."""
    if derived.weights:
        return sum(weight * placed.parameters[name].start for name, weight in derived.weights)
    formula = parse(derived.formula, ())
    return float(evaluate(formula, {name: placed.parameters[name].start for name in formula.parameters}))


def size_for_area(placed: PlacedTerm, area: float) -> tuple[str, float]:
    """The size parameter of a peak, and its value that gives an area with the other parameters as they are.

    Raises InputError for a peak without a width, or with tails so heavy that no area is finite.
    """
    assert placed.term.shape is not None
    size = placed.term.shape.size
    each = area_at_start(placed.with_starts({size: 1.0}))
    if not each:
        raise InputError(f"{placed.label} has no width, so that no size gives it an area.")
    if not math.isfinite(each):
        raise InputError(f"{placed.label} has no finite area with the shape that it has; change the shape first.")
    return size, area / each


def tie_of_area(model: Model, number: int, text: str) -> tuple[str, str]:
    """The size parameter of a peak, and the tie that makes its area what a formula says.

    The formula may name areas of other peaks, as ``area_1``. Raises FormulaError or InputError where it cannot be read.
    """
    placed = model.term_numbered(number)
    area = area_of(placed)
    assert area is not None
    assert placed.term.shape is not None
    if re.search(rf"\b{placed.full_name('area')}\b", text):
        raise InputError(f"{placed.full_name('area')} is tied to itself; name other parameters.")
    size = placed.term.shape.size
    each = _renamed(placed, re.sub(rf"\b{size}\b", "1", area.formula))
    return size, f"({with_areas(model, text)})/({each})"


def with_areas(model: Model, text: str) -> str:
    """A formula with the areas that it names written out in parameters.

    Raises InputError for a text that cannot be read.
    """
    try:
        wanted = set(parse(text, ()).parameters)
    except FormulaError as error:
        raise InputError(f"The tie {text!r} cannot be read: {error}") from error
    for placed in model.peaks:
        area = area_of(placed)
        name = placed.full_name("area")
        if area is not None and name in wanted:
            text = re.sub(rf"\b{name}\b", f"({_renamed(placed, area.formula)})", text)
    return text


def written_out(model: Model, text: str) -> str:
    """A formula with what follows from the model's terms, such as ``area_1``, written out in lines before its own.

    Raises FormulaError for a formula that cannot be read.
    """
    wanted = set(parse(text, ()).parameters) - set(model.names)
    before = [
        f"{name} = {_renamed(placed, derived.formula)}"
        for name, (placed, derived) in model.following.items()
        if name in wanted
    ]
    return "\n".join([*before, text])


def _renamed(placed: PlacedTerm, formula: str) -> str:
    """A formula in a term's own names with their full names in the model."""
    for name in placed.parameters:
        formula = re.sub(rf"\b{name}\b", placed.full_name(name), formula)
    return formula
