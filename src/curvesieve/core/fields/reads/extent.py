"""Values of a field: mean and scatter, extremes, the value at places, slopes."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid, shares
from curvesieve.core.fields.reads.base import FieldMeasure, FieldTaken, Number, SeenField
from curvesieve.core.rules import RuleField


def mean_of(grid: Grid) -> float:
    """The mean over the known area."""
    weights = grid.areas[grid.known]
    return float(np.average(grid.values, weights=weights))


def deviation_of(grid: Grid) -> float:
    """The standard deviation over the known area."""
    weights, values = grid.areas[grid.known], grid.values
    return float(np.sqrt(np.average((values - np.average(values, weights=weights)) ** 2, weights=weights)))


class Mean(FieldMeasure):
    """Mean and scatter over the area."""

    slug = "field-mean"
    label = "Mean and scatter"
    group = "values"
    summary = "Mean and standard deviation over the area, and that area"
    words = "average sd"
    told = "mean and standard deviation over the known area"
    reference = "JCGM 101:2008 (u by drawn surfaces)"

    def take(self, seen: SeenField) -> FieldTaken:
        grid = seen.grid
        mean, s = mean_of(grid), deviation_of(grid)
        area = float(grid.areas[grid.known].sum())
        u_mean, u_s = seen.u_of(mean_of, deviation_of)
        numbers = (
            Number("mean", "mean", "mean", mean, u_mean),
            Number("deviation", "standard deviation", "s", s, u_s),
            Number("area", "known area", "A", area, None, (2, 0)),
        )
        return FieldTaken(numbers, f"over {int(grid.known.sum()):,} nodes")


class Extremes(FieldMeasure):
    """The highest and the lowest place."""

    slug = "field-extremes"
    label = "Highest and lowest"
    group = "values"
    summary = "The largest and the smallest value, and where they are"
    words = "maximum minimum peak valley extreme"
    told = "the extremes of the surface"
    reference = "JCGM 101:2008 (u by drawn surfaces)"

    def take(self, seen: SeenField) -> FieldTaken:
        grid, names = seen.grid, seen.grid.names
        numbers, places = [], []
        spread = seen.u_of_all(lambda one: (*_highest(one), *_lowest(one)), 6)
        for name, found, of in (("maximum", _highest(grid), spread[:3]), ("minimum", _lowest(grid), spread[3:])):
            value, x, y = found
            places.append((x, y))
            own = None if grid.u is None else float(grid.u[np.searchsorted(grid.y, y), np.searchsorted(grid.x, x)])
            u_x, u_y = (
                None if seen.draws is None else float(np.hypot(u or 0.0, _about(axis, at)))
                for u, axis, at in zip(of[1:], (grid.x, grid.y), (x, y), strict=True)
            )
            short = name[:3]
            numbers += [
                Number(name, name, short, value, of[0] or own),
                Number(f"{name}-x", f"x of the {name}", f"x({short})", x, u_x, unit=names.x_unit),
                Number(f"{name}-y", f"y of the {name}", f"y({short})", y, u_y, unit=names.y_unit),
            ]
        return FieldTaken(tuple(numbers), "of the nodes of the grid", np.array(places))


def _about(axis: Floats, place: float) -> float:
    """The standard uncertainty of a place that a node stands for: its step, evenly likely."""
    return float(np.gradient(axis)[np.searchsorted(axis, place)] / np.sqrt(12)) if axis.size > 1 else 0.0


def _highest(grid: Grid) -> tuple[float, float, float]:
    """The largest value, and x and y of it."""
    row, column = np.unravel_index(int(np.nanargmax(grid.z)), grid.z.shape)
    return float(grid.z[row, column]), float(grid.x[column]), float(grid.y[row])


def _lowest(grid: Grid) -> tuple[float, float, float]:
    value, x, y = _highest(Grid(grid.x, grid.y, -grid.z))
    return -value, x, y


class ValueAt(FieldMeasure):
    """z at a place, or along a list of places."""

    slug = "field-value"
    label = "Value at places"
    group = "values"
    summary = "z at a place, or at a list of places"
    words = "point interpolate read lookup"
    told = "the surface at {places}"

    places: tuple[tuple[float, float], ...] = RuleField(
        ((0.0, 0.0),), label="places", help="pairs of x and y, as 1 2; 3 4", min_length=1, max_length=1000
    )

    def take(self, seen: SeenField) -> FieldTaken:
        where = np.array(self.places, dtype=np.float64).reshape(-1, 2)
        z, u = seen.surface.at(where[:, 0], where[:, 1])
        numbers = [
            Number("value", f"z at ({x:.10g}, {y:.10g})", "z", float(value),
                   None if u is None or not np.isfinite(u[k]) else float(u[k]), part=k + 1 if len(where) > 1 else 0)
            for k, ((x, y), value) in enumerate(zip(where, z, strict=True)) if np.isfinite(value)
        ]  # fmt: skip
        if not numbers:
            raise InputError("nothing is known at this place; move it over the points." if len(where) == 1 else
                             "nothing is known at any of these places; move them over the points.")  # fmt: skip
        missed = len(where) - len(numbers)
        return FieldTaken(tuple(numbers), f"{missed} outside what is known" if missed else seen.surface.u_told, where)

    @classmethod
    def for_field(cls, seen: SeenField) -> ValueAt:
        """The middle of the field."""
        x, y = (0.5 * float(axis[0] + axis[-1]) for axis in (seen.grid.x, seen.grid.y))
        return cls(places=((x, y),))


def slopes_of(grid: Grid) -> tuple[Floats, Floats]:
    """The slopes along x and y at the nodes, of shape (n, m), by central differences; NaN beside gaps.

    Raises InputError for a single row or column.
    """
    if min(grid.z.shape) < 2:
        raise InputError("slopes need two rows and two columns.")
    along_y, along_x = np.gradient(grid.z, grid.y, grid.x)
    return np.asarray(along_x), np.asarray(along_y)


class Slopes(FieldMeasure):
    """How steep the surface is."""

    slug = "field-slopes"
    label = "Gradient"
    group = "values"
    summary = "How steep the surface is on the mean, at its steepest, and where that is"
    words = "slope derivative steepness Sdq"
    reference = "ISO 25178-2:2021, 4.4.2 (Sdq)"
    told = "the gradient by central differences"

    def take(self, seen: SeenField) -> FieldTaken:
        grid = seen.grid
        if grid.names.x_unit != grid.names.y_unit:
            raise InputError(
                "x and y have different units: a steepness of both together has none. Convert one of them."
            )
        dx, dy = slopes_of(grid)
        steep = np.hypot(dx, dy)
        if not np.isfinite(steep).any():
            raise InputError("no node has neighbours on both sides; a finer grid may have.")
        row, column = np.unravel_index(int(np.nanargmax(steep)), steep.shape)

        direction = float(np.degrees(np.arctan2(dy[row, column], dx[row, column])))
        (mean_x, mean_y), u_mean = _mean_slopes(grid), seen.u_of_all(_mean_slopes, 2)
        doubt = _gap(seen)
        numbers = (
            Number("mean-slope-x", "mean slope along x", "∂z/∂x", mean_x, u_mean[0], (-1, 1)),
            Number("mean-slope-y", "mean slope along y", "∂z/∂y", mean_y, u_mean[1], (-1, 1)),
            Number("rms-slope", "root mean square gradient", "Sdq", np.sqrt(_over_area(grid, steep**2)), None, (-1, 1),
                   doubt=doubt),
            Number("steepest", "steepest slope", "max |∇z|", float(steep[row, column]), None, (-1, 1), doubt=doubt),
            Number("direction", "direction of the steepest rise", "φ", direction, None, unit="°"),
        )  # fmt: skip
        return FieldTaken(numbers, "by central differences", np.array([[grid.x[column], grid.y[row]]]))


def _mean_slopes(grid: Grid) -> tuple[float, float]:
    """The means of the slopes along x and y over the area: rises between neighbours, so that only ends count."""
    return _mean_slope(grid.z, grid.x, grid.y), _mean_slope(grid.z.T, grid.y, grid.x)


def _mean_slope(table: Floats, along: Floats, across: Floats) -> float:
    rises = np.diff(table, axis=1)
    known, heights = np.isfinite(rises), np.broadcast_to(shares(across)[:, None], rises.shape)
    if not known.any():
        return float("nan")
    areas = (heights * np.diff(along))[known]
    return float((rises * heights)[known].sum() / areas.sum())


def _over_area(grid: Grid, table: Floats) -> float:
    """The mean of a table of the shape of the grid over the area in which it is known."""
    known = np.isfinite(table)
    return float(np.average(table[known], weights=grid.areas[known])) if known.any() else float("nan")


def _gap(seen: SeenField) -> str:
    """A filled surface is smoother than what was measured: its steepness is that of the way of filling, too."""
    return (
        "" if seen.surface.filling.way.slug == "as-measured" else "a filled surface is smoother than what it stands for"
    )
