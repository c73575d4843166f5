"""`radius`: Guinier's radius of files' scattering, and where a law is named its fit."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from curvesieve.cli.choosing import chosen_curve, limits
from curvesieve.cli.measuring import each_file, said_readings
from curvesieve.core.errors import InputError

if TYPE_CHECKING:
    from curvesieve.core.curve import Curve
    from curvesieve.core.steps.ranges import Blank


def radius_files(options: argparse.Namespace) -> int:
    """Prints Rg, I0 and the equivalent sphere's radius of each file; one that has none makes the status 2."""
    from curvesieve.core.measures.base import MeasureSlot, Seen, parse_measure
    from curvesieve.core.measures.taking import taken

    rule = parse_measure({"measure": "guinier", "form": options.form, "most": options.most})
    slot = MeasureSlot(id="guinier", rule=rule)
    blank = _blank(options)

    def done(name: str) -> dict[str, Any]:
        curve, notes = _scattering(name, options)
        if blank is not None:
            passed = blank.apply_among(curve, _File(options))
            curve, notes = passed.curve, [*notes, passed.message]
        (one,) = taken((slot,), Seen.of(curve), len(curve))
        failed = [f"{slot.title}: {one.problem}"] if one.problem else []
        readings = list(one.readings)
        if options.model:
            made, said = _fitted(curve, options.model)
            readings += made
            notes += said
        notes += [f"{slot.title}: {one.warning}"] if one.warning else []
        return {"readings": said_readings(readings), "notes": [*failed, *notes], "failed": failed}

    return each_file(options, done)


class _File:
    """A blank beside the files: its name is its path."""

    def __init__(self, options: argparse.Namespace) -> None:
        self.options = options

    def curve(self, name: str) -> Curve:
        return _scattering(name, self.options)[0]

    def family(self) -> list[Curve]:
        return []


def _blank(options: argparse.Namespace) -> Blank | None:
    from curvesieve.core.steps.ranges import Blank

    if options.blank is None:
        if options.match or options.factor != 1.0:
            raise InputError("--match and --factor say how a blank is scaled; name one with --blank FILE.")
        return None
    if not options.match:
        return Blank(donor=options.blank, factor=options.factor)
    low, high = limits(options.match, "--match")
    ends = {key: value for key, value in (("low", low), ("high", high)) if abs(value) != float("inf")}
    return Blank(donor=options.blank, by="matched at large q", **ends)


def _scattering(name: str, options: argparse.Namespace) -> tuple[Curve, list[str]]:
    """The curve of a file, with the u of its intensities where a channel is named so."""
    from curvesieve.core.axes_views import is_scattering
    from curvesieve.core.formats import read
    from curvesieve.core.intake.pattern import u_of

    record = read(name)
    asked = argparse.Namespace(**vars(options))
    if not asked.u:
        y = record.index(asked.y) if asked.y and not asked.y.isdigit() else record.guess_xy()[1]
        beside = u_of(record, int(asked.y) - 1 if asked.y and asked.y.isdigit() else y)
        asked.u = None if beside is None else str(beside + 1)
    curve = chosen_curve(record, asked)
    notes = [] if asked.u else ["no channel with the u of the intensities was found; it is estimated from the scatter"]
    if not is_scattering(curve.x_unit):
        ends = f"{curve.x.min():.3g} to {curve.x.max():.3g}"
        notes.append(f"x is in {curve.x_unit or 'no unit'}, not known as a q; radii are in 1 over that (x from {ends})")
    return curve, notes


def _fitted(curve: Curve, slug: str) -> tuple[list[Any], list[str]]:
    from curvesieve.core.fitting import search_model
    from curvesieve.core.models import Model
    from curvesieve.core.recipe import fit_read

    model = Model(scaled=True).with_background(slug, curve)
    model = model.starting_at(search_model(model, curve))
    result, readings, _ = fit_read(model, curve, len(curve))
    return list(readings), [*([] if result.converged else [result.message]), *result.warnings]
