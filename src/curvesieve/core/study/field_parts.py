"""What a field of a study is, as values: where its points come from, what is done to them, how it is looked at."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.fields.contours import Levels
from curvesieve.core.fields.points import Names
from curvesieve.core.fields.reads.base import MeasureSlot
from curvesieve.core.fields.slices import SliceSet
from curvesieve.core.fields.steps.base import FieldSlot
from curvesieve.core.fields.surface import Filling


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class OfChannels(_Frozen):
    """Points of the channels of a record, by their positions from 0."""

    kind: Literal["channels"] = "channels"
    record: str
    x: int = Field(ge=0)
    y: int = Field(ge=0)
    z: int = Field(ge=0)
    u: int | None = Field(default=None, ge=0)

    @property
    def places(self) -> tuple[int, ...]:
        """The channels it names."""
        return (self.x, self.y, self.z) if self.u is None else (self.x, self.y, self.z, self.u)


class OfTable(_Frozen):
    """Points of a record in rows and columns: a column a channel.

    `with_y` takes the first channel for the places of the rows. Without steps, columns stand where their names say.
    """

    kind: Literal["table"] = "table"
    record: str
    with_y: bool = True
    x_step: float | None = Field(default=None, gt=0)
    y_step: float | None = Field(default=None, gt=0)
    names: Names = Names()


class OfFamily(_Frozen):
    """Points of a family's curves as they passed: x along them, y their condition, z their y."""

    kind: Literal["family"] = "family"
    family: str


class OfFormula(_Frozen):
    """A formula in x and y over a range of each."""

    kind: Literal["formula"] = "formula"
    formula: str
    x: tuple[float, float] = (0.0, 1.0)
    y: tuple[float, float] = (0.0, 1.0)
    columns: int = Field(default=51, ge=2, le=5000)
    rows: int = Field(default=51, ge=2, le=5000)
    names: Names = Names()


class OfDifference(_Frozen):
    """One field on its grid less another."""

    kind: Literal["difference"] = "difference"
    first: str
    second: str


FieldSource = Annotated[OfChannels | OfTable | OfFamily | OfFormula | OfDifference, Field(discriminator="kind")]
"""Where the points of a field come from."""


class FieldLook(_Frozen):
    """How a field is looked at: which picture, its bands, lines and points; the turn and height of the surface."""

    shows: Literal["map", "surface", "beyond", "misses", "u", "caught"] = "map"
    banded: bool = True
    lines: bool = True
    named: bool = True
    points: bool = True
    turn: float = -60.0
    tilt: float = Field(default=35.0, ge=-90, le=90)
    height: float = Field(default=0.5, gt=0, le=20)
    through: bool = False


class FieldEntry(_Frozen):
    """A field: its points, its sieve, how it is filled in (None: as suits the points), its slices and measures."""

    id: str
    name: str
    source: FieldSource
    sieve: tuple[FieldSlot, ...] = ()
    filling: Filling | None = None
    levels: Levels = Levels()
    slices: SliceSet = SliceSet()
    measures: tuple[MeasureSlot, ...] = ()
    look: FieldLook = FieldLook()
