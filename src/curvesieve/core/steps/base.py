"""What every step is: a frozen declaration of fields, and one method."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.rules import Kind, Rule, parse_rule, registered
from curvesieve.core.shapes import Shape

_MODULES = (
    "trim",
    "repair",
    "bridge",
    "level",
    "toe",
    "machine",
    "baseline",
    "smooth",
    "axis",
    "transform",
    "spectra",
    "true_stress",
    "combine",
    "ranges",
    "scattering",
    "inverted",
)
MODULES = tuple(f"curvesieve.core.steps.{module}" for module in _MODULES)
"""The modules that declare steps, in the order in which an intent lists them."""
GROUPS = ("trim", "repair", "level", "smooth", "re-axis", "transform", "combine")
"""The intents."""


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

    `shapes` are what is drawn over the points that went in, such as the baseline that was taken off.
    """

    curve: Curve
    caught: Caught
    message: str
    shapes: tuple[Shape, ...] = ()


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


LeftOut = Literal["by itself", "stay", "shifted", "dropped"]
"""What a step does with points that are left out, which it must not compute from: it looks at them `by itself`, since
it works point by point or asks for their flags; they `stay` where they are beside the new values of the others; they
are `shifted` by what is done to their neighbours; they are `dropped`, since they have no value of the new kind."""


class Step(Rule):
    """One repair or preparation. Subclasses declare fields and `apply`; see `trim` and `repair`."""

    kind: ClassVar[Kind] = Kind("step", MODULES, GROUPS)
    left_out: ClassVar[LeftOut] = "dropped"

    @abstractmethod
    def apply(self, curve: Curve) -> Passed:
        """Passes the curve on; never writes into its arrays. Raises InputError when it cannot work on it."""

    def apply_among(self, curve: Curve, others: Others) -> Passed:
        """`apply`, for steps that take from other curves, too."""
        return self.apply(curve)

    def passing(self, curve: Curve, others: Others) -> Passed:
        """`apply_among` on the points that are used, with those that are left out treated as `left_out` declares.

        Raises InputError when it cannot work.
        """
        out = (curve.flags & Flag.LEFT_OUT) != 0
        if self.left_out == "by itself" or not out.any():
            return self.apply_among(curve, others)
        if out.all():
            raise InputError("every point is left out; take some in again.")
        return _beside_left_out(curve, out, self.apply_among(curve.used, others), self.left_out)

    def takes(self) -> tuple[str, ...] | None:
        """The names of the other curves that the step takes from; None means all others of the family."""
        return ()


def _beside_left_out(curve: Curve, out: NDArray[np.bool_], passed: Passed, way: LeftOut) -> Passed:
    """What passed of the used points, put together with those that are left out."""
    used, gone = np.flatnonzero(~out), np.flatnonzero(out)
    part, points, passed_y = passed.curve, used[passed.caught.points], passed.caught.passed_y
    if way == "dropped" or len(part) != used.size:
        order = np.argsort(np.concatenate([points, gone]), kind="stable")
        points = np.concatenate([points, gone])[order]
        passed_y = np.concatenate([passed_y, np.full(gone.size, np.nan)])[order]
        said = f"{passed.message}; {counted(gone.size, 'left-out point')} dropped"
        return Passed(part, Caught(points, passed_y), said, passed.shapes)
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
    return Passed(whole, Caught(points, passed_y), passed.message, passed.shapes)


def registered_steps() -> dict[str, type[Step]]:
    """Every step by its slug, grouped by intent."""
    return registered(Step)  # type: ignore[type-abstract]


def parse_step(data: Any) -> Step:
    """The step that `to_json` wrote; unknown slugs and fields raise InputError, which names them."""
    return parse_rule(Step, data)  # type: ignore[type-abstract]
