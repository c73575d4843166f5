"""The study: its file, what damage does to it, and that numbers know when they are out of date."""

from __future__ import annotations

import json
import os
import zipfile

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.ledger import ledger_of, provenance
from curvesieve.core.study.ledger_tables import to_csv
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study


@pytest.fixture(scope="module")
def study(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def test_saved_and_opened_it_is_the_same(study, tmp_path):
    path = tmp_path / "a.sieve"
    save_study(study, path)
    again = load_study(path)
    assert again.document == study.document
    for record in study.document.records:
        assert again.record(record.id).source.content == study.record(record.id).source.content
        for channel in record.channels:
            np.testing.assert_array_equal(again.arrays[channel.array], study.arrays[channel.array])
    assert os.listdir(tmp_path) == ["a.sieve"]
    first = path.read_bytes()
    save_study(again, path)
    assert path.read_bytes() == first


def test_a_failed_save_leaves_the_old_file_whole(study, tmp_path, monkeypatch):
    path = tmp_path / "a.sieve"
    save_study(Study(), path)
    old = path.read_bytes()

    def full_disk(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full_disk)
    with pytest.raises(cs.InputError, match=r"a\.sieve cannot be written to .*: No space left on device"):
        save_study(study, path)
    assert path.read_bytes() == old
    assert os.listdir(tmp_path) == ["a.sieve"]
    with pytest.raises(cs.InputError, match="cannot be written"):
        save_study(study, tmp_path / "no such folder" / "b.sieve")


def rewritten(path, **parts):
    """The study file with some of its parts replaced (or removed, for None)."""
    with zipfile.ZipFile(path) as archive:
        content = {name: archive.read(name) for name in archive.namelist()}
    content |= parts
    with zipfile.ZipFile(path, "w") as archive:
        for name, value in content.items():
            if value is not None:
                archive.writestr(name, value)
    return path


def test_damage_is_named_and_nothing_is_opened(study, tmp_path):
    path = tmp_path / "a.sieve"
    save_study(study, path)
    whole = path.read_bytes()
    document = json.loads(zipfile.ZipFile(path).read("study.json"))
    key = document["records"][0]["channels"][0]["array"]
    other = document["records"][0]["channels"][1]["array"]
    other_bytes = zipfile.ZipFile(path).read(f"records/{other}.npy")

    def opens(sentence: str) -> None:
        with pytest.raises(cs.InputError, match=sentence):
            load_study(path)
        path.write_bytes(whole)

    for cut in (0, 10, len(whole) // 2, len(whole) - 5):
        path.write_bytes(whole[:cut])
        opens("is not a study, or the file is cut short or damaged")
    path.write_bytes(whole.replace(b"\x93NUMPY", b"\x93NUMPI", 1)[:-1] + whole[-1:])
    rewritten(path, **{"study.json": json.dumps({**document, "version": 99})})
    opens("written by a newer Curve Sieve")
    rewritten(path, **{"study.json": "{]"})
    opens("is not a study: its study.json cannot be read")
    rewritten(path, **{"study.json": json.dumps({**document, "extra": 1})})
    opens("in study.json, extra")
    bad = json.loads(json.dumps(document))
    bad["curves"][0]["source"]["take"]["y"] = 7
    rewritten(path, **{"study.json": json.dumps(bad)})
    opens("names a record or a channel that is not there")
    bad = json.loads(json.dumps(document))
    bad["curves"][EXAMPLE]["recipe"]["sieve"][0]["rule"]["step"] = "explode"
    rewritten(path, **{"study.json": json.dumps(bad)})
    opens("There is no step 'explode'")
    rewritten(path, **{"study.json": None})
    opens("is not a study")
    rewritten(path, **{f"records/{key}.npy": other_bytes})
    opens("are not those that were saved")
    rewritten(path, **{f"records/{key}.npy": b"\x80\x04pickle"})
    opens("cannot be read")
    one, two = sorted(curve["result"] for curve in document["curves"] if curve["result"])
    fits = {name: zipfile.ZipFile(path).read(f"results/{name}.json") for name in (one, two)}
    rewritten(path, **{f"results/{one}.json": fits[two]})
    opens(f"the fit {one[:8]}… is another one")
    rewritten(path, **{f"results/{one}.json": fits[one].replace(b'"converged":true', b'"converged":"yes!"')})
    opens(f"in the fit {one[:8]}…, result → converged")
    rewritten(path, **{f"results/{one}.json": None})
    opens(f"results/{one}.json cannot be read")
    bad = json.loads(json.dumps(document))
    bad["curves"][EXAMPLE]["result"] = "../../elsewhere"
    rewritten(path, **{"study.json": json.dumps(bad)})
    opens("in study.json, curves → .* → result: String should match pattern")
    with pytest.raises(cs.InputError, match="No such file"):
        load_study(tmp_path / "gone.sieve")


def test_edits_share_and_never_change_the_old(study):
    curve = study.document.curves[0]
    before = study.document.model_dump_json()
    renamed = edits.rename_curve(curve.id, "other")(study)
    assert study.document.model_dump_json() == before
    assert renamed.entry(curve.id).label == "other"
    assert renamed.document.records is study.document.records
    removed = edits.remove_curve(curve.id)(study)
    assert not removed.has(curve.id)
    assert len(removed.document.records) == len(study.document.records) - 1
    with pytest.raises(cs.InputError, match="needs a name"):
        edits.rename_curve(curve.id, "  ")


def test_numbers_know_when_they_are_out_of_date(study):
    curve = study.document.curves[EXAMPLE]
    assert study.fit_is_current(curve.id)
    assert len(study.readings(curve.id)) == 12
    off = edits.switch_step(curve.id, study.slots(curve.id)[1].id, False)(study)
    assert not off.fit_is_current(curve.id)
    assert off.readings(curve.id) == ()
    assert ledger_of(off, off.document.families[0]).rows[EXAMPLE].state == "out of date"
    assert edits.switch_step(curve.id, study.slots(curve.id)[1].id, True)(off).fit_is_current(curve.id)
    header = to_csv(ledger_of(study, study.document.families[0])).splitlines()[0]
    assert header.startswith("curve,loading (wt%),P1 center (cm-1),u(P1 center) (cm-1)")
    assert header.endswith("R²,RMSE (counts),state")


def test_a_reading_names_the_steps_of_a_shared_sieve(tmp_path):
    study = build_study(tmp_path)
    entry = study.document.curves[EXAMPLE]
    shared = edits.share(entry.id, "sieve")(study)
    assert shared.shares(entry.id, "sieve")
    assert shared.fit_is_current(entry.id), "the same steps, wherever they are kept"
    said = provenance(shared, shared.entry(entry.id), shared.readings(entry.id)[0])
    assert said == provenance(study, entry, study.readings(entry.id)[0])
    assert "after Keep range, Despike" in said
    alone = edits.step_out(entry.id, "sieve")(shared)
    assert alone.slots(entry.id) == shared.slots(entry.id)
    with pytest.raises(InputError, match="shared within a family of two or more"):
        edits.share("c", "sieve")(Study().with_document(curves=(entry.model_copy(update={"id": "c"}),)))
