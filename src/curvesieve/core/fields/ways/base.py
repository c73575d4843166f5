"""What every way of filling in is: a frozen declaration of fields, and one method that looks at the points."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import Any, ClassVar, Self

from curvesieve.core.curve import Floats
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.points import Points
from curvesieve.core.rules import Kind, Rule, parse_rule, registered

Stop = Callable[[float], None]
"""Told the share that is done; may raise to stop."""
_MODULES = ("triangles", "radial", "distance", "kriging", "lattice", "formula")


def unwatched(_share: float) -> None:
    """Nobody waits."""


class Filler(ABC):
    """A way put to points. `told` says in a few words what it found in them, `u_told` what its u is."""

    told: str = ""
    u_told: str = ""
    doubt: str = ""
    """Why it is not to be trusted as it stands; empty: nothing is against it."""

    @abstractmethod
    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        """z and u at places of shape (k, 2) in units of the plane; both of shape (k,), u None where it gives none.

        NaN where the way reaches no value.
        """


class Way(Rule):
    """One way of filling in between points."""

    kind: ClassVar[Kind] = Kind(
        "way",
        tuple(f"curvesieve.core.fields.ways.{module}" for module in _MODULES),
        ("between points", "a law", "grids"),
    )
    finds: ClassVar[bool] = False
    """Whether it finds something in all points together, as a variogram; see `kept`."""
    law: ClassVar[bool] = False
    """Whether it also holds beyond the points."""

    @abstractmethod
    def put_to(self, plane: Plane) -> Filler:
        """The way, ready for these points. Raises InputError when it cannot work on them."""

    def kept(self, filler: Filler) -> Way:
        """The way with what it found in the points kept: for judging it at some of them without finding it anew."""
        return self

    def suits(self, points: Points) -> str:
        """Why it cannot be put to these points, in a few words; empty: it can."""
        return ""

    @classmethod
    def for_points(cls, points: Points) -> Self:
        """The way a user starts from on these points."""
        return cls()


def registered_ways() -> dict[str, type[Way]]:
    """Every way by its slug."""
    return registered(Way)  # type: ignore[type-abstract]


def parse_way(data: Any) -> Way:
    """The way that `to_json` wrote; unknown slugs and fields raise InputError, which names them."""
    return parse_rule(Way, data)  # type: ignore[type-abstract]
