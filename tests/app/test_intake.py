"""A folder of mixed files comes in through the Intake bench: named, united, ordered, with nothing silent."""

from __future__ import annotations

import json

import numpy as np
import pytest

from curvesieve.cli import main
from curvesieve.demo.mixed import write_mixed
from curvesieve.demo.raman import spectrum
from tests.app.gestures import click, click_cell, drop_files


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    path = tmp_path_factory.mktemp("mixed")
    write_mixed(path)
    return path


def choose(w, qtbot, name: str) -> None:
    """Clicks a file in the list of those that wait."""
    waiting = next(waiting for waiting in w.tray.files if waiting.name == name)
    click_cell(w.intake_bench.files, w.intake_bench.row_of(waiting.number), 0)
    qtbot.waitUntil(lambda: w.tray.in_hand == waiting.number)


def test_a_folder_of_mixed_files_becomes_ordered_families(window, qtbot, folder):
    w = window()
    drop_files(w, [folder])
    qtbot.waitUntil(lambda: len(w.tray.files) >= 15, timeout=20000)
    problems = {waiting.name: waiting.problem for waiting in w.tray.files if waiting.problem}
    assert list(problems) == ["notes-march.txt"]
    assert "no row of numbers" in problems["notes-march.txt"]
    bench = w.intake_bench
    assert bench.bring.text() == "Bring in 14 files as 5 families"

    # The strips: decimal commas, a unit row and a footer are painted; force against extension is chosen for all five.
    choose(w, qtbot, "strip_A_0p5wt.csv")
    item = bench.files.currentItem()
    assert (item.text(0).strip(), item.text(1)) == ("strip_A_0p5wt.csv", "0.5 wt%")
    assert "semicolon · decimal comma · 9 rows before" in bench.title.whole_text()
    found = w.tray.shown.found
    kinds = [found.row_kind(row) for row in (0, 7, 8, 9, len(found.lines) - 1)]
    assert kinds == ["left out", "names", "units", "data", "left out"]
    bench.channel_rows[1].roles.textActivated.emit("x")
    bench.channel_rows[2].roles.textActivated.emit("y")
    strips = [waiting for waiting in w.tray.files if waiting.name.startswith("strip")]
    assert {(waiting.x, waiting.y) for waiting in strips} == {(1, 2)}

    click(bench.bring)
    study = w.session.study
    families = {family.label: family for family in study.document.families}
    strip = families["Force against Extension by loading"]
    assert (strip.condition, strip.unit) == ("loading", "wt%")
    assert [study.entry(id_).label for id_ in strip.curves] == ["0 wt%", "0.5 wt%", "1 wt%", "2 wt%", "4 wt%"]
    curve = study.recorded(strip.curves[1])
    assert (curve.x_unit, curve.y_unit, len(curve)) == ("mm", "N", 400)
    raman = families["counts against wavenumber by loading"]
    truth = spectrum(0.5)
    np.testing.assert_allclose(study.recorded(raman.curves[1]).y, truth.y, rtol=1e-12)
    np.testing.assert_allclose(study.recorded(raman.curves[1]).x, truth.x, atol=0.01)
    scattering = next(family for label, family in families.items() if label.startswith("I against Q"))
    assert [study.entry(id_).condition for id_ in scattering.curves] == [1.0, 4.0]
    relaxation = next(family for label, family in families.items() if label.startswith("stress against t"))
    assert [study.entry(id_).label for id_ in relaxation.curves] == ["25 °C", "60 °C"]
    assert study.recorded(relaxation.curves[1]).y_unit == "MPa"
    w.session.undo()
    assert not w.session.study.document.curves


def test_the_command_line_understands_each(folder, capsys):
    formats = {
        "strip_A_2p0wt.csv": ("text", 4), "raman_0p0wt.jdx": ("jcamp", 2), "drying.xlsx": ("xlsx", 2),
        "scattering_4p0wt.h5": ("hdf5", 3), "scattering_1p0wt.xml": ("cansas-xml", 3),
        "relaxation_25C.dat.gz": ("text", 2), "relaxation_60C.dat": ("text", 2),
    }  # fmt: skip
    for name, (kind, channels) in formats.items():
        assert main(["read", str(folder / name), "--json"]) == 0
        said = json.loads(capsys.readouterr().out)
        assert (said["format"], len(said["channels"])) == (kind, channels), name
        assert all(channel["unit"] or kind == "jcamp" for channel in said["channels"]), name
