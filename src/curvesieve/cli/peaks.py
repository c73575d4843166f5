"""`peaks`: the peaks of files' curves, found and fitted, and sizes of crystallites where a wavelength is known."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from curvesieve.cli.choosing import chosen_curve
from curvesieve.cli.measuring import each_file, said_readings
from curvesieve.core.errors import InputError

if TYPE_CHECKING:
    from curvesieve.core.curve import Curve
    from curvesieve.core.peaks import FittedPeaks


def peak_files(options: argparse.Namespace) -> int:
    """Prints the peaks of each file; one that has none, or cannot be read, makes the status 2."""
    from curvesieve.core.diffraction import WAVELENGTHS, wavelength_of
    from curvesieve.core.formats import read
    from curvesieve.core.intake.computed import quantities_of
    from curvesieve.core.measures.base import Seen
    from curvesieve.core.measures.fit_seen import FitSeen
    from curvesieve.core.measures.taking import taken
    from curvesieve.core.peaks import Asked, fit_peaks
    from curvesieve.core.sets import peak_measures

    asked = Asked(
        options.profile, options.background, _number(options.least, "--least", 3.0),
        None if options.widest is None else _number(options.widest, "--widest", 0.0), options.dips,
    )  # fmt: skip
    if options.wavelength:
        wavelength_of(options.wavelength)  # a request that is wrong is so for every file
    slots = peak_measures(options.wavelength or "", _number(options.k, "--k", 0.9))

    def done(name: str) -> dict[str, Any]:
        record = read(name)
        curve = chosen_curve(record, options)
        fit = fit_peaks(curve, asked)
        quantities = tuple(quantities_of(record))
        told = options.wavelength or any(one.name.casefold() in WAVELENGTHS for one in quantities)
        wanted = slots if told else ()
        seen = Seen.of(curve, quantities, FitSeen(fit.model, fit.result, curve))
        outcomes = taken(wanted, seen, len(curve))
        notes = [*fit.notes, *(f"{one.slot.title}: {one.problem}" for one in outcomes if one.problem)]
        notes += [f"{one.slot.title}: {one.warning}" for one in outcomes if one.warning]
        read_off = [*_of_fit(fit, curve), *(r for one in outcomes for r in one.readings)]
        return {"readings": said_readings(read_off), "notes": notes}

    return each_file(options, done)


def _of_fit(fit: FittedPeaks, curve: Curve) -> list[Any]:
    from curvesieve.core.reading import Basis
    from curvesieve.core.readings import fit_readings

    used = fit.model.in_use(curve)
    basis = Basis(len(used), len(curve), (float(used.x.min()), float(used.x.max())))
    return list(fit_readings(fit.model, fit.result, curve.x_unit, curve.y_unit, basis))


def _number(text: str | None, option: str, usual: float) -> float:
    try:
        return usual if text is None else float(text)
    except ValueError:
        raise InputError(f"{option}: {text!r} is not a number.") from None
