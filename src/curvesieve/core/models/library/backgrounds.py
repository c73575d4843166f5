"""Backgrounds: what peaks stand on."""

from __future__ import annotations

from curvesieve.core.models import starts
from curvesieve.core.models.term import Parameter, Term

_OFFSET = Parameter("offset", "level under the peaks")
_EDGE = (
    Parameter("offset", "level before the step"), Parameter("step", "height of the step"),
    Parameter("edge", "x of the middle of the step"), Parameter("width", "half of the way from 1/4 to 3/4", lower=0.0),
)  # fmt: skip

TERMS = (
    Term("constant", "Constant", "background", "offset", (_OFFSET,), "common practice", start=starts.constant),
    Term(
        "line", "Straight line", "background", "offset + slope*x",
        (Parameter("offset", "y of the line at x = 0"), Parameter("slope", "rise of the line per x")),
        "common practice", start=starts.line, contains=("constant",),
    ),
    Term(
        "exponential-background", "Exponential background", "background", "offset + amplitude*exp(-x/length)",
        (
            Parameter("offset", "level far away"), Parameter("amplitude", "y at x = 0 above the level"),
            Parameter("length", "x in which it falls to 1/e; negative for one that rises"),
        ),
        "common practice", start=starts.exponential, contains=("constant",),
        description="Fluorescence, or the tail of a direct beam",
    ),
    Term(
        "arctan-step", "Arctan step", "background", "offset + step*(1/2 + atan((x - edge)/width)/pi)", _EDGE,
        "edge broadened by a Lorentzian; common practice in absorption edges", start=starts.step,
        contains=("constant",),
    ),
    Term(
        "erf-step", "Error-function step", "background", "offset + step*(1 + erf((x - edge)/(width*sqrt(2))))/2",
        (*_EDGE[:3], Parameter("width", "standard deviation of the Gaussian that broadens the edge", lower=0.0)),
        "edge broadened by a Gaussian; common practice", start=starts.step, contains=("constant",),
    ),
    Term(
        "shirley", "Shirley", "background", "offset",
        (
            Parameter("offset", "level before the peaks, on the side of small x"),
            Parameter("scatter", "rise of the level per area of peaks passed; below zero for a level that falls",
                      start=0.0, unit=(-1, 0)),
        ),
        "D. A. Shirley, Phys. Rev. B 5 (1972) 4709: the level changes by a share of the peaks' area passed; here the "
        "fitted peaks' own (active form; from memory)",
        description="Scattered electrons: needs Gaussian, Lorentzian or pseudo-Voigt peaks", start=starts.constant,
        over_peaks="scatter*cumulative", contains=("constant",),
    ),
)  # fmt: skip
