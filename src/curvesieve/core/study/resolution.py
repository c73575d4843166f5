"""The resolution of an instrument in q, from a channel of the file that its curve is from."""

from __future__ import annotations

import re

import numpy as np

from curvesieve.core import units
from curvesieve.core.models import Model, PlacedTerm
from curvesieve.core.models.library.scattering import seen_through
from curvesieve.core.record import Record
from curvesieve.core.study.document import FromRecord
from curvesieve.core.study.passing import passed_units
from curvesieve.core.study.study import Study

_NAMES = ("dq", "qdev", "qerr", "qerror", "sigmaq", "deltaq", "qresolution", "resolution", "qsigma", "uq", "sq", "dqx")


def resolution_in(record: Record, x: int) -> tuple[float, float] | None:
    """The relative width of q and its floor in the unit of channel `x`, by least squares of the squares of a channel
    named dq, Qdev, u(q) …: width² = (relative·q)² + floor². None where there is no such channel."""
    from scipy.optimize import nnls

    q = record.channels[x]
    for place, channel in enumerate(record.channels):
        name = re.sub(r"[^a-z]", "", channel.name.casefold().replace("σ", "sigma").replace("δ", "d").replace("Δ", "d"))
        if place == x or name not in _NAMES or not units.alike(channel.unit, q.unit):
            continue
        good = np.isfinite(q.values) & np.isfinite(channel.values) & (channel.values > 0) & (q.values > 0)
        if good.sum() < 3:
            continue
        at, width = q.values[good], channel.values[good]
        design = np.column_stack([at**2, np.full(at.size, float(np.median(at)) ** 2)]) / width[:, None] ** 2
        found = nnls(design, np.ones(at.size))[0]
        return float(np.sqrt(found[0])), float(np.sqrt(found[1]) * np.median(at))
    return None


def with_resolution(model: Model, before: PlacedTerm | None, study: Study, curve_id: str) -> Model:
    """A model whose law has just come to be seen through a pinhole, with the resolution of its curve's file.

    What was said before stays; a file without a channel for it leaves the declared start.
    """
    ground, source = model.background, study.entry(curve_id).source
    if ground is None or seen_through(ground.slug) != "pinhole" or not isinstance(source, FromRecord):
        return model
    if before is not None and "resolution" in before.parameters:
        return model
    record = study.record(source.record)
    found = resolution_in(record, source.take.x)
    if found is None:
        return model
    unit, known = record.channels[source.take.x].unit, passed_units(study, curve_id)
    now, factor = known[0] if known else "", 1.0
    if unit and now and units.convertible(unit, now):
        factor = float(units.in_base(unit).factor) / float(units.in_base(now).factor)
    return model.replaced(ground.with_starts({"resolution": found[0], "resolution_floor": found[1] * factor}))
