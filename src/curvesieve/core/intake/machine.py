"""Kinds of mechanical tests, and how a machine's file gives the curve of one: which channels, by which formulas."""

from __future__ import annotations

import re
from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake.computed import ComputedChannel, name_in_formula
from curvesieve.core.intake.dimensions import SHAPES, Sizes, is_kind, shape_of
from curvesieve.core.intake.extensometer import taken_off
from curvesieve.core.record import Channel, Record

LENGTHS = ("gauge", "grips", "length")
"""Dimensions that an extension is divided by."""
TALL = 1.0
"""A strain above this without a unit is asked about: it may be in percent."""


@dataclass(frozen=True)
class MechanicalTest:
    """A kind of test: what is plotted against what, the quantities of its axes, and which signs these may have.

    `sign`: ``above`` zero, or else it is refused; ``turned``, so that what is below zero for the most part is turned
    round; ``any``.
    """

    slug: str
    label: str
    about: str
    x: str
    y: str
    sign: str = "above"
    prefix: str = ""


MECHANICAL = (
    MechanicalTest("tension", "Tension", "Engineering stress against strain, pulled", "strain", "stress"),
    MechanicalTest("compression", "Compression", "Stress against strain, pressed: both counted as positive", "strain",
                   "stress", "turned", "Compressive "),
    MechanicalTest("bending-3", "3-pt bending", "Flexural stress against strain of the outer fibre (ISO 178)",
                   "flexural strain", "flexural stress", "turned", "Flexural "),
    MechanicalTest("bending-4", "4-pt bending", "The same between two inner rollers", "flexural strain, 4 points",
                   "flexural stress, 4 points", "turned", "Flexural "),
    MechanicalTest("relaxation", "Relaxation", "Stress against time at a held strain", "time", "stress", "turned"),
    MechanicalTest("creep", "Creep", "Strain against time under a held load", "time", "strain", "turned"),
    MechanicalTest("cycles", "Cycles", "Stress against strain, loop after loop", "strain", "stress", "any"),
    MechanicalTest("indentation", "Indentation", "Force against depth, in and out", "depth", "force", "turned"),
)  # fmt: skip
TESTS = {test.slug: test for test in MECHANICAL}
TENSION = TESTS["tension"]


@dataclass(frozen=True, eq=False)
class Plan:
    """The channels that make the curve of a test: those to be computed, the last two x and y; the specimen's shape, the
    channel that the strain is of, and sentences on what was chosen."""

    computed: tuple[ComputedChannel, ...]
    shape: str
    extension: str
    used: tuple[str, ...]
    """The dimensions that the formulas name, by our names."""
    notes: tuple[str, ...]


class _Planner:
    """Chooses channels and formulas for the axes of a test."""

    def __init__(
        self, record: Record, test: MechanicalTest, sizes: Sizes, shape: str, extension: str, off: int | None
    ) -> None:
        self.record, self.test, self.sizes = record, test, sizes
        self.shape = shape or shape_of(sizes) or "rectangular"
        self.asked_extension, self.off = extension, off
        self.extension = ""
        self.used: list[str] = []
        self.notes: list[str] = []
        self.before: list[ComputedChannel] = []

    def axis(self, what: str) -> ComputedChannel:
        """The channel of an axis, as the test names it."""
        kind = what.removesuffix(", 4 points").removeprefix("flexural ")
        if kind in ("time", "depth", "force"):
            unit = {"time": "s", "depth": "m", "force": "N"}[kind]
            channel = self._channel(unit)
            return ComputedChannel(name=kind.capitalize(), formula=self._turned(channel), unit=channel.unit)
        bending = what.removeprefix("flexural ") if what.startswith("flexural") else ""
        formula = self._stress(bending) if kind == "stress" else self._strain(bending)
        unit = "MPa" if kind == "stress" else "1"
        return ComputedChannel(name=f"{self.test.prefix}{kind}".capitalize(), formula=formula, unit=unit)

    def _stress(self, bending: str) -> str:
        channel = self._channel("Pa", required=False)
        if channel is not None:
            return self._turned(channel)
        force = self._channel("N")
        if bending:
            arm = "span" if "4" not in bending else "(span - load_span)"
            self._uses("span", "width", "thickness", *(("load_span",) if "4" in bending else ()))
            formula = f"3*{self._turned(force)}*{arm}/(2*width*thickness^2)"
        else:
            area, names = SHAPES[self.shape]
            self._uses(*names)
            formula = f"{self._turned(force)}/({area})"
        self.notes.append(f"stress = {formula}")
        return formula

    def _strain(self, bending: str) -> str:
        measured = _strain_channel(self.record, self.asked_extension)
        crosshead = self._length_channel("crosshead") if not bending else None
        if measured is not None:
            name = name_in_formula(measured.name)
            self.extension = measured.name
            if crosshead is not None and self._goes_on(measured, crosshead):
                return self._carried(name, measured, crosshead)
            return self._turned(measured)
        channel = self._length_channel("extensometer")
        if channel is None:
            raise InputError(f"{self.record.source.name} has no channel of strain or extension by its unit.")
        self.extension = channel.name
        if bending:
            self._uses("span", "thickness", *(("load_span",) if "4" in bending else ()))
            arm = "span^2" if "4" not in bending else "(3*span^2 - (span - load_span)^2)"
            formula = f"{6 if '4' not in bending else 12}*{self._turned(channel)}*thickness/{arm}"
        elif re.search(r"(^|[\W_])length", channel.name.casefold()):
            name = name_in_formula(channel.name)
            formula = f"{name}/first({name}) - 1"
        else:
            formula = f"{self._turned(channel)}/{self._gauge(channel)}"
            if crosshead is not None and crosshead is not channel and self._goes_on(channel, crosshead):
                return self._carried(formula, channel, crosshead)
        self.notes.append(f"strain = {formula}")
        return formula

    def _goes_on(self, extensometer: Channel, crosshead: Channel) -> bool:
        """Whether strain shall go on from the crosshead where the extensometer is taken off: in this record, or, where
        the length between the grips is known, in another file of the kind."""
        known = any(one in self.sizes.known for one in LENGTHS)
        return self.off is not None or known or taken_off(extensometer.values, crosshead.values) is not None

    def _carried(self, extensometer: str, channel: Channel, crosshead: Channel) -> str:
        """The extensometer's strain up to where it was taken off, and on with that of the crosshead."""
        own = f"{self._turned(crosshead)}/{self._gauge(crosshead)}"
        for name, formula in (("Extensometer strain", extensometer), ("Crosshead strain", own)):
            self.before.append(ComputedChannel(name=name, formula=formula, unit="1"))
        off = taken_off(channel.values, crosshead.values) if self.off is None else self.off - 1
        if off is not None:
            self.notes.append(
                f"the extensometer was taken off in mid-test, at row {off + 1:,}; strain goes on from there with the "
                f"steps of {crosshead.name}"
            )
        row = "" if self.off is None else f", {self.off}"
        return f"carried_on(Extensometer_strain, Crosshead_strain{row})"

    def _gauge(self, channel: Channel) -> str:
        """The length that an extension is divided by: the grip distance for a crosshead, where it is known."""
        order = ["gauge", "grips", "length"]
        if _is_crosshead(channel.name) and "gauge" not in self.sizes.given:
            order = ["grips", "gauge", "length"]
        name = next((one for one in order if one in self.sizes.known), "gauge")
        self._uses(name)
        return name

    def _uses(self, *names: str) -> None:
        self.used += [name for name in names if name not in self.used]

    def _turned(self, channel: Channel) -> str:
        name = name_in_formula(channel.name)
        return f"(-{name})" if self.test.sign == "turned" and is_below(channel) else name

    def _channel(self, kind: str, required: bool = True) -> Channel:
        """The first channel with a unit of the kind of this one; that there are more goes to the notes."""
        found = [channel for channel in self.record.channels if is_kind(channel.unit, kind)]
        if len(found) > 1:
            others = ", ".join(channel.name for channel in found[1:])
            self.notes.append(f"{found[0].name} was taken, and not {others}: it comes first")
        if not found and required:
            has = ", ".join(units.labelled(channel.name, channel.unit) for channel in self.record.channels)
            what = {"N": "force or stress", "s": "time", "m": "depth"}[kind]
            raise InputError(f"{self.record.source.name} has no channel of {what} by its unit; it has {has}.")
        return found[0] if found else None  # type: ignore[return-value]

    def _length_channel(self, wanted: str) -> Channel | None:
        """The channel of extension that was asked for, or else that of an extensometer, or of the crosshead."""
        found = [channel for channel in self.record.channels if is_kind(channel.unit, "m")]
        if wanted == "crosshead":
            return next((channel for channel in found if _is_crosshead(channel.name)), None)
        for channel in found:
            if channel.name == self.asked_extension:
                return channel
        found.sort(key=lambda channel: 0 if "extensom" in channel.name.casefold() else 1)
        if len(found) > 1:
            others = ", ".join(channel.name for channel in found[1:])
            first = "it is the extensometer" if "extensom" in found[0].name.casefold() else "it comes first"
            self.notes.append(f"{found[0].name} was taken, and not {others}: {first}")
        return found[0] if found else None


def plan_of(
    record: Record, test: MechanicalTest, sizes: Sizes, shape: str = "", extension: str = "", off: int | None = None
) -> Plan:
    """How the curve of a test is made of a record; `shape` and `extension` are choices, empty: what is found. `off` is
    the row (from 1) of the last number before the extensometer was taken off; None: where that is found.

    Formulas name dimensions as we do. Raises InputError where the record has no channels for the test.
    """
    if off is not None and off < 1:
        raise InputError(f"Rows count from 1; the extensometer cannot be taken off at row {off}.")
    planner = _Planner(record, test, sizes, shape, extension, off)
    y, x = planner.axis(test.y), planner.axis(test.x)
    return Plan(
        (*planner.before, x, y), planner.shape, planner.extension, tuple(planner.used), tuple(planner.notes)
    )  # fmt: skip


def axis_of(record: Record, sizes: Sizes, what: str) -> ComputedChannel:
    """How the stress or the strain of a record is made, whatever its sign. Raises InputError where it has none."""
    return _Planner(record, MechanicalTest("", "", "", "time", what, "turned"), sizes, "", "", None).axis(what)


def extensions_of(record: Record) -> list[str]:
    """The names of the channels that a strain may be made of."""
    return [
        channel.name
        for channel in record.channels
        if is_kind(channel.unit, "m") or channel is _strain_channel(record, channel.name)
    ]


def recognised(record: Record) -> list[MechanicalTest]:
    """The tests that a record may be of, by the units of its channels."""
    kinds = {kind: any(is_kind(c.unit, kind) for c in record.channels) for kind in ("N", "Pa", "m", "s")}
    loaded = kinds["N"] or kinds["Pa"]
    strained = kinds["m"] or any(_strain_channel(record, c.name) is c for c in record.channels)
    wants = {"time": kinds["s"], "depth": kinds["m"] and kinds["N"], "force": kinds["N"], "stress": loaded,
             "strain": strained}  # fmt: skip

    def possible(axis: str) -> bool:
        if axis.startswith("flexural"):
            return kinds["N"] and kinds["m"]
        return wants[axis]

    return [test for test in MECHANICAL if possible(test.x) and possible(test.y)]


def is_below(channel: Channel) -> bool:
    """Whether a channel goes farther below zero than above it."""
    return channel.extent is not None and -channel.extent[0] > channel.extent[1]


def _is_crosshead(name: str) -> bool:
    return bool(re.search(r"cross_?-?head|traverse|stroke|grip|position|machine", name.casefold()))


def _is_strain_name(name: str) -> bool:
    return bool(re.search(r"strain|elongation|dehnung", name.casefold()))


def _strain_channel(record: Record, wanted: str = "") -> Channel | None:
    """A channel so named, whose unit is a plain number: percent, mm/mm, or none; `wanted` is a name that was chosen."""
    named = [
        channel for channel in record.channels
        if _is_strain_name(channel.name) and not units.in_base(channel.unit).powers
    ]  # fmt: skip
    if wanted and all(channel.name != wanted for channel in named):
        return None if any(channel.name == wanted for channel in record.channels) else next(iter(named), None)
    return next((channel for channel in named if not wanted or channel.name == wanted), None)
