"""A chart for scripts: a picture with calibrated axes, from which lines, marks and bars are taken as numbers."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import Frame, Scale
from curvesieve.core.tracing.parts import AxisSpec, BarSpec, MarkSpec, Place, SeriesSpec, TraceSpec
from curvesieve.core.tracing.picture import Picture, open_picture
from curvesieve.core.tracing.ticks import FoundFrame, found_frame
from curvesieve.core.tracing.values import TracedBar, curve_of, frame_of, traced_bars

Box = tuple[float, float, float, float]
_INSIDE = 1.0
"""Pixels that the inside of a frame is smaller than the middle of its lines, beside half their width."""


@dataclass(frozen=True, eq=False)
class Chart:
    """A picture of a chart; `with_axes` calibrates it. Places are pixels from the top left, their centres at halves."""

    picture: Picture
    trace: TraceSpec = field(default_factory=TraceSpec)

    @classmethod
    def open(cls, path: str | os.PathLike[str]) -> Chart:
        """The chart in a picture file; raises InputError for what is no picture, damaged, too large or too small."""
        return cls(open_picture(Path(path)))

    def with_axes(
        self,
        x: Sequence[tuple[float, float, float]],
        y: Sequence[tuple[float, float, float]],
        x_scale: Scale = "linear",
        y_scale: Scale = "linear",
        x_unit: str = "",
        y_unit: str = "",
        x_label: str = "",
        y_label: str = "",
    ) -> Chart:
        """The same chart calibrated by marks (px, py, value), two or more an axis.

        Scales are linear, log10, ln or reciprocal. Raises InputError for marks that make no axes.
        """
        specs = []
        for name, marks, scale, unit, label in (("x", x, x_scale, x_unit, x_label), ("y", y, y_scale, y_unit, y_label)):
            try:
                made = tuple(MarkSpec(px=px, py=py, value=value) for px, py, value in marks)
                specs.append(AxisSpec(scale=scale, unit=unit, label=label, marks=made))
            except ValueError as error:
                raise InputError(
                    f"The marks of the {name} axis must be (px, py, value), and its scale known."
                ) from error
        chart = replace(self, trace=self.trace.model_copy(update={"x": specs[0], "y": specs[1]}))
        _ = chart.frame  # says at once what is wrong with the marks
        return chart

    @cached_property
    def frame(self) -> Frame:
        """The calibrated axes; raises InputError where there are none yet."""
        return frame_of(self.trace)

    @cached_property
    def found(self) -> FoundFrame:
        """The frame and the ticks that are drawn, in pixels, for marks to stand on."""
        return found_frame(self.picture.pixels)

    @cached_property
    def box(self) -> Box | None:
        """The inside of the frame that is drawn: left, top, right, bottom in pixels; None where there is none."""
        return box_of(self.found)

    def snap(self, place: Place) -> Place:
        """The middle of the mark or line near a place; raises InputError where nothing is drawn."""
        from curvesieve.core.tracing.snap import snapped

        return snapped(self.picture, place).place

    def follow(self, place: Place, points: int | None = 200, tolerance: float | None = None) -> Curve:
        """The line near a place as a curve with u, of so many points, or within `tolerance` pixels of the line.

        Raises InputError where no line is, and before the axes are calibrated.
        """
        from curvesieve.core.tracing.follow import follow
        from curvesieve.core.tracing.thin import thinned

        line = follow(self.picture, place, self.box)
        places = thinned(line.places, points, tolerance)
        series = SeriesSpec(id="line", kind="line", places=tuple(map(tuple, places.tolist())), width=line.width)
        return curve_of(self.trace, series)

    def marks_like(self, place: Place) -> Curve:
        """All marks like the one near a place as a curve with u, in the order of x.

        Raises InputError where no mark is, and before the axes are calibrated.
        """
        from curvesieve.core.tracing.alike import marks_alike

        found = marks_alike(self.picture, place, self.box)
        series = SeriesSpec(id="marks", kind="marks", places=tuple(map(tuple, found.places.tolist())))
        return curve_of(self.trace, series)

    def bars(self, place: Place, alone: bool = False) -> tuple[TracedBar, ...]:
        """The bars like the one at a place, from the left: heights, ends of whiskers, each with u.

        Bars that lie are those of a chart whose y axis is marked along the picture's x. Raises InputError where no bar
        is, and before the axes are calibrated.
        """
        found = bars_of(self.picture, self.frame, place, alone)
        return traced_bars(self.frame, SeriesSpec(id="bars", kind="bars", bars=found))


def bars_of(
    picture: Picture, frame: Frame, place: Place, alone: bool = False, lying: bool = False
) -> tuple[BarSpec, ...]:
    """The bars like the one at a place, in pixels; they go along y, or along x where they are `lying`.

    Raises InputError outside the picture, on the paper, and where no bar is.
    """
    from curvesieve.core.tracing.bars import bars_alike

    ways = [np.asarray(axis.along, float) * _grows(axis.scale) for axis in (frame.x, frame.y)]
    up, across = (ways[0], -ways[1]) if lying else (ways[1], ways[0])
    found = bars_alike(picture, place, (float(up[0]), float(up[1])), (float(across[0]), float(across[1])), alone)
    return tuple(BarSpec(base=bar.base, top=bar.top, lower=bar.lower, upper=bar.upper) for bar in found)


def _grows(scale: Scale) -> float:
    """Whether values grow along the even scale (1) or against it (-1)."""
    return -1.0 if scale == "reciprocal" else 1.0


def box_of(found: FoundFrame) -> Box | None:
    """The inside of a frame: left, top, right, bottom in pixels; None where fewer than four corners were found."""
    if len(found.corners) < 4:
        return None
    (left, top), (right, bottom) = found.corners.min(axis=0), found.corners.max(axis=0)
    inner = [line.width / 2 + _INSIDE for line in found.lines]
    margin = float(np.median(inner))
    return float(left + margin), float(top + margin), float(right - margin), float(bottom - margin)
