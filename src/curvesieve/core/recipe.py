"""The recipe: the steps a curve passes and the model that is fitted to it, as one value that can be handed on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model
from curvesieve.core.reading import Basis, Reading
from curvesieve.core.readings import fit_readings
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.sieve import Sieved

Part = Literal["sieve", "model"]
"""What of a recipe can be shared by a family, each by itself."""
PARTS: tuple[Part, ...] = get_args(Part)


class Recipe(BaseModel):
    """What is done to a curve. A recipe without steps and terms does nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    sieve: tuple[StepSlot, ...] = ()
    model: Model = Model()


def fit_passed(
    model: Model, made: Sieved, watch: Callable[[Floats], None] | None = None
) -> tuple[FitResult, tuple[Reading, ...], Basis]:
    """Fits a model to what a sieve passed, and reads it off where the fit converged.

    Raises InputError when a step could not work (a fit of a curve that was not cleaned as asked would look right and
    be wrong), or when the model cannot be fitted.
    """
    from curvesieve.core.fitting import fit_model

    for trail in made.trail:
        if trail.problem:
            raise InputError(f"The step {trail.slot.rule.label} does not work: {trail.problem}")
    curve = made.curve
    result = fit_model(model, curve, watch)
    used = curve.x[model.points_in_use(curve)]
    span = (float(np.min(used)), float(np.max(used))) if used.size else None
    basis = Basis(int(used.size), len(made.recorded), span)
    readings = fit_readings(model, result, curve.x_unit, curve.y_unit, basis) if result.converged else ()
    return result, readings, basis
