"""From a pattern's file to the sizes of its crystallites in the window, by mouse and keys."""

from __future__ import annotations

import math

import numpy as np
import pytest

from curvesieve.core.models import OwnTerm
from tests.app.gestures import click, drop_files
from tests.app.test_readings import take_reading

CU, SIZE, STRAIN = 0.15405929, 25.0, 1.5e-3
PLACES = (28.44, 47.30, 56.12, 69.13, 76.37)


def write_pattern(path, places=PLACES, seed=6) -> None:
    """Counts of Lorentzian reflections of crystallites of a size and strain, over a background that bends."""
    x = np.arange(20, 90, 0.04)
    y = 120 + 200 * np.exp(-(((x - 24) / 18) ** 2))
    for place in places:
        theta = math.radians(place / 2)
        width = math.degrees(0.9 * CU / (SIZE * math.cos(theta)) + 4 * STRAIN * math.tan(theta))
        y += 2500 / (1 + 4 * ((x - place) / width) ** 2)
    counts = np.random.default_rng(seed).poisson(y)
    rows = "".join(f"{a:.2f},{b}\n" for a, b in zip(x, counts, strict=True))
    head = "Sample: made-up powder\nWavelength: 0.15405929 nm\n\n2theta (deg),Intensity (counts)\n"
    path.write_text(head + rows)


def test_from_a_pattern_to_size_and_strain(window, qtbot, tmp_path):
    path = tmp_path / "powder.csv"
    write_pattern(path)
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1, timeout=20_000)
    click(w.intake_bench.files.bring)
    qtbot.waitUntil(lambda: w.session.entry is not None, timeout=20_000)
    panel = w.curve_bench.model
    panel.peak_kind.setCurrentIndex(panel.peak_kind.findData("lorentzian"))
    click(panel.find_all)
    qtbot.waitUntil(lambda: len(w.session.model.peaks) == len(PLACES), timeout=20_000)
    assert w.session.undo_label == "find peaks"
    assert w.session.model.background is not None
    click(panel.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=20_000)
    assert w.session.fit.result.converged
    for k, place in enumerate(PLACES, start=1):
        center = w.session.fit.result.parameters[f"center_{k}"]
        assert abs(center.value - place) < 4 * center.u
    card = take_reading(w, "williamson")
    qtbot.waitUntil(lambda: card.outcome is not None, timeout=20_000)
    assert not card.outcome.problem, card.outcome.problem  # the wavelength is that of the file's preamble
    size, strain = card.outcome.readings
    assert size.unit == "nm"
    assert abs(size.value - SIZE) < 4 * size.u
    assert abs(strain.value - STRAIN) < 4 * strain.u
    other = take_reading(w, "scherrer")
    qtbot.waitUntil(lambda: other.outcome is not None, timeout=20_000)
    by_part = {r.part: r for r in other.outcome.readings if r.quantity == "size"}
    assert len(by_part) == len(PLACES)
    shown = [name.whole_text() for name in other.numbers.names]
    assert shown[:3] == ["mean size", "size 1", "size 2"]
    theta = math.radians(PLACES[0] / 2)
    beta = 0.9 * CU / (SIZE * math.cos(theta)) + 4 * STRAIN * math.tan(theta)
    assert by_part[1].value == pytest.approx(0.9 * CU / (beta * math.cos(theta)), rel=0.05)


def test_finding_again_adds_nothing_and_says_so_and_what_is_odd_is_told(window, qtbot, tmp_path):
    path = tmp_path / "powder.csv"
    write_pattern(path, PLACES[:2])
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1, timeout=20_000)
    click(w.intake_bench.files.bring)
    qtbot.waitUntil(lambda: w.session.entry is not None, timeout=20_000)
    panel, told = w.curve_bench.model, []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    click(panel.find_all)
    qtbot.waitUntil(lambda: len(w.session.model.peaks) == 2, timeout=20_000)
    assert "2 peaks found." in told[-1]
    click(panel.find_all)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=20_000)
    assert told[-1].endswith("No peak stands out beside those of the model.")
    assert len(w.session.model.peaks) == 2
    w.session.undo()
    assert not w.session.model.peaks
    panel.peak_kind.addItem("Mine", OwnTerm(formula="height/(1 + ((x - center)/fwhm)^4)", kind="peak"))
    panel.peak_kind.setCurrentIndex(panel.peak_kind.count() - 1)
    click(panel.find_all)
    assert told[-1].startswith("A peak of your own is added by a double click")
    assert not w.session.model.peaks
