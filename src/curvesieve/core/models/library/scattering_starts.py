"""Where a fit of scattering begins: sizes tried about what the slope at small q says, the rest solved for."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.guinier import guinier_radius
from curvesieve.core.models.integrals import Averaged, Averages
from curvesieve.core.models.starts import Data
from curvesieve.core.models.term import Parameter

Floats = NDArray[np.float64]
_POINTS, _SEED = 48, 11
_WIDE, _NARROW, _BEST = 160, 96, 4
"""Draws over all that could be, draws about the best of them, and how many of these."""
_LINEAR = ("forward", "factor", "guinier", "porod", "background")
_LENGTHS = ("radius", "length", "thickness", "shell", "period", "rg", "hard_radius")
_NEAR_TIMES = (0.08, 3.0)
"""What a length may be against the one that the slope at small q says."""


@dataclass(frozen=True)
class Asked:
    """The formula with its averages; each parameter with its start and limits; and the size that is nearest to a radius
    of gyration, with its times Rg."""

    formula: str
    averages: Averages
    parameters: tuple[Parameter, ...]
    size: str = ""
    times: float = 1.0
    alike: tuple[tuple[str, ...], ...] = ()
    """Groups of parameters that could change places: they come in the order of each group's first."""

    def narrow(self) -> Asked:
        """Without distributions of sizes that are averaged over directions as well: those take too long to be tried."""
        averages = tuple(
            (name, replace(one, distribution="") if one.turn and one.distribution else one)
            for name, one in self.averages
        )
        return replace(self, averages=averages)


def started(asked: Asked, data: Data, fixed: Mapping[str, float]) -> dict[str, float]:
    """Starts for all parameters from the points, of which those at or below zero are not looked at.

    What is `fixed` stays, but for what stands in front of something, which is solved for.
    """
    asked, kept = asked.narrow(), {name: value for name, value in fixed.items() if _kind(name) != "linear"}
    plain = {one.name: one.start for one in asked.parameters} | kept
    good = (data.x > 0) & (data.y > 0) & np.isfinite(data.y)
    order = np.argsort(data.x[good], kind="stable")
    x, y = data.x[good][order], data.y[good][order]
    if x.size < 5:
        return plain
    rg = guinier_radius(x, y)
    thin = np.unique(np.linspace(0, x.size - 1, min(x.size, _POINTS)).astype(int))
    x, y = x[thin], y[thin]
    rng = np.random.default_rng(_SEED)
    tried = [_tried(asked, x, y, values | kept) for values in _wide(asked, rng, rg, x, plain)]
    tried.sort(key=lambda pair: pair[0])
    for _, middle in tried[:_BEST]:
        tried += [_tried(asked, x, y, _near(asked, rng, middle) | kept) for _ in range(_NARROW // _BEST)]
    cost, best = min(tried, key=lambda pair: pair[0])
    if not math.isfinite(cost):
        return plain
    return best | kept


def _kind(name: str) -> str:
    bare = name.rstrip("0123456789")
    if bare in ("resolution", "resolution_floor", "slit"):
        return "known"
    return "linear" if bare in _LINEAR else "length" if bare in _LENGTHS else "plain"


def _wide(
    asked: Asked, rng: np.random.Generator, rg: float, x: Floats, plain: dict[str, float]
) -> Iterator[dict[str, float]]:
    """Draws over all that the lengths could be: about what the slope at small q says, or what the range of x sees."""
    seen = (0.5 / float(x[-1]), 6.0 / float(x[0]))
    stretch = asked.times * rg / plain[asked.size] if asked.size else rg
    for number in range(_WIDE):
        made = dict(plain)
        for one in asked.parameters:
            kind = _kind(one.name)
            if kind == "length":
                low, high = seen if number % 2 else (_NEAR_TIMES[0] * rg, _NEAR_TIMES[1] * rg * max(asked.times, 1.0))
                made[one.name] = float(np.exp(rng.uniform(np.log(low), np.log(high))))
                if number % 4 == 0 and asked.size:  # all lengths together, as the declared starts stand to one another
                    made[one.name] = plain[one.name] * stretch * float(np.exp(rng.uniform(-0.7, 0.7)))
            elif kind == "plain":
                made[one.name] = _inside(one, one.start * float(np.exp(rng.uniform(-1.2, 1.2))))
        if number == 0 and asked.size:
            made[asked.size] = asked.times * rg
        yield made


def _near(asked: Asked, rng: np.random.Generator, middle: dict[str, float]) -> dict[str, float]:
    return {
        one.name: middle[one.name]
        if _kind(one.name) in ("linear", "known")
        else _inside(one, middle[one.name] * float(np.exp(rng.normal(0.0, 0.12))))
        for one in asked.parameters
    }


def _inside(one: Parameter, value: float) -> float:
    return float(np.clip(value, one.lower, one.upper))


def _tried(asked: Asked, x: Floats, y: Floats, values: dict[str, float]) -> tuple[float, dict[str, float]]:
    """How far the logarithm is missed on the average, with all that stands in front of something solved for."""
    from scipy.optimize import nnls

    firsts = [group[0] for group in asked.alike]
    values = values | dict(zip(firsts, sorted(values[name] for name in firsts), strict=True))
    model = Averaged(asked.formula, asked.averages)
    linear = [name for name in model.names if _kind(name) == "linear"]
    columns = model.both([x], [1.0 if name in linear else values[name] for name in model.names])[1:]
    slopes = np.array([
        np.broadcast_to(one, x.shape) for name, one in zip(model.names, columns, strict=True) if name in linear
    ])  # fmt: skip
    if not np.isfinite(slopes).all():
        return np.inf, values
    with np.errstate(all="ignore"):
        design = (slopes / y).T
        lengths = np.sqrt((design**2).sum(axis=0))
    if not ((lengths > 0) & np.isfinite(lengths)).all():
        return np.inf, values
    solved = nnls(design / lengths, np.ones(y.size))[0] / lengths
    missed = np.log(np.maximum(solved @ slopes, 1e-300) / y)
    return float(np.abs(missed).mean()), values | dict(zip(linear, solved.tolist(), strict=True))
