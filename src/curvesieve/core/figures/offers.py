"""Figures that can be made at once of what is in hand, and what can be put into a panel."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from curvesieve.core.reading import ReadingKey
from curvesieve.core.study.document import Family
from curvesieve.core.study.edits.base import new_id
from curvesieve.core.study.family_parts import FamilyLook
from curvesieve.core.study.field_parts import FieldEntry
from curvesieve.core.study.figure_parts import (
    PAGES,
    AxisSpec,
    ConstructionContent,
    Content,
    CurveContent,
    FamilyContent,
    FieldContent,
    FigureSpec,
    GuideMark,
    LineSpec,
    Names,
    PanelSpec,
    ResidualContent,
    Spot,
    StraightContent,
    TrendContent,
)
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.study import Study
from curvesieve.core.study.trends import columns_for_trends

_WIDE, _HIGH = PAGES["one column"]
_MOST_PANELS, _PANEL_MM, _MOST_MM = 12, 34.0, 230.0
_MOST_TRENDS = 4


@dataclass(frozen=True, eq=False)
class Offer:
    """A figure that can be made: what it would be, in words, and the figure."""

    words: str
    spec: FigureSpec


@dataclass(frozen=True, eq=False)
class Piece:
    """What can be put into a panel: its group, its words, and the content."""

    group: str
    words: str
    content: Content


def empty_figure() -> FigureSpec:
    """A page with one empty panel."""
    return FigureSpec(id=new_id("figure"), name="Figure", panels=(PanelSpec(),))


def offers(study: Study, curve_id: str | None, curve_first: bool = False) -> list[Offer]:
    """The figures that can be made of the curve in hand and of its family: as the family stands first, or the curve."""
    if curve_id is None or not study.has(curve_id):
        return []
    family = study.family_of(curve_id)
    made = [*_of_curve(study, curve_id)]
    if family is not None and len(family.curves) > 1:
        of_family = _as_it_stands(list(_of_family(study, family)), family)
        made = [*made, *of_family] if curve_first else [*of_family, *made]
    others = [one for one in study.document.families if len(one.curves) > 1]
    if 1 < len(others) <= _MOST_PANELS:
        panels = tuple(PanelSpec(contents=(_family_content(one),)) for one in others)
        made.append(_offer("All families, a panel each", "Families", panels, letters=True))
    return made


def _as_it_stands(made: list[Offer], family: Family) -> list[Offer]:
    """The offers of a family, that which shows it as it stands on its bench first."""
    wanted = {"laid over": ", laid over", "one panel each": ", a panel each", "gallery": ", a panel each"}
    ending = wanted.get(family.look.stand, ", lifted")
    return sorted(made, key=lambda one: not one.words.endswith(ending))


def _offer(words: str, name: str, panels: tuple[PanelSpec, ...], **changes: object) -> Offer:
    height = min(max(_HIGH, _PANEL_MM * len(panels) + 12), _MOST_MM)
    given = {"id": new_id("figure"), "name": name, "panels": panels, "height": height} | changes
    return Offer(words, FigureSpec.model_validate(given))


def _family_content(family: Family, lifted: bool = False) -> FamilyContent:
    look = family.look
    return FamilyContent(
        family=family.id, lifted=lifted, lift=look.lift if lifted else None, lifts=look.lifted if lifted else (),
        fits=look.fits, normal=look.normal, low=look.low, high=look.high, hidden=look.hidden,
        recorded=look.recorded,
    )  # fmt: skip


def _guides(look: FamilyLook) -> tuple[GuideMark, ...]:
    return tuple(
        GuideMark(spot=Spot(at=one.x, curve="" if one.x is not None else one.curve, key=one.key), number=True)
        for one in look.guides
    )


def _of_family(study: Study, family: Family) -> Iterator[Offer]:
    look, label = family.look, family.label
    x = AxisSpec(scale="logarithmic" if look.x_log else "linear")
    y = AxisSpec(scale="logarithmic" if look.y_log else "linear")
    bare = y.model_copy(update={"numbers": "none"})
    guides = _guides(look)
    lifted = PanelSpec(contents=(_family_content(family, lifted=True),), x=x, y=bare, marks=guides)
    yield _offer(f"{label}, lifted", label, (lifted,), height=110.0)
    beside = [one for one in study.document.families if one.id in look.beside]
    contents_ = tuple(_family_content(one) for one in (family, *beside))
    laid = PanelSpec(contents=contents_, x=x, y=y, marks=guides, names="key")
    yield _offer(f"{label}, laid over", label, (laid,))
    if len(family.curves) <= _MOST_PANELS:
        panels = tuple(PanelSpec(contents=(CurveContent(curve=id_, fit=look.fits),), x=x, y=y) for id_ in family.curves)
        yield _offer(f"{label}, a panel each", label, panels, share_x=True, gap=0.0, letters=True)
    trends = [TrendContent(family=family.id, key=one.key, law=one.law) for one in family.trends]
    keys = [one.key for one in trends] or _first_keys(study, family)
    contents = trends or [TrendContent(family=family.id, key=key) for key in keys]
    if family.condition and contents:
        panels = tuple(PanelSpec(contents=(one,)) for one in contents[:_MOST_TRENDS])
        words = f"{label}: readings against {family.condition}"
        yield _offer(words, f"{label}, readings", panels, share_x=True, letters=len(panels) > 1)


def _first_keys(study: Study, family: Family) -> list[ReadingKey]:
    columns = columns_for_trends(ledger_of(study, family))
    return [column.key for column in columns if column.key is not None][:2]


def _of_curve(study: Study, curve_id: str) -> Iterator[Offer]:
    entry = study.entry(curve_id)
    label = entry.label
    columns = is_histogram(study, curve_id)
    lines = ((curve_id, LineSpec(shape="columns")),) if columns else ()
    peaks = not columns and bool(study.model(curve_id).peaks)
    top = PanelSpec(contents=(CurveContent(curve=curve_id, peaks=peaks),), lines=lines)
    if study.fit_is_current(curve_id):
        if columns:
            yield _offer(f"{label}, with its fit", label, (top,))
        else:
            rest = PanelSpec(contents=(ResidualContent(curve=curve_id),))
            words = f"{label}, with fit and residual"
            yield _offer(words, label, (top, rest), heights=(3.0, 1.0), share_x=True, gap=0.0, height=90.0)
    if study.measures(curve_id):  # whether they draw anything is not asked: the window waits for this list
        panel = PanelSpec(contents=(ConstructionContent(curve=curve_id),))
        yield _offer(f"{label}, with its constructions", f"{label}, readings", (panel,))
    plain = PanelSpec(contents=(CurveContent(curve=curve_id, fit=False),), lines=lines)
    yield _offer(f"{label} alone", label, (plain,))
    straight = PanelSpec(contents=(StraightContent(curve=curve_id),))
    yield _offer(f"{label} on straight axes", f"{label}, straight", (straight,))


_FIELD_SHOWS: tuple[tuple[Literal["map", "lines", "surface", "slices"], str], ...] = (
    ("map", "as a map"), ("lines", "lines of equal z"), ("surface", "as a surface"), ("slices", "its slices"),
)  # fmt: skip


def field_content(field: FieldEntry, shows: Literal["map", "lines", "surface", "slices"]) -> FieldContent:
    """A field as it is looked at on its bench."""
    look = field.look
    return FieldContent(
        field=field.id, shows=shows, banded=look.banded, lines=look.lines, named=look.named, points=look.points,
        turn=look.turn, tilt=min(max(look.tilt, 2.0), 90.0), height=look.height,
    )  # fmt: skip


def offers_of_field(study: Study, field_id: str) -> list[Offer]:
    """The figures that can be made of a field: what is looked at first, then the others."""
    field = study.field(field_id)
    if field is None:
        return []
    order = sorted(_FIELD_SHOWS, key=lambda one: one[0] != field.look.shows)
    small = ((f"points {field.id}", LineSpec(mark_size=1.4)),)
    made = []
    for shows, words in order:
        names: Names = "key" if shows == "slices" else "none"
        panel = PanelSpec(contents=(field_content(field, shows),), names=names, lines=small)
        made.append(_offer(f"{field.name}, {words}", field.name, (panel,)))
    return made


def is_histogram(study: Study, curve_id: str) -> bool:
    """Whether a curve is the histogram of a channel, made here."""
    record = study.record_of(curve_id)
    return record is not None and any(key == "histogram of" for key, _ in record.metadata)


def pieces(study: Study) -> list[Piece]:
    """All that can be put into a panel: families, curves, their residuals and constructions, trends."""
    found: list[Piece] = []
    for family in study.document.families:
        if len(family.curves) > 1:
            found.append(Piece("Families", family.label, _family_content(family)))
            found.append(Piece("Families", f"{family.label}, lifted", _family_content(family, lifted=True)))
    for name, named in study.names.items():
        found.append(Piece("Curves", name, CurveContent(curve=named.id)))
        if study.fit_is_current(named.id):
            found.append(Piece("Residuals", f"residual of {name}", ResidualContent(curve=named.id)))
        if study.measures(named.id):
            found.append(Piece("Constructions", name, ConstructionContent(curve=named.id)))
    for family in study.document.families:
        if not family.condition:
            continue
        for column in columns_for_trends(ledger_of(study, family)):
            if column.key is not None:
                content = TrendContent(family=family.id, key=column.key)
                found.append(Piece("Readings", f"{column.title}, {family.label}", content))
    for field in study.document.fields:
        for shows, words in _FIELD_SHOWS:
            found.append(Piece("Fields", f"{field.name}, {words}", field_content(field, shows)))
    return found
