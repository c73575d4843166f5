"""Cells from reflections: edges given back within their u, errors of zero and height found, indices, refusals."""

from __future__ import annotations

import math

import numpy as np
import pytest

from curvesieve.core.crystal import CELLS, edges_in, planes_in, planes_of, reflects
from curvesieve.core.errors import InputError
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.quantity import Quantity
from tests.core.test_diffraction import fitted, pattern, read

CU = 0.15405929
SI, LAB6 = 0.54311946, 0.41569162
"""Lattice parameters in nm: NIST SRM 640c and 660a (from memory)."""
SI_FIVE = ("111", "220", "311", "400", "331")
HKL = ((1, 0, 0), (0, 0, 2), (1, 0, 1), (1, 0, 2), (1, 1, 0), (1, 0, 3))


def two_theta(square: float) -> float:
    """Bragg's law, written out here: degrees of 2θ for 1/d² in 1/nm²."""
    return 2 * math.degrees(math.asin(CU / 2 * math.sqrt(square)))


def seen(squares, moved=lambda theta: 0.0, seed=0) -> FitSeen:
    places = [two_theta(s) for s in squares]
    places = [p + moved(math.radians(p / 2)) for p in places]
    return fitted(pattern(places, [0.12] * len(places), seed=seed, noise=2.0))


def numbers(fit: FitSeen, **fields):
    found = read(fit, "lattice", wavelength="Cu Kα1", **fields)
    assert not found.problem, found.problem
    return {r.quantity: r for r in found.readings}, found


@pytest.mark.parametrize(
    ("a", "centring", "hkls"),
    [
        (SI, "diamond", [(1, 1, 1), (2, 2, 0), (3, 1, 1), (4, 0, 0), (3, 3, 1)]),
        (LAB6, "primitive", [(1, 0, 0), (1, 1, 0), (1, 1, 1), (2, 0, 0), (2, 1, 0)]),
    ],
)
def test_the_standards_give_their_lattice_parameter_back_within_its_u(a, centring, hkls):
    scores = []
    for seed in range(6):
        fit = seen([sum(i * i for i in hkl) / a**2 for hkl in hkls], seed=seed)
        got, found = numbers(fit, start=f"{a * 10 * 1.004:.4f} Å", centring=centring)
        assert set(got) == {"a", "cell-volume"}
        assert got["a"].unit == "nm"
        assert got["a"].u < 3e-5 * a
        scores.append((got["a"].value - a) / got["a"].u)
        assert got["cell-volume"].value == pytest.approx(got["a"].value ** 3, rel=1e-12)
        assert got["cell-volume"].u == pytest.approx(3 * got["a"].value ** 2 * got["a"].u, rel=1e-9)
        assert ", ".join("".join(map(str, hkl)) for hkl in hkls) in found.sentence
    assert max(map(abs, scores)) < 3.5
    assert np.sqrt(np.mean(np.square(scores))) > 0.3


@pytest.mark.parametrize("error", ["zero", "displacement"])
def test_what_moves_all_reflections_is_found_beside_the_cell(error):
    squares = [s / SI**2 for s in (3, 8, 11, 16, 19, 24, 27)]
    by = 0.06 if error == "zero" else 0.15 / 240  # degrees, or s/R
    moved = (lambda t: by) if error == "zero" else (lambda t: -2 * math.degrees(by * math.cos(t)))
    fit = seen(squares, moved, seed=3)
    wrong, _ = numbers(fit, start="5.43 Å", centring="diamond")
    assert abs(wrong["a"].value - SI) > 3 * wrong["a"].u  # not asked for, it spoils the cell
    got, _ = numbers(fit, start="5.43 Å", centring="diamond", error=error, radius="240 mm" if error != "zero" else "")
    assert abs(got["a"].value - SI) < 3 * got["a"].u
    part = got["zero-error"] if error == "zero" else got["displacement"]
    assert part.unit == ("deg" if error == "zero" else "mm")
    assert abs(part.value - (by if error == "zero" else 0.15)) < 3 * part.u
    if error == "displacement":
        bare, _ = numbers(fit, start="5.43 Å", centring="diamond", error=error)
        assert bare["displacement"].value * 240 == pytest.approx(part.value, rel=1e-12)
        assert not bare["displacement"].unit


@pytest.mark.parametrize("cell", ["hexagonal", "tetragonal", "orthorhombic"])
def test_other_cells_from_a_start_and_from_typed_indices(cell):
    a, b, c = 0.3209, 0.4011, 0.5211
    squares = []
    for h, k, m in HKL:  # the closed forms, written out here
        if cell == "hexagonal":
            squares.append(4 / 3 * (h * h + h * k + k * k) / a**2 + m * m / c**2)
        else:
            squares.append(h * h / a**2 + k * k / (b if cell == "orthorhombic" else a) ** 2 + m * m / c**2)
    order = sorted(range(len(HKL)), key=lambda i: squares[i])
    fit = seen([squares[i] for i in order], seed=4)
    typed, _ = numbers(fit, cell=cell, by="typed indices", indices=", ".join("".join(map(str, HKL[i])) for i in order))
    for name, true in zip("abc", (a, b, c), strict=True):
        if name in typed:
            assert abs(typed[name].value - true) < 3.5 * typed[name].u
    assert set(typed) == {*CELLS[cell].edges, "cell-volume"}
    start = {"orthorhombic": "a = 3.21 Å, b = 4.01 Å, c = 5.21 Å"}.get(cell, "3.21 Å; c = 0.521 nm")
    found, _ = numbers(fit, cell=cell, start=start)
    assert found["a"].value == pytest.approx(typed["a"].value, rel=1e-12)
    box = math.prod(typed[e].value for e in CELLS[cell].edge_of)
    assert typed["cell-volume"].value == pytest.approx(box * (math.sqrt(3) / 2 if cell == "hexagonal" else 1))


def test_the_scatter_of_wrong_places_and_the_u_of_the_wavelength_are_in_the_u():
    squares = [s / SI**2 for s in (3, 8, 11, 16, 19)]
    signs = iter((1, -1, 1, -1, 1))
    fit = seen(squares, lambda t: 0.03 * next(signs))
    got, found = numbers(fit, start="5.43 Å", centring="diamond")
    assert got["a"].u > 2e-5
    assert "u from the scatter of the reflections" in found.sentence
    exact = seen(squares)
    lone = read(exact, "lattice", quantities=[Quantity(name="wavelength", value=CU, u=CU * 1e-3, unit="nm")],
                start="5.43 Å", centring="diamond")  # fmt: skip
    assert lone.readings[0].u == pytest.approx(SI * 1e-3, rel=0.01)


def test_which_planes_reflect_and_what_may_be_typed():
    lines = [p for _, p in planes_of(CELLS["cubic"], "face-centred", [0.4], 20.5 / 0.4**2)]
    assert lines == [(1, 1, 1), (2, 0, 0), (2, 2, 0), (3, 1, 1), (2, 2, 2), (4, 0, 0), (3, 3, 1), (4, 2, 0)]
    assert [p for _, p in planes_of(CELLS["cubic"], "body-centred", [0.4], 6.5 / 0.4**2)] == [
        (1, 1, 0), (2, 0, 0), (2, 1, 1)]  # fmt: skip
    assert not reflects((2, 0, 0), "diamond")
    assert not reflects((2, 2, 2), "diamond")
    assert planes_in("111, 2-20 ,(3 1 1)") == [(1, 1, 1), (2, -2, 0), (3, 1, 1)]
    assert planes_in("10 1 0; 1,1,2") == [(10, 1, 0), (1, 1, 2)]
    assert planes_in("111 200") == [(1, 1, 1), (2, 0, 0)]
    for wrong in ("11", "1111, 200", "000", "abc", "111;;200"):
        with pytest.raises(InputError):
            planes_in(wrong)
    assert edges_in("4.09 Å", CELLS["cubic"]) == pytest.approx([0.409])
    for wrong in ("4.09", "4.09 s", "-4 Å", "b = 4 Å", "4 Å; 5 Å", ""):
        with pytest.raises(InputError):
            edges_in(wrong, CELLS["cubic"])


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({}, "The start cell is not set"),
        ({"start": "5.43"}, "The edge a = 5.43 needs its unit"),
        ({"start": "2 Å"}, "No planes of the start cell"),
        ({"start": "30 Å"}, ""),
        ({"start": "5.43 Å", "peaks": "1", "cell": "cubic", "error": "zero"}, "2 numbers to be found of 1 reflection"),
        ({"by": "typed indices", "indices": "111"}, "5 peaks chosen, and indices of 1 typed"),
        ({"by": "typed indices", "indices": "1 1"}, "“1” are no indices"),
        ({"by": "typed indices", "indices": "100,200,300,400,500", "cell": "tetragonal"}, "These indices do not tell"),
        ({"start": "5.43 Å", "error": "displacement", "radius": "2 s"}, "The radius of the goniometer is a length"),
    ],
)
def test_what_cannot_be_told_is_refused(fields, said):
    fit = seen([s / SI**2 for s in (3, 8, 11, 16, 19)])
    found = read(fit, "lattice", wavelength="Cu Kα1", **{"centring": "diamond", **fields})
    if said:
        assert found.problem.startswith(said), found.problem
    else:
        assert found.problem or found.warning  # far too large a cell: planes everywhere


def test_q_has_no_zero_of_an_angle_and_a_missing_wavelength_is_asked_for():
    q = [2 * math.pi * math.sqrt(s) / SI for s in (3, 8, 11)]
    fit = fitted(pattern(q, [0.1] * 3, step=0.02, x_unit="1/nm"))
    found = read(fit, "lattice", start="5.43 Å", centring="diamond")
    assert not found.problem, found.problem
    assert abs(found.readings[0].value - SI) < 3.5 * found.readings[0].u
    assert "is one of an angle" in read(fit, "lattice", start="5.43 Å", error="zero").problem
    angles = seen([s / SI**2 for s in (3, 8, 11)])
    assert "wavelength is not known" in read(angles, "lattice", start="5.43 Å").problem


def test_two_reflections_on_one_plane_are_refused_and_one_between_planes_is_told():
    close = seen([3 / SI**2, 3.15 / SI**2, 8 / SI**2])
    found = read(close, "lattice", wavelength="Cu Kα1", start="5.43 Å", centring="diamond")
    assert found.problem.startswith("Two reflections are nearest to 111 of the start cell")
    between = seen([3 / SI**2, 5.6 / SI**2, 11 / SI**2])
    found = read(between, "lattice", wavelength="Cu Kα1", start="5.43 Å", centring="diamond")
    assert "P2 lies between planes of the start cell" in found.warning
