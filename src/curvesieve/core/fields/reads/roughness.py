"""Roughness of a surface (ISO 25178-2) and of its slices (ISO 21920-2)."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.inner import inner
from curvesieve.core.fields.reads.base import FieldMeasure, FieldTaken, Number, SeenField
from curvesieve.core.fields.reads.extent import deviation_of, mean_of
from curvesieve.core.rules import RuleField


def heights(grid: Grid) -> tuple[Floats, Floats]:
    """z less its mean and the weights (areas) of the known nodes, both of shape (k,)."""
    return grid.values - mean_of(grid), grid.areas[grid.known]


def arithmetical_mean(grid: Grid) -> float:
    """Sa: the mean of |z|."""
    z, weights = heights(grid)
    return float(np.average(np.abs(z), weights=weights))


def _moment(grid: Grid, power: int) -> float:
    z, weights = heights(grid)
    sq = float(np.sqrt(np.average(z**2, weights=weights)))
    if not sq > 0:
        raise InputError("the surface is flat: skewness and kurtosis have no meaning.")
    return float(np.average((z / sq) ** power, weights=weights))


class Roughness(FieldMeasure):
    """Height parameters of the surface."""

    slug = "field-roughness"
    label = "Roughness of the area"
    group = "roughness"
    summary = "Sa, Sq, Sz, Sp, Sv, Ssk, Sku: heights about the mean; level the field first"
    words = "Sa Sq Sz Ssk Sku ISO 25178 texture height parameters"
    reference = "ISO 25178-2:2021, 4.3"
    told = "height parameters about the mean of the area"

    def take(self, seen: SeenField) -> FieldTaken:
        grid = seen.grid
        z, _ = heights(grid)
        doubt = "" if seen.surface.filling.way.slug == "as-measured" else "of a filled surface, which is smoother"
        peak, pit = float(z.max()), float(-z.min())

        def number(symbol: str, name: str, value: float, u: float | None = None, height: int = 1) -> Number:
            return Number(symbol, name, symbol, value, u, (0, height), doubt=doubt)

        u_sa, u_sq = seen.u_of(arithmetical_mean, deviation_of)
        made = [
            number("Sa", "arithmetical mean height", arithmetical_mean(grid), u_sa),
            number("Sq", "root mean square height", deviation_of(grid), u_sq),
            number("Sz", "maximum height", peak + pit),
            number("Sp", "highest peak", peak),
            number("Sv", "deepest pit", pit),
        ]
        if deviation_of(grid) > 0:
            made += [
                number("Ssk", "skewness", _moment(grid, 3), None, 0),
                number("Sku", "kurtosis", _moment(grid, 4), None, 0),
            ]
        return FieldTaken(tuple(made), "about the mean, without a filter")


class ProfileRoughness(FieldMeasure):
    """Roughness of profiles along rows or columns."""

    slug = "field-profiles"
    label = "Roughness of profiles"
    group = "roughness"
    summary = "Ra, Rq, Rz of the rows or columns, each about its own straight line; mean and scatter of them"
    words = "Ra Rq Rz ISO 21920 line profile"
    reference = "ISO 21920-2:2021, 4.3"
    told = "Ra, Rq and Rt of profiles along {along}, each about its own straight line"

    along: Literal["x", "y"] = RuleField("x", label="profiles along", help="x (rows) or y (columns)")

    def take(self, seen: SeenField) -> FieldTaken:
        grid, where = inner(seen.grid)
        table, place = (grid.z, grid.x) if self.along == "x" else (grid.z.T, grid.y)
        lines = table
        unit = (2 * place - place[0] - place[-1]) / (place[-1] - place[0])
        columns = np.column_stack([np.ones_like(unit), unit])
        left = lines - (columns @ np.linalg.lstsq(columns, lines.T, rcond=None)[0]).T
        weights = np.gradient(place)
        ra, rq = (
            np.average(np.abs(left), axis=1, weights=weights),
            np.sqrt(np.average(left**2, axis=1, weights=weights)),
        )
        rt = left.max(axis=1) - left.min(axis=1)
        count = len(lines)
        kinds = (
            ("Ra", "arithmetical mean deviation", ra),
            ("Rq", "root mean square deviation", rq),
            ("Rt", "total height", rt),
        )
        error = 1 / np.sqrt(count)
        numbers = tuple(
            Number(symbol, name, symbol, float(v.mean()), float(v.std(ddof=1)) * error or None if count > 1 else None)
            for symbol, name, v in kinds
        )
        said = f"mean of {count:,} profiles; u is its standard error, as if they were independent"
        return FieldTaken(numbers, "; ".join(filter(None, (said, where))))
