"""Edits of figures: made, named, changed, removed."""

from __future__ import annotations

from collections.abc import Callable

from curvesieve.core.errors import InputError, nearest
from curvesieve.core.study.edits.base import Edit
from curvesieve.core.study.figure_parts import FigureSpec
from curvesieve.core.study.study import Study


def add_figure(spec: FigureSpec) -> Edit:
    """A figure more, at the end; a name that is taken gets a number."""

    def edit(study: Study) -> Study:
        named = spec.model_copy(update={"name": _free_name(study, spec.name, spec.id)})
        return study.with_document(figures=(*study.document.figures, named))

    return edit


def change_figure(figure_id: str, change: Callable[[FigureSpec], FigureSpec]) -> Edit:
    """Another figure in the place of one."""

    def edit(study: Study) -> Study:
        figures = tuple(change(one) if one.id == figure_id else one for one in study.document.figures)
        return study.with_document(figures=figures)

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


def _free_name(study: Study, name: str, own: str) -> str:
    taken = {one.name for one in study.document.figures if one.id != own}
    made, count = name.strip() or "figure", 1
    while made in taken:
        count += 1
        made = f"{name.strip() or 'figure'} {count}"
    return made
