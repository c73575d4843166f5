"""What a trace consists of, as values: axes with their marks, series in pixels, where the picture is from."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from curvesieve.core.tracing.axes import Mark, Scale

Kind = Literal["points", "line", "marks", "bars"]
Spread = Literal["", "standard error", "standard deviation", "95 % interval", "range"]
"""What the whiskers of bars are, as the caption of the chart says."""
Place = tuple[float, float]
"""A pixel from the top left corner of the picture, centres at halves."""


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True, allow_inf_nan=False)


class MarkSpec(_Frozen):
    """A known place of an axis; not `typed` where its value follows from others, as those of even ticks do."""

    px: float
    py: float
    value: float
    typed: bool = True

    def mark(self) -> Mark:
        """The same for calibration."""
        return Mark(self.px, self.py, self.value, self.typed)


class AxisSpec(_Frozen):
    """An axis as it is calibrated: its scale, what it shows, and its marks.

    Marks of an axis of dates are in seconds since 1970; its numbers count from `first`, so that no digits are lost.
    """

    scale: Scale = "linear"
    label: str = ""
    unit: str = ""
    marks: tuple[MarkSpec, ...] = ()

    @property
    def first(self) -> float:
        """The value that numbers of this axis count from: the earliest date that was typed, else 0."""
        typed = [mark.value for mark in self.marks if mark.typed]
        return min(typed) if self.scale == "dates" and typed else 0.0

    @property
    def unit_of_numbers(self) -> str:
        """The unit of the axis's numbers: seconds where it has dates."""
        return "s" if self.scale == "dates" else self.unit

    def counted(self) -> tuple[Mark, ...]:
        """The marks for calibration, their values counted from `first`."""
        return tuple(Mark(mark.px, mark.py, mark.value - self.first, mark.typed) for mark in self.marks)


class BarSpec(_Frozen):
    """A bar in pixels: the middle of its base and of its top, the ends of its whisker, what the chart calls it."""

    name: str = ""
    base: Place
    top: Place
    lower: Place | None = None
    upper: Place | None = None


class SeriesSpec(_Frozen):
    """One series: places of points, of a line or of marks, or bars. `by_hand` numbers places that did not snap.

    `width` is that of the line, in pixels; `order` whether points go by x or as they were placed; `spread` and `count`
    say what the whiskers of bars are, and of how many values.
    """

    id: str
    name: str = ""
    kind: Kind = "points"
    condition: float | None = None
    colour: str = Field(default="", pattern=r"^(#[0-9a-f]{6})?$")
    places: tuple[Place, ...] = ()
    by_hand: tuple[int, ...] = ()
    width: float = 0.0
    order: Literal["x", "as placed"] = "x"
    bars: tuple[BarSpec, ...] = ()
    spread: Spread = ""
    count: int | None = Field(default=None, ge=2)

    @model_validator(mode="after")
    def _whole(self) -> SeriesSpec:
        if any(not 0 <= number < len(self.places) for number in self.by_hand):
            raise ValueError(f"series {self.name!r} has no place of each number in by_hand")
        if (self.kind == "bars") != bool(self.bars) and (self.bars or (self.kind == "bars" and self.places)):
            raise ValueError(f"series {self.name!r} is of {self.kind}; bars and places do not go together")
        return self


class Prepared(_Frozen):
    """What is done to a picture before it is traced, in this order.

    `corners` of what is to be a rectangle, from the top left clockwise, in pixels of the picture as it was opened;
    `turn` in degrees clockwise; `crop` is left, top, right, bottom in pixels after both.
    """

    corners: tuple[Place, Place, Place, Place] | None = None
    turn: float = Field(default=0.0, ge=-180, le=180)
    crop: tuple[float, float, float, float] | None = None


class TraceSpec(_Frozen):
    """Axes and series of one chart; `origin` is where the picture is from, in words: report, figure, page, DOI."""

    x: AxisSpec = AxisSpec()
    y: AxisSpec = AxisSpec()
    series: tuple[SeriesSpec, ...] = ()
    origin: str = ""
