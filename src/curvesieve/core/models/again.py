"""Starts of a whole model read off a curve again."""

from __future__ import annotations

from curvesieve.core.curve import Curve
from curvesieve.core.models.model import Model


def read_again(seen: Model, passed: Curve) -> Model:
    """The model with the starts of all its terms read off a curve, peaks where they now stand.

    Raises InputError where no point is in use.
    """
    bare = seen.model_copy(update={"terms": ()})
    model = bare
    if seen.background is not None:
        model = model.with_background(seen.background.slug, passed, seen.background.own)
    for placed in seen.peaks:
        model = model.add_peak(placed.slug, passed, placed.parameters["center"].start, placed.own)
    values = {
        placed.full_name(name): state.start
        for placed, new in zip(seen.peaks, model.peaks, strict=True)
        for name, state in new.parameters.items()
    }
    if model.background is not None:
        values |= {name: state.start for name, state in model.background.parameters.items()}
    return seen.like(model, values)
