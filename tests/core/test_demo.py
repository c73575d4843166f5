"""The demo: made from a seed, and the application finds what is true of it."""

from __future__ import annotations

import json

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.fitting import fit_model, search_model
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import Study, edits
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.demo import STUDY_NAME
from curvesieve.demo.build import write_demo
from curvesieve.demo.raman import LOADINGS, file_text, spectrum
from curvesieve.demo.relaxation import write_relaxation


def test_the_same_seed_gives_the_same_files(demo_files):
    for loading, path in zip(LOADINGS, demo_files, strict=True):
        assert path.read_text() == file_text(spectrum(loading))
        assert file_text(spectrum(loading, seed=1)) != path.read_text()


def test_every_relaxation_time_is_within_3u_of_the_truth_without_a_start(tmp_path):
    paths = write_relaxation(tmp_path)
    truth = json.loads((tmp_path / "truth.json").read_text())
    for path in paths:
        curve = cs.read(path).curve("Time", "Stress")
        model = Model().with_background("two-exponentials", curve)
        found = fit_model(model.starting_at(search_model(model, curve)), curve)
        assert found.converged
        for name, p in found.parameters.items():
            assert abs(p.value - truth[path.name][name]) < 3 * p.u, (path.name, name)


@pytest.mark.parametrize("place", range(len(LOADINGS)))
def test_every_width_is_within_3u_of_the_truth(demo_files, place):
    """From the file, through Keep range and Despike, three peaks pointed at by hand, to FWHM ± u and area ± u."""
    path = demo_files[place]
    truth = json.loads((path.parent / "truth.json").read_text())[path.name]["peaks"]
    study = edits.add_curves(Study(), [(cs.read(path), Take(0, 1))], "one")
    curve_id = study.document.curves[0].id
    for slot, step in (("a", KeepRange(low=1200, high=1750)), ("b", Despike())):
        study = edits.add_step(curve_id, step, slot)(study)
    passed = sieved_curve(study, curve_id).curve
    model = Model().with_background("line", passed)
    for pointed in (1335, 1460, 1600):
        model = model.add_peak("lorentzian", passed, pointed)
    study = edits.set_model(curve_id, model)(study)
    fit = fit_curve(study, curve_id)
    assert fit.result.converged
    readings = {(r.part, r.quantity): r for r in fit.readings}
    for number, peak in enumerate(truth, 1):
        assert abs(readings[number, "fwhm"].value - peak["fwhm"]) < 3 * readings[number, "fwhm"].u
        area = np.pi / 2 * peak["height"] * peak["fwhm"]
        assert abs(readings[number, "area"].value - area) < 4 * readings[number, "area"].u
    assert fit.basis.used == fit.passed - len(sieved_curve(study, curve_id).trail[1].caught)


def test_an_existing_demo_is_kept(tmp_path):
    path = write_demo(tmp_path)
    assert path.name == STUDY_NAME
    before = path.stat().st_mtime_ns
    assert write_demo(tmp_path).stat().st_mtime_ns == before
