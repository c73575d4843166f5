"""The command line: what it prints, which words it takes, and one line for each wrong one."""

from __future__ import annotations

import json

import numpy as np
import pytest

from curvesieve.cli import main


@pytest.fixture
def decay(tmp_path):
    """A file with three channels: t in s, F in N with its u, and a stray point far out."""
    t = np.linspace(0, 10, 101)
    force = 4 * np.exp(-t / 2.5) + 1
    force[100] = 50.0
    path = tmp_path / "decay.csv"
    rows = [f"{a!r},{b!r},{0.01!r}" for a, b in zip(t.tolist(), force.tolist(), strict=True)]
    path.write_text("t (s),F (N),u\n" + "\n".join(rows) + "\n")
    return path


def said(capsys, *words: object) -> dict:
    assert main([str(word) for word in words]) == 0
    return json.loads(capsys.readouterr().out)


MODEL = "A*exp(-t/tau) + c"
START = ["--start", "A=1", "tau=1", "--start", "c=0"]


def test_fit_with_range_channels_and_variable(decay, capsys):
    words = ["fit", decay, "--model", MODEL, "--variable", "t", *START, "--range", ":9.95", "--u", "3", "--json"]
    out = said(capsys, *words)
    assert out["parameters"]["tau"]["value"] == pytest.approx(2.5, rel=1e-10)
    assert out["parameters"]["tau"]["held"] is False
    assert set(out) >= {"model", "parameters", "statistics", "converged", "message", "iterations"}
    assert out["statistics"]["n"] == 100
    assert out["statistics"]["reduced_chi2"] < 1e-10


def test_a_robust_loss_does_not_see_the_stray_point(decay, capsys):
    words = ["fit", decay, "--model", MODEL, "--variable", "t", *START, "--json"]
    plain = said(capsys, *words)["parameters"]["c"]["value"]
    robust = said(capsys, *words, "--loss", "absolute")["parameters"]["c"]["value"]
    assert abs(plain - 1) > 0.1
    assert robust == pytest.approx(1, abs=1e-4)


def test_library_terms_need_no_start_and_have_units(decay, capsys):
    out = said(capsys, "fit", decay, "--model", "line", "--hold", "slope", "--start", "slope=0", "--json")
    assert out["parameters"]["slope"] == {"value": 0.0, "u": None, "unit": "N s-1", "held": True}
    assert out["parameters"]["offset"]["unit"] == "N"
    assert main(["fit", str(decay), "--model", "constant"]) == 0
    text = capsys.readouterr().out
    assert "Converged" in text
    assert "offset" in text
    assert main(["read", str(decay)]) == 0
    assert "t (s): 0 … 10" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "sentence"),
    [
        (["--start", "A"], "'A' must be of the form NAME=VALUE"),
        (["--start", "A=one"], "--start A: 'one' is not a number"),
        (["--bound", "A=3"], "'3' must be of the form LOW:HIGH"),
        (["--range", "20:30"], "no point lies there; x runs 0 to 10"),
        (["--x", "T1"], "has no channel 'T1'"),
        (["--y", "9"], "has 3 channels; there is no number 9"),
        (["--loss", "cubic"], "There is no loss 'cubic'"),
        (["--hold", "B"], "hold names 'B'"),
        (["--colour", "red"], "unrecognized arguments"),
    ],
)
def test_wrong_words_get_one_line(decay, capsys, words, sentence):
    assert main(["fit", str(decay), "--model", MODEL, "--variable", "t", *START, *words]) == 2
    error = capsys.readouterr().err
    assert sentence in error
    assert error.count("\n") == 1
