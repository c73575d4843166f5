"""Where points come from: channels, a table in rows and columns, curves by their condition, a formula, two surfaces."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import MOST_CELLS, Grid, nodes
from curvesieve.core.fields.points import Gathered, Names, gather
from curvesieve.core.fields.surface import Surface
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.record import Channel

_NUMBER = re.compile(r"[-+−]?\d+(?:[.,]\d+)?(?:[eE][-+]?\d+)?")


def of_channels(x: Channel, y: Channel, z: Channel, u: Channel | None = None) -> Gathered:
    """The points of channels; see `gather`. Raises InputError."""
    names = Names(x.name, y.name, z.name, x.unit, y.unit, z.unit)
    if u is not None:
        bad = np.isfinite(u.values) & (u.values <= 0)
        if bad.any():
            raise InputError(
                f"{u.name} must be above zero, but is {u.values[bad][0]:g} in row {int(bad.argmax()) + 1}."
            )
    return gather(x.values, y.values, z.values, None if u is None else u.values, names)


def number_in(name: str) -> float | None:
    """The one number that a column's name has in it, such as 12.5 of ``x = 12.5 mm``; None of others."""
    found = _NUMBER.findall(name)
    if len(found) != 1:
        return None
    return float(found[0].replace("−", "-").replace(",", "."))


def looks_like_a_matrix(channels: Sequence[Channel]) -> bool:
    """Whether channels are a table of rows and columns: many, and their names the places of the columns."""
    if len(channels) < 4:
        return False
    places = [number_in(channel.name) for channel in channels[1:]]
    known = [place for place in places if place is not None]
    return len(known) == len(places) and bool(np.all(np.diff(known) > 0) or np.all(np.diff(known) < 0))


def of_matrix(
    channels: Sequence[Channel], with_y: bool, x_step: float | None, y_step: float | None, names: Names
) -> Gathered:
    """The points of a table in rows and columns.

    `with_y` takes the first channel for the places of the rows. Without a step, columns stand where their names say;
    rows without places stand a step apart. Raises InputError where names say no places and no step is given.
    """
    columns = channels[1:] if with_y else channels
    if len(columns) < 2:
        raise InputError("a table of a field needs two columns of z and more.")
    rows = columns[0].values.size
    if x_step is not None:
        x = x_step * np.arange(len(columns))
    else:
        said = [number_in(channel.name) for channel in columns]
        silent = next((channel.name for channel, place in zip(columns, said, strict=True) if place is None), None)
        if silent is not None:
            raise InputError(
                f"the name of column “{silent}” does not say where it stands; give the step of the columns."
            )
        x = np.array(said, dtype=np.float64)
    y = channels[0].values if with_y and y_step is None else (1.0 if y_step is None else y_step) * np.arange(rows)
    z = np.stack([channel.values for channel in columns], axis=1)
    places = nodes(np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64))
    return gather(places[:, 0], places[:, 1], z.ravel(), None, names)


def of_curves(curves: Sequence[tuple[float, Curve]], condition: str, unit: str) -> Gathered:
    """The points of a family as it passed: x along the curves, y their condition, z their y.

    Raises InputError when the curves have different units, or fewer than two conditions.
    """
    if len({place for place, _ in curves}) < 2:
        raise InputError("a field of a family needs curves of two conditions and more.")
    first = curves[0][1]
    for _, curve in curves:
        if (curve.x_unit, curve.y_unit) != (first.x_unit, first.y_unit):
            raise InputError("the curves of the family have different units; convert them in their sieves first.")
    used = [(place, curve.used) for place, curve in curves]
    x = np.concatenate([curve.x for _, curve in used])
    y = np.concatenate([np.full(len(curve), place) for place, curve in used])
    z = np.concatenate([curve.y for _, curve in used])
    u = np.concatenate([curve.u for _, curve in used]) if all(c.u is not None for _, c in used) else None
    names = Names(first.x_label, condition or "condition", first.y_label, first.x_unit, unit, first.y_unit)
    return gather(x, y, z, u, names)


def of_formula(
    text: str, x: tuple[float, float], y: tuple[float, float], columns: int, rows: int, names: Names
) -> Gathered:
    """A formula in x and y over a range of each, on columns × rows places. Raises InputError, with the place in it."""
    formula = parse(text, ("x", "y"))
    if formula.parameters:
        raise InputError(f"{', '.join(formula.parameters)} has no value; write numbers in its place.")
    if not (x[1] > x[0] and y[1] > y[0]):
        raise InputError("the ranges of x and y must ascend.")
    if columns * rows > MOST_CELLS:
        raise InputError(f"{columns:,} × {rows:,} places are too many.")
    places = nodes(np.linspace(*x, columns), np.linspace(*y, rows))
    z = np.broadcast_to(evaluate(formula, {"x": places[:, 0], "y": places[:, 1]}), (len(places),)).astype(np.float64)
    return gather(places[:, 0], places[:, 1], z, None, names)


def of_difference(first: Surface, grid: Grid, second: Surface) -> Gathered:
    """One surface on its grid less another at the same places. u is √(u₁² + u₂²) where both have one.

    Raises InputError when their units differ or they have no place in common.
    """
    ours, theirs = first.points.names, second.points.names
    if (ours.x_unit, ours.y_unit, ours.z_unit) != (theirs.x_unit, theirs.y_unit, theirs.z_unit):
        raise InputError("the two fields have different units; convert one of them in its sieve.")
    places = grid.places()
    z, u = second.at(places[:, 0], places[:, 1])
    left = grid.z.ravel() - z
    both: Floats | None = None
    if grid.u is not None and u is not None:
        both = np.hypot(grid.u.ravel(), u)
        both = np.where(both > 0, both, np.nan)
    if not np.isfinite(left).any():
        raise InputError("the two fields have no place in common.")
    return gather(places[:, 0], places[:, 1], left, both, ours)
