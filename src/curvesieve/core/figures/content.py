"""What the panels of a figure show, worked out from the study: lines with the numbers and words that go with them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.study.figure_parts import (
    ConstructionContent,
    CurveContent,
    FamilyContent,
    FigureSpec,
    GuideMark,
    PanelSpec,
    TrendContent,
)
from curvesieve.core.reading import Reading
from curvesieve.core.shapes import Shape
from curvesieve.core.study.family_parts import Guide, TrendEntry
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.measuring import measured_curve
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.standing import guide_place, in_order, standing
from curvesieve.core.study.study import Study
from curvesieve.core.study.trends import trend_of

_LIVE = re.compile(r"\{([^{}]+) of ([^{}]+)\}")


@dataclass(frozen=True, eq=False)
class Drawn:
    """A line of a panel. `role` is ``data``, ``fit``, ``peak`` or ``points``; `along` the place along a condition (None: none)."""

    id: str
    label: str
    x: Floats
    y: Floats
    u: Floats | None = None
    role: str = "data"
    along: float | None = None


@dataclass(frozen=True, eq=False)
class Shown:
    """What a panel shows: its lines, the words of its axes, guides with their places, constructions, and what is amiss."""

    lines: tuple[Drawn, ...] = ()
    x: str = ""
    y: str = ""
    guides: tuple[tuple[GuideMark, float, str], ...] = ()
    shapes: tuple[tuple[Shape, ...], ...] = ()
    words: Mapping[str, str] = field(default_factory=dict)
    """Live texts by how they are typed."""
    said: tuple[str, ...] = ()


def shown(study: Study, spec: FigureSpec) -> tuple[Shown, ...]:
    """What each panel of a figure shows; what refers to something that is gone says so in its panel."""
    return tuple(_panel(study, panel) for panel in spec.panels)


def _panel(study: Study, panel: PanelSpec) -> Shown:
    made = Shown()
    for content in panel.contents:
        try:
            one = _SHOWING[content.kind](study, content)
        except (InputError, KeyError) as error:
            said = str(error) if isinstance(error, InputError) else "What this showed is not in the study any more."
            made = replace(made, said=(*made.said, said))
            continue
        made = Shown(
            (*made.lines, *one.lines), made.x or one.x, made.y or one.y, made.guides, (*made.shapes, *one.shapes),
            {}, (*made.said, *one.said),
        )  # fmt: skip
    guides, words, said = [], {}, list(made.said)
    for mark in panel.marks:
        if mark.kind == "guide":
            place = _guide(study, mark)
            if place is None:
                said.append("A guide follows a reading that is not there now.")
            else:
                guides.append((mark, *place))
        elif mark.kind == "words":
            words[mark.text] = live(study, mark.text, said)
    if not panel.contents:
        said.append("Nothing is in this panel yet.")
    return replace(made, guides=tuple(guides), words=words, said=tuple(said))


def _guide(study: Study, mark: GuideMark) -> tuple[float, str] | None:
    family = study.family_of(mark.curve) if study.has(mark.curve) else None
    if mark.at is not None:
        return mark.at, mark.words
    if family is None:
        return None
    found = guide_place(study, family, Guide(curve=mark.curve, key=mark.key))
    return None if found is None else (found[0], mark.words or found[1])


def live(study: Study, text: str, said: list[str]) -> str:
    """A text with ``{E of foil_1}`` put in as the reading stands now; what is not there is said in its place."""

    def put(match: re.Match[str]) -> str:
        reading = _reading(study, match[1].strip(), match[2].strip())
        if reading is None:
            said.append(f"There is no {match[1].strip()} of {match[2].strip()} now.")
            return f"[no {match[1].strip()}]"
        return f"{reading.symbol} = {reading.written}"

    return _LIVE.sub(put, text)


def _reading(study: Study, name: str, label: str) -> Reading | None:
    id_ = study.named(label)
    if id_ is None:
        return None
    row = next((row for row in ledger_of(study, study.family_of(id_)).rows if row.curve.id == id_), None)
    cells = row.cells.values() if row is not None else ()
    return next((cell for cell in cells if name in (cell.name, cell.symbol)), None)


# -- kinds of content ----------------------------------------------------------------------------------


def _passed(study: Study, curve_id: str) -> Curve:
    if not study.has(curve_id):
        raise InputError("The curve that this showed is not in the study any more.")
    curve = sieved_curve(study, curve_id).curve.used
    if not len(curve):
        raise InputError(f"{study.entry(curve_id).label} has no points.")
    return curve


def _curve(study: Study, content: CurveContent) -> Shown:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    lines = [Drawn(entry.id, entry.label, curve.x, curve.y, curve.u)]
    model = study.model(entry.id)
    if content.fit and study.fit_is_current(entry.id):
        fit = study.fit(entry.id)
        assert fit is not None
        values = [fit.result.values[name] for name in model.names]
        inside = model.points_in_use(curve)
        x = curve.x[inside]
        with np.errstate(all="ignore"):
            lines.append(Drawn(f"fit {entry.id}", "fit", x, model.sum.evaluate(x, values), role="fit"))
            for placed in model.peaks if content.peaks else ():
                y = _peak_alone(study, entry.id, placed.number, x, values)
                lines.append(Drawn(f"peak {placed.number} {entry.id}", placed.label, x, y, role="peak"))
    return Shown(tuple(lines), units.labelled(curve.x_label, curve.x_unit), units.labelled(curve.y_label, curve.y_unit))


def _peak_alone(study: Study, curve_id: str, number: int, x: Floats, values: list[float]) -> Floats:
    """A peak on what it stands on."""
    model = study.model(curve_id)
    total = np.zeros(x.size)
    for piece in model.sum.pieces:
        if model.terms[piece.owner].number in (0, number):
            total = total + model.sum.evaluate_piece(piece, x, values)
    return total


def _family(study: Study, content: FamilyContent) -> Shown:
    family = study.family(content.family)
    look = family.look.model_copy(update={
        "stand": "lifted" if content.lifted else "laid over", "lift": content.lift, "fits": content.fits,
        "recorded": False, "beside": (),
    })  # fmt: skip
    curves = {id_: sieved_curve(study, id_).curve for id_ in family.curves}
    made = standing(study, family.model_copy(update={"look": look}), curves)
    order = in_order(study, family)
    count = max(len(order) - 1, 1)
    lines = []
    for one in made.curves:
        along = order.index(one.id) / count
        lines.append(Drawn(one.id, one.label, one.x, one.y, one.u, "data", along))
        if one.fit is not None:
            lines.append(Drawn(f"fit {one.id}", "fit", one.x, one.fit, role="fit"))
    y = made.y[0] or "y"
    return Shown(
        tuple(lines), units.labelled(made.x[0], made.x[1]), y if made.alike else units.labelled(y, made.y[1]),
        said=made.said,
    )  # fmt: skip


def _trend(study: Study, content: TrendContent) -> Shown:
    family = study.family(content.family)
    made = trend_of(study, family, TrendEntry(key=content.key, law=content.law))
    lines = [Drawn(f"trend {content.key.source} {content.key.quantity} {content.key.part}", made.title, made.x, made.y,
                   made.u, "points")]  # fmt: skip
    if made.line is not None:
        lines.append(Drawn("law", "law", made.line[0], made.line[1], role="fit"))
    return Shown(
        tuple(lines), units.labelled(family.condition or "condition", family.unit),
        units.labelled(made.title, made.unit), said=made.said,
    )  # fmt: skip


def _construction(study: Study, content: ConstructionContent) -> Shown:
    curve, entry = _passed(study, content.curve), study.entry(content.curve)
    outcomes: Outcomes = measured_curve(study, entry.id)
    return Shown(
        (Drawn(entry.id, entry.label, curve.x, curve.y, curve.u),), units.labelled(curve.x_label, curve.x_unit),
        units.labelled(curve.y_label, curve.y_unit), shapes=tuple(one.shapes for one in outcomes),
        said=tuple(f"{one.slot.title}: {one.problem}" for one in outcomes if one.problem and not one.absent),
    )  # fmt: skip


_SHOWING = {"curve": _curve, "family": _family, "trend": _trend, "construction": _construction}
