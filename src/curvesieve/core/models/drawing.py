"""A model as lines to draw: its sum, its background, its peaks on the background, and what it leaves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.models.model import Model
from curvesieve.core.models.placed import PlacedTerm

_POINTS, _FEW_POINTS, _LEAST_POINTS, _DECADES = 1200, 400, 80, 20.0
_WORK = 1_000_000
"""Numbers that the lines of averages may cost, so that the window does not wait for them."""
_MOST_TRIES = 30


@dataclass(frozen=True, eq=False)
class ModelLines:
    """The model over the points in use: its sum, its background, and each peak on the background."""

    x: Floats
    total: Floats
    background: Floats | None
    peaks: tuple[tuple[int, Floats], ...]


def model_lines(model: Model, curve: Curve) -> ModelLines | None:
    """The lines of a model at its starts over the range in use; None when there is nothing to draw."""
    if not model.terms or not len(curve):
        return None
    low = max(float(curve.x.min()), -np.inf if model.low is None else model.low)
    high = min(float(curve.x.max()), np.inf if model.high is None else model.high)
    if not low < high:
        return None
    x = _places(model, low, high)
    for placed in model.peaks:  # a narrow peak must not fall between the points
        center, fwhm = placed.parameters["center"].start, width_of(placed)
        near = center + fwhm * np.linspace(-3, 3, 121)
        x = np.concatenate([x, near[(near > low) & (near < high)]])
    x = np.sort(x)
    summed = model.sum
    values = [np.zeros(x.size) for _ in model.terms]
    for piece in summed.pieces:
        values[piece.owner] = values[piece.owner] + summed.evaluate_piece(piece, x, list(model.start.values()))
    background = np.zeros(x.size)
    has_background = False
    for placed, value in zip(model.terms, values, strict=True):
        if not placed.number:
            background, has_background = background + value, True
    peaks = tuple(
        (placed.number, background + value) for placed, value in zip(model.terms, values, strict=True) if placed.number
    )
    return ModelLines(x, np.sum(values, axis=0), background if has_background else None, peaks)


def _places(model: Model, low: float, high: float) -> Floats:
    """Where lines are worked out: evenly, over decades evenly in the logarithm, too; few places where each costs."""
    cost = max((piece.averaged.cost for piece in model.sum.pieces if piece.averaged is not None), default=0)
    count = max(_LEAST_POINTS, min(_FEW_POINTS, _WORK // cost)) if cost else _POINTS
    if low > 0 and high / low > _DECADES:
        return np.union1d(np.geomspace(low, high, count // 2), np.linspace(low, high, count // 2))
    return np.linspace(low, high, count)


def width_of(placed: PlacedTerm) -> float:
    """The full width at half maximum of a placed peak at its start, always positive; 0 for other terms."""
    shape = placed.term.shape
    if shape is None:
        return 0.0
    values = {name: state.start for name, state in placed.parameters.items()}
    width = float(evaluate(parse(shape.fwhm, ()), {n: values[n] for n in parse(shape.fwhm, ()).parameters}))
    return abs(width) if np.isfinite(width) else 0.0


def height_of(placed: PlacedTerm) -> float:
    """The y of a placed peak at its center, above what it stands on."""
    alone = Model.model_construct(terms=(placed,))
    value = float(alone.sum.evaluate(np.array([placed.parameters["center"].start]), list(alone.start.values()))[0])
    return value if np.isfinite(value) else 0.0


def reshaped(placed: PlacedTerm, center: float, height: float, fwhm: float) -> PlacedTerm:
    """A peak moved to a center, with the height there and the full width; all its widths stretch alike."""
    shape = placed.term.shape
    assert shape is not None
    old_height = height_of(placed)
    moved = placed.with_starts({"center": center})
    for _ in range(_MOST_TRIES):  # at once, but where the full width is not in proportion to the parameters
        width = width_of(moved)
        if not width > 0 or abs(fwhm / width - 1) <= 1e-12:
            break
        moved = moved.with_starts({name: moved.parameters[name].start * fwhm / width for name, _ in shape.widths})
    reached = height_of(moved)
    size = moved.parameters[shape.size].start * height / reached if reached else height
    if shape.size == "height" and old_height == placed.parameters["height"].start:
        size = height  # where the height is the parameter itself, no rounding
    return moved.with_starts({shape.size: size})


def base_under(model: Model, number: int) -> float:
    """What the rest of the model adds up to under a peak's crown; the crown stands its height above that."""
    center = model.term_numbered(number).parameters["center"].start
    rest = model.without(number)
    return float(rest.sum.evaluate(np.array([center]), list(rest.start.values()))[0])


def residual(model: Model, curve: Curve, most: int = 20_000, over_u: bool = False) -> tuple[Floats, Floats]:
    """x and measured minus model at the points in use, at every so many of them when there are more than `most`.

    Both of shape (m,), in the units of the curve, or over the u of each point where it has one and `over_u` asks.
    """
    index = np.flatnonzero(model.points_in_use(curve))
    used = curve.take(index[:: max(1, index.size // most)])
    rest = used.y - model.sum.evaluate(used.x, list(model.start.values()))
    return used.x, rest / used.u if over_u and used.u is not None else rest
