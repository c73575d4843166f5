"""What every step of a field's sieve is: points go in, points pass, and what was taken away is caught."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fields.points import Points
from curvesieve.core.rules import Kind, Rule, Slot, parse_rule, registered

_MODULES = ("trimming", "spikes", "levelling", "smoothing", "units")


@dataclass(frozen=True, eq=False)
class FieldPassed:
    """What a step let through. `gone` are places, from 0, in the points that went in; `message` says it in words.

    `given_back` are places of points that the step would have taken, had the user not given them back.
    """

    points: Points
    message: str
    gone: NDArray[np.intp]
    given_back: NDArray[np.intp]

    @classmethod
    def of(cls, points: Points, message: str, gone: NDArray[np.intp] | None = None,
           given_back: NDArray[np.intp] | None = None) -> FieldPassed:  # fmt: skip
        """What passed, with nothing gone unless it is said; `gone` and `given_back` have shape (k,)."""
        none = np.empty(0, np.intp)
        return cls(points, message, none if gone is None else gone, none if given_back is None else given_back)


class FieldStep(Rule):
    """One repair or preparation of the points of a field."""

    kind: ClassVar[Kind] = Kind(
        "step",
        tuple(f"curvesieve.core.fields.steps.{module}" for module in _MODULES),
        ("trim", "repair", "level", "smooth", "units"),
    )

    @abstractmethod
    def apply(self, points: Points) -> FieldPassed:
        """Passes points on; raises InputError when it cannot work on them."""

    @classmethod
    def for_points(cls, points: Points) -> Self:
        """The step a user starts from on these points."""
        return cls()


FieldSlot = Slot[FieldStep]
"""A step in its place in a field's sieve."""


@dataclass(frozen=True, eq=False)
class FieldTrail:
    """One step's part in what happened to a field. `problem` says why it let everything pass."""

    slot: FieldSlot
    before: Points
    passed: FieldPassed
    problem: str = ""

    @property
    def after(self) -> Points:
        """What passed."""
        return self.passed.points

    @property
    def caught(self) -> tuple[Floats, Floats, Floats]:
        """What was taken away: x, y and the amount (z before less z after; z itself where the point is gone).

        All of shape (k,); points of which nothing was taken are not among them. Empty where units were changed.
        """
        stay = np.ones(len(self.before), dtype=bool)
        stay[self.passed.gone] = False
        amount = self.before.z.copy()
        if self.before.names != self.after.names or int(stay.sum()) != len(self.after):
            empty = np.empty(0)
            return empty, empty, empty
        amount[stay] -= self.after.z
        taken = ~stay | (np.abs(amount) > 0)
        return self.before.x[taken], self.before.y[taken], amount[taken]


def pass_points(points: Points, slots: Sequence[FieldSlot]) -> list[FieldTrail]:
    """The way of points through a sieve, a trail a step; what a step raises becomes its problem."""
    made: list[FieldTrail] = []
    for slot in slots:
        before = made[-1].after if made else points
        if not slot.on:
            made.append(FieldTrail(slot, before, FieldPassed.of(before, "switched off")))
            continue
        try:
            with np.errstate(all="ignore"):
                passed = slot.rule.apply(before)
            if not len(passed.points):
                raise InputError("no point would be left; it let everything pass instead.")
            made.append(FieldTrail(slot, before, passed))
        except InputError as error:
            said = str(error)
            problem = said[:1].upper() + said[1:]
            made.append(FieldTrail(slot, before, FieldPassed.of(before, "let everything pass"), problem))
    return made


def taken_out(points: Points, gone: NDArray[np.bool_], what: str) -> FieldPassed:
    """Points of which those of a mask of shape (n,) are left out; `what` says of which kind they were."""
    places = np.flatnonzero(gone)
    return FieldPassed.of(points.take(~gone), f"{counted(places.size, 'point')} {what}", places)


def in_unit(value: float, unit: str) -> str:
    """``1.234 µm``."""
    return f"{value:.4g} {unit}".strip()


def registered_field_steps() -> dict[str, type[FieldStep]]:
    """Every step of fields by its slug, by intent."""
    return registered(FieldStep)  # type: ignore[type-abstract]


def parse_field_step(data: Any) -> FieldStep:
    """The step that `to_json` wrote; unknown slugs and fields raise InputError, which names them."""
    return parse_rule(FieldStep, data)  # type: ignore[type-abstract]
