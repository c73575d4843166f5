"""Where the panels stand on the page: as large as their words and numbers leave them, in even rows and columns.

Each axis is measured once, where it is about to be, in place of the solver that Matplotlib has for it: a page is laid
out anew at every change, and should be there at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.figures.pen import Pen
from curvesieve.core.study.figure_parts import FigureSpec

_MARGIN_MM, _PT_MM = 1.5, 25.4 / 72
_LETTER_EM, _LINE_EM = 0.5, 1.3
_TICK_PAD_PT, _LABEL_PAD_PT = 3.5, 4.0
"""Matplotlib's distances of numbers from the frame, and of words from the numbers."""
_LEAST_MM = 4.0
_AGAIN = 0.06
"""Share by which a panel may come out larger or smaller than it was measured at, before it is measured again."""
_DPI = 100.0
_KEPT = 200


@dataclass(frozen=True)
class Around:
    """What words and numbers take around one panel, in mm: left, right, top, bottom."""

    left: float
    right: float
    top: float
    bottom: float


_known: dict[tuple[object, ...], list[Around]] = {}


def lay_out(pen: Pen, spec: FigureSpec, count: int) -> tuple[list[Around], bool]:
    """Gives so many panels, kept as ``ax0`` and so on, their places. Returns what stands around each, and whether all
    had room.
    """
    figure: Any = pen.at("fig")
    dpi, figure.dpi = figure.dpi, _DPI
    guess = [_guessed(pen, spec, number) for number in range(count)]
    try:
        places, room = _places(spec, guess)
        _put(pen, places, record=False)
        around = _measured(pen, spec, count)
        final, room = _places(spec, around)
        if np.abs(final[:, 2:] / places[:, 2:] - 1).max(initial=0) > _AGAIN:
            _put(pen, final, record=False)
            around = _measured(pen, spec, count)
            final, room = _places(spec, around)
        _put(pen, final, record=True)
    finally:
        figure.dpi = dpi
    return around, room


def _guessed(pen: Pen, spec: FigureSpec, number: int) -> Around:
    """What the words and numbers of a panel take, by their letters: near enough that it is measured once."""
    pt = spec.manner.words
    axes = pen.at(f"ax{number}")
    right = pen.kept.get(f"ax{number}r")
    x_letters, y_letters = _letters(axes.xaxis), _letters(axes.yaxis)
    y_words = _words(axes.yaxis, pt)
    x_numbers = (_TICK_PAD_PT + pt) if x_letters else 0.0
    sides = (
        y_words + (_TICK_PAD_PT + _LETTER_EM * y_letters * pt if y_letters else 0.0),
        max(_words(right.yaxis, pt) + _TICK_PAD_PT + _LETTER_EM * _letters(right.yaxis) * pt if right else 0.0,
            0.25 * _LETTER_EM * x_letters * pt),
        (2 * _LINE_EM * pt + _TICK_PAD_PT + _LABEL_PAD_PT) if f"ax{number}x2" in pen.kept else 0.3 * pt,
        x_numbers + _words(axes.xaxis, pt),
    )  # fmt: skip
    return Around(*(side * _PT_MM for side in sides))


def _letters(axis: Any) -> int:
    """The letters of the longest number of an axis; 0 where it has none."""
    shown = axis.get_tick_params().get("labelleft" if axis.axis_name == "y" else "labelbottom", True)
    if not shown and not axis.get_tick_params().get("labelright", False):
        return 0
    found = axis.get_major_formatter().format_ticks(axis.get_majorticklocs())
    return max((len(one.replace("$", "")) for one in found), default=0)


def _words(axis: Any, pt: float) -> float:
    """The room of an axis's words in pt."""
    text = axis.get_label_text()
    return (_LINE_EM * (text.count("\n") + 1) * pt + _LABEL_PAD_PT) if text else 0.0


def _put(pen: Pen, places: Floats, record: bool) -> None:
    for number, place in enumerate(places):
        box = [round(float(one), 6) for one in place]
        if record:
            pen.do(f"ax{number}", "set_position", box)
        else:
            pen.at(f"ax{number}").set_position(box)


def _places(spec: FigureSpec, around: list[Around]) -> tuple[Floats, bool]:
    """Left, bottom, width, height of each panel in shares of the page, of shape (panels, 4); whether all have room."""
    columns, count = spec.columns, len(around)
    rows = max(-(-count // columns), 1)
    left, right = np.zeros(columns), np.zeros(columns)
    top, bottom = np.zeros(rows), np.zeros(rows)
    for number, one in enumerate(around):
        row, column = divmod(number, columns)
        left[column], right[column] = max(left[column], one.left), max(right[column], one.right)
        top[row], bottom[row] = max(top[row], one.top), max(bottom[row], one.bottom)
    wide, wide_room = _shared(
        spec.width - 2 * _MARGIN_MM - left.sum() - right.sum() - spec.gap * (columns - 1), spec.widths, columns
    )
    high, high_room = _shared(
        spec.height - 2 * _MARGIN_MM - top.sum() - bottom.sum() - spec.gap * (rows - 1), spec.heights, rows
    )
    x = _MARGIN_MM + left + np.concatenate([[0], np.cumsum(left + wide + right + spec.gap)[:-1]])
    above = top + np.concatenate([[0], np.cumsum(top + high + bottom + spec.gap)[:-1]])
    y = spec.height - _MARGIN_MM - above - high
    rows_, columns_ = np.divmod(np.arange(count), columns)
    places = np.column_stack([
        x[columns_] / spec.width, y[rows_] / spec.height, wide[columns_] / spec.width, high[rows_] / spec.height
    ])  # fmt: skip
    return places, wide_room and high_room


def _shared(whole: float, shares: tuple[float, ...], count: int) -> tuple[Floats, bool]:
    """A length shared among rows or columns; whether there was enough of it."""
    each = np.array(shares if len(shares) == count and min(shares) > 0 else [1.0] * count)
    room = whole >= _LEAST_MM * count
    return (whole if room else _LEAST_MM * count) * each / each.sum(), room


def _measured(pen: Pen, spec: FigureSpec, count: int) -> list[Around]:
    """What stands around the panels where they are now; of the same words at the same places it is known."""
    key = (spec.width, spec.height, spec.columns, repr(spec.manner), *(_said(pen, number) for number in range(count)))
    if key not in _known:
        while len(_known) >= _KEPT:
            del _known[next(iter(_known))]
        _known[key] = _measure(pen, spec, count)
    return _known[key]


def _said(pen: Pen, number: int) -> tuple[object, ...]:
    """All that decides on what a panel's words and numbers take: these, their places, and how they are drawn."""
    name = f"ax{number}"
    found: list[object] = [tuple(np.round(pen.at(name).get_position().bounds, 9).tolist())]
    for one in (name, f"{name}r", f"{name}x2", f"{name}y2", f"{name}c"):
        if one not in pen.kept:
            continue
        axes = pen.at(one)
        for axis in (axes.xaxis, axes.yaxis):
            places = axis.get_majorticklocs()
            found += [
                one, axis.get_visible(), axis.get_label_text(), axis.get_scale(),
                tuple(map(float, axis.get_view_interval())), tuple(map(float, places)),
                tuple(axis.get_major_formatter().format_ticks(places)), repr(axis.get_tick_params()),
            ]  # fmt: skip
    return tuple(found)


def _measure(pen: Pen, spec: FigureSpec, count: int) -> list[Around]:
    renderer = pen.at("fig").canvas.get_renderer()
    made = []
    for number in range(count):
        row, column = divmod(number, spec.columns)
        last = number + spec.columns >= count
        made.append(_around(pen, number, renderer, (column == 0, column == spec.columns - 1 or number == count - 1,
                                                    row == 0, last)))  # fmt: skip
    return made


def _around(pen: Pen, number: int, renderer: Any, outer: tuple[bool, bool, bool, bool]) -> Around:
    """What the axes of a panel need. Numbers may stick out over its corner where no other panel is."""
    name = f"ax{number}"
    axes = pen.at(name)
    box = axes.bbox
    sides = np.zeros(4)
    all_axes = [axes, *(pen.kept[one] for one in (f"{name}r", f"{name}x2", f"{name}y2", f"{name}c") if one in pen.kept)]
    for one in all_axes:
        if one is not axes and one in axes.child_axes:
            one.apply_aspect(one.get_axes_locator()(one, renderer) if one.get_axes_locator() else None)
        for level, axis in ((True, one.xaxis), (False, one.yaxis)):
            if not axis.get_visible():
                continue
            found = axis.get_tightbbox(renderer)
            if found is None:
                continue
            out = np.array([box.x0 - found.x0, found.x1 - box.x1, found.y1 - box.y1, box.y0 - found.y0])
            own = np.array([not level, not level, level, level])
            sides = np.maximum(sides, np.where(own | np.array(outer), out, 0))
    return Around(*(float(side) * 25.4 / _DPI for side in sides))
