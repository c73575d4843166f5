"""Marks of a panel, drawn: guides, bands, brackets, words, arrows, scale bars, and the magnified stretch."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from curvesieve.core import units
from curvesieve.core.figures.axes import folded, letters_along
from curvesieve.core.figures.content import Shown, Title
from curvesieve.core.figures.lines import DASHED
from curvesieve.core.figures.markup import mathtext
from curvesieve.core.figures.pen import Pen, Ref
from curvesieve.core.figures.places import Placed
from curvesieve.core.study.figure_parts import (
    ArrowMark,
    BandMark,
    BracketMark,
    GuideMark,
    Manner,
    PanelSpec,
    ScaleMark,
    WordsMark,
)


def draw_marks(
    pen: Pen, axes: str, place: int, panel: PanelSpec, shown: Shown, manner: Manner, said: list[str]
) -> None:
    """Draws the marks that have a place; each is kept as ``mark<panel>_<number>``."""
    room = letters_along(pen, axes, "x", manner)
    for number, found in enumerate(shown.marks):
        mark, name = found.mark, f"mark{place}_{number}"
        if found.gone:
            continue
        one = replace(found, words=folded(found.words, room, said))
        if isinstance(mark, GuideMark | BandMark | BracketMark) and not _has_place(panel, mark, one):
            said.append(f"A {mark.kind} at {one.low:g} has no place on a {_scale(panel, mark)} axis.")
        elif isinstance(mark, GuideMark):
            _guide(pen, axes, panel, one, mark, manner, name)
        elif isinstance(mark, BandMark):
            _band(pen, axes, panel, one, mark, manner, name)
        elif isinstance(mark, BracketMark):
            _bracket(pen, axes, panel, one, mark, manner, name)
        elif isinstance(mark, WordsMark):
            pen.do(axes, "text", mark.x, mark.y, mathtext(one.words), transform=Ref(f"{axes}.transAxes"), zorder=6,
                   into=name)  # fmt: skip
        elif isinstance(mark, ArrowMark):
            head = {"arrowstyle": "->", "color": manner.ink, "linewidth": manner.lines, "shrinkA": 2, "shrinkB": 0}
            pen.do(
                axes, "annotate", mathtext(one.words), (mark.x1, mark.y1), xytext=(mark.x0, mark.y0),
                xycoords="axes fraction", textcoords="axes fraction", ha="center", va="center", zorder=6, into=name,
                arrowprops=head,
            )  # fmt: skip
        elif isinstance(mark, ScaleMark):
            _scale_bar(pen, axes, panel, one, mark, shown, manner, name, said)


def _scale(panel: PanelSpec, mark: GuideMark | BandMark | BracketMark) -> str:
    return panel.y.scale if getattr(mark, "level", False) else panel.x.scale


def _has_place(panel: PanelSpec, mark: GuideMark | BandMark | BracketMark, one: Placed) -> bool:
    scale = _scale(panel, mark)
    places = [value for value in (one.low, one.high) if value is not None]
    if scale == "logarithmic":
        return all(value > 0 for value in places)
    return scale != "reciprocal" or all(value != 0 for value in places)


def _at(panel: PanelSpec, value: float | None, level: bool = False) -> float:
    assert value is not None
    return 1 / value if (panel.y if level else panel.x).scale == "reciprocal" else value


def _guide(pen: Pen, axes: str, panel: PanelSpec, one: Placed, mark: GuideMark, manner: Manner, name: str) -> None:
    at = _at(panel, one.low, mark.level)
    pen.do(axes, "axhline" if mark.level else "axvline", at, color=manner.ink, alpha=0.7, linewidth=manner.lines,
           linestyle=DASHED, zorder=1.5, into=name)  # fmt: skip
    words = " ".join(part for part in (one.words, f"{one.low:.6g}" if mark.number else "") if part)
    if not words:
        return
    kept = f"{name}t"
    pen.do(axes, "get_yaxis_transform" if mark.level else "get_xaxis_transform", into=kept)
    pen.do(
        axes, "annotate", mathtext(words), (0.99, at) if mark.level else (at, 0.98), xycoords=Ref(kept),
        xytext=(0, 2) if mark.level else (3, 0), textcoords="offset points", zorder=6,
        ha="right" if mark.level else "left", va="bottom" if mark.level else "top",
    )  # fmt: skip


def _band(pen: Pen, axes: str, panel: PanelSpec, one: Placed, mark: BandMark, manner: Manner, name: str) -> None:
    low, high = sorted((_at(panel, one.low, mark.level), _at(panel, one.high, mark.level)))
    pen.do(axes, "axhspan" if mark.level else "axvspan", low, high, color=manner.ink, alpha=0.08, linewidth=0,
           zorder=0.5, into=name)  # fmt: skip
    if one.words:
        kept = f"{name}t"
        pen.do(axes, "get_yaxis_transform" if mark.level else "get_xaxis_transform", into=kept)
        middle = (low * high) ** 0.5 if _scale(panel, mark) == "logarithmic" else (low + high) / 2
        where = (0.99, middle) if mark.level else (middle, 0.98)
        pen.do(axes, "text", *where, mathtext(one.words), transform=Ref(kept), zorder=6,
               ha="right" if mark.level else "center", va="center" if mark.level else "top")  # fmt: skip


def _bracket(pen: Pen, axes: str, panel: PanelSpec, one: Placed, mark: BracketMark, manner: Manner, name: str) -> None:
    assert one.low is not None
    assert one.high is not None
    low, high = sorted((_at(panel, one.low), _at(panel, one.high)))
    kept = f"{name}t"
    pen.do(axes, "get_xaxis_transform", into=kept)
    foot = mark.y - 0.03
    pen.do(axes, "plot", [low, low, high, high], [foot, mark.y, mark.y, foot], color=manner.ink,
           linewidth=manner.lines, transform=Ref(kept), zorder=6, scalex=False, scaley=False, into=name)  # fmt: skip
    words = " ".join(part for part in (one.words, f"{abs(one.high - one.low):.4g}" if mark.number else "") if part)
    if words:
        middle = (low * high) ** 0.5 if panel.x.scale == "logarithmic" else (low + high) / 2
        pen.do(axes, "text", middle, mark.y + 0.01, mathtext(words), transform=Ref(kept), ha="center", va="bottom",
               zorder=6)  # fmt: skip


def _scale_bar(
    pen: Pen, axes: str, panel: PanelSpec, one: Placed, mark: ScaleMark, shown: Shown, manner: Manner, name: str,
    said: list[str],
) -> None:  # fmt: skip
    """A bar as long as so much of the axis; its words are the length with the unit of the axis."""
    axis, title = (panel.x, shown.x) if mark.level else (panel.y, shown.y)
    box = pen.at(axes)
    low, high = sorted(box.get_xlim() if mark.level else box.get_ylim())
    if axis.scale != "linear" or axis.cut is not None:
        said.append(
            f"A scale bar needs an even axis; that of this panel is {axis.scale}{' and cut' if axis.cut else ''}."
        )
        return
    share = mark.length / (high - low)
    if share > 1:
        said.append(f"A scale bar of {mark.length:g} is longer than its axis, which shows {high - low:.4g}.")
        return
    xs, ys = (
        ([mark.x, mark.x + share], [mark.y, mark.y]) if mark.level else ([mark.x, mark.x], [mark.y, mark.y + share])
    )
    pen.do(axes, "plot", xs, ys, color=manner.ink, linewidth=3 * manner.lines, solid_capstyle="butt", zorder=6,
           transform=Ref(f"{axes}.transAxes"), scalex=False, scaley=False, into=name)  # fmt: skip
    words = one.words if mark.words is not None else _length(mark.length, title)
    at = (mark.x + share / 2, mark.y + 0.015) if mark.level else (mark.x + 0.015, mark.y + share / 2)
    pen.do(axes, "text", *at, mathtext(words), transform=Ref(f"{axes}.transAxes"), zorder=6,
           ha="center" if mark.level else "left", va="bottom" if mark.level else "center")  # fmt: skip


def _length(length: float, title: Title) -> str:
    return f"{length:g} {units.shown(title.unit)}".strip()


def inset_limits(panel: PanelSpec, shown: Shown) -> tuple[float, float, float, float] | None:
    """Where the magnified stretch goes in x and y; y fits what is drawn there. None where nothing is."""
    spec = panel.inset
    assert spec is not None
    low, high = sorted((spec.low, spec.high))
    found = [line.y[(line.x >= low) & (line.x <= high) & np.isfinite(line.y)] for line in shown.lines if not line.right]
    inside = np.concatenate(found) if found else np.zeros(0)
    if not inside.size or low == high:
        return None
    air = 0.06 * (float(np.ptp(inside)) or abs(float(inside[0])) or 1.0)
    y_low = float(inside.min()) - air if spec.y_low is None else spec.y_low
    y_high = float(inside.max()) + air if spec.y_high is None else spec.y_high
    if panel.y.scale == "logarithmic" and y_low <= 0:
        positive = inside[inside > 0]
        y_low = float(positive.min()) if positive.size else y_high / 10
    return (low, high, y_low, y_high) if y_low != y_high else None
