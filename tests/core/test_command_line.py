"""The command line: what it prints, which words it takes, and one line for each wrong one."""

from __future__ import annotations

import json

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.demo.faults import relaxation_glitch


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


def test_a_saved_sieve_is_passed_without_a_window(tmp_path, capsys):
    made = relaxation_glitch()
    path = made.write(tmp_path)
    sieve = tmp_path / "mend.sieve.json"
    steps = [
        {"step": "bridge", "low": made.low, "high": made.high, "law": "double exponential", "flank": 25},
        {"step": "combine", "donor": "blank.csv"},
        {"step": "smooth", "window": 9999},
        {"step": "scale", "by": "factor", "factor": 2},
    ]
    sieve.write_text(json.dumps({"sieve": 1, "steps": steps}))
    (tmp_path / "blank.csv").write_text("Time (s),Stress (MPa)\n-1,2\n50,2\n")
    out = tmp_path / "passed.csv"
    assert main(["pass", str(path), "--sieve", str(sieve), "--out", str(out), "--json"]) == 0
    captured = capsys.readouterr()
    rows = json.loads(captured.out)
    assert [(row["step"], row["points_in"], row["points_out"], row["caught"]) for row in rows] == [
        ("bridge", 901, 901, 76), ("combine", 901, 901, 0), ("smooth", 901, 901, 0), ("scale", 901, 901, 0),
    ]  # fmt: skip
    assert "step 3, smooth, let all pass: The window of 9999 points" in captured.err
    record = cs.read(out)
    assert [channel.name for channel in record.channels] == ["Time", "Stress", "u of Stress", "flag"]
    fault = (made.x >= made.low) & (made.x <= made.high)
    np.testing.assert_array_equal(record["flag"].values, fault.astype(float))
    assert (
        np.mean(np.abs(record["Stress"].values / 2 + 2 - made.truth)[fault] <= record["u of Stress"].values[fault])
        > 0.95
    )
    passed = cs.Sieve.load(sieve)(cs.read(path).curve("Time", "Stress"))
    assert len(passed.trail[0].caught) == 76
    for text, sentence in (
        ('{"sieve": 9, "steps": []}', "version 9"),
        ("{", "mend"),
        ('{"steps": [{"step": "brigde"}]}', "'bridge'"),
    ):
        sieve.write_text(text)
        assert main(["pass", str(path), "--sieve", str(sieve)]) == 2
        assert sentence in capsys.readouterr().err


def test_steps_and_terms_are_listed(capsys):
    assert main(["steps", "--json"]) == 0
    steps = {row["step"]: row for row in json.loads(capsys.readouterr().out)}
    assert {"keep-range", "despike", "bridge", "baseline", "smooth", "slope", "resample", "combine"} <= set(steps)
    assert {"low", "high", "law", "flank"} <= set(steps["bridge"]["schema"]["properties"])
    assert main(["terms", "--json"]) == 0
    terms = {row["term"]: row for row in json.loads(capsys.readouterr().out)}
    assert [p["name"] for p in terms["gaussian"]["parameters"]] == ["center", "height", "fwhm"]
    for command in ("steps", "measures", "terms"):
        assert main([command]) == 0
        assert len(capsys.readouterr().out.splitlines()) >= 4
