"""Peaks that may be added to a model: which of them are kept at a sensitivity, and by hand; nothing is fitted."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.models import Model
from curvesieve.core.models.drawing import width_of
from curvesieve.core.models.starts import Data
from curvesieve.core.models.starts import peak as peak_at
from curvesieve.core.peaks.finding import LEAST, FoundPeak, find_peaks
from curvesieve.core.peaks.making import BACKGROUND, PROFILE, STIFF, with_best_ground, with_found
from curvesieve.core.peaks.noise import counts_or_u, noise_of
from curvesieve.core.scatter import whole

_OUTLINE, _REACH = 41, 1.5
"""Points of the outline of a candidate, and how far it goes in widths."""


@dataclass(frozen=True)
class Candidates:
    """What stands out of a curve beside the peaks of its model, in the order of x.

    One is kept when its signal to noise reaches `least` and nothing speaks against it; but those at the places
    `dropped` and `added` by hand are decided, whatever the rule says.
    """

    peaks: tuple[FoundPeak, ...]
    least: float = LEAST
    dropped: frozenset[int] = frozenset()
    added: frozenset[int] = frozenset()
    notes: tuple[str, ...] = ()
    dips: bool = False
    """Whether they are what dips below."""

    def is_kept(self, place: int) -> bool:
        """Whether the candidate at a place of the list would be added."""
        one = self.peaks[place]
        by_rule = not one.doubt and one.signal_to_noise >= self.least
        return place in self.added or (by_rule and place not in self.dropped)

    @property
    def kept(self) -> tuple[FoundPeak, ...]:
        """Those that would be added."""
        return tuple(one for place, one in enumerate(self.peaks) if self.is_kept(place))

    def toggled(self, place: int) -> Candidates:
        """The same with one candidate kept that was not, or the other way round."""
        if self.is_kept(place):
            return replace(self, dropped=self.dropped | {place}, added=self.added - {place})
        return replace(self, dropped=self.dropped - {place}, added=self.added | {place})

    def at_least(self, least: float) -> Candidates:
        """The same at another signal to noise; what was decided by hand stays decided."""
        return replace(self, least=least)

    def with_peak(self, one: FoundPeak) -> Candidates:
        """The same with a candidate more, which is kept."""
        place = sum(other.center < one.center for other in self.peaks)
        dropped, added = (frozenset(k if k < place else k + 1 for k in old) for old in (self.dropped, self.added))
        peaks = (*self.peaks[:place], one, *self.peaks[place:])
        return replace(self, peaks=peaks, dropped=dropped, added=added | {place})

    @property
    def range(self) -> tuple[float, float]:
        """The least and the largest finite signal to noise among them: the ends of a slider."""
        ratios = [one.signal_to_noise for one in self.peaks if math.isfinite(one.signal_to_noise)] or [LEAST]
        return 0.999 * min(*ratios, LEAST), 1.001 * max(*ratios, LEAST)

    def outlines(self, curve: Curve, kept: bool) -> tuple[Floats, Floats]:
        """Bells where the candidates that are kept (or those that are not) stand, as one line with gaps of NaN.

        Each has height and width as they were found, on the curve's y less its height; x and y of the same shape.
        """
        order = np.argsort(curve.x, kind="stable")
        x, y = curve.x[order], curve.y[order]
        t = np.linspace(-_REACH, _REACH, _OUTLINE)
        bell = np.exp(-4 * math.log(2) * t**2)
        xs: list[Floats] = []
        ys: list[Floats] = []
        for place, one in enumerate(self.peaks):
            if self.is_kept(place) == kept and x.size:
                base = float(np.interp(one.center, x, y)) - one.height
                xs += [one.center + t * one.fwhm, np.array([np.nan])]
                ys += [base + one.height * bell, np.array([np.nan])]
        return (np.concatenate(xs), np.concatenate(ys)) if xs else (np.empty(0), np.empty(0))


def candidates_of(model: Model, curve: Curve, dips: bool = False) -> Candidates:
    """What stands out of the points in use, or dips below, and is no peak of the model yet.

    Raises InputError where nothing does.
    """
    used = model.in_use(curve)
    found = find_peaks(used, 0.0, dips=dips)
    there = [(placed.parameters["center"].start, width_of(placed)) for placed in model.peaks]
    new = [one for one in found.peaks if all(abs(one.center - at) > max(width, one.fwhm) / 2 for at, width in there)]
    if not new:
        more = " beside those of the model" if there else ""
        said = "No dip is seen" if dips else "No peak stands out"
        raise InputError(" ".join([*found.notes, f"{said}{more}."]))
    return Candidates(tuple(new), notes=found.notes, dips=dips)


def candidate_at(model: Model, curve: Curve, pointed: float, dips: bool = False) -> FoundPeak:
    """A candidate, or a dip, where the user points, read off the data there, over the model that there is."""
    used = model.in_use(curve)
    below = model.sum.evaluate(used.x, list(model.start.values())) if model.terms else np.zeros(len(used))
    side = -1.0 if dips else 1.0
    seen = peak_at(Data(used.x, side * (used.y - below), pointed))
    points = whole(used)
    noise = float(np.median(noise_of(points.x, points.y))) if points.u is None else float(np.median(points.u))
    if not model.terms:  # there is no background yet to stand on
        near = np.abs(used.x - seen["center"]) <= 2 * seen["fwhm"]
        seen["height"] -= float(np.min(side * used.y[near])) if near.any() else 0.0
    height = side * seen["height"]
    return FoundPeak(seen["center"], height, seen["fwhm"], noise, abs(height) / noise if noise else 0.0)


def taken_into(
    model: Model, curve: Curve, candidates: Candidates, profile: str = PROFILE, background: str | None = ""
) -> tuple[Model, str]:
    """The model with the candidates that are kept, and a sentence on it; nothing is fitted.

    A model without terms gets a background: the one named, none for None, and the one that suits best for "". Raises
    InputError where none is kept.
    """
    new = candidates.kept
    if not new:
        raise InputError("No candidate is kept. Move the slider to the right, or click the ghosts that are peaks.")
    used = model.in_use(curve)
    counts = not model.peaks and model.weights == "u" and counts_or_u(used) == "counts"
    if counts:
        model = model.model_copy(update={"weights": "counts"})
    if not model.terms and background is not None:
        model = model.with_background(background or BACKGROUND, curve)
        model = with_found(model, curve, new, profile)
        made = model if background else with_best_ground(model, curve, STIFF)
    else:
        made = with_found(model, curve, new, profile)
    said = [f"{counted(len(new), 'peak')} added."]
    return made, " ".join([*said, *(["The fit weighs y as counts."] if counts else []), *candidates.notes])
