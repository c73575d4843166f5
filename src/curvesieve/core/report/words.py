"""What was done to curves, in words: steps, models, fits and measures as sentences, and the sources they follow."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence

from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.fitting import FitResult
from curvesieve.core.models import Model
from curvesieve.core.reading import Reading
from curvesieve.core.study.document import FitEntry
from curvesieve.core.study.measuring import measured_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.study import Study
from curvesieve.core.tracing.told import told_of

_NO_SOURCE = ("common practice", "own rule", "your own")
"""What stands in the place of a source where there is none to look up."""
_WEIGHTS = {
    "u": "each point weighed by its u", "none": "all points weighed the same", "counts": "weighed as counts, by √y",
    "proportional": "weighed in proportion to y",
}  # fmt: skip


def steps_in_words(study: Study, curve_id: str, with_numbers: bool = True) -> str:
    """The sieve of a curve in a sentence: ``spikes above 5 times the noise were patched (12 points); …``.

    Steps that are off are passed over, and those that could not work say so. Empty for a curve without steps.
    """
    said = []
    for trail in sieved_curve(study, curve_id).trail:
        if not trail.slot.on:
            continue
        words = trail.slot.rule.in_words(units.shown(trail.before.x_unit), units.shown(trail.before.y_unit))
        if trail.problem:
            said.append(f"{trail.slot.title} could not work: {trail.problem}")
        elif with_numbers and trail.message:
            said.append(f"{words} [{trail.message}]")
        else:
            said.append(words)
    return "; ".join(said)


def model_in_words(model: Model) -> str:
    """``three Lorentzian peaks over the background “Straight line”``; empty for a model without terms."""
    base = next((placed for placed in model.terms if not placed.number), None)
    kinds = Counter(placed.term.label for placed in model.peaks)
    peaks = " and ".join(f"{_number(count)} {label} peak{'s' if count > 1 else ''}" for label, count in kinds.items())
    ground = base.term.label if base is not None else ""
    if base is not None and not peaks:
        return f"the law “{ground}”, {base.term.formula}"
    return f"{peaks} over the background “{ground}”" if ground and peaks else peaks


def _number(count: int) -> str:
    words = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")
    return words[count] if count < len(words) else str(count)


def _weighed(result: FitResult) -> str:
    """How points were weighed: what was asked for may not be there, as u of points that have none."""
    return _WEIGHTS["none"] if result.statistics.chi2 is None else _WEIGHTS.get(result.weights, result.weights)


def fit_in_words(model: Model, fit: FitEntry) -> str:
    """How a model was fitted: points, range, weights, loss, where u is from, and whether it settled."""
    result = fit.result
    span = fit.basis.span
    where = f" from {span[0]:.6g} to {span[1]:.6g} {units.shown(fit.x_unit)}".rstrip() if span is not None else ""
    loss = "least squares" if result.loss == "squared" else f"a robust loss ({result.loss})"
    u = "scaled by the scatter found" if result.scaled else "from the u of the points as it is"
    way = "jointly with the other curves of its family, " if fit.joint else ""
    said = f"fitted {way}by nonlinear {loss} to {counted(fit.basis.used, 'point')}{where}, {_weighed(result)}; u {u}"
    return said if result.converged else f"{said}; it did not converge: {result.message}"


def measures_in_words(readings: Sequence[Reading]) -> list[str]:
    """``E: slope of the straight part (ISO 6892-1)`` for each reading, those of one method together."""
    ways: dict[tuple[str, str], list[str]] = {}
    for one in readings:
        if not one.aside:
            ways.setdefault((one.method, one.reference), []).append(one.symbol or one.name)
    return [
        f"{', '.join(dict.fromkeys(names))}: {method}{f' ({reference})' if reference else ''}"
        for (method, reference), names in ways.items()
    ]


def read_of(study: Study, curve_id: str) -> list[Reading]:
    """What the measures of a curve read."""
    return [one for outcome in measured_curve(study, curve_id) for one in outcome.readings]


def references_of(study: Study, curve_ids: Sequence[str]) -> list[str]:
    """The sources that steps, terms and readings of these curves follow, each once, in the order of their use."""

    def found() -> Iterator[str]:
        for id_ in curve_ids:
            yield from (slot.rule.reference for slot in study.slots(id_) if slot.on)
            yield from (placed.term.reference for placed in study.model(id_).terms)
            yield from (one.reference for one in read_of(study, id_))

    return list(dict.fromkeys(one for one in found() if one and not one.startswith(_NO_SOURCE)))


def methods_paragraph(study: Study, curve_ids: Sequence[str], version: str) -> str:
    """A paragraph for a methods section, of what was done to these curves; curves treated alike are told once."""
    said = [f"Data were analysed with Curve Sieve {version}."]
    for words, ids in _alike(study, curve_ids, lambda id_: _traced_words(study, id_)):
        if words:
            said.append(f"{_named(study, ids, capital=True)} {'were' if len(ids) > 1 else 'was'} traced from {words}.")
    for words, ids in _alike(study, curve_ids, lambda id_: steps_in_words(study, id_, with_numbers=False)):
        if words:
            said.append(f"Before the analysis of {_named(study, ids)}, {words}.")
    for words, ids in _alike(study, curve_ids, lambda id_: _fit_words(study, id_)):
        if words:
            said.append(f"{_named(study, ids, capital=True)} {'were' if len(ids) > 1 else 'was'} described by {words}.")
    for words, ids in _alike(study, curve_ids, lambda id_: "; ".join(measures_in_words(read_of(study, id_)))):
        if words:
            said.append(f"Of {_named(study, ids)} were read: {words}.")
    said.append("Uncertainties are standard uncertainties, as digits in brackets of the last places.")
    return " ".join(said)


def _traced_words(study: Study, curve_id: str) -> str:
    chart = study.chart_of(curve_id)
    return f"the picture {chart.name}, {told_of(chart.trace)}" if chart is not None else ""


def _fit_words(study: Study, curve_id: str) -> str:
    fit = study.fit(curve_id) if study.fit_is_current(curve_id) else None
    if fit is None:
        return ""
    result = fit.result
    loss = "least squares" if result.loss == "squared" else f"a robust loss ({result.loss})"
    joint = "jointly " if fit.joint else ""
    return f"{model_in_words(study.model(curve_id))}, fitted {joint}by {loss}, {_weighed(result)}"


def _alike(study: Study, curve_ids: Sequence[str], words_of: Callable[[str], str]) -> Iterator[tuple[str, list[str]]]:
    groups: dict[str, list[str]] = {}
    for id_ in curve_ids:
        groups.setdefault(words_of(id_), []).append(id_)
    yield from groups.items()


def _named(study: Study, ids: Sequence[str], capital: bool = False) -> str:
    """``all curves of Raman by loading``, or up to three names."""
    family = study.family_of(ids[0])
    if family is not None and len(ids) > 1 and set(family.curves) == set(ids):
        words = f"all curves of {family.label}"
    elif len(ids) > 3:
        words = f"{len(ids)} curves ({study.entry(ids[0]).label} and others)"
    else:
        words = ", ".join(study.entry(id_).label for id_ in ids)
    return words[:1].upper() + words[1:] if capital else words
