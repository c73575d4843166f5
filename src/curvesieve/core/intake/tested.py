"""A machine's record as the curve of its test, and the quantities that go with it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitted_line import fitted_line
from curvesieve.core.intake.computed import Computed, ComputedChannel, compute
from curvesieve.core.intake.dimensions import SHAPES, Sizes, dimension_of, is_kind, sizes_of
from curvesieve.core.intake.machine import LENGTHS, TENSION, MechanicalTest, axis_of, plan_of
from curvesieve.core.intake.oddities import oddities_of_test, time_of
from curvesieve.core.quantity import SCALES, Quantity
from curvesieve.core.record import Record
from curvesieve.core.scatter import Stretch


@dataclass(frozen=True, eq=False)
class Tested:
    """A curve of a machine's file, the quantities that go with it (see `quantities_of_test`), sentences on how."""

    curve: Curve
    quantities: tuple[Quantity, ...]
    notes: tuple[str, ...]


def stress_strain(record: Record, given: Sequence[Quantity] = (), test: MechanicalTest = TENSION) -> Tested:
    """The curve of a test from what the record has; for tension stress in MPa against strain, a plain number.

    Stress and strain channels are taken as they are; else force over the area and extension over the gauge length.
    Raises InputError with what is missing and how it can be given.
    """
    sizes = sizes_of(record, given)
    plan = plan_of(record, test, sizes)
    missing = [name for name in plan.used if name not in sizes.known]
    if missing:
        raise InputError(_lacking(record, missing))
    quantities = tuple(one.model_copy(update={"everywhere": True}) for one in sizes.known.values())
    made, computed = record, []
    for wanted in plan.computed:
        computed.append(compute(made, wanted.model_copy(update={"quantities": quantities})))
        made = replace(made, channels=(*made.channels, computed[-1].channel))
    notes = [*plan.notes, *oddities_of_test(made, test, -2, -1, plan.extension)]
    used = tuple(sizes.known[name] for name in plan.used)
    if used:
        notes.append("with " + ", ".join(f"{size.name} = {size.written()}" for size in used))
    curve = made.curve(len(made.channels) - 1, len(made.channels))
    return Tested(curve, quantities_of_test(made, computed, sizes, plan.shape), tuple(notes))


def quantities_of_test(record: Record, computed: Sequence[Computed], sizes: Sizes, shape: str) -> tuple[Quantity, ...]:
    """What a test gives beside its curve: how well the scales of its axes are known (`quantity.SCALES`), cross section,
    gauge length, reduction of area, and the strain rate, of all and of the elastic part.

    `computed` are the channels of its plan, the last two x and y.
    """
    found = []
    for size in sizes.known.values():
        if (size.u or 0.0) >= size.value:
            raise InputError(f"{record.source.name}: the u of {size.name} is as large as itself, {size.written()}.")
    *before, across, along = (_share(one) for one in computed)
    timed = is_kind(computed[-2].channel.unit, "s")  # then the strains before it are those of y
    wide, tall = (across, max((along, *before))) if timed else (max((across, *before)), along)
    for axis, share in (("x", wide), ("y", tall)):
        if share:
            found.append(Quantity(name=SCALES[axis], value=1.0, u=share))
    known = tuple(one.model_copy(update={"everywhere": True}) for one in sizes.known.values())
    formula, names = SHAPES[shape]
    if all(name in sizes.known for name in names):
        found.append(_worked_out(record, "cross_section", formula, "mm^2", known))
    length = _length(computed, sizes)
    if length is not None:
        found.append(length.model_copy(update={"name": "gauge_length", "u": None, "everywhere": False, "origin": ""}))
    after = {"final_area": "final_area", "final_diameter": "pi*final_diameter^2/4"}
    own = next((one for one in after if one in sizes.known), "")
    if own and all(name in sizes.known for name in names):
        found.append(_worked_out(record, "reduction_of_area", f"1 - ({after[own]})/({formula})", "%", known))
    return (*found, *_held(record, known, computed), *_rate_quantities(record, computed))


def _length(computed: Sequence[Computed], sizes: Sizes) -> Quantity | None:
    """The length that the strain was made with; else one that is known."""
    used = [one for each in computed for one in each.quantities]
    mine = [one for one in used if dimension_of(one) in LENGTHS or one.name.startswith("first_of_")]
    known = [sizes.known[name] for name in LENGTHS if name in sizes.known]
    return next(iter([*mine, *known]), None)


def _held(record: Record, known: tuple[Quantity, ...], computed: Sequence[Computed]) -> list[Quantity]:
    """The strain that a relaxation is held at, or the stress of a creep test: the mean of the record without its first
    tenth, in which it is reached."""
    if not is_kind(computed[-2].channel.unit, "s"):
        return []
    wanted, unit = ("strain", "1") if computed[-1].channel.unit == "MPa" else ("stress", "MPa")
    sizes = Sizes({one.name: one for one in known}, {}, frozenset())
    try:
        formula = axis_of(record, sizes, wanted).formula
        made = compute(record, ComputedChannel(name=wanted, formula=formula, unit=unit, quantities=known)).channel
    except InputError:
        return []  # the record does not tell it
    values = made.values[np.isfinite(made.values)]
    values = values[values.size // 10 :]
    return [Quantity(name=f"held_{wanted}", value=float(values.mean()), unit=unit)] if values.size else []


def _share(one: Computed) -> float:
    """The relative u that quantities bring to a computed channel, the same at all of its points."""
    if one.u is None:
        return 0.0
    good = np.isfinite(one.channel.values) & (one.channel.values != 0)
    return float(np.median(one.u.values[good] / np.abs(one.channel.values[good]))) if good.any() else 0.0


def _worked_out(record: Record, name: str, formula: str, unit: str, known: tuple[Quantity, ...]) -> Quantity:
    """A quantity that others give. Its u is left out of an area, whose readings have it by the scale of the stress."""
    made = compute(record, ComputedChannel(name=name, formula=formula, unit=unit, quantities=known))
    u = None if made.u is None or name == "cross_section" else float(made.u.values[0])
    return Quantity(name=name, value=float(made.channel.values[0]), u=u or None, unit=unit)


_ELASTIC = 0.4
"""Up to this share of the largest stress a test is taken to be in its elastic part, where its rate is asked for."""


_ROUNDING = 1e-12
"""A u below this share of the value is the rounding of numbers, and none."""


def _rate_quantities(record: Record, computed: Sequence[Computed]) -> list[Quantity]:
    """The strain rate as run: the slope of strain over time, of all and up to a share of the largest stress."""
    time, (strain, stress) = time_of(record), (one.channel for one in computed[-2:])
    if time is None or strain.unit != "1":
        return []
    good = np.isfinite(time) & np.isfinite(strain.values) & np.isfinite(stress.values)
    t, e, s = time[good], strain.values[good], stress.values[good]
    top = int(np.argmax(s)) if s.size else 0
    early = np.arange(s.size) < max(int(np.argmax(s >= _ELASTIC * s[top])), 3) if s.size else np.zeros(0, bool)
    made = []
    for name, chosen in (("strain_rate", np.ones(t.size, bool)), ("strain_rate_elastic", early)):
        if chosen.sum() > 3 and np.ptp(t[chosen]) > 0:
            line = fitted_line(Stretch(t[chosen], e[chosen], None, np.flatnonzero(chosen)), True)
            u = None if line.covariance is None else math.sqrt(float(line.covariance[1, 1]))
            sure = u if u is not None and u > _ROUNDING * abs(line.slope) else None
            made.append(Quantity(name=name, value=line.slope, u=sure, unit="1/s"))
    return made


def _lacking(record: Record, missing: Sequence[str]) -> str:
    name = record.source.name
    said = []
    if spans := [one.replace("_", " ") for one in missing if "span" in one]:
        said.append(f"the {' and '.join(spans)} of the rollers is not known; give it, as --span 64mm")
    if any(one not in ("gauge", "span", "load_span") for one in missing):
        said.append(
            "the area of the specimen is not known; give --width and --thickness, --diameter or --area (of a tube "
            "--diameter and --inner-diameter)"
        )
    if "gauge" in missing:
        said.append("the gauge length is not known; give it, as --gauge 50mm")
    return f"{name}: {'; '.join(said)}."
