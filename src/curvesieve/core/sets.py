"""Sets of steps and measures for a trade's test: a recipe in one click, which stays editable."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from curvesieve.core.intake.machine import TESTS
from curvesieve.core.intake.tested import stress_strain
from curvesieve.core.measures.base import MeasureSlot
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import Reading
from curvesieve.core.recipe import Done, Recipe
from curvesieve.core.record import Record

Made = dict[str, Any]


@dataclass(frozen=True, eq=False)
class MeasureSet:
    """Measures that belong together: what they are for, what is read, the JSON of each, other words to find it by.

    `test` is the kind of mechanical test, see `intake.machine.TESTS`, empty for others; `steps` those that a test's
    curve passes before.
    A measure `where` a quantity is known is taken with these: by the quantity's name.
    """

    label: str
    about: str
    test: str
    measures: tuple[Made, ...]
    words: str = ""
    steps: tuple[Made, ...] = ()
    where: tuple[tuple[tuple[str, ...], Made], ...] = ()

    @cached_property
    def recipe(self) -> Recipe:
        """The recipe of these measures alone; made when first asked for, as reading units takes its time."""
        return Recipe.parse({"recipe": 1, "measures": list(self.measures)})

    def recipe_with(self, names: Sequence[str]) -> Recipe:
        """The recipe of a test, steps and all, for curves that have quantities of these names."""
        more = [made for needed, made in self.where if all(name in names for name in needed)]
        sieve = {"sieve": 1, "steps": list(self.steps)}
        return Recipe.parse({"recipe": 1, "sieve": sieve, "measures": [*self.measures, *more]})


_TOE = {"step": "toe", "missing": "as recorded"}
_ENERGY = {"units": {"area": "MJ/m^3"}}
_STRAIN = {"units": {"permanent-strain": "%", "total-strain": "%"}}
_RATES = (
    (("strain_rate",), {"measure": "formula", "formula": "strain_rate", "unit": "1/s", "name": "rate"}),
    (("strain_rate_elastic",), {"measure": "formula", "formula": "strain_rate_elastic", "unit": "1/s",
                                "name": "rate in the elastic part"}),
)  # fmt: skip
_JOULE = (
    ("cross_section", "gauge_length"),
    {"measure": "formula", "formula": "W*cross_section*gauge_length", "unit": "J", "name": "W in J"},
)
TENSION = MeasureSet(
    "Tension test",
    "E, Rp0.2, Rm, elongations and energies of stress against strain",
    "tension",
    (
        {"measure": "straight-part", "by": "found", "prefer": "surest", "name": "E", "units": {"slope": "GPa"}},
        {"measure": "offset-yield", "name": "Rp0.2", "units": {"yield-strain": "%"}},
        {"measure": "highest-point", "by": "the point itself", "name": "Rm"},
        {"measure": "elongation", "at": "the maximum", "name": "Ag", **_STRAIN},
        {"measure": "elongation", "at": "the break", "name": "A", **_STRAIN},
        {"measure": "break", "name": "At", "units": {"break-strain": "%"}},
        {"measure": "area", "until": "Rp0.2_yield_strain", "name": "Ur", **_ENERGY},
        {"measure": "formula", "formula": "Rp0_2^2/(2*E)", "unit": "MJ/m^3", "name": "σ²/2E"},
        {"measure": "area", "until": "Rm_x_at_maximum", "name": "Wm", **_ENERGY},
        {"measure": "area", "until": "At", "name": "W", **_ENERGY},
    ),
    "tensile modulus proof strength elongation toughness resilience",
    (_TOE,),
    (
        (("reduction_of_area",), {"measure": "formula", "formula": "reduction_of_area", "unit": "%", "name": "Z"}),
        _JOULE, *_RATES,
    ),
)  # fmt: skip
"""Modulus, offset yield, strength, elongations and energies of stress–strain curves; symbols of ISO 6892-1."""
COMPRESSION = MeasureSet(
    "Compression test",
    "E, offset yield, strength and energy, pressed",
    "compression",
    (
        {"measure": "straight-part", "by": "found", "prefer": "surest", "name": "E", "units": {"slope": "GPa"}},
        {"measure": "offset-yield", "name": "Rp0.2", "units": {"yield-strain": "%"}},
        {"measure": "highest-point", "by": "the point itself", "name": "σM"},
        {"measure": "break", "name": "εB", "units": {"break-strain": "%"}},
        {"measure": "area", "until": "εB", "name": "W", **_ENERGY},
    ),
    "crush foam compressive",
    (_TOE,),
    (_JOULE, *_RATES),
)
BENDING = MeasureSet(
    "Bending test",
    "Flexural modulus, strength and strain (ISO 178)",
    "bending-3",
    (
        {"measure": "chord", "name": "Ef", "units": {"slope": "GPa"}},
        {"measure": "straight-part", "by": "found", "prefer": "surest", "name": "E", "units": {"slope": "GPa"}},
        {"measure": "highest-point", "by": "the point itself", "name": "σfM"},
        {"measure": "break", "name": "εfB", "units": {"break-strain": "%"}},
        {"measure": "total-proof", "strain": 3.5, "name": "σfc"},
    ),
    "flexural three point four point d790 iso 178",
    (_TOE,),
)
BENDING_4 = MeasureSet(
    "Bending test, 4 points", BENDING.about, "bending-4", BENDING.measures, BENDING.words, BENDING.steps
)
RELAXATION = MeasureSet(
    "Relaxation test",
    "First and last stress, what is kept, and a Prony series",
    "relaxation",
    (
        {"measure": "highest-point", "by": "the point itself", "name": "σ0"},
        {"measure": "ends", "name": "end"},
        {"measure": "formula", "formula": "last_y/σ0", "name": "kept", "unit": "%"},
        {"measure": "law-over-band", "law": "prony-2", "name": "Prony"},
    ),
    "stress relaxation viscoelastic prony maxwell",
    where=(
        (("held_strain",), {"measure": "formula", "formula": "Prony_modulus_instantaneous/held_strain", "name": "E0",
                            "unit": "MPa"}),
        (("held_strain",), {"measure": "formula", "formula": "Prony_modulus_equilibrium/held_strain", "name": "E∞",
                            "unit": "MPa"}),
    ),
)  # fmt: skip
CREEP = MeasureSet(
    "Creep test",
    "First and last strain, and the steady rate",
    "creep",
    (
        {"measure": "ends", "name": "end", "units": {"first-y": "%", "last-y": "%"}},
        {"measure": "straight-part", "by": "found", "prefer": "longest", "name": "creep rate"},
    ),
    "creep rate steady secondary strain",
    where=(
        (("held_stress",), {"measure": "formula", "formula": "first_y/held_stress", "name": "first compliance",
                            "unit": "1/GPa"}),
        (("held_stress",), {"measure": "formula", "formula": "last_y/held_stress", "name": "last compliance",
                            "unit": "1/GPa"}),
    ),
)  # fmt: skip
CYCLES = MeasureSet(
    "Cyclic test", "Energy loss, secant modulus and loss factor of each loop", "cycles",
    ({"measure": "loops", "name": "loop", "units": {"energy-lost": "kJ/m^3"}},),
    "fatigue hysteresis damping loop",
)  # fmt: skip
INDENTATION = MeasureSet(
    "Indentation test", "Hardness and reduced modulus from the unloading slope", "indentation",
    ({"measure": "unloading", "units": {"hardness": "GPa", "reduced-modulus": "GPa"}},),
    "hardness nanoindentation unloading",
)  # fmt: skip
RUBBER = MeasureSet(
    "Rubber in tension",
    "Shear modulus by neo-Hooke and Mooney–Rivlin, strength, strain at break",
    "tension",
    (
        {"measure": "law-over-band", "law": "neo-hookean", "name": "neo-Hooke"},
        {"measure": "law-over-band", "law": "mooney-rivlin", "name": "Mooney–Rivlin"},
        {"measure": "highest-point", "by": "the point itself", "name": "σM"},
        {"measure": "break", "name": "εB", "units": {"break-strain": "%"}},
    ),
    "elastomer hyperelastic shear modulus mooney rivlin neo-hookean",
)
DIFFRACTION = MeasureSet(
    "Diffraction sizes",
    "d-spacings, Scherrer sizes and their mean, size and strain of the reflections of a fit",
    "",
    (
        {"measure": "spacing", "name": "d"},
        {"measure": "scherrer", "name": "D"},
        {"measure": "williamson-hall", "name": "WH"},
    ),
    "xrd crystallite scherrer williamson hall bragg reflections powder",
)
BANDS = MeasureSet(
    "Bands",
    "Share of the area and signal to noise of each band of a fit, and the ratio of the first two",
    "",
    (
        {"measure": "peak-number", "what": "share", "name": "share", "units": {"peak-share": "%"}},
        {"measure": "peak-number", "what": "signal to noise", "name": "S/N"},
        {"measure": "peak-ratio", "what": "area", "over": "1", "peaks": "2", "name": "area ratio"},
    ),
    "raman infrared spectrum peaks ratio intensity",
)
SCATTERING = MeasureSet(
    "Scattering",
    "Rg, I(0) and the equivalent sphere, Porod's constant, the invariant and its lengths",
    "",
    ({"measure": "guinier"}, {"measure": "porod"}, {"measure": "invariant"}),
    "saxs sans small angle guinier porod radius",
)
SETS = (
    TENSION,
    COMPRESSION,
    BENDING,
    BENDING_4,
    RELAXATION,
    CREEP,
    CYCLES,
    INDENTATION,
    RUBBER,
    DIFFRACTION,
    BANDS,
    SCATTERING,
)
BY_TEST = {one.test: one for one in reversed(SETS) if one.test}
"""The recipe that a test's curves come in with."""


def peak_measures(wavelength: str = "", k: float = 0.9) -> tuple[MeasureSlot, ...]:
    """Spacings, sizes and a line of size and strain of the reflections of a fit."""
    sized = ({"k": k} if made["measure"] != "spacing" else {} for made in DIFFRACTION.measures)
    measures = [
        {**made, "wavelength": wavelength, **more} for made, more in zip(DIFFRACTION.measures, sized, strict=True)
    ]
    return Recipe.parse({"recipe": 1, "measures": measures}).measures


@dataclass(frozen=True, eq=False)
class ReadTest:
    """What a set reads of a machine's file, with the u of the dimensions in that of its readings; how all was made."""

    done: Done
    notes: tuple[str, ...]

    @property
    def readings(self) -> tuple[Reading, ...]:
        """What was read."""
        return self.done.readings


def read_test(record: Record, given: Sequence[Quantity] = (), chosen: MeasureSet = TENSION) -> ReadTest:
    """Makes the curve of a test of a record and reads it off; `given` dimensions go before those of the preamble.

    A dimension is common to all points, so that its u is no scatter between them: readings have it by the scales of
    the axes (see `quantity.SCALES`). Raises InputError as `stress_strain`.
    """
    made = stress_strain(record, given, TESTS[chosen.test])
    recipe = chosen.recipe_with([one.name for one in made.quantities])
    done = recipe(made.curve, quantities=made.quantities)
    return ReadTest(done, made.notes)
