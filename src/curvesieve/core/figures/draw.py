"""The page that Matplotlib draws: axes, lines, names at the curves, guides, bands, words and constructions."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.envelope import outline
from curvesieve.core.figures.content import Drawn, Shown
from curvesieve.core.figures.markup import mathtext
from curvesieve.core.study.figure_parts import AxisSpec, FigureSpec, LineSpec, Manner, PanelSpec
from curvesieve.core.shapes import Fill, Line, Point

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MM = 1 / 25.4
_STRETCHES = 2000
"""A line of more points is drawn by the extremes of so many stretches, which print the same."""
_DASHES: dict[str, Any] = {
    "solid": "-", "dashed": (0, (5, 2.5)), "dotted": (0, (1, 1.8)), "dash and dot": (0, (6, 2, 1, 2)), "none": "none",
}  # fmt: skip
_MARKS = {"none": "None", "circle": "o", "square": "s", "triangle": "^", "diamond": "D", "cross": "x"}
_NAMED = 40
_FONTS = Path(__file__).parents[2] / "app" / "theme" / "fonts"


@dataclass(eq=False)
class Page:
    """A drawn page: the Matplotlib figure, its axes by panel, which artist is which part, and what was amiss."""

    figure: Figure
    axes: list[Axes]
    parts: dict[str, Any] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)


def drawn(spec: FigureSpec, panels: Sequence[Shown]) -> Page:
    """The page of a figure whose panels show this. Nothing global of Matplotlib is changed."""
    import matplotlib as mpl
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    manner = spec.manner
    known = _with_fonts()
    family = manner.font if manner.font in known else "DejaVu Sans"
    with mpl.rc_context(_defaults(manner, family)):
        figure = Figure(figsize=(spec.width * MM, spec.height * MM), layout="constrained", facecolor=manner.paper)
        FigureCanvasAgg(figure)
        page = Page(figure, [])
        if family != manner.font:
            page.said.append(f"The font {manner.font} is not here; {family} stands in for it.")
        rows = max(-(-len(spec.panels) // spec.columns), 1)
        ratios = {"height_ratios": spec.ratios} if len(spec.ratios) == rows else {}
        grid = figure.add_gridspec(rows, spec.columns, **ratios)
        engine: Any = figure.get_layout_engine()
        engine.set(w_pad=0.02, h_pad=0.02, wspace=spec.gap, hspace=spec.gap)
        for place, (panel, shown) in enumerate(zip(spec.panels, panels, strict=True)):
            first = page.axes[0] if page.axes else None
            axes = figure.add_subplot(
                grid[place // spec.columns, place % spec.columns],
                sharex=first if spec.share_x else None, sharey=first if spec.share_y else None,
            )  # fmt: skip
            page.axes.append(axes)
            _draw_panel(page, axes, spec, place, panel, shown)
    return page


def _with_fonts() -> set[str]:
    """The families of fonts that can be drawn with, the shipped ones among them."""
    from matplotlib import font_manager

    manager = font_manager.fontManager
    have = {Path(one.fname).name for one in manager.ttflist}
    for path in sorted(_FONTS.glob("*.ttf")):
        if path.name not in have:
            manager.addfont(str(path))
    return {one.name for one in manager.ttflist}


def _defaults(manner: Manner, family: str) -> dict[str, Any]:
    ink, paper = manner.ink, manner.paper
    return {
        "font.family": [family, "DejaVu Sans"], "font.size": manner.words, "axes.labelsize": manner.words,
        "xtick.labelsize": manner.words, "ytick.labelsize": manner.words, "legend.fontsize": manner.words,
        "axes.linewidth": manner.lines, "lines.linewidth": manner.lines, "axes.edgecolor": ink,
        "axes.labelcolor": ink, "xtick.color": ink, "ytick.color": ink, "text.color": ink, "axes.facecolor": paper,
        "figure.facecolor": paper, "savefig.facecolor": paper, "mathtext.default": "regular", "svg.fonttype": "none",
        "mathtext.fontset": "custom", "mathtext.rm": family, "mathtext.it": f"{family}:italic",
        "xtick.major.width": manner.lines, "ytick.major.width": manner.lines, "axes.unicode_minus": True,
        "xtick.minor.width": 0.7 * manner.lines, "ytick.minor.width": 0.7 * manner.lines, "pdf.fonttype": 42,
        "path.simplify_threshold": 0.1,
    }  # fmt: skip


def _draw_panel(page: Page, axes: Axes, spec: FigureSpec, place: int, panel: PanelSpec, shown: Shown) -> None:
    manner = spec.manner
    said = dict(panel.lines)
    names: list[tuple[Drawn, str]] = []
    axes.set_xscale("log" if panel.x.scale == "logarithmic" else "linear")
    axes.set_yscale("log" if panel.y.scale == "logarithmic" else "linear")
    for number, line in enumerate(shown.lines):
        style = said.get(line.id, LineSpec())
        colour = style.colour or _colour(manner, line, number)
        _draw_line(page, axes, place, panel, line, style, colour, manner, number)
        if line.role in ("data", "points"):
            names.append((line, colour))
    for shapes in shown.shapes:
        _draw_shapes(axes, shapes, manner)
    _draw_marks(page, axes, place, panel, shown, manner)
    _draw_axis(axes, "x", panel.x, shown.x, _edge(spec, place, "x"))
    _draw_axis(axes, "y", panel.y, shown.y, _edge(spec, place, "y"))
    _draw_frame(axes, panel)
    _name(axes, panel, names, said)
    if spec.letters:
        axes.text(0.02, 0.98, f"({chr(97 + place % 26)})", transform=axes.transAxes, ha="left", va="top")
    if shown.said and not shown.lines:
        axes.text(0.5, 0.5, "\n".join(shown.said), transform=axes.transAxes, ha="center", va="center", wrap=True)
    page.said += shown.said
    page.parts[f"panel {place}"] = axes


def _edge(spec: FigureSpec, place: int, axis: str) -> bool:
    """Whether a panel stands where shared axes have their numbers."""
    if axis == "x":
        return not spec.share_x or place + spec.columns >= len(spec.panels)
    return not spec.share_y or place % spec.columns == 0


def _colour(manner: Manner, line: Drawn, number: int) -> str:
    if line.role == "fit":
        return manner.ink
    if line.along is not None:
        return _walk(manner.along, line.along)
    return manner.palette[number % len(manner.palette)]


def _walk(stops: Sequence[str], share: float) -> str:
    """A colour on the way from stop to stop."""
    if len(stops) == 1:
        return stops[0]
    at = min(max(share, 0.0), 1.0) * (len(stops) - 1)
    low = min(int(at), len(stops) - 2)
    rgb = [[int(stop[k : k + 2], 16) for k in (1, 3, 5)] for stop in (stops[low], stops[low + 1])]
    return "#" + "".join(f"{round(a + (b - a) * (at - low)):02x}" for a, b in zip(*rgb, strict=True))


def _draw_line(
    page: Page, axes: Axes, place: int, panel: PanelSpec, line: Drawn, style: LineSpec, colour: str, manner: Manner,
    number: int,
) -> None:  # fmt: skip
    x, y, u = _visible(page, panel, line)
    width = style.width or manner.lines * (1.2 if line.role == "fit" else 1.0)
    dash = style.dash or ("solid" if not manner.dashes else list(_DASHES)[number % 4])
    mark = style.mark or ("circle" if line.role == "points" else "none")
    if line.role == "points" and style.dash is None:
        dash = "none"
    if u is not None and (style.spread == "bars" or line.role == "points"):
        made: Any = axes.errorbar(x, y, u, fmt="none", ecolor=colour, elinewidth=width, capsize=1.6)
        page.parts[f"spread {place} {line.id}"] = made
    elif u is not None and style.spread == "band":
        page.parts[f"spread {place} {line.id}"] = axes.fill_between(x, y - u, y + u, color=colour, alpha=0.2, lw=0)
    if line.role == "peak":
        axes.fill_between(x, y, float(np.nanmin(y)) if y.size else 0.0, color=colour, alpha=0.15, linewidth=0)
    if x.size > _STRETCHES and bool(np.all(np.diff(x) >= 0)):
        x, y = outline(x, y, _STRETCHES)
    (artist,) = axes.plot(
        x, y, color=colour, linewidth=width, linestyle=_DASHES[dash], marker=_MARKS[mark], markersize=style.mark_size,
        markevery=style.every if style.every > 1 else None, zorder=3 if line.role == "fit" else 2,
        label=mathtext(style.label or line.label),
    )  # fmt: skip
    page.parts[f"line {place} {line.id}"] = artist


def _visible(page: Page, panel: PanelSpec, line: Drawn) -> tuple[Floats, Floats, Floats | None]:
    """The points that the axes have a place for; those that they have none for are told."""
    x, y = line.x, line.y
    keep = np.isfinite(x) & np.isfinite(y)
    whole = int(keep.sum())
    for axis, values, name in ((panel.x, x, "x"), (panel.y, y, "y")):
        if axis.scale == "logarithmic":
            keep &= values > 0
        if axis.scale == "reciprocal":
            keep &= values != 0
        lost = whole - int(keep.sum())
        if lost:
            page.said.append(f"{line.label}: {lost} points have no place on the {axis.scale} {name} axis.")
            whole -= lost
    x, y = x[keep], y[keep]
    u = None if line.u is None else line.u[keep]
    return (1 / x if panel.x.scale == "reciprocal" else x), (1 / y if panel.y.scale == "reciprocal" else y), u


def _draw_shapes(axes: Axes, shapes: Sequence[Any], manner: Manner) -> None:
    for shape in shapes:
        if isinstance(shape, Line):
            aid = shape.role == "aid"
            axes.plot(shape.x, shape.y, color=manner.ink, alpha=0.5 if aid else 1.0, linewidth=0.9 * manner.lines,
                      linestyle=_DASHES["dashed"] if aid else "-", zorder=2.5)  # fmt: skip
        elif isinstance(shape, Point):
            axes.plot([shape.x], [shape.y], "o", color=manner.ink, markersize=4, fillstyle="none", zorder=4)
        elif isinstance(shape, Fill):
            axes.fill_between(shape.x, shape.low, shape.high, color=manner.ink, alpha=0.08, linewidth=0)


def _draw_marks(page: Page, axes: Axes, place: int, panel: PanelSpec, shown: Shown, manner: Manner) -> None:
    for number, (mark, at, words) in enumerate(shown.guides):
        draw = axes.axhline if mark.level else axes.axvline
        made = draw(at, color=manner.ink, alpha=0.7, linewidth=manner.lines, linestyle=_DASHES["dashed"], zorder=1.5)
        text = " ".join(part for part in (words, f"{at:.6g}" if mark.number else "") if part)
        if text:
            where = (0.99, at) if mark.level else (at, 0.98)
            transform = axes.get_yaxis_transform() if mark.level else axes.get_xaxis_transform()
            axes.annotate(
                mathtext(text), where, xycoords=transform, xytext=(3, 0) if not mark.level else (0, 2),
                textcoords="offset points", ha="right" if mark.level else "left",
                va="bottom" if mark.level else "top",
            )  # fmt: skip
        page.parts[f"guide {place} {number}"] = made
    for number, mark in enumerate(panel.marks):
        if mark.kind == "band":
            span = axes.axhspan if mark.level else axes.axvspan
            page.parts[f"mark {place} {number}"] = span(mark.low, mark.high, color=manner.ink, alpha=0.08, lw=0)
        elif mark.kind == "words":
            page.parts[f"mark {place} {number}"] = axes.text(
                mark.x, mark.y, mathtext(shown.words.get(mark.text, mark.text)), transform=axes.transAxes
            )
        elif mark.kind == "arrow":
            page.parts[f"mark {place} {number}"] = axes.annotate(
                mathtext(mark.words), (mark.x1, mark.y1), (mark.x0, mark.y0),
                arrowprops={"arrowstyle": "->", "color": manner.ink, "lw": manner.lines},
            )  # fmt: skip


def _draw_axis(axes: Axes, name: str, spec: AxisSpec, words: str, edge: bool) -> None:
    from matplotlib.ticker import AutoMinorLocator, EngFormatter, FuncFormatter, NullFormatter, ScalarFormatter

    axis = axes.xaxis if name == "x" else axes.yaxis
    said = words if spec.words is None else spec.words
    if spec.scale == "reciprocal" and spec.words is None:
        said = f"1/({said})" if said else ""
    axis.set_label_text(mathtext(said) if edge else "")
    low, high = spec.low, spec.high
    if low is not None or high is not None:
        if low is not None and high is not None and low == high:
            high = low + (abs(low) or 1.0)
        log = spec.scale == "logarithmic"
        usable = [None if value is None or (log and value <= 0) else value for value in (low, high)]
        (axes.set_xlim if name == "x" else axes.set_ylim)(*usable)
    direction: Any = {"inside": "in", "outside": "out", "none": "in"}[spec.ticks]
    length = 0.0 if spec.ticks == "none" else 3.0
    near, far = ("bottom", "top") if name == "x" else ("left", "right")
    sides: dict[str, Any] = {near: True, far: spec.both}
    axes.tick_params(axis=name, which="major", direction=direction, length=length, **sides)
    axes.tick_params(axis=name, which="minor", direction=direction, length=0.6 * length, **sides)
    if spec.small and spec.scale == "linear":
        axis.set_minor_locator(AutoMinorLocator(spec.small + 1))
    if spec.numbers == "none" or not edge:
        axes.tick_params(axis=name, **{f"label{near}": False})
    elif spec.numbers == "engineering":
        axis.set_major_formatter(EngFormatter(places=spec.digits, sep="\N{THIN SPACE}"))
    elif spec.numbers == "scientific":
        axis.set_major_formatter(FuncFormatter(lambda value, _: scientific(value, spec.digits)))
    elif spec.digits is not None:
        axis.set_major_formatter(FuncFormatter(lambda value, _: f"{value:.{spec.digits}f}".replace("-", "−")))
    elif spec.scale == "linear":
        plain = ScalarFormatter(useOffset=False)
        plain.set_scientific(False)
        axis.set_major_formatter(plain)
    if spec.scale == "logarithmic":
        axis.set_minor_formatter(NullFormatter())
    if spec.grid:
        axes.grid(True, axis=name, alpha=0.25, linewidth=0.5)  # type: ignore[arg-type]


def scientific(value: float, digits: int | None) -> str:
    """``1.2×10³`` for Matplotlib."""
    if value == 0 or not math.isfinite(value):
        return "0" if value == 0 else ""
    mantissa, _, exponent = f"{value:.{3 if digits is None else digits}e}".partition("e")
    if digits is None:
        mantissa = mantissa.rstrip("0").rstrip(".")
    power = f"10^{{\\mathregular{{{int(exponent)}}}}}".replace("-", "{-}")
    return f"${power}$" if mantissa == "1" else rf"{mantissa.replace('-', '−')}×${power}$"


def _draw_frame(axes: Axes, panel: PanelSpec) -> None:
    shown = {"four sides": ("left", "bottom", "top", "right"), "two sides": ("left", "bottom"), "none": ()}[panel.frame]
    for side, spine in axes.spines.items():
        spine.set_visible(side in shown)


def _name(axes: Axes, panel: PanelSpec, names: Sequence[tuple[Drawn, str]], said: dict[str, LineSpec]) -> None:
    """Names at the right ends of the curves, or in a key."""
    if panel.names == "none" or len(names) < 2:
        return
    if panel.names == "key":
        if len(names) <= _NAMED:
            axes.legend(frameon=False, handlelength=1.6)
        return
    if len(names) > _NAMED:
        return
    for line, colour in names:
        good = np.flatnonzero(np.isfinite(line.x) & np.isfinite(line.y))
        if not good.size or panel.x.scale == "reciprocal" or panel.y.scale == "reciprocal":
            continue
        last = int(good[np.argmax(line.x[good])])
        label = said[line.id].label if line.id in said and said[line.id].label else line.label
        axes.annotate(
            mathtext(str(label)), (float(line.x[last]), float(line.y[last])), xytext=(-2, 3),
            textcoords="offset points", color=colour, va="bottom", ha="right", annotation_clip=True,
        )  # fmt: skip
