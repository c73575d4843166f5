"""A formula in which some names are averages, as the sum of a model calls it: values and slopes by the chain rule."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import Compiled, Formula, compile_formula, parse
from curvesieve.core.models.integrals.averages import CLOSE, Average, converged, some_of
from curvesieve.core.models.integrals.smearing import Smearing

Floats = NDArray[np.float64]
Averages = tuple[tuple[str, Average], ...]
_STEP = 2e-3
_CLOSE_SMEARED = 1e-5


def as_read(formula: str, averages: Averages, variable: str = "x") -> Formula:
    """The formula with each average written as what is averaged over its norm: for units and for reading only."""
    turns = sorted({one.turn for _, one in averages if one.turn})
    lines = [f"{name} = {one.shown or f'({one.integrand})/({one.norm})'}" for name, one in averages]
    return parse("\n".join([*lines, formula]), (variable, *turns))


def names_of(formula: str, averages: Averages, variable: str = "x") -> tuple[str, ...]:
    """The parameters: the formula's own in their order, then what only the averages know."""
    inner = dict(averages)
    outer = [name for name in parse(formula, (variable,)).parameters if name not in inner]
    return tuple(dict.fromkeys([*outer, *(name for _, one in averages for name in one.names)]))


@dataclass(frozen=True)
class Averaged:
    """`formula` in x, parameters and the names of averages."""

    formula: str
    averages: Averages
    variable: str = "x"
    smearing: Smearing | None = None

    @cached_property
    def names(self) -> tuple[str, ...]:
        """All parameters, those of the smearing last."""
        own = names_of(self.formula, self.averages, self.variable)
        return own if self.smearing is None else (*own, *self.smearing.names)

    @cached_property
    def _sharp(self) -> Averaged:
        return Averaged(self.formula, self.averages, self.variable)

    @cached_property
    def _outer(self) -> Compiled:
        return compile_formula(parse(self.formula, (self.variable,)))

    @property
    def cost(self) -> int:
        """How many numbers a point costs, about."""
        each = max((one.cost for _, one in self.averages), default=1)
        return each * (1 if self.smearing is None else self.smearing.cost)

    def _given(self, numbers: Sequence[float]) -> dict[str, float]:
        return dict(zip(self.names, (float(one) for one in numbers), strict=True))

    def value(self, rows: Sequence[Floats], numbers: Sequence[float]) -> Any:
        """The value at the x of the one row, of any shape."""
        shape, x = np.shape(rows[0]), np.ravel(rows[0])
        given: dict[str, Any] = self._given(numbers)
        if self.smearing is not None:
            at, weight, _ = self.smearing.places(x, given)
            made = self._sharp.value([at.ravel()], list(numbers)[: len(self._sharp.names)])
            return (made.reshape(at.shape) @ weight).reshape(shape)
        given |= {name: one.value(x, given) for name, one in self.averages}
        with np.errstate(all="ignore"):
            made = self._outer.value([x], [given[name] for name in self._outer.formula.parameters])
        return np.broadcast_to(made, x.shape).reshape(shape)

    def both(self, rows: Sequence[Floats], numbers: Sequence[float]) -> list[Any]:
        """The value and ∂value/∂parameter in the order of `names`, for one row of x of shape (n,)."""
        x = rows[0]
        if self.smearing is not None:
            return self._smeared(x, numbers)
        given: dict[str, Any] = self._given(numbers)
        inside = {name: one.both(x, given) for name, one in self.averages}
        given |= {name: pair[0] for name, pair in inside.items()}
        order = self._outer.formula.parameters
        with np.errstate(all="ignore"):
            value, *columns = self._outer.both([x], [given[name] for name in order])
            slopes: dict[str, Any] = dict(zip(order, columns, strict=True))
            for name, (_, by) in inside.items():
                outer = slopes.pop(name)
                for parameter, slope in by.items():
                    slopes[parameter] = slopes.get(parameter, 0.0) + outer * slope
        return [value, *(slopes[name] for name in self.names)]

    def _smeared(self, x: Floats, numbers: Sequence[float]) -> list[Any]:
        assert self.smearing is not None
        at, weight, moved = self.smearing.places(x, self._given(numbers))
        sharp, own = self._sharp, list(numbers)[: len(self._sharp.names)]
        made = [np.broadcast_to(one, at.size).reshape(at.shape) @ weight for one in sharp.both([at.ravel()], own)]
        slope = sharp.slope(at.ravel(), own).reshape(at.shape)
        return [*made, *((slope * moved[name]) @ weight for name in self.smearing.names)]

    def slope(self, x: Floats, numbers: Sequence[float]) -> Floats:
        """d/dx by five points about each x; good to some 1e-9 of the value over x. Of the shape of x, (n,)."""
        step = _STEP * np.where(x == 0, 1.0, np.abs(x)) / max(1.0, self._turns(x, numbers))
        parts = [w * self.value([x + k * step], numbers) for k, w in ((-2, 1), (-1, -8), (1, 8), (2, -1))]
        return np.asarray(np.sum(parts, axis=0) / (12 * step))

    def _turns(self, x: Floats, numbers: Sequence[float]) -> float:
        """The largest x times size, by which the steps are shortened."""
        given = self._given(numbers)
        sizes = [abs(given[one.size]) for _, one in self.averages if one.size]
        return float(np.abs(x).max(initial=0.0)) * max(sizes, default=0.0)

    @property
    def close(self) -> float:
        """The relative error that this is worked out to: less for what an instrument has smeared."""
        return CLOSE if self.smearing is None else _CLOSE_SMEARED

    def settled(self, x: Floats, numbers: Sequence[float]) -> bool:
        """Whether more nodes would change nothing by more than `close` of it; x has shape (n,)."""
        given = self._given(numbers)
        if self.smearing is None:
            return converged([one for _, one in self.averages], x, given)
        made = []
        some = some_of(x)
        for finer in (0, 1):
            at, weight, _ = self.smearing.places(some, given, finer)
            values = self._sharp.value([at.ravel()], list(numbers)[: len(self._sharp.names)])
            made.append(values.reshape(at.shape) @ weight)
        even = bool(np.all(np.abs(made[0] - made[1]) <= self.close * np.abs(made[1])))
        return even and self._sharp.settled(x, list(numbers)[: len(self._sharp.names)])
