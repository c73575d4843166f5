"""Lines, names and constructions of a panel, drawn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.envelope import outline
from curvesieve.core.errors import counted
from curvesieve.core.figures.colours import readable, walk
from curvesieve.core.figures.content import Drawn
from curvesieve.core.figures.markup import mathtext
from curvesieve.core.figures.pen import Numbers, Pen, Ref
from curvesieve.core.shapes import Fill, Line, Point, Shape, Words
from curvesieve.core.study.figure_parts import DASHES, AxisSpec, LineSpec, Manner, PanelSpec

_DASHES: dict[str, Any] = {
    "solid": "-", "dashed": (0, (5, 2.5)), "dotted": (0, (1, 1.8)), "dash and dot": (0, (6, 2, 1, 2)), "none": "none",
}  # fmt: skip
DASHED = _DASHES["dashed"]
_MARKS = {"none": "None", "circle": "o", "square": "s", "triangle": "^", "diamond": "D", "cross": "x"}
NAMED, _LONGEST_NAME = 40, 60
"""More names than these are not set: nobody could read them."""
_BARS = 500
"""Error bars that one line has at the most."""


@dataclass(frozen=True)
class Style:
    """How one line comes out: what is said of it, over what the manner says."""

    spec: LineSpec
    colour: str
    width: float
    dash: str
    mark: str


@dataclass(frozen=True)
class Named:
    """A line that is to have a name: its number in the panel, and its style."""

    number: int
    line: Drawn
    style: Style


def style_of(panel: PanelSpec, manner: Manner, line: Drawn, number: int) -> Style:
    """The style of the line at a place in its panel."""
    spec = dict(panel.lines).get(line.id, LineSpec())
    if spec.colour:
        colour = spec.colour
    elif line.role == "fit":
        alone = not any(one.kind == "family" for one in panel.contents)
        colour = manner.palette[1 % len(manner.palette)] if alone else manner.ink
    elif line.along is not None:
        colour = walk(manner.along, line.along)
    else:
        colour = manner.palette[number % len(manner.palette)]
    points = line.role == "points"
    dash = spec.dash or ("none" if points else DASHES[number % 4] if manner.dashes else "solid")
    width = spec.width or manner.lines * (1.2 if line.role == "fit" else 1.0)
    return Style(spec, colour, width, dash, spec.mark or ("circle" if points else "none"))


def draw_line(
    pen: Pen, axes: str, panel: PanelSpec, line: Drawn, style: Style, data: tuple[Numbers, Numbers, Numbers | None],
    most: int, name: str, said: list[str],
) -> None:  # fmt: skip
    """Draws a line onto the axes of a name and keeps it as `name`; what has no place on them is told.

    A line of many points is drawn by the extremes of `most` stretches, which print the same.
    """
    x, y, u = data
    _tell_places(panel, line, said)
    x, y = _on_axis(x, panel.x.scale), _on_axis(y, (panel.right if line.right else panel.y).scale)
    y = _left_out(_left_out(y, x, panel.x), y, panel.right if line.right else panel.y)
    spec, colour = style.spec, style.colour
    over = spec.front + (3 if line.role == "fit" else 2)
    spread = spec.spread or ("bars" if line.role == "points" else "none")
    if u is not None and spread == "bars":
        every = -(-u.values.size // _BARS)
        if every > 1:
            said.append(f"{line.label}: error bars stand at every {every}th of its points.")
        pen.do(axes, "errorbar", x, y, u, fmt="none", ecolor=colour, elinewidth=0.7 * style.width, capsize=1.6,
               capthick=0.7 * style.width, errorevery=every, zorder=over - 0.1)  # fmt: skip
    elif u is not None and spread == "band":
        low_ = Numbers(f"{y.text} - {u.text}", y.values - u.values)
        high_ = Numbers(f"{y.text} + {u.text}", y.values + u.values)
        pen.do(axes, "fill_between", x, low_, high_, color=colour, alpha=0.2, linewidth=0, zorder=over - 0.2)
    elif spread != "none" and u is None and line.role != "points":
        said.append(f"{line.label} has no u to draw.")
    name_said = mathtext(shortened(spec.label or line.label, said))
    if spec.shape == "columns":
        pen.do(axes, "bar", x, y, width=_column_width(x.values), color=colour, alpha=0.35, edgecolor=colour,
               linewidth=style.width, label=name_said, zorder=over, into=name)  # fmt: skip
        return
    if spec.fill or line.role == "peak":
        pen.do(axes, "fill_between", x, y, _ground(line), color=colour, alpha=0.15, linewidth=0, zorder=over - 0.3)
    x, y = _thinned(x, y, most)
    pen.do(
        axes, "plot", x, y, color=colour, linewidth=style.width, linestyle=_DASHES[style.dash],
        marker=_MARKS[style.mark], markersize=spec.mark_size, markevery=spec.every if spec.every > 1 else None,
        zorder=over, label=name_said,
        drawstyle="steps-mid" if spec.shape == "steps" else "default", into=name,
    )  # fmt: skip


def _left_out(y: Numbers, along: Numbers, axis: AxisSpec) -> Numbers:
    """y without a number where the values along an axis are in the stretch that it leaves out."""
    if axis.cut is None or axis.scale != "linear":
        return y
    low, high = sorted(axis.cut)
    text = f"np.where(({along.text} > {low!r}) & ({along.text} < {high!r}), np.nan, {y.text})"
    return Numbers(text, np.where((along.values > low) & (along.values < high), np.nan, y.values))


def _on_axis(numbers: Numbers, scale: str) -> Numbers:
    if scale != "reciprocal":
        return numbers
    with np.errstate(divide="ignore"):
        turned = np.where(numbers.values == 0, np.nan, 1 / numbers.values)
    return Numbers(f"over({numbers.text})", turned)


def _thinned(x: Numbers, y: Numbers, most: int) -> tuple[Numbers, Numbers]:
    if x.values.size <= 3 * most:
        return x, y
    there = np.isfinite(y.values)
    pieces = np.split(np.arange(x.values.size), np.flatnonzero(np.diff(there)) + 1)
    if len(pieces) > most:
        return x, y
    thin = []
    for piece in pieces:
        if there[piece[0]]:
            share = max(round(most * piece.size / x.values.size), 1)
            thin.append(outline(x.values[piece], y.values[piece], share))
        else:  # of a gap one point is enough
            thin.append((x.values[piece[:1]], y.values[piece[:1]]))
    return (
        Numbers(x.text, np.concatenate([one for one, _ in thin])),
        Numbers(y.text, np.concatenate([one for _, one in thin])),
    )


def _column_width(x: Floats) -> float:
    steps = np.diff(np.unique(x[np.isfinite(x)]))
    return float(steps.min()) if steps.size else 1.0


def _ground(line: Drawn) -> float:
    """What an area under a line is filled to: zero; for one of a family, or a peak on its ground, its own lowest."""
    good = line.y[np.isfinite(line.y)]
    return float(good.min()) if good.size and (line.along is not None or line.role == "peak") else 0.0


def _tell_places(panel: PanelSpec, line: Drawn, said: list[str]) -> None:
    """Tells the points that an axis has no place for."""
    upright = panel.right if line.right else panel.y
    keep = np.isfinite(line.x) & np.isfinite(line.y)
    for scale, values, name in ((panel.x.scale, line.x, "x"), (upright.scale, line.y, "y")):
        bad = keep & ((values <= 0) if scale == "logarithmic" else (values == 0) if scale == "reciprocal" else False)
        count = int(bad.sum())
        if count:
            first = ", ".join(f"{one:.6g}" for one in line.x[bad][:3])
            more = "" if count <= 3 else ", …"
            verb = "has" if count == 1 else "have"
            said.append(
                f"{line.label}: {counted(count, 'point')} {verb} no place on the {scale} {name} axis "
                f"(x = {first}{more})."
            )
        keep &= ~bad
    for axis, values, name in ((panel.x, line.x, "x"), (upright, line.y, "y")):
        if axis.cut is None or axis.scale != "linear":
            continue
        low, high = sorted(axis.cut)
        inside = keep & (values > low) & (values < high)
        if inside.any():
            many = counted(int(inside.sum()), "point")
            said.append(f"{line.label}: {many} in the stretch that is left out of the {name} axis.")
        keep &= ~inside


def draw_names(
    pen: Pen, axes: str, panel: PanelSpec, manner: Manner, named: Sequence[Named], place: int,
    said: list[str],
) -> None:  # fmt: skip
    """Names at the right ends of the curves, or in a key."""
    if panel.names == "none" or len(named) < 2:
        return
    if len(named) > NAMED:
        said.append(f"The names of {len(named)} lines are not set: more than {NAMED} cannot be read.")
        return
    if panel.names == "key":
        corner = {
            "where there is room": "best", "top left": "upper left", "top right": "upper right",
            "bottom left": "lower left", "bottom right": "lower right",
        }[panel.key_at]  # fmt: skip
        handles = [Ref(f"line{place}_{one.number}[0]") for one in named]
        pen.do(axes, "legend", handles=handles, frameon=False, handlelength=1.6, loc=corner, into=f"key{place}")
        return
    for one in named:
        line, style = one.line, one.style
        where = _end(line, panel)
        if where is None:
            continue
        text = shortened(style.spec.label or line.label, said)
        pen.do(
            f"{axes}{'r' if line.right else ''}", "annotate", mathtext(text), where,
            xytext=(-2 + style.spec.shift[0], 3 + style.spec.shift[1]), textcoords="offset points",
            color=readable(style.colour, manner.ink, manner.paper), va="bottom", ha="right", zorder=6,
            into=f"name{place}_{one.number}",
        )  # fmt: skip


def shortened(text: str, said: list[str]) -> str:
    """A name that is no longer than can be read beside a curve; what is cut is told."""
    if len(text) <= _LONGEST_NAME:
        return text
    said.append(f"The name “{text[:20]}…” is long and ends in ….")
    return text[: _LONGEST_NAME - 1] + "…"


def _end(line: Drawn, panel: PanelSpec) -> tuple[float, float] | None:
    """Where a line is farthest to the right of what its axis shows."""
    upright = panel.right if line.right else panel.y
    x = _on_axis(Numbers("", line.x), panel.x.scale).values
    y = _on_axis(Numbers("", line.y), upright.scale).values
    good = np.isfinite(x) & np.isfinite(y)
    if panel.x.scale == "logarithmic":
        good &= x > 0
    if upright.scale == "logarithmic":
        good &= y > 0
    low, high = panel.x.low, panel.x.high
    turned = low is not None and high is not None and low > high
    for limit, above in ((min, False), (max, True)):
        ends = [one for one in (low, high) if one is not None]
        if len(ends) == 2:
            edge = limit(ends)
            good &= (x <= edge) if above else (x >= edge)
        elif ends and ((low is not None) != above):
            good &= (x >= ends[0]) if not above else (x <= ends[0])
    places = np.flatnonzero(good)
    if not places.size:
        return None
    last = int(places[np.argmin(x[places]) if turned else np.argmax(x[places])])
    return float(x[last]), float(y[last])


def draw_shapes(
    pen: Pen, axes: str, groups: Sequence[Sequence[Shape]], numbers: Sequence[tuple[Numbers, ...]], manner: Manner
) -> None:
    """The constructions of readings: lines, places, areas, and the number of each."""
    given = iter(numbers)
    words: list[Words] = []
    for shape in (one for group in groups for one in group):
        aid = getattr(shape, "role", "") == "aid"
        if isinstance(shape, Line):
            x, y = next(given)
            pen.do(axes, "plot", x, y, color=manner.ink, alpha=0.5 if aid else 1.0, linewidth=0.9 * manner.lines,
                   linestyle=DASHED if aid else "-", zorder=2.5, scalex=False, scaley=False)  # fmt: skip
        elif isinstance(shape, Fill):
            x, low, high = next(given)
            pen.do(axes, "fill_between", x, low, high, color=manner.ink, alpha=0.08, linewidth=0, zorder=1)
        elif isinstance(shape, Point):
            pen.do(axes, "plot", [shape.x], [shape.y], "o", color=manner.ink, markersize=4, fillstyle="none", zorder=4)
        elif isinstance(shape, Words):
            words.append(shape)
    _write(pen, axes, words, manner)


def _write(pen: Pen, axes: str, words: Sequence[Words], manner: Manner) -> None:
    """Names beside their places, those that would lie over one another set below each other."""
    box = pen.at(axes)
    (low, high), (left, right) = box.get_ylim(), box.get_xlim()
    inches = box.get_position().height * box.figure.get_size_inches()[1]
    line = 1.3 * manner.words / 72 / max(inches, 0.3) * (high - low)
    taken: list[tuple[float, float]] = []
    for one in sorted(words, key=lambda word: -word.y):
        far = one.x > left + 0.55 * (right - left)
        at = max(one.y - (0.0 if not far else line), low + 0.7 * line)
        turn = -line if at - line > low else line
        while any(abs(at - y) < line and abs(one.x - x) < 0.35 * (right - left) for x, y in taken):
            at += turn
        taken.append((one.x, at))
        side = -1 if far else 1
        pen.do(axes, "text", one.x + side * 0.015 * (right - left), at, mathtext(one.text), va="center",
               ha="right" if far else "left", zorder=6)  # fmt: skip
