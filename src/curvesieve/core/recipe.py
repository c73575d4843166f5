"""The recipe: the steps a curve passes, the model fitted to it, and what is read off, as one value to hand on."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.measures.base import MeasureSlot, Seen, parse_measure
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.taking import taken
from curvesieve.core.models import Model
from curvesieve.core.named_files import NamedFiles
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Basis, Reading
from curvesieve.core.readings import fit_readings
from curvesieve.core.rules import Slot
from curvesieve.core.steps import Others, Sieve, StepSlot
from curvesieve.core.steps.base import ALONE
from curvesieve.core.steps.sieve import Sieved

RECIPE_VERSION = 1
Part = Literal["sieve", "model", "measures"]
"""What of a recipe can be shared by a family, each by itself."""
PARTS: tuple[Part, ...] = get_args(Part)
SAID = {"sieve": "a sieve is", "model": "a model is", "measures": "measures are"}
"""The parts as subjects of a sentence."""
_KEYS = ("recipe", "name", "x_unit", "y_unit", "sieve", "model", "measures")


@dataclass(frozen=True, eq=False)
class Done:
    """What a recipe made of a curve: the trail through its sieve, the fit of its model where it has one, readings.

    `outcomes` tell, measure by measure, what was read, or why it could not be.
    """

    sieved: Sieved
    fit: FitResult | None
    readings: tuple[Reading, ...]
    outcomes: tuple[Outcome, ...] = ()

    @property
    def curve(self) -> Curve:
        """The curve as it passed."""
        return self.sieved.curve


class Recipe(BaseModel):
    """What is done to a curve. A recipe without steps, terms and measures does nothing.

    `x_unit` and `y_unit` are those of the curves that it was made for, before the sieve, in which the numbers of its
    steps and starts are; None: it was made for no curve in particular.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)

    sieve: tuple[StepSlot, ...] = ()
    model: Model = Model()
    measures: tuple[MeasureSlot, ...] = ()
    x_unit: str | None = None
    y_unit: str | None = None

    def __call__(self, curve: Curve, others: Others = ALONE, quantities: Sequence[Quantity] = ()) -> Done:
        """Passes the curve, fits it and reads it off; formulas of measures may name `quantities`.

        Raises InputError, in one sentence, where a step or the fit fails. A measure that cannot work says so in its
        outcome.
        """
        self.check(curve)
        sieved = Sieve(self.sieve)(curve, others)
        fit: FitResult | None = None
        readings: tuple[Reading, ...] = ()
        if self.model.terms:
            fit, readings, _ = fit_passed(self.model, sieved)
        must_work(sieved)
        seen = None if fit is None or not fit.converged else FitSeen(self.model, fit, sieved.curve)
        outcomes = tuple(taken(self.measures, Seen.of(sieved.curve, tuple(quantities), seen), len(sieved.recorded)))
        return Done(sieved, fit, (*readings, *(r for one in outcomes for r in one.readings)), outcomes)

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
        sieve = Sieve.parse(data["sieve"]) if data.get("sieve") is not None else Sieve()
        measures = _parsed_measures(data.get("measures") or [])
        found = {axis: data.get(axis) for axis in ("x_unit", "y_unit")}
        try:
            model = Model.model_validate(data.get("model") or {})
            return cls(sieve=sieve.slots, model=model, measures=measures, **found)
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
        if self.measures:
            made["measures"] = [_written_measure(slot) for slot in self.measures]
        return made

    @classmethod
    def load(cls, path: str | Path) -> Recipe:
        """The recipe of a JSON file."""
        return RECIPE_FILES.load(Path(path))


_MARKS = ("id", "name", "on", "units")


def _written_measure(slot: MeasureSlot) -> dict[str, Any]:
    marks = {"id": slot.id, "name": slot.name, "on": slot.on, "units": slot.units}
    usual: dict[str, Any] = {"name": "", "on": True, "units": {}}
    return {**slot.rule.to_json(), **{key: value for key, value in marks.items() if value != usual.get(key)}}


def _parsed_measures(data: Any) -> tuple[MeasureSlot, ...]:
    """The measures of a recipe's JSON: each its slug and fields, and where wanted id, name, on and units."""
    if not isinstance(data, list):
        raise InputError("The measures of the recipe must be a list.")
    made: list[MeasureSlot] = []
    for place, item in enumerate(data, 1):
        try:
            fields = {k: v for k, v in item.items() if k not in _MARKS} if isinstance(item, dict) else item
            rule = parse_measure(fields)
            marks = {k: v for k, v in item.items() if k in _MARKS}
            slot = MeasureSlot(**{"id": next_measure_id(made, rule.slug), **marks}, rule=rule)
        except InputError as error:
            raise InputError(f"Measure {place} of the recipe: {error}") from error
        except ValidationError as error:
            fault = error.errors()[0]
            where = " → ".join(str(part) for part in fault["loc"])
            raise InputError(f"Measure {place} of the recipe: {where}: {fault['msg']}.") from error
        if slot.id in {one.id for one in made}:
            raise InputError(f"Measure {place} of the recipe: its id {slot.id!r} is that of another.")
        made.append(slot)
    return tuple(made)


def next_measure_id(slots: Sequence[Slot[Any]], slug: str) -> str:
    """The id of one more measure of a kind: the same in every curve, so that its readings share a column."""
    taken_ids = {slot.id for slot in slots}
    numbers = (slug if k == 1 else f"{slug}-{k}" for k in range(1, len(taken_ids) + 2))
    return next(one for one in numbers if one not in taken_ids)


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

    return read_off(model, curve, recorded, fit_model(model, curve, watch))


def read_off(
    model: Model, curve: Curve, recorded: int, result: FitResult
) -> tuple[FitResult, tuple[Reading, ...], Basis]:
    """A fit of a curve that passed with what it used, and its readings where it converged."""
    used = curve.x[model.points_in_use(curve)]
    span = (float(np.min(used)), float(np.max(used))) if used.size else None
    basis = Basis(int(used.size), recorded, span)
    readings = fit_readings(model, result, curve.x_unit, curve.y_unit, basis) if result.converged else ()
    return result, readings, basis
