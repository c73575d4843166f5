"""A window that works by itself until it is killed; what it did is written line by line, with the time.

``python -m tests.app.endure drive FOLDER SEED`` works; ``check`` (from the tests and from `make endure`) starts one,
kills it at some moment, and looks at what is left on disk.
"""

from __future__ import annotations

import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BEHIND_S = 5.0
"""How far the recovery copy may be behind."""


def drive(folder: Path, seed: int) -> None:
    """Edits the study by keys and mouse, saves now and then, without end."""
    from PyQt6.QtCore import Qt, QTimer
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.shell.main import make_application, start
    from curvesieve.core.study import edits
    from tests.app.gestures import CTRL, click_cell

    chance = random.Random(seed)
    app = make_application()
    window = start(app, str(folder / "work.sieve"))
    window.frame.activateWindow()
    QTest.qWaitForWindowActive(window.frame)
    session, done = window.session, [0]
    session.file_changed.connect(lambda: session.is_saved and say(f"saved {session.study.document.title}"))

    def step() -> None:
        if QApplication.activeModalWidget() is not None:
            return
        kind = chance.random()
        if kind < 0.2:
            rows = [i for i, row in enumerate(window.shelf.model.rows) if row.curve is not None]
            click_cell(window.shelf.list, chance.choice(rows), 0)
        elif kind < 0.3:
            QTest.keyClick(window, Qt.Key.Key_S, CTRL)
        else:
            done[0] += 1
            number = done[0]
            title = f"edit {number}"
            curve = session.view.curve
            session.apply(lambda study: edits.rename_curve(curve, title)(study.with_document(title=title)), title)
            say(title)

    timer = QTimer(app)
    timer.timeout.connect(step)
    timer.start(40)
    say("ready")
    app.exec()


def say(words: str) -> None:
    print(f"{time.time():.3f} {words}", flush=True)


def check(
    seed: int, between: tuple[float, float] = (0.3, 12.0), kind: signal.Signals = signal.SIGKILL, tell: bool = False
) -> int:
    """Kills a working window at a moment chosen by the seed, some seconds after its start.

    Returns the number of the edit that had to be kept, at least. Raises AssertionError when anything is lost.
    """
    from curvesieve.core.study import load_study, save_study
    from curvesieve.core.study.recovery import left_behind, recovered
    from curvesieve.demo.build import build_study

    moment = random.Random(seed).uniform(*between)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        save_study(build_study(folder / "files"), folder / "work.sieve")
        environment = os.environ | {"XDG_STATE_HOME": str(folder / "state"), "XDG_DATA_HOME": str(folder / "data")}
        lines = folder / "lines.txt"
        with lines.open("w") as out:
            command = [sys.executable, "-m", "tests.app.endure", "drive", name, str(seed)]
            program = subprocess.Popen(command, stdout=out, env=environment)
            ended = time.monotonic() + 60
            # a slow machine may not have made one when the copy is too old to have it
            begun = " edit 1" if between[0] > BEHIND_S else " ready"
            while begun not in lines.read_text() and time.monotonic() < ended:
                time.sleep(0.02)
            time.sleep(moment)
            killed = time.time()
            program.send_signal(kind)
            program.wait(20)
        said = [(float(at), words) for at, words in (line.split(" ", 1) for line in lines.read_text().splitlines())]
        made = [(at, _number(words)) for at, words in said if words.startswith("edit ")]
        saved = max((_number(words) for _, words in said if words.startswith("saved edit ")), default=0)
        on_disk = _number(load_study(folder / "work.sieve").document.title)
        assert on_disk >= saved, f"seed {seed}: saved {saved}, the file has {on_disk}"
        found = left_behind(folder / "state" / "curvesieve" / "recovery")
        copies = [_number(recovered(one).document.title) for one in found if one.has_study]
        newest = max([on_disk, *copies])
        behind = BEHIND_S if kind == signal.SIGKILL else 0.0
        must = max((number for at, number in made if at <= killed - behind), default=0)
        assert newest >= must, f"seed {seed}: edit {must} is lost, {newest} is the newest kept"
        last = max((number for _, number in made), default=0)
        lag = max((killed - at for at, number in made if number > newest), default=0.0)
        if tell:
            print(
                f"seed {seed}: killed after {moment:.1f} s; {last} edits, {newest} kept, {lag:.1f} s behind", flush=True
            )
        return must


def _number(words: str) -> int:
    found = re.search(r"edit (\d+)", words)
    return int(found[1]) if found else 0


def main() -> None:
    if sys.argv[1] == "drive":
        drive(Path(sys.argv[2]), int(sys.argv[3]))
        return
    count, first = int(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 1
    for seed in range(first, first + count):
        check(seed, tell=True)


if __name__ == "__main__":
    main()
