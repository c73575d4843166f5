"""Normal equations in the shape of an arrow: a block a curve, and a border for what the curves share.

Each block is solved by itself and the border from what they leave (the Schur complement), so that the work grows in
proportion to the curves. `arrow_steps` walks by them, `triangles` has the covariances.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats

Watch = Callable[[Floats], None]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Arrow:
    """The normal equations at a place, of m curves with o parameters of their own and b in the border.

    `own` is (m, o, o), `across` (m, o, b), `border` (b, b); `own_down` (m, o) and `border_down` (b,) are the gradients;
    `squares` are the sums of squares of the curves, (m,).
    """

    own: Floats
    across: Floats
    border: Floats
    own_down: Floats
    border_down: Floats
    squares: Floats

    @property
    def cost(self) -> float:
        """The sum of squares of all curves."""
        return float(self.squares.sum())

    @property
    def lengths(self) -> tuple[Floats, Floats]:
        """Lengths of the columns: of each curve's own, and of the border's, of shapes (m, o) and (b,)."""
        return np.sqrt(np.einsum("moo->mo", self.own)), np.sqrt(np.diag(self.border))


@dataclass(frozen=True, eq=False)
class Stuck:
    """Which parameters do not move: they lie on a limit and would go beyond it, or are kept. Of shapes (m, o), (b,)."""

    own: Mask
    border: Mask


@dataclass(frozen=True, eq=False)
class Limits:
    """Ends of the curves' own parameters, each of shape (m, o), and of the border's, (b,)."""

    own_low: Floats
    own_high: Floats
    border_low: Floats
    border_high: Floats

    def inside(self, own: Floats, border: Floats) -> tuple[Floats, Floats]:
        """The nearest values that keep to the limits, of shapes (m, o) and (b,)."""
        return np.clip(own, self.own_low, self.own_high), np.clip(border, self.border_low, self.border_high)

    def stuck(self, own: Floats, border: Floats, arrow: Arrow, keep_border: bool = False) -> Stuck:
        """What lies on an end and would only go down beyond it; `own` has shape (m, o), `border` (b,)."""
        return Stuck(
            _pressed(own, self.own_low, self.own_high, arrow.own_down),
            np.ones(border.size, dtype=bool)
            if keep_border
            else _pressed(border, self.border_low, self.border_high, arrow.border_down),
        )


def _pressed(values: Floats, low: Floats, high: Floats, down: Floats) -> Mask:
    return np.asarray(((values <= low) & (down > 0)) | ((values >= high) & (down < 0)))


class ArrowProblem(Protocol):
    """What can be solved: its equations at a place, its limits, and all parameters for a watch."""

    @property
    def limits(self) -> Limits:
        """Where the parameters may lie."""

    def arrow(self, own: Floats, border: Floats) -> Arrow | None:
        """The equations at a place of shapes (m, o) and (b,); None where the model has no value there."""

    def factors(self, own: Floats, border: Floats) -> Floats | None:
        """Triangles of the curves' columns (own, border's, residual) there, of shape (m, o + b + 1, o + b + 1)."""

    def full(self, own: Floats, border: Floats) -> Floats:
        """All parameters of each curve, of shape (parameters, m)."""


@dataclass(frozen=True, eq=False)
class Place:
    """Values of the curves' own parameters, (m, o), and of the border, (b,), with the equations there.

    `stuck` are those that ended on a limit.
    """

    own: Floats
    border: Floats
    arrow: Arrow
    stuck: Stuck
    iterations: int = 0
    converged: bool = False


def without_effect(place: Place) -> tuple[Mask, Mask]:
    """Parameters whose columns are zero where the fit ended, of shapes (m, o) and (b,)."""
    long, wide = place.arrow.lengths
    return ~(long > 0) & ~place.stuck.own, ~(wide > 0) & ~place.stuck.border
