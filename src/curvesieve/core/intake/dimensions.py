"""The dimensions of a specimen: known by the words of preambles, given by hand, and the areas that they make."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.computed import quantities_in, quantities_of
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Record

_WORDS = {
    "final_area": r"(final|fracture|end)_(cross_section_)?area|area_(after|at_fracture)|^su$",
    "final_diameter": r"(final|fracture|end|neck)_diameter|diameter_(after|at_fracture)|^du$",
    "inner_diameter": r"inn?er_diameter|inside_diameter|^di$|bore",
    "load_span": r"load(ing)?_span|inner_span",
    "span": r"(^|_)span|support_(distance|separation)",
    "width": r"^(specimen_)?width$|^w$|^b$|breadth",
    "thickness": r"^(specimen_)?thickness$|^t$|^d0$|^(specimen_)?depth$",
    "diameter": r"diameter|^dia$|^d$", "area": r"area|cross_section|^s0$|^a0$",
    "grips": r"grip_(distance|separation)|grip_to_grip", "gauge": r"gauge|gage|^l0$|initial_length|parallel_length",
    "length": r"^(specimen_)?length$|^(specimen_)?height$",
}  # fmt: skip
"""Names that preambles give to dimensions, without regard to capitals, the first that fits; common practice."""
SHAPES = {
    "rectangular": ("width*thickness", ("width", "thickness")),
    "round": ("pi*diameter^2/4", ("diameter",)),
    "tube": ("pi*(diameter^2 - inner_diameter^2)/4", ("diameter", "inner_diameter")),
    "own area": ("area", ("area",)),
}
"""Cross sections of specimens: the formula of the area, and the dimensions in it."""


@dataclass(frozen=True)
class Sizes:
    """The dimensions that are known of a specimen, by our names, and what each is called in its file."""

    known: Mapping[str, Quantity]
    called: Mapping[str, str]
    given: frozenset[str]
    """Those that were given by hand, which go before what the file says."""

    def name(self, dimension: str) -> str:
        """What formulas call a dimension: as the file does, where it has it."""
        return self.called.get(dimension, dimension)


def dimension_of(quantity: Quantity) -> str:
    """Which dimension a quantity is, by its name and the kind of its unit; empty: none."""
    for name, pattern in _WORDS.items():
        kind = "m^2" if name.endswith("area") else "m"
        called = quantity.name.casefold()
        if (called == name or re.search(pattern, called)) and is_kind(quantity.unit, kind):
            return name
    return ""


def is_dimension(key: str, text: str) -> bool:
    """Whether a line of a preamble is a dimension of the specimen."""
    return any(dimension_of(quantity) for quantity in quantities_in(((key, text),)))


def is_kind(unit: str, other: str) -> bool:
    """Whether two units measure the same kind of thing."""
    return units.in_base(unit).powers == units.in_base(other).powers


def sizes_of(record: Record, given: Sequence[Quantity] = ()) -> Sizes:
    """The dimensions in a record's preamble, and those `given` before them.

    Raises InputError for one that is not above zero.
    """
    known: dict[str, Quantity] = {}
    called: dict[str, str] = {}
    for quantity in (*given, *quantities_of(record)):
        name = dimension_of(quantity)
        if name and name not in known:
            if quantity.value <= 0:
                size = quantity.model_copy(update={"name": name}).written()
                raise InputError(f"{record.source.name}: {name} is {size}; a dimension is above zero.")
            known[name], called[name] = quantity.model_copy(update={"name": name}), quantity.name
    return Sizes(known, called, frozenset(dimension_of(one) for one in given))


def shape_of(sizes: Sizes) -> str:
    """The shape whose dimensions are all known; with several, that of which most were given by hand. Empty: none."""
    ready = [
        shape for shape in ("own area", "rectangular", "tube", "round")
        if all(name in sizes.known for name in SHAPES[shape][1])
    ]  # fmt: skip
    return max(ready, key=lambda shape: len(sizes.given.intersection(SHAPES[shape][1])), default="")


def renamed(formula: str, sizes: Sizes) -> str:
    """A formula in our names of dimensions, in those of the file."""
    return re.sub(r"[^\W\d]\w*", lambda match: sizes.name(match[0]) if match[0] in sizes.called else match[0], formula)
