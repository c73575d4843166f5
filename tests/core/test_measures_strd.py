"""Lines and parabolas of the NIST StRD (linear regression: Norris, Pontius, NoInt1, NoInt2), by measures.

Data and certified values are from memory: that the one gives the other to twelve digits says that both are right.
"""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs

NORRIS_Y = """0.1 338.8 118.1 888.0 9.2 228.1 668.5 998.5 449.1 778.9 559.2 0.3 0.1 778.1 668.8 339.3 448.9 10.8 557.7
228.3 998.0 888.8 119.6 0.3 0.6 557.6 339.3 888.0 998.5 778.9 10.2 117.6 228.9 668.4 449.2 0.2"""
NORRIS_X = """0.2 337.4 118.2 884.6 10.1 226.5 666.3 996.3 448.6 777.0 558.2 0.4 0.6 775.5 666.9 338.0 447.5 11.6 556.0
228.1 995.8 887.6 120.2 0.3 0.3 556.8 339.1 887.2 999.0 779.0 11.1 118.3 229.2 669.1 448.9 0.5"""
PONTIUS_Y = """.11019 .21956 .32949 .43899 .54803 .65694 .76562 .87487 .98292 1.09146 1.20001 1.30822 1.41599 1.52399
1.63194
1.73947 1.84646 1.95392 2.06128 2.16844 .11052 .22018 .32939 .43886 .54798 .65739 .76596 .87474 .98300 1.09150 1.20004
1.30818 1.41613 1.52408 1.63159 1.73965 1.84696 1.95445 2.06177 2.16829"""


def numbers(text: str) -> np.ndarray:
    return np.array(text.split(), float)


def curve(x, y) -> cs.Curve:
    order = np.argsort(x, kind="stable")
    return cs.Curve(np.asarray(x, float)[order], np.asarray(y, float)[order])


def found(readings) -> dict[str, tuple[float, float | None]]:
    return {r.quantity: (r.value, r.u) for r in readings}


def test_norris():
    got = found(cs.measure("straight-part", curve(numbers(NORRIS_X), numbers(NORRIS_Y))))
    assert got["slope"][0] == pytest.approx(1.00211681802045, rel=1e-12)
    assert got["slope"][1] == pytest.approx(0.429796848199937e-03, rel=1e-10)
    assert got["intercept"][0] == pytest.approx(-0.262323073774029, rel=1e-11)
    assert got["intercept"][1] == pytest.approx(0.232818234301152, rel=1e-10)
    assert got["r2"][0] == pytest.approx(0.999993745883712, rel=1e-12)


@pytest.mark.parametrize(
    ("x", "y", "slope", "u"),
    [
        (np.arange(60, 71), np.arange(130, 141), 2.07438016528926, 0.165289256198347e-01),
        ([4, 5, 6], [3, 4, 4], 0.727272727272727, 0.420827318078432e-01),
    ],
    ids=["NoInt1", "NoInt2"],
)
def test_lines_through_zero(x, y, slope, u):
    got = found(cs.measure("straight-part", curve(x, y), intercept="zero"))
    assert got["slope"] == (pytest.approx(slope, rel=1e-12), pytest.approx(u, rel=1e-11))


def test_pontius_by_a_law_over_a_band():
    x = np.tile(np.arange(1, 21) * 150_000.0, 2)
    wanted = {
        "a0": (0.673565789473684e-03, 0.107938612033077e-03), "a1": (0.732059160401003e-06, 0.157817399981659e-09),
        "a2": (-0.316081871345029e-14, 0.486652849992036e-16),
    }  # fmt: skip
    got = found(cs.measure("law-over-band", curve(x, numbers(PONTIUS_Y)), law="polynomial-2"))
    for name, (value, u) in wanted.items():
        assert got[name] == (pytest.approx(value, rel=1e-8), pytest.approx(u, rel=1e-8)), name
    assert got["r2"][0] == pytest.approx(0.999999900178537, rel=1e-12)
