"""The axes of a panel: words, limits, ticks and their numbers, a stretch left out, another unit on the other side."""

from __future__ import annotations

import math
import textwrap
from typing import Any

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.figures.content import Drawn, Shown, Title
from curvesieve.core.figures.markup import mathtext
from curvesieve.core.figures.pen import Made, Pen, Ref
from curvesieve.core.spectral import energy_of, from_energy, kind_of
from curvesieve.core.study.figure_parts import AxisSpec, Manner, PanelSpec

_CUT_SHARE = 0.03
"""Of what is shown, the room that a left-out stretch takes."""
_TICK_PT, _END_SHARE, _MOST_SMALL = 3.0, 0.07, 1000
_LETTER_EM, _LINES = 0.5, 3
"""The width of a letter in sizes of the font, about; lines that the words of an axis have."""


def set_scale(pen: Pen, axes: str, name: str, spec: AxisSpec, shown: Shown) -> None:
    """Linear, logarithmic, or with a stretch left out; to be set before anything is drawn."""
    method = f"set_{name}scale"
    if spec.cut is not None and spec.scale == "linear":
        low, high, width = _cut(spec, name, shown.lines)
        if width > 0:
            pen.do(axes, method, "function", functions=Made("left_out", (low, high, width)))
    elif spec.scale == "logarithmic":
        pen.do(axes, method, "log")


def _cut(spec: AxisSpec, name: str, lines: tuple[Drawn, ...]) -> tuple[float, float, float]:
    """The stretch that is left out, and the length that stands for it; 0 where there is nothing left on both sides."""
    assert spec.cut is not None
    low, high = sorted(spec.cut)
    left, right = _extent(spec, name, lines)
    shown = max(low - left, 0.0) + max(right - high, 0.0)
    return low, high, _CUT_SHARE * shown if high > low and left < low and right > high else 0.0


def _extent(spec: AxisSpec, name: str, lines: tuple[Drawn, ...]) -> tuple[float, float]:
    ends = [getattr(line, name) for line in lines if not line.right or name == "x"]
    whole = np.concatenate([one[np.isfinite(one)] for one in ends]) if ends else np.zeros(1)
    low = spec.low if spec.low is not None else float(whole.min()) if whole.size else 0.0
    high = spec.high if spec.high is not None else float(whole.max()) if whole.size else 1.0
    return min(low, high), max(low, high)


def set_limits(pen: Pen, axes: str, name: str, spec: AxisSpec, said: list[str]) -> None:
    """Limits as they are typed, the wrong way round too; those that an axis cannot have are told."""
    low, high = spec.low, spec.high
    for value, which in ((low, "from"), (high, "to")):
        if value is not None and value <= 0 and spec.scale == "logarithmic":
            said.append(f"A logarithmic {name} axis cannot go {which} {value:g}; that end fits what is drawn.")
    if spec.scale == "logarithmic":
        low, high = (None if one is None or one <= 0 else one for one in (low, high))
    if low is None and high is None:
        return
    if low is not None and low == high:
        said.append(f"The {name} axis goes from {low:g} to {low:g}; it fits what is drawn.")
        return
    pen.do(axes, f"set_{name}lim", low, high)


def draw_axis(
    pen: Pen, axes: str, name: str, spec: AxisSpec, title: Title, manner: Manner, *, numbered: bool,
    panel: PanelSpec, shown: Shown, far: bool = False, said: list[str],
) -> None:  # fmt: skip
    """Words, ticks and numbers of an axis. `far` is the right axis of a panel."""
    words = folded(_words(spec, title, manner), letters_along(pen, axes, name, manner), said)
    pen.do(axes, f"set_{name}label", mathtext(words) if numbered else "")
    _draw_ticks(pen, axes, name, spec, manner, numbered, far, panel)
    _place_ticks(pen, f"{axes}.{name}axis", spec, name, shown)
    if numbered and spec.numbers != "none":
        _write_numbers(pen, f"{axes}.{name}axis", spec)
    if spec.scale == "logarithmic":
        pen.do(f"{axes}.{name}axis", "set_minor_formatter", Made("ticker.NullFormatter"))
    if spec.grid:
        pen.do(axes, "grid", True, axis=name, alpha=0.25, linewidth=0.5)
    if spec.also and not far:
        _draw_also(pen, axes, name, spec, title, manner, said)


def letters_along(pen: Pen, axes: str, name: str, manner: Manner) -> int:
    """How many letters have room along an axis, about."""
    box = pen.at(axes)
    width, height = box.figure.get_size_inches()
    grid = box.get_subplotspec().get_gridspec()
    inches = width / grid.ncols if name == "x" else height / grid.nrows
    return max(int(0.9 * inches * 72 / (_LETTER_EM * manner.words)), 8)


def folded(text: str, most: int, said: list[str]) -> str:
    """Words in lines of so many letters, three at the most; what has no room is told."""
    if len(text) <= most:
        return text
    lines = textwrap.wrap(text, most)
    if len(lines) > _LINES:
        said.append(f"The words “{text[:20]}…” are longer than there is room for; they end in ….")
        lines = [*lines[: _LINES - 1], lines[_LINES - 1][: most - 1] + "…"]
    return "\n".join(lines)


def _words(spec: AxisSpec, title: Title, manner: Manner) -> str:
    if spec.words is not None:
        return spec.words
    if spec.scale == "reciprocal" and title.name:
        title = Title(f"1/{title.name}", units.power_product(title.unit, -1, "", 0) if title.unit else "")
    return title.said(manner.units)


def _draw_ticks(
    pen: Pen, axes: str, name: str, spec: AxisSpec, manner: Manner, numbered: bool, far: bool, panel: PanelSpec
) -> None:
    near, other = ("bottom", "top") if name == "x" else ("left", "right")
    if far:
        near, other = other, near
    direction = "out" if spec.ticks == "outside" else "in"
    length = 0.0 if spec.ticks == "none" else _tick_length(manner)
    sides: dict[str, Any] = {near: True, other: takes_both(panel, name, spec, far)}
    shown = numbered and spec.numbers != "none"
    for which, long in (("major", length), ("minor", 0.6 * length)):
        pen.do(axes, "tick_params", axis=name, which=which, direction=direction, length=long,
               **{**sides, f"label{near}": shown and which == "major"})  # fmt: skip


def _tick_length(manner: Manner) -> float:
    """In pt; larger beside larger words, but less so."""
    return float(_TICK_PT * (manner.words / 8) ** 0.5)


def takes_both(panel: PanelSpec, name: str, spec: AxisSpec, far: bool) -> bool:
    """Whether an axis has ticks on the other side, too, where nothing else has its numbers."""
    taken = bool(spec.also) or far or (name == "y" and any(one.right for one in panel.contents))
    return spec.both and not taken


def _place_ticks(pen: Pen, axis: str, spec: AxisSpec, name: str, shown: Shown) -> None:
    if spec.cut is not None and spec.scale == "linear":
        low, high, width = _cut(spec, name, shown.lines)
        if width > 0:
            places = _both_sides(spec, name, shown, low, high)
            pen.do(axis, "set_major_locator", Made("ticker.FixedLocator", (places,)))


def set_inner_ticks(pen: Pen, axes: str, name: str, spec: AxisSpec) -> None:
    """Ticks well within their axis, where another panel begins at its ends: their numbers would lie over each other."""
    from matplotlib.ticker import MaxNLocator

    if spec.scale == "logarithmic" or spec.cut is not None:
        return
    low, high = sorted(getattr(pen.at(axes), f"get_{name}lim")())
    air = _END_SHARE * (high - low)
    steps = [1, 2, 2.5, 5, 10]
    places = [float(one) for one in MaxNLocator(nbins=5, steps=steps).tick_values(low, high)]
    inner = [one for one in places if low + air < one < high - air]
    pen.do(f"{axes}.{name}axis", "set_major_locator", Made("ticker.FixedLocator", (inner or places[1:2],)))


def draw_small_ticks(pen: Pen, axes: str, name: str, spec: AxisSpec, manner: Manner, both: bool, far: bool) -> None:
    """The small ticks of an even axis, as marks of one line a side: an object for each would take half the time of a
    page. To be drawn when the limits are final.
    """
    if not spec.small or spec.ticks == "none" or spec.scale == "logarithmic" or spec.cut is not None:
        return
    box = pen.at(axes)
    places = _small_places(
        getattr(box, f"{name}axis").get_majorticklocs(), getattr(box, f"get_{name}lim")(), spec.small
    )
    if not places:
        return
    transform = f"{axes}small{name}"
    pen.do(axes, f"get_{name}axis_transform", into=transform)
    near = 1.0 if far else 0.0
    for edge in (near, 1.0 - near) if both else (near,):
        inwards = (edge == 0) == (spec.ticks == "inside")
        mark = (2 if inwards else 3) if name == "x" else (1 if inwards else 0)  # Matplotlib's numbers of its tick marks
        on = [edge] * len(places)
        xs, ys = (places, on) if name == "x" else (on, places)
        pen.do(axes, "plot", xs, ys, linestyle="none", marker=mark, markersize=0.6 * _tick_length(manner),
               markeredgewidth=0.7 * manner.lines, color=manner.ink, transform=Ref(transform), clip_on=False,
               scalex=False, scaley=False, zorder=2.4)  # fmt: skip


def _small_places(large: Any, ends: tuple[float, float], small: int) -> list[float]:
    """Places between the large ticks and beyond the outermost, as far as the axis goes."""
    low, high = sorted(ends)
    if len(large) < 2:
        return []
    step = float(large[1] - large[0]) / (small + 1)
    if not step > 0 or (high - low) / step > _MOST_SMALL:
        return []
    first, last = math.ceil((low - large[0]) / step - 1e-9), math.floor((high - large[0]) / step + 1e-9)
    return [float(large[0] + k * step) for k in range(first, last + 1) if k % (small + 1)]


def _both_sides(spec: AxisSpec, name: str, shown: Shown, low: float, high: float) -> list[float]:
    """Ticks on both sides of what is left out, as close as the longer side wants them."""
    from matplotlib.ticker import MaxNLocator

    left, right = _extent(spec, name, shown.lines)
    found: list[float] = []
    whole = (low - left) + (right - high)
    for a, b in ((left, low), (high, right)):
        count = max(2, round(7 * (b - a) / whole))
        found += [float(one) for one in MaxNLocator(nbins=count).tick_values(a, b) if a <= one <= b]
    return found


def _write_numbers(pen: Pen, axis: str, spec: AxisSpec) -> None:
    if spec.numbers == "engineering":
        made = Made("ticker.EngFormatter", (), {"places": spec.digits, "sep": "\N{THIN SPACE}"})
    elif spec.numbers == "scientific":
        made = Made("ticker.FuncFormatter", (Made("scientific", (spec.digits,)),))
    elif spec.digits is not None:
        made = Made("ticker.FuncFormatter", (Made("plain", (spec.digits,)),))
    elif spec.scale == "logarithmic":
        made = Made("ticker.FuncFormatter", (Made("powers"),))
    else:
        made = Made("ticker.ScalarFormatter", (), {"useOffset": False})
    pen.do(axis, "set_major_formatter", made)
    if made.name == "ticker.ScalarFormatter":
        pen.do(f"{axis}.major.formatter", "set_scientific", False)


def _draw_also(pen: Pen, axes: str, name: str, spec: AxisSpec, title: Title, manner: Manner, said: list[str]) -> None:
    """The other side in another unit."""
    try:
        turn, other = _turned(title, spec.also)
    except InputError as error:
        said.append(f"The second {name} axis: {error}")
        return
    low, high = sorted(getattr(pen.at(axes), f"get_{name}lim")())
    if spec.scale == "reciprocal" or (turn.name == "divided" and low <= 0):
        said.append(f"The second {name} axis in {units.shown(spec.also)} has no place for {low:g} to {high:g}.")
        return
    kept = f"{axes}{name}2"
    side = "top" if name == "x" else "right"
    pen.do(axes, f"secondary_{name}axis", side, functions=turn, into=kept)
    pen.do(kept, f"set_{name}label", mathtext(other.said(manner.units) if spec.also_words is None else spec.also_words))
    direction = "out" if spec.ticks == "outside" else "in"
    pen.do(kept, "tick_params", axis=name, which="major", direction=direction, length=_TICK_PT)
    pen.do(f"{kept}.{name}axis", "set_minor_locator", Made("ticker.NullLocator"))
    if turn.name == "divided":
        places = _even_places(turn, low, high)
        pen.do(f"{kept}.{name}axis", "set_major_locator", Made("ticker.FixedLocator", (places,)))
    pen.do(f"{kept}.{name}axis", "set_major_formatter", Made("ticker.ScalarFormatter", (), {"useOffset": False}))


def _even_places(turn: Made, low: float, high: float) -> list[float]:
    """Round numbers of a divided axis that stand some way apart: where they crowd, fewer."""
    from matplotlib.ticker import MaxNLocator

    number = float(turn.args[0])  # type: ignore[arg-type]
    ends = sorted((number / low, number / high))
    places = [float(one) for one in MaxNLocator(nbins=40).tick_values(*ends) if ends[0] <= one <= ends[1] and one > 0]
    kept: list[float] = []
    for one in sorted(places, key=lambda value: number / value):
        if not kept or (number / one - number / kept[-1]) > 0.13 * (high - low):
            kept.append(one)
    return kept


def _turned(title: Title, unit: str) -> tuple[Made, Title]:
    """How the numbers of an axis become those in another unit, and its name with that.

    Raises InputError where they do not.
    """
    if title.unit and units.convertible(title.unit, unit):
        zero, one = units.convert(np.array([0.0, 1.0]), title.unit, unit)
        return Made("linear", (float(one - zero), float(zero))), Title(title.name, unit)
    (kind, _), (other, own) = kind_of(title.unit), kind_of(unit)
    at = float(from_energy(energy_of(np.array([1.0]), title.unit), other)[0]) / own
    words = Title(other.capitalize(), unit)
    return (Made("divided", (at,)) if "wavelength" in (kind, other) else Made("linear", (at, 0.0))), words


def draw_frame(pen: Pen, axes: str, panel: PanelSpec, right: bool) -> None:
    """The frame on four sides, on two, or none; a side with numbers of its own has its line."""
    wanted = {"four sides": ("left", "bottom", "top", "right"), "two sides": ("left", "bottom"), "none": ()}
    for side in ("left", "bottom", "top", "right"):
        shown = side in wanted[panel.frame] or (side == "right" and right)
        if not shown:
            pen.do(f"{axes}.spines.{side}", "set_visible", False)


def draw_cut(pen: Pen, axes: str, name: str, spec: AxisSpec, shown: Shown, manner: Manner, panel: PanelSpec) -> None:
    """Two slanted strokes across the frame where a stretch is left out."""
    if spec.cut is None or spec.scale != "linear":
        return
    low, high, width = _cut(spec, name, shown.lines)
    if width <= 0:
        return
    transform = f"{axes}cut{name}"
    pen.do(axes, f"get_{name}axis_transform", into=transform)
    edges = (0.0, 1.0) if panel.frame == "four sides" else (0.0,)
    for edge in edges:
        at, across = [low, high], [edge, edge]
        stroke = [(-0.4, -1.0), (0.4, 1.0)] if name == "x" else [(-1.0, -0.4), (1.0, 0.4)]
        xs, ys = (at, across) if name == "x" else (across, at)
        pen.do(axes, "plot", xs, ys, linestyle="none", marker=stroke, markersize=7, color=manner.ink,
               markeredgewidth=manner.lines, clip_on=False, transform=Ref(transform), scalex=False,
               scaley=False)  # fmt: skip
