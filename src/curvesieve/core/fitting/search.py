"""Starts from the data alone: linear parameters solved for, a spread of nonlinear values scaled by the data.

Variable projection: G. H. Golub and V. Pereyra, SIAM J. Numer. Anal. 10 (1973) 413 (from memory).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.models import FormulaSum

_DRAWS = 1024
_BATCH = 64
_SEED = 20
_MOST_POINTS = 400
KEPT = 16
"""How many of the best starts are worth a fit."""


def find_starts(model: FormulaSum, rows: Sequence[Floats], y: Floats, u: Floats | None) -> list[dict[str, float]]:
    """The most promising starts, the best first; empty when the formula has no value anywhere that was tried.

    Parameters in which the formula is linear are solved for at each draw of the others. Those are drawn from positions
    in x, from lengths and inverse lengths in x, and from plain numbers, over several powers of ten and of both signs;
    always the same draws.
    """
    names = model.names
    thin = np.linspace(0, y.size - 1, min(y.size, _MOST_POINTS)).astype(int)
    x = np.array([row[thin] for row in rows])
    values, weights = y[thin], np.ones(thin.size) if u is None else 1 / u[thin]
    rng = np.random.default_rng(_SEED)
    with np.errstate(all="ignore"):
        draws = _drawn(rng, len(names), x, values)
        linear = _linear(model, x, draws)
        scored: list[tuple[float, Floats]] = []
        for draw in draws:
            found = _projected(model, x, values, weights, draw, linear)
            if found is not None:
                scored.append(found)
    scored.sort(key=lambda pair: pair[0])
    return [dict(zip(names, start.tolist(), strict=True)) for _, start in scored[:KEPT]]


def _drawn(rng: np.random.Generator, count: int, x: Floats, y: Floats) -> Floats:
    """Values of shape (draws, parameters) from four kinds of quantities, some with the sign turned."""
    low, high = float(x.min()), float(x.max())
    span = (high - low) or 1.0
    shape = (_DRAWS, count)
    kinds = np.stack(
        [
            rng.uniform(low, high, shape),
            span * 10 ** rng.uniform(-2.5, 1.0, shape),
            10 ** rng.uniform(-1.0, 2.0, shape) / span,
            10 ** rng.uniform(-1.5, 1.5, shape),
            10 ** rng.uniform(-4.0, 0.0, shape) / max(abs(high), abs(low), 1e-300),
        ]
    )
    chosen = np.take_along_axis(kinds, rng.integers(0, len(kinds), (1, *shape)), axis=0)[0]
    turned = rng.random(shape) < 0.2
    return np.asarray(np.where(turned, -chosen, chosen))


def _linear(model: FormulaSum, x: Floats, draws: Floats) -> list[int]:
    """The places of parameters in which the formula is linear, all together; found by second differences."""
    linear: list[int] = []
    for place in range(len(model.names)):
        if _is_affine(model, x, draws[:6], [*linear, place]):
            linear.append(place)
    return linear


def _is_affine(model: FormulaSum, x: Floats, draws: Floats, places: list[int]) -> bool:
    judged = 0
    for i, draw in enumerate(draws):
        one, step = draw.copy(), np.zeros(draw.size)
        step[places] = np.random.default_rng(i).normal(size=len(places)) * (np.abs(draw[places]) + 0.1)
        a, b, c = (model.evaluate(x if len(x) > 1 else x[0], (one + k * step).tolist()) for k in (0, 1, 2))
        good = np.isfinite(a) & np.isfinite(b) & np.isfinite(c)
        if good.sum() < 3:
            continue
        judged += 1
        size = np.abs(a[good]).max() + np.abs(b[good]).max() + np.abs(c[good]).max()
        if np.abs(a[good] - 2 * b[good] + c[good]).max() > 1e-9 * size:
            return False
    return judged > 0


def _projected(
    model: FormulaSum, x: Floats, y: Floats, weights: Floats, draw: Floats, linear: list[int]
) -> tuple[float, Floats] | None:
    """The weighted sum of squares with the linear parameters solved for, and the whole start."""
    at = x if len(x) > 1 else x[0]
    start = draw.copy()
    start[linear] = 0.0
    ground = model.evaluate(at, start.tolist())
    columns = []
    for place in linear:
        start[place] = 1.0
        columns.append(model.evaluate(at, start.tolist()) - ground)
        start[place] = 0.0
    good = np.isfinite(ground)
    if not good.all():
        return None
    target = (y - ground) * weights
    if columns:
        design = np.column_stack(columns) * weights[:, None]
        if not np.isfinite(design).all():
            return None
        try:
            start[linear] = np.linalg.lstsq(design, target, rcond=1e-10)[0]
        except np.linalg.LinAlgError:
            return None
        target = target - design @ start[linear]
    rss = float(target @ target)
    return (rss, start) if np.isfinite(rss) and np.isfinite(start).all() else None
