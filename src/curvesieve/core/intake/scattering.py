"""What is odd about intensities against q as they are brought in: no unit, an unlikely one, no u, q below 0."""

from __future__ import annotations

import numpy as np

from curvesieve.core import units
from curvesieve.core.axes_views import is_scattering
from curvesieve.core.errors import counted
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Record

_NAMES = ("q", "|q|", "scattering vector", "momentum transfer", "scattering vector q", "q value")
_LARGEST = {"1/Å": 12.0, "1/nm": 120.0}
_SMALLEST_TOP = {"1/Å": 1e-4, "1/nm": 0.02}
"""The largest q of a file lies between these: beyond backscattering of hard X-rays, or below what is ever measured."""


def oddities_of_scattering(record: Record, chosen: Take) -> list[str]:
    """Notes on a curve whose x is called q; none for others."""
    channel = record.channels[chosen.x]
    unit = chosen.x_unit or channel.unit
    if channel.name.strip().casefold() not in _NAMES:
        return []
    x = channel.values[np.isfinite(channel.values)]
    if not x.size or (unit and not is_scattering(unit)):
        return []
    said, low, high = [], float(x.min()), float(x.max())
    if not unit:
        likely = "1/Å" if high < 1 else "1/nm"
        said.append(
            f"{channel.name} has no unit; from {low:.3g} to {high:.3g} it looks like {likely}: choose its unit, or "
            "radii have none"
        )
    else:
        factor = float(units.in_base(unit).factor)
        for known in ("1/Å", "1/nm"):
            if units.in_base(known).factor == factor and not _SMALLEST_TOP[known] < high < _LARGEST[known]:
                other = "1/nm" if known == "1/Å" else "1/Å"
                said.append(f"{channel.name} up to {high:.3g} {known} is unusual: is it in {other}?")
    below = int((x <= 0).sum())
    if below:
        said.append(
            f"{counted(below, 'point')} with {channel.name} at or below 0: kept, but no law of scattering has them"
        )
    if chosen.u is None:
        name = record.channels[chosen.y].name
        said.append(f"{name} has no u; where a law needs one, it is estimated from the scatter")
    return said
