"""A measure in the readings before it: what follows from them by a formula."""

from __future__ import annotations

import math
import re

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.formula import compile_formula, parse
from curvesieve.core.formula.dimension import result_unit
from curvesieve.core.formula.zeros import check_zero
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.trace import Trace, Traced, doubt_of
from curvesieve.core.rules import RuleField


class FormulaOfReadings(Measure):
    """A formula in the readings of the measures before it, and in units: ``work/volume``, ``slope/(1 GPa)``.

    A name is that of a measure, its symbol or its quantity; one that no reading has may be a unit, which stands for one
    of it; a number with a unit behind it is one thing, also under a fraction (``slope/1 GPa``). The value is worked out
    in base units; u follows to first order, with the correlation that two readings have as far as they rest on the same
    points of the curve or on the same fit (JCGM 100:2008, 5.2.2).
    """

    slug = "formula"
    label = "Formula"
    group = "formulas"
    summary = "What follows from the readings before it"
    words = "calculate compute ratio product derived quotient equation"
    reference = "JCGM 100:2008, 5.2.2"
    handles = ()
    yields = (Yield("result", "f"),)

    formula: str = RuleField("", label="formula", help="In the names and symbols of the readings above, and units.")
    unit: str = RuleField("", label="in", help="The unit of the result; empty: as it follows.")

    def take(self, seen: Seen) -> Taken:
        if not self.formula.strip():
            there = ", ".join(seen.earlier.first_names)
            raise InputError(f"the formula is empty; it may name {there or 'readings above, quantities'} and units.")
        formula = parse(_with_brackets(self.formula, seen), ())
        used: dict[str, Traced] = {}
        scales: dict[str, tuple[float, str]] = {}
        for name in formula.parameters:
            reading = seen.earlier.named(name)
            if reading is not None:
                used[name] = reading
                scales[name] = reading[0].value, reading[0].unit
            elif units.is_known(name):  # one of it
                scales[name] = 1.0, name
            else:
                known = ", ".join(seen.earlier.first_names)
                raise InputError(
                    f"no reading before this and no unit is called {name}; there {'are' if known else 'is no reading'} "
                    f"{known or 'yet'}."
                )
        bases = {name: units.in_base(unit) for name, (_, unit) in scales.items()}
        unit_of = {name: unit for name, (_, unit) in scales.items()}
        unit = result_unit(formula, unit_of, self.unit)
        target = units.in_base(unit)
        in_base = [value * bases[name].factor + bases[name].offset for name, (value, _) in scales.items()]
        check_zero(formula, dict(zip(scales, in_base, strict=True)), unit_of, unit)
        value, *slopes = (float(np.asarray(one)) for one in compile_formula(formula).both((), in_base))
        against = {n: s * bases[n].factor / target.factor for n, s in zip(scales, slopes, strict=True) if n in used}
        trace, said_u = _trace([(used[name], slope) for name, slope in against.items()])
        found = Found("result", (value - target.offset) / target.factor, unit=unit, trace=trace)
        names = ", ".join(f"{name} {scales[name][0]:.6g}" for name in used)
        return Taken(
            (found,), f"from {names or 'numbers alone'}", seen.whole, said_u=said_u, warning=doubt_of(used.values())
        )

    def digest(self) -> str:
        return self.formula


_UNIT_AFTER_NUMBER = re.compile(
    r"""(?<![\w.)])(?P<number>\d+(?:\.\d*)?(?:[eE][+-]?\d+)?)[ \u00a0]+
    (?P<unit>[^\W\d]\w*)(?P<power>\s*\^\s*-?\d+)?(?!\s*[\w/(^])""",
    re.X,
)


def _with_brackets(text: str, seen: Seen) -> str:
    """``slope/1 GPa`` as ``slope/(1*GPa)``: a number with its unit is one thing, unless more of a unit follows."""

    def bracketed(match: re.Match[str]) -> str:
        unit = match["unit"]
        if unit in seen.earlier.by_name or not units.is_known(unit):
            return match[0]
        return f"({match['number']}*{unit}{match['power'] or ''})"

    return _UNIT_AFTER_NUMBER.sub(bracketed, text)


def _trace(parts: list[tuple[Traced, float]]) -> tuple[Trace | None, str]:
    """Where the u of a value is from that has these slopes against these readings; and the words for it."""
    traces = []
    for (reading, trace), slope in parts:
        if trace is None:
            return None, f"no u: {reading.name} has none"
        traces.append((trace, slope))
    if not traces:
        return None, "no u: no reading is in it"
    made = Trace.sum(traces)
    if len(traces) == 1:
        return made, "u from that of the reading"
    apart = math.sqrt(sum((one.u * slope) ** 2 for one, slope in traces))
    joined = not math.isclose(made.u, apart, rel_tol=1e-9)
    return made, f"u from those of the readings, {'with their correlation' if joined else 'taken as independent'}"
