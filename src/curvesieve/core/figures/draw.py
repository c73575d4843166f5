"""The page that Matplotlib draws: panels in a grid, what each shows, and which of it is which part."""

from __future__ import annotations

import warnings
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, TypeVar

from curvesieve.core.drawing import DRAWING
from curvesieve.core.figures.axes import (
    draw_small_ticks,
    set_inner_ticks,
    takes_both,
)
from curvesieve.core.figures.content import Shown
from curvesieve.core.figures.data import Columns, columns_of
from curvesieve.core.figures.fonts import SPARE, families, has_all, settings
from curvesieve.core.figures.layout import Around, lay_out
from curvesieve.core.figures.markup import plain, problems
from curvesieve.core.figures.panel import PanelDrawing
from curvesieve.core.figures.pen import Pen
from curvesieve.core.shapes import Words
from curvesieve.core.study.figure_parts import AxisSpec, FigureSpec

if TYPE_CHECKING:
    from matplotlib.figure import Figure

T = TypeVar("T")
MM = 1 / 25.4
STRETCHES = 2000
"""A line of many more points is drawn by the extremes of so many stretches, which print the same."""
VECTOR_POINTS = 200_000
"""Points that a page has at the most where each is written out, as in SVG and PDF."""
_TOLD_LETTERS = 44
_TOUCHING_MM = 1.0


@dataclass(eq=False)
class Page:
    """A drawn page: its Matplotlib figure, the settings it is to be written with, and what was amiss.

    `parts` are names of what the pen kept by the part's id, such as ``line 0 <curve>``; `columns` the data;
    `around` is what stands around each panel.
    """

    figure: Figure
    pen: Pen
    settings: Any
    columns: Columns
    parts: dict[str, str] = field(default_factory=dict)
    around: list[Around] = field(default_factory=list)
    said: list[str] = field(default_factory=list)

    @property
    def axes(self) -> list[Any]:
        """The axes of each panel."""
        return [self.pen.kept[part] for part in (f"ax{k}" for k in range(len(self.pen.kept))) if part in self.pen.kept]


def drawn(spec: FigureSpec, panels: Sequence[Shown], most: int = STRETCHES) -> Page:
    """The page of a figure whose panels show this. Matplotlib's settings are as before when it comes back.

    A line of many points is drawn by the extremes of `most` stretches.
    """
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    manner = spec.manner
    family = manner.font if manner.font in families() else SPARE
    alone = has_all(family, (*map(plain, _texts(spec)), *_shown_texts(panels)))
    rc: Any = settings(manner, family, alone)
    columns, lines, shapes = columns_of(panels)
    said: list[str] = []
    with _drawing(rc, said):
        figure = Figure(figsize=(spec.width * MM, spec.height * MM), dpi=100)
        FigureCanvasAgg(figure)
        page = Page(figure, Pen(figure), rc, columns, said=said)
        if family != manner.font:
            page.said.append(f"The font {manner.font} is not here; {family} stands in for it.")
        page.pen.do("fig", "add_gridspec", max(-(-len(spec.panels) // spec.columns), 1), spec.columns, into="grid")
        drawings = [
            PanelDrawing(page.pen, spec, place, panels, lines, shapes, most, page.said, page.parts)
            for place in range(len(panels))
        ]
        for one in drawings:
            one.begin()
        axes = list(_axes(page.pen, spec))
        for _, (name, which, _axis) in axes:
            ends = getattr(page.pen.at(name), f"get_{which}lim")()
            page.pen.do(name, f"set_{which}lim", *map(float, ends))  # final: nothing that comes now moves them
        for one in drawings:
            one.finish()
        if len(spec.panels) > 1:
            page.pen.do("fig", "align_labels")
        if spec.gap < _TOUCHING_MM:
            for _, (name, which, axis) in axes:
                if (which == "x" and spec.columns > 1) or (which == "y" and len(spec.panels) > spec.columns):
                    set_inner_ticks(page.pen, name, which, axis)
        page.around, room = lay_out(page.pen, spec, len(spec.panels))
        for place, (name, which, axis) in axes:
            if not page.pen.at(name).axison:  # a surface seen from a side has no axes
                continue
            far = name.endswith("r")
            both = takes_both(spec.panels[place], which, axis, far)
            draw_small_ticks(page.pen, name, which, axis, manner, both, far)
    if not room:
        page.said.append("The words leave no room for the panels: make the page larger, or the words smaller.")
    page.said += problems(_texts(spec))
    page.said[:] = list(dict.fromkeys(page.said))
    return page


def _axes(pen: Pen, spec: FigureSpec) -> Iterator[tuple[int, tuple[str, str, AxisSpec]]]:
    """Every axis of the page: its panel, its axes, whether it is their x or y, and what is said of it."""
    for place, panel in enumerate(spec.panels):
        yield place, (f"ax{place}", "x", panel.x)
        yield place, (f"ax{place}", "y", panel.y)
        if f"ax{place}r" in pen.kept:
            yield place, (f"ax{place}r", "y", panel.right)


def painted(page: Page, act: Callable[[], T]) -> T:
    """Does what paints or writes a page, with its settings; what Matplotlib warns of is told in its place."""
    with _drawing(page.settings, page.said):
        return act()


@contextmanager
def _drawing(rc: Any, said: list[str]) -> Iterator[None]:
    """Settings in force for one page at a time; warnings become sentences, or are passed over where one is said."""
    from matplotlib import rcParams

    with DRAWING, warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        before = {key: rcParams[key] for key in rc}  # only these: to copy all settings takes longer than to draw
        rcParams.update(rc)
        try:
            yield
        finally:
            rcParams.update(before)
    for one in caught:
        text = str(one.message)
        if text.startswith("Glyph"):
            said.append(f"{_glyph(text)} cannot be set: no font here has it.")
    said[:] = list(dict.fromkeys(said))


def _glyph(text: str) -> str:
    number = text.split()[1]
    return f"“{chr(int(number))}”" if number.isdigit() else "A letter"


def _texts(spec: FigureSpec) -> list[str]:
    """All words of a figure that were typed."""
    found: list[str | None] = []
    for panel in spec.panels:
        for axis in (panel.x, panel.y, panel.right):
            found += [axis.words, axis.also_words]
        found += [style.label for _, style in panel.lines]
        found += [mark.words for mark in panel.marks]
    return [one for one in found if one]


def _shown_texts(panels: Sequence[Shown]) -> Iterator[str]:
    """All words of a figure that come of the study."""
    for shown in panels:
        yield from (title.words for title in (shown.x, shown.y, shown.right))
        yield from (line.label for line in shown.lines)
        yield from (mark.words for mark in shown.marks)
        yield from (one.words for one in shown.fields)
        yield from shown.said
        yield from (shape.text for group in shown.shapes for shape in group if isinstance(shape, Words))
