"""Starts from the data alone: linear parameters solved for, a spread of nonlinear values scaled by the data.

Variable projection: G. H. Golub and V. Pereyra, SIAM J. Numer. Anal. 10 (1973) 413 (from memory). What a parameter is
(a place on the x axis, a length, a rate, a plain number) follows from its unit and from where it stands in the formula;
places and lengths are drawn at peaks seen in the data as well as anywhere.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.fitting.kinds import Kind, kinds_of
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.quick import normal_equations
from curvesieve.core.fitting.sights import Sight, sights

Ints = NDArray[np.int64]
_DRAWS = 3072
_BATCH = 256
_SEED = 20
_MOST_POINTS, _POINTS_A_SIGHT = 300, 16
_POLISHED, _POLISH_STEPS = 60, 30
KEPT = 12
"""How many of the best starts are worth a fit."""


def find_starts(problem: Problem, sought: Collection[str], watch: Callable[[], None] = lambda: None) -> list[Floats]:
    """The most promising full parameter vectors, the best first; empty when the formula has no value anywhere tried.

    Only the parameters `sought` are looked for: others, and held ones, stay at the problem's start while the draws are
    compared. Bounds are kept. Parameters in which the formula is linear are
    solved for at each draw of the others; the best draws are improved by a few steps on some of the points. The draws
    are always the same. `watch` is called now and then and may raise to stop.
    Each has shape (parameters,).
    """
    seen = sights(problem.rows[0], problem.y)
    thinned = _thinned(problem, seen)
    watch()
    with np.errstate(all="ignore"):
        draws = _drawn(thinned, sought, seen)
        linear = _linear(thinned, draws, sought)
        scores, starts = [], []
        for batch in np.split(draws, range(_BATCH, len(draws), _BATCH)):
            watch()
            score, whole = _projected(thinned, batch, linear)
            scores.append(score)
            starts.append(whole)
        score, whole = np.concatenate(scores), np.concatenate(starts)
        order = np.argsort(score, kind="stable")[: int(np.isfinite(score).sum())]
        improved = []
        for i in order[:_POLISHED]:
            watch()
            improved.append(_improved(thinned, whole[i], score[i]))
    improved.sort(key=lambda pair: pair[0])
    return [start for _, start in improved[:KEPT]]


def _thinned(problem: Problem, seen: Sequence[Sight]) -> Problem:
    """Some of the points: evenly, and more of them at the peaks that were seen, which would else fall between them."""
    thin = np.linspace(0, problem.y.size - 1, min(problem.y.size, _MOST_POINTS)).astype(int)
    if problem.y.size > _MOST_POINTS:
        x = problem.rows[0]
        for sight in seen:
            near = np.flatnonzero(np.abs(x - sight.place) <= 1.5 * sight.width)
            thin = np.union1d(thin, near[:: max(1, near.size // _POINTS_A_SIGHT)])
    return replace(
        problem,
        rows=tuple(row[thin] for row in problem.rows),
        y=problem.y[thin],
        u=None if problem.u is None else problem.u[thin],
    )


def _drawn(problem: Problem, sought: Collection[str], seen: Sequence[Sight]) -> Floats:
    """Values of shape (draws, parameters); those not sought at their start, all within bounds."""
    rng = np.random.default_rng(_SEED)
    names = problem.model.names
    kinds = kinds_of(problem.model)
    draws = np.empty((_DRAWS, len(names)))
    chosen = rng.integers(0, max(len(seen), 1), (_DRAWS, len(names)))
    for place, name in enumerate(names):
        row = problem.rows[kinds[name].row]
        draws[:, place] = _of_kind(rng, kinds[name], row, seen if kinds[name].row == 0 else [], chosen[:, place])
    held = np.array([name not in sought for name in names])
    held |= ~np.isin(np.arange(len(names)), problem.free)
    draws[:, held] = problem.start[held]
    draws[:, problem.free] = _folded(draws[:, problem.free], problem.lower, problem.upper)
    draws[0] = problem.start
    if problem.ties.tied:
        for draw in draws:
            problem.ties.fill(draw)
    return draws


def _of_kind(rng: np.random.Generator, kind: Kind, x: Floats, seen: Sequence[Sight], chosen: Ints) -> Floats:
    low, high = float(x.min()), float(x.max())
    span = (high - low) or abs(high) or 1.0
    size = len(chosen)
    power = np.where(rng.random(size) < 0.8, rng.uniform(-2.5, 1.0, size), rng.uniform(-4.0, 2.5, size))
    if kind.what == "place":
        inside = rng.uniform(low, high, size)
        outside = np.where(rng.random(size) < 0.5, low - span * 10**power, high + span * 10**power)
        values = np.where(rng.random(size) < 0.5 if kind.sign > 0 else rng.random(size) < 0.3, inside, outside)
        if seen:
            at = np.array([s.place for s in seen])[chosen] + rng.normal(0, 0.5, size) * _widths(seen, chosen)
            values = np.where(rng.random(size) < 0.6, at, values)
        return np.asarray(kind.sign * values)
    if kind.what == "length":
        values = span * 10**power
        if seen:
            near = _widths(seen, chosen) * 10 ** rng.uniform(-0.6, 0.4, size)
            values = np.where(rng.random(size) < 0.6, near, values)
    elif kind.what == "power":  # a power of x: rates (−1) and so on
        scale = np.where(rng.random(size) < 0.3, max(abs(high), abs(low)), span)
        values = (scale * 10**power) ** kind.power
    elif kind.what == "plain":
        values = 10 ** np.where(rng.random(size) < 0.7, rng.uniform(-0.7, 0.7, size), rng.uniform(-2.5, 2.0, size))
    else:
        return _anything(rng, low, high, span, size)
    return np.where(rng.random(size) < 0.2, -values, values)


def _anything(rng: np.random.Generator, low: float, high: float, span: float, size: int) -> Floats:
    """Where nothing is known of a parameter: places, lengths, inverse lengths and plain numbers, of both signs."""
    kinds = np.stack(
        [
            rng.uniform(low, high, size),
            span * 10 ** rng.uniform(-2.5, 1.0, size),
            10 ** rng.uniform(-1.0, 2.0, size) / span,
            10 ** rng.uniform(-1.5, 1.5, size),
            10 ** rng.uniform(-4.0, 0.0, size) / max(abs(high), abs(low), 1e-300),
        ]
    )
    values = np.take_along_axis(kinds, rng.integers(0, len(kinds), (1, size)), axis=0)[0]
    return np.asarray(np.where(rng.random(size) < 0.2, -values, values))


def _widths(seen: Sequence[Sight], chosen: Ints) -> Floats:
    return np.asarray(np.array([s.width for s in seen])[chosen])


def _folded(values: Floats, lower: Floats, upper: Floats) -> Floats:
    """Values outside bounds turned back inside: mirrored at a bound, then cut."""
    values = np.where(values < lower, 2 * lower - values, values)
    values = np.where(values > upper, 2 * upper - values, values)
    return np.asarray(np.clip(values, lower, upper))


def _linear(problem: Problem, draws: Floats, sought: Collection[str]) -> list[int]:
    """The places of sought parameters in which the formula is linear, all together; found by second differences."""
    linear: list[int] = []
    for place in problem.free.tolist():
        if problem.model.names[place] in sought and _is_affine(problem, draws[1:7], [*linear, place]):
            linear.append(place)
    return linear


def _is_affine(problem: Problem, draws: Floats, places: list[int]) -> bool:
    step = np.zeros(draws.shape)
    rng = np.random.default_rng(1)
    step[:, places] = rng.normal(size=(len(draws), len(places))) * (np.abs(draws[:, places]) + 0.1)
    a, b, c = (problem.model.evaluate_many(problem.rows, draws + k * step) for k in (0, 1, 2))
    good = np.isfinite(a) & np.isfinite(b) & np.isfinite(c)
    judged = good.sum(axis=1) >= 3
    parts = [np.where(good, part, 0.0) for part in (a, b, c)]
    size = sum(np.abs(part).max(axis=1) for part in parts)
    bend = np.abs(parts[0] - 2 * parts[1] + parts[2]).max(axis=1)
    return bool(judged.any() and (bend[judged] <= 1e-9 * np.asarray(size)[judged]).all())


def _projected(problem: Problem, draws: Floats, linear: list[int]) -> tuple[Floats, Floats]:
    """The sums of squares with the linear parameters solved for (inf where there is none), and whole starts."""
    weights = 1.0 if problem.u is None else 1 / problem.u
    starts = draws.copy()
    starts[:, linear] = 0.0
    ground = problem.model.evaluate_many(problem.rows, starts)
    target = (problem.y - ground) * weights
    if linear:
        columns = []
        for place in linear:
            starts[:, place] = 1.0
            columns.append((problem.model.evaluate_many(problem.rows, starts) - ground) * weights)
            starts[:, place] = 0.0
        solved, target = _least_squares(np.stack(columns, axis=1), target)
        at = np.searchsorted(problem.free, linear)
        kept = np.clip(solved, problem.lower[at], problem.upper[at])
        starts[:, linear] = kept
        if (kept != solved).any():
            target = (problem.y - problem.model.evaluate_many(problem.rows, starts)) * weights
    rss = np.einsum("bn,bn->b", target, target)
    good = np.isfinite(rss) & np.isfinite(starts).all(axis=1)
    return np.where(good, rss, np.inf), starts


def _least_squares(design: Floats, target: Floats) -> tuple[Floats, Floats]:
    """Many small linear fits at once: design (b, k, n) and target (b, n) to values (b, k) and what is left (b, n)."""
    bad = np.asarray(~np.isfinite(design).all(axis=(1, 2)) | ~np.isfinite(target).all(axis=1))
    design[bad], target = 0.0, np.where(bad[:, None], np.inf, target)
    lengths = np.sqrt(np.einsum("bkn,bkn->bk", design, design))
    scaled = design / np.where(lengths > 0, lengths, 1.0)[:, :, None]
    square = scaled @ scaled.transpose(0, 2, 1)
    square[:, range(square.shape[1]), range(square.shape[1])] += 1e-11
    side = np.einsum("bkn,bn->bk", scaled, np.where(bad[:, None], 0.0, target))
    values = np.linalg.solve(square, side[:, :, None])[:, :, 0]
    left = target - np.einsum("bkn,bk->bn", scaled, values)
    return values / np.where(lengths > 0, lengths, 1.0), left


def _improved(problem: Problem, start: Floats, score: float) -> tuple[float, Floats]:
    """A start after some steps of the solver on the thinned points, where they help; bounds are kept."""
    if problem.bounded:
        return score, start
    at = replace(problem, start=start)
    try:
        moved = normal_equations(at, start[problem.free], None, _POLISH_STEPS)
    except np.linalg.LinAlgError:
        moved = None
    if moved is None or not np.isfinite(moved.values).all():
        return score, start
    cost = float(moved.sums[-1, -1])
    return (cost, at.full(moved.values)) if cost < score else (score, start)
