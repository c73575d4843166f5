"""What a figure is: a page of panels with axes, lines and marks, as a frozen value that the study keeps."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.reading import ReadingKey

Side = Literal["inside", "outside", "none"]
Numbers = Literal["plain", "scientific", "engineering", "none"]
Scale = Literal["linear", "logarithmic", "reciprocal"]
Frame = Literal["four sides", "two sides", "none"]
Names = Literal["at the curves", "key", "none"]
PAGES: dict[str, tuple[float, float]] = {"one column": (85.0, 70.0), "two columns": (175.0, 85.0), "slide": (254.0, 143.0)}
"""Width and height in mm (common practice of journals, and a 16:9 slide)."""


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


class AxisSpec(_Part):
    """An axis. `words` of None are the quantity and its unit; limits of None fit what is drawn.

    `digits` are those after the point (None: as many as are needed), `small` the small ticks between two others, `both`
    puts ticks on the opposite side, too.
    """

    words: str | None = None
    low: float | None = None
    high: float | None = None
    scale: Scale = "linear"
    ticks: Side = "inside"
    small: int = Field(default=4, ge=0, le=9)
    both: bool = True
    numbers: Numbers = "plain"
    digits: int | None = Field(default=None, ge=0, le=12)
    grid: bool = False


class LineSpec(_Part):
    """How one line is drawn; what is None follows the manner and the place among the others."""

    colour: str | None = None
    width: float | None = Field(default=None, gt=0, le=20)
    dash: Literal["solid", "dashed", "dotted", "dash and dot", "none"] | None = None
    mark: Literal["none", "circle", "square", "triangle", "diamond", "cross"] | None = None
    mark_size: float = Field(default=3.0, gt=0, le=40)
    every: int = Field(default=1, ge=1)
    spread: Literal["none", "bars", "band"] = "none"
    label: str | None = None


class CurveContent(_Part):
    """A curve as it passed, with its fit and the residual under it where they are wanted."""

    kind: Literal["curve"] = "curve"
    curve: str
    fit: bool = True
    peaks: bool = False


class FamilyContent(_Part):
    """The curves of a family, laid over one another or lifted as its look says, or by `lift` in the unit of y."""

    kind: Literal["family"] = "family"
    family: str
    lifted: bool = False
    lift: float | None = None
    fits: bool = False


class TrendContent(_Part):
    """A column of a family's ledger against its condition, with a law in ``c`` (empty: none)."""

    kind: Literal["trend"] = "trend"
    family: str
    key: ReadingKey
    law: str = "at_0 + slope*c"


class ConstructionContent(_Part):
    """A curve with the constructions of its readings."""

    kind: Literal["construction"] = "construction"
    curve: str


Content = Annotated[CurveContent | FamilyContent | TrendContent | ConstructionContent, Field(discriminator="kind")]


class GuideMark(_Part):
    """An upright (or level) line at a place, or at a reading that it follows."""

    kind: Literal["guide"] = "guide"
    at: float | None = None
    curve: str = ""
    key: ReadingKey | None = None
    level: bool = False
    words: str = ""
    number: bool = False


class BandMark(_Part):
    """A shaded stretch of x (or of y)."""

    kind: Literal["band"] = "band"
    low: float
    high: float
    level: bool = False
    words: str = ""


class WordsMark(_Part):
    """Words at a place, in shares of the panel (0 to 1); ``{E of foil_1}`` stands for a reading."""

    kind: Literal["words"] = "words"
    text: str
    x: float = 0.05
    y: float = 0.92


class ArrowMark(_Part):
    """An arrow between two places in data coordinates, with words at its tail."""

    kind: Literal["arrow"] = "arrow"
    x0: float
    y0: float
    x1: float
    y1: float
    words: str = ""


Mark = Annotated[GuideMark | BandMark | WordsMark | ArrowMark, Field(discriminator="kind")]


class PanelSpec(_Part):
    """One panel: what it shows, its axes, its frame and what is marked. `lines` are said by the id of what they draw."""

    contents: tuple[Content, ...] = ()
    x: AxisSpec = AxisSpec()
    y: AxisSpec = AxisSpec()
    frame: Frame = "four sides"
    names: Names = "at the curves"
    lines: tuple[tuple[str, LineSpec], ...] = ()
    marks: tuple[Mark, ...] = ()


class Manner(_Part):
    """How all of a page is drawn: sizes in pt, colours as ``#rrggbb``; a `palette` of none walks along the condition."""

    name: str = "for print"
    font: str = "Source Sans 3"
    words: float = Field(default=8.0, ge=3, le=60)
    lines: float = Field(default=0.8, gt=0, le=10)
    ink: str = "#1f2a2b"
    paper: str = "#ffffff"
    palette: tuple[str, ...] = ("#24424D", "#B4532A", "#2F7F79", "#8A6A1F", "#4A3FA0", "#79A45A")
    along: tuple[str, ...] = ("#24424D", "#2F7F79", "#79A45A", "#D9A43B", "#B4532A")
    dashes: bool = False


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
    """A page of panels in rows and columns. Sizes are in mm, gaps in shares of a panel; shared axes have their numbers
    once."""

    id: str
    name: str
    width: float = Field(default=85.0, ge=20, le=1000)
    height: float = Field(default=70.0, ge=20, le=1000)
    panels: tuple[PanelSpec, ...] = ()
    columns: int = Field(default=1, ge=1, le=12)
    share_x: bool = True
    share_y: bool = False
    gap: float = Field(default=0.08, ge=0, le=2)
    ratios: tuple[float, ...] = ()
    letters: bool = False
    manner: Manner = Manner()
