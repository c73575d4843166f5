"""Averages over sizes and directions as functions of x and of a term's parameters, with exact slopes.

What is averaged is a formula; it is differentiated and compiled as every other. ⟨F(x, r, c)⟩ = Σ w(r) Σ v(c) F(x, r, c)
by Gauss–Legendre rules whose nodes are as many as the oscillation at each x asks for, divided by the same average of a
norm. Where the nodes over sizes stand still (see `sizes`), F is kept while nothing else moves in it: what a step of a
fit costs is then a product of a matrix and a few columns.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.formula import Compiled, compile_formula, evaluate, parse
from curvesieve.core.kept import Kept
from curvesieve.core.models.integrals.nodes import LADDER, groups, half, legendre, rungs, spans
from curvesieve.core.models.integrals.sizes import DISTRIBUTIONS, LEAST_SPREAD, Distribution, Frame

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
_LEAST_SIZES, _LEAST_TURNS = 34, 12
_MOST_SPREAD = 3.0
_KEPT = 16_000_000
"""Numbers that are kept of what was integrated."""
CLOSE, _LOOKED_AT = 1e-6, 24
"""The relative error that averages are worked out to, and at how many x that is looked at."""


@dataclass(frozen=True, eq=False)
class _Part:
    """What is integrated at some places (places,): sizes, weights (k,), F (places, k), slopes (m, places, k)."""

    places: Ints
    t: Floats
    weights: Floats
    values: Floats
    slopes: Floats | None


_KNOWN: Kept[tuple[_Part, ...]] = Kept(_KEPT, lambda parts: sum(p.values.size + _size(p.slopes) for p in parts))


def _size(array: Floats | None) -> int:
    return 0 if array is None else array.size


@dataclass(frozen=True)
class Average:
    """⟨integrand⟩ over ⟨norm⟩: `integrand` is a formula in x and parameters, `norm` one in the parameters alone.

    `size` names the parameter that has a distribution, of the relative width `spread`; without a distribution it is
    one number. `turn` names what runs from 0 to 1: the cosine of an angle (`even`), or the way along a chain.
    `path` and `turn_path` are formulas of the phase per x that turns as the size grows by one, and as `turn` runs.
    `least_turns` are nodes over `turn` at the least.
    """

    integrand: str
    norm: str = "1"
    size: str = ""
    spread: str = "spread"
    distribution: str = ""
    turn: str = ""
    even: bool = False
    path: str = "2"
    turn_path: str = "0"
    least_turns: int = _LEAST_TURNS
    shown: str = ""
    """What is averaged, over its norm, in short: for reading only."""

    @property
    def spread_out(self) -> Distribution | None:
        """The distribution of the size, where there is one."""
        return DISTRIBUTIONS[self.distribution] if self.distribution else None

    @property
    def cost(self) -> int:
        """How many nodes a point has at the least."""
        return (_LEAST_SIZES if self.distribution else 1) * (self.least_turns if self.turn else 1)

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The parameters: those of the integrand, and the spread."""
        inner = parse(self.integrand, ("x", self.turn or "turn")).parameters
        return (*inner, self.spread) if self.distribution else tuple(inner)

    @cached_property
    def _others(self) -> tuple[str, ...]:
        """The parameters that the integrand is worked out from beside the size."""
        return tuple(name for name in self.names if not self.distribution or name not in (self.size, self.spread))

    @cached_property
    def _still(self) -> Compiled:
        """The integrand with the size among the variables."""
        return compile_formula(parse(self.integrand, ("x", self.turn or "turn", self.size or "size")))

    @cached_property
    def _moving(self) -> Compiled:
        """The integrand with the size among the parameters."""
        return compile_formula(parse(self.integrand, ("x", self.turn or "turn")))

    def frame(self, values: Mapping[str, float]) -> Frame | None:
        """The range of sizes that is integrated over; None for one size."""
        if not self.distribution:
            return None
        spread_out, mean, spread = self._distribution(values)
        return spread_out.frame(mean, spread)

    def counts(self, x: Floats, values: Mapping[str, float]) -> tuple[int, int]:
        """How many nodes over sizes and over turns the largest of x, of shape (n,), asks for."""
        sizes, turns = self._rungs(x, values, self.frame(values))
        top = len(LADDER) - 1
        return LADDER[min(int(sizes.max()), top)], LADDER[min(int(turns.max()), top)]

    # -- the rule -------------------------------------------------------------------------------------

    def _rungs(self, x: Floats, values: Mapping[str, float], frame: Frame | None) -> tuple[Ints, Ints]:
        """The rungs for sizes and for turns at each x."""
        known = {**values, **({self.size: frame.high} if frame else {})}
        per_size = abs(_number(self.path, known)) * frame.reach if frame else 0.0
        per_turn = abs(_number(self.turn_path, known)) if self.turn else 0.0
        sizes = rungs(x * per_size, _LEAST_SIZES) if frame else np.zeros(x.size, np.intp)
        turns = rungs(x * per_turn, self.least_turns) if self.turn else np.zeros(x.size, np.intp)
        return sizes, turns

    def _parts(
        self, x: Floats, values: Mapping[str, float], frame: Frame | None, slopes: bool, finer: int = 0
    ) -> tuple[_Part, ...]:
        """What is integrated at x, of shape (n,), summed over turns already; kept where only the density changes."""
        spread_out = self.spread_out
        still = spread_out is not None and not spread_out.moves
        slopes = slopes and not (still and not self._others)
        key = (self, x.tobytes(), frame, tuple(values[name] for name in self._others), slopes, finer)
        if still:
            return _KNOWN.made(key, lambda: self._worked_out(x, values, frame, slopes, finer, True))
        return self._worked_out(x, values, frame, slopes, finer, False)

    def _worked_out(
        self, x: Floats, values: Mapping[str, float], frame: Frame | None, slopes: bool, finer: int, still: bool
    ) -> tuple[_Part, ...]:
        compiled = self._still if still else self._moving
        made = []
        for places, (sizes, turns) in groups(*(np.minimum(r + finer, len(LADDER) - 1)
                                               for r in self._rungs(x, values, frame))):  # fmt: skip
            t, weights = legendre(sizes) if frame is not None else (np.zeros(1), np.ones(1))
            c, share = (half if self.even else legendre)(turns) if self.turn else (np.zeros(1), np.ones(1))
            r, weights = frame.placed(t, weights) if frame is not None else (t, weights)
            given: list[Any] = [
                r if frame is not None and name == self.size else values[name] for name in compiled.formula.parameters
            ]
            for some in spans(places, r.size * c.size):
                rows: list[Any] = [x[some][:, None, None], c[None, :, None], r[None, None, :]]
                full = (some.size, c.size, r.size)
                if slopes:
                    value, *columns = compiled.both(rows if still else rows[:2], given)
                    stacked = np.array([_over_turns(one, full, share) for one in columns])
                    stacked = stacked.reshape(len(columns), some.size, r.size)
                else:
                    value, stacked = compiled.value(rows if still else rows[:2], given), None
                made.append(_Part(some, r, weights, _over_turns(value, full, share), stacked))
        return tuple(made)

    # -- values ---------------------------------------------------------------------------------------

    def value(self, x: Floats, values: Mapping[str, float], finer: int = 0) -> Floats:
        """The average at x, of shape (n,). `finer` asks for so many rungs more than the oscillation does."""
        if not self._has_value(values):
            return np.full(x.size, np.nan)
        with np.errstate(all="ignore"):
            if not self.distribution:
                made = self._plain(x, values, False, finer)[0]
                return np.asarray(made / _number(self.norm, values))
            spread_out, mean, spread = self._distribution(values)
            frame = spread_out.frame(mean, spread)
            top = np.empty(x.size)
            for part in self._parts(x, values, frame, False, finer):
                top[part.places] = part.values @ (part.weights * spread_out.density(part.t, mean, spread)[0])
            return top / self._norm(spread_out, frame, values, mean, spread)[0]

    def both(self, x: Floats, values: Mapping[str, float]) -> tuple[Floats, dict[str, Floats]]:
        """The average at x and its slopes against the parameters by name, each of shape (n,)."""
        if not self._has_value(values):
            return np.full(x.size, np.nan), {name: np.full(x.size, np.nan) for name in self.names}
        with np.errstate(all="ignore"):
            if not self.distribution:
                top, slopes = self._plain(x, values, True)
                norm, by = _slopes(self.norm, values)
                value = top / norm
                return value, {
                    name: (slopes.get(name, 0.0) - value * by.get(name, 0.0)) / norm for name in self.names
                }  # fmt: skip
            return self._spread_both(x, values)

    def _plain(self, x: Floats, values: Mapping[str, float], slopes: bool, finer: int = 0) -> Any:
        top, found = np.empty(x.size), np.empty((len(self.names), x.size))
        for part in self._parts(x, values, None, slopes, finer):
            top[part.places] = part.values[:, 0]
            if part.slopes is not None:
                found[:, part.places] = part.slopes[:, :, 0]
        return top, dict(zip(self._moving.formula.parameters, found, strict=True))

    def _has_value(self, values: Mapping[str, float]) -> bool:
        """Whether a solver on its way has not left all that means anything."""
        if not all(math.isfinite(values[name]) for name in self.names):
            return False
        return not self.distribution or (abs(values[self.size]) > 0 and abs(values[self.spread]) <= _MOST_SPREAD)

    def _distribution(self, values: Mapping[str, float]) -> tuple[Distribution, float, float]:
        spread_out = self.spread_out
        assert spread_out is not None
        return spread_out, abs(float(values[self.size])), max(abs(float(values[self.spread])), LEAST_SPREAD)

    def _spread_both(self, x: Floats, values: Mapping[str, float]) -> tuple[Floats, dict[str, Floats]]:
        spread_out, mean, spread = self._distribution(values)
        frame = spread_out.frame(mean, spread)
        names = self.names
        top, found = np.empty(x.size), np.zeros((len(names), x.size))
        at = {name: place for place, name in enumerate(names)}
        order = self._moving.formula.parameters if spread_out.moves else self._others
        for part in self._parts(x, values, frame, True):
            p, by_mean, by_spread = spread_out.density(part.t, mean, spread)
            columns = part.values @ (part.weights * np.stack([p, by_mean, by_spread])).T
            top[part.places] = columns[:, 0]
            found[at[self.size], part.places], found[at[self.spread], part.places] = columns[:, 1], columns[:, 2]
            for name, slope in zip(order, () if part.slopes is None else part.slopes, strict=True):
                if spread_out.moves and name == self.size:
                    share = part.weights * p
                    found[at[name], part.places] = slope @ (share * part.t / mean)
                    found[at[self.spread], part.places] = slope @ (share * (part.t - mean) / spread)
                else:
                    found[at[name], part.places] = slope @ (part.weights * p)
        norm, by = self._norm(spread_out, frame, values, mean, spread)
        value = top / norm
        signs = {self.size: np.sign(values[self.size]) or 1.0, self.spread: np.sign(values[self.spread]) or 1.0}
        return value, {n: signs.get(n, 1.0) * (found[at[n]] - value * by.get(n, 0.0)) / norm for n in names}

    def _norm(
        self, spread_out: Distribution, frame: Frame, values: Mapping[str, float], mean: float, spread: float
    ) -> tuple[float, dict[str, float]]:
        """The norm averaged over sizes, and its slopes."""
        formula = parse(self.norm, ())
        if not formula.parameters:  # the density, cut off at size 0, may hold a little less than one
            formula = parse("1", ())
        r, weights = frame.placed(*legendre(LADDER[5]))
        p, by_mean, by_spread = spread_out.density(r, mean, spread)
        given: list[Any] = [r if name == self.size else np.float64(values[name]) for name in formula.parameters]
        value, *columns = compile_formula(formula).both((), given)
        value = np.broadcast_to(value, r.shape)
        share = weights * p
        by = {name: float(np.broadcast_to(one, r.shape) @ share) for name, one in zip(formula.parameters, columns,
              strict=True)}  # fmt: skip
        slope = dict(zip(formula.parameters, columns, strict=True)).get(self.size, 0.0)
        if spread_out.moves:
            slope = np.broadcast_to(slope, r.shape)
            by[self.size] = float(slope @ (share * r / mean))
            by[self.spread] = float(slope @ (share * (r - mean) / spread))
        else:
            by[self.size], by[self.spread] = float(value @ (weights * by_mean)), float(value @ (weights * by_spread))
        return float(value @ share), by

    def beyond(self, x: Floats, values: Mapping[str, float]) -> bool:
        """Whether some x, of shape (n,), asks for more nodes than there are rungs."""
        return any(bool((rung >= len(LADDER)).any()) for rung in self._rungs(x, values, self.frame(values)))


def forget() -> None:
    """Forgets what was integrated before, so that what follows is timed as at first."""
    _KNOWN.clear()


def converged(averages: Sequence[Average], x: Floats, values: Mapping[str, float]) -> bool:
    """Whether one rung more changes no average by more than a millionth of its value; x has shape (n,).

    Looked at for some of the x, the largest among them, where the oscillation is fastest.
    """
    x = some_of(x)
    for one in averages:
        here = {name: values[name] for name in one.names}
        if one.beyond(x, here):
            return False
        first, second = one.value(x, here), one.value(x, here, finer=1)
        if not np.all(np.abs(first - second) <= CLOSE * np.abs(second)):
            return False
    return True


def some_of(x: Floats) -> Floats:
    """Some of the x, of shape (n,), in order, the smallest and the largest among them."""
    return np.asarray(np.sort(x)[np.unique(np.linspace(x.size - 1, 0, min(x.size, _LOOKED_AT)).astype(int))])


def _over_turns(values: Any, full: tuple[int, ...], share: Floats) -> Floats:
    """Summed over the middle axis by the weights of the turns."""
    spread = np.broadcast_to(values, full)
    return np.asarray(spread[:, 0, :] if full[1] == 1 else np.einsum("xcr,c->xr", spread, share))


def _number(text: str, values: Mapping[str, float]) -> float:
    formula = parse(text, ())
    return float(evaluate(formula, {name: values[name] for name in formula.parameters}))


def _slopes(text: str, values: Mapping[str, float]) -> tuple[float, dict[str, float]]:
    formula = parse(text, ())
    value, *columns = compile_formula(formula).both((), [np.float64(values[name]) for name in formula.parameters])
    return float(value), {name: float(one) for name, one in zip(formula.parameters, columns, strict=True)}
