"""Several models of one curve side by side: statistics, AICc weights, and the F-test where one is nested in another."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.fits import Watch, fit_model, search_model
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.models import Model, term_of

_USUAL_PEAKS = ("gaussian", "lorentzian", "pseudo-voigt", "voigt")


@dataclass(frozen=True)
class Candidate:
    """A model with the name under which it is compared. `search`: its starts are to be found in the data."""

    label: str
    model: Model
    search: bool = False


@dataclass(frozen=True)
class Compared:
    """A candidate's fit (None with the reason when there is none), its AICc weight, and its F-test.

    `f` and `p` test it against the next simpler candidate nested in it, which `against` names.
    """

    candidate: Candidate
    model: Model
    result: FitResult | None
    problem: str = ""
    weight: float | None = None
    against: str = ""
    f: float | None = None
    p: float | None = None


def compare(
    candidates: Sequence[Candidate], curve: Curve, watch: Callable[[float], None] | None = None
) -> tuple[Compared, ...]:
    """Fits each candidate to the same points and sets them side by side, in the order given.

    Raises InputError for fewer than two; a candidate that cannot be fitted says so in its row.
    """
    if len(candidates) < 2:
        raise InputError("Choose at least two models to compare.")
    rows = []
    for i, candidate in enumerate(candidates):
        rows.append(_fitted(candidate, curve, None))
        if watch is not None:
            watch((i + 1) / len(candidates))
    return tuple(_tested(row, rows) for row in _weighted(rows))


def _fitted(candidate: Candidate, curve: Curve, watch: Watch | None) -> Compared:
    model = candidate.model
    try:
        if candidate.search:
            model = model.starting_at(search_model(model, curve))
        result = fit_model(model, curve, watch)
    except InputError as error:
        return Compared(candidate, model, None, str(error))
    return Compared(candidate, model.starting_at(result.values), result, "" if result.converged else result.message)


def _weighted(rows: Sequence[Compared]) -> list[Compared]:
    """Akaike weights exp(−Δ/2) over their sum (Burnham and Anderson 2002, from memory)."""
    scores = [row.result.statistics.aicc if row.result is not None else None for row in rows]
    best = min((score for score in scores if score is not None), default=0.0)
    raw = [None if score is None else math.exp(-(score - best) / 2) for score in scores]
    total = sum(value for value in raw if value is not None) or 1.0
    return [replace(row, weight=None if value is None else value / total) for row, value in zip(rows, raw, strict=True)]


def _tested(row: Compared, rows: Sequence[Compared]) -> Compared:
    """The F-test against the richest of the simpler candidates that are nested in this one."""
    from scipy.special import fdtrc

    if row.result is None:
        return row
    nested = [other for other in rows if other.result is not None and is_nested(other.model, row.model)]
    simpler = max(nested, key=lambda other: len(other.result.free) if other.result else 0, default=None)
    if simpler is None or simpler.result is None:
        return row
    one, other = simpler.result.statistics, row.result.statistics
    # A parameter that ended on its bound was free to do better: it counts.
    more, dof = len(row.result.free) - len(simpler.result.free), other.n - len(row.result.free)
    squared = simpler.result.loss == row.result.loss == "squared"
    if not squared or more < 1 or dof < 1 or other.least <= 0:
        return row
    f = max((one.least - other.least) / more / (other.least / dof), 0.0)
    return replace(row, against=simpler.candidate.label, f=f, p=float(fdtrc(more, dof, f)))


def is_nested(simple: Model, rich: Model) -> bool:
    """Whether a model is another one with some parameters fixed: fewer or simpler terms of the same peaks."""
    if len(simple.names) >= len(rich.names):
        return False
    kinds = [placed.slug for placed in rich.peaks]
    for placed in simple.peaks:
        fit = next((slug for slug in kinds if slug == placed.slug or placed.slug in _contained(rich, slug)), None)
        if fit is None:
            return False
        kinds.remove(fit)
    one, other = simple.background, rich.background
    if one is None or other is None:
        return one is None
    same = one.slug == other.slug and one.own == other.own
    return same or (one.slug != "own" and one.slug in other.term.contains)


def _contained(model: Model, slug: str) -> tuple[str, ...]:
    return next(placed.term.contains for placed in model.peaks if placed.slug == slug)


def usual_candidates(model: Model, curve: Curve) -> list[Candidate]:
    """What the model in hand is usefully compared with: other peaks, other backgrounds, more or fewer exponentials."""
    found = [Candidate("the model in hand", model)] if model.terms else []
    used = model.in_use(curve)
    bare = model.model_copy(update={"terms": (), "derived": ()})
    if model.peaks:
        others = [slug for slug in _USUAL_PEAKS if any(placed.slug != slug for placed in model.peaks)]
        return [*found, *(Candidate(_label(slug), _with_peaks(model, slug, used)) for slug in others)]
    ground = model.background
    contains = ground.term.contains if ground is not None else ()
    family = ["line", "polynomial-2", "polynomial-3"]
    if ground is not None and ("exponential" in (ground.slug, *contains) or ground.term.group.startswith("Relax")):
        family = ["exponential", "two-exponentials", "stretched-exponential", *family[1:]]
    others = [slug for slug in family if ground is None or ground.slug != slug]
    return [*found, *(candidate_of(slug, bare, used) for slug in others)]


def _label(slug: str) -> str:
    return term_of(slug).label


def _with_peaks(model: Model, slug: str, used: Curve) -> Model:
    made = model.model_copy(update={"terms": model.terms[len(model.peaks) :], "derived": ()})
    for placed in model.peaks:
        made = made.add_peak(slug, used, placed.parameters["center"].start)
    return made


def candidate_of(slug: str, model: Model, curve: Curve) -> Candidate:
    """A term of the library alone, on the points and with the weights of the model in hand."""
    bare = model.model_copy(update={"terms": (), "derived": ()})
    placed = bare.with_background(slug, curve)
    has_rule = placed.background is not None and placed.background.term.has_rule
    return Candidate(_label(slug), placed, search=not has_rule)


def drawn(row: Compared, x: Floats) -> Floats:
    """The fitted curve of a row at x. `x` has shape (n,), and so has the answer, in the unit of y."""
    return row.model.sum.evaluate(x, list(row.model.start.values()))
