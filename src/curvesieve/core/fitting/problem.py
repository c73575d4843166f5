"""What is to be fitted, checked once and put into the arrays that the solver works on."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError, counted, nearest
from curvesieve.core.fitting.request import Bounds, Request
from curvesieve.core.fitting.ties import NO_TIES, Ties, state_ties
from curvesieve.core.models import FormulaSum

Floats = NDArray[np.float64]
LOSSES = ("squared", "absolute", "huber", "soft_l1", "cauchy")
WEIGHTS = ("u", "none", "counts", "proportional")


@dataclass(frozen=True, eq=False)
class Problem:
    """A weighted least-squares problem in its free parameters.

    `rows` are the independent variables, each (n,); `y` is (n,); `u` is (n,) or None. `start` is the full
    parameter vector, `free` the positions that vary; `lower` and `upper` bound the free ones.
    """

    model: FormulaSum
    rows: tuple[Floats, ...]
    y: Floats
    u: Floats | None
    start: Floats
    free: NDArray[np.intp]
    lower: Floats
    upper: Floats
    loss: str = "squared"
    ties: Ties = NO_TIES
    edged: bool = False
    """Whether some x are zero or below, where a power or a logarithm may have a value and no slope."""
    tidied: bool = False
    """Whether slopes that are not there are set to zero: x^n at x = 0 has the slope x^n·ln x in n, which is 0."""

    @cached_property
    def bounded(self) -> bool:
        """Whether any free parameter has a bound."""
        return bool(np.isfinite(self.lower).any() or np.isfinite(self.upper).any())

    def full(self, free_values: Floats) -> Floats:
        """The whole parameter vector for values of the free ones. From shape (free,) to shape (parameters,)."""
        if self.free.size == self.start.size:
            return free_values
        p = self.start.copy()
        p[self.free] = free_values
        return self.ties.fill(p) if self.ties.tied else p

    def tidy(self) -> Problem:
        """The problem with missing slopes set to zero, where there may be any."""
        return replace(self, tidied=True) if self.edged and not self.tidied else self

    def residuals(self, free_values: Floats) -> Floats:
        """(model − y)/u, a new array of shape (n,)."""
        value = self.model.value(self.rows, self.full(free_values), np.empty(self.y.size))
        value -= self.y
        return value if self.u is None else value / self.u

    def both(self, free_values: Floats) -> tuple[Floats, Floats]:
        """Residuals as above, and ∂residual/∂free parameter of shape (free, n); both are new arrays."""
        stacked = self.stacked(free_values)
        return stacked[-1], stacked[:-1]

    def stacked(self, free_values: Floats) -> Floats:
        """The same in one new array of shape (free + 1, n) with the residuals last: one product gives all sums."""
        stacked = np.empty((self.start.size + 1, self.y.size))
        p = self.full(free_values)
        value = stacked[-1]
        self.model.both(self.rows, p, value, stacked[:-1])
        value -= self.y
        if self.tidied:
            slopes = stacked[:-1]
            slopes[np.isnan(slopes) & np.isfinite(value)] = 0.0
        if self.ties.tied:
            spread = self.ties.spread(p, self.free.tolist())
            stacked = np.concatenate([spread.T @ stacked[:-1], stacked[-1:]])
        elif self.free.size < self.start.size:
            stacked = stacked[[*self.free.tolist(), -1]]
        if self.u is not None:
            stacked /= self.u
        return stacked


def stated_bounds(bounds: Bounds | None) -> dict[str, tuple[float, float]]:
    """Bounds as pairs of numbers, an end of None being open. Raises InputError for what is no pair of numbers."""
    found = {}
    for name, pair in (bounds or {}).items():
        try:
            low, high = pair
            ends = -math.inf if low is None else float(low), math.inf if high is None else float(high)
        except (TypeError, ValueError) as error:
            raise InputError(f"The bounds of {name} must be two numbers (None: no limit), not {pair!r}.") from error
        if math.isnan(ends[0]) or math.isnan(ends[1]):
            raise InputError(f"A bound of {name} is not a number; give None where there is no limit.")
        found[name] = ends
    return found


def state_problem(model: FormulaSum, x: Floats, y: Floats, u: Floats | None, request: Request) -> Problem:
    """Checks names, shapes, numbers, bounds and ties, and raises InputError with the first thing that is wrong.

    The start of a tied parameter is worked out; one that is given is not looked at.
    """
    rows = tuple(np.ascontiguousarray(row, dtype=np.float64) for row in np.atleast_2d(np.asarray(x, dtype=np.float64)))
    y = np.ascontiguousarray(y, dtype=np.float64)
    u = None if u is None else np.broadcast_to(np.asarray(u, dtype=np.float64), y.shape)
    _check_data(model, rows, y, u)
    start, hold, loss = request.start, request.hold, request.loss
    limits, ties = stated_bounds(request.bounds), dict(request.ties)
    names = list(model.names)
    if not names:
        raise InputError(
            "The formula has no parameter, so there is nothing to fit; any name but the variable's is one."
        )
    stated = state_ties(names, ties)
    start = {**start, **dict.fromkeys(ties, 0.0)} if ties else start
    for what, given in (("start", start), ("hold", hold), ("bounds", limits)):
        for name in given:
            if name not in names:
                raise InputError(f"{what} names {name!r}; the parameters are {', '.join(names)}{nearest(name, names)}")
    missing = [name for name in names if name not in start]
    if missing:
        raise InputError(
            f"{missing[0]} is held, but at no value; give its start."
            if missing[0] in hold
            else f"No start is given for {', '.join(missing)}; give one for each, such as {missing[0]}=1."
        )
    if loss not in LOSSES:
        raise InputError(f"There is no loss {loss!r}; known are {', '.join(LOSSES)}{nearest(loss, list(LOSSES))}")
    p0 = np.array([float(start[name]) for name in names])
    if not np.isfinite(p0).all():
        raise InputError(f"The start of {names[int(np.flatnonzero(~np.isfinite(p0))[0])]} is not a number.")
    p0 = stated.fill(p0) if ties else p0
    free = np.array([i for i, name in enumerate(names) if name not in hold and name not in ties], dtype=np.intp)
    if not free.size:
        raise InputError("Every parameter is held; let at least one go, or there is nothing to fit.")
    if free.size > y.size:
        raise InputError(
            f"{counted(free.size, 'free parameter')} cannot be found from {counted(y.size, 'point')}; "
            "hold some parameters or use more points."
        )
    if free.size > 1 and y.size > 1 and all(row[0] == row[-1] and bool((row == row[0]).all()) for row in rows):
        raise InputError(
            f"All points have the same {model.variables[0]}, {rows[0][0]:g}: they settle one value, not {free.size}."
        )
    for name in set(limits) & {*hold, *ties}:
        _check_fixed(name, float(p0[names.index(name)]), limits[name], name in ties)
    lower, upper = _limits([names[i] for i in free], p0[free], limits)
    edged = any(bool(row.min() <= 0) for row in rows)
    return Problem(model, rows, y, u, p0, free, lower, upper, loss, stated, edged)


def weighing(weights: str, y: Floats, u: Floats | None) -> Floats | None:
    """The uncertainty that points are weighed by: their own u, none, √y for counts (1 below 1), or |y|.

    Raises InputError when the numbers do not allow it.
    `y` and `u` have shape (n,), and so has the answer, in the unit of y.
    """
    if weights == "u":
        return u
    if weights == "none":
        return None
    if weights == "counts":
        if (y < 0).any():
            where = int(np.flatnonzero(y < 0)[0])
            raise InputError(
                f"Counts cannot be below zero, but y is {y[where]:g} at point {where + 1}; weigh otherwise."
            )
        return np.sqrt(np.maximum(y, 1.0))
    if weights == "proportional":
        if (y == 0).any():
            where = int(np.flatnonzero(y == 0)[0])
            raise InputError(f"y is 0 at point {where + 1}, which no proportional weight fits; weigh otherwise.")
        return np.asarray(np.abs(y))
    raise InputError(
        f"There are no weights {weights!r}; known are {', '.join(WEIGHTS)}{nearest(weights, list(WEIGHTS))}"
    )


def _check_fixed(name: str, value: float, limits: tuple[float, float], tied: bool) -> None:
    """Bounds of a parameter that the fit does not move itself: they cannot be kept, so they must not be promised."""
    if tied:
        raise InputError(f"{name} is tied, so its bounds cannot be kept; remove them, or limit what it is tied to.")
    if not limits[0] <= value <= limits[1]:
        raise InputError(
            f"{name} is held at {value:g}, outside its bounds {limits[0]:g} to {limits[1]:g}; move it or widen them."
        )


def _limits(names: list[str], start: Floats, bounds: Mapping[str, tuple[float, float]]) -> tuple[Floats, Floats]:
    lower, upper = np.full(len(names), -math.inf), np.full(len(names), math.inf)
    for i, name in enumerate(names):
        if name not in bounds:
            continue
        lower[i], upper[i] = bounds[name]
        if not lower[i] < upper[i]:
            raise InputError(f"The bounds of {name} ({lower[i]:g} to {upper[i]:g}) are not in order.")
        if not lower[i] <= start[i] <= upper[i]:
            raise InputError(
                f"The start of {name}, {start[i]:g}, lies outside its bounds {lower[i]:g} to {upper[i]:g}; "
                "move the start or widen the bounds."
            )
    return lower, upper


def _check_data(model: FormulaSum, rows: tuple[Floats, ...], y: Floats, u: Floats | None) -> None:
    if len(rows) != len(model.variables):
        raise InputError(f"The model has {counted(len(model.variables), 'variable')}, x has {len(rows)} rows.")
    for name, values in [(v, row) for v, row in zip(model.variables, rows, strict=True)] + [("y", y)]:
        if values.shape != y.shape or values.ndim != 1:
            raise InputError(f"{name} has the shape {values.shape}, y has {y.shape}; they must be of equal length.")
        # A finite sum says it all in one pass; only where there is none is every value looked at.
        if not math.isfinite(np.add.reduce(values)) and not np.isfinite(values).all():
            raise InputError(f"{name} has no number at point {int(np.flatnonzero(~np.isfinite(values))[0]) + 1}.")
    if not y.size:
        raise InputError("There is no point to fit.")
    if u is not None and not (np.isfinite(u) & (u > 0)).all():
        where = int(np.flatnonzero(~(np.isfinite(u) & (u > 0)))[0])
        raise InputError(f"u must be above zero, but is {u[where]:g} at point {where + 1}.")
