"""A page as it is seen on a screen: its pixels, and where each of its parts lies on them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.figures.draw import Page, painted
from curvesieve.core.figures.layout import Around
from curvesieve.core.figures.writing import page_of
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.study.study import Study

Box = tuple[float, float, float, float]
"""Left, top, right, bottom in pixels from the top left corner."""
_TRACE_POINTS = 400
_NEAR_PX = 6.0


@dataclass(frozen=True)
class Scales:
    """The panel's box in pixels, and the limits of its axes: turns pixels into places while something is dragged."""

    box: Box
    x: tuple[float, float]
    y: tuple[float, float]
    x_log: bool = False
    y_log: bool = False

    def place(self, px: float, py: float) -> tuple[float, float]:
        """The place on the axes of a pixel."""
        left, top, right, bottom = self.box
        return (
            _between(self.x, (px - left) / max(right - left, 1e-9), self.x_log),
            _between(self.y, (bottom - py) / max(bottom - top, 1e-9), self.y_log),
        )

    def share(self, px: float, py: float) -> tuple[float, float]:
        """The place of a pixel in shares of the panel, from its bottom left corner."""
        left, top, right, bottom = self.box
        return (px - left) / max(right - left, 1e-9), (bottom - py) / max(bottom - top, 1e-9)


def _between(ends: tuple[float, float], share: float, log: bool) -> float:
    low, high = ends
    if log and low > 0 and high > 0:
        return float(low * (high / low) ** share)
    return low + share * (high - low)


@dataclass(frozen=True, eq=False)
class Picture:
    """A drawn page of (height, width, 4) pixels. `boxes` are where its parts lie, `traces` the lines of them."""

    pixels: NDArray[np.uint8]
    dpi: float
    boxes: dict[str, Box]
    traces: dict[str, Floats]
    panels: dict[int, Scales]
    said: tuple[str, ...]

    def with_pixels(self, pixels: NDArray[np.uint8]) -> Picture:
        """The same page in other colours, of the same shape."""
        return replace(self, pixels=pixels)

    def part_at(self, px: float, py: float) -> str:
        """The part at a pixel: a small one before a line, a line before an axis, an axis before the panel behind it.

        Empty where the page is bare.
        """
        hits = [part for part, box in self.boxes.items() if _holds(box, px, py)]
        small = [part for part in hits if part.split()[0] in ("name", "mark", "names", "inset")]
        if small:
            return min(small, key=lambda part: _size(self.boxes[part]))
        near = {part: _distance(trace, px, py) for part, trace in self.traces.items()}
        closest = min(near, key=lambda part: near[part], default="")
        if closest and near[closest] <= _NEAR_PX:
            return closest
        order = ("x", "y", "right", "panel")
        ranked = [part for kind in order for part in hits if part.split()[0] == kind]
        return ranked[0] if ranked else ""


def _holds(box: Box, px: float, py: float) -> bool:
    return box[0] - 2 <= px <= box[2] + 2 and box[1] - 2 <= py <= box[3] + 2


def _size(box: Box) -> float:
    return (box[2] - box[0]) * (box[3] - box[1])


def _distance(trace: Floats, px: float, py: float) -> float:
    """From a pixel to a line of pixels of shape (n, 2), a gap where there is no number."""
    if len(trace) < 2:
        return float(np.hypot(*(trace[0] - (px, py)))) if len(trace) else np.inf
    a, b = trace[:-1], trace[1:]
    d = b - a
    length = (d**2).sum(axis=1)
    at = np.array([px, py])
    share = np.clip(((at - a) * d).sum(axis=1) / np.where(length > 0, length, 1), 0, 1)
    away = np.hypot(*(a + share[:, None] * d - at).T)
    good = np.isfinite(away)
    return float(away[good].min()) if good.any() else np.inf


def pictured(study: Study, spec: FigureSpec, dpi: float) -> Picture:
    """The page of a figure as the study stands, at so many pixels an inch, with the places of its parts."""
    return picture_of(page_of(study, spec), dpi)


def picture_of(page: Page, dpi: float) -> Picture:
    """A drawn page at so many pixels an inch."""
    canvas: Any = page.figure.canvas
    page.figure.set_dpi(dpi)
    boxes: dict[str, Box] = {}
    traces: dict[str, Floats] = {}
    panels: dict[int, Scales] = {}

    def draw() -> NDArray[np.uint8]:
        canvas.draw()
        renderer = canvas.get_renderer()
        pixels: NDArray[np.uint8] = np.asarray(canvas.buffer_rgba()).copy()
        height = pixels.shape[0]
        for part, name in page.parts.items():
            kind, place = part.split()[:2]
            artist = page.pen.at(name)
            if isinstance(artist, Sequence):  # lines come in lists, columns in containers
                artist = artist[0]
            if kind == "line" and hasattr(artist, "get_xydata"):
                traces[part] = _trace(artist, height)
                continue
            if kind == "panel":
                inner = _flipped(artist.bbox, height)
                panels[int(place)] = Scales(
                    inner, artist.get_xlim(), artist.get_ylim(), artist.get_xscale() == "log",
                    artist.get_yscale() == "log",
                )  # fmt: skip
                boxes.update(
                    _strips(
                        int(place), inner, page.around[int(place)], dpi, part.replace("panel", "right") in page.parts
                    )
                )
            elif kind not in ("x", "y", "right"):
                box = _box(artist, renderer, height)
                if box is not None:
                    boxes[part] = box

        return pixels

    return Picture(painted(page, draw), dpi, boxes, traces, panels, tuple(page.said))


def _strips(place: int, inner: Box, around: Around, dpi: float, right: bool) -> dict[str, Box]:
    """The panel's box, and the strips beside it that its axes stand in."""
    mm = dpi / 25.4
    made = {
        f"panel {place}": inner,
        f"x {place}": (inner[0], inner[3], inner[2], inner[3] + around.bottom * mm),
        f"y {place}": (inner[0] - around.left * mm, inner[1], inner[0], inner[3]),
    }
    if right:
        made[f"right {place}"] = (inner[2], inner[1], inner[2] + around.right * mm, inner[3])
    return made


def _flipped(box: Any, height: int) -> Box:
    return (float(box.x0), float(height - box.y1), float(box.x1), float(height - box.y0))


def _box(artist: Any, renderer: Any, height: int) -> Box | None:
    found = artist.get_tightbbox(renderer)
    if found is None or not np.all(np.isfinite(found.extents)):
        return None
    return _flipped(found, height)


def _trace(line: Any, height: int) -> Floats:
    """A line in pixels, thinned: enough to be hit by a click."""
    points = line.get_xydata()
    stride = max(len(points) // _TRACE_POINTS, 1)
    placed = line.get_transform().transform(np.ma.filled(points[::stride].astype(float), np.nan))
    placed[:, 1] = height - placed[:, 1]
    return np.asarray(placed)
