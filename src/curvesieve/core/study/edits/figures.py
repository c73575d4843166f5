"""Edits of figures: made, named, changed in any of their parts, removed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from curvesieve.core.changed import changed
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.study.edits.base import Edit, free_name, new_id
from curvesieve.core.study.figure_parts import AxisSpec, FigureSpec, LineSpec, PanelSpec
from curvesieve.core.study.study import Study

Change = Callable[[FigureSpec], FigureSpec]


def add_figure(spec: FigureSpec) -> Edit:
    """A figure more, at the end; a name that is taken gets a number."""

    def edit(study: Study) -> Study:
        taken = {one.name for one in study.document.figures if one.id != spec.id}
        named = spec.model_copy(update={"name": free_name(spec.name, taken, "figure")})
        return study.with_document(figures=(*study.document.figures, named))

    return edit


def copy_figure(figure_id: str, as_id: str = "") -> Edit:
    """The same figure once more, behind it, under a name of its own."""

    def edit(study: Study) -> Study:
        spec = figure_of(study, figure_id)
        return add_figure(spec.model_copy(update={"id": as_id or new_id("figure")}))(study)

    return edit


def change_figure(figure_id: str, change: Change) -> Edit:
    """Another figure in the place of one."""

    def edit(study: Study) -> Study:
        figures = tuple(change(one) if one.id == figure_id else one for one in study.document.figures)
        return study if figures == study.document.figures else study.with_document(figures=figures)

    return edit


def name_figure(figure_id: str, name: str) -> Edit:
    """Another name for a figure. Raises InputError for an empty one, and for one that another figure has."""
    if not name.strip():
        raise InputError("A figure needs a name; the old one is kept.")

    def edit(study: Study) -> Study:
        if any(one.name == name.strip() and one.id != figure_id for one in study.document.figures):
            raise InputError(f"There is a figure {name.strip()} already; choose another name.")
        return change_figure(figure_id, lambda one: one.model_copy(update={"name": name.strip()}))(study)

    return edit


def remove_figure(figure_id: str) -> Edit:
    """Takes a figure out of the study."""

    def edit(study: Study) -> Study:
        return study.with_document(figures=tuple(one for one in study.document.figures if one.id != figure_id))

    return edit


def in_panel(place: int, change: Callable[[PanelSpec], PanelSpec]) -> Change:
    """A change of the panel at a place, from 0."""

    def within(spec: FigureSpec) -> FigureSpec:
        panels = tuple(change(one) if number == place else one for number, one in enumerate(spec.panels))
        return changed(spec, panels=panels)

    return within


def with_axis(place: int, name: str, **changes: Any) -> Change:
    """Other values of an axis (``x``, ``y`` or ``right``) of a panel; of x and y of all panels that share it."""

    def within(spec: FigureSpec) -> FigureSpec:
        shared = (name == "x" and spec.share_x) or (name == "y" and spec.share_y)
        scaling = {key: value for key, value in changes.items() if key in ("low", "high", "scale", "cut")}
        panels = []
        for number, panel in enumerate(spec.panels):
            taken = changes if number == place else scaling if shared else {}
            axis: AxisSpec = getattr(panel, name)
            panels.append(changed(panel, **{name: changed(axis, **taken)}) if taken else panel)
        return changed(spec, panels=tuple(panels))

    return within


def with_line(place: int, line_id: str, **changes: Any) -> Change:
    """Another style of a line of a panel."""

    def change(panel: PanelSpec) -> PanelSpec:
        old = dict(panel.lines).get(line_id, LineSpec())
        new = changed(old, **changes)
        rest = tuple((id_, one) for id_, one in panel.lines if id_ != line_id)
        return changed(panel, lines=rest if new == LineSpec() else (*rest, (line_id, new)))

    return in_panel(place, change)


def figure_of(study: Study, figure_id: str) -> FigureSpec:
    """The figure of an id; raises InputError where there is none."""
    found = next((one for one in study.document.figures if one.id == figure_id), None)
    if found is None:
        raise InputError("This figure is not in the study any more.")
    return found


def figure_named(study: Study, name: str) -> FigureSpec:
    """The figure of a name, or of a number from 1; raises InputError where there is none."""
    figures = study.document.figures
    found = next((one for one in figures if one.name == name), None)
    if found is None and name.isdigit() and 0 < int(name) <= len(figures):
        found = figures[int(name) - 1]
    if found is None:
        names = [one.name for one in figures]
        raise InputError(f"There is no figure {name!r}; there are {', '.join(names) or 'none'}{nearest(name, names)}")
    return found
