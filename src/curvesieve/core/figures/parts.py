"""The parts of a figure by their ids, as they are listed, clicked on and changed: ``panel 0``, ``x 0``, ``mark 0 2``.

``content`` and ``mark`` have their number behind the panel's, ``line`` and ``name`` the id of what is drawn.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from curvesieve.core.changed import changed
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitting.straighten import STRAIGHTENINGS
from curvesieve.core.study.edits.figures import Change, in_panel, with_axis, with_line
from curvesieve.core.study.figure_parts import (
    Content,
    FamilyContent,
    FieldContent,
    FigureSpec,
    GuideMark,
    Inset,
    LineSpec,
    Mark,
    PanelSpec,
    ScaleMark,
    Spot,
    StraightContent,
    TrendContent,
    WordsMark,
)
from curvesieve.core.study.study import Study


@dataclass(frozen=True)
class PartRow:
    """A part as it is listed: under its panel, by its name, with a few words about it."""

    id: str
    title: str
    about: str
    depth: int = 1


def letter(place: int) -> str:
    """What a panel is called: A, B …, A2 after Z."""
    return chr(65 + place % 26) + (str(place // 26 + 1) if place > 25 else "")


def part_rows(study: Study, spec: FigureSpec) -> list[PartRow]:
    """All parts of a figure in the order in which they are listed, but for single lines and names."""
    rows: list[PartRow] = []
    for place, panel in enumerate(spec.panels):
        rows.append(PartRow(f"panel {place}", f"Panel {letter(place)}", _of_panel(panel), 0))
        for number, content in enumerate(panel.contents):
            rows.append(PartRow(f"content {place} {number}", _KINDS[content.kind], _of_content(study, content)))
        for name, axis in (("x", panel.x), ("y", panel.y), ("right", panel.right)):
            if name != "right" or any(one.right for one in panel.contents):
                title = "right axis" if name == "right" else f"{name} axis"
                about = axis.words or ("no numbers" if axis.numbers == "none" else axis.scale)
                rows.append(PartRow(f"{name} {place}", title, about))
        rows.append(PartRow(f"names {place}", "Names and frame", f"{panel.names}, {panel.frame}"))
        if panel.inset is not None:
            about = f"{panel.inset.low:g} to {panel.inset.high:g}"
            rows.append(PartRow(f"inset {place}", "Magnified", about))
        for number, mark in enumerate(panel.marks):
            rows.append(PartRow(f"mark {place} {number}", mark.kind.capitalize(), _of_mark(study, mark)))
    return rows


_KINDS = {
    "curve": "Curve", "residual": "Residual", "family": "Family", "trend": "Readings", "construction": "Construction",
    "straight": "Straight axes", "field": "Field",
}  # fmt: skip


def _of_panel(panel: PanelSpec) -> str:
    return "empty" if not panel.contents else counted(len(panel.contents), "content")


def _of_content(study: Study, content: Content) -> str:
    if isinstance(content, FamilyContent | TrendContent):
        label = next((one.label for one in study.document.families if one.id == content.family), "gone")
        if isinstance(content, FamilyContent):
            return f"{label}, lifted" if content.lifted else label
        return f"{content.key.quantity} of {label}"
    if isinstance(content, FieldContent):
        field = study.field(content.field)
        return f"{field.name if field is not None else 'gone'}, {content.shows}"
    label = study.entry(content.curve).label if study.has(content.curve) else "gone"
    if isinstance(content, StraightContent) and content.way in STRAIGHTENINGS:
        return f"{label}, {STRAIGHTENINGS[content.way].label}"
    return label


def _of_mark(study: Study, mark: Mark) -> str:
    if isinstance(mark, GuideMark):
        return mark.words or said_of_spot(study, mark.spot)
    if isinstance(mark, WordsMark):
        return mark.words
    if isinstance(mark, ScaleMark):
        return f"{mark.length:g}"
    return mark.words or ""


def said_of_spot(study: Study, spot: Spot) -> str:
    """``1350``, or what it follows: ``center of 0 wt%``."""
    if spot.key is None:
        return "" if spot.at is None else f"{spot.at:.10g}"
    label = study.entry(spot.curve).label if study.has(spot.curve) else "a curve that is gone"
    part = f" {spot.key.part}" if spot.key.part else ""
    return f"{spot.key.quantity}{part} of {label}"


# -- the values behind the parts ------------------------------------------------------------------------


def _split(part: str) -> tuple[str, int, str]:
    kind, place, rest = (*part.split(" ", 2), "", "")[:3]
    return kind, int(place or 0), rest


def value_of(spec: FigureSpec, part: str) -> BaseModel | None:
    """What is said of a part of a figure; None where there is no such part. The page itself is the empty id."""
    if not part:
        return spec
    kind, place, rest = _split(part)
    if place >= len(spec.panels):
        return None
    panel = spec.panels[place]
    match kind:
        case "panel" | "names":
            return panel
        case "x" | "y" | "right":
            axis: BaseModel = getattr(panel, kind)
            return axis
        case "line" | "name":
            return dict(panel.lines).get(rest, LineSpec())
        case "inset":
            return panel.inset
        case "content" | "mark":
            listed: tuple[BaseModel, ...] = panel.contents if kind == "content" else panel.marks
            return listed[int(rest)] if int(rest) < len(listed) else None
    return None


def with_part(part: str, **changes: Any) -> Change:
    """Other values of a part. The change raises InputError for values that it cannot have."""
    if not part:
        return lambda spec: changed(spec, **changes)
    kind, place, rest = _split(part)
    if kind in ("x", "y", "right"):
        return with_axis(place, kind, **changes)
    if kind in ("line", "name"):
        return with_line(place, rest, **changes)
    if kind == "inset":
        return in_panel(place, lambda panel: _with_inset(panel, changes))
    if kind in ("content", "mark"):
        return in_panel(place, lambda panel: _with_listed(panel, kind, int(rest), changes))
    return in_panel(place, lambda panel: changed(panel, **changes))


def _with_inset(panel: PanelSpec, changes: dict[str, Any]) -> PanelSpec:
    return panel if panel.inset is None else changed(panel, inset=changed(panel.inset, **changes))


def _with_listed(panel: PanelSpec, kind: str, number: int, changes: dict[str, Any]) -> PanelSpec:
    field = f"{kind}s"
    listed: tuple[BaseModel, ...] = getattr(panel, field)
    made = tuple(changed(one, **changes) if at == number else one for at, one in enumerate(listed))
    return changed(panel, **{field: made})


def without(part: str) -> Change:
    """The figure without a part: a panel, a content, a mark, what is magnified, the own style of a line."""
    kind, place, rest = _split(part)
    if kind == "panel":
        return lambda spec: changed(spec, panels=tuple(one for at, one in enumerate(spec.panels) if at != place))
    if kind in ("line", "name"):
        return in_panel(place, lambda panel: changed(panel, lines=tuple(one for one in panel.lines if one[0] != rest)))
    if kind == "inset":
        return in_panel(place, lambda panel: changed(panel, inset=None))
    if kind not in ("content", "mark"):
        raise InputError("An axis, the names and the frame belong to their panel; choose none for them instead.")
    field = f"{kind}s"

    def change(panel: PanelSpec) -> PanelSpec:
        listed = getattr(panel, field)
        return changed(panel, **{field: tuple(one for at, one in enumerate(listed) if at != int(rest))})

    return in_panel(place, change)


def can_go(part: str) -> bool:
    """Whether a part can be taken out."""
    return part.split(" ")[0] in ("panel", "content", "mark", "inset")


def with_content(place: int, content: Content) -> Change:
    """A content more in a panel."""
    return in_panel(place, lambda panel: changed(panel, contents=(*panel.contents, content)))


def with_mark(place: int, mark: Mark) -> Change:
    """A mark more on a panel."""
    return in_panel(place, lambda panel: changed(panel, marks=(*panel.marks, mark)))


def with_inset(place: int, inset: Inset) -> Change:
    """A stretch of a panel, magnified."""
    return in_panel(place, lambda panel: changed(panel, inset=inset))


def with_panel() -> Change:
    """An empty panel more, and a page that is higher by one row of panels."""

    def change(spec: FigureSpec) -> FigureSpec:
        rows = max(-(-len(spec.panels) // spec.columns), 1)
        more = -(-(len(spec.panels) + 1) // spec.columns)
        height = min(spec.height * more / rows, 1000.0) if spec.panels else spec.height
        return changed(spec, panels=(*spec.panels, PanelSpec()), height=round(height, 1), heights=())

    return change


# -- by the hand --------------------------------------------------------------------------------------


def lifts(spec: FigureSpec, part: str) -> bool:
    """Whether a line can be lifted by hand: one of a lifted family."""
    kind, place, rest = _split(part)
    return kind == "line" and _lifted_at(spec, place, rest) is not None


def _lifted_at(spec: FigureSpec, place: int, line_id: str) -> int | None:
    for number, content in enumerate(spec.panels[place].contents):
        if isinstance(content, FamilyContent) and content.lifted and not line_id.startswith(("fit ", "law ", "trend ")):
            return number
    return None


def lifted(spec: FigureSpec, part: str, by: float) -> Change:
    """A line of a lifted family moved by so much of y more (on a logarithmic axis: by so many decades)."""
    _, place, line_id = _split(part)
    number = _lifted_at(spec, place, line_id)
    if number is None:
        raise InputError("Only the curves of a lifted family are moved by hand.")
    content = spec.panels[place].contents[number]
    assert isinstance(content, FamilyContent)
    made = dict(content.lifts)
    made[line_id] = made.get(line_id, 0.0) + by
    return with_part(f"content {place} {number}", lifts=tuple(made.items()))


def moved(value: BaseModel, dx: float, dy: float) -> dict[str, Any]:
    """The fields of a mark or a box that a drag by these shares of the panel changes; nothing for what cannot move."""
    fields = type(value).model_fields
    if {"x0", "y0", "x1", "y1"} <= set(fields):
        return {name: getattr(value, name) + (dx if name[0] == "x" else dy) for name in ("x0", "y0", "x1", "y1")}
    by = {"x": dx, "y": dy}
    return {name: getattr(value, name) + by[name] for name in by if isinstance(getattr(value, name, None), float)}
