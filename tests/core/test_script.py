"""Copy as a script: run by itself, it prints the ledger's numbers to the last digit."""

from __future__ import annotations

import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.base import parse_step
from curvesieve.core.study import Study, edits
from curvesieve.core.study.afresh import computed_afresh
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.script import as_script
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study


def printed(script: str, folder) -> list[list[str]]:
    path = folder / "again.py"
    path.write_text(script, encoding="utf-8")
    run = subprocess.run([sys.executable, str(path)], capture_output=True, text=True, check=True, cwd=folder)
    return [line.split("\t") for line in run.stdout.splitlines()[1:]]


def ledger(study: Study, ids) -> list[list[str]]:
    return [
        [study.entry(id_).label, str(study.entry(id_).condition), r.name, str(r.value), str(r.u), r.unit]
        for id_ in ids
        for r in study.readings(id_)
    ]


def test_a_family_of_files_by_a_shared_recipe_and_one_by_its_own(tmp_path):
    study = build_study(tmp_path / "demo")
    example = study.document.curves[EXAMPLE].id
    study = edits.share(example, "model")(edits.share(example, "sieve")(study))
    family = study.document.families[0]
    other = family.curves[0]
    study = edits.step_out(other, "model")(study)
    study = edits.set_model(other, study.model(other).without(3))(study)
    study = computed_afresh(study).study
    script = as_script(study, family.curves)
    assert script.count("cs.read(") == 5
    assert script.count("cs.Recipe.parse(") == 2
    assert len(script) < 8000, "a short script"
    assert printed(script, tmp_path) == ledger(study, family.curves)


def test_numbers_stand_in_the_script_where_no_file_gives_them(tmp_path):
    x = np.linspace(0.1, 3.0, 30)
    y = np.concatenate([2 * x + 1, 5 * x + 1]) + np.random.default_rng(3).normal(0, 0.01, 60)
    channels = (
        Channel('a "b"\\', "mm", np.tile(x, 2)),
        Channel("y", "N", y),
        Channel("set", "", np.repeat([1.0, 2], 30)),
    )
    record = Record(Source("pasted table.txt", b"pasted"), channels)
    takes = [Take(0, 1, None, "m", "", (2, 1.0)), Take(0, 1, None, "", "kN", (2, 2.0))]
    study = edits.add_curves(Study(), [(record, take) for take in takes], "pasted", labels=["one", "two'\""])
    ids = [curve.id for curve in study.document.curves]
    for id_ in ids:
        study = edits.set_model(id_, Model().with_background("line", sieved_curve(study, id_).curve))(study)
        study = edits.set_fit(id_, fit_curve(study, id_))(study)
    script = as_script(study, ids)
    assert "cs.read(" not in script
    assert printed(script, tmp_path) == ledger(study, ids)


def test_a_file_whose_names_or_units_were_given_by_hand_is_not_read_by_itself(tmp_path):
    path = tmp_path / "bare.csv"
    path.write_text("a,b\n" + "".join(f"{i},{2 * i + 1}\n" for i in range(12)))
    bare = cs.read(path)
    named = replace(bare, channels=(replace(bare.channels[0], unit="s"), bare.channels[1]))
    for record, count in ((bare, 1), (named, 0)):
        study = edits.add_curves(Study(), [(record, Take(0, 1))], "bare", labels=["one"])
        (one,) = (curve.id for curve in study.document.curves)
        study = edits.set_model(one, Model().with_background("line", sieved_curve(study, one).curve))(study)
        study = edits.set_fit(one, fit_curve(study, one))(study)
        script = as_script(study, [one])
        assert script.count("cs.read(") == count
        assert printed(script, tmp_path) == ledger(study, [one])


def test_what_a_script_cannot_do_is_refused_with_the_way_that_can(tmp_path):
    study = build_study(tmp_path / "demo")
    example = study.document.curves[EXAMPLE].id
    bare = study.document.curves[0].id
    with pytest.raises(cs.InputError, match="no model and no measure on these curves"):
        as_script(study, [bare])
    taking = edits.add_step(example, parse_step({"step": "combine", "donor": "0.0 wt%"}), "c")(study)
    with pytest.raises(cs.InputError, match=r"Combine takes from other curves.*curvesieve run"):
        as_script(taking, [example])
    assert as_script(edits.switch_step(example, "c", False)(taking), [example])
    x = np.linspace(0, 1, 20_001)
    long = Record(Source("pasted", b""), (Channel("x", "", x), Channel("y", "", x)))
    study = edits.add_curves(Study(), [(long, Take(0, 1))], "long", labels=["long"])
    (one,) = (curve.id for curve in study.document.curves)
    study = edits.set_model(one, Model().with_background("line", sieved_curve(study, one).curve))(study)
    with pytest.raises(cs.InputError, match="20,001 points"):
        as_script(study, [one])
