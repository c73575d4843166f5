"""What every step is: a frozen declaration of fields, and one method."""

from __future__ import annotations

import importlib
from abc import abstractmethod
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted, nearest

MODULES = ("trim", "repair", "bridge", "level", "baseline", "smooth", "axis", "transform", "combine")
"""The modules that declare steps, in the order in which an intent lists them."""
INTENTS = ("trim", "repair", "level", "smooth", "re-axis", "transform", "combine")


@dataclass(frozen=True, eq=False)
class Caught:
    """What a step held back.

    `points` are positions in the curve that went into the step. `passed_y` is what stands in their place in
    what passed (NaN where the point is gone), so that the height of the catch can be drawn.
    """

    points: NDArray[np.intp] = field(default_factory=lambda: np.empty(0, np.intp))
    passed_y: NDArray[np.float64] = field(default_factory=lambda: np.empty(0))

    def __len__(self) -> int:
        return int(self.points.size)


@dataclass(frozen=True, eq=False)
class Passed:
    """What a step let through, what it caught, and a short sentence for the mesh between the cards.

    `drawn` is a line over the points that went in, such as the baseline that was taken off.
    """

    curve: Curve
    caught: Caught
    message: str
    drawn: NDArray[np.float64] | None = None


class Others(Protocol):
    """The other curves that a step may take from."""

    def curve(self, name: str) -> Curve:
        """The curve of an id, a label or a file; raises InputError when there is none."""

    def family(self) -> list[Curve]:
        """The other curves of the same family."""


class _NoOthers:
    """What a curve by itself has around it."""

    def curve(self, name: str) -> Curve:
        raise InputError(f"there is no curve {name!r} here to take from; a step that needs one works in a study.")

    def family(self) -> list[Curve]:
        return []


ALONE: Others = _NoOthers()


def StepField(  # a field factory reads as a type at its place of use, like pydantic's own
    default: Any,
    *,
    label: str,
    unit: str = "",
    help: str,
    when: str = "",
    carried: bool = False,
    donor: bool = False,
    **limits: Any,
) -> Any:
    """A step's field: label, unit (``x`` and ``y`` stand for the curve's own units), limits and help.

    `when` names the choices with which the field acts, as ``method: gaussian, median``; empty means always. A `carried`
    field is no setting: the step fills it with what it needs from elsewhere, so that this travels with it. A
    `donor` field names other curves.
    """
    extra: dict[str, Any] = {"unit": unit, "when": when, "carried": carried, "donor": donor}
    return Field(default, title=label, description=help, json_schema_extra=extra, **limits)


LeftOut = Literal["by itself", "stay", "shifted", "dropped"]
"""What a step does with points that are left out, which it must not compute from: it looks at them `by itself`, since
it works point by point or asks for their flags; they `stay` where they are beside the new values of the others; they
are `shifted` by what is done to their neighbours; they are `dropped`, since they have no value of the new kind."""


class Step(BaseModel):
    """One repair or preparation. Subclasses declare fields and `apply`; see `trim` and `repair`."""

    # Built when first used: most sessions use few of the steps, and the window should be there at once.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    slug: ClassVar[str]
    label: ClassVar[str]
    intent: ClassVar[str]
    summary: ClassVar[str]
    words: ClassVar[str] = ""
    """Other words under which the trade looks for it."""
    reference: ClassVar[str] = ""
    left_out: ClassVar[LeftOut] = "dropped"

    @abstractmethod
    def apply(self, curve: Curve) -> Passed:
        """Passes the curve on; never writes into its arrays. Raises InputError when it cannot work on it."""

    def effort(self, curve: Curve) -> float:
        """How much work the step is on this curve, in points of a simple filter; the window waits for little of it."""
        return float(len(curve))

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        """`apply`, for steps that take from other curves, too."""
        return self.apply(curve)

    def passing(self, curve: Curve, others: Others) -> Passed:
        """`apply_among` on the points that are used, with those that are left out treated as `left_out` declares."""
        out = (curve.flags & Flag.LEFT_OUT) != 0
        if self.left_out == "by itself" or not out.any():
            return self.apply_among(curve, others)
        if out.all():
            raise InputError("every point is left out; take some in again.")
        return _beside_left_out(curve, out, self.apply_among(curve.used, others), self.left_out)

    def takes(self) -> tuple[str, ...] | None:
        """The names of the other curves that the step takes from; None means all others of the family."""
        return ()

    def digest(self) -> str:
        """One short line for the closed card, such as ``window 11, threshold 5``."""
        return ", ".join(f"{info.title} {getattr(self, name)}" for name, info in self.settings().items())

    def to_json(self) -> dict[str, Any]:
        """The step as sieve files have it: its slug and its fields."""
        return {"step": self.slug, **self.model_dump(mode="json")}

    @classmethod
    def settings(cls) -> dict[str, FieldInfo]:
        """The fields that a user sets, by name."""
        return {n: i for n, i in cls.model_fields.items() if not (i.json_schema_extra or {}).get("carried")}  # type: ignore[union-attr]

    @classmethod
    def fitted_to(cls, curve: Curve) -> Step:
        """The step a user starts from on this curve; the defaults unless a step knows better."""
        return cls()


def _beside_left_out(curve: Curve, out: NDArray[np.bool_], passed: Passed, way: LeftOut) -> Passed:
    """What passed of the used points, put together with those that are left out."""
    used, gone = np.flatnonzero(~out), np.flatnonzero(out)
    drawn = None
    if passed.drawn is not None:
        drawn = np.full(len(curve), np.nan)
        drawn[used] = passed.drawn
    part, points, passed_y = passed.curve, used[passed.caught.points], passed.caught.passed_y
    if way == "dropped" or len(part) != used.size:
        order = np.argsort(np.concatenate([points, gone]), kind="stable")
        points = np.concatenate([points, gone])[order]
        passed_y = np.concatenate([passed_y, np.full(gone.size, np.nan)])[order]
        said = f"{passed.message}; {counted(gone.size, 'left-out point')} dropped"
        return Passed(part, Caught(points, passed_y), said, drawn)
    y, u, flags = curve.y.copy(), None if part.u is None else np.ones(len(curve)), curve.flags.copy()
    if way == "shifted":
        before = curve.used
        order = np.argsort(before.x, kind="stable")
        y[gone] += np.interp(curve.x[gone], before.x[order], (part.y - before.y)[order])
    y[used], flags[used] = part.y, part.flags
    if u is not None and part.u is not None:
        u[used] = part.u
        u[gone] = float(np.median(part.u)) if curve.u is None else curve.u[gone]
    whole = replace(part, x=curve.x, y=y, u=u, flags=flags)
    return Passed(whole, Caught(points, passed_y), passed.message, drawn)


def registered_steps() -> dict[str, type[Step]]:
    """Every step by its slug, grouped by intent in the order of `INTENTS`."""
    for module in MODULES:
        importlib.import_module(f"curvesieve.core.steps.{module}")
    return _loaded_steps()


def _loaded_steps() -> dict[str, type[Step]]:
    found = [cls for cls in _subclasses(Step) if hasattr(cls, "slug")]  # type: ignore[type-abstract]
    order = [f"curvesieve.core.steps.{module}" for module in MODULES]

    def place(cls: type[Step]) -> tuple[int, int]:
        return INTENTS.index(cls.intent), order.index(cls.__module__) if cls.__module__ in order else len(order)

    return {cls.slug: cls for cls in sorted(found, key=place)}


def _subclasses(cls: type[Step]) -> list[type[Step]]:
    return [found for child in cls.__subclasses__() for found in (child, *_subclasses(child))]


def parse_step(data: Any) -> Step:
    """The step that `to_json` wrote; unknown slugs and fields raise InputError, which names them."""
    if not isinstance(data, dict) or not isinstance(data.get("step"), str):
        raise InputError(f'A step must look like {{"step": "despike", …}}, but is {str(data)[:60]}.')
    slug = data["step"]
    steps = _loaded_steps()
    for module in MODULES if slug not in steps else ():  # one after the other: most sessions use few of them
        importlib.import_module(f"curvesieve.core.steps.{module}")
        steps = _loaded_steps()
        if slug in steps:
            break
    if slug not in steps:
        raise InputError(f"There is no step {slug!r}; known are {', '.join(steps)}{nearest(slug, list(steps))}")
    try:
        return steps[slug].model_validate({key: value for key, value in data.items() if key != "step"})
    except ValidationError as error:
        raise InputError(f"Step {slug}: {explain(error, steps[slug])}") from error


def explain(error: ValidationError, step: type[Step]) -> str:
    """The first fault of a validation in plain words: which field, what rule, what it got."""
    fault = error.errors()[0]
    name = str(fault["loc"][0]) if fault["loc"] else ""
    if fault["type"] == "extra_forbidden":
        fields = list(step.model_fields)
        return f"has no field {name!r}; it has {', '.join(fields)}{nearest(name, fields)}"
    message = str(fault["msg"]).removeprefix("Value error, ").replace("Input should be", "must be")
    return f"{name} {message}, but is {fault['input']!r}." if name else f"{message}."
