"""The figure of a page of a report, drawn by Matplotlib: one curve with its constructions, or several curves."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import TYPE_CHECKING

from curvesieve.core import units
from curvesieve.core.drawing import DRAWING
from curvesieve.core.envelope import outline
from curvesieve.core.report.pages import Drawn
from curvesieve.core.shapes import Fill, Line, Point

if TYPE_CHECKING:
    from matplotlib.axes import Axes

INK, MUTED, RESULT, AID = "#1f2a2b", "#6b7573", "#4a3f9f", "#8d9794"
_COLOURS = ("#1b4b5a", "#b5532a", "#4f8a4c", "#8a5a9a", "#a68a1c", "#3f6fb0")
_DASHES = ("-", "--", "-.", ":")
_STRETCHES = 2000
"""Long curves are drawn by the extremes of so many stretches, which look the same on paper."""


def draw(axes: Axes, curves: Sequence[Drawn]) -> None:
    """Draws the curves of a page; a single one with its constructions and the names of what was read."""
    first = curves[0].curve
    axes.set_xlabel(units.labelled(first.x_label, first.x_unit))
    axes.set_ylabel(units.labelled(first.y_label, first.y_unit))
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.tick_params(labelsize=8, direction="in")
    if len(curves) == 1:
        _draw_specimen(axes, curves[0])
        return
    groups = list(dict.fromkeys(one.group for one in curves))
    told: set[str] = set()
    for place, one in enumerate(curves):
        number = groups.index(one.group) if any(groups) else place
        name = one.group if any(groups) else one.label
        x, y = outline(one.curve.used.x, one.curve.used.y, _STRETCHES)
        axes.plot(
            x, y, color=_COLOURS[number % len(_COLOURS)], linestyle=_DASHES[number % len(_DASHES)], linewidth=1.1,
            label=None if name in told else name,
        )  # fmt: skip
        told.add(name)
    if len(told) <= 12 and told != {""}:
        axes.legend(fontsize=8, frameon=False)


def _draw_specimen(axes: Axes, drawn: Drawn) -> None:
    curve = drawn.curve.used
    x, y = outline(curve.x, curve.y, _STRETCHES)
    axes.plot(x, y, color=INK, linewidth=1.0)
    box = axes.axis()
    words = []
    for one in drawn.outcomes:
        for shape in one.shapes:
            if isinstance(shape, Line):
                role = AID if shape.role == "aid" else RESULT
                axes.plot(shape.x, shape.y, color=role, linewidth=0.9, linestyle="--" if role == AID else "-")
            elif isinstance(shape, Point):
                axes.plot([shape.x], [shape.y], "o", color=RESULT, markersize=4, fillstyle="none")
            elif isinstance(shape, Fill):
                axes.fill_between(shape.x, shape.low, shape.high, color=AID, alpha=0.12, linewidth=0)
        named = any(
            isinstance(shape, Point) or (isinstance(shape, Line) and shape.role != "aid") for shape in one.shapes
        )
        if one.words is not None and named:
            words.append(one.words)
    axes.axis((box[0], box[1], box[2], box[3] + 0.08 * (box[3] - box[2])))  # room for names above the highest point
    _write(axes, [(w.x, w.y, w.text) for w in words])


def _write(axes: Axes, words: Sequence[tuple[float, float, str]]) -> None:
    """Names beside their places, those that would lie over one another set below each other."""
    low, high = axes.get_ylim()
    left, right = axes.get_xlim()
    taken: list[tuple[float, float]] = []
    for x, y, text in sorted(words, key=lambda one: -one[1]):
        far = x > left + 0.6 * (right - left)
        at = y + 0.045 * (high - low) if far else y
        while any(
            abs(at - other) < 0.045 * (high - low) and abs(x - place) < 0.3 * (right - left) for place, other in taken
        ):
            at -= 0.045 * (high - low)
        taken.append((x, at))
        side = -1 if far else 1
        axes.text(
            x + side * 0.012 * (right - left), at, text, fontsize=7.5, color=RESULT, va="center",
            ha="right" if far else "left",
        )  # fmt: skip


def svg(curves: Sequence[Drawn]) -> str:
    """The figure as SVG, to stand within a page of HTML; texts are drawn, so that no font is needed."""
    from matplotlib.backends.backend_svg import FigureCanvasSVG
    from matplotlib.figure import Figure

    buffer = io.StringIO()
    with DRAWING:
        figure = Figure(figsize=(6.9, 3.6), layout="constrained")
        FigureCanvasSVG(figure)
        draw(figure.add_subplot(), curves)
        figure.savefig(buffer, format="svg", metadata={"Date": None, "Creator": None})
    text = buffer.getvalue()
    return text[text.index("<svg") :]
