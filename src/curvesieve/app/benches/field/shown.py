"""What is seen of a field, all of it worked out in the background."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.app.session.jobs import Ticket
from curvesieve.core.errors import InputError
from curvesieve.core.fields.contours import Levels, Line, lines_of
from curvesieve.core.fields.slices import Slice
from curvesieve.core.study.field_parts import FieldEntry

if TYPE_CHECKING:
    from curvesieve.core.fields.reads.base import FieldRead
    from curvesieve.core.study.fields import Filled, Prepared

LOOKED_AT = ("beyond", "misses")
"""What is worked out of large fields only when it is looked at."""
_MOST_NODES, _MOST_POINTS = 200_000, 50_000
"""Of larger grids, and of more points, what lies beyond its neighbours is such a thing."""
_FEW_POINTS = 1_000
"""Of more points, so is how far the surface is off them."""


@dataclass(frozen=True, eq=False)
class Shown:
    """All that is seen of a field, with what it is about. `misses` are surface less points, at every point."""

    field: FieldEntry
    key: str
    prepared: Prepared
    filled: Filled | None = None
    problem: str = ""
    levels: Any = ()
    lines: tuple[Line, ...] = ()
    beyond: NDArray[np.bool_] | None = None
    misses: NDArray[np.float64] | None = None
    slices: tuple[Slice, ...] = ()
    slice_problems: tuple[str, ...] = ()
    reads: tuple[FieldRead, ...] = ()

    @property
    def measured(self) -> bool:
        """Whether the points' own rows and columns are seen: every node is a point then."""
        return self.filled is not None and self.filled.surface.filling.way.slug == "as-measured"


def work_out(study: Any, field: FieldEntry, key: str, passed: Callable[[str], Any], ticket: Ticket) -> Shown:
    """What is seen of a field. Raises InputError where its points cannot be had."""
    from curvesieve.core.fields.compare import beyond
    from curvesieve.core.study import fields as core

    prepared = core.prepared(study, field.id, passed)
    points, shows = prepared.points, field.look.shows
    ticket.stop_if_asked()
    try:
        filled = core.filled(study, field.id, passed, ticket.report)
    except InputError as error:
        return Shown(field, key, prepared, problem=str(error))
    problem = ""
    try:
        levels = field.levels.of(filled.grid)
    except InputError as error:
        problem, levels = str(error), Levels().of(filled.grid)
    lines = tuple(lines_of(filled.grid, levels))
    ticket.stop_if_asked()
    off = misses = None
    little = filled.grid.z.size <= _MOST_NODES and len(points) <= _MOST_POINTS
    if (shows == "beyond" or little) and len(points) > 3:
        off = beyond(filled.surface, filled.grid)
    ticket.stop_if_asked()
    if shows == "misses" or len(points) <= _FEW_POINTS:
        misses = filled.surface.at(points.x, points.y, ticket.report)[0] - points.z
    slices, problems = _cut(study, field, prepared, passed)
    reads = tuple(core.read(study, field.id, passed))
    return Shown(field, key, prepared, filled, problem, levels, lines, off, misses, slices, problems, reads)


def _cut(
    study: Any, field: FieldEntry, prepared: Any, passed: Callable[[str], Any]
) -> tuple[tuple[Slice, ...], tuple[str, ...]]:
    from curvesieve.core.study.fields import slice_of

    made, problems = [], []
    for spec in field.slices.specs(prepared.points):
        try:
            made.append(slice_of(study, field.id, spec, passed))
            if not made[-1].known:
                problems.append(f"nothing is known at {spec.named(prepared.points.names)}; move it over the points")
        except InputError as error:
            problems.append(str(error))
    return tuple(made), tuple(problems)
