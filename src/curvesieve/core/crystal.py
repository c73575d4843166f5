"""Cells of crystals: reciprocal spacings of their planes, which of them reflect, and indices read or assigned.

1/d² = h²/a² + k²/b² + l²/c² for cells with right angles, 4/3·(h² + hk + k²)/a² + l²/c² for hexagonal ones (common
practice; B. D. Cullity, Elements of X-Ray Diffraction, from memory).
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.quantity import Quantity

Planes = tuple[int, int, int]
_MOST = 12
"""The largest index that is assigned."""


@dataclass(frozen=True)
class Cell:
    """A kind of cell by the edges that are its own; `edge_of` names for each of a, b and c the edge that it equals."""

    name: str
    edges: tuple[str, ...]
    edge_of: str
    hexagonal: bool = False

    def weights(self, planes: Planes) -> Floats:
        """What the inverse squares of its own edges are multiplied by, to add up to 1/d², of shape (edges,)."""
        h, k, m = planes
        squares = (4 / 3 * (h * h + h * k + k * k), 0.0, m * m) if self.hexagonal else (h * h, k * k, m * m)
        made = np.zeros(len(self.edges))
        for edge, square in zip(self.edge_of, squares, strict=True):
            made[self.edges.index(edge)] += square
        return made

    def volume(self, edges: Sequence[float]) -> float:
        """Its volume, for its own edges."""
        by_name = dict(zip(self.edges, edges, strict=True))
        box = math.prod(by_name[edge] for edge in self.edge_of)
        return box * math.sqrt(0.75) if self.hexagonal else box


CELLS = {
    one.name: one
    for one in (
        Cell("cubic", ("a",), "aaa"),
        Cell("tetragonal", ("a", "c"), "aac"),
        Cell("hexagonal", ("a", "c"), "aac", True),
        Cell("orthorhombic", ("a", "b", "c"), "abc"),
    )
}


def reflects(planes: Planes, centring: str) -> bool:
    """Whether planes reflect in a lattice of that centring (common practice)."""
    h, k, m = planes
    if centring == "body-centred":
        return (h + k + m) % 2 == 0
    unmixed = len({h % 2, k % 2, m % 2}) == 1
    if centring == "face-centred":
        return unmixed
    if centring == "diamond":
        return unmixed and (h % 2 == 1 or (h + k + m) % 4 == 0)
    return True


_TRIPLE = re.compile(r"\(?\s*(-?\d+)[\s,]+(-?\d+)[\s,]+(-?\d+)\s*\)?|\(?\s*(-?\d)\s*(-?\d)\s*(-?\d)\s*\)?")


def planes_in(text: str) -> list[Planes]:
    """Indices as people list them: ``111, 200, 220``, or ``10 1 0; 1 1 2``; larger ones apart and with semicolons.

    Raises InputError for what is no such list.
    """
    apart = next((mark for mark in ";," if mark in text), None)
    made: list[Planes] = []
    for part in (one.strip() for one in text.split(apart)):
        match = _TRIPLE.fullmatch(part)
        if match is None:
            raise InputError(f"“{part}” are no indices; write 111, 200, 220, or 10 1 0; 1 1 2.")
        digits = [int(one) for one in match.groups() if one is not None]
        if not any(digits):
            raise InputError("the indices 000 belong to no planes.")
        made.append((digits[0], digits[1], digits[2]))
    return made


def edges_in(text: str, cell: Cell) -> list[float]:
    """Edges as people type them, in nm: ``4.086 Å``, ``a = 3.21 Å, c = 5.21 Å``. Raises InputError for others."""
    parts = [one for one in re.split(r"[;]|,\s+", text.strip()) if one.strip()]
    if len(parts) != len(cell.edges):
        names = ", ".join(cell.edges)
        raise InputError(
            f"a {cell.name} cell has the edges {names}; write {', '.join(f'{e} = …' for e in cell.edges)}."
        )
    found: dict[str, float] = {}
    for place, part in enumerate(parts):
        name, equals, value = part.partition("=")
        edge = name.strip() if equals else cell.edges[place]
        if edge not in cell.edges or edge in found:
            raise InputError(f"a {cell.name} cell has no other edges than {', '.join(cell.edges)}, each once.")
        told = Quantity.read(f"the edge {edge}", value if equals else part)
        if not told.unit:
            raise InputError(f"the edge {edge} = {told.value:g} needs its unit, as 0.4086 nm or 4.086 Å.")
        length = float(units.convert(np.array(told.value), told.unit, "nm"))
        if not 0 < length < math.inf:
            raise InputError(f"an edge is longer than nothing, and {edge} is {told.written()}.")
        found[edge] = length
    return [found[edge] for edge in cell.edges]


def planes_of(cell: Cell, centring: str, edges: Sequence[float], most: float) -> list[tuple[float, Planes]]:
    """1/d² and indices of all planes that reflect, up to a largest 1/d² in 1/nm², in rising order.

    Of planes with the same spacing by symmetry one is given, that with the largest first indices.
    """
    inverse = 1 / np.asarray(edges) ** 2
    found: dict[tuple[float, ...], tuple[float, Planes]] = {}
    down = range(_MOST, -1, -1)
    for planes in itertools.product(down, down, down):
        if not any(planes) or not reflects(planes, centring):
            continue
        weights = cell.weights(planes)
        square = float(weights @ inverse)
        if square <= most:
            found.setdefault(tuple(weights), (square, planes))
    return sorted(found.values())
