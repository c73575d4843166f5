"""A test machine's file as a stress–strain curve: force over the area, extension over the gauge length, units told."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.intake.computed import ComputedChannel, compute, name_in_formula, quantities_of
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record

_WORDS = {
    "width": r"^(specimen_)?width$|^w$|^b$|breadth", "thickness": r"^(specimen_)?thickness$|^t$|^d0$",
    "diameter": r"diameter|^dia$|^d$", "area": r"area|cross_section|^s0$|^a0$",
    "gauge": r"gauge|gage|grip_(distance|separation)|^l0$|initial_length|(specimen|parallel)_length",
}  # fmt: skip
"""Names that preambles give to dimensions, without regard to capitals; common practice."""
TALL = 1.0
"""A strain above this without a unit is asked about: it may be in percent."""
_BACK = 0.01
"""Share of its extent by which a strain may run backward before that is told."""


@dataclass(frozen=True, eq=False)
class Tested:
    """A stress–strain curve of a machine's file, the dimensions that it was made with, and sentences on how."""

    curve: Curve
    sizes: tuple[Quantity, ...]
    notes: tuple[str, ...]


def dimensions_of(record: Record, given: Sequence[Quantity] = ()) -> dict[str, Quantity]:
    """Width, thickness, diameter, area and gauge length, as far as they are given or stand in the preamble."""
    found: dict[str, Quantity] = {}
    for quantity in (*given, *quantities_of(record)):
        if name := _dimension(quantity):
            found.setdefault(name, quantity.model_copy(update={"name": name}))
    return found


def _dimension(quantity: Quantity) -> str:
    """Which dimension a quantity is, by its name and the kind of its unit; empty: none."""
    for name, pattern in _WORDS.items():
        kind = "m^2" if name == "area" else "m"
        if re.search(pattern, quantity.name.casefold()) and _is_kind(quantity.unit, kind):
            return name
    return ""


def stress_strain(record: Record, given: Sequence[Quantity] = ()) -> Tested:
    """Engineering stress in MPa against engineering strain, a plain number, from what the record has.

    Stress and strain channels are taken as they are; else force over the area (width × thickness, diameter, or area)
    and extension over the gauge length. Raises InputError with what is missing and how it can be given.
    """
    sizes = dimensions_of(record, given)
    for size in sizes.values():
        if size.value <= 0:
            raise InputError(f"{record.source.name}: {size.name} is {size.written()}; a dimension is above zero.")
    notes: list[str] = []
    stress = _channel(record, "Pa", notes)
    made_with: list[str] = []
    if stress is None:
        force = _channel(record, "N", notes)
        if force is None:
            has = ", ".join(units.labelled(channel.name, channel.unit) for channel in record.channels)
            raise InputError(f"{record.source.name} has no channel of force or stress by its unit; it has {has}.")
        made_with, area = _area(record, sizes, {_dimension(size) for size in given})
        stress = _computed(record, "Stress", f"{name_in_formula(force.name)}/({area})", "MPa", sizes)
        notes.append(f"stress = {force.name}/({area})")
    else:
        stress = _computed(record, "Stress", name_in_formula(stress.name), "MPa", {})
    strain = _strain_channel(record)
    if strain is None:
        extension = _channel(record, "m", notes)
        if extension is None:
            raise InputError(f"{record.source.name} has no channel of strain or extension by its unit.")
        if "gauge" not in sizes:
            raise InputError(f"{record.source.name}: the gauge length is not known; give it, as --gauge 50mm.")
        made_with = [*made_with, "gauge"]
        strain = _computed(record, "Strain", f"{name_in_formula(extension.name)}/gauge", "1", sizes)
        notes.append(f"strain = {extension.name}/gauge length")
    elif not strain.unit.strip() and (tall := float(np.nanmax(np.abs(strain.values)))) > TALL:
        raise InputError(
            f"{record.source.name}: {strain.name} goes to {tall:.4g} without a unit. Is it in "
            "percent? Say so in the file or on the Intake bench: a modulus would be wrong by 100."
        )
    else:
        strain = _computed(record, "Strain", name_in_formula(strain.name), "1", {})
    for channel in (stress, strain):
        _check_sign(record, channel)
    notes += _backwards(strain)
    made = Record(record.source, (strain, stress), record.metadata, record.notes).curve(1, 2)
    used = tuple(sizes[name] for name in made_with)
    if used:
        notes.append("with " + ", ".join(f"{size.name} = {size.written()}" for size in used))
    return Tested(made, used, tuple(notes))


def _check_sign(record: Record, channel: Channel) -> None:
    """Raises InputError where a channel goes farther below zero than above it."""
    low, high = float(np.nanmin(channel.values)), float(np.nanmax(channel.values))
    if -low > high:
        shown = units.shown(channel.unit)
        raise InputError(
            f"{record.source.name}: {channel.name.lower()} goes from {low:.4g} to {high:.4g} {shown}".rstrip()
            + ", as of a compression test, or of a machine that counts the other way. For tension, compute a channel "
            "with the sign turned on the Intake bench, and write it."
        )


def _backwards(strain: Channel) -> list[str]:
    """A sentence where the strain runs backward by more than a share of its extent."""
    values = strain.values
    fallen = np.fmax.accumulate(values) - values
    at = int(np.nanargmax(fallen))
    if fallen[at] <= _BACK * (np.nanmax(values) - np.nanmin(values)):
        return []
    return [
        f"the strain runs backward, by {fallen[at]:.4g} at point {at + 1:,}: slip, or an extensometer that was taken "
        "off? Readings take the points in the order of strain; look at the curve"
    ]


def _is_kind(unit: str, other: str) -> bool:
    """Whether two units measure the same kind of thing."""
    return units.in_base(unit).powers == units.in_base(other).powers


def _channel(record: Record, kind: str, notes: list[str]) -> Channel | None:
    """The first channel with a unit of the kind of this one; that there are more goes to the notes."""
    found = [channel for channel in record.channels if _is_kind(channel.unit, kind)]
    if len(found) > 1:
        others = ", ".join(channel.name for channel in found[1:])
        notes.append(f"{found[0].name} was taken, and not {others}: it comes first")
    return found[0] if found else None


def _strain_channel(record: Record) -> Channel | None:
    """A channel so named, whose unit is a plain number: percent, mm/mm, or none."""
    named = [channel for channel in record.channels if re.search(r"strain|elongation|dehnung", channel.name.casefold())]
    return next((channel for channel in named if not units.in_base(channel.unit).powers), None)


def _area(record: Record, sizes: dict[str, Quantity], given: set[str]) -> tuple[list[str], str]:
    """The names of the dimensions that give the area, and the formula; those `given` by hand go before the file's."""
    ways = {"area": "area", "width thickness": "width*thickness", "diameter": "pi*diameter^2/4"}
    ready = [(names.split(), formula) for names, formula in ways.items() if all(n in sizes for n in names.split())]
    if ready:
        return max(ready, key=lambda way: len(given.intersection(way[0])))  # the first of those with as many
    raise InputError(
        f"{record.source.name}: the area of the specimen is not known; give --width and --thickness, --diameter or "
        "--area."
    )


def _computed(record: Record, name: str, formula: str, unit: str, sizes: dict[str, Quantity]) -> Channel:
    given = tuple(one.model_copy(update={"everywhere": True}) for one in sizes.values())
    return compute(record, ComputedChannel(name=name, formula=formula, unit=unit, quantities=given)).channel
