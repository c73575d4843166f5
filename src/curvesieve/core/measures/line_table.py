"""Positions of peaks beside those of a table: how far each is from the line nearest to it."""

from __future__ import annotations

import math

import numpy as np

from curvesieve.core.errors import counted
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.of_peaks import OfPeaks
from curvesieve.core.measures.peak_numbers import number_of
from curvesieve.core.measures.trace import Trace
from curvesieve.core.rules import RuleField
from curvesieve.core.steps.reference_lines import TABLES, TakesTable, nearest_lines


class LinesAgainstTable(TakesTable, OfPeaks):
    """How far each chosen peak lies from the nearest line of a table, the mean of that, and its scatter.

    The mean tells by how much x is off, the scatter how well it would be known after a shift.
    """

    slug = "lines-against-table"
    label = "Lines against a table"
    summary = "How far each peak is from the nearest line of a table"
    words = "calibration check reference standard polystyrene cyclohexane silicon deviation identify"
    reference = "reference lines: see `reference_lines`; JCGM 100:2008, 5.1.2"
    handles = ()
    leads = False
    plain_only = False
    yields = (
        Yield("mean-deviation", "Δ mean", 1, gap=True),
        Yield("deviation", "Δ", 1, gap=True),
        Yield("scatter", "s of Δ", 1, aside=True, gap=True),
    )

    table: str = RuleField("none", label="table", help="Known lines.", examples=list(TABLES))
    typed: tuple[float, ...] = RuleField((), label="or lines", unit="x", help="Typed here, in place of a table.")
    carried: tuple[str, tuple[float, ...]] | None = RuleField(
        None, label="carried lines", carried=True, help="Name and positions of a table of one's own that is in use."
    )

    def digest(self) -> str:
        of = f"peaks {self.peaks.strip()}" if self.peaks.strip() else "all peaks"
        return f"{of}, {counted(len(self.typed), 'line') if self.typed else self.table}"

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        lines = np.array(self.typed) if self.typed else self.lines_known()
        parts = [number_of(fit, peak, "center") for peak in peaks]
        name = "the typed lines" if self.typed else self.table
        wanted = nearest_lines(name, lines, np.array([value for value, _ in parts]))
        off = [value - float(line) for (value, _), line in zip(parts, wanted, strict=True)]
        found: list[Found] = []
        for peak, apart, (_, trace) in zip(peaks, off, parts, strict=True):
            u = None if trace is None else trace.u
            found.append(Found("deviation", apart, u=u, part=peak.number, trace=trace, of=peak.label))
        traces = [trace for _, trace in parts if trace is not None]
        whole = Trace.sum([(one, 1 / len(off)) for one in traces]) if len(traces) == len(off) else None
        mean = math.fsum(off) / len(off)
        found.insert(0, Found("mean-deviation", mean, u=None if whole is None else whole.u, trace=whole))
        if len(off) > 1:
            scatter = float(np.std(off, ddof=1))
            found.append(Found("scatter", scatter, u=scatter / math.sqrt(2 * (len(off) - 1))))
        told = ", ".join(f"{peak.label} {line:.6g}" for peak, line in zip(peaks, wanted, strict=True))
        return self.taken(seen, found, f"nearest lines: {told}")
