"""Area and volume above a level."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.reads.base import FieldMeasure, FieldTaken, Number, SeenField
from curvesieve.core.rules import RuleField
from curvesieve.core.typed import placed, rounded


def above(grid: Grid, level: float) -> tuple[float, float, float]:
    """Area above a level, volume above it, volume below it, of the surface as triangles between its nodes.

    Every cell is cut into four triangles about its middle, whose z is the mean of the corners. Cells with a corner
    that is not known do not count. Exact for those triangles.
    Raises InputError when there is no whole cell.
    """
    z = grid.z - level
    corners = np.stack([z[:-1, :-1], z[:-1, 1:], z[1:, 1:], z[1:, :-1]])
    known = np.isfinite(corners).all(axis=0)
    if not known.any():
        raise InputError("no cell of the grid has four known corners.")
    quarter = (np.outer(np.diff(grid.y), np.diff(grid.x)) / 4)[known]
    corners = corners[:, known]
    middle = corners.mean(axis=0)
    area = up = down = 0.0
    for k in range(4):
        a, v, w = _triangle(corners[k], corners[(k + 1) % 4], middle)
        area, up, down = area + float(a @ quarter), up + float(v @ quarter), down + float(w @ quarter)
    return area, up, down


def _triangle(a: Floats, b: Floats, c: Floats) -> tuple[Floats, Floats, Floats]:
    """Shares of triangles with corner values (n,) above zero, the mean over the whole of what is above, and below."""
    low, middle, high = np.sort(np.stack([a, b, c]), axis=0)
    mean = (low + middle + high) / 3

    def tip(one: Floats, other: Floats, peak: Floats) -> tuple[Floats, Floats]:
        """The part of a triangle about its one corner beyond zero: its share, and the mean of it over the whole."""
        with np.errstate(all="ignore"):
            share = peak / (peak - one) * (peak / (peak - other))
        share = np.where(np.isfinite(share), share, 0.0)
        return share, share * peak / 3

    share_high, volume_high = tip(low, middle, high)
    share_low, volume_low = tip(-high, -middle, -low)
    one_up = (high > 0) & (middle <= 0)
    two_up = (middle > 0) & (low < 0)
    area = np.where(low >= 0, 1.0, np.where(one_up, share_high, np.where(two_up, 1 - share_low, 0.0)))
    area = np.where((low == 0) & (high == 0), 0.0, area)
    up = np.where(low >= 0, mean, np.where(one_up, volume_high, np.where(two_up, mean + volume_low, 0.0)))
    return area, up, up - mean


class AboveLevel(FieldMeasure):
    """What stands above a level."""

    slug = "field-above"
    label = "Above a level"
    group = "above a level"
    summary = "The area above a level, and the volumes above and below it"
    words = "volume area threshold fill pit contour"
    told = "area and volumes above {level}, of triangles between the nodes"
    reference = "JCGM 101:2008 (u by drawn surfaces)"

    level: float = RuleField(0.0, label="level", unit="z", help="of the surface")

    def take(self, seen: SeenField) -> FieldTaken:
        area, up, down = above(seen.grid, self.level)
        values = seen.grid.values
        low, high = float(values.min()), float(values.max())
        ends = (placed(one, high - low) for one in (low, high))
        said = "" if low <= self.level <= high else f"the surface lies between {' and '.join(ends)}"
        u_area, u_up, u_down = seen.u_of_all(lambda one: above(one, self.level), 3)
        numbers = (
            Number("area-above", "area above", "A(above)", area, u_area, (2, 0)),
            Number("volume-above", "volume above", "V(above)", up, u_up, (2, 1)),
            Number("volume-below", "volume below", "V(below)", down, u_down, (2, 1)),
        )
        return FieldTaken(numbers, said, None, self.level)

    @classmethod
    def for_field(cls, seen: SeenField) -> AboveLevel:
        """The mean, to a thousandth of the range."""
        values = seen.grid.values
        return cls(level=rounded((float(values.mean()),), float(np.ptp(values)))[0] if values.size else 0.0)
