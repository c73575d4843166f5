"""What steps declare is a promise: a sieve file that leaves a field out has its default, tomorrow as today.

The table is written by hand from the guide: other defaults would change the numbers of kept files without a word.
"""

from __future__ import annotations

import math
from ast import literal_eval

import pytest

import curvesieve as cs
from curvesieve.core.steps import registered_steps
from curvesieve.core.steps.base import parse_step

DECLARED = """
spectral-axis.to = 'photon energy'
spectral-axis.x_is = 'by its unit'
spectral-axis.laser = '532 nm'
spectral-axis.density = False
absorbance.make = 'absorbance'
absorbance.percent = 'by its unit'
keep-range.low = None
keep-range.high = None
leave-out.low = None
leave-out.high = None
leave-out.rule = ''
leave-out.points = ()
sort.merge = True
despike.window = 11 | ≥ 3 ≤ 1001
despike.threshold = 5.0 | > 0 ≤ 1000
despike.narrowest = 2.0 | ≥ 2 ≤ 10
despike-differences.threshold = 8.0 | > 0 ≤ 1000
despike-differences.reach = 3 | ≥ 1 ≤ 100
bridge.low = None
bridge.high = None
bridge.law = 'line'
bridge.flank = None | > 0
bridge.order = 3 | ≥ 1 ≤ 9
bridge.ends = 'value'
shift-level.at = None
shift-level.window = 10 | ≥ 2 ≤ 10000
shift-level.by = 'offset'
zero.axis = 'y'
zero.by = 'first point'
zero.low = None
zero.high = None
zero.value = 0.0
toe.by = 'found'
toe.low = None
toe.high = None
toe.toe = 'put on the line'
toe.missing = 'stop'
compliance.by = 'a stiffness'
compliance.stiffness = None | > 0
compliance.donor = ''
test-part.start = 0.0 | ≥ 0 < 100
test-part.zero = False
test-part.end = 'the break'
test-part.drop = 0.4 | > 0 < 1
test-part.within = 5 | ≥ 1 ≤ 1000
scale.axis = 'y'
scale.by = 'maximum'
scale.factor = 1.0
scale.unit = ''
scale.low = None
scale.high = None
scale.at = None
baseline.method = 'arpls'
baseline.stiffness = 5.0 | ≥ 0 ≤ 15
baseline.asymmetry = 0.01 | > 0 < 1
baseline.half_window = 40 | ≥ 1 ≤ 100000
baseline.order = 2 | ≥ 0 ≤ 12
baseline.low = None
baseline.high = None
baseline.anchors = ()
baseline.heights = ()
smooth.method = 'savitzky-golay'
smooth.window = 11 | ≥ 3 ≤ 100001
smooth.order = 2 | ≥ 0 ≤ 9
smooth.width = 3.0 | > 0 ≤ 100000
smooth.strength = 2.0 | ≥ -6 ≤ 12
calibrate-x.measured = ()
calibrate-x.references = ()
calibrate-x.table = 'none'
calibrate-x.order = 0 | ≥ 0 ≤ 5
calibrate-x.carried = None
resample.onto = 'grid'
resample.method = 'linear'
resample.spacing = None | > 0
resample.low = None
resample.high = None
resample.donor = ''
resample.values = ()
resample.beyond = False
slope.order = 1 | ≥ 1 ≤ 3
slope.method = 'savitzky-golay'
slope.window = 11 | ≥ 3 ≤ 100001
slope.degree = 3 | ≥ 1 ≤ 9
running-area.rule = 'trapezium'
running-area.zero = None
spectrum.show = 'amplitude'
spectrum.window = 'hann'
spectrum.detrend = 'mean'
spectrum.padding = 1 | ≥ 1 ≤ 64
spectrum.uneven = 'resample'
true-stress.until = 'the highest stress'
re-express.new_x = 'x'
re-express.new_y = 'y'
combine.operation = 'subtract'
combine.donor = ''
combine.factor = 1.0
average.by = 'mean'
average.donors = ()
blank.donor = ''
blank.by = 'a factor'
blank.own = 1.0 | > 0
blank.of_blank = 1.0 | > 0
blank.low = None
blank.high = None
blank.factor = 1.0
level-at-large-q.by = "Porod's law"
level-at-large-q.low = None
level-at-large-q.high = None
log-bins.per_decade = 40 | ≥ 2 ≤ 2000
merge.donor = ''
merge.by = 'matched'
merge.factor = 1.0 | > 0
merge.overlap = 'both'
absolute-scale.thickness = 0.1 | > 0
absolute-scale.factor = 1.0 | > 0
scattering-vector.to = '1/nm'
scattering-vector.wavelength = 'Cu Kα'
scattering-vector.x_is = 'by its unit'
sphere-sizes.smallest = None | > 0
sphere-sizes.largest = None | > 0
sphere-sizes.count = 100 | ≥ 10 ≤ 400
sphere-sizes.by = 'discrepancy'
sphere-sizes.strength = 0.01 | > 0 ≤ 1000000
sphere-sizes.level = True
pair-distances.largest = None | > 0
"""
TOLD = dict(line.split(" = ", 1) for line in DECLARED.strip().splitlines())
NEEDS = {"despike.narrowest": {}, "smooth.order": {"window": 51}, "slope.degree": {"window": 51}}
"""What must be set beside a field for its limits to be reached."""


def test_every_field_is_told_here():
    assert set(TOLD) == {f"{slug}.{name}" for slug, kind in registered_steps().items() for name in kind.model_fields}


@pytest.mark.parametrize("field", TOLD)
def test_defaults_and_limits_are_as_promised(field):
    slug, name = field.split(".")
    default, _, limits = TOLD[field].partition(" | ")
    kind = registered_steps()[slug]
    assert getattr(kind(), name) == literal_eval(default)
    whole = isinstance(literal_eval(default), int) and not isinstance(literal_eval(default), bool)
    marks = limits.split()
    for sign, text in zip(marks[::2], marks[1::2], strict=True):
        at = float(text)
        beside = NEEDS.get(field, {})
        upper = sign in "≤<"
        inside = at if sign in "≥≤" else math.nextafter(at, -math.inf if upper else math.inf)
        outside = (at + 1 if upper else at - 1) if whole else math.nextafter(at, math.inf if upper else -math.inf)
        if sign in "<>":
            outside = at
        kept = parse_step({"step": slug, name: int(inside) if whole else inside, **beside})
        assert getattr(kept, name) == inside
        with pytest.raises(cs.InputError):
            parse_step({"step": slug, name: int(outside) if whole else outside, **beside})
