"""Readings of a family against its condition, with a law through them; units of laws."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.family.laws import POWER_LAW, is_arrhenius
from curvesieve.core.fitting import FitResult
from curvesieve.core.fitting.sharing import CONDITION
from curvesieve.core.formula import parse
from curvesieve.core.formula.inference import parameter_units
from curvesieve.core.study.document import Family
from curvesieve.core.study.family_parts import TrendEntry
from curvesieve.core.study.ledger import Column, Ledger, ledger_of
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.study import Study

_LINE_POINTS = 200
_OUTLYING = 4.0


@dataclass(frozen=True, eq=False)
class Trend:
    """A column against the condition: points in the order of the condition, each with the id of its curve.

    `u` is None where some have none. `result` is the fit of the law, `units` those of its parameters, `through` the
    law over the range, of shape (2, points). `outlying` are places of points far off the law. `said` are sentences.
    """

    entry: TrendEntry
    title: str
    unit: str
    x: Floats
    y: Floats
    u: Floats | None
    curves: tuple[str, ...]
    result: FitResult | None = None
    units: Mapping[str, str] | None = None
    through: Floats | None = None
    outlying: tuple[int, ...] = ()
    said: tuple[str, ...] = ()


def law_units(law: str, condition_unit: str, value_unit: str) -> tuple[dict[str, str], str]:
    """The units of a law's parameters, from those of the condition and of what it gives; and what does not fit."""
    if is_arrhenius(law):  # its numbers are temperatures, which the formula does not say
        at, energy = parse(law, (CONDITION,)).parameters
        return {at: value_unit, energy: "K"}, ""
    if law == POWER_LAW:  # the condition counts as a number in its unit
        return {"at_1": value_unit, "power": ""}, ""
    found = parameter_units(parse(law, (CONDITION,)), (bool(condition_unit), bool(value_unit)))
    made = {
        name: "" if powers is None else units.power_product(condition_unit, powers[0], value_unit, powers[1])
        for name, powers in found.powers.items()
    }
    return made, found.problems[0][0] if found.problems else ""


def columns_for_trends(ledger: Ledger) -> list[Column]:
    """The columns of a ledger that can be drawn against the condition."""
    return [column for column in (*ledger.columns, *ledger.hidden) if column.key is not None]


def trend_of(study: Study, family: Family, entry: TrendEntry, read: Mapping[str, Outcomes] | None = None) -> Trend:
    """The points of a trend, with its law fitted; weighted by u where all points have one above zero.

    Raises InputError where the ledger has no such column, or no curve has both numbers.
    """
    ledger = ledger_of(study, family, read)
    column = next((c for c in columns_for_trends(ledger) if c.key == entry.key), None)
    if column is None:
        raise InputError(
            f"The ledger of {family.label} has no {entry.key.quantity} now; look at its fits and readings."
        )
    rows = [(row.curve, row.cell(column)) for row in ledger.rows]
    points = sorted(
        ((curve.condition, cell.value, cell.u, curve.id) for curve, cell in rows
         if curve.condition is not None and cell is not None and np.isfinite(cell.value)),
        key=lambda one: one[0],
    )  # fmt: skip
    if not points:
        raise InputError(f"No curve of {family.label} has both a condition and {column.title}.")
    x, y = (np.array([one[k] for one in points], dtype=float) for k in (0, 1))
    us = np.array([np.nan if one[2] is None else one[2] for one in points], dtype=float)
    known = bool(np.isfinite(us).all() and (us > 0).all())
    said = []
    if missing := len(rows) - len(points):
        said.append(f"{counted(missing, 'curve')} {'has' if missing == 1 else 'have'} no point here.")
    made = Trend(
        entry, column.title, column.final_unit, x, y, us if known else None, tuple(one[3] for one in points),
        said=tuple(said),
    )  # fmt: skip
    return _with_law(study, family, made) if entry.law else made


def _with_law(study: Study, family: Family, trend: Trend) -> Trend:
    """The trend with its law fitted; where that cannot be done, the reason is said."""
    law, said = trend.entry.law, list(trend.said)
    needed = len(parse(law, (CONDITION,)).parameters)
    if trend.x.size < needed:
        said.append(f"{counted(trend.x.size, 'point')}, and the law has {counted(needed, 'parameter')}.")
        return replace(trend, said=tuple(said))
    if _is_shared(family, trend.entry) and any(fit is not None and fit.joint for fit in map(study.fit, trend.curves)):
        said.append("The joint fit itself says how this goes with the condition; see what it shares, with its u.")
        return replace(trend, said=tuple(said))
    try:
        result = _law_through(law, trend.x.tobytes(), trend.y.tobytes(), None if trend.u is None else trend.u.tobytes())
        of, problem = law_units(law, family.unit, trend.unit)
    except InputError as error:
        return replace(trend, said=(*said, str(error)))
    if problem:
        said.append(f"The units of the law do not fit: {problem}")
    if trend.u is None:
        said.append("Points weigh the same: not all have a u.")
    if any(fit is not None and fit.joint for fit in map(study.fit, trend.curves)):
        said.append(
            "These readings come of one joint fit and hang together by what it shares; u of the law leaves that out."
        )
    at = np.linspace(float(trend.x.min()), float(trend.x.max()), _LINE_POINTS)
    line = np.stack([at, _law_at(law, result, at)])
    outlying = _outlying(trend, result, law)
    if outlying:
        names = ", ".join(study.entry(trend.curves[k]).label for k in outlying)
        said.append(f"Far off the law, and still in it: {names}.")
    return replace(trend, result=result, units=of, through=line, outlying=outlying, said=tuple(said))


@lru_cache(maxsize=256)
def _law_through(law: str, x: bytes, y: bytes, u: bytes | None) -> FitResult:
    """The law fitted to these numbers, once: plots, ledgers and reports ask for it at every edit."""
    from curvesieve.core.fitting.fits import fit_asked
    from curvesieve.core.fitting.request import Request

    numbers = [None if one is None else np.frombuffer(one) for one in (x, y, u)]
    assert numbers[0] is not None
    assert numbers[1] is not None
    return fit_asked(law, numbers[0], numbers[1], numbers[2], Request(weights="none" if u is None else "u"), CONDITION)


def _is_shared(family: Family, entry: TrendEntry) -> bool:
    """Whether a column is a parameter that the joint fit shares or puts on a law: its points are no news of it."""
    key = entry.key
    name = f"{key.quantity}_{key.part}" if key.part else key.quantity
    return key.source == "fit" and name in {one.name for one in family.sharing}


def _law_at(law: str, result: FitResult, x: Floats) -> Floats:
    from curvesieve.core.models import formula_sum

    summed = formula_sum(law, (CONDITION,))
    with np.errstate(all="ignore"):
        return np.asarray(summed.evaluate(x, [result.parameters[name].value for name in summed.names]))


def _outlying(trend: Trend, result: FitResult, law: str) -> tuple[int, ...]:
    """Points that lie far off: by the middle of all distances, which few cannot move. Marked, never dropped."""
    r = trend.y - _law_at(law, result, trend.x)
    r = r if trend.u is None else r / trend.u
    spare = r.size - len(result.free)
    middle = float(np.median(np.abs(r)))
    if spare < 2 or middle <= 0:
        return ()
    scale = 1.4826 * middle * np.sqrt(r.size / spare)
    return tuple(np.flatnonzero(np.abs(r) > _OUTLYING * scale).tolist())
