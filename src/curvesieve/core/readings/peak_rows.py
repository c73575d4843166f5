"""A row a peak: its numbers with u where it is fitted, at its starts where it is not, and what is said of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.of_peaks import Part, Peak
from curvesieve.core.measures.peak_numbers import KINDS, numbers_at_start, numbers_of_each
from curvesieve.core.models import Model
from curvesieve.core.peaks.making import shapes_of

COLUMNS = ("center", "height", "FWHM", "area", "share", "signal to noise", "sigma")
"""The numbers that a row has, of the `KINDS`."""
SHAPE = "shape"


@dataclass(frozen=True)
class PeakCell:
    """One number of a peak; NaN with the reason in `problem` where it has none. `parameter` is that which it is.

    `held` and `tie` are what is said of that parameter.
    """

    value: float
    u: float | None = None
    unit: str = ""
    problem: str = ""
    parameter: str = ""
    held: bool = False
    tie: str = ""


@dataclass(frozen=True)
class PeakRow:
    """A peak of a model, with its cells by column. `fitted`: they are those of a fit of just that model."""

    number: int
    label: str
    kind: str
    fitted: bool
    second: bool
    cells: dict[str, PeakCell]
    shape_name: str = ""


def peak_rows(model: Model, fit: FitSeen | None, x_unit: str, y_unit: str) -> tuple[PeakRow, ...]:
    """The peaks of a model in the order of their numbers; second lines are no rows.

    `fit` is one of just that model, None where there is none: the cells then are at the starts, and without u.
    """
    values = model.start if fit is None else fit.result.values
    peaks = [
        Peak(placed, {name: values[placed.full_name(name)] for name in placed.parameters}) for placed in model.lines
    ]
    columns = {what: _column(fit, peaks, what) for what in COLUMNS}
    return tuple(
        PeakRow(
            peak.number,
            peak.label,
            peak.placed.term.label,
            fit is not None,
            any(other.second_of == peak.number for other in model.peaks),
            {what: _cell(peak, what, columns[what][k], (x_unit, y_unit)) for what in COLUMNS}
            | {SHAPE: _shape(peak, fit)},
            next(iter(shapes_of(peak.placed)), ""),
        )
        for k, peak in enumerate(peaks)
    )


def _column(fit: FitSeen | None, peaks: Sequence[Peak], what: str) -> list[Part | InputError]:
    return numbers_at_start(peaks, what) if fit is None else numbers_of_each(fit, peaks, what, peaks)


def parameter_of(peak: Peak, what: str) -> str:
    """The parameter that a column shows of a peak; empty where it follows from several."""
    wanted = {"center": "center", "height": "height", "FWHM": "fwhm", "area": "area"}.get(what, "")
    if what == "area" or (wanted in peak.placed.parameters and peak.is_plain):
        return wanted
    return ""


def _cell(peak: Peak, what: str, part: Part | InputError, axes: tuple[str, str]) -> PeakCell:
    kind = KINDS[what]
    if isinstance(part, InputError):
        return PeakCell(float("nan"), problem=str(part))
    value, trace = part
    name = parameter_of(peak, what)
    state = peak.placed.parameters.get(name)
    if state is None and name == "area" and peak.placed.term.shape is not None:
        state = peak.placed.parameters.get(peak.placed.term.shape.size)
    said = (False, "") if state is None or (name == "area" and "area" not in peak.values) else (state.hold, state.tie)
    unit = units.power_product(axes[0], kind.x, axes[1], kind.y)
    free = trace is not None and trace.u > 0
    return PeakCell(value, trace.u if free and trace is not None else None, unit, "", name, *said)


def _shape(peak: Peak, fit: FitSeen | None) -> PeakCell:
    name = next(iter(shapes_of(peak.placed)), "")
    if not name:
        return PeakCell(float("nan"), problem=f"A {peak.placed.term.label} has no shape of its own.")
    state = peak.placed.parameters[name]
    u = None if fit is None else fit.result.parameters[peak.placed.full_name(name)].u
    return PeakCell(peak.values[name], u, "", "", name, state.hold, state.tie)
