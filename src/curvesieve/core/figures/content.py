"""What the panels of a figure show, worked out from the study: lines with the numbers and words that go with them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.figures.fields import DrawnField, drawn_field, slices_of
from curvesieve.core.figures.places import Placed, placed
from curvesieve.core.fitting.straighten import STRAIGHTENINGS, straighten
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.shapes import Fill, Shape
from curvesieve.core.steps.axis import in_units
from curvesieve.core.study.family_parts import FamilyLook, TrendEntry
from curvesieve.core.study.figure_parts import (
    ConstructionContent,
    CurveContent,
    FamilyContent,
    FieldContent,
    FigureSpec,
    PanelSpec,
    ResidualContent,
    StraightContent,
    TrendContent,
    Units,
)
from curvesieve.core.study.measuring import measure_curves, measured_curve
from curvesieve.core.study.passing import giver, recorded, sieved_curve
from curvesieve.core.study.standing import in_order, standing
from curvesieve.core.study.study import Study
from curvesieve.core.study.trends import trend_of


@dataclass(frozen=True, eq=False)
class Drawn:
    """A line of a panel. x, y, u: (n,), u None where there is none.

    `role` is ``data``, ``fit``, ``peak`` or ``points``; `along` its place along a condition from 0 to 1 (None: none);
    `right` whether it is read on the right axis; `lifted` by how much its y is more than what was measured, in words.
    """

    id: str
    label: str
    x: Floats
    y: Floats
    u: Floats | None = None
    role: str = "data"
    along: float | None = None
    right: bool = False
    lifted: str = ""


@dataclass(frozen=True, eq=False)
class Title:
    """The name and the unit of an axis, and the words that go on it."""

    name: str = ""
    unit: str = ""

    @cached_property
    def words(self) -> str:
        """``Raman shift (cm⁻¹)``: the name with its unit in brackets."""
        return units.labelled(self.name, self.unit)

    def said(self, how: Units) -> str:
        """The name with its unit in brackets, or after a slash as ISO 80000-1 has it: the number that an axis shows is
        the quantity divided by its unit; a unit of several factors then stands in brackets.
        """
        unit = units.shown(self.unit)
        if how == "in brackets" or not unit:
            return self.words
        return f"{self.name} / ({unit})" if "·" in unit or "/" in unit else f"{self.name} / {unit}"


@dataclass(frozen=True, eq=False)
class Shown:
    """What a panel shows: its lines, its axes, constructions, marks as they stand, and what is amiss."""

    lines: tuple[Drawn, ...] = ()
    x: Title = Title()
    y: Title = Title()
    right: Title = Title()
    shapes: tuple[tuple[Shape, ...], ...] = ()
    marks: tuple[Placed, ...] = ()
    said: tuple[str, ...] = ()
    fields: tuple[DrawnField, ...] = ()


@dataclass(frozen=True, eq=False)
class _Part:
    """What one content gives."""

    lines: tuple[Drawn, ...]
    x: Title
    y: Title
    shapes: tuple[tuple[Shape, ...], ...] = ()
    said: tuple[str, ...] = ()
    fields: tuple[DrawnField, ...] = ()


def shown(study: Study, spec: FigureSpec) -> tuple[Shown, ...]:
    """What each panel of a figure shows; what refers to something that is gone says so in its panel."""
    return tuple(_panel(study, panel) for panel in spec.panels)


def _panel(study: Study, panel: PanelSpec) -> Shown:
    made, said = Shown(), []
    for content in panel.contents:
        try:
            part = _SHOWING[content.kind](study, content, panel)
            made = _joined(made, part, content.right)
        except InputError as error:
            said.append(str(error))
    said = [*made.said, *said]
    marks = []
    for mark in panel.marks:
        level = getattr(mark, "level", False)
        marks.append(placed(study, mark, made.y.unit if level else made.x.unit, said))
    if not panel.contents:
        said.append("Nothing is in this panel yet.")
    return replace(made, marks=tuple(marks), said=tuple(said))


def _joined(made: Shown, part: _Part, right: bool) -> Shown:
    """A content more on the same axes, in the units of the first of them. Raises InputError where these do not fit."""
    first_x, first_y = made.x, made.right if right else made.y
    begun_x = bool(made.lines or made.fields)
    begun_y = any(line.right == right for line in made.lines) or (bool(made.fields) and not right)
    if begun_x and not _fits(part.x.unit, first_x.unit):
        what = part.lines[0].label if part.lines else "What comes after it"
        raise InputError(f"{what} is over {part.x.words}, and this panel over {first_x.words}; it is not drawn.")
    if begun_y and not _fits(part.y.unit, first_y.unit):
        what = part.lines[0].label if part.lines else "What comes after it"
        raise InputError(
            f"{what} is in {units.shown(part.y.unit) or 'no unit'}, and this axis in "
            f"{units.shown(first_y.unit) or 'no unit'}; put it on the right axis, or in a panel of its own."
        )
    x, y = (first_x if begun_x else part.x), (first_y if begun_y else part.y)
    lines = tuple(_in(line, part, x.unit, y.unit, right) for line in part.lines)
    if part.fields and (part.x.unit, part.y.unit) != (x.unit, y.unit):
        raise InputError(f"{part.fields[0].label} is in other units than this panel; convert it in its sieve.")
    same = (part.x.unit, part.y.unit) == (x.unit, y.unit)
    return Shown(
        (*made.lines, *lines), x, made.y if right else y, y if right else made.right,
        (*made.shapes, *part.shapes) if same else made.shapes, made.marks, (*made.said, *part.said),
        (*made.fields, *part.fields),
    )  # fmt: skip


def _fits(unit: str, other: str) -> bool:
    return units.shown(unit) == units.shown(other) or units.convertible(unit, other)


def _in(line: Drawn, part: _Part, x_unit: str, y_unit: str, right: bool) -> Drawn:
    if (part.x.unit, part.y.unit) == (x_unit, y_unit):
        return replace(line, right=right)
    curve = in_units(Curve(line.x, line.y, line.u, x_unit=part.x.unit, y_unit=part.y.unit), x_unit, y_unit, line.label)
    return replace(line, x=curve.x, y=curve.y, u=curve.u, right=right)


# -- kinds of content ----------------------------------------------------------------------------------


def _passed(study: Study, curve_id: str) -> Curve:
    if not study.has(curve_id):
        raise InputError("The curve that was shown here is not in the study any more.")
    curve = sieved_curve(study, curve_id).curve.used
    if not len(curve):
        raise InputError(f"{study.entry(curve_id).label} has no points.")
    return curve


def _titles(curve: Curve) -> tuple[Title, Title]:
    return Title(curve.x_label, curve.x_unit), Title(curve.y_label, curve.y_unit)


def _fitted(study: Study, curve_id: str, curve: Curve) -> tuple[Curve, list[float]] | None:
    """The points that a fit used and its values; None where there is no fit of what stands there now."""
    fit = study.fit(curve_id) if study.fit_is_current(curve_id) else None
    if fit is None:
        return None
    model = study.model(curve_id)
    return curve.take(model.points_in_use(curve)), [fit.result.values[name] for name in model.names]


def _curve(study: Study, content: CurveContent, panel: PanelSpec) -> _Part:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    lines = [Drawn(entry.id, entry.label, curve.x, curve.y, curve.u)]
    found = _fitted(study, entry.id, curve) if content.fit or content.peaks else None
    if found is not None:
        used, values = found
        model = study.model(entry.id)
        x = used.x[np.argsort(used.x, kind="stable")]
        with np.errstate(all="ignore"):
            for placed_ in model.peaks if content.peaks else ():
                y = _peak_alone(study, entry.id, placed_.number, x, values)
                lines.append(Drawn(f"peak {placed_.number} {entry.id}", placed_.label, x, y, role="peak"))
            if content.fit:
                y = model.sum.evaluate(x, values)
                lines.append(Drawn(f"fit {entry.id}", f"fit of {entry.label}", x, y, role="fit"))
    said: tuple[str, ...] = ()
    if (content.fit or content.peaks) and found is None and study.fit(entry.id) is not None:
        said = (f"The fit of {entry.label} is out of date and not drawn; fit it again.",)
    return _Part(tuple(lines), *_titles(curve), said=said)


def _peak_alone(study: Study, curve_id: str, number: int, x: Floats, values: list[float]) -> Floats:
    """A peak on what it stands on."""
    model = study.model(curve_id)
    total = np.zeros(x.size)
    for piece in model.sum.pieces:
        if model.terms[piece.owner].number in (0, number):
            total = total + model.sum.evaluate_piece(piece, x, values)
    return total


def _residual(study: Study, content: ResidualContent, panel: PanelSpec) -> _Part:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    found = _fitted(study, entry.id, curve)
    if found is None:
        raise InputError(f"{entry.label} has no fit of what stands there now, so nothing is left of it to show.")
    used, values = found
    with np.errstate(all="ignore"):
        rest = used.y - study.model(entry.id).sum.evaluate(used.x, values)
    x, y = _titles(curve)
    line = Drawn(f"residual {entry.id}", f"residual of {entry.label}", used.x, rest, used.u)
    return _Part((line,), x, Title("Residual", y.unit))


def _family(study: Study, content: FamilyContent, panel: PanelSpec) -> _Part:
    family = next((one for one in study.document.families if one.id == content.family), None)
    if family is None:
        raise InputError("The family that was shown here is not in the study any more.")
    look = FamilyLook(
        stand="lifted" if content.lifted else "laid over", lift=content.lift, lifted=content.lifts, fits=content.fits,
        normal=content.normal, low=content.low, high=content.high, hidden=content.hidden,
        y_log=panel.y.scale == "logarithmic", recorded=content.recorded,
    )  # fmt: skip
    curves = {
        id_: recorded(study, id_) if content.recorded else sieved_curve(study, id_).curve for id_ in family.curves
    }
    made = standing(study, family.model_copy(update={"look": look}), curves)
    if not made.curves:
        raise InputError(f"{family.label}: {' '.join(made.said)}")
    order = in_order(study, family)
    count = max(len(order) - 1, 1)
    lines: list[Drawn] = []
    for one in made.curves:
        along = order.index(one.id) / count
        nothing = 1.0 if look.y_log else 0.0
        lifted = "" if one.lift == nothing else f"lifted {'by the factor' if look.y_log else 'by'} {one.lift:.6g}"
        lines.append(Drawn(one.id, one.label, one.x, one.y, one.u, "data", along, lifted=lifted))
        if one.fit is not None:
            fit = f"fit of {one.label}"
            lines.append(Drawn(f"fit {one.id}", fit, one.x, one.fit, role="fit", lifted=lifted))
    name = made.y[0] or "y"
    y = Title(f"{name}, {content.normal}", "") if made.alike else Title(name, made.y[1])
    said = list(made.said)
    if any(line.lifted for line in lines) and (panel.right if content.right else panel.y).numbers != "none":
        said.append(f"{family.label} is lifted: the numbers of its axis hold for the lowest curve alone.")
    return _Part(tuple(lines), Title(*made.x), y, said=tuple(said))


def _trend(study: Study, content: TrendContent, panel: PanelSpec) -> _Part:
    family = next((one for one in study.document.families if one.id == content.family), None)
    if family is None:
        raise InputError("The family that was shown here is not in the study any more.")
    entry = TrendEntry(key=content.key, law=content.law)
    made = trend_of(study, family, entry, measure_curves(study, family.curves))
    source, quantity, part = content.key
    id_ = f"trend {family.id} {source} {quantity} {part}"
    lines = [Drawn(id_, f"{made.title}, {family.label}", made.x, made.y, made.u, "points")]
    if made.through is not None:
        lines.append(Drawn(f"law {id_}", f"law of {made.title}", made.through[0], made.through[1], role="fit"))
    return _Part(
        tuple(lines), Title(family.condition or "condition", family.unit), Title(made.title, made.unit), said=made.said
    )


def _construction(study: Study, content: ConstructionContent, panel: PanelSpec) -> _Part:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    wanted = [name.strip().casefold() for name in content.only.split(",") if name.strip()]
    every = measured_curve(study, entry.id)
    outcomes = [one for one in every if not wanted or _called(one) & set(wanted)]
    known = set().union(*map(_called, every)) if every else set()
    said = [f"{one.slot.title}: {one.problem}" for one in outcomes if one.problem and not one.absent]
    said += [f"{entry.label} has no reading {name}." for name in wanted if name not in known]
    return _Part(
        (Drawn(entry.id, entry.label, curve.x, curve.y, curve.u),), *_titles(curve),
        tuple(shapes for one in outcomes if (shapes := _drawing_of(one, content.areas))), tuple(said),
    )  # fmt: skip


def _called(outcome: Outcome) -> set[str]:
    """By what a measure and its readings are called."""
    readings = (name for one in outcome.readings for name in (one.symbol, one.name))
    return {name.casefold() for name in (outcome.slot.title, *readings) if name}


def _drawing_of(outcome: Outcome, areas: bool) -> tuple[Shape, ...]:
    """What a measure drew, with its first reading; one that is an area alone has its number where the area is."""
    shapes = tuple(shape for shape in outcome.shapes if areas or not isinstance(shape, Fill))
    if not shapes and not areas:
        return ()
    return (*shapes, outcome.words) if outcome.words is not None else shapes


def _straight(study: Study, content: StraightContent, panel: PanelSpec) -> _Part:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    way = STRAIGHTENINGS.get(content.way)
    if way is None:
        raise InputError(f"There are no straight axes {content.way!r}; there are {', '.join(STRAIGHTENINGS)}.")
    made = straighten(study.model(entry.id).in_use(curve), way)
    upright, level = way.label.split(" against ")
    lines = [Drawn(f"straight {entry.id}", entry.label, made.u, made.v, role="points")]
    slope, intercept = made.line.parameters["slope"].value, made.line.parameters["intercept"].value
    ends = np.array([made.u.min(), made.u.max()])
    lines.append(Drawn(f"line {entry.id}", "straight line", ends, intercept + slope * ends, role="fit"))
    said = [f"{entry.label}: {made.problem}"] if made.problem else []
    if made.left_out:
        said.append(f"{entry.label}: {counted(made.left_out, 'point')} without a value on these axes.")
    return _Part(tuple(lines), Title(_said(level, curve)), Title(_said(upright, curve)), said=tuple(said))


def _said(axis: str, curve: Curve) -> str:
    """``ln y`` with what y is: the unit is divided by, as only a number has a logarithm."""
    for letter, name, unit in (("x", curve.x_label, curve.x_unit), ("y", curve.y_label, curve.y_unit)):
        if axis.endswith(letter):
            return f"{axis[:-1]}({name}{f' / {units.shown(unit)}' if units.shown(unit) else ''})"
    return axis


def _field(study: Study, content: FieldContent, panel: PanelSpec) -> _Part:
    if content.shows == "slices":
        made = slices_of(study, content, giver(study))
        first = made[0][1]
        count = max(len(made) - 1, 1)
        slices = tuple(
            Drawn(f"slice {content.field} {name}", name, one.x, one.y, one.u, along=number / count)
            for number, (name, one) in enumerate(made)
        )
        return _Part(slices, *_titles(first))
    drawn, filled = drawn_field(study, content, giver(study))
    points, names = filled.surface.points, filled.grid.names
    x, y = Title(names.x, names.x_unit), Title(names.y, names.y_unit)
    if content.shows == "surface":
        return _Part((), Title(), Title(), fields=(drawn,))
    lines = (Drawn(f"points {content.field}", f"points of {drawn.label}", points.x, points.y, role="points"),)
    return _Part(lines if content.points else (), x, y, fields=(drawn,))


_SHOWING: Mapping[str, Callable[[Study, Any, PanelSpec], _Part]] = {
    "curve": _curve, "residual": _residual, "family": _family, "trend": _trend, "construction": _construction,
    "straight": _straight, "field": _field,
}  # fmt: skip
