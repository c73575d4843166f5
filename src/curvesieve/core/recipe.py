"""The recipe: the steps a curve passes and the model that is fitted to it, as one value that can be handed on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model
from curvesieve.core.named_files import NamedFiles
from curvesieve.core.reading import Basis, Reading
from curvesieve.core.readings import fit_readings
from curvesieve.core.steps import Others, Sieve, StepSlot
from curvesieve.core.steps.base import ALONE
from curvesieve.core.steps.sieve import Sieved

RECIPE_VERSION = 1
Part = Literal["sieve", "model"]
"""What of a recipe can be shared by a family, each by itself."""
PARTS: tuple[Part, ...] = get_args(Part)
_KEYS = ("recipe", "name", "x_unit", "y_unit", "sieve", "model", "measures")


@dataclass(frozen=True, eq=False)
class Done:
    """What a recipe made of a curve: the trail through its sieve, the fit of its model where it has one, readings."""

    sieved: Sieved
    fit: FitResult | None
    readings: tuple[Reading, ...]

    @property
    def curve(self) -> Curve:
        """The curve as it passed."""
        return self.sieved.curve


class Recipe(BaseModel):
    """What is done to a curve. A recipe without steps and terms does nothing.

    `x_unit` and `y_unit` are those of the curves that it was made for, before the sieve, in which the numbers of its
    steps and starts are; None: it was made for no curve in particular.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    sieve: tuple[StepSlot, ...] = ()
    model: Model = Model()
    x_unit: str | None = None
    y_unit: str | None = None

    def __call__(self, curve: Curve, others: Others = ALONE) -> Done:
        """Passes the curve and fits it. Raises InputError, in one sentence, where that cannot be done."""
        self.check(curve)
        sieved = Sieve(self.sieve)(curve, others)
        if not self.model.terms:
            must_work(sieved)
            return Done(sieved, None, ())
        result, readings, _ = fit_passed(self.model, sieved)
        return Done(sieved, result, readings)

    def check(self, curve: Curve) -> None:
        """Raises InputError when the recipe is for curves in other units: its numbers would mean something else."""
        for axis, mine, its in (("x", self.x_unit, curve.x_unit), ("y", self.y_unit, curve.y_unit)):
            if mine is None or units.alike(mine, its):
                continue
            ours, theirs = (units.shown(unit) or "no unit" for unit in (mine, its))
            same = units.in_base(mine).powers == units.in_base(its).powers
            way = "convert it when it is brought in" if same else "it is another kind of curve"
            raise InputError(f"The recipe is for {axis} in {ours}, but here {axis} is in {theirs}; {way}.")

    def made_for(self, curve: Curve) -> Recipe:
        """The recipe with a word on the units that its numbers are in: those of this curve before its sieve."""
        return self.model_copy(update={"x_unit": curve.x_unit, "y_unit": curve.y_unit})

    @classmethod
    def parse(cls, data: Any) -> Recipe:
        """The recipe of a JSON value ``{"recipe": 1, "sieve": {…}, "model": {…}}``; raises InputError with the place.

        Everything but the version may be left out. Nothing in it is run: formulas are parsed by our own rules.
        """
        if not isinstance(data, dict) or "recipe" not in data:
            raise InputError('A recipe must look like {"recipe": 1, "sieve": {"steps": [...]}, "model": {...}}.')
        if data["recipe"] != RECIPE_VERSION:
            raise InputError(f"This recipe has version {data['recipe']!r}; version {RECIPE_VERSION} can be read.")
        stray = [str(key) for key in data if key not in _KEYS]
        if stray:
            raise InputError(f"A recipe has no {stray[0]!r}; it has {', '.join(_KEYS)}.")
        if data.get("measures"):
            raise InputError("This recipe takes readings by measures, which are not known here; update the program.")
        sieve = Sieve.parse(data["sieve"]) if data.get("sieve") is not None else Sieve()
        found = {axis: data.get(axis) for axis in ("x_unit", "y_unit")}
        try:
            return cls(sieve=sieve.slots, model=Model.model_validate(data.get("model") or {}), **found)
        except ValidationError as error:
            fault = error.errors()[0]
            where = " → ".join(str(part) for part in fault["loc"])
            said = str(fault["msg"]).removeprefix("Value error, ")
            raise InputError(f"The model of the recipe: {where + ': ' if where else ''}{said}.") from error

    def to_json(self) -> dict[str, Any]:
        """The recipe as files have it; see `parse`."""
        made: dict[str, Any] = {"recipe": RECIPE_VERSION}
        made |= {axis: unit for axis in ("x_unit", "y_unit") if (unit := getattr(self, axis)) is not None}
        made["sieve"] = Sieve(self.sieve).to_json()
        made["model"] = self.model.model_dump(mode="json", exclude_defaults=True)
        return made

    @classmethod
    def load(cls, path: str | Path) -> Recipe:
        """The recipe of a JSON file."""
        return RECIPE_FILES.load(Path(path))


RECIPE_FILES = NamedFiles("recipe", "recipes", ".recipe.json", Recipe.parse, Recipe.to_json)
"""Recipes that users keep and hand on."""


def must_work(made: Sieved) -> None:
    """Raises InputError when a step could not work: what passed would look right and be wrong."""
    for trail in made.trail:
        if trail.problem:
            raise InputError(f"The step {trail.slot.rule.label} does not work: {trail.problem}")


def fit_passed(
    model: Model, made: Sieved, watch: Callable[[Floats], None] | None = None
) -> tuple[FitResult, tuple[Reading, ...], Basis]:
    """Fits a model to what a sieve passed, and reads it off where the fit converged.

    Raises InputError when a step could not work, or when the model cannot be fitted.
    `watch` is given all parameters, of shape (parameters,).
    """
    must_work(made)
    return fit_read(model, made.curve, len(made.recorded), watch)


def fit_read(
    model: Model, curve: Curve, recorded: int, watch: Callable[[Floats], None] | None = None
) -> tuple[FitResult, tuple[Reading, ...], Basis]:
    """The same for a curve that passed, of which so many points were recorded.

    Shapes and errors are those of `fit_passed`.
    """
    from curvesieve.core.fitting import fit_model

    result = fit_model(model, curve, watch)
    used = curve.x[model.points_in_use(curve)]
    span = (float(np.min(used)), float(np.max(used))) if used.size else None
    basis = Basis(int(used.size), recorded, span)
    readings = fit_readings(model, result, curve.x_unit, curve.y_unit, basis) if result.converged else ()
    return result, readings, basis
