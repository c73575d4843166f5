"""Lines of equal z, areas between levels, and which levels are chosen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid

MOST_LEVELS = 200


class Levels(BaseModel):
    """Which levels: so many even ones, steps of a size, or a list."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    by: Literal["number", "step", "list"] = "number"
    number: int = Field(default=9, ge=1, le=MOST_LEVELS)
    step: float = Field(default=1.0, gt=0)
    given: tuple[float, ...] = Field(default=(), max_length=MOST_LEVELS)

    def of(self, grid: Grid) -> Floats:
        """The levels for a grid, ascending, of shape (k,).

        Even ones are round numbers within the range of z, about as many as asked. Raises InputError when there would
        be more than 200.
        """
        values = grid.values
        if not values.size:
            return np.empty(0)
        low, high = float(values.min()), float(values.max())
        if self.by == "list":
            return np.unique(np.array(self.given, dtype=np.float64))
        if not high > low:
            return np.array([low])
        step = self.step if self.by == "step" else round_step((high - low) / (self.number + 1))
        if (high - low) / step > MOST_LEVELS:
            raise InputError(
                f"steps of {step:g} over {high - low:.4g} are more than {MOST_LEVELS} lines; choose a wider step."
            )
        first, last = np.ceil(low / step), np.floor(high / step)
        return np.arange(first, last + 1) * step


def round_step(step: float) -> float:
    """The nearest of 1, 2, 2.5 and 5 times a power of ten."""
    power = 10.0 ** np.floor(np.log10(step))
    choices = np.array([1.0, 2.0, 2.5, 5.0, 10.0]) * power
    return float(choices[np.argmin(np.abs(np.log(choices / step)))])


@dataclass(frozen=True, eq=False)
class Line:
    """One piece of a line of equal z: places of shape (k, 2); closed ones end where they begin."""

    level: float
    places: Floats

    @property
    def closed(self) -> bool:
        """Whether it comes back to where it began."""
        return bool(len(self.places) > 2 and np.array_equal(self.places[0], self.places[-1]))

    @property
    def area(self) -> float:
        """What a closed line encloses (the trapezoidal rule along it); 0 for one that is open."""
        x, y = self.places.T
        return abs(0.5 * float(np.sum(x[:-1] * y[1:] - x[1:] * y[:-1]))) if self.closed else 0.0


def lines_of(grid: Grid, levels: Floats) -> list[Line]:
    """The lines of equal z at levels of shape (k,); levels outside the range have none."""
    import contourpy

    if min(grid.z.shape) < 2:
        return []
    made = contourpy.contour_generator(
        grid.x, grid.y, np.ma.masked_invalid(grid.z), line_type=contourpy.LineType.Separate
    )
    return [Line(float(level), np.asarray(places)) for level in levels for places in made.lines(float(level))]
