"""Measures of single peaks of a fit: what each of them is, how two of them compare, how far one has moved."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Power, Seen, Taken, Yield
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.of_peaks import OfPeaks, Part, Peak, numbers_of, parameter_traced, told_in, traced
from curvesieve.core.measures.trace import Trace
from curvesieve.core.rules import RuleField

_AROUND = 2.0
"""The noise beside a peak is that of the residuals within so many of its widths."""
_ENOUGH = 10
_NOISE = -1_600_000
"""The cause of the u of the noise about a fit; see `Trace`."""


@dataclass(frozen=True)
class Kind:
    """One number of a peak: its name, its symbol, its unit as powers of those of x and y."""

    quantity: str
    symbol: str
    x: Power = 0
    y: Power = 0
    gap: bool = False


KINDS = {
    "center": Kind("peak-center", "center", 1),
    "height": Kind("peak-height", "height", 0, 1),
    "FWHM": Kind("peak-width", "FWHM", 1, gap=True),
    "area": Kind("peak-area", "area", 1, 1),
    "share": Kind("peak-share", "share"),
    "signal to noise": Kind("peak-signal-to-noise", "S/N"),
    "sigma": Kind("peak-sigma", "sigma", 1, gap=True),
    "integral breadth": Kind("peak-breadth", "β", 1, gap=True),
}
"""The numbers of a peak that a table shows and a measure reads, by what they are called."""


def area_of_peak(peak: Peak) -> float:
    """Its area. Raises InputError where it has none that is known."""
    area = peak.area
    if area is None:
        raise InputError(f"{peak.label} is a {peak.placed.term.label}, whose area is not finite or not known.")
    return area


def _sigma(peak: Peak) -> float:
    if peak.sigma is None:
        raise InputError(f"{peak.label} is no Gaussian, and has no sigma; read its FWHM.")
    return peak.sigma


_SINGLE: dict[str, Callable[[Peak], float]] = {
    "center": lambda one: one.top, "height": lambda one: one.height, "FWHM": lambda one: one.fwhm,
    "area": area_of_peak, "sigma": _sigma, "integral breadth": lambda one: one.breadth,
}  # fmt: skip


_ITSELF = {"center": "center", "height": "height", "FWHM": "fwhm", "area": "area"}
"""The parameter that a number is by itself, in profiles that have it."""


def number_of(fit: FitSeen, peak: Peak, what: str) -> Part:
    """A number that a peak has by itself, and where its u is from. Raises InputError where it has none."""
    name = _ITSELF.get(what, "")
    if name in peak.values and peak.is_plain:
        return parameter_traced(fit, peak, name)
    return traced(fit, peak, _SINGLE[what])


def numbers_of_each(fit: FitSeen, peaks: Sequence[Peak], what: str, every: Sequence[Peak]) -> list[Part | InputError]:
    """One of the `KINDS` of each peak, and where its u is from; the reason in its place where there is none.

    The share is that of the areas of `every` peak of the fit, with the correlations between them.
    """
    one_by_one: Callable[[Peak], Part]
    if what == "share":
        one_by_one = partial(_share, _areas(fit, every))
    elif what == "signal to noise":
        one_by_one = partial(_over_noise, fit, *_residuals(fit))
    else:
        one_by_one = partial(number_of, fit, what=what)
    found: list[Part | InputError] = []
    for peak in peaks:
        try:
            found.append(one_by_one(peak))
        except InputError as error:
            found.append(error)
    return found


def numbers_at_start(peaks: Sequence[Peak], what: str) -> list[Part | InputError]:
    """The same at values that no fit has found, and so without u."""
    found: list[Part | InputError] = []
    areas: list[Part] | InputError = []
    if what == "share":
        try:
            areas = [(area_of_peak(peak), None) for peak in peaks]
        except InputError as error:
            areas = error
    for k, peak in enumerate(peaks):
        try:
            if what == "signal to noise":
                raise InputError("The noise is the scatter about a fit; fit the model first.")
            if isinstance(areas, InputError):
                raise areas
            found.append(ratio_of([areas[k]], areas) if what == "share" else (_SINGLE[what](peak), None))
        except InputError as error:
            found.append(error)
    return found


def _areas(fit: FitSeen, every: Sequence[Peak]) -> dict[int, Part] | InputError:
    try:
        return {peak.number: number_of(fit, peak, "area") for peak in every}
    except InputError as error:
        return error


def _share(areas: dict[int, Part] | InputError, peak: Peak) -> Part:
    if isinstance(areas, InputError):
        raise areas
    return ratio_of([areas[peak.number]], list(areas.values()))


def _residuals(fit: FitSeen) -> tuple[Floats, Floats]:
    """x and residual of the points that the fit used, each of shape (points,)."""
    used = fit.model.in_use(fit.curve)
    names = fit.model.names
    return used.x, used.y - fit.model.sum.evaluate(used.x, [fit.result.values[name] for name in names])


def _over_noise(fit: FitSeen, x: Floats, left: Floats, peak: Peak) -> Part:
    """The height over the standard deviation of the residuals about the peak; of all where few are near."""
    height, trace = number_of(fit, peak, "height")
    near = np.abs(x - peak.center) <= _AROUND * peak.fwhm
    chosen = left[near] if int(near.sum()) >= _ENOUGH else left
    noise = float(np.sqrt(np.mean((chosen / (np.abs(left).max() or 1.0)) ** 2))) * float(np.abs(left).max())
    if not noise > 1e-12 * abs(height):
        raise InputError(f"{peak.label} has no noise beside it: the fit meets every point.")
    value = abs(height) / noise
    own = Trace(np.array([_NOISE]), np.array([value / math.sqrt(2 * chosen.size)]))
    return value, None if trace is None else Trace.sum([(trace, math.copysign(1, height) / noise), (own, 1.0)])


def ratio_of(over: Sequence[Part], under: Sequence[Part]) -> Part:
    """The sum of some numbers over that of others, with the correlations of all. Raises InputError where that is 0."""
    top, bottom = math.fsum(value for value, _ in over), math.fsum(value for value, _ in under)
    if not bottom:
        raise InputError("what it is divided by is zero.")
    value = top / bottom
    parts = [(trace, 1 / bottom) for _, trace in over] + [(trace, -value / bottom) for _, trace in under]
    known = [(trace, slope) for trace, slope in parts if trace is not None]
    return value, Trace.sum(known) if len(known) == len(parts) else None


def _found(kind: Kind, part: Part, peak: Peak | None = None) -> Found:
    value, trace = part
    number, of = (0, "") if peak is None else (peak.number, peak.label)
    return Found(kind.quantity, value, u=None if trace is None else trace.u, part=number, trace=trace, of=of)


def _yield_of(kind: Kind) -> Yield:
    return Yield(kind.quantity, kind.symbol, kind.x, kind.y, gap=kind.gap)


class PeakNumber(OfPeaks):
    """One number of each chosen peak: its center, height, FWHM, area, its share of all areas, signal to noise …

    Of a profile that is not symmetric the center is where it is highest, and the FWHM that of its crest. The noise is
    the scatter about the fit within two widths of the center.
    """

    slug = "peak-number"
    label = "Number of peaks"
    summary = "Center, height, FWHM, area, share, signal to noise of each peak"
    words = "position width integral fraction percent sigma snr breadth table"
    handles = ()
    leads = False
    plain_only = False
    yields = tuple(_yield_of(kind) for kind in KINDS.values())

    what: Literal["center", "height", "FWHM", "area", "share", "signal to noise", "sigma", "integral breadth"] = (
        RuleField("share", label="what", help="Which number of each peak is read.")
    )

    def yields_now(self) -> tuple[Yield, ...]:
        return (_yield_of(KINDS[self.what]),)

    def digest(self) -> str:
        return f"{self.what} of {f'peaks {self.peaks.strip()}' if self.peaks.strip() else 'all peaks'}"

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        every = self.model_copy(update={"peaks": ""}).chosen(seen)[1] if self.what == "share" else peaks
        parts = list(zip(peaks, numbers_of_each(fit, peaks, self.what, every), strict=True))
        kind = KINDS[self.what]
        found = [_found(kind, part, peak) for peak, part in parts if not isinstance(part, InputError)]
        problems = [str(part).rstrip(".") for _, part in parts if isinstance(part, InputError)]
        if not found:
            raise InputError(f"{'; '.join(dict.fromkeys(problems))}.")
        return self.taken(seen, found, f"of {counted(len(found), 'peak')}", "; ".join(dict.fromkeys(problems)))


class PeakRatio(OfPeaks):
    """The area, height or FWHM of one peak, or of several together, over that of others."""

    slug = "peak-ratio"
    label = "Ratio of peaks"
    summary = "Area or height of one peak over that of another"
    words = "intensity ratio area height band D G quotient"
    handles = ()
    plain_only = False
    yields = (Yield("peak-ratio", "ratio"),)

    what: Literal["area", "height", "FWHM"] = RuleField("area", label="what", help="The number that is compared.")
    over: str = RuleField("2", label="of peaks", max_length=400, help="A number, or several that are added: 2, 4.")
    peaks: str = RuleField("1", label="to peaks", max_length=400, help="A number, or several that are added.")

    def digest(self) -> str:
        return f"{self.what} of {self.over.strip() or 'all'} to {self.peaks.strip() or 'all'}"

    def take(self, seen: Seen) -> Taken:
        fit, under = self.chosen(seen)
        over = self.model_copy(update={"peaks": self.over}).chosen(seen)[1]
        parts = [[number_of(fit, peak, self.what) for peak in group] for group in (over, under)]
        names = [" + ".join(peak.label for peak in group) for group in (over, under)]
        found = _found(Kind("peak-ratio", "ratio"), ratio_of(*parts))
        return self.taken(seen, [found], f"{self.what} of {names[0]} to {names[1]}")


class LineShift(OfPeaks):
    """How far a peak lies from a place: that of another curve, of a standard, of the literature."""

    slug = "line-shift"
    label = "Line shift"
    summary = "How far a peak lies from a place"
    words = "shift displacement stress strain reference position difference"
    handles = ()
    plain_only = False
    yields = (Yield("line-shift", "shift", 1, gap=True),)

    peaks: str = RuleField("1", label="peak", max_length=400, help="The number of the peak.")
    place: str = RuleField(
        "", label="from", max_length=100,
        help="Such as 1332 1/cm, or the name of a quantity or a reading before this, as one given by another curve.",
    )  # fmt: skip

    def digest(self) -> str:
        return f"peak {self.peaks.strip() or '…'} from {self.place.strip() or '…'}"

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        if numbers_of(self.peaks) is None or len(peaks) != 1:
            raise InputError(f"a shift is that of one peak, and {len(peaks)} are chosen; write its number.")
        at, own = number_of(fit, peaks[0], "center")
        from_, known = told_in(self.place, seen, "the place that the shift is from", "1332 1/cm")
        parts = [(trace, slope) for trace, slope in ((own, 1.0), (known, -1.0)) if trace is not None]
        trace = None if own is None else Trace.sum(parts)
        said = f"{peaks[0].label} at {at:.7g}, from {from_:.7g}"
        return self.taken(seen, [_found(Kind("line-shift", "shift", 1), (at - from_, trace))], said)
