"""The sieve: an ordered stack of steps, and the trail a curve leaves in it."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.named_files import NamedFiles
from curvesieve.core.rules import Slot
from curvesieve.core.shapes import Shape
from curvesieve.core.steps.base import ALONE, Caught, Others, Passed, Step, parse_step

SIEVE_VERSION = 1


StepSlot = Slot[Step]
"""A step in its place in a sieve."""


@dataclass(frozen=True, eq=False)
class Trail:
    """One step's part in what happened to a curve. `problem` says why the step let its input pass unchanged."""

    slot: StepSlot
    before: Curve
    after: Curve
    caught: Caught
    message: str
    problem: str = ""
    shapes: tuple[Shape, ...] = ()


@dataclass(frozen=True, eq=False)
class Sieved:
    """What a curve became, step by step."""

    recorded: Curve
    trail: tuple[Trail, ...]

    @property
    def curve(self) -> Curve:
        """What passed the whole sieve; its x, y, u and flags can also be asked for directly."""
        return self.trail[-1].after if self.trail else self.recorded

    @property
    def x(self) -> Floats:
        """x of what passed, of shape (n,)."""
        return self.curve.x

    @property
    def y(self) -> Floats:
        """y of what passed, of shape (n,)."""
        return self.curve.y

    @property
    def u(self) -> Floats | None:
        """u of what passed, of shape (n,); None where it is not known."""
        return self.curve.u

    @property
    def flags(self) -> NDArray[np.uint8]:
        """The flags of what passed, of shape (n,); see `Flag`."""
        return self.curve.flags


@dataclass(frozen=True)
class Sieve:
    """Steps in order. Calling it with a curve gives `Sieved`; a step that fails passes its input on, marked."""

    slots: tuple[StepSlot, ...] = ()

    def __call__(self, curve: Curve, others: Others = ALONE) -> Sieved:
        trail: list[Trail] = []
        current = curve
        for slot in self.slots:
            trail.append(through(slot, current, others))
            current = trail[-1].after
        return Sieved(curve, tuple(trail))

    def key(self) -> str:
        """A text that is the same for sieves that do the same: what is switched off does nothing."""
        return json.dumps([slot.rule.to_json() for slot in self.slots if slot.on], sort_keys=True)

    def written(self) -> str:
        """The steps that act, in order, each with its fields: ``despike window 11, threshold 5.0; smooth …``."""
        said = []
        for slot in self.slots:
            if slot.on:
                given = slot.rule.to_json().items()
                fields = [f"{name} {value}" for name, value in given if name != "step" and value is not None]
                said.append(f"{slot.rule.slug} {', '.join(fields)}".strip())
        return "; ".join(said) or "as recorded"

    @classmethod
    def parse(cls, data: Any) -> Sieve:
        """The sieve of a JSON value ``{"sieve": 1, "steps": [...]}``; raises InputError with the place."""
        if not isinstance(data, dict) or not isinstance(data.get("steps"), list):
            raise InputError('A sieve must look like {"sieve": 1, "steps": [...]}.')
        if data.get("sieve", SIEVE_VERSION) != SIEVE_VERSION:
            raise InputError(f"This sieve has version {data['sieve']!r}; version {SIEVE_VERSION} can be read.")
        slots = []
        for i, item in enumerate(data["steps"]):
            on, name = (item.get("on", True), str(item.get("name", ""))) if isinstance(item, dict) else (True, "")
            fields = {k: v for k, v in item.items() if k not in ("on", "name")} if isinstance(item, dict) else item
            try:
                slots.append(StepSlot(id=f"s{i + 1}", rule=parse_step(fields), on=bool(on), name=name[:200]))
            except InputError as error:
                raise InputError(f"Step {i + 1} of the sieve: {error}") from error
        return cls(tuple(slots))

    def to_json(self) -> dict[str, Any]:
        """The sieve as files have it; see `parse`."""
        steps = []
        for slot in self.slots:
            marks: dict[str, Any] = {} if slot.on else {"on": False}
            steps.append({**slot.rule.to_json(), **marks, **({"name": slot.name} if slot.name else {})})
        return {"sieve": SIEVE_VERSION, "steps": steps}

    @classmethod
    def load(cls, path: str | Path) -> Sieve:
        """The sieve of a JSON file."""
        return SIEVE_FILES.load(Path(path))


SIEVE_FILES = NamedFiles("sieve", "sieves", ".sieve.json", Sieve.parse, Sieve.to_json)
"""Sieves that users keep and hand on."""


def through(slot: StepSlot, curve: Curve, others: Others = ALONE) -> Trail:
    """One step's part; see `Trail`. Nothing is raised: what the step raises becomes the problem of the trail."""
    if not slot.on:
        return Trail(slot, curve, curve, Caught(), "switched off")
    try:
        if not len(curve):
            raise InputError("no point is left to work on; look at the steps before this one.")
        with np.errstate(all="ignore"):  # a number that grows beyond all bounds is refused by the curve it would make
            passed: Passed = slot.rule.passing(curve, others)
        if not len(passed.curve):
            raise InputError("no point would be left; it let everything pass instead.")
    except InputError as error:
        problem = str(error)
        return Trail(slot, curve, curve, Caught(), "let everything pass", problem[0].upper() + problem[1:])
    return Trail(slot, curve, passed.curve, passed.caught, passed.message, shapes=passed.shapes)
