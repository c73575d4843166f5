"""Models of many peaks: made of what was found, and brought near to the data before all is let go."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult, Problem
from curvesieve.core.models import Model, ParameterState, PlacedTerm, term_of
from curvesieve.core.models.drawing import reshaped, width_of
from curvesieve.core.peaks.finding import FoundPeak

PROFILE, BACKGROUND = "pseudo-voigt", "polynomial-2"
_APART = 4.0
"""Peaks further apart than so many of their widths are fitted by themselves at first."""
_PATIENCE = 120
"""Iterates after which a fit that is only a trial is given up."""
_REACH = 3.0
"""The points of a region lie within so many widths of its peaks."""
Watch = Callable[[Floats], None]


def placed_peak(slug: str, number: int, center: float, height: float, fwhm: float) -> PlacedTerm:
    """A peak of the library at a place, with the height there and the full width. Raises InputError for other terms."""
    term = term_of(slug)
    if term.shape is None:
        raise InputError(f"{term.label} is no peak; see `curvesieve terms`.")
    states = {p.name: ParameterState(start=p.start) for p in term.parameters}
    made = PlacedTerm(slug=slug, number=number, parameters=states)
    first = {"center": center, term.shape.size: 1.0} | {
        name: share * fwhm for name, share in term.shape.widths if share
    }
    return reshaped(made.with_starts(first), center, height, fwhm)


def with_found(model: Model, curve: Curve, found: Sequence[FoundPeak], profile: str = PROFILE) -> Model:
    """The model with what was found as peaks more, in the order of x; heights and ground are solved for.

    Raises InputError where the model cannot have such peaks.
    """
    number = max((placed.number for placed in model.terms), default=0)
    more = [placed_peak(profile, number + k, one.center, one.height, one.fwhm) for k, one in enumerate(found, start=1)]
    return begun(model.with_peaks((*model.peaks, *more)), curve)


def begun(model: Model, curve: Curve) -> Model:
    """The model with the sizes of its peaks and its background solved for, with places, widths and shapes as they are.

    A peak that would turn over keeps its size. Where it cannot be solved, the model comes back as it is.
    """
    try:
        return _solved(model, curve)[0]
    except InputError:
        return model


_SOLVED = re.compile(r"offset|slope|amplitude|step|c\d+")
"""Parameters of backgrounds that these are linear in, whatever the peaks are."""


def _solved(model: Model, curve: Curve) -> tuple[Model, float]:
    """The model with all that it is linear in solved for, and AICc of that. Raises InputError where it cannot be."""
    from curvesieve.core.fitting.fits import stated

    problem, _ = stated(model, curve)
    linear = {p.full_name(p.term.shape.size) for p in model.peaks if p.term.shape is not None}
    if model.background is not None:
        linear |= {name for name in model.background.parameters if _SOLVED.fullmatch(name)}
    places = [int(place) for place in problem.free if problem.model.names[place] in linear]
    if not places:
        raise InputError("Nothing is left to be solved for.")
    weight = 1.0 if problem.u is None else 1 / problem.u
    with np.errstate(all="ignore"):
        ground, design = _columns(problem, places)
        design, left = design * np.reshape(weight, (-1, 1)), (problem.y - ground) * weight
    if not (np.isfinite(design).all() and np.isfinite(left).all()):
        raise InputError("The model has no value at its start.")
    lengths = np.sqrt(np.einsum("nk,nk->k", design, design))
    design /= np.where(lengths > 0, lengths, 1.0)
    scaled = np.linalg.lstsq(design, left, rcond=1e-12)[0]
    values = problem.start.copy()
    values[places] += scaled / np.where(lengths > 0, lengths, 1.0)
    found = dict(zip(problem.model.names, problem.ties.fill(values).tolist(), strict=True))
    kept = {name for p in model.peaks for name in _turned(p, found)}
    made = model.starting_at({name: value for name, value in found.items() if name not in kept})
    rest = left - design @ scaled
    return made, _aicc(float(rest @ rest), left.size, len(places))


def _columns(problem: Problem, places: Sequence[int]) -> tuple[Floats, Floats]:
    """The model at its start, of shape (n,), and what each of some parameters that it is linear in adds, (n, places).

    By plain evaluation: a background that is only tried is not worth its algebra.
    """
    x, start = problem.rows[0], problem.start
    pieces = problem.model.pieces
    values = [problem.model.evaluate_piece(piece, x, start.tolist()) for piece in pieces]
    columns = np.zeros((x.size, len(places)))
    for k, place in enumerate(places):
        moved = start.copy()
        by = abs(float(start[place])) or 1.0
        moved[place] += by
        moved = problem.ties.fill(moved) if problem.ties.tied else moved
        changed = set(np.flatnonzero(moved != start).tolist())
        for piece, value in zip(pieces, values, strict=True):
            if changed & set(piece.places):
                columns[:, k] += (problem.model.evaluate_piece(piece, x, moved.tolist()) - value) / by
    return np.sum(values, axis=0), columns


def _turned(placed: PlacedTerm, found: dict[str, float]) -> list[str]:
    """The size of a peak, where what was found for it has the other sign."""
    shape = placed.term.shape
    assert shape is not None
    name = placed.full_name(shape.size)
    return [] if found[name] * placed.parameters[shape.size].start > 0 else [name]


def _aicc(rss: float, n: int, parameters: int) -> float:
    """AICc of a least-squares fit with the noise as a parameter more (Burnham and Anderson 2002; from memory)."""
    k = parameters + 1
    return np.inf if n <= k + 1 else n * math.log(max(rss, 1e-300) / n) + 2 * k * n / (n - k - 1)


def patient(stop: Watch | None, most: int = _PATIENCE) -> Watch:
    """A watch that gives a fit up after so many iterates: what leads nowhere is tried often, and should cost little.

    It raises InputError then; `stop` sees each iterate before.
    """
    left = most

    def watch(values: Floats) -> None:
        nonlocal left
        if stop is not None:
            stop(values)
        left -= 1
        if left < 0:
            raise InputError(f"The fit was given up after {most} steps.")

    return watch


def _holding(model: Model, names: set[str]) -> Model:
    """The model with some parameters held, by their full names, and the rest as they were."""
    terms = tuple(
        placed.model_copy(
            update={
                "parameters": {
                    name: state.model_copy(update={"hold": state.hold or placed.full_name(name) in names})
                    for name, state in placed.parameters.items()
                }
            }
        )
        for placed in model.terms
    )
    return model.model_copy(update={"terms": terms})


def regions(model: Model) -> list[tuple[int, ...]]:
    """The numbers of the peaks that stand together, group by group in the order of x."""
    order = sorted(model.peaks, key=lambda placed: placed.parameters["center"].start)
    groups: list[list[PlacedTerm]] = []
    end = -np.inf
    for placed in order:
        center, reach = placed.parameters["center"].start, _APART / 2 * width_of(placed)
        if not groups or center - reach > end:
            groups.append([])
        groups[-1].append(placed)
        end = max(end, center + reach)
    return [tuple(placed.number for placed in group) for group in groups]


def fitted_region(model: Model, curve: Curve, numbers: Sequence[int], watch: Watch | None = None) -> Model:
    """The model with some of its peaks fitted to the points around them, all the rest held.

    Raises InputError as a fit does.
    """
    from curvesieve.core.fitting import fit_model

    chosen = [placed for placed in model.peaks if placed.number in numbers or placed.second_of in numbers]
    if not chosen:
        raise InputError("No peak is chosen that could be fitted by itself.")
    ends = [(p.parameters["center"].start, _REACH * width_of(p)) for p in chosen]
    low, high = min(c - r for c, r in ends), max(c + r for c, r in ends)
    low = low if model.low is None else max(low, model.low)
    high = high if model.high is None else min(high, model.high)
    names = {p.full_name(name) for p in chosen for name in p.parameters}
    part = _holding(model.model_copy(update={"low": low, "high": high}), set(model.names) - names - set(model.ties))
    result = fit_model(part, curve, watch)
    if not result.converged:
        return model
    return model.starting_at(result.values)


def fitted_by_regions(model: Model, curve: Curve, watch: Watch | None = None) -> Model:
    """The model after each region was fitted by itself, where it could be: a start for all at once."""
    for numbers in regions(model):
        try:
            moved = fitted_region(model, curve, numbers, patient(watch))
        except InputError:
            continue
        if all(stayed(model.term_numbered(n), moved.term_numbered(n)) for n in numbers):
            model = moved
    return begun(model, curve)


def _shapes_held(model: Model, curve: Curve, watch: Watch | None) -> tuple[Model, bool]:
    """The model after a fit of all but its shapes, which wander while the rest is far off; whether it did any good."""
    from curvesieve.core.fitting import fit_model

    shapes = {p.full_name(name) for p in model.peaks for name in shapes_of(p)}
    if not shapes - set(model.ties) - set(model.held):
        return model, False
    try:
        result = fit_model(_holding(model, shapes - set(model.ties)), curve, patient(watch))
    except InputError:
        return model, False
    moved = model.starting_at(result.values)
    stay = all(stayed(model.term_numbered(p.number), p) for p in moved.peaks)
    return (moved, True) if result.converged and stay else (model, False)


def shapes_of(placed: PlacedTerm) -> list[str]:
    """The parameters of a peak that are neither its place, nor its size, nor a width; of two widths, one."""
    shape = placed.term.shape
    if shape is None:
        return []
    widths = [name for name, _ in shape.widths]
    found = [name for name in placed.parameters if name not in ("center", shape.size, *widths)]
    return found + (widths[1:] if placed.slug == "voigt" else [])


def stayed(before: PlacedTerm, after: PlacedTerm) -> bool:
    """Whether a peak is still where it was found, as wide as it can be: one that left is no start."""
    width = width_of(before)
    moved = abs(after.parameters["center"].start - before.parameters["center"].start)
    return moved <= width and width / 8 <= width_of(after) <= 8 * width


def fitted_peaks(model: Model, curve: Curve, watch: Watch | None = None) -> tuple[Model, FitResult]:
    """All at once, with the shapes let go last; where that does not converge, region by region first.

    The model that was fitted, with its starts, and the result. Raises InputError as a fit does.
    """
    from curvesieve.core.fitting import fit_model

    model, near = _shapes_held(model, curve, watch)
    result: FitResult | None = None
    try:
        result = fit_model(model, curve, watch)
    except InputError:
        if near:
            raise
    if result is not None and (result.converged or near):
        return model, result
    model = fitted_by_regions(model, curve, watch)
    return model, fit_model(model, curve, watch)


GROUNDS = (
    "constant", "line", "polynomial-2", "polynomial-3", "polynomial-4", "spline-4", "spline-5", "spline-6", "spline-8",
    "spline-10", "spline-12",
)  # fmt: skip
STIFF = GROUNDS[:8]
"""The backgrounds that are tried where none is asked for, from stiff to supple: all are solved for in one step. Before
any fit the stiffer ones are enough."""


def with_best_ground(model: Model, curve: Curve, grounds: Sequence[str] = GROUNDS) -> Model:
    """The model with that of some backgrounds that explains the data best by AICc, its peaks held as they stand."""
    tried = []
    for slug in grounds:
        try:
            tried.append(_solved(model.with_background(slug, curve), curve))
        except InputError:
            continue
    return min(tried, key=lambda one: one[1])[0] if tried else model
