"""How a family stands: each curve made alike and set apart as its look says, with its fit and its guides."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.family.lifting import divisor, lift_of
from curvesieve.core.reading import Reading
from curvesieve.core.steps.axis import in_units
from curvesieve.core.study.document import Family
from curvesieve.core.study.family_parts import FamilyLook, Guide
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.study import Study

_WILD, _MOST_DECADES = 3.0, 300.0
_EXTENTS = ("fwhm", "width", "breadth", "sigma", "gamma", "shift", "distance")


@dataclass(frozen=True, eq=False)
class Stood:
    """A curve as it is drawn: x and y (made alike and lifted), its fit on the same x where there is one.

    y is (value/`divided`) + `lift`, or times it on a logarithmic axis. `u` is made alike, too.
    """

    id: str
    label: str
    x: Floats
    y: Floats
    u: Floats | None
    fit: Floats | None
    divided: float
    lift: float


@dataclass(frozen=True)
class Standing:
    """The curves of a family in the order of their condition, the step of the lift, and sentences on what is not drawn.

    `alike` tells whether y was divided by something, and has its unit no longer.
    """

    curves: tuple[Stood, ...] = ()
    lift: float = 0.0
    said: tuple[str, ...] = ()
    x: tuple[str, str] = ("", "")
    y: tuple[str, str] = ("", "")
    alike: bool = False


def in_order(study: Study, family: Family) -> list[str]:
    """The family's curves in the order of the condition; those without one come last, as they stand."""
    entries = [study.entry(id_) for id_ in family.curves]
    return [one.id for one in sorted(entries, key=lambda one: (one.condition is None, one.condition or 0.0))]


def standing(
    study: Study,
    family: Family,
    curves: Mapping[str, Curve],
    values: Mapping[str, Mapping[str, float]] | None = None,
) -> Standing:
    """How those of a family's curves stand that are not hidden. `curves` are as they passed, or as recorded.

    `values` are parameters, by curve, that are drawn in place of what the fits found: the iterates of a running fit.
    """
    look, said = family.look, []
    beside = [one for one in study.document.families if one.id in look.beside and one.id != family.id]
    ordered = [id_ for one in (family, *beside) for id_ in in_order(study, one)]
    ids = [id_ for id_ in ordered if id_ in curves and id_ not in look.hidden]
    first = next((curves[id_] for id_ in ids if len(curves[id_])), None)
    if first is None:
        return Standing(said=("There is no curve with points here.",))
    made: list[tuple[str, Curve, float]] = []
    for id_ in ids:
        label = study.entry(id_).label
        try:
            curve = in_units(curves[id_], first.x_unit, first.y_unit, label).used
            if len(curve):
                made.append((id_, curve, divisor(curve, look.normal, look.low, look.high)))
            else:
                said.append(f"{label}: there is no point.")
        except InputError as error:
            said.append(f"{label} is not drawn: {error}")
    apart = look.stand == "lifted"
    alike = [_divided(curve, by) for _, curve, by in made]
    step = 0.0
    if apart:
        step = look.lift if look.lift is not None else lift_of(alike, look.y_log)
        if look.y_log and step <= 0:
            said.append("On a logarithmic axis curves are lifted by a factor above zero.")
            step = 1.0
    by_hand = dict(look.lifted)
    stood = []
    for place, ((id_, _, by), curve) in enumerate(zip(made, alike, strict=True)):
        lift = _lift(step, place, by_hand.get(id_, 0.0), look) if apart else (1.0 if look.y_log else 0.0)
        fitted = (look.fits or look.stand == "gallery" or values is not None) and not look.recorded
        fit = _fit_line(study, id_, curve, by, values) if fitted else None
        stood.append(
            Stood(
                id_, study.entry(id_).label, curve.x, _set_apart(curve.y, lift, look), curve.u,
                None if fit is None else _set_apart(fit, lift, look), by, lift,
            )
        )  # fmt: skip
    return Standing(
        tuple(stood), step, tuple(said), (first.x_label, first.x_unit), (first.y_label, first.y_unit),
        look.normal != "as they are",
    )  # fmt: skip


def _divided(curve: Curve, by: float) -> Curve:
    if by == 1.0:
        return curve
    return Curve(curve.x, curve.y / by, None if curve.u is None else curve.u / by, x_unit=curve.x_unit)


def _lift(step: float, place: int, by_hand: float, look: FamilyLook) -> float:
    """What a curve is lifted by: so many steps, and what the hand added (decades of it on a logarithmic axis)."""
    return 10.0 ** min(place * math.log10(step) + by_hand, _MOST_DECADES) if look.y_log else step * place + by_hand


def _set_apart(y: Floats, lift: float, look: FamilyLook) -> Floats:
    with np.errstate(over="ignore"):
        return y * lift if look.y_log else y + lift


def _fit_line(
    study: Study, curve_id: str, curve: Curve, by: float, values: Mapping[str, Mapping[str, float]] | None
) -> Floats | None:
    """The fitted curve where the fit used points; no number elsewhere."""
    model = study.model(curve_id)
    given = (values or {}).get(curve_id)
    if given is None:
        fit = study.fit(curve_id) if study.fit_is_current(curve_id) else None
        given = fit.result.values if fit is not None else None
    if given is None or any(name not in given for name in model.names):
        return None
    with np.errstate(all="ignore"):
        y = model.sum.evaluate(curve.x, [given[name] for name in model.names]) / by
    inside = np.ones(curve.x.size, dtype=bool)
    if model.low is not None:
        inside &= curve.x >= model.low
    if model.high is not None:
        inside &= curve.x <= model.high
    return np.where(inside, y, np.nan)


def guide_place(study: Study, family: Family, guide: Guide) -> tuple[float, str] | None:
    """Where a guide stands, and its words; None where its reading is not there now."""
    if guide.x is not None:
        return guide.x, f"{guide.x:g}"
    if guide.key is None or not study.has(guide.curve):
        return None
    ledger = ledger_of(study, family)
    row = next((row for row in ledger.rows if row.curve.id == guide.curve), None)
    cell = row.cells.get(guide.key) if row is not None else None
    if cell is None:
        return None
    return cell.value, f"{cell.name} of {study.entry(guide.curve).label}"


def guides_offered(study: Study, family: Family, curve_id: str, curve: Curve) -> list[tuple[str, Guide]]:
    """The readings of a curve that are places on its x, by their names, as guides; a width is none."""
    row = next((row for row in ledger_of(study, family).rows if row.curve.id == curve_id), None)
    used = curve.used
    if row is None or not len(used):
        return []
    low, high = float(used.x.min()), float(used.x.max())
    return [
        (cell.name, Guide(curve=curve_id, key=key))
        for key, cell in row.cells.items()
        if low <= cell.value <= high and is_place(cell, curve.x_unit)
    ]


def is_place(reading: Reading, unit: str) -> bool:
    """Whether a reading is a place on an axis in this unit; a width is none."""
    words = f"{reading.key.quantity} {reading.name}".casefold()
    return units.shown(reading.unit) == units.shown(unit) and not any(word in words for word in _EXTENTS)


@dataclass(frozen=True, eq=False)
class Strip:
    """The residuals of one curve where its fit used points; in units of u where points are weighed. x, r: (n,)."""

    id: str
    label: str
    x: Floats
    r: Floats
    weighed: bool


def residual_strips(study: Study, family: Family, curves: Mapping[str, Curve]) -> list[Strip]:
    """The residuals of all curves of a family that have a fit of what stands there now, in the order of the condition.

    `curves` are as they passed.
    """
    made = []
    for id_ in in_order(study, family):
        fit = study.fit(id_) if id_ in curves and study.fit_is_current(id_) else None
        if fit is None:
            continue
        model, curve = study.model(id_), curves[id_]
        used = curve.take(model.points_in_use(curve))
        with np.errstate(all="ignore"):
            r = used.y - model.sum.evaluate(used.x, [fit.result.values[name] for name in model.names])
        weighed = fit.result.weights == "u" and used.u is not None
        if weighed and used.u is not None:
            r = r / used.u
        made.append(Strip(id_, study.entry(id_).label, used.x, r, weighed))
    return made


def scattering(study: Study, family: Family) -> dict[str, float]:
    """Curves whose fit leaves much more than the middle one of the family does: how many times as much."""
    found = {}
    for id_ in family.curves:
        fit = study.fit(id_) if study.fit_is_current(id_) else None
        sd = fit.result.statistics.residual_sd if fit is not None else None
        if sd:
            found[id_] = sd
    middle = float(np.median(list(found.values()))) if len(found) > 2 else 0.0
    return {id_: sd / middle for id_, sd in found.items() if middle > 0 and sd > _WILD * middle}
