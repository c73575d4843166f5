"""What a figure is: a page of panels with axes, lines and marks, as a frozen value that the study keeps."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.reading import ReadingKey
from curvesieve.core.study.family_parts import Normal

Side = Literal["inside", "outside", "none"]
Numbers = Literal["plain", "scientific", "engineering", "none"]
Scale = Literal["linear", "logarithmic", "reciprocal"]
Frame = Literal["four sides", "two sides", "none"]
Names = Literal["at the curves", "key", "none"]
Dash = Literal["solid", "dashed", "dotted", "dash and dot", "none"]
Symbol = Literal["none", "circle", "square", "triangle", "diamond", "cross"]
Spread = Literal["none", "bars", "band"]
Units = Literal["in brackets", "after a slash"]
Shape = Literal["line", "steps", "columns"]
Corner = Literal["where there is room", "top left", "top right", "bottom left", "bottom right"]
DASHES: tuple[Dash, ...] = get_args(Dash)
PAGES: dict[str, tuple[float, float]] = {
    "one column": (85.0, 70.0),
    "two columns": (175.0, 85.0),
    "slide": (254.0, 143.0),
}
"""Width and height in mm (common practice of journals, and a 16:9 slide)."""


Share = Annotated[float, Field(ge=-2, le=3)]
"""A place in shares of a panel: 0 is its left or lower end, 1 the other; not far beyond, where nobody would find it."""


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class AxisSpec(_Part):
    """An axis. `words` of None are the quantity and its unit; limits of None fit what is drawn.

    `cut` is a stretch that is left out of a linear axis. `digits` are those after the point (None: as many as are
    needed), `small` the small ticks between two others, `both` puts ticks on the opposite side, too. `also` is another
    unit that the opposite side is numbered in; `also_words` are its words (None: the kind of light and its unit, or the
    unit).
    """

    words: str | None = None
    low: float | None = None
    high: float | None = None
    scale: Scale = "linear"
    cut: tuple[float, float] | None = None
    ticks: Side = "inside"
    small: int = Field(default=4, ge=0, le=9)
    both: bool = True
    numbers: Numbers = "plain"
    digits: int | None = Field(default=None, ge=0, le=12)
    grid: bool = False
    also: str = ""
    also_words: str | None = None


class LineSpec(_Part):
    """How one line is drawn; what is None follows the manner and the place among the others.

    Widths and sizes are in pt, `shift` moves its name by so many pt; a line with a higher `front` lies over the others.
    """

    colour: str | None = Field(default=None, pattern="^#[0-9a-fA-F]{6}$")
    width: float | None = Field(default=None, ge=0.05, le=20)
    dash: Dash | None = None
    shape: Shape = "line"
    fill: bool = False
    mark: Symbol | None = None
    mark_size: float = Field(default=3.0, ge=0.1, le=40)
    every: int = Field(default=1, ge=1)
    spread: Spread | None = None
    front: int = 0
    label: str | None = None
    shift: tuple[float, float] = (0.0, 0.0)


class _Content(_Part):
    right: bool = False
    """Whether it is read on an axis of its own, to the right."""


class CurveContent(_Content):
    """A curve as it passed, with its fit and its peaks where they are wanted."""

    kind: Literal["curve"] = "curve"
    curve: str
    fit: bool = True
    peaks: bool = False


class ResidualContent(_Content):
    """What the fit of a curve leaves of it."""

    kind: Literal["residual"] = "residual"
    curve: str


class FamilyContent(_Content):
    """The curves of a family, laid over one another or lifted, by `lift` in the unit of y or so that none touch.

    `lifts` are what single curves are moved by besides (on a logarithmic axis: by so many decades). They are made alike
    by `normal`, in the band from `low` to `high` or at `low`; those that are `hidden` are not shown.
    With `recorded` they are those before the sieve.
    """

    kind: Literal["family"] = "family"
    family: str
    lifted: bool = False
    lift: float | None = None
    lifts: tuple[tuple[str, float], ...] = ()
    fits: bool = False
    normal: Normal = "as they are"
    low: float | None = None
    high: float | None = None
    hidden: tuple[str, ...] = ()
    recorded: bool = False


class TrendContent(_Content):
    """A column of a family's ledger against its condition, with a law in ``c`` (empty: none)."""

    kind: Literal["trend"] = "trend"
    family: str
    key: ReadingKey
    law: str = "at_0 + slope*c"


class ConstructionContent(_Content):
    """A curve with the constructions of its readings: of all, or of those whose symbols or names `only` has, with a
    comma between two; the areas among them only with `areas`.
    """

    kind: Literal["construction"] = "construction"
    curve: str
    only: str = ""
    areas: bool = False


class StraightContent(_Content):
    """A curve on axes where a law is a straight line, with that line; `way` is a slug of `STRAIGHTENINGS`."""

    kind: Literal["straight"] = "straight"
    curve: str
    way: str = "exponential"


class FieldContent(_Content):
    """A field: as a map in colours, as lines of equal z, as a surface seen from a side, or its slices.

    `banded` has colours in bands between the field's levels; `turn` and `tilt` are in °, `height` in shares of a side.
    """

    kind: Literal["field"] = "field"
    field: str
    shows: Literal["map", "lines", "surface", "slices"] = "map"
    banded: bool = True
    lines: bool = True
    named: bool = True
    points: bool = False
    bar: bool = True
    turn: float = -60.0
    tilt: float = Field(default=35.0, ge=2, le=90)
    height: float = Field(default=0.5, gt=0, le=20)


Content = Annotated[
    CurveContent
    | ResidualContent
    | FamilyContent
    | TrendContent
    | ConstructionContent
    | StraightContent
    | FieldContent,
    Field(discriminator="kind"),
]


class Spot(_Part):
    """A place on an axis: a number, or a reading of a curve that it follows."""

    at: float | None = None
    curve: str = ""
    key: ReadingKey | None = None


class GuideMark(_Part):
    """An upright (or level) line at a place, with words and the place's number on wish."""

    kind: Literal["guide"] = "guide"
    spot: Spot = Spot()
    level: bool = False
    words: str = ""
    number: bool = False


class BandMark(_Part):
    """A shaded stretch of x (or of y)."""

    kind: Literal["band"] = "band"
    low: Spot = Spot()
    high: Spot = Spot()
    level: bool = False
    words: str = ""


class BracketMark(_Part):
    """A bracket from place to place at a height in shares of the panel, with words and the distance on wish."""

    kind: Literal["bracket"] = "bracket"
    low: Spot = Spot()
    high: Spot = Spot()
    y: Share = 0.9
    words: str = ""
    number: bool = False


class WordsMark(_Part):
    """Words at a place, in shares of the panel (0 to 1); ``{E of foil_1}`` stands for a reading."""

    kind: Literal["words"] = "words"
    words: str = ""
    x: Share = 0.05
    y: Share = 0.92


class ArrowMark(_Part):
    """An arrow between two places in shares of the panel, with words at its tail."""

    kind: Literal["arrow"] = "arrow"
    x0: Share = 0.3
    y0: Share = 0.8
    x1: Share = 0.45
    y1: Share = 0.6
    words: str = ""


class ScaleMark(_Part):
    """A bar of a length in the unit of x (or, `level` being off, of y), in place of an axis with numbers."""

    kind: Literal["scale"] = "scale"
    length: float = Field(default=1.0, gt=0)
    level: bool = True
    x: Share = 0.75
    y: Share = 0.1
    words: str | None = None


Mark = Annotated[
    GuideMark | BandMark | BracketMark | WordsMark | ArrowMark | ScaleMark, Field(discriminator="kind")
]  # fmt: skip
MARKS: dict[str, type[GuideMark | BandMark | BracketMark | WordsMark | ArrowMark | ScaleMark]] = {
    "guide": GuideMark, "band": BandMark, "bracket": BracketMark, "words": WordsMark, "arrow": ArrowMark,
    "scale": ScaleMark,
}  # fmt: skip


class Inset(_Part):
    """A stretch of the panel, magnified in a box; the box is in shares of the panel. Without y limits these fit."""

    low: float
    high: float
    y_low: float | None = None
    y_high: float | None = None
    x: Share = 0.55
    y: Share = 0.55
    width: float = Field(default=0.4, gt=0.02, le=1)
    height: float = Field(default=0.38, gt=0.02, le=1)
    numbers: bool = True


class PanelSpec(_Part):
    """One panel: what it shows, its axes, its frame and what is marked. `lines` are said by the id of what they draw;
    `right` is the axis of what is read on the right.
    """

    contents: tuple[Content, ...] = ()
    x: AxisSpec = AxisSpec()
    y: AxisSpec = AxisSpec()
    right: AxisSpec = AxisSpec()
    frame: Frame = "four sides"
    names: Names = "at the curves"
    key_at: Corner = "where there is room"
    lines: tuple[tuple[str, LineSpec], ...] = ()
    marks: tuple[Mark, ...] = ()
    inset: Inset | None = None


class Manner(_Part):
    """How all of a page is drawn: sizes in pt, colours as ``#rrggbb``; `along` are the colours that a condition walks
    through. With `dashes`, lines differ in their dash as well as in their colour. `units` says how the unit of an axis
    stands behind its quantity: ``t (s)``, or ``t / s`` as ISO 80000-1 has it.
    """

    name: str = "for print"
    font: str = "Source Sans 3"
    words: float = Field(default=8.0, ge=3, le=60)
    lines: float = Field(default=0.8, ge=0.05, le=10)
    ink: str = Field(default="#1f2a2b", pattern="^#[0-9a-fA-F]{6}$")
    paper: str = Field(default="#ffffff", pattern="^#[0-9a-fA-F]{6}$")
    palette: tuple[str, ...] = Field(
        default=("#24424D", "#B4532A", "#2F7F79", "#8A6A1F", "#4A3FA0", "#79A45A"), min_length=1
    )
    along: tuple[str, ...] = Field(default=("#24424D", "#2F7F79", "#79A45A", "#D9A43B", "#B4532A"), min_length=1)
    dashes: bool = False
    units: Units = "in brackets"


MANNERS = (
    Manner(),
    Manner(name="for a slide", words=16.0, lines=2.0),
    Manner(
        name="dark", ink="#e6eae7", paper="#171f1e",
        palette=("#6FA6B8", "#EC8F61", "#4FBDB2", "#F0C05C", "#A99DF5", "#9CCB78"),
        along=("#6FA6B8", "#4FBDB2", "#9CCB78", "#F0C05C", "#EC8F61"),
    ),
    Manner(
        name="grey-safe", palette=("#111111", "#555555", "#888888", "#aaaaaa"), along=("#111111", "#999999"),
        dashes=True,
    ),
)  # fmt: skip
"""The manners that come with the program."""


class FigureSpec(_Part):
    """A page of panels in rows and columns. Sizes are in mm, the gap too; `heights` and `widths` are shares of rows and
    columns (none: all alike). Shared axes have their numbers once.
    """

    id: str
    name: str
    width: float = Field(default=85.0, ge=20, le=1000)
    height: float = Field(default=70.0, ge=20, le=1000)
    panels: tuple[PanelSpec, ...] = ()
    columns: int = Field(default=1, ge=1, le=12)
    share_x: bool = False
    share_y: bool = False
    gap: float = Field(default=2.0, ge=0, le=100)
    heights: tuple[float, ...] = ()
    widths: tuple[float, ...] = ()
    letters: bool = False
    manner: Manner = Manner()
