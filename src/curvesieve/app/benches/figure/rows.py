"""What can be changed of each part of a figure: its fields in the order of their rows, with the words beside them.

What a field takes (a number, words, a choice, on or off) is read off the part's own declaration.
"""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import BaseModel

from curvesieve.core.fitting.straighten import STRAIGHTENINGS
from curvesieve.core.study.figure_parts import (
    ArrowMark,
    AxisSpec,
    BandMark,
    BracketMark,
    ConstructionContent,
    CurveContent,
    FamilyContent,
    FieldContent,
    FigureSpec,
    GuideMark,
    Inset,
    LineSpec,
    PanelSpec,
    ResidualContent,
    ScaleMark,
    StraightContent,
    TrendContent,
    WordsMark,
)


@dataclass(frozen=True)
class Row:
    """One field, or two that stand side by side (`other`). `empty` is what an empty field says; `choices` are values of
    a field of text by their words. `kind` of ``colour`` and ``words`` have editors of their own.
    """

    field: str
    words: str
    unit: str = ""
    other: str = ""
    empty: str = ""
    kind: str = ""
    tip: str = ""
    beside: bool = False
    """Whether it stands in the same line as the one before it."""
    choices: tuple[tuple[str, str], ...] = ()


_RIGHT = Row("right", "on the right axis", tip="Read on an axis of its own, to the right")
_PLACE = Row("x", "at", other="y", tip="In shares of the panel, from its bottom left corner; or drag it")
_WORDS = Row("words", "words", kind="words", tip="x^2, x_{max}, *italic*, \\alpha; {E of curve} is a reading")

ROWS: dict[type[BaseModel], tuple[Row, ...]] = {
    PanelSpec: (
        Row("names", "names"), Row("key_at", "key stands", tip="Where the key stands, if there is one"),
        Row("frame", "frame"),
    ),
    CurveContent: (Row("fit", "its fit"), Row("peaks", "its peaks", beside=True), _RIGHT),
    ResidualContent: (_RIGHT,),
    FamilyContent: (
        Row("lifted", "lifted"), Row("lift", "by", empty="found", tip="Empty: so that no two touch", beside=True),
        Row("normal", "made alike"), Row("fits", "their fits"),
        Row("recorded", "as recorded", tip="Before the sieve; else as the curves passed", beside=True),
        Row("low", "from – to", other="high", empty="–", tip="The band, or the place, that they are made alike at"),
        _RIGHT,
    ),
    TrendContent: (
        Row("law", "law in c", kind="formula", tip="A formula in c, the condition; empty: none"), _RIGHT,
    ),
    ConstructionContent: (
        Row("only", "readings", empty="all", tip="Those that are drawn, such as E, Rp0.2, Rm; empty: all"),
        Row("areas", "areas", tip="Of readings that are areas, too"), _RIGHT,
    ),
    StraightContent: (
        Row("way", "axes", choices=tuple((slug, one.label) for slug, one in STRAIGHTENINGS.items())),
    ),
    FieldContent: (
        Row("shows", "shown as"), Row("banded", "bands", tip="Colours in bands between the levels of the field"),
        Row("lines", "lines", beside=True), Row("named", "values", beside=True),
        Row("points", "its points"), Row("bar", "colour bar", beside=True),
        Row("turn", "turn, tilt", other="tilt", tip="Of a surface, in °"),
        Row("height", "height", tip="Of a surface, in shares of a side"),
    ),
    AxisSpec: (
        Row("words", "words", empty="quantity and unit", kind="words"),
        Row("low", "from – to", other="high", empty="fits"), Row("scale", "scale"),
        Row("cut", "left out", empty="–", tip="A stretch of a linear axis that is left out, from – to"),
        Row("numbers", "numbers"),
        Row("digits", "digits", empty="fit", tip="After the point; empty: as many as are needed", beside=True),
        Row("ticks", "ticks"), Row("small", "small", tip="Small ticks between two others", beside=True),
        Row("both", "on both sides"), Row("grid", "grid", beside=True),
        Row("also", "other side in", empty="no unit", tip="Another unit for the opposite side, such as nm above 1/cm"),
        Row("also_words", "its words", empty="quantity and unit", kind="words"),
    ),
    LineSpec: (
        Row("label", "name", empty="its own", kind="words"), Row("colour", "colour", kind="colour"),
        Row("width", "width", "pt", empty="manner"), Row("dash", "dash", empty="manner"),
        Row("shape", "drawn as"),
        Row("fill", "filled", tip="Down to zero, or to its own lowest", beside=True),
        Row("mark", "mark", empty="manner"), Row("mark_size", "mark size", "pt"),
        Row("every", "every", tip="A mark at every so many points", beside=True),
        Row("spread", "u as", empty="manner"),
        Row("front", "in front", tip="Lines with a higher number lie over the others"),
    ),
    GuideMark: (
        Row("spot", "at", kind="spot"), _WORDS, Row("number", "its number"), Row("level", "level", beside=True),
    ),
    BandMark: (
        Row("low", "from", kind="spot"), Row("high", "to", kind="spot"), _WORDS, Row("level", "level"),
    ),
    BracketMark: (
        Row("low", "from", kind="spot"), Row("high", "to", kind="spot"), _WORDS, Row("number", "the distance"),
        Row("y", "height", tip="In shares of the panel; or drag it"),
    ),
    WordsMark: (_WORDS, _PLACE),
    ArrowMark: (_WORDS, Row("x0", "from", other="y0"), Row("x1", "to", other="y1")),
    ScaleMark: (
        Row("length", "length", tip="In the unit of the axis"), Row("level", "along x"),
        Row("words", "words", empty="length and unit", kind="words"), _PLACE,
    ),
    Inset: (
        Row("low", "from – to", other="high"), Row("y_low", "y from – to", other="y_high", empty="fits"),
        Row("numbers", "numbers"), _PLACE, Row("width", "size", other="height", tip="In shares of the panel"),
    ),
}  # fmt: skip
PAGE: tuple[Row, ...] = (
    Row("width", "size", "mm", other="height"), Row("columns", "columns"),
    Row("gap", "gap", "mm", beside=True, tip="Between panels; 0: they touch"),
    Row("heights", "heights", empty="alike", kind="numbers", tip="Shares of the rows, such as 3 1"),
    Row("widths", "widths", empty="alike", kind="numbers", tip="Shares of the columns, such as 2 1"),
    Row("share_x", "one x axis"), Row("share_y", "one y axis", beside=True),
    Row("letters", "(a), (b)", beside=True),
)  # fmt: skip
MANNER: tuple[Row, ...] = (
    Row("words", "words", "pt"), Row("lines", "lines", "pt", beside=True), Row("font", "font", kind="font"),
    Row("ink", "ink", kind="colour"), Row("paper", "paper", kind="colour", beside=True), Row("units", "units"),
    Row("dashes", "dashes differ"),
)  # fmt: skip


def rows_of(value: BaseModel) -> tuple[Row, ...]:
    """The rows of a part, or of the page where the value is a figure."""
    return PAGE if isinstance(value, FigureSpec) else ROWS.get(type(value), ())
