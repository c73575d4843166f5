"""What a family's curves share, as rows to read and write: numbers of a joint fit with units; all parameters."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.family.laws import GAS_CONSTANT, is_arrhenius
from curvesieve.core.reading import concise
from curvesieve.core.study.document import Family
from curvesieve.core.study.outcomes import Outcomes
from curvesieve.core.study.passing import passed_units
from curvesieve.core.study.standing import in_order
from curvesieve.core.study.study import Study
from curvesieve.core.study.trends import law_units, trend_of


@dataclass(frozen=True)
class SharedNumber:
    """A number that a joint fit found for all curves: of which parameter, by which law (empty: one for all), its own
    name in the law."""

    parameter: str
    law: str
    name: str
    value: float
    u: float | None
    unit: str
    state: str = ""

    @property
    def title(self) -> str:
        """``tau1``, or ``slope of tau2``."""
        return f"{self.name} of {self.parameter}" if self.name else self.parameter

    @property
    def written(self) -> str:
        """``tau1 = 18.06(14) s``."""
        return f"{self.title} = {concise(self.value, self.u)} {units.shown(self.unit)}".strip()

    @property
    def how(self) -> str:
        """Where it is from, in a few words."""
        if self.state == "through the readings":
            return f"{self.parameter} = {self.law} through the readings"
        said = f"{self.parameter} = {self.law}, joint fit" if self.law else "joint fit, one for all"
        return f"{said}, {self.state}" if self.state else said


def shared_numbers(study: Study, family: Family) -> list[SharedNumber]:
    """What the last joint fit of a family found for what is shared; an activation energy follows an Arrhenius law."""
    joint = family.joint
    if joint is None:
        return []
    axes = next((found for id_ in joint.curves if study.has(id_) and (found := passed_units(study, id_))), ("", ""))
    unit_of = family.recipe.model.unit_texts(*axes)
    laws = {one.name: one.law for one in family.sharing}
    made = [
        SharedNumber(name, "", "", one.value, one.u, unit_of.get(name, ""), one.state)
        for name, one in joint.result.shared.items()
    ]
    for parameter, numbers in joint.result.laws.items():
        law = laws.get(parameter, "")
        of = law_units(law, family.unit, unit_of.get(parameter, ""))[0] if law else {}
        made += [
            SharedNumber(parameter, law, name, one.value, one.u, of.get(name, ""), one.state)
            for name, one in numbers.items()
        ]
        if is_arrhenius(law) and "T_a" in numbers:
            one = numbers["T_a"]
            scale = GAS_CONSTANT / 1000
            u = None if one.u is None else scale * one.u
            made.append(SharedNumber(parameter, law, "E", scale * one.value, u, "kJ/mol", "R·T_a"))
    return made


def family_numbers(study: Study, family: Family, read: Mapping[str, Outcomes] | None = None) -> list[SharedNumber]:
    """What is known of a family as one: numbers of a joint fit that is not out of date, of laws through readings."""
    made = shared_numbers(study, family) if study.joint_state(family.id) in ("fitted", "did not converge") else []
    for entry in family.trends:
        try:
            trend = trend_of(study, family, entry, read)
        except InputError:
            continue
        for name, one in trend.result.parameters.items() if trend.result is not None else ():
            unit = (trend.units or {}).get(name, "")
            made.append(SharedNumber(trend.title, entry.law, name, one.value, one.u, unit, "through the readings"))
    return made


@dataclass(frozen=True)
class ParameterRow:
    """A curve's parameters with their u, each None where there is none; and the state of its fit."""

    id: str
    label: str
    cells: tuple[tuple[float, float | None] | None, ...]
    state: str


def all_parameters(study: Study, family: Family) -> tuple[list[str], list[ParameterRow]]:
    """The headings, and a row a curve under the family's model: its parameters, and the sum that is made least.

    Fits that are out of date give no numbers.
    """
    model = family.recipe.model
    names = [name for name in model.names if name not in model.inner]
    axes = next((found for id_ in family.curves if (found := passed_units(study, id_))), ("", ""))
    unit_of = model.unit_texts(*axes)
    rows = []
    for id_ in in_order(study, family):
        if not study.shares(id_, "model"):
            continue
        state, fit = study.fit_state(id_), study.fit(id_)
        known = fit.result.parameters if fit is not None and state in ("fitted", "did not converge") else {}
        numbers = [known.get(name) for name in names]
        cells = [None if one is None else (one.value, one.u) for one in numbers]
        cells.append((fit.result.statistics.least, None) if known and fit is not None else None)
        rows.append(ParameterRow(id_, study.entry(id_).label, tuple(cells), state))
    weighed = any(fit.result.statistics.chi2 is not None for row in rows if (fit := study.fit(row.id)) is not None)
    return [*(units.labelled(name, unit_of.get(name, "")) for name in names), "χ²" if weighed else "RSS"], rows
