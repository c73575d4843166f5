"""What lies on disk: links, rights and parts of files; the recovery copy; workers that end with the program."""

from __future__ import annotations

import os
import stat
import subprocess
import sys
import time
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.files import remove_left_over_parts, stamp, write_bytes
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.recovery import Keeper, age, left_behind, recovered
from curvesieve.demo.build import build_study


@pytest.fixture(scope="module")
def study(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def nobody() -> int:
    """The number of a process that has ended."""
    ended = subprocess.Popen([sys.executable, "-c", ""])
    ended.wait()
    return ended.pid


def test_a_link_stays_a_link_and_rights_stay(tmp_path):
    real, link = tmp_path / "real" / "a.sieve", tmp_path / "a.sieve"
    real.parent.mkdir()
    save_study(Study(), real)
    real.chmod(0o640)
    has_attributes = True
    try:
        os.setxattr(real, "user.sample", b"marram")
    except OSError:
        has_attributes = False  # this file system keeps none
    link.symlink_to(Path("real") / "a.sieve")
    save_study(Study().with_document(title="second"), link)
    assert link.is_symlink()
    assert load_study(real).document.title == "second"
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    assert not has_attributes or os.getxattr(real, "user.sample") == b"marram"
    assert sorted(os.listdir(tmp_path)) == ["a.sieve", "real"]
    assert os.listdir(real.parent) == ["a.sieve"]


def test_a_file_marked_read_only_is_refused(tmp_path):
    path = tmp_path / "a.sieve"
    save_study(Study(), path)
    before = path.read_bytes()
    path.chmod(0o444)
    with pytest.raises(cs.InputError, match=r"a\.sieve in .* is marked read-only and was not changed"):
        save_study(Study().with_document(title="second"), path)
    assert path.read_bytes() == before
    assert stat.S_IMODE(path.stat().st_mode) == 0o444


def test_names_as_long_as_the_disk_allows(tmp_path):
    path = tmp_path / ("ü" * 124 + ".sieve")  # 254 bytes
    save_study(Study(), path)
    assert load_study(path).document == Study().document


def test_parts_of_killed_saves_go_and_those_of_living_ones_stay(tmp_path):
    path = tmp_path / "a.sieve"
    dead = tmp_path / f".a.sieve.{nobody()}-x1y2.part"
    living = tmp_path / f".a.sieve.{os.getpid()}-x1y2.part"
    others = [tmp_path / ".b.sieve.1-x.part", tmp_path / "a.sieve.part", tmp_path / ".a.sieve.notes.part"]
    for file in (dead, living, *others):
        file.write_bytes(b"half")
    remove_left_over_parts(path)
    assert not dead.exists()
    assert all(file.exists() for file in (living, *others))
    dead.write_bytes(b"half")
    save_study(Study(), path)
    assert not dead.exists()


def test_a_file_changed_elsewhere_has_another_stamp(tmp_path):
    path = tmp_path / "a.sieve"
    assert stamp(path) is None
    save_study(Study(), path)
    seen = stamp(path)
    assert stamp(path) == seen
    save_study(Study(), path)
    assert stamp(path) != seen, "the same bytes, written by somebody else"


def abandoned(tmp_path, *keeps) -> None:
    """Runs a sitting in this process and makes its copy look like that of a process that was killed."""
    keeper = Keeper(tmp_path)
    for keep in keeps:
        keeper.keep(*keep)
    about = keeper.folder / "about.json"
    about.write_text(about.read_text().replace(f'"process":{os.getpid()}', f'"process":{nobody()}'))


def test_what_a_killed_sitting_leaves_is_found_and_read(study, tmp_path):
    edited = edits.rename_curve(study.document.curves[0].id, "renamed")(study)
    path = tmp_path / "a.sieve"
    abandoned(tmp_path / "r", (study, path, False), (edited, path, False, [tmp_path / "x.csv"], (1, 2, 3)))
    (found,) = left_behind(tmp_path / "r")
    assert (found.path, found.curves, found.waiting) == (path, len(study.document.curves), (tmp_path / "x.csv",))
    assert found.has_study
    assert found.stamp == (1, 2, 3)
    again = recovered(found)
    assert again.document == edited.document
    for key, values in again.arrays.items():
        np.testing.assert_array_equal(values, study.arrays[key])
    assert dict(again.sources) == {key: study.sources[key] for key in again.sources}
    assert datetime.now() - found.when < timedelta(seconds=30)


def test_each_part_is_written_once_and_an_edit_writes_the_document_alone(study, tmp_path):
    keeper = Keeper(tmp_path)
    keeper.keep(study, None, saved=False)
    parts = {file: file.stat().st_mtime_ns for file in keeper.folder.glob("*/*")}
    written = (keeper.folder / "study.json").stat().st_mtime_ns
    assert len(parts) == len(study.arrays) + len(study.sources) + len(study.results)
    time.sleep(0.01)
    keeper.keep(study, None, saved=False)
    assert (keeper.folder / "study.json").stat().st_mtime_ns == written, "nothing changed"
    keeper.keep(edits.rename_curve(study.document.curves[0].id, "renamed")(study), None, saved=False)
    assert (keeper.folder / "study.json").stat().st_mtime_ns > written
    assert {file: file.stat().st_mtime_ns for file in keeper.folder.glob("*/*")} == parts


def test_the_copy_is_its_owners_alone_and_goes_when_nothing_can_be_lost(study, tmp_path):
    keeper = Keeper(tmp_path / "state" / "recovery")
    keeper.keep(study, None, saved=False)
    for place in (keeper.folder, *keeper.folder.rglob("*")):
        assert stat.S_IMODE(place.stat().st_mode) & 0o077 == 0, place
    assert left_behind(tmp_path / "state" / "recovery") == [], "its process lives"
    keeper.keep(study, tmp_path / "a.sieve", saved=True)
    assert not keeper.folder.exists()
    keeper.keep(study, tmp_path / "a.sieve", True, [tmp_path / "x.csv"])
    assert keeper.folder.exists(), "files that wait are work, too"
    keeper.clear()
    assert not keeper.folder.exists()


def test_a_process_that_took_the_number_of_a_dead_one_hides_nothing(study, tmp_path):
    keeper = Keeper(tmp_path)
    keeper.keep(study, None, saved=False)
    about = keeper.folder / "about.json"
    began = about.read_text().split('"began":"')[1].split('"')[0]
    assert began.isdigit()
    about.write_text(about.read_text().replace(f'"began":"{began}"', '"began":"17"'))
    assert len(left_behind(tmp_path)) == 1


def test_a_damaged_copy_is_said_and_does_not_hide_others(study, tmp_path):
    abandoned(tmp_path, (study, None, False))
    (found,) = left_behind(tmp_path)
    (tmp_path / "20200101-000000-1").mkdir()
    (tmp_path / "20200101-000000-1" / "about.json").write_text("{half")
    assert len(left_behind(tmp_path)) == 1
    next(found.folder.glob("records/*.npy")).write_bytes(b"half")
    with pytest.raises(cs.InputError, match="The recovery copy is damaged"):
        recovered(found)
    next(found.folder.glob("records/*.npy")).unlink()
    with pytest.raises(cs.InputError, match=r"The recovery copy in .* lacks records/"):
        recovered(found)


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "a moment ago"), (59, "a moment ago"), (60, "1 minute ago"), (7199, "1 hour ago"), (200_000, "2 days ago")],
)
def test_ages_in_words(seconds, words):
    now = datetime(2026, 11, 26, 12, 0, 0)
    assert age(now - timedelta(seconds=seconds), now) == words


_WITH_WORKERS = """
import sys, numpy as np, time
import curvesieve as cs
from curvesieve.core.study import many, processes
from curvesieve.core.steps import Sieve
if __name__ == "__main__":
    many._WORTH_IT = 0
    processes.os.cpu_count = lambda: 2
    sieve = Sieve.parse({"sieve": 1, "steps": [{"step": "smooth"}]})
    curve = cs.Curve(np.arange(50.0), np.arange(50.0))
    many.pass_many([(curve, sieve)] * 30)
    print(*processes.pool()._processes, flush=True)
    time.sleep(60)
"""


def test_workers_end_with_the_program_however_that_ends(tmp_path):
    script = tmp_path / "with_workers.py"
    script.write_text(_WITH_WORKERS)
    program = subprocess.Popen([sys.executable, str(script)], stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    workers = [int(word) for word in program.stdout.readline().split()]
    assert len(workers) == 2
    assert all(Path(f"/proc/{worker}").exists() for worker in workers)
    program.kill()
    program.wait()
    ended = time.monotonic() + 10
    while any(_alive(worker) for worker in workers) and time.monotonic() < ended:
        time.sleep(0.05)
    assert not any(_alive(worker) for worker in workers)


def _alive(process: int) -> bool:
    """Whether it runs; one that ended and that nobody asked about (a zombie) does not."""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def test_a_killed_worker_costs_no_result(monkeypatch):
    from curvesieve.core.steps import Sieve
    from curvesieve.core.study import many, processes

    monkeypatch.setattr(many, "_WORTH_IT", 0)
    monkeypatch.setattr(processes.os, "cpu_count", lambda: 2)
    sieve = Sieve.parse({"sieve": 1, "steps": [{"step": "smooth", "window": 5}]})
    curves = [cs.Curve(np.arange(40.0), np.sin(np.arange(40.0) + i)) for i in range(25)]
    jobs = [(curve, sieve) for curve in curves]
    many.pass_many(jobs[:2])
    for worker in list(processes.pool()._processes):
        os.kill(worker, 9)
    time.sleep(0.2)
    for made, (curve, _) in zip(many.pass_many(jobs), jobs, strict=True):
        np.testing.assert_array_equal(made.curve.y, sieve(curve).curve.y)


def test_bytes_are_written_whole(tmp_path):
    write_bytes(tmp_path / "a", b"one")
    write_bytes(tmp_path / "a", b"two", private=True)
    assert (tmp_path / "a").read_bytes() == b"two"
