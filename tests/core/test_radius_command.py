"""`curvesieve radius`, the axes of scattering, and the resolution that files tell of."""

from __future__ import annotations

import json

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.axes_views import PLAIN, VIEWS, is_scattering, view_of
from curvesieve.core.formats import read, tables
from curvesieve.core.formats.opening import load, main_table
from curvesieve.core.intake.applied import apply_pattern
from curvesieve.core.intake.pattern import guess, u_of
from curvesieve.core.measures.scattering import Guinier
from curvesieve.core.measures.straight_axes import same_law, straight_in, straight_range
from curvesieve.core.study.resolution import resolution_in
from curvesieve.demo.scattering import BLANK, write_scattering


@pytest.fixture(scope="module")
def films(tmp_path_factory):
    folder = tmp_path_factory.mktemp("films")
    write_scattering(folder)
    return folder, json.loads((folder / "truth.json").read_text(encoding="utf-8"))


def test_radius_reads_every_film_as_it_was_made(films, capsys):
    folder, truth = films
    blank = str(folder / BLANK)
    words = ["radius", *(str(folder / name) for name in truth), "--blank", blank, "--model", "sphere~schulz", "--json"]
    assert main(words) == 0
    said = json.loads(capsys.readouterr().out)
    for entry in said:
        film = truth[entry["file"]]
        found = {one["symbol"]: one for one in entry["readings"]}
        assert abs(found["Rg"]["value"] / 10 - film["rg"]) < 2.5 * found["Rg"]["u"] / 10
        assert abs(found["I0"]["value"] - film["forward"]) < 3 * found["I0"]["u"]
        assert found["R"]["value"] == pytest.approx(found["Rg"]["value"] * (5 / 3) ** 0.5)
        for name in ("radius", "spread"):
            own = next(one for one in entry["readings"] if one["name"] == name)
            scale = 10 if name == "radius" else 1
            assert abs(own["value"] / scale - film[name]) < 3 * own["u"] / scale
        assert any("taken off" in note for note in entry["notes"])


def test_radius_says_what_is_wrong(films, capsys, tmp_path):
    folder, truth = films
    first = str(folder / next(iter(truth)))
    for words, match in (
        (["radius", first, "--match", "1:2"], "name one with --blank"),
        (["radius", first, "--form", "cube"], "form"),
        (["radius", first, "--model", "cube"], "no term 'cube'"),
        (["radius", str(tmp_path / "none.dat")], "cannot be read"),
    ):
        assert main(words) == 2
        assert match in capsys.readouterr().err
    bare = tmp_path / "bare.csv"
    q = np.geomspace(0.02, 1, 60)
    bare.write_text(
        "q,I\n" + "".join(f"{a:.5g},{b:.6g}\n" for a, b in zip(q, 5 * np.exp(-((q * 4) ** 2) / 3), strict=True))
    )
    assert main(["radius", str(bare)]) == 0
    out = capsys.readouterr().out
    assert "not known as a q" in out
    assert "u of the intensities was found" in out
    blank = ["--blank", str(folder / BLANK), "--match", "0.2:"]
    assert main(["radius", first, *blank, "--form", "particle", "--most", "1.0"]) == 0


def test_a_third_column_is_the_u_of_the_second_where_it_is_named_so(tmp_path):
    for name, is_u in (("u(I)", True), ("dI", True), ("Idev", True), ("I_error", True), ("sigma I", True), ("T", False),
                       ("dq", False)):  # fmt: skip
        path = tmp_path / "one.csv"
        path.write_text(f"q (1/nm),I (1/cm),{name} (1/cm)\n" + "".join(f"{k / 50},{9 - k},0.1\n" for k in range(1, 9)))
        assert (u_of(read(path), 1) == 2) == is_u, name


def test_a_files_own_resolution_is_told_by_its_dq(films):
    folder, _ = films
    relative, floor = resolution_in(read(folder / BLANK), 0)
    q = read(folder / BLANK).channels[0].values
    assert np.hypot(relative * q, floor) == pytest.approx(1e-4 + 0.01 * q, rel=0.2)
    assert resolution_in(read(folder / BLANK), 1) is None


@pytest.mark.parametrize("view", VIEWS, ids=lambda view: view.slug)
def test_axes_turn_there_and_back(view):
    x, y = np.geomspace(1e-3, 30, 40), np.geomspace(1e4, 1e-6, 40)
    places = zip(np.asarray(view.x(x)).tolist(), np.asarray(view.y(y, x)).tolist(), x, y, strict=True)
    for across, up, at, level in places:
        assert view.x_back(across) == pytest.approx(at)
        assert view.y_back(up, at) == pytest.approx(level)
    bottom, left = view.titles(("q", "1/nm"), ("I", "1/cm"))
    assert "q" in bottom
    assert "I" in left
    assert view_of(view.slug) is view
    assert view_of("nothing") is PLAIN


def test_laws_are_straight_on_their_axes_and_read_there():
    q = np.linspace(0.01, 0.4, 80)
    curve = cs.Curve(q, 7 * np.exp(-((q * 5) ** 2) / 3), 0.01 * np.ones(80), x_unit="1/nm", y_unit="1/cm")
    view = view_of("guinier")
    rise = np.diff(view.y(curve.y, q)) / np.diff(view.x(q))
    assert rise == pytest.approx(-25 / 3 + 0 * rise)
    measure = straight_in(view, curve)
    assert isinstance(measure, Guinier)
    assert measure.by == "band"
    assert cs.measure("guinier", curve, by="band", low=measure.low, high=measure.high)[0].value == pytest.approx(
        5, rel=1e-6
    )
    low, high = straight_range(view, curve)
    assert (low, high) == (0.0, pytest.approx(2.6 / 5, rel=0.1))
    assert straight_range(view_of("porod"), curve) is None
    assert same_law(measure, Guinier())
    assert not same_law(measure, Guinier(form="rod"))
    rods = straight_in(view_of("guinier-rods"), curve)
    assert (rods.form, rods.by) == ("rod", "band")
    with pytest.raises(cs.InputError, match="No law is read"):
        straight_in(view_of("kratky"), curve)
    assert [is_scattering(unit) for unit in ("1/nm", "1/Å", "1/cm", "nm", "", "deg")] == [True, True] + [False] * 4


def test_what_is_odd_about_q_is_told_as_it_is_brought_in(tmp_path):
    def told(head: str, q) -> str:
        path = tmp_path / "one.csv"
        path.write_text(head + "\n" + "".join(f"{a:.6g},{9 - k},0.1\n" for k, a in enumerate(q)))
        table = main_table(tables(load(path)))
        return "\n".join(apply_pattern(table.record, guess(table)).told)

    q = np.linspace(0.01, 0.3, 8)
    assert "looks like 1/Å" in told("q,I,dI", q)
    assert "looks like 1/nm" in told("q,I,dI", 10 * q)
    assert told("q (1/Å),I (1/cm),dI (1/cm)", q) == ""
    assert "is it in 1/nm" in told("q (1/Å),I (1/cm),dI (1/cm)", 100 * q)
    assert "is it in 1/Å" in told("q (1/nm),I (1/cm),dI (1/cm)", q / 100)
    assert "has no u" in told("q (1/Å),I (1/cm),T (K)", q)
    assert "1 point with q at or below 0" in told("q (1/Å),I (1/cm),dI (1/cm)", q - 0.01)
    assert told("Time (s),I (1/cm),dI (1/cm)", q) == ""
