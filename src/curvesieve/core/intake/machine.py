"""A test machine's file as the curve of its test: which channels, by which formulas; and what is odd about it."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitted_line import fitted_line
from curvesieve.core.intake.computed import Computed, ComputedChannel, compute, name_in_formula
from curvesieve.core.intake.dimensions import SHAPES, Sizes, dimension_of, is_kind, shape_of, sizes_of
from curvesieve.core.intake.extensometer import taken_off
from curvesieve.core.quantity import SCALES, Quantity
from curvesieve.core.record import Channel, Record
from curvesieve.core.scatter import Stretch

_LENGTHS = ("gauge", "grips", "length")
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


@dataclass(frozen=True, eq=False)
class Tested:
    """A curve of a machine's file, the quantities that go with it (see `quantities_of_test`), sentences on how."""

    curve: Curve
    quantities: tuple[Quantity, ...]
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
        known = any(one in self.sizes.known for one in _LENGTHS)
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
        return f"(-{name})" if self.test.sign == "turned" and _is_below(channel) else name

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


def extensions_of(record: Record) -> list[str]:
    """The names of the channels that a strain may be made of."""
    return [
        channel.name
        for channel in record.channels
        if is_kind(channel.unit, "m") or channel is _strain_channel(record, channel.name)
    ]


def recognised(record: Record) -> list[MechanicalTest]:
    """The tests that a record may be of, by the units of its channels and the dimensions in its preamble."""
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
    mine = [one for one in used if dimension_of(one) in _LENGTHS or one.name.startswith("first_of_")]
    known = [sizes.known[name] for name in _LENGTHS if name in sizes.known]
    return next(iter([*mine, *known]), None)


def _held(record: Record, known: tuple[Quantity, ...], computed: Sequence[Computed]) -> list[Quantity]:
    """The strain that a relaxation is held at, or the stress of a creep test: the mean of the record without its first
    tenth, in which it is reached."""
    if not is_kind(computed[-2].channel.unit, "s"):
        return []
    wanted, unit = ("strain", "1") if computed[-1].channel.unit == "MPa" else ("stress", "MPa")
    test = MechanicalTest("", "", "", "time", wanted, "turned")
    sizes = Sizes({one.name: one for one in known}, {}, frozenset())
    try:
        formula = _Planner(record, test, sizes, "", "", None).axis(wanted).formula
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


_BACK = 0.01
"""Share of its extent by which a strain may run backward before that is told."""
_LATE = 0.3
"""Share of the largest stress that a record may begin with before that is told."""


def oddities_of_test(record: Record, test: MechanicalTest, x: int, y: int, extension: str) -> list[str]:
    """What is odd about the x and y channels (places from 0) of a test, whose strain is of the channel `extension`.

    Raises InputError for a wrong sign, and for a strain that may be in percent without a word.
    """
    across, along = record.channels[x], record.channels[y]
    source = next((channel for channel in record.channels if channel.name == extension), None)
    if source is not None and source.extent is not None and not source.unit.strip():
        tall = max(map(abs, source.extent))
        if tall > TALL:
            raise InputError(
                f"{record.source.name}: {source.name} goes to {tall:.4g} without a unit. Is it in "
                "percent? Say so in the file or on the Intake bench: a modulus would be wrong by 100."
            )
    notes = []
    if test.sign == "above":
        for channel in (along, across):
            _check_sign(record, channel)
    if test.x == "strain" and test.sign != "any":
        notes += _backwards(across)
        first, top = along.values[np.isfinite(along.values)][0], float(np.nanmax(np.abs(along.values)))
        if abs(first) > _LATE * top:
            notes.append(
                f"the record begins at {abs(first) / top:.0%} of its largest stress: the beginning of the elastic part "
                "is missing, and a modulus is that of what is left"
            )
    return notes + _rates(record, across)


_PIECES, _FASTER = 24, 1.5
"""The rate is asked for in so many pieces of the time; a change by this factor is told."""


def _rates(record: Record, strain: Channel) -> list[str]:
    """A sentence where the strain rate changes in mid-test, by the medians before and after the best place for it."""
    time = time_of(record)
    if time is None or units.in_base(strain.unit).powers:
        return []
    good = np.isfinite(time) & np.isfinite(strain.values)
    t, e = time[good], strain.values[good]
    if t.size < 4 * _PIECES or not np.all(np.diff(t) >= 0) or t[-1] <= t[0]:
        return []
    ends = np.linspace(t[0], t[-1], _PIECES + 1)
    at = np.interp(ends, t, e)
    rates = np.diff(at) / np.diff(ends)
    best, place = 1.0, 0
    for k in range(3, _PIECES - 2):
        before, after = float(np.median(rates[:k])), float(np.median(rates[k:]))
        if before > 0 and after > 0 and max(after / before, before / after) > best:
            best, place = max(after / before, before / after), k
    if best < _FASTER:
        return []
    low, high = float(np.median(rates[:place])), float(np.median(rates[place:]))
    return [f"the strain rate changes from {low:.3g} to {high:.3g} 1/s at a strain of about {at[place]:.3g}"]


def time_of(record: Record) -> np.ndarray | None:
    """The time in seconds, of the first channel that has such a unit; None: there is none."""
    channel = next((channel for channel in record.channels if is_kind(channel.unit, "s")), None)
    return None if channel is None else channel.values * units.in_base(channel.unit).factor


def _is_below(channel: Channel) -> bool:
    """Whether a channel goes farther below zero than above it."""
    return channel.extent is not None and -channel.extent[0] > channel.extent[1]


def _check_sign(record: Record, channel: Channel) -> None:
    """Raises InputError where a channel goes farther below zero than above it."""
    if _is_below(channel):
        assert channel.extent is not None
        low, high = channel.extent
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
