"""Fields on a page: maps in colours, lines of equal z, surfaces seen from a side, slices."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.figures.colours import walk
from curvesieve.core.figures.markup import mathtext
from curvesieve.core.figures.pen import Made, Numbers, Pen, Ref
from curvesieve.core.study import fields as core
from curvesieve.core.study.figure_parts import FieldContent, Manner
from curvesieve.core.study.study import Study

_MOST_NODES = 401
"""Rows and columns of a map that are drawn; a page shows no more of them."""
_MESH = 60


@dataclass(frozen=True, eq=False)
class DrawnField:
    """A field as a panel shows it: x of shape (m,), y (n,), z (n, m), the levels (k,), and what z is called."""

    content: FieldContent
    label: str
    x: Floats
    y: Floats
    z: Floats
    levels: Floats
    words: str

    @property
    def id(self) -> str:
        """By what its numbers are known."""
        return f"field {self.content.field} {self.content.shows}"


def drawn_field(study: Study, content: FieldContent, passed: Callable[[str], Curve]) -> tuple[DrawnField, core.Filled]:
    """A field as it is drawn, with what it was filled in as. Raises InputError where it is gone or cannot be filled."""
    field = study.field(content.field)
    if field is None:
        raise InputError("The field that was shown here is not in the study any more.")
    filled = core.filled(study, field.id, passed)
    grid, names = filled.grid, filled.grid.names
    if not grid.known.any():
        raise InputError(f"{field.name} is empty; nothing is drawn of it.")
    most = _MESH if content.shows == "surface" else _MOST_NODES
    across, up = (max(1, -(-count // most)) for count in (grid.x.size, grid.y.size))
    words = units.labelled(names.z, names.z_unit)
    z = grid.z[::up, ::across]
    return DrawnField(content, field.name, grid.x[::across], grid.y[::up], z, field.levels.of(grid), words), filled


def draw_field(
    pen: Pen,
    axes: str,
    place: int,
    number: int,
    drawn: DrawnField,
    numbers: tuple[Numbers, Numbers, Numbers],
    manner: Manner,
) -> None:
    """Draws a field onto the axes of a name: what it is drawn as stands in its content."""
    flat_x, flat_y, flat_z = numbers
    shape = drawn.z.shape
    x = Numbers(f"{flat_x.text}.reshape{shape}", flat_x.values.reshape(shape))
    y = Numbers(f"{flat_y.text}.reshape{shape}", flat_y.values.reshape(shape))
    z = Numbers(f"{flat_z.text}.reshape{shape}", flat_z.values.reshape(shape))
    if drawn.content.shows == "surface":
        _surface(pen, axes, drawn, (x, y, z), manner)
        return
    name = f"field{place}_{number}"
    known = drawn.z[np.isfinite(drawn.z)]
    low, high = float(known.min()), float(known.max())
    inner = [float(level) for level in drawn.levels if low < level < high]
    if drawn.content.shows == "map":
        if drawn.content.banded and inner:
            ends = [low, *inner, high]
            count = max(len(ends) - 2, 1)
            colours = [walk(manner.along, k / count) for k in range(len(ends) - 1)]
            pen.do(axes, "contourf", x, y, z, levels=ends, colors=colours, zorder=0.5, into=name)
        else:
            cmap, top = Made("colour_walk", (tuple(manner.along),)), high if high > low else low + 1.0
            pen.do(axes, "pcolormesh", x, y, z, cmap=cmap, shading="nearest", vmin=low, vmax=top, rasterized=True,
                   zorder=0.5, into=name)  # fmt: skip
        if drawn.content.bar:
            _bar(pen, axes, name, drawn, inner, manner)
    if (drawn.content.lines or drawn.content.shows == "lines") and inner and min(shape) > 1:
        lines = f"{name}_lines"
        count = max(len(inner) - 1, 1)
        hues = (
            manner.ink if drawn.content.shows == "map" else [walk(manner.along, k / count) for k in range(len(inner))]
        )
        width = 0.6 * manner.lines
        pen.do(axes, "contour", x, y, z, levels=inner, linewidths=width, colors=hues, zorder=1.5, into=lines)
        if drawn.content.named:
            pen.do(axes, "clabel", Ref(lines), fontsize=0.8 * manner.words, fmt="%.5g")


def _bar(pen: Pen, axes: str, name: str, drawn: DrawnField, inner: list[float], manner: Manner) -> None:
    """The colours with their values, to the right of the panel."""
    bar = f"{axes}c"
    if bar in pen.kept:
        return
    pen.do(axes, "inset_axes", [1.03, 0.0, 0.045, 1.0], into=bar)
    pen.do("fig", "colorbar", Ref(name), cax=Ref(bar), into=f"{bar}bar")
    if drawn.content.banded and inner:
        thin = max(1, -(-len(inner) // 9))
        pen.do(f"{bar}bar", "set_ticks", inner[::thin])
    pen.do(bar, "set_ylabel", mathtext(drawn.words))
    pen.do(bar, "tick_params", direction="in", length=2, labelsize=0.9 * manner.words)


def _surface(pen: Pen, axes: str, drawn: DrawnField, numbers: tuple[Numbers, Numbers, Numbers], manner: Manner) -> None:
    content = drawn.content
    x, y, z = numbers
    ends = () if not content.banded else tuple(float(level) for level in drawn.levels)
    said = {"turn": content.turn, "tilt": content.tilt, "height": content.height, "width": 0.25 * manner.lines,
            "edge": manner.ink if content.lines else "face"}  # fmt: skip
    made = Made("surface", (x, y, z, tuple(manner.along), ends), said)
    pen.do(axes, "add_collection", made)
    pen.do(axes, "autoscale_view")
    pen.do(axes, "set_aspect", "equal", adjustable="box")
    pen.do(axes, "set_axis_off")


def slices_of(study: Study, content: FieldContent, passed: Callable[[str], Curve]) -> list[tuple[str, Curve]]:
    """The slices of a field by their names, those that meet nothing left out. Raises InputError as `drawn_field`."""
    field = study.field(content.field)
    if field is None:
        raise InputError("The field that was shown here is not in the study any more.")
    points = core.prepared(study, field.id, passed).points
    made = []
    for spec in field.slices.specs(points):
        one = core.slice_of(study, field.id, spec, passed)
        if one.known:
            made.append((spec.named(points.names), one.curve()))
    if not made:
        raise InputError(f"No slice of {field.name} meets anything that is known.")
    return made


def in_columns(drawn: DrawnField) -> tuple[Floats, Floats, Floats]:
    """x, y and z of every node, row by row, each of shape (n·m,)."""
    gx, gy = np.meshgrid(drawn.x, drawn.y)
    return gx.ravel(), gy.ravel(), drawn.z.ravel()
