"""Looking back: the numbers of a trace are drawn over its picture again, and how far they lie off it is said."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import Frame
from curvesieve.core.tracing.follow import Sheet, across
from curvesieve.core.tracing.parts import SeriesSpec
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.snap import snapped
from curvesieve.core.tracing.values import traced


@dataclass(frozen=True, eq=False)
class LookBack:
    """Misses of the numbers of a series: the mean and the worst in pixels, how many were compared, how many of how
    many stand where nothing is drawn, and `drawn`, the pixels of the numbers of shape (n, 2)."""

    mean: float
    worst: float
    compared: int
    on_nothing: int
    drawn: Floats

    def told(self) -> str:
        """The same in words."""
        if self.compared == 0:
            return "none of the numbers stands where something is drawn"
        said = f"mean miss {self.mean:.2f} px, worst {self.worst:.1f} px"
        of = self.compared + self.on_nothing
        return f"{said}; {self.on_nothing} of {of} places are not plainly drawn" if self.on_nothing else said


def look_back(picture: Picture, frame: Frame, series: SeriesSpec) -> LookBack:
    """Draws the numbers of a series again, by its axes, and compares with what the picture shows there.

    Each point or mark with the middle of what is drawn at it; a line, between its points too, with the middle of the
    line across it every second pixel. Raises InputError where the series has no numbers.
    """
    numbers = traced(frame, series)
    drawn = frame.pixels(np.stack([numbers.x, numbers.y], axis=1))
    misses, nothing = _of_line(picture, drawn, series) if series.kind == "line" else _of_points(picture, drawn)
    mean, worst = (float(misses.mean()), float(misses.max())) if misses.size else (0.0, 0.0)
    return LookBack(mean, worst, int(misses.size), nothing, drawn)


def _of_points(picture: Picture, drawn: Floats) -> tuple[Floats, int]:
    misses = []
    for place in drawn:
        try:
            found = snapped(picture, (float(place[0]), float(place[1])))
        except InputError:
            continue
        misses.append(float(np.hypot(found.px - place[0], found.py - place[1])))
    return np.array(misses), len(drawn) - len(misses)


def _of_line(picture: Picture, drawn: Floats, series: SeriesSpec) -> tuple[Floats, int]:
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(drawn, axis=0).T))]
    even = np.arange(1.0, max(along[-1] - 1.0, 1.5), 2.0)
    places = np.stack([np.interp(even, along, drawn[:, k]) for k in (0, 1)], axis=1)
    ways = np.gradient(places, axis=0) if len(places) > 1 else np.array([[1.0, 0.0]])
    ways = ways / np.maximum(np.hypot(*ways.T), 1e-9)[:, None]
    for place in drawn[:: max(1, len(drawn) // 8)]:
        try:
            ink = snapped(picture, (float(place[0]), float(place[1]))).ink
        except InputError:
            continue
        width, height = picture.size
        sheet = Sheet(ink.share(picture.pixels), (0.0, 0.0, float(width), float(height)))
        off, _ = across(sheet, places, ways, max(series.width, 1.0))
        known = np.isfinite(off)
        return np.abs(off[known]), int((~known).sum())
    return np.empty(0), len(places)
